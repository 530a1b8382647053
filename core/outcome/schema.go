package outcome

import (
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
	Separator   string            // between the values of a list, which is one text; "" for no list
	Labels      map[string]string // what codes mean; nil for none
}

// IsText reports whether the column's values are texts: it holds texts, or lists of anything.
func (c *Column) IsText() bool { return c.Separator != "" || c.Datatype.IsText() }

// Table is what an output holds: rows of one side, and their columns.
type Table struct {
	*Schema
	Side    Side
	Columns []Column
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
func (s *Schema) Table(side Side) *Table {
	t := &Table{Schema: s, Side: side}
	switch side {
	case Accepted:
		t.Columns = s.Columns
	case Violations:
		t.Columns = numbered(ViolationsHeader)
	case Rejected:
		t.Columns = numbered(slices.Concat(RejectedHeader, s.Delivered))
	case Excluded:
		t.Columns = numbered(slices.Concat(ExcludedHeader, s.Delivered))
	}
	return t
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
