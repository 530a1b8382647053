package target

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// HeaderKey returns what of a header counts when columns are found by it: letters
// without case and accents, digits and other signs; not blanks, underscores, hyphens
// and points. A header of nothing else stays as it is.
func HeaderKey(header string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(header) {
		switch {
		case unicode.IsSpace(r), unicode.Is(unicode.Mn, r), unicode.Is(unicode.Pd, r), r == '_', r == '.', r == 0xAD,
			r == 0xFEFF:
		default:
			b.WriteRune(unicode.ToLower(r))
		}
	}
	if b.Len() == 0 {
		return strings.TrimSpace(header)
	}
	return b.String()
}
