package sift

import (
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"os"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"sieb/core/check"
	"sieb/core/reference"
	"sieb/core/spill"
	"sieb/core/target"
)

// A delivery may have more keys than memory is meant to hold. From there on its keys go to a
// file, in parts by their hashes, and each row passes for the first that has its key. Once all
// rows are read, each part is put in order by itself, which shows the rows whose keys recur.
// Most often there are none, and the run is done. Otherwise the delivery is read again, and what
// is known by then decides as if all keys were at hand.

const (
	// DefaultKeyMemory is how many bytes the keys of a delivery may take in memory.
	DefaultKeyMemory = 256 << 20
	// bytesPerKey is what a key takes in memory: a holder, and its share of slots.
	bytesPerKey = 48

	spillParts = reference.Parts
	keyedBytes = 26
	twinBytes  = 13
)

// keyed is a row with the hash of one of its keys.
type keyed struct {
	hash      check.KeyHash
	row, line uint32
	key       uint8 // which of the plan's keys, or of the target's Constraints
	isBad     bool  // the row is rejected whatever other rows hold, and takes possession of no key
}

// twin is a row one of whose keys recurs, and the row that has it instead.
type twin struct {
	row         uint32
	key         uint8
	other, line uint32 // the other row; 0 where the row itself may be the one that is kept
}

// spiltKeys are the keys of a delivery that were not kept in memory.
type spiltKeys struct {
	file *spill.File
	rows int64
	buf  [keyedBytes]byte
}

func newSpiltKeys(temporary func() (*os.File, error)) *spiltKeys {
	return &spiltKeys{file: spill.New(spillParts, temporary, "keeping the keys of rows")}
}

// close gives up the file.
func (s *spiltKeys) close() {
	if s != nil {
		s.file.Close()
	}
}

func (s *spiltKeys) add(k keyed) error {
	b := s.buf[:0]
	b = binary.LittleEndian.AppendUint64(b, k.hash.Hi)
	b = binary.LittleEndian.AppendUint64(b, k.hash.Lo)
	b = binary.LittleEndian.AppendUint32(b, k.row)
	b = binary.LittleEndian.AppendUint32(b, k.line)
	b = append(b, k.key, 0)
	if k.isBad {
		b[len(b)-1] = 1
	}
	s.rows = max(s.rows, int64(k.row))
	return s.file.Add(reference.PartOf(k.hash), b)
}

func readKeyed(b []byte) (k keyed) {
	k.hash.Hi, k.hash.Lo = binary.LittleEndian.Uint64(b), binary.LittleEndian.Uint64(b[8:])
	k.row, k.line = binary.LittleEndian.Uint32(b[16:]), binary.LittleEndian.Uint32(b[20:])
	k.key, k.isBad = b[24], b[25] != 0
	return k
}

// twins finds the rows whose keys recur. Of one key the rows name the one that is kept; of
// several (several is true) which one that is only shows in the order of rows, so that all are
// named that may be. It returns nil where there are none.
func (s *spiltKeys) twins(ctx context.Context, temporary func() (*os.File, error), keep target.Kept,
	several bool) (*twins, error) {
	return s.each(ctx, temporary, func(t *twins, _ int, part []keyed) (int64, error) {
		return t.find(part, keep, several)
	})
}

// each lets find go over the parts, on several goroutines, and returns the twins that it adds; nil
// where it adds none.
func (s *spiltKeys) each(ctx context.Context, temporary func() (*os.File, error),
	find func(t *twins, k int, part []keyed) (int64, error)) (*twins, error) {
	t := &twins{file: spill.New(spillParts, temporary, "keeping which rows repeat one another"), rows: s.rows}
	var all sync.WaitGroup
	var next, found atomic.Int64
	errs := make([]error, runtime.GOMAXPROCS(0))
	for worker := range errs {
		all.Go(func() {
			var text []byte
			var part []keyed
			for {
				k := int(next.Add(1)) - 1
				if errs[worker] = ctx.Err(); k >= spillParts || errs[worker] != nil {
					return
				}
				var err error
				if text, err = s.file.Read(text[:0], k); err != nil {
					errs[worker] = err
					return
				}
				part = part[:0]
				for b := text; len(b) >= keyedBytes; b = b[keyedBytes:] {
					part = append(part, readKeyed(b))
				}
				n, err := find(t, k, part)
				if found.Add(n); err != nil {
					errs[worker] = err
					return
				}
			}
		})
	}
	all.Wait()
	if err := errors.Join(errs...); err != nil || found.Load() == 0 {
		t.file.Close()
		return nil, err
	}
	return t, nil
}

// twins are the rows whose keys recur, in the order of rows.
type twins struct {
	file *spill.File
	rows int64

	mu     sync.Mutex
	loaded [2]loadedTwins
	next   int // which of them goes for the next part
}

type loadedTwins struct {
	part int
	list []twin
}

// find notes the twins among rows of which all that share a key are there, and returns how many
// there are.
func (t *twins) find(part []keyed, keep target.Kept, several bool) (n int64, err error) {
	slices.SortFunc(part, func(a, b keyed) int {
		return cmp.Or(cmp.Compare(a.hash.Hi, b.hash.Hi), cmp.Compare(a.hash.Lo, b.hash.Lo), cmp.Compare(a.key, b.key),
			cmp.Compare(a.row, b.row))
	})
	for from := 0; from < len(part); {
		to := from + 1
		for to < len(part) && part[to].hash == part[from].hash && part[to].key == part[from].key {
			to++
		}
		if to > from+1 {
			for _, w := range twinsOf(part[from:to], keep, several) {
				if err := t.add(w); err != nil {
					return n, err
				}
				n++
			}
		}
		from = to
	}
	return n, nil
}

// twinsOf returns the twins among the rows that share a key, two or more in their order.
func twinsOf(group []keyed, keep target.Kept, several bool) (all []twin) {
	var good []keyed // the first, the second and the last of those that may be kept
	for i := range group {
		if !group[i].isBad {
			if good = append(good, group[i]); len(good) > 3 {
				good[2] = good[3]
				good = good[:3]
			}
		}
	}
	if len(good) == 0 {
		return nil
	}
	for _, k := range group {
		other := good[0]
		switch {
		case keep == target.KeepFirst && k.row < good[0].row:
			continue // a bad row, before any has the key
		case keep == target.KeepFirst && several:
			other = keyed{}
		case keep == target.KeepLast:
			other = good[len(good)-1]
		}
		if other.row == k.row {
			if keep != target.KeepNone || len(good) == 1 {
				continue
			}
			other = good[1]
		}
		all = append(all, twin{k.row, k.key, other.row, other.line})
	}
	if len(all) == 1 && several && keep == target.KeepFirst {
		return nil // no other row is behind it
	}
	return all
}

// place returns the part in which the twins of a row are.
func (t *twins) place(row uint32) int { return int(int64(row) * spillParts / (t.rows + 1)) }

func (t *twins) add(w twin) error {
	var buf [twinBytes]byte
	b := binary.LittleEndian.AppendUint32(buf[:0], w.row)
	b = binary.LittleEndian.AppendUint32(append(b, w.key), w.other)
	return t.file.Add(t.place(w.row), binary.LittleEndian.AppendUint32(b, w.line))
}

// between returns the twins among the rows from first to last. It serves any number of goroutines.
func (t *twins) between(first, last int64) (all []twin, err error) {
	if t == nil || first > t.rows {
		return nil, nil
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	for k := t.place(clamp(first)); k <= t.place(clamp(min(last, t.rows))); k++ {
		list, err := t.load(k)
		if err != nil {
			return nil, err
		}
		before := func(row int64) int {
			at, _ := slices.BinarySearchFunc(list, row, func(w twin, row int64) int { return cmp.Compare(int64(w.row), row) })
			return at
		}
		if mine := list[before(first):before(last+1)]; all == nil {
			all = mine[:len(mine):len(mine)]
		} else {
			all = append(all, mine...)
		}
	}
	return all, nil
}

// load returns a part. The last two are at hand: batches come nearly in order.
func (t *twins) load(k int) ([]twin, error) {
	for i := range t.loaded {
		if l := &t.loaded[i]; l.list != nil && l.part == k {
			return l.list, nil
		}
	}
	text, err := t.file.Read(nil, k)
	if err != nil {
		return nil, err
	}
	list := make([]twin, 0, len(text)/twinBytes)
	for b := text; len(b) >= twinBytes; b = b[twinBytes:] {
		list = append(list, twin{binary.LittleEndian.Uint32(b), b[4], binary.LittleEndian.Uint32(b[5:]),
			binary.LittleEndian.Uint32(b[9:])})
	}
	slices.SortFunc(list, func(a, b twin) int { return cmp.Or(cmp.Compare(a.row, b.row), cmp.Compare(a.key, b.key)) })
	t.loaded[t.next] = loadedTwins{k, list}
	t.next = 1 - t.next
	return list, nil
}

func (t *twins) close() {
	if t != nil {
		t.file.Close()
	}
}
