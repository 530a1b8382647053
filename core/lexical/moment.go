package lexical

import "sieb/core/value"

// Moment is how a date, a time or both are written.
type Moment struct {
	Order  Order
	Sep    byte // between the parts of the date
	Sep2   byte // where a month's name is one: between the second and the third
	Short  bool // the year has two digits
	Padded bool // day and month have two digits, beside a name the day
	Clock  Clock
	Join   byte // between date and time: ' ' or 'T'
	Zone   Zone
	Half   Half
	Loose  bool // the hour has one digit

	// The parts as numbers. Of a date whose order is unsure A comes before B.
	Year, A, B                  int
	Hour, Minute, Second, Nanos int
	Offset                      int // minutes east of UTC
}

// Order is the order of a date's parts.
type Order uint8

// The orders.
const (
	NoDate  Order = iota
	YearAB        // 2026-07-06: A is the month
	ABYear        // 06/07/2026: A is the day or the month
	Compact       // 20260706

	// With the name of the month the order is sure: A is the month, B the day.
	DayNameYear // 6 Jul 2026
	NameDayYear // July 6, 2026
	YearNameDay // 2026-Jul-06
)

// What stands between parts beside one character: a blank behind a point (6. Juli) or
// a comma (July 6, 2026).
const (
	pointBlank = 'p'
	commaBlank = 'c'
)

func separatorText(sep byte) string {
	switch sep {
	case 0:
		return ""
	case pointBlank:
		return ". "
	case commaBlank:
		return ", "
	}
	return string(sep)
}

// separator tells what stands between two parts of a date with a month's name;
// nothing may.
func separator(text []byte) (sep byte, size int) {
	switch {
	case len(text) < 2:
	case text[0] == '.' && text[1] == ' ':
		return pointBlank, 2
	case text[0] == ',' && text[1] == ' ':
		return commaBlank, 2
	case text[0] == ' ' || text[0] == '-' || text[0] == '/' || text[0] == '.':
		return text[0], 1
	}
	return 0, 0
}

// Clock is how the time of day is written.
type Clock uint8

// The clocks.
const (
	NoClock  Clock = iota
	Minutes        // 06:18
	Seconds        // 06:18:00
	Fraction       // 06:18:00.250
)

// Zone is how the offset from UTC is written.
type Zone uint8

// The zones.
const (
	NoZone Zone = iota
	Z           // Z
	Hours       // +02
	Joined      // +0200
	Colon       // +02:00
)

// Half is how AM and PM are written.
type Half uint8

// The halves.
const (
	NoHalf Half = iota
	Tight       // 6:18AM
	Spaced      // 6:18 AM
)

// number reads up to most digits.
func number(text []byte, most int) (n, size int) {
	for size < len(text) && size < most && text[size]-'0' <= 9 {
		n = n*10 + int(text[size]-'0')
		size++
	}
	return n, size
}

// readMoment reads a date, a time, or both; false where the text is neither.
func (f *Form) readMoment(text []byte) bool {
	m := &f.Moment
	a, la := number(text, 4)
	if la == len(text) || la == 0 {
		return false
	}
	if next := text[min(la+1, len(text)-1)]; next-'0' > 9 && next != ':' {
		if f.readNamed(text) {
			return true
		}
	}
	if text[la] == ':' {
		if m.readClock(text) {
			f.Kind = Time
			return true
		}
		*m = Moment{}
		return false
	}
	m.Sep = text[la]
	if m.Sep != '-' && m.Sep != '.' && m.Sep != '/' {
		*m = Moment{}
		return false
	}
	rest := text[la+1:]
	b, lb := number(rest, 2)
	if lb == 0 || lb == len(rest) || rest[lb] != m.Sep {
		*m = Moment{}
		return false
	}
	rest = rest[lb+1:]
	c, lc := number(rest, 4)
	switch {
	case la == 4 && (lc == 1 || lc == 2):
		m.Order, m.Year, m.A, m.B, m.Padded = YearAB, a, b, c, lb == 2 && lc == 2
	case la <= 2 && (lc == 4 || lc == 2):
		m.Order, m.A, m.B, m.Year, m.Padded = ABYear, a, b, c, la == 2 && lb == 2
		m.Short = lc == 2
	default:
		*m = Moment{}
		return false
	}
	if rest = rest[lc:]; len(rest) > 0 {
		if rest[0] != ' ' && rest[0] != 'T' || !m.readClock(rest[1:]) {
			*m = Moment{}
			return false
		}
		m.Join = rest[0]
	}
	f.Kind = Date
	if m.Clock != NoClock {
		f.Kind = DateTime
	}
	if m.Year == 0 && m.A == 0 && m.B == 0 {
		f.Kind = Placeholder
	}
	return true
}

// readNamed reads a date with a month's name, and perhaps a time; false where the
// text is none.
func (f *Form) readNamed(text []byte) bool {
	var numbers, widths [2]int
	var seps [2]byte
	name, n, month := -1, 0, 0
	rest := text
	for part := range 3 {
		if part > 0 {
			var size int
			seps[part-1], size = separator(rest)
			rest = rest[size:]
		}
		if len(rest) > 0 && rest[0]-'0' <= 9 && n < 2 {
			numbers[n], widths[n] = number(rest, 4)
			rest = rest[widths[n]:]
			n++
			continue
		}
		var size int
		if month, size = value.MonthName(rest); month == 0 || name >= 0 {
			return false
		}
		name, rest = part, rest[size:]
	}
	year, day := 1, 0
	order := []Order{NameDayYear, DayNameYear, NoDate}[name]
	if order == DayNameYear && widths[0] == 4 {
		order, year, day = YearNameDay, 0, 1
	}
	if order == NoDate || widths[day] > 2 || widths[year] != 4 && (widths[year] != 2 || order == YearNameDay) {
		return false
	}
	m := Moment{Order: order, Sep: seps[0], Sep2: seps[1], Padded: widths[day] == 2, Short: widths[year] == 2,
		Year: numbers[year], A: month, B: numbers[day]}
	kind := Date
	if len(rest) > 0 {
		if rest[0] != ' ' && rest[0] != 'T' || !m.readClock(rest[1:]) {
			return false
		}
		m.Join, kind = rest[0], DateTime
	}
	f.Moment, f.Kind = m, kind
	return true
}

// again takes the parts of a moment from a text that has its digits where the text
// before had them; false where the parts do not have their usual widths.
func (m *Moment) again(text []byte) bool {
	two := func(at int) int { return int(text[at])*10 + int(text[at+1]) - '0'*11 }
	if !m.Padded || m.Short || m.Loose || m.Zone > Z || m.Half != NoHalf || m.Clock == Fraction {
		return false
	}
	const clock = len("2026-07-06T")
	var year, a, b int
	switch m.Order {
	case YearAB:
		year, a, b = two(0)*100+two(2), two(5), two(8)
	case ABYear:
		year, a, b = two(6)*100+two(8), two(0), two(3)
	default:
		return false
	}
	if year == 0 {
		return false // perhaps a placeholder
	}
	m.Year, m.A, m.B = year, a, b
	if m.Clock != NoClock {
		m.Hour, m.Minute = two(clock), two(clock+3)
	}
	if m.Clock == Seconds {
		m.Second = two(clock + 6)
	}
	return true
}

// readClock reads a time of day up to the end of the text.
func (m *Moment) readClock(text []byte) bool {
	two := func() (n int, ok bool) {
		n, size := number(text, 2)
		text = text[size:]
		return n, size == 2
	}
	hour, size := number(text, 2)
	if size == 0 || size == len(text) || text[size] != ':' {
		return false
	}
	m.Hour, m.Loose, text = hour, size == 1, text[size+1:]
	var ok bool
	if m.Minute, ok = two(); !ok {
		return false
	}
	m.Clock = Minutes
	if len(text) > 0 && text[0] == ':' {
		text = text[1:]
		if m.Second, ok = two(); !ok {
			return false
		}
		m.Clock = Seconds
		if len(text) > 1 && (text[0] == '.' || text[0] == ',') {
			n, size := number(text[1:], 9)
			if size == 0 {
				return false
			}
			for range 9 - size {
				n *= 10
			}
			m.Nanos, m.Clock, text = n, Fraction, text[1+size:]
		}
	}
	if rest := text; len(rest) >= 2 {
		half := Tight
		if rest[0] == ' ' {
			half, rest = Spaced, rest[1:]
		}
		if len(rest) == 2 && rest[1]|0x20 == 'm' && (rest[0]|0x20 == 'a' || rest[0]|0x20 == 'p') {
			m.Half = half
			if m.Hour %= 12; rest[0]|0x20 == 'p' {
				m.Hour += 12
			}
			return true
		}
	}
	return len(text) == 0 || m.readZone(text)
}

func (m *Moment) readZone(text []byte) bool {
	if string(text) == "Z" {
		m.Zone = Z
		return true
	}
	if text[0] != '+' && text[0] != '-' {
		return false
	}
	hours, size := number(text[1:], 2)
	if size != 2 {
		return false
	}
	rest := text[3:]
	minutes := 0
	switch {
	case len(rest) == 0:
		m.Zone = Hours
	case len(rest) == 2:
		m.Zone = Joined
	case len(rest) == 3 && rest[0] == ':':
		m.Zone, rest = Colon, rest[1:]
	default:
		return false
	}
	if len(rest) == 2 {
		if minutes, size = number(rest, 2); size != 2 {
			return false
		}
	}
	if m.Offset = hours*60 + minutes; text[0] == '-' {
		m.Offset = -m.Offset
	}
	return hours <= 14 && minutes <= 59
}

// Millis returns the instant in milliseconds since 1970 in UTC, with the month
// first or not where the order leaves it open; false where no calendar or clock
// has it. Years of two digits mean 2000 to 2068 and 1969 to 1999 (POSIX).
func (m *Moment) Millis(monthFirst bool) (int64, bool) {
	year, month, day := m.Year, m.A, m.B
	if m.Order == ABYear && !monthFirst {
		month, day = m.B, m.A
	}
	if m.Short {
		if year += 1900; year < 1969 {
			year += 100
		}
	}
	if year < 1 || month < 1 || month > 12 || day < 1 || day > 31 || m.Hour > 23 || m.Minute > 59 || m.Second > 59 {
		return 0, false
	}
	at := value.Instant{Year: int32(year), Month: uint8(month), Day: uint8(day)}
	if !at.IsValid() {
		return 0, false
	}
	minutes := (at.Days()*24+int64(m.Hour))*60 + int64(m.Minute-m.Offset)
	return (minutes*60+int64(m.Second))*1000 + int64(m.Nanos/1e6), true
}

// ReadCompact reads eight digits as year, month and day; false where no
// calendar has such a day between 1900 and 2099.
func (f *Form) ReadCompact() bool {
	if f.Kind != Integer || f.Whole != 8 || f.Sign != Unsigned || f.Group != 0 || f.Percent || f.Currency {
		return false
	}
	n := int(f.Coef)
	m := Moment{Order: Compact, Padded: true, Year: n / 10000, A: n / 100 % 100, B: n % 100}
	if _, ok := m.Millis(false); !ok || m.Year < 1900 || m.Year > 2099 {
		return false
	}
	f.Moment, f.Kind = m, Date
	return true
}

// Pattern returns the LDML pattern by which a moment of this form is read.
func (m *Moment) Pattern(monthFirst bool) string {
	day, month, year := "dd", "MM", "yyyy"
	if !m.Padded {
		day, month = "d", "M"
	}
	if m.Short {
		year = "yy"
	}
	sep, sep2 := separatorText(m.Sep), separatorText(m.Sep2)
	var p string
	switch {
	case m.Order == DayNameYear:
		p = day + sep + "MMM" + sep2 + year
	case m.Order == NameDayYear:
		p = "MMM" + sep + day + sep2 + year
	case m.Order == YearNameDay:
		p = year + sep + "MMM" + sep2 + day
	case m.Order == Compact:
		p = "yyyyMMdd"
	case m.Order == YearAB:
		p = year + sep + month + sep + day
	case m.Order == ABYear && monthFirst:
		p = month + sep + day + sep + year
	case m.Order == ABYear:
		p = day + sep + month + sep + year
	}
	if m.Clock == NoClock {
		return p
	}
	if m.Join != 0 {
		p += string(m.Join)
	}
	hour := "HH"
	switch {
	case m.Half != NoHalf:
		hour = "h"
	case m.Loose:
		hour = "H"
	}
	p += hour + ":mm" + []string{"", "", ":ss", ":ss.S"}[m.Clock]
	p += []string{"", "a", " a"}[m.Half]
	return p + []string{"", "X", "X", "XX", "XXX"}[m.Zone]
}
