package sift

import (
	"context"
	"errors"
	"fmt"

	"sieb/core/check"
)

// NoRow says that a delivery has no row of a number.
type NoRow struct{ Row, Read int64 }

func (n *NoRow) Error() string {
	if n.Row < 1 {
		return fmt.Sprintf("there is no row %d: rows are counted from 1", n.Row)
	}
	return fmt.Sprintf("there is no row %d: the delivery has %s", n.Row, rowsWord(n.Read))
}

// errExplained ends a run that only explains a row.
var errExplained = errors.New("the row was explained")

// Explain says what the run makes of one row, counted from 1: each cell as delivered, after
// each remedy and as typed, and what each rule says of it. The rows before it are sifted
// too, since one of them may have its key; none is written. The error is a *NoRow where
// there is none.
func (r *Run) Explain(ctx context.Context, row int64) (*check.Explanation, error) {
	if row < 1 {
		return nil, &NoRow{row, 0}
	}
	one := *r
	one.Outputs, one.Noting, one.Progress, one.explain = nil, nil, nil, row
	result, err := one.Do(ctx)
	switch {
	case errors.Is(err, errExplained):
		return one.explanation, nil
	case err != nil:
		return nil, err
	}
	return nil, &NoRow{row, result.Tally.Read}
}

// Rehearse does the run without writing anything.
func (r *Run) Rehearse(ctx context.Context) (*Result, error) {
	one := *r
	one.Outputs, one.Noting = nil, nil
	return one.Do(ctx)
}
