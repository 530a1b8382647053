package check

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"sieb/core/condition"
	"sieb/core/forms"
	"sieb/core/remedy"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

const (
	maxValue   = 1000 // bytes of a violating cell that a report repeats
	maxShown   = 60   // bytes of it that a message quotes
	maxListed  = 12   // allowed values that a message lists
	maxMessage = 1000 // bytes of a message
)

// appendValid appends text as valid UTF-8, cut after about most bytes.
func appendValid(dst, text []byte, most int) []byte {
	cut := len(text) > most
	if cut {
		for most > 0 && !utf8.RuneStart(text[most]) {
			most--
		}
		text = text[:most]
	}
	if utf8.Valid(text) {
		dst = append(dst, text...)
	} else {
		dst = append(dst, strings.ToValidUTF8(string(text), "\uFFFD")...)
	}
	if cut {
		dst = append(dst, "…"...)
	}
	return dst
}

// cut shortens what stands behind a place of a text to about most bytes.
func cut(text []byte, from, most int) []byte {
	if len(text)-from <= most {
		return text
	}
	return appendValid(text[:from], slices.Clone(text[from:from+most+1]), most)
}

func appendQuoted(dst, text []byte) []byte {
	dst = append(dst, '"')
	dst = appendValid(dst, text, maxShown)
	return append(dst, '"')
}

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + many
}

// appendMessage says what was found, what was expected and, where the cause is
// plain, what would fix it.
func (j *Judge) appendMessage(dst []byte, c *column, code violation.Code, cell []byte, d *source.Defect) []byte {
	start := len(dst)
	if c != nil && c.spec.Message != "" && d == nil {
		return appendValid(dst, []byte(c.spec.Message), maxMessage)
	}
	dst = j.appendWords(dst, c, code, cell, d)
	if c != nil && c.derive != nil {
		dst = j.appendSources(dst, c)
	}
	return cut(dst, start, maxMessage)
}

// phrase is a message in the making.
type phrase struct{ text []byte }

func (p *phrase) say(parts ...string) {
	for _, part := range parts {
		p.text = append(p.text, part...)
	}
}

func (p *phrase) quote(text []byte) { p.text = appendQuoted(p.text, text) }

func (j *Judge) appendWords(dst []byte, c *column, code violation.Code, cell []byte, d *source.Defect) []byte {
	p := &phrase{dst}
	switch {
	case d != nil:
		j.sayDefect(p, code, cell, d)
	case code == violation.RequiredEmpty:
		j.sayRequired(p, c)
	case code == violation.DeriveFailed:
		p.say("the value cannot be computed: ")
		p.text = appendValid(p.text, cell, maxValue)
	default:
		switch p.quote(j.raw); {
		case j.isEntry:
			p.say(" has an entry that is wrong: ")
			p.quote(cell)
		case j.changed != 0:
			p.say(", cleaned to ")
			p.quote(cell)
			p.say(",")
		}
		j.sayRule(p, c, code, cell)
	}
	return p.text
}

// sayDefect says what was wrong with a row or cell as it was read.
func (j *Judge) sayDefect(p *phrase, code violation.Code, cell []byte, d *source.Defect) {
	switch code {
	case violation.RowShort, violation.RowLong:
		p.say("the row has ", count(d.Count, "cell", "cells"), ", the table has ",
			count(len(j.plan.header), "column", "columns"))
		return
	case violation.RowMisplaced:
		p.say("the names of the row's cells contradict one another, or the row: to which columns they belong " +
			"is not certain; ask the sender for the workbook again")
		return
	case violation.QuoteOpen:
		p.say("a quote opens here and is not closed; the row is taken to end with its line")
		return
	case violation.TypeFormula:
		p.say("the cell holds the formula ", string(appendValid(nil, cell, maxShown)), " and no value: a program wrote the "+
			"workbook, and nobody has opened it since; open and save it in a spreadsheet program, or ask for values")
		return
	case violation.TypeError:
		p.say("the cell holds the error ", string(appendValid(nil, cell, maxShown)),
			" of a formula, not a value; the sender must mend it in the workbook")
		return
	}
	p.quote(cell)
	switch code {
	case violation.QuoteStray:
		p.say(" holds a quote that does not enclose the cell; it is read as an ordinary character")
	case violation.QuoteBackslash:
		p.say(" ends with a backslash, which elsewhere in the file makes the quote behind it a part of the cell; here " +
			"the quote closes it, since the row would be none otherwise")
	case violation.QuoteTail:
		p.say(" goes on after its closing quote; quotes inside a quoted cell must be doubled")
	case violation.EncodingInvalid:
		p.say(" holds ", count(d.Count, "invalid byte", "invalid bytes"), ": ", d.Invalid(), " is not ", j.plan.encoding)
	case violation.EncodingGarbled:
		p.say(" was decoded twice; it most likely said ")
		p.quote([]byte(d.Meant))
	case violation.EncodingControl:
		p.say(" holds a control character (", d.Control(), "), which no text needs")
	case violation.NumberText:
		p.say(" is a number that the workbook stores as text")
	case violation.DateText:
		p.say(" is a date that the workbook stores as text")
	}
}

func (j *Judge) sayRequired(p *phrase, c *column) {
	if len(j.raw) == 0 {
		p.say("the cell is empty, and a value is required")
	} else {
		p.quote(j.raw)
		p.say(" stands for no value, and a value is required")
	}
	if c.requiredWhen != nil {
		p.say(" where ", c.spec.RequiredWhen)
	}
}

// sayRule says which rule of its column a value breaks, and where the cause is plain, what
// would mend it.
func (j *Judge) sayRule(p *phrase, c *column, code violation.Code, cell []byte) {
	if j.sayValueRule(p, c, code) {
		return
	}
	switch code {
	case violation.DateImpossible:
		p.say(" has the form of a ", dateWord(c.spec.Datatype), ", but the calendar has no such day or time")
	case violation.DateAmbiguous:
		p.say(" fits ", c.dates[0].Pattern())
		for _, f := range c.dates[1:] {
			p.say(" and ", f.Pattern())
		}
		p.say(", which read it as different days; the first that fits is taken")
	case violation.TextGrown:
		j.sayGrown(p, cell)
	default:
		c.sayForm(p, code, cell)
		p.say(hint(cell))
	}
}

// sayGrown says what makes more of a cell than there is room for.
func (j *Judge) sayGrown(p *phrase, cell []byte) {
	if j.grownBy == "" {
		p.say(" has no room left: what remedies, constants and computations make of the rows around it comes to more "+
			"than ", strconv.Itoa(j.most>>20), " MiB; let the target or mapping make less of each cell")
		return
	}
	p.say(" grows too long: the remedy ", j.grownBy, " would make more than ", strconv.Itoa(remedy.Room(len(cell))),
		" bytes of it; at most four times its own length and 1 MiB are made of a cell")
}

// sayForm says which form a value does not have.
func (c *column) sayForm(p *phrase, code violation.Code, cell []byte) {
	switch code {
	case violation.TypeInteger:
		p.say(" is not a whole number")
	case violation.TypeDecimal, violation.TypeDouble:
		p.say(" is not a number ", c.numberExample())
	case violation.TypeBoolean:
		p.say(" is neither ", c.allowed())
	case violation.TypeURI:
		p.say(" is not a URI such as https://talfeld.example/tickets")
	case violation.TypeDuration:
		p.say(" is not a duration such as PT36H or P1D (ISO 8601)")
	case violation.DateFormat, violation.TimeFormat:
		p.say(" is not a ", c.dateForms)
	case violation.CodeUnknown:
		p.say(" is not among the ", count(len(c.codes.Codes), "code", "codes"), " of ", c.codes.Name)
		if meant, ok := c.codes.Meant(cell); ok {
			p.say("; it has ", meant)
		}
	default:
		p.say(" breaks the rule ", code.String())
	}
}

// saidAllowed says which values the column allows.
func (c *column) saidAllowed() string {
	switch listed := c.spec.OneOf; {
	case c.spec.Datatype == value.Boolean:
		return strings.Join(c.yes, " or ") + " (true) nor " + strings.Join(c.no, " or ") + " (false)"
	case len(listed) > maxListed:
		return fmt.Sprintf("the %d allowed values: %s, …", len(listed), strings.Join(listed[:maxListed], ", "))
	default:
		return strings.Join(listed, ", ")
	}
}

// saidTextForm says which form the column's texts have.
func (c *column) saidTextForm() string {
	return cmp.Or(forms.Of(c.spec.Formats[0]), "that the column demands")
}

// saidDates says how the column's dates are written.
func (c *column) saidDates() string {
	var b strings.Builder
	b.WriteString(dateWord(c.spec.Datatype))
	if c.spec.Zoned {
		b.WriteString(" with a zone, such as +02:00 or Z,")
	}
	for i, f := range c.dates {
		fmt.Fprintf(&b, "%s%s (%s)", []string{" like ", " or "}[min(i, 1)], f.Example(), f.Pattern())
	}
	return b.String()
}

// numberExample shows how the column's numbers are written.
func (c *column) numberExample() string {
	s := c.spec
	switch {
	case len(s.Formats) > 0:
		return "of the form " + s.Formats[0]
	case s.Point() != "." || s.GroupChar != "":
		return "such as 1" + s.GroupChar + "234" + s.Point() + "5"
	}
	return "such as 1234.5"
}

// limitText writes a limit, with the day that it comes to where it is relative to the day
// of the run.
func limitText(text string, l *target.Literal) string {
	if strings.HasPrefix(text, "today") {
		return text + " (" + string(l.Instant.AppendDate(nil)) + ")"
	}
	return text
}

// appendSources names the cells from which a value was computed.
func (j *Judge) appendSources(dst []byte, c *column) []byte {
	k := j.row - j.from
	lead := "; it is computed from "
	for i, v := range c.derive.Variables {
		at := c.derive.at[i]
		switch {
		case v.Origin == condition.OfCell && at >= 0:
			dst = append(append(dst, lead...), v.Name...)
			dst = appendQuoted(append(dst, ' '), j.rawValue(j.row, at).Text)
		case v.Origin == condition.OfColumn:
			source := &j.lanes[at]
			dst = append(append(dst, lead...), j.plan.Title(at)...)
			text := j.rawValue(j.row, source.cell).Text
			if source.cell < 0 {
				text = j.text(source, k)
			}
			dst = appendQuoted(append(dst, ' '), text)
		case v.Origin == condition.OfFile:
			dst = append(append(dst, lead...), "the name of the file"...)
		default:
			continue
		}
		lead = ", "
	}
	return dst
}

func dateWord(d value.Datatype) string {
	if d == value.Time {
		return "time of day"
	}
	if d == value.DateTime {
		return "date and time"
	}
	return "date"
}

// hint names the blanks around a cell, the one cause that cannot be seen.
func hint(cell []byte) string {
	if len(cell) > 0 && (cell[0] == ' ' || cell[len(cell)-1] == ' ' || cell[0] == '\t' || cell[len(cell)-1] == '\t') {
		return `; there are blanks around it, which the remedy trim removes`
	}
	return ""
}
