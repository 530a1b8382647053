package check

import (
	"slices"

	"sieb/core/lexical"
	"sieb/core/rfc4180"
	"sieb/core/target"
	"sieb/core/value"
)

// quickTest is a test for clean cells; of a whole number it also returns the number. It may be known already that a
// cell holds no comma, quote or line end.
type quickTest func(cell []byte, isPlain bool) (whole int64, isClean bool)

// quickTest makes a test that tells, for most clean cells of a column, that
// they are clean and in canonical form as they stand. A cell that it does not
// pass is not wrong; it is judged by the whole rule. It is nil where the
// column's rule does not allow such a test.
func (c *column) quickTest() quickTest {
	test := c.quickKind()
	if slices.ContainsFunc(c.rules, func(r *valueRule) bool { return !r.isQuick }) {
		return nil
	}
	if test == nil || c.spec.Separator != "" || c.spec.Zoned {
		return nil
	}
	isText := c.spec.Datatype == value.String
	var missing [][]byte // texts that the test would pass
	for _, n := range c.nulls {
		if _, is := test(n, false); is {
			missing = append(missing, n)
		}
	}
	if len(missing) > 0 && !isText || len(missing) > fewMissing {
		return nil
	}
	tidy := false
	for _, r := range c.spec.Remedies {
		if r.Leaves(c.spec.Datatype) {
			continue
		}
		if tidy = isText && r.LeavesTidy(); !tidy {
			return nil
		}
	}
	if !tidy && len(missing) == 0 {
		return test
	}
	return func(cell []byte, isPlain bool) (int64, bool) {
		if _, is := test(cell, isPlain); !is || tidy && !lexical.IsTidy(cell) {
			return 0, false
		}
		for _, m := range missing {
			if string(m) == string(cell) {
				return 0, false
			}
		}
		return 0, true
	}
}

// fewMissing is how many texts for missing values a cell is compared with.
const fewMissing = 4

func (c *column) quickKind() quickTest {
	switch c.spec.Datatype {
	case value.String:
		return c.quickText()
	case value.Integer:
		return c.quickInteger()
	case value.Decimal:
		return c.quickDecimal()
	case value.Date, value.DateTime:
		return c.quickDate()
	}
	return nil
}

// quickText takes plain text of the column's form, between ends at which there is nothing
// to trim.
func (c *column) quickText() quickTest {
	s := c.spec
	if c.oneOf != nil || c.codes != nil || c.text != nil && !c.text.simple {
		return nil
	}
	most := 1 << 30
	if s.MaxLength != nil {
		most = *s.MaxLength
	}
	least := 0
	if s.MinLength != nil {
		least = *s.MinLength
	}
	return func(cell []byte, isPlain bool) (int64, bool) {
		n := len(cell)
		// A character has up to four bytes.
		if n < 4*least && (n < least || !lexical.IsASCII(cell)) {
			return 0, false
		}
		return 0, n > 0 && n <= most && cell[0]-'!' < 0x7F-'!' && cell[n-1]-'!' < 0x7F-'!' &&
			(c.text == nil || c.text.matches(cell, nil)) && (isPlain || rfc4180.IsPlain(cell))
	}
}

// quickInteger takes whole numbers of up to eight digits within the column's limits.
func (c *column) quickInteger() quickTest {
	if len(c.spec.Formats) > 0 || c.spec.OneOf != nil {
		return nil
	}
	const greatest = 99_999_999
	low, high := int64(0), int64(greatest)
	if c.whole >= 0 {
		for limit, k := int64(1), 0; k <= min(c.whole, 8); k++ {
			high, limit = min(greatest, limit-1), limit*10
		}
	}
	if c.min != nil {
		low = max(low, c.min.Number.Ceiling())
	}
	if c.max != nil {
		high = min(high, c.max.Number.Floor())
	}
	return func(cell []byte, _ bool) (int64, bool) {
		n, ok := value.ShortInteger(cell)
		return n, ok && n >= low && n <= high
	}
}

// quickDecimal takes plain decimals without a sign, of up to nine digits before the point and six behind it, the last
// of them no zero, within the column's limits.
func (c *column) quickDecimal() quickTest {
	s := c.spec
	if len(s.Formats) > 0 || s.OneOf != nil || s.DecimalChar != "" && s.DecimalChar != "." || s.GroupChar == "." {
		return nil
	}
	wholes, fractions := mostWholes, mostFractions
	if c.whole >= 0 {
		wholes = min(wholes, c.whole)
	}
	if c.frac >= 0 {
		fractions = min(fractions, c.frac)
	}
	if wholes == 0 {
		return nil
	}
	low, high := int64(0), int64(1)<<62
	for _, limit := range []struct {
		of *target.Literal
		to *int64
	}{{c.min, &low}, {c.max, &high}} {
		if limit.of == nil {
			continue
		}
		n, ok := millionths(limit.of.Number.Canonical(), mostWholes, mostFractions)
		if !ok {
			return nil
		}
		*limit.to = n
	}
	return func(cell []byte, _ bool) (int64, bool) {
		n, ok := millionths(cell, wholes, fractions)
		return 0, ok && n >= low && n <= high
	}
}

// Digits of decimals that are tested quickly.
const (
	mostWholes    = 9
	mostFractions = 6
)

// millionths returns a canonical decimal without a sign as so many millionths; ok is false for any other text, and for
// one with more digits.
func millionths(text []byte, wholes, fractions int) (n int64, ok bool) {
	i := 0
	for ; i < len(text) && text[i]-'0' <= 9; i++ {
		if i == wholes {
			return 0, false
		}
		n = 10*n + int64(text[i]-'0')
	}
	if i == 0 || text[0] == '0' && i > 1 {
		return 0, false
	}
	k := 0
	if i < len(text) {
		if text[i] != '.' || i+1 == len(text) || text[len(text)-1] == '0' {
			return 0, false
		}
		for i++; i < len(text) && text[i]-'0' <= 9; i++ {
			if k++; k > fractions {
				return 0, false
			}
			n = 10*n + int64(text[i]-'0')
		}
	}
	for ; k < mostFractions; k++ {
		n *= 10
	}
	return n, i == len(text)
}

// quickDate takes ISO dates within the column's limits.
func (c *column) quickDate() quickTest {
	if len(c.dates) != 1 || !c.dates[0].IsISO() || c.spec.OneOf != nil || c.hashed {
		return nil
	}
	f := c.dates[0]
	return func(cell []byte, _ bool) (int64, bool) {
		var t value.Instant
		return 0, f.Parse(cell, &t) == value.Matches && !t.EndOfDay && (c.min == nil || t.Compare(&c.min.Instant) >= 0) &&
			(c.max == nil || t.Compare(&c.max.Instant) <= 0)
	}
}

// forgets reports whether the quick test costs less than remembering answers.
func (c *column) forgets() bool {
	return c.quick != nil && slices.Contains([]value.Datatype{value.Integer, value.Decimal, value.Date, value.DateTime},
		c.spec.Datatype)
}
