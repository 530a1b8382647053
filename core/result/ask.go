package result

import (
	"cmp"
	"context"
	"errors"
	"io"
	"slices"

	"sieb/core/codes"
	"sieb/core/outcome"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/rowindex"
	"sieb/core/source"
	"sieb/core/target"
)

// Ask is a question in the words in which the command line and the service take it. The zero Ask asks how many rows
// were accepted, and for none of them.
type Ask struct {
	Side    string   // accepted, rejected, excluded, changed or flagged; "" for accepted
	Where   []string // conditions that rows pass; see ParseFilter
	Sort    []string // columns that rows are sorted by, with descending behind them or not
	Columns []string // whose cells are shown; nil for all
	Offset  int      // rows in front of those shown; behind them with Last
	Limit   int
	Last    bool // shows the last rows, in their order

	Against string    // the earlier outcome, in the words of whoever compares them: a folder, or a run; "" for none
	By      []string  // columns by which rows of another delivery are found again
	With    *Compared // the comparison, once it was made
	Kind    string    // which of its rows: new, gone, changed, or moved to the side
	Differs string    // only changed rows that differ in this column; "" for all
}

// RowsFound are rows of a side.
type RowsFound struct {
	Side    string  `json:"side"`
	Columns []Field `json:"columns" doc:"to which the cells belong"`
	Items   []Shown `json:"items"`
	Total   int64   `json:"total" doc:"rows that pass"`
}

// ValuesFound is how often the values of a column occur in rows of a side.
type ValuesFound struct {
	Side   string      `json:"side"`
	Column string      `json:"column"`
	Items  []Occurring `json:"items" doc:"the most frequent first"`
	Total  int         `json:"total" doc:"different values"`
	Rows   int64       `json:"rows" doc:"that pass"`
}

// open opens the side that is asked, and reads the conditions. The side is to be closed. Rows that are compared are
// listed.
func (a *Ask) open(dir string) (s *Side, of *listed, where []profile.Filter, err error) {
	for _, text := range a.Where {
		f, err := ParseFilter(text)
		if err != nil {
			return nil, nil, nil, err
		}
		where = append(where, f)
	}
	if a.With != nil {
		s, of, err = a.With.side(dir, a)
	} else {
		s, err = Open(dir, cmp.Or(a.Side, sides[0].name))
	}
	return s, of, where, err
}

// Rows answers with rows of the outcome whose files stand in a folder.
func (a *Ask) Rows(ctx context.Context, dir string) (found RowsFound, err error) {
	s, of, where, err := a.open(dir)
	if err != nil {
		return found, err
	}
	defer s.Close()
	q := Question{Where: where, Skip: a.Offset, Most: a.Limit, Last: a.Last, Columns: a.Columns}
	for _, text := range a.Sort {
		q.Sort = append(q.Sort, s.ParseBy(text))
	}
	answer, err := s.Find(ctx, q)
	if err != nil {
		return found, err
	}
	columns, err := s.fields(a.Columns)
	if err == nil && of != nil {
		err = a.With.beside(ctx, of, answer.Rows, columns)
	}
	return RowsFound{s.which.name, columns, append([]Shown{}, answer.Rows...), answer.Total}, err
}

// Values answers with how often values of a column occur in rows of the outcome whose files stand in a folder.
func (a *Ask) Values(ctx context.Context, dir, column string) (found ValuesFound, err error) {
	s, _, where, err := a.open(dir)
	if err != nil {
		return found, err
	}
	defer s.Close()
	values, distinct, rows, err := s.Count(ctx, column, where, a.Limit)
	return ValuesFound{s.which.name, column, append([]Occurring{}, values...), distinct, rows}, err
}

// Write writes the rows that pass, and of them the columns that are asked for, in a form, in their own order. The
// target, nil for none, and the code lists are those of the run; rows that were not accepted are texts.
func (a *Ask) Write(ctx context.Context, dir string, t *target.Target, lists []*codes.List, as outcome.Writing,
	to io.Writer) error {
	s, _, where, err := a.open(dir)
	if err != nil {
		return err
	}
	defer s.Close()
	if _, err := s.conditions(where); err != nil {
		return err
	}
	var columns []int
	if a.Columns != nil {
		if columns, err = s.places(a.Columns); err != nil {
			return err
		}
		for i, k := range columns {
			if slices.Contains(columns[:i], k) {
				return wrongf("the column %q is asked for twice, and a table has it once", s.Columns[k].Name)
			}
		}
	}
	w := report.Rewriting{Columns: columns, Dir: s.dir, Name: s.which.file, Target: t, Codes: lists, As: as}
	if s.which.side != outcome.Accepted || s.dir != dir { // the target is that of the outcome in dir
		w.Target = nil
	}
	w.Keep = func() func(*source.Batch, int) (bool, error) {
		conditions, _ := s.conditions(where) // they were made once
		among := s.among()
		return func(b *source.Batch, row int) (bool, error) {
			if !s.pass(conditions, b, row) {
				return false, nil
			}
			if among == nil {
				return true, nil
			}
			return among(b.Number(row))
		}
	}
	return w.Write(ctx, to)
}

// Ended is where a row of a delivery ended.
type Ended struct {
	Row  int64  `json:"row" doc:"its number in the delivery"`
	Side string `json:"side" enum:"accepted,rejected,excluded"`
	At   int64  `json:"at" doc:"its place among the rows of its side, from 1"`
}

// PlaceOf tells where a row of the delivery stands in the outcome whose files stand in a folder.
func PlaceOf(dir string, row int64) (p Ended, err error) {
	o, err := open(dir)
	if err != nil {
		return p, err
	}
	defer o.close()
	if o.index == nil {
		return p, wrongf("where row %d stands is not known: the run has no index of its rows; sift the delivery again", row)
	}
	side, at, err := o.index.Row(row)
	var none *rowindex.NoRow
	if errors.As(err, &none) {
		return p, wrongf("%s", none)
	}
	return Ended{row, side.String(), at}, err
}
