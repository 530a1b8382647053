package value

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// monthNames are the names of the months, and how they are commonly cut short, in
// English, German, French, Spanish, Italian, Dutch and Portuguese (Unicode CLDR).
// None means one month in one of them and another in another.
var monthNames = func() map[string]int {
	names := map[string]int{}
	for i, list := range [12]string{
		"jan january januar jänner jän janvier janv enero ene gennaio gen januari janeiro",
		"feb february februar feber février févr fevrier fevr febrero febbraio februari fevereiro fev",
		"mar march märz mär mrz maerz mars marzo maart mrt março marco",
		"apr april avril avr abril abr aprile",
		"may mai mayo maggio mag mei maio",
		"jun june juni juin junio giugno giu junho",
		"jul july juli juillet juil julio luglio lug julho",
		"aug august août aout agosto ago augustus",
		"sep sept september septembre septiembre setiembre settembre set setembro",
		"oct october okt oktober octobre octubre ottobre ott outubro out",
		"nov november novembre noviembre novembro",
		"dec december dez dezember décembre déc decembre diciembre dic dicembre dezembro",
	} {
		for _, name := range strings.Fields(list) {
			names[name] = i + 1
		}
	}
	return names
}()

// longestMonth is the length of the longest name, in bytes.
const longestMonth = 12

// MonthName reads the month's name that a text begins with, in full or cut short, in
// whatever letter case; a point behind it belongs to it where a blank follows. The
// month is 0 where the text begins with no such name; size counts bytes.
func MonthName(text []byte) (month, size int) {
	var space [longestMonth + utf8.UTFMax]byte
	lower := space[:0]
	for size < len(text) {
		r, width := rune(text[size]), 1
		if r >= utf8.RuneSelf {
			r, width = utf8.DecodeRune(text[size:])
		}
		if !unicode.IsLetter(r) {
			break
		}
		// A small letter may take more bytes than its capital.
		if lower = utf8.AppendRune(lower, unicode.ToLower(r)); len(lower) > longestMonth {
			return 0, 0
		}
		size += width
	}
	if month = monthNames[string(lower)]; month == 0 {
		return 0, 0
	}
	if size+1 < len(text) && text[size] == '.' && text[size+1] == ' ' {
		size++
	}
	return month, size
}
