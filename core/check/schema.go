package check

import (
	"slices"

	"sieb/core/outcome"
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
