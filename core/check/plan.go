// Package check compiles a target, joined with a mapping or not, into judges and
// finds the violations of rows.
//
// A Plan is compiled once per run and shared; a Judge belongs to one goroutine.
// A judge sees a block of rows at a time, and the blocks of a delivery in any
// order, so what depends on the order of rows (which row of a key is the first)
// is left to package sift. It also writes rows in canonical form, since it has
// just read their values.
//
// A row's way stands in Judge.Rows. How columns find their cells is in match.go,
// what one cell goes through in cell.go, what is computed or concerns several
// columns in expression.go and refer.go, how a row is put together in row.go.
package check

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"sieb/core/codes"
	"sieb/core/condition"
	"sieb/core/remedy"
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
	LeftOut  []string  // headers of the delivery's columns that are known and not wanted

	name, title   string // of the target
	columns       []column
	leading       int     // columns that come first, and are fed by the cells in the same places
	order         []int   // places of the columns, each behind those that it is computed from
	feeds         [][]int // for each cell of a row the columns that it feeds
	header        []string
	encoding      string
	fileName      []byte
	today         time.Time
	fileDate      condition.Value // that the delivery's name holds
	plain         bool            // there is no target
	readsToday    bool            // something depends on the day of the run
	expressions   []*expression
	rules         []rule
	references    []reference
	controls      []control
	complete      []complete
	carried       []int       // cells of the delivery that are carried down
	carriers      []*column   // the columns that they feed
	ordered       []int       // columns whose values follow one another
	excludeCells  []exclusion // those that read only cells as they were delivered
	excludeValues []exclusion // those that read values of columns
	reasons       []string    // of all exclusions
}

// Delivery is what a plan must know of a delivery.
type Delivery struct {
	Header   source.Header
	Encoding string
	Name     string
	Today    time.Time     // the day of the run
	RepeatOf string        // the earlier delivery of the same bytes, in words; "" for none
	Codes    []*codes.List // that the target's columns refer to
	Keys     []Keys        // of the target's Constraints, what is in the tables that they refer to
}

// Keys are the keys of a table that others refer to.
type Keys interface {
	Has(KeyHash) bool
	// IsSpilt reports whether memory does not hold the keys, so that whoever does the run looks them up
	// later: see Ruling.Refers.
	IsSpilt() bool
	// Why says more of a key that is not there, "" for nothing.
	Why(KeyHash) string
}

// reference is a foreign key, or its contrary.
type reference struct {
	*target.ForeignKey
	key      Key
	keys     Keys
	isAbsent bool
	isSpilt  bool
}

// Key is a uniqueness rule: the columns whose values must not recur together.
type Key struct {
	Columns []int  // nil: all of a row
	Name    string // "ticket_no" or "site, ticket_no"
	Code    violation.Code
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
	spec         *target.Column
	cleaned      *remedy.Column // as its remedies know it
	cell         int            // place in the delivery's rows, -1 where it has none
	above        int            // place among the cells that are carried down, -1 for none
	nulls        [][]byte
	longestNull  int
	number       value.NumberFormat
	dates        []*value.DateFormat
	dateForms    string        // how dates are written, in words
	textForm     func() string // which form texts have, in words
	allowed      func() string // which values are allowed, in words
	yes          []string
	no           []string
	min          *target.Literal
	max          *target.Literal
	text         *pattern
	codes        *codes.List      // nil for none
	oneOf        map[string]bool  // of a string
	set          []target.Literal // of other datatypes
	whole        int              // digits before the point that fit, -1 for any
	frac         int              // digits after the point that fit, -1 for any
	hashed       bool             // belongs to a key
	refers       bool             // belongs to a foreign key
	isRead       bool             // an expression reads its values
	derive       *expression      // nil for none
	requiredWhen *expression      // nil for none
	fallback     []byte           // in place of no value; nil for none
	rules        []*valueRule     // that it has
	quick        quickTest        // nil for none
}

// NewPlan compiles a target for a delivery. Without a target (nil) every column is a
// text of which nothing is demanded.
func NewPlan(t *target.Target, d Delivery) (*Plan, error) {
	plain := t == nil
	p := &Plan{header: d.Header.Names, feeds: make([][]int, len(d.Header.Names)), encoding: d.Encoding,
		fileName: []byte(d.Name), today: d.Today, plain: plain}
	if plain {
		t = target.Plain(d.Header.Names)
	}
	p.name, p.title = t.Name, t.Title
	p.columns = make([]column, len(t.Columns))
	for i := range t.Columns {
		if err := p.columns[i].compile(&t.Columns[i], &d); err != nil {
			return nil, fmt.Errorf("column %s: %w", t.Columns[i].Name, err)
		}
	}
	m := &matching{Plan: p, target: t, header: d.Header, lists: d.Codes, isRead: map[int]bool{}}
	if err := m.compileAll(); err != nil {
		return nil, err
	}
	m.judgeName(d.Name)
	m.judgeRepeat(d.RepeatOf)
	if err := m.feed(); err != nil {
		return nil, err
	}
	if t.Repeated.Rows {
		p.Keys = append(p.Keys, Key{Code: violation.RowRepeated, Action: t.Repeated.OnViolation})
	}
	for i := range p.columns {
		if p.columns[i].spec.Unique {
			p.addKey([]int{i})
		}
	}
	if len(t.Key) > 0 {
		p.addKey(p.places(t.Key))
	}
	for _, names := range t.UniqueKeys {
		p.addKey(p.places(names))
	}
	if err := p.refer(t, d.Keys); err != nil {
		return nil, err
	}
	for i := range p.columns {
		p.columns[i].quick = p.columns[i].quickTest()
		if p.leading == i && p.columns[i].cell == i && p.columns[i].derive == nil && p.columns[i].spec.Value == nil {
			p.leading++
		}
		p.carry(&p.columns[i])
	}
	return p, nil
}

// carry notes that the cell of a column is carried down, where it is to be.
func (p *Plan) carry(c *column) {
	if c.cell < 0 || len(c.spec.Remedies) == 0 || c.spec.Remedies[0].Name != remedy.CarryDown {
		return
	}
	c.above = len(p.carried)
	p.carried = append(p.carried, c.cell)
	p.carriers = append(p.carriers, c)
}

// Rows returns the source whose rows judges of the plan are to be given: that of the
// delivery, where no cell is carried down.
//
// Batches have so few rows that what is made of them, and what is found in them, stays small
// whatever the target: a target may have a thousand rules that every row breaks.
func (p *Plan) Rows(src source.Source) source.Source {
	source.Limit(src, p.batchRows())
	if len(p.carried) == 0 {
		return src
	}
	return source.Carry(src, p.carried, func(k int, cell []byte) bool { return p.carriers[k].isEmpty(cell) })
}

// batchRows returns how many rows a batch has at the most.
func (p *Plan) batchRows() int {
	const (
		mostJudged = 1 << 16  // cells, and answers of rules
		mostMade   = 16 << 20 // bytes that are added to the cells as delivered
	)
	made := 0
	for i := range p.columns {
		c := p.columns[i].spec
		made += len(c.Default) + len(c.Derive)
		if c.Value != nil {
			made += len(*c.Value)
		}
		for _, r := range c.Remedies {
			made += r.Adds()
		}
	}
	return max(1, min(mostJudged/max(1, len(p.columns)+len(p.rules)+len(p.references)), mostMade/max(1, made)))
}

// Carries reports whether values are carried down into rows from rows above them.
func (p *Plan) Carries() bool { return len(p.carried) > 0 }

// isEmpty reports whether a cell is one that another is carried down to.
func (c *column) isEmpty(cell []byte) bool { return len(bytes.TrimSpace(cell)) == 0 || c.isNull(cell) }

// place returns the place of a column, -1 where there is none of the name.
func (p *Plan) place(name string) int {
	return slices.IndexFunc(p.columns, func(c column) bool { return c.spec.Name == name })
}

func (p *Plan) places(names []string) (all []int) {
	for _, name := range names {
		all = append(all, p.place(name))
	}
	return all
}

// refer takes the foreign keys with the keys that they refer to.
func (p *Plan) refer(t *target.Target, keys []Keys) error {
	all := t.Constraints()
	if len(all) != len(keys) {
		return fmt.Errorf("the target refers to %s, and the keys of %d are given", count(len(all), "table", "tables"),
			len(keys))
	}
	for i := range all {
		r := reference{ForeignKey: &all[i], keys: keys[i], isAbsent: i >= len(t.ForeignKeys), isSpilt: keys[i].IsSpilt()}
		r.key = Key{Columns: p.places(all[i].Columns), Name: strings.Join(all[i].Columns, ", "),
			Action: all[i].OnViolation}
		for _, c := range r.key.Columns {
			p.columns[c].hashed, p.columns[c].refers = true, true
		}
		p.references = append(p.references, r)
	}
	return nil
}

// excludes reports whether rows can be left out.
func (p *Plan) excludes() bool { return len(p.reasons) > 0 }

// Reasons returns why rows are left out, for each exclusion.
func (p *Plan) Reasons() []string { return p.reasons }

// Rules returns the names of the row rules.
func (p *Plan) Rules() []string {
	names := make([]string, len(p.rules))
	for i := range p.rules {
		names[i] = p.rules[i].Name
	}
	return names
}

// ReadsToday reports whether something depends on the day of the run.
func (p *Plan) ReadsToday() bool { return p.readsToday }

// addKey adds a key, unless there is one of the same columns: what is said twice is told once.
func (p *Plan) addKey(columns []int) {
	sorted := slices.Sorted(slices.Values(columns))
	if slices.ContainsFunc(p.Keys, func(k Key) bool {
		return slices.Equal(slices.Sorted(slices.Values(k.Columns)), sorted)
	}) {
		return
	}
	names := make([]string, len(columns))
	action := violation.KeyDuplicate.Action()
	for i, c := range columns {
		p.columns[c].hashed = true
		names[i] = p.columns[c].spec.Name
		if len(columns) == 1 {
			action = p.columns[c].spec.Action(violation.KeyDuplicate)
		}
	}
	p.Keys = append(p.Keys, Key{columns, strings.Join(names, ", "), violation.KeyDuplicate, action})
}

// compile compiles the rules of a column.
func (c *column) compile(spec *target.Column, d *Delivery) error {
	c.spec, c.cell, c.above, c.whole, c.frac = spec, -1, -1, -1, -1
	for _, n := range spec.Null {
		c.nulls = append(c.nulls, []byte(n))
		c.longestNull = max(c.longestNull, len(n))
	}
	if spec.Default != "" {
		c.fallback = []byte(spec.Default)
	}
	c.textForm, c.allowed = sync.OnceValue(c.saidTextForm), sync.OnceValue(c.saidAllowed)
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
	for _, compile := range []func(*Delivery) error{c.compileFormats, c.compileRemedies, c.compileValues,
		c.compileLimits} {
		if err := compile(d); err != nil {
			return err
		}
	}
	c.compileRules()
	return nil
}

// newChain makes the column's remedies for one judge; that they can be made is known.
func (c *column) newChain() *remedy.Chain {
	chain, err := remedy.NewChain(c.spec.Remedies, c.cleaned, c.isNull)
	if err != nil {
		panic(err) // compileRemedies has made it once
	}
	return chain
}

// compileRemedies tells of remedies that cannot be made for the column.
func (c *column) compileRemedies(d *Delivery) (err error) {
	if c.cleaned, err = c.spec.Cleaned(); err != nil {
		return err
	}
	c.cleaned.Codes = d.Codes
	_, err = remedy.NewChain(c.spec.Remedies, c.cleaned, c.isNull)
	return err
}

// compileFormats compiles how values are written.
func (c *column) compileFormats(*Delivery) (err error) {
	switch c.spec.Datatype {
	case value.String, value.AnyURI, value.Duration:
		if len(c.spec.Formats) > 0 {
			c.text, err = newPattern(c.spec.Formats[0])
		}
	case value.Boolean:
		c.yes, c.no, err = c.spec.Booleans()
	case value.Date, value.DateTime, value.Time:
		if c.dates, err = c.spec.DateFormats(); err == nil {
			c.dateForms = c.saidDates()
		}
	default:
		c.number, err = c.spec.NumberFormat()
	}
	return err
}

// compileValues compiles which values are allowed.
func (c *column) compileValues(d *Delivery) error {
	spec := c.spec
	switch {
	case spec.Codes != nil:
		if c.codes = codes.Named(d.Codes, spec.Codes.Name); c.codes == nil {
			return fmt.Errorf("the code list %s is not given", spec.Codes.Name)
		}
	case spec.OneOf != nil && spec.Datatype.IsText():
		c.oneOf = map[string]bool{}
		for _, v := range spec.OneOf {
			c.oneOf[v] = true
		}
	default:
		for _, v := range spec.OneOf {
			l, err := c.literal(v, d)
			if err != nil {
				return err
			}
			c.set = append(c.set, *l)
		}
	}
	return nil
}

// compileLimits compiles between which values all lie.
func (c *column) compileLimits(d *Delivery) (err error) {
	if c.spec.Minimum != "" {
		if c.min, err = c.literal(c.spec.Minimum, d); err != nil {
			return err
		}
	}
	if c.spec.Maximum != "" {
		c.max, err = c.literal(c.spec.Maximum, d)
	}
	return err
}

// literal reads a value that stands in the target, or a day relative to that of the run.
func (c *column) literal(text string, d *Delivery) (*target.Literal, error) {
	l, ok := c.spec.Limit(text, d.Today)
	if !ok {
		l, ok = c.spec.Literal(text)
	}
	if !ok {
		return nil, fmt.Errorf("%q is not of datatype %s", text, c.spec.Datatype)
	}
	return &l, nil
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

// Match says which column of the delivery feeds a column of the target.
type Match struct {
	Column string `json:"column"`
	Header string `json:"header" doc:"empty where no column of the delivery feeds it"`
	Place  int    `json:"place" doc:"of that column in the delivery, from 1; 0 for none"`

	Derive      string  `json:"derive,omitempty" doc:"the expression that computes its values"`
	Value       *string `json:"value,omitempty" doc:"the value of all rows, where the target or mapping gives it"`
	Description string  `json:"description,omitempty"`
}

// Matches returns what feeds each of the target's columns.
func (p *Plan) Matches() []Match {
	all := make([]Match, len(p.columns))
	for i := range p.columns {
		c := &p.columns[i]
		all[i] = Match{Column: c.spec.Name, Description: c.spec.Description, Derive: c.spec.Derive, Value: c.spec.Value}
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

// nullPlace, defaultPlace and codesPlace return where among a column's remedies the texts are counted
// that stand for no value, its default, and the form that its code list gives.
func (c *column) nullPlace() int { return len(c.spec.Remedies) }

func (c *column) defaultPlace() int {
	if c.longestNull > 0 {
		return c.nullPlace() + 1
	}
	return c.nullPlace()
}

func (c *column) codesPlace() int {
	if c.fallback != nil {
		return c.defaultPlace() + 1
	}
	return c.defaultPlace()
}

// Remedies returns what can change the cells of a column, in order: its remedies, the texts that stand
// for no value, its default, and its code list.
func (p *Plan) Remedies(column int) (names []string) {
	spec := p.columns[column].spec
	for _, r := range spec.Remedies {
		names = append(names, r.Name)
	}
	if p.columns[column].longestNull > 0 {
		names = append(names, "null")
	}
	if spec.Default != "" {
		names = append(names, "default")
	}
	if spec.Codes != nil && spec.Codes.Loose {
		names = append(names, "codes")
	}
	return names
}
