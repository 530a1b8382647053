// Package csv writes rows as comma-separated text: RFC 4180, UTF-8, LF.
package csv

import (
	"io"
	"strconv"

	"sieb/core/outcome"
	"sieb/core/rfc4180"
)

// Form writes comma-separated text under a header of the columns' names.
type Form struct {
	Guard bool // an apostrophe stands before what a spreadsheet would take for a formula
}

type encoder struct {
	guard   bool
	isPlain bool
	reasons []byte
}

// Encoder returns an encoder of a table's rows.
func (f Form) Encoder(t *outcome.Table) outcome.Encoder {
	return &encoder{guard: f.Guard, isPlain: t.IsPlain()}
}

// Append appends a row and its line end. A lone null is a blank line, as PostgreSQL's COPY reads and writes it; a text
// without characters is two quotes.
func (e *encoder) Append(dst []byte, row *outcome.Row) []byte {
	switch row.Table.Side {
	case outcome.Accepted:
		dst = e.values(dst, row)
	case outcome.Violations:
		v := &row.Violations[row.Nth]
		dst = e.text(e.place(dst, row), v.Column)
		dst = append(append(append(dst, ','), v.Code.String()...), ',')
		dst = append(e.cell(dst, v.Value), ',')
		dst = e.cell(dst, v.Message)
	case outcome.Rejected:
		e.reasons = row.AppendReasons(e.reasons[:0])
		dst = e.delivered(e.cell(e.place(dst, row), e.reasons), row)
	default:
		dst = e.delivered(e.text(e.place(dst, row), row.Reason), row)
	}
	return append(dst, '\n')
}

// values appends the cells of an accepted row.
func (e *encoder) values(dst []byte, row *outcome.Row) []byte {
	oneByOne := e.guard || !e.isPlain || row.IsDamaged()
	for k, n := 0, row.Len(); k < n; k++ {
		if k > 0 {
			dst = append(dst, ',')
		}
		if !oneByOne {
			var next int
			if dst, next = row.AppendPlain(dst, k); next > k {
				k = next - 1
				continue
			}
		}
		if cell := row.Field(k); cell != nil && len(cell) == 0 {
			dst = append(dst, `""`...)
		} else {
			dst = e.cell(dst, cell)
		}
	}
	return dst
}

// place appends where any other row stands.
func (e *encoder) place(dst []byte, row *outcome.Row) []byte {
	if row.Number > 0 {
		dst = strconv.AppendInt(dst, row.Number, 10)
	}
	dst = strconv.AppendInt(append(dst, ','), row.Line, 10)
	return append(dst, ',')
}

// delivered appends the cells of a row as they were delivered.
func (e *encoder) delivered(dst []byte, row *outcome.Row) []byte {
	for k := range row.Cells() {
		dst = e.cell(append(dst, ','), row.Delivered(k))
	}
	return dst
}

func (e *encoder) text(dst []byte, text string) []byte { return e.cell(dst, []byte(text)) }

func (e *encoder) cell(dst, cell []byte) []byte {
	if e.guard {
		return appendGuarded(dst, cell, ',')
	}
	return rfc4180.AppendCell(dst, cell)
}

type packer struct{ to io.Writer }

// Pack writes the header.
func (f Form) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	if t.Heads == nil {
		return packer{to}, nil
	}
	text := rfc4180.AppendRow(nil, t.Heads...)
	if f.Guard {
		text = guardRows(nil, text, ',')
	}
	_, err := to.Write(text)
	return packer{to}, err
}

func (p packer) Write(rows []byte) (int, error) { return p.to.Write(rows) }

func (packer) Close() error { return nil }

func (packer) Abort() {}
