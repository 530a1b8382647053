// Package xlsx writes rows as a workbook (Office Open XML, ECMA-376): typed cells below a header, in sheets of as many
// rows as a sheet may have.
//
// Numbers, dates, times and booleans are such cells where a spreadsheet holds them exactly: numbers of at most 15 digits,
// days from March 1900 on, times without a zone to the millisecond. All other values are texts, with all that they
// say. What has no value is an empty cell. A text that a cell cannot hold is an error that names it.
package xlsx

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"sieb/core/outcome"
	"sieb/core/outcome/packed"
	"sieb/core/value"
)

// Form writes a workbook.
type Form struct{}

// What a sheet holds.
const (
	mostRows    = 1 << 20
	mostColumns = 1 << 14
	mostText    = 32767 // characters, in UTF-16
	exactDigits = 15
)

type encoder struct{ columns []outcome.Column }

// Encoder returns an encoder of a table's rows, which packs their texts.
func (Form) Encoder(t *outcome.Table) outcome.Encoder { return &encoder{t.Columns} }

// Append appends a row, packed.
func (e *encoder) Append(dst []byte, row *outcome.Row) []byte {
	n := row.Len()
	for k := range e.columns {
		var text []byte
		if k < n {
			text = row.Field(k)
		}
		switch {
		case text == nil:
			dst = packed.AppendNull(dst)
		case n > len(e.columns) && k == len(e.columns)-1:
			dst = packed.AppendUnfit(dst, row, e.columns[k].Name, string(text), "is followed by cells beyond the header; "+
				"write such rows as CSV or JSON Lines")
		case len(text) > mostText && lengthOf(text) > mostText:
			dst = packed.AppendUnfit(dst, row, e.columns[k].Name, string(text), "is longer than a cell of a workbook may be, "+
				"32767 characters; write CSV, JSON Lines or Parquet")
		case bytes.ContainsFunc(text, isUnknown):
			dst = packed.AppendUnfit(dst, row, e.columns[k].Name, string(text), "holds a character that a workbook cannot "+
				"hold; let the remedy clean take it away, or write CSV, JSON Lines or Parquet")
		default:
			dst = packed.AppendBytes(dst, text)
		}
	}
	return dst
}

// isUnknown reports whether XML has no such character (XML 1.0, 2.2).
func isUnknown(r rune) bool {
	return r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == 0xFFFE || r == 0xFFFF
}

// lengthOf returns the length of a text as spreadsheets count it.
func lengthOf(text []byte) (n int) {
	for len(text) > 0 {
		r, size := utf8.DecodeRune(text)
		n++
		if r > 0xFFFF {
			n++
		}
		text = text[size:]
	}
	return n
}

// formats are how cells show moments.
var formats = []struct {
	of     value.Datatype
	format string
}{{value.Date, "yyyy-mm-dd"}, {value.DateTime, "yyyy-mm-dd hh:mm:ss"}, {value.Time, "hh:mm:ss"}}

type packer struct {
	to      io.Writer
	table   *outcome.Table
	book    *excelize.File
	sheet   *excelize.StreamWriter
	sheets  int
	row     int // of the sheet, from 1, that is written next
	styles  map[value.Datatype]int
	head    int // style
	moments map[value.Datatype]*value.DateFormat
	cells   []any
}

// Pack begins a workbook.
func (Form) Pack(t *outcome.Table, to io.Writer) (outcome.Packer, error) {
	if len(t.Columns) > mostColumns {
		return nil, fmt.Errorf("the table has %d columns, and a sheet has at most %d; write CSV, JSON Lines or Parquet",
			len(t.Columns), mostColumns)
	}
	p := &packer{to: to, table: t, book: excelize.NewFile(), styles: map[value.Datatype]int{},
		moments: map[value.Datatype]*value.DateFormat{}, cells: make([]any, len(t.Columns))}
	var err error
	for _, f := range formats {
		if p.styles[f.of], err = p.book.NewStyle(&excelize.Style{CustomNumFmt: &f.format}); err != nil {
			return nil, err
		}
		if p.moments[f.of], err = value.NewDateFormat(f.of, ""); err != nil {
			return nil, err
		}
	}
	if p.head, err = p.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}}); err != nil {
		return nil, err
	}
	return p, p.begin()
}

// begin begins a sheet with the heads.
func (p *packer) begin() (err error) {
	if p.sheets++; p.sheets == 1 {
		err = p.book.SetSheetName("Sheet1", p.name())
	} else {
		_, err = p.book.NewSheet(p.name())
	}
	if err != nil {
		return err
	}
	if p.sheet, err = p.book.NewStreamWriter(p.name()); err != nil {
		return err
	}
	p.row = 1
	if p.table.Heads == nil {
		return nil
	}
	if err := p.sheet.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	for k, head := range p.table.Heads {
		p.cells[k] = excelize.Cell{StyleID: p.head, Value: head}
	}
	return p.put()
}

// name returns the name of the sheet at hand: the table's, as far as a sheet may be called so.
func (p *packer) name() string {
	name := strings.Map(func(r rune) rune {
		if strings.ContainsRune(`:\/?*[]'`, r) {
			return '_'
		}
		return r
	}, p.table.Name)
	if name == "" {
		name = "rows"
	}
	end := ""
	if p.sheets > 1 {
		end = fmt.Sprintf(" %d", p.sheets)
	}
	for lengthOf([]byte(name))+len(end) > 31 {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name + end
}

// put writes the cells at hand as the next row.
func (p *packer) put() error {
	if p.row > mostRows {
		if err := p.sheet.Flush(); err != nil {
			return err
		}
		cells := append([]any{}, p.cells...)
		if err := p.begin(); err != nil {
			return err
		}
		copy(p.cells, cells)
	}
	err := p.sheet.SetRow("A"+strconv.Itoa(p.row), p.cells)
	p.row++
	return err
}

// Write takes packed rows.
func (p *packer) Write(rows []byte) (int, error) {
	size := len(rows)
	for len(rows) > 0 {
		for k := range p.cells {
			field, rest, err := packed.Next(rows)
			if err != nil {
				return 0, err
			}
			p.cells[k], rows = p.cell(&p.table.Columns[k], field), rest
		}
		if err := p.put(); err != nil {
			return 0, err
		}
	}
	return size, nil
}

// cell returns a field as the library takes it.
func (p *packer) cell(c *outcome.Column, field []byte) any {
	switch {
	case field == nil:
		return nil
	case c.IsText():
		return string(field)
	case c.Datatype.IsNumber():
		if n, ok := number(string(field)); ok {
			return n
		}
	case c.Datatype == value.Boolean:
		return field[0] == 't'
	case c.Datatype.IsMoment():
		var t value.Instant
		if p.moments[c.Datatype].Parse(field, &t) == value.Matches {
			if n, ok := serial(c.Datatype, &t); ok {
				return excelize.Cell{StyleID: p.styles[c.Datatype], Value: n}
			}
		}
	}
	return string(field)
}

// number returns a canonical number as a spreadsheet holds it; ok is false where that would lose a digit.
func number(text string) (n float64, ok bool) {
	digits := 0
	for i := range len(text) {
		switch c := text[i]; {
		case c-'0' < 10:
			digits++
		case c != '-' && c != '.' && c != 'E' && c != '+':
			return 0, false // INF, NaN
		}
	}
	n, err := strconv.ParseFloat(text, 64)
	return n, err == nil && digits <= exactDigits
}

// serial returns a moment as days since the end of 1899, as spreadsheets count them, a time as the part of a day; ok is
// false where they hold none such. Before March 1900 they count a day that there was not.
func serial(d value.Datatype, t *value.Instant) (n float64, ok bool) {
	const (
		epoch  = 25569 // 1970-01-01
		march  = 61
		coarse = 1_000_000 // from that day on 15 digits tell no milliseconds
		second = 24 * 60 * 60
	)
	if t.Zoned || t.Nanos%1_000_000 != 0 {
		return 0, false
	}
	n = (float64((int64(t.Hour)*60+int64(t.Minute))*60+int64(t.Second)) + float64(t.Nanos)/1e9) / second
	if d != value.Time {
		day := float64(t.Days() + epoch)
		if day < march || day >= coarse && t.Nanos > 0 {
			return 0, false
		}
		n += day
	}
	// The library cuts off the digits behind the fifteenth.
	n, err := strconv.ParseFloat(strconv.FormatFloat(n, 'g', exactDigits, 64), 64)
	return n, err == nil
}

// Close ends the workbook.
func (p *packer) Close() error {
	if err := p.sheet.Flush(); err != nil {
		return err
	}
	return errors.Join(p.book.Write(p.to), p.book.Close())
}

// Abort takes away the files in which the library holds sheets.
func (p *packer) Abort() { _ = p.book.Close() }
