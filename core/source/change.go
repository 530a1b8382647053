package source

import (
	"sieb/core/lexical"
	"sieb/core/violation"
)

// run is a run of rows of a batch that hold letters beyond ASCII and read alike:
// as the encoding says, or as another one.
type run struct {
	isForeign bool // invalid, or decoded twice
	line      int64
	rows      int
}

// enoughRows is how many rows of one kind make a part of a delivery: fewer may be
// damaged ones.
const enoughRows = 3

// noteRuns finds the runs of a batch that was split.
func (b *Batch) noteRuns(hasLetters bool) {
	b.runs = b.runs[:0]
	if !hasLetters || b.isSheet {
		return
	}
	next := 0
	plain := true
	for _, d := range b.Defects {
		plain = plain && d.Code != violation.EncodingInvalid && d.Code != violation.EncodingGarbled
	}
	for i := range b.Rows {
		isForeign := false
		for ; next < len(b.Defects) && b.Defects[next].Row <= i; next++ {
			c := b.Defects[next].Code
			isForeign = isForeign || c == violation.EncodingInvalid || c == violation.EncodingGarbled
		}
		r := &b.Rows[i]
		if !isForeign && lexical.IsASCII(b.Arena[r.Start:r.End]) {
			continue
		}
		last := len(b.runs) - 1
		if last < 0 || b.runs[last].isForeign != isForeign {
			b.runs = append(b.runs, run{isForeign, r.Line, 0})
			last++
		}
		if b.runs[last].rows++; plain && b.runs[last].rows == enoughRows {
			return // what follows is alike, and need not be counted
		}
	}
}

// Change watches the batches of a delivery, in order, for a change of its
// encoding. The zero Change has seen none.
type Change struct {
	parts  int
	line   int64 // where the second part begins
	rows   [2]int
	isLast bool // the kind of the last row with letters
	first  bool // of the first part
}

// Add watches one more batch.
func (c *Change) Add(b *Batch) {
	for _, r := range b.runs {
		if c.parts == 0 || r.isForeign != c.isLast {
			if c.parts++; c.parts == 1 {
				c.first = r.isForeign
			} else if c.parts == 2 {
				c.line = r.line
			}
			c.isLast = r.isForeign
		}
		if c.parts <= 2 {
			c.rows[c.parts-1] += r.rows
		}
	}
}

// Line returns the line from which on the delivery is in another encoding, and
// whether it is the part from there on, or the one before, that the layout's
// encoding does not read. ok is false where the encoding does not change.
func (c *Change) Line() (line int64, isBefore, ok bool) {
	return c.line, c.first, c.parts == 2 && c.rows[0] >= enoughRows && c.rows[1] >= enoughRows
}
