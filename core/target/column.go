package target

import (
	"strings"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/value"
	"sieb/core/violation"
)

// columnFields are what a column demands, and the habits of a sender who follows the
// target.
var columnFields = append([]field[Column]{
	{"name", textSchema, "name of the column",
		func(p *reading, n ast.Node, c *Column) { c.Name = p.text(n, "name") }},
	{"titles", textsSchema, "headers that the column may come under, besides its name",
		func(p *reading, n ast.Node, c *Column) { c.Titles = p.texts(n, "titles", maxTexts) }},
	{"description", textSchema, "what the column means",
		func(p *reading, n ast.Node, c *Column) { c.Description = p.text(n, "description") }},
	{"datatype", textSchema, "the type of the values, string where it is left out: " +
		strings.Join(value.Datatypes(), ", ") + ", dateTimeStamp (with a zone), or a sized whole number as XML Schema " +
		"has them",
		func(p *reading, n ast.Node, c *Column) {
			name := p.text(n, "datatype")
			if minimum, maximum, ok := value.Sized(name); ok {
				c.Datatype, c.size = value.Integer, [2]string{minimum, maximum}
			} else if name == "dateTimeStamp" {
				c.Datatype, c.Zoned = value.DateTime, true
			} else if err := c.Datatype.UnmarshalText([]byte(name)); err != nil {
				p.wrong(n, "%v, or a sized whole number such as short, int, long, unsignedInt, nonNegativeInteger", err)
			}
		}},
}, append(demandFields(), append(outcomeFields, habitFields...)...)...)

// outcomeFields are what becomes of a row whose value breaks a rule.
var outcomeFields = []field[Column]{
	{"onViolation", schema{"anyOf": []schema{choiceSchema("reject", "blank", "flag", "refuse"),
		{"type": "object", "additionalProperties": choiceSchema("reject", "blank", "flag", "refuse")}}},
		"what becomes of a row with a wrong value; one action, or an action for each code",
		func(p *reading, n ast.Node, c *Column) { p.onViolation(n, c) }},
	{"message", textSchema, "what the sender is told of a wrong value, in place of Sieb's own words",
		func(p *reading, n ast.Node, c *Column) { c.Message = p.text(n, "message") }},
}

var codeListFields = []field[CodeList]{
	{"codes", textSchema, "name of the code list",
		func(p *reading, n ast.Node, l *CodeList) { l.Name = p.name(n, "codes") }},
	{"strict", boolSchema, "whether letter case and blanks count; true where it is left out",
		func(p *reading, n ast.Node, l *CodeList) { l.Loose = !p.bool(n, "strict") }},
}

// habitFields are how a sender writes the values of a column; a mapping says them too.
var habitFields = []field[Column]{
	{"position", countSchema, "place of the column in the delivery, from 1",
		func(p *reading, n ast.Node, c *Column) {
			if k := p.count(n, "position", 1); k != nil {
				c.Position = *k
			}
		}},
	{"value", textSchema, "the value of all rows, in canonical form, in place of a column of the delivery",
		func(p *reading, n ast.Node, c *Column) {
			text := p.text(n, "value")
			c.Value = &text
		}},
	{"derive", textSchema, "an expression in CEL from which the value is computed",
		func(p *reading, n ast.Node, c *Column) { c.Derive = p.text(n, "derive") }},
	{"format", textsSchema, "of dates and numbers an LDML pattern, of dates also a list, of booleans Y|N; of a text a " +
		"regular expression, which is a demand",
		func(p *reading, n ast.Node, c *Column) { c.Formats = p.texts(n, "format", maxFormats) }},
	{"yearPivot", countSchema, "of dates with years of two digits: the year with which a hundred years begin, " +
		"usually 1969",
		func(p *reading, n ast.Node, c *Column) {
			if k := p.count(n, "yearPivot", 1); k != nil {
				c.YearPivot = *k
			}
		}},
	{"decimalChar", textSchema, "of numbers: the sign before decimals",
		func(p *reading, n ast.Node, c *Column) { c.DecimalChar = p.text(n, "decimalChar") }},
	{"groupChar", textSchema, "of numbers: the sign between thousands",
		func(p *reading, n ast.Node, c *Column) { c.GroupChar = p.text(n, "groupChar") }},
	{"separator", textSchema, "a cell holds a list of values with this text between them",
		func(p *reading, n ast.Node, c *Column) { c.Separator = p.text(n, "separator") }},
	{"null", textsSchema, "texts that stand for no value",
		func(p *reading, n ast.Node, c *Column) { c.Null = p.texts(n, "null", maxTexts) }},
	{"default", textSchema, "the value, in canonical form, of cells without one",
		func(p *reading, n ast.Node, c *Column) { c.Default = p.text(n, "default") }},
	{"remedies", remediesSchema(), "cleanings of the cells, in order",
		func(p *reading, n ast.Node, c *Column) { c.Remedies = p.remedies(n) }},
}

func (p *reading) column(n ast.Node) (Column, map[string]ast.Node) {
	c := Column{Null: []string{""}}
	strange := p.strange
	at := fill(p, n, "a column", columnFields, &c)
	if c.Name == "" && p.strange == strange {
		p.wrong(n, "the column has no name")
	}
	c.fitSize(at)
	p.contradictions(at, &c)
	return c, at
}

// fitSize gives a sized whole number the limits of its datatype, which hold whatever its own say;
// they stand where its name does.
func (c *Column) fitSize(at map[string]ast.Node) {
	for _, limit := range []struct {
		name, size string
		is         *string
		sign       int
	}{{"minimum", c.size[0], &c.Minimum, -1}, {"maximum", c.size[1], &c.Maximum, 1}} {
		if limit.size == "" {
			continue
		}
		own, ok := c.Literal(*limit.is)
		size, _ := c.Literal(limit.size)
		switch {
		case *limit.is == "":
			*limit.is, at[limit.name] = limit.size, at["datatype"]
		case ok && own.Compare(size)*limit.sign > 0:
			*limit.is = limit.size
		}
	}
}

// onViolation reads one action, or one for each of some codes.
func (p *reading) onViolation(n ast.Node, c *Column) {
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
	default:
		a := p.action(n)
		c.OnViolation = &a
		return
	}
	c.OnCode = map[violation.Code]violation.Action{}
	for _, prop := range p.mapping(n, "onViolation") {
		var code violation.Code
		if err := code.UnmarshalText([]byte(prop.name)); err != nil || !code.IsOfColumn() {
			p.wrong(prop.key, "onViolation: %q is no code of a column's violations; they are %s", clip(prop.name),
				strings.Join(violation.OfColumns(), ", "))
			continue
		}
		a := p.action(prop.node)
		switch isBlank := a == violation.Blank; {
		case isBlank && !isMendedByBlanking(code):
			p.wrong(prop.node, "%s cannot be mended by blanking: use reject or flag", code)
		case code == violation.ValueAbsent && a != violation.Flag && a != violation.Refuse:
			p.wrong(prop.node, "%s concerns the whole delivery: use flag or refuse", code)
		}
		c.OnCode[code] = a
	}
}

// contradictions finds rules of a column that cannot hold together.
func (p *reading) contradictions(at map[string]ast.Node, c *Column) {
	only := func(name string, fits bool, what string) {
		if node := at[name]; node != nil && !fits {
			p.wrong(node, "%s goes with %s, and the datatype is %s", name, what, c.Datatype)
		}
	}
	only("decimalChar", c.Datatype.IsNumber(), "numbers")
	only("groupChar", c.Datatype.IsNumber(), "numbers")
	only("yearPivot", c.Datatype.HasDay(), "dates")
	for _, r := range Rules {
		if r.Fits != nil {
			only(r.Name, r.Fits(c.Datatype), r.Goes)
		}
	}
	if c.Ordered == Consecutive {
		only("ordered", c.Datatype == value.Integer || c.Datatype == value.Date || c.Datatype.IsText(),
			"whole numbers, dates and texts, where it is consecutive")
	}
	only("oneOf", c.Codes == nil || c.Datatype.IsText(), "string, where it names a code list")

	p.formats(at, c)
	p.lists(at, c)
	if at["complete"] != nil && c.Codes == nil && c.OneOf == nil {
		p.wrong(at["complete"], "complete goes with oneOf, which lists the values that the delivery must have")
	}
	if c.Scale != nil && c.Precision == nil {
		p.wrong(at["scale"], "scale needs precision: the number of all digits")
	}
	if c.Scale != nil && c.Precision != nil && *c.Scale > *c.Precision {
		p.wrong(at["scale"], "scale %d is greater than precision %d", *c.Scale, *c.Precision)
	}
	if c.MinLength != nil && c.MaxLength != nil && *c.MinLength > *c.MaxLength {
		p.wrong(at["minLength"], "minLength %d is greater than maxLength %d", *c.MinLength, *c.MaxLength)
	}
	if c.blanks() && c.Required {
		p.wrong(at["onViolation"], "a required column cannot be blanked on a violation: use reject or flag")
	}
	if c.blanks() && c.Unique {
		p.wrong(at["onViolation"], "a unique column cannot be blanked on a violation: use reject or flag")
	}
	p.sources(at, c)
	p.applicable(at["remedies"], c)
	min, okMin := p.literal(at["minimum"], "minimum", c, c.Minimum)
	max, okMax := p.literal(at["maximum"], "maximum", c, c.Maximum)
	if okMin && okMax && min.Compare(max) > 0 {
		p.wrong(at["minimum"], "minimum %s is greater than maximum %s", c.Minimum, c.Maximum)
	}
	for _, text := range c.OneOf {
		one, ok := p.literal(at["oneOf"], "oneOf", c, text)
		switch {
		case ok && okMin && one.Compare(min) < 0:
			p.wrong(at["oneOf"], "oneOf lists %s, which is below the minimum %s", text, c.Minimum)
		case ok && okMax && one.Compare(max) > 0:
			p.wrong(at["oneOf"], "oneOf lists %s, which is above the maximum %s", text, c.Maximum)
		}
	}
}

// lists finds what goes with single values only, in a column of lists.
func (p *reading) lists(at map[string]ast.Node, c *Column) {
	switch node := at["separator"]; {
	case node == nil && c.Separator == "":
	case node != nil && c.Separator == "":
		p.wrong(node, "the separator is empty: it is the text between the values of a list")
	case node != nil && c.Datatype.IsNumber() && (strings.Contains(c.ListSeparator(), c.Point()) ||
		c.GroupChar != "" && strings.Contains(c.ListSeparator(), c.GroupChar)):
		p.wrong(node, "the separator %q stands within the column's numbers as well", clip(c.ListSeparator()))
	case at["ordered"] != nil:
		p.wrong(at["ordered"], "ordered goes with single values, and the cells hold lists")
	case at["complete"] != nil:
		p.wrong(at["complete"], "complete goes with single values, and the cells hold lists")
	}
}

// sources finds more than one place from which a column would take its values.
func (p *reading) sources(at map[string]ast.Node, c *Column) {
	for _, pair := range [][2]string{{"value", "derive"}, {"value", "position"}, {"derive", "position"},
		{"value", "from"}, {"derive", "from"}, {"value", "titles"}, {"derive", "titles"}} {
		if at[pair[0]] != nil && at[pair[1]] != nil {
			p.wrong(at[pair[1]], "%s and %s each say where the values come from: keep one of them", pair[0], pair[1])
		}
	}
	if c.Value != nil && *c.Value != "" {
		p.constant(at["value"], "value", c, *c.Value)
	}
	if c.Default != "" {
		p.constant(at["default"], "default", c, c.Default)
	}
	if at["default"] != nil && c.Default == "" {
		p.wrong(at["default"], "the default is empty: leave it out")
	}
	if c.RequiredWhen != "" && c.Required {
		p.wrong(at["requiredWhen"], "the column is required in any case: remove required or requiredWhen")
	}
}

func (p *reading) formats(at map[string]ast.Node, c *Column) {
	node := at["format"]
	if node == nil {
		for _, name := range []string{"decimalChar", "groupChar"} {
			if node == nil {
				node = at[name]
			}
		}
		if node == nil || !c.Datatype.IsNumber() {
			return
		}
	}
	var err error
	switch {
	case c.Datatype.IsText():
		if len(c.Formats) != 1 {
			p.wrong(node, "a string has one format; join expressions with |")
			return
		}
		err = checkPattern(c.Formats[0])
	case c.Datatype.IsNumber():
		if len(c.Formats) > 1 {
			p.wrong(node, "a number has one format")
			return
		}
		_, err = c.NumberFormat()
	case c.Datatype == value.Boolean:
		_, _, err = c.Booleans()
	default:
		_, err = c.DateFormats()
	}
	if err != nil {
		p.wrong(node, "%v", err)
	}
}
