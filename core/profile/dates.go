package profile

import (
	"slices"
	"time"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
)

// dates returns the habits of a column's dates.
func (s *sums) dates(t *typing.Reading, of scale) *Dates {
	d := &Dates{Formats: []Format{}, Weekdays: s.weekdays}
	for _, f := range t.Dates {
		d.Formats = append(d.Formats, Format{f.Pattern, f.Count})
	}
	if t.Order != typing.NoOrder {
		d.Order = "day first"
		if t.ByMonth {
			d.Order = "month first"
		}
		d.DecidedBy = []string{"", "dates", "other columns", "separator", "nothing"}[t.Order]
		d.IsClose = t.IsClose
	}
	var bad distinct.Sightings
	for k, c := range s.forms {
		if k.Kind != lexical.Date && k.Kind != lexical.DateTime {
			continue
		}
		if k.Short {
			d.TwoDigitYears += c.Count
		}
		if k.Day == typing.Impossible {
			bad.Merge(c.Sightings)
		}
		if k.Order == lexical.ABYear {
			switch k.Day {
			case typing.DayFirst:
				d.DayFirst += c.Count
			case typing.MonthFirst:
				d.MonthFirst += c.Count
			case typing.Either:
				d.Either += c.Count
			}
		}
	}
	d.Impossible = valuesOf(bad)
	d.Gaps = gaps(of.sorted)
	return d
}

const (
	day  = 24 * 60 * 60.0 // in seconds, as dates are measured
	year = 365.25 * day
)

// fences returns the bounds beyond which values are far from nearly all others: five
// times as far from the middle nine tenths as these spread, and at least so far.
// ok is false where there are too few values to tell.
func fences(sorted []weighted, least float64) (low, high float64, ok bool) {
	total := int64(0)
	for _, w := range sorted {
		total += w.count
	}
	if total < 20 {
		return 0, 0, false
	}
	q := quantiles(sorted, []float64{0.05, 0.95}, true)
	reach := max(5*(q[1]-q[0]), least)
	return q[0] - reach, q[1] + reach, true
}

// far returns the values that are far from nearly all others, placeholders left out,
// one more than most at the most, and between which the others lie. Of a column
// that is not held whole there are none where more are far than are known.
func (s scale) far(t *typing.Reading, placeholders []Value, least float64, most int) (far []Value, usual [2]string) {
	low, high, ok := fences(s.sorted, least)
	if !ok || low == high {
		return nil, usual
	}
	isUsual := func(m measuredValue) bool { return m.value >= low && m.value <= high }
	if n := len(s.known) / 2; !s.isWhole && (!isUsual(s.known[n-1]) || !isUsual(s.known[n])) {
		return nil, usual
	}
	for _, m := range s.known {
		v := valueOf(m.at, m.count)
		isMissing := slices.ContainsFunc(placeholders, func(p Value) bool { return p.Value == v.Value })
		switch {
		case isUsual(m):
			text := string(canonical(t, m.at.Text))
			if usual[0] == "" {
				usual[0] = text
			}
			usual[1] = text
		case !isMissing && len(far) <= most:
			far = append(far, v)
		}
	}
	return far, usual
}

// maxFar is how many different values can be far from all others.
const maxFar = 5

// gaps finds the stretches of days without a date that are more than five times
// as long as nine in ten of the others, and a week at least.
func gaps(sorted []weighted) (found []Gap) {
	var days []int64
	for _, m := range sorted {
		days = append(days, int64(m.value/day))
	}
	days = slices.Compact(days)
	if len(days) < 10 {
		return nil
	}
	steps := make([]int64, len(days)-1)
	for i := range steps {
		steps[i] = days[i+1] - days[i]
	}
	usual := slices.Clone(steps)
	slices.Sort(usual)
	least := max(7, 5*usual[len(usual)*9/10])
	text := func(d int64) string { return time.Unix(d*int64(day), 0).UTC().Format(time.DateOnly) }
	for i, n := range steps {
		if n > least {
			found = append(found, Gap{text(days[i]), text(days[i+1]), n - 1})
		}
	}
	slices.SortStableFunc(found, func(a, b Gap) int { return int(b.Days - a.Days) })
	return found[:min(len(found), maxRare)]
}
