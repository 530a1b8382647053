package target

import (
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/remedy"
)

// remediesSchema is the JSON Schema of a column's remedies.
func remediesSchema() schema {
	var alone []string
	any := []schema{}
	for _, s := range remedy.Specs() {
		isNeeded := false
		properties := schema{}
		for _, p := range s.Parameters {
			isNeeded = isNeeded || p.Required
			properties[p.Name] = parameterSchema(&p)
		}
		if !isNeeded {
			alone = append(alone, s.Name)
		}
		if len(s.Parameters) == 0 {
			continue
		}
		given := []schema{parameterSchema(&s.Parameters[0])}
		if s.Parameters[0].Kind != remedy.Pairs {
			given = append(given, schema{"type": "object", "properties": properties, "additionalProperties": false})
		}
		any = append(any, schema{"type": "object", "description": s.Does, "required": []string{s.Name},
			"properties": schema{s.Name: schema{"anyOf": given}}, "additionalProperties": false})
	}
	return listSchema(schema{"anyOf": append([]schema{choiceSchema(alone...)}, any...)})
}

func parameterSchema(p *remedy.Parameter) schema {
	documented := schema{"description": p.Does}
	of := textSchema
	switch p.Kind {
	case remedy.Count:
		of = schema{"type": "integer", "minimum": p.Least}
	case remedy.List, remedy.Patterns:
		of = textsSchema
	case remedy.Pairs:
		of = schema{"type": "object"}
	case remedy.Choice:
		of = choiceSchema(p.Choices...)
	}
	for k, v := range of {
		documented[k] = v
	}
	return documented
}

func (p *reading) remedies(n ast.Node) (remedies []remedy.Remedy) {
	all := p.sequence(n, "remedies")
	if len(all) > remedy.Most {
		p.wrong(n, "a column has at most %d remedies", remedy.Most)
		return nil
	}
	for _, r := range all {
		before := len(p.problems)
		made := p.remedy(r)
		if len(p.problems) > before {
			continue
		}
		if err := made.Check(); err != nil {
			p.wrong(r, "%v", err)
			continue
		}
		remedies = append(remedies, made)
	}
	return remedies
}

// remedy reads one remedy: its name, or its name with what it is given.
func (p *reading) remedy(n ast.Node) (r remedy.Remedy) {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
	default:
		r.Name = p.text(n, "a remedy")
		p.spec(n, r.Name)
		return r
	}
	props := p.mapping(n, "a remedy")
	if len(props) != 1 {
		p.wrong(n, "each remedy is one entry of the list")
		return r
	}
	r.Name = props[0].name
	s := p.spec(props[0].key, r.Name)
	switch {
	case s == nil:
	case len(s.Parameters) == 0:
		p.wrong(props[0].node, "%s is given nothing: write %s alone", r.Name, r.Name)
	case s.Parameters[0].Kind == remedy.Pairs:
		r.Pairs = p.pairs(props[0].node, r.Name)
	default:
		p.given(props[0].node, s, &r)
	}
	return r
}

// spec finds a remedy by its name.
func (p *reading) spec(at ast.Node, name string) *remedy.Spec {
	s := remedy.Find(name)
	switch {
	case s != nil || name == "":
	case nearest(name, remedy.Names()) != "":
		p.wrong(at, "there is no remedy %q; did you mean %q?", clip(name), nearest(name, remedy.Names()))
	default:
		p.wrong(at, "there is no remedy %q; there are %s", clip(name), strings.Join(remedy.Names(), ", "))
	}
	return s
}

// given reads what a remedy is given: its parameters by their names, or the first one alone.
func (p *reading) given(n ast.Node, s *remedy.Spec, r *remedy.Remedy) {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
	default:
		p.parameter(n, &s.Parameters[0], r)
		return
	}
	names := make([]string, len(s.Parameters))
	for i := range s.Parameters {
		names[i] = s.Parameters[i].Name
	}
	for _, prop := range p.mapping(n, r.Name) {
		if parameter := s.Parameter(prop.name); parameter != nil {
			p.parameter(prop.node, parameter, r)
		} else {
			p.unknown(prop, r.Name, names)
		}
	}
}

func (p *reading) parameter(n ast.Node, of *remedy.Parameter, r *remedy.Remedy) {
	what := r.Name + ": " + of.Name
	put := func(text string) {
		if r.Texts == nil {
			r.Texts = map[string]string{}
		}
		r.Texts[of.Name] = text
	}
	switch of.Kind {
	case remedy.Count:
		if k := p.count(n, what, of.Least); k != nil {
			put(strconv.Itoa(*k))
		}
	case remedy.Expression:
		put(p.expression(n, what))
	case remedy.Choice:
		put(of.Choices[p.choice(n, what, of.Choices)])
	case remedy.List, remedy.Patterns:
		r.Lists = map[string][]string{of.Name: p.texts(n, what, maxTexts)}
	default:
		put(p.text(n, what))
	}
}

// pairs reads texts by texts.
func (p *reading) pairs(n ast.Node, what string) map[string]string {
	all := p.mapping(n, what)
	if len(all) > maxListed {
		p.wrong(n, "%s has %d pairs: at most %d", what, len(all), maxListed)
		return nil
	}
	pairs := map[string]string{}
	for _, pair := range all {
		if len(pair.name) > maxScalar {
			p.wrong(pair.key, "what %s finds is %d bytes long: at most %d", what, len(pair.name), maxScalar)
			continue
		}
		if _, null := pair.node.(*ast.NullNode); null {
			pairs[pair.name] = ""
			continue
		}
		pairs[pair.name] = p.text(pair.node, "what takes the place of "+clip(pair.name))
	}
	return pairs
}

// applicable tells of remedies that cannot be made for the column: a date's patterns, say,
// that go with another datatype.
func (p *reading) applicable(n ast.Node, c *Column) {
	if n == nil || len(p.problems) > 0 {
		return
	}
	for i, r := range c.Remedies {
		switch {
		case r.Name != remedy.CarryDown:
		case i > 0:
			p.wrong(n, "%s comes before all other remedies: it takes the cell above as it was delivered", r.Name)
		case c.Derive != "" || c.Value != nil:
			p.wrong(n, "%s takes cells of the delivery, and %s has none", r.Name, clip(c.Name))
		}
	}
	column, err := c.Cleaned()
	if err == nil {
		_, err = remedy.NewChain(c.Remedies, column, func([]byte) bool { return false })
	}
	if err != nil {
		p.wrong(n, "%v", err)
	}
}

// Cleaned returns the column as its remedies know it.
func (c *Column) Cleaned() (*remedy.Column, error) {
	column := &remedy.Column{Datatype: c.Datatype, Point: c.Point()}
	if !c.Datatype.IsNumber() {
		return column, nil
	}
	var err error
	column.Number, err = c.NumberFormat()
	return column, err
}
