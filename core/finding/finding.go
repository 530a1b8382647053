// Package finding says what is odd about a delivery: sentences that a steward would want to
// hear of its profile, each with the filters that find the rows behind it.
//
// It sees nothing but the profile: what is not counted there cannot be told here.
package finding

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"sieb/core/fault"
	"sieb/core/lexical"
	"sieb/core/profile"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/variants"
	"sieb/core/workbook"
)

// What a finding weighs, by its rank: at least so much for the first two.
const (
	rankBreaks = 78
	rankMay    = 46
)

func weightOf(rank int) string {
	switch {
	case rank >= rankBreaks:
		return "breaks"
	case rank >= rankMay:
		return "may"
	}
	return "note"
}

// narrator finds sentences.
type narrator struct {
	*profile.Profile
	all []*said
}

// said is a finding with what it weighs.
type said struct {
	profile.Finding
	rank int
}

// Profile makes the profile of a delivery, with its findings. The errors are those of
// profile.Of.
func Profile(ctx context.Context, file *source.File, o profile.Options) (p *profile.Profile, err error) {
	defer fault.Recover(&err, func() string { return "saying what is odd about " + file.Name })
	if p, err = profile.Of(ctx, file, o); err != nil {
		return nil, err
	}
	p.Findings = Of(p)
	return p, nil
}

// Of tells what a steward should know of a profile, the most serious first.
func Of(p *profile.Profile) []profile.Finding {
	n := &narrator{Profile: p}
	n.rows()
	for k := range p.Columns {
		n.column(&p.Columns[k])
	}
	n.relations()
	slices.SortStableFunc(n.all, func(a, b *said) int { return b.rank - a.rank })
	findings := make([]profile.Finding, len(n.all))
	for i, s := range n.all {
		findings[i] = s.Finding
	}
	return findings
}

func (n *narrator) add(rank int, code string, rows int64, first []profile.Value, rule string, columns []string,
	format string, args ...any) *said {
	s := &said{profile.Finding{Code: code, Columns: columns, Text: fmt.Sprintf(format, args...), Rows: rows, First: first,
		Rule: rule, Weight: weightOf(rank)}, rank}
	n.all = append(n.all, s)
	return s
}

// by says what finds the rows behind a finding: a condition on its first column or,
// where it has none, on rows.
func (f *said) by(filter profile.Filter) {
	if len(f.Columns) > 0 && filter.Op != "rows" {
		filter.Column = f.Columns[0]
	}
	f.Filters = []profile.Filter{filter}
}

func habit(name string) profile.Filter { return profile.Filter{Op: "habit", Value: name} }

// oneOf is the condition to be one of some values.
func oneOf(values []profile.Value) profile.Filter {
	f := profile.Filter{Op: "oneOf"}
	for _, v := range values {
		f.Values = append(f.Values, v.Value)
	}
	return f
}

// examples lists values with their counts, as many as a sentence bears.
func examples(values []profile.Value, all int64) string {
	const most = 4
	var list []string
	told := int64(0)
	for _, v := range values[:min(len(values), most)] {
		text := clip(v.Value)
		if v.Count > 1 {
			text += " (" + value.Thousands(v.Count) + ")"
		}
		list = append(list, text)
		told += max(v.Count, 1)
	}
	text := strings.Join(list, ", ")
	if told < all {
		text += ", …"
	}
	return text
}

// clip shortens a value to what a sentence bears.
func clip(text string) string {
	const most = 30
	text = strings.Map(func(r rune) rune {
		if r < ' ' {
			return '␣'
		}
		return r
	}, text)
	if r := []rune(text); len(r) > most {
		text = string(r[:most-1]) + "…"
	}
	return text
}

func places(all []profile.Place) (values []profile.Value) {
	for _, p := range all {
		values = append(values, profile.Value{Row: p.Row, Line: p.Line})
	}
	return values
}

func pairs2places(all []profile.Pair) (values []profile.Value) {
	for _, p := range all {
		values = append(values, profile.Value{Row: p.Row})
	}
	return values
}

func name(c string) string { return "`" + c + "`" }

// defects says what was wrong with rows as they were read.
var defectWords = map[string]string{
	"row.short": "have too few cells", "row.long": "have too many cells",
	"quote.open": "have a quote that is never closed", "quote.stray": "have a quote out of place",
	"quote.tail": "have text behind a closing quote",
}

var cellWords = map[string]string{
	"encoding.invalid": "bytes that the encoding does not have", "encoding.garbled": "letters that were decoded twice",
	"encoding.control": "control characters",
	"type.formula":     "a formula that was never computed: open and save the workbook in a spreadsheet program",
	"quote.backslash":  "a backslash at the end, before the closing quote",
	"quote.stray":      "a quote out of place", "quote.tail": "text behind a closing quote",
}

// rows tells of what concerns rows as a whole.
func (n *narrator) rows() {
	for _, d := range n.Problems {
		code := d.Code.String()
		if words := cellWords[code]; d.Column != "" && words != "" {
			n.add(95, code, d.Count, d.First, "", []string{d.Column}, "%s: %s %s, first in row %s", name(d.Column),
				value.Count(d.Count, "value has", "values have"),
				words, value.Thousands(d.First[0].Row)).by(profile.Filter{Op: "defect",
				Value: code})
		} else if words := defectWords[code]; words != "" {
			if d.Count == 1 {
				words = strings.Replace(words, "have", "has", 1)
			}
			n.add(100, code, d.Count, d.First, "", nil, "%s %s, first row %s (line %s)", value.Count(d.Count, "row", "rows"),
				words, value.Thousands(d.First[0].Row), value.Thousands(d.First[0].Line)).by(
				profile.Filter{Op: "defect", Value: code})
		}
	}
	// Rows that repeat a key with all else are told of with the key: one cause is one finding.
	isTold := slices.ContainsFunc(n.Keys, func(k profile.Key) bool {
		return k.Repeats > 0 &&
			slices.Equal(k.Behind, n.Repeated.Behind)
	})
	if r := n.Repeated; r.Rows > 0 && !isTold {
		n.add(85, "row.repeated", r.Rows, pairs2places(r.First), "", nil,
			"%s the same as an earlier one in all cells; row %s repeats row %s",
			value.Count(r.Rows, "row is", "rows are"), value.Thousands(r.First[0].Row),
			value.Thousands(r.First[0].Repeats)).by(profile.Filter{Op: "rows", Rows: r.Behind})
	}
	if h := n.Headers; h.Rows > 0 {
		n.add(88, "row.header", h.Rows, places(h.First), "", nil,
			"%s the header, first row %s (line %s); they do not count in the columns' figures",
			value.Count(h.Rows, "row repeats", "rows repeat"), value.Thousands(h.First[0].Row),
			value.Thousands(h.First[0].Line)).by(profile.Filter{Op: "header"})
	}
	if s := n.Sparse; s.Rows > 0 && s.Rows*5 <= n.Rows {
		n.add(63, "row.sparse", s.Rows, places(s.First), "", nil, "%s nearly empty (at most %s filled), first row %s",
			value.Count(s.Rows, "row is", "rows are"), value.Count(int64(s.AtMost), "cell", "cells"),
			value.Thousands(s.First[0].Row)).by(profile.Filter{Op: "sparse", Value: strconv.Itoa(s.AtMost)})
	}
	for _, k := range n.Keys {
		if k.Repeats == 0 {
			continue
		}
		in := ""
		if slices.Equal(k.Behind, n.Repeated.Behind) {
			in = " in all cells"
		}
		rule := "unique: true"
		if len(k.Columns) > 1 {
			rule = ""
		}
		n.add(90, "key.repeated", k.Repeats, pairs2places(k.First), rule, k.Columns,
			"%s nearly tells rows apart, but %s an earlier one%s; row %s repeats row %s",
			names(k.Columns), value.Count(k.Repeats, "row repeats", "rows repeat"), in, value.Thousands(k.First[0].Row),
			value.Thousands(k.First[0].Repeats)).by(profile.Filter{Op: "rows", Rows: k.Behind})
	}
}

func names(columns []string) string {
	quoted := make([]string, len(columns))
	for i, c := range columns {
		quoted[i] = name(c)
	}
	if len(quoted) == 1 {
		return quoted[0]
	}
	return strings.Join(quoted[:len(quoted)-1], ", ") + " and " + quoted[len(quoted)-1]
}

// ofDatatype says what one value, or many of them, of a column are when they fit.
func ofDatatype(c *profile.Column, many bool) string {
	words := map[value.Datatype][2]string{value.Integer: {"a whole number", "whole numbers"},
		value.Decimal: {"a decimal", "decimals"},
		value.Double:  {"a number", "numbers"}}[c.Datatype]
	switch {
	case c.Datatype == value.Boolean:
		return c.Pair[0] + " or " + c.Pair[1]
	case c.Dates != nil:
		var formats []string
		for _, f := range c.Dates.Formats {
			formats = append(formats, f.Format)
		}
		return strings.Join(formats, " or ")
	}
	what := words[0]
	if many {
		what = words[1]
	}
	if c.Numbers != nil && c.Numbers.DecimalChar == "," && c.Datatype != value.Integer {
		what += " with a comma"
	}
	return what
}

// column tells of one column.
func (n *narrator) column(c *profile.Column) {
	one := []string{c.Name}
	add := func(rank int, code string, rows int64, first []profile.Value, rule, format string, args ...any) *said {
		return n.add(rank, code, rows, first, rule, one, "%s"+format, append([]any{name(c.Name)}, args...)...)
	}
	all := c.Filled + c.Empty
	if c.Filled == 0 {
		if all > 0 {
			add(15, "column.empty", all, nil, "", " is always empty").by(profile.Filter{Op: "empty"})
		}
		return
	}
	if c.DistinctExact && c.Distinct == 1 && c.Empty == 0 && all > 1 {
		add(10, "column.constant", all, nil, "", " is always %s", clip(c.Top[0].Value)).by(profile.Filter{Op: "filled"})
		return
	}
	if c.Empty > 0 && relation.IsFew(c.Empty, all) {
		add(60, "value.empty", c.Empty, places(c.EmptyFirst), "required: true", " is empty in %s of %s rows",
			value.Thousands(c.Empty), value.Thousands(all)).by(profile.Filter{Op: "empty"})
	}
	if c.Counter {
		add(12, "column.counter", all, nil, "", " only counts the rows, from %s to %s: it can be left out",
			profile.Plain(c.Minimum), profile.Plain(c.Maximum)).by(profile.Filter{Op: "filled"})
	}
	missing := int64(0)
	for _, v := range c.Placeholders {
		missing += v.Count
	}
	isOfRows := func(v profile.Value) bool { return !c.IsStray(v) }
	if missing > 0 && slices.ContainsFunc(c.Placeholders, isOfRows) {
		stand := plural(missing, "stands", "stand")
		if slices.ContainsFunc(c.Placeholders, func(v profile.Value) bool { return kindOf(v.Value) == lexical.Text }) {
			stand = "perhaps stand" // a word that no list of placeholders has
		}
		add(70, "value.placeholder", missing, c.Placeholders, `null: ["", `+quotedList(c.Placeholders)+"]",
			": %s of %s values %s for a missing one: %s",
			value.Thousands(missing), value.Thousands(c.Filled), stand, examples(c.Placeholders,
				missing)).by(profile.Filter{Op: "placeholder"})
	}
	n.against(c, add)
	n.numbers(c, add)
	n.dates(c, add)
	n.texts(c, add)
}

func plural(n int64, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// quotedList writes values as a list of texts in a target.
func quotedList(values []profile.Value) string {
	var list []string
	for _, v := range values {
		list = append(list, strconv.Quote(v.Value))
	}
	return strings.Join(list, ", ")
}

type adder = func(rank int, code string, rows int64, first []profile.Value, rule, format string, args ...any) *said

// against tells of values that are not of the datatype.
func (n *narrator) against(c *profile.Column, add adder) {
	number, other := int64(0), int64(0)
	for _, k := range c.Kinds {
		if k.Kind.IsNumber() {
			number += k.Count
		} else if k.Kind != lexical.Placeholder {
			other += k.Count
		}
	}
	if c.Datatype == value.String {
		// Codes that are all different are often digits alone by chance.
		isCode := c.Once != nil && *c.Once == c.Distinct
		if odd := number + other; c.Numbers != nil && odd >= relation.EnoughRows && 4*number >= 3*odd && other > 0 &&
			c.Numbers.LeadingZeros == 0 && !isCode {
			add(78, "value.mixed", other, nil, "", " mixes numbers with other texts: %s of %s values %s none",
				value.Thousands(other), value.Thousands(odd), plural(other, "is", "are")).by(profile.Filter{Op: "notNumber"})
		}
		return
	}
	against := int64(0)
	for _, v := range c.Placeholders {
		if k := kindOf(v.Value); k == lexical.Placeholder || k == lexical.Text {
			against -= v.Count
		}
	}
	against += c.Filled - c.Fits
	if against <= 0 {
		return
	}
	if c.Dates != nil && c.Dates.MonthFirst > 0 && min(c.Dates.DayFirst, c.Dates.MonthFirst) == against {
		return // the order of their parts says it
	}
	if c.Dates != nil && len(c.Dates.Impossible) > 0 && int64(len(c.Dates.Impossible)) == against {
		add(82, "date.impossible", against, c.Dates.Impossible, "", ": %s: %s",
			value.Count(against, "date or time that does not exist", "dates or times that do not exist"),
			examples(c.Dates.Impossible, against)).by(profile.Filter{Op: "against"})
		return
	}
	if c.Datatype == value.Integer && c.Numbers.Noughts == against {
		add(79, "number.noughts", against, c.Against, "", ": %s of %s whole numbers %s zeros after the point: %s",
			value.Thousands(against), value.Thousands(c.Filled), plural(against, "has", "have"),
			examples(c.Against, against)).by(profile.Filter{Op: "against"})
		return
	}
	add(80, "value.against", against, c.Against, "", ": %s of %s values %s not %s: %s", value.Thousands(against),
		value.Thousands(c.Filled),
		plural(against, "is", "are"), ofDatatype(c, against > 1), examples(c.Against, against)).by(
		profile.Filter{Op: "against"})
}

// kindOf returns what a text is taken for.
func kindOf(text string) lexical.Kind {
	var l typing.Look
	l.Read([]byte(text), workbook.Text)
	return l.Kind
}

// numbers tells of the habits of numbers.
func (n *narrator) numbers(c *profile.Column, add adder) {
	h := c.Numbers
	if h == nil {
		return
	}
	numbers := int64(0)
	for _, k := range c.Kinds {
		if k.Kind.IsNumber() {
			numbers += k.Count
		}
	}
	isMostly := 10*numbers >= 9*c.Filled
	switch {
	case !isMostly:
	case h.LeadingZeros > 0 && c.Datatype == value.String:
		add(75, "number.zeros", h.LeadingZeros, nil, "datatype: string",
			" looks like a number, but %s with 0: keep it as text", value.Count(h.LeadingZeros, "value starts",
				"values start")).by(habit("zeros in front"))
	case h.Currency > 0 && c.Datatype == value.String:
		add(73, "number.currency", h.Currency, nil, "",
			" holds amounts with a currency sign: only without it they are numbers").by(habit("currency sign"))
	case h.Percent > 0 && c.Datatype == value.String:
		add(73, "number.percent", h.Percent, nil, "",
			" holds numbers with a percent sign: only without it they are numbers").by(habit("percent sign"))
	case h.SignBehind > 0 && c.Datatype == value.String:
		add(73, "number.sign", h.SignBehind, nil, "", " has %s behind", value.Count(h.SignBehind, "number with the sign",
			"numbers with the sign")).by(habit("sign behind"))
	}
	if c.Datatype.IsNumber() && h.Undecided > 0 {
		add(74, "number.undecided", h.Undecided, nil, "",
			": nothing tells whether %s separates decimals or thousands; it is taken for decimals",
			profile.CharNames[h.DecimalChar[0]]).by(habit("undecided point"))
	}
	if h.StoredAsText > 0 && c.Datatype.IsNumber() {
		add(40, "number.text", h.StoredAsText, nil, "", ": %s stored as text",
			value.Count(h.StoredAsText, "number is", "numbers are")).by(habit("number as text"))
	}
	if c.Far != nil {
		rows := int64(0)
		for _, v := range c.Far {
			rows += v.Count
		}
		add(68, "number.far", rows, c.Far, "", ": %s far from all others, which lie between %s and %s: %s",
			plural(rows, "1 value is", value.Thousands(rows)+" values are"), c.Usual[0], c.Usual[1],
			examples(c.Far, rows)).by(oneOf(c.Far))
	}
}

// dates tells of the habits of dates.
func (n *narrator) dates(c *profile.Column, add adder) {
	d := c.Dates
	if d == nil {
		return
	}
	if d.DecidedBy == "nothing" {
		taken := "the day is taken to"
		if d.IsClose {
			taken = fmt.Sprintf("with the %s the dates lie much closer together", d.Order)
		}
		add(76, "date.undecided", d.Either, nil, "",
			": no date tells whether the day or the month comes first; %s. Ask the sender",
			taken).by(habit("undecided order"))
	}
	if d.DayFirst > 0 && d.MonthFirst > 0 {
		few, which := d.MonthFirst, "month"
		if d.Order == "month first" {
			few, which = d.DayFirst, "day"
		}
		add(77, "date.orders", few, c.Against, "", ": most dates have the %s, but %s only with the %s first: %s",
			d.Order, value.Count(few, "makes sense", "make sense"), which, examples(c.Against, few)).by(habit("only " +
			which + " first"))
	}
	if len(d.Formats) > 1 {
		var list []string
		for _, f := range d.Formats {
			list = append(list, fmt.Sprintf("%s (%s)", f.Format, value.Thousands(f.Count)))
		}
		add(66, "date.formats", c.Filled, nil, "", ": dates come in %d formats: %s", len(d.Formats),
			strings.Join(list, ", ")).by(profile.Filter{Op: "filled"})
	}
	if d.TwoDigitYears > 0 {
		add(45, "date.short", d.TwoDigitYears, nil, "", ": the years of %s have two digits",
			value.Count(d.TwoDigitYears, "date", "dates")).by(habit("two-digit year"))
	}
	far := slices.DeleteFunc(slices.Clone(d.FarOff), func(v profile.Value) bool {
		return slices.ContainsFunc(c.Placeholders, func(p profile.Value) bool { return p.Value == v.Value })
	})
	if len(far) > 0 {
		rows := int64(0)
		for _, v := range far {
			rows += v.Count
		}
		add(68, "date.far", rows, far, "", ": %s years away from all others: %s", value.Count(rows, "date is", "dates are"),
			examples(far, rows)).by(oneOf(far))
	}
}

// texts tells of what is odd in how values are written.
func (n *narrator) texts(c *profile.Column, add adder) {
	if b := c.Blanks.Around; b.Count > 0 {
		add(50, "blank.around", b.Count, b.First, "remedies: [trim]", ": %s",
			value.Count(b.Count, "value has blanks around it", "values have blanks around them")).by(habit("blanks around"))
	}
	if b := c.Blanks.Inside; b.Count > 0 {
		add(48, "blank.inside", b.Count, b.First, "remedies: [squeeze]", ": %s more than one blank between words: %s",
			value.Count(b.Count, "value has", "values have"), examples(b.First, b.Count)).by(habit("blanks inside"))
	}
	if b := c.Blanks.Invisible; b.Count > 0 {
		add(52, "blank.invisible", b.Count, b.First, "",
			": %s characters that do not show, such as tabs and no-break spaces",
			value.Count(b.Count, "value has", "values have")).by(habit("characters that do not show"))
	}
	if c.Datatype != value.String {
		return
	}
	if len(c.Variants) > 0 && 2*c.Distinct <= c.Filled {
		g := c.Variants[0]
		rows := int64(0)
		var others []profile.Value
		for _, group := range c.Variants {
			for _, v := range group[1:] {
				rows += v.Count
				others = append(others, v)
			}
		}
		more := ""
		if len(c.Variants) > 1 {
			more = fmt.Sprintf(", and %s more", value.Count(int64(len(c.Variants)-1), "group", "groups"))
		}
		add(55, "value.variants", rows, g[1:], "", ": the same is written in different ways: %s%s", examples(g, 0),
			more).by(oneOf(others))
	}
	// What no longer has its characters is told of as such, and is not found by what it looks like.
	typos := slices.DeleteFunc(typos(c), func(t typo) bool { return strings.ContainsRune(t.value.Value, utf8.RuneError) })
	if len(typos) > 0 {
		var list []string
		rows := int64(0)
		var first []profile.Value
		for _, t := range typos {
			list = append(list, fmt.Sprintf("%s (%s) for %s (%s)", clip(t.value.Value),
				value.Thousands(t.value.Count), clip(t.meant.Value), value.Thousands(t.meant.Count)))
			rows += t.value.Count
			first = append(first, t.value)
		}
		add(58, "value.misspelt", rows, first, "", ": perhaps misspelt: %s",
			strings.Join(list[:min(3, len(list))], ", ")).by(oneOf(first))
	}
	n.shapes(c, add)
}

// shapes tells of the few values of another shape than nearly all have.
func (n *narrator) shapes(c *profile.Column, add adder) {
	known := c.OtherShapes
	for _, s := range c.Shapes {
		known += s.Count
	}
	missing := int64(0)
	for _, v := range c.Placeholders {
		missing += v.Count
	}
	if len(c.Shapes) < 2 || known < relation.EnoughRows || c.Category && !strings.Contains(c.Shapes[0].Shape, "9") ||
		strings.ContainsAny(c.Shapes[0].Shape, " …") {
		return
	}
	if odd := known - missing - c.Shapes[0].Count; odd > 0 && 20*odd <= known && len(c.Shapes[0].Shape) > 1 {
		first := c.Odd
		if len(first) == 0 {
			for _, s := range c.Shapes[1:min(len(c.Shapes), 5)] {
				first = append(first, profile.Value{Value: s.Shape, Count: s.Count, Row: s.Row, Line: s.Line})
			}
		}
		add(65, "value.shape", odd, first, "", ": nearly all values look like %s, but %s: %s", c.Shapes[0].Shape,
			plural(odd, "1 does not", value.Thousands(odd)+" do not"), examples(first, odd)).by(profile.Filter{Op: "notShape",
			Value: c.Shapes[0].Shape})
	}
}

// typo is a value of a category that is likely another one, misspelt.
type typo struct{ value, meant profile.Value }

// typos finds the values of a category that are likely misspelt. What is only written in another way,
// as in other letter case, is told of by itself.
func typos(c *profile.Column) (found []typo) {
	if !c.Category {
		return nil
	}
	of := map[string]profile.Value{}
	var texts []variants.Text
	for _, v := range c.Top {
		of[v.Value] = v
		texts = append(texts, variants.Text{Text: v.Value, Count: v.Count})
	}
	for _, f := range variants.Find(texts, nil) {
		for _, o := range f.Likely() {
			if o.Why != "case" {
				found = append(found, typo{of[o.Text.Text], of[f.Spelling]})
			}
		}
	}
	return found
}

// Misspelt returns the values of a category that are likely misspelt.
func Misspelt(c *profile.Column) (all []profile.Value) {
	for _, t := range typos(c) {
		all = append(all, t.value)
	}
	return all
}

// relations tells of what nearly holds between columns, and of columns that are
// the same.
func (n *narrator) relations() {
	told := make([]bool, len(n.Relations))
	for i, r := range n.Relations {
		if told[i] {
			continue
		}
		first := places(r.First)
		at := ""
		if len(first) > 0 {
			at = fmt.Sprintf(", first in row %s", value.Thousands(first[0].Row))
		}
		but := fmt.Sprintf(", but not in %s%s", value.Count(r.Exceptions, "row", "rows"), at)
		switch {
		case r.Kind == "equal" && r.Exceptions == 0:
			n.add(20, "columns.equal", r.Rows, nil, "", r.Columns, "%s always hold the same",
				names(r.Columns)).by(profile.Filter{Op: "filled"})
		case r.Exceptions == 0:
		case r.Kind == "equal":
			n.add(72, "columns.equal", r.Exceptions, first, "", r.Columns, "%s hold the same%s", names(r.Columns),
				but).by(profile.Filter{Op: "differs", Columns: r.Columns[1:]})
		case r.Kind == "determines":
			// What the same rows break for the same reason is one finding.
			columns := slices.Clone(r.Columns)
			for k := i + 1; k < len(n.Relations); k++ {
				if o := n.Relations[k]; o.Kind == r.Kind && o.Columns[0] == r.Columns[0] &&
					slices.Equal(o.Behind, r.Behind) {
					columns, told[k] = append(columns, o.Columns[1]), true
				}
			}
			n.add(72, "columns.determined", r.Exceptions, first, "", columns, "%s %s from %s%s", names(columns[1:]),
				plural(int64(len(columns)-1), "follows", "follow"), name(r.Columns[0]),
				but).by(profile.Filter{Op: "rows", Rows: r.Behind})
		case r.Kind == "order":
			n.add(72, "columns.order", r.Exceptions, first, "", r.Columns, "%s is not after %s%s", name(r.Columns[0]),
				name(r.Columns[1]), but).by(profile.Filter{Op: "after", Columns: r.Columns[1:]})
		case r.Kind == "sum":
			n.add(72, "columns.sum", r.Exceptions, first, "", r.Columns, "%s is the sum of %s%s", name(r.Columns[0]),
				names(r.Columns[1:]), but).by(profile.Filter{Op: "notSum", Columns: r.Columns[1:]})
		}
	}
}
