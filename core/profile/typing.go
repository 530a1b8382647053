package profile

import (
	"bytes"
	"cmp"
	"fmt"
	"math/bits"
	"slices"
	"unicode"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/value"
	"sieb/core/workbook"
)

// formKey is what the values of a column are told apart by when their datatype
// is concluded.
type formKey struct {
	kind           lexical.Kind
	stored         bool // the workbook gives the kind
	decimal, group byte
	unsure, zeros  bool
	nought         bool // digits after the point, and all of them 0: 178.0
	long           bool // four digits or more before the point, not grouped
	extra          extra
	day            evidence
	order          lexical.Order
	sep, sep2      byte
	short, loose   bool
	padded         bool
	clock          lexical.Clock
	join           byte
	zone           lexical.Zone
	half           lexical.Half
}

// extra is what stands with a number that a target's formats do not read.
type extra uint8

const (
	none extra = iota
	percent
	currency
	signBehind
)

// evidence is what a single date tells of its order.
type evidence uint8

const (
	either     evidence = iota // 06/07/2026
	dayFirst                   // 31/07/2026
	monthFirst                 // 07/31/2026
	impossible                 // 31/31/2026, 2026-02-30
)

// look is one value looked at: its form, and the key of that.
type look struct {
	lexical.Form
	key    formKey
	millis int64 // of a date, with the day first where the order is open
}

// read looks at a value without the blanks around it.
func (l *look) read(text []byte, kind workbook.Kind) {
	l.Form.Read(text)
	l.key = formKey{kind: l.Kind}
	k := &l.key
	switch kind {
	case workbook.Text:
	case workbook.Error:
		l.Kind, k.kind = lexical.Placeholder, lexical.Placeholder
	default:
		k.stored, l.Unsure = true, false
	}
	switch l.Kind {
	case lexical.Integer, lexical.Decimal, lexical.Double:
		k.decimal, k.group, k.unsure, k.zeros = l.Decimal, l.Group, l.Unsure, l.Zeros
		k.long = l.Whole > 3 && l.Group == 0
		k.nought = l.Decimal != 0 && l.IsNought()
		switch {
		case l.Percent:
			k.extra = percent
		case l.Currency:
			k.extra = currency
		case l.Sign == lexical.Behind:
			k.extra = signBehind
		}
		if l.Kind == lexical.Integer && l.Whole == 8 && !k.stored {
			// It stays a number unless the whole column can be dates.
			if c := l.Form; c.ReadCompact() {
				k.order = lexical.Compact
			}
		}
	case lexical.Date, lexical.DateTime, lexical.Time:
		k.order, k.sep, k.sep2, k.short, k.padded, k.loose = l.Order, l.Sep, l.Sep2, l.Short, l.Padded, l.Loose
		k.clock, k.join, k.zone, k.half = l.Clock, l.Join, l.Zone, l.Half
		if l.Kind == lexical.Time {
			return
		}
		l.placeDay()
	}
}

// again looks at a value that differs in nothing but digits from the one before.
func (l *look) again(text []byte) bool {
	if l.key.stored || !l.Again(text) {
		return false
	}
	switch l.Kind {
	case lexical.Date, lexical.DateTime:
		l.placeDay()
	case lexical.Decimal:
		l.key.nought = l.Decimal != 0 && l.IsNought()
	}
	return true
}

// placeDay reports which instant a date is, and what that tells of its order.
func (l *look) placeDay() {
	millis, byDay := l.Millis(false)
	l.millis = millis
	byMonth := false
	if l.Order == lexical.ABYear {
		_, byMonth = l.Millis(true)
	}
	k := &l.key
	switch {
	case !byDay && !byMonth:
		k.day = impossible
	case l.Order != lexical.ABYear || byDay && byMonth:
		k.day = either
	case byDay:
		k.day = dayFirst
	default:
		k.day = monthFirst
	}
}

// family is a date form without what differs from date to date in one column.
func (k formKey) family() formKey {
	k.day, k.padded, k.loose = either, false, false
	return k
}

// forms count the values of a column by their forms.
type forms map[formKey]*formCount

type formCount struct {
	count           int64
	sightings       distinct.Sightings
	firsts, seconds uint32   // of dates of open order: the numbers that stand first and second, a bit for each
	reads           answered // whether the values of a form are of the datatype
}

type answered uint8

const (
	unasked answered = iota
	yes
	no
)

// noteLook notes a value of this form, which is counted apart.
func (c *formCount) noteLook(l *look, at distinct.Sighting) {
	if l.Order == lexical.ABYear {
		c.firsts, c.seconds = c.firsts|1<<(l.A&31), c.seconds|1<<(l.B&31)
	}
	if len(c.sightings) < distinct.MaxSightings || at.Row < c.sightings[distinct.MaxSightings-1].Row {
		c.sightings.Add(at)
	}
}

// of returns the count of a form.
func (f forms) of(k formKey) *formCount {
	c := f[k]
	if c == nil {
		c = &formCount{}
		f[k] = c
	}
	return c
}

func (f forms) merge(o forms) {
	for k, c := range o {
		f.of(k).merge(*c)
	}
}

// count adds up the values of some forms.
func (f forms) count(is func(formKey) bool) (n int64) {
	for k, c := range f {
		if is(k) {
			n += c.count
		}
	}
	return n
}

// typing is what is concluded of a column from the forms of its values: how
// they are to be read.
type typing struct {
	datatype    value.Datatype
	decimalChar string // "" where no value has one
	groupChar   string
	decided     bool // something tells how to read unsure characters
	isGroup     bool // unsure characters stand between thousands
	dates       []dateFormat
	byMonth     bool
	order       orderFrom
	isClose     bool      // though undecided, one order puts the dates much closer together
	pair        [2]string // of a boolean: what stands for true, for false
	words       []string  // texts that repeat among numbers or dates, and perhaps stand for missing ones

	numbers value.NumberFormat
	formats []*value.DateFormat
}

func (t *typing) isDate() bool { return t.datatype == value.Date || t.datatype == value.DateTime }

// orderFrom is what decides the order of day and month.
type orderFrom uint8

const (
	noOrder   orderFrom = iota // no date of the column leaves it open
	fromDates                  // a date of the column decides it
	fromOther                  // another column of the file does
	fromSep                    // nothing but the point between the parts, by which the day comes first
	undecided                  // nothing does
)

// dateFormat is a form of dates that the column is read by.
type dateFormat struct {
	pattern string
	count   int64
}

// Which share of a column's values is of a datatype where that is concluded: as a rule,
// and at the least. With less than a half two datatypes could be concluded.
const (
	DefaultShare = 0.9
	LeastShare   = 0.5
)

// conclude concludes how a column is read. hints are what the other columns of
// the file tell.
func (f forms) conclude(h hints) (t typing) {
	values := f.count(func(k formKey) bool { return k.kind != lexical.Placeholder })
	if values == 0 {
		return t
	}
	enough := func(n int64) bool { return float64(n) >= h.share*float64(values) }
	some := func(n int64) bool { return n >= 3 && 100*n >= values || 50*n >= values }

	isDate := func(k formKey) bool {
		return k.kind == lexical.Date || k.kind == lexical.Integer && k.order == lexical.Compact
	}
	dates, times := f.count(isDate), f.count(func(k formKey) bool { return k.kind == lexical.DateTime })
	compact := f.count(func(k formKey) bool { return k.kind == lexical.Integer && k.order == lexical.Compact })
	if dates == compact && dates < values { // eight digits alone are dates where all are
		dates = f.count(func(k formKey) bool { return k.kind == lexical.Date })
	}
	switch {
	case enough(dates):
		return f.concludeDates(t, value.Date, isDate, h)
	case enough(times):
		return f.concludeDates(t, value.DateTime, func(k formKey) bool { return k.kind == lexical.DateTime }, h)
	}
	if n := f.count(func(k formKey) bool { return k.kind == lexical.Boolean }); enough(n) {
		t.datatype, t.pair = value.Boolean, [2]string{"true", "false"}
		return t
	}
	return f.concludeNumbers(t, enough, some, h)
}

func (f forms) concludeNumbers(t typing, enough, some func(int64) bool, h hints) typing {
	plain := func(k formKey) bool { return k.kind.IsNumber() && k.extra == none }
	zeros := f.count(func(k formKey) bool { return k.kind == lexical.Integer && k.zeros && k.extra == none })
	if zeros > 0 && 100*zeros >= f.count(plain) {
		return t // zeros in front would be lost
	}
	// The characters, by what is sure.
	votes := map[byte]int64{}
	unsure := map[byte]int64{}
	group := map[byte]int64{}
	for k, c := range f {
		switch {
		case !plain(k) || k.stored:
		case k.unsure:
			unsure[k.decimal] += c.count
		default:
			if k.decimal != 0 {
				votes[k.decimal] += c.count
			}
			if k.group != 0 {
				group[k.group] += c.count
				if k.decimal == 0 && (k.group == '.' || k.group == ',') {
					votes['.'+','-k.group] += c.count // the other one
				}
			}
		}
	}
	decimal := most(votes)
	if 20*votes[decimal] < unsure[most(unsure)] && h.decimal != 0 {
		decimal = 0 // what a few values say counts less than what the file does
	}
	if len(unsure) > 0 {
		sep := most(unsure)
		t.decided = true
		switch {
		case decimal != 0:
			t.isGroup = sep != decimal
		case len(group) > 0:
			t.isGroup = group[sep] > 0
		case f.longIntegers() == 0 && f.shortIntegers() > 0:
			t.isGroup = true // 745 and 1.234, but never 1234
		case f.longIntegers() > 0:
			t.isGroup = false
		case h.decimal != 0:
			t.isGroup = sep != h.decimal
		default:
			t.decided = false
		}
		if t.isGroup {
			group[sep] += unsure[sep]
			if decimal == 0 && sep == '.' {
				decimal = ','
			}
		} else if decimal == 0 {
			decimal = sep
		}
	}
	if decimal != 0 {
		t.decimalChar = string(rune(decimal))
	}
	if g := most(group); g != 0 && g != decimal {
		t.groupChar = string(rune(g))
	}
	reads := func(k formKey) bool {
		if !plain(k) || k.stored {
			return plain(k)
		}
		if k.unsure && t.isGroup {
			return string(rune(k.decimal)) == t.groupChar
		}
		return (k.decimal == 0 || k.decimal == decimal) && (k.group == 0 || string(rune(k.group)) == t.groupChar)
	}
	isWhole := func(k formKey) bool { return k.kind == lexical.Integer || k.unsure && t.isGroup }
	whole := f.count(func(k formKey) bool { return reads(k) && isWhole(k) })
	all := f.count(reads)
	doubles := f.count(func(k formKey) bool { return reads(k) && k.kind == lexical.Double })
	// Whole numbers that a program wrote as 178.0 do not make the others decimals.
	nought := f.count(func(k formKey) bool { return reads(k) && !isWhole(k) && k.nought })
	switch {
	case !enough(all):
		return typing{}
	case some(doubles):
		t.datatype = value.Double
	case enough(whole) && !some(all-whole-doubles-nought):
		t.datatype = value.Integer
	default:
		t.datatype = value.Decimal
	}
	if t.datatype == value.Integer {
		t.decimalChar = ""
		if t.groupChar == "." {
			t.decimalChar = ","
		}
	}
	var err error
	if t.numbers, err = value.NewNumberFormat(t.decimalChar, t.groupChar, ""); err != nil {
		return typing{}
	}
	return t
}

// A word that perhaps stands for missing numbers or dates occurs so often at least, and
// at most in one of so many values; there are few such words in a column.
const (
	leastWord = 3
	mostWord  = 3
	fewWords  = 2
)

// concludeColumn concludes how a column is read. Where texts that repeat stand among
// values that without them are of one datatype, they are taken for missing ones. The first
// texts of the table, as many as are known, were counted in all rows.
func concludeColumn(f forms, values *distinct.Table, known int, h hints) typing {
	t := f.conclude(h)
	if t.datatype == value.Boolean {
		return t
	}
	all := f.count(func(k formKey) bool { return k.kind != lexical.Placeholder })
	if others := f.count(func(k formKey) bool { return k.kind == lexical.Text }); others < leastWord ||
		mostWord*others > all {
		return t
	}
	var words []distinct.Item
	for e := range values.All() {
		if known--; known < 0 {
			break
		}
		text := lexical.Trim(distinct.Start(values.Text(e.Entry)))
		if e.Count < leastWord || len(text) == 0 || distinct.IsLong(values.Text(e.Entry)) {
			continue
		}
		if l := (look{}); e.Kind() == workbook.Text {
			if l.read(text, e.Kind()); l.Kind == lexical.Text && bytes.ContainsFunc(text, unicode.IsLetter) {
				words = append(words, e)
			}
		}
	}
	words = firstOf(words, fewWords+1, func(a, b distinct.Item) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Row, b.Row))
	})
	if len(words) == 0 || len(words) > fewWords {
		return t
	}
	without := forms{}
	without.merge(f)
	for _, e := range words {
		text := lexical.Trim(values.Text(e.Entry))
		var l look
		l.read(text, e.Kind())
		c := *without[l.key]
		c.count -= e.Count
		without[l.key] = &c
		if word := string(text); !slices.Contains(t.words, word) {
			t.words = append(t.words, word)
		}
	}
	found := without.conclude(h)
	if !found.datatype.IsNumber() && !found.isDate() {
		t.words = nil
		return t
	}
	found.words = t.words
	slices.Sort(found.words)
	return found
}

// isWord reports whether a text without blanks around it is one of those that perhaps
// stand for missing values.
func (t *typing) isWord(trimmed []byte) bool {
	for _, word := range t.words {
		if word == string(trimmed) {
			return true
		}
	}
	return false
}

// longIntegers counts whole numbers of four digits and more without a group character.
func (f forms) longIntegers() int64 {
	return f.count(func(k formKey) bool { return k.kind == lexical.Integer && k.long && k.extra == none })
}

func (f forms) shortIntegers() int64 {
	return f.count(func(k formKey) bool {
		return k.kind == lexical.Integer && !k.long && k.group == 0 && k.extra == none
	})
}

// most returns the key with the greatest count, the least key among equals; 0
// where there is none.
func most(counts map[byte]int64) (best byte) {
	for k, n := range counts {
		if best == 0 || n > counts[best] || n == counts[best] && k < best {
			best = k
		}
	}
	return best
}

// formatShare is how much of the dates a form must have to be one of the formats.
const formatShare = 0.05

func (f forms) concludeDates(t typing, d value.Datatype, is func(formKey) bool, h hints) typing {
	t.datatype = d
	families := map[formKey]*family{}
	total := int64(0)
	for k, c := range f {
		if !is(k) {
			continue
		}
		total += c.count
		key := k.family()
		fam := families[key]
		if fam == nil {
			fam = &family{padded: true}
			families[key] = fam
		}
		fam.count += c.count
		fam.firsts, fam.seconds = fam.firsts|c.firsts, fam.seconds|c.seconds
		fam.evidence[k.day] += c.count
		fam.padded = fam.padded && k.padded
		fam.loose = fam.loose || k.loose
	}
	var open [4]int64
	var firsts, seconds uint32
	isOpen, allPoints := false, true
	for k, fam := range families {
		if k.order != lexical.ABYear || float64(fam.count) < formatShare*float64(total) {
			continue
		}
		isOpen = true
		allPoints = allPoints && k.sep == '.'
		firsts, seconds = firsts|fam.firsts, seconds|fam.seconds
		for i, n := range fam.evidence {
			open[i] += n
		}
	}
	switch {
	case !isOpen:
		t.order = noOrder
	case open[dayFirst] != open[monthFirst]:
		t.order, t.byMonth = fromDates, open[monthFirst] > open[dayFirst]
	case h.order != either:
		t.order, t.byMonth = fromOther, h.order == monthFirst
	case allPoints:
		t.order = fromSep
	default:
		// A delivery's dates lie close together: the month changes less.
		t.order = undecided
		a, b := bits.OnesCount32(firsts), bits.OnesCount32(seconds)
		t.isClose = a >= 3*b || b >= 3*a
		t.byMonth = b >= 3*a
	}
	keys := make([]formKey, 0, len(families))
	for k := range families {
		keys = append(keys, k)
	}
	slices.SortFunc(keys, func(a, b formKey) int {
		return cmp.Or(cmp.Compare(families[b].count, families[a].count), cmp.Compare(fmt.Sprint(a), fmt.Sprint(b)))
	})
	for _, k := range keys {
		fam := families[k]
		if float64(fam.count) < formatShare*float64(total) && len(t.dates) > 0 {
			continue
		}
		m := lexical.Moment{Order: k.order, Sep: k.sep, Sep2: k.sep2, Short: k.short, Padded: fam.padded,
			Clock: k.clock, Join: k.join, Zone: k.zone, Half: k.half, Loose: fam.loose}
		format, err := value.NewDateFormat(d, m.Pattern(t.byMonth))
		if err != nil {
			continue
		}
		t.dates = append(t.dates, dateFormat{format.Pattern(), fam.count})
		t.formats = append(t.formats, format)
	}
	return t
}

// family is what the dates of one form have in common.
type family struct {
	count           int64
	evidence        [4]int64
	firsts, seconds uint32
	padded, loose   bool
}

// hints are what is known of a file beside the column at hand: what the other columns
// tell, since a file comes from one program, in one country; and what was asked for.
type hints struct {
	share   float64  // of the values that a datatype must cover
	decimal byte     // the decimal character; 0 where none is sure
	order   evidence // of dates: dayFirst, monthFirst, or either where none is sure
}

// hintsOf collects what the columns of a file are sure of.
func hintsOf(columns []forms, share float64) (h hints) {
	h.share = share
	votes := map[byte]int64{}
	var day, month int64
	for _, f := range columns {
		t := f.conclude(hints{share: share})
		switch {
		case t.datatype.IsNumber():
			for k, c := range f {
				if k.kind.IsNumber() && k.decimal != 0 && !k.unsure && !k.stored {
					votes[k.decimal] += c.count
				}
			}
		case t.order == fromDates && t.byMonth:
			month++
		case t.order == fromDates:
			day++
		}
	}
	h.decimal = most(votes)
	switch {
	case day > month:
		h.order = dayFirst
	case month > day:
		h.order = monthFirst
	}
	return h
}

// resolve settles what a form leaves open.
func (t *typing) resolve(l *look) {
	if l.Unsure && t.isGroup {
		l.WithGroup()
		if l.Kind == lexical.Decimal {
			l.Kind = lexical.Integer
		}
	}
	if t.datatype == value.Date && l.key.order == lexical.Compact {
		l.ReadCompact()
		l.millis, _ = l.Millis(false)
	}
}

// reads reports whether a text without blanks around it is of the datatype, by the
// very formats that a target drafted from it declares.
func (t *typing) reads(l *look, text []byte, n *value.Number) bool {
	if l.key.stored {
		switch t.datatype {
		case value.Date:
			return l.Kind == lexical.Date
		case value.DateTime:
			return l.Kind == lexical.DateTime || l.Kind == lexical.Date
		case value.Integer:
			return l.Kind == lexical.Integer
		case value.Decimal:
			return l.Kind == lexical.Integer || l.Kind == lexical.Decimal
		case value.Double:
			return l.Kind.IsNumber()
		}
	}
	switch t.datatype {
	case value.Integer, value.Decimal:
		return l.Kind.IsNumber() && t.numbers.Parse(text, n) && (t.datatype == value.Decimal || n.IsWhole())
	case value.Double:
		if !l.Kind.IsNumber() {
			return false
		}
		_, _, ok := t.numbers.ParseDouble(text, n, nil)
		return ok
	case value.Date, value.DateTime:
		var i value.Instant
		return slices.ContainsFunc(t.formats, func(f *value.DateFormat) bool {
			return f.Parse(text,
				&i) == value.Matches
		})
	case value.Boolean:
		return string(text) == t.pair[0] || string(text) == t.pair[1]
	}
	return l.Kind != lexical.Placeholder
}

// quantity returns the place of a value that is of the datatype on the column's
// scale: numbers as they are, dates in milliseconds since 1970.
func (t *typing) quantity(l *look, text []byte) quantity {
	switch t.datatype {
	case value.Date, value.DateTime:
		if t.byMonth && l.Order == lexical.ABYear {
			l.millis, _ = l.Millis(true)
		}
		return quantity{coef: l.millis, frac: 3}
	}
	if l.Kind != lexical.Double && l.IsShort() {
		return quantity{coef: l.Coef, frac: l.Frac}
	}
	r, ok := l.Big(text)
	if !ok {
		return quantity{}
	}
	return quantity{wide: r}
}

// quantityOf returns the quantity of a value that was looked at; false where the text,
// without blanks around it, is not of the datatype. n is scratch space.
func (t *typing) quantityOf(l *look, text []byte, n *value.Number) (quantity, bool) {
	t.resolve(l)
	if l.Kind == lexical.Placeholder || !t.reads(l, text, n) {
		return quantity{}, false
	}
	return t.quantity(l, text), true
}

// pairs are the texts that stand for true and false, in lower case.
var pairs = [][2]string{{"true", "false"}, {"yes", "no"}, {"y", "n"}, {"ja", "nein"}, {"j", "n"}, {"t", "f"},
	{"on", "off"}, {"wahr", "falsch"}, {"oui", "non"}, {"si", "no"}, {"sí", "no"}, {"1", "0"}}

// pairOf reports which of two texts stands for true and which for false.
func pairOf(a, b []byte) (pair [2]string, ok bool) {
	for _, p := range pairs {
		switch {
		case bytes.EqualFold(a, []byte(p[0])) && bytes.EqualFold(b, []byte(p[1])):
			return [2]string{string(a), string(b)}, true
		case bytes.EqualFold(b, []byte(p[0])) && bytes.EqualFold(a, []byte(p[1])):
			return [2]string{string(b), string(a)}, true
		}
	}
	return pair, false
}
