package value

import (
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// IsURI reports whether a text is a URI or a relative reference as RFC 3986 writes them,
// with letters of any script as in an IRI (RFC 3987).
func IsURI(text []byte) bool {
	if !utf8.Valid(text) || strings.ContainsAny(string(text), " <>\"{}|\\^`") {
		return false
	}
	for _, r := range string(text) {
		if r < ' ' || r == 0x7F {
			return false
		}
	}
	_, err := url.Parse(string(text))
	return err == nil
}

var duration = regexp.MustCompile(`^-?P(?:[0-9]+Y)?(?:[0-9]+M)?(?:[0-9]+D)?(?:T(?:[0-9]+H)?(?:[0-9]+M)?(?:[0-9]+(?:\.[0-9]+)?S)?)?$`)

// IsDuration reports whether a text is a duration as XML Schema writes it after ISO 8601:
// P1Y2M, PT36H, -P1D. At least one field stands in it, and one behind a T.
func IsDuration(text []byte) bool {
	s := string(text)
	return duration.MatchString(s) && !strings.HasSuffix(s, "P") && !strings.HasSuffix(s, "T")
}

// sized are the whole numbers of XML Schema that have limits.
var sized = map[string][2]string{
	"byte": {"-128", "127"}, "short": {"-32768", "32767"}, "int": {"-2147483648", "2147483647"},
	"long":         {"-9223372036854775808", "9223372036854775807"},
	"unsignedByte": {"0", "255"}, "unsignedShort": {"0", "65535"}, "unsignedInt": {"0", "4294967295"},
	"unsignedLong":       {"0", "18446744073709551615"},
	"nonNegativeInteger": {"0", ""}, "positiveInteger": {"1", ""}, "nonPositiveInteger": {"", "0"},
	"negativeInteger": {"", "-1"},
}

// Sized returns the limits of a datatype of whole numbers that has some, such as short; ""
// for none.
func Sized(name string) (minimum, maximum string, ok bool) {
	limits, ok := sized[name]
	return limits[0], limits[1], ok
}

// SizedNames returns the names of these datatypes.
func SizedNames() []string { return slices.Sorted(maps.Keys(sized)) }
