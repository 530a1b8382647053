package typing

import (
	"fmt"
	"slices"

	"sieb/core/lexical"
	"sieb/core/value"
	"sieb/core/workbook"
)

// Reading is what is concluded of a column from the forms of its values: how
// they are to be read.
type Reading struct {
	Datatype    value.Datatype
	DecimalChar string // "" where no value has one
	GroupChar   string
	Decided     bool // something tells how to read unsure characters
	IsGroup     bool // unsure characters stand between thousands
	Dates       []DateFormat
	ByMonth     bool
	Order       OrderFrom
	IsClose     bool      // though Undecided, one order puts the dates much closer together
	Pair        [2]string // of a boolean: what stands for true, for false
	Words       []string  // texts that repeat among numbers or dates, and perhaps stand for missing ones

	Numbers value.NumberFormat
	Formats []*value.DateFormat
}

// IsDate reports whether the values are dates, with a time of day or without.
func (t *Reading) IsDate() bool { return t.Datatype.HasDay() }

// OrderFrom is what decides the order of day and month.
type OrderFrom uint8

const (
	NoOrder   OrderFrom = iota // no date of the column leaves it open
	FromDates                  // a date of the column decides it
	FromOther                  // another column of the file does
	FromSign                   // nothing but the point between the parts, by which the day comes first
	Undecided                  // nothing does
)

// DateFormat is a form of dates that the column is read by.
type DateFormat struct {
	Pattern string
	Count   int64
}

// IsWord reports whether a text without blanks around it is one of those that perhaps
// stand for missing values.
func (t *Reading) IsWord(trimmed []byte) bool {
	for _, word := range t.Words {
		if word == string(trimmed) {
			return true
		}
	}
	return false
}

// Resolve settles what a form leaves open.
func (t *Reading) Resolve(l *Look) {
	if l.Unsure && t.IsGroup {
		l.WithGroup()
		if l.Kind == lexical.Decimal {
			l.Kind = lexical.Integer
		}
	}
	if t.Datatype == value.Date && l.Key.Order == lexical.Compact {
		l.ReadCompact()
		l.millis, _ = l.Millis(false)
	}
}

// Reads reports whether a text without blanks around it is of the datatype, by the
// very formats that a target drafted from it declares.
func (t *Reading) Reads(l *Look, text []byte, n *value.Number) bool {
	if l.Key.Stored {
		switch t.Datatype {
		case value.Date:
			return l.Kind == lexical.Date
		case value.DateTime:
			return l.Kind == lexical.DateTime || l.Kind == lexical.Date
		case value.Integer:
			return l.Kind == lexical.Integer
		case value.Decimal:
			return l.Kind == lexical.Integer || l.Kind == lexical.Decimal
		case value.Double:
			return l.Kind.IsNumber()
		}
	}
	switch t.Datatype {
	case value.Integer, value.Decimal:
		return l.Kind.IsNumber() && t.Numbers.Parse(text, n) && (t.Datatype == value.Decimal || n.IsWhole())
	case value.Double:
		if !l.Kind.IsNumber() {
			return false
		}
		_, _, ok := t.Numbers.ParseDouble(text, n, nil)
		return ok
	case value.Date, value.DateTime:
		var i value.Instant
		return slices.ContainsFunc(t.Formats, func(f *value.DateFormat) bool {
			return f.Parse(text,
				&i) == value.Matches
		})
	case value.Boolean:
		// Without a form of its own a boolean is 1 or 0 as well.
		return string(text) == t.Pair[0] || string(text) == t.Pair[1] ||
			t.Pair[0] == "true" && t.Pair[1] == "false" && (string(text) == "1" || string(text) == "0")
	}
	return l.Kind != lexical.Placeholder
}

// Quantity returns the place of a value that is of the datatype on the column's
// scale: numbers as they are, dates in milliseconds since 1970.
func (t *Reading) Quantity(l *Look, text []byte) Quantity {
	switch t.Datatype {
	case value.Date, value.DateTime:
		if t.ByMonth && l.Order == lexical.ABYear {
			l.millis, _ = l.Millis(true)
		}
		return Quantity{Coef: l.millis, Frac: 3}
	}
	if l.Kind != lexical.Double && l.IsShort() {
		return Quantity{Coef: l.Coef, Frac: l.Frac}
	}
	r, ok := l.Big(text)
	if !ok {
		return Quantity{}
	}
	return Quantity{Wide: r}
}

// QuantityOf returns the quantity of a value that was looked at; false where the text,
// without blanks around it, is not of the datatype. n is scratch space.
func (t *Reading) QuantityOf(l *Look, text []byte, n *value.Number) (Quantity, bool) {
	t.Resolve(l)
	if l.Kind == lexical.Placeholder || !t.Reads(l, text, n) {
		return Quantity{}, false
	}
	return t.Quantity(l, text), true
}

// Limit reads a value in canonical form as a place on the column's scale.
func (t *Reading) Limit(text string) (Quantity, error) {
	plain := *t
	plain.ByMonth, plain.IsGroup = false, false
	var l Look
	l.Read([]byte(text), workbook.Text)
	switch {
	case t.IsDate() && (l.Kind == lexical.Date || l.Kind == lexical.DateTime) && l.Order == lexical.YearAB &&
		l.Key.Day != Impossible:
	case t.Datatype.IsNumber() && l.Kind.IsNumber() && l.Decimal != ',' && l.Group == 0:
	default:
		return Quantity{}, fmt.Errorf("%q is no value of the column's datatype, %s; write it as 12.5 or 2026-07-31",
			text, t.Datatype)
	}
	return plain.Quantity(&l, []byte(text)), nil
}

// ReadsAs reports whether two typings read all values alike.
func (t *Reading) ReadsAs(o *Reading) bool {
	return t.Datatype == o.Datatype && t.DecimalChar == o.DecimalChar && t.GroupChar == o.GroupChar &&
		t.IsGroup == o.IsGroup && t.ByMonth == o.ByMonth && t.Pair == o.Pair &&
		slices.Equal(t.Words, o.Words) &&
		slices.EqualFunc(t.Dates, o.Dates, func(a, b DateFormat) bool { return a.Pattern == b.Pattern })
}
