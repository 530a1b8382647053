package typing

import (
	"sieb/core/lexical"
	"sieb/core/value"
)

// signs count the signs in the numbers of a column: those before decimals and between
// thousands that are sure, and those of which one number does not tell which they are.
type signs struct {
	decimal, group, unsure map[byte]int64
}

// isPlain reports whether a form is of numbers that a target's formats read.
func (k FormKey) isPlain() bool { return k.Kind.IsNumber() && k.Extra == NoExtra }

// concludeNumbers concludes how a column of numbers is read; the zero Reading where it is
// none. enough and some tell whether so many values are most of them, or more than strays.
func (f Forms) concludeNumbers(enough, some func(int64) bool, h Hints) (t Reading) {
	if f.namesThings() {
		return t
	}
	s := f.signs()
	decimal := s.settleDecimal(h)
	if len(s.unsure) > 0 {
		decimal = s.settleUnsure(&t, f, decimal, h)
	}
	if decimal != 0 {
		t.DecimalChar = string(rune(decimal))
	}
	if g := most(s.group); g != 0 && g != decimal {
		t.GroupChar = string(rune(g))
	}
	if t.Datatype = f.numberType(&t, enough, some); t.Datatype == value.String {
		return Reading{}
	}
	if t.Datatype == value.Integer {
		t.DecimalChar = ""
		if t.GroupChar == "." {
			t.DecimalChar = ","
		}
	}
	var err error
	if t.Numbers, err = value.NewNumberFormat(t.DecimalChar, t.GroupChar, ""); err != nil {
		return Reading{}
	}
	return t
}

// namesThings reports whether the numbers only name something: zeros in front of them would
// be lost.
func (f Forms) namesThings() bool {
	zeros := f.Count(func(k FormKey) bool { return k.Kind == lexical.Integer && k.Zeros && k.Extra == NoExtra })
	return zeros > 0 && 100*zeros >= f.Count(FormKey.isPlain)
}

// signs counts the signs of the column's texts.
func (f Forms) signs() signs {
	s := signs{map[byte]int64{}, map[byte]int64{}, map[byte]int64{}}
	for k, c := range f {
		switch {
		case !k.isPlain() || k.Stored:
		case k.Unsure:
			s.unsure[k.Decimal] += c.Count
		default:
			if k.Decimal != 0 {
				s.decimal[k.Decimal] += c.Count
			}
			if k.Group != 0 {
				s.group[k.Group] += c.Count
				if k.Decimal == 0 && (k.Group == '.' || k.Group == ',') {
					s.decimal['.'+','-k.Group] += c.Count // the other one
				}
			}
		}
	}
	return s
}

// settleDecimal returns the sign before decimals that is sure, 0 for none.
func (s *signs) settleDecimal(h Hints) byte {
	decimal := most(s.decimal)
	if 20*s.decimal[decimal] < s.unsure[most(s.unsure)] && h.decimal != 0 {
		return 0 // what a few values say counts less than what the file does
	}
	return decimal
}

// settleUnsure settles whether the unsure signs stand between thousands or before decimals,
// and returns the sign before decimals.
func (s *signs) settleUnsure(t *Reading, f Forms, decimal byte, h Hints) byte {
	sign := most(s.unsure)
	t.Decided = true
	switch long := f.longIntegers(); {
	case decimal != 0:
		t.IsGroup = sign != decimal
	case len(s.group) > 0:
		t.IsGroup = s.group[sign] > 0
	case long == 0 && f.shortIntegers() > 0:
		t.IsGroup = true // 745 and 1.234, but never 1234
	case long > 0 && (h.decimal == 0 || 20*long >= s.unsure[sign]):
		t.IsGroup = false // of a few long ones more is said by the file
	case h.decimal != 0:
		t.IsGroup = sign != h.decimal
	default:
		t.Decided = false
	}
	switch {
	case !t.IsGroup && decimal == 0:
		return sign
	case !t.IsGroup:
		return decimal
	}
	s.group[sign] += s.unsure[sign]
	if decimal == 0 && sign == '.' {
		return ','
	}
	return decimal
}

// numberType returns the datatype of the numbers that the signs of t read; value.String
// where these are too few.
func (f Forms) numberType(t *Reading, enough, some func(int64) bool) value.Datatype {
	reads := func(k FormKey) bool { return t.readsForm(k) }
	isWhole := func(k FormKey) bool { return k.Kind == lexical.Integer || k.Unsure && t.IsGroup }
	whole := f.Count(func(k FormKey) bool { return reads(k) && isWhole(k) })
	all := f.Count(reads)
	doubles := f.Count(func(k FormKey) bool { return reads(k) && k.Kind == lexical.Double })
	// Whole numbers that a program wrote as 178.0 do not make the others decimals.
	nought := f.Count(func(k FormKey) bool { return reads(k) && !isWhole(k) && k.Nought })
	switch {
	case !enough(all):
		return value.String
	case some(doubles):
		return value.Double
	case enough(whole) && !some(all-whole-doubles-nought):
		return value.Integer
	}
	return value.Decimal
}

// readsForm reports whether numbers of a form have the signs of the column.
func (t *Reading) readsForm(k FormKey) bool {
	is := func(sign byte, char string) bool { return sign == 0 || string(rune(sign)) == char }
	switch {
	case !k.isPlain() || k.Stored:
		return k.isPlain()
	case k.Unsure && t.IsGroup:
		return string(rune(k.Decimal)) == t.GroupChar
	}
	return is(k.Decimal, t.DecimalChar) && is(k.Group, t.GroupChar)
}

// longIntegers and shortIntegers count the whole numbers that have four digits or more
// without a sign between thousands, and those that have fewer.
func (f Forms) longIntegers() int64 {
	return f.Count(func(k FormKey) bool { return k.Kind == lexical.Integer && k.long && k.Extra == NoExtra })
}

func (f Forms) shortIntegers() int64 {
	return f.Count(func(k FormKey) bool {
		return k.Kind == lexical.Integer && !k.long && k.Group == 0 && k.Extra == NoExtra
	})
}

// most returns the key with the greatest count, the least key among equals; 0 where there
// is none.
func most(counts map[byte]int64) (best byte) {
	for k, n := range counts {
		if best == 0 || n > counts[best] || n == counts[best] && k < best {
			best = k
		}
	}
	return best
}
