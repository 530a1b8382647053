package profile

import "sieb/core/value"

// mostAlone is up to how often a real value occurs that is hardly a sign for a missing one: a price
// of 999.99, a 99 among small numbers.
const mostAlone = 2

// Missing tells apart what looks like a missing value: texts that surely are, and numbers or dates of
// the column's own kind, which may be real where they occur only once or twice.
func (c *Column) Missing() (sure, doubtful []Value) {
	for _, v := range c.Placeholders {
		if v.Count <= mostAlone && c.reads(v.Value) {
			doubtful = append(doubtful, v)
		} else {
			sure = append(sure, v)
		}
	}
	return sure, doubtful
}

// Fitting returns how many values fit the column's datatype, of how many, where some texts stand for
// missing values.
func (c *Column) Fitting(missing []Value) (fit, values int64) {
	fit, values = c.Fits, c.Filled
	for _, v := range c.Placeholders {
		if !c.reads(v.Value) {
			values -= v.Count // it fits in no case
		}
	}
	for _, v := range missing {
		if c.reads(v.Value) {
			fit, values = fit-v.Count, values-v.Count
		}
	}
	return fit, values
}

// reads reports whether a text is a number or date as those of the column are written.
func (c *Column) reads(text string) bool {
	switch {
	case c.Datatype.IsNumber() && c.Numbers != nil:
		f, err := value.NewNumberFormat(c.Numbers.DecimalChar, c.Numbers.GroupChar, "")
		var n value.Number
		return err == nil && (f.Parse([]byte(text), &n) || new(value.NumberFormat).Parse([]byte(text), &n))
	case c.Dates != nil:
		for _, format := range c.Dates.Formats {
			f, err := value.NewDateFormat(c.Datatype, format.Format)
			if err == nil && f.Parse([]byte(text), new(value.Instant)) == value.Matches {
				return true
			}
		}
	}
	return false
}
