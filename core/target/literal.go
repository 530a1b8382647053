package target

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/goccy/go-yaml/ast"

	"sieb/core/value"
)

// literal reads a value that stands in a target, in canonical form.
func (p *reading) literal(at ast.Node, what string, c *Column, text string) (Literal, bool) {
	if at == nil || c.Datatype.IsText() || c.Datatype == value.Boolean {
		return Literal{}, false
	}
	if len(text) > maxLiteral {
		p.wrong(at, "%s: %q has %d characters: at most %d", what, clip(text), len(text), maxLiteral)
		return Literal{}, false
	}
	if l, ok := c.relative(what, text); ok {
		return l, false // what it comes to is known on the day of the run
	}
	l, ok := c.Literal(text)
	if !ok {
		example := map[value.Datatype]string{value.Date: " such as 2026-07-31",
			value.DateTime: " such as 2026-07-31T14:05:00", value.Time: " such as 14:05:00"}[c.Datatype]
		p.wrong(at, "%s: %q is not of datatype %s%s; values in a target are written in canonical form, whatever the "+
			"column's format", what, text, c.Datatype, example)
	}
	return l, ok
}

// constant checks a cell that stands in a target or mapping: one value, or a list of them, which the
// column's own rules allow.
func (p *reading) constant(at ast.Node, what string, c *Column, text string) {
	if at == nil {
		return
	}
	entries := []string{text}
	if c.Separator != "" {
		entries = strings.Split(text, c.Separator)
	}
	for _, entry := range entries {
		if c.Separator != "" {
			entry = strings.TrimSpace(entry)
		}
		if _, ok := p.literal(at, what, c, entry); !ok && !c.Datatype.IsText() && c.Datatype != value.Boolean {
			continue // which is told
		}
		if why := c.Forbids(entry); why != "" {
			p.wrong(at, "%s: %q %s; no row could have it", what, clip(entry), why)
		}
	}
}

// Forbids says which of the column's rules a value in canonical form breaks, as words that go on from
// the value; "" for none. Limits that are relative to the day of the run are not asked.
func (c *Column) Forbids(text string) string {
	switch l, ok := c.Literal(text); {
	case c.Datatype == value.Boolean:
		return c.notBoolean(text)
	case c.Datatype.IsText():
		return c.notText(text)
	case !ok:
		return "is not of datatype " + c.Datatype.String()
	default:
		return c.notWithin(l)
	}
}

// notBoolean says why a text stands for neither true nor false; "" where it does.
func (c *Column) notBoolean(text string) string {
	yes, no, err := c.Booleans()
	if err == nil && !slices.Contains(append([]string{"true", "false", "1", "0"}, append(yes, no...)...), text) {
		return "is neither true nor false"
	}
	return ""
}

// notText says which rule of the column a text breaks; "" for none.
func (c *Column) notText(text string) string {
	length := utf8.RuneCountInString(text)
	switch {
	case c.Datatype == value.AnyURI && !value.IsURI([]byte(text)):
		return "is not a URI"
	case c.Datatype == value.Duration && !value.IsDuration([]byte(text)):
		return "is not a duration"
	case c.MaxLength != nil && length > *c.MaxLength:
		return fmt.Sprintf("is longer than the column's maxLength %d", *c.MaxLength)
	case c.MinLength != nil && length < *c.MinLength:
		return fmt.Sprintf("is shorter than the column's minLength %d", *c.MinLength)
	case c.OneOf != nil && !slices.Contains(c.OneOf, text):
		return "is not among the column's oneOf"
	case len(c.Formats) == 1:
		if re, err := regexp.Compile(`\A(?:` + c.Formats[0] + `)\z`); err == nil && !re.MatchString(text) {
			return "does not have the column's format"
		}
	}
	return ""
}

// notWithin says which rule of the column a number or moment breaks; "" for none.
func (c *Column) notWithin(l Literal) string {
	switch {
	case c.Datatype == value.Integer && !l.Number.IsWhole():
		return "is not a whole number"
	case c.Zoned && !l.Instant.Zoned:
		return "says no zone"
	}
	if low, ok := c.Literal(c.Minimum); ok && l.Compare(low) < 0 {
		return "is below the column's minimum " + c.Minimum
	}
	if high, ok := c.Literal(c.Maximum); ok && l.Compare(high) > 0 {
		return "is above the column's maximum " + c.Maximum
	}
	if c.OneOf != nil && !slices.ContainsFunc(c.OneOf, func(text string) bool {
		one, ok := c.Literal(text)
		return ok && one.Compare(l) == 0
	}) {
		return "is not among the column's oneOf"
	}
	if c.Precision == nil || c.Datatype != value.Integer && c.Datatype != value.Decimal {
		return ""
	}
	whole, scale := *c.Precision, 0
	if c.Scale != nil {
		scale = *c.Scale
	}
	if c.Datatype == value.Decimal {
		whole -= scale
		if l.Number.FractionDigits() > scale {
			return "has more digits after the point than the column's scale"
		}
	}
	if l.Number.IntegerDigits() > whole {
		return "has more digits before the point than the column's precision allows"
	}
	return ""
}

// relative reports whether a limit is relative to the day of the run.
func (c *Column) relative(what, text string) (Literal, bool) {
	if what != "minimum" && what != "maximum" {
		return Literal{}, false
	}
	return c.Limit(text, time.Time{})
}

var relativeDay = regexp.MustCompile(`^today(?: *([+-]) *([0-9]{1,6}))?$`)

// Limit reads a minimum or maximum that is relative to the day of the run: today,
// today-30 or today+1, in days.
func (c *Column) Limit(text string, today time.Time) (l Literal, ok bool) {
	parts := relativeDay.FindStringSubmatch(text)
	if parts == nil || c.Datatype != value.Date && c.Datatype != value.DateTime {
		return l, false
	}
	days, _ := strconv.Atoi(parts[1] + parts[2])
	day := today.AddDate(0, 0, days)
	l.kind = c.Datatype
	l.Instant = value.Instant{Year: int32(day.Year()), Month: uint8(day.Month()), Day: uint8(day.Day())}
	return l, true
}

// Literal is a value as it stands in a target.
type Literal struct {
	Number  value.Number
	Instant value.Instant
	Double  float64
	kind    value.Datatype
}

// Literal reads a minimum, maximum or allowed value of the column, written in
// canonical form: a point in numbers, ISO 8601 in dates.
func (c *Column) Literal(text string) (l Literal, ok bool) {
	l.kind = c.Datatype
	plain, _ := value.NewNumberFormat("", "", "")
	switch c.Datatype {
	case value.Integer, value.Decimal:
		ok = plain.Parse([]byte(text), &l.Number) && (c.Datatype == value.Decimal || l.Number.FractionDigits() == 0)
	case value.Double:
		l.Double, _, ok = plain.ParseDouble([]byte(text), &l.Number, nil)
		ok = ok && !math.IsNaN(l.Double) // which no value is above or below
	case value.Date, value.DateTime, value.Time:
		f, err := value.NewDateFormat(c.Datatype, "")
		ok = err == nil && f.Parse([]byte(text), &l.Instant) == value.Matches
		if !ok && c.Datatype == value.DateTime {
			f, err = value.NewDateFormat(value.Date, "")
			ok = err == nil && f.Parse([]byte(text), &l.Instant) == value.Matches
		}
	}
	return l, ok
}

// Compare orders two literals of one column.
func (l Literal) Compare(m Literal) int {
	switch l.kind {
	case value.Integer, value.Decimal:
		return l.Number.Compare(&m.Number)
	case value.Double:
		switch {
		case l.Double < m.Double:
			return -1
		case l.Double > m.Double:
			return 1
		}
		return 0
	}
	return l.Instant.Compare(&m.Instant)
}
