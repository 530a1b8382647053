package search

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"sieb/core/delimited"
	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"

	"golang.org/x/text/unicode/norm"
)

// Finder reports which rows filters let through: those that pass all of them. It
// holds scratch space and serves one goroutine.
type Finder struct {
	profile     *profile.Profile
	tests       []test
	texts       []delimited.Span
	damage      []bool
	takesBroken bool     // rows whose cells cannot be attributed are asked for, too
	header      []string // names of the columns, where the delivery has them
	rows        []int64  // of a filter by number, in order; nil without one
}

// test is a filter made ready. It looks at one column's cells, or else at rows.
type test struct {
	column  int
	passes  func(text []byte, kind workbook.Kind) bool
	row     func(b *source.Batch, row int) bool
	needle  []byte // text that a passing cell holds, as bytes of UTF-8; nil where none is known
	last    []byte // the text before, and what was found of it
	kind    workbook.Kind
	isKnown bool
	result  bool
}

// NewFinder makes filters ready for a delivery with this profile.
func NewFinder(p *profile.Profile, filters []profile.Filter) (*Finder, error) {
	f := &Finder{profile: p}
	for i := range p.Columns {
		if p.Named {
			f.header = append(f.header, p.Columns[i].Header)
		}
	}
	for _, filter := range filters {
		t, err := f.prepare(filter)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", strings.TrimSpace(filter.Column+" "+filter.Op), err)
		}
		f.tests = append(f.tests, t)
	}
	return f, nil
}

// placeOf returns the place of a column.
func placeOf(p *profile.Profile, name string) (int, error) {
	k := slices.IndexFunc(p.Columns, func(c profile.Column) bool { return c.Name == name })
	if k < 0 {
		return 0, fmt.Errorf("the delivery has no column %q", name)
	}
	return k, nil
}

func (f *Finder) prepare(filter profile.Filter) (t test, err error) {
	if filter.Column == "" {
		t.row, err = f.rowTest(filter)
		return t, err
	}
	if t.column, err = placeOf(f.profile, filter.Column); err != nil {
		return t, err
	}
	switch filter.Op {
	case "differs", "after", "notSum":
		t.row, err = f.relationTest(t.column, filter)
	case "defect":
		f.takesBroken = true
		t.row = hasDefect(filter.Value, t.column)
	default:
		err = t.prepare(&f.profile.Columns[t.column], filter)
	}
	return t, err
}

// readingOf returns how the column is read, from what its profile tells.
func readingOf(c *profile.Column) (t typing.Reading, err error) {
	t.Datatype = c.Datatype
	switch {
	case c.Datatype.IsNumber():
		t.DecimalChar, t.GroupChar = c.Numbers.DecimalChar, c.Numbers.GroupChar
		t.IsGroup = t.GroupChar == "." || t.GroupChar == ","
		t.Numbers, err = value.NewNumberFormat(t.DecimalChar, t.GroupChar, "")
	case t.IsDate():
		t.ByMonth = c.Dates.Order == "month first"
		for _, f := range c.Dates.Formats {
			format, err := value.NewDateFormat(c.Datatype, f.Format)
			if err != nil {
				return t, err
			}
			t.Formats = append(t.Formats, format)
		}
	case c.Datatype == value.Boolean:
		t.Pair = [2]string{c.Pair[0], c.Pair[1]}
	}
	return t, err
}

// prepare prepares a condition on the cells of a column.
func (t *test) prepare(c *profile.Column, f profile.Filter) error {
	reading, err := readingOf(c)
	if err != nil {
		return err
	}
	looker := &looker{column: c, reading: reading}
	switch f.Op {
	case "equals", "oneOf", "contains":
		t.texts(f)
	case "empty":
		t.passes = func(text []byte, _ workbook.Kind) bool { return isEmpty(text) }
	case "filled":
		t.passes = func(text []byte, _ workbook.Kind) bool { return !isEmpty(text) }
	case "placeholder":
		t.passes = func(text []byte, _ workbook.Kind) bool { return looker.isMissing(lexical.Trim(text)) }
	case "shape", "notShape":
		t.shape(f, looker)
	case "notNumber", "form", "against":
		t.passes = looker.test(f)
	case "habit":
		t.passes, err = looker.habit(f.Value)
	case "greater", "atLeast", "less", "atMost", "between":
		err = t.compare(c, f, &reading)
	default:
		err = fmt.Errorf("there is no such condition on a column; there are equals, oneOf, contains, empty, " +
			"filled, against, placeholder, notNumber, shape, notShape, form, habit, greater, atLeast, less, atMost, " +
			"between, differs, after, notSum, defect")
	}
	return err
}

func isEmpty(text []byte) bool { return len(lexical.Trim(text)) == 0 }

// texts prepares a condition on the text of a cell.
func (t *test) texts(f profile.Filter) {
	switch f.Op {
	case "equals":
		want := []byte(f.Value)
		t.passes = func(text []byte, _ workbook.Kind) bool { return bytes.Equal(text, want) }
		t.needle = want
	case "oneOf":
		values := map[string]bool{}
		for _, v := range f.Values {
			values[v] = true
		}
		t.passes = func(text []byte, _ workbook.Kind) bool { return values[string(text)] }
	default:
		want := Folded([]byte(f.Value))
		t.passes = func(text []byte, _ workbook.Kind) bool { return Holds(text, want) }
	}
}

// shape prepares a condition on the shape of a cell. A missing value has none that counts.
func (t *test) shape(f profile.Filter, l *looker) {
	var shape []byte
	t.passes = func(text []byte, _ workbook.Kind) bool {
		trimmed := lexical.Trim(distinct.Beginning(text))
		shape = lexical.AppendShape(shape[:0], trimmed)
		if f.Op == "shape" {
			return string(shape) == f.Value
		}
		return len(trimmed) > 0 && string(shape) != f.Value && !l.isMissing(trimmed)
	}
}

// looker looks at cells as a profile of their column does.
type looker struct {
	column  *profile.Column
	reading typing.Reading
	look    typing.Look
	number  value.Number
}

// read looks at a cell, and returns its text without the blanks around it.
func (l *looker) read(text []byte, kind workbook.Kind) []byte {
	l.look = typing.Look{}
	trimmed := lexical.Trim(text)
	if len(trimmed) <= distinct.MaxHeld {
		l.look.Read(trimmed, kind)
	}
	return trimmed
}

func (l *looker) isMissing(trimmed []byte) bool {
	return slices.ContainsFunc(l.column.Placeholders, func(v profile.Value) bool { return v.Value == string(trimmed) })
}

// test prepares a condition on what a filled cell looks like.
func (l *looker) test(f profile.Filter) func(text []byte, kind workbook.Kind) bool {
	is := l.isAgainst
	switch f.Op {
	case "notNumber":
		is = func([]byte) bool { return !l.look.Kind.IsNumber() && l.look.Kind != lexical.Placeholder }
	case "form":
		is = func([]byte) bool {
			_, form := profile.Describe(l.look.Key, &l.reading)
			return form == f.Value
		}
	}
	return func(text []byte, kind workbook.Kind) bool {
		trimmed := l.read(text, kind)
		return len(trimmed) > 0 && is(trimmed)
	}
}

// isAgainst reports whether the cell at hand is not of the column's datatype.
func (l *looker) isAgainst(trimmed []byte) bool {
	if l.look.Kind == lexical.Placeholder || l.look.Kind == lexical.Text && l.isMissing(trimmed) {
		return false
	}
	l.reading.Resolve(&l.look)
	return !l.reading.Reads(&l.look, trimmed, &l.number)
}

// habit prepares a condition on the habits of a filled cell.
func (l *looker) habit(name string) (func(text []byte, kind workbook.Kind) bool, error) {
	is, ok := habits[name]
	if !ok {
		return nil, fmt.Errorf("there is no such habit; there are %s", strings.Join(slices.Sorted(maps.Keys(habits)),
			", "))
	}
	return func(text []byte, kind workbook.Kind) bool {
		if len(l.read(text, kind)) == 0 {
			return false
		}
		held := distinct.Beginning(text)
		return is(lexical.Trim(held), held, &l.look.Key)
	}, nil
}

// compare prepares a condition on the order of values.
func (t *test) compare(c *profile.Column, f profile.Filter, reading *typing.Reading) error {
	holds := func(c int) bool {
		switch f.Op {
		case "greater":
			return c > 0
		case "less":
			return c < 0
		case "atMost":
			return c <= 0
		}
		return c >= 0
	}
	if !reading.Datatype.IsNumber() && !reading.IsDate() {
		low, high := []byte(f.Value), []byte(f.To)
		t.passes = func(text []byte, _ workbook.Kind) bool {
			return len(lexical.Trim(text)) > 0 && holds(bytes.Compare(text, low)) &&
				(f.Op != "between" || bytes.Compare(text, high) <= 0)
		}
		return nil
	}
	low, err := reading.Limit(f.Value)
	if err != nil {
		return err
	}
	high := low
	if f.Op == "between" {
		if high, err = reading.Limit(f.To); err != nil {
			return err
		}
	}
	var l typing.Look
	var n value.Number
	t.passes = func(text []byte, kind workbook.Kind) bool {
		trimmed := lexical.Trim(text)
		if len(trimmed) == 0 || len(trimmed) > distinct.MaxHeld {
			return false
		}
		l = typing.Look{}
		l.Read(trimmed, kind)
		q, ok := reading.QuantityOf(&l, trimmed, &n)
		return ok && holds(q.Compare(low)) && (f.Op != "between" || q.Compare(high) <= 0)
	}
	return nil
}

// Holds reports whether a text holds another one, whatever the letter case, the blanks
// and the accents; want is folded already.
func Holds(text []byte, want string) bool {
	if !lexical.IsASCII(text) || strings.ContainsRune(want, ' ') {
		return strings.Contains(Folded(text), want)
	}
	for i := 0; i+len(want) <= len(text); i++ {
		k := 0
		for k < len(want) && lower(text[i+k]) == want[k] {
			k++
		}
		if k == len(want) {
			return true
		}
	}
	return false
}

func lower(c byte) byte {
	if c-'A' < 26 {
		c += 'a' - 'A'
	}
	return c
}

// Needle returns a text that every row that passes has as a cell; nil where none is
// known.
func (f *Finder) Needle() (longest []byte) {
	for _, t := range f.tests {
		if len(t.needle) > len(longest) {
			longest = t.needle
		}
	}
	return longest
}

// Rows calls see with each row of a batch that passes, by its index, until see
// returns false. The batch was split.
func (f *Finder) Rows(b *source.Batch, see func(row int) bool) {
	f.texts = slices.Grow(f.texts[:0], len(b.Rows))[:len(b.Rows)]
	f.damage = profile.Damaged(f.damage, b, f.profile.Ragged, f.header)
	pass := make([]bool, len(b.Rows))
	for i := range b.Rows {
		pass[i] = f.takesBroken || !f.damage[i]
	}
	for k := range f.tests {
		t := &f.tests[k]
		if t.row == nil {
			b.Gather(f.texts, t.column, 0)
		}
		for i, s := range f.texts {
			switch {
			case !pass[i]:
			case t.row != nil:
				pass[i] = t.row(b, i)
			default:
				pass[i] = t.of(b.Text(s), b.Kind(i, t.column))
			}
		}
	}
	for i, is := range pass {
		if is && !see(i) {
			return
		}
	}
}

// of reports whether a cell passes; the one before is remembered.
func (t *test) of(text []byte, kind workbook.Kind) bool {
	if t.isKnown && t.kind == kind && bytes.Equal(t.last, text) {
		return t.result
	}
	t.last, t.kind, t.isKnown = append(t.last[:0], text...), kind, true
	t.result = t.passes(text, kind)
	return t.result
}

// Folded returns a text without what a search does not look at: letter case, accents, blanks beyond one.
func Folded(text []byte) string {
	if bytes.IndexFunc(text, func(r rune) bool { return r >= 0x80 }) < 0 {
		return strings.Join(strings.Fields(strings.ToLower(string(text))), " ")
	}
	var b strings.Builder
	blank := false
	for _, r := range norm.NFKD.String(string(text)) {
		switch {
		case unicode.Is(unicode.Mn, r) || unicode.Is(unicode.Cf, r):
		case lexical.IsBlank(r):
			blank = b.Len() > 0
		default:
			if blank {
				b.WriteByte(' ')
				blank = false
			}
			b.WriteString(strings.ToLower(string(r)))
		}
	}
	return b.String()
}
