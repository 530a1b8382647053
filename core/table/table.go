// Package table draws a target from what a database tells of one of its tables: its
// columns with their types, keys, foreign keys and checks. It asks no database;
// package catalogue of the service does.
package table

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"sieb/core/draft"
	"sieb/core/target"
	"sieb/core/value"
)

// Table is what a database tells of one of its tables.
type Table struct {
	Database              string // by which the service's settings know it; "" where they do not
	Schema, Name, Comment string
	Columns               []Column
	Keys                  [][]string // of columns: the primary key first, then what is unique
	Checks                []string   // conditions, as the database writes them
	References            []Reference
}

// Column is a column of a table.
type Column struct {
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

// drawing is a draft in the making, with the place of each of the table's columns.
type drawing struct {
	*draft.Draft
	at map[string]int
}

// Draft draws a target from the table: what the table demands, as rules; what
// cannot be told as a rule is noted beside the column.
func (t *Table) Draft() *draft.Draft {
	d := drawing{draft.New(fmt.Sprintf("Drawn from the table %s.%s.", t.Schema, t.Name)), map[string]int{}}
	d.Name, d.Title = draft.Legal(t.Name, -1), cmp.Or(t.Comment, t.Schema+"."+t.Name)
	for i := range t.Columns {
		d.column(&t.Columns[i])
	}
	for i, key := range t.Keys {
		d.key(key, i == 0)
	}
	for _, check := range t.Checks {
		d.check(check)
	}
	for _, r := range t.References {
		d.reference(t.Database, r)
	}
	d.dropDefaults()
	return d.Draft
}

// column takes a column of the table, unless the database gives its values.
func (d drawing) column(from *Column) {
	if from.Generated {
		d.Remark(from.Name + " is left out: the database gives its values")
		return
	}
	c := target.Column{Name: from.Name, Description: from.Comment, Null: []string{""}, Required: from.NotNull}
	n := draft.Notes{}
	if !target.IsName(c.Name) {
		c.Name, c.Titles = draft.Legal(from.Name, len(d.Columns)), []string{from.Name}
	}
	fromType(&c, from, n)
	if from.Default != "" && !takeDefault(&c, from.Default, n) && from.NotNull {
		d.Remark(from.Name + " is left out: the database gives its default, " + from.Default)
		return
	}
	d.at[from.Name] = len(d.Columns)
	d.Add(c, n)
}

// takeDefault takes a default that is a literal, and reports whether it is one. Any other is noted.
func takeDefault(c *target.Column, expression string, n draft.Notes) bool {
	literal, err := parseClause(expression)
	if err == nil && literal.isLiteral() {
		if literal.text != "" && c.Forbids(literal.text) == "" {
			c.Default = literal.text
			return true
		}
		n.Add("name", "default "+expression)
		return true
	}
	if err == nil && literal.op == "name" && c.Datatype == value.Boolean {
		c.Default = literal.text
		return true
	}
	n.Add("name", "default "+expression)
	return false
}

// dropDefaults notes the defaults that a rule of their own column forbids, which a database may have.
func (d drawing) dropDefaults() {
	for k := range d.Columns {
		c := &d.Columns[k]
		if c.Default == "" {
			continue
		}
		if why := c.Forbids(c.Default); why != "" {
			d.Note(k, "name", fmt.Sprintf("default %s, which %s", c.Default, why))
			c.Default = ""
		}
	}
}

// reference takes a foreign key; where the table's database has no name in the settings, it
// is noted.
func (d drawing) reference(database string, r Reference) {
	var names []string
	for _, name := range r.Columns {
		if k, ok := d.at[name]; ok {
			names = append(names, d.Columns[k].Name)
		}
	}
	if database != "" && len(names) == len(r.Columns) {
		d.ForeignKeys = append(d.ForeignKeys, target.ForeignKey{Columns: names,
			Reference: target.Reference{Database: database, Table: r.Table, Columns: r.To}})
		return
	}
	text := fmt.Sprintf("references %s (%s)", r.Table, strings.Join(r.To, ", "))
	if k, ok := d.at[r.Columns[0]]; ok && len(r.Columns) == 1 {
		d.Note(k, "name", text)
		return
	}
	d.Remark(strings.Join(r.Columns, ", ") + " " + text)
}

// key takes a primary key or a unique constraint.
func (d drawing) key(key []string, isFirst bool) {
	var names []string
	for _, name := range key {
		k, ok := d.at[name]
		if !ok {
			return // the database gives a part of it
		}
		names = append(names, d.Columns[k].Name)
	}
	switch {
	case len(names) == 1:
		d.Columns[d.at[key[0]]].Unique = true
	case isFirst || len(d.Key) == 0:
		d.Key = names
	default:
		d.UniqueKeys = append(d.UniqueKeys, names)
	}
}

// fromType turns a type of PostgreSQL into the datatype and its limits.
func fromType(c *target.Column, from *Column, n draft.Notes) {
	name, size, _ := strings.Cut(strings.ToLower(from.Type), "(")
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
				n["datatype"] = from.Type
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
		c.Datatype = value.Time
	default:
		if c.OneOf = from.Labels; len(from.Labels) == 0 {
			n["datatype"] = "the table's type is " + from.Type
		}
	}
}

// check turns a check constraint into rules of columns, and what is left of it into row
// rules. What cannot be said is noted, as all of the constraint.
func (d drawing) check(check string) {
	c, err := parseClause(check)
	if err == nil {
		parts := []clause{c}
		if c.op == "and" {
			parts = c.args
		}
		isLost := false
		for _, part := range parts {
			isLost = !d.rule(part) && !d.addRowRule(part) || isLost
		}
		if !isLost {
			return
		}
	}
	names := map[int]bool{}
	c.names(func(name string) {
		if k, ok := d.at[name]; ok {
			names[k] = true
		}
	})
	text := "check: " + check
	if len(names) != 1 {
		d.Remark(text)
		return
	}
	for k := range names {
		d.Note(k, "name", text)
	}
}

// names visits the names in a condition.
func (c *clause) names(visit func(string)) {
	if c.op == "name" {
		visit(c.text)
	}
	for i := range c.args {
		c.args[i].names(visit)
	}
}

var mirrored = map[string]string{"<": ">", ">": "<", "<=": ">=", ">=": "<=", "=": "=", "<>": "<>", "!=": "!="}

func (c *clause) isLiteral() bool { return c.op == "number" || c.op == "text" }

// rule turns one condition over a single column into a rule of it; false where
// there is no such rule.
func (d drawing) rule(c clause) bool {
	if c.op == "and" {
		all := true
		for _, part := range c.args {
			all = d.rule(part) && all
		}
		return all
	}
	if len(c.args) == 0 {
		return false
	}
	left := c.args[0]
	if len(c.args) == 2 && left.isLiteral() && mirrored[c.op] != "" {
		return d.rule(clause{op: mirrored[c.op], args: []clause{c.args[1], left}})
	}
	isLength := slices.Contains([]string{"length", "char_length", "character_length"}, left.op) && len(left.args) == 1
	if isLength {
		left = left.args[0]
	}
	k, ok := d.at[left.text]
	switch {
	case left.op != "name" || !ok:
		return false
	case c.op == "is not null":
		d.Columns[k].Required = true
		return true
	case len(c.args) != 2:
		return false
	case isLength:
		return lengthRule(&d.Columns[k], c.op, c.args[1])
	}
	return valueRule(&d.Columns[k], c.op, c.args[1])
}

// valueRule takes a comparison of a column with literals.
func valueRule(c *target.Column, op string, right clause) bool {
	isText := c.Datatype == value.String
	switch {
	case op == "in" && right.op == "array":
		return setRule(c, right.args)
	case op == "=" && right.isLiteral() && isText:
		return setRule(c, []clause{right})
	case op == "<>" && right.op == "text" && right.text == "" && isText:
		return true // an empty text is no value, and is never loaded as one
	case op == "~" && right.op == "text" && isText && len(c.Formats) == 0:
		return patternRule(c, right.text)
	case right.isLiteral() && (c.Datatype.IsNumber() || c.Datatype.HasDay()):
		return rangeRule(c, op, right.text)
	}
	return false
}

// setRule takes a list of the values that are allowed.
func setRule(c *target.Column, values []clause) bool {
	var set []string
	for _, v := range values {
		if !v.isLiteral() {
			return false
		}
		set = append(set, v.text)
	}
	if len(c.OneOf) == 0 {
		c.OneOf = set
	} else {
		c.OneOf = slices.DeleteFunc(c.OneOf, func(o string) bool { return !slices.Contains(set, o) })
	}
	return true
}

// patternRule takes a regular expression, unless only a part of the value is meant or
// the dialects differ.
func patternRule(c *target.Column, expr string) bool {
	expr, begins := strings.CutPrefix(expr, "^")
	expr, ends := strings.CutSuffix(expr, "$")
	if !begins || !ends || strings.ContainsAny(expr, `|\`) {
		return false
	}
	c.Formats = []string{expr}
	return true
}

func lengthRule(c *target.Column, op string, right clause) bool {
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
func rangeRule(c *target.Column, op, limit string) bool {
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

// Listed is a table as a list shows it.
type Listed struct {
	Schema  string   `json:"schema"`
	Name    string   `json:"name"`
	Comment string   `json:"comment,omitempty"`
	Rows    int64    `json:"rows" doc:"as the database estimates them; -1 where it was never counted"`
	Columns []string `json:"columns" doc:"their names, the first 100"`
}
