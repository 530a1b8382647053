// Package typing concludes from the forms of a column's values how they are to be read: of
// which datatype they are, which sign stands before decimals, whether the day or the month
// comes first.
//
// What one value looks like is for package lexical; what a text is, once the column's
// datatype and format are known, for package value. The package sees no rows: it is given
// forms with their counts, or a table of different values.
package typing

import (
	"bytes"
	"cmp"
	"slices"
	"unicode"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/value"
	"sieb/core/workbook"
)

// Which share of a column's values is of a datatype where that is concluded: as a rule,
// and at the least. With less than a half two datatypes could be concluded.
const (
	DefaultShare = 0.9
	LeastShare   = 0.5
)

// conclude concludes how a column is read. hints are what the other columns of
// the file tell.
func (f Forms) conclude(h Hints) (t Reading) {
	values := f.Count(func(k FormKey) bool { return k.Kind != lexical.Placeholder })
	if values == 0 {
		return t
	}
	enough := func(n int64) bool { return float64(n) >= h.share*float64(values) }
	some := func(n int64) bool { return n >= 3 && 100*n >= values || 50*n >= values }

	isDate := func(k FormKey) bool {
		return k.Kind == lexical.Date || k.Kind == lexical.Integer && k.Order == lexical.Compact
	}
	dates, times := f.Count(isDate), f.Count(func(k FormKey) bool { return k.Kind == lexical.DateTime })
	compact := f.Count(func(k FormKey) bool { return k.Kind == lexical.Integer && k.Order == lexical.Compact })
	if dates == compact && dates < values { // eight digits alone are dates where all are
		dates = f.Count(func(k FormKey) bool { return k.Kind == lexical.Date })
	}
	switch {
	case enough(dates):
		return f.concludeDates(value.Date, isDate, h)
	case enough(times):
		return f.concludeDates(value.DateTime, func(k FormKey) bool { return k.Kind == lexical.DateTime }, h)
	}
	if n := f.Count(func(k FormKey) bool { return k.Kind == lexical.Boolean }); enough(n) {
		t.Datatype, t.Pair = value.Boolean, [2]string{"true", "false"}
		return t
	}
	return f.concludeNumbers(enough, some, h)
}

// A word that perhaps stands for missing numbers or dates occurs so often at least, and
// at most in one of so many values; there are few such words in a column.
const (
	LeastWord = 3
	MostWord  = 3
	fewWords  = 2
)

// Conclude concludes how a column is read. Where texts that repeat stand among
// values that without them are of one datatype, they are taken for missing ones. The first
// texts of the table, as many as are known, were counted in all rows.
func Conclude(f Forms, values *distinct.Table, known int, h Hints) Reading {
	t := f.conclude(h)
	if t.Datatype == value.Boolean {
		return t
	}
	all := f.Count(func(k FormKey) bool { return k.Kind != lexical.Placeholder })
	if others := f.Count(func(k FormKey) bool { return k.Kind == lexical.Text }); others < LeastWord ||
		MostWord*others > all {
		return t
	}
	var words []distinct.Item
	for e := range values.All() {
		if known--; known < 0 {
			break
		}
		text := lexical.Trim(distinct.Start(values.Text(e.Entry)))
		if e.Count < LeastWord || len(text) == 0 || distinct.IsLong(values.Text(e.Entry)) {
			continue
		}
		if l := (Look{}); e.Kind() == workbook.Text {
			if l.Read(text, e.Kind()); l.Kind == lexical.Text && bytes.ContainsFunc(text, unicode.IsLetter) {
				words = append(words, e)
			}
		}
	}
	slices.SortFunc(words, func(a, b distinct.Item) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Row, b.Row))
	})
	if len(words) == 0 || len(words) > fewWords {
		return t
	}
	without := Forms{}
	without.Merge(f)
	for _, e := range words {
		text := lexical.Trim(values.Text(e.Entry))
		var l Look
		l.Read(text, e.Kind())
		c := *without[l.Key]
		c.Count -= e.Count
		without[l.Key] = &c
		if word := string(text); !slices.Contains(t.Words, word) {
			t.Words = append(t.Words, word)
		}
	}
	found := without.conclude(h)
	if !found.Datatype.IsNumber() && !found.IsDate() {
		t.Words = nil
		return t
	}
	found.Words = t.Words
	slices.Sort(found.Words)
	return found
}

// Hints are what is known of a file beside the column at hand: what the other columns
// tell, since a file comes from one program, in one country; and what was asked for.
type Hints struct {
	share   float64  // of the values that a datatype must cover
	decimal byte     // the decimal character; 0 where none is sure
	order   Evidence // of dates: dayFirst, monthFirst, or either where none is sure
}

// HintsOf collects what the columns of a file are sure of.
func HintsOf(columns []Forms, share float64) (h Hints) {
	h.share = share
	votes := map[byte]int64{}
	var day, month int64
	for _, f := range columns {
		t := f.conclude(Hints{share: share})
		switch {
		case t.Datatype.IsNumber():
			for k, c := range f {
				if k.Kind.IsNumber() && k.Decimal != 0 && !k.Unsure && !k.Stored {
					votes[k.Decimal] += c.Count
				}
			}
		case t.Order == FromDates && t.ByMonth:
			month++
		case t.Order == FromDates:
			day++
		}
	}
	h.decimal = most(votes)
	switch {
	case day > month:
		h.order = DayFirst
	case month > day:
		h.order = MonthFirst
	}
	return h
}
