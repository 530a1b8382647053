package layout

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"sieb/core/delimited"
	"sieb/core/value"
)

// Detect guesses the layout from a sample of a delivery. Settings in given are
// kept, and the others are judged around them. It always returns a layout that
// can be read with; how sure it is stands in the evidence, one entry per setting.
// The only error is that of ctx, whose end ends the detection.
func Detect(ctx context.Context, sample Sample, given Given) (Layout, []Evidence, error) {
	d := detection{rivals: map[string][]string{}, layout: Layout{Form: Delimited, DoubleQuote: true,
		SkipBlankRows: true, HeaderNames: Joined, Cuts: []int{}}, given: given, whole: sample.Tail == nil,
		ended: func() bool { return ctx.Err() != nil }}
	text, last := d.encoding(&sample)
	d.lineEnds(text)
	d.comment(text)
	records := d.dialect(text)
	d.header(records)
	d.headerNames(records)
	d.footer(text, last, records)
	return d.layout, d.sorted(), ctx.Err()
}

// sorted returns the evidence in the order in which the settings act.
func (d *detection) sorted() []Evidence {
	order := []string{"form", "encoding", "sheet", "lineTerminator", "cuts", "delimiter", "quoteChar", "doubleQuote",
		"trim", "closingDelimiter", "skipBlankRows", "commentPrefix", "fold", "skipRows", "skipColumns",
		"headerRows", "headerNames", "nameless", "footerRows", "merged", "hidden"}
	slices.SortStableFunc(d.evidence, func(a, b Evidence) int {
		return cmp.Compare(slices.Index(order, a.Setting), slices.Index(order, b.Setting))
	})
	// What follows from the delimiter, or from the form where cuts are in its place,
	// is no surer than that.
	surest := 1.0
	for k := range d.evidence {
		e := &d.evidence[k]
		e.Next = d.others(e.Setting)
		switch e.Setting {
		case "form", "delimiter":
			if isFixed := d.layout.Form == Fixed; isFixed == (e.Setting == "form") {
				surest = max(0.5, e.Confidence)
			}
		case "quoteChar", "trim", "skipRows", "headerRows", "footerRows":
			if e.Why != byHand {
				e.Confidence = min(e.Confidence, surest)
			}
		}
	}
	return d.evidence
}

type detection struct {
	layout   Layout
	given    Given
	evidence []Evidence
	rivals   map[string][]string // per setting what else was considered, best first
	whole    bool
	width    int   // cells in a row of the table
	ruler    ruler // of fixed form
	ended    func() bool
}

func (d *detection) note(setting, value string, confidence float64, why string) {
	d.evidence = append(d.evidence, Evidence{Setting: setting, Value: value, Confidence: confidence, Why: why})
}

// revise replaces the evidence of a setting that a later look sees otherwise;
// one that was set by hand keeps it.
func (d *detection) revise(setting, value string, confidence float64, why string) {
	for k := range d.evidence {
		if e := &d.evidence[k]; e.Setting == setting && e.Why != byHand {
			*e = Evidence{Setting: setting, Value: value, Confidence: confidence, Why: why}
		}
	}
}

const byHand = "set by hand"

// set takes over a setting that was made by hand.
func set[T any](d *detection, setting string, given *T, to *T, show string) bool {
	if given == nil {
		return false
	}
	*to = *given
	if show == "" {
		show = fmt.Sprint(*given)
	}
	d.note(setting, show, 1, byHand)
	return true
}

// encoding decides the encoding and returns head and tail as UTF-8.
func (d *detection) encoding(s *Sample) (text, last []byte) {
	set(d, "form", d.given.Form, &d.layout.Form, "")
	if !set(d, "encoding", d.given.Encoding, &d.layout.Encoding, "") {
		g := guessEncoding(s)
		d.layout.Encoding = g.encoding
		d.note("encoding", g.encoding, g.confidence, g.why)
		d.rivals["encoding"] = []string{g.next}
	}
	mark := Mark(s.Head, d.layout.Encoding)
	d.layout.ByteOrderMark = mark > 0
	return toUTF8(s.Head[mark:], d.layout.Encoding), toUTF8(s.Tail, d.layout.Encoding)
}

func toUTF8(b []byte, encoding string) []byte {
	e, err := EncodingOf(encoding)
	if err != nil || e.Codec == nil {
		return b
	}
	out, err := e.Codec.NewDecoder().Bytes(b)
	if err != nil {
		return b
	}
	return out
}

// cutRune drops a character that is cut off at the end of b.
func cutRune(b []byte) []byte {
	for k := 1; k < utf8.UTFMax && k <= len(b); k++ {
		if utf8.RuneStart(b[len(b)-k]) {
			if !utf8.FullRune(b[len(b)-k:]) {
				return b[:len(b)-k]
			}
			break
		}
	}
	return b
}

// startRune drops the rest of a character that was cut off before b.
func startRune(b []byte) []byte {
	for k := 0; k < utf8.UTFMax-1 && k < len(b); k++ {
		if utf8.RuneStart(b[k]) {
			return b[k:]
		}
	}
	return b
}

func (d *detection) lineEnds(text []byte) {
	var lf, crlf, cr int
	for i := 0; i < len(text); {
		end, next := delimited.LineEnd(text, i)
		switch {
		case next == end:
		case next == end+2:
			crlf++
		case text[end] == '\n':
			lf++
		case next < len(text) || d.whole:
			cr++
		}
		i = next
	}
	kinds := 0
	for _, k := range []struct {
		name string
		n    int
	}{{"lf", lf}, {"crlf", crlf}, {"cr", cr}} {
		if k.n > 0 {
			kinds++
			d.layout.LineTerminator = k.name
		}
	}
	switch kinds {
	case 0:
		d.layout.LineTerminator = "lf"
		d.note("lineTerminator", "lf", 0.5, "no line end was seen")
	case 1:
		d.note("lineTerminator", d.layout.LineTerminator, 1, "all line ends examined are of this kind")
	default:
		d.layout.LineTerminator = "mixed"
		d.note("lineTerminator", "mixed", 1, fmt.Sprintf("%d LF, %d CRLF, %d CR; all are read as line ends", lf, crlf,
			cr))
	}
}

func (d *detection) comment(text []byte) {
	if set(d, "commentPrefix", d.given.CommentPrefix, &d.layout.CommentPrefix, "") {
		return
	}
	lines, marked := 0, 0
	for i := 0; i < len(text); lines++ {
		end, next := delimited.LineEnd(text, i)
		if bytes.HasPrefix(text[i:end], []byte("# ")) || string(text[i:end]) == "#" {
			marked++
		}
		i = next
	}
	if marked > 0 && bytes.HasPrefix(text, []byte("#")) && marked < lines {
		d.layout.CommentPrefix = "#"
		d.note("commentPrefix", "#", 0.8,
			fmt.Sprintf("%d of %d lines begin with # and a blank, the first one among them", marked, lines))
		return
	}
	d.note("commentPrefix", "none", 0.9, "the first line does not begin with #")
}

// maxRecords is how many records a candidate dialect is judged by, and maxCells
// how many cells they may have together.
const (
	maxRecords = 1000
	maxCells   = 1 << 18
)

// records scans the head with a dialect. lines[i] is where record i starts.
type records struct {
	cells    [][]string
	line     []int // physical line, from 1
	defects  int
	enclosed int // cells in quotes
}

func scan(text []byte, dialect delimited.Dialect, comment string, skip int, whole bool) (r records) {
	line, i := 1, 0
	for ; skip > 0 && i < len(text); skip-- {
		_, i = delimited.LineEnd(text, i)
		line++
	}
	var rec delimited.Record
	for room := maxCells; i < len(text) && len(r.cells) < maxRecords && room > 0; {
		end, next := delimited.LineEnd(text, i)
		if dialect.IsBlank(text[i:end]) || comment != "" && bytes.HasPrefix(text[i:], []byte(comment)) {
			i = next
			line++
			continue
		}
		if !dialect.Scan(text, i, whole, 0, &rec) {
			break // cut off by the end of the head
		}
		cells := make([]string, len(rec.Cells))
		for k, s := range rec.Cells {
			cells[k] = string(text[s.Start:s.End])
			if q := len(dialect.Quote); q > 0 && int(s.Start)-q >= i &&
				string(text[int(s.Start)-q:s.Start]) == dialect.Quote {
				r.enclosed++
			}
		}
		for _, k := range rec.Escaped {
			cells[k] = string(dialect.Unescape(nil, []byte(cells[k])))
		}
		r.cells = append(r.cells, cells)
		r.line = append(r.line, line)
		r.defects += len(rec.Defects)
		room -= len(cells)
		line += rec.Lines
		i = rec.Next
	}
	return r
}

// mode returns the most common width of the records, the wider one at a tie,
// and how many records have it.
func (r *records) mode() (width, count int) {
	counts := map[int]int{}
	for _, cells := range r.cells {
		counts[len(cells)]++
	}
	for w, n := range counts {
		if n > count || n == count && w > width {
			width, count = w, n
		}
	}
	return width, count
}

// isProse reports whether a row is a line of text that happens to have commas or
// the like: a blank stands behind a delimiter, as it does below in few rows.
func (r *records) isProse(row int) bool {
	blanks := func(cells []string) bool {
		return slices.ContainsFunc(cells[1:], func(c string) bool { return strings.HasPrefix(c, " ") && c != " " })
	}
	if !blanks(r.cells[row]) {
		return false
	}
	below := 0
	for _, cells := range r.cells[row+1:] {
		if len(cells) > 0 && blanks(cells) {
			below++
		}
	}
	return below*10 < len(r.cells)-row-1
}

// isSparse reports whether a row fills not half as many cells as each of the rows
// that follow it.
func (r *records) isSparse(row int) bool {
	const looked = 10
	for _, cells := range r.cells[row+1 : min(len(r.cells), row+1+looked)] {
		if filled(cells) < 2*max(1, filled(r.cells[row])) && filled(cells) > filled(r.cells[row]) {
			return false
		}
	}
	return filled(r.cells[min(len(r.cells)-1, row+2)]) >= 2*max(1, filled(r.cells[row]))
}

// trial is a dialect that the head was read with.
type trial struct {
	delimiter, quote string
	trim             bool
	double           bool // a quote inside a quoted cell is written twice
	records          records
	width, count     int
	score            float64
}

// noteDialect takes over the best trial, with its evidence.
func (d *detection) noteDialect(text []byte, best, second *trial, hasDelimiter, hasQuote bool) {
	n := len(best.records.cells)
	if !hasDelimiter {
		d.layout.Delimiter = best.delimiter
		switch {
		case n == 0:
			d.layout.Delimiter = ","
			d.note("delimiter", Name(","), 0.3, "there is no row to judge by")
		case best.width == 1:
			if d.layout.Delimiter = ","; bytes.Contains(text, []byte(",")) {
				d.layout.Delimiter = ""
			}
			d.note("delimiter", Name(d.layout.Delimiter), 0.6,
				"no delimiter splits the lines into steady columns: one column")
		default:
			confidence := 0.5 + 0.5*float64(best.count)/float64(n)
			if second.score > 0 && second.width > 1 {
				// Only a close second casts a doubt.
				confidence *= 1 - 2*max(0, second.score/best.score-0.75)
				if second.count*n >= best.count*len(second.records.cells) {
					confidence = min(confidence, 0.88) // it gives columns that are as steady
				}
			}
			why := fmt.Sprintf("%s gives %d columns in %d of %d rows", Name(best.delimiter), best.width, best.count, n)
			if second.width > 1 {
				why += fmt.Sprintf("; %s gives %d in %d of %d", Name(second.delimiter), second.width, second.count,
					len(second.records.cells))
			}
			d.note("delimiter", Name(best.delimiter), round(confidence), why)
		}
	}
	if !hasQuote {
		d.layout.QuoteChar = best.quote
		switch {
		case best.records.enclosed == 0:
			d.layout.QuoteChar = `"`
			d.note("quoteChar", Name(`"`), 0.8, "no cell is quoted; the usual quote would be read")
		default:
			d.note("quoteChar", Name(best.quote), 0.95,
				fmt.Sprintf("%d cells stand in quotes of this kind, %d quotes are out of place", best.records.enclosed,
					best.records.defects))
		}
	}
}

// dialect decides delimiter and quote together: each pair reads the head, and
// the one whose rows have the steadiest width and the fewest defects wins.
func (d *detection) dialect(text []byte) records {
	var g givenDialect
	tries, quotes := d.candidates(text, &g)
	g.double = set(d, "doubleQuote", d.given.DoubleQuote, &d.layout.DoubleQuote, "")
	if !g.double {
		d.layout.DoubleQuote = !(bytes.Contains(text, []byte(`\"`)) && !bytes.Contains(text, []byte(`""`)))
	}
	g.trim = set(d, "trim", d.given.Trim, &d.layout.Trim, "")
	best, second, scores := d.contest(text, tries, quotes, &g)
	d.width = best.width
	if !g.double {
		d.noteDoubleQuote(text, &best)
	}
	if !g.delimiter {
		d.rivals["delimiter"] = slices.SortedFunc(maps.Keys(scores), func(a, b string) int {
			return cmp.Or(cmp.Compare(scores[b], scores[a]), cmp.Compare(a, b))
		})
	}
	isFixed := d.fixed(text, &best.records, &best)
	switch {
	case isFixed && d.given.Form == nil:
		d.note("form", Fixed, 0.85, "the lines are padded with blanks to columns of fixed width")
	case !isFixed && d.given.Form == nil:
		d.note("form", Delimited, 0.9, "the bytes are text, and a delimiter fits it better than cuts")
	}
	if !isFixed {
		d.noteDialect(text, &best, &second, g.delimiter, g.quote)
		if best.width == 1 || d.given.Fold != nil {
			d.tryFolding(text, &best.records)
		}
		if !g.trim && d.layout.Fold == 0 {
			d.trim(&best)
		}
	}
	d.blankRows(text, best.width)
	d.skipRows(&best.records)
	return best.records
}

// givenDialect tells which settings of the dialect were given.
type givenDialect struct{ delimiter, quote, trim, double bool }

// candidates returns the delimiters and the quotes that are tried: those that were given, or
// those that there are.
func (d *detection) candidates(text []byte, g *givenDialect) (delimiters, quotes []string) {
	g.delimiter = set(d, "delimiter", d.given.Delimiter, &d.layout.Delimiter, Name(deref(d.given.Delimiter)))
	g.quote = set(d, "quoteChar", d.given.QuoteChar, &d.layout.QuoteChar, Name(deref(d.given.QuoteChar)))
	delimiters, quotes = []string{d.layout.Delimiter}, []string{d.layout.QuoteChar}
	if !g.delimiter {
		delimiters = candidates(text)
	}
	if !g.quote {
		quotes = []string{`"`, "'"}
	}
	return delimiters, quotes
}

// noteDoubleQuote takes over how the best trial reads quotes inside of quoted cells.
func (d *detection) noteDoubleQuote(text []byte, best *trial) {
	d.layout.DoubleQuote = best.double
	switch {
	case !best.double:
		d.note("doubleQuote", "false", 0.8, `quotes inside cells have a backslash before them, and none is doubled`)
	case bytes.Contains(text, []byte(`\"`)):
		d.note("doubleQuote", "true", 0.8, "a quote inside a quoted cell is written twice; where a backslash stands before "+
			"a quote it is the cell's last character: so the rows have the steadiest width")
	default:
		d.note("doubleQuote", "true", 0.9, "a quote inside a quoted cell is written twice (RFC 4180)")
	}
}

// contest reads the head by each delimiter with each quote. It returns the best pair, the
// best with another delimiter, and the scores of the delimiters that make a table.
func (d *detection) contest(text []byte, delimiters, quotes []string, g *givenDialect) (best, second trial,
	scores map[string]float64) {
	best.score, second.score = -1, -1
	scores = map[string]float64{}
	for k, quote := range quotes {
		for i, delimiter := range delimiters {
			// What does not occur reads like the first of its kind.
			if d.ended() || k > 0 && !bytes.Contains(text, []byte(quote)) ||
				i > 0 && !bytes.Contains(text, []byte(delimiter)) {
				continue
			}
			t := d.try(text, delimiter, quote, g.trim, d.layout.DoubleQuote)
			if !g.double && quote != "" && bytes.Contains(text, []byte(`\`+quote)) {
				if other := d.try(text, delimiter, quote, g.trim, !d.layout.DoubleQuote); other.score > t.score {
					t = other
				}
			}
			if t.width > 1 {
				scores[delimiter] = max(scores[delimiter], t.score)
			}
			switch {
			case t.score > best.score:
				if best.delimiter != t.delimiter {
					second = best
				}
				best = t
			case t.score > second.score && t.delimiter != best.delimiter:
				second = t
			}
		}
	}
	return best, second, scores
}

// try reads the head by a delimiter and a quote.
func (d *detection) try(text []byte, delimiter, quote string, givenTrim, double bool) trial {
	l := d.layout
	l.Delimiter, l.QuoteChar, l.DoubleQuote = delimiter, quote, double
	l.Trim = l.Trim || !givenTrim && quotesBehindBlanks(text, delimiter, quote)
	t := trial{delimiter: delimiter, quote: quote, trim: l.Trim, double: double,
		records: scan(text, l.Dialect(), l.CommentPrefix, deref(d.given.SkipRows), d.whole)}
	t.width, t.count = t.records.mode()
	t.score = d.score(&t.records, t.width, t.count, delimiter, quote)
	return t
}

// ignored says how many blank lines are no rows.
func ignored(blank int) string {
	if blank == 1 {
		return "1 blank line is ignored"
	}
	return fmt.Sprintf("%d blank lines are ignored", blank)
}

// blankRows says what becomes of blank lines: they are no rows, as in nearly all
// files. In a file of one column they may be empty values, which only a person knows.
func (d *detection) blankRows(text []byte, width int) {
	if set(d, "skipBlankRows", d.given.SkipBlankRows, &d.layout.SkipBlankRows, "") {
		return
	}
	blank := 0
	for i, body := 0, bytes.TrimSpace(text); i < len(body); {
		end, next := delimited.LineEnd(body, i)
		if len(bytes.TrimSpace(body[i:end])) == 0 {
			blank++
		}
		i = next
	}
	switch {
	case blank == 0:
		d.note("skipBlankRows", "true", 0.95, "there are no blank lines among the rows")
	case width == 1 && d.layout.Fold == 0 && d.layout.Form == Delimited:
		d.note("skipBlankRows", "true", 0.55, ignored(blank)+"; in a file of one column they may be empty values")
	default:
		d.note("skipBlankRows", "true", 0.9, ignored(blank))
	}
}

// skipRows finds the lines above the table: all records before the first two
// in a row that have the table's width. Where rows leave out their last cells, so
// that many have another width, those that fill more than half of it count, too,
// and a first row of names is the table's however wide it is.
func (d *detection) skipRows(r *records) {
	d.closing(r)
	set(d, "nameless", d.given.Nameless, &d.layout.Nameless, "")
	n := len(r.cells)
	_, usual := r.mode()
	isRagged := 10*usual < 9*n && n > 5
	fits := func(i int) bool {
		return i >= n || len(r.cells[i]) == d.width ||
			isRagged && d.layout.Form == Delimited && 2*filled(r.cells[i]) > d.width
	}
	first := 0
	for ; first < n; first++ {
		if fits(first) && fits(first+1) {
			break
		}
	}
	if first == n || d.width == 1 {
		first = 0
	}
	first, isHeader := d.nameless(r, first)
	if isRagged && first < n && len(r.cells[first]) > d.width && filled(r.cells[first]) == len(r.cells[first]) {
		d.width = len(r.cells[first])
	}
	// A title may be filled up with delimiters to the table's width.
	for !isHeader && first+2 < n && d.width > 2 && d.layout.Fold == 0 && 3*filled(r.cells[first]) <= d.width &&
		r.isSparse(first) {
		first++
	}
	for !isHeader && first+1 < n && d.width > 1 && d.layout.Fold == 0 && r.isProse(first) &&
		len(r.cells[first+1]) == d.width {
		first++
	}
	if !set(d, "skipRows", d.given.SkipRows, &d.layout.SkipRows, "") {
		if first > 0 {
			d.layout.SkipRows = r.line[first] - 1
			d.note("skipRows", strconv.Itoa(d.layout.SkipRows), 0.9,
				fmt.Sprintf("line %d is the first of the table: %s", d.layout.SkipRows+1, d.above(r, first)))
		} else {
			d.note("skipRows", "0", 0.95, "the table starts at the top")
		}
	}
	if first > 0 && d.given.SkipRows == nil {
		r.cells, r.line = r.cells[first:], r.line[first:]
	}
}

// above says why the first records are lines above the table, those for one reason together.
func (d *detection) above(r *records, first int) string {
	var reasons []string
	lines := map[string][]int{}
	for i, row := range r.cells[:first] {
		why := "%s another kind of line"
		switch full := filled(row); {
		case full == 0:
			why = "%s empty"
		case len(row) == 1 && d.width > 1:
			why = "%s a single cell"
		case len(row) != d.width:
			why = fmt.Sprintf("%%s %d cells, the table has %d columns", len(row), d.width)
		case 3*full <= d.width:
			why = "%s nearly empty"
		case r.isProse(i):
			why = "%s words, no names of columns"
		}
		if lines[why] == nil {
			reasons = append(reasons, why)
		}
		lines[why] = append(lines[why], r.line[i])
	}
	for i, why := range reasons {
		verb := "is"
		if strings.Contains(why, "cell") || strings.Contains(why, "words") {
			verb = "has"
		}
		if len(lines[why]) > 1 {
			verb = map[string]string{"is": "are", "has": "have"}[verb]
		}
		reasons[i] = numbered(lines[why]) + " " + fmt.Sprintf(why, verb)
	}
	if len(reasons) == 0 {
		return "the lines above it are blank"
	}
	return strings.Join(reasons, "; ")
}

// numbered names lines: line 3, lines 2 and 3, lines 2 to 9.
func numbered(lines []int) string {
	last := len(lines) - 1
	switch {
	case last == 0:
		return fmt.Sprintf("line %d", lines[0])
	case last == 1:
		return fmt.Sprintf("lines %d and %d", lines[0], lines[1])
	case lines[last]-lines[0] == last:
		return fmt.Sprintf("lines %d to %d", lines[0], lines[last])
	}
	return fmt.Sprintf("%d lines up to line %d", len(lines), lines[last])
}

func filled(cells []string) (n int) {
	for _, c := range cells {
		if c != "" {
			n++
		}
	}
	return n
}

func deref[T any](p *T) (zero T) {
	if p == nil {
		return zero
	}
	return *p
}

// score judges how one dialect reads the head: the share of rows of the usual
// width, a little for more columns and for cells that are values, less for
// defects and for marks that seldom delimit.
func (d *detection) score(r *records, width, count int, delimiter, quote string) float64 {
	n := len(r.cells)
	if n == 0 {
		return 0
	}
	steady := float64(count) / float64(n)
	if steady < raggedScore && isRagged(r) {
		steady = raggedScore
	}
	if width == 1 {
		return 0.1 * steady
	}
	cells, sense := 0, 0.0
	isFilled := make([]bool, width)
	for _, row := range r.cells {
		for k, cell := range row {
			cells++
			sense += senseOf(cell)
			if cell != "" && len(row) == width {
				isFilled[k] = true
			}
		}
	}
	hollow := 0
	for _, is := range isFilled {
		if !is {
			hollow++
		}
	}
	score := steady * steady * (0.4 + 0.6*sense/float64(cells))
	score *= 1 - 0.5/float64(width)
	score *= 1 - 0.4*float64(hollow)/float64(width) // half of a delimiter leaves every second column empty
	score *= 1 - 0.5*min(1, float64(r.defects)/float64(n))
	score *= 1 + 0.2*float64(r.enclosed)/float64(cells)
	switch {
	case delimiter == " " && !hasValues(r, width):
		score *= 0.15 // words of names and texts
	case delimiter == " ", delimiter == ":":
		score *= 0.72
	case delimiter == "=":
		score *= 0.6
	case utf8.RuneCountInString(delimiter) == 1 && !slices.Contains(delimiters[:4], delimiter):
		score *= 0.95
	}
	switch {
	case quote == "'" && (r.enclosed == 0 || r.defects > 0):
		score *= 0.97 // most often an apostrophe
	case quote != "'" && r.enclosed == 0:
		score *= 0.995
	}
	return score
}

// raggedScore is how steady rows count that leave out their last cells.
const raggedScore = 0.85

// isRagged reports whether the rows are those of a table of named columns of which
// rows leave out the last cells: none is wider than the row of names, and few are
// not half as wide.
func isRagged(r *records) bool {
	const least = 3 // names; fewer come about by chance
	top := 0
	for i, cells := range r.cells[:min(5, len(r.cells))] {
		if len(cells) > len(r.cells[top]) {
			top = i
		}
	}
	width := len(r.cells[top])
	if width < least || filled(r.cells[top]) < width || slices.ContainsFunc(r.cells[top], isValue) {
		return false
	}
	rows := r.cells[top+1:]
	narrow := 0
	for _, cells := range rows {
		if len(cells) > width {
			return false
		}
		if 2*len(cells) < width {
			narrow++
		}
	}
	return len(rows) > 5 && 20*narrow <= len(rows)
}

// senseOf tells how much a cell looks like one: a value most, words less, and
// least of all a text that other delimiters run through.
func senseOf(cell string) float64 {
	switch {
	case cell == "":
		return 0.6
	case isValue(cell):
		return 1
	case strings.ContainsAny(cell, "\t|^~;"), strings.HasPrefix(cell, "'"), strings.HasPrefix(cell, `"`):
		return 0
	case strings.Contains(strings.TrimSpace(cell), "   "):
		return 0.1 // padding, not words
	case isSeveral(cell):
		return 0.3
	case strings.Contains(cell, ","):
		return 0.4
	}
	return 0.8
}

// isSeveral reports whether a cell holds several values that blanks or colons
// separate; a date with its time is one.
func isSeveral(cell string) bool {
	words := strings.Fields(cell)
	values := 0
	for _, w := range words {
		if isValue(w) {
			values++
		}
	}
	if len(words) > 1 && values == len(words) {
		return true
	}
	before, after, ok := strings.Cut(cell, ":")
	if !ok || before == "" || after == "" || after[0] == ' ' || after[0] == '/' || after[0] == '\\' {
		return false
	}
	isTime := isDigit(before[len(before)-1]) && len(after) >= 2 && isDigit(after[0]) && isDigit(after[1]) &&
		(len(after) == 2 || !isDigit(after[2]))
	return !isTime
}

// hasValues reports whether some column holds values or codes in most of the rows.
func hasValues(r *records, width int) bool {
	for k := range width {
		if commonShape(r.cells, k) != "" {
			return true
		}
		values := 0
		for _, row := range r.cells {
			if k < len(row) && isValue(row[k]) {
				values++
			}
		}
		if 10*values >= 7*len(r.cells) {
			return true
		}
	}
	return false
}

var (
	plainNumber    value.NumberFormat // the zero one is the plain one
	commaNumber, _ = value.NewNumberFormat(",", ".", "")
	dateFormats    = func() (all []*value.DateFormat) {
		for _, p := range []string{"yyyy-MM-dd", "dd.MM.yyyy", "d/M/yyyy", "M/d/yyyy", "yyyyMMdd"} {
			f, err := value.NewDateFormat(value.Date, p)
			if err != nil {
				panic(err)
			}
			all = append(all, f)
		}
		return all
	}()
)

// IsDate reports whether a text is a date in one of the usual ways to write it.
func IsDate(text []byte) bool {
	text = bytes.TrimSpace(text)
	var t value.Instant
	return slices.ContainsFunc(dateFormats, func(f *value.DateFormat) bool {
		return f.Parse(text,
			&t) == value.Matches
	})
}

// isValue reports whether a cell is a number or a date rather than words.
func isValue(cell string) bool {
	text := []byte(strings.TrimSpace(cell))
	var n value.Number
	if plainNumber.Parse(text, &n) || commaNumber.Parse(text, &n) {
		return true
	}
	var t value.Instant
	return IsDate(text) || len(text) >= 16 && dateFormats[0].Parse(text[:10], &t) == value.Matches
}

// shape writes a for each run of letters and 9 for each run of digits: values
// of one kind have one shape.
func shape(cell string) string {
	var b strings.Builder
	last := byte(0)
	for _, r := range strings.TrimSpace(cell) {
		c := byte('-')
		switch {
		case unicode.IsLetter(r):
			c = 'a'
		case unicode.IsDigit(r):
			c = '9'
		case r < utf8.RuneSelf:
			c = byte(r)
		}
		if c != last || c != 'a' && c != '9' {
			b.WriteByte(c)
		}
		last = c
	}
	return b.String()
}

// totals are words that begin a line of totals below a table.
var totals = []string{"total", "totals", "sum", "summe", "gesamt", "gesamtsumme", "insgesamt", "somme", "totale",
	"suma", "razem", "grand total", "subtotal", "zwischensumme", "übertrag", "endsumme"}

// IsTotal reports whether a row that begins with this cell holds totals.
func IsTotal(cell string) bool {
	isOther := func(r rune) bool { return !unicode.IsLetter(r) }
	word := strings.ToLower(strings.TrimRightFunc(strings.TrimSpace(cell), isOther))
	if i := strings.IndexFunc(word, func(r rune) bool { return isOther(r) && r != ' ' }); i > 0 {
		word = strings.TrimSpace(word[:i])
	}
	return slices.Contains(totals, word)
}

// footer finds lines below the table: totals and notes at the very end.
func (d *detection) footer(text, last []byte, r records) {
	if set(d, "footerRows", d.given.FooterRows, &d.layout.FooterRows, "") {
		return
	}
	if d.whole {
		last = text
	}
	if len(last) > TailBytes {
		last = last[len(last)-TailBytes:]
	}
	var lines [][]byte
	for i := 0; i < len(last); {
		end, next := delimited.LineEnd(last, i)
		lines = append(lines, last[i:end])
		i = next
	}
	if len(lines) > 0 {
		lines = lines[1:] // it may be cut off, or be the header
	}
	bare := d.bareLines(lines)
	lines = lines[:len(lines)-bare]
	dialect := d.layout.Dialect()
	found, notes := 0, 0 // lines from the end; those that count only with a gap or totals above them
	var whys []string
	var rec delimited.Record
	for rows := 1; rows <= min(len(lines), mostBelow); rows++ {
		raw := lines[len(lines)-rows]
		line := bytes.TrimSpace(raw)
		isBlank := len(line) == 0 || dialect.IsBlank(line)
		if isBlank || d.isBare(line) {
			if notes > 0 || found == rows-1 && found > 0 {
				found, notes = rows, 0
			} else if !isBlank {
				break // a row of nothing
			}
			continue
		}
		dialect.Scan(raw, 0, true, 0, &rec)
		var cells []string
		for _, s := range rec.Cells {
			cells = append(cells, string(bytes.TrimSpace(raw[s.Start:s.End])))
		}
		what := ""
		switch {
		case d.holdsTotals(cells, r):
			what = "holds totals"
			found, notes = rows, 0
		case d.isNote(raw, cells):
			// A note counts only with a gap or totals above it: a last row that was cut short must not
			// vanish as a note.
			what = "stands below the table"
			notes++
		}
		if what == "" {
			break
		}
		whys = append(whys, fmt.Sprintf("the line %q %s", clip(string(line)), what))
	}
	whys = whys[:max(0, len(whys)-notes)]
	slices.Reverse(whys)
	if found += bare; bare > 0 {
		whys = append(whys, fmt.Sprintf("the last %d lines contain only delimiters", bare))
	}
	d.layout.FooterRows = found
	switch {
	case found > 0:
		const most = 3
		if n := len(whys) - most; n > 0 {
			whys = append(whys[:most], fmt.Sprintf("and %d more", n))
		}
		d.note("footerRows", strconv.Itoa(found), 0.85, strings.Join(whys, "; "))
	case notes > 0:
		d.note("footerRows", "0", 0.6, "the last lines have one filled cell, and no gap stands above them: they may be rows")
	default:
		d.note("footerRows", "0", 0.9, "the last lines look like the other rows")
	}
}

// mostBelow is how many lines below a table are looked at beside those of nothing but delimiters.
const mostBelow = 40

// isNote reports whether a line is no row but words: a line without delimiters, or one of which only the first of
// several cells is filled.
func (d *detection) isNote(line []byte, cells []string) bool {
	if d.layout.Form == Fixed {
		return d.ruler.isTitle([]rune(string(line)))
	}
	if len(cells) == 1 {
		return d.width > 1 && bytes.Count(line, []byte(d.layout.QuoteChar)) == 0
	}
	return d.width > 2 && cells[0] != "" && filled(cells) == 1 && !isValue(cells[0])
}

// isBare reports whether a line holds nothing but delimiters.
func (d *detection) isBare(line []byte) bool {
	if d.layout.Form != Delimited || d.layout.Delimiter == "" || d.layout.Fold > 0 {
		return false
	}
	return len(bytes.Trim(bytes.ReplaceAll(line, []byte(d.layout.Delimiter), nil), " \t\"")) == 0
}

// bareLines counts the last lines that hold nothing but delimiters, as programs leave
// below a table whose rows were emptied. A few may be rows of nothing.
func (d *detection) bareLines(lines [][]byte) int {
	const few = 3
	if d.layout.Form != Delimited || d.layout.Delimiter == "" || d.layout.Fold > 0 {
		return 0
	}
	n := 0
	for n < len(lines) && n < maxFooterRows && d.isBare(lines[len(lines)-1-n]) {
		n++
	}
	// Blank lines alone are no rows in any case.
	bare := 0
	for _, line := range lines[len(lines)-n:] {
		if bytes.Contains(line, []byte(d.layout.Delimiter)) {
			bare++
		}
	}
	if bare <= few {
		return 0
	}
	return n
}

// holdsTotals reports whether a row at the end holds totals: its first filled cell is a
// word for them, or another cell is, which no row of the table has in that column.
func (d *detection) holdsTotals(cells []string, r records) bool {
	isFirst := true
	for k, cell := range cells {
		if cell == "" {
			continue
		}
		if IsTotal(cell) && (isFirst || !r.hasIn(k, cell)) {
			return true
		}
		isFirst = false
	}
	return false
}

// hasIn reports whether rows of the table, all but the last few, hold a cell in a column.
func (r *records) hasIn(column int, cell string) bool {
	const last = 3
	return slices.ContainsFunc(r.cells[:max(0, len(r.cells)-last)],
		func(row []string) bool { return column < len(row) && strings.TrimSpace(row[column]) == cell })
}

func clip(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:40]) + "…"
	}
	return s
}

func round(x float64) float64 { return float64(int(x*100+0.5)) / 100 }
