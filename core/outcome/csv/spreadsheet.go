package csv

import (
	"bytes"
	"context"
	"errors"
	"io"
	"unicode"

	"sieb/core/rfc4180"
)

// Programs that open a CSV file as a spreadsheet take a cell that begins with one of
// a few signs for a formula and run it. A sender could so reach into the steward's
// machine by way of a report on what was sent.

// isFormula reports whether a spreadsheet would take a cell for a formula, also where blanks or
// invisible characters, which some programs drop, stand before its sign. A number with a sign in front
// is none.
func isFormula(cell []byte) bool {
	if len(cell) == 0 {
		return false
	}
	if cell[0] == '\t' || cell[0] == '\r' || cell[0] == '\n' {
		return true
	}
	cell = bytes.TrimLeftFunc(cell, isUnseen)
	for _, sign := range []string{"=", "@", "＝", "＋", "－", "＠"} {
		if bytes.HasPrefix(cell, []byte(sign)) {
			return true
		}
	}
	return len(cell) > 0 && (cell[0] == '+' || cell[0] == '-') && !isSigned(cell[1:])
}

// isUnseen reports whether a character is blank, a control, or shows nothing.
func isUnseen(r rune) bool {
	return r > unicode.MaxASCII && unicode.In(r, unicode.Cf, unicode.Zs, unicode.Zl, unicode.Zp,
		unicode.Variation_Selector, unicode.Other_Default_Ignorable_Code_Point) || unicode.IsSpace(r) || unicode.IsControl(r)
}

// isSigned reports whether what follows a sign is digits with points and commas among
// them, so that the whole is a number in any spreadsheet's language.
func isSigned(rest []byte) bool {
	digits := 0
	for _, c := range rest {
		if c >= '0' && c <= '9' {
			digits++
		} else if c != '.' && c != ',' {
			return false
		}
	}
	return digits > 0
}

// appendGuarded appends a cell; an apostrophe before what a spreadsheet would take for
// a formula makes it a text there. What holds the delimiter stands in quotes.
func appendGuarded(dst, cell []byte, delimiter byte) []byte {
	if isFormula(cell) {
		cell = append([]byte{'\''}, cell...)
	}
	if delimiter != ',' && bytes.IndexByte(cell, delimiter) >= 0 && rfc4180.IsPlain(cell) {
		return append(append(append(dst, '"'), cell...), '"') // it holds no quote
	}
	return rfc4180.AppendCell(dst, cell)
}

// guardRows appends whole rows that this package's writers have made, with formulas
// guarded and another delimiter where the comma is not wanted.
func guardRows(dst, text []byte, delimiter byte) []byte {
	var cell []byte
	for len(text) > 0 {
		cell = cell[:0]
		if text[0] == '"' {
			for text = text[1:]; ; text = text[1:] {
				i := bytes.IndexByte(text, '"')
				if i < 0 {
					i = len(text) - 1 // of a damaged file
				}
				cell = append(cell, text[:i]...)
				if text = text[i+1:]; len(text) == 0 || text[0] != '"' {
					break
				}
				cell = append(cell, '"')
			}
			if len(cell) == 0 {
				dst = append(dst, `""`...) // a lone empty cell is no blank line
			}
		} else {
			i := bytes.IndexAny(text, ",\n")
			if i < 0 {
				i = len(text)
			}
			cell, text = append(cell, text[:i]...), text[i:]
		}
		if dst = appendGuarded(dst, cell, delimiter); len(text) > 0 {
			end := text[0]
			if end == ',' {
				end = delimiter
			}
			dst, text = append(dst, end), text[1:]
		}
	}
	return dst
}

// Spreadsheet writes a file of a run so that a spreadsheet opens it as it is meant:
// with a byte order mark, which tells UTF-8, formulas guarded, and the delimiter that
// it expects: a semicolon where decimals have a comma. The end of ctx ends it.
func Spreadsheet(ctx context.Context, dst io.Writer, src io.Reader, delimiter byte) error {
	if _, err := io.WriteString(dst, "\uFEFF"); err != nil {
		return err
	}
	var out []byte
	buf := make([]byte, 0, 256<<10)
	for ended := false; !ended; {
		if err := ctx.Err(); err != nil {
			return err
		}
		if len(buf) == cap(buf) {
			buf = append(buf, make([]byte, len(buf))...)[:len(buf)]
		}
		n, err := src.Read(buf[len(buf):cap(buf)])
		buf = buf[:len(buf)+n]
		if ended = errors.Is(err, io.EOF); err != nil && !ended {
			return err
		}
		whole := wholeRows(buf)
		if whole == 0 && len(buf) > maxHeldRow {
			return errors.New("a row of the file is too long to be shown in a spreadsheet")
		}
		out = guardRows(out[:0], buf[:whole], delimiter)
		if _, err := dst.Write(out); err != nil {
			return err
		}
		buf = buf[:copy(buf, buf[whole:])]
	}
	return nil
}

// maxHeldRow is what one row may have, in bytes, that is written for a spreadsheet.
const maxHeldRow = 256 << 20

// wholeRows returns where the last complete row of a text ends, which begins with a row.
func wholeRows(text []byte) (end int) {
	quotes := 0
	for i := 0; i < len(text); {
		k := bytes.IndexByte(text[i:], '\n')
		if k < 0 {
			break
		}
		quotes += bytes.Count(text[i:i+k], []byte{'"'})
		if i += k + 1; quotes%2 == 0 {
			end = i
		}
	}
	return end
}
