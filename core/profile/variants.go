package profile

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/variants"
	"sieb/core/workbook"
)

// placeholders lists the texts that stand for a missing value: those that look
// like one, and numbers or dates that often do where they are far from all others.
func (c *column) placeholders(out *Column, t *typing.Reading, of scale) {
	var l typing.Look
	place := func(text string) (float64, bool) {
		if len(of.sorted) == 0 {
			return 0, false
		}
		for _, kind := range []workbook.Kind{workbook.Text, workbook.Number} { // a workbook may hold it as such
			l.Read([]byte(text), kind)
			if q, ok := t.QuantityOf(&l, []byte(text), &c.sums.number); ok {
				return q.Float(), true
			}
		}
		return 0, false
	}
	// The suspects themselves must not tell what is usual.
	others := slices.Clone(of.sorted)
	for text, n := range c.sums.missing {
		if x, ok := place(text); ok {
			i, _ := slices.BinarySearchFunc(others, x, func(w weighted, x float64) int {
				return cmp.Compare(w.value,
					x)
			})
			if i == len(others) || i > 0 && x-others[i-1].value < others[i].value-x {
				i-- // in the bin before
			}
			others[i].count = max(0, others[i].count-n.Count)
		}
	}
	low, high, ok := fences(others, 0)
	isFar := func(text string) bool {
		x, is := place(text)
		return ok && is && (x < low || x > high)
	}
	for text, n := range c.sums.missing {
		var l typing.Look
		l.Read([]byte(text), 0)
		if out.Datatype == value.String && c.looksUsual(text) {
			continue // NA among the codes of countries is one of them
		}
		if l.Kind == lexical.Placeholder || t.IsWord([]byte(text)) ||
			n.Sightings[0].Text != nil && string(n.Sightings[0].Text) == "#N/A" || isFar(text) {
			out.Placeholders = append(out.Placeholders, Value{distinct.Shown([]byte(text)), n.Count, n.Sightings[0].Row,
				n.Sightings[0].Line})
		}
	}
	slices.SortFunc(out.Placeholders, func(a, b Value) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count),
			cmp.Compare(a.Value, b.Value))
	})
	out.Placeholders = out.Placeholders[:min(len(out.Placeholders), maxAgainst)]
}

// looksUsual reports whether a text of letters has the shape that most values have.
func (c *column) looksUsual(text string) bool {
	if strings.IndexFunc(text, func(r rune) bool { return !unicode.IsLetter(r) }) >= 0 {
		return false
	}
	shape := lexical.AppendShape(nil, []byte(text))
	k := c.sums.shapes.Find(distinct.HashOf(shape, 0), shape, 0)
	return k >= 0 && 2*c.sums.shapes.Entry(k).Count > c.sums.filled
}

// maxFolded is how many different values are compared for variants.
const maxFolded = 200_000

// written groups the values that differ in nothing but letter case, blanks, accents or
// signs of writing, those of most rows first.
func (c *column) written() (groups [][]Value) {
	if c.table.Used > maxFolded {
		return nil
	}
	byFold := map[string][]distinct.Item{}
	for e := range c.table.All() {
		text := c.table.Text(e.Entry)
		if e.Count == 0 || distinct.IsLong(text) || len(lexical.Trim(text)) == 0 {
			continue
		}
		if key := variants.Key(string(text)); key != "" {
			byFold[key] = append(byFold[key], e)
		}
	}
	for _, same := range byFold {
		if len(same) < 2 {
			continue
		}
		var group []Value
		slices.SortFunc(same, func(a, b distinct.Item) int {
			return cmp.Or(cmp.Compare(b.Count, a.Count), bytes.Compare(c.table.Text(a.Entry), c.table.Text(b.Entry)))
		})
		for _, e := range same {
			if len(group) == 0 || c.value(e).Value != group[len(group)-1].Value {
				group = append(group, c.value(e))
			}
		}
		if len(group) > 1 {
			groups = append(groups, group[:min(len(group), maxVariants)])
		}
	}
	rows := func(g []Value) (n int64) {
		for _, v := range g {
			n += v.Count
		}
		return n
	}
	return firstOf(groups, maxVariants, func(a, b []Value) int {
		return cmp.Or(cmp.Compare(rows(b), rows(a)),
			cmp.Compare(a[0].Row, b[0].Row))
	})
}
