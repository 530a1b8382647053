package source

import (
	"bytes"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"unicode/utf8"

	"sieb/core/delimited"
	"sieb/core/layout"
	"sieb/core/violation"
)

// Header is what stands above the rows.
type Header struct {
	Names   []string // one per column; column_1 … where nothing names them
	Named   bool     // the names come from the delivery
	Line    int64    // the physical line of the header; 0 without one
	Defects []Defect
}

// Reader cuts the text of a delivery into batches of rows.
type Reader struct {
	in      decoder
	dialect delimited.Dialect
	comment []byte
	blanks  bool  // blank lines are rows
	closing bool  // a delimiter closes each row
	cuts    []int // of fixed form, otherwise nil
	fold    int   // lines that make a row; 0 where a record is one
	header  Header
	footer  int

	buf   []byte // text not yet handed on
	line  int64  // physical line at the start of buf
	row   int64  // rows handed on
	eof   bool
	width int
	rec   delimited.Record

	most    int // rows of a batch; 0 for any number
	trusted bool
	longest int // bytes that a row may have
	widest  int // columns that the table may have
}

// NewReader reads the layout's header from r and stands before the first row.
func NewReader(r io.Reader, l layout.Layout) (*Reader, error) {
	return newReader(r, l, maxRow, math.MaxInt32)
}

// Written reads what Sieb itself has written as RFC 4180, or a database's COPY: in UTF-8, with a row of
// names. It takes it at its word: no quote counts as left open because of the look of the lines inside
// a cell, and a blank line is a row, as one with nothing in its only column is written.
func Written(r io.Reader) (*Reader, error) {
	return (&Reader{trusted: true}).begin(r, layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
		QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined}, maxRow, math.MaxInt32)
}

// WrittenOn goes on in what a reader of Written has begun to read: r stands before the row of a number. Lines are counted
// from there.
func (s *Reader) WrittenOn(r io.Reader, row int64) (*Reader, error) {
	on := &Reader{trusted: true, dialect: s.dialect, blanks: s.blanks, header: s.header, width: s.width, line: 1,
		row: row - 1, longest: s.longest, widest: s.widest}
	on.in.r, on.in.codec = r, s.in.codec
	return on, on.more(batchBytes)
}

func newReader(r io.Reader, l layout.Layout, longest, widest int) (*Reader, error) {
	return (&Reader{}).begin(r, l, longest, widest)
}

// begin reads the header, and stands before the first row.
func (s *Reader) begin(r io.Reader, l layout.Layout, longest, widest int) (*Reader, error) {
	if err := l.Check(); err != nil {
		return nil, err
	}
	*s = Reader{trusted: s.trusted, dialect: l.Dialect(), comment: []byte(l.CommentPrefix), blanks: !l.SkipBlankRows,
		closing: l.ClosingDelimiter, footer: l.FooterRows, fold: l.Fold, line: 1,
		longest: longest, widest: widest}
	s.in.r = r
	s.dialect.Most = widest + 1
	if l.Form == layout.Fixed {
		s.cuts = append([]int{}, l.Cuts...)
	}
	e, err := layout.EncodingOf(l.Encoding)
	if err != nil {
		return nil, err
	}
	s.in.codec = newCodec(e)
	if err := s.more(batchBytes); err != nil {
		return nil, err
	}
	// The mark of every encoding that has one reads as U+FEFF.
	if mark := []byte("\uFEFF"); !s.trusted && bytes.HasPrefix(s.buf, mark) {
		s.drop(len(mark))
	}
	for range l.SkipRows {
		if s.eof && len(s.buf) == 0 {
			break
		}
		if err := s.skipLine(); err != nil {
			return nil, err
		}
	}
	if err := s.readHeader(&l); err != nil {
		return nil, err
	}
	return s, nil
}

// Header returns the names of the columns.
func (s *Reader) Header() Header { return s.header }

// more reads until buf holds n bytes or the input ends.
func (s *Reader) more(n int) error {
	for len(s.buf) < n && !s.eof {
		var err error
		s.buf, err = s.in.read(s.buf, n)
		if err == io.EOF {
			s.eof = true
		} else if err != nil {
			return fmt.Errorf("reading after line %d: %w", s.line, err)
		}
	}
	return nil
}

func (s *Reader) limit(rows int) { s.most = rows }

// uncut is how much of buf may be cut: all but the footer's lines.
func (s *Reader) uncut() int {
	if s.footer == 0 {
		return len(s.buf)
	}
	// At the end of the input the last line end closes the last line; before
	// it, the line that is still being read counts as one.
	at := len(s.buf)
	lines := s.footer
	if !s.eof {
		lines++
	}
	for ; lines > 0 && at > 0; lines-- {
		if at--; s.buf[at] == '\n' && at > 0 && s.buf[at-1] == '\r' {
			at--
		}
		for at > 0 && s.buf[at-1] != '\n' && s.buf[at-1] != '\r' {
			at--
		}
	}
	return at
}

// skipLine drops one physical line.
func (s *Reader) skipLine() error {
	for {
		text := s.buf[:s.uncut()]
		if len(text) == 0 && s.eof {
			return nil
		}
		_, next := delimited.LineEnd(text, 0)
		if next < len(text) || s.eof || next > 0 && text[next-1] == '\n' {
			s.drop(next)
			s.line++
			return nil
		}
		if err := s.grow(); err != nil {
			return err
		}
	}
}

// drop takes n bytes off the front of buf.
func (s *Reader) drop(n int) {
	s.buf = s.buf[n:]
	s.in.advance(s.buf)
}

// grow reads more where a row does not fit in what was read.
func (s *Reader) grow() error {
	if len(s.buf) > s.longest {
		return fmt.Errorf("line %d: the row is longer than %d MiB; is the encoding, the delimiter or the quote "+
			"character wrong?", s.line, s.longest>>20)
	}
	return s.more(max(batchBytes, min(2*len(s.buf), s.longest+1)))
}

func (s *Reader) readHeader(l *layout.Layout) error {
	rows := l.HeaderRows
	if s.fold > 0 {
		return s.readFoldedHeader(rows, l.HeaderNames)
	}
	var names [][]string
	for k := 0; k < rows; {
		text := s.buf[:s.uncut()]
		end, next := delimited.LineEnd(text, 0)
		switch {
		case len(text) == 0 && s.eof:
			k = rows
			continue
		case next == len(text) && !s.eof:
		case s.isSkipped(text[:end]) || s.dialect.IsBlank(text[:end]):
			s.drop(next)
			s.line++
			continue
		case s.dialect.Scan(text, 0, s.eof, 0, &s.rec):
			if s.cuts != nil {
				s.rec.Cells = delimited.CutLine(s.rec.Cells[:0], text, 0, s.rec.End, s.cuts)
			}
			if err := checkWidth(len(s.rec.Cells), s.widest, s.line); err != nil {
				return err
			}
			if k == 0 {
				s.header.Line, s.header.Named = s.line, true
			}
			names = append(names, s.headerRow(text))
			s.drop(s.rec.Next)
			s.line += int64(s.rec.Lines)
			k++
			continue
		}
		if err := s.grow(); err != nil {
			return err
		}
	}
	s.header.Names = s.fit(joinHeader(names, l.HeaderNames), l.Nameless)
	if rows == 0 {
		width := len(s.cuts) + 1
		if s.cuts == nil {
			width = s.usualWidth()
		}
		if err := checkWidth(width, s.widest, s.line); err != nil {
			return err
		}
		s.header.Names = make([]string, width)
	}
	s.width = len(s.header.Names)
	nameColumns(s.header.Names)
	return nil
}

// fit returns the names one for each cell of a row: without what stands behind a closing
// delimiter, and with a place for the column that has none.
func (s *Reader) fit(names []string, nameless string) []string {
	if n := len(names); n > 1 && names[n-1] == "" && s.cuts == nil && (s.closing || s.usualWidth() == n-1) {
		names = names[:n-1]
	}
	switch {
	case len(names) == 0:
	case nameless == layout.First:
		names = append([]string{""}, names...)
	case nameless == layout.Last:
		names = append(names, "")
	}
	return names
}

func (s *Reader) isSkipped(line []byte) bool {
	return !s.blanks && s.dialect.IsBlank(line) || len(s.comment) > 0 && bytes.HasPrefix(line, s.comment)
}

// headerRow takes a record as a row of the header.
func (s *Reader) headerRow(text []byte) (names []string) {
	for i, span := range s.rec.Cells {
		cell := text[span.Start:span.End]
		if slices.Contains(s.rec.Escaped, i) {
			cell = s.dialect.Unescape(nil, cell)
		}
		name := strings.ToValidUTF8(string(cell), string(utf8.RuneError))
		if !s.trusted {
			name = strings.TrimSpace(name)
		}
		names = append(names, name)
	}
	for _, d := range s.rec.Defects {
		s.header.Defects = append(s.header.Defects, Defect{Code: d.Code, Row: -1, Cell: d.Cell,
			Offset: s.in.offset(text[:d.At])})
	}
	return names
}

// usualWidth is the most common width of the first rows, for a table without a header.
func (s *Reader) usualWidth() int {
	text := s.buf[:s.uncut()]
	counts := map[int]int{}
	best := 0
	for i, n := 0, 0; i < len(text) && n < 1000; n++ {
		end, next := delimited.LineEnd(text, i)
		if s.isSkipped(text[i:end]) {
			i = next
			continue
		}
		if !s.dialect.Scan(text, i, s.eof, 0, &s.rec) {
			break
		}
		w := len(s.rec.Cells)
		if last := s.rec.Cells[w-1]; s.closing && w > 1 && last.Start == last.End {
			w--
		}
		counts[w]++
		if counts[w] > counts[best] {
			best = w
		}
		i = s.rec.Next
	}
	return best
}

// Next fills b with the next rows. It returns io.EOF after the last row.
func (s *Reader) Next(b *Batch) error {
	if err := s.more(batchBytes); err != nil {
		return err
	}
	for {
		if s.cut(b) {
			return nil
		}
		if s.eof {
			return io.EOF
		}
		if err := s.grow(); err != nil {
			return err
		}
	}
}

// cut hands the complete rows of buf to the batch. It returns false where
// there is none.
//
// The batch and the reader swap buffers: the rest behind the last complete
// row is copied to the batch's old buffer, which becomes the reader's.
func (s *Reader) cut(b *Batch) bool {
	b.Rows, b.Defects, b.cells, b.escaped, b.BlankLines = b.Rows[:0], b.Defects[:0], b.cells[:0], b.escaped[:0], 0
	b.FirstRow, b.isSplit = s.row+1, false
	b.base, b.width, b.closing, b.dialect, b.cuts = s.in.base, s.width, s.closing, s.dialect, s.cuts
	if b.origin != s.in.codec { // batches are worked on side by side
		b.origin, b.codec = s.in.codec, nil
		if b.origin != nil {
			b.codec = b.origin.apart()
		}
	}
	text := s.buf[:s.uncut()]
	width := s.width
	if s.closing {
		width++
	}
	if s.trusted {
		width = 0
	}
	pos := 0
	if s.fold > 0 {
		pos = s.cutFolded(b, text)
		return pos > 0 && s.hand(b, pos)
	}
	nextQuote := -1
	plain := bytes.IndexByte(text, '\r') < 0 // then LF alone ends lines
	for pos < len(text) && !b.isFull(s.most) {
		end, next := len(text), len(text)
		if !plain {
			end, next = delimited.LineEnd(text, pos)
		} else if k := bytes.IndexByte(text[pos:], '\n'); k >= 0 {
			end, next = pos+k, pos+k+1
		}
		if next == len(text) && !s.eof && (end == next || text[next-1] == '\r') {
			break // the line, or its line end, is not complete
		}
		if s.isSkipped(text[pos:end]) {
			if s.dialect.IsBlank(text[pos:end]) {
				b.BlankLines++
			}
			pos = next
			s.line++
			continue
		}
		if nextQuote < pos {
			nextQuote = s.quoteAfter(text, pos)
		}
		if nextQuote >= end {
			b.Rows = append(b.Rows, Row{Start: uint32(pos), End: uint32(end), Line: s.line})
			pos = next
			s.line++
			continue
		}
		if s.dialect.IsOrderly(text[pos:end]) {
			b.Rows = append(b.Rows, Row{Start: uint32(pos), End: uint32(end), Line: s.line, quoted: true})
			pos = next
			s.line++
			continue
		}
		if !s.dialect.Scan(text, pos, s.eof || len(s.buf) > s.longest, width, &s.rec) {
			break
		}
		s.take(b, pos)
		pos = s.rec.Next
		s.line += int64(s.rec.Lines)
	}
	return pos > 0 && s.hand(b, pos)
}

// hand returns the text before pos, with the rows in it, to the batch.
func (s *Reader) hand(b *Batch, pos int) bool {
	s.row += int64(len(b.Rows))
	old := b.Arena
	b.Arena, b.text = s.buf[:pos], pos
	s.in.advance(s.buf[pos:])
	b.Bytes = s.in.base
	s.buf = append(old[:0], s.buf[pos:]...)
	return true
}

func (s *Reader) quoteAfter(text []byte, pos int) int {
	if s.dialect.Quote == "" {
		return len(text)
	}
	if k := bytes.IndexByte(text[pos:], s.dialect.Quote[0]); k >= 0 {
		return pos + k
	}
	return len(text)
}

// take adds the scanned record to the batch as a row.
func (s *Reader) take(b *Batch, pos int) {
	first := len(b.cells)
	b.cells = append(b.cells, s.rec.Cells...)
	for _, e := range s.rec.Escaped {
		b.escaped = append(b.escaped, first+e)
	}
	for _, d := range s.rec.Defects {
		b.Defects = append(b.Defects, Defect{Code: d.Code, Row: len(b.Rows), Cell: d.Cell,
			Offset: s.in.offset(s.buf[:d.At])})
	}
	b.Rows = append(b.Rows, Row{Start: uint32(pos), End: uint32(s.rec.End), Line: s.line, Broken: s.rec.Open,
		first: uint32(first), count: uint32(len(s.rec.Cells)), cut: true})
}

// Invalid says which byte of the delivery is the first invalid one.
func (d *Defect) Invalid() string {
	if d.Code != violation.EncodingInvalid {
		return ""
	}
	if d.Offset < 0 {
		return fmt.Sprintf("0x%02X", d.Byte)
	}
	if d.Byte == 0 {
		return fmt.Sprintf("byte %d", d.Offset)
	}
	return fmt.Sprintf("byte %d (0x%02X)", d.Offset, d.Byte)
}

// Control says which control character a defect is about.
func (d *Defect) Control() string {
	if d.Offset < 0 {
		return fmt.Sprintf("0x%02X", d.Byte)
	}
	return fmt.Sprintf("0x%02X at byte %d", d.Byte, d.Offset)
}
