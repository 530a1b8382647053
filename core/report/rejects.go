package report

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"

	"sieb/core/source"
	"sieb/core/violation"
)

// Reject is a rejected row with what is wrong with it.
type Reject struct {
	Row        int64       `json:"row"`
	Line       int64       `json:"line"`
	Cells      []string    `json:"cells" doc:"as delivered"`
	Violations []Violation `json:"violations"`
}

// Violation is one entry of violations.csv.
type Violation struct {
	Code    violation.Code `json:"code"`
	Column  string         `json:"column"`
	Value   string         `json:"value"`
	Message string         `json:"message"`

	row int64
}

// Filter narrows rejected rows down to those with a violation that it fits.
// The zero Filter takes all.
type Filter struct {
	Column string
	Code   string
}

func (f Filter) fits(all []Violation) bool {
	if f == (Filter{}) {
		return true
	}
	for _, v := range all {
		if (f.Column == "" || f.Column == v.Column) && (f.Code == "" || f.Code == v.Code.String()) {
			return true
		}
	}
	return false
}

// maxPage is what a page may hold of cells' texts, in bytes, beyond the last row.
const maxPage = 16 << 20

// Rejects reads rejected rows from the files that a run wrote: of those that
// fit the filter at most limit, after offset others. It gives the delivery's
// column names, the page, and how many rows fit in all. It goes through both
// files once; they stand in the order of rows. Of very long rows a page has fewer.
func Rejects(ctx context.Context, dir string, filter Filter, offset, limit int) (columns []string, page []Reject,
	total int, err error) {
	rows, err := openOutput(dir, RejectedName)
	if err != nil {
		return nil, nil, 0, err
	}
	defer rows.Close()
	found, err := openOutput(dir, ViolationsName)
	if err != nil {
		return nil, nil, 0, err
	}
	defer found.Close()
	columns = rows.Header().Names[3:]
	page = []Reject{}
	var next *Violation
	bytes := 0
	for n := 0; ; n++ {
		if n%4096 == 0 && ctx.Err() != nil {
			return nil, nil, 0, ctx.Err()
		}
		row, err := rows.next()
		if errors.Is(err, io.EOF) {
			return columns, page, total, nil
		} else if err != nil {
			return nil, nil, 0, err
		}
		number, err := rows.int(row, 0)
		if err != nil {
			return nil, nil, 0, err
		}
		var mine []Violation
		for {
			if next == nil {
				if next, err = found.violation(); errors.Is(err, io.EOF) {
					next = &Violation{row: 1<<63 - 1}
				} else if err != nil {
					return nil, nil, 0, err
				}
			}
			if next.row > number {
				break
			}
			if next.row == number {
				mine = append(mine, *next)
			}
			next = nil
		}
		if !filter.fits(mine) {
			continue
		}
		if total++; total <= offset || len(page) == limit || bytes > maxPage {
			continue
		}
		line, err := rows.int(row, 1)
		if err != nil {
			return nil, nil, 0, err
		}
		r := Reject{Row: number, Line: line, Cells: []string{}, Violations: mine}
		if r.Violations == nil {
			r.Violations = []Violation{}
		}
		for _, cell := range row[3:] {
			r.Cells = append(r.Cells, string(cell))
			bytes += len(cell)
		}
		page = append(page, r)
	}
}

// Placed is a violation with where it stands.
type Placed struct {
	Row  int64 `json:"row" doc:"0 for the delivery as a whole"`
	Line int64 `json:"line"`
	Violation
}

// Violations reads violations from the file that a run wrote: of those that fit the
// filter at most limit, after offset others. It returns the page, and how many fit in
// all. It goes through the file once.
func Violations(ctx context.Context, dir string, filter Filter, offset, limit int) (page []Placed, total int,
	err error) {
	found, err := openOutput(dir, ViolationsName)
	if err != nil {
		return nil, 0, err
	}
	defer found.Close()
	page = []Placed{}
	bytes := 0
	for n := 0; ; n++ {
		if n%4096 == 0 && ctx.Err() != nil {
			return nil, 0, ctx.Err()
		}
		v, err := found.violation()
		if errors.Is(err, io.EOF) {
			return page, total, nil
		} else if err != nil {
			return nil, 0, err
		}
		if !filter.fits([]Violation{*v}) {
			continue
		}
		if total++; total <= offset || len(page) == limit || bytes > maxPage {
			continue
		}
		line, err := found.int(found.cells, 1)
		if err != nil {
			return nil, 0, err
		}
		bytes += len(v.Value) + len(v.Message)
		page = append(page, Placed{v.row, line, *v})
	}
}

// outputFile goes through the rows of a file that a run wrote, one by one.
type outputFile struct {
	*Rows
	batch source.Batch
	row   int
	cells [][]byte
}

func openOutput(dir, name string) (*outputFile, error) {
	rows, err := OpenRows(dir, name)
	return &outputFile{Rows: rows, row: -1}, err
}

// next returns the next row's cells, valid until the call after it.
func (o *outputFile) next() ([][]byte, error) {
	for o.row++; o.row >= len(o.batch.Rows); o.row = 0 {
		if err := o.Next(&o.batch); err != nil {
			return nil, err
		}
		o.batch.Split()
	}
	o.cells = o.cells[:0]
	for _, s := range o.batch.Cells(o.row) {
		o.cells = append(o.cells, o.batch.Text(s))
	}
	if len(o.cells) < 3 {
		return nil, fmt.Errorf("%s is damaged at line %d; run the delivery again", o.path, o.batch.Rows[o.row].Line)
	}
	return o.cells, nil
}

func (o *outputFile) int(row [][]byte, cell int) (int64, error) {
	if len(row[cell]) == 0 {
		return 0, nil
	}
	n, err := strconv.ParseInt(string(row[cell]), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("%s is damaged: %q is not a row number; run the delivery again", o.path, row[cell])
	}
	return n, nil
}

// violation returns the next entry; row 0 is the delivery as a whole.
func (o *outputFile) violation() (*Violation, error) {
	cells, err := o.next()
	if err != nil {
		return nil, err
	}
	if len(cells) != 6 {
		return nil, fmt.Errorf("%s is damaged: a row has %d cells; run the delivery again", o.path, len(cells))
	}
	v := &Violation{Column: string(cells[2]), Value: string(cells[4]), Message: string(cells[5])}
	if v.row, err = o.int(cells, 0); err != nil {
		return nil, err
	}
	if err := v.Code.UnmarshalText(cells[3]); err != nil {
		return nil, fmt.Errorf("%s is damaged: %w", o.path, err)
	}
	return v, nil
}
