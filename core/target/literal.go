package target

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

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

// cellLiteral reads a cell that stands in a target: one value, or a list of them.
func (p *reading) cellLiteral(at ast.Node, what string, c *Column, text string) {
	if c.Separator == "" {
		p.literal(at, what, c, text)
		return
	}
	for _, entry := range strings.Split(text, c.Separator) {
		p.literal(at, what, c, strings.TrimSpace(entry))
	}
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
