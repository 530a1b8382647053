package draft

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"sieb/core/ddl"
	"sieb/core/edit"
	"sieb/core/remedy"
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
	t := d.Target
	t.Columns = slices.Clone(t.Columns)
	for i := range t.Columns {
		if c := &t.Columns[i]; c.Datatype == value.String && c.MaxLength == nil && d.longest[i] > 0 {
			most := d.longest[i]
			if len(c.Formats) == 0 {
				most = headroom(most)
			}
			c.MaxLength = &most
		}
	}
	text, err := ddl.Create(&t, ddl.PostgreSQL)
	if err != nil {
		return nil
	}
	return []byte("-- " + d.head + "\n" + text)
}
