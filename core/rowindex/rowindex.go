// Package rowindex notes where each row of a delivery ends, and where it stands in the files of its run: a page in the
// middle of a million rows is read from there, which rows were changed is known without those that were not, and an
// accepted row's number in the delivery without the rows in front of it.
//
// An index is made while the run writes, and stands beside its files. It takes a few bytes for each stretch of rows
// that were written together, and half a byte at most for each row where rows end differently from one to the next. It
// is no proof and in no manifest: where it is missing, damaged, or of other files, the files are read without it.
package rowindex

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"iter"
	"os"
	"path/filepath"
	"sort"

	"github.com/zeebo/xxh3"

	"sieb/core/outcome"
)

// Name is the name of the file.
const Name = "rows.index"

// sides are those of rows.
const sides = 3

// Fate is what became of a row: its side, and what else is known of it.
type Fate uint8

// What a fate says beside the side.
const (
	Changed Fate = 4 << iota // a remedy has changed something in the row, or a wrong value was blanked
	Flagged                  // something in the row breaks a rule

	side Fate = 3
)

// Side returns where the row ended.
func (f Fate) Side() outcome.Side { return outcome.Side(f & side) }

// Is reports whether the row was accepted, and is as asked for: changed, flagged, or any accepted row for 0.
func (f Fate) Is(only Fate) bool { return f.Side() == outcome.Accepted && f&only == only }

// Stretch is some rows that were written together.
type Stretch struct {
	Rows   int64 // of the delivery
	Before int64 // rows of the delivery in front of them

	Of       [sides]int64 // how many end on each side
	BeforeOf [sides]int64
	Offset   [sides]int64 // where in the file of each side they begin, in bytes

	Changed, Flagged             int64 // accepted rows that are
	BeforeChanged, BeforeFlagged int64

	block, blockEnd int64 // where their fates stand in the index
	sum             uint32
}

// only returns how many of the accepted rows are as asked for, and how many of those in front.
func (s *Stretch) only(f Fate) (n, before int64) {
	switch f {
	case Changed:
		return s.Changed, s.BeforeChanged
	case Flagged:
		return s.Flagged, s.BeforeFlagged
	}
	return s.Of[outcome.Accepted], s.BeforeOf[outcome.Accepted]
}

// foot stands at the end of an index: the length of its table, the table's hash, and a mark.
const (
	foot = 8 + 8 + len(mark)
	mark = "sieb rows 1\n"
)

// Writer makes an index. It holds the table, which takes about 20 bytes for a stretch.
type Writer struct {
	to    io.Writer
	fates []Fate
	block []byte
	table []byte
	last  [sides]int64 // where the files end so far
}

// NewWriter makes a writer of an index. Nothing may be noted before Restart.
func NewWriter(to io.Writer) *Writer { return &Writer{to: to} }

// Restart begins with the first row, whose side's files are so long now. Whatever was written is no part of the index:
// whoever holds it has emptied it.
func (w *Writer) Restart(lengths [sides]int64) {
	w.fates, w.table, w.last = w.fates[:0], w.table[:0], lengths
	for _, n := range lengths {
		w.table = binary.AppendUvarint(w.table, uint64(n))
	}
}

// Row notes the next row.
func (w *Writer) Row(s outcome.Side, isChanged, isFlagged bool) {
	f := Fate(s)
	if isChanged {
		f |= Changed
	}
	if isFlagged {
		f |= Flagged
	}
	w.fates = append(w.fates, f)
}

// Written ends a stretch: the rows noted since the last one are in the files, which are so long now.
func (w *Writer) Written(lengths [sides]int64) error {
	if len(w.fates) == 0 {
		return nil
	}
	var s Stretch
	for _, f := range w.fates {
		s.add(f)
	}
	w.block = appendBlock(w.block[:0], w.fates)
	w.table = binary.AppendUvarint(w.table, uint64(len(w.fates)))
	for k := range sides - 1 { // the last is what remains
		w.table = binary.AppendUvarint(w.table, uint64(s.Of[k]))
	}
	w.table = binary.AppendUvarint(binary.AppendUvarint(w.table, uint64(s.Changed)), uint64(s.Flagged))
	for k, n := range lengths {
		w.table = binary.AppendUvarint(w.table, uint64(n-w.last[k]))
	}
	w.table = binary.AppendUvarint(w.table, uint64(len(w.block)))
	w.table = binary.LittleEndian.AppendUint32(w.table, uint32(xxh3.Hash(w.block)))
	w.last, w.fates = lengths, w.fates[:0]
	_, err := w.to.Write(w.block)
	return err
}

// add counts a row.
func (s *Stretch) add(f Fate) {
	s.Rows++
	s.Of[f.Side()]++
	if f.Is(Changed) {
		s.Changed++
	}
	if f.Is(Flagged) {
		s.Flagged++
	}
}

// Close writes what stands behind the last row. The index counts only beside files with these proofs.
func (w *Writer) Close(proofs []outcome.Proof) error {
	text := appendProofs(nil, proofs)
	text = append(text, w.table...)
	sum := xxh3.Hash(text)
	text = binary.LittleEndian.AppendUint64(text, uint64(len(text)))
	text = binary.LittleEndian.AppendUint64(text, sum)
	_, err := w.to.Write(append(text, mark...))
	return err
}

// appendProofs appends of which files an index is.
func appendProofs(dst []byte, proofs []outcome.Proof) []byte {
	for _, p := range proofs {
		dst = fmt.Appendf(dst, "%s %d %s\n", p.Name, p.Bytes, p.BLAKE3)
	}
	return append(dst, '\n')
}

// The forms of a block of fates, by its first byte.
const (
	inRuns  = iota // a byte for a fate and how many rows follow one another with it
	inPairs        // two rows in a byte
)

// appendBlock appends fates in the shorter of two forms.
func appendBlock(dst []byte, fates []Fate) []byte {
	start := len(dst)
	dst = append(dst, inRuns)
	most := start + 1 + (len(fates)+1)/2 // what pairs take
	i := 0
	for i < len(fates) && len(dst) <= most {
		n := i + 1
		for n < len(fates) && fates[n] == fates[i] {
			n++
		}
		dst = binary.AppendUvarint(append(dst, byte(fates[i])), uint64(n-i))
		i = n
	}
	if i == len(fates) && len(dst) <= most {
		return dst
	}
	dst = append(dst[:start], inPairs)
	for i := 0; i < len(fates); i += 2 {
		b := byte(fates[i])
		if i+1 < len(fates) {
			b |= byte(fates[i+1]) << 4
		}
		dst = append(dst, b)
	}
	return dst
}

// mostRows is more than a batch has.
const mostRows = 1 << 30

// ErrDamaged says that an index is not what was written.
var ErrDamaged = errors.New("the index of the rows is damaged")

// readBlock reads the fates of a stretch.
func readBlock(dst []Fate, block []byte, rows int64) ([]Fate, error) {
	if len(block) == 0 {
		return dst, ErrDamaged
	}
	form, block := block[0], block[1:]
	switch {
	case form == inPairs && int64(len(block)) == (rows+1)/2:
		for _, b := range block {
			dst = append(dst, Fate(b&15), Fate(b>>4))
		}
		return dst[:rows], nil
	case form == inRuns:
		for len(block) > 0 {
			n, size := binary.Uvarint(block[1:])
			if size <= 0 || n > uint64(rows-int64(len(dst))) {
				return dst, ErrDamaged
			}
			for range n {
				dst = append(dst, Fate(block[0]))
			}
			block = block[1+size:]
		}
		if int64(len(dst)) == rows {
			return dst, nil
		}
	}
	return dst, ErrDamaged
}

// Index tells of the rows of a run.
type Index struct {
	file *os.File
	all  []Stretch
	sum  Stretch // over all
}

// Open opens the index of the files with these proofs that stand in a folder. The error says that there is none.
func Open(dir string, proofs []outcome.Proof) (x *Index, err error) {
	f, err := os.Open(filepath.Join(dir, Name))
	if err != nil {
		return nil, err
	}
	x = &Index{file: f}
	if err := x.read(proofs); err != nil {
		f.Close()
		return nil, err
	}
	return x, nil
}

// read reads the table.
func (x *Index) read(proofs []outcome.Proof) error {
	info, err := x.file.Stat()
	if err != nil {
		return err
	}
	end := info.Size() - int64(foot)
	if end < 0 {
		return ErrDamaged
	}
	at := make([]byte, foot)
	if _, err := x.file.ReadAt(at, end); err != nil {
		return err
	}
	length := binary.LittleEndian.Uint64(at)
	if string(at[16:]) != mark || length > uint64(end) {
		return ErrDamaged
	}
	table := make([]byte, length)
	blocks := end - int64(length)
	if _, err := x.file.ReadAt(table, blocks); err != nil {
		return err
	}
	if xxh3.Hash(table) != binary.LittleEndian.Uint64(at[8:]) {
		return ErrDamaged
	}
	table, isOf := bytes.CutPrefix(table, appendProofs(nil, proofs))
	if !isOf {
		return errors.New("the index of the rows is of other files")
	}
	return x.stretches(table, blocks)
}

// stretches reads the table's stretches; their fates stand in so many bytes in front of it.
func (x *Index) stretches(table []byte, blocks int64) error {
	next := func() int64 {
		n, size := binary.Uvarint(table)
		if size <= 0 || n > 1<<62 {
			table = nil
			return -1
		}
		table = table[size:]
		return int64(n)
	}
	sum := &x.sum
	for k := range sum.Offset {
		sum.Offset[k] = next()
	}
	for len(table) > 0 {
		s := Stretch{Before: sum.Rows, BeforeOf: sum.Of, Offset: sum.Offset, BeforeChanged: sum.Changed,
			BeforeFlagged: sum.Flagged, block: sum.blockEnd}
		s.Rows = next()
		rest := s.Rows
		for k := range sides - 1 {
			s.Of[k] = next()
			rest -= s.Of[k]
		}
		s.Of[sides-1] = rest
		s.Changed, s.Flagged = next(), next()
		for k := range sides {
			sum.Offset[k] += next()
			sum.Of[k] += s.Of[k]
		}
		s.blockEnd = s.block + next()
		if len(table) < 4 {
			return ErrDamaged
		}
		s.sum, table = binary.LittleEndian.Uint32(table), table[4:]
		if rest < 0 || s.Rows > mostRows || s.blockEnd > blocks {
			return ErrDamaged
		}
		sum.Rows += s.Rows
		sum.Changed += s.Changed
		sum.Flagged += s.Flagged
		sum.blockEnd = s.blockEnd
		x.all = append(x.all, s)
	}
	if sum.blockEnd != blocks {
		return ErrDamaged
	}
	return nil
}

// Close ends the use of the index.
func (x *Index) Close() { x.file.Close() } // no loss: it is only read

// Total returns how many accepted rows are as asked for.
func (x *Index) Total(only Fate) int64 {
	n, _ := x.sum.only(only)
	return n
}

// Holding returns the stretch that holds a row of a side, by its place there from 1; nil where there is none.
func (x *Index) Holding(s outcome.Side, at int64) *Stretch {
	return x.find(at, func(t *Stretch) int64 { return t.BeforeOf[s] + t.Of[s] })
}

// find returns the first stretch up to whose end there are so many of something.
func (x *Index) find(at int64, upTo func(*Stretch) int64) *Stretch {
	k := sort.Search(len(x.all), func(i int) bool { return upTo(&x.all[i]) >= at })
	if at < 1 || k == len(x.all) {
		return nil
	}
	return &x.all[k]
}

// fates reads those of a stretch.
func (x *Index) fates(dst []Fate, s *Stretch) ([]Fate, error) {
	block := make([]byte, s.blockEnd-s.block)
	if _, err := x.file.ReadAt(block, s.block); err != nil {
		return nil, err
	}
	if uint32(xxh3.Hash(block)) != s.sum {
		return nil, ErrDamaged
	}
	return readBlock(dst, block, s.Rows)
}

// All goes through the fates of all rows, in the order of the delivery.
func (x *Index) All() iter.Seq2[Fate, error] {
	return func(yield func(Fate, error) bool) {
		var fates []Fate
		for k := range x.all {
			var err error
			if fates, err = x.fates(fates[:0], &x.all[k]); err != nil {
				yield(0, err)
				return
			}
			for _, f := range fates {
				if !yield(f, nil) {
					return
				}
			}
		}
	}
}

// Places returns the places, among the accepted rows, of rows that are as asked for: so many, behind some others.
func (x *Index) Places(only Fate, behind, most int64) (places []int64, err error) {
	var fates []Fate
	for s := x.find(behind+1, func(t *Stretch) int64 { n, before := t.only(only); return before + n }); s != nil &&
		int64(len(places)) < most; {
		if fates, err = x.fates(fates[:0], s); err != nil {
			return nil, err
		}
		at := s.BeforeOf[outcome.Accepted]
		_, n := s.only(only)
		for _, f := range fates {
			if f.Side() != outcome.Accepted {
				continue
			}
			at++
			if !f.Is(only) {
				continue
			}
			if n++; n > behind && int64(len(places)) < most {
				places = append(places, at)
			}
		}
		if s.Before+s.Rows == x.sum.Rows {
			break
		}
		s = x.find(s.Before+s.Rows+1, func(t *Stretch) int64 { return t.Before + t.Rows })
	}
	return places, nil
}

// Row returns where a row of the delivery stands: on which side, and at which place there. The error is a *NoRow where
// there is none.
func (x *Index) Row(row int64) (s outcome.Side, at int64, err error) {
	t := x.find(row, func(t *Stretch) int64 { return t.Before + t.Rows })
	if t == nil {
		return 0, 0, &NoRow{row, x.sum.Rows}
	}
	fates, err := x.fates(nil, t)
	if err != nil {
		return 0, 0, err
	}
	place := t.BeforeOf
	for _, f := range fates[:row-t.Before] {
		s = f.Side()
		place[s]++
	}
	return s, place[s], nil
}

// NoRow says that a delivery has no row of a number.
type NoRow struct{ Row, Of int64 }

func (n *NoRow) Error() string {
	return fmt.Sprintf("there is no row %d: the delivery has the rows 1 to %d", n.Row, n.Of)
}

// Cursor goes over accepted rows, and tells of each. It is quick where they come in order.
type Cursor struct {
	index *Index
	in    *Stretch
	fates []Fate
	at    int64 // place of the last row it told of, and where that stands among the fates, from 1
	row   int
}

// Accepted returns a cursor.
func (x *Index) Accepted() *Cursor { return &Cursor{index: x} }

// To tells of an accepted row, by its place: its number in the delivery, and its fate.
func (c *Cursor) To(at int64) (row int64, f Fate, err error) {
	const accepted = outcome.Accepted
	if c.in == nil || at <= c.in.BeforeOf[accepted] || at > c.in.BeforeOf[accepted]+c.in.Of[accepted] {
		if c.in = c.index.Holding(accepted, at); c.in == nil {
			return 0, 0, ErrDamaged
		}
		if c.fates, err = c.index.fates(c.fates[:0], c.in); err != nil {
			return 0, 0, err
		}
		c.at, c.row = c.in.BeforeOf[accepted], 0
	} else if at <= c.at {
		c.at, c.row = c.in.BeforeOf[accepted], 0
	}
	for c.at < at {
		if c.fates[c.row].Side() == accepted {
			c.at++
		}
		c.row++
	}
	return c.in.Before + int64(c.row), c.fates[c.row-1], nil
}
