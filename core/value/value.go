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
)

var datatypes = [...]string{"string", "integer", "decimal", "double", "boolean", "date", "dateTime"}

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

// IsNumber reports whether values of the datatype are numbers.
func (d Datatype) IsNumber() bool { return d == Integer || d == Decimal || d == Double }
