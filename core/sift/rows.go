package sift

import (
	"context"
	"errors"
	"io"

	"sieb/core/check"
	"sieb/core/source"
)

// Made is a row as it was delivered, and what was made of it.
type Made struct {
	Cells       []string
	Explanation *check.Explanation
}

// MadeOf says what the run makes of some rows, in ascending order, without those between them: from reads
// the delivery on from a place at or before a row. Whether a row repeats another one, and what is in tables that
// memory does not hold, is not told. Rows that there are not are left out. It calls see with each.
func (r *Run) MadeOf(ctx context.Context, rows []int64, from func(context.Context, int64) (source.Source, error),
	see func(*Made)) error {
	plan, err := check.NewPlan(r.Target, check.Delivery{Header: r.Source.Header(), Encoding: r.Encoding, Name: r.Name,
		Today: r.Today, RepeatOf: r.RepeatOf, Codes: r.Codes, Keys: keysOf(r.Keys)})
	if err != nil {
		return err
	}
	judge := plan.NewJudge()
	var ruling check.Ruling
	var b source.Batch
	var src source.Source
	defer func() {
		if src != nil {
			source.Close(src)
		}
	}()
	last := int64(0) // of the batch at hand
	for _, row := range rows {
		if src == nil || row > last+nearRows {
			if src != nil {
				source.Close(src)
			}
			if src, err = from(ctx, row); err != nil {
				return err
			}
			if plan.Carries() {
				source.Close(src)
				// What is carried down into a row stands above it, maybe far.
				if src, err = r.Again(ctx); err != nil {
					return err
				}
			}
			src = plan.Rows(src)
			last = 0
		}
		for row > last {
			err := src.Next(&b)
			if errors.Is(err, io.EOF) {
				return nil
			} else if err != nil {
				return err
			}
			if ctx.Err() != nil {
				return context.Cause(ctx)
			}
			if last = b.FirstRow + int64(len(b.Rows)) - 1; row <= last {
				b.Split()
			}
		}
		if row < b.FirstRow {
			continue
		}
		at := int(row - b.FirstRow)
		judge.Start(&b, &ruling)
		// Blocks come in order, and what was wrong as a row was read is told of the blocks before.
		for k := 0; k <= at; k += plan.Block() {
			judge.Rows(k, min(k+plan.Block(), len(b.Rows)))
		}
		e := judge.Explain(at)
		for i := range ruling.Found {
			if f := &ruling.Found[i]; f.Row == at {
				e.AddViolation(plan, &ruling, f)
			}
		}
		made := Made{Explanation: e}
		for _, s := range b.Cells(at) {
			made.Cells = append(made.Cells, valid(b.Text(s)))
		}
		see(&made)
	}
	return nil
}

// nearRows is how many rows behind the ones at hand are read on to, rather than looked for anew.
const nearRows = 5000
