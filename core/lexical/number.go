package lexical

import (
	"bytes"
	"math"
	"math/big"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Number is how a number is written.
type Number struct {
	Decimal  byte // what stands before the digits after the point: '.' or ','; 0 for nothing
	Group    byte // what stands between thousands: '.', ',', '\'' or ' ' (any blank); 0 for nothing
	Unsure   bool // Decimal may as well be the Group: 1,234
	Sign     Sign
	Percent  bool
	Currency bool
	Zeros    bool // zeros in front that a number would lose: 00745

	Coef  int64 // all digits as one number, with the sign; where there are at most 18
	Whole int   // digits before the point, zeros in front included
	Frac  int   // digits after the point
}

// Sign is how a number's sign is written.
type Sign uint8

// The signs.
const (
	Unsigned Sign = iota
	Minus
	Plus
	Behind // 12.50-
)

// IsShort reports whether Coef holds the digits.
func (n *Number) IsShort() bool { return n.Whole+n.Frac <= 18 }

// IsNought reports whether the digits after the point are all 0, as in 178.0.
func (n *Number) IsNought() bool {
	return n.Frac > 0 && n.IsShort() && n.Coef%int64(pow10[n.Frac]) == 0
}

// WithGroup takes the unsure character of a number for a group character.
func (n *Number) WithGroup() {
	n.Group, n.Decimal, n.Unsure = n.Decimal, 0, false
	n.Whole, n.Frac = n.Whole+n.Frac, 0
}

// Value returns a short number's value, rounded to a double.
func (n *Number) Value() float64 { return float64(n.Coef) / pow10[n.Frac] }

var pow10 = func() (p [19]float64) {
	for i := range p {
		p[i] = math.Pow10(i)
	}
	return p
}()

// currencies are the signs and codes that stand before or behind amounts.
var currencies = []string{"€", "$", "£", "¥", "EUR", "USD", "CHF", "GBP", "kr", "zł"}

var currencyStarts = func() (starts [256]bool) {
	for _, c := range currencies {
		starts[c[0]] = true
	}
	return starts
}()

func hasCurrency(text []byte) bool {
	if !currencyStarts[text[0]] {
		return false
	}
	for _, c := range currencies {
		if bytes.HasPrefix(text, []byte(c)) {
			return true
		}
	}
	return false
}

// strip cuts signs, percent and currency off a number, and the blanks beside
// them. What is left begins with a digit, a point or a comma.
func (n *Number) strip(text []byte) []byte {
	digits := func() bool {
		return len(text) > 0 && (text[0]-'0' <= 9 || text[0] == '.' || text[0] == ',') && text[len(text)-1]-'0' <= 9
	}
	for !digits() {
		rest := text
		switch {
		case len(text) == 0:
			return nil
		case n.Sign == Unsigned && text[0] == '-':
			n.Sign, rest = Minus, text[1:]
		case n.Sign == Unsigned && bytes.HasPrefix(text, []byte("−")): // U+2212
			n.Sign, rest = Minus, text[len("−"):]
		case n.Sign == Unsigned && text[0] == '+':
			n.Sign, rest = Plus, text[1:]
		case n.Sign == Unsigned && text[len(text)-1] == '-':
			n.Sign, rest = Behind, text[:len(text)-1]
		case !n.Percent && text[len(text)-1] == '%':
			n.Percent, rest = true, text[:len(text)-1]
		case !n.Percent && text[0] == '%':
			n.Percent, rest = true, text[1:]
		case !n.Currency:
			for _, c := range currencies {
				if cut, ok := bytes.CutPrefix(text, []byte(c)); ok {
					n.Currency, rest = true, cut
				} else if cut, ok := bytes.CutSuffix(text, []byte(c)); ok {
					n.Currency, rest = true, cut
				}
			}
		}
		if len(rest) == len(text) {
			return text
		}
		text = Trim(rest)
	}
	return text
}

// readNumber reads a number however it is written; false where the text is none.
func (f *Form) readNumber(text []byte) bool {
	n := &f.Number
	if text[0]-'0' > 9 || text[len(text)-1]-'0' > 9 {
		if text = n.strip(text); len(text) == 0 {
			*n = Number{}
			return false
		}
	}
	if !n.readDigits(text) {
		exponent := max(bytes.IndexByte(text, 'e'), bytes.IndexByte(text, 'E'))
		if exponent <= 0 || !n.readDigits(text[:exponent]) || !isExponent(text[exponent+1:]) || n.Group != 0 {
			*n = Number{}
			return false
		}
		f.Kind, n.Unsure = Double, false
		return true
	}
	f.Kind = Integer
	if n.Decimal != 0 {
		f.Kind = Decimal
	}
	if n.Sign == Minus || n.Sign == Behind {
		n.Coef = -n.Coef
	}
	// What is written like +4989123456 is a telephone number.
	if n.Sign == Plus && n.Decimal == 0 && n.Whole >= 8 {
		*f = Form{}
		return true
	}
	return true
}

func isExponent(text []byte) bool {
	if len(text) > 0 && (text[0] == '+' || text[0] == '-') {
		text = text[1:]
	}
	for _, c := range text {
		if c-'0' > 9 {
			return false
		}
	}
	return len(text) > 0 && len(text) <= 3
}

// readDigits reads digits with what separates them.
func (n *Number) readDigits(text []byte) bool {
	coef, run := int64(0), 0
	var seps [2]byte // the separators, in the order in which they came
	var counts [2]int
	k := -1 // of the last separator
	first := 0
	even := true // all groups so far have three digits
	for i := 0; i < len(text); {
		c := text[i]
		if d := c - '0'; d <= 9 {
			coef = coef*10 + int64(d)
			run++
			i++
			continue
		}
		size := 1
		switch {
		case c == '.' || c == ',' || c == '\'' || c == ' ':
		case c >= utf8.RuneSelf:
			r, w := utf8.DecodeRune(text[i:])
			switch r {
			case '\u2019':
				c = '\''
			case '\u00A0', '\u202F', '\u2009':
				c = ' '
			default:
				return false
			}
			size = w
		default:
			return false
		}
		switch {
		case k < 0:
			k, first = 0, run
			seps[0] = c
		case c == seps[k] && k == 0:
			even = even && run == 3
		case k == 0:
			even = even && run == 3
			k = 1
			seps[1] = c
		default:
			return false // a third, or a group behind the point
		}
		counts[k]++
		n.Whole += run
		run = 0
		i += size
	}
	isPoint := func(c byte) bool { return c == '.' || c == ',' }
	switch {
	case k < 0:
		n.Whole = run
	case k == 1: // groups, then a point
		if counts[1] > 1 || !isPoint(seps[1]) || !even || first == 0 || first > 3 || run == 0 {
			return false
		}
		n.Group, n.Decimal, n.Frac = seps[0], seps[1], run
	case counts[0] > 1 || !isPoint(seps[0]): // groups alone
		if !even || run != 3 || first == 0 || first > 3 {
			return false
		}
		n.Group, n.Whole = seps[0], n.Whole+run
	default:
		if run == 0 && first == 0 {
			return false
		}
		n.Decimal, n.Frac = seps[0], run
		n.Unsure = run == 3 && first >= 1 && first <= 3 && text[0] != '0'
	}
	if n.Whole+n.Frac == 0 {
		return false
	}
	n.Coef = coef
	n.Zeros = n.Whole > 1 && text[0] == '0'
	return true
}

// again takes the digits of a number from a text that has them where the text before
// had its own; false where digits may tell more than the number's value: as zeros in
// front, as three behind what may be a group's character, as eight that may be a day.
func (n *Number) again(text []byte) bool {
	if n.Sign != Unsigned || n.Group != 0 || n.Unsure || n.Percent || n.Currency || n.Zeros || n.Frac == 3 ||
		n.Whole == 8 || !n.IsShort() || text[0] == '0' {
		return false
	}
	coef := int64(0)
	for _, c := range text {
		if d := c - '0'; d <= 9 {
			coef = coef*10 + int64(d)
		}
	}
	n.Coef = coef
	return true
}

// Big returns the exact value of a number of any length, or with an exponent,
// from the text that the form was read from.
func (f *Form) Big(text []byte) (*big.Rat, bool) {
	var plain Number
	digits := plain.strip(text)
	var b strings.Builder
	if f.Sign == Minus || f.Sign == Behind {
		b.WriteByte('-')
	}
	for _, c := range digits {
		switch {
		case c-'0' <= 9 || c == 'e' || c == 'E' || c == '+' || c == '-':
			b.WriteByte(c)
		case c == f.Decimal && c != 0:
			b.WriteByte('.')
		}
	}
	return new(big.Rat).SetString(b.String())
}

// Float returns the value of a number rounded to a double, from its text.
func (f *Form) Float(text []byte) float64 {
	if f.Kind != Double && f.IsShort() {
		return f.Value()
	}
	if f.Kind == Double && f.Decimal != ',' && f.Sign != Behind && !f.Percent && !f.Currency {
		if d, err := strconv.ParseFloat(string(text), 64); err == nil {
			return d
		}
	}
	r, ok := f.Big(text)
	if !ok {
		return math.NaN()
	}
	d, _ := r.Float64()
	return d
}
