package profile

import (
	"cmp"
	"encoding/json"
	"math"
	"math/big"
	"slices"
	"time"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
)

// measuredValue is a value on its column's scale, and where it stands.
type measuredValue struct {
	weighted
	at distinct.Sighting
}

// scale is what is known of the values of a column of numbers or dates, in their
// order.
type scale struct {
	sorted  []weighted      // all, or the middles of bins
	known   []measuredValue // those whose texts are held: all, or the least and the greatest
	isWhole bool            // they are all
}

// scale returns the values of a column of numbers or dates; none for another column.
func (c *column) scale(t *typing.Reading, exact bool) (s scale) {
	if !t.Datatype.IsNumber() && !t.IsDate() {
		return s
	}
	if !exact {
		high := c.sums.spread.high.inward()
		slices.Reverse(high)
		return scale{sorted: c.sums.spread.fromBins(), known: append(c.sums.spread.low.inward(), high...)}
	}
	s.isWhole, s.known = true, c.ordered(t)
	for _, m := range s.known {
		s.sorted = append(s.sorted, m.weighted)
	}
	return s
}

// ordered returns the values of a column that is held whole in the order of their
// scale.
func (c *column) ordered(t *typing.Reading) []measuredValue {
	var all []measuredValue
	var l typing.Look
	for e := range c.table.All() {
		text := c.table.Text(e.Entry)
		trimmed := lexical.Trim(distinct.Start(text))
		if e.Count == 0 || len(trimmed) == 0 || distinct.IsLong(text) {
			continue
		}
		l = typing.Look{}
		l.Read(trimmed, e.Kind())
		if q, ok := t.QuantityOf(&l, trimmed, &c.sums.number); ok {
			all = append(all, measuredValue{weighted{q.Float(), e.Count},
				distinct.Sighting{Row: e.Row, Line: e.Line, Text: text}})
		}
	}
	slices.SortFunc(all, func(a, b measuredValue) int {
		return cmp.Or(cmp.Compare(a.value, b.value), cmp.Compare(a.at.Row, b.at.Row))
	})
	return all
}

// measure fills in what is told of values on a scale, or, for a column of texts,
// of their order.
func (c *column) measure(out *Column, t *typing.Reading, of scale) {
	s := c.sums
	if !t.Datatype.IsNumber() && !t.IsDate() {
		if s.filled > 0 && t.Datatype == value.String {
			out.Minimum, out.Maximum = quoted(distinct.Shown(s.low.Text)), quoted(distinct.Shown(s.high.Text))
		}
		return
	}
	if s.spread.count == 0 {
		return
	}
	out.Minimum, out.Maximum = canonical(t, s.spread.low.outermost().Text), canonical(t, s.spread.high.outermost().Text)
	out.firstAt, out.lastAt = s.spread.low.outermost().Row, s.spread.high.outermost().Row
	mean, deviation := s.spread.moments()
	if t.IsDate() {
		deviation /= dayMillis / 1000
	} else {
		out.Sum = exactNumber(s.spread.sum())
	}
	out.Mean, out.Deviation = scalar(t, mean), &deviation
	if !of.isWhole && !t.IsDate() {
		out.QuartileError = s.spread.binError()
	}
	for _, q := range quantiles(of.sorted, []float64{0.25, 0.5, 0.75}, t.IsDate()) {
		out.Quartiles = append(out.Quartiles, scalar(t, q))
	}
	out.Histogram = histogram(t, of.sorted)
}

// canonical returns a value's text in the column's datatype, as JSON.
func canonical(t *typing.Reading, text []byte) json.RawMessage {
	text = lexical.Trim(distinct.Start(text))
	if t.IsDate() {
		for _, f := range append(t.Formats, isoFormats...) {
			var i value.Instant
			if f.Parse(text, &i) == value.Matches {
				if t.Datatype == value.Date {
					return quoted(string(i.AppendDate(nil)))
				}
				return quoted(string(i.AppendDateTime(nil)))
			}
		}
		return quoted(distinct.Shown(text))
	}
	var n value.Number
	if t.Datatype == value.Double {
		if d, _, ok := t.Numbers.ParseDouble(text, &n, nil); ok {
			return number(d)
		}
	}
	if t.Numbers.Parse(text, &n) || new(value.NumberFormat).Parse(text, &n) { // a workbook's numbers have a point
		return json.RawMessage(slices.Clone(n.Significant()))
	}
	return quoted(distinct.Shown(text))
}

var isoFormats = func() (all []*value.DateFormat) {
	for _, d := range []value.Datatype{value.Date, value.DateTime} {
		f, err := value.NewDateFormat(d, "")
		if err != nil {
			panic(err)
		}
		all = append(all, f)
	}
	return all
}()

// scalar returns a place on the column's scale as JSON: a number, or an instant.
func scalar(t *typing.Reading, x float64) json.RawMessage {
	if !t.IsDate() {
		return number(x)
	}
	at := time.UnixMilli(int64(math.Round(x * 1000))).UTC()
	if t.Datatype == value.Date {
		return quoted(at.Format(time.DateOnly))
	}
	return quoted(at.Format("2006-01-02T15:04:05"))
}

func quoted(text string) json.RawMessage {
	b, err := json.Marshal(text)
	if err != nil {
		panic(err) // a string is always written
	}
	return b
}

func number(x float64) json.RawMessage {
	b, err := json.Marshal(x)
	if err != nil {
		return nil // neither a number nor infinite
	}
	return b
}

// exactNumber writes a sum of decimals, which has a finite number of digits.
func exactNumber(r *big.Rat) json.RawMessage {
	if r.IsInt() {
		return json.RawMessage(r.Num().String())
	}
	digits, exact := r.FloatPrec()
	if !exact || digits > 40 {
		f, _ := r.Float64()
		return number(f)
	}
	return json.RawMessage(r.FloatString(digits))
}

// bars is about how many bars a histogram has.
const bars = 20

// histogram counts sorted values in bars of even width with round edges: of
// numbers a multiple of 1, 2 or 5 times a power of ten, of dates hours, days,
// months or years.
func histogram(t *typing.Reading, sorted []weighted) []Bin {
	if len(sorted) == 0 {
		return nil
	}
	var edges []float64
	low, high := sorted[0].value, sorted[len(sorted)-1].value
	if t.IsDate() {
		edges = dateEdges(low, high, t.Datatype == value.DateTime)
	} else {
		edges = numberEdges(low, high, t.Datatype == value.Integer)
	}
	bins := make([]Bin, len(edges)-1)
	for i := range bins {
		bins[i].From, bins[i].To = scalar(t, edges[i]), scalar(t, edges[i+1])
	}
	i := 0
	for _, w := range sorted {
		for i < len(bins)-1 && w.value >= edges[i+1] {
			i++
		}
		bins[i].Count += w.count
	}
	return bins
}

// leastPower is the power of ten of the narrowest bars; below it doubles lose their digits.
const leastPower = -300

// numberEdges returns the edges of bars from low to high. They are computed as
// quotients of whole numbers, so that they are as exact as the values.
func numberEdges(low, high float64, whole bool) []float64 {
	step, exponent := 1.0, 0
	width := (high - low) / bars
	if math.IsInf(width, 0) {
		width = high/bars - low/bars
	}
	// Where doubles lie far apart a bar holds several of them: no bar is so narrow that both its edges
	// are one.
	size := max(math.Abs(low), math.Abs(high))
	if width = max(width, 8*(size-math.Nextafter(size, 0))); width > 0 && !math.IsInf(width, 0) &&
		(high > low || width > 1) {
		exponent = max(int(math.Floor(math.Log10(width))), leastPower)
		switch m := width / math.Pow10(exponent); {
		case m <= 1.5:
		case m <= 3.5:
			step = 2
		case m <= 7.5:
			step = 5
		default:
			exponent++
		}
	}
	if whole && exponent < 0 {
		step, exponent = 1, 0
	}
	edge := func(k float64) float64 {
		if exponent < 0 {
			return k * step / math.Pow10(-exponent)
		}
		return k * step * math.Pow10(exponent)
	}
	// The quotient is off by very few edges.
	first := math.Floor(low / edge(1))
	for n := 0; n < bars && edge(first) > low; n++ {
		first--
	}
	for n := 0; n < bars && edge(first+1) <= low; n++ {
		first++
	}
	edges := []float64{max(edge(first), -math.MaxFloat64)} // JSON has no infinite numbers
	if edges[0] == math.MaxFloat64 {
		return []float64{math.Nextafter(edges[0], 0), edges[0]}
	}
	for n := 1; n <= 3*bars; n++ {
		at := min(edge(first+float64(n)), math.MaxFloat64)
		edges = append(edges, at)
		if at > high || at == math.MaxFloat64 {
			break
		}
	}
	return edges
}

// maxDateBars is more than the bars of any instants: days of two months, months of four years, or
// those of as many years as there are.
const maxDateBars = 100

// dateEdges returns the edges of bars of instants, in seconds since 1970.
func dateEdges(low, high float64, withTime bool) []float64 {
	from, to := time.Unix(int64(math.Floor(low)), 0).UTC(), time.Unix(int64(math.Ceil(high)), 0).UTC()
	days := to.Sub(from).Hours() / 24
	years := to.Year() - from.Year()
	day := time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, time.UTC)
	var next func(time.Time) time.Time
	at := day
	switch {
	case withTime && days <= 2:
		at = from.Truncate(time.Hour)
		next = func(t time.Time) time.Time { return t.Add(time.Hour) }
	case days <= 62:
		next = func(t time.Time) time.Time { return t.AddDate(0, 0, 1) }
	case years < 4:
		at = time.Date(from.Year(), from.Month(), 1, 0, 0, 0, 0, time.UTC)
		next = func(t time.Time) time.Time { return t.AddDate(0, 1, 0) }
	default:
		step := 1
		for _, s := range []int{1, 2, 5, 10, 20, 50, 100, 200, 500} {
			if step = s; years/s <= 2*bars {
				break
			}
		}
		at = time.Date(from.Year()/step*step, 1, 1, 0, 0, 0, 0, time.UTC)
		next = func(t time.Time) time.Time { return t.AddDate(step, 0, 0) }
	}
	edges := []float64{float64(at.Unix())}
	for n := 0; !at.After(to) && n < maxDateBars; n++ {
		at = next(at)
		edges = append(edges, float64(at.Unix()))
	}
	return edges
}
