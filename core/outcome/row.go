package outcome

import (
	"bytes"
	"strconv"
	"strings"
	"unicode/utf8"

	"sieb/core/delimited"
	"sieb/core/source"
)

// Block is some rows of a batch as they were judged. It belongs to who judges them: nothing
// of it may be kept.
type Block struct {
	Batch *source.Batch
	First int // the block's first row in the batch

	// Texts holds for each column of the target, and each row of the block, where in the batch's arena the canonical
	// text of the cell stands: an empty place for no value, Empty for a text without characters. It is nil where only
	// the cells as delivered are at hand.
	Texts   [][]delimited.Span
	Moved   []bool // rows of which some text is not where the cell was read
	Damaged []bool // rows that hold invalid bytes
	// Odd has for each row a bit for each column that may hold a text which takes quotes in RFC 4180, or is Empty:
	// the lowest for the first column, the 65th and so on.
	Odd     []uint64
	Leading int // how many columns, from the first on, are fed by the cells in the same places
}

// Empty is the place of a text without characters, which is a value.
var Empty = delimited.Span{Start: 1<<32 - 1, End: 1<<32 - 1}

// Text returns the text at a place of the batch's arena; it is nil for no value, and not nil for an
// empty text.
func Text(b *source.Batch, s delimited.Span) []byte {
	switch {
	case s == Empty:
		return []byte{}
	case s.Start == s.End:
		return nil
	}
	return b.Arena[s.Start:s.End]
}

// Row is a row of an output's table: a row of the delivery, or, in a table of violations, one of
// those of a row.
type Row struct {
	Table *Table // of the output
	Block *Block // nil for the delivery as a whole
	At    int    // the row in the block

	Number     int64       // of the row, from 1; 0 for the delivery as a whole
	Line       int64       // on which it starts
	Reason     string      // why it is left out
	Violations []Violation // of the row
	Refusals   []Violation // those for which no row of the delivery is accepted
	Nth        int         // in a table of violations which of them it is

	buf []byte
}

// Len returns how many fields the row has. A row that was delivered with more or fewer cells than
// the header has as many more or fewer fields than the table has columns.
func (r *Row) Len() int {
	switch r.Table.Side {
	case Accepted:
		return len(r.Table.fields)
	case Violations:
		return len(ViolationsHeader)
	}
	return leading + r.Cells()
}

// Cells returns how many cells the row was delivered with.
func (r *Row) Cells() int { return len(r.Block.Batch.Cells(r.Block.First + r.At)) }

// Field returns a field of the row, valid UTF-8; nil for no value. It is valid until the next
// one is asked for.
func (r *Row) Field(k int) []byte {
	switch {
	case r.Table.Side == Accepted:
		if f := r.Table.fields[k]; f.isLabel {
			return r.label(f.column)
		} else {
			return r.Value(f.column)
		}
	case k == 0:
		if r.Number == 0 {
			return nil
		}
		r.buf = strconv.AppendInt(r.buf[:0], r.Number, 10)
		return r.buf
	case k == 1:
		r.buf = strconv.AppendInt(r.buf[:0], r.Line, 10)
		return r.buf
	case r.Table.Side == Violations:
		return r.found(k)
	case k >= leading:
		return r.Delivered(k - leading)
	case r.Table.Side == Rejected:
		r.buf = r.AppendReasons(r.buf[:0])
		return r.buf
	}
	r.buf = append(r.buf[:0], r.Reason...)
	return r.buf
}

// Value returns the canonical text of a cell of the target's column; nil for no value, not nil for
// an empty text. Only accepted rows have them.
func (r *Row) Value(column int) []byte {
	b := r.Block
	text := Text(b.Batch, b.Texts[column][r.At])
	if b.Damaged[r.At] && !utf8.Valid(text) {
		text = bytes.ToValidUTF8(text, replacement)
	}
	return text
}

// label returns what the codes of a column's cell mean, those that mean something; nil for no value.
func (r *Row) label(column int) []byte {
	c := &r.Table.Schema.Columns[column]
	text := r.Value(column)
	if text == nil {
		return nil
	}
	entries := []string{string(text)}
	if c.Separator != "" {
		entries = strings.Split(entries[0], c.Separator)
	}
	for i, code := range entries {
		if label := c.Labels[code]; label != "" {
			entries[i] = label
		}
	}
	r.buf = append(r.buf[:0], strings.Join(entries, c.Separator)...)
	return r.buf
}

var replacement = []byte(string(utf8.RuneError))

// Delivered returns a cell as it was delivered, made valid where it holds invalid bytes; nil for an
// empty one, and where there is none.
func (r *Row) Delivered(cell int) []byte {
	b := r.Block.Batch
	cells := b.Cells(r.Block.First + r.At)
	if cell >= len(cells) || cells[cell].Start == cells[cell].End {
		return nil
	}
	text := b.Text(cells[cell])
	if !utf8.Valid(text) {
		text = bytes.ToValidUTF8(text, replacement)
	}
	return text
}

// AppendReasons appends why the row is rejected, in one text.
func (r *Row) AppendReasons(dst []byte) []byte {
	start := len(dst)
	for _, all := range [...][]Violation{r.Refusals, r.Violations} {
		for i := range all {
			v := &all[i]
			if !v.Rejects() {
				continue
			}
			if len(dst) > start {
				dst = append(dst, " | "...)
			}
			if v.Title != "" {
				dst = append(append(dst, v.Title...), ": "...)
			}
			dst = append(append(dst, v.Message...), " ["...)
			dst = append(append(dst, v.Code.String()...), ']')
		}
	}
	return dst
}

// found returns a field of a row of violations.
func (r *Row) found(k int) []byte {
	v := &r.Violations[r.Nth]
	switch k {
	case 2:
		r.buf = append(r.buf[:0], v.Column...)
	case 3:
		r.buf = append(r.buf[:0], v.Code.String()...)
	case 4:
		return v.Value
	default:
		return v.Message
	}
	return r.buf
}

// AppendPlain appends the cells of an accepted row from a column on, with commas between them, up to the next that may
// take quotes as RFC 4180 has them, or to the end. It returns which that is. What stands in the delivery as it is to be
// written is copied in one piece.
func (r *Row) AppendPlain(dst []byte, column int) (appended []byte, next int) {
	b, k := r.Block, r.At
	const short = 32
	n, odd := len(b.Texts), b.Odd[k]
	arena := b.Batch.Arena
	roomy := arena[:cap(arena)]
	i := column
	if m := b.Leading; i == 0 && m > 1 && odd == 0 && !b.Moved[k] && b.Batch.IsWritten(b.First+k) {
		dst = append(dst, arena[b.Texts[0][k].Start:b.Texts[m-1][k].End]...)
		i = m
	}
	for i < n && odd>>(i&63)&1 == 0 {
		if i > column {
			dst = append(dst, ',')
		}
		// Cells that lie behind one another with a comma between them, as in
		// a delivery that needs no change, go in one piece.
		s := b.Texts[i][k]
		for i++; i < n && odd>>(i&63)&1 == 0; i++ {
			next := b.Texts[i][k]
			if next.Start != s.End+1 || arena[s.End] != ',' {
				break
			}
			s.End = next.End
		}
		from, size, end := int(s.Start), int(s.End-s.Start), len(dst)
		if size <= short && from+short <= len(roomy) && end+short < cap(dst) {
			// A copy of fixed length takes a few instructions, without a call.
			dst = dst[:end+short]
			*(*[short]byte)(dst[end:]) = *(*[short]byte)(roomy[from:])
			dst = dst[:end+size]
		} else {
			dst = append(dst, arena[s.Start:s.End]...)
		}
	}
	return dst, i
}

// IsDamaged reports whether the row holds invalid bytes, which Value mends.
func (r *Row) IsDamaged() bool { return r.Block.Damaged[r.At] }
