package source

import (
	"bytes"

	"sieb/core/delimited"
	"sieb/core/violation"
)

// A list of single values, one a line, is folded: so many lines make a row. A
// blank line is an empty value, since leaving it out would shift all that
// follows; only behind the last row blank lines are nothing. Values that are
// left over at the end make a row that is too short.

// value scans the value at pos; false where the text ends before it does.
// Comment lines before it are passed over.
func (s *Reader) value(text []byte, pos int) (from int, ok bool) {
	for pos < len(text) {
		end, next := delimited.LineEnd(text, pos)
		if next == len(text) && !s.eof && (end == next || text[next-1] == '\r') {
			return pos, false
		}
		if len(s.comment) == 0 || !bytes.HasPrefix(text[pos:end], s.comment) {
			return pos, s.dialect.Scan(text, pos, s.eof || len(s.buf) > s.longest, 0, &s.rec)
		}
		pos = next
		s.line++
	}
	return pos, false
}

// cutFolded adds the rows of the text to the batch and returns where they end.
func (s *Reader) cutFolded(b *Batch, text []byte) int {
	pos := 0
	for !b.isFull(s.most) {
		line := s.line
		row := Row{Line: line, first: uint32(len(b.cells)), cut: true}
		at, isWhole := pos, false
		for !isWhole {
			if row.count == 0 && len(bytes.TrimRight(text[at:], " \t\r\n")) == 0 {
				break // behind the last row, or not yet known to be
			}
			from, ok := s.value(text, at)
			if !ok {
				break
			}
			if row.count == 0 {
				row.Start, row.Line = uint32(from), s.line
			}
			for _, d := range s.rec.Defects {
				b.Defects = append(b.Defects, Defect{Code: d.Code, Row: len(b.Rows), Cell: int(row.count),
					Offset: s.in.offset(s.buf[:d.At])})
				row.Broken = row.Broken || d.Code == violation.QuoteOpen
			}
			if len(s.rec.Escaped) > 0 {
				b.escaped = append(b.escaped, len(b.cells))
			}
			b.cells = append(b.cells, s.rec.Cells[0])
			row.count++
			row.End, at = uint32(s.rec.End), s.rec.Next
			s.line += int64(s.rec.Lines)
			isWhole = int(row.count) == s.fold
		}
		if row.count == 0 || !isWhole && !s.eof {
			b.cells, s.line = b.cells[:row.first], line
			for len(b.Defects) > 0 && b.Defects[len(b.Defects)-1].Row == len(b.Rows) {
				b.Defects = b.Defects[:len(b.Defects)-1]
			}
			for len(b.escaped) > 0 && b.escaped[len(b.escaped)-1] >= len(b.cells) {
				b.escaped = b.escaped[:len(b.escaped)-1]
			}
			if pos > 0 && row.count == 0 && s.eof {
				return len(text) // comments and blank lines behind the last row
			}
			return pos
		}
		b.Rows = append(b.Rows, row)
		pos = at
	}
	return pos
}

func (s *Reader) readFoldedHeader(rows int, how string) error {
	var names [][]string
	for len(names) < rows {
		text := s.buf[:s.uncut()]
		var row []string
		at, line, lines := 0, s.line, s.line
		for len(row) < s.fold {
			if _, ok := s.value(text, at); !ok {
				break
			}
			if len(row) == 0 {
				line = s.line
			}
			row = append(row, s.headerRow(text)...)
			at = s.rec.Next
			s.line += int64(s.rec.Lines)
		}
		if len(row) < s.fold && !s.eof {
			s.line = lines
			if err := s.grow(); err != nil {
				return err
			}
			continue
		}
		if len(row) == 0 {
			break
		}
		if len(names) == 0 {
			s.header.Line, s.header.Named = line, true
		}
		names = append(names, row)
		s.drop(at)
	}
	s.width = s.fold
	s.header.Names = make([]string, s.fold)
	copy(s.header.Names, joinHeader(names, how))
	nameColumns(s.header.Names)
	return nil
}
