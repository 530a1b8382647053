package value

import (
	"encoding/binary"
	"fmt"
	"strings"
	"time"
)

// Outcome says how a text relates to a date format.
type Outcome uint8

// The outcomes, worst last.
const (
	Matches    Outcome = iota // a date of this format
	Mismatch                  // not of this shape
	Impossible                // of this shape, but no such day or time
)

// Instant is a date, or a date and time, in the proleptic Gregorian calendar.
type Instant struct {
	Year         int32
	Nanos        int32 // of the second
	Offset       int16 // minutes east of UTC
	Month, Day   uint8
	Hour, Minute uint8
	Second       uint8
	Digits       uint8 // fraction digits of the second as delivered
	Zoned        bool
	EndOfDay     bool // written as 24:00:00 of the day before, or of the time of day as such
}

// Days counts days since 1970-01-01.
func (t *Instant) Days() int64 {
	// Days from civil: the calendar shifted to begin in March, so that the
	// leap day ends the year (Hinnant, "chrono-Compatible Low-Level Date
	// Algorithms").
	y := int64(t.Year)
	m := int64(t.Month)
	if m <= 2 {
		y--
		m += 12
	}
	era := y / 400
	if y < 0 {
		era = (y - 399) / 400
	}
	yoe := y - era*400
	doy := (153*(m-3)+2)/5 + int64(t.Day) - 1
	return era*146097 + yoe*365 + yoe/4 - yoe/100 + doy - 719468
}

// Compare orders two instants; one without a zone counts as UTC.
func (t *Instant) Compare(u *Instant) int {
	a, b := t.Seconds(), u.Seconds()
	switch {
	case a < b || a == b && t.Nanos < u.Nanos:
		return -1
	case a > b || t.Nanos > u.Nanos:
		return 1
	}
	return 0
}

// Seconds counts seconds since 1970-01-01T00:00:00Z; an instant without a zone counts as UTC.
func (t *Instant) Seconds() int64 {
	return t.Days()*86400 + int64(t.Hour)*3600 + int64(t.Minute)*60 + int64(t.Second) - int64(t.Offset)*60
}

// AppendDate appends the date in ISO 8601 form: 2026-07-31.
func (t *Instant) AppendDate(dst []byte) []byte {
	y := t.Year
	return append(dst, byte('0'+y/1000%10), byte('0'+y/100%10), byte('0'+y/10%10), byte('0'+y%10), '-',
		'0'+t.Month/10, '0'+t.Month%10, '-', '0'+t.Day/10, '0'+t.Day%10)
}

// AppendDateTime appends date and time in ISO 8601 form, with the zone as delivered.
func (t *Instant) AppendDateTime(dst []byte) []byte {
	dst = append(t.AppendDate(dst), 'T', '0'+t.Hour/10, '0'+t.Hour%10, ':',
		'0'+t.Minute/10, '0'+t.Minute%10, ':', '0'+t.Second/10, '0'+t.Second%10)
	if t.Digits > 0 {
		frac := int(t.Nanos)
		for k := t.Digits; k < 9; k++ {
			frac /= 10
		}
		dst = appendDigits(append(dst, '.'), frac, int(t.Digits))
	}
	switch {
	case !t.Zoned:
	case t.Offset == 0:
		dst = append(dst, 'Z')
	default:
		off, sign := int(t.Offset), byte('+')
		if off < 0 {
			off, sign = -off, '-'
		}
		dst = append(dst, sign)
		dst = append(appendDigits(dst, off/60, 2), ':')
		dst = appendDigits(dst, off%60, 2)
	}
	return dst
}

// AppendTime appends the time of day in ISO 8601 form: 14:05:00, with the fraction as
// delivered.
func (t *Instant) AppendTime(dst []byte) []byte {
	var whole [40]byte
	day := *t
	day.Zoned = false
	return append(dst, day.AppendDateTime(whole[:0])[len("1970-01-01T"):]...)
}

// AppendUTC appends 13 bytes that are equal for equal instants. One without a zone equals none with
// one (XML Schema Part 2, 3.2.7.3).
func (t *Instant) AppendUTC(dst []byte) []byte {
	dst = binary.BigEndian.AppendUint64(dst, uint64(t.Seconds()))
	dst = binary.BigEndian.AppendUint32(dst, uint32(t.Nanos))
	if t.Zoned {
		return append(dst, 1)
	}
	return append(dst, 0)
}

// Equal reports whether two instants are one; one without a zone equals none with one.
func (t *Instant) Equal(u *Instant) bool { return t.Zoned == u.Zoned && t.Compare(u) == 0 }

func appendDigits(dst []byte, n, width int) []byte {
	var digits [20]byte
	i := len(digits)
	for ; n > 0 || len(digits)-i < width; n /= 10 {
		i--
		digits[i] = byte('0' + n%10)
	}
	return append(dst, digits[i:]...)
}

// DateFormat is a compiled LDML date pattern such as dd.MM.yyyy or
// yyyy-MM-dd'T'HH:mm:ss.SSSX.
type DateFormat struct {
	pattern string
	steps   []step
	fixed   *fixed
	isISO   bool
	isTime  bool // of the day: the date is that of 1970-01-01
	pivot   int  // the year with which a hundred years of two digits begin
}

// fixed is a format in which each field has its place: four digits of a year,
// two of all else, and single bytes between them.
type fixed struct {
	length                                 int
	year, month, day, hour, minute, second int // -1 where the format lacks it
	marks                                  []mark
}

type mark struct {
	at int
	c  byte
}

// fix finds the places of the fields, nil where they are not fixed.
func fix(steps []step) *fixed {
	f := &fixed{year: -1, month: -1, day: -1, hour: -1, minute: -1, second: -1}
	for _, s := range steps {
		if s.field == 0 {
			for i := range len(s.text) {
				f.marks = append(f.marks, mark{f.length, s.text[i]})
				f.length++
			}
			continue
		}
		place := map[byte]*int{'y': &f.year, 'M': &f.month, 'd': &f.day, 'H': &f.hour, 'm': &f.minute,
			's': &f.second}[s.field]
		digits := 2
		if s.field == 'y' {
			digits = 4
		}
		if place == nil || s.min != digits || s.max != digits {
			return nil
		}
		*place = f.length
		f.length += digits
	}
	return f
}

// parse reads a text of the fixed form; false leaves it to the steps.
func (f *fixed) parse(text []byte, t *Instant) bool {
	if len(text) != f.length {
		return false
	}
	for _, m := range f.marks {
		if text[m.at] != m.c {
			return false
		}
	}
	bad := byte(0)
	two := func(at int) uint8 {
		if at < 0 {
			return 0
		}
		a, b := text[at]-'0', text[at+1]-'0'
		if a > 9 || b > 9 {
			bad = 1
		}
		return a*10 + b
	}
	*t = Instant{Year: int32(two(f.year))*100 + int32(two(f.year+2)), Month: two(f.month), Day: two(f.day)}
	if f.hour >= 0 {
		t.Hour, t.Minute, t.Second = two(f.hour), two(f.minute), two(f.second)
	}
	return bad == 0
}

type step struct {
	field    byte // LDML letter, 0 for literal text
	min, max int  // digits
	text     string
}

// ISO formats that stand where a column declares none (XML Schema, ISO 8601).
const (
	isoDate     = "yyyy-MM-dd"
	isoDateTime = "yyyy-MM-dd'T'HH:mm:ss"
	isoTime     = "HH:mm:ss"
)

// usualPivot is the year with which a hundred years of two digits begin where nothing else is
// said (POSIX).
const usualPivot = 1969

// NewDateFormat compiles a pattern for Date, DateTime or Time; "" is the ISO 8601
// form, for DateTime with optional fraction and zone, for Time with an optional fraction. Letters are LDML's:
// y M d H h m s S a X x; other letters stand in quotes, except T between date
// and time, as in CSVW. yy means 2000 to 2068 and 1969 to 1999 (POSIX). MMM and
// MMMM are a month's name, as MonthName reads it.
func NewDateFormat(d Datatype, pattern string) (*DateFormat, error) {
	switch {
	case d == Date && (pattern == "" || pattern == isoDate):
		f, err := compileDate(isoDate)
		f.isISO = true
		return f, err
	case d == Time:
		return newTimeFormat(pattern)
	case pattern == "":
		f, err := compileDate(isoDateTime)
		f.isISO = true
		f.steps = append(f.steps, step{field: 'S', min: 0, max: 9, text: "."}, step{field: 'X', min: 0, max: 3})
		f.pattern = "yyyy-MM-ddTHH:mm:ss"
		return f, err
	}
	f, err := compileDate(pattern)
	if err != nil {
		return nil, fmt.Errorf("date pattern %q: %w", pattern, err)
	}
	has := map[byte]bool{}
	for _, s := range f.steps {
		has[s.field] = true
	}
	switch {
	case !has['y'] || !has['M'] || !has['d']:
		return nil, fmt.Errorf("date pattern %q: it needs a year (yyyy), a month (MM) and a day (dd)", pattern)
	case d == Date && (has['H'] || has['h'] || has['m'] || has['s'] || has['S'] || has['X'] || has['x']):
		return nil, fmt.Errorf("date pattern %q holds a time of day: use datatype dateTime", pattern)
	case d == DateTime && !has['H'] && !has['h']:
		return nil, fmt.Errorf("date pattern %q holds no hour: use datatype date", pattern)
	case has['h'] != has['a']:
		return nil, fmt.Errorf("date pattern %q: h (1 to 12) goes with a (AM or PM); use HH for 0 to 23", pattern)
	}
	return f, nil
}

// newTimeFormat compiles a pattern for times of day.
func newTimeFormat(pattern string) (*DateFormat, error) {
	isISO := pattern == ""
	if isISO {
		pattern = isoTime
	}
	f, err := compileDate(pattern)
	if err != nil {
		return nil, fmt.Errorf("time pattern %q: %w", pattern, err)
	}
	has := map[byte]bool{}
	for _, s := range f.steps {
		has[s.field] = true
	}
	switch {
	case has['y'] || has['M'] || has['d'] || has['X'] || has['x']:
		return nil, fmt.Errorf("time pattern %q holds a date or a zone: use datatype dateTime", pattern)
	case !has['H'] && !has['h']:
		return nil, fmt.Errorf("time pattern %q holds no hour (HH)", pattern)
	case has['h'] != has['a']:
		return nil, fmt.Errorf("time pattern %q: h (1 to 12) goes with a (AM or PM); use HH for 0 to 23", pattern)
	}
	f.fixed, f.isTime, f.isISO = nil, true, isISO
	if isISO {
		f.steps = append(f.steps, step{field: 'S', min: 0, max: 9, text: "."})
	}
	return f, nil
}

// WithPivot returns the format with another year with which a hundred years of two digits
// begin: with 1950, 50 is 1950 and 49 is 2049.
func (f *DateFormat) WithPivot(year int) *DateFormat {
	other := *f
	other.pivot = year
	return &other
}

func compileDate(pattern string) (*DateFormat, error) {
	f := &DateFormat{pattern: pattern, pivot: usualPivot}
	seen := map[byte]bool{}
	for i := 0; i < len(pattern); {
		c := pattern[i]
		switch {
		case c == '\'':
			size, err := f.quoted(pattern[i+1:])
			if err != nil {
				return nil, err
			}
			i += 1 + size
		case (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') || c == 'T':
			f.literal(pattern[i : i+1])
			i++
		default:
			n := 1
			for i+n < len(pattern) && pattern[i+n] == c {
				n++
			}
			s, err := f.letters(c, n)
			if err != nil {
				return nil, err
			}
			if seen[s.field] {
				return nil, fmt.Errorf("the letter %q stands twice", string(c))
			}
			seen[s.field] = true
			f.steps = append(f.steps, s)
			i += n
		}
	}
	f.fixed = fix(f.steps)
	return f, nil
}

// literal adds text that stands for itself.
func (f *DateFormat) literal(s string) {
	if k := len(f.steps); k > 0 && f.steps[k-1].field == 0 {
		f.steps[k-1].text += s
		return
	}
	f.steps = append(f.steps, step{text: s})
}

// quoted adds the text between two quotes, and returns how much of the rest it takes with
// the closing one. Two quotes stand for one.
func (f *DateFormat) quoted(rest string) (size int, err error) {
	end := strings.IndexByte(rest, '\'')
	switch {
	case end < 0:
		return 0, fmt.Errorf("a quote ' is not closed")
	case end == 0:
		f.literal("'")
	default:
		f.literal(rest[:end])
	}
	return end + 1, nil
}

// letters makes the step of a letter that stands n times.
func (f *DateFormat) letters(c byte, n int) (s step, err error) {
	s = step{field: c, min: n, max: n}
	ok := n <= 2
	switch c {
	case 'y', 'u':
		s.field = 'y'
		if n == 1 {
			s.min, s.max = 4, 4
		}
		ok = n == 1 || n == 2 || n == 4
	case 'M', 'd', 'H', 'h', 'm', 's':
		if n == 1 {
			s.max = 2
		}
		ok = ok || c == 'M' && n <= 4
	case 'S':
		ok = n <= 9
		// CSVW: .S stands for any number of fraction digits up to 9.
		if n == 1 {
			s.max = 9
		}
		s.text = f.takePoint()
	case 'X', 'x':
		ok = n <= 3
		s.min, s.max = 1, n
	case 'a':
	default:
		return s, fmt.Errorf("the letter %q is not one of y M d H h m s S a X x; put other text in quotes: '%c'",
			string(c), c)
	}
	if !ok {
		return s, fmt.Errorf("%s has too many letters", strings.Repeat(string(c), n))
	}
	return s, nil
}

// takePoint takes the point off the end of the text before, "" where none is there: without
// a fraction the point is missing too.
func (f *DateFormat) takePoint() string {
	k := len(f.steps) - 1
	if k < 0 || f.steps[k].field != 0 || !strings.HasSuffix(f.steps[k].text, ".") {
		return ""
	}
	if f.steps[k].text = strings.TrimSuffix(f.steps[k].text, "."); f.steps[k].text == "" {
		f.steps = f.steps[:k]
	}
	return "."
}

// IsISO reports whether a text of this format that parses is canonical already, unless it is the
// end of a day: it is written as AppendDate or AppendDateTime writes it.
func (f *DateFormat) IsISO() bool { return f.isISO }

// Pattern returns the LDML pattern.
func (f *DateFormat) Pattern() string { return f.pattern }

// Parse reads a text of this format.
func (f *DateFormat) Parse(text []byte, t *Instant) Outcome {
	if f.fixed != nil && f.fixed.parse(text, t) {
		return f.settle(t)
	}
	*t = Instant{}
	afternoon := uint8(0) // hours that PM adds
	for k := range f.steps {
		s := &f.steps[k]
		var n int
		var ok bool
		switch {
		case s.field == 0:
			n, ok = len(s.text), hasPrefix(text, s.text)
		case s.field == 'X' || s.field == 'x':
			n, ok = t.zone(text, s)
		case s.field == 'a':
			afternoon, ok = halfDay(text)
			n = len("AM")
		case s.field == 'M' && s.min > 2:
			month := 0
			month, n = MonthName(text)
			t.Month, ok = uint8(month), month > 0
		default:
			n, ok = f.digits(text, s, t)
		}
		if !ok {
			return Mismatch
		}
		text = text[n:]
	}
	if len(text) > 0 {
		return Mismatch
	}
	t.Hour += afternoon
	if f.isTime {
		t.Year, t.Month, t.Day = 1970, 1, 1
	}
	return f.settle(t)
}

// settle checks an instant that was read. In ISO 8601, as in XML Schema, 24:00:00 is the end of a day:
// the first moment of the next one.
func (f *DateFormat) settle(t *Instant) Outcome {
	if !f.isISO || t.Hour != 24 || t.Minute != 0 || t.Second != 0 || t.Nanos != 0 {
		return t.check()
	}
	t.Hour, t.EndOfDay = 0, true
	if outcome := t.check(); outcome != Matches || f.isTime {
		return outcome
	}
	if t.Day++; t.Day > daysIn(t.Year, t.Month) {
		t.Day = 1
		if t.Month++; t.Month > 12 {
			t.Month = 1
			t.Year++
		}
	}
	if t.Year > 9999 {
		return Impossible
	}
	return Matches
}

// halfDay reads AM or PM, and returns the hours that it adds.
func halfDay(text []byte) (hours uint8, ok bool) {
	if len(text) < 2 || text[1]|0x20 != 'm' {
		return 0, false
	}
	switch text[0] | 0x20 {
	case 'a':
		return 0, true
	case 'p':
		return 12, true
	}
	return 0, false
}

// digits reads a field of digits, and returns how many bytes it takes. A fraction may have
// a point before it, with which it may be left out.
func (f *DateFormat) digits(text []byte, s *step, t *Instant) (taken int, ok bool) {
	lead := 0
	if s.field == 'S' && s.text != "" {
		if len(text) == 0 || text[0] != '.' {
			return 0, s.min == 0
		}
		lead = 1
	}
	n, i := 0, lead
	for i < len(text) && i-lead < s.max && text[i]-'0' <= 9 {
		n = n*10 + int(text[i]-'0')
		i++
	}
	if i-lead < max(s.min, 1) {
		return 0, false
	}
	f.set(t, s, n, i-lead)
	return i, true
}

// set sets a field to what its digits say.
func (f *DateFormat) set(t *Instant, s *step, n, digits int) {
	switch s.field {
	case 'y':
		if s.max == 2 {
			n += f.pivot - f.pivot%100
			if n < f.pivot {
				n += 100
			}
		}
		t.Year = int32(n)
	case 'M':
		t.Month = uint8(n)
	case 'd':
		t.Day = uint8(n)
	case 'H':
		t.Hour = uint8(n)
	case 'h':
		if t.Hour = uint8(n % 12); n < 1 || n > 12 {
			t.Hour = 99 // which no clock has
		}
	case 'm':
		t.Minute = uint8(n)
	case 's':
		t.Second = uint8(n)
	case 'S':
		t.Digits = uint8(digits)
		for k := digits; k < 9; k++ {
			n *= 10
		}
		t.Nanos = int32(n)
	}
}

// check reports whether the calendar and the clock have such an instant.
func (t *Instant) check() Outcome {
	if t.Year < 1 || t.Month < 1 || t.Month > 12 || t.Day < 1 || t.Day > 28 && t.Day > daysIn(t.Year, t.Month) ||
		t.Hour > 23 || t.Minute > 59 || t.Second > 59 {
		return Impossible
	}
	return Matches
}

// IsValid reports whether the calendar and the clock have such an instant.
func (t *Instant) IsValid() bool { return t.check() == Matches }

func daysIn(year int32, month uint8) uint8 {
	switch month {
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	case 4, 6, 9, 11:
		return 30
	}
	return 31
}

// zone reads Z, +02, +0200 or +02:00, as far as the step's letters allow.
func (t *Instant) zone(text []byte, s *step) (int, bool) {
	if len(text) == 0 {
		return 0, s.min == 0
	}
	if text[0] == 'Z' && s.field == 'X' {
		t.Zoned = true
		return 1, true
	}
	if text[0] != '+' && text[0] != '-' || len(text) < 3 {
		return 0, false
	}
	two := func(i int) int {
		if i+1 >= len(text) || text[i]-'0' > 9 || text[i+1]-'0' > 9 {
			return -1
		}
		return int(text[i]-'0')*10 + int(text[i+1]-'0')
	}
	hours, minutes, n := two(1), 0, 3
	switch s.max {
	case 1:
		if m := two(3); m >= 0 {
			minutes, n = m, 5
		}
	case 2:
		minutes, n = two(3), 5
	case 3:
		if len(text) < 6 || text[3] != ':' {
			return 0, false
		}
		minutes, n = two(4), 6
	}
	if hours < 0 || hours > 14 || minutes < 0 || minutes > 59 {
		return 0, false
	}
	t.Zoned, t.Offset = true, int16(hours*60+minutes)
	if text[0] == '-' {
		t.Offset = -t.Offset
	}
	return n, true
}

// Example writes a day in this format, to show a steward what is expected.
func (f *DateFormat) Example() string {
	at := time.Date(2026, time.July, 31, 14, 5, 9, 0, time.UTC)
	var b strings.Builder
	for _, s := range f.steps {
		n := map[byte]int{'y': at.Year(), 'M': int(at.Month()), 'd': at.Day(), 'H': at.Hour(), 'h': at.Hour() % 12,
			'm': at.Minute(), 's': at.Second()}[s.field]
		switch s.field {
		case 0:
			b.WriteString(s.text)
		case 'M':
			if s.min > 2 {
				b.WriteString(map[int]string{3: "Jul", 4: "July"}[s.min])
			} else {
				fmt.Fprintf(&b, "%0*d", s.min, n)
			}
		case 'a':
			b.WriteString("PM")
		case 'X', 'x':
			if s.min > 0 {
				b.WriteString([]string{"+02", "+0200", "+02:00"}[s.max-1])
			}
		case 'S':
			if s.min > 0 {
				b.WriteString(s.text + strings.Repeat("0", s.min))
			}
		case 'y':
			if s.max == 2 {
				n %= 100
			}
			fmt.Fprintf(&b, "%0*d", s.min, n)
		default:
			fmt.Fprintf(&b, "%0*d", s.min, n)
		}
	}
	return b.String()
}
