package target

import (
	"encoding/json"
	"errors"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/condition"
	"sieb/core/layout"
)

// Mapping is how one sender's deliveries become rows of a target: the layout, which
// columns feed which, in what habits values are written, and what is left out.
type Mapping struct {
	Name, Title string
	Target      string        // name of the target that it is for
	Layout      *layout.Given // nil: detected in each delivery
	LeftOut     []string
	Exclude     []Exclusion
	Delivery    DeliveryRules // what it says of them takes the place of what the target says
	Outputs     []Output      // the forms in which accepted rows are written, beside accepted.csv
	Text        []byte        // the text that it was read from

	refuseNew *bool
	feeds     []feed
	fed       map[string]bool     // columns of which it says from where they come
	at        map[string]ast.Node // the nodes of its properties
	excluded  []map[string]ast.Node
	controls  []map[string]ast.Node
}

// feed is what a mapping says of one column of the target.
type feed struct {
	habits Column // in which only habits are set
	from   []string
	key    ast.Node
	at     map[string]ast.Node
}

// ParseMapping reads a mapping from YAML or JSON text. The error is of type Problems.
// Whether it fits its target shows when the two are joined.
func ParseMapping(text []byte) (*Mapping, error) {
	body, err := document(text, "mapping")
	if err != nil {
		return nil, err
	}
	p := &reading{}
	m := &Mapping{Text: text}
	m.at = fill(p, body, "a mapping", mappingFields, m)
	if p.strange == 0 {
		if m.at["mapping"] == nil {
			p.wrong(body, "the mapping has no name: add mapping: NAME")
		}
		if m.at["target"] == nil {
			p.wrong(body, "the mapping does not say for which target it is: add target: NAME")
		}
	}
	if err := p.end(); err != nil {
		return nil, err
	}
	return m, nil
}

var mappingFields = append([]field[Mapping]{
	{"mapping", textSchema, "name of the mapping: letters, digits, _ and -",
		func(p *reading, n ast.Node, m *Mapping) { m.Name = p.name(n, "mapping") }},
	{"title", textSchema, "what the sender is called by people",
		func(p *reading, n ast.Node, m *Mapping) { m.Title = p.text(n, "title") }},
	{"target", textSchema, "name of the target that its rows are for",
		func(p *reading, n ast.Node, m *Mapping) { m.Target = p.name(n, "target") }},
	{"layout", objectSchema(layoutFields), "how the deliveries are read; what is left out is detected",
		func(p *reading, n ast.Node, m *Mapping) { m.Layout = p.layout(n) }},
	{"columns", schema{"type": "object", "additionalProperties": objectSchema(feedFields)},
		"for each column of the target what feeds it, and how its values are written",
		func(p *reading, n ast.Node, m *Mapping) { p.feeds(n, m) }},
	{"leftOut", textsSchema, "headers of columns that are known and not wanted",
		func(p *reading, n ast.Node, m *Mapping) { m.LeftOut = p.texts(n, "leftOut", maxColumns) }},
	{"newColumns", choiceSchema("flag", "refuse"), "what becomes of a delivery with a column that is not known",
		func(p *reading, n ast.Node, m *Mapping) {
			refuse := p.newColumns(n)
			m.refuseNew = &refuse
		}},
	{"exclude", listSchema(objectSchema(exclusionFields)), "rows that are left out, and why",
		func(p *reading, n ast.Node, m *Mapping) { m.Exclude, m.excluded = p.exclusions(n) }},
	{"outputs", listSchema(objectSchema(outputFields)), "forms in which accepted rows are written, beside accepted.csv",
		func(p *reading, n ast.Node, m *Mapping) { m.Outputs = p.outputs(n) }},
}, deliveryFields(func(m *Mapping) *DeliveryRules { return &m.Delivery },
	func(m *Mapping) *[]map[string]ast.Node { return &m.controls })...)

var feedFields = append([]field[feed]{
	{"from", textsSchema, "header of the delivery's column; of several the first that there is",
		func(p *reading, n ast.Node, f *feed) { f.from = p.texts(n, "from", maxTexts) }},
}, feedHabits()...)

// feedHabits are the habits as properties of a feed.
func feedHabits() (all []field[feed]) {
	for _, h := range habitFields {
		all = append(all, field[feed]{h.name, h.schema, h.doc,
			func(p *reading, n ast.Node, f *feed) { h.read(p, n, &f.habits) }})
	}
	return all
}

func (p *reading) feeds(n ast.Node, m *Mapping) {
	props := p.mapping(n, "columns of a mapping")
	if len(props) > maxColumns {
		p.wrong(n, "the mapping has %d columns: at most %d", len(props), maxColumns)
		return
	}
	m.fed = map[string]bool{}
	for _, prop := range props {
		f := feed{key: prop.key}
		f.habits.Name = prop.name
		f.at = fill(p, prop.node, "a column of a mapping", feedFields, &f)
		if f.at["from"] != nil && f.at["position"] != nil {
			p.wrong(f.at["position"], "from and position each say where the values come from: keep one of them")
		}
		m.feeds = append(m.feeds, f)
		m.fed[prop.name] = f.from != nil || f.habits.Position > 0
	}
}

// layoutFields are the settings of a layout, as package layout names them.
var layoutFields = func() (all []field[map[string]any]) {
	of := reflect.TypeFor[layout.Given]()
	for i := range of.NumField() {
		name, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
		setting := of.Field(i).Type.Elem()
		types := map[reflect.Kind]schema{reflect.String: textSchema, reflect.Bool: boolSchema, reflect.Int: countSchema,
			reflect.Slice: listSchema(countSchema)}
		all = append(all, field[map[string]any]{name, types[setting.Kind()], "see the layout's settings",
			func(p *reading, n ast.Node, to *map[string]any) { (*to)[name] = p.setting(n, name, setting.Kind()) }})
	}
	return all
}()

func (p *reading) setting(n ast.Node, name string, kind reflect.Kind) any {
	switch kind {
	case reflect.Bool:
		return p.bool(n, name)
	case reflect.Int:
		if k := p.count(n, name, 0); k != nil {
			return *k
		}
		return 0
	case reflect.Slice:
		cuts := []int{}
		for _, text := range p.texts(n, name, maxColumns) {
			cut, err := strconv.Atoi(text)
			if err != nil {
				p.wrong(n, "%s: %q is no whole number", name, clip(text))
			}
			cuts = append(cuts, cut)
		}
		return cuts
	}
	text := p.text(n, name)
	if name == "encoding" {
		text = layout.EncodingName(text)
	}
	return text
}

func (p *reading) layout(n ast.Node) *layout.Given {
	settings := map[string]any{}
	at := fill(p, n, "a layout", layoutFields, &settings)
	if len(p.problems) > 0 {
		return nil
	}
	text, err := json.Marshal(settings)
	var given layout.Given
	if err == nil {
		err = json.Unmarshal(text, &given)
	}
	if err == nil {
		err = given.Check()
	}
	var faults layout.Faults
	switch {
	case errors.As(err, &faults):
		for _, f := range faults {
			p.wrong(at[f.Setting], "%s", f.Message)
		}
	case err != nil:
		p.wrong(n, "%v", err)
	}
	return &given
}

// With joins a target with a mapping: what the mapping says of habits comes before what
// the target says. The error is of type Problems, whose places are in the mapping's text.
func (t *Target) With(m *Mapping) (*Target, error) {
	p := &reading{}
	if m.Target != t.Name {
		p.wrong(m.at["target"], "the mapping is for the target %q, not for %q", clip(m.Target), t.Name)
		return nil, p.end()
	}
	joined := *t
	joined.Mapping = m
	joined.Columns = slices.Clone(t.Columns)
	joined.Exclude = append(slices.Clone(t.Exclude), m.Exclude...)
	joined.LeftOut = append(slices.Clone(t.LeftOut), m.LeftOut...)
	if m.refuseNew != nil {
		joined.RefuseNew = *m.refuseNew
	}
	if m.at["fileName"] != nil {
		joined.Delivery.FileName = m.Delivery.FileName
	}
	if m.at["repeats"] != nil {
		joined.Delivery.Repeat = m.Delivery.Repeat
	}
	if m.at["controls"] != nil {
		joined.Delivery.Controls = m.Delivery.Controls
		p.controlled(m.Delivery.Controls, m.controls, t)
	}
	nodes := make([]map[string]ast.Node, len(t.Columns))
	at, computed := map[string]int{}, 0
	for i := range t.Columns {
		at[t.Columns[i].Name] = i
	}
	for i := range m.feeds {
		f := &m.feeds[i]
		k, ok := at[f.habits.Name]
		if !ok {
			p.unknownColumn(f, t)
			continue
		}
		if f.at["derive"] != nil {
			if computed++; computed > maxRules {
				p.wrong(f.at["derive"], "more than %d columns are computed", maxRules)
				break
			}
		}
		nodes[k] = f.at
		p.feed(&joined.Columns[k], f)
	}
	p.leftOut(&joined, m)
	if len(p.problems) == 0 {
		known := Known(joined.Columns)
		p.derivations(joined.Columns, known, nodes)
		for i, x := range m.Exclude {
			p.condition(m.excluded[i]["condition"], x.Condition, known, condition.Truth)
		}
	}
	if err := p.end(); err != nil {
		return nil, err
	}
	joined.labelled = append(slices.Clone(t.labelled), p.labelled...)
	return &joined, nil
}

// names returns the names of the target's columns.
func (t *Target) names() []string {
	names := make([]string, len(t.Columns))
	for i := range t.Columns {
		names[i] = t.Columns[i].Name
	}
	return names
}

func (p *reading) unknownColumn(f *feed, t *Target) {
	names := t.names()
	if near := nearest(f.habits.Name, names); near != "" {
		p.wrong(f.key, "the target has no column %q; did you mean %q?", clip(f.habits.Name), near)
		return
	}
	p.wrong(f.key, "the target has no column %q; it has %s", clip(f.habits.Name), strings.Join(names, ", "))
}

// feed lets a column be fed as a mapping says.
func (p *reading) feed(c *Column, f *feed) {
	h := &f.habits
	if f.at["from"] != nil || f.at["position"] != nil || f.at["value"] != nil || f.at["derive"] != nil {
		c.Titles, c.Position, c.Value, c.Derive = f.from, h.Position, h.Value, h.Derive
	}
	if f.at["format"] != nil {
		if c.Datatype.IsText() {
			p.wrong(f.at["format"], "the format of a text is a demand of the target, and no habit of a sender")
			return
		}
		c.Formats = h.Formats
	}
	if f.at["separator"] != nil {
		if c.Separator == "" {
			p.wrong(f.at["separator"], "the target's column holds one value in a cell; a separator is of lists")
			return
		}
		c.SentWith = h.Separator
	}
	for name, set := range map[string]func(){
		"yearPivot":   func() { c.YearPivot = h.YearPivot },
		"decimalChar": func() { c.DecimalChar = h.DecimalChar },
		"groupChar":   func() { c.GroupChar = h.GroupChar },
		"null":        func() { c.Null = h.Null },
		"default":     func() { c.Default = h.Default },
		"remedies":    func() { c.Remedies = h.Remedies },
	} {
		if f.at[name] != nil {
			set()
		}
	}
	p.contradictions(f.at, c)
}

// leftOut finds headers that are both left out and wanted.
func (p *reading) leftOut(t *Target, m *Mapping) {
	unwanted := map[string]bool{}
	for _, header := range t.LeftOut {
		unwanted[HeaderKey(header)] = true
	}
	for _, f := range m.feeds {
		for _, title := range f.from {
			if unwanted[HeaderKey(title)] {
				p.wrong(f.at["from"], "%q feeds %s and is left out: keep one of them", clip(title), f.habits.Name)
			}
		}
	}
}

// Feeds reports whether the mapping says from where the values of a column come.
func (m *Mapping) Feeds(column string) bool { return m.fed[column] }
