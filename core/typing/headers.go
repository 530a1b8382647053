package typing

import (
	"slices"
	"strings"
	"unicode"
)

// NameWords splits a column's name into its words, in lower case: at what is neither letter
// nor digit, and before a capital that follows a small letter.
func NameWords(name string) []string {
	var b strings.Builder
	last := ' '
	for _, r := range name {
		switch {
		case !unicode.IsLetter(r) && !unicode.IsDigit(r):
			b.WriteByte(' ')
		case unicode.IsUpper(r) && unicode.IsLower(last):
			b.WriteByte(' ')
			fallthrough
		default:
			b.WriteRune(unicode.ToLower(r))
		}
		last = r
	}
	return strings.Fields(b.String())
}

// asks are first words of names that ask whether something is so, and flags are words
// that say it anywhere in a name.
var (
	asks = []string{"is", "has", "had", "was", "can", "may", "does", "needs", "ist", "hat", "war", "kann", "darf",
		"braucht", "est", "es"}
	flags = []string{"flag", "yn", "jn", "bool", "boolean", "yesno", "janein", "ok", "active", "aktiv", "inactive",
		"inaktiv", "enabled", "disabled", "valid", "invalid", "gültig", "gueltig", "ungültig", "deleted", "gelöscht",
		"paid", "bezahlt", "approved", "confirmed", "bestätigt", "present", "vorhanden", "allowed", "erlaubt"}
	codeWords = []string{"no", "nr", "number", "numbers", "nummer", "num", "id", "ids", "code", "codes", "key",
		"kennung",
		"schlüssel", "schluessel", "plz", "zip", "postcode", "postleitzahl", "phone", "telephone", "telefon", "fax",
		"ean", "gtin", "isbn", "konto", "account"}
)

// SaysYesNo reports whether a column's name tells that its values are yes and no.
func SaysYesNo(name string) bool {
	words := NameWords(name)
	return strings.HasSuffix(strings.TrimSpace(name), "?") || len(words) > 1 && slices.Contains(asks, words[0]) ||
		slices.ContainsFunc(words, func(w string) bool { return slices.Contains(flags, w) })
}

// SaysCode reports whether a column's name tells that its numbers only name something.
func SaysCode(name string) bool {
	words := NameWords(name)
	return len(words) > 0 && slices.Contains(codeWords, words[len(words)-1])
}

// HaveSibling reports whether one of some names, which holds these words itself, has
// another beside it that begins or ends with the same word, and differs in the others.
func HaveSibling(words []string, all [][]string) bool {
	n := len(words)
	return n > 1 && slices.ContainsFunc(all, func(o []string) bool {
		return len(o) > 1 && !slices.Equal(o, words) && (o[0] == words[0] || o[len(o)-1] == words[n-1])
	})
}
