package profile

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// Thousands writes a count with commas between thousands.
func Thousands(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Count writes a number of things: 1 row, 2 rows.
func Count(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}

// Percent writes a share so that neither all nor nothing is said falsely.
func Percent(n, of int64) string {
	if of == 0 {
		return ""
	}
	p := 100 * float64(n) / float64(of)
	switch {
	case n == of:
		return "100 %"
	case p >= 99.95:
		return ">99.9 %"
	case n > 0 && p < 0.05:
		return "<0.1 %"
	case p >= 99 || p < 1 && n > 0:
		return fmt.Sprintf("%.1f %%", p)
	}
	return fmt.Sprintf("%.0f %%", p)
}

// Plain returns a value of a profile without the quotes of JSON.
func Plain(v json.RawMessage) string {
	var s string
	if json.Unmarshal(v, &s) == nil {
		return s
	}
	return string(v)
}

// Edge returns the edge of a histogram's bar as text: an instant without what is nought
// of its time of day.
func Edge(v json.RawMessage) string {
	text := Plain(v)
	if day, ok := strings.CutSuffix(text, "T00:00:00"); ok {
		return day
	}
	if len(text) == len("2026-07-06T06:00:00") {
		text = strings.TrimSuffix(text, ":00")
	}
	return text
}

// nameWords splits a column's name into its words, in lower case: at what is neither letter
// nor digit, and before a capital that follows a small letter.
func nameWords(name string) []string {
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

// saysYesNo reports whether a column's name tells that its values are yes and no.
func saysYesNo(name string) bool {
	words := nameWords(name)
	return strings.HasSuffix(strings.TrimSpace(name), "?") || len(words) > 1 && slices.Contains(asks, words[0]) ||
		slices.ContainsFunc(words, func(w string) bool { return slices.Contains(flags, w) })
}

// saysCode reports whether a column's name tells that its numbers only name something.
func saysCode(name string) bool {
	words := nameWords(name)
	return len(words) > 0 && slices.Contains(codeWords, words[len(words)-1])
}

// haveSibling reports whether one of some names, which holds these words itself, has
// another beside it that begins or ends with the same word, and differs in the others.
func haveSibling(words []string, all [][]string) bool {
	n := len(words)
	return n > 1 && slices.ContainsFunc(all, func(o []string) bool {
		return len(o) > 1 && !slices.Equal(o, words) && (o[0] == words[0] || o[len(o)-1] == words[n-1])
	})
}
