// Package target is the model of a target: the table that rows are meant for,
// with its columns and their rules, as a steward writes it down.
//
// It reads targets from YAML or JSON and says, with line and column, what is
// unknown or contradictory in them. It does not check rows: package check
// compiles a target into judges.
package target

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"sieb/core/codes"
	"sieb/core/remedy"
	"sieb/core/value"
	"sieb/core/violation"
)

// Target is a table that rows are meant for.
type Target struct {
	Name        string
	Title       string
	Columns     []Column
	Key         []string   // names of the columns that identify a row together
	UniqueKeys  [][]string // further columns that are unique together; where one has no value, they may recur
	ForeignKeys []ForeignKey
	AbsentFrom  []ForeignKey // keys that must not be there yet
	RowRules    []RowRule
	Exclude     []Exclusion
	LeftOut     []string // headers of columns that are known and not wanted
	RefuseNew   bool     // a column that is not known refuses the delivery
	Rows        Rows
	Repeated    Repeated
	Delivery    DeliveryRules
	Tolerance   Tolerance
	Text        []byte   // the text that it was read from
	Mapping     *Mapping // with which it was joined; nil for a target that stands by itself

	labelled []string // code lists whose labels expressions read
}

// ForeignKey says that the values of some columns occur together in another table.
type ForeignKey struct {
	Columns     []string
	Reference   Reference
	OnViolation violation.Action
	Message     string // "" for Sieb's own words
}

// Reference is the other table: a resource that the run is given by its name, a code list, or
// a table of a database that the service knows.
type Reference struct {
	Resource        string
	Codes           string // name of a code list
	Database, Table string
	Columns         []string // of the other table, in the order of the own ones
}

// Name returns what the other table is called.
func (r *Reference) Name() string {
	return cmp.Or(r.Resource, r.Codes, r.Table)
}

// CodeLists returns the names of the code lists that columns and expressions refer to, each once.
func (t *Target) CodeLists() (names []string) {
	for i := range t.Columns {
		if c := t.Columns[i].Codes; c != nil && !slices.Contains(names, c.Name) {
			names = append(names, c.Name)
		}
	}
	others := slices.Clone(t.labelled)
	for i := range t.Columns {
		for _, r := range t.Columns[i].Remedies {
			if r.Name == remedy.Translate {
				others = append(others, r.Texts["codes"])
			}
		}
	}
	for _, fk := range t.Constraints() {
		others = append(others, fk.Reference.Codes)
	}
	for _, name := range others {
		if name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// WithCodes returns the target with the codes of some lists in the place of their names, as
// values that are allowed.
func (t *Target) WithCodes(lists []*codes.List) *Target {
	with := *t
	with.Columns = slices.Clone(t.Columns)
	for i := range with.Columns {
		c := &with.Columns[i]
		for _, l := range lists {
			if c.Codes == nil || c.Codes.Name != l.Name {
				continue
			}
			c.Codes = nil
			for _, code := range l.Codes {
				c.OneOf = append(c.OneOf, code.Code)
			}
		}
	}
	return &with
}

// Constraints returns all foreign keys, those of AbsentFrom last.
func (t *Target) Constraints() []ForeignKey {
	return append(slices.Clone(t.ForeignKeys), t.AbsentFrom...)
}

// Alone returns the target without what it refers to in other tables.
func (t *Target) Alone() *Target {
	alone := *t
	alone.ForeignKeys, alone.AbsentFrom = nil, nil
	return &alone
}

// RowRule is a condition over several columns of a row.
type RowRule struct {
	Name        string
	Condition   string // in CEL
	OnViolation violation.Action
	Message     string // "" for Sieb's own words
}

// Exclusion is a condition by which rows are left out.
type Exclusion struct {
	Condition string // in CEL
	Reason    string
}

// Sequence is what a column's values are from row to row.
type Sequence uint8

// The orders.
const (
	AnyOrder    Sequence = iota
	Ascending            // none is below the one before
	Consecutive          // each follows the one before: the next number or day
)

var orderWords = []string{"", "ascending", "consecutive"}

// String returns the order as a target says it.
func (s Sequence) String() string { return orderWords[s] }

// ValueType returns the datatype of the column's values as conditions read them: a list is
// a text.
func (c *Column) ValueType() value.Datatype {
	if c.Separator != "" {
		return value.String
	}
	return c.Datatype
}

// ListSeparator returns what the sender writes between the values of a list.
func (c *Column) ListSeparator() string {
	if c.SentWith != "" {
		return c.SentWith
	}
	return c.Separator
}

// CodeList says that a column's values are the codes of a list that the run is given.
type CodeList struct {
	Name  string
	Loose bool // letter case and blanks do not count; the list's own form takes the place
}

// Rows is how many rows a delivery is to have. The zero Rows want at least one: a
// delivery of nothing is a mistake more often than not.
type Rows struct {
	Minimum *int64 // nil stands for 1
	Maximum *int64 // nil stands for any number
}

// Least returns the least number of rows.
func (r Rows) Least() int64 {
	if r.Minimum != nil {
		return *r.Minimum
	}
	return 1
}

// Tolerance is how much may be rejected before the delivery is refused. The
// zero Tolerance has no limit.
type Tolerance struct {
	Rows  *int64   // at most so many rows
	Share *big.Rat // at most this share of the rows read, 0 to 1
}

// Exceeded reports whether the rejected rows are more than the tolerance allows.
func (t Tolerance) Exceeded(rejected, read int64) bool {
	if t.Rows != nil && rejected > *t.Rows {
		return true
	}
	if t.Share == nil || read == 0 {
		return false
	}
	return big.NewRat(rejected, read).Cmp(t.Share) > 0
}

// IsSet reports whether there is a limit.
func (t Tolerance) IsSet() bool { return t.Rows != nil || t.Share != nil }

// String writes the tolerance as a target does: "2%" or "100".
func (t Tolerance) String() string {
	switch {
	case t.Rows != nil:
		return fmt.Sprint(*t.Rows)
	case t.Share != nil:
		percent := new(big.Rat).Mul(t.Share, big.NewRat(100, 1))
		text := percent.FloatString(6)
		return strings.TrimSuffix(strings.TrimRight(text, "0"), ".") + "%"
	}
	return "no limit"
}

// Column returns the column of a name, nil where there is none.
func (t *Target) Column(name string) *Column {
	for i := range t.Columns {
		if t.Columns[i].Name == name {
			return &t.Columns[i]
		}
	}
	return nil
}

// Plain makes the target of a delivery that has none: every column a text,
// nothing demanded.
func Plain(columns []string) *Target {
	t := &Target{Columns: make([]Column, len(columns))}
	for i, name := range columns {
		t.Columns[i] = Column{Name: name, Position: i + 1, Null: []string{""}}
	}
	return t
}

// Action returns what a violation of the column does. One action for all is said of those
// that would reject the row: what is only flagged stays flagged, and a row whose cells
// cannot be told apart is no matter of one column. Nor does it blank what blanking does not mend.
func (c *Column) Action(code violation.Code) violation.Action {
	if a, ok := c.OnCode[code]; ok {
		return a
	}
	if code == violation.TypeFormula && c.Required {
		return violation.Reject // where a value is required it is like the error of a formula
	}
	if c.OnViolation == nil || code.Action() != violation.Reject || code == violation.QuoteOpen ||
		code == violation.TextGrown || *c.OnViolation == violation.Blank && !isMendedByBlanking(code) {
		return code.Action()
	}
	return *c.OnViolation
}

// isMendedByBlanking reports whether a cell that breaks a rule breaks it no longer without its value.
func isMendedByBlanking(code violation.Code) bool {
	return code != violation.RequiredEmpty && code != violation.KeyDuplicate && code != violation.OrderBroken
}

// IsColumn reports whether properties, as JSON has them, make a column of a target.
func IsColumn(properties map[string]any) bool {
	text, err := json.Marshal(map[string]any{"target": "t", "columns": []any{properties}})
	if err == nil {
		_, err = Parse(text)
	}
	return err == nil
}

// blanks reports whether a wrong value may be made none.
func (c *Column) blanks() bool {
	for _, a := range c.OnCode {
		if a == violation.Blank {
			return true
		}
	}
	return c.OnViolation != nil && *c.OnViolation == violation.Blank
}

// Title returns the name that a sender knows the column by.
func (c *Column) Title() string {
	if len(c.Titles) > 0 {
		return c.Titles[0]
	}
	return c.Name
}

// NumberFormat returns the format of the column's numbers.
func (c *Column) NumberFormat() (value.NumberFormat, error) {
	pattern := ""
	if len(c.Formats) > 0 {
		pattern = c.Formats[0]
	}
	return value.NewNumberFormat(c.Point(), c.GroupChar, pattern)
}

// Point returns the sign before decimals. Where points stand between thousands and nothing
// else is said, it is a comma.
func (c *Column) Point() string {
	switch {
	case c.DecimalChar != "":
		return c.DecimalChar
	case c.GroupChar == ".":
		return ","
	}
	return "."
}

// DateFormats returns the formats of the column's dates, ISO 8601 where the
// column declares none.
func (c *Column) DateFormats() ([]*value.DateFormat, error) {
	patterns := c.Formats
	if len(patterns) == 0 {
		patterns = []string{""}
	}
	all := make([]*value.DateFormat, len(patterns))
	for i, p := range patterns {
		f, err := value.NewDateFormat(c.Datatype, p)
		if err != nil {
			return nil, err
		}
		if all[i] = f; c.YearPivot > 0 {
			all[i] = f.WithPivot(c.YearPivot)
		}
	}
	return all, nil
}

// Booleans returns the texts for true and false.
func (c *Column) Booleans() (yes, no []string, err error) {
	if len(c.Formats) == 0 {
		return []string{"true", "1"}, []string{"false", "0"}, nil
	}
	for _, f := range c.Formats {
		y, n, has := strings.Cut(f, "|")
		if !has || y == "" || n == "" || y == n || strings.Contains(n, "|") {
			return nil, nil, fmt.Errorf("the format %q of a boolean is two texts with a bar between them, such as Y|N",
				f)
		}
		yes, no = append(yes, y), append(no, n)
	}
	return yes, no, nil
}
