// Package lexical tells what the text of one cell looks like: a number and how
// it is written, a date and in which order, a text that stands for a missing
// value, the shape of its characters.
//
// It is for a first look at values of which nothing is known yet. What a text
// alone cannot tell (whether 1,234 is a thousand, whether 06/07 is in June) it
// leaves open; that is for those who see a whole column. It allocates nothing.
package lexical

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Kind is what a text looks like.
type Kind uint8

// The kinds.
const (
	Text Kind = iota
	Integer
	Decimal
	Double // with an exponent
	Date
	DateTime
	Time
	Boolean     // by the word of a workbook or of XML Schema: true, false
	Placeholder // a text that stands for a missing value: n/a, -, 0000-00-00
)

var kinds = [...]string{"text", "integer", "decimal", "double", "date", "dateTime", "time", "boolean", "placeholder"}

func (k Kind) String() string { return kinds[k] }

// MarshalText writes the kind's name.
func (k Kind) MarshalText() ([]byte, error) { return []byte(k.String()), nil }

// UnmarshalText reads a kind's name.
func (k *Kind) UnmarshalText(text []byte) error {
	at := slices.Index(kinds[:], string(text))
	if at < 0 {
		return fmt.Errorf("%q is no kind of value", text)
	}
	*k = Kind(at)
	return nil
}

// IsNumber reports whether the kind is one of the numbers.
func (k Kind) IsNumber() bool { return k >= Integer && k <= Double }

// Form is what a text looks like. Of its two halves only the one of its kind
// has a meaning.
type Form struct {
	Kind Kind
	Number
	Moment
}

// Read looks at a text that has no blanks around it. f is filled anew.
func (f *Form) Read(text []byte) {
	*f = Form{}
	if len(text) == 0 || len(text) > maxRead {
		return
	}
	c := text[0]
	switch {
	case c-'0' <= 9:
		// No number has dashes inside, and dates mostly have them there.
		isDate := len(text) > 8 && text[4] == '-'
		if !isDate && f.readNumber(text) || f.readMoment(text) {
			return
		}
	case c == '-' || c == '+' || c == '.' || c == ',' || c == '%' || c >= utf8.RuneSelf || c == '$' ||
		hasCurrency(text):
		if f.readNumber(text) {
			return
		}
	case string(text) == "true" || string(text) == "false":
		f.Kind = Boolean
		return
	default:
		// The year or the time stands last.
		if last := text[len(text)-1]; len(text) > 7 && (last-'0' <= 9 || last|0x20 == 'm' || last == 'Z') &&
			f.readNamed(text) {
			return
		}
	}
	if IsPlaceholder(text) {
		f.Kind = Placeholder
	}
}

// Again looks at a text that differs in nothing but digits (DifferInDigits) from the
// one that f was filled by, without reading all of it once more. It does nothing and
// gives false where the text must be read as any other.
func (f *Form) Again(text []byte) bool {
	switch f.Kind {
	case Text:
		// Behind a first letter digits make nothing of a text but with a currency.
		return len(text) > 0 && (text[0]|0x20)-'a' < 26 && !hasCurrency(text)
	case Integer, Decimal:
		return f.Number.again(text)
	case Date, DateTime:
		return f.Moment.again(text)
	}
	return false
}

// maxRead is how long a number, date or placeholder can be, in bytes.
const maxRead = 64

// placeholders are texts that stand for a missing value, in lower case.
var placeholders = map[string]bool{
	"n/a": true, "na": true, "n.a.": true, "n. a.": true, "#n/a": true, "#na": true, "null": true, "(null)": true,
	"<null>": true, "\\n": true, "nil": true,
	"nan": true, "none": true, "unknown": true, "missing": true, "n/k": true, "n/v": true, "tbd": true, "tba": true,
	"not available":  true,
	"not applicable": true, "not known": true, "empty": true, "(empty)": true, "blank": true, "(blank)": true,
	"unbekannt": true, "k.a.": true, "k. a.": true, "k.a": true,
	"keine angabe": true, "leer": true, "n.b.": true, "n.v.": true, "n. v.": true, "-": true, "--": true, "---": true,
	"----": true, "–": true, "—": true, ".": true, "..": true,
	"...": true, "…": true, "?": true, "??": true, "???": true, "*": true, "#": true, "/": true, "_": true,
	"inconnu": true, "desconocido": true, "sconosciuto": true, "onbekend": true,
}

const longestPlaceholder = 14

// placeholderLengths tells, by its first byte, how long a placeholder may be: a
// bit for each length. Nearly every text that is none is told by it.
var placeholderLengths = func() (lengths [256]uint16) {
	for p := range placeholders {
		lengths[p[0]] |= 1 << len(p)
		if c := p[0]; c-'a' < 26 {
			lengths[c-'a'+'A'] |= 1 << len(p)
		}
	}
	return lengths
}()

// IsPlaceholder reports whether a text is one of those that commonly stand for a
// missing value, in whatever case.
func IsPlaceholder(text []byte) bool {
	if len(text) == 0 || len(text) > longestPlaceholder || placeholderLengths[text[0]]>>len(text)&1 == 0 {
		return false
	}
	var lower [longestPlaceholder]byte
	for i, c := range text {
		if c-'A' < 26 {
			c += 'a' - 'A'
		}
		lower[i] = c
	}
	return placeholders[string(lower[:len(text)])]
}

// Trim cuts the blanks off both ends of a text: all that Unicode counts as
// white space or as invisible format characters.
func Trim(text []byte) []byte {
	if n := len(text); n > 0 && text[0]-'!' < 0x7F-'!' && text[n-1]-'!' < 0x7F-'!' {
		return text // between plain ASCII ends there is nothing to cut
	}
	return bytes.TrimFunc(text, IsBlank)
}

// IsBlank reports whether a character leaves no ink: white space, zero width
// characters, byte order marks, soft hyphens.
func IsBlank(r rune) bool {
	if r < utf8.RuneSelf {
		return r == ' ' || '\t' <= r && r <= '\r'
	}
	return unicode.IsSpace(r) || unicode.Is(unicode.Cf, r)
}

// IsTidy reports whether a text is printable ASCII, with single blanks inside; blanks at its ends are not looked at.
func IsTidy(cell []byte) bool {
	last := byte(0)
	for _, c := range cell {
		if c-' ' > '~'-' ' || c == ' ' && last == ' ' {
			return false
		}
		last = c
	}
	return true
}

// longShape is how many characters a text may have whose shape stands in full.
const longShape = 24

// AppendShape appends a text's shape: A for each upper case letter, a for each
// other letter, 9 for each digit, every other character as it stands. In texts
// of more than 24 characters a run of the same stands once, with … behind it.
func AppendShape(dst, text []byte) []byte {
	if len(text) <= longShape {
		at := len(dst)
		dst = append(dst, text...)
		told := true
		for i, c := range dst[at:] {
			k := class[c]
			dst[at+i] = k
			told = told && k != 0
		}
		if told {
			return dst
		}
		dst = dst[:at]
	}
	long := len(text) > longShape && utf8.RuneCount(text) > longShape
	var last rune
	repeated := false
	for i := 0; i < len(text); {
		var c rune
		if k := class[text[i]]; k != 0 {
			c = rune(k)
			i++
		} else {
			r, n := utf8.DecodeRune(text[i:])
			switch {
			case unicode.IsUpper(r):
				c = 'A'
			case unicode.IsLetter(r) || unicode.IsMark(r):
				c = 'a'
			case unicode.IsDigit(r):
				c = '9'
			default:
				c = r
			}
			i += n
		}
		if long && c == last {
			if !repeated {
				dst, repeated = append(dst, "…"...), true
			}
			continue
		}
		if c < utf8.RuneSelf {
			dst = append(dst, byte(c))
		} else {
			dst = utf8.AppendRune(dst, c)
		}
		last, repeated = c, false
	}
	return dst
}

// IsWhole reports whether a text's shape has a character for each of its own.
func IsWhole(text []byte) bool { return len(text) <= longShape }

// class gives what a byte's character is in a shape; 0 where the byte alone does
// not tell.
var class = func() (class [256]byte) {
	for c := range utf8.RuneSelf {
		switch b := byte(c); {
		case b-'A' < 26:
			class[c] = 'A'
		case b-'a' < 26:
			class[c] = 'a'
		case b-'0' < 10:
			class[c] = '9'
		default:
			class[c] = b
		}
	}
	return class
}()

// IsRuled reports whether a text is one mark over and over, as hyphens that rule a line.
func IsRuled(text string) bool {
	return text != "" && strings.ContainsRune("-=_*+", rune(text[0])) && strings.Trim(text, text[:1]) == ""
}
