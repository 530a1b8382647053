package outcome

import (
	"fmt"
	"slices"

	"sieb/core/value"
)

// Schema says what the columns of an outcome are.
type Schema struct {
	Name      string   // of the target; "" for none
	Title     string   // of the target
	Columns   []Column // of the target, which accepted rows have
	Delivered []string // the header of the delivery, whose cells all other rows have
}

// Column is a column of an output.
type Column struct {
	Name        string
	Title       string // what people call it
	Description string
	Datatype    value.Datatype    // a text where values that are not of the datatype are only flagged
	Precision   int               // digits of a number in all; 0 for any
	Scale       int               // digits behind the point at the most; -1 for any
	Zoned       bool              // every dateTime has a zone
	Separator   string            // between the values of a list, which is one text; "" for no list
	Labels      map[string]string // what codes mean; nil for none
}

// IsText reports whether the column's values are texts: it holds texts, or lists of anything.
func (c *Column) IsText() bool { return c.Separator != "" || c.Datatype.IsText() }

// Heading says under which heads the columns of an output stand.
type Heading string

// The headings.
const (
	ByName  Heading = "names" // those of the target
	ByTitle Heading = "titles"
	NoHead  Heading = "none"
)

// Coding says what stands in an output for the codes of a code list.
type Coding string

// The codings.
const (
	AsCode  Coding = "code"
	AsLabel Coding = "label" // the code where it has none
	AsBoth  Coding = "both"  // the label in a column of its own behind the code
)

// Shape says how the rows of an output are laid out; the zero Shape has codes, under names.
type Shape struct {
	Heading Heading
	Coding  Coding
}

// Table is what an output holds: rows of one side, and their columns.
type Table struct {
	*Schema
	Side    Side
	Columns []Column
	Heads   []string // over the columns; nil for none

	fields []field // of accepted rows
}

// field is where a field of an accepted row comes from.
type field struct {
	column  int  // of the target
	isLabel bool // what the column's codes mean
}

// Before the cells of a row that was not accepted stand its number, its line, and why.
const leading = 3

// Headers of what accompanies accepted rows.
var (
	RejectedHeader   = []string{"row", "line", "reasons"} // then the delivery's own
	ExcludedHeader   = []string{"row", "line", "reason"}  // then the delivery's own
	ViolationsHeader = []string{"row", "line", "column", "code", "value", "message"}
)

// Table returns what an output of a side holds.
func (s *Schema) Table(side Side, shape Shape) *Table {
	t := &Table{Schema: s, Side: side}
	switch side {
	case Accepted:
		t.lay(shape.Coding)
	case Violations:
		t.Columns = numbered(ViolationsHeader)
	case Rejected:
		t.Columns = numbered(slices.Concat(RejectedHeader, s.Delivered))
	case Excluded:
		t.Columns = numbered(slices.Concat(ExcludedHeader, s.Delivered))
	}
	t.head(shape.Heading)
	return t
}

// lay lays out the columns of accepted rows.
func (t *Table) lay(coding Coding) {
	for i := range t.Schema.Columns {
		c := t.Schema.Columns[i]
		isLabelled := c.Labels != nil && coding != "" && coding != AsCode
		if !isLabelled || coding == AsBoth {
			t.Columns, t.fields = append(t.Columns, c), append(t.fields, field{column: i})
		}
		if !isLabelled {
			continue
		}
		if coding == AsBoth {
			c.Name, c.Title = c.Name+"_label", c.Title+" (label)"
		}
		c.Datatype = value.String
		t.Columns, t.fields = append(t.Columns, c), append(t.fields, field{i, true})
	}
}

// head finds the heads of the columns: where a title recurs the names stand for it.
func (t *Table) head(heading Heading) {
	if heading == NoHead {
		return
	}
	t.Heads = t.Names()
	if heading != ByTitle {
		return
	}
	used := map[string]int{}
	for i := range t.Columns {
		used[t.Columns[i].Title]++
	}
	for i := range t.Columns {
		if title := t.Columns[i].Title; used[title] == 1 {
			t.Heads[i] = title
		}
	}
}

// Keys returns the heads of the columns, or their names where there are none, for a form that tells columns by them: a
// number stands behind one that recurs.
func (t *Table) Keys() []string {
	keys := slices.Clone(t.Heads)
	if keys == nil {
		keys = t.Names()
	}
	taken := map[string]bool{}
	for i, lead := range keys {
		for n := 2; taken[keys[i]]; n++ {
			keys[i] = fmt.Sprintf("%s_%d", lead, n)
		}
		taken[keys[i]] = true
	}
	return keys
}

// IsPlain reports whether accepted rows have the target's columns, as they are.
func (t *Table) IsPlain() bool {
	return t.Side == Accepted && !slices.ContainsFunc(t.fields, func(f field) bool { return f.isLabel })
}

// numbered returns columns of texts, of which the first two are the row's number and line.
func numbered(names []string) []Column {
	all := make([]Column, len(names))
	for i, name := range names {
		all[i] = Column{Name: name, Title: name, Datatype: value.String, Scale: -1}
		if i < 2 {
			all[i].Datatype = value.Integer
		}
	}
	return all
}

// Names returns the names of the table's columns.
func (t *Table) Names() []string {
	names := make([]string, len(t.Columns))
	for i := range t.Columns {
		names[i] = t.Columns[i].Name
	}
	return names
}
