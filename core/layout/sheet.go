package layout

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"sieb/core/workbook"
)

// ChooseSheet decides which sheet of a workbook holds the table. The error says
// which sheets there are where the given one is not among them.
func ChooseSheet(ctx context.Context, book *workbook.Book, given Given) (sheet int, why Evidence, err error) {
	if given.Sheet != nil {
		sheet, err = FindSheet(book, *given.Sheet)
		if err != nil {
			return 0, why, err
		}
		return sheet, Evidence{Setting: "sheet", Value: book.Sheets[sheet].Name, Confidence: 1, Why: byHand}, nil
	}
	if k := book.SenderRows(); k >= 0 {
		return k, Evidence{Setting: "sheet", Value: book.Sheets[k].Name, Confidence: 0.97,
			Why: "the workbook is one that was made for senders; its rows stand in this sheet"}, nil
	}
	const looked = 200
	sheet = -1
	best, second := 0, 0
	anyVisible := slices.ContainsFunc(book.Sheets, func(s workbook.Sheet) bool { return !s.Hidden })
	for k, s := range book.Sheets {
		if s.Hidden && anyVisible {
			continue
		}
		lines, err := book.Top(ctx, k, looked)
		if err != nil {
			return 0, why, err
		}
		// Rows of several cells make a table; a cover or a sheet of notes has few.
		rows := 0
		for _, l := range lines {
			if len(l.Cells) > 1 {
				rows += 2
			} else {
				rows++
			}
		}
		if rows >= 2*looked {
			rows += s.Rows
		}
		switch {
		case sheet < 0 || rows > best:
			sheet, best, second = k, rows, max(second, best)
		default:
			second = max(second, rows)
		}
	}
	name := book.Sheets[sheet].Name
	hidden := 0
	for _, s := range book.Sheets {
		if s.Hidden {
			hidden++
		}
	}
	note := func(name string, confidence float64, why string) Evidence {
		if hidden > 0 && anyVisible {
			why += fmt.Sprintf("; %d hidden sheets were not examined", hidden)
		}
		return Evidence{Setting: "sheet", Value: name, Confidence: confidence, Why: why}
	}
	switch n := len(book.Sheets); {
	case n == 1:
		return sheet, note(name, 1, "it is the only sheet"), nil
	case second == 0:
		return sheet, note(name, 0.97, fmt.Sprintf("the only visible sheet with rows among %d", n)), nil
	case 4*second < best:
		return sheet, note(name, 0.92, fmt.Sprintf("of %d sheets it holds most rows of several cells", n)), nil
	default:
		return sheet, note(name, 0.6, fmt.Sprintf("of %d sheets it holds most rows of several cells, but others "+
			"hold tables, too", n)), nil
	}
}

// FindSheet finds a sheet by name or, where none has that name, by number from 1.
func FindSheet(book *workbook.Book, name string) (int, error) {
	names := make([]string, len(book.Sheets))
	for k, s := range book.Sheets {
		if names[k] = strconv.Quote(s.Name); s.Name == name {
			return k, nil
		}
	}
	for k, s := range book.Sheets {
		if strings.EqualFold(s.Name, name) {
			return k, nil
		}
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(book.Sheets) {
		return n - 1, nil
	}
	return 0, fmt.Errorf("there is no sheet %q; the workbook holds %s", name, strings.Join(names, ", "))
}

// DetectSheet guesses where in a sheet the table is, as Detect does for texts.
// why is the evidence of the sheet's choice.
func DetectSheet(s *workbook.Survey, given Given, why Evidence) (Layout, []Evidence) {
	d := detection{given: given, whole: true, rivals: map[string][]string{},
		layout: Layout{Form: Workbook, Encoding: "utf-8", LineTerminator: "lf", DoubleQuote: true, SkipBlankRows: true,
			HeaderNames: Joined,
			Cuts:        []int{}, Sheet: why.Value, Merged: First, Hidden: Read}}
	if !set(&d, "form", given.Form, &d.layout.Form, "") {
		d.note("form", Workbook, 1, "the file is a workbook")
	}
	d.layout.Form = Workbook
	d.evidence = append(d.evidence, why)
	set(&d, "merged", given.Merged, &d.layout.Merged, "")
	set(&d, "hidden", given.Hidden, &d.layout.Hidden, "")
	lines := s.First
	if given.SkipRows != nil {
		for len(lines) > 0 && lines[0].Number <= *given.SkipRows {
			lines = lines[1:]
		}
	}
	top := 0
	if given.SkipRows == nil {
		top = behindTitles(lines, tableTop(lines, s.Merged))
	}
	lines = lines[top:]
	if !set(&d, "skipRows", given.SkipRows, &d.layout.SkipRows, "") {
		d.sheetTop(lines, top)
	}
	from, to := tableColumns(lines)
	if !set(&d, "skipColumns", given.SkipColumns, &d.layout.SkipColumns, "") {
		d.layout.SkipColumns = from
		if from > 0 {
			d.note("skipColumns", strconv.Itoa(from), 0.9, fmt.Sprintf("column %s is the first that the table fills",
				workbook.ColumnLetters(from)))
		}
	}
	d.width = max(1, to-d.layout.SkipColumns)
	r := gridOf(lines, d.layout.SkipColumns, d.width)
	d.header(r)
	d.mergedHeader(s)
	d.headerNames(r)
	d.sheetFooter(s)
	d.merged(s)
	d.hidden(s)
	return d.layout, d.sorted()
}

// filledBelow returns the columns that at least half of the next lines fill.
func filledBelow(lines []workbook.Line) (usual []int) {
	const looked = 50
	lines = lines[:min(len(lines), looked)]
	var counts [workbook.MaxColumns]int
	for _, l := range lines {
		for _, c := range l.Cells {
			counts[c.Column]++
		}
	}
	for column, n := range counts {
		if n > 0 && 2*n >= len(lines) {
			usual = append(usual, column)
		}
	}
	return usual
}

// titleLines is how many lines above a table are looked at.
const titleLines = 200

// tableTop finds the first line of the table: the first that fills nearly all of
// the columns that the lines below it fill. Titles and notes fill one or two; a
// name of a group of columns is merged over them.
func tableTop(lines []workbook.Line, merged []workbook.Range) int {
	inRow := map[int][]workbook.Range{} // the merged cells that begin in a row
	for _, m := range merged {
		inRow[m.FirstRow] = append(inRow[m.FirstRow], m)
	}
	for i, l := range lines[:min(titleLines, max(0, len(lines)-1))] {
		usual := filledBelow(lines[i+1:])
		if len(l.Cells) == 1 && len(usual) > 1 {
			continue
		}
		var fills [workbook.MaxColumns]bool
		for _, c := range l.Cells {
			fills[c.Column] = true
		}
		for _, m := range inRow[l.Number] {
			for column := m.FirstColumn + 1; column <= m.LastColumn; column++ {
				fills[column] = true
			}
		}
		filled := 0
		for _, column := range usual {
			if fills[column] {
				filled++
			}
		}
		if filled > 0 && 5*filled >= 4*len(usual) {
			return i
		}
	}
	return 0
}

// behindTitles goes on from a top that may be a title of two cells above a table
// of few columns: where a blank row or a single cell follows it soon, and below
// that a row that names the columns, the table begins there.
func behindTitles(lines []workbook.Line, top int) int {
	const near = 3
	for k := top + 1; k <= top+near && k+3 < len(lines); k++ {
		isApart := lines[k].Number > lines[k-1].Number+1 || len(lines[k-1].Cells) == 1
		if !isApart || len(lines[k].Cells) < 2 || len(lines[k].Cells) < len(lines[top].Cells) {
			continue
		}
		from, to := tableColumns(lines[k:])
		if rows, confidence, _ := firstRow(gridOf(lines[k:], from, to-from)); rows == 1 && confidence > 0.9 {
			return k
		}
	}
	return top
}

// mergedHeader notes how many rows the header has by its merged cells: down to
// the end of a name that runs down, and one more under the name of a group.
func (d *detection) mergedHeader(s *workbook.Survey) {
	if d.given.HeaderRows != nil || d.layout.HeaderRows != 1 {
		return
	}
	top, rows := d.layout.SkipRows+1, 1
	for _, m := range s.Merged {
		if m.FirstRow != top || m.LastRow-top >= maxExtra {
			continue
		}
		if rows = max(rows, m.LastRow-top+1); m.LastColumn > m.FirstColumn && m.LastRow == top {
			rows = max(rows, 2)
		}
	}
	if rows == 1 {
		return
	}
	d.layout.HeaderRows = rows
	d.revise("headerRows", strconv.Itoa(rows), 0.85,
		fmt.Sprintf("names in row %d are merged with cells beside or below them", top))
}

func (d *detection) sheetTop(lines []workbook.Line, top int) {
	if len(lines) > 0 && lines[0].Number > 1 {
		d.layout.SkipRows = lines[0].Number - 1
	}
	switch n := d.layout.SkipRows; {
	case n == 0:
		d.note("skipRows", "0", 0.95, "the table starts at the top")
	case top > 0:
		d.note("skipRows", strconv.Itoa(n), 0.9,
			fmt.Sprintf("row %d is the first that fills the table's columns; the rows above it fill few", n+1))
	default:
		d.note("skipRows", strconv.Itoa(n), 0.95, fmt.Sprintf("row %d is the first that is filled", n+1))
	}
}

// TableColumns returns the columns from (and up to, not including, to) that the
// table fills that begins below the first rows.
func TableColumns(s *workbook.Survey, skipRows int) (from, to int) {
	lines := s.First
	for len(lines) > 0 && lines[0].Number <= skipRows {
		lines = lines[1:]
	}
	return tableColumns(lines)
}

// tableColumns returns the columns from (and up to, not including, to) that the
// table fills: those of its first line and those that a tenth of its lines fill.
func tableColumns(lines []workbook.Line) (from, to int) {
	counts := map[int]int{}
	for i, l := range lines {
		for _, c := range l.Cells {
			if counts[c.Column]++; i == 0 {
				counts[c.Column] = len(lines)
			}
		}
	}
	from = -1
	for column, n := range counts {
		if 10*n >= len(lines) {
			to = max(to, column+1)
			if from < 0 || column < from {
				from = column
			}
		}
	}
	return max(from, 0), to
}

// gridOf returns the lines as rows of equal width.
func gridOf(lines []workbook.Line, skip, width int) (r records) {
	for _, l := range lines[:min(len(lines), maxRecords)] {
		row := make([]string, width)
		for _, c := range l.Cells {
			if k := c.Column - skip; k >= 0 && k < width {
				row[k] = c.Text
			}
		}
		r.cells, r.line = append(r.cells, row), append(r.line, l.Number)
	}
	return r
}

// sheetFooter finds totals and notes below the table.
func (d *detection) sheetFooter(s *workbook.Survey) {
	if set(d, "footerRows", d.given.FooterRows, &d.layout.FooterRows, "") {
		return
	}
	found, why := 0, ""
	for k := len(s.Last) - 1; k > 0; k-- {
		l := s.Last[k]
		if l.Number <= d.layout.SkipRows+d.layout.HeaderRows+1 || s.LastRow-l.Number > 30 {
			break
		}
		apart := l.Number > s.Last[k-1].Number+1 // a blank row stands above it
		first := l.Cells[0].Text
		switch {
		case IsTotal(first):
			found, why = s.LastRow-s.Last[k-1].Number, fmt.Sprintf("the row %q below the table holds totals",
				clip(first))
			continue
		case len(l.Cells) == 1 && d.width > 1:
			if why == "" {
				why = fmt.Sprintf("the row %q stands below the table", clip(first))
			}
			// A note counts only with a blank row or totals above it.
			if apart {
				found = s.LastRow - s.Last[k-1].Number
			}
			continue
		}
		break
	}
	d.layout.FooterRows = found
	if found > 0 {
		d.note("footerRows", strconv.Itoa(found), 0.85, why)
		return
	}
	d.note("footerRows", "0", 0.9, "the last rows look like the others")
}

// merged decides what merged cells mean. Where they run down over rows of data,
// a person who looks at the sheet sees their value beside each of the rows.
func (d *detection) merged(s *workbook.Survey) {
	if d.given.Merged != nil || len(s.Merged) == 0 {
		return
	}
	top, end := d.layout.SkipRows+d.layout.HeaderRows, s.LastRow-d.layout.FooterRows
	down, other := 0, 0
	for _, m := range s.Merged {
		switch {
		case m.LastRow <= top || m.FirstRow > end:
		case m.LastRow > m.FirstRow && m.FirstRow > top:
			down++
		default:
			other++
		}
	}
	switch {
	case down > 0:
		d.layout.Merged = Carried
		d.note("merged", Carried, 0.75,
			fmt.Sprintf("%d merged cells run down over rows of the table: their value is taken for each of the rows",
				down))
	case other > 0:
		d.note("merged", First, 0.75, fmt.Sprintf("%d merged cells run across columns of the table: their value "+
			"stands in the first", other))
	default:
		d.note("merged", First, 0.95, fmt.Sprintf("%d merged cells, none of them among the rows", len(s.Merged)))
	}
}

func (d *detection) hidden(s *workbook.Survey) {
	if d.given.Hidden != nil || s.HiddenRows == 0 && len(s.HiddenColumns) == 0 {
		return
	}
	var names []string
	for _, c := range s.HiddenColumns {
		name := workbook.ColumnLetters(c.FirstColumn)
		if c.LastColumn > c.FirstColumn {
			name += " to " + workbook.ColumnLetters(c.LastColumn)
		}
		names = append(names, name)
	}
	var what []string
	if s.HiddenRows > 0 {
		what = append(what, fmt.Sprintf("%d hidden rows", s.HiddenRows))
	}
	if len(names) > 0 {
		what = append(what, "hidden columns "+strings.Join(names, ", "))
	}
	d.note("hidden", Read, 0.7, strings.Join(what, " and ")+", read like the others")
}
