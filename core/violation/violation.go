// Package violation names what can be wrong with a cell, a row or a file.
//
// It knows the codes, the class each code belongs to and what happens to a
// row by default. It does not know how a violation is found: readers and
// checks do that.
package violation

import "fmt"

// Code says which rule a cell, row or file broke. The zero Code means "none".
type Code uint8

// The codes, in the order in which the classes are shown to a steward.
const (
	None Code = iota
	RowShort
	RowLong
	RowMisplaced
	HeaderMissing
	HeaderDuplicate
	HeaderUnknown
	EncodingInvalid
	EncodingGarbled
	EncodingControl
	EncodingChanged
	QuoteOpen
	QuoteStray
	QuoteTail
	QuoteBackslash
	RequiredEmpty
	TypeInteger
	TypeDecimal
	TypeDouble
	TypeBoolean
	TypeURI
	TypeDuration
	TypeError
	TypeFormula
	NumberText
	NumberPrecision
	NumberScale
	DateFormat
	DateImpossible
	DateAmbiguous
	DateText
	TimeFormat
	TextLong
	TextShort
	TextGrown
	RangeLow
	RangeHigh
	TextFormat
	ValueUnknown
	ValueAbsent
	KeyDuplicate
	RowRepeated
	OrderBroken
	RuleFailed
	ReferenceMissing
	ReferencePresent
	CodeUnknown
	DeriveFailed
	DeliveryEmpty
	DeliveryRepeat
	FileName
	RowsFew
	RowsMany
	SumDiffers
	CountDiffers
	codes
)

var table = [codes]struct {
	name, class string
	action      Action
}{
	None:             {"", "", Flag},
	RowShort:         {"row.short", "structure", Reject},
	RowLong:          {"row.long", "structure", Reject},
	RowMisplaced:     {"row.misplaced", "structure", Reject},
	HeaderMissing:    {"header.missing", "structure", Refuse},
	HeaderDuplicate:  {"header.duplicate", "structure", Refuse},
	HeaderUnknown:    {"header.unknown", "structure", Flag},
	EncodingInvalid:  {"encoding.invalid", "encoding", Reject},
	EncodingGarbled:  {"encoding.garbled", "encoding", Flag},
	EncodingControl:  {"encoding.control", "encoding", Flag},
	EncodingChanged:  {"encoding.changed", "encoding", Flag},
	QuoteOpen:        {"quote.open", "quoting", Reject},
	QuoteStray:       {"quote.stray", "quoting", Flag},
	QuoteTail:        {"quote.tail", "quoting", Reject},
	QuoteBackslash:   {"quote.backslash", "quoting", Flag},
	RequiredEmpty:    {"required.empty", "required", Reject},
	TypeInteger:      {"type.integer", "type", Reject},
	TypeDecimal:      {"type.decimal", "type", Reject},
	TypeDouble:       {"type.double", "type", Reject},
	TypeBoolean:      {"type.boolean", "type", Reject},
	TypeURI:          {"type.uri", "type", Reject},
	TypeDuration:     {"type.duration", "type", Reject},
	TypeError:        {"type.error", "type", Reject},
	TypeFormula:      {"type.formula", "type", Flag},
	NumberText:       {"number.text", "type", Flag},
	NumberPrecision:  {"number.precision", "type", Reject},
	NumberScale:      {"number.scale", "type", Reject},
	DateFormat:       {"date.format", "date", Reject},
	DateImpossible:   {"date.impossible", "date", Reject},
	DateAmbiguous:    {"date.ambiguous", "date", Flag},
	DateText:         {"date.text", "date", Flag},
	TimeFormat:       {"time.format", "date", Reject},
	TextLong:         {"text.long", "length", Reject},
	TextShort:        {"text.short", "length", Reject},
	TextGrown:        {"text.grown", "length", Reject},
	RangeLow:         {"range.low", "range", Reject},
	RangeHigh:        {"range.high", "range", Reject},
	TextFormat:       {"text.format", "pattern", Reject},
	ValueUnknown:     {"value.unknown", "set", Reject},
	ValueAbsent:      {"value.absent", "set", Refuse},
	KeyDuplicate:     {"key.duplicate", "uniqueness", Reject},
	RowRepeated:      {"row.repeated", "uniqueness", Reject},
	OrderBroken:      {"order.broken", "order", Flag},
	RuleFailed:       {"rule.failed", "row", Reject},
	ReferenceMissing: {"reference.missing", "reference", Reject},
	CodeUnknown:      {"code.unknown", "reference", Reject},
	ReferencePresent: {"reference.present", "reference", Reject},
	DeriveFailed:     {"derive.failed", "type", Reject},
	DeliveryEmpty:    {"delivery.empty", "delivery", Refuse},
	DeliveryRepeat:   {"delivery.repeat", "delivery", Flag},
	FileName:         {"file.name", "delivery", Refuse},
	RowsFew:          {"rows.few", "delivery", Refuse},
	RowsMany:         {"rows.many", "delivery", Refuse},
	SumDiffers:       {"sum.differs", "delivery", Refuse},
	CountDiffers:     {"count.differs", "delivery", Refuse},
}

// String returns the code as it stands in reports: "range.low".
func (c Code) String() string {
	if c >= codes {
		return fmt.Sprintf("code(%d)", uint8(c))
	}
	return table[c].name
}

// Class returns the family the code belongs to: "range".
func (c Code) Class() string {
	if c >= codes {
		return ""
	}
	return table[c].class
}

// Action returns what happens by default to the row (or delivery) with this violation.
func (c Code) Action() Action {
	if c >= codes {
		return Reject
	}
	return table[c].action
}

// IsOfColumn reports whether the code is of a cell that feeds a column, so that the
// column may say what becomes of it.
func (c Code) IsOfColumn() bool {
	switch c {
	case None, QuoteOpen, EncodingChanged, RowRepeated, RuleFailed, ReferenceMissing, ReferencePresent, TextGrown:
		return false
	}
	return c.Class() != "structure" && c.Class() != "delivery"
}

// SetsApart reports whether a row with the code has cells that cannot be given to columns,
// so that it is not checked further.
func (c Code) SetsApart() bool {
	switch c {
	case RowShort, RowLong, RowMisplaced, QuoteOpen:
		return true
	}
	return false
}

// OfColumns returns the names of the codes of columns.
func OfColumns() (names []string) {
	for c := None; c < codes; c++ {
		if c.IsOfColumn() {
			names = append(names, c.String())
		}
	}
	return names
}

// MarshalText writes the code's name.
func (c Code) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads a code's name.
func (c *Code) UnmarshalText(text []byte) error {
	for i := range table {
		if table[i].name == string(text) {
			*c = Code(i)
			return nil
		}
	}
	return fmt.Errorf("unknown violation code %q", text)
}

// Action is what a violation does. The zero Action rejects the row.
type Action uint8

// The actions.
const (
	Reject Action = iota // the row is rejected
	Blank                // the cell becomes empty, the row stays
	Flag                 // the row stays as it is, the violation is reported
	Refuse               // the whole delivery is refused
)

var actions = [...]string{Reject: "reject", Blank: "blank", Flag: "flag", Refuse: "refuse"}

// String returns the action's word: "reject".
func (a Action) String() string {
	if int(a) >= len(actions) {
		return fmt.Sprintf("action(%d)", uint8(a))
	}
	return actions[a]
}

// RejectsRow reports whether a row with such a violation is not accepted.
func (a Action) RejectsRow() bool { return a == Reject || a == Refuse }

// Weight orders actions for people: what refuses the delivery counts most, then what rejects rows, what empties cells,
// and what only tells.
func (a Action) Weight() int { return [...]int{Reject: 2, Blank: 1, Flag: 0, Refuse: 3}[a] }

// MarshalText writes the action's word.
func (a Action) MarshalText() ([]byte, error) { return []byte(a.String()), nil }

// UnmarshalText reads an action's word.
func (a *Action) UnmarshalText(text []byte) error {
	for i, word := range actions {
		if word == string(text) {
			*a = Action(i)
			return nil
		}
	}
	return fmt.Errorf("unknown action %q: it is reject, blank, flag or refuse", text)
}
