package workbook

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
)

const contentPart = "content.xml"

func (b *Book) openODS(ctx context.Context) error {
	b.Kind = "ODS"
	locked := false
	if has(b.zip, "META-INF/manifest.xml") {
		err := b.scan(ctx, "META-INF/manifest.xml", func(s *scanner) error {
			locked = locked || string(s.name) == "encryption-data"
			return nil
		})
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil && !errors.As(err, new(*NotReadable)) {
			return err
		}
	}
	if locked {
		return notReadable("the workbook is protected by a password; ask the sender for it without")
	}
	// All sheets are in one part. Going through it once tells them, and is kept
	// as the survey of each.
	part, err := b.open(ctx, contentPart)
	if err != nil {
		return err
	}
	in := readAhead(part)
	defer in.Close()
	o, left := &odsRows{s: newScanner(in)}, newBudget(b.packed)
	for {
		found, err := o.toSheet()
		if err != nil {
			return damaged(err)
		}
		if !found {
			break
		}
		k := len(b.Sheets)
		if k == maxSheets {
			return tooMany("sheets", maxSheets)
		}
		sheet := Sheet{Name: o.name, Hidden: o.isHidden, part: contentPart}
		survey, err := take(o, left)
		if err != nil {
			return damaged(err)
		}
		sheet.Rows, sheet.Columns = survey.LastRow, survey.Columns
		b.surveys[k] = survey
		b.Sheets = append(b.Sheets, sheet)
	}
	if !o.isSpreadsheet {
		return notReadable("the file is an OpenDocument, but not a spreadsheet; ask for its table as ODS, XLSX or CSV")
	}
	return nil
}

// odsRows reads the cells of the sheets of a content part, one sheet after the other.
type odsRows struct {
	s             *scanner
	isSpreadsheet bool

	// Of the styles: hidden sheets, durations.
	unseen    map[string]bool // table styles
	elapsed   map[string]bool // data styles that count beyond a day
	durations map[string]bool // cell styles that use one of those
	isCells   bool            // the style being read is one of cells
	style     string          // the style being read

	// Of the sheet.
	name     string
	isHidden bool
	columns  []odsColumns
	hidden   []Range
	merged   []Range
	at       int // columns described so far
	row      int // the last one
	closed   int // depth of groups that are folded away
	groups   []bool
	ended    bool

	// The row that is given again while repeat is above 0.
	last   Row
	repeat int
	text   []byte // scratch
}

// odsColumns is a run of columns of one default style.
type odsColumns struct {
	to       int // not including
	duration bool
}

// readODS begins to read the nth sheet.
func readODS(r io.Reader, sheet int) (*odsRows, error) {
	o := &odsRows{s: newScanner(r)}
	for k := 0; ; k++ {
		found, err := o.toSheet()
		if err != nil {
			return nil, damaged(err)
		}
		if !found {
			return nil, damaged(fmt.Errorf("its sheet %d is missing", sheet+1))
		}
		if k == sheet {
			return o, nil
		}
		o.s.skipElement()
	}
}

func (o *odsRows) hiddenColumns() []Range { return o.hidden }
func (o *odsRows) mergedCells() []Range   { return o.merged }

// toSheet goes to the next sheet, past the styles.
func (o *odsRows) toSheet() (found bool, err error) {
	if o.unseen == nil {
		o.unseen, o.elapsed, o.durations = map[string]bool{}, map[string]bool{}, map[string]bool{}
	}
	s := o.s
	for s.next() {
		if s.kind != startTag {
			continue
		}
		switch string(s.name) {
		case "style":
			o.style = string(s.attr("style:name"))
			o.isCells = string(s.attr("style:family")) == "table-cell"
			if o.isCells && o.elapsed[string(s.attr("style:data-style-name"))] {
				o.durations[o.style] = true
			}
		case "time-style":
			if string(s.attr("number:truncate-on-overflow")) == "false" {
				o.elapsed[string(s.attr("style:name"))] = true
			}
		case "table-properties":
			if string(s.attr("table:display")) == "false" {
				o.unseen[o.style] = true
			}
		case "spreadsheet":
			o.isSpreadsheet = true
		case "tracked-changes", "content-validations":
			s.skipElement()
		case "table":
			if !o.isSpreadsheet {
				continue
			}
			o.name, o.isHidden = s.word("table:name"), o.unseen[string(s.attr("table:style-name"))]
			o.columns, o.hidden, o.merged, o.groups = nil, nil, nil, nil
			o.at, o.row, o.closed, o.repeat, o.ended = 0, 0, 0, 0, s.empty
			return true, nil
		}
	}
	return false, s.err
}

func (o *odsRows) next(row *Row) error {
	for !o.ended {
		if o.repeat > 0 {
			o.repeat--
			o.give(row)
			return nil
		}
		if !o.s.next() {
			o.s.cutOff()
			return o.s.err
		}
		if err := o.token(); err != nil {
			return err
		}
	}
	return io.EOF
}

// give hands out the row that was read.
func (o *odsRows) give(row *Row) {
	o.row++
	base := uint32(len(row.Text))
	row.Number, row.Hidden = o.row, o.last.Hidden
	row.Text = append(row.Text, o.last.Text...)
	row.Cells = row.Cells[:0]
	for _, c := range o.last.Cells {
		c.Start += base
		c.End += base
		row.Cells = append(row.Cells, c)
	}
}

// token takes a tag of the sheet's structure.
func (o *odsRows) token() error {
	s := o.s
	if s.kind == charData {
		return nil
	}
	switch name := string(s.name); name {
	case "table":
		// A table inside a table is no sheet's.
		if s.kind == startTag {
			s.skipElement()
		} else {
			o.ended = true
		}
	case "table-row-group", "table-column-group":
		if s.kind == startTag {
			folded := string(s.attr("table:display")) == "false"
			o.groups = append(o.groups, folded)
			if folded {
				o.closed++
			}
		} else if n := len(o.groups); n > 0 {
			if o.groups[n-1] {
				o.closed--
			}
			o.groups = o.groups[:n-1]
		}
	case "table-column":
		if s.kind == startTag {
			o.column()
		}
	case "table-row":
		if s.kind == startTag {
			return o.readRow()
		}
	case "shapes", "forms", "table-source", "scenario", "named-expressions":
		if s.kind == startTag {
			s.skipElement()
		}
	}
	return nil
}

func (o *odsRows) isUnseen() bool {
	v := string(o.s.attr("table:visibility"))
	return v == "collapse" || v == "filter" || o.closed > 0
}

func (o *odsRows) column() {
	from := o.at
	o.at = min(from+o.s.number("table:number-columns-repeated", MaxColumns), MaxColumns)
	if o.at == from {
		return // beyond the last column
	}
	o.columns = append(o.columns, odsColumns{o.at, o.durations[string(o.s.attr("table:default-cell-style-name"))]})
	if o.isUnseen() {
		o.hidden = append(o.hidden, Range{FirstColumn: from, LastColumn: o.at - 1})
	}
}

// readRow reads a row; it is given as often as it says, or passed over where no
// cell is filled.
func (o *odsRows) readRow() error {
	s := o.s
	repeat := s.number("table:number-rows-repeated", MaxRows)
	style := s.attr("table:default-cell-style-name")
	inRow := style != nil && o.durations[string(style)]
	o.last.Hidden = o.isUnseen()
	o.last.Cells, o.last.Text = o.last.Cells[:0], o.last.Text[:0]
	column := 0
	for closed := s.empty; !closed; {
		if !s.next() {
			s.cutOff()
			return s.err
		}
		switch {
		case s.kind == endTag && string(s.name) == "table-row":
			closed = true
		case s.kind == startTag && (string(s.name) == "table-cell" || string(s.name) == "covered-table-cell"):
			c := o.tagCell()
			if wide := min(c.wide, MaxColumns-column); wide > 0 && (c.down > 1 || wide > 1) {
				if len(o.merged) == maxMerged {
					return tooMany("merged cells", maxMerged)
				}
				o.merged = append(o.merged, Range{o.row + 1, o.row + c.down, column, column + wide - 1})
			}
			if err := o.cell(column, c, inRow); err != nil {
				return err
			}
			column += c.repeated
			if len(o.last.Text) > MaxRowText {
				return rowTooLong(o.row + 1)
			}
		}
	}
	if len(o.last.Cells) == 0 {
		o.row += repeat
		return nil
	}
	o.repeat = repeat
	return nil
}

// odsCell is what the tag of a cell says.
type odsCell struct {
	kind, value          []byte // the type, and the value that stands in the tag
	style                []byte
	repeated, down, wide int
	isError, isFormula   bool
	formula              []byte
}

// tagCell reads the tag of a cell in one go, since sheets hold millions of them.
func (o *odsRows) tagCell() odsCell {
	c := odsCell{repeated: 1, down: 1, wide: 1}
	number := func(value []byte, most int) int { return min(max(count(value), 1), most) }
	for rest := o.s.attrs; ; {
		name, value, more, ok := cutAttr(rest)
		if !ok {
			return c
		}
		rest = more
		switch string(name) {
		case "office:value-type":
			c.kind = value
		case "office:value", "office:date-value", "office:time-value", "office:boolean-value", "office:string-value":
			c.value = value
		case "table:style-name":
			c.style = value
		case "table:number-columns-repeated":
			c.repeated = number(value, MaxColumns)
		case "table:number-rows-spanned":
			c.down = number(value, MaxRows)
		case "table:number-columns-spanned":
			c.wide = number(value, MaxColumns)
		case "calcext:value-type":
			c.isError = string(value) == "error"
		case "table:formula":
			c.isFormula, c.formula = true, value
		}
	}
}

// cell reads a cell up to its end tag and adds it as often as it says.
func (o *odsRows) cell(column int, c odsCell, rowIsDuration bool) error {
	start := uint32(len(o.last.Text))
	formula := appendText(nil, c.formula) // before its tag goes with what is read next
	k, done := Text, c.value != nil       // the value stands in the tag
	switch text := o.last.Text; string(c.kind) {
	case "float", "percentage", "currency":
		var ok bool
		if o.last.Text, ok = appendNumber(text, c.value); ok {
			k = Number
		} else {
			done = false
		}
	case "date":
		o.last.Text, k = appendISO(text, c.value)
	case "time":
		ms, ok := parseDuration(c.value)
		switch {
		case !ok:
			done = false
		case ms < 0 || ms >= msPerDay || o.isDuration(column, c.style, rowIsDuration):
			o.last.Text, k = appendDuration(text, ms), Duration
		default:
			o.last.Text, k = appendClock(text, ms), Time
		}
	case "boolean":
		o.last.Text, k = append(text, c.value...), Boolean
	case "string":
		if c.isError {
			done = false
		} else {
			o.last.Text = appendText(text, c.value)
		}
	default:
		done = false
	}
	shown, err := o.paragraphs()
	if err != nil {
		return err
	}
	switch {
	case c.isError || c.isFormula && isErrorText(shown):
		o.last.Text, k = append(o.last.Text[:start], shown...), Error
	case !done:
		o.last.Text = append(o.last.Text, shown...)
	}
	if c.isFormula && c.value == nil && len(c.kind) == 0 && len(o.last.Text) == int(start) {
		// Behind the name of its language, as of:=[.B2]*2 has it.
		_, formula, has := bytes.Cut(formula, []byte("="))
		if has {
			formula = append([]byte("="), formula...)
		}
		o.last.Text, k = appendFormula(o.last.Text, formula), Formula
	}
	end := uint32(len(o.last.Text))
	if end == start {
		return nil
	}
	if column+c.repeated > MaxColumns {
		return fmt.Errorf("row %d goes beyond %d columns", o.row+1, MaxColumns)
	}
	for i := range c.repeated {
		o.last.Cells = append(o.last.Cells, Cell{start, end, int32(column + i), k})
	}
	return nil
}

// isDuration reports whether a cell's style, or else its row's or its column's,
// counts time beyond a day.
func (o *odsRows) isDuration(column int, style []byte, rowIsDuration bool) bool {
	if style != nil {
		return o.durations[string(style)]
	}
	if rowIsDuration {
		return true
	}
	k := sort.Search(len(o.columns), func(k int) bool { return column < o.columns[k].to })
	return k < len(o.columns) && o.columns[k].duration
}

func isErrorText(shown []byte) bool {
	return len(shown) > 1 && shown[0] == '#' && strings.ContainsAny(string(shown[len(shown)-1:]), "!?A0") ||
		bytes.HasPrefix(shown, []byte("Err:"))
}

// paragraphs reads what a cell shows, up to its end tag: its paragraphs, one a
// line, without notes and drawings. Valid until the next call.
func (o *odsRows) paragraphs() ([]byte, error) {
	s := o.s
	o.text = o.text[:0]
	if s.empty {
		return o.text, nil
	}
	depth, paragraphs := 0, 0 // inside paragraphs
	for s.next() {
		switch s.kind {
		case charData:
			switch {
			case depth == 0:
			case s.cdata:
				o.text = append(o.text, s.text...)
			default:
				o.text = appendText(o.text, s.text)
			}
		case startTag:
			switch string(s.name) {
			case "p", "h":
				if paragraphs++; paragraphs > 1 {
					o.text = append(o.text, '\n')
				}
				if !s.empty {
					depth++
				}
			case "s":
				for range s.number("text:c", 1<<15) {
					o.text = append(o.text, ' ')
				}
			case "tab":
				o.text = append(o.text, '\t')
			case "line-break":
				o.text = append(o.text, '\n')
			case "annotation", "frame", "custom-shape", "control", "detective", "table", "ruby-text":
				s.skipElement()
			}
		case endTag:
			switch string(s.name) {
			case "p", "h":
				depth--
			case "table-cell", "covered-table-cell":
				return o.text, nil
			}
		}
		if len(o.text) > maxCell {
			return nil, errLongCell
		}
	}
	s.cutOff()
	return nil, s.err
}
