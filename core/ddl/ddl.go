// Package ddl writes statements that create the table of a target, for standard SQL and for
// databases that are common.
package ddl

import (
	"fmt"
	"slices"
	"strings"

	"sieb/core/target"
	"sieb/core/value"
)

// Dialect is a kind of SQL.
type Dialect string

// The dialects.
const (
	Standard   Dialect = "standard" // ISO/IEC 9075:2023
	PostgreSQL Dialect = "postgresql"
	MariaDB    Dialect = "mariadb"
	SQLite     Dialect = "sqlite"
)

// Dialects returns the names of the dialects.
func Dialects() []string {
	return []string{string(Standard), string(PostgreSQL), string(MariaDB), string(SQLite)}
}

// writer writes the statement of one target.
type writer struct {
	Dialect
	t     *target.Target
	notes []string // what cannot be said in SQL
	after []string // statements behind the table
}

// Create writes the statement that creates a target's table, with its keys, checks and comments. What
// the target demands and SQL cannot say, stands in comments above it.
func Create(t *target.Target, d Dialect) (string, error) {
	if !slices.Contains(Dialects(), string(d)) {
		return "", fmt.Errorf("there is no dialect %q; there are %s", d, strings.Join(Dialects(), ", "))
	}
	w := &writer{Dialect: d, t: t}
	var lines []string
	for i := range t.Columns {
		lines = append(lines, w.column(&t.Columns[i]))
	}
	lines = append(lines, w.keys()...)
	for _, r := range t.RowRules {
		if check, ok := w.condition(r.Condition); ok && r.OnViolation.RejectsRow() {
			lines = append(lines, fmt.Sprintf("constraint %s check (%s)", w.name(legal(r.Name)), check))
		} else {
			w.notes = append(w.notes, "row rule: "+r.Name+": "+r.Condition)
		}
	}
	for _, fk := range t.ForeignKeys {
		if fk.Reference.Codes != "" {
			w.notes = append(w.notes, fmt.Sprintf("%s is a code of the list %s", strings.Join(fk.Columns, ", "),
				fk.Reference.Codes))
			continue
		}
		lines = append(lines, fmt.Sprintf("foreign key (%s) references %s (%s)", w.names(fk.Columns),
			w.path(fk.Reference.Name()),
			w.names(fk.Reference.Columns)))
	}
	var b strings.Builder
	for i, n := range w.notes {
		if slices.Contains(w.notes[:i], n) {
			continue
		}
		fmt.Fprintf(&b, "-- not said in the table: %s\n", oneLine(n))
	}
	fmt.Fprintf(&b, "create table %s (\n  %s\n)", w.name(t.Name), strings.Join(lines, ",\n  "))
	if d == MariaDB && t.Title != "" {
		fmt.Fprintf(&b, " comment = %s", w.text(t.Title))
	}
	b.WriteString(";\n")
	if d == PostgreSQL && t.Title != "" {
		fmt.Fprintf(&b, "comment on table %s is %s;\n", w.name(t.Name), w.text(t.Title))
	}
	for _, s := range w.after {
		b.WriteString(s + ";\n")
	}
	return b.String(), nil
}

// oneLine makes a text fit for a comment.
func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

func (w *writer) column(c *target.Column) string {
	line := w.name(c.Name) + " " + w.typeOf(c)
	if c.Default != "" {
		line += " default " + w.literal(c, c.Default)
	}
	if c.Required {
		line += " not null"
	}
	if c.Unique && !(len(w.t.Key) == 1 && w.t.Key[0] == c.Name) {
		line += " unique"
	}
	if checks := w.checks(c); len(checks) > 0 {
		line += " check (" + strings.Join(checks, " and ") + ")"
	}
	if c.Codes != nil {
		w.notes = append(w.notes, fmt.Sprintf("%s is a code of the list %s", c.Name, c.Codes.Name))
	}
	words := c.Description
	if words == "" && c.Title() != c.Name {
		words = c.Title()
	}
	switch {
	case words == "":
	case w.Dialect == MariaDB:
		line += " comment " + w.text(words)
	case w.Dialect == PostgreSQL:
		w.after = append(w.after, fmt.Sprintf("comment on column %s.%s is %s", w.name(w.t.Name), w.name(c.Name),
			w.text(words)))
	default:
		line = "-- " + oneLine(words) + "\n  " + line
	}
	return line
}

// typeOf returns the type of a column.
func (w *writer) typeOf(c *target.Column) string {
	if c.Separator != "" {
		return w.textType(nil)
	}
	switch c.Datatype {
	case value.Integer:
		switch {
		case w.Dialect == SQLite:
			return "integer"
		case within(c, "-32768", "32767"):
			return "smallint"
		case within(c, "-2147483648", "2147483647"):
			return "integer"
		}
		return "bigint"
	case value.Decimal:
		precision, scale := 38, 10
		if c.Precision != nil {
			precision, scale = *c.Precision, 0
			if c.Scale != nil {
				scale = *c.Scale
			}
		} else if w.Dialect == PostgreSQL {
			return "numeric"
		}
		if w.Dialect == SQLite {
			return "numeric"
		}
		return fmt.Sprintf("numeric(%d, %d)", precision, scale)
	case value.Double:
		if w.Dialect == SQLite {
			return "real"
		}
		return map[bool]string{true: "double", false: "double precision"}[w.Dialect == MariaDB]
	case value.Boolean:
		if w.Dialect == SQLite {
			return "integer"
		}
		return "boolean"
	case value.Date, value.Time, value.DateTime:
		return w.moment(c)
	}
	return w.textType(c.MaxLength)
}

func (w *writer) moment(c *target.Column) string {
	switch {
	case w.Dialect == SQLite:
		return "text"
	case c.Datatype == value.Date:
		return "date"
	case c.Datatype == value.Time:
		return "time"
	case w.Dialect == MariaDB:
		return "datetime"
	case c.Zoned:
		return "timestamp with time zone"
	}
	return "timestamp"
}

func (w *writer) textType(most *int) string {
	switch {
	case most != nil && (*most <= 10_000 || w.Dialect == Standard) && w.Dialect != SQLite:
		return fmt.Sprintf("varchar(%d)", *most)
	case w.Dialect == Standard:
		return "varchar(4000)"
	}
	return "text"
}

// within reports whether a column's limits lie within some.
func within(c *target.Column, low, high string) bool {
	if c.Minimum == "" || c.Maximum == "" {
		return false
	}
	var least, most, a, b value.Number
	var f value.NumberFormat
	return f.Parse([]byte(low), &least) && f.Parse([]byte(high), &most) && f.Parse([]byte(c.Minimum), &a) &&
		f.Parse([]byte(c.Maximum), &b) && !a.Less(&least) && !most.Less(&b)
}

// checks returns the conditions that a column's rules come to.
func (w *writer) checks(c *target.Column) (all []string) {
	name := w.name(c.Name)
	if c.Separator != "" {
		w.notes = append(w.notes, fmt.Sprintf("%s holds several values with %q between them", c.Name, c.Separator))
		return nil
	}
	for _, limit := range []struct{ sign, text string }{{">=", c.Minimum}, {"<=", c.Maximum}} {
		switch {
		case limit.text == "":
		case strings.HasPrefix(limit.text, "today"):
			w.notes = append(w.notes, fmt.Sprintf("%s %s %s", c.Name, limit.sign, limit.text))
		default:
			all = append(all, fmt.Sprintf("%s %s %s", name, limit.sign, w.literal(c, limit.text)))
		}
	}
	if len(c.OneOf) > 0 {
		values := make([]string, len(c.OneOf))
		for i, v := range c.OneOf {
			values[i] = w.literal(c, v)
		}
		all = append(all, fmt.Sprintf("%s in (%s)", name, strings.Join(values, ", ")))
	}
	length := "char_length"
	if w.Dialect == SQLite {
		length = "length"
	}
	if c.MinLength != nil {
		all = append(all, fmt.Sprintf("%s(%s) >= %d", length, name, *c.MinLength))
	}
	if c.MaxLength != nil && (w.Dialect == SQLite || *c.MaxLength > 10_000 && w.Dialect != Standard) {
		all = append(all, fmt.Sprintf("%s(%s) <= %d", length, name, *c.MaxLength))
	}
	if c.Datatype == value.Boolean && w.Dialect == SQLite {
		all = append(all, name+" in (0, 1)")
	}
	if c.Datatype.IsText() && len(c.Formats) == 1 {
		whole := "^(" + c.Formats[0] + ")$"
		isPlain := !strings.Contains(whole, `\p`) && !strings.Contains(whole, `\P`) && !strings.Contains(whole, "(?")
		switch {
		case w.Dialect == PostgreSQL && isPlain:
			all = append(all, fmt.Sprintf("%s ~ %s", name, w.text(whole)))
		case w.Dialect == MariaDB:
			all = append(all, fmt.Sprintf("%s regexp %s", name, w.text(whole)))
		default:
			w.notes = append(w.notes, fmt.Sprintf("%s is of the form %s", c.Name, c.Formats[0]))
		}
	}
	for i := range target.Rules {
		if r := &target.Rules[i]; r.IsSet(c) && !slices.Contains(expressed, r.Name) {
			w.notes = append(w.notes, c.Name+": "+r.Words(c))
		}
	}
	return all
}

// expressed are the rules of a column that a statement has words for, or a note of its own where some dialects have none.
// Of all others it tells in a note.
var expressed = []string{"minimum", "maximum", "precision", "scale", "minLength", "maxLength", "format", "oneOf", "required",
	"unique"}

func (w *writer) keys() (lines []string) {
	if len(w.t.Key) > 0 {
		lines = append(lines, "primary key ("+w.names(w.t.Key)+")")
	}
	for _, key := range w.t.UniqueKeys {
		lines = append(lines, "unique ("+w.names(key)+")")
	}
	return lines
}

// literal writes a value of a column, which is in canonical form.
func (w *writer) literal(c *target.Column, text string) string {
	switch d := c.Datatype; {
	case d.IsNumber():
		return text
	case d == value.Boolean && w.Dialect == SQLite:
		return map[string]string{"true": "1", "false": "0"}[text]
	case d == value.Boolean:
		return text
	case w.Dialect == SQLite || !d.IsMoment():
		return w.text(text)
	case d == value.Date:
		return "date " + w.text(text)
	case d == value.Time:
		return "time " + w.text(text)
	}
	return "timestamp " + w.text(strings.Replace(text, "T", " ", 1))
}

// text writes a text as a literal.
func (w *writer) text(text string) string {
	text = strings.ReplaceAll(text, "'", "''")
	if w.Dialect == MariaDB {
		text = strings.ReplaceAll(text, `\`, `\\`)
	}
	return "'" + text + "'"
}

func (w *writer) names(all []string) string {
	quoted := make([]string, len(all))
	for i, name := range all {
		quoted[i] = w.name(name)
	}
	return strings.Join(quoted, ", ")
}

// name writes a name as SQL takes it.
func (w *writer) name(name string) string {
	isPlain := name != "" && strings.IndexFunc(name, func(r rune) bool {
		return r != '_' && (r < 'a' || r > 'z') && (r < '0' || r > '9')
	}) < 0 && (name[0] < '0' || name[0] > '9')
	switch {
	case isPlain && !slices.Contains(reserved, name):
		return name
	case w.Dialect == MariaDB:
		return "`" + strings.ReplaceAll(name, "`", "``") + "`"
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

// path writes the name of a table, which may be within a schema.
func (w *writer) path(name string) string {
	schema, table, has := strings.Cut(name, ".")
	if !has {
		return w.name(name)
	}
	return w.name(schema) + "." + w.name(table)
}

// legal makes a constraint's name of words.
func legal(words string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(words) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "_"):
			b.WriteByte('_')
		}
	}
	name := strings.Trim(b.String(), "_")
	return "rule_" + name[:min(len(name), 50)]
}

// reserved are the words that cannot name a column without quotes in one of the dialects.
var reserved = strings.Fields(`add all alter analyse analyze and any array as asc between both by case cast check collate
column condition constraint create cross current_date current_time current_timestamp current_user database date day default
delete desc describe distinct div do double drop else end escape except exists explain false fetch float for force foreign from
full function generated grant group groups having if in index infile inner insert int integer intersect into is join key keys
leading left like limit lines load localtime lock long match natural not null numeric offset on option or order outer over
partition placing precision primary procedure range rank read real references regexp rename repeat replace restrict returning
revoke right row rows schema select session_user set show some sql starting system table terminated then time timestamp to
trailing trigger true undo union unique update usage use user using values varchar varying when where while window with write
year`)
