// Package jsonl writes rows as JSON Lines: one object of JSON (RFC 8259) in each line, UTF-8, LF.
//
// Numbers stand with all their digits; dates and times are strings of ISO 8601, as CSV on the Web has them; a value of a
// list column is an array; what has no value is null. Numbers that JSON does not know (INF, -INF, NaN) are strings.
package jsonl

import (
	"bytes"
	"io"
	"unicode/utf8"

	"sieb/core/outcome"
	"sieb/core/value"
)

// Form writes an object for each row, whose members are named by the heads of the columns.
type Form struct{}

type encoder struct {
	columns []outcome.Column
	keys    [][]byte // as they stand in the text, with the colon
	surplus []byte
}

// Encoder returns an encoder of a table's rows.
func (Form) Encoder(t *outcome.Table) outcome.Encoder {
	e := &encoder{columns: t.Columns, surplus: []byte(`"surplus":`)}
	for _, key := range t.Keys() {
		e.keys = append(e.keys, append(appendString(nil, []byte(key)), ':'))
	}
	return e
}

// Append appends a row. Cells beyond the header, of a row that was not accepted, are an array named surplus.
func (e *encoder) Append(dst []byte, row *outcome.Row) []byte {
	dst = append(dst, '{')
	n := row.Len()
	for k := range e.columns {
		if k > 0 {
			dst = append(dst, ',')
		}
		dst = append(dst, e.keys[k]...)
		if k >= n {
			dst = append(dst, "null"...)
			continue
		}
		dst = appendField(dst, &e.columns[k], row.Field(k))
	}
	for k := len(e.columns); k < n; k++ {
		if k == len(e.columns) {
			dst = append(append(append(dst, ','), e.surplus...), '[')
		} else {
			dst = append(dst, ',')
		}
		if dst = appendValue(dst, value.String, row.Field(k)); k == n-1 {
			dst = append(dst, ']')
		}
	}
	return append(dst, '}', '\n')
}

func appendField(dst []byte, c *outcome.Column, text []byte) []byte {
	if c.Separator == "" || text == nil {
		return appendValue(dst, c.Datatype, text)
	}
	dst = append(dst, '[')
	for i, entry := range bytes.Split(text, []byte(c.Separator)) {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = appendValue(dst, c.Datatype, entry)
	}
	return append(dst, ']')
}

// appendValue appends a text in canonical form as a value of its datatype; nil is null.
func appendValue(dst []byte, d value.Datatype, text []byte) []byte {
	switch {
	case text == nil:
		return append(dst, "null"...)
	case d == value.Boolean && (string(text) == "true" || string(text) == "false"):
		return append(dst, text...)
	case d.IsNumber() && isNumber(text):
		return append(dst, text...)
	}
	return appendString(dst, text)
}

// isNumber reports whether a text is a number of JSON: its grammar (RFC 8259, 6) without what canonical forms never have.
func isNumber(text []byte) bool {
	digits := func() bool {
		n := 0
		for n < len(text) && text[n]-'0' < 10 {
			n++
		}
		text = text[n:]
		return n > 0
	}
	take := func(signs string) bool {
		if len(text) == 0 || !bytes.Contains([]byte(signs), text[:1]) {
			return false
		}
		text = text[1:]
		return true
	}
	take("-")
	if len(text) > 1 && text[0] == '0' && text[1]-'0' < 10 || !digits() || take(".") && !digits() {
		return false
	}
	if take("eE") {
		if take("+-"); !digits() {
			return false
		}
	}
	return len(text) == 0
}

const hexDigits = "0123456789abcdef"

// appendString appends a text as a string of JSON. What is no UTF-8 becomes the replacement character.
func appendString(dst, text []byte) []byte {
	dst = append(dst, '"')
	from := 0
	for i := 0; i < len(text); {
		c := text[i]
		if c >= ' ' && c != '"' && c != '\\' && c < utf8.RuneSelf {
			i++
			continue
		}
		if c >= utf8.RuneSelf {
			r, n := utf8.DecodeRune(text[i:])
			// U+2028 and U+2029 end lines for some readers of lines.
			if r != '\u2028' && r != '\u2029' && (r != utf8.RuneError || n > 1) {
				i += n
				continue
			}
			dst = append(dst, text[from:i]...)
			if r == utf8.RuneError {
				dst = append(dst, "\uFFFD"...)
			} else {
				dst = append(append(dst, `\u202`...), hexDigits[r&0xF])
			}
			i += n
			from = i
			continue
		}
		dst = append(dst, text[from:i]...)
		switch c {
		case '"', '\\':
			dst = append(dst, '\\', c)
		case '\n':
			dst = append(dst, '\\', 'n')
		case '\r':
			dst = append(dst, '\\', 'r')
		case '\t':
			dst = append(dst, '\\', 't')
		default:
			dst = append(dst, '\\', 'u', '0', '0', hexDigits[c>>4], hexDigits[c&0xF])
		}
		i++
		from = i
	}
	return append(append(dst, text[from:]...), '"')
}

type packer struct{ io.Writer }

// Pack begins with nothing: there is no header.
func (Form) Pack(_ *outcome.Table, to io.Writer) (outcome.Packer, error) { return packer{to}, nil }

func (packer) Close() error { return nil }

func (packer) Abort() {}
