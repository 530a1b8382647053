package workbook

import (
	"bytes"
	"cmp"
	"context"
	"io"
	"slices"
	"strings"
)

// Survey is what a pass over all of a sheet tells: enough of its top and its end
// to find the table, and counts of all of it.
type Survey struct {
	First, Last   []Line // the first and the last filled rows; they may overlap
	Filled        int    // rows that hold a filled cell
	HiddenRows    int    // of those
	LastRow       int    // the number of the last of those
	Columns       int    // up to the last filled cell
	HiddenColumns []Range
	Merged        []Range // by first row and column; those that begin in one row lie apart
	Errors        int
	Kinds         []Kinds // per column
}

// Line is a filled row of a survey.
type Line struct {
	Number int // in the sheet, from 1
	Cells  []Value
}

// Value is a filled cell of a survey.
type Value struct {
	Column int // from 0
	Text   string
	Kind   Kind
}

// Kinds counts the filled cells of a column.
type Kinds struct {
	Numbers     int // typed as such
	Dates       int // dates and times typed as such
	NumberTexts int // texts that are numbers with a point, a comma or a sign
	WholeTexts  int // texts of digits only, without a zero in front
	Texts       int // all other texts
}

const (
	firstLines = 1000
	lastLines  = 24
	// firstText is what the first lines hold of texts, in bytes; shownText what
	// a line holds of a cell's.
	firstText = 16 << 20
	shownText = 4096
)

// Survey goes over a sheet, named by its place in Sheets, once. The end of ctx
// ends it; who asks next begins anew.
func (b *Book) Survey(ctx context.Context, sheet int) (*Survey, error) {
	if err := b.surveying.enter(ctx); err != nil {
		return nil, err
	}
	defer b.surveying.leave()
	if s := b.surveys[sheet]; s != nil {
		return s, nil
	}
	r, err := b.Read(ctx, sheet)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	s, err := take(r.sheet, r.budget)
	if err != nil {
		return nil, damaged(err)
	}
	b.surveys[sheet] = s
	return s, nil
}

// take surveys the rest of a sheet.
func take(r sheetReader, left *budget) (*Survey, error) {
	s := &Survey{}
	var row Row
	var last [lastLines]Row // turns round in place
	room := firstText
	for {
		row.Text = row.Text[:0]
		if err := r.next(&row); err == io.EOF {
			break
		} else if err != nil {
			return nil, err
		}
		if err := left.charge(&row); err != nil {
			return nil, err
		}
		s.Filled++
		if row.Hidden {
			s.HiddenRows++
		}
		s.LastRow = row.Number
		s.Columns = max(s.Columns, int(row.Cells[len(row.Cells)-1].Column)+1)
		for len(s.Kinds) < s.Columns {
			s.Kinds = append(s.Kinds, Kinds{})
		}
		for _, c := range row.Cells {
			s.count(&s.Kinds[c.Column], c.Kind, row.Text[c.Start:c.End])
		}
		if s.Filled <= firstLines && room > 0 {
			line := row.line()
			s.First = append(s.First, line)
			room -= line.size()
		}
		last[s.Filled%lastLines].keep(&row)
	}
	for k := max(0, s.Filled-lastLines); k < s.Filled; k++ {
		s.Last = append(s.Last, last[(k+1)%lastLines].line())
	}
	s.HiddenColumns, s.Merged = r.hiddenColumns(), apart(r.mergedCells())
	return s, nil
}

// apart sorts merged cells by their first row and column. Of those that begin in
// one row and lie over each other, which no program writes, the first stays.
func apart(merged []Range) (all []Range) {
	slices.SortFunc(merged, func(a, b Range) int {
		return cmp.Or(cmp.Compare(a.FirstRow, b.FirstRow), cmp.Compare(a.FirstColumn, b.FirstColumn))
	})
	for _, m := range merged {
		if n := len(all); n == 0 || all[n-1].FirstRow < m.FirstRow || all[n-1].LastColumn < m.FirstColumn {
			all = append(all, m)
		}
	}
	return all
}

func (s *Survey) count(k *Kinds, kind Kind, text []byte) {
	switch kind {
	case Number:
		k.Numbers++
	case Date, Time, DateTime:
		k.Dates++
	case Error:
		s.Errors++
	case Text:
		switch IsNumber(text) {
		case Whole:
			k.WholeTexts++
		case Fraction:
			k.NumberTexts++
		default:
			k.Texts++
		}
	}
}

// line makes a line of a row; of a long text its beginning is enough.
func (row *Row) line() Line {
	l := Line{Number: row.Number}
	for _, c := range row.Cells {
		text := row.Text[c.Start:min(c.End, c.Start+shownText)]
		l.Cells = append(l.Cells, Value{int(c.Column), strings.ToValidUTF8(string(text), ""), c.Kind})
	}
	return l
}

func (l *Line) size() (bytes int) {
	for _, c := range l.Cells {
		bytes += len(c.Text) + cellCost
	}
	return bytes
}

// keep makes a row like another, of whose long texts only the beginning is kept.
func (row *Row) keep(other *Row) {
	row.Number, row.Cells, row.Text = other.Number, append(row.Cells[:0], other.Cells...), row.Text[:0]
	if len(other.Text) <= shownText {
		row.Text = append(row.Text, other.Text...)
		return
	}
	for k, c := range other.Cells {
		start := len(row.Text)
		row.Text = append(row.Text, other.Text[c.Start:min(c.End, c.Start+shownText)]...)
		row.Cells[k].Start, row.Cells[k].End = uint32(start), uint32(len(row.Text))
	}
}

// NumberText is how far a text is a number.
type NumberText uint8

// A text may be no number, a whole one, or one with a fraction or a sign.
const (
	NoNumber NumberText = iota
	Whole
	Fraction
)

// IsNumber reports whether a text is a number that was stored as text. One with a
// zero in front or more digits than a sheet holds is a code.
func IsNumber(text []byte) NumberText {
	text = bytes.TrimSpace(text)
	result := Whole
	if len(text) > 0 && (text[0] == '-' || text[0] == '+') {
		result, text = Fraction, text[1:]
	}
	if len(text) == 0 || len(text) > 18 || text[0] < '0' || text[0] > '9' {
		return NoNumber
	}
	digits, marks := 0, 0
	for _, c := range text {
		switch {
		case c >= '0' && c <= '9':
			digits++
		case c == '.' || c == ',':
			marks++
			result = Fraction
		default:
			return NoNumber
		}
	}
	if digits > 15 || marks > 1 || text[0] == '0' && len(text) > 1 && text[1] != '.' && text[1] != ',' ||
		text[len(text)-1] == '.' || text[len(text)-1] == ',' {
		return NoNumber
	}
	return result
}

// Top returns the first filled rows of a sheet, at most n.
func (b *Book) Top(ctx context.Context, sheet, n int) ([]Line, error) {
	if err := b.surveying.enter(ctx); err != nil {
		return nil, err
	}
	s := b.surveys[sheet]
	b.surveying.leave()
	if s != nil {
		return s.First[:min(n, len(s.First))], nil
	}
	r, err := b.Read(ctx, sheet)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	var lines []Line
	var row Row
	for len(lines) < n {
		row.Text = row.Text[:0]
		if err := r.Next(&row); err == io.EOF {
			break
		} else if err != nil {
			return nil, err
		}
		lines = append(lines, row.line())
	}
	return lines, nil
}
