package check

import (
	"slices"
	"strconv"
	"unicode/utf8"

	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

// subject is a value that its column's rules judge: one of its datatype's forms.
type subject struct {
	text    []byte // of a text
	number  *value.Number
	instant *value.Instant
	double  float64
	known   map[string]bool // answers of a pattern that is not simple
}

// valueRule is what a rule of a column, as package target lists them, comes to for one value.
type valueRule struct {
	name    string // of the rule
	isQuick bool   // quick tests know it
	code    violation.Code
	isSet   func(*column) bool
	breaks  func(*column, *subject) bool
	say     func(*phrase, *column, *subject) // what is wrong, behind the value
}

// valueRules are all of them, in the order in which a value breaks them. Which values are right a quick test may tell
// (quick.go), where it knows all rules of the column.
var valueRules = []valueRule{
	{"precision", true, violation.NumberPrecision,
		func(c *column) bool { return c.whole >= 0 },
		func(c *column, v *subject) bool { return v.number != nil && v.number.IntegerDigits() > c.whole },
		func(p *phrase, c *column, v *subject) {
			p.say(" has ", count(v.number.IntegerDigits(), "digit", "digits"), " before the point, at most ",
				strconv.Itoa(c.whole), " fit")
		}},
	{"scale", true, violation.NumberScale,
		func(c *column) bool { return c.frac >= 0 },
		func(c *column, v *subject) bool { return v.number != nil && v.number.FractionDigits() > c.frac },
		func(p *phrase, c *column, v *subject) {
			p.say(" has ", count(v.number.FractionDigits(), "digit", "digits"), " after the point, at most ",
				strconv.Itoa(c.frac), " fit")
		}},
	{"minimum", true, violation.RangeLow,
		func(c *column) bool { return c.min != nil },
		func(c *column, v *subject) bool {
			switch {
			case v.number != nil:
				return v.number.Less(&c.min.Number)
			case v.instant != nil:
				return v.instant.Compare(&c.min.Instant) < 0
			}
			return !(v.double >= c.min.Double) // NaN lies within no limits
		},
		func(p *phrase, c *column, _ *subject) {
			p.say(" is below the minimum ", limitText(c.spec.Minimum, c.min))
		}},
	{"maximum", true, violation.RangeHigh,
		func(c *column) bool { return c.max != nil },
		func(c *column, v *subject) bool {
			switch {
			case v.number != nil:
				return c.max.Number.Less(v.number)
			case v.instant != nil:
				return v.instant.Compare(&c.max.Instant) > 0
			}
			return v.double > c.max.Double || v.double != v.double && c.min == nil // otherwise it is told of the minimum
		},
		func(p *phrase, c *column, _ *subject) {
			p.say(" is above the maximum ", limitText(c.spec.Maximum, c.max))
		}},
	{"maxLength", true, violation.TextLong,
		func(c *column) bool { return c.spec.MaxLength != nil },
		func(c *column, v *subject) bool {
			most := *c.spec.MaxLength
			return len(v.text) > most && utf8.RuneCount(v.text) > most
		},
		func(p *phrase, c *column, v *subject) {
			p.say(" has ", count(utf8.RuneCount(v.text), "character", "characters"), ", at most ",
				strconv.Itoa(*c.spec.MaxLength), " fit")
		}},
	{"minLength", true, violation.TextShort,
		func(c *column) bool { return c.spec.MinLength != nil },
		func(c *column, v *subject) bool {
			least := *c.spec.MinLength
			return len(v.text) < least || utf8.RuneCount(v.text) < least
		},
		func(p *phrase, c *column, v *subject) {
			p.say(" has ", count(utf8.RuneCount(v.text), "character", "characters"), ", at least ",
				strconv.Itoa(*c.spec.MinLength), " are expected")
		}},
	{"format", true, violation.TextFormat,
		func(c *column) bool { return c.text != nil },
		func(c *column, v *subject) bool { return !c.text.matches(v.text, v.known) },
		func(p *phrase, c *column, v *subject) {
			p.say(" does not have the form ", c.textForm(), hint(v.text))
		}},
	{"oneOf", true, violation.ValueUnknown,
		func(c *column) bool { return c.oneOf != nil || c.set != nil },
		func(c *column, v *subject) bool {
			switch {
			case v.number != nil:
				return !slices.ContainsFunc(c.set, func(l target.Literal) bool { return v.number.Compare(&l.Number) == 0 })
			case v.instant != nil:
				return !slices.ContainsFunc(c.set, func(l target.Literal) bool { return v.instant.Equal(&l.Instant) })
			}
			return !c.oneOf[string(v.text)]
		},
		func(p *phrase, c *column, v *subject) { p.say(" is not one of ", c.allowed(), hint(v.text)) }},
}

// compileRules finds the rules that the column has.
func (c *column) compileRules() {
	for i := range valueRules {
		if r := &valueRules[i]; r.isSet(c) {
			c.rules = append(c.rules, r)
		}
	}
}

// hold reports the rules of its column that the value at hand breaks.
func (j *Judge) hold(c *lane, cell []byte, v subject) {
	j.subject = v // where it takes no memory of its own
	for _, r := range c.rules {
		if r.breaks(c.column, &j.subject) {
			j.fail(c, r.code, cell)
		}
	}
}

// sayValueRule says which of the value rules the value at hand breaks; false where the code is of none.
func (j *Judge) sayValueRule(p *phrase, c *column, code violation.Code) bool {
	for _, r := range c.rules {
		if r.code == code {
			r.say(p, c, &j.subject)
			return true
		}
	}
	return false
}
