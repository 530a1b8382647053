package check

import (
	"fmt"
	"slices"
	"strings"

	"sieb/core/codes"
	"sieb/core/condition"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// matching finds what feeds the columns of a plan in one delivery.
type matching struct {
	*Plan
	target   *target.Target
	header   source.Header
	lists    []*codes.List
	byKey    map[string][]int // places of the delivery's columns by their headers
	isRead   map[int]bool     // cells that expressions read
	leftOut  map[string]bool  // headers that are left out, as target.HeaderKey
	compared int              // pairs of headers and columns, see similar
}

func (m *matching) line() int64 { return max(m.header.Line, 1) }

// feed finds the cell that feeds each column: by position where the column gives one,
// else by header (titles first, then name). Headers are compared by target.HeaderKey. A
// delivery without a header is refused unless positions say what its columns are.
func (m *matching) feed() error {
	m.byKey, m.leftOut = map[string][]int{}, map[string]bool{}
	for _, header := range m.target.LeftOut {
		m.leftOut[target.HeaderKey(header)] = true
	}
	for i, name := range m.header.Names {
		key := target.HeaderKey(name)
		m.byKey[key] = append(m.byKey[key], i)
	}
	if m.lacksPositions() {
		m.orderUnknown()
		return nil
	}
	explicit := make([]bool, len(m.header.Names)) // a mapping or a position names the column
	for i := range m.columns {
		c := &m.columns[i]
		if c.spec.Derive != "" || c.spec.Value != nil {
			continue
		}
		found, isExplicit := m.find(c)
		if len(found) == 0 {
			m.missing(c)
			continue
		}
		at := found[0]
		if others := m.feeds[at]; len(others) > 0 && !(isExplicit && explicit[at]) {
			return &Shared{Columns: [2]string{m.columns[others[0]].spec.Name, c.spec.Name},
				Header: m.header.Names[at], Place: at + 1}
		}
		c.cell, explicit[at] = at, isExplicit
		m.feeds[at] = append(m.feeds[at], i)
		if len(found) > 1 && !m.plain {
			m.add(Finding{Code: violation.HeaderDuplicate, Action: violation.Refuse, Column: c.spec.Name,
				Line: m.line(), Value: m.header.Names[at],
				Message: fmt.Sprintf("the delivery has %d columns %q (%s); ask the sender which one is meant, or "+
					"give the target column a position", len(found), m.header.Names[at], places(found))})
		}
	}
	if m.header.Named {
		m.unknown()
	}
	return nil
}

// find returns the places of the delivery's columns that may feed a column, and whether a
// mapping or a position names them.
func (m *matching) find(c *column) (found []int, isExplicit bool) {
	switch {
	case c.spec.Position > len(m.header.Names):
		return nil, true
	case c.spec.Position > 0:
		return []int{c.spec.Position - 1}, true
	case !m.header.Named:
		return nil, false
	}
	for _, title := range c.spec.Titles {
		if found = m.headed(title); found != nil && !m.isLeftOut(title) {
			return found, m.isFrom(c)
		}
	}
	// A mapping that names a header means no other.
	if m.isLeftOut(c.spec.Name) || m.isFrom(c) {
		return nil, false
	}
	return m.headed(c.spec.Name), false
}

// isFrom reports whether a mapping says from which header the column comes.
func (m *matching) isFrom(c *column) bool {
	return m.target.Mapping != nil && m.target.Mapping.Feeds(c.spec.Name)
}

// headed returns the places of the columns under a header. Of several that only differ
// in points, accents and the like, the one without that difference is meant.
func (m *matching) headed(title string) []int {
	found := m.byKey[target.HeaderKey(title)]
	if len(found) < 2 {
		return found
	}
	var exact []int
	for _, i := range found {
		if words(m.header.Names[i]) == words(title) {
			exact = append(exact, i)
		}
	}
	if len(exact) == 1 {
		return exact
	}
	return found
}

// words returns a header without regard to letter case and to blanks beyond one.
func words(header string) string { return strings.ToLower(strings.Join(strings.Fields(header), " ")) }

func (m *matching) isLeftOut(header string) bool { return m.leftOut[target.HeaderKey(header)] }

// lacksPositions reports whether neither a header nor positions say what the columns are.
func (m *matching) lacksPositions() bool {
	if m.header.Named || m.plain || len(m.header.Names) == 0 {
		return false
	}
	return !slices.ContainsFunc(m.columns, func(c column) bool { return c.spec.Position > 0 })
}

// orderUnknown refuses a delivery of which nothing says what its columns are, with the
// order that is the likeliest one.
func (m *matching) orderUnknown() {
	var fed []string
	for i := range m.columns {
		if s := m.columns[i].spec; s.Derive == "" && s.Value == nil {
			fed = append(fed, s.Name)
		}
	}
	message := fmt.Sprintf("the delivery has no header, and no column has a position; it has %s, the target takes %d "+
		"from a delivery", count(len(m.header.Names), "column", "columns"), len(fed))
	if len(fed) == len(m.header.Names) {
		const most = 12
		var order []string
		for i, name := range fed[:min(len(fed), most)] {
			order = append(order, fmt.Sprintf("%s: {position: %d}", name, i+1))
		}
		if len(fed) > most {
			order = append(order, "…")
		}
		message += "; if they stand in the target's order, let a mapping say " + strings.Join(order, ", ")
	} else {
		message += "; let a mapping give the position of each, as sieb draft FILE --target TARGET does"
	}
	m.add(Finding{Code: violation.HeaderMissing, Action: violation.Refuse, Line: m.line(), Message: message})
}

// unknown tells of columns of the delivery that feed none.
func (m *matching) unknown() {
	for i, name := range m.header.Names {
		if same := m.byKey[target.HeaderKey(name)]; m.plain && len(same) > 1 && same[0] == i {
			m.add(Finding{Code: violation.HeaderDuplicate, Action: violation.Flag, Column: name, Line: m.line(),
				Value:   name,
				Message: fmt.Sprintf("the delivery has %d columns %q (%s)", len(same), name, places(same))})
		}
		if len(m.feeds[i]) > 0 || m.plain || m.isRead[i] {
			continue
		}
		if m.isLeftOut(name) {
			m.LeftOut = append(m.LeftOut, name)
			continue
		}
		f := Finding{Code: violation.HeaderUnknown, Action: violation.Flag, Column: name, Line: m.line(), Value: name,
			Message: fmt.Sprintf("the target has no column for %q (column %d of the delivery): its values are "+
				"left out%s", name, i+1, m.similar(name))}
		if m.target.RefuseNew {
			f.Action = violation.Refuse
			f.Message = fmt.Sprintf("%q (column %d of the delivery) is new, and new columns are refused: let a column "+
				"take its values, or name it under leftOut%s", name, i+1, m.similar(name))
		}
		m.add(f)
	}
}

// maxSimilar is how many pairs of headers and columns are compared for being much alike.
const maxSimilar = 10_000

// similar suggests a column that is not fed and whose name or title is much like a header.
func (m *matching) similar(header string) string {
	for i := range m.columns {
		c := &m.columns[i]
		if c.cell >= 0 || c.spec.Derive != "" || c.spec.Value != nil {
			continue
		}
		if m.compared++; m.compared > maxSimilar {
			return ""
		}
		for _, title := range append(slices.Clone(c.spec.Titles), c.spec.Name) {
			if why := target.Similar(header, title); why != "" {
				return fmt.Sprintf("; perhaps it is %s: %s", c.spec.Name, why)
			}
		}
	}
	return ""
}

// Shared says that two columns of a target would be fed by one cell, which at least one of
// them does not name.
type Shared struct {
	Columns [2]string // of the target
	Header  string    // of the delivery's column
	Place   int       // of that column, from 1
}

func (s *Shared) Error() string {
	return fmt.Sprintf("the columns %q and %q of the target would both take their values from %q (column %d of the "+
		"delivery): if both are meant to, let a mapping say so of each; else give one of them other titles",
		s.Columns[0], s.Columns[1], s.Header, s.Place)
}

func (m *matching) missing(c *column) {
	f := Finding{Code: violation.HeaderMissing, Action: violation.Flag, Column: c.spec.Name, Line: m.line()}
	isLeftOut := slices.ContainsFunc(append(slices.Clone(c.spec.Titles), c.spec.Name), m.isLeftOut)
	if isLeftOut && !c.spec.Required {
		return
	}
	var want string
	switch {
	case len(m.header.Names) == 0:
		want = fmt.Sprintf("the delivery is empty, so there is no column %q", c.spec.Title())
	case c.spec.Position > 0:
		want = fmt.Sprintf("the delivery has %d columns, and %q is expected in column %d", len(m.header.Names),
			c.spec.Name, c.spec.Position)
	case !m.header.Named:
		want = fmt.Sprintf("the delivery has no header, and %q has no position", c.spec.Name)
	case isLeftOut:
		want = fmt.Sprintf("%q is left out by the mapping", c.spec.Name)
	default:
		names := slices.Clone(c.spec.Titles)
		if !m.isFrom(c) {
			names = append(names, c.spec.Name)
		}
		for i := range names {
			names[i] = fmt.Sprintf("%q", names[i])
		}
		want = fmt.Sprintf("no column of the delivery is headed %s", strings.Join(names, " or "))
	}
	switch {
	case c.spec.Required && c.spec.Default == "":
		f.Action = violation.Refuse
		f.Message = want + "; it is required: ask for the column, or add the header that it comes under to the titles"
	case c.spec.Default != "":
		f.Message = want + "; all its values are the default " + c.spec.Default
	default:
		f.Message = want + "; its values stay empty"
	}
	m.add(f)
}

func (p *Plan) add(f Finding) {
	p.Delivery = append(p.Delivery, f)
	p.Refused = p.Refused || f.Action == violation.Refuse
}

func places(columns []int) string {
	words := make([]string, len(columns))
	for i, c := range columns {
		words[i] = fmt.Sprint(c + 1)
	}
	return "columns " + strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// compileAll compiles all that is computed, and finds the order of the columns.
func (m *matching) compileAll() error {
	known := target.Known(m.target.Columns)
	needs := make([][]string, len(m.columns))
	for i := range m.columns {
		c := &m.columns[i]
		var err error
		if c.spec.Derive != "" {
			if c.derive, err = m.compile(c.spec.Derive, known, c.spec.Name+" is computed from"); err != nil {
				return fmt.Errorf("column %s: derive: %w", c.spec.Name, err)
			}
			needs[i] = c.derive.Columns()
		}
		if c.spec.RequiredWhen != "" {
			what := "whether " + c.spec.Name + " is required depends on"
			if c.requiredWhen, err = m.compile(c.spec.RequiredWhen, known, what); err != nil {
				return fmt.Errorf("column %s: requiredWhen: %w", c.spec.Name, err)
			}
		}
		for _, limit := range []string{c.spec.Minimum, c.spec.Maximum} {
			_, isRelative := c.spec.Limit(limit, m.today)
			m.readsToday = m.readsToday || isRelative
		}
	}
	if m.order = target.Order(m.target.Columns, needs); m.order == nil {
		return fmt.Errorf("the columns are computed from one another in a circle")
	}
	for i := range m.target.RowRules {
		r := &m.target.RowRules[i]
		x, err := m.compile(r.Condition, known, fmt.Sprintf("the rule %q reads", r.Name))
		if err != nil {
			return fmt.Errorf("rule %s: %w", r.Name, err)
		}
		m.rules = append(m.rules, rule{r, *x})
	}
	for i, e := range m.target.Exclude {
		x, err := m.compile(e.Condition, known, fmt.Sprintf("whether rows are left out (%s) depends on", e.Reason))
		if err != nil {
			return fmt.Errorf("exclude, %s: %w", e.Reason, err)
		}
		m.reasons = append(m.reasons, e.Reason)
		entry := exclusion{*x, uint16(i + 1)}
		if len(x.Columns()) == 0 {
			m.excludeCells = append(m.excludeCells, entry)
		} else {
			m.excludeValues = append(m.excludeValues, entry)
		}
	}
	m.compileComplete()
	m.compileOrder()
	return m.compileControls()
}

// label returns what a code of a list means, which is the code itself where the list says
// no more.
func (m *matching) label(list, code string) (string, bool) {
	return codes.Named(m.lists, list).Label(code)
}

// compile compiles an expression and finds what it reads; what says so in a message.
func (m *matching) compile(text string, known []condition.Column, what string) (*expression, error) {
	program, err := condition.Compile(text, known)
	if err != nil {
		return nil, err
	}
	for _, name := range program.Lists {
		if codes.Named(m.lists, name) == nil {
			return nil, fmt.Errorf("the code list %s is not given", name)
		}
	}
	program.Label = m.label
	x := &expression{Program: program, number: len(m.expressions), at: make([]int, len(program.Variables))}
	m.expressions = append(m.expressions, x)
	for i, v := range program.Variables {
		switch v.Origin {
		case condition.OfColumn:
			x.at[i] = m.place(v.Name)
			m.columns[x.at[i]].isRead = true
		case condition.OfCell:
			x.at[i] = m.cell(v.Name, what)
			m.isRead[x.at[i]] = true
		case condition.OfToday:
			m.readsToday = true
		}
	}
	return x, nil
}

// cell finds the column of the delivery under a header.
func (m *matching) cell(header, what string) int {
	exact := slices.Index(m.header.Names, header)
	if exact >= 0 {
		return exact
	}
	key := target.HeaderKey(header)
	for i, name := range m.header.Names {
		if target.HeaderKey(name) == key {
			return i
		}
	}
	m.add(Finding{Code: violation.HeaderMissing, Action: violation.Flag, Column: header, Line: m.line(), Value: header,
		Message: fmt.Sprintf("%s the column %q, which the delivery does not have: there, it is as if the cells were "+
			"empty of any value", what, header)})
	return -1
}
