// Package check compiles a target into judges and finds the violations of
// rows.
//
// A Plan is compiled once per run and shared; a Judge belongs to one goroutine.
// A judge sees one row at a time and in any order, so what depends on the
// order of rows (which row of a key is the first) is left to package sift. It
// also writes the row in canonical form, since it has just read each value.
package check

import (
	"fmt"
	"strings"

	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// Plan is a target compiled for the columns of one delivery.
type Plan struct {
	Keys     []Key
	Delivery []Finding // violations of the delivery as a whole
	Refused  bool      // a violation of the delivery refuses it: no row is accepted
	columns  []column
	cells    []int // for each cell of a row the column that it feeds, or -1
	header   []string
	encoding string
	plain    bool // there is no target
}

// Key is a uniqueness rule: the columns whose values must not recur together.
type Key struct {
	Columns []int
	Name    string // "ticket_no" or "site, ticket_no"
	Action  violation.Action
}

// Finding is a violation of the delivery as a whole.
type Finding struct {
	Code    violation.Code
	Action  violation.Action
	Column  string
	Line    int64
	Value   string
	Message string
}

// column is one compiled column rule.
type column struct {
	spec        *target.Column
	cell        int // place in the delivery's rows, -1 where it has none
	nulls       [][]byte
	longestNull int
	number      value.NumberFormat
	dates       []*value.DateFormat
	yes         []string
	no          []string
	min         *target.Literal
	max         *target.Literal
	text        *pattern
	oneOf       map[string]bool        // of a string
	set         []target.Literal       // of other datatypes
	whole       int                    // digits before the point that fit, -1 for any
	frac        int                    // digits after the point that fit, -1 for any
	hashed      bool                   // belongs to a key
	quick       func(cell []byte) bool // see quickTest
}

// action returns what a violation does. What a column says of its violations is said of
// those that would reject the row: what is only flagged stays flagged, and a row whose
// cells cannot be told apart is no matter of one column.
func (c *column) action(code violation.Code) violation.Action {
	if c.spec.OnViolation != nil && code.Action() == violation.Reject && code != violation.QuoteOpen {
		return *c.spec.OnViolation
	}
	return code.Action()
}

// NewPlan compiles a target for a delivery with this header, whose bytes are
// in this encoding. Without a target (nil) every column is a text of which
// nothing is demanded.
func NewPlan(t *target.Target, header source.Header, encoding string) (*Plan, error) {
	plain := t == nil
	p := &Plan{header: header.Names, cells: make([]int, len(header.Names)), encoding: encoding, plain: plain}
	if plain {
		t = target.Plain(header.Names)
	}
	p.columns = make([]column, len(t.Columns))
	for i := range t.Columns {
		if err := p.columns[i].compile(&t.Columns[i]); err != nil {
			return nil, fmt.Errorf("column %s: %w", t.Columns[i].Name, err)
		}
	}
	if err := p.match(header, plain); err != nil {
		return nil, err
	}
	for i := range p.columns {
		if p.columns[i].spec.Unique {
			p.addKey([]int{i})
		}
	}
	if len(t.Key) > 0 {
		var columns []int
		for _, name := range t.Key {
			for i := range p.columns {
				if p.columns[i].spec.Name == name {
					columns = append(columns, i)
				}
			}
		}
		p.addKey(columns)
	}
	for i := range p.columns {
		p.columns[i].quick = p.columns[i].quickTest()
	}
	return p, nil
}

func (p *Plan) addKey(columns []int) {
	if len(columns) == 1 {
		for _, k := range p.Keys {
			if len(k.Columns) == 1 && k.Columns[0] == columns[0] {
				return
			}
		}
	}
	names := make([]string, len(columns))
	action := violation.KeyDuplicate.Action()
	for i, c := range columns {
		p.columns[c].hashed = true
		names[i] = p.columns[c].spec.Name
		if len(columns) == 1 {
			action = p.columns[c].action(violation.KeyDuplicate)
		}
	}
	p.Keys = append(p.Keys, Key{columns, strings.Join(names, ", "), action})
}

func (c *column) compile(spec *target.Column) (err error) {
	c.spec, c.cell, c.whole, c.frac = spec, -1, -1, -1
	for _, n := range spec.Null {
		c.nulls = append(c.nulls, []byte(n))
		c.longestNull = max(c.longestNull, len(n))
	}
	switch spec.Datatype {
	case value.String:
		if len(spec.Formats) > 0 {
			c.text, err = newPattern(spec.Formats[0])
		}
	case value.Boolean:
		c.yes, c.no, err = spec.Booleans()
	case value.Date, value.DateTime:
		c.dates, err = spec.DateFormats()
	default:
		c.number, err = spec.NumberFormat()
	}
	if err != nil {
		return err
	}
	if spec.Precision != nil {
		c.whole = *spec.Precision
		if spec.Datatype == value.Decimal {
			c.frac = 0
			if spec.Scale != nil {
				c.frac = *spec.Scale
			}
			c.whole -= c.frac
		}
	}
	if spec.OneOf != nil && spec.Datatype == value.String {
		c.oneOf = map[string]bool{}
		for _, v := range spec.OneOf {
			c.oneOf[v] = true
		}
	}
	literal := func(text string) *target.Literal {
		l, ok := spec.Literal(text)
		if !ok {
			err = fmt.Errorf("%q is not of datatype %s", text, spec.Datatype)
		}
		return &l
	}
	if spec.Minimum != "" {
		c.min = literal(spec.Minimum)
	}
	if spec.Maximum != "" {
		c.max = literal(spec.Maximum)
	}
	if spec.Datatype != value.String {
		for _, v := range spec.OneOf {
			c.set = append(c.set, *literal(v))
		}
	}
	return err
}

// match finds the cell that feeds each column: by position where the column
// gives one, else by header (titles first, then name), else, in a delivery
// without a header, by order. Headers are compared without regard to case and
// to blanks around or repeated inside them. Two columns that find one cell are an error
// of the target, since one of them most likely means another.
func (p *Plan) match(header source.Header, plain bool) error {
	for i := range p.cells {
		p.cells[i] = -1
	}
	byName := map[string][]int{}
	for i, name := range header.Names {
		byName[fold(name)] = append(byName[fold(name)], i)
	}
	line := max(header.Line, 1)
	for i := range p.columns {
		c := &p.columns[i]
		var found []int
		switch {
		case c.spec.Position > 0:
			if c.spec.Position <= len(p.cells) {
				found = []int{c.spec.Position - 1}
			}
		case !header.Named:
			if i < len(p.cells) {
				found = []int{i}
			}
		default:
			for _, name := range append(append([]string{}, c.spec.Titles...), c.spec.Name) {
				if found = byName[fold(name)]; found != nil {
					break
				}
			}
		}
		if len(found) == 0 {
			p.missing(c, header, line)
			continue
		}
		if other := p.cells[found[0]]; other >= 0 {
			return &Shared{Columns: [2]string{p.columns[other].spec.Name, c.spec.Name}, Header: header.Names[found[0]],
				Place: found[0] + 1}
		}
		c.cell = found[0]
		p.cells[found[0]] = i
		if len(found) > 1 && !plain {
			p.add(Finding{Code: violation.HeaderDuplicate, Action: violation.Refuse, Column: c.spec.Name, Line: line,
				Value: header.Names[found[0]],
				Message: fmt.Sprintf("the delivery has %d columns %q (%s); ask the sender which one is meant, or "+
					"give the target column a position", len(found), header.Names[found[0]], places(found))})
		}
	}
	if !header.Named {
		return nil
	}
	for i, name := range header.Names {
		if p.cells[i] < 0 && !plain {
			p.add(Finding{Code: violation.HeaderUnknown, Action: violation.Flag, Column: name, Line: line, Value: name,
				Message: fmt.Sprintf("the target has no column for %q (column %d of the delivery): its values are "+
					"left out", name, i+1)})
		}
		if same := byName[fold(name)]; plain && len(same) > 1 && same[0] == i {
			p.add(Finding{Code: violation.HeaderDuplicate, Action: violation.Flag, Column: name, Line: line,
				Value:   name,
				Message: fmt.Sprintf("the delivery has %d columns %q (%s)", len(same), name, places(same))})
		}
	}
	return nil
}

// Shared says that two columns of a target would be fed by one cell.
type Shared struct {
	Columns [2]string // of the target
	Header  string    // of the delivery's column
	Place   int       // of that column, from 1
}

func (s *Shared) Error() string {
	return fmt.Sprintf("the columns %q and %q of the target would both take their values from %q (column %d of the "+
		"delivery): give one of them other titles, or a position of its own",
		s.Columns[0], s.Columns[1], s.Header, s.Place)
}

func (p *Plan) missing(c *column, header source.Header, line int64) {
	f := Finding{Code: violation.HeaderMissing, Action: violation.Flag, Column: c.spec.Name, Line: line}
	var want string
	switch {
	case len(p.cells) == 0:
		want = fmt.Sprintf("the delivery is empty, so there is no column %q", c.spec.Title())
	case c.spec.Position > 0:
		want = fmt.Sprintf("the delivery has %d columns, and %q is expected in column %d", len(p.cells), c.spec.Name,
			c.spec.Position)
	case !header.Named:
		want = fmt.Sprintf("the delivery has no header and only %d columns, so there is none for %q", len(p.cells),
			c.spec.Name)
	default:
		names := append(append([]string{}, c.spec.Titles...), c.spec.Name)
		for i := range names {
			names[i] = fmt.Sprintf("%q", names[i])
		}
		want = fmt.Sprintf("no column of the delivery is headed %s", strings.Join(names, " or "))
	}
	if c.spec.Required {
		f.Action = violation.Refuse
		f.Message = want + "; it is required: ask for the column, or add the header that it comes under to the titles"
	} else {
		f.Message = want + "; its values stay empty"
	}
	p.add(f)
}

func (p *Plan) add(f Finding) {
	p.Delivery = append(p.Delivery, f)
	p.Refused = p.Refused || f.Action == violation.Refuse
}

// HeaderFinding makes a finding of a defect in the header.
func HeaderFinding(h source.Header, d *source.Defect) Finding {
	f := Finding{Code: d.Code, Action: violation.Flag, Line: h.Line}
	if d.Cell >= 0 && d.Cell < len(h.Names) {
		f.Column, f.Value = h.Names[d.Cell], h.Names[d.Cell]
	}
	f.Message = "the header has a quote out of place; look at the names of the columns"
	return f
}

// ChangeFinding makes a finding of a change of the delivery's encoding; ok is
// false where it does not change.
func ChangeFinding(c *source.Change, encoding string) (f Finding, ok bool) {
	line, isBefore, ok := c.Line()
	where := fmt.Sprintf("from line %d on", line)
	if isBefore {
		where = fmt.Sprintf("before line %d", line)
	}
	return Finding{Code: violation.EncodingChanged, Action: violation.Flag, Line: line,
		Message: "the encoding changes: " + where + " the letters beyond ASCII are not " + encoding +
			"; the file was put together from several, ask for it in one encoding"}, ok
}

func places(columns []int) string {
	words := make([]string, len(columns))
	for i, c := range columns {
		words[i] = fmt.Sprint(c + 1)
	}
	return "columns " + strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

func fold(name string) string { return strings.ToLower(strings.Join(strings.Fields(name), " ")) }

// Match says which column of the delivery feeds a column of the target.
type Match struct {
	Column string `json:"column"`
	Header string `json:"header" doc:"empty where no column of the delivery feeds it"`
	Place  int    `json:"place" doc:"of that column in the delivery, from 1; 0 for none"`
}

// Matches returns what feeds each of the target's columns.
func (p *Plan) Matches() []Match {
	all := make([]Match, len(p.columns))
	for i := range p.columns {
		c := &p.columns[i]
		all[i] = Match{Column: c.spec.Name}
		if c.cell >= 0 {
			all[i].Header, all[i].Place = p.header[c.cell], c.cell+1
		}
	}
	return all
}

// Names returns the target's columns in order.
func (p *Plan) Names() []string {
	names := make([]string, len(p.columns))
	for i := range p.columns {
		names[i] = p.columns[i].spec.Name
	}
	return names
}

// Encoding returns the encoding that the delivery is read in.
func (p *Plan) Encoding() string { return p.encoding }

// Title returns the name under which a column came in the delivery.
func (p *Plan) Title(column int) string {
	if c := p.columns[column].cell; c >= 0 {
		return p.header[c]
	}
	return p.columns[column].spec.Title()
}

// Remedies returns the names of a column's remedies.
func (p *Plan) Remedies(column int) []target.Remedy { return p.columns[column].spec.Remedies }
