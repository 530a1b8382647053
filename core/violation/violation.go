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
	words       string
}{
	None:             {"", "", Flag, ""},
	RowShort:         {"row.short", "structure", Reject, "too few cells"},
	RowLong:          {"row.long", "structure", Reject, "too many cells"},
	RowMisplaced:     {"row.misplaced", "structure", Reject, "cells of uncertain columns"},
	HeaderMissing:    {"header.missing", "structure", Refuse, "column not delivered"},
	HeaderDuplicate:  {"header.duplicate", "structure", Refuse, "repeated header"},
	HeaderUnknown:    {"header.unknown", "structure", Flag, "column without a target"},
	EncodingInvalid:  {"encoding.invalid", "encoding", Reject, "invalid bytes"},
	EncodingGarbled:  {"encoding.garbled", "encoding", Flag, "text decoded twice"},
	EncodingControl:  {"encoding.control", "encoding", Flag, "control character"},
	EncodingChanged:  {"encoding.changed", "encoding", Flag, "encoding changes in the middle"},
	QuoteOpen:        {"quote.open", "quoting", Reject, "quote never closed"},
	QuoteStray:       {"quote.stray", "quoting", Flag, "quote out of place"},
	QuoteTail:        {"quote.tail", "quoting", Reject, "text after the closing quote"},
	QuoteBackslash:   {"quote.backslash", "quoting", Flag, "backslash before a closing quote"},
	RequiredEmpty:    {"required.empty", "required", Reject, "value missing"},
	TypeInteger:      {"type.integer", "type", Reject, "not a whole number"},
	TypeDecimal:      {"type.decimal", "type", Reject, "not a number"},
	TypeDouble:       {"type.double", "type", Reject, "not a number"},
	TypeBoolean:      {"type.boolean", "type", Reject, "neither true nor false"},
	TypeURI:          {"type.uri", "type", Reject, "not a URI"},
	TypeDuration:     {"type.duration", "type", Reject, "not a duration"},
	TypeError:        {"type.error", "type", Reject, "error of a formula"},
	TypeFormula:      {"type.formula", "type", Flag, "formula without a value"},
	NumberText:       {"number.text", "type", Flag, "number stored as text"},
	NumberPrecision:  {"number.precision", "type", Reject, "too many digits before the point"},
	NumberScale:      {"number.scale", "type", Reject, "too many digits after the point"},
	DateFormat:       {"date.format", "date", Reject, "date in another format"},
	DateImpossible:   {"date.impossible", "date", Reject, "no such day or time"},
	DateAmbiguous:    {"date.ambiguous", "date", Flag, "date can be read in two ways"},
	DateText:         {"date.text", "date", Flag, "date stored as text"},
	TimeFormat:       {"time.format", "date", Reject, "time in another format"},
	TextLong:         {"text.long", "length", Reject, "text too long"},
	TextShort:        {"text.short", "length", Reject, "text too short"},
	TextGrown:        {"text.grown", "length", Reject, "grows too long"},
	RangeLow:         {"range.low", "range", Reject, "below the minimum"},
	RangeHigh:        {"range.high", "range", Reject, "above the maximum"},
	TextFormat:       {"text.format", "pattern", Reject, "not of the form demanded"},
	ValueUnknown:     {"value.unknown", "set", Reject, "not an allowed value"},
	ValueAbsent:      {"value.absent", "set", Refuse, "a value never occurs"},
	KeyDuplicate:     {"key.duplicate", "uniqueness", Reject, "repeated key"},
	RowRepeated:      {"row.repeated", "uniqueness", Reject, "repeated row"},
	OrderBroken:      {"order.broken", "order", Flag, "out of order"},
	RuleFailed:       {"rule.failed", "row", Reject, "does not hold"},
	ReferenceMissing: {"reference.missing", "reference", Reject, "not in the table referred to"},
	CodeUnknown:      {"code.unknown", "reference", Reject, "not in the code list"},
	ReferencePresent: {"reference.present", "reference", Reject, "in the other table already"},
	DeriveFailed:     {"derive.failed", "type", Reject, "cannot be computed"},
	DeliveryEmpty:    {"delivery.empty", "delivery", Refuse, "nothing was delivered"},
	DeliveryRepeat:   {"delivery.repeat", "delivery", Flag, "the same bytes arrived before"},
	FileName:         {"file.name", "delivery", Refuse, "name of another form"},
	RowsFew:          {"rows.few", "delivery", Refuse, "too few rows"},
	RowsMany:         {"rows.many", "delivery", Refuse, "too many rows"},
	SumDiffers:       {"sum.differs", "delivery", Refuse, "another sum than stated"},
	CountDiffers:     {"count.differs", "delivery", Refuse, "another number than stated"},
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

// Words returns what the code means, in a few words for people: "below the minimum".
func (c Code) Words() string {
	if c >= codes {
		return ""
	}
	return table[c].words
}

// CodeHelp is what a code means.
type CodeHelp struct {
	Code   Code   `json:"code"`
	Class  string `json:"class"`
	Action Action `json:"action" doc:"what happens where a target says nothing else"`
	Words  string `json:"words" doc:"what it means"`
}

// AllCodes returns what each code means, in the order in which classes are shown.
func AllCodes() (all []CodeHelp) {
	for c := None + 1; c < codes; c++ {
		all = append(all, CodeHelp{c, c.Class(), c.Action(), c.Words()})
	}
	return all
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

var actions = [...]struct{ name, words string }{Reject: {"reject", "row rejected"}, Blank: {"blank", "cell blanked"},
	Flag: {"flag", "flagged only"}, Refuse: {"refuse", "delivery refused"}}

// ActionHelp is what an action does.
type ActionHelp struct {
	Action Action `json:"action"`
	Words  string `json:"words" doc:"what becomes of the row"`
}

// AllActions returns what each action does.
func AllActions() (all []ActionHelp) {
	for a := range actions {
		all = append(all, ActionHelp{Action(a), actions[a].words})
	}
	return all
}

// String returns the action's word: "reject".
func (a Action) String() string {
	if int(a) >= len(actions) {
		return fmt.Sprintf("action(%d)", uint8(a))
	}
	return actions[a].name
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
	for i := range actions {
		if actions[i].name == string(text) {
			*a = Action(i)
			return nil
		}
	}
	return fmt.Errorf("unknown action %q: it is reject, blank, flag or refuse", text)
}
