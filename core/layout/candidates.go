package layout

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"sieb/core/delimited"
)

// delimiters are those that are always tried.
var delimiters = []string{",", ";", "\t", "|", ":", "^", "~", " "}

// candidates returns the delimiters to try: the usual ones, and any other sign, or
// run of up to four signs, that stands in most of the first lines.
func candidates(text []byte) []string {
	const looked = 200
	all := slices.Clone(delimiters)
	counts := map[string]int{}
	lines := 0
	for i := 0; i < len(text) && lines < looked; {
		end, next := delimited.LineEnd(text, i)
		if end > i {
			lines++
		}
		seen := map[string]bool{}
		for line := text[i:min(end, i+4096)]; len(line) > 0; {
			n := signs(line)
			if n == 0 {
				_, size := utf8.DecodeRune(line)
				line = line[size:]
				continue
			}
			run := string(line[:n])
			line = line[n:]
			if utf8.RuneCountInString(run) <= 4 && strings.IndexFunc(run, isCurrency) < 0 { // ;$ before an amount is ;
				seen[run] = true
			}
			for _, r := range run {
				seen[string(r)] = true
			}
			// Empty cells make the delimiter follow itself, and a sign may begin the
			// cell behind it.
			if half := run[:len(run)/2]; half+half == run {
				seen[half] = true
			}
			if len(run) > 2 && run[0] == run[1] && run[0] < utf8.RuneSelf {
				seen[run[:2]] = true
			}
		}
		for run := range seen {
			counts[run]++
		}
		i = next
	}
	var more []string
	for run, n := range counts {
		if 2*n >= lines && lines > 1 && !slices.Contains(all, run) && !slices.Contains([]string{".", "-", "_", "/",
			"+"}, run) {
			more = append(more, run)
		}
	}
	// The most frequent first, so that the result does not hang on the map's order.
	slices.SortFunc(more, func(a, b string) int {
		if counts[a] != counts[b] {
			return counts[b] - counts[a]
		}
		return strings.Compare(a, b)
	})
	const most = 6
	return append(all, more[:min(len(more), most)]...)
}

func isCurrency(r rune) bool { return unicode.Is(unicode.Sc, r) }

// signs counts the bytes at the start of a line that are signs: neither letters,
// digits, blanks nor quotes.
func signs(line []byte) (n int) {
	for n < len(line) {
		r, size := utf8.DecodeRune(line[n:])
		if r == utf8.RuneError || r == '"' || r == '\'' || r == '\\' || r == ' ' || r == '\t' || unicode.IsLetter(r) ||
			unicode.IsDigit(r) || unicode.Is(unicode.M, r) {
			break
		}
		n += size
	}
	return n
}

// quotesBehindBlanks reports whether cells are quoted behind blanks that follow
// the delimiter, so that the blanks must be left out for the quotes to count.
func quotesBehindBlanks(text []byte, delimiter, quote string) bool {
	return delimiter != "" && delimiter != " " && quote != "" && bytes.Contains(text, []byte(delimiter+" "+quote)) &&
		!bytes.Contains(text, []byte(delimiter+quote))
}

// trim decides whether blanks around cells belong to them: where nearly all
// cells have them, they are a habit of writing.
func (d *detection) trim(best *trial) {
	if best.trim {
		d.layout.Trim = true
		d.note("trim", "true", 0.9, "quotes follow blanks: the blanks do not belong to the cells")
		return
	}
	cells, blanks := 0, 0
	for _, row := range best.records.cells {
		for k, cell := range row {
			if k == 0 || strings.TrimSpace(cell) == "" {
				continue
			}
			if cells++; cell[0] == ' ' || cell[len(cell)-1] == ' ' {
				blanks++
			}
		}
	}
	if best.width > 1 && cells > 0 && 10*blanks >= 9*cells {
		d.layout.Trim = true
		d.note("trim", "true", 0.85, fmt.Sprintf("%d of %d cells have blanks around them: a habit of the sender",
			blanks,
			cells))
		return
	}
	d.note("trim", "false", 0.9, "blanks around cells are kept; few cells have them")
}

// tryFolding finds out whether single values, one a line, make rows: whether every
// nth line is of one kind. The records become rows where they do.
func (d *detection) tryFolding(text []byte, r *records) {
	n := 0
	lines := d.values(text)
	if !set(d, "fold", d.given.Fold, &d.layout.Fold, "") {
		var why string
		if n, why = period(lines.cells); n == 0 {
			return
		}
		d.layout.Fold = n
		d.note("fold", strconv.Itoa(n), 0.8, why)
	}
	if n = d.layout.Fold; n == 0 {
		return
	}
	d.width = n
	d.layout.Delimiter = ""
	d.revise("delimiter", Name(""), 0.8, "every line is one value")
	var rows records
	for i := 0; i+n <= len(lines.cells); i += n {
		row := make([]string, n)
		for k := range row {
			row[k] = lines.cells[i+k][0]
		}
		rows.cells, rows.line = append(rows.cells, row), append(rows.line, lines.line[i])
	}
	*r = rows
}

// values reads the head as one value a line. A blank line is an empty value.
func (d *detection) values(text []byte) (r records) {
	dialect := delimited.Dialect{Quote: d.layout.QuoteChar}
	var rec delimited.Record
	for i, line := 0, 1; i < len(text) && len(r.cells) < maxRecords; line++ {
		end, next := delimited.LineEnd(text, i)
		if line <= deref(d.given.SkipRows) ||
			d.layout.CommentPrefix != "" && bytes.HasPrefix(text[i:end], []byte(d.layout.CommentPrefix)) {
			i = next
			continue
		}
		if !dialect.Scan(text, i, d.whole, 0, &rec) {
			break
		}
		r.cells, r.line = append(r.cells, []string{string(text[rec.Cells[0].Start:rec.Cells[0].End])}),
			append(r.line, line)
		line += rec.Lines - 1
		i = rec.Next
	}
	for n := len(r.cells); n > 0 && strings.TrimSpace(r.cells[n-1][0]) == ""; n-- {
		r.cells, r.line = r.cells[:n-1], r.line[:n-1]
	}
	return r
}

const (
	leastFold = 2
	mostFold  = 40
)

// period finds after how many lines the kinds of values recur.
func period(lines [][]string) (n int, why string) {
	kinds := make([]string, len(lines))
	values := 0
	for i, row := range lines {
		if kinds[i] = kindOf(row[0]); kinds[i] != "a" {
			values++
		}
	}
	if 3*values < len(kinds) {
		return 0, "" // words, not values
	}
	steady := func(n int) float64 {
		same := 0
		for k := range n {
			counts := map[string]int{}
			for i := k; i < len(kinds); i += n {
				counts[kinds[i]]++
			}
			most := 0
			for _, c := range counts {
				most = max(most, c)
			}
			same += most
		}
		return float64(same) / float64(len(kinds))
	}
	flat := steady(1)
	for n := leastFold; n <= mostFold && 4*n <= len(kinds); n++ {
		if s := steady(n); s >= 0.95 && s >= flat+0.2 {
			why := fmt.Sprintf("every line is one value, and the same kind of value recurs every %d lines", n)
			if rest := len(kinds) % n; rest > 0 && len(kinds) < maxRecords {
				why += fmt.Sprintf("; %d values are left over at the end", rest)
			}
			return n, why
		}
	}
	return 0, ""
}

// kindOf tells values apart: dates and times by how they are written, numbers,
// codes by their shape, and words.
func kindOf(cell string) string {
	switch s := shape(cell); {
	case IsDate([]byte(cell)):
		return "date " + s
	case isValue(cell):
		return "number"
	case strings.ContainsAny(s, "9"):
		return s
	}
	return "a"
}
