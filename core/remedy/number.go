package remedy

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"sieb/core/value"
	"sieb/core/workbook"
)

// plainNumbers reads numbers in canonical form, as the zero format does.
var plainNumbers value.NumberFormat

// read reads a cell of a kind as the column's numbers are written, or plainly where it is no
// text.
func (c *Column) read(cell []byte, kind workbook.Kind, n *value.Number) bool {
	f := &plainNumbers
	if kind == workbook.Text && c.Datatype.IsNumber() {
		f = &c.Number
	}
	return f.Parse(cell, n)
}

func (c *Column) point() byte {
	if c.Point == "," {
		return ','
	}
	return '.'
}

func makeNumber(r *Remedy, c *Column) (step, error) {
	isFraction := r.Texts["percent"] == "fraction"
	var n value.Number
	return step{writes: true, kind: workbook.Number, clean: func(dst, cell []byte, kind workbook.Kind) ([]byte, bool) {
		if kind != workbook.Text || c.Datatype.IsNumber() && c.Number.Parse(cell, &n) &&
			(c.Datatype != value.Integer || n.IsWhole()) {
			return cell, false
		}
		f := figure{point: c.point()}
		if !f.read(cell) {
			return cell, false
		}
		if f.percent && isFraction {
			f.exponent -= 2
		}
		out, ok := f.append(dst)
		if !ok {
			return cell, false
		}
		if c.Datatype.IsNumber() {
			return out, true // also where it is written so: the column would not have read it
		}
		return told(out, cell)
	}}, nil
}

// figure is a number as somebody wrote it, taken apart.
type figure struct {
	point    byte // the column's sign before decimals, which decides where nothing else does
	negative bool
	percent  bool
	whole    []byte
	frac     []byte
	exponent int
}

// currencies are the words for money that may stand beside a number.
var currencies = []string{"EUR", "USD", "GBP", "CHF", "PLN", "CZK", "DKK", "SEK", "NOK", "HUF", "JPY", "Kč", "zł", "kr",
	"Fr.", "Fr"}

// read takes a text apart; false where it is no number.
func (f *figure) read(cell []byte) bool {
	text, ok := f.strip(cell)
	if !ok {
		return false
	}
	if at := bytes.IndexAny(text, "eE"); at >= 0 {
		exponent, err := strconv.Atoi(strings.TrimPrefix(string(text[at+1:]), "+"))
		if err != nil || exponent > 40 || exponent < -40 {
			return false
		}
		f.exponent, text = exponent, text[:at]
	}
	return f.digits(text)
}

// strip takes sign, brackets, currency and percent sign off a text, each at most once.
func (f *figure) strip(cell []byte) (text []byte, ok bool) {
	text = bytes.TrimSpace(cell)
	signed, money := false, false
	for len(text) > 0 {
		before := len(text)
		first, size := utf8.DecodeRune(text)
		last, behind := utf8.DecodeLastRune(text)
		switch {
		case !signed && len(text) > 2 && first == '(' && last == ')':
			signed, f.negative, text = true, true, text[1:len(text)-1]
		case !signed && (first == '-' || first == '+' || first == 0x2212 || first == 0x2013):
			signed, f.negative, text = true, first != '+', text[size:]
		case !signed && (last == '-' || last == '+' || last == 0x2212):
			signed, f.negative, text = true, last != '+', text[:len(text)-behind]
		case !money && unicode.Is(unicode.Sc, first):
			money, text = true, text[size:]
		case !money && unicode.Is(unicode.Sc, last):
			money, text = true, text[:len(text)-behind]
		case !money && !f.percent && last == '%':
			f.percent, text = true, text[:len(text)-behind]
		case !money:
			text, money = stripWord(text)
		}
		if text = bytes.TrimSpace(text); len(text) == before {
			break
		}
	}
	return text, len(text) > 0
}

// stripWord takes a word for money off a text.
func stripWord(text []byte) ([]byte, bool) {
	for _, word := range currencies {
		if rest, is := bytes.CutPrefix(text, []byte(word)); is {
			return rest, true
		}
		if rest, is := bytes.CutSuffix(text, []byte(word)); is {
			return rest, true
		}
	}
	return text, false
}

// digits takes digits and the marks between them apart.
func (f *figure) digits(text []byte) bool {
	var groups [][]byte // of digits
	var marks []rune    // between them
	from := 0
	for i := 0; i < len(text); {
		r, n := utf8.DecodeRune(text[i:])
		switch {
		case r >= '0' && r <= '9':
		case r == '.' || r == ',' || r == '\'' || r == '’' || r == '_' || unicode.Is(unicode.Zs, r):
			if r != '.' && r != ',' && r != '’' && r != '_' && r != '\'' {
				r = ' '
			}
			groups, marks = append(groups, text[from:i]), append(marks, r)
			from = i + n
		default:
			return false
		}
		i += n
	}
	groups = append(groups, text[from:])
	if len(groups) > 1 && f.isDecimal(marks, groups) {
		f.frac = groups[len(groups)-1]
		groups, marks = groups[:len(groups)-1], marks[:len(marks)-1]
	}
	for i, mark := range marks {
		if mark != marks[0] || len(groups[i+1]) != 3 || i == 0 && (len(groups[0]) == 0 || len(groups[0]) > 3) {
			return false
		}
	}
	f.whole = bytes.Join(groups, nil)
	return len(f.whole)+len(f.frac) > 0
}

// isDecimal reports whether the last mark stands before decimals.
func (f *figure) isDecimal(marks []rune, groups [][]byte) bool {
	last := marks[len(marks)-1]
	if last != '.' && last != ',' {
		return false
	}
	if len(marks) > 1 {
		return last != marks[0] // otherwise it stands between thousands each time
	}
	behind, before := groups[1], groups[0]
	return byte(last) == f.point || len(behind) != 3 || len(before) == 0 || len(before) > 3 || before[0] == '0'
}

// append appends the number in canonical form; false where it has too many digits.
func (f *figure) append(dst []byte) ([]byte, bool) {
	const most = 60
	whole, frac := f.whole, f.frac
	if len(whole)+len(frac) > most {
		return dst, false
	}
	digits := append(append(make([]byte, 0, 2*most+4), whole...), frac...)
	point := len(whole) + f.exponent
	for point > len(digits) {
		digits = append(digits, '0')
	}
	for ; point < 1; point++ {
		digits = append([]byte{'0'}, digits...)
	}
	whole, frac = bytes.TrimLeft(digits[:point], "0"), digits[point:]
	if f.exponent != 0 || len(bytes.Trim(frac, "0")) == 0 {
		frac = bytes.TrimRight(frac, "0")
	}
	if f.negative && len(bytes.Trim(whole, "0"))+len(bytes.Trim(frac, "0")) > 0 {
		dst = append(dst, '-')
	}
	if len(whole) == 0 {
		whole = []byte("0")
	}
	dst = append(dst, whole...)
	if len(frac) > 0 {
		dst = append(append(dst, '.'), frac...)
	}
	return dst, true
}

func makeRound(r *Remedy, c *Column) (step, error) {
	digits := r.count("digits", 0)
	if digits > 30 {
		return step{}, fmt.Errorf("round: %d digits are more than 30", digits)
	}
	var n value.Number
	return step{writes: true, kind: workbook.Number, clean: func(dst, cell []byte, kind workbook.Kind) ([]byte, bool) {
		if !c.read(cell, kind, &n) || n.FractionDigits() <= digits {
			return cell, false
		}
		d, err := decimal.NewFromString(string(n.Canonical()))
		if err != nil {
			return cell, false
		}
		return told(append(dst, d.Round(int32(digits)).String()...), cell)
	}}, nil
}
