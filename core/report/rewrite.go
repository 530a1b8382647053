package report

import (
	"context"
	"fmt"
	"io"
	"slices"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/delimited"
	"sieb/core/outcome"
	"sieb/core/source"
	"sieb/core/target"
)

// Rewriting writes rows of a run, which stand in a folder, in another form.
type Rewriting struct {
	Dir    string
	Name   string         // of the file with the rows
	Target *target.Target // of the run, which says what the cells of accepted rows are; nil takes all for texts
	Codes  []*codes.List  // that the target's columns refer to
	As     outcome.Writing

	Columns []int // places of those that are written, in their order; nil for all

	// Keep makes what tells whether a row of a batch is written, for one goroutine; nil keeps all.
	Keep func() func(b *source.Batch, row int) (bool, error)
}

// Write writes the rows.
func (w *Rewriting) Write(ctx context.Context, to io.Writer) error {
	as := w.As
	rows, err := OpenRows(w.Dir, w.Name)
	if err != nil {
		return err
	}
	defer rows.Close()
	names := rows.Header().Names
	schema := check.SchemaOf(w.Target, w.Codes, names)
	if columns := len(schema.Columns); columns != len(names) {
		return fmt.Errorf("%s has %d columns, and the target of the run %d; run the delivery again", rows.path, len(names),
			columns)
	}
	places := w.Columns
	if places == nil {
		places = make([]int, len(names))
		for k := range places {
			places[k] = k
		}
	}
	all := schema.Columns
	schema.Columns = make([]outcome.Column, len(places))
	for k, place := range places {
		schema.Columns[k] = all[place]
	}
	table := schema.Table(outcome.Accepted, as.Settings.Shape())
	packer, err := as.Form.Pack(table, to)
	if err != nil {
		return err
	}
	defer packer.Abort()
	work := func() func(*source.Batch, *rewritten) {
		encoder := as.Form.Encoder(table)
		var block outcome.Block
		keep := func(*source.Batch, int) (bool, error) { return true, nil }
		if w.Keep != nil {
			keep = w.Keep()
		}
		return func(b *source.Batch, r *rewritten) {
			accepted(&block, b, places)
			row := outcome.Row{Table: table, Block: &block}
			r.text, r.failed = r.text[:0], nil
			for i := range b.Rows {
				var is bool
				if is, r.failed = keep(b, i); r.failed != nil {
					return
				} else if !is {
					continue
				}
				row.At, row.Number, row.Line = i, b.Number(i), b.Rows[i].Line
				r.text = encoder.Append(r.text, &row)
			}
		}
	}
	if err := source.InOrder(ctx, rows, 0, work, func(_ *source.Batch, r *rewritten) error {
		if r.failed != nil {
			return r.failed
		}
		if _, err := packer.Write(r.text); err != nil {
			return fmt.Errorf("%s: %w", w.Name, err) // whose rows a form counts
		}
		return nil
	}); err != nil {
		return err
	}
	return packer.Close()
}

// rewritten is a batch of rows in the other form.
type rewritten struct {
	text   []byte
	failed error
}

// accepted makes rows that were read from a file of a run a block: their cells are canonical. Between quotes without a
// character stands a text without one; no quotes and no character are no value.
func accepted(block *outcome.Block, b *source.Batch, places []int) {
	n := len(b.Rows)
	block.Batch = b
	if block.Texts == nil {
		block.Texts = make([][]delimited.Span, len(places))
	}
	for k := range block.Texts {
		block.Texts[k] = slices.Grow(block.Texts[k][:0], n)[:n]
		b.Gather(block.Texts[k], places[k], 0)
		for i, s := range block.Texts[k] {
			if from := b.Rows[i].Start; s.Start == s.End && s.Start > from && b.Arena[s.Start-1] == '"' {
				block.Texts[k][i] = outcome.Empty
			}
		}
	}
	block.Moved = slices.Grow(block.Moved[:0], n)[:n]
	block.Damaged = slices.Grow(block.Damaged[:0], n)[:n]
	block.Odd = slices.Grow(block.Odd[:0], n)[:n]
	for i := range n {
		// Whether a cell takes quotes shows as it is written.
		block.Moved[i], block.Damaged[i], block.Odd[i] = true, false, ^uint64(0)
	}
}
