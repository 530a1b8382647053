package brief

import (
	"fmt"
	"io"
	"math"
	"strings"

	"github.com/xuri/excelize/v2"

	"sieb/core/value"
	"sieb/core/workbook"
)

// Sheets of the workbook.
const (
	rowsSheet    = workbook.RowsSheet
	exampleSheet = workbook.ExampleSheet
	wordsSheet   = workbook.WordsSheet
	listsSheet   = "Lists"

	lastRow = 1 << 20 // of a sheet, down to which lists are offered
)

// book is a workbook in the making.
type book struct {
	*excelize.File
	heading, mandatory, text, note int // styles
	lists                          int // columns of the sheet of lists
}

// Workbook writes an empty workbook for a target: a sheet with its headings, those of mandatory
// columns marked, and lists to choose from; a sheet with a row filled in as an example; and one that explains
// each column. It writes Office Open XML (ECMA-376).
func (p *Page) Workbook(w io.Writer) error {
	f := excelize.NewFile()
	defer f.Close()
	b := &book{File: f}
	if err := b.styles(); err != nil {
		return err
	}
	if err := f.SetSheetName("Sheet1", rowsSheet); err != nil {
		return err
	}
	for _, name := range []string{exampleSheet, wordsSheet, listsSheet} {
		if _, err := f.NewSheet(name); err != nil {
			return err
		}
	}
	if err := b.rows(p); err != nil {
		return err
	}
	if err := b.words(p); err != nil {
		return err
	}
	for _, sheet := range []string{rowsSheet, exampleSheet, wordsSheet} {
		if err := b.printed(sheet); err != nil {
			return err
		}
	}
	if b.lists == 0 {
		if err := f.DeleteSheet(listsSheet); err != nil {
			return err
		}
	} else if err := f.SetSheetVisible(listsSheet, false); err != nil {
		return err
	}
	return f.Write(w)
}

// printed lets a sheet be printed with all its columns on one page.
func (b *book) printed(sheet string) error {
	isFit, wide, anyHeight, across := true, 1, 0, "landscape"
	if err := b.SetSheetProps(sheet, &excelize.SheetPropsOptions{FitToPage: &isFit}); err != nil {
		return err
	}
	return b.SetPageLayout(sheet, &excelize.PageLayoutOptions{Orientation: &across, FitToWidth: &wide,
		FitToHeight: &anyHeight})
}

func (b *book) styles() (err error) {
	bold := excelize.Font{Bold: true}
	style := func(s excelize.Style) (id int) {
		if err == nil {
			id, err = b.NewStyle(&s)
		}
		return id
	}
	top := &excelize.Alignment{WrapText: true, Vertical: "top"}
	fill := func(colour string) excelize.Fill {
		return excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{colour}}
	}
	b.heading = style(excelize.Style{Font: &bold, Fill: fill("EFE7D6"), Alignment: top})
	b.mandatory = style(excelize.Style{Font: &bold, Fill: fill("F1CF8A"), Alignment: top})
	b.note = style(excelize.Style{Alignment: top})
	b.text = style(excelize.Style{NumFmt: 49}) // text, so that zeros in front stay
	return err
}

// rows writes the headings, and the example beside them.
func (b *book) rows(p *Page) error {
	for i := range p.Columns {
		c := &p.Columns[i]
		column, err := excelize.ColumnNumberToName(i + 1)
		if err != nil {
			return err
		}
		style := b.heading
		if c.Mandatory {
			style = b.mandatory
		}
		width := float64(min(40, max(12, len([]rune(c.Heading))+2, len([]rune(c.Example))+2)))
		for _, sheet := range []string{rowsSheet, exampleSheet} {
			if err := b.cell(sheet, column+"1", c.Heading, style); err != nil {
				return err
			}
			if err := b.SetColWidth(sheet, column, column, width); err != nil {
				return err
			}
		}
		if err := b.cell(exampleSheet, column+"2", c.Example, b.text); err != nil {
			return err
		}
		// Texts stay as they are typed: numbers in them lose no zeros, and dates are what the page says.
		if c.datatype.IsText() || c.datatype.IsMoment() || c.datatype == value.Boolean {
			if err := b.SetColStyle(rowsSheet, column, b.text); err != nil {
				return err
			}
			if err := b.SetCellStyle(rowsSheet, column+"1", column+"1", style); err != nil {
				return err
			}
		}
		if err := b.ask(c, column); err != nil {
			return err
		}
	}
	for _, sheet := range []string{rowsSheet, exampleSheet} {
		if err := b.SetPanes(sheet, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
			ActivePane: "bottomLeft"}); err != nil {
			return err
		}
	}
	return nil
}

func (b *book) cell(sheet, at, text string, style int) error {
	if err := b.SetCellStr(sheet, at, text); err != nil {
		return err
	}
	return b.SetCellStyle(sheet, at, at, style)
}

// ask offers the values of a column in each of its cells, and says what is written there.
func (b *book) ask(c *Entry, column string) error {
	v := excelize.NewDataValidation(true)
	v.Sqref = fmt.Sprintf("%s2:%s%d", column, column, lastRow)
	words := c.Kind
	if c.Mandatory {
		words += "; mandatory"
	}
	for _, r := range c.Rules {
		words += "; " + r
	}
	v.SetInput(cut(c.Heading, 32), cut(capital(words)+".", 255))
	if len(c.Values) > 0 && c.Others == 0 {
		list, err := excelize.ColumnNumberToName(b.lists + 1)
		if err != nil {
			return err
		}
		b.lists++
		for i, one := range c.Values {
			if err := b.SetCellStr(listsSheet, fmt.Sprintf("%s%d", list, i+1), one.Value); err != nil {
				return err
			}
		}
		v.SetSqrefDropList(fmt.Sprintf("%s!$%s$1:$%s$%d", listsSheet, list, list, len(c.Values)))
		v.SetError(excelize.DataValidationErrorStyleStop, "Not in the list",
			cut("Choose one of the values that are offered for "+
				c.Heading+".", 255))
	}
	return b.AddDataValidation(rowsSheet, v)
}

// cut shortens a text to so many characters, as cells' notes bear.
func cut(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

// wordsWidths are those of the columns of the sheet that explains, in characters.
var wordsWidths = []float64{24, 11, 36, 40, 40, 22, 40}

// heightOf returns the height of a row of that sheet, in points: not every program finds it by itself.
func heightOf(cells []string) float64 {
	lines := 1.0
	for i, text := range cells {
		width := wordsWidths[i]
		if len(cells) == 1 {
			width = 200 // it runs over all of them
		}
		lines = max(lines, math.Ceil(1.1*float64(len([]rune(text)))/width))
	}
	return min(15*lines, 400) // a row is at most 409 points high
}

// words explains each column.
func (b *book) words(p *Page) error {
	for i, title := range []string{"Heading", "Mandatory", "What is written", "Rules", "Allowed values", "Example",
		"Meaning"} {
		column, err := excelize.ColumnNumberToName(i + 1)
		if err != nil {
			return err
		}
		if err := b.cell(wordsSheet, column+"1", title, b.heading); err != nil {
			return err
		}
		if err := b.SetColWidth(wordsSheet, column, column, wordsWidths[i]); err != nil {
			return err
		}
	}
	row := 2
	put := func(cells ...string) error {
		for i, text := range cells {
			column, err := excelize.ColumnNumberToName(i + 1)
			if err != nil {
				return err
			}
			if err := b.cell(wordsSheet, fmt.Sprintf("%s%d", column, row), text, b.note); err != nil {
				return err
			}
		}
		row++
		return b.SetRowHeight(wordsSheet, row-1, heightOf(cells))
	}
	for i := range p.Columns {
		c := &p.Columns[i]
		must := ""
		if c.Mandatory {
			must = "yes"
		}
		if err := put(c.Heading, must, c.Kind, strings.Join(c.Rules, "; "), c.AllowedWords(), c.Example,
			c.Meaning); err != nil {
			return err
		}
	}
	row++
	// What concerns no single column runs over the whole width.
	say := func(text string) error {
		if err := b.MergeCell(wordsSheet, fmt.Sprintf("A%d", row), fmt.Sprintf("G%d", row)); err != nil {
			return err
		}
		return put(text)
	}
	for _, r := range p.Rules {
		if err := say(r); err != nil {
			return err
		}
	}
	return say("Mandatory headings are marked in yellow. Fill in the sheet " + rowsSheet + "; " + exampleSheet +
		" shows a row that is filled in.")
}

// AllowedWords writes the allowed values, with what they mean.
func (c *Entry) AllowedWords() string {
	var parts []string
	for _, v := range c.Values {
		text := v.Value
		if v.Label != "" {
			text += ": " + v.Label
		}
		parts = append(parts, text)
	}
	if c.Others > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", c.Others))
	}
	return strings.Join(parts, "; ")
}
