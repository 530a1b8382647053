// Package source reads a delivery into batches of rows.
//
// A Reader cuts the input into batches at the ends of rows, on one goroutine;
// Split then finds the cells of a batch, on any goroutine; InOrder runs both
// over a whole delivery and hands the batches on in order. Defects of a row
// are recorded with the batch and are never fatal: one bad row costs no other
// row. The package knows layouts and the grammar of delimited text; it knows
// nothing of targets, rules or outputs.
package source

import (
	"bytes"
	"cmp"
	"slices"
	"unicode/utf8"

	"sieb/core/delimited"
	"sieb/core/lexical"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// Batch is a run of rows. Its text is one arena of UTF-8 bytes; cells are
// places in the arena. It is reused: nothing of it may be kept.
type Batch struct {
	Arena    []byte
	Rows     []Row
	FirstRow int64 // number of Rows[0], counted from 1
	Defects  []Defect
	Bytes    int64 // bytes of the delivery read up to the end of this batch
	// BlankLines counts the lines that were passed over since they are blank.
	BlankLines int64

	cells   []delimited.Span
	above   [][]above // of the columns that are carried down, row by row
	isSplit bool
	kinds   []workbook.Kind // of the cells; only of a sheet
	isSheet bool            // places in the arena are not those of the delivery
	escaped []int           // cells that hold doubled quotes until Split
	text    int             // length of the arena as read, before Split appends to it
	tell    teller
	base    int64 // byte offset of the arena in the delivery
	codec   codec // of the delivery and this batch alone, nil for UTF-8
	origin  codec // the reader's, from which it comes
	runs    []run
	width   int
	closing bool // a delimiter closes each row
	isEven  bool // all rows have their width in cells, one row's behind the other's; set by Split
	dialect delimited.Dialect
	cuts    []int // of fixed form, otherwise nil
}

// Row is one row of a batch.
type Row struct {
	Start, End uint32 // its text in the arena, without the line end
	Line       int64  // the physical line on which it starts, from 1
	Broken     bool   // a quote was left open: its cells are not to be trusted

	first, count uint32 // cells
	cut          bool   // the reader found the cells already
	quoted       bool   // it holds quotes, all of them in order
	bare         bool   // of a quoted one: its cells take no quotes
}

// Defect is something wrong with a row as it was read.
type Defect struct {
	Code   violation.Code
	Row    int    // index in Rows; -1 in a header
	Cell   int    // index in the row, -1 where the whole row is meant
	Offset int64  // byte offset in the delivery, from 0; -1 in a workbook
	Count  int    // cells found in row.short and row.long, invalid bytes in encoding.invalid
	Byte   byte   // the first invalid byte, 0 where the decoding lost it; the control character
	Meant  string // in encoding.garbled: what the cell most likely said
}

// Number returns the row's number in the delivery, counted from 1.
func (b *Batch) Number(row int) int64 { return b.FirstRow + int64(row) }

// isFull reports whether the batch has as many rows as it may; 0 stands for any number.
func (b *Batch) isFull(most int) bool { return most > 0 && len(b.Rows) >= most }

// Cells returns the places of a row's cells. Valid after Split.
func (b *Batch) Cells(row int) []delimited.Span {
	r := &b.Rows[row]
	return b.cells[r.first : r.first+r.count]
}

// Gather fills dst with the places of one cell of each row from the row from
// on; a row without that cell gives the empty place.
func (b *Batch) Gather(dst []delimited.Span, cell, from int) {
	cells := b.cells
	if at := from*b.width + cell; b.isEven && cell < b.width {
		for i := range dst {
			dst[i] = cells[at]
			at += b.width
		}
		return
	}
	rows := b.Rows[from : from+len(dst)]
	for i := range rows {
		r := &rows[i]
		dst[i] = delimited.Span{}
		if at := int(r.first) + cell; uint32(cell) < r.count && at < len(cells) {
			dst[i] = cells[at]
		}
	}
}

// IsWritten reports whether a row's cells stand in the arena as RFC 4180 writes cells that take no
// quotes: behind one another, with a comma between them.
func (b *Batch) IsWritten(row int) bool {
	r := &b.Rows[row]
	return !r.cut && !r.quoted && b.cuts == nil && !b.isSheet && b.dialect.Delimiter == "," && !b.dialect.Trim
}

// IsPlain reports whether it is known that no cell of a row holds a comma, a quote or a line end.
func (b *Batch) IsPlain(row int) bool {
	r := &b.Rows[row]
	return b.dialect.Quote == `"` && (b.dialect.Most == 0 || int(r.count) < b.dialect.Most) && (r.bare || b.IsWritten(row))
}

// Text returns the text at a place.
func (b *Batch) Text(s delimited.Span) []byte { return b.Arena[s.Start:s.End] }

// Split finds the cells of all rows and the defects that show in them. Done again, it does
// nothing.
func (b *Batch) Split() {
	if b.isSplit {
		return
	}
	b.isSplit = true
	b.Arena = b.Arena[:b.text:cap(b.Arena)]
	b.tell = teller{}
	odd, letters := isOdd(b.Arena)
	invalid := letters && b.hasInvalid()
	b.isEven = true
	for i := range b.Rows {
		r := &b.Rows[i]
		if !r.cut {
			r.first = uint32(len(b.cells))
			switch {
			case b.cuts != nil:
				b.cells = delimited.CutLine(b.cells, b.Arena, int(r.Start), int(r.End), b.cuts)
			case r.quoted:
				escaped := len(b.escaped)
				b.cells, b.escaped = b.dialect.AppendQuoted(b.cells, b.escaped, b.Arena, int(r.Start), int(r.End))
				if b.dialect.Delimiter == "," && len(b.escaped) == escaped { // are all commas between cells?
					commas := bytes.Count(b.Arena[r.Start:r.End], comma)
					r.bare = commas == len(b.cells)-int(r.first)-1
				}
			default:
				b.cells = b.dialect.AppendCells(b.cells, b.Arena, int(r.Start), int(r.End))
			}
			r.count = uint32(len(b.cells)) - r.first
		}
		if b.closing && int(r.count) == b.width+1 {
			if last := b.cells[r.first+r.count-1]; last.Start == last.End {
				r.count--
			}
		}
		b.isEven = b.isEven && int(r.count) == b.width && int(r.first) == i*b.width
		if b.width > 0 && int(r.count) != b.width && !r.Broken {
			code := violation.RowShort
			count := int(r.count)
			if count > b.width {
				code = violation.RowLong
			}
			if count == b.dialect.Most { // what is behind the last cell is in it
				count = bytes.Count(b.Arena[r.Start:r.End], []byte(b.dialect.Delimiter)) + 1
			}
			b.Defects = append(b.Defects, Defect{Code: code, Row: i, Cell: -1, Offset: b.Offset(int(r.Start)),
				Count: count})
		}
		if invalid {
			b.findInvalid(i)
		}
		if odd {
			b.findOdd(i)
		}
	}
	for _, c := range b.escaped {
		text := b.Text(b.cells[c])
		start := len(b.Arena)
		b.Arena = b.dialect.Unescape(b.Arena, text)
		b.cells[c] = delimited.Span{Start: uint32(start), End: uint32(len(b.Arena))}
	}
	slices.SortStableFunc(b.Defects, func(x, y Defect) int {
		return cmp.Or(cmp.Compare(x.Row, y.Row), cmp.Compare(x.Cell, y.Cell))
	})
	b.noteRuns(letters)
}

var comma = []byte{','}

var replacement = []byte(string(utf8.RuneError))

func (b *Batch) hasInvalid() bool {
	if b.codec != nil {
		return bytes.Contains(b.Arena, replacement)
	}
	return !utf8.Valid(b.Arena)
}

func (b *Batch) findInvalid(row int) {
	for k, s := range b.Cells(row) {
		first, count := -1, 0
		for i := int(s.Start); i < int(s.End); {
			r, n := utf8.DecodeRune(b.Arena[i:s.End])
			if r == utf8.RuneError && (n == 1) == (b.codec == nil) {
				if count++; first < 0 {
					first = i
				}
			}
			i += n
		}
		if count > 0 {
			d := Defect{Code: violation.EncodingInvalid, Row: row, Cell: k, Offset: b.Offset(first), Count: count}
			if b.codec == nil {
				d.Byte = b.Arena[first]
			}
			b.Defects = append(b.Defects, d)
		}
	}
}

// findOdd finds cells with control characters and with text that was decoded twice.
func (b *Batch) findOdd(row int) {
	for k, s := range b.Cells(row) {
		cell := b.Text(s)
		if at := controlAt(cell); at >= 0 {
			b.Defects = append(b.Defects, Defect{Code: violation.EncodingControl, Row: row, Cell: k,
				Offset: b.Offset(int(s.Start) + at), Count: 1, Byte: cell[at]})
		}
		if lexical.HasGarbled(cell) {
			if meant := lexical.Undecode(cell); meant != nil {
				b.Defects = append(b.Defects, Defect{Code: violation.EncodingGarbled, Row: row, Cell: k,
					Offset: b.Offset(int(s.Start)), Meant: string(meant)})
			}
		}
	}
}

// Raw returns a row's text as it stands in the delivery, with the line end and
// whatever lines that are no rows follow it; nil in a workbook.
func (b *Batch) Raw(row int) []byte {
	if b.isSheet {
		return nil
	}
	end := b.text
	if row+1 < len(b.Rows) {
		end = int(b.Rows[row+1].Start)
	}
	return b.Arena[b.Rows[row].Start:end]
}

// Offset returns the byte offset in the delivery of a position in the arena; -1
// in a workbook, whose bytes are packed.
func (b *Batch) Offset(at int) int64 {
	if b.isSheet {
		return -1
	}
	return b.base + b.tell.bytes(b.codec, b.Arena[:at])
}

// IsTyped reports whether the cells have kinds of their own.
func (b *Batch) IsTyped() bool { return b.isSheet }

// Kind returns the kind of value that a workbook gives a row's cell.
func (b *Batch) Kind(row, cell int) workbook.Kind {
	if r := &b.Rows[row]; b.isSheet && uint32(cell) < r.count {
		return b.kinds[int(r.first)+cell]
	}
	return workbook.Text
}
