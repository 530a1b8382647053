package value

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"math"
	"strconv"
	"strings"
	"unsafe"
)

// Number is an integer or decimal of any length, exact. The zero Number is
// not a number until Parse has filled it; a Number may be reused.
type Number struct {
	text    []byte // canonical: -?(0|[1-9][0-9]*)(\.[0-9]+)?
	space   []byte // for text, which may also be the text that was parsed
	coef    int64  // the value times 10^frac, where small
	frac    int    // digits after the point in text
	integer int    // digits before the point in text; 0 for the single digit 0
	small   bool   // coef holds the value
	pointed bool   // there is a point in the text that was parsed
}

// Canonical returns the number's text with a point, without group characters,
// plus sign or leading zeros; digits after the point stay as delivered. It is
// valid until the next Parse, and as long as the text that was parsed.
func (n *Number) Canonical() []byte { return n.text }

// IntegerDigits counts the digits before the point, leading zeros left out.
func (n *Number) IntegerDigits() int { return n.integer }

// FractionDigits counts the digits after the point, zeros at the end left out.
func (n *Number) FractionDigits() int {
	k := n.frac
	for k > 0 && n.text[len(n.text)-1-(n.frac-k)] == '0' {
		k--
	}
	return k
}

// IsWhole reports whether the number was written as a whole one, without a point: neither 1.0 nor
// 1. is (XML Schema Part 2, 3.3.13).
func (n *Number) IsWhole() bool { return !n.pointed }

// Significant returns the canonical text without zeros at the end of the digits
// after the point: equal numbers have equal texts.
func (n *Number) Significant() []byte {
	keep := n.FractionDigits()
	text := n.text[:len(n.text)-(n.frac-keep)]
	if n.frac > 0 && keep == 0 {
		text = text[:len(text)-1]
	}
	return text
}

// CutZeros shortens the digits after the point to at most scale digits, as
// long as only zeros go.
func (n *Number) CutZeros(scale int) {
	for n.frac > scale && n.text[len(n.text)-1] == '0' {
		n.text = n.text[:len(n.text)-1]
		n.frac--
		n.coef /= 10
	}
	if n.frac == 0 && n.text[len(n.text)-1] == '.' {
		n.text = n.text[:len(n.text)-1]
	}
}

var pow10 = func() (p [19]int64) {
	p[0] = 1
	for i := 1; i < len(p); i++ {
		p[i] = p[i-1] * 10
	}
	return
}()

// Less reports whether n is smaller than m.
func (n *Number) Less(m *Number) bool {
	if n.small && m.small && n.frac == m.frac {
		return n.coef < m.coef
	}
	return n.Compare(m) < 0
}

// Compare orders two numbers by value: -1, 0 or +1.
func (n *Number) Compare(m *Number) int {
	if n.small && m.small {
		a, b := n.coef, m.coef
		fits := true
		switch d := n.frac - m.frac; {
		case d > 0:
			b, fits = scaled(b, d)
		case d < 0:
			a, fits = scaled(a, -d)
		}
		if fits {
			return cmp.Compare(a, b)
		}
	}
	return compareText(n.text, m.text)
}

func scaled(c int64, digits int) (int64, bool) {
	if digits >= len(pow10) {
		return 0, c == 0
	}
	limit := math.MaxInt64 / pow10[digits]
	if c > limit || c < -limit {
		return 0, false
	}
	return c * pow10[digits], true
}

func compareText(a, b []byte) int {
	negA, negB := a[0] == '-', b[0] == '-'
	if negA != negB {
		if negA {
			return -1
		}
		return 1
	}
	if negA {
		a, b = b[1:], a[1:]
	}
	intA, fracA, _ := bytes.Cut(a, []byte{'.'})
	intB, fracB, _ := bytes.Cut(b, []byte{'.'})
	if c := cmp.Compare(len(intA), len(intB)); c != 0 {
		return c
	}
	if c := bytes.Compare(intA, intB); c != 0 {
		return c
	}
	return bytes.Compare(bytes.TrimRight(fracA, "0"), bytes.TrimRight(fracB, "0"))
}

// NumberFormat says how numbers are written in a column. The zero
// NumberFormat is the plain one: a point, no group character, no pattern.
type NumberFormat struct {
	decimal, group string // "" stands for "." and none
	pattern        *numberPattern
}

// numberPattern is a compiled LDML number pattern such as #,##0.00 or 0.0%.
type numberPattern struct {
	text             string
	prefix, suffix   string
	minInt           int
	minFrac, maxFrac int
	groups           int // digits per group, 0 where the pattern has none
	shift            int // 2 for percent, 3 for per mille
	exponent         bool
	plus             bool // positive numbers may have a sign
}

// NewNumberFormat compiles a number format. decimalChar "" means ".", groupChar
// "" means that numbers have no groups, pattern "" allows every number. As in
// CSVW the pattern is written with the same decimalChar and groupChar.
func NewNumberFormat(decimalChar, groupChar, pattern string) (NumberFormat, error) {
	f := NumberFormat{decimal: decimalChar, group: groupChar}
	if f.decimal == "" {
		f.decimal = "."
	}
	if f.decimal == f.group {
		return f, fmt.Errorf("decimalChar and groupChar are both %q: a number could be read in two ways", f.decimal)
	}
	for _, mark := range []string{f.decimal, f.group} {
		if strings.ContainsAny(mark, "0123456789+-eE%") {
			return f, fmt.Errorf("%q cannot separate the parts of a number", mark)
		}
	}
	if pattern == "" {
		return f, nil
	}
	if f.group == "" && f.decimal != "," {
		f.group = ","
	}
	p, err := f.compile(pattern)
	f.pattern = p
	return f, err
}

func (f *NumberFormat) compile(pattern string) (*numberPattern, error) {
	p := &numberPattern{text: pattern}
	bad := func(why string) (*numberPattern, error) {
		return nil, fmt.Errorf("number pattern %q: %s", pattern, why)
	}
	digits := strings.TrimLeft(pattern, "+-%‰")
	p.prefix = pattern[:len(pattern)-len(digits)]
	body := strings.TrimRight(digits, "+-%‰")
	p.suffix = digits[len(body):]
	signs := p.prefix + p.suffix
	switch {
	case strings.Contains(signs, "%"):
		p.shift = 2
	case strings.Contains(signs, "‰"):
		p.shift = 3
	}
	p.plus = strings.Contains(p.prefix, "+")
	p.prefix = strings.Trim(p.prefix, "+-")
	if strings.ContainsAny(p.suffix, "+-") {
		return bad("a sign stands in front of the number")
	}
	if mantissa, exp, has := strings.Cut(body, "E"); has {
		if strings.Trim(strings.TrimPrefix(exp, "+"), "0#") != "" || exp == "" {
			return bad("after E come digits such as E0 or E+00")
		}
		p.exponent, body = true, mantissa
	}
	whole, frac, _ := strings.Cut(body, f.decimal)
	if f.group != "" {
		if i := strings.LastIndex(whole, f.group); i >= 0 {
			p.groups = len(whole) - i - len(f.group)
			whole = strings.ReplaceAll(whole, f.group, "")
			if p.groups == 0 {
				return bad("a group has no digits")
			}
		}
	}
	if strings.Trim(whole, "#0") != "" || strings.Trim(frac, "#0") != "" {
		return bad(fmt.Sprintf("it may hold # and 0, %q before the digits after the point, %q between groups, E, +, "+
			"-, %% and ‰", f.decimal, f.group))
	}
	p.minInt = strings.Count(whole, "0")
	p.minFrac, p.maxFrac = strings.Count(frac, "0"), len(frac)
	if strings.Contains(strings.TrimLeft(whole, "#"), "#") || strings.Contains(strings.TrimRight(frac, "#"), "#") {
		return bad("a 0 must not stand outside of a #")
	}
	if whole == "" && frac == "" {
		return bad("it has no digits")
	}
	return p, nil
}

// Parse reads a number exactly. It reports false where the text is not a
// number of this format; n then holds nothing of use.
func (f *NumberFormat) Parse(text []byte, n *Number) bool {
	if f.pattern == nil && f.parseShort(text, n) {
		return true
	}
	return f.parseAny(text, n)
}

// parseShort reads what nearly every number is: at most 18 digits and a
// decimal character of one byte, in canonical form otherwise. Then the text
// itself, or a copy with a point, is the canonical text. It returns false where
// it cannot tell.
func (f *NumberFormat) parseShort(text []byte, n *Number) bool {
	i := 0
	if len(text) > 0 && text[0] == '-' {
		i = 1
	}
	if len(text)-i == 0 || len(text)-i > 18 {
		return false
	}
	n.pointed = false
	if k, ok := ShortInteger(text); ok {
		n.text, n.coef, n.frac, n.integer, n.small = text, k, 0, len(text), true
		if text[0] == '0' {
			n.integer = 0
		}
		return true
	}
	point := byte('.')
	if len(f.decimal) == 1 {
		point = f.decimal[0]
	}
	first, at := i, -1
	coef := int64(0)
	for ; i < len(text); i++ {
		c := text[i]
		if c-'0' <= 9 {
			coef = coef*10 + int64(c-'0')
		} else if c == point && at < 0 && i > first {
			at = i
		} else {
			return false
		}
	}
	whole := len(text) - first
	n.frac, n.pointed = 0, at >= 0
	if at >= 0 {
		whole = at - first
		n.frac = len(text) - at - 1
	}
	if text[first] == '0' && whole > 1 || at == len(text)-1 || first == 1 && coef == 0 || len(f.decimal) > 1 {
		return false
	}
	n.integer = whole
	if text[first] == '0' {
		n.integer = 0
	}
	n.small = true
	if n.coef = coef; first == 1 {
		n.coef = -coef
	}
	if n.text = text; at >= 0 && point != '.' {
		n.space = append(n.space[:0], text...)
		n.space[at] = '.'
		n.text = n.space
	}
	return true
}

// ShortInteger reads a whole number of one to eight digits, without a sign or
// leading zeros, in one word. It returns false for every other text.
func ShortInteger(text []byte) (int64, bool) {
	k := len(text)
	if k-1 > 7 || k == 0 || cap(text) < 8 || text[0] == '0' && k > 1 {
		return 0, false
	}
	// The digits are moved to the top of the word and zeros put below them,
	// that is, in front of them.
	const zeros = 0x3030303030303030
	w := binary.LittleEndian.Uint64(text[:8])<<(64-8*k) | zeros>>(8*k)
	if w&0xF0F0F0F0F0F0F0F0 != zeros || (w+0x0606060606060606)&0xF0F0F0F0F0F0F0F0 != zeros {
		return 0, false
	}
	// Pairs of digits are joined, then pairs of pairs, then the two halves.
	w = (w & 0x0F0F0F0F0F0F0F0F) * (10<<8 + 1) >> 8
	w = (w & 0x00FF00FF00FF00FF) * (100<<16 + 1) >> 16
	w = (w & 0x0000FFFF0000FFFF) * (10000<<32 + 1) >> 32
	return int64(w), true
}

// Ceiling and Floor give the nearest whole numbers, cut to 64 bits.
func (n *Number) Ceiling() int64 {
	k := n.Floor()
	if n.FractionDigits() > 0 && k < math.MaxInt64 {
		k++
	}
	return k
}

func (n *Number) Floor() int64 {
	if !n.small {
		if n.text[0] == '-' {
			return math.MinInt64
		}
		return math.MaxInt64
	}
	unit := pow10[n.frac]
	k := n.coef / unit
	if n.coef%unit < 0 {
		k--
	}
	return k
}

func (f *NumberFormat) parseAny(text []byte, n *Number) bool {
	if f.pattern != nil {
		var ok bool
		if text, ok = f.pattern.strip(text); !ok {
			return false
		}
	}
	n.text, n.pointed = n.space[:0], false
	defer func() { n.space = n.text[:0] }()
	isNegative := false
	if len(text) > 0 && (text[0] == '-' || text[0] == '+') {
		if f.pattern != nil && text[0] == '+' && !f.pattern.plus {
			return false
		}
		if isNegative = text[0] == '-'; isNegative {
			n.text = append(n.text, '-')
		}
		text = text[1:]
	}
	whole, ok := f.readWhole(text, n)
	if !ok {
		return false
	}
	coef, ok := f.readFraction(text[whole.taken:], n, whole.coef)
	if !ok || whole.digits+n.frac == 0 {
		return false
	}
	n.small = n.integer+n.frac <= 18
	n.coef = int64(coef)
	if isNegative {
		n.coef = -n.coef
		if n.small && n.coef == 0 || !n.small && allZero(n.text[1:]) {
			n.text = append(n.text[:0], n.text[1:]...)
		}
	}
	if f.pattern == nil {
		return true
	}
	if !f.pattern.admits(whole, n.frac) {
		return false
	}
	n.shiftPoint(f.pattern.shift)
	return true
}

// wholePart is what was read of the digits before the point.
type wholePart struct {
	taken   int // bytes
	digits  int // leading zeros too
	grouped bool
	coef    uint64
}

// readWhole reads the digits before the point, perhaps in groups, and puts them into n.
func (f *NumberFormat) readWhole(text []byte, n *Number) (w wholePart, ok bool) {
	first, inGroup, groupSize := len(n.text), 0, 3
	if f.pattern != nil && f.pattern.groups > 0 {
		groupSize = f.pattern.groups
	}
	for w.taken < len(text) {
		c := text[w.taken]
		if c-'0' <= 9 {
			if c != '0' || len(n.text) > first {
				n.text = append(n.text, c)
				w.coef = w.coef*10 + uint64(c-'0')
			}
			w.digits++
			inGroup++
			w.taken++
			continue
		}
		if len(f.group) == 0 || !hasPrefix(text[w.taken:], f.group) {
			break
		}
		if inGroup == 0 || inGroup > groupSize || w.grouped && inGroup != groupSize {
			return w, false
		}
		w.grouped, inGroup = true, 0
		w.taken += len(f.group)
	}
	if w.grouped && (inGroup != groupSize || text[0] == '0') {
		return w, false // no number in groups begins with a zero: 0.500 is no five hundred
	}
	if n.integer = len(n.text) - first; n.integer == 0 {
		n.text = append(n.text, '0')
	}
	return w, true
}

// readFraction reads the point and the digits behind it, to the end of the text, and puts
// them into n. coef is that of the digits before the point.
func (f *NumberFormat) readFraction(text []byte, n *Number, coef uint64) (uint64, bool) {
	n.frac = 0
	if len(text) == 0 {
		return coef, true
	}
	point := f.decimal
	if point == "" {
		point = "."
	}
	if !hasPrefix(text, point) {
		return coef, false
	}
	n.pointed = true
	text = text[len(point):]
	if len(text) == 0 {
		return coef, true // a point behind which nothing stands
	}
	n.text = append(n.text, '.')
	for _, c := range text {
		if c-'0' > 9 {
			return coef, false
		}
		n.text = append(n.text, c)
		coef = coef*10 + uint64(c-'0')
	}
	n.frac = len(text)
	return coef, true
}

// admits reports whether so many digits, grouped or not, are as the pattern says.
func (p *numberPattern) admits(w wholePart, frac int) bool {
	switch {
	case w.digits < p.minInt || frac < p.minFrac || frac > p.maxFrac || p.exponent:
		return false
	case p.groups > 0:
		return w.grouped || w.digits <= p.groups
	}
	return !w.grouped
}

func allZero(text []byte) bool {
	for _, c := range text {
		if c != '0' && c != '.' {
			return false
		}
	}
	return true
}

func hasPrefix(text []byte, prefix string) bool {
	return len(text) >= len(prefix) && string(text[:len(prefix)]) == prefix
}

// strip takes off what stands around the number, percent signs mostly.
func (p *numberPattern) strip(text []byte) ([]byte, bool) {
	if p.prefix == "" && p.suffix == "" {
		return text, true
	}
	if !hasPrefix(text, p.prefix) {
		return nil, false
	}
	text = text[len(p.prefix):]
	if !bytes.HasSuffix(text, []byte(p.suffix)) {
		return nil, false
	}
	return text[:len(text)-len(p.suffix)], true
}

// shiftPoint divides by 10^k by moving the point in the text.
func (n *Number) shiftPoint(k int) {
	if k == 0 {
		return
	}
	sign := ""
	digits := string(n.text)
	if digits[0] == '-' {
		sign, digits = "-", digits[1:]
	}
	whole, frac, _ := strings.Cut(digits, ".")
	for len(whole) <= k {
		whole = "0" + whole
	}
	cut := len(whole) - k
	whole, frac = whole[:cut], whole[cut:]+frac
	n.text = append(append(append(append(n.text[:0], sign...), whole...), '.'), frac...)
	n.frac, n.pointed = len(frac), true
	n.integer = len(whole)
	if whole == "0" {
		n.integer = 0
	}
	n.small = n.integer+n.frac <= 18
}

// ParseDouble reads an IEEE 754 double (XML Schema double: also NaN, INF and
// -INF) and appends its canonical text to dst. n is scratch space.
func (f *NumberFormat) ParseDouble(text []byte, n *Number, dst []byte) (d float64, canonical []byte, ok bool) {
	// Up to 15 digits every decimal is the shortest text of its double, and
	// the quotient of two exact doubles is the nearest double (Clinger, "How
	// to Read Floating Point Numbers Accurately", 1990).
	if f.pattern == nil && len(text) <= 16 && f.parseShort(text, n) && n.integer+n.frac <= 15 {
		d = float64(n.coef) / float64(pow10[n.frac])
		if a := math.Abs(d); a >= 1e-6 {
			return d, append(dst, n.Significant()...), true
		}
		return d, AppendDouble(dst, d), true
	}
	switch string(text) {
	case "NaN":
		d = math.NaN()
	case "INF", "+INF":
		d = math.Inf(1)
	case "-INF":
		d = math.Inf(-1)
	default:
		if d, ok = f.parseFloat(text, n); !ok {
			return 0, dst, false
		}
	}
	return d, AppendDouble(dst, d), true
}

func (f *NumberFormat) parseFloat(text []byte, n *Number) (float64, bool) {
	p := f.pattern
	if p == nil || p.exponent {
		shift := 0
		if p != nil {
			var ok bool
			if text, ok = p.strip(text); !ok {
				return 0, false
			}
			shift = p.shift
		}
		mantissa, exponent := text, []byte(nil)
		if i := bytes.IndexAny(text, "eE"); i >= 0 {
			mantissa, exponent = text[:i], text[i:]
		}
		plain := NumberFormat{decimal: f.decimal, group: f.group}
		if !plain.parseAny(mantissa, n) || p != nil && (exponent == nil || mantissa[0] == '+' && !p.plus ||
			n.frac < p.minFrac || n.frac > p.maxFrac) {
			return 0, false
		}
		n.text = append(n.text, exponent...)
		d, err := strconv.ParseFloat(unsafe.String(unsafe.SliceData(n.text), len(n.text)), 64)
		return d / float64(pow10[shift]), err == nil
	}
	if !f.parseAny(text, n) {
		return 0, false
	}
	d, err := strconv.ParseFloat(unsafe.String(unsafe.SliceData(n.text), len(n.text)), 64)
	return d, err == nil
}

// AppendDouble appends a double's canonical text: the shortest that reads
// back as the same double; NaN, INF and -INF as in XML Schema.
func AppendDouble(dst []byte, d float64) []byte {
	switch {
	case math.IsNaN(d):
		return append(dst, "NaN"...)
	case math.IsInf(d, 1):
		return append(dst, "INF"...)
	case math.IsInf(d, -1):
		return append(dst, "-INF"...)
	case d == 0:
		return append(dst, '0')
	}
	if a := math.Abs(d); a >= 1e-6 && a < 1e21 {
		return strconv.AppendFloat(dst, d, 'f', -1, 64)
	}
	return strconv.AppendFloat(dst, d, 'E', -1, 64)
}
