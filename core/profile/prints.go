package profile

import (
	"cmp"
	"context"
	"encoding/binary"
	"math/bits"
	"slices"

	"sieb/core/distinct"
	"sieb/core/source"
	"sieb/core/spill"
)

// prints remember a fingerprint of 62 bits for each row, to find rows that are
// alike in some columns. What does not fit in memory goes to a file without a
// name, so that the answer is exact for any number of rows (two different rows
// share a fingerprint once in 2^62). There are no more parts than the processor
// has translations of addresses at hand.
type prints struct {
	parts [printParts][]fingerprint
	held  int
	spill *spill.File
}

// fingerprint is a fingerprint with its row: what of the fingerprint does not tell
// its part, 56 bits, and 40 bits of the row.
type fingerprint [3]uint32

const (
	printParts = 64
	printBytes = 12
	// maxPrints is how many prints one worker holds in memory of one set of
	// columns.
	maxPrints = 1 << 20
)

func newFingerprint(hash uint64, row int64) fingerprint {
	return fingerprint{uint32(hash), uint32(hash>>32)&0xFFFFFF | uint32(row>>32)<<24, uint32(row)}
}

func (p fingerprint) hash() uint64 { return uint64(p[0]) | uint64(p[1]&0xFFFFFF)<<32 }
func (p fingerprint) row() int64   { return int64(p[2]) | int64(p[1]>>24)<<32 }

// newPrints makes room for the prints of about so many rows.
func newPrints(s *spill.File, rows int64) (p prints) {
	p.spill = s
	room := min(rows, maxPrints) / printParts
	for k := range p.parts {
		p.parts[k] = make([]fingerprint, 0, room)
	}
	return p
}

func (p *prints) add(hash uint64, row int64) error {
	part := &p.parts[hash>>58]
	*part = append(*part, newFingerprint(hash, row))
	if p.held++; p.held < maxPrints {
		return nil
	}
	p.held = 0
	return p.take()
}

// openSpills makes for each key what the prints of all workers for it go to.
func (p *plan) openSpills(file *source.File) {
	for range p.keys {
		p.spills = append(p.spills, spill.New(printParts, file.Temporary, "keeping the fingerprints of rows"))
	}
}

// take writes the parts out and empties them.
func (p *prints) take() error {
	var b []byte
	for k, part := range p.parts {
		b = b[:0]
		for _, print := range part {
			for _, word := range print {
				b = binary.LittleEndian.AppendUint32(b, word)
			}
		}
		if err := p.spill.Add(k, b); err != nil {
			return err
		}
		p.parts[k] = part[:0]
	}
	return nil
}

// repeats are the rows that are like an earlier one.
type repeats struct {
	told  int64 // all rows
	rows  int64 // later rows
	pairs []pair
}

// pair is a row and the first row that it is like.
type pair struct{ row, first int64 }

// eachOf hands the prints of a part over, of all workers and those that were written out.
func eachOf(all []*prints, part int, each func(fingerprint)) error {
	for _, p := range all {
		for _, print := range p.parts[part] {
			each(print)
		}
	}
	if len(all) == 0 {
		return nil
	}
	return all[0].spill.Each(part, printBytes<<15, func(b []byte) {
		for ; len(b) >= printBytes; b = b[printBytes:] {
			each(fingerprint{binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint32(b[4:]),
				binary.LittleEndian.Uint32(b[8:])})
		}
	})
}

// countOf returns how many prints a part has.
func countOf(all []*prints, part int) (n int64) {
	for _, p := range all {
		n += int64(len(p.parts[part]))
	}
	if len(all) > 0 {
		n += all[0].spill.Size(part) / printBytes
	}
	return n
}

// find finds the rows that repeat another, from the prints of all workers: part by
// part, so that each fits near the processor. Of a part only the different ones are held:
// rows that are all alike are in one.
func find(ctx context.Context, all []*prints) (r repeats, err error) {
	var seen firsts
	for k := range printParts {
		if err := ctx.Err(); err != nil {
			return r, err
		}
		n := countOf(all, k)
		r.told += n
		seen.clear(int(min(n, 1<<18)))
		if err := eachOf(all, k, seen.note); err != nil {
			return r, err
		}
		if int64(seen.held) == n {
			continue // no two are alike
		}
		if err := eachOf(all, k, func(p fingerprint) {
			if first := seen.of(p.hash()).row; first != p.row() {
				r.rows++
				r.keep(pair{p.row(), first})
			}
		}); err != nil {
			return r, err
		}
	}
	return r, nil
}

// keep keeps the pairs whose later rows come first.
func (r *repeats) keep(p pair) {
	if len(r.pairs) == maxRows && p.row >= r.pairs[maxRows-1].row {
		return
	}
	k, _ := slices.BinarySearchFunc(r.pairs, p, func(a, b pair) int { return cmp.Compare(a.row, b.row) })
	r.pairs = slices.Insert(r.pairs, k, p)
	r.pairs = r.pairs[:min(len(r.pairs), maxRows)]
}

// maxRows is how many rows are kept of those that only all rows together tell.
const maxRows = 1000

// shown returns the first pairs, as many as a profile shows.
func (r *repeats) shown() (all []Pair) {
	for _, p := range r.pairs[:min(len(r.pairs), distinct.MaxSightings)] {
		all = append(all, Pair{p.row, p.first})
	}
	return all
}

// both returns the rows that repeat one and those that they repeat, in order.
func (r *repeats) both() (rows []int64) {
	for _, p := range r.pairs {
		rows = append(rows, p.row, p.first)
	}
	slices.Sort(rows)
	return slices.Compact(rows)
}

// firsts tell the first row of each fingerprint: a hash table with open addressing.
type firsts struct {
	slots []firstRow
	mask  uint64
	held  int
}

type firstRow struct {
	hash uint64
	row  int64 // 0: free
}

// of returns the slot of a fingerprint, or the free one for it.
func (f *firsts) of(hash uint64) *firstRow {
	i := hash * 0x9E3779B97F4A7C15 >> 32 & f.mask
	for f.slots[i].row != 0 && f.slots[i].hash != hash {
		i = (i + 1) & f.mask
	}
	return &f.slots[i]
}

// clear makes room for about so many fingerprints.
func (f *firsts) clear(about int) {
	size := 1 << bits.Len(uint(2*about))
	if cap(f.slots) < size {
		f.slots = make([]firstRow, size)
	}
	f.slots, f.mask, f.held = f.slots[:size], uint64(size-1), 0
	clear(f.slots)
}

// note notes the first row of a fingerprint.
func (f *firsts) note(p fingerprint) {
	s := f.of(p.hash())
	if s.row != 0 {
		s.row = min(s.row, p.row())
		return
	}
	*s = firstRow{p.hash(), p.row()}
	if f.held++; 2*f.held > len(f.slots) {
		old := f.slots
		f.slots, f.mask = make([]firstRow, 2*len(old)), uint64(2*len(old)-1)
		for _, s := range old {
			if s.row != 0 {
				*f.of(s.hash) = s
			}
		}
	}
}
