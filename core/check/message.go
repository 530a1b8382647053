package check

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"sieb/core/condition"
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
		return append(dst, c.spec.Message...)
	}
	dst = j.appendWords(dst, c, code, cell, d)
	if c != nil && c.derive != nil {
		dst = j.appendSources(dst, c)
	}
	if len(dst)-start > maxMessage {
		dst = appendValid(dst[:start], append([]byte{}, dst[start:]...), maxMessage)
	}
	return dst
}

func (j *Judge) appendWords(dst []byte, c *column, code violation.Code, cell []byte, d *source.Defect) []byte {
	say := func(parts ...string) []byte {
		for _, p := range parts {
			dst = append(dst, p...)
		}
		return dst
	}
	quoted := func() { dst = appendQuoted(dst, cell) }
	switch code {
	case violation.RowShort, violation.RowLong:
		return say("the row has ", count(d.Count, "cell", "cells"), ", the table has ",
			count(len(j.plan.header), "column", "columns"))
	case violation.RowMisplaced:
		return say("the names of the row's cells contradict one another, or the row: to which columns they belong " +
			"is not certain; ask the sender for the workbook again")
	case violation.QuoteOpen:
		return say("a quote opens here and is not closed; the row is taken to end with its line")
	case violation.QuoteStray:
		quoted()
		return say(" holds a quote that does not enclose the cell; it is read as an ordinary character")
	case violation.QuoteTail:
		quoted()
		return say(" goes on after its closing quote; quotes inside a quoted cell must be doubled")
	case violation.EncodingInvalid:
		quoted()
		say(" holds ", count(d.Count, "invalid byte", "invalid bytes"), ": ", d.Invalid(), " is not ", j.plan.encoding)
		return dst
	case violation.EncodingGarbled:
		quoted()
		say(" was decoded twice; it most likely said ")
		dst = appendQuoted(dst, []byte(d.Meant))
		return dst
	case violation.EncodingControl:
		quoted()
		return say(" holds a control character (", d.Control(), "), which no text needs")
	case violation.TypeError:
		return say("the cell holds the error ", string(appendValid(nil, cell, maxShown)),
			" of a formula, not a value; the sender must mend it in the workbook")
	case violation.NumberText:
		quoted()
		return say(" is a number that the workbook stores as text")
	case violation.DateText:
		quoted()
		return say(" is a date that the workbook stores as text")
	case violation.RequiredEmpty:
		if len(j.raw) == 0 {
			say("the cell is empty, and a value is required")
		} else {
			dst = appendQuoted(dst, j.raw)
			say(" stands for no value, and a value is required")
		}
		if c.requiredWhen != nil {
			say(" where ", c.spec.RequiredWhen)
		}
		return dst
	case violation.DeriveFailed:
		say("the value cannot be computed: ")
		return appendValid(dst, cell, maxValue)
	}
	s := c.spec
	dst = appendQuoted(dst, j.raw)
	if j.changed != 0 {
		say(", cleaned to ")
		quoted()
		say(",")
	}
	switch code {
	case violation.TypeInteger:
		say(" is not a whole number")
		return append(dst, hint(cell)...)
	case violation.TypeDecimal, violation.TypeDouble:
		say(" is not a number")
		if len(s.Formats) > 0 {
			say(" of the form ", s.Formats[0])
		} else {
			example := "such as 1234.5"
			if s.DecimalChar != "" && s.DecimalChar != "." || s.GroupChar != "" {
				example = "such as 1" + s.GroupChar + "234" + s.Point() + "5"
			}
			say(" ", example)
		}
		return append(dst, hint(cell)...)
	case violation.TypeBoolean:
		say(" is neither ", strings.Join(c.yes, " or "), " (true) nor ", strings.Join(c.no, " or "), " (false)")
		return append(dst, hint(cell)...)
	case violation.NumberPrecision:
		return say(" has ", count(j.number.IntegerDigits(), "digit", "digits"), " before the point, at most ",
			strconv.Itoa(c.whole), " fit")
	case violation.NumberScale:
		return say(" has ", count(j.number.FractionDigits(), "digit", "digits"), " after the point, at most ",
			strconv.Itoa(c.frac), " fit")
	case violation.TypeURI:
		say(" is not a URI such as https://talfeld.example/tickets")
		return append(dst, hint(cell)...)
	case violation.TypeDuration:
		say(" is not a duration such as PT36H or P1D (ISO 8601)")
		return append(dst, hint(cell)...)
	case violation.DateFormat, violation.TimeFormat:
		say(" is not a ", dateWord(s.Datatype), " like ", c.dates[0].Example(), " (", c.dates[0].Pattern(), ")")
		for _, f := range c.dates[1:] {
			say(" or ", f.Example(), " (", f.Pattern(), ")")
		}
		return append(dst, hint(cell)...)
	case violation.DateImpossible:
		return say(" has the form of a ", dateWord(s.Datatype), ", but the calendar has no such day or time")
	case violation.DateAmbiguous:
		say(" fits ", c.dates[0].Pattern())
		for _, f := range c.dates[1:] {
			say(" and ", f.Pattern())
		}
		return say(", which read it as different days; the first that fits is taken")
	case violation.TextLong:
		return say(" has ", count(utf8.RuneCount(cell), "character", "characters"), ", at most ",
			strconv.Itoa(*s.MaxLength), " fit")
	case violation.TextShort:
		return say(" has ", count(utf8.RuneCount(cell), "character", "characters"), ", at least ",
			strconv.Itoa(*s.MinLength), " are expected")
	case violation.RangeLow:
		return say(" is below the minimum ", limitText(s.Minimum, c.min))
	case violation.RangeHigh:
		return say(" is above the maximum ", limitText(s.Maximum, c.max))
	case violation.TextFormat:
		say(" does not have the form ", s.Formats[0])
		return append(dst, hint(cell)...)
	case violation.CodeUnknown:
		say(" is not among the ", count(len(c.codes.Codes), "code", "codes"), " of ", c.codes.Name)
		if meant, ok := c.codes.Meant(cell); ok {
			say("; it has ", meant)
		}
		return append(dst, hint(cell)...)
	case violation.ValueUnknown:
		listed := s.OneOf
		if len(listed) > maxListed {
			say(" is not one of the ", strconv.Itoa(len(listed)), " allowed values: ",
				strings.Join(listed[:maxListed], ", "), ", …")
		} else {
			say(" is not one of ", strings.Join(listed, ", "))
		}
		return append(dst, hint(cell)...)
	}
	return say(" breaks the rule ", code.String())
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
				s := source.texts[k]
				text = j.batch.Arena[s.Start:s.End]
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

// appendDuplicate says which row has the key already.
func appendDuplicate(dst, text []byte, row, line int64) []byte {
	dst = appendQuoted(dst, text)
	dst = append(dst, " is already in row "...)
	dst = strconv.AppendInt(dst, row, 10)
	dst = append(dst, " (line "...)
	dst = strconv.AppendInt(dst, line, 10)
	return append(dst, "), which is kept"...)
}
