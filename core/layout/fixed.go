package layout

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"sieb/core/delimited"
)

// maxFixed is how wide, in characters, the lines are that cuts are looked for in.
const maxFixed = 4000

// findCuts looks for columns of blanks that run through nearly all lines; a
// cell begins behind each. It returns nil where the lines are not of fixed width.
func findCuts(text []byte, comment string) (cuts []int, lines int) {
	var rows [][]rune
	padded := 0
	for i := 0; i < len(text) && len(rows) < maxRecords; {
		end, next := delimited.LineEnd(text, i)
		line := strings.TrimRight(string(text[i:end]), " \t")
		isLast := next == len(text) // it may be cut off
		i = next
		if strings.TrimSpace(line) == "" || comment != "" && strings.HasPrefix(line, comment) || isLast && len(rows) > 20 {
			continue
		}
		if strings.Contains(strings.TrimLeft(line, " "), "  ") {
			padded++
		}
		rows = append(rows, []rune(line))
	}
	if len(rows) < 3 {
		return nil, 0
	}
	// In few lines single blanks stand below one another by chance.
	const many = 15
	isPadded := padded*2 >= len(rows)
	if !isPadded && len(rows) < many {
		return nil, 0
	}
	width := 0
	for _, r := range rows {
		width = max(width, min(len(r), maxFixed))
	}
	filled := make([]int, width)
	for _, r := range rows {
		for k := range min(len(r), width) {
			if r[k] != ' ' {
				filled[k]++
			}
		}
	}
	// A title or a line of totals may run across the gaps.
	few := max(1, len(rows)/12)
	if len(rows) < 8 {
		few = 0
	}
	var gaps []span
	from := 0
	for k := range width {
		if filled[k] <= few {
			continue
		}
		if from > 0 && from < k {
			gaps = append(gaps, span{from, k})
		}
		from = k + 1
	}
	if cuts = withinValues(rows, cutGaps(rows, gaps, width)); len(cuts) == 0 && !isPadded {
		cuts = classCuts(rows)
	}
	return cuts, len(rows)
}

// withinValues takes the cuts away that part what belongs together though a
// blank runs through it: a date from its time, a word that all lines begin a
// cell with from the rest, and what has no name in a header where all else has.
func withinValues(rows [][]rune, cuts []int) []int {
	cell := func(r []rune, from, to int) string {
		if from >= len(r) {
			return ""
		}
		return strings.TrimSpace(string(r[from:min(to, len(r))]))
	}
	ends := func(k int) (from, to int) {
		from, to = 0, maxFixed
		if k > 0 {
			from = cuts[k-1]
		}
		if k+1 < len(cuts) {
			to = cuts[k+1]
		}
		return from, to
	}
	for k := 0; k < len(cuts); {
		from, to := ends(k)
		single, dated, words, prefixed, named := 0, 0, map[string]int{}, 0, 0
		for i, r := range rows {
			left, right := cell(r, from, cuts[k]), cell(r, cuts[k], to)
			if left == "" || right == "" {
				if i < 5 && left != "" && right == "" {
					named++ // a header may name both together
				}
				continue
			}
			if c := cuts[k]; c >= 2 && c < len(r) && r[c-1] == ' ' && r[c-2] != ' ' && r[c] != ' ' {
				single++
			}
			if IsDate([]byte(left)) && len(right) >= 5 && isDigit(right[0]) && right[2] == ':' {
				dated++
			}
			if words[left]++; words[left] > prefixed && strings.IndexFunc(left, func(r rune) bool { return !unicode.IsLetter(r) }) < 0 {
				prefixed = words[left]
			}
		}
		n := len(rows)
		isOneBlank := 10*single >= 9*n
		if 10*dated >= 9*n || isOneBlank && 10*prefixed >= 9*n || isOneBlank && named == 1 && fillsHeader(rows, cuts, k) {
			cuts = slices.Delete(cuts, k, k+1)
			continue
		}
		k++
	}
	return cuts
}

// fillsHeader tells whether one of the first lines names every cell but the one
// behind a cut.
func fillsHeader(rows [][]rune, cuts []int, but int) bool {
	for _, r := range rows[:min(5, len(rows))] {
		names := 0
		for k := -1; k < len(cuts); k++ {
			from, to := 0, len(r)
			if k >= 0 {
				from = cuts[k]
			}
			if k+1 < len(cuts) {
				to = min(to, cuts[k+1])
			}
			isNamed := from < to && strings.TrimSpace(string(r[from:to])) != ""
			if isNamed == (k == but) {
				names = -1
				break
			}
			names++
		}
		if names > 0 {
			return true
		}
	}
	return false
}

// classCuts finds cuts in lines of one length that hold no blanks between cells:
// places where, in nearly all lines, letters end and digits begin, or the
// reverse. Few lines, or short ones, show such places by chance.
func classCuts(rows [][]rune) (cuts []int) {
	const leastLines, leastLength = 20, 12
	width := len(rows[0])
	same := 0
	for _, r := range rows {
		if len(r) == width {
			same++
		}
	}
	if len(rows) < leastLines || width < leastLength || 20*same < 19*len(rows) {
		return nil
	}
	class := func(r rune) byte {
		switch {
		case unicode.IsDigit(r):
			return '9'
		case unicode.IsLetter(r), r == ' ':
			return 'a' // blanks fill up words
		}
		return '-'
	}
	for k := 1; k < width; k++ {
		changes := map[[2]byte]int{}
		for _, r := range rows {
			if len(r) == width {
				changes[[2]byte{class(r[k-1]), class(r[k])}]++
			}
		}
		if 20*max(changes[[2]byte{'a', '9'}], changes[[2]byte{'9', 'a'}]) >= 19*same {
			cuts = append(cuts, k)
		}
	}
	if len(cuts) < 2 {
		return nil // a list of codes
	}
	return cuts
}

// span is a run of columns of blanks: from and to (not including) a character.
type span struct{ from, to int }

// cutGaps picks the place of each cut: the last one in its gap at which no word
// is cut, be it a header's, which reaches into the gap. A gap through which a
// word runs lies inside a column, between words that happen to be aligned;
// titles, which run through half of the gaps or end early, are not asked.
func cutGaps(rows [][]rune, gaps []span, width int) (cuts []int) {
	runs := func(r []rune, g span) bool {
		for k := g.from; k <= g.to; k++ {
			if k >= len(r) || r[k] == ' ' || r[k-1] == ' ' {
				return false
			}
		}
		return true
	}
	var words [][]rune
	for _, r := range rows {
		n := 0
		for _, g := range gaps {
			if runs(r, g) {
				n++
			}
		}
		if 2*n < max(1, len(gaps)) && 5*len(r) > 3*width {
			words = append(words, r)
		}
	}
	for _, g := range gaps {
		cut := 0
		for k := g.to; k > g.from && cut == 0; k-- {
			if !slices.ContainsFunc(words, func(r []rune) bool { return k < len(r) && r[k] != ' ' && r[k-1] != ' ' }) {
				cut = k
			}
		}
		if cut > 0 {
			cuts = append(cuts, cut)
		}
	}
	return cuts
}

// fixed decides whether the text is of fixed width: whether its cells make more
// sense than those of the best delimiter, whose score is given.
func (d *detection) fixed(text []byte, r *records, score float64) bool {
	if d.given.Form != nil && *d.given.Form != "fixed" || d.given.Delimiter != nil {
		return false
	}
	l := d.layout
	confidence, why := 1.0, byHand
	if d.given.Cuts != nil {
		l.Cuts = *d.given.Cuts
	} else {
		cuts, lines := findCuts(text, l.CommentPrefix)
		l.Cuts = append([]int{}, cuts...)
		confidence, why = 0.85, fmt.Sprintf("columns of blanks run through %d lines at these places", lines)
		if !bytes.Contains(text, []byte("  ")) {
			confidence, why = 0.6, fmt.Sprintf("%d lines are of one length, and letters and digits take turns at these places", lines)
		}
	}
	cut := scanFixed(text, l, d.whole)
	if d.given.Form == nil && d.given.Cuts == nil {
		width, count := cut.mode()
		if len(l.Cuts) == 0 || d.score(&cut, width, count, "", "") <= score {
			return false
		}
	}
	d.note("cuts", fmt.Sprint(l.Cuts), confidence, why)
	d.note("delimiter", Name(""), 0.9, "cells end at the cuts")
	d.note("quoteChar", Name(""), 0.9, "cells end at the cuts")
	d.layout.Form, d.layout.Delimiter, d.layout.QuoteChar, d.layout.Cuts = "fixed", "", "", l.Cuts
	d.width = len(l.Cuts) + 1
	*r = cut
	return true
}

// scanFixed reads the head as lines of fixed width. A line that runs across a
// cut, or ends before half of them, is taken as one cell, as titles are.
func scanFixed(text []byte, l Layout, whole bool) (r records) {
	line := 1
	for i := 0; i < len(text) && len(r.cells) < maxRecords; line++ {
		end, next := delimited.LineEnd(text, i)
		if next == len(text) && !whole && len(r.cells) > 0 {
			break
		}
		row := string(text[i:end])
		i = next
		if strings.TrimSpace(row) == "" || l.CommentPrefix != "" && strings.HasPrefix(row, l.CommentPrefix) || line <= l.SkipRows {
			continue
		}
		var cells []string
		for _, s := range delimited.CutLine(nil, []byte(row), 0, len(row), l.Cuts) {
			cells = append(cells, row[s.Start:s.End])
		}
		if isTitle([]rune(row), l.Cuts) {
			cells = []string{row}
		}
		r.cells, r.line = append(r.cells, cells), append(r.line, line)
	}
	return r
}

// isTitle tells whether a line is none of the table's: it ends before half of
// the cuts, or words run through more than a third of them. A cut at the wrong
// place, which every row runs through, makes no titles of the rows.
func isTitle(row []rune, cuts []int) bool {
	through := 0
	for _, c := range cuts {
		if c < len(row) && row[c] != ' ' && row[c-1] != ' ' {
			through++
		}
	}
	return len(cuts) > 0 && (len(row) <= cuts[len(cuts)/2] || 3*through > len(cuts) && slices.Contains(row, ' '))
}
