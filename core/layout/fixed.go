package layout

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"sieb/core/delimited"
)

// maxFixed is how wide, in characters, the lines are that cuts are looked for in.
const maxFixed = 4000

// findCuts looks for columns of blanks that run through nearly all lines; a
// cell begins behind each; without any, for changes between letters and digits. It
// returns no cuts where the lines are not of fixed width.
func findCuts(text []byte, comment string) (found foundCuts) {
	var rows [][]rune
	padded := 0
	for i := 0; i < len(text) && len(rows) < maxRecords; {
		end, next := delimited.LineEnd(text, i)
		line := strings.TrimRight(string(text[i:end]), " \t")
		isLast := next == len(text) // it may be cut off
		i = next
		if strings.TrimSpace(line) == "" || comment != "" && strings.HasPrefix(line, comment) ||
			isLast && len(rows) > 20 {
			continue
		}
		if strings.Contains(strings.TrimLeft(line, " "), "  ") {
			padded++
		}
		rows = append(rows, []rune(line))
	}
	if len(rows) < 3 {
		return found
	}
	// In few lines single blanks stand below one another by chance.
	const many = 15
	found.isPadded = padded*2 >= len(rows)
	if !found.isPadded && len(rows) < many {
		return found
	}
	width := 0
	for _, r := range rows {
		width = max(width, min(len(r), maxFixed))
	}
	// Titles above the table and totals below it are left out where there are
	// lines enough.
	body := rows
	const above, below = 5, 2
	if len(rows) >= 20 {
		body = rows[above : len(rows)-below]
	}
	body, _ = withoutHeads(body, width)
	// A line that is out of order may run across the gaps.
	few := len(body) / 50
	if len(rows) < 20 && len(rows) >= 8 {
		few = 1
	}
	gaps := gapsOf(body, width, few)
	_, lines := withoutHeads(rows, width)
	found.cuts = withinValues(lines, cutGaps(lines, gaps, width))
	found.confidence, found.why = 0.85, fmt.Sprintf("columns of blanks run through %d lines at these places", len(rows))
	if len(found.cuts) == 0 && !found.isPadded {
		found.cuts = classCuts(rows)
		found.confidence, found.why = 0.6,
			fmt.Sprintf("%d lines are of one length, and letters and digits alternate at these positions", len(rows))
	}
	return found
}

// gapsOf finds the columns of characters that are blank in all but a few lines, between others.
func gapsOf(rows [][]rune, width, few int) (gaps []span) {
	filled := make([]int, width)
	for _, r := range rows {
		for k := range min(len(r), width) {
			if r[k] != ' ' {
				filled[k]++
			}
		}
	}
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
	return gaps
}

// withoutHeads leaves out the lines that run across what are gaps in nearly all others, as the heads of pages and lines
// of hyphens do, or across one and hold little besides, as sums. What names each column is a header, whose words reach
// into gaps and tell where in them columns begin: it stands in lines only.
func withoutHeads(rows [][]rune, width int) (body, lines [][]rune) {
	const mostHeads = 6 // a sixth of the lines
	gaps := gapsOf(rows, width, len(rows)/mostHeads)
	for _, r := range rows {
		holds := func(from, to int) bool {
			return from < len(r) && slices.ContainsFunc(r[from:min(to, len(r))], func(c rune) bool { return c != ' ' })
		}
		into, across, filled, from := 0, 0, 0, 0
		for _, g := range gaps {
			if holds(g.from, g.to) {
				into++
				if g.to <= len(r) && !slices.Contains(r[g.from:g.to], ' ') {
					across++
				}
			}
			if holds(from, g.from) {
				filled++
			}
			from = g.to
		}
		if holds(from, len(r)) {
			filled++
		}
		switch {
		case into == 0 || 3*into < len(gaps) && 2*filled > len(gaps):
			body, lines = append(body, r), append(lines, r)
		case filled > len(gaps) && 3*across < len(gaps):
			lines = append(lines, r)
		}
	}
	return body, lines
}

// foundCuts is cuts with their evidence.
type foundCuts struct {
	cuts       []int
	isPadded   bool // runs of blanks stand in most of the lines
	confidence float64
	why        string
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
			if words[left]++; words[left] > prefixed && strings.IndexFunc(left,
				func(r rune) bool { return !unicode.IsLetter(r) }) < 0 {
				prefixed = words[left]
			}
		}
		n := len(rows)
		isOneBlank := 10*single >= 9*n
		if 10*dated >= 9*n || isOneBlank && 10*prefixed >= 9*n ||
			isOneBlank && named == 1 && fillsHeader(rows, cuts, k) {
			cuts = slices.Delete(cuts, k, k+1)
			continue
		}
		k++
	}
	return cuts
}

// fillsHeader reports whether one of the first lines names every cell but the one
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
// sense than those of the best delimiter. Where the lines are not padded, a
// delimiter that reads them steadily is the likelier.
func (d *detection) fixed(text []byte, r *records, best *trial) bool {
	if d.given.Form != nil && *d.given.Form != Fixed || d.given.Delimiter != nil {
		return false
	}
	l := d.layout
	confidence, why := 1.0, byHand
	if d.given.Cuts != nil {
		l.Cuts = *d.given.Cuts
	} else {
		found := findCuts(text, l.CommentPrefix)
		if d.given.Form == nil && !found.isPadded && best.width > 1 && 10*best.count >= 9*len(best.records.cells) {
			return false
		}
		l.Cuts = append([]int{}, found.cuts...)
		confidence, why = found.confidence, found.why
	}
	cut, u := scanFixed(text, l, d.whole)
	if d.given.Form == nil && d.given.Cuts == nil {
		width, count := cut.mode()
		if len(l.Cuts) == 0 || d.score(&cut, width, count, "", "") <= best.score {
			return false
		}
	}
	d.note("cuts", fmt.Sprint(l.Cuts), confidence, why)
	d.note("delimiter", Name(""), 0.9, "cells end at the cuts")
	d.note("quoteChar", Name(""), 0.9, "cells end at the cuts")
	d.layout.Form, d.layout.Delimiter, d.layout.QuoteChar, d.layout.Cuts = Fixed, "", "", l.Cuts
	d.width, d.ruler = len(l.Cuts)+1, u
	*r = cut
	return true
}

// scanFixed reads the head as lines of fixed width. A title is taken as one cell.
func scanFixed(text []byte, l Layout, whole bool) (r records, u ruler) {
	var rows [][]rune
	line := 1
	for i := 0; i < len(text) && len(r.cells) < maxRecords; line++ {
		end, next := delimited.LineEnd(text, i)
		if next == len(text) && !whole && len(r.cells) > 0 {
			break
		}
		row := string(text[i:end])
		i = next
		if strings.TrimSpace(row) == "" || l.CommentPrefix != "" && strings.HasPrefix(row, l.CommentPrefix) ||
			line <= l.SkipRows {
			continue
		}
		var cells []string
		for _, s := range delimited.CutLine(nil, []byte(row), 0, len(row), l.Cuts) {
			cells = append(cells, row[s.Start:s.End])
		}
		r.cells, r.line, rows = append(r.cells, cells), append(r.line, line), append(rows, []rune(row))
	}
	u = newRuler(rows, l.Cuts)
	var titles []int
	for i, row := range rows {
		if u.isTitle(row) {
			titles = append(titles, i)
		}
	}
	// Cuts at the wrong places make no titles of the rows.
	if 2*len(titles) <= len(rows) {
		for _, i := range titles {
			r.cells[i] = []string{string(rows[i])}
		}
	}
	return r, u
}

// ruler is the cuts with what the lines make of them.
type ruler struct {
	cuts  []int
	left  []bool // the cells behind the cut begin right at it
	usual int    // cuts that lines reach, the median
}

func newRuler(rows [][]rune, cuts []int) ruler {
	u := ruler{cuts: cuts, left: make([]bool, len(cuts))}
	for k := range cuts {
		begun, filled := 0, 0
		for _, r := range rows {
			if at := u.begin(r, k); at >= 0 {
				if filled++; at == 0 {
					begun++
				}
			}
		}
		u.left[k] = filled > 0 && 10*begun >= 9*filled
	}
	reached := make([]int, len(rows))
	for i, r := range rows {
		reached[i], _ = slices.BinarySearch(cuts, len(r))
	}
	if slices.Sort(reached); len(reached) > 0 {
		u.usual = reached[len(reached)/2]
	}
	return u
}

// begin tells how far behind a cut its cell begins, -1 for an empty one.
func (u *ruler) begin(row []rune, k int) int {
	to := len(row)
	if k+1 < len(u.cuts) {
		to = min(to, u.cuts[k+1])
	}
	for i := u.cuts[k]; i < to; i++ {
		if row[i] != ' ' {
			return i - u.cuts[k]
		}
	}
	return -1
}

// isTitle reports whether a line does not belong to the table: nothing stands behind the
// first cut, or the line ends long before the others, or at most of the cuts that
// it reaches a word runs through, or a cell does not begin where those of the
// other lines do. A value that is too wide runs through one cut, words through a quarter of them.
func (u *ruler) isTitle(row []rune) bool {
	wrong, through, reached, filled := 0, 0, 0, 0
	for k, c := range u.cuts {
		if c >= len(row) {
			break
		}
		reached++
		at := u.begin(row, k)
		if at >= 0 {
			filled++
		}
		if row[c] != ' ' && row[c-1] != ' ' {
			through++
			wrong++
		} else if at > 0 && u.left[k] {
			wrong++
		}
	}
	return len(u.cuts) > 0 && (filled == 0 || 3*reached <= u.usual || slices.Contains(row, ' ') &&
		(2*wrong > reached || through > 1 && 4*through >= len(u.cuts)))
}
