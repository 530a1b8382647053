package target

import (
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/value"
	"sieb/core/violation"
)

// Repeated says which of the rows that repeat others are kept.
type Repeated struct {
	Keep        Kept
	Rows        bool             // rows of which all values are the same repeat one another too, whatever the keys are
	OnViolation violation.Action // of these
}

// Kept says which of several rows is kept. The zero Kept keeps the first.
type Kept uint8

// The rows that may be kept.
const (
	KeepFirst Kept = iota
	KeepLast
	KeepNone
)

var keptWords = []string{"first", "last", "none"}

// DeliveryRules are what a delivery as a whole must be like. What a mapping says of them
// takes the place of what its target says.
type DeliveryRules struct {
	FileName *FileName // nil: any
	Repeat   Repeat
	Controls []Control
}

// FileName is the form of the names of deliveries.
type FileName struct {
	Format      string // a regular expression over the whole name
	Date        string // the LDML pattern of a date in it; "" for none
	OnViolation violation.Action
}

// Repeat says what becomes of a delivery whose bytes arrived before.
type Repeat uint8

// The ways to take a repeat.
const (
	RepeatAccepted Repeat = iota
	RepeatFlagged
	RepeatRefused
)

var repeatWords = []string{"accept", "flag", "refuse"}

// Control compares a sum or a count of the rows with a value that came with them.
type Control struct {
	Sum         string // a column of numbers; "" where rows are counted
	Count       string // AllRows, or a column whose values are counted
	In          string // where the value stands: FooterText, NameText or CompanionText
	Find        string // a regular expression, whose first group is the value
	OnViolation violation.Action
}

// AllRows is what Control.Count says where rows are counted, in a target without a column of that name.
const AllRows = "rows"

// The places of a control value.
const (
	FooterText    = "footer"
	NameText      = "fileName"
	CompanionText = "companion"
)

var controlPlaces = []string{FooterText, NameText, CompanionText}

// NeedsCompanion reports whether a control value stands in a file of its own.
func (t *Target) NeedsCompanion() bool {
	return slices.ContainsFunc(t.Delivery.Controls, func(c Control) bool { return c.In == CompanionText })
}

// deliveryFields are the rules of the delivery as properties of what holds them: a target
// or a mapping. at takes the nodes of the controls' properties.
func deliveryFields[T any](of func(*T) *DeliveryRules, at func(*T) *[]map[string]ast.Node) []field[T] {
	return []field[T]{
		{"fileName", objectSchema(fileNameFields, "format"), "the form of the names of deliveries",
			func(p *reading, n ast.Node, to *T) { of(to).FileName = p.fileName(n) }},
		{"repeats", choiceSchema(repeatWords...), "what becomes of a delivery whose bytes arrived before; accept where " +
			"it is left out",
			func(p *reading, n ast.Node, to *T) { of(to).Repeat = Repeat(p.choice(n, "repeats", repeatWords)) }},
		{"controls", listSchema(objectSchema(controlFields, "in", "find")), "sums and counts that the sender states",
			func(p *reading, n ast.Node, to *T) { of(to).Controls, *at(to) = p.controls(n) }},
	}
}

var fileNameFields = []field[FileName]{
	{"format", textSchema, "a regular expression over the whole name",
		func(p *reading, n ast.Node, f *FileName) { f.Format = p.expression(n, "format") }},
	{"date", textSchema, "the LDML pattern of a date that the name holds in the group (?P<date>…), or in the first; " +
		"conditions know it as fileDate",
		func(p *reading, n ast.Node, f *FileName) { f.Date = p.text(n, "date") }},
	{"onViolation", choiceSchema("flag", "refuse"), "what becomes of a delivery with another name; refuse where it is " +
		"left out",
		func(p *reading, n ast.Node, f *FileName) { f.OnViolation = p.whole(n) }},
}

func (p *reading) fileName(n ast.Node) *FileName {
	f := &FileName{OnViolation: violation.FileName.Action()}
	at := fill(p, n, "fileName", fileNameFields, f)
	switch {
	case at["format"] == nil:
		p.wrong(n, "fileName has no format: a regular expression over the whole name")
	case f.Date == "" || f.Format == "":
	case regexp.MustCompile(f.Format).NumSubexp() == 0:
		p.wrong(at["date"], "the format has no group for the date: write (?P<date>[0-9]{8}) where it stands in the name")
	default:
		if _, err := value.NewDateFormat(value.Date, f.Date); err != nil {
			p.wrong(at["date"], "%v", err)
		}
	}
	return f
}

var controlFields = []field[Control]{
	{"sum", textSchema, "a column of numbers, whose sum is compared",
		func(p *reading, n ast.Node, c *Control) { c.Sum = p.text(n, "sum") }},
	{"count", textSchema, "rows, or a column whose values are counted",
		func(p *reading, n ast.Node, c *Control) { c.Count = p.text(n, "count") }},
	{"in", choiceSchema(controlPlaces...), "where the sender states it: in the footer, the name of the file, or a file " +
		"that comes with it",
		func(p *reading, n ast.Node, c *Control) { c.In = controlPlaces[p.choice(n, "in", controlPlaces)] }},
	{"find", textSchema, "a regular expression that finds it: its first group, or all of it",
		func(p *reading, n ast.Node, c *Control) { c.Find = p.expression(n, "find") }},
	{"onViolation", choiceSchema("flag", "refuse"), "what becomes of a delivery in which it differs; refuse where it " +
		"is left out",
		func(p *reading, n ast.Node, c *Control) { c.OnViolation = p.whole(n) }},
}

func (p *reading) controls(n ast.Node) (all []Control, at []map[string]ast.Node) {
	nodes := p.sequence(n, "controls")
	if len(nodes) > maxKey {
		p.wrong(n, "controls has %d entries: at most %d", len(nodes), maxKey)
		return nil, nil
	}
	for _, entry := range nodes {
		c := Control{OnViolation: violation.Refuse}
		details := fill(p, entry, "an entry of controls", controlFields, &c)
		switch {
		case (details["sum"] == nil) == (details["count"] == nil):
			p.wrong(entry, "the entry has either sum, with a column of numbers, or count, with rows or a column")
		case details["in"] == nil:
			p.wrong(entry, "the entry does not say where the value stands: add in, with %s",
				strings.Join(controlPlaces, ", "))
		case details["find"] == nil:
			p.wrong(entry, "the entry does not say how the value is found: add find, with a regular expression")
		}
		all, at = append(all, c), append(at, details)
	}
	return all, at
}

// controlled checks the columns of controls, once those of the target are known.
func (p *reading) controlled(controls []Control, at []map[string]ast.Node, t *Target) {
	for i := range controls {
		name, property := controls[i].Sum, "sum"
		if name == "" {
			name, property = controls[i].Count, "count"
		}
		c := t.Column(name)
		switch {
		case at[i][property] == nil:
		case c == nil && property == "count" && name == AllRows:
		case c == nil:
			p.wrong(at[i][property], "the target has no column %q; it has %s", clip(name), strings.Join(t.names(), ", "))
		case property == "sum" && (c.ValueType() != value.Integer && c.ValueType() != value.Decimal):
			p.wrong(at[i][property], "a sum is of a column of the datatype integer or decimal, and %q is %s", clip(name),
				c.Datatype)
		}
	}
}

var repeatedFields = []field[Repeated]{
	{"keep", choiceSchema(keptWords...), "which of the rows that share a key is kept; the first where it is left out",
		func(p *reading, n ast.Node, r *Repeated) { r.Keep = Kept(p.choice(n, "keep", keptWords)) }},
	{"rows", boolSchema, "rows of which all values are the same repeat one another too",
		func(p *reading, n ast.Node, r *Repeated) { r.Rows = p.bool(n, "rows") }},
	{"onViolation", choiceSchema("reject", "flag", "refuse"), "what becomes of a row of which all values are those of " +
		"another one; reject where it is left out",
		func(p *reading, n ast.Node, r *Repeated) { r.OnViolation = p.wholeRow(n) }},
}

// whole reads what a violation of the delivery as a whole does.
func (p *reading) whole(n ast.Node) violation.Action {
	if p.choice(n, "onViolation", []string{"flag", "refuse"}) == 0 {
		return violation.Flag
	}
	return violation.Refuse
}

// choice reads one of some words, and returns its place; 0 where it is none of them.
func (p *reading) choice(n ast.Node, what string, words []string) int {
	text := p.text(n, what)
	at := slices.Index(words, text)
	if at < 0 || text == "" {
		named := slices.DeleteFunc(slices.Clone(words), func(w string) bool { return w == "" })
		last := len(named) - 1
		list := named[last]
		if last > 0 {
			list = strings.Join(named[:last], ", ") + " or " + list
		}
		p.wrong(n, "%s is %s, not %q", what, list, clip(text))
		return 0
	}
	return at
}

// expression reads a regular expression; "" where it is wrong.
func (p *reading) expression(n ast.Node, what string) string {
	text := p.text(n, what)
	if err := checkPattern(text); err != nil {
		p.wrong(n, "%s: %s", what, strings.TrimPrefix(err.Error(), "the format "))
		return ""
	}
	return text
}
