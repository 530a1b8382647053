// Package delimited is the grammar of delimited text: where a record ends,
// where its cells lie, and what is wrong with its quoting.
//
// It works on UTF-8 bytes in memory and follows RFC 4180 as far as a record
// does, with any delimiter and quote character, and with LF, CRLF or CR at the
// ends of lines. It knows nothing of files, encodings or headers.
package delimited

import (
	"bytes"
	"encoding/binary"
	"math/bits"
	"slices"

	"sieb/core/violation"
)

// Dialect is how cells are separated and quoted. The zero Dialect reads every
// line as one cell.
type Dialect struct {
	Delimiter string // "" makes each line one cell
	Quote     string // "" gives quotes no meaning
	Escape    string // what stands before a quote inside a quoted cell; "" for a doubled quote
	Trim      bool   // blanks around cells, and around their quotes, are ignored
	Most      int    // cells of a record; what is behind the last stays together in it; 0 for any number
}

// Span is the place of a cell's text in a buffer.
type Span struct{ Start, End uint32 }

// Defect is something wrong with a record's quoting, at a byte of the buffer.
type Defect struct {
	Code violation.Code
	Cell int
	At   int
}

// Record is one scanned record. It is reused from scan to scan.
type Record struct {
	End     int      // where its text ends, before the line end
	Next    int      // where the next line starts
	Lines   int      // how many physical lines it spans
	Cells   []Span   // without quotes
	Escaped []int    // the cells that hold doubled or escaped quotes still
	Defects []Defect // in order
	Open    bool     // a quote was left open: the cells are not to be trusted

	spans []multiline
	other *Record // what else a line could be
}

// multiline is a quoted cell that runs over line ends.
type multiline struct {
	open, close int // the quotes
	cell        int
	lines       int // lines of the record before the one on which it opens
	defects     int
	escaped     int
}

// Reach is how far, in bytes, a quoted cell may run over lines that look like
// records of the table before its quote counts as left open.
const Reach = 1 << 20

// LineEnd finds the line end at or after pos: where the line's text ends and
// where the next line starts. Without a line end it returns len(buf), len(buf).
func LineEnd(buf []byte, pos int) (end, next int) {
	// The search goes on in growing windows: in a text that has one kind of
	// line end only, looking for the other must not run through all the rest.
	for window := 512; pos < len(buf); window *= 2 {
		part := buf[pos:min(pos+window, len(buf))]
		if lf := bytes.IndexByte(part, '\n'); lf >= 0 {
			part = part[:lf+1]
		}
		if cr := bytes.IndexByte(part, '\r'); cr >= 0 {
			end = pos + cr
			if end+1 < len(buf) && buf[end+1] == '\n' {
				return end, end + 2
			}
			return end, end + 1
		}
		pos += len(part)
		if part[len(part)-1] == '\n' {
			return pos - 1, pos
		}
	}
	return len(buf), len(buf)
}

// Scan reads the record that starts at pos. width is the number of cells that
// a record of the table has (0 where it is not known); final says that buf
// ends where the text ends. Scan returns false where it needs more of the text
// to decide; it always decides when final is set.
//
// A quote that is left open must not swallow records. Where a quoted cell runs
// over line ends and never closes, or closes where no delimiter or line end
// follows, or makes a record of the wrong width while the lines inside it have
// the table's width, the quote was left open: the record then ends with the
// line on which it opened.
//
// Where quotes inside cells have a backslash before them, a cell may end with one all the same, as
// names of folders do. A line that is no record of the table, and is one if such a quote closes its
// cell, is read so, and the cell noted as QuoteBackslash.
func (d *Dialect) Scan(buf []byte, pos int, final bool, width int, r *Record) bool {
	ok := d.scan(buf, pos, final, width, r)
	if d.Escape == "" || d.Escape == d.Quote || width == 0 ||
		ok && len(r.Cells) == width && len(r.Defects) == 0 && r.Lines == 1 {
		return ok
	}
	return d.closeAtEscapes(buf, pos, final, width, r) || ok
}

// closeAtEscapes reads the line at pos as one whose quotes all close cells, and reports whether it
// is a record of the table then.
func (d *Dialect) closeAtEscapes(buf []byte, pos int, final bool, width int, r *Record) bool {
	end, next := LineEnd(buf, pos)
	if next == len(buf) && !final || !bytes.Contains(buf[pos:end], []byte(d.Escape+d.Quote)) {
		return false
	}
	if r.other == nil {
		r.other = &Record{}
	}
	plain, o := *d, r.other
	plain.Escape = ""
	if !plain.scan(buf[:end], pos, true, width, o) || len(o.Cells) != width || len(o.Defects) > 0 || len(o.Escaped) > 0 ||
		o.Lines > 1 {
		return false
	}
	for k, s := range o.Cells {
		if hasAt(buf, int(s.End)-len(d.Escape), d.Escape) && hasAt(buf, int(s.End), d.Quote) {
			o.Defects = append(o.Defects, Defect{violation.QuoteBackslash, k, int(s.End)})
		}
	}
	other := *o
	other.Next, other.other = next, nil
	*o = *r
	o.other = nil
	*r = other
	r.other = o
	return true
}

func (d *Dialect) scan(buf []byte, pos int, final bool, width int, r *Record) bool {
	r.Cells, r.Escaped, r.Defects, r.spans = r.Cells[:0], r.Escaped[:0], r.Defects[:0], r.spans[:0]
	r.Lines, r.Open = 1, false
	i := pos
	for {
		if d.Trim {
			i = d.skipBlanks(buf, i)
		}
		var what outcome
		switch {
		case d.Most > 0 && len(r.Cells) == d.Most-1:
			end, _ := LineEnd(buf, i)
			r.Cells = append(r.Cells, Span{uint32(i), uint32(end)})
			i, what = end, ends
		case d.Quote == "" || !hasAt(buf, i, d.Quote):
			end, isEnd := d.plain(buf, i, r)
			r.Cells = append(r.Cells, d.trimmed(buf, Span{uint32(i), uint32(end)}))
			i, what = end, endsIf(isEnd)
		default:
			i, what = d.quoted(buf, i, final, width, r)
		}
		switch what {
		case goesOn:
			i += len(d.Delimiter)
		case ends:
			return d.end(buf, i, final, width, r)
		case undecided:
			return false
		case leftOpen:
			return final || r.Next < len(buf)
		}
	}
}

// outcome is what comes behind a cell.
type outcome uint8

const (
	goesOn    outcome = iota // a delimiter, and another cell
	ends                     // the record ends
	undecided                // it takes more of the text to tell
	leftOpen                 // the cell's quote was left open, and the record has ended with its line
)

func endsIf(isEnd bool) outcome {
	if isEnd {
		return ends
	}
	return goesOn
}

// quoted reads the cell whose quote opens at open, and returns where it ends.
func (d *Dialect) quoted(buf []byte, open int, final bool, width int, r *Record) (int, outcome) {
	before := multiline{open: open, cell: len(r.Cells), lines: r.Lines, defects: len(r.Defects),
		escaped: len(r.Escaped)}
	text := open + len(d.Quote)
	closing, escaped, found := d.closing(buf, text, final, width)
	switch {
	case !found:
		return open, undecided
	case closing < 0:
		d.leaveOpen(buf, before, r)
		return open, leftOpen
	}
	behind := closing + len(d.Quote)
	if d.Trim {
		behind = d.skipBlanks(buf, behind)
	}
	if isCut(buf, behind, final) {
		return open, undecided
	}
	atEnd := behind == len(buf) || buf[behind] == '\n' || buf[behind] == '\r'
	atDelimiter := !atEnd && d.Delimiter != "" && hasAt(buf, behind, d.Delimiter)
	if lines := countLines(buf[text:closing]); lines > 0 {
		if !atEnd && !atDelimiter {
			d.leaveOpen(buf, before, r)
			return open, leftOpen
		}
		before.close = closing
		r.spans = append(r.spans, before)
		r.Lines += lines
	}
	if atEnd || atDelimiter {
		if escaped {
			r.Escaped = append(r.Escaped, len(r.Cells))
		}
		r.Cells = append(r.Cells, Span{uint32(text), uint32(closing)})
		return behind, endsIf(atEnd)
	}
	// Text follows the closing quote: the cell goes on, quotes and all, to the next
	// delimiter, so that nothing is lost.
	r.Defects = append(r.Defects, Defect{violation.QuoteTail, len(r.Cells), behind})
	end, isEnd := d.plain(buf, behind, nil)
	r.Cells = append(r.Cells, Span{uint32(open), uint32(end)})
	return end, endsIf(isEnd)
}

// isCut reports whether buf ends at i, or with the first half of a line end there, before
// the text does.
func isCut(buf []byte, i int, final bool) bool {
	return !final && (i == len(buf) || i+1 == len(buf) && buf[i] == '\r')
}

// end ends the record at i. Where it has the wrong width, a cell that runs over lines which
// look like records was left open.
func (d *Dialect) end(buf []byte, i int, final bool, width int, r *Record) bool {
	if isCut(buf, i, final) {
		return false
	}
	r.End = i
	_, r.Next = LineEnd(buf, i)
	if width > 0 && len(r.Cells) != width {
		for _, m := range r.spans {
			if last, _ := LineEnd(buf, m.close); d.looksLikeRecords(buf, m.open, last, width) {
				d.leaveOpen(buf, m, r)
				break
			}
		}
	}
	return true
}

// isBlankAt reports whether a blank stands at i that is no delimiter.
func (d *Dialect) isBlankAt(buf []byte, i int) bool {
	return (buf[i] == ' ' || buf[i] == '\t') && !(d.Delimiter != "" && hasAt(buf, i, d.Delimiter))
}

func (d *Dialect) skipBlanks(buf []byte, i int) int {
	for i < len(buf) && d.isBlankAt(buf, i) {
		i++
	}
	return i
}

// trimmed takes the blanks off both ends of a cell where the dialect says so.
func (d *Dialect) trimmed(buf []byte, s Span) Span {
	if !d.Trim {
		return s
	}
	for s.Start < s.End && d.isBlankAt(buf, int(s.Start)) {
		s.Start++
	}
	for s.Start < s.End && d.isBlankAt(buf, int(s.End)-1) {
		s.End--
	}
	return s
}

// plain finds the end of an unquoted cell, and notes a quote inside it.
func (d *Dialect) plain(buf []byte, i int, r *Record) (end int, isEnd bool) {
	stray := -1
	for ; i < len(buf); i++ {
		switch c := buf[i]; {
		case c == '\n' || c == '\r':
			isEnd = true
		case d.Delimiter != "" && c == d.Delimiter[0] && hasAt(buf, i, d.Delimiter):
		case stray < 0 && d.Quote != "" && c == d.Quote[0] && hasAt(buf, i, d.Quote):
			stray = i
			continue
		default:
			continue
		}
		break
	}
	if stray >= 0 && r != nil {
		r.Defects = append(r.Defects, Defect{violation.QuoteStray, len(r.Cells), stray})
	}
	return i, isEnd || i == len(buf)
}

// closing finds the quote that closes the cell whose text starts at from:
// closing is -1 where there is none, found is false where more text is needed.
func (d *Dialect) closing(buf []byte, from int, final bool, width int) (closing int, escaped, found bool) {
	quote := []byte(d.Quote)
	looked := false
	for i := from; ; {
		k := bytes.Index(buf[i:], quote)
		if at := i + k; k >= 0 && at-from <= Reach || k >= 0 && looked {
			switch {
			case d.Escape != "" && d.Escape != d.Quote:
				if d.isEscaped(buf, from, at) {
					escaped = true
					i = at + len(quote)
					continue
				}
				escaped = bytes.Contains(buf[from:at], []byte(d.Escape))
			case at+2*len(quote) > len(buf) && !final:
				return 0, false, false
			case hasAt(buf, at+len(quote), d.Quote):
				escaped = true
				i = at + 2*len(quote)
				continue
			}
			return at, escaped, true
		}
		if !looked && len(buf)-from > Reach {
			looked = true
			if width > 0 && d.looksLikeRecords(buf, from, from+Reach, width) {
				return -1, false, true
			}
			if k >= 0 {
				continue
			}
		}
		return -1, false, final
	}
}

// isEscaped reports whether an odd number of escape characters stands before at.
func (d *Dialect) isEscaped(buf []byte, from, at int) bool {
	n := 0
	for at-len(d.Escape) >= from && hasAt(buf, at-len(d.Escape), d.Escape) {
		n++
		at -= len(d.Escape)
	}
	return n%2 == 1
}

// looksLikeRecords reports whether the lines that follow the one of from, up to
// the position to, are records of the table: at least nine in ten have its width.
func (d *Dialect) looksLikeRecords(buf []byte, from, to, width int) bool {
	lines, good := 0, 0
	_, i := LineEnd(buf, from)
	for i < to && i < len(buf) {
		end, next := LineEnd(buf, i)
		if end > to {
			break
		}
		lines++
		if d.lineWidth(buf[i:end]) == width {
			good++
		}
		i = next
	}
	return lines > 0 && good*10 >= lines*9
}

// lineWidth counts the cells of a line on its own.
func (d *Dialect) lineWidth(line []byte) int {
	n := 1
	for i := 0; i < len(line); {
		if d.Trim {
			i = d.skipBlanks(line, i)
		}
		if d.Quote != "" && hasAt(line, i, d.Quote) {
			if k := bytes.Index(line[i+len(d.Quote):], []byte(d.Quote)); k >= 0 {
				i += k + 2*len(d.Quote)
			} else {
				i += len(d.Quote)
			}
		}
		k := -1
		if d.Delimiter != "" {
			k = bytes.Index(line[i:], []byte(d.Delimiter))
		}
		if k < 0 {
			break
		}
		n++
		i += k + len(d.Delimiter)
	}
	return n
}

// leaveOpen ends the record with the line on which the quote opened.
func (d *Dialect) leaveOpen(buf []byte, m multiline, r *Record) {
	r.End, r.Next = LineEnd(buf, m.open)
	r.Cells = append(r.Cells[:m.cell], Span{uint32(m.open), uint32(r.End)})
	r.Defects = append(r.Defects[:m.defects], Defect{violation.QuoteOpen, m.cell, m.open})
	r.Escaped = r.Escaped[:m.escaped]
	r.Lines, r.Open = m.lines, true
}

// Unescape appends a quoted cell's text with its doubled or escaped quotes undone.
func (d *Dialect) Unescape(dst, text []byte) []byte {
	quote := []byte(d.Quote)
	if d.Escape != "" && d.Escape != d.Quote {
		for {
			i := bytes.Index(text, []byte(d.Escape))
			if i < 0 || i+len(d.Escape) == len(text) {
				return append(dst, text...)
			}
			dst = append(dst, text[:i]...)
			text = text[i+len(d.Escape):]
			switch {
			case hasAt(text, 0, d.Quote):
				dst = append(dst, quote...)
				text = text[len(quote):]
			case hasAt(text, 0, d.Escape):
				dst = append(dst, d.Escape...)
				text = text[len(d.Escape):]
			default:
				dst = append(dst, d.Escape...)
			}
		}
	}
	for {
		i := bytes.Index(text, quote)
		if i < 0 {
			return append(dst, text...)
		}
		dst = append(dst, text[:i+len(quote)]...)
		text = text[i+len(quote):]
		if hasAt(text, 0, d.Quote) {
			text = text[len(quote):]
		}
	}
}

// AppendCells appends the places of the cells of buf[start:end], a line that
// holds no quotes.
func (d *Dialect) AppendCells(cells []Span, buf []byte, start, end int) []Span {
	first := len(cells)
	cells = d.appendCells(cells, buf, start, end)
	if d.Trim {
		for k := first; k < len(cells); k++ {
			cells[k] = d.trimmed(buf, cells[k])
		}
	}
	return cells
}

func (d *Dialect) appendCells(cells []Span, buf []byte, start, end int) []Span {
	if d.Delimiter == "" {
		return append(cells, Span{uint32(start), uint32(end)})
	}
	from := start
	if len(d.Delimiter) == 1 {
		pattern := ones * uint64(d.Delimiter[0]) // sought eight bytes at a time
		// A line has at most as many cells as bytes, and one; those of a long one
		// are counted, so that a large cell takes no room for cells.
		most := end - start + 1
		if most > 4096 {
			most = bytes.Count(buf[start:end], []byte(d.Delimiter)) + 1
		}
		if d.Most > 0 && most > d.Most {
			return d.cutCells(cells, buf, start, end)
		}
		cells = slices.Grow(cells, most)
		room := cells[len(cells) : len(cells)+most]
		n := 0
		i := start
		for ; i+8 <= end; i += 8 {
			hit := zeros(binary.LittleEndian.Uint64(buf[i:i+8:len(buf)]) ^ pattern)
			for ; hit != 0; hit &= hit - 1 {
				at := i + bits.TrailingZeros64(hit)>>3
				room[n] = Span{uint32(from), uint32(at)}
				n++
				from = at + 1
			}
		}
		for ; i < end; i++ {
			if buf[i] == d.Delimiter[0] {
				room[n] = Span{uint32(from), uint32(i)}
				n++
				from = i + 1
			}
		}
		room[n] = Span{uint32(from), uint32(end)}
		return cells[:len(cells)+n+1]
	}
	return d.cutCells(cells, buf, start, end)
}

// cutCells is appendCells cell by cell, of any delimiter and up to the most that
// a record may have.
func (d *Dialect) cutCells(cells []Span, buf []byte, from, end int) []Span {
	last := len(cells) + d.Most - 1
	for {
		k := bytes.Index(buf[from:end], []byte(d.Delimiter))
		if k < 0 || len(cells) == last {
			return append(cells, Span{uint32(from), uint32(end)})
		}
		cells = append(cells, Span{uint32(from), uint32(from + k)})
		from += k + len(d.Delimiter)
	}
}

// IsBlank reports whether a line holds nothing but blanks, and form feeds, by which pages of a printout end. A
// delimiter is not a blank, so that a line of tabs in tab-separated text is a row.
func (d *Dialect) IsBlank(line []byte) bool {
	for i, c := range line {
		if c != '\f' && !d.isBlankAt(line, i) {
			return false
		}
	}
	return true
}

func hasAt(buf []byte, i int, s string) bool {
	return i+len(s) <= len(buf) && buf[i] == s[0] && (len(s) == 1 || string(buf[i:i+len(s)]) == s)
}

// countLines counts the line ends in text: LF, CRLF or CR.
func countLines(text []byte) int {
	n := bytes.Count(text, []byte{'\n'})
	for i := bytes.IndexByte(text, '\r'); i >= 0; {
		if i+1 == len(text) || text[i+1] != '\n' {
			n++
		}
		k := bytes.IndexByte(text[i+1:], '\r')
		if k < 0 {
			break
		}
		i += k + 1
	}
	return n
}
