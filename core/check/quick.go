package check

import (
	"slices"

	"sieb/core/rfc4180"
	"sieb/core/value"
)

// quickTest is a test for clean cells; of a whole number it also returns the number.
type quickTest func(cell []byte) (whole int64, isClean bool)

// quickTest makes a test that tells, for most clean cells of a column, that
// they are clean and in canonical form as they stand. A cell that it does not
// pass is not wrong; it is judged by the whole rule. It is nil where the
// column's rule does not allow such a test.
func (c *column) quickTest() quickTest {
	test := c.quickKind()
	if test == nil || c.spec.Separator != "" || c.spec.Zoned {
		return nil
	}
	for _, n := range c.nulls {
		if _, is := test(n); is {
			return nil
		}
	}
	for _, r := range c.spec.Remedies {
		if !r.Leaves(c.spec.Datatype) {
			return nil
		}
	}
	return test
}

func (c *column) quickKind() quickTest {
	switch c.spec.Datatype {
	case value.String:
		return c.quickText()
	case value.Integer:
		return c.quickInteger()
	case value.Date, value.DateTime:
		return c.quickDate()
	}
	return nil
}

// quickText takes plain text of the column's form, between ends at which there is nothing
// to trim.
func (c *column) quickText() quickTest {
	s := c.spec
	if s.MinLength != nil || c.oneOf != nil || c.codes != nil || c.text != nil && !c.text.simple {
		return nil
	}
	most := 1 << 30
	if s.MaxLength != nil {
		most = *s.MaxLength
	}
	return func(cell []byte) (int64, bool) {
		n := len(cell)
		return 0, n > 0 && n <= most && cell[0]-'!' < 0x7F-'!' && cell[n-1]-'!' < 0x7F-'!' &&
			(c.text == nil || c.text.matches(cell, nil)) && rfc4180.IsPlain(cell)
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
	return func(cell []byte) (int64, bool) {
		n, ok := value.ShortInteger(cell)
		return n, ok && n >= low && n <= high
	}
}

// quickDate takes ISO dates within the column's limits.
func (c *column) quickDate() quickTest {
	if len(c.dates) != 1 || !c.dates[0].IsISO() || c.spec.OneOf != nil || c.hashed {
		return nil
	}
	f := c.dates[0]
	return func(cell []byte) (int64, bool) {
		var t value.Instant
		return 0, f.Parse(cell, &t) == value.Matches && !t.EndOfDay && (c.min == nil || t.Compare(&c.min.Instant) >= 0) &&
			(c.max == nil || t.Compare(&c.max.Instant) <= 0)
	}
}

// forgets reports whether the quick test costs less than remembering answers.
func (c *column) forgets() bool {
	return c.quick != nil && slices.Contains([]value.Datatype{value.Integer, value.Date, value.DateTime},
		c.spec.Datatype)
}
