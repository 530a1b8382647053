// Package trial counts how many cells of a delivery would fit the rules of columns that
// are only thought of: whether a column may feed another, in which format its values are
// written, what a remedy would mend. Many such candidates are judged in one reading.
package trial

import (
	"bytes"
	"context"
	"errors"
	"fmt"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/rfc4180"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// Fit is how a candidate fits the cells of its column.
type Fit struct {
	Rows   int64 // that could be judged
	Filled int64 // cells with a value
	Fits   int64 // those of them that break no rule of the column
}

// Share returns which part of the values fits; 0 where there is none.
func (f Fit) Share() float64 {
	if f.Filled == 0 {
		return 0
	}
	return float64(f.Fits) / float64(f.Filled)
}

// Count judges candidates, each of which takes its cells by Position, over the first rows
// of a delivery, or over all of them where most is 0. What depends on other rows or
// columns (unique, requiredWhen) is not asked of them. lists are the code lists that remedies go by.
func Count(ctx context.Context, file *source.File, candidates []target.Column, most int64, lists []*codes.List) ([]Fit,
	error) {
	rows, err := file.Rows(ctx)
	if err != nil {
		return nil, err
	}
	defer source.Close(rows)
	t := &target.Target{Columns: make([]target.Column, len(candidates))}
	for i, c := range candidates {
		c.Name, c.Required, c.RequiredWhen, c.Unique = fmt.Sprintf("candidate %d", i), true, "", false
		t.Columns[i] = c
	}
	plan, err := check.NewPlan(t, check.Delivery{Header: rows.Header(), Encoding: file.Layout.Encoding, Codes: lists})
	if err != nil {
		return nil, err
	}
	fits := make([]Fit, len(candidates))
	work := func() func(*source.Batch, *check.Ruling) {
		return plan.NewJudge().Silent().Batch
	}
	var read int64
	deliver := func(b *source.Batch, ruling *check.Ruling) error {
		add(fits, candidates, b, ruling)
		if read += int64(len(b.Rows)); most > 0 && read >= most {
			return errEnough
		}
		return nil
	}
	if err := source.InOrder(ctx, plan.Rows(rows), 0, work, deliver); err != nil && !errors.Is(err, errEnough) {
		return nil, err
	}
	for i, m := range plan.Matches() {
		if m.Place == 0 { // the delivery has no such column
			fits[i] = Fit{}
		}
	}
	return fits, nil
}

func isDamage(c violation.Code) bool {
	return c == violation.EncodingInvalid || c == violation.QuoteTail || c == violation.TypeError ||
		c == violation.TypeFormula
}

var errEnough = errors.New("enough rows were read")

// add counts the rows of a batch. All violations of a cell stand behind one another only
// by row, so that the last row of each column is remembered. A cell that was damaged as it
// was read is told of one column only, and fits none that take it.
func add(fits []Fit, candidates []target.Column, b *source.Batch, ruling *check.Ruling) {
	rows := int64(len(b.Rows))
	empty, wrong := make([]int64, len(fits)), make([]int64, len(fits))
	last := make([]int, len(fits))
	for i := range last {
		last[i] = -1
	}
	apart := -1
	for i := range ruling.Found {
		f := &ruling.Found[i]
		switch {
		case f.Code.SetsApart():
			if f.Row != apart {
				apart = f.Row
				rows--
			}
		case f.Column < 0:
		case f.Code == violation.RequiredEmpty:
			empty[f.Column]++
		case f.Code.Action() == violation.Flag:
		case isDamage(f.Code):
			for k := range candidates {
				if candidates[k].Position == f.Cell+1 {
					wrong[k]++
				}
			}
		case last[f.Column] != f.Row:
			last[f.Column] = f.Row
			wrong[f.Column]++
		}
	}
	for i := range fits {
		fits[i].Rows += rows
		fits[i].Filled += rows - empty[i]
		fits[i].Fits += rows - empty[i] - wrong[i]
	}
}

// Values judges texts as cells of columns that are only thought of: for each column and each text,
// whether it breaks a rule of the column in a way that rejects the row. What depends on other rows or
// columns is not asked of them.
func Values(ctx context.Context, columns []target.Column, texts []string, lists []*codes.List) ([][]bool, error) {
	file := rfc4180.AppendRow(nil, "row", "text")
	for _, text := range texts {
		// The first cell keeps a row of nothing from being a blank line.
		file = rfc4180.AppendRow(file, "row", text)
	}
	t := &target.Target{Columns: make([]target.Column, len(columns))}
	rejects := make([][]bool, len(columns))
	for i, c := range columns {
		c.Name, c.Position, c.Titles, c.RequiredWhen, c.Unique = fmt.Sprintf("candidate %d", i), 2, nil, "", false
		c.Value, c.Derive, c.Ordered, c.Complete = nil, "", target.AnyOrder, false
		t.Columns[i] = c
		rejects[i] = make([]bool, len(texts))
	}
	rows, err := source.Written(bytes.NewReader(file))
	if err != nil {
		return nil, err
	}
	plan, err := check.NewPlan(t, check.Delivery{Header: rows.Header(), Encoding: "utf-8", Codes: lists})
	if err != nil {
		return nil, err
	}
	work := func() func(*source.Batch, *check.Ruling) { return plan.NewJudge().Silent().Batch }
	return rejects, source.InOrder(ctx, plan.Rows(rows), 1, work, func(b *source.Batch, ruling *check.Ruling) error {
		for i := range ruling.Found {
			if f := &ruling.Found[i]; f.Column >= 0 && f.Action.RejectsRow() {
				rejects[f.Column][b.Number(f.Row)-1] = true
			}
		}
		return nil
	})
}
