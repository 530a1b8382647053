// Package rfc4180 writes cells and rows of comma-separated text as RFC 4180
// describes them, with LF line ends.
//
// It knows nothing of rows that were read or rules that were checked; the
// reader of delimited text is package source.
package rfc4180

import (
	"bytes"
	"encoding/binary"
	"unicode/utf8"
)

// IsPlain reports whether AppendCell appends a cell as it stands: it holds no
// comma, quote, LF or CR, and neither begins nor ends with a blank.
func IsPlain(cell []byte) bool {
	if len(cell) == 0 {
		return true
	}
	if cell[0] == ' ' || cell[len(cell)-1] == ' ' {
		return false
	}
	const (
		ones  = 0x0101010101010101
		highs = 0x8080808080808080
	)
	i := 0
	for ; i+8 <= len(cell); i += 8 {
		// A byte of zero in x is where w holds the byte sought. The test may
		// also mark a byte above a true one, never a word without any.
		w := binary.LittleEndian.Uint64(cell[i:])
		found := uint64(0)
		for _, c := range [...]uint64{',', '"', '\n', '\r'} {
			x := w ^ c*ones
			found |= (x - ones) &^ x
		}
		if found&highs != 0 {
			return false
		}
	}
	for ; i < len(cell); i++ {
		switch cell[i] {
		case ',', '"', '\n', '\r':
			return false
		}
	}
	return true
}

// AppendCell appends one cell, in quotes where the text demands it. A cell
// that begins or ends with a blank is quoted too, since many readers strip
// such blanks otherwise.
func AppendCell(dst, cell []byte) []byte {
	if IsPlain(cell) {
		return append(dst, cell...)
	}
	dst = append(dst, '"')
	for {
		i := bytes.IndexByte(cell, '"')
		if i < 0 {
			break
		}
		dst = append(dst, cell[:i+1]...)
		dst = append(dst, '"')
		cell = cell[i+1:]
	}
	dst = append(dst, cell...)
	return append(dst, '"')
}

// AppendValid appends one cell whose text may hold invalid bytes; each run of
// them becomes the replacement character.
func AppendValid(dst, cell []byte) []byte {
	if !utf8.Valid(cell) {
		cell = bytes.ToValidUTF8(cell, []byte("\uFFFD"))
	}
	return AppendCell(dst, cell)
}

// AppendRow appends a whole row and its line end. A row of one empty cell is
// written as "" so that it does not read as a blank line.
func AppendRow(dst []byte, cells ...string) []byte {
	if len(cells) == 1 && cells[0] == "" {
		return append(dst, '"', '"', '\n')
	}
	for i, cell := range cells {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = AppendCell(dst, []byte(cell))
	}
	return append(dst, '\n')
}
