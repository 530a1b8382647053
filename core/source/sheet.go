package source

import (
	"bytes"
	"context"
	"io"
	"slices"

	"sieb/core/delimited"
	"sieb/core/layout"
	"sieb/core/violation"
	"sieb/core/workbook"
)

// sheet reads the table in a workbook's sheet into batches, as Reader does with
// texts. A row's line is its number in the sheet. Rows without a filled cell
// are no rows; cells outside of the table's columns make a row too long.
type sheet struct {
	rows   *workbook.Rows
	header Header
	row    int64
	size   int64 // of the delivery, of which progress is told

	places  []int // for each column of the sheet the cell that it feeds, or apart, or unread
	width   int
	last    int // the number of the last row of the table
	hidden  bool
	numbers []bool // per cell: the column holds numbers, dates
	dates   []bool
	merges  []workbook.Range // those whose value is carried and that the rows have not reached, by first row and column
	open    []*merge         // those that the rows are in, by column; none lies over another
	cells   []workbook.Cell  // scratch

	most    int          // rows of a batch; 0 for any number
	next    workbook.Row // read, but not yet handed on
	hasNext bool
}

const (
	apart  = -1 // outside of the table
	unread = -2 // hidden, and to be skipped
)

// merge is a run of merged cells with their value.
type merge struct {
	workbook.Range
	text []byte
	kind workbook.Kind
}

func newSheet(ctx context.Context, book *workbook.Book, l layout.Layout, size int64) (Source, error) {
	k, err := layout.FindSheet(book, l.Sheet)
	if err != nil {
		return nil, err
	}
	survey, err := book.Survey(ctx, k)
	if err != nil {
		return nil, err
	}
	rows, err := book.Read(ctx, k)
	if err != nil {
		return nil, err
	}
	s := &sheet{rows: rows, size: size, last: survey.LastRow - l.FooterRows, hidden: l.Hidden != layout.Skip}
	if l.Merged == layout.Carried {
		s.merges = survey.Merged
	}
	if err := s.start(l, survey); err != nil {
		rows.Close()
		return nil, err
	}
	return s, nil
}

// start reads the header and lays out the columns.
func (s *sheet) start(l layout.Layout, survey *workbook.Survey) error {
	first := l.SkipRows + l.HeaderRows
	_, to := layout.TableColumns(survey, l.SkipRows)
	inRow := map[int][]workbook.Range{} // merged cells within one row of the header
	for _, m := range survey.Merged {
		if m.FirstRow == m.LastRow && m.FirstRow <= first {
			inRow[m.FirstRow] = append(inRow[m.FirstRow], m)
		}
	}
	var names [][]string
	for {
		if err := s.read(); err == io.EOF {
			break
		} else if err != nil {
			return err
		}
		if s.next.Number > first {
			break
		}
		s.hasNext = false
		if s.next.Number <= l.SkipRows {
			continue
		}
		if len(names) == 0 {
			s.header.Line, s.header.Named = int64(s.next.Number), true
		}
		names = append(names, headerRow(&s.next, l, inRow[s.next.Number]))
		to = max(to, int(s.next.Cells[len(s.next.Cells)-1].Column)+1)
	}
	isHidden := func(column int) bool {
		return !s.hidden && slices.ContainsFunc(survey.HiddenColumns,
			func(r workbook.Range) bool { return r.FirstColumn <= column && column <= r.LastColumn })
	}
	all := joinHeader(names, l.HeaderNames)
	s.places = make([]int, max(to, survey.Columns))
	for column := range s.places {
		k := column - l.SkipColumns
		switch {
		case k < 0 || column >= to:
			s.places[column] = apart
			continue
		case isHidden(column):
			s.places[column] = unread
			continue
		}
		s.places[column] = s.width
		s.width++
		name := ""
		if k < len(all) {
			name = all[k]
		}
		s.header.Names = append(s.header.Names, name)
		kinds := workbook.Kinds{}
		if column < len(survey.Kinds) {
			kinds = survey.Kinds[column]
		}
		filled := kinds.Numbers + kinds.Dates + kinds.NumberTexts + kinds.WholeTexts + kinds.Texts
		s.numbers = append(s.numbers, 2*(kinds.Numbers+kinds.NumberTexts) >= filled && filled > 0)
		s.dates = append(s.dates, 2*kinds.Dates >= filled && filled > 0)
	}
	nameColumns(s.header.Names)
	return nil
}

// headerRow returns the texts of a header row from the table's first column on.
// A name that is merged over several columns counts for each of them.
func headerRow(row *workbook.Row, l layout.Layout, merged []workbook.Range) []string {
	var names []string
	put := func(column int, name string) {
		if k := column - l.SkipColumns; k >= 0 {
			for len(names) <= k {
				names = append(names, "")
			}
			names[k] = name
		}
	}
	for _, c := range row.Cells {
		name := string(bytes.TrimSpace(row.Text[c.Start:c.End]))
		put(int(c.Column), name)
		for len(merged) > 0 && merged[0].FirstColumn < int(c.Column) {
			merged = merged[1:]
		}
		if len(merged) > 0 && merged[0].FirstColumn == int(c.Column) {
			for column := merged[0].FirstColumn + 1; column <= merged[0].LastColumn; column++ {
				put(column, name)
			}
		}
	}
	return names
}

// Header returns the names of the columns.
func (s *sheet) Header() Header { return s.header }

func (s *sheet) limit(rows int) { s.most = rows }

// Close ends the reading.
func (s *sheet) Close() error { return s.rows.Close() }

// read makes next the next row of the sheet, where it is not already.
func (s *sheet) read() error {
	if s.hasNext {
		return nil
	}
	s.next.Text = s.next.Text[:0]
	if err := s.rows.Next(&s.next); err != nil {
		return err
	}
	s.hasNext = true
	return nil
}

// Next fills b with the next rows. It returns io.EOF after the last row.
func (s *sheet) Next(b *Batch) error {
	b.Rows, b.Defects, b.cells, b.kinds, b.escaped = b.Rows[:0], b.Defects[:0], b.cells[:0], b.kinds[:0], b.escaped[:0]
	b.Arena, b.isSplit = b.Arena[:0], false
	b.FirstRow, b.base, b.isSheet = s.row+1, 0, true
	for len(b.Arena) < batchBytes && !b.isFull(s.most) {
		if err := s.read(); err == io.EOF {
			break
		} else if err != nil {
			return err
		}
		if s.next.Number > s.last {
			break
		}
		s.hasNext = false
		if err := s.carry(); err != nil {
			return err
		}
		if s.next.Hidden && !s.hidden {
			continue
		}
		s.take(b)
	}
	if len(b.Rows) == 0 {
		return io.EOF
	}
	s.row += int64(len(b.Rows))
	b.text = len(b.Arena)
	b.Bytes = s.size
	if total := s.rows.Size(); total > 0 {
		b.Bytes = int64(float64(s.size) * float64(s.rows.Taken()) / float64(total))
	}
	return nil
}

// take adds the next row to the batch.
func (s *sheet) take(b *Batch) {
	row := &s.next
	r := Row{Start: uint32(len(b.Arena)), Line: int64(row.Number), first: uint32(len(b.cells)), count: uint32(s.width),
		cut: true}
	for range s.width {
		b.cells = append(b.cells, delimited.Span{Start: r.Start, End: r.Start})
		b.kinds = append(b.kinds, workbook.Text)
	}
	b.Arena = append(b.Arena, row.Text...)
	outside := 0
	for _, c := range row.Cells {
		k := apart
		if int(c.Column) < len(s.places) {
			k = s.places[c.Column]
		}
		if k < 0 {
			if k == apart {
				outside++
			}
			continue
		}
		b.cells[int(r.first)+k] = delimited.Span{Start: r.Start + c.Start, End: r.Start + c.End}
		b.kinds[int(r.first)+k] = c.Kind
		text := row.Text[c.Start:c.End]
		code := violation.None
		switch {
		case c.Kind == workbook.Error:
			code = violation.TypeError
		case c.Kind == workbook.Formula:
			code = violation.TypeFormula
		case c.Kind != workbook.Text:
		case s.numbers[k] && workbook.IsNumber(text) != workbook.NoNumber:
			code = violation.NumberText
		case s.dates[k] && layout.IsDate(text):
			code = violation.DateText
		}
		if code != violation.None {
			b.Defects = append(b.Defects, Defect{Code: code, Row: len(b.Rows), Cell: k, Offset: -1})
		}
	}
	if row.Misplaced {
		b.Defects = append(b.Defects, Defect{Code: violation.RowMisplaced, Row: len(b.Rows), Cell: -1, Offset: -1})
	}
	if outside > 0 {
		b.Defects = append(b.Defects, Defect{Code: violation.RowLong, Row: len(b.Rows), Cell: -1, Offset: -1,
			Count: s.width + outside})
	}
	r.End = uint32(len(b.Arena))
	b.Rows = append(b.Rows, r)
}

// carry fills the cells of the next row that are merged with one above or to
// the left of them. It goes through cells and merged cells side by side.
func (s *sheet) carry() error {
	row := &s.next
	for len(s.merges) > 0 && s.merges[0].FirstRow <= row.Number {
		s.enter(s.merges[0])
		s.merges = s.merges[1:]
	}
	s.open = slices.DeleteFunc(s.open, func(m *merge) bool { return m.LastRow < row.Number })
	if len(s.open) == 0 {
		return nil
	}
	cells := s.cells[:0]
	rest := row.Cells
	upTo := func(column int) {
		for len(rest) > 0 && int(rest[0].Column) < column {
			cells, rest = append(cells, rest[0]), rest[1:]
		}
	}
	for _, m := range s.open {
		upTo(m.FirstColumn)
		if m.FirstRow == row.Number && len(rest) > 0 && int(rest[0].Column) == m.FirstColumn {
			m.text, m.kind = append(m.text[:0], row.Text[rest[0].Start:rest[0].End]...), rest[0].Kind
		}
		start := uint32(len(row.Text))
		for column := m.FirstColumn; column <= m.LastColumn && len(m.text) > 0; column++ {
			if upTo(column); len(rest) > 0 && int(rest[0].Column) == column {
				continue
			}
			if int(start) == len(row.Text) {
				row.Text = append(row.Text, m.text...)
			}
			cells = append(cells, workbook.Cell{Start: start, End: uint32(len(row.Text)), Column: int32(column),
				Kind: m.kind})
		}
	}
	upTo(workbook.MaxColumns)
	added := len(cells) - len(row.Cells)
	s.cells, row.Cells = row.Cells, cells
	if added == 0 {
		return nil
	}
	return s.rows.Charge(row)
}

// enter opens merged cells that begin in the next row or above it, unless they
// lie over others.
func (s *sheet) enter(r workbook.Range) {
	at, _ := slices.BinarySearchFunc(s.open, r.FirstColumn, func(m *merge,
		column int) int {
		return m.FirstColumn - column
	})
	if at > 0 && s.open[at-1].LastColumn >= r.FirstColumn && s.open[at-1].LastRow >= r.FirstRow ||
		at < len(s.open) && s.open[at].FirstColumn <= r.LastColumn && s.open[at].LastRow >= r.FirstRow {
		return
	}
	s.open = slices.Insert(s.open, at, &merge{Range: r})
}
