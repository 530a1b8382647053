package typing

import (
	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/workbook"
)

// FormKey is what the values of a column are told apart by when their datatype
// is concluded.
type FormKey struct {
	Kind           lexical.Kind
	Stored         bool // the workbook gives the kind
	Decimal, Group byte
	Unsure, Zeros  bool
	Nought         bool // digits after the point, and all of them 0: 178.0
	long           bool // four digits or more before the point, not grouped
	Extra          Extra
	Day            Evidence
	Order          lexical.Order
	Sep, Sep2      byte
	Short, Loose   bool
	Padded         bool
	Clock          lexical.Clock
	Join           byte
	Zone           lexical.Zone
	Half           lexical.Half
}

// Extra is what stands with a number that a target's formats do not read.
type Extra uint8

const (
	NoExtra Extra = iota
	Percent
	Currency
	SignBehind
)

// Evidence is what a single date tells of its order.
type Evidence uint8

const (
	Either     Evidence = iota // 06/07/2026
	DayFirst                   // 31/07/2026
	MonthFirst                 // 07/31/2026
	Impossible                 // 31/31/2026, 2026-02-30
)

// Look is one value looked at: its form, and the key of that.
type Look struct {
	lexical.Form
	Key    FormKey
	millis int64 // of a date, with the day first where the order is open
}

// Read looks at a value without the blanks around it.
func (l *Look) Read(text []byte, kind workbook.Kind) {
	l.Form.Read(text)
	l.Key = FormKey{Kind: l.Kind}
	k := &l.Key
	switch kind {
	case workbook.Text:
	case workbook.Error, workbook.Formula:
		l.Kind, k.Kind = lexical.Placeholder, lexical.Placeholder
	default:
		k.Stored, l.Unsure = true, false
	}
	switch l.Kind {
	case lexical.Integer, lexical.Decimal, lexical.Double:
		k.Decimal, k.Group, k.Unsure, k.Zeros = l.Decimal, l.Group, l.Unsure, l.Zeros
		k.long = l.Whole > 3 && l.Group == 0
		k.Nought = l.Decimal != 0 && l.IsNought()
		switch {
		case l.Percent:
			k.Extra = Percent
		case l.Currency:
			k.Extra = Currency
		case l.Sign == lexical.Behind:
			k.Extra = SignBehind
		}
		if l.Kind == lexical.Integer && l.Whole == 8 && !k.Stored {
			// It stays a number unless the whole column can be dates.
			if c := l.Form; c.ReadCompact() {
				k.Order = lexical.Compact
			}
		}
	case lexical.Date, lexical.DateTime, lexical.Time:
		k.Order, k.Sep, k.Sep2, k.Short, k.Padded, k.Loose = l.Order, l.Sep, l.Sep2, l.Short, l.Padded, l.Loose
		k.Clock, k.Join, k.Zone, k.Half = l.Clock, l.Join, l.Zone, l.Half
		if l.Kind == lexical.Time {
			return
		}
		l.placeDay()
	}
}

// Again looks at a value that differs in nothing but digits from the one before.
func (l *Look) Again(text []byte) bool {
	if l.Key.Stored || !l.Form.Again(text) {
		return false
	}
	switch l.Kind {
	case lexical.Date, lexical.DateTime:
		l.placeDay()
	case lexical.Decimal:
		l.Key.Nought = l.Decimal != 0 && l.IsNought()
	}
	return true
}

// placeDay reports which instant a date is, and what that tells of its order.
func (l *Look) placeDay() {
	millis, byDay := l.Millis(false)
	l.millis = millis
	byMonth := false
	if l.Order == lexical.ABYear {
		_, byMonth = l.Millis(true)
	}
	k := &l.Key
	switch {
	case !byDay && !byMonth:
		k.Day = Impossible
	case l.Order != lexical.ABYear || byDay && byMonth:
		k.Day = Either
	case byDay:
		k.Day = DayFirst
	default:
		k.Day = MonthFirst
	}
}

// family is a date form without what differs from date to date in one column.
func (k FormKey) family() FormKey {
	k.Day, k.Padded, k.Loose = Either, false, false
	return k
}

// IsInOrder reports whether a form is that of dates whose parts are in doubt, with such
// evidence.
func (k *FormKey) IsInOrder(e Evidence) bool {
	return k.IsDay() && k.Order == lexical.ABYear && k.Day == e
}

// IsDay reports whether the form is of dates, with a time of day or without.
func (k *FormKey) IsDay() bool { return k.Kind == lexical.Date || k.Kind == lexical.DateTime }

// Forms count the values of a column by their forms.
type Forms map[FormKey]*FormCount

// FormCount is how many values have a form, and which are the first.
type FormCount struct {
	Count           int64
	Sightings       distinct.Sightings
	firsts, seconds uint32   // of dates of open order: the numbers that stand first and second, a bit for each
	Reads           answered // whether the values of a form are of the datatype
}

type answered uint8

const (
	Unasked answered = iota
	Yes
	No
)

// NoteLook notes a value of this form, which is counted apart.
func (c *FormCount) NoteLook(l *Look, at distinct.Sighting) {
	if l.Order == lexical.ABYear {
		c.firsts, c.seconds = c.firsts|1<<(l.A&31), c.seconds|1<<(l.B&31)
	}
	if len(c.Sightings) < distinct.MaxSightings || at.Row < c.Sightings[distinct.MaxSightings-1].Row {
		c.Sightings.Add(at)
	}
}

// Add counts a value of this form as often as count says.
func (c *FormCount) Add(count int64, at distinct.Sighting) {
	c.Count += count
	c.Sightings.Add(at)
}

// Merge adds what another worker counted.
func (c *FormCount) Merge(o FormCount) {
	c.Count += o.Count
	c.firsts, c.seconds = c.firsts|o.firsts, c.seconds|o.seconds
	c.Sightings.Merge(o.Sightings)
}

// Of returns the count of a form.
func (f Forms) Of(k FormKey) *FormCount {
	c := f[k]
	if c == nil {
		c = &FormCount{}
		f[k] = c
	}
	return c
}

// Merge adds what another worker counted.
func (f Forms) Merge(o Forms) {
	for k, c := range o {
		f.Of(k).Merge(*c)
	}
}

// Count adds up the values of some forms.
func (f Forms) Count(is func(FormKey) bool) (n int64) {
	for k, c := range f {
		if is(k) {
			n += c.Count
		}
	}
	return n
}
