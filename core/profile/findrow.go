package profile

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// habits tell of one value what a profile counts as a habit of its column. They
// see the value without and with the blanks around it, and its form.
var habits = map[string]func(trimmed, text []byte, k *typing.FormKey) bool{
	"zeros in front":   func(_, _ []byte, k *typing.FormKey) bool { return k.Zeros && k.Kind == lexical.Integer },
	"currency sign":    func(_, _ []byte, k *typing.FormKey) bool { return k.Extra == typing.Currency },
	"percent sign":     func(_, _ []byte, k *typing.FormKey) bool { return k.Extra == typing.Percent },
	"sign behind":      func(_, _ []byte, k *typing.FormKey) bool { return k.Extra == typing.SignBehind },
	"undecided point":  func(_, _ []byte, k *typing.FormKey) bool { return k.Unsure && k.Kind.IsNumber() },
	"number as text":   func(_, _ []byte, k *typing.FormKey) bool { return !k.Stored && k.Kind.IsNumber() },
	"two-digit year":   func(_, _ []byte, k *typing.FormKey) bool { return k.Short && k.IsDay() },
	"undecided order":  func(_, _ []byte, k *typing.FormKey) bool { return k.IsInOrder(typing.Either) },
	"only day first":   func(_, _ []byte, k *typing.FormKey) bool { return k.IsInOrder(typing.DayFirst) },
	"only month first": func(_, _ []byte, k *typing.FormKey) bool { return k.IsInOrder(typing.MonthFirst) },
	"blanks around":    func(trimmed, text []byte, _ *typing.FormKey) bool { return len(trimmed) < len(text) },
	"blanks inside": func(trimmed, _ []byte, _ *typing.FormKey) bool {
		double, _ := blanksOf(trimmed)
		return double
	},
	"characters that do not show": func(trimmed, _ []byte, _ *typing.FormKey) bool {
		_, odd := blanksOf(trimmed)
		return odd
	},
}

// blanksOf is blanksIn of a text's shape.
func blanksOf(text []byte) (double, odd bool) {
	var space [distinct.LongHeld]byte
	return blanksIn(lexical.AppendShape(space[:0], text))
}

// rowTest prepares a condition on rows.
func (f *Finder) rowTest(filter Filter) (func(b *source.Batch, row int) bool, error) {
	switch filter.Op {
	case "rows":
		f.rows = slices.Sorted(slices.Values(filter.Rows))
		return func(b *source.Batch, row int) bool {
			_, is := slices.BinarySearch(f.rows, b.Number(row))
			return is
		}, nil
	case "sparse":
		most, err := strconv.Atoi(filter.Value)
		if err != nil {
			return nil, fmt.Errorf("%q is no number of cells", filter.Value)
		}
		return func(b *source.Batch, row int) bool {
			filled := 0
			for _, s := range b.Cells(row) {
				if s.End > s.Start {
					filled++
				}
			}
			return filled <= most
		}, nil
	case "defect":
		f.takesBroken = true
		return hasDefect(filter.Value, -1), nil
	case "header":
		f.takesBroken = true
		return func(b *source.Batch, row int) bool { return isHeader(b, row, f.header) }, nil
	}
	return nil, fmt.Errorf("the condition needs a column; on rows there are rows, sparse, defect, header")
}

// hasDefect reports whether a row was read with a defect of a code, in the cell of a
// column or, with -1, in no cell.
func hasDefect(code string, column int) func(b *source.Batch, row int) bool {
	return func(b *source.Batch, row int) bool {
		at, _ := slices.BinarySearchFunc(b.Defects, row, func(d source.Defect, row int) int { return d.Row - row })
		for _, d := range b.Defects[at:] {
			if d.Row != row {
				break
			}
			if d.Code.String() == code && (column < 0 || d.Cell == column) {
				return true
			}
		}
		return false
	}
}

// relationTest prepares a condition on a column and others: that the rows break a
// relation.
func (f *Finder) relationTest(first int, filter Filter) (func(b *source.Batch, row int) bool, error) {
	columns := []int{first}
	for _, name := range filter.Columns {
		k, err := f.profile.column(name)
		if err != nil {
			return nil, err
		}
		columns = append(columns, k)
	}
	if len(columns) < 2 || filter.Op != "notSum" && len(columns) > 2 {
		return nil, fmt.Errorf("the condition compares with other columns: name them")
	}
	cell := func(b *source.Batch, row, k int) []byte {
		if cells := b.Cells(row); k < len(cells) {
			return b.Text(cells[k])
		}
		return nil
	}
	if filter.Op == "differs" {
		return func(b *source.Batch, row int) bool {
			return !bytes.Equal(cell(b, row, columns[0]), cell(b, row, columns[1])) ||
				b.Kind(row, columns[0]) != b.Kind(row, columns[1])
		}, nil
	}
	readers := make([]cellReader, len(columns))
	for i, k := range columns {
		t, err := f.profile.Columns[k].typing()
		if err != nil {
			return nil, err
		}
		if !t.Datatype.IsNumber() && !t.IsDate() {
			return nil, fmt.Errorf("%s holds neither numbers nor dates", f.profile.Columns[k].Name)
		}
		readers[i].typing = t
	}
	return func(b *source.Batch, row int) bool {
		var values [2]int64 // of the first, and of all others together
		for i, k := range columns {
			n, ok := readers[i].read(cell(b, row, k), b.Kind(row, k))
			if !ok {
				return false
			}
			values[min(i, 1)] += n
		}
		if filter.Op == "after" {
			return values[0] > values[1]
		}
		return values[0] != values[1]
	}, nil
}

// cellReader reads the cells of a column as places in its lane.
type cellReader struct {
	typing typing.Reading
	look   typing.Look
	space  value.Number
}

func (r *cellReader) read(text []byte, kind workbook.Kind) (int64, bool) {
	trimmed := lexical.Trim(text)
	if len(trimmed) == 0 || len(trimmed) > distinct.MaxHeld {
		return 0, false
	}
	r.look.Read(trimmed, kind)
	q, ok := r.typing.QuantityOf(&r.look, trimmed, &r.space)
	if !ok {
		return 0, false
	}
	return laneValue(&r.typing, q)
}

// isHeader reports whether a row repeats the header: each cell holds its column's name.
// Without a header, or with one of a single column, none does.
func isHeader(b *source.Batch, row int, header []string) bool {
	if len(header) < 2 {
		return false
	}
	cells := b.Cells(row)
	if len(cells) < len(header) || b.Rows[row].Broken {
		return false
	}
	for k, name := range header {
		if text := b.Text(cells[k]); string(text) != name && string(lexical.Trim(text)) != name {
			return false
		}
	}
	return true
}

// damaged reports which rows of a batch have cells that cannot be attributed: a quote
// was left open, or the width is wrong. Where rows leave out their last cells as a
// habit, short ones are whole. So are rows that repeat the header: their cells are no
// values.
func damaged(dst []bool, b *source.Batch, ragged bool, header []string) []bool {
	dst = slices.Grow(dst[:0], len(b.Rows))[:len(b.Rows)]
	for i := range b.Rows {
		dst[i] = b.Rows[i].Broken || isHeader(b, i, header)
	}
	for _, d := range b.Defects {
		if d.Row >= 0 && (d.Code == violation.RowLong || d.Code == violation.RowMisplaced ||
			d.Code == violation.RowShort && !ragged) {
			dst[d.Row] = true
		}
	}
	return dst
}
