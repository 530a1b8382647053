package search

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/profile"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/typing"
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
	return profile.BlanksIn(lexical.AppendShape(space[:0], text))
}

// rowTest prepares a condition on rows.
func (f *Finder) rowTest(filter profile.Filter) (func(b *source.Batch, row int) bool, error) {
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
		return func(b *source.Batch, row int) bool { return profile.IsHeader(b, row, f.header) }, nil
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
func (f *Finder) relationTest(first int, filter profile.Filter) (func(b *source.Batch, row int) bool, error) {
	columns := []int{first}
	for _, name := range filter.Columns {
		k, err := placeOf(f.profile, name)
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
	readers := make([]relation.Reader, len(columns))
	for i, k := range columns {
		t, err := readingOf(&f.profile.Columns[k])
		if err != nil {
			return nil, err
		}
		if !t.Datatype.IsNumber() && !t.IsDate() {
			return nil, fmt.Errorf("%s holds neither numbers nor dates", f.profile.Columns[k].Name)
		}
		readers[i].Reading = t
	}
	return func(b *source.Batch, row int) bool {
		var values [2]int64 // of the first, and of all others together
		for i, k := range columns {
			n, ok := readers[i].Read(cell(b, row, k), b.Kind(row, k))
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
