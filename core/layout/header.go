package layout

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
)

// header decides how many of the first rows name the columns.
func (d *detection) header(r records) {
	if set(d, "headerRows", d.given.HeaderRows, &d.layout.HeaderRows, "") {
		return
	}
	rows, confidence, why := firstRow(r)
	d.layout.HeaderRows = rows
	if rows > 0 {
		if more := extraRows(r.cells); more > 0 {
			d.layout.HeaderRows += more
			confidence = min(confidence, 0.85)
			also := fmt.Sprintf("%d rows below it also hold words, unlike the rows after them", more)
			if more == 1 {
				also = "the row below it also holds words, unlike the rows after it"
			}
			why += "; " + also
		}
	}
	d.note("headerRows", strconv.Itoa(d.layout.HeaderRows), confidence, why)
}

// firstRow reports whether the first row names the columns: 1 or 0.
func firstRow(r records) (rows int, confidence float64, why string) {
	if len(r.cells) == 0 {
		return 1, 0.3, "there is no row to judge by"
	}
	first, rest := r.cells[0], r.cells[1:]
	seen := map[string]bool{}
	years := 0
	for _, cell := range first {
		name := strings.TrimSpace(cell)
		switch {
		case isYear(name) && years < len(first)-1:
			years++ // columns are named by years, too
		case isValue(name), mostlyDigits(name):
			return 0, 0.9, fmt.Sprintf("the first row holds the value %q, which names no column", clip(name))
		case seen[name] && name != "":
			return 1, 0.6, fmt.Sprintf("the first row holds words, %q twice", name)
		}
		seen[name] = true
	}
	if len(rest) == 0 {
		return 1, 0.5, "the only row holds words"
	}
	names, recurring, data := 0, recurringCells(first, rest), ""
	for k, name := range first {
		if isYear(strings.TrimSpace(name)) || strings.TrimSpace(name) == "" {
			continue
		}
		// Nearly all cells of the column have one shape, as dates, numbers and
		// codes have: a first row of another shape names it.
		if s := commonShape(rest, k); s != "" {
			if shape(name) == s {
				data = name
			} else {
				names++
			}
		} else if isAlike, ok := cast(rest, k, name); ok && isAlike {
			data = name
		} else if ok {
			names++
		}
	}
	switch {
	case data != "":
		return 0, 0.9, fmt.Sprintf("the first row holds %q, a value like those below it", clip(data))
	case recurring > len(rest)/10+1:
		return 0, 0.7, fmt.Sprintf("values of the first row recur %d times below it", recurring)
	case names > 0:
		return 1, 0.97, fmt.Sprintf("the first row holds words, and below it %d of %d columns hold numbers, dates "+
			"or codes", names, len(first))
	}
	return 1, 0.75, "the first row holds words that do not recur below it"
}

// recurringCells counts the cells below the first row that hold what it holds in their column. A row
// that holds it in half of its columns repeats the header, as each page of a printout does, which
// says nothing against it unless one in ten rows does so.
func recurringCells(first []string, rest [][]string) (cells int) {
	filled := 0
	for _, name := range first {
		if name != "" {
			filled++
		}
	}
	repeats, inRepeats := 0, 0
	for _, row := range rest {
		n := 0
		for k, name := range first {
			if k < len(row) && row[k] == name && name != "" {
				n++
			}
		}
		if n >= 2 && 2*n >= filled {
			repeats++
			inRepeats += n
		} else {
			cells += n
		}
	}
	if repeats > len(rest)/10+1 {
		cells += inRepeats
	}
	return cells
}

// isYear reports whether a cell is a year, as columns are named by.
func isYear(cell string) bool {
	return len(cell) == 4 && (strings.HasPrefix(cell, "19") || strings.HasPrefix(cell, "20")) && isDigit(cell[2]) &&
		isDigit(cell[3])
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// mostlyDigits reports whether half of a cell or more are digits: no name, but a
// place, a number with its unit, a code.
func mostlyDigits(cell string) bool {
	digits := 0
	for i := range len(cell) {
		if isDigit(cell[i]) {
			digits++
		}
	}
	return len(cell) >= 6 && 2*digits >= len(cell)
}

// cast reports whether a name is cast like the cells of its column: where nearly
// all of them are as long as one another, as checksums are, or short and of the
// same letters' cases, as codes of countries are. ok is false where they are not.
func cast(rows [][]string, column int, name string) (isAlike, ok bool) {
	const least = 10
	lengths, casts := map[int]int{}, map[string]int{}
	different := map[string]bool{}
	filled := 0
	for _, row := range rows {
		if column < len(row) && row[column] != "" {
			filled++
			different[row[column]] = true
			lengths[len(row[column])]++
			casts[caseOf(row[column])]++
		}
	}
	if filled < least {
		return false, false
	}
	for s, n := range casts {
		if 20*n >= 19*filled && s != "" {
			return caseOf(name) == s, true
		}
	}
	for l, n := range lengths {
		if 20*n >= 19*filled && l >= 16 && 2*len(different) > filled {
			return len(name) == l, true
		}
	}
	return false, false
}

// caseOf writes A for each capital, a for each other letter and 9 for each digit
// of a short cell without blanks that is not all small letters; otherwise "".
func caseOf(cell string) string {
	var b strings.Builder
	small := true
	for _, r := range cell {
		switch {
		case unicode.IsUpper(r):
			b.WriteByte('A')
			small = false
		case unicode.IsLetter(r):
			b.WriteByte('a')
		case unicode.IsDigit(r):
			b.WriteByte('9')
			small = false
		case r == ' ':
			return ""
		default:
			b.WriteRune(r)
		}
	}
	if b.Len() > 12 || small {
		return ""
	}
	return b.String()
}

// commonShape returns the shape that at least four in five filled cells of a
// column have, where it is one of values or codes; otherwise "".
func commonShape(rows [][]string, column int) string {
	shapes := map[string]int{}
	filled := 0
	for _, row := range rows {
		if column < len(row) && row[column] != "" {
			filled++
			shapes[shape(row[column])]++
		}
	}
	for s, n := range shapes {
		if n*5 >= filled*4 && strings.ContainsAny(s, "9@") {
			return s
		}
	}
	return ""
}

// maxExtra is how many rows under the first may belong to the header.
const maxExtra = 4

// extraRows counts the rows under the first that belong to the header: units,
// questions, codes. In such a row no column of values holds one; a single bad
// cell in a row of data is not enough.
func extraRows(rows [][]string) int {
	// There must be some rows of data below to compare with.
	most := min(maxExtra, (len(rows)-1)/4)
	if most < 1 {
		return 0
	}
	shapes := map[int]string{}
	for k := range rows[0] {
		if s := commonShape(rows[1+most:], k); s != "" {
			shapes[k] = s
		}
	}
	more := 0
	for _, row := range rows[1 : 1+most] {
		words, values := 0, 0
		for k, s := range shapes {
			switch {
			case k >= len(row) || row[k] == "":
			case shape(row[k]) == s || isValue(row[k]):
				values++
			default:
				words++
			}
		}
		// Under one such row another may leave most columns empty.
		if values > 0 || words == 0 || more == 0 && (words < 2 || 2*words < len(shapes)) {
			break
		}
		more++
	}
	return more
}

// headerNames decides which of several header rows name the columns.
func (d *detection) headerNames(r records) {
	if set(d, "headerNames", d.given.HeaderNames, &d.layout.HeaderNames, "") || d.layout.HeaderRows < 2 ||
		len(r.cells) == 0 {
		return
	}
	names := map[string]bool{}
	for _, cell := range r.cells[0] {
		names[strings.TrimSpace(cell)] = true
	}
	if len(names) == len(r.cells[0]) && !names[""] {
		d.layout.HeaderNames = First
		d.note("headerNames", First, 0.85, "the first of the header rows names every column, each by another name")
		return
	}
	d.note("headerNames", Joined, 0.8,
		"the first of the header rows does not name every column, so that the rows are joined")
}
