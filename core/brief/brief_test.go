package brief_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/brief"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

const tickets = `target: tickets
title: Tickets
columns:
  - {name: no, titles: [Ticket No.], required: true, unique: true, format: '[A-Z]{2}-[0-9]{6}', description: printed on the slip}
  - {name: day, datatype: date, format: dd.MM.yyyy, required: true, minimum: 2026-01-01}
  - {name: kg, datatype: decimal, decimalChar: ",", precision: 7, scale: 2, maximum: 60000}
  - {name: crop, oneOf: [wheat, rye]}
  - {name: site, oneOf: {codes: sites}}
  - {name: organic, datatype: boolean, format: ja|nein}
  - {name: at, datatype: time}
  - {name: note, maxLength: 5, null: ["", "-"], default: none}
  - {name: code, minLength: 3, maxLength: 3}
  - {name: made, derive: kg * 2, datatype: decimal}
  - {name: always, value: x}
uniqueKeys: [[day, site]]
rowRules: [{name: heavy enough, condition: kg > 1}, {condition: 'kg < 9'}]
foreignKeys: [{columnReference: [site], reference: {resource: places}}]
rows: {minimum: 2, maximum: 10}
`

func parsed(t *testing.T) (*target.Target, []*codes.List) {
	t.Helper()
	of, err := target.Parse([]byte(tickets))
	require.NoError(t, err)
	list, err := codes.Parse(context.Background(), "sites", []byte("code,label\nahr,Ahrensee\nbru,Brunnthal\n"))
	require.NoError(t, err)
	return of, []*codes.List{list}
}

func TestWords(t *testing.T) {
	p := brief.Of(parsed(t))
	var said []string
	for _, c := range p.Columns {
		line := c.Heading + ": " + c.Kind
		for _, r := range c.Rules {
			line += "; " + r
		}
		if len(c.Values) > 0 {
			line += "; one of " + c.AllowedWords()
		}
		said = append(said, line+" | "+c.Example)
	}
	assert.Equal(t, []string{
		"Ticket No.: a text; two capitals, a hyphen, six digits; no value occurs twice | AA-111111",
		"day: a date, written dd.MM.yyyy; 2026-01-01 or more | 31.07.2026",
		"kg: a number with a decimal comma, up to 5 digits before it and 2 behind it; 60000 or less | 60000",
		"crop: a text; one of wheat; rye | wheat",
		"site: a text; one of ahr: Ahrensee; bru: Brunnthal | ahr",
		"organic: ja for yes, nein for no | ja",
		"at: a time of day, written HH:mm:ss | " + p.Columns[6].Example,
		"note: a text; at most 5 characters; - stands for no value; an empty cell means none | text",
		"code: a text; exactly 3 characters | xxx",
	}, said, "what a sender does not deliver is not told")
	assert.Equal(t, []string{"No two rows have the same day, site together.", "In each row: heavy enough (kg > 1)",
		"In each row: kg < 9", "site is known in places.", "A file has at most 10 rows.", "A file has at least 2 rows."},
		p.Rules)
	assert.True(t, p.Columns[0].Mandatory)
	assert.False(t, p.Columns[3].Mandatory)
	without := brief.Of(func() *target.Target { of, _ := parsed(t); return of }(), nil)
	assert.Contains(t, without.Columns[4].Rules, "a code of the list sites")
}

// The example that is told of each column is one that the column takes: a row of them is accepted.
func TestExamplesAreAccepted(t *testing.T) {
	paths, err := filepath.Glob("../../demo/targets/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, paths)
	for _, path := range paths {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		of, err := target.Parse(text)
		require.NoError(t, err)
		of.ForeignKeys, of.AbsentFrom, of.RowRules, of.Exclude = nil, nil, nil, nil
		of.Delivery = target.DeliveryRules{}
		page := brief.Of(of, nil)
		var b bytes.Buffer
		require.NoError(t, page.Workbook(&b))
		result := siftSheet(t, b.Bytes(), "Example", of)
		assert.Equal(t, sift.Tally{Read: 1, Accepted: 1}, result.Tally, "%s: %+v", path, result.Violations)
	}
}

// siftSheet sifts one sheet of a workbook.
func siftSheet(t *testing.T, book []byte, sheet string, of *target.Target) *sift.Result {
	t.Helper()
	path := filepath.Join(t.TempDir(), "book.xlsx")
	require.NoError(t, os.WriteFile(path, book, 0o600))
	one := 1
	file, err := source.Open(context.Background(), path, layout.Given{Sheet: &sheet, HeaderRows: &one})
	require.NoError(t, err)
	defer file.Close()
	run := report.Run{Delivery: file, Target: of}
	result, err := run.Rehearse(context.Background(), nil, 0)
	require.NoError(t, err)
	return result
}

// The workbook has what its page says: headings of which mandatory ones are marked, lists to choose from. Filled in
// and saved by another program it is read back.
func TestWorkbook(t *testing.T) {
	of, lists := parsed(t)
	page := brief.Of(of, lists)
	var b bytes.Buffer
	require.NoError(t, page.Workbook(&b))
	book, err := excelize.OpenReader(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	defer book.Close()
	assert.Equal(t, []string{"Rows", "Example", "Columns", "Lists"}, book.GetSheetList())
	heading, err := book.GetCellValue("Rows", "A1")
	require.NoError(t, err)
	assert.Equal(t, "Ticket No.", heading)
	marked, err := book.GetCellStyle("Rows", "A1")
	require.NoError(t, err)
	plain, err := book.GetCellStyle("Rows", "C1")
	require.NoError(t, err)
	assert.NotEqual(t, marked, plain)
	validations, err := book.GetDataValidations("Rows")
	require.NoError(t, err)
	offered := 0
	for _, v := range validations {
		if v.Type == "list" {
			offered++
		}
	}
	assert.Equal(t, 2, offered, "the crop, and the sites")
	second, err := book.GetCellValue("Lists", "B2")
	require.NoError(t, err)
	assert.Equal(t, "bru", second)
	rows, err := book.GetRows("Columns")
	require.NoError(t, err)
	assert.Equal(t, []string{"Ticket No.", "yes"}, rows[1][:2])

	for i, cells := range [][]any{{"AH-000001", "31.07.2026", 12.5, "wheat", "ahr", "ja", "10:00:00", "x", "abc"},
		{"AH-000002", "1.8.2026", "12,5", "maize", "bru", "nein", "", "", "abc"}} {
		require.NoError(t, book.SetSheetRow("Rows", "A"+string(rune('2'+i)), &cells))
	}
	var saved bytes.Buffer
	require.NoError(t, book.Write(&saved))
	of.ForeignKeys, of.RowRules = nil, nil
	of = of.WithCodes(lists)
	result := siftSheet(t, saved.Bytes(), "Rows", of)
	assert.Equal(t, sift.Tally{Read: 2, Accepted: 1, Rejected: 1}, result.Tally, "%+v", result.Violations)
	var broken []string
	for _, g := range result.Violations {
		if g.Rows > 0 && g.Action.RejectsRow() {
			broken = append(broken, g.Column)
		}
	}
	assert.ElementsMatch(t, []string{"day", "crop"}, broken)
}

// A target of very many columns and values makes a workbook all the same.
func TestWideWorkbook(t *testing.T) {
	var text strings.Builder
	text.WriteString("target: wide\ncolumns:\n")
	for i := range 300 {
		text.WriteString("  - {name: column_" + strings.Repeat("x", i%20) + string(rune('a'+i%26)) +
			string(rune('a'+i/26)) + "}\n")
	}
	of, err := target.Parse([]byte(text.String()))
	require.NoError(t, err)
	of.Columns[0].OneOf = make([]string, 5000)
	for i := range of.Columns[0].OneOf {
		of.Columns[0].OneOf[i] = strings.Repeat("v", i%50+1) + string(rune('a'+i%26))
	}
	page := brief.Of(of, nil)
	assert.Equal(t, 4900, page.Columns[0].Others)
	var b bytes.Buffer
	require.NoError(t, page.Workbook(&b))
}

// The workbook prints with all its columns on one page, what is explained is not cut, and what concerns all rows
// runs over the whole width.
func TestWorkbookIsPrinted(t *testing.T) {
	of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: a, description: \"" + strings.Repeat("long words ", 40) +
		"\"}\n  - {name: b, datatype: dateTime, required: true}\nrowRules:\n  - {name: a is not b, condition: has(a)}\n"))
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, brief.Of(of, nil).Workbook(&out))
	f, err := excelize.OpenReader(&out)
	require.NoError(t, err)
	defer f.Close()
	for _, sheet := range []string{"Rows", "Example", "Columns"} {
		props, err := f.GetSheetProps(sheet)
		require.NoError(t, err)
		layout, err := f.GetPageLayout(sheet)
		require.NoError(t, err)
		assert.Equal(t, []any{true, 1, 0, "landscape"}, []any{*props.FitToPage, *layout.FitToWidth, *layout.FitToHeight,
			*layout.Orientation}, sheet)
	}
	high, err := f.GetRowHeight("Columns", 2)
	require.NoError(t, err)
	low, err := f.GetRowHeight("Columns", 3)
	require.NoError(t, err)
	assert.Greater(t, high, 10*low/2, "twelve lines are higher than two")
	merged, err := f.GetMergeCells("Columns")
	require.NoError(t, err)
	require.Len(t, merged, 2)
	assert.Equal(t, "In each row: a is not b (has(a))", merged[0].GetCellValue())
	wide, err := f.GetColWidth("Example", "B")
	require.NoError(t, err)
	assert.Greater(t, wide, 20.0, "the example is seen whole")
}
