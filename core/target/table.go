package target

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"sieb/core/value"
)

// Table is what a database tells of one of its tables.
type Table struct {
	Schema, Name, Comment string
	Columns               []TableColumn
	Keys                  [][]string // of columns: the primary key first, then what is unique
	Checks                []string   // conditions, as the database writes them
	References            []Reference
}

// TableColumn is a column of a table.
type TableColumn struct {
	Name      string
	Type      string   // as the database writes it: character varying(20), numeric(8,2)
	Labels    []string // of an enumeration
	NotNull   bool
	Default   string // an expression; "" for none
	Generated bool   // the database gives the value: generated or identity columns
	Comment   string
}

// Reference is a foreign key.
type Reference struct {
	Columns []string
	Table   string // with its schema
	To      []string
}

// FromTable draws a target from a table: what the table demands, as rules; what
// cannot be told as a rule is noted beside the column.
func FromTable(t *Table) *Draft {
	d := &Draft{head: fmt.Sprintf("Drawn from the table %s.%s.", t.Schema, t.Name)}
	d.Name, d.Title = legal(t.Name, -1), t.Comment
	if d.Title == "" {
		d.Title = t.Schema + "." + t.Name
	}
	at := map[string]int{}
	for _, tc := range t.Columns {
		if tc.Generated {
			d.remarks = append(d.remarks, fmt.Sprintf("%s is left out: the database gives its values", tc.Name))
			continue
		}
		c, n := Column{Name: tc.Name, Null: []string{""}, Required: tc.NotNull && tc.Default == ""}, notes{}
		if !legalName.MatchString(c.Name) {
			c.Name, c.Titles = legal(tc.Name, len(d.Columns)), []string{tc.Name}
		}
		c.fromType(&tc, n)
		if tc.Default != "" {
			note(n, "name", "default "+oneLine(tc.Default))
		}
		if tc.Comment != "" {
			note(n, "name", oneLine(tc.Comment))
		}
		at[tc.Name] = len(d.Columns)
		d.Columns, d.notes, d.longest = append(d.Columns, c), append(d.notes, n), append(d.longest, 0)
	}
	for i, key := range t.Keys {
		d.tableKey(key, i == 0, at)
	}
	for _, check := range t.Checks {
		d.tableCheck(check, at)
	}
	for _, r := range t.References {
		text := fmt.Sprintf("references %s (%s)", r.Table, strings.Join(r.To, ", "))
		if k, ok := at[r.Columns[0]]; ok && len(r.Columns) == 1 {
			note(d.notes[k], "name", text)
		} else {
			d.remarks = append(d.remarks, strings.Join(r.Columns, ", ")+" "+text)
		}
	}
	return d
}

// tableKey takes a primary key or a unique constraint.
func (d *Draft) tableKey(key []string, isFirst bool, at map[string]int) {
	var names []string
	for _, name := range key {
		k, ok := at[name]
		if !ok {
			return // the database gives a part of it
		}
		names = append(names, d.Columns[k].Name)
	}
	switch {
	case len(names) == 1:
		d.Columns[at[key[0]]].Unique = true
	case isFirst || len(d.Key) == 0:
		d.Key = names
	default:
		d.remarks = append(d.remarks, "unique together: "+strings.Join(names, ", "))
	}
}

// fromType turns a type of PostgreSQL into the datatype and its limits.
func (c *Column) fromType(tc *TableColumn, n notes) {
	name, size, _ := strings.Cut(strings.ToLower(tc.Type), "(")
	name = strings.TrimSpace(name)
	size, suffix, _ := strings.Cut(size, ")")
	if suffix = strings.TrimSpace(suffix); suffix != "" {
		name += " " + suffix
	}
	limits := func(low, high int64) {
		c.Datatype, c.Minimum, c.Maximum = value.Integer, strconv.FormatInt(low, 10), strconv.FormatInt(high, 10)
	}
	switch name {
	case "smallint":
		limits(math.MinInt16, math.MaxInt16)
	case "integer":
		limits(math.MinInt32, math.MaxInt32)
	case "bigint":
		limits(math.MinInt64, math.MaxInt64)
	case "numeric":
		c.Datatype = value.Decimal
		whole, frac, _ := strings.Cut(size, ",")
		if p, err := strconv.Atoi(whole); err == nil {
			s, _ := strconv.Atoi(frac)
			if s >= 0 && s <= p {
				c.Precision, c.Scale = &p, &s
			} else {
				n["datatype"] = tc.Type
			}
		}
	case "real", "double precision":
		c.Datatype = value.Double
	case "boolean":
		c.Datatype = value.Boolean
	case "date":
		c.Datatype = value.Date
	case "timestamp without time zone", "timestamp with time zone":
		c.Datatype = value.DateTime
	case "character varying", "character":
		if most, err := strconv.Atoi(size); err == nil {
			c.MaxLength = &most
		}
	case "text":
	case "uuid":
		c.Formats = []string{"[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}"}
	case "time without time zone":
		c.Formats = []string{`([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9](\.[0-9]{1,6})?)?`}
		n["format"] = tc.Type
	default:
		if c.OneOf = tc.Labels; len(tc.Labels) == 0 {
			n["datatype"] = "the table's type is " + tc.Type
		}
	}
}

// tableCheck turns a check constraint into rules, as far as all of it is
// understood; otherwise it is noted.
func (d *Draft) tableCheck(check string, at map[string]int) {
	c, err := parseCondition(check)
	if err == nil {
		parts := []condition{c}
		if c.op == "and" {
			parts = c.args
		}
		left := false
		for _, part := range parts {
			left = !d.rule(part, at) || left
		}
		if !left {
			return
		}
	}
	names := map[int]bool{}
	c.names(func(name string) {
		if k, ok := at[name]; ok {
			names[k] = true
		}
	})
	text := "check: " + oneLine(check)
	if len(names) != 1 {
		d.remarks = append(d.remarks, text)
		return
	}
	for k := range names {
		note(d.notes[k], "name", text)
	}
}

// names visits the names in a condition.
func (c *condition) names(visit func(string)) {
	if c.op == "name" {
		visit(c.text)
	}
	for i := range c.args {
		c.args[i].names(visit)
	}
}

var mirrored = map[string]string{"<": ">", ">": "<", "<=": ">=", ">=": "<=", "=": "=", "<>": "<>", "!=": "!="}

// rule turns one condition over a single column into a rule of it; false where
// there is no such rule.
func (d *Draft) rule(c condition, at map[string]int) bool {
	if c.op == "and" {
		all := true
		for _, part := range c.args {
			all = d.rule(part, at) && all
		}
		return all
	}
	if len(c.args) == 0 {
		return false
	}
	left := c.args[0]
	if len(c.args) == 2 && (left.op == "number" || left.op == "text") && mirrored[c.op] != "" {
		return d.rule(condition{op: mirrored[c.op], args: []condition{c.args[1], left}}, at)
	}
	isLength := (left.op == "length" || left.op == "char_length" || left.op == "character_length") &&
		len(left.args) == 1
	if isLength {
		left = left.args[0]
	}
	k, ok := at[left.text]
	if left.op != "name" || !ok {
		return false
	}
	col := &d.Columns[k]
	if c.op == "is not null" {
		col.Required = true
		return true
	}
	if len(c.args) != 2 {
		return false
	}
	right := c.args[1]
	isLiteral := right.op == "number" || right.op == "text"
	switch {
	case isLength:
		return col.lengthRule(c.op, right)
	case c.op == "in" && right.op == "array" || c.op == "=" && isLiteral && col.Datatype == value.String:
		values := right.args
		if isLiteral {
			values = []condition{right}
		}
		var set []string
		for _, v := range values {
			if v.op != "text" && v.op != "number" {
				return false
			}
			set = append(set, v.text)
		}
		if len(col.OneOf) == 0 {
			col.OneOf = set
		} else {
			col.OneOf = slices.DeleteFunc(col.OneOf, func(o string) bool { return !slices.Contains(set, o) })
		}
		return true
	case c.op == "<>" && right.op == "text" && right.text == "" && col.Datatype == value.String:
		return true // an empty text is no value, and is never loaded as one
	case c.op == "~" && right.op == "text" && col.Datatype == value.String && len(col.Formats) == 0:
		expr, begins := strings.CutPrefix(right.text, "^")
		expr, ends := strings.CutSuffix(expr, "$")
		if !begins || !ends || strings.Contains(expr, "|") || strings.Contains(expr, `\`) {
			return false // the whole value is not meant, or it is another dialect
		}
		col.Formats = []string{expr}
		return true
	case isLiteral && (col.Datatype.IsNumber() || col.Datatype == value.Date || col.Datatype == value.DateTime):
		return col.rangeRule(c.op, right.text)
	}
	return false
}

func (c *Column) lengthRule(op string, right condition) bool {
	n, err := strconv.Atoi(right.text)
	if err != nil || right.op != "number" {
		return false
	}
	switch op {
	case "<":
		n--
	case ">":
		n++
	}
	switch op {
	case "<", "<=":
		c.MaxLength = &n
	case ">", ">=":
		c.MinLength = &n
	case "=":
		c.MinLength, c.MaxLength = &n, &n
	default:
		return false
	}
	return true
}

// rangeRule takes a comparison with a literal. Of a comparison without equality the
// nearest value that is allowed is the limit, where the type has one.
func (c *Column) rangeRule(op, limit string) bool {
	if op == "<" || op == ">" {
		step := int64(1)
		if op == "<" {
			step = -1
		}
		scale := 0
		switch {
		case c.Datatype == value.Decimal && c.Scale != nil:
			scale = *c.Scale
		case c.Datatype != value.Integer:
			return false
		}
		var ok bool
		if limit, ok = moved(limit, step, scale); !ok {
			return false
		}
		op += "="
	}
	switch c.Datatype {
	case value.Date, value.DateTime:
		f, err := value.NewDateFormat(c.Datatype, "")
		var t value.Instant
		if err != nil || f.Parse([]byte(strings.Replace(limit, " ", "T", 1)), &t) != value.Matches {
			return false
		}
		limit = strings.Replace(limit, " ", "T", 1)
	default:
		var n value.Number
		if !new(value.NumberFormat).Parse([]byte(limit), &n) {
			return false
		}
	}
	switch op {
	case ">=":
		c.Minimum = limit
	case "<=":
		c.Maximum = limit
	case "=":
		c.Minimum, c.Maximum = limit, limit
	default:
		return false
	}
	return true
}

// moved adds so many units of the last digit to a decimal.
func moved(text string, units int64, scale int) (string, bool) {
	whole, frac, _ := strings.Cut(text, ".")
	if len(frac) > scale && strings.Trim(frac[scale:], "0") != "" || len(whole)+scale > 17 {
		return "", false
	}
	frac = (frac + strings.Repeat("0", scale))[:scale]
	n, err := strconv.ParseInt(whole+frac, 10, 64)
	if err != nil {
		return "", false
	}
	n += units
	sign := ""
	if n < 0 {
		sign, n = "-", -n
	}
	digits := fmt.Sprintf("%0*d", scale+1, n)
	if scale == 0 {
		return sign + digits, true
	}
	return sign + digits[:len(digits)-scale] + "." + digits[len(digits)-scale:], true
}
