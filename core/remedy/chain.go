package remedy

import "sieb/core/workbook"

// Chain is the remedies of one column, in order. It holds scratch space and
// serves one goroutine.
type Chain struct {
	// Seen is called for each change of a cell, with what remedy of the chain did it and the cell
	// before and after; nil for none.
	Seen func(remedy int, before, after []byte)

	steps []step
	stop  func(cell []byte) bool
	space [2][]byte
}

// step cleans a cell, which is a text, or a value in canonical form: it returns the cell
// itself and false where nothing changed.
type step struct {
	clean  func(dst, cell []byte, kind workbook.Kind) ([]byte, bool)
	grow   growing       // in the place of clean, where it may make much of little
	writes bool          // it appends to dst; others return a part of the cell, or what stays
	kind   workbook.Kind // of what it writes
}

// growing is a cleaning that stops where it makes more than so many bytes; then fits is false.
type growing = func(dst, cell []byte, most int) (out []byte, did, fits bool)

// do cleans a cell, unless more than so many bytes come of it.
func (s *step) do(dst, cell []byte, kind workbook.Kind, most int) (out []byte, did, fits bool) {
	if s.grow != nil {
		return s.grow(dst, cell, most)
	}
	out, did = s.clean(dst, cell, kind)
	return out, did, len(out) <= most
}

// Room returns how many bytes remedies may make of a cell of so many.
func Room(bytes int) int { return 4*bytes + 1<<20 }

// NewChain makes the chain of a column's remedies. A cell for which stop holds
// after a remedy is left as it is by those that follow: trimmed to "n/a", it is
// not made "N/A" by upper where "n/a" means that there is no value.
func NewChain(remedies []Remedy, column *Column, stop func(cell []byte) bool) (*Chain, error) {
	c := &Chain{stop: stop}
	for i := range remedies {
		s, err := remedies[i].step(column)
		if err != nil {
			return nil, err
		}
		c.steps = append(c.steps, s)
	}
	return c, nil
}

// Apply cleans one cell of a kind. Bit i of changed is set where remedy i of the chain changed
// it; then the kind is that of the last one that did. The result may be the cell itself, or
// lie in the chain's scratch space until the next Apply. Where a remedy would make more of the
// cell than its Room, beyond is its place in the chain, otherwise -1, and the result is what was
// made before it.
func (c *Chain) Apply(cell []byte, kind workbook.Kind) (out []byte, changed uint64, is workbook.Kind, beyond int) {
	turn, most := 0, Room(len(cell))
	for i := range c.steps {
		s := &c.steps[i]
		next, did, fits := s.do(c.space[turn][:0], cell, kind, most)
		if !fits {
			return cell, changed, kind, i
		}
		if !did {
			continue
		}
		changed |= 1 << i
		if c.Seen != nil {
			c.Seen(i, cell, next)
		}
		cell, kind = next, s.kind
		if s.writes {
			c.space[turn] = next[:0]
			turn ^= 1 // the other half, since cell lies in this one
		}
		if c.stop(cell) {
			break
		}
	}
	return cell, changed, kind, -1
}

// Traced is what one remedy made of a cell.
type Traced struct {
	Text    string
	Changed bool
}

// Trace returns what each remedy made of a cell of a kind, as far as they were applied.
func (c *Chain) Trace(cell []byte, kind workbook.Kind) (steps []Traced) {
	most := Room(len(cell))
	for i := range c.steps {
		s := &c.steps[i]
		next, did, fits := s.do(nil, cell, kind, most)
		if !fits {
			break
		}
		steps = append(steps, Traced{string(next), did})
		if !did {
			continue
		}
		if cell, kind = next, s.kind; c.stop(cell) {
			break
		}
	}
	return steps
}
