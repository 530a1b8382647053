package result

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"iter"
	"path/filepath"
	"slices"
	"strconv"

	"github.com/zeebo/xxh3"

	"sieb/core/outcome"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/rowindex"
	"sieb/core/source"
)

// seen is a row on a walk. Nothing of it may be kept.
type seen struct {
	at    int64 // its place on its side, from 1
	batch *source.Batch
	index int   // in the batch
	keys  []key // of the columns that rows are sorted by
}

// passing are the rows of a batch that pass, with their keys behind one another.
type passing struct {
	rows []int
	keys []key
}

// all calls see with each row of the side that passes, in order, until see returns false.
func (s *Side) all(ctx context.Context, where []profile.Filter, by []sortedBy, see func(*seen) bool) error {
	among := s.among()
	if among == nil {
		return s.walk(ctx, where, by, see)
	}
	var failed error
	err := s.walk(ctx, where, by, func(r *seen) bool {
		var is bool
		if is, failed = among(r.at); failed != nil {
			return false
		}
		return !is || see(r)
	})
	return cmp.Or(err, failed)
}

// among makes what tells whether a row of the file, by its place, is one of the side's; nil where all are. It serves
// one goroutine.
func (s *Side) among() func(at int64) (bool, error) {
	switch {
	case s.members != nil:
		return func(at int64) (bool, error) {
			_, is := slices.BinarySearch(s.members, at)
			return is, nil
		}
	case s.which.only != 0:
		accepted := s.index.Accepted()
		return func(at int64) (bool, error) {
			_, f, err := accepted.To(at)
			if errors.Is(err, rowindex.ErrDamaged) {
				err = s.noIndex()
			}
			return err == nil && f.Is(s.which.only), err
		}
	}
	return nil
}

// walk calls see with each row of the file that passes, in order, until see returns false. Batches are split only where
// conditions or keys take that.
func (s *Side) walk(ctx context.Context, where []profile.Filter, by []sortedBy, see func(*seen) bool) error {
	if _, err := s.conditions(where); err != nil {
		return err
	}
	rows, err := s.rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	work := func() func(*source.Batch, *passing) {
		conditions, _ := s.conditions(where) // they were made once
		return func(b *source.Batch, p *passing) {
			if len(conditions)+len(by) > 0 {
				b.Split()
			}
			p.rows = p.rows[:0]
			for i := range b.Rows {
				if !s.pass(conditions, b, i) {
					continue
				}
				n := len(p.rows) * len(by)
				p.rows = append(p.rows, i)
				for len(p.keys) < n+len(by) {
					p.keys = append(p.keys, key{})
				}
				for k := range by {
					by[k].order.key(s.cell(b, i, by[k].column), &p.keys[n+k])
				}
			}
		}
	}
	var r seen
	err = source.InOrder(ctx, rows, 0, work, func(b *source.Batch, p *passing) error {
		for k, i := range p.rows {
			r = seen{b.Number(i), b, i, p.keys[k*len(by) : (k+1)*len(by)]}
			if !see(&r) {
				return errEnough
			}
		}
		return nil
	})
	if errors.Is(err, errEnough) {
		return nil
	}
	return err
}

// hashed goes over the rows of the file with the hashes of some of their cells, and of a key; nil for none.
func (s *Side) hashed(ctx context.Context, columns, key []int) iter.Seq2[*hashed, error] {
	work := func() func(*source.Batch, *hashedRows) {
		var text []byte
		return func(b *source.Batch, h *hashedRows) {
			b.Split()
			h.cells, h.rows, h.keys = h.cells[:0], h.rows[:0], h.keys[:0]
			for i := range b.Rows {
				var row uint64
				for _, k := range columns {
					var hash uint64
					if cell := s.cell(b, i, k); cell != nil {
						hash = xxh3.Hash(cell)
					}
					h.cells = append(h.cells, hash)
					row = row*hashFactor + hash
				}
				h.rows = append(h.rows, row)
				if key == nil {
					continue
				}
				text = text[:0]
				for _, k := range key {
					cell := s.cell(b, i, k)
					text = append(strconv.AppendInt(text, int64(len(cell)), 10), ':')
					text = append(text, cell...)
				}
				h.keys = append(h.keys, xxh3.Hash128(text))
			}
		}
	}
	return func(yield func(*hashed, error) bool) {
		rows, err := s.rows()
		if err != nil {
			yield(nil, err)
			return
		}
		defer rows.Close()
		var r hashed
		err = source.InOrder(ctx, rows, 0, work, func(b *source.Batch, h *hashedRows) error {
			for i := range h.rows {
				r.at, r.row = b.Number(i), h.rows[i]
				r.cells = h.cells[i*len(columns) : (i+1)*len(columns)]
				if key != nil {
					r.key = h.keys[i]
				}
				if !yield(&r, nil) {
					return errEnough
				}
			}
			return nil
		})
		if err != nil && !errors.Is(err, errEnough) {
			yield(nil, err)
		}
	}
}

// hashFactor makes the hash of a row depend on the order of its cells: an odd number with bits throughout.
const hashFactor = 0x9E3779B97F4A7C15

// errEnough ends a walk.
var errEnough = errors.New("enough rows were seen")

func (s *Side) pass(conditions []condition, b *source.Batch, i int) bool {
	for k := range conditions {
		if c := &conditions[k]; !c.passes(s.cell(b, i, c.column)) {
			return false
		}
	}
	return true
}

// cell returns a cell; nil for no value. Among accepted rows, quotes without a character between them are an empty
// text.
func (s *Side) cell(b *source.Batch, row, column int) []byte {
	cells := b.Cells(row)
	if column >= len(cells) {
		return nil
	}
	at := cells[column]
	if at.Start < at.End {
		return b.Text(at)
	}
	if s.which.side == outcome.Accepted && at.Start > b.Rows[row].Start && b.Arena[at.Start-1] == '"' {
		return []byte{}
	}
	return nil
}

// from calls see with each row of the file, in order, until see returns false: from one at or in front of a place on.
func (s *Side) from(ctx context.Context, at int64, see func(*seen) bool) error {
	if s.index == nil {
		return s.walk(ctx, nil, nil, see)
	}
	rows, err := s.rows()
	if err != nil {
		return err
	}
	defer rows.Close()
	stretch := s.index.Holding(s.which.side, at)
	if stretch == nil {
		return nil
	}
	src, err := rows.From(stretch.BeforeOf[s.which.side]+1, stretch.Offset[s.which.side])
	if err != nil {
		return err
	}
	var b source.Batch
	for {
		switch err := src.Next(&b); {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil:
			return err
		case ctx.Err() != nil:
			return context.Cause(ctx)
		}
		for i := range b.Rows {
			if !see(&seen{at: b.Number(i), batch: &b, index: i}) {
				return nil
			}
		}
	}
}

// inDelivery goes through the numbers, in the delivery, of the rows of a side that was not accepted.
func inDelivery(ctx context.Context, dir, file string) iter.Seq2[int64, error] {
	work := func() func(*source.Batch, *[]int64) {
		return func(b *source.Batch, numbers *[]int64) {
			*numbers = (*numbers)[:0]
			for i := range b.Rows {
				number := int64(0)
				for _, c := range b.Arena[b.Rows[i].Start:] { // it stands in front of the first comma
					if c < '0' || c > '9' {
						break
					}
					number = number*10 + int64(c-'0')
				}
				*numbers = append(*numbers, number)
			}
		}
	}
	return func(yield func(int64, error) bool) {
		rows, err := report.OpenRows(dir, file)
		if err != nil {
			yield(0, err)
			return
		}
		defer rows.Close()
		last := int64(0)
		err = source.InOrder(ctx, rows, 0, work, func(_ *source.Batch, numbers *[]int64) error {
			for _, n := range *numbers {
				if n <= last {
					return fmt.Errorf("%s is damaged: a row stands behind row %d, and its number is none above it; run the "+
						"delivery again", filepath.Join(dir, file), last)
				}
				if last = n; !yield(n, nil) {
					return errEnough
				}
			}
			return nil
		})
		if err != nil && !errors.Is(err, errEnough) {
			yield(0, err)
		}
	}
}

// numbers tells the numbers of a side's rows in the delivery. Accepted rows have those that no other row has, which the
// index knows, or the files of the others.
type numbers struct {
	side     *Side
	accepted *rowindex.Cursor // nil without an index
	others   func() (ending, error, bool)
	stop     func()
	head     int64 // the number that others gave last
	last     int64
}

func (s *Side) numbers(ctx context.Context) *numbers {
	n := &numbers{side: s, stop: func() {}}
	switch {
	case s.which.side != outcome.Accepted:
	case s.index != nil:
		n.accepted = s.index.Accepted()
	default:
		n.others, n.stop = iter.Pull2(endingsOf(ctx, s.dir))
	}
	return n
}

// next returns the number of the next row of a walk, where it is wanted.
func (n *numbers) next(r *seen, isWanted bool) (number int64, err error) {
	switch {
	case n.accepted != nil || n.side.which.side != outcome.Accepted:
		if !isWanted {
			return 0, nil
		}
		if n.accepted != nil {
			number, _, err = n.accepted.To(r.at)
			return number, err
		}
		r.batch.Split()
		for _, digit := range n.side.cell(r.batch, r.index, 0) {
			number = number*10 + int64(digit-'0')
		}
		return number, nil
	}
	for n.last++; ; n.last++ {
		for n.head < n.last {
			end, err, ok := n.others()
			if err != nil {
				return 0, err
			}
			if n.head = end.number; !ok {
				n.head = behindAll
			}
		}
		if n.head != n.last {
			return n.last, nil
		}
	}
}
