package profile

import (
	"bytes"
	"math"
	"unicode/utf8"

	"github.com/axiomhq/hyperloglog"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"
)

// sums add up what the values of a column are, each as often as it occurs.
// Sums of parts of a column merged in any order give the sums of all of it.
type sums struct {
	typing *typing.Reading

	filled      int64
	blank       typing.FormCount // cells of nothing but blanks, which count as empty
	forms       typing.Forms
	lastForm    *typing.FormCount // of the value before
	lastKey     typing.FormKey
	alike       int64                        // values like the one before but for their digits, until they are counted
	missing     map[string]*typing.FormCount // placeholders, and numbers or dates that may be some
	characters  int64                        // of all values
	foreign     bool                         // texts with characters that are not ASCII
	shortest    measured
	longest     measured
	low, high   distinct.Sighting // in the order of bytes
	around      typing.FormCount
	inside      typing.FormCount // more than one blank between words
	invisible   typing.FormCount // characters that leave no ink and are no plain blanks
	cases       [letterCases]int64
	shapes      distinct.Table
	shapesOver  bool          // more shapes than are held
	others      distinct.Item // counts the texts of shapes that are not held
	negative    int64
	whole, frac int // most digits before and after the point
	against     typing.FormCount
	spread      spread
	weekdays    [7]int64            // from Monday
	sketch      *hyperloglog.Sketch // of the values that are not held
	last        lastShape
	quantity    typing.Quantity // of the value before
	isMeasured  bool
	number      value.Number
	look        typing.Look
}

// lastShape is the shape of the value before, and what is told by it.
type lastShape struct {
	text            []byte // one that differs from the value before in nothing but digits
	kind            workbook.Kind
	row             int64
	characters      int    // of the value before
	isPlain         bool   // it has no blanks that call for being told
	shape, other    []byte // and that of the value before it
	entry           distinct.Item
	letters         int
	length          int // in characters of each text of the shape; 0 where they differ
	isDouble, isOdd bool
}

// measured is a value of the least or the greatest length.
type measured struct {
	distinct.Sighting
	length int
}

// add puts in a value that is shorter (-1) or longer (+1), or as long and stands
// earlier.
func (m *measured) add(at distinct.Sighting, length, sign int) {
	if c := (length - m.length) * sign; at.Row > 0 && (m.Row == 0 || c > 0 || c == 0 && at.Row < m.Row) {
		m.Set(at)
		m.length = length
	}
}

// The habits of letter case.
const (
	upperCase = iota
	lowerCase
	titleCase // each word begins with a capital
	mixedCase
	letterCases
)

// maxShapes is what the shapes of a column may take, in bytes.
const maxShapes = 128 << 10

// newSums makes the sums of a column that is read as the typing says. The shapes
// are counted in any case, however many others there are.
func newSums(t *typing.Reading, shapes [][]byte) *sums {
	s := &sums{typing: t, forms: typing.Forms{}, missing: map[string]*typing.FormCount{},
		others: distinct.Item{Entry: &distinct.Entry{}, Where: &distinct.Where{}}}
	for _, shape := range shapes {
		s.shapes.Add(distinct.HashOf(shape, 0), shape, 0, 0, math.MaxInt64, 0)
	}
	s.shapes.Most = maxShapes
	return s
}

// add counts the text of a sighting, count times; the sighting is where it stands first.
func (s *sums) add(at distinct.Sighting, kind workbook.Kind, count int64) {
	text := at.Text
	s.isMeasured = false
	body := distinct.Start(text)
	trimmed := lexical.Trim(body)
	if len(trimmed) == 0 {
		s.blank.Add(count, at)
		return
	}
	last, l := &s.last, &s.look
	isTwin := kind == last.kind && lexical.DifferInDigits(last.text, trimmed)
	isRead := isTwin && l.Again(trimmed)
	if isRead && last.isPlain && len(trimmed) == len(text) && at.Row > last.row {
		// But for its digits it is like the value before, and stands further down: nothing
		// else is to be told of it.
		last.row = at.Row
		if s.lastKey.Day != l.Key.Day || s.lastKey.Nought != l.Key.Nought {
			s.settle()
			s.findForm()
		}
		s.alike += count
		s.lastForm.NoteLook(l, at)
		s.order(at)
		s.value(trimmed, count, at)
		return
	}
	s.settle()
	s.filled += count
	if !isTwin {
		s.findShape(trimmed, at)
	}
	s.countShape(count, at)
	n := last.length
	if n == 0 || len(trimmed) != len(text) {
		n = distinct.Characters(text)
	}
	s.characters += int64(n) * count
	s.shortest.add(at, n, -1)
	s.longest.add(at, n, +1)
	if s.typing.Datatype == value.String {
		s.foreign = s.foreign || !lexical.IsASCII(trimmed)
	}
	s.order(at)
	if len(trimmed) != len(body) {
		s.around.Add(count, at)
	}
	switch {
	case distinct.IsLong(text):
		*l = typing.Look{}
	case !isRead:
		l.Read(trimmed, kind)
	}
	s.findForm()
	s.lastForm.Count += count
	s.lastForm.NoteLook(l, at)
	last.kind, last.row, last.characters = kind, at.Row, n
	last.isPlain = !distinct.IsLong(text) && len(trimmed) == len(text) && !last.isDouble && !last.isOdd
	s.value(trimmed, count, at)
}

// settle counts the values that were like the one before them but for their digits.
func (s *sums) settle() {
	if s.alike == 0 {
		return
	}
	s.filled += s.alike
	s.characters += int64(s.last.characters) * s.alike
	if s.last.letters < letterCases {
		s.cases[s.last.letters] += s.alike
	}
	s.last.entry.Count += s.alike
	s.lastForm.Count += s.alike
	s.alike = 0
}

// findForm finds the count of the form of the value looked at.
func (s *sums) findForm() {
	if s.lastForm == nil || s.lastKey != s.look.Key {
		s.lastForm, s.lastKey = s.forms.Of(s.look.Key), s.look.Key
	}
}

// order places a text in the order of bytes.
func (s *sums) order(at distinct.Sighting) {
	if s.typing.Datatype == value.String {
		s.low.Replace(at, -1)
		s.high.Replace(at, +1)
	}
}

// value counts what the value looked at is worth in the column's datatype.
func (s *sums) value(trimmed []byte, count int64, at distinct.Sighting) {
	l := &s.look
	isWord := s.typing.IsWord(trimmed)
	if l.Kind == lexical.Placeholder || isWord || isSuspect(l) {
		m := s.missing[string(trimmed)]
		if m == nil {
			m = &typing.FormCount{}
			s.missing[string(trimmed)] = m
		}
		m.Add(count, at)
	}
	if l.Kind == lexical.Placeholder || isWord {
		return
	}
	if l.Kind.IsNumber() && (l.Sign == lexical.Minus || l.Sign == lexical.Behind) {
		s.negative += count
	}
	s.typing.Resolve(l)
	if !s.reads(trimmed) {
		s.against.Add(count, at)
		return
	}
	switch s.typing.Datatype {
	case value.Integer, value.Decimal, value.Double:
		s.whole, s.frac = max(s.whole, l.Whole), max(s.frac, l.Frac)
		s.quantity, s.isMeasured = s.typing.Quantity(l, trimmed), true
		s.spread.add(s.quantity, count, at)
	case value.Date, value.DateTime:
		s.quantity, s.isMeasured = s.typing.Quantity(l, trimmed), true
		s.weekdays[weekday(s.quantity)] += count
		s.spread.add(s.quantity, count, at)
	}
}

// reads reports whether the value looked at is of the datatype. Values of one form
// all are or all are not, save doubles, which may be too great, and booleans.
func (s *sums) reads(text []byte) bool {
	d := s.typing.Datatype
	if d == value.String || d == value.Boolean || d == value.Double {
		return s.typing.Reads(&s.look, text, &s.number)
	}
	if s.lastForm.Reads == typing.Unasked {
		s.lastForm.Reads = typing.No
		if s.typing.Reads(&s.look, text, &s.number) {
			s.lastForm.Reads = typing.Yes
		}
	}
	return s.lastForm.Reads == typing.Yes
}

const dayMillis = 24 * 60 * 60 * 1000

// weekday returns the day of the week of an instant, from Monday, 0.
func weekday(q typing.Quantity) int64 { return ((dayOf(q)+3)%7 + 7) % 7 } // day 0 was a Thursday

// dayOf returns the days since 1970-01-01 of an instant.
func dayOf(q typing.Quantity) int64 {
	day := q.Coef / dayMillis
	if q.Coef%dayMillis < 0 {
		day--
	}
	return day
}

// addShape counts a text's shape, and what can be told from that: its habit of
// letter case, and blanks inside that do not belong to its words. Values that
// follow one another often have one shape.
func (s *sums) addShape(text []byte, count int64, at distinct.Sighting) {
	if !lexical.DifferInDigits(s.last.text, text) {
		s.findShape(text, at)
	}
	s.countShape(count, at)
}

func (s *sums) countShape(count int64, at distinct.Sighting) {
	last := &s.last
	if last.letters < letterCases {
		s.cases[last.letters] += count
	}
	if last.isDouble {
		s.inside.Add(count, at)
	}
	if last.isOdd {
		s.invisible.Add(count, at)
	}
	last.entry.Note(count, at.Row, at.Line)
}

// findShape finds a text's shape among those that are counted.
func (s *sums) findShape(text []byte, at distinct.Sighting) {
	last := &s.last
	last.text = append(last.text[:0], text...)
	last.shape, last.other = lexical.AppendShape(last.other[:0], text), last.shape
	if last.entry.Entry == nil || string(last.shape) != string(last.other) {
		last.letters = caseOf(last.shape)
		last.isDouble, last.isOdd = BlanksIn(last.shape)
		if last.length = 0; lexical.IsWhole(text) {
			last.length = utf8.RuneCount(last.shape)
		}
		hash := distinct.HashOf(last.shape, 0)
		held := distinct.Shorten(nil, last.shape, hash)
		k := s.shapes.Find(hash, held, 0)
		if k < 0 && s.shapes.IsFull() {
			s.shapesOver = true
			last.entry = s.others
		} else {
			if k < 0 {
				k = s.shapes.Add(hash, held, 0, 0, at.Row, at.Line)
			}
			last.entry = s.shapes.Item(k)
		}
	}
}

// BlanksIn reports whether a shape has more than one blank between words, and
// characters that leave no ink and are no plain blanks.
func BlanksIn(shape []byte) (double, odd bool) {
	if lexical.IsTidy(shape) {
		return false, false
	}
	double = bytes.Contains(shape, []byte("  ")) || bytes.Contains(shape, []byte(" …"))
	return double, bytes.ContainsFunc(shape, func(r rune) bool {
		return r != ' ' && r != '\n' && r != '\r' &&
			lexical.IsBlank(r)
	})
}

// caseOf tells the habit of letter case by a shape; letterCases where it has
// no letters.
func caseOf(shape []byte) int {
	seen, mixed, begins := uint8(0), uint8(0), uint8(isBegin)
	for _, c := range shape {
		of := letterKinds[c]
		seen |= of
		mixed |= of&isUpper&^(begins>>2) | of>>1&isUpper&(begins>>2)
		begins = of & isBegin
	}
	upper, lower, title := seen&isUpper != 0, seen&isLower != 0, mixed == 0
	switch {
	case upper && !lower:
		return upperCase
	case lower && !upper:
		return lowerCase
	case upper && title:
		return titleCase
	case upper:
		return mixedCase
	}
	return letterCases
}

// What a character of a shape is to letter case.
const (
	isUpper = 1 << iota
	isLower
	isBegin // a word begins behind it
)

// letterKinds tells it of each byte. Text goes from one kind to another at random, so that branches would cost more.
var letterKinds = func() (kinds [256]uint8) {
	for c := range utf8.RuneSelf {
		kinds[c] = isBegin
	}
	kinds['A'], kinds['a'], kinds['9'], kinds['\''] = isUpper, isLower, 0, 0
	return kinds
}()

// isSuspect reports whether a number or date is one of those that often stand
// for a missing value: nines alone, the first and the last days of calendars.
func isSuspect(l *typing.Look) bool {
	switch l.Kind {
	case lexical.Integer, lexical.Decimal:
		c := max(l.Coef, -l.Coef)
		if !l.IsShort() || c < 99 || l.Percent || l.Currency {
			return false
		}
		for ; c%10 == 9; c /= 10 {
		}
		return c == 0
	case lexical.Date, lexical.DateTime:
		if l.A == 1 && l.B == 1 {
			return l.Year == 1 || l.Year == 1900 || l.Year == 1901 || l.Year == 1970 || l.Year == 1800 || l.Year == 1753
		}
		return l.Year == 9999 || l.Year == 2099 && l.A+l.B == 43 || l.Year == 1899 && l.A+l.B == 42
	}
	return false
}

func (s *sums) merge(o *sums) {
	s.settle()
	o.settle()
	s.filled += o.filled
	s.blank.Merge(o.blank)
	s.forms.Merge(o.forms)
	for text, c := range o.missing {
		if mine := s.missing[text]; mine != nil {
			mine.Merge(*c)
		} else {
			s.missing[text] = c
		}
	}
	s.characters += o.characters
	s.foreign = s.foreign || o.foreign
	s.shortest.add(o.shortest.Sighting, o.shortest.length, -1)
	s.longest.add(o.longest.Sighting, o.longest.length, +1)
	s.low.Replace(o.low, -1)
	s.high.Replace(o.high, +1)
	s.around.Merge(o.around)
	s.inside.Merge(o.inside)
	s.invisible.Merge(o.invisible)
	for i, n := range o.cases {
		s.cases[i] += n
	}
	s.shapes.Merge(&o.shapes)
	s.shapesOver = s.shapesOver || o.shapesOver
	s.negative += o.negative
	s.whole, s.frac = max(s.whole, o.whole), max(s.frac, o.frac)
	s.against.Merge(o.against)
	s.spread.merge(&o.spread)
	for i, n := range o.weekdays {
		s.weekdays[i] += n
	}
	if s.sketch == nil {
		s.sketch = o.sketch
	} else if o.sketch != nil {
		// Sketches of one precision always merge.
		_ = s.sketch.Merge(o.sketch)
	}
}
