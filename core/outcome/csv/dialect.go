package csv

import (
	"bytes"
	"fmt"
	"io"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"

	"sieb/core/outcome"
)

// Dialect is a form: delimited text as a receiver wants it.
type Dialect struct {
	delimiter []byte
	all       bool // every value stands in quotes
	texts     bool // every text does
	end       string
	name      string            // of the encoding
	encoding  encoding.Encoding // nil for UTF-8
	mark      bool              // a byte order mark stands first
}

// NewDialect returns the form that settings ask for.
func NewDialect(s outcome.Settings) (*Dialect, error) {
	d := &Dialect{delimiter: []byte(s.Delimiter), end: "\n", name: s.Encoding, mark: s.ByteOrderMark}
	switch {
	case s.Delimiter == "":
		d.delimiter = []byte{','}
	case s.Delimiter == "tab":
		d.delimiter = []byte{'\t'}
	case utf8.RuneCountInString(s.Delimiter) > 1 || s.Delimiter == `"` || s.Delimiter == "\n" || s.Delimiter == "\r":
		return nil, fmt.Errorf("delimiter %q is neither one character nor tab", s.Delimiter)
	}
	switch s.Quoting {
	case "", "needed":
	case "all":
		d.all = true
	case "texts":
		d.texts = true
	default:
		return nil, fmt.Errorf("quoting %q is none of needed, all, texts", s.Quoting)
	}
	switch s.LineTerminator {
	case "", "lf":
	case "crlf":
		d.end = "\r\n"
	default:
		return nil, fmt.Errorf("lineTerminator %q is neither lf nor crlf", s.LineTerminator)
	}
	if s.Encoding == "" || s.Encoding == "utf-8" {
		d.name = "utf-8"
		return d, nil
	}
	e, err := htmlindex.Get(s.Encoding)
	if err != nil || s.Encoding == "replacement" || s.Encoding == "x-user-defined" {
		return nil, fmt.Errorf("encoding %q is not known; give a name such as utf-8, windows-1252 or utf-16le", s.Encoding)
	}
	d.encoding = e
	return d, nil
}

type dialectEncoder struct {
	*Dialect
	quoted []bool // columns whose values always stand in quotes
}

// Encoder returns an encoder of a table's rows; what it appends is UTF-8.
func (d *Dialect) Encoder(t *outcome.Table) outcome.Encoder {
	e := &dialectEncoder{d, make([]bool, len(t.Columns))}
	for i := range t.Columns {
		e.quoted[i] = d.all || d.texts && t.Columns[i].IsText()
	}
	return e
}

// Append appends a row and its line end. What has no value is nothing; a text without characters is two quotes.
func (e *dialectEncoder) Append(dst []byte, row *outcome.Row) []byte {
	for k := range row.Len() {
		if k > 0 {
			dst = append(dst, e.delimiter...)
		}
		field := row.Field(k)
		dst = e.cell(dst, field, k < len(e.quoted) && e.quoted[k] || len(field) == 0)
	}
	return append(dst, e.end...)
}

// cell appends a cell, in quotes where that is asked for, or the text demands it. What is nil is nothing.
func (d *Dialect) cell(dst, cell []byte, quoted bool) []byte {
	if cell == nil {
		return dst
	}
	if !quoted && !bytes.ContainsAny(cell, "\"\r\n") && !bytes.Contains(cell, d.delimiter) && cell[0] != ' ' &&
		cell[len(cell)-1] != ' ' {
		return append(dst, cell...)
	}
	dst = append(dst, '"')
	for {
		before, after, found := bytes.Cut(cell, []byte{'"'})
		dst = append(dst, before...)
		if !found {
			return append(dst, '"')
		}
		dst, cell = append(dst, `""`...), after
	}
}

type dialectPacker struct {
	to      io.Writer
	dialect *Dialect
	encoder *encoding.Encoder // nil for UTF-8
	lines   int64
}

// Pack writes the header.
func (d *Dialect) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	p := &dialectPacker{to: to, dialect: d}
	if d.encoding != nil {
		p.encoder = d.encoding.NewEncoder()
	}
	var text []byte
	if d.mark {
		text = append(text, "\uFEFF"...)
	}
	for i, head := range t.Heads {
		if i > 0 {
			text = append(text, d.delimiter...)
		}
		text = d.cell(text, []byte(head), d.all || d.texts)
	}
	if t.Heads != nil {
		text = append(text, d.end...)
	}
	_, err := p.Write(text)
	return p, err
}

// Write puts text into the encoding. What the encoding does not know is an error, and never replaced.
func (p *dialectPacker) Write(text []byte) (int, error) {
	out := text
	if p.encoder != nil {
		var err error
		if out, err = p.encoder.Bytes(text); err != nil {
			return 0, p.unknown(text)
		}
	}
	p.lines += int64(bytes.Count(text, []byte{'\n'}))
	_, err := p.to.Write(out)
	return len(text), err
}

// unknown says which character of a text the encoding does not know.
func (p *dialectPacker) unknown(text []byte) error {
	line := p.lines + 1
	for rest := text; len(rest) > 0; {
		r, n := utf8.DecodeRune(rest)
		if _, err := p.dialect.encoding.NewEncoder().Bytes(rest[:n]); err != nil {
			return fmt.Errorf("the character %q (%U), for line %d of the output, is not in %s; write utf-8, or another "+
				"encoding that has it", r, r, line, p.dialect.name)
		}
		if rest = rest[n:]; r == '\n' {
			line++
		}
	}
	return fmt.Errorf("the output cannot be written in %s", p.dialect.name)
}

func (*dialectPacker) Close() error { return nil }

func (*dialectPacker) Abort() {}
