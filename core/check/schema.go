package check

import (
	"slices"

	"sieb/core/codes"
	"sieb/core/outcome"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// Schema returns what the outcome of a run by the plan holds.
func (p *Plan) Schema() *outcome.Schema {
	s := &outcome.Schema{Name: p.name, Title: p.title, Delivered: p.header}
	for i := range p.columns {
		s.Columns = append(s.Columns, p.columns[i].described())
	}
	return s
}

// SchemaOf returns what accepted rows for a target hold, whatever the delivery. Without a target (nil) they are texts under
// these names.
func SchemaOf(t *target.Target, lists []*codes.List, names []string) *outcome.Schema {
	if t == nil {
		t = target.Plain(names)
	}
	s := &outcome.Schema{Name: t.Name, Title: t.Title}
	for i := range t.Columns {
		c := column{spec: &t.Columns[i]}
		if c.spec.Codes != nil {
			c.codes = codes.Named(lists, c.spec.Codes.Name)
		}
		s.Columns = append(s.Columns, c.described())
	}
	return s
}

// described returns a column as outputs know it.
func (c *column) described() outcome.Column {
	spec := c.spec
	d := outcome.Column{Name: spec.Name, Title: spec.Title(), Description: spec.Description, Datatype: spec.Datatype,
		Scale: -1, Zoned: spec.Zoned, Separator: spec.Separator}
	flags := func(code violation.Code) bool { return spec.Action(code) == violation.Flag }
	if slices.ContainsFunc(violation.AllCodes(), func(of violation.CodeHelp) bool {
		return (isMistyped(of.Code) || of.Code == violation.TypeError) && flags(of.Code)
	}) {
		d.Datatype = value.String
	}
	if spec.Precision != nil && !flags(violation.NumberPrecision) && !flags(violation.NumberScale) {
		d.Precision, d.Scale = *spec.Precision, 0
		if spec.Scale != nil {
			d.Scale = *spec.Scale
		}
	}
	if c.codes != nil {
		d.Labels = map[string]string{}
		for _, code := range c.codes.Codes {
			if code.Label != "" {
				d.Labels[code.Code] = code.Label
			}
		}
	}
	return d
}
