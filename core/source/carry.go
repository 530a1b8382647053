package source

import (
	"slices"

	"sieb/core/delimited"
	"sieb/core/workbook"
)

// Carry returns a source that knows of some cells of each row what stands in them or, where
// they are empty, in the last row above in which they are not: in printouts an empty cell
// means the one above it. isEmpty tells which cells of the k-th column are. Rows whose cells
// cannot be attributed are passed over.
//
// Batches are split as they are read, on the goroutine that reads them, since what stands
// above is known only in order.
func Carry(src Source, cells []int, isEmpty func(k int, cell []byte) bool) Source {
	return &carrying{Source: src, cells: cells, isEmpty: isEmpty, last: make([]carried, len(cells))}
}

type carrying struct {
	Source
	cells   []int
	isEmpty func(k int, cell []byte) bool
	last    []carried
}

// carried is the last filled cell of a column.
type carried struct {
	text []byte
	kind workbook.Kind
}

// above is a cell that stands for a row: its own, or one above.
type above struct {
	delimited.Span
	kind workbook.Kind
}

// Next fills b with the next rows.
func (c *carrying) Next(b *Batch) error {
	if err := c.Source.Next(b); err != nil {
		return err
	}
	b.Split()
	apart := make([]bool, len(b.Rows))
	for i := range b.Rows {
		apart[i] = b.Rows[i].Broken
	}
	for _, d := range b.Defects {
		if d.Row >= 0 && d.Code.SetsApart() {
			apart[d.Row] = true
		}
	}
	b.above = slices.Grow(b.above[:0], len(c.cells))[:len(c.cells)]
	for k, cell := range c.cells {
		c.carry(b, k, cell, apart)
	}
	return nil
}

// carry finds what stands in the k-th column for each row of a batch.
func (c *carrying) carry(b *Batch, k, cell int, apart []bool) {
	last := &c.last[k]
	start := len(b.Arena)
	b.Arena = append(b.Arena, last.text...)
	at := above{delimited.Span{Start: uint32(start), End: uint32(len(b.Arena))}, last.kind}
	spans := make([]delimited.Span, len(b.Rows))
	b.Gather(spans, cell, 0)
	b.above[k] = b.above[k][:0]
	for row, s := range spans {
		if !apart[row] && !c.isEmpty(k, b.Text(s)) {
			at = above{s, b.Kind(row, cell)}
		}
		b.above[k] = append(b.above[k], at)
	}
	last.text, last.kind = append(last.text[:0], b.Text(at.Span)...), at.kind
}

func (c *carrying) limit(rows int) { Limit(c.Source, rows) }

// Close ends the reading.
func (c *carrying) Close() error {
	Close(c.Source)
	return nil
}

// Above returns what stands in the k-th column that is carried, in a row or in the last row
// above in which it is filled; the empty text where there is none.
func (b *Batch) Above(k, row int) ([]byte, workbook.Kind) {
	at := b.above[k][row]
	return b.Text(at.Span), at.kind
}
