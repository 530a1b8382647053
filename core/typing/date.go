package typing

import (
	"cmp"
	"fmt"
	"math/bits"
	"slices"

	"sieb/core/lexical"
	"sieb/core/value"
)

// formatShare is how much of the dates a form must have to be one of the formats.
const formatShare = 0.05

// concludeDates concludes how the dates of some forms are read.
func (f Forms) concludeDates(d value.Datatype, is func(FormKey) bool, h Hints) (t Reading) {
	t.Datatype = d
	families, total := f.families(is)
	settleOrder(&t, families, total, h)
	keys := make([]FormKey, 0, len(families))
	for k := range families {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b FormKey) int {
		return cmp.Or(cmp.Compare(families[b].count, families[a].count), cmp.Compare(fmt.Sprint(a), fmt.Sprint(b)))
	})
	for _, k := range keys {
		fam := families[k]
		if fam.isRare(total) && len(t.Dates) > 0 {
			continue
		}
		m := lexical.Moment{Order: k.Order, Sep: k.Sep, Sep2: k.Sep2, Short: k.Short, Padded: fam.padded,
			Clock: k.Clock, Join: k.Join, Zone: k.Zone, Half: k.Half, Loose: fam.loose}
		format, err := value.NewDateFormat(d, m.Pattern(t.ByMonth))
		if err != nil {
			continue
		}
		t.Dates = append(t.Dates, DateFormat{format.Pattern(), fam.fitting(k.Order, t.ByMonth)})
		t.Formats = append(t.Formats, format)
	}
	return t
}

// family is what the dates of one form have in common.
type family struct {
	count           int64
	evidence        [4]int64
	firsts, seconds uint32 // of dates of open order: the numbers that stand first and second, a bit for each
	padded, loose   bool
}

// fitting counts the dates that the calendar has, read with the day or the month first.
func (f *family) fitting(order lexical.Order, byMonth bool) int64 {
	n := f.count - f.evidence[Impossible]
	switch {
	case order != lexical.ABYear:
	case byMonth:
		n -= f.evidence[DayFirst]
	default:
		n -= f.evidence[MonthFirst]
	}
	return n
}

func (f *family) isRare(total int64) bool { return float64(f.count) < formatShare*float64(total) }

// families joins the forms that differ in nothing but what differs from date to date.
func (f Forms) families(is func(FormKey) bool) (families map[FormKey]*family, total int64) {
	families = map[FormKey]*family{}
	for k, c := range f {
		if !is(k) {
			continue
		}
		total += c.Count
		key := k.family()
		fam := families[key]
		if fam == nil {
			fam = &family{padded: true}
			families[key] = fam
		}
		fam.count += c.Count
		fam.firsts, fam.seconds = fam.firsts|c.firsts, fam.seconds|c.seconds
		fam.evidence[k.Day] += c.Count
		fam.padded = fam.padded && k.Padded
		fam.loose = fam.loose || k.Loose
	}
	return families, total
}

// settleOrder settles whether the day or the month comes first where both are numbers.
func settleOrder(t *Reading, families map[FormKey]*family, total int64, h Hints) {
	var all family // what the forms of open order have in common
	isOpen, allPoints := false, true
	for k, fam := range families {
		if k.Order != lexical.ABYear || fam.isRare(total) {
			continue
		}
		isOpen = true
		allPoints = allPoints && k.Sep == '.'
		all.firsts, all.seconds = all.firsts|fam.firsts, all.seconds|fam.seconds
		for i, n := range fam.evidence {
			all.evidence[i] += n
		}
	}
	switch byDay, byMonth := all.evidence[DayFirst], all.evidence[MonthFirst]; {
	case !isOpen:
		t.Order = NoOrder
	case byDay != byMonth:
		t.Order, t.ByMonth = FromDates, byMonth > byDay
	case h.order != Either:
		t.Order, t.ByMonth = FromOther, h.order == MonthFirst
	case allPoints:
		t.Order = FromSign
	default:
		// A delivery's dates lie close together: the month changes less.
		t.Order = Undecided
		a, b := bits.OnesCount32(all.firsts), bits.OnesCount32(all.seconds)
		t.IsClose = a >= 3*b || b >= 3*a
		t.ByMonth = b >= 3*a
	}
}
