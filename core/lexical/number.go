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
	var g groups
	coef := int64(0)
	for i := 0; i < len(text); {
		if d := text[i] - '0'; d <= 9 {
			coef = coef*10 + int64(d)
			g.run++
			i++
			continue
		}
		c, size := betweenDigits(text[i:])
		if size == 0 || !g.add(c) {
			return false
		}
		i += size
	}
	if !n.takeGroups(&g, text) || n.Whole+n.Frac == 0 {
		return false
	}
	n.Coef = coef
	n.Zeros = n.Whole > 1 && text[0] == '0'
	return true
}

// betweenDigits reads what may stand between digits, in its plain form; 0 bytes for anything
// else.
func betweenDigits(text []byte) (c byte, size int) {
	switch c = text[0]; {
	case c == '.' || c == ',' || c == '\'' || c == ' ':
		return c, 1
	case c < utf8.RuneSelf:
		return 0, 0
	}
	switch r, size := utf8.DecodeRune(text); r {
	case '\u2019':
		return '\'', size
	case '\u00A0', '\u202F', '\u2009':
		return ' ', size
	}
	return 0, 0
}

// groups are the runs of digits of a number and what stands between them.
type groups struct {
	seps   [2]byte // the separators, in the order in which they came
	counts [2]int
	kinds  int  // of separators
	first  int  // digits of the first run
	whole  int  // digits of all runs but the last
	run    int  // digits of the run at hand
	uneven bool // a run between two separators has not three digits
}

// add ends a run with a separator; false where there are too many kinds of them.
func (g *groups) add(c byte) bool {
	switch {
	case g.kinds == 0:
		g.kinds, g.first, g.seps[0] = 1, g.run, c
	case g.kinds == 1:
		g.uneven = g.uneven || g.run != 3
		if c != g.seps[0] {
			g.kinds, g.seps[1] = 2, c
		}
	default:
		return false // a third, or a group behind the point
	}
	g.counts[g.kinds-1]++
	g.whole += g.run
	g.run = 0
	return true
}

func isPoint(c byte) bool { return c == '.' || c == ',' }

// takeGroups tells which separator groups the digits and which stands before decimals.
func (n *Number) takeGroups(g *groups, text []byte) bool {
	isGrouped := !g.uneven && g.first >= 1 && g.first <= 3
	switch {
	case g.kinds == 0:
		n.Whole = g.run
	case g.kinds == 2: // groups, then a point
		if g.counts[1] > 1 || !isPoint(g.seps[1]) || !isGrouped || g.run == 0 {
			return false
		}
		n.Group, n.Decimal, n.Whole, n.Frac = g.seps[0], g.seps[1], g.whole, g.run
	case g.counts[0] > 1 || !isPoint(g.seps[0]): // groups alone
		if !isGrouped || g.run != 3 {
			return false
		}
		n.Group, n.Whole = g.seps[0], g.whole+g.run
	default:
		if g.run == 0 && g.first == 0 {
			return false
		}
		n.Decimal, n.Whole, n.Frac = g.seps[0], g.whole, g.run
		n.Unsure = g.run == 3 && g.first >= 1 && g.first <= 3 && text[0] != '0'
	}
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
