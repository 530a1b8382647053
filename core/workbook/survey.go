package workbook

import (
	"bytes"
	"io"
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
	Merged        []Range
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
)

// Survey goes over a sheet, named by its place in Sheets, once.
func (b *Book) Survey(sheet int) (*Survey, error) {
	b.surveying.Lock()
	defer b.surveying.Unlock()
	if s := b.surveys[sheet]; s != nil {
		return s, nil
	}
	r, err := b.Read(sheet)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	s, err := take(r.sheet)
	if err != nil {
		return nil, damaged(err)
	}
	b.surveys[sheet] = s
	return s, nil
}

// take surveys the rest of a sheet.
func take(r sheetReader) (*Survey, error) {
	s := &Survey{}
	var row Row
	var last [lastLines]Row // turns round in place
	for {
		row.Text = row.Text[:0]
		if err := r.next(&row); err == io.EOF {
			break
		} else if err != nil {
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
		if s.Filled <= firstLines {
			s.First = append(s.First, row.line())
		}
		keep := &last[s.Filled%lastLines]
		keep.Number, keep.Cells, keep.Text = row.Number, append(keep.Cells[:0], row.Cells...), append(keep.Text[:0], row.Text...)
	}
	for k := max(0, s.Filled-lastLines); k < s.Filled; k++ {
		s.Last = append(s.Last, last[(k+1)%lastLines].line())
	}
	s.HiddenColumns, s.Merged = r.hiddenColumns(), r.mergedCells()
	return s, nil
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

func (row *Row) line() Line {
	l := Line{Number: row.Number}
	for _, c := range row.Cells {
		l.Cells = append(l.Cells, Value{int(c.Column), string(row.Text[c.Start:c.End]), c.Kind})
	}
	return l
}

// NumberText is how far a text is a number.
type NumberText uint8

// A text may be no number, a whole one, or one with a fraction or a sign.
const (
	NoNumber NumberText = iota
	Whole
	Fraction
)

// IsNumber tells whether a text is a number that was stored as text. One with a
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
	if digits > 15 || marks > 1 || text[0] == '0' && len(text) > 1 && text[1] != '.' && text[1] != ',' || text[len(text)-1] == '.' || text[len(text)-1] == ',' {
		return NoNumber
	}
	return result
}

// Top gives the first filled rows of a sheet, at most n.
func (b *Book) Top(sheet, n int) ([]Line, error) {
	b.surveying.Lock()
	s := b.surveys[sheet]
	b.surveying.Unlock()
	if s != nil {
		return s.First[:min(n, len(s.First))], nil
	}
	r, err := b.Read(sheet)
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
