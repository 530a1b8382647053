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

// Rewrite writes the accepted rows of a run, which stand in a folder, in another form. The target, nil for none, and the
// code lists are those of the run.
func Rewrite(ctx context.Context, dir string, t *target.Target, lists []*codes.List, as outcome.Writing,
	to io.Writer) error {
	rows, err := OpenRows(dir, AcceptedName)
	if err != nil {
		return err
	}
	defer rows.Close()
	names := rows.Header().Names
	schema := check.SchemaOf(t, lists, names)
	table := schema.Table(outcome.Accepted, as.Settings.Shape())
	if columns := len(schema.Columns); columns != len(names) {
		return fmt.Errorf("%s has %d columns, and the target of the run %d; run the delivery again", rows.path, len(names),
			columns)
	}
	packer, err := as.Form.Pack(table, to)
	if err != nil {
		return err
	}
	defer packer.Abort()
	work := func() func(*source.Batch, *rewritten) {
		encoder := as.Form.Encoder(table)
		var block outcome.Block
		return func(b *source.Batch, r *rewritten) {
			accepted(&block, b, len(names))
			row := outcome.Row{Table: table, Block: &block}
			r.text = r.text[:0]
			for i := range b.Rows {
				row.At, row.Number, row.Line = i, b.Number(i), b.Rows[i].Line
				r.text = encoder.Append(r.text, &row)
			}
		}
	}
	if err := source.InOrder(ctx, rows, 0, work, func(_ *source.Batch, r *rewritten) error {
		if _, err := packer.Write(r.text); err != nil {
			return fmt.Errorf("%s: %w", AcceptedName, err) // whose rows a form counts
		}
		return nil
	}); err != nil {
		return err
	}
	return packer.Close()
}

// rewritten is a batch of rows in the other form.
type rewritten struct{ text []byte }

// accepted makes rows that were read from accepted.csv a block: their cells are canonical. Between quotes without a
// character stands a text without one; no quotes and no character are no value.
func accepted(block *outcome.Block, b *source.Batch, columns int) {
	n := len(b.Rows)
	block.Batch = b
	if block.Texts == nil {
		block.Texts = make([][]delimited.Span, columns)
	}
	for k := range block.Texts {
		block.Texts[k] = slices.Grow(block.Texts[k][:0], n)[:n]
		b.Gather(block.Texts[k], k, 0)
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
