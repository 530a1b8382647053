package layout

import (
	"fmt"
	"strings"
)

// A header may have one name less or more than the rows have cells: a delimiter closes
// each row, or the header alone, or row numbers stand in front without a name. It is a
// header all the same.

// closing finds a delimiter that closes each row, so that the last cell is empty
// throughout and no name stands over it, and takes that cell off.
func (d *detection) closing(r *records) {
	if set(d, "closingDelimiter", d.given.ClosingDelimiter, &d.layout.ClosingDelimiter, "") {
		if d.layout.ClosingDelimiter {
			d.takeOff(r)
		}
		return
	}
	width := d.width
	if d.layout.Form != Delimited || d.layout.Fold > 0 || d.layout.Delimiter == "" || d.layout.Delimiter == " " ||
		width < 2 {
		return
	}
	closed, open := 0, 0
	for _, cells := range r.cells {
		switch {
		case len(cells) == width && cells[width-1] == "":
			closed++
		case len(cells) >= width:
			open++
		}
	}
	if closed < 3 || open > 0 {
		return
	}
	d.layout.ClosingDelimiter = true
	d.note("closingDelimiter", "true", 0.9,
		fmt.Sprintf("%d rows end with a delimiter that no header name belongs to: it only closes the row",
			closed))
	d.takeOff(r)
}

// takeOff takes the empty cell behind a closing delimiter off the rows.
func (d *detection) takeOff(r *records) {
	for i, cells := range r.cells {
		if len(cells) == d.width && cells[d.width-1] == "" {
			r.cells[i] = cells[:d.width-1]
		}
	}
	d.width--
}

// nameless looks at the line above the first row of the table's width, which is row
// first. Where it holds one name less or more than the row has cells, it is the header:
// the row of it is returned, filled up to the table's width.
func (d *detection) nameless(r *records, first int) (int, bool) {
	if first == 0 || d.width < 3 || d.layout.Form != Delimited || d.layout.Fold > 0 || first >= len(r.cells) ||
		r.line[first] != r.line[first-1]+1 {
		return first, false
	}
	above := r.cells[first-1]
	if len(above) == d.width+1 && above[d.width] == "" && areNames(above[:d.width]) {
		r.cells[first-1] = above[:d.width]
		return first - 1, true
	}
	if len(above) != d.width-1 || !areNames(above) {
		return first, false
	}
	if rows, _, _ := firstRow(records{cells: r.cells[first:]}); rows == 1 && len(r.cells) > first+1 {
		return first, false // that line names the columns itself
	}
	if d.given.Nameless == nil {
		d.layout.Nameless = Last
		why := "the last column has no name"
		if rowsAreNamed(r.cells[first:], above[0]) {
			d.layout.Nameless, why = First, "the first column, in which all values differ, has no name"
		}
		d.note("nameless", d.layout.Nameless, 0.8, fmt.Sprintf("the header holds %d names and the rows %d cells: %s",
			len(above), d.width, why))
	}
	if d.layout.Nameless == First {
		r.cells[first-1] = append([]string{""}, above...)
	} else {
		r.cells[first-1] = append(above[:len(above):len(above)], "")
	}
	return first - 1, true
}

// areNames reports whether all cells are words, each another one.
func areNames(cells []string) bool {
	seen := map[string]bool{}
	for _, cell := range cells {
		name := strings.TrimSpace(cell)
		if name == "" || seen[name] || isValue(name) && !isYear(name) || mostlyDigits(name) {
			return false
		}
		seen[name] = true
	}
	return true
}

// rowsAreNamed reports whether the first cells of the rows look like names or numbers of
// rows that stand under no name: they all differ, and the first name is not one for
// them.
func rowsAreNamed(rows [][]string, name string) bool {
	switch strings.Trim(strings.ToLower(name), " .:#") {
	case "no", "nr", "num", "number", "nummer", "id", "index", "row", "line", "zeile", "pos", "key", "":
		return false
	}
	seen := map[string]bool{}
	for _, cells := range rows {
		if len(cells) == 0 || seen[cells[0]] {
			return false
		}
		seen[cells[0]] = true
	}
	return true
}
