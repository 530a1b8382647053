// Package brief explains a target to those who send its rows: each column in words, with an
// example, and an empty workbook to be filled in.
package brief

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"sieb/core/codes"
	"sieb/core/forms"
	"sieb/core/target"
	"sieb/core/value"
)

// Entry is a column of a target in words.
type Entry struct {
	Heading   string    `json:"heading" doc:"the header by which the column is found"`
	Name      string    `json:"name" doc:"in the table"`
	Mandatory bool      `json:"mandatory"`
	Kind      string    `json:"kind" doc:"what is written, in a few words"`
	Rules     []string  `json:"rules" doc:"what else is demanded, each in a few words"`
	Values    []Allowed `json:"values,omitempty" doc:"the values that are allowed, the first of them"`
	Others    int       `json:"others,omitempty" doc:"values that are allowed besides"`
	Example   string    `json:"example"`
	Meaning   string    `json:"meaning,omitempty"`

	datatype value.Datatype
	limits   [2]string
	length   int // 0 for any
}

// Allowed is an allowed value, and what it means.
type Allowed struct {
	Value string `json:"value"`
	Label string `json:"label,omitempty"`
}

// Page is a target in words.
type Page struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	Columns []Entry  `json:"columns"`
	Rules   []string `json:"rules" doc:"what is demanded of rows and of the file"`
}

// mostValues is how many allowed values a page names.
const mostValues = 100

// Of explains a target. What a sender does not deliver (columns that are computed, or the same in all rows) is
// left out.
func Of(t *target.Target, lists []*codes.List) *Page {
	p := &Page{Name: t.Name, Title: cmp.Or(t.Title, t.Name), Columns: []Entry{}, Rules: []string{}}
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Derive != "" || c.Value != nil {
			continue
		}
		p.Columns = append(p.Columns, columnOf(c, lists, slices.Contains(t.Key, c.Name) && len(t.Key) == 1))
	}
	if len(t.Key) > 1 {
		p.Rules = append(p.Rules, "No two rows have the same "+joined(t, t.Key)+" together.")
	}
	for _, key := range t.UniqueKeys {
		p.Rules = append(p.Rules, "No two rows have the same "+joined(t, key)+" together.")
	}
	for _, r := range t.RowRules {
		if r.Name == r.Condition {
			p.Rules = append(p.Rules, "In each row: "+r.Condition)
		} else {
			p.Rules = append(p.Rules, fmt.Sprintf("In each row: %s (%s)", r.Name, r.Condition))
		}
	}
	for _, fk := range t.ForeignKeys {
		p.Rules = append(p.Rules, fmt.Sprintf("%s is known in %s.", joined(t, fk.Columns), fk.Reference.Name()))
	}
	if t.Rows.Maximum != nil {
		p.Rules = append(p.Rules, fmt.Sprintf("A file has at most %s.", value.Count(*t.Rows.Maximum, "row", "rows")))
	}
	if n := t.Rows.Least(); n > 1 {
		p.Rules = append(p.Rules, fmt.Sprintf("A file has at least %s.", value.Count(n, "row", "rows")))
	}
	return p
}

func joined(t *target.Target, names []string) string {
	titles := make([]string, len(names))
	for i, name := range names {
		titles[i] = name
		if c := t.Column(name); c != nil {
			titles[i] = c.Title()
		}
	}
	return strings.Join(titles, ", ")
}

func capital(text string) string {
	if text == "" {
		return text
	}
	r := []rune(text)
	return strings.ToUpper(string(r[:1])) + string(r[1:])
}

func columnOf(c *target.Column, lists []*codes.List, isKey bool) Entry {
	out := Entry{Heading: c.Title(), Name: c.Name, Mandatory: c.Required, Meaning: c.Description, Kind: kindOf(c),
		Rules:    []string{},
		datatype: c.Datatype, limits: [2]string{c.Minimum, c.Maximum}}
	say := func(format string, args ...any) { out.Rules = append(out.Rules, fmt.Sprintf(format, args...)) }
	for i := range target.Rules {
		switch r := &target.Rules[i]; {
		case r.Name == "required" || r.Name == "oneOf" || r.Name == "precision": // which stand elsewhere on the page
		case r.Name == "unique" && isKey:
			say("%s", r.Words(c))
		case r.IsSet(c) && r.Words(c) != "":
			say("%s", r.Words(c))
		}
	}
	if c.MaxLength != nil {
		out.length = *c.MaxLength
	}
	if c.Separator != "" {
		say("several values with %q between them", c.ListSeparator())
	}
	if nulls := slices.DeleteFunc(slices.Clone(c.Null), func(n string) bool { return n == "" }); len(nulls) > 0 {
		say("%s stands for no value", strings.Join(nulls, ", "))
	}
	if c.Default != "" {
		say("an empty cell means %s", c.Default)
	}
	out.values(c, lists)
	out.Example = exampleOf(c, out.Values)
	return out
}

// values names what is allowed.
func (out *Entry) values(c *target.Column, lists []*codes.List) {
	for _, v := range c.OneOf {
		out.Values = append(out.Values, Allowed{Value: v})
	}
	if c.Codes != nil {
		if l := codes.Named(lists, c.Codes.Name); l != nil {
			for _, code := range l.Codes {
				out.Values = append(out.Values, Allowed{code.Code, code.Label})
			}
		} else {
			out.Rules = append(out.Rules, "a code of the list "+c.Codes.Name)
		}
	}
	if n := len(out.Values) - mostValues; n > 0 {
		out.Values, out.Others = out.Values[:mostValues], n
	}
}

// kindOf says what is written in a column.
func kindOf(c *target.Column) string {
	switch d := c.Datatype; {
	case d == value.Integer:
		return "a whole number" + grouped(c)
	case d == value.Decimal:
		kind := "a number with a decimal point"
		if c.Point() == "," {
			kind = "a number with a decimal comma"
		}
		kind += grouped(c)
		if c.Scale != nil && c.Precision != nil {
			kind += fmt.Sprintf(", up to %d digits before it and %d behind it", *c.Precision-*c.Scale, *c.Scale)
		}
		return kind
	case d == value.Double:
		return "a number"
	case d == value.Boolean:
		yes, no, err := c.Booleans()
		if err != nil {
			return "yes or no"
		}
		return fmt.Sprintf("%s for yes, %s for no", yes[0], no[0])
	case d == value.Date:
		return "a date, written " + strings.Join(formatsOf(c), " or ")
	case d == value.DateTime:
		return "a date with the time of day, written " + strings.Join(formatsOf(c), " or ")
	case d == value.Time:
		return "a time of day, written " + strings.Join(formatsOf(c), " or ")
	case d == value.AnyURI:
		return "a web address"
	case d == value.Duration:
		return "a duration, as ISO 8601 writes it"
	}
	return "a text"
}

func grouped(c *target.Column) string {
	if c.GroupChar == "" {
		return ""
	}
	return fmt.Sprintf(", with %q between thousands", c.GroupChar)
}

func formatsOf(c *target.Column) []string {
	if len(c.Formats) > 0 {
		return c.Formats
	}
	return []string{map[value.Datatype]string{value.Date: "yyyy-MM-dd", value.DateTime: "yyyy-MM-ddTHH:mm:ss",
		value.Time: "HH:mm:ss"}[c.Datatype]}
}

// exampleOf makes a value that the column takes; "" where none is known, as of a text of some form.
func exampleOf(c *target.Column, values []Allowed) string {
	if len(values) > 0 {
		return values[0].Value
	}
	switch d := c.Datatype; {
	case d.IsNumber():
		text := cmp.Or(c.Minimum, c.Maximum, "12")
		if c.Minimum == "" && c.Maximum == "" && d == value.Decimal {
			text = "12.5"
		}
		return strings.ReplaceAll(text, ".", c.Point())
	case d == value.Boolean:
		if yes, _, err := c.Booleans(); err == nil {
			return yes[0]
		}
		return "true"
	case d.IsMoment():
		formats, err := c.DateFormats()
		if err != nil || len(formats) == 0 {
			return ""
		}
		return formats[0].Example()
	case d == value.AnyURI:
		return "https://talfeld.example/"
	case d == value.Duration:
		return "PT2H"
	}
	switch {
	case len(c.Formats) > 0:
		return forms.Example(c.Formats[0])
	case c.MinLength != nil && *c.MinLength > len("text"):
		return strings.Repeat("x", *c.MinLength)
	case c.MaxLength != nil && *c.MaxLength < len("text"):
		return strings.Repeat("x", *c.MaxLength)
	}
	return "text"
}
