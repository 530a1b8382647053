package condition

import (
	"bytes"
	"cmp"
	"math"
	"strconv"
	"time"

	"github.com/shopspring/decimal"

	"sieb/core/value"
)

// Kind is what a Value is.
type Kind uint8

// The kinds. The zero Value is a missing one.
const (
	Missing Kind = iota
	Wrong        // not of its datatype; of a result: it could not be computed, and Text says why
	Truth
	Number
	Text
	Moment
)

// Value is a typed value of a row. Numbers of up to 18 digits and moments are held
// in Units; longer numbers, and texts, in Text.
type Value struct {
	Kind  Kind
	Scale uint8  // of a number that is held in Units: digits behind the point
	Long  bool   // a number that is held in Text
	Nanos int32  // of a moment
	Units int64  // of a number, times 10^Scale; of a moment seconds since 1970; of a truth 0 or 1
	Text  []byte // valid as long as what it was read from
}

// maxDigits is how many digits a number may have that is held in Units.
const maxDigits = 18

// Read reads a value in canonical form, as the judge of a column writes it, in the place of
// what was there; no text is no value.
func (v *Value) Read(d value.Datatype, text []byte) {
	switch {
	case len(text) == 0:
		v.Kind = Missing
	case d.IsNumber():
		if n, ok := value.ShortInteger(text); ok {
			v.SetWhole(n)
			return
		}
		*v = readNumber(text)
	case d == value.Boolean:
		*v = truthValue(text[0] == 't')
	case d.HasDay():
		*v = readMoment(text)
	default:
		v.Kind, v.Text = Text, text
	}
}

func truthValue(is bool) Value {
	if is {
		return Value{Kind: Truth, Units: 1}
	}
	return Value{Kind: Truth}
}

// Whole returns a whole number as a value.
func Whole(n int64) Value {
	if n > -1e18 && n < 1e18 {
		return Value{Kind: Number, Units: n}
	}
	return Value{Kind: Number, Long: true, Text: strconv.AppendInt(nil, n, 10)}
}

// SetWhole makes the value a whole number of up to 18 digits, and leaves alone what that does not need.
func (v *Value) SetWhole(n int64) { v.Kind, v.Scale, v.Long, v.Units = Number, 0, false, n }

// TextOf returns a text as a value.
func TextOf(text []byte) Value { return Value{Kind: Text, Text: text} }

// readNumber reads -?[0-9]+(\.[0-9]+)?, and what doubles have besides.
func readNumber(text []byte) Value {
	v := Value{Kind: Number}
	digits, point, isNegative := 0, -1, text[0] == '-'
	for i, c := range text {
		switch {
		case c-'0' < 10:
			if digits++; digits > maxDigits {
				return Value{Kind: Number, Long: true, Text: text}
			}
			v.Units = v.Units*10 + int64(c-'0')
		case c == '.' && point < 0:
			point = digits
		case i > 0 || !isNegative:
			if c == 'E' {
				return Value{Kind: Number, Long: true, Text: text}
			}
			return Value{Kind: Wrong} // INF and NaN are numbers of no arithmetic
		}
	}
	if digits == 0 {
		return Value{Kind: Wrong}
	}
	if point >= 0 {
		v.Scale = uint8(digits - point)
	}
	if isNegative {
		v.Units = -v.Units
	}
	return v
}

var dateTimes, _ = value.NewDateFormat(value.DateTime, "")
var dates, _ = value.NewDateFormat(value.Date, "")

func readMoment(text []byte) Value {
	if seconds, ok := readISO(text); ok {
		return Value{Kind: Moment, Units: seconds}
	}
	var t value.Instant
	f := dates
	if len(text) > len("2026-07-31") {
		f = dateTimes
	}
	if f.Parse(text, &t) != value.Matches {
		return Value{Kind: Wrong}
	}
	return Value{Kind: Moment, Units: t.Seconds(), Nanos: t.Nanos}
}

// readISO reads yyyy-MM-dd and yyyy-MM-ddTHH:mm:ss, which nearly all moments are; false for
// any other text. That the day is one of the calendar is known of what is canonical.
func readISO(text []byte) (seconds int64, ok bool) {
	if len(text) != 10 && (len(text) != 19 || text[10] != 'T' || text[13] != ':' || text[16] != ':') ||
		text[4] != '-' || text[7] != '-' {
		return 0, false
	}
	isDigits := true
	two := func(at int) int64 {
		tens, ones := text[at]-'0', text[at+1]-'0'
		isDigits = isDigits && tens < 10 && ones < 10
		return int64(tens)*10 + int64(ones)
	}
	day := value.Instant{Year: int32(two(0)*100 + two(2)), Month: uint8(two(5)), Day: uint8(two(8))}
	if !isDigits || day.Month < 1 || day.Month > 12 {
		return 0, false
	}
	seconds = day.Days() * 24 * 60 * 60
	if len(text) == 19 {
		seconds += two(11)*3600 + two(14)*60 + two(17)
	}
	return seconds, isDigits
}

func (v *Value) time() time.Time { return time.Unix(v.Units, int64(v.Nanos)).UTC() }

// MomentOf returns a time as a value.
func MomentOf(t time.Time) Value {
	return Value{Kind: Moment, Units: t.Unix(), Nanos: int32(t.Nanosecond())}
}

// Append appends a value as a cell in canonical form, without quotes. A moment of
// midnight is a date where asked for.
func (v *Value) Append(dst []byte, isDate bool) []byte {
	switch v.Kind {
	case Truth:
		return strconv.AppendBool(dst, v.Units != 0)
	case Number:
		return v.appendNumber(dst)
	case Moment:
		t := v.time()
		switch {
		case isDate && t.Hour() == 0 && t.Minute() == 0 && t.Second() == 0 && t.Nanosecond() == 0:
			return t.AppendFormat(dst, "2006-01-02")
		case v.Nanos == 0:
			return t.AppendFormat(dst, "2006-01-02T15:04:05")
		}
		return t.AppendFormat(dst, "2006-01-02T15:04:05.999999999")
	}
	return append(dst, v.Text...)
}

func (v *Value) appendNumber(dst []byte) []byte {
	if v.Long {
		return append(dst, v.Text...)
	}
	units, scale := v.Units, int(v.Scale)
	for scale > 0 && units%10 == 0 {
		units /= 10
		scale--
	}
	if units < 0 {
		dst, units = append(dst, '-'), -units
	}
	if scale == 0 {
		return strconv.AppendInt(dst, units, 10)
	}
	var digits [24]byte
	text := strconv.AppendInt(digits[:0], units, 10)
	if len(text) <= scale {
		dst = append(dst, '0', '.')
		for range scale - len(text) {
			dst = append(dst, '0')
		}
		return append(dst, text...)
	}
	dst = append(dst, text[:len(text)-scale]...)
	dst = append(dst, '.')
	return append(dst, text[len(text)-scale:]...)
}

// exactText writes a double of at most 15 digits as the decimal that was meant.
func exactText(f float64) (string, bool) {
	if math.IsInf(f, 0) || math.IsNaN(f) {
		return "", false
	}
	text := strconv.FormatFloat(f, 'f', -1, 64)
	digits := 0
	for _, c := range strconv.FormatFloat(f, 'e', -1, 64) {
		if c == 'e' {
			break
		}
		if c >= '0' && c <= '9' {
			digits++
		}
	}
	return text, digits <= 15
}

// Decimal returns a number as an exact decimal; zero for what is none.
func (v *Value) Decimal() decimal.Decimal {
	if v.Long {
		d, err := decimal.NewFromString(string(v.Text))
		if err != nil {
			return decimal.Decimal{}
		}
		return d
	}
	return decimal.New(v.Units, -int32(v.Scale))
}

// Compare orders two values of one column: numbers and moments by their size, texts byte by
// byte.
func (v *Value) Compare(w *Value) int {
	switch {
	case v.Kind == Text:
		return bytes.Compare(v.Text, w.Text)
	case v.Kind == Number && (v.Long || w.Long || v.Scale != w.Scale):
		a := v.Decimal()
		return a.Cmp(w.Decimal())
	}
	return cmp.Or(cmp.Compare(v.Units, w.Units), cmp.Compare(v.Nanos, w.Nanos))
}
