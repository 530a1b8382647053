package suggest

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/lexical"
	"sieb/core/sift"
)

// noRows proposes to leave out lines that are no rows of the table: a header that is repeated, ruled lines, sums
// between the rows, and heads of pages, which hold words where numbers or dates are wanted. Each is told of the first
// column that it is wrong in.
func (b *builder) noRows() {
	type place struct {
		*sift.Broken
		header string
		at     int
	}
	var all []place
	wrong := map[int64]map[string]bool{} // columns that are wrong, by the first rows of each value
	words := map[int64]map[string]bool{} // of them, where numbers or dates are wanted
	put := func(in map[int64]map[string]bool, row int64, text string) {
		if in[row] == nil {
			in[row] = map[string]bool{}
		}
		in[row][text] = true
	}
	for k := range b.Account.Broken {
		g := &b.Account.Broken[k]
		i := slices.IndexFunc(b.Result.Columns, func(m check.Match) bool { return m.Column == g.Column })
		if !g.Action.RejectsRow() || i < 0 || b.Result.Columns[i].Header == "" {
			continue
		}
		d := b.target.Columns[i].Datatype
		isOfWords := (d.IsNumber() || d.IsMoment()) && fewHeads*b.Account.ByRows[i] <= b.Account.Rows
		for _, v := range g.Values {
			text := strings.TrimSpace(v.Value)
			isWord := isOfWords && strings.IndexFunc(text, unicode.IsLetter) == 0 && !lexical.IsPlaceholder([]byte(text))
			for _, row := range v.Rows {
				if put(wrong, row, g.Column); isWord {
					put(words, row, text)
				}
			}
		}
		if b.asked.Column == "" || b.asked.Column == g.Column {
			all = append(all, place{g, b.Result.Columns[i].Header, b.Result.Columns[i].Place})
		}
	}
	slices.SortStableFunc(all, func(x, y place) int { return cmp.Compare(x.at, y.at) })
	told := map[string]bool{}
	b.noRow = map[int64]bool{}
	for _, g := range all {
		found := map[string][]sift.Offender{}
		var order []string
		for _, v := range g.Values[:min(len(g.Values), mostValues)] {
			kind := noRow(v, g.header, func(row int64) bool {
				return len(wrong[row]) >= 3 && len(words[row]) >= 2
			})
			if kind == "" || told[kind] || b.isNoRow(v) {
				continue
			}
			if found[kind] == nil {
				order = append(order, kind)
			}
			found[kind] = append(found[kind], v)
		}
		for _, kind := range order {
			told[kind] = true
			b.leaveOut(g.Broken, g.header, kind, found[kind])
			for _, v := range found[kind] {
				for _, row := range v.Rows {
					b.noRow[row] = true
				}
			}
		}
	}
}

// isNoRow reports whether all rows that are known of a value are lines that are no rows.
func (b *builder) isNoRow(v sift.Offender) bool {
	return len(v.Rows) > 0 && !slices.ContainsFunc(v.Rows, func(row int64) bool { return !b.noRow[row] })
}

// fewHeads: one row in so many, at the most, is a head of a page; what more rows break in a column is a habit.
const fewHeads = 5

// Kinds of lines that are no rows. A sum is named by its word, a page's head by what stands in it.
const (
	aHeader = "a header"
	aRule   = "a ruled line"
	aSum    = "a sum: "
	aHead   = "a head: "
)

// noRow returns what kind of line a wrong value is of, that is no row; "" for none. isHead reports whether a row is
// wrong in several columns, and holds different words where numbers or dates are wanted.
func noRow(v sift.Offender, header string, isHead func(row int64) bool) string {
	text := strings.TrimSpace(v.Value)
	word := text[:len(text)-len(strings.TrimLeftFunc(text, unicode.IsLetter))]
	switch {
	case text == "" || len(v.Value) >= 1000:
		return ""
	case text == header:
		return aHeader
	case len(text) > 2 && lexical.IsRuled(text):
		return aRule
	case layout.IsTotal(word):
		return aSum + word
	case v.Count > 1 && len(v.Rows) > 0 && !slices.ContainsFunc(v.Rows, func(row int64) bool { return !isHead(row) }):
		return aHead + text
	}
	return ""
}

// leaveOut proposes to leave out the rows of some values, which are lines of one kind.
func (b *builder) leaveOut(g *sift.Broken, header, kind string, values []sift.Offender) {
	s := Suggestion{Kind: "exclude", Column: g.Column, Code: g.Code.String()}
	for _, v := range values {
		s.Values, s.Cells = append(s.Values, v.Value), s.Cells+v.Count
	}
	cell := fmt.Sprintf("cell(%s)", strconv.Quote(header))
	condition := fmt.Sprintf("%s == %s", cell, strconv.Quote(values[0].Value))
	var reason string
	switch {
	case kind == aHeader:
		reason, s.Words = "the header is repeated", "leave out rows that repeat the header"
	case kind == aRule:
		first := values[0].Value[:1]
		condition = fmt.Sprintf("%s.matches(%s)", cell, strconv.Quote("^"+regexp.QuoteMeta(first)+"+$"))
		reason, s.Words = header+" is a ruled line", "leave out ruled lines"
	case strings.HasPrefix(kind, aSum) && len(values) > 1:
		word := strings.TrimPrefix(kind, aSum)
		condition = fmt.Sprintf("%s.matches(%s)", cell, strconv.Quote("^"+regexp.QuoteMeta(word)+`\b`))
		reason = header + " begins with " + word
		s.Words = "leave out rows in which " + reason
	default:
		reason = header + " is " + quoted(values[0].Value)
		s.Words = "leave out rows in which " + reason
	}
	s.Steps = append(s.Steps, b.exclusion(condition, reason))
	b.try(s)
}
