// Package value turns the text of one cell into a typed value, or says what is
// wrong with it.
//
// It knows datatypes and formats (the datatypes and format patterns of CSV on
// the Web, W3C Recommendation 2015, section 6.4; patterns of Unicode LDML). It
// knows nothing of columns, rows or rules. Parsing allocates nothing once the
// receiver's buffers have grown.
package value

import (
	"fmt"
	"strings"
)

// Datatype is the type of a column's values. The zero Datatype is String.
type Datatype uint8

// The datatypes.
const (
	String Datatype = iota
	Integer
	Decimal
	Double
	Boolean
	Date
	DateTime
	Time     // of the day, without a date
	AnyURI   // a URI or a relative reference (RFC 3986)
	Duration // ISO 8601, as XML Schema has it: P1DT12H
)

var datatypes = [...]string{"string", "integer", "decimal", "double", "boolean", "date", "dateTime", "time", "anyURI",
	"duration"}

// Datatypes returns the names of all datatypes.
func Datatypes() []string { return datatypes[:] }

// String returns the datatype's name in CSVW: "dateTime".
func (d Datatype) String() string {
	if int(d) >= len(datatypes) {
		return fmt.Sprintf("datatype(%d)", uint8(d))
	}
	return datatypes[d]
}

// MarshalText writes the datatype's name.
func (d Datatype) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads a datatype's name.
func (d *Datatype) UnmarshalText(text []byte) error {
	for i, name := range datatypes {
		if name == string(text) {
			*d = Datatype(i)
			return nil
		}
	}
	return fmt.Errorf("unknown datatype %q: it is one of %s", text, strings.Join(datatypes[:], ", "))
}

// IsMoment reports whether values of the datatype are dates, times or both.
func (d Datatype) IsMoment() bool { return d == Date || d == DateTime || d == Time }

// HasDay reports whether values of the datatype are days, with a time of day or without.
func (d Datatype) HasDay() bool { return d == Date || d == DateTime }

// IsText reports whether values of the datatype are texts, of which some forms are right.
func (d Datatype) IsText() bool { return d == String || d == AnyURI || d == Duration }

// IsNumber reports whether values of the datatype are numbers.
func (d Datatype) IsNumber() bool { return d == Integer || d == Decimal || d == Double }
