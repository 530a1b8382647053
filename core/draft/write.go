package draft

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"sieb/core/edit"
	"sieb/core/remedy"
	"sieb/core/target"
	"sieb/core/value"
)

// YAML writes the draft as a target file, with a comment on each rule that says
// from what it was drawn.
func (d *Draft) YAML() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "# %s Beside a rule stands why it is there.\n", d.head)
	if d.offered != "" || slices.ContainsFunc(d.notes, func(n Notes) bool { return n[offers] != "" }) {
		b.WriteString("# Rules behind a # are offered: remove the first # of the line to take one.\n")
	}
	for _, r := range d.remarks {
		fmt.Fprintf(&b, "# %s\n", r)
	}
	fmt.Fprintf(&b, "target: %s\ntitle: %s\n", d.Name, edit.Quote(d.Title))
	b.WriteString("columns:\n")
	for i := range d.Columns {
		c, n := &d.Columns[i], d.notes[i]
		first := true
		put := func(property, text string) {
			lead := "    "
			if first {
				lead, first = "  - ", false
			}
			line := lead + property + ": " + text
			if n[property] != "" {
				line = fmt.Sprintf("%-40s  # %s", line, n[property])
			}
			b.WriteString(strings.TrimRight(line, " ") + "\n")
		}
		many := func(property string, texts []string) {
			if text := list(texts); len(text) <= maxLine {
				put(property, text)
				return
			}
			put(property, "")
			for _, t := range texts {
				b.WriteString("      - " + edit.Quote(t) + "\n")
			}
		}
		number := func(property string, k *int) {
			if k != nil {
				put(property, strconv.Itoa(*k))
			}
		}
		put("name", plainName(c.Name))
		if len(c.Titles) > 0 {
			many("titles", c.Titles)
		}
		if c.Position > 0 {
			put("position", strconv.Itoa(c.Position))
		}
		if c.Description != "" {
			put("description", edit.Quote(c.Description))
		}
		put("datatype", c.Datatype.String())
		switch len(c.Formats) {
		case 0:
		case 1:
			put("format", edit.Quote(c.Formats[0]))
		default:
			many("format", c.Formats)
		}
		if c.DecimalChar != "" {
			put("decimalChar", edit.Quote(c.DecimalChar))
		}
		if c.GroupChar != "" {
			put("groupChar", edit.Quote(c.GroupChar))
		}
		number("precision", c.Precision)
		number("scale", c.Scale)
		number("minLength", c.MinLength)
		number("maxLength", c.MaxLength)
		if c.Minimum != "" {
			put("minimum", c.Minimum)
		}
		if c.Maximum != "" {
			put("maximum", c.Maximum)
		}
		if len(c.OneOf) > 0 {
			many("oneOf", c.OneOf)
		}
		if c.Required {
			put("required", "true")
		}
		if c.Unique {
			put("unique", "true")
		}
		if len(c.Null) > 1 {
			many("null", c.Null)
		}
		if c.Default != "" {
			put("default", edit.Quote(c.Default))
		}
		if len(c.Remedies) > 0 {
			put("remedies", remedies(c.Remedies))
		}
		for line := range strings.Lines(n[offers]) {
			b.WriteString("    " + line)
		}
	}
	b.WriteString(d.offered)
	if len(d.Key) > 0 {
		fmt.Fprintf(&b, "key: %s\n", list(d.Key))
	}
	d.writeRelations(&b)
	return b.Bytes()
}

// writeRelations writes what concerns several columns, and other tables.
func (d *Draft) writeRelations(b *bytes.Buffer) {
	if len(d.UniqueKeys) > 0 {
		b.WriteString("uniqueKeys:\n")
		for _, key := range d.UniqueKeys {
			fmt.Fprintf(b, "  - %s\n", list(key))
		}
	}
	if len(d.RowRules) > 0 {
		b.WriteString("rowRules:\n")
		for _, r := range d.RowRules {
			fmt.Fprintf(b, "  - {name: %s, condition: %s}\n", edit.Quote(oneLine(r.Name)), edit.Quote(r.Condition))
		}
	}
	if len(d.ForeignKeys) > 0 {
		b.WriteString("foreignKeys:\n")
		for _, fk := range d.ForeignKeys {
			fmt.Fprintf(b, "  - {columnReference: %s, reference: {database: %s, table: %s, columnReference: %s}}\n",
				list(fk.Columns), edit.Quote(fk.Reference.Database), edit.Quote(fk.Reference.Table), list(fk.Reference.Columns))
		}
	}
}

// maxLine is how many characters a list may have that stands in one line.
const maxLine = 70

// words that YAML takes for something else than a text.
var notNames = []string{"true", "false", "yes", "no", "on", "off", "null", "y", "n"}

// plainName writes a legal name without quotes, if YAML takes it for a text.
func plainName(name string) string {
	if slices.Contains(notNames, name) {
		return edit.Quote(name)
	}
	return name
}

func list(texts []string) string {
	quoted := make([]string, len(texts))
	for i, t := range texts {
		quoted[i] = edit.Quote(t)
	}
	return "[" + strings.Join(quoted, ", ") + "]"
}

func remedies(all []remedy.Remedy) string {
	parts := make([]string, len(all))
	for i, r := range all {
		parts[i] = r.String()
	}
	return "[" + strings.Join(parts, ", ") + "]"
}

// SQL writes a create table statement for rows that the draft accepts, with the
// types of PostgreSQL.
func (d *Draft) SQL() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "-- %s\ncreate table %s (\n", d.head, identifier(d.Name))
	lines := make([][2]string, len(d.Columns))
	for i := range d.Columns {
		c := &d.Columns[i]
		line := fmt.Sprintf("  %s %s", identifier(c.Name), sqlType(c, d.longest[i]))
		if c.Required {
			line += " not null"
		}
		if c.Unique {
			line += " unique"
		}
		if len(c.OneOf) > 0 {
			var texts []string
			for _, t := range c.OneOf {
				texts = append(texts, literal(t))
			}
			line += fmt.Sprintf(" check (%s in (%s))", identifier(c.Name), strings.Join(texts, ", "))
		}
		lines[i] = [2]string{line, oneLine(c.Title())}
	}
	for i, l := range lines {
		comma := ","
		if i == len(lines)-1 && len(d.Key) == 0 {
			comma = ""
		}
		if l[1] != d.Columns[i].Name {
			fmt.Fprintf(&b, "%-50s  -- %s\n", l[0]+comma, l[1])
		} else {
			b.WriteString(l[0] + comma + "\n")
		}
	}
	if len(d.Key) > 0 {
		var names []string
		for _, k := range d.Key {
			names = append(names, identifier(k))
		}
		fmt.Fprintf(&b, "  primary key (%s)\n", strings.Join(names, ", "))
	}
	b.WriteString(");\n")
	for i := range d.Columns {
		if c := &d.Columns[i]; c.Description != "" {
			fmt.Fprintf(&b, "comment on column %s.%s is %s;\n", identifier(d.Name), identifier(c.Name),
				literal(oneLine(c.Description)))
		}
	}
	return b.Bytes()
}

// sqlType returns the type of PostgreSQL that holds the column's values, of texts that
// are at most so long.
func sqlType(c *target.Column, longest int) string {
	switch c.Datatype {
	case value.Integer:
		return "bigint"
	case value.Decimal:
		if c.Precision != nil && c.Scale != nil {
			return fmt.Sprintf("numeric(%d, %d)", *c.Precision, *c.Scale)
		}
		return "numeric"
	case value.Double:
		return "double precision"
	case value.Boolean:
		return "boolean"
	case value.Date:
		return "date"
	case value.Time:
		return "time"
	case value.DateTime:
		if zoned(c.Formats) {
			return "timestamp with time zone"
		}
		return "timestamp"
	}
	switch {
	case c.MaxLength != nil:
		return fmt.Sprintf("varchar(%d)", *c.MaxLength)
	case longest == 0:
		return "text"
	case len(c.Formats) == 0:
		longest = headroom(longest)
	}
	return fmt.Sprintf("varchar(%d)", longest)
}

// reserved are the words of SQL that cannot name a column without quotes
// (PostgreSQL's reserved key words).
var reserved = strings.Fields(`all analyse analyze and any array as asc asymmetric authorization between binary both case cast check collate collation column
concurrently constraint create cross current_catalog current_date current_role current_schema current_time current_timestamp current_user default
deferrable desc distinct do else end except false fetch for foreign freeze from full grant group having ilike in initially inner intersect into is
isnull join lateral leading left like limit localtime localtimestamp natural not notnull null offset on only or order outer overlaps placing primary
references returning right select session_user similar some symmetric system_user table tablesample then to trailing true union unique user using
variadic verbose when where window with`)

// identifier writes a name as SQL takes it.
func identifier(name string) string {
	plain := strings.IndexFunc(name, func(r rune) bool {
		return r != '_' && (r < 'a' || r > 'z') &&
			(r < '0' || r > '9')
	}) < 0
	if plain && !slices.Contains(reserved, name) {
		return name
	}
	return `"` + strings.ReplaceAll(name, `"`, `""`) + `"`
}

func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }
