package result

import (
	"cmp"
	"context"

	"sieb/core/profile"
)

// Ask is a question in the words in which the command line and the service take it. The zero Ask asks how many rows were
// accepted, and for none of them.
type Ask struct {
	Side    string   // accepted, rejected, excluded, changed or flagged; "" for accepted
	Where   []string // conditions that rows pass; see ParseFilter
	Sort    []string // columns that rows are sorted by, with descending behind them or not
	Columns []string // whose cells are shown; nil for all
	Offset  int      // rows in front of those shown; behind them with Last
	Limit   int
	Last    bool // shows the last rows, in their order
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

// open opens the side that is asked, and reads the conditions. The side is to be closed.
func (a *Ask) open(dir string) (s *Side, where []profile.Filter, err error) {
	for _, text := range a.Where {
		f, err := ParseFilter(text)
		if err != nil {
			return nil, nil, err
		}
		where = append(where, f)
	}
	s, err = Open(dir, cmp.Or(a.Side, sides[0].name))
	return s, where, err
}

// Rows answers with rows of the outcome whose files stand in a folder.
func (a *Ask) Rows(ctx context.Context, dir string) (found RowsFound, err error) {
	s, where, err := a.open(dir)
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
	return RowsFound{s.which.name, columns, append([]Shown{}, answer.Rows...), answer.Total}, err
}

// Values answers with how often values of a column occur in rows of the outcome whose files stand in a folder.
func (a *Ask) Values(ctx context.Context, dir, column string) (found ValuesFound, err error) {
	s, where, err := a.open(dir)
	if err != nil {
		return found, err
	}
	defer s.Close()
	values, distinct, rows, err := s.Count(ctx, column, where, a.Limit)
	return ValuesFound{s.which.name, column, append([]Occurring{}, values...), distinct, rows}, err
}
