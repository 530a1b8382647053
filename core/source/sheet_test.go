package source_test

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/violation"
)

// book writes a workbook; fill gets its only sheet's name.
func book(t *testing.T, fill func(f *excelize.File, sheet string)) string {
	t.Helper()
	f := excelize.NewFile()
	fill(f, "Sheet1")
	path := filepath.Join(t.TempDir(), "book.xlsx")
	require.NoError(t, f.SaveAs(path))
	return path
}

func put(t *testing.T, f *excelize.File, sheet, at string, values ...any) {
	t.Helper()
	require.NoError(t, f.SetSheetRow(sheet, at, &values))
}

// tableOf reads a delivery as one line of text per row: "3: a|b", with its defects.
func tableOf(t *testing.T, path string, given layout.Given) (file *source.File, lines []string) {
	t.Helper()
	file, err := source.Open(t.Context(), path, given)
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	lines = append(lines, strings.Join(rows.Header().Names, "|"))
	var b source.Batch
	for {
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			return file, lines
		} else {
			require.NoError(t, err)
		}
		b.Split()
		for i := range b.Rows {
			var cells []string
			for _, s := range b.Cells(i) {
				cells = append(cells, string(b.Text(s)))
			}
			line := fmt.Sprintf("%d: %s", b.Rows[i].Line, strings.Join(cells, "|"))
			for _, d := range b.Defects {
				if d.Row == i {
					line += " " + d.Code.String()
				}
			}
			lines = append(lines, line)
		}
	}
}

func TestSheetWithNotesAndTotals(t *testing.T) {
	path := book(t, func(f *excelize.File, sheet string) {
		put(t, f, sheet, "B2", "Laboratory, July")
		put(t, f, sheet, "B3", "printed", "2026-08-01")
		put(t, f, sheet, "B5", "sample", "moisture", "protein", "taken on")
		for i := range 20 {
			put(t, f, sheet, fmt.Sprintf("B%d", 6+i), fmt.Sprintf("S-%03d", i), 12.5+float64(i)/10, 0.1*3,
				fmt.Sprintf("2026-07-%02d", i+1))
		}
		put(t, f, sheet, "C9", "13.5")
		put(t, f, sheet, "D10", nil)
		put(t, f, sheet, "H11", "beside the table")
		require.NoError(t, f.SetRowVisible(sheet, 12, false))
		put(t, f, sheet, "B26", "Total", 280.5)
		put(t, f, sheet, "B28", "checked by the laboratory")
	})
	file, lines := tableOf(t, path, layout.Given{})
	want := layout.Layout{SkipBlankRows: true, Form: "workbook", Encoding: "utf-8", LineTerminator: "lf",
		DoubleQuote: true, Cuts: []int{}, HeaderNames: "joined", Sheet: "Sheet1",
		Merged: "first", Hidden: "read", SkipRows: 4, SkipColumns: 1, HeaderRows: 1, FooterRows: 3}
	assert.Equal(t, want, file.Layout)
	require.Len(t, lines, 21)
	assert.Equal(t, "sample|moisture|protein|taken on", lines[0])
	assert.Equal(t, "6: S-000|12.5|0.3|2026-07-01", lines[1])
	assert.Equal(t, "9: S-003|13.5|0.3|2026-07-04 number.text", lines[4])
	assert.Equal(t, "10: S-004|12.9||2026-07-05", lines[5])
	assert.Equal(t, "11: S-005|13|0.3|2026-07-06 row.long", lines[6])
	assert.Equal(t, "12: S-006|13.1|0.3|2026-07-07", lines[7], "a hidden row is read")

	skip := layout.Skip
	_, lines = tableOf(t, path, layout.Given{Hidden: &skip})
	assert.Len(t, lines, 20, "unless told otherwise")
	again, err := source.Open(t.Context(), path, file.Layout.Given())
	require.NoError(t, err)
	defer again.Close()
	assert.Equal(t, file.Layout, again.Layout, "a saved layout gives itself")
}

func TestSheetMergedCells(t *testing.T) {
	path := book(t, func(f *excelize.File, sheet string) {
		put(t, f, sheet, "A1", "site", "weights", nil, "crop")
		put(t, f, sheet, "A2", nil, "gross", "tare", nil)
		require.NoError(t, f.MergeCell(sheet, "B1", "C1"))
		require.NoError(t, f.MergeCell(sheet, "A1", "A2"))
		for i := range 6 {
			put(t, f, sheet, fmt.Sprintf("A%d", 3+i), nil, 100+i, 10+i, "rye")
		}
		put(t, f, sheet, "A3", "Ahrensee")
		put(t, f, sheet, "A6", "Colmitz")
		require.NoError(t, f.MergeCell(sheet, "A3", "A5"))
		require.NoError(t, f.MergeCell(sheet, "A6", "A8"))
	})
	file, lines := tableOf(t, path, layout.Given{})
	assert.Equal(t, "carried", file.Layout.Merged)
	assert.Equal(t, []string{"site|weights gross|weights tare|crop", "3: Ahrensee|100|10|rye", "4: Ahrensee|101|11|rye",
		"5: Ahrensee|102|12|rye",
		"6: Colmitz|103|13|rye", "7: Colmitz|104|14|rye", "8: Colmitz|105|15|rye"}, lines)
	first := layout.First
	_, lines = tableOf(t, path, layout.Given{Merged: &first})
	assert.Equal(t, "4: |101|11|rye", lines[2])
}

func TestSheetIsChosen(t *testing.T) {
	path := book(t, func(f *excelize.File, sheet string) {
		require.NoError(t, f.SetSheetName(sheet, "Cover"))
		put(t, f, "Cover", "A1", "Results of July")
		for _, name := range []string{"Results", "Prices", "Old"} {
			_, err := f.NewSheet(name)
			require.NoError(t, err)
			put(t, f, name, "A1", "sample", "value")
		}
		for i := range 60 {
			put(t, f, "Results", fmt.Sprintf("A%d", i+2), fmt.Sprintf("S%d", i), i)
			put(t, f, "Old", fmt.Sprintf("A%d", i+2), fmt.Sprintf("S%d", i), i)
			put(t, f, "Old", fmt.Sprintf("A%d", i+62), fmt.Sprintf("S%d", i), i)
		}
		put(t, f, "Prices", "A2", "wheat", 21.5)
		require.NoError(t, f.SetSheetVisible("Old", false))
	})
	file, lines := tableOf(t, path, layout.Given{})
	assert.Equal(t, "Results", file.Layout.Sheet, "a hidden sheet is not chosen")
	assert.Len(t, lines, 61)
	for _, name := range []string{"3", "Prices", "prices"} {
		file, lines = tableOf(t, path, layout.Given{Sheet: &name})
		assert.Equal(t, "Prices", file.Layout.Sheet)
		assert.Equal(t, []string{"sample|value", "2: wheat|21.5"}, lines)
	}
	none := "Nothing"
	_, err := source.Open(t.Context(), path, layout.Given{Sheet: &none})
	assert.ErrorContains(t, err, `there is no sheet "Nothing"; the workbook holds "Cover", "Results", "Prices", "Old"`)
}

func TestSheetErrorsAndDateTexts(t *testing.T) {
	path := book(t, func(f *excelize.File, sheet string) {
		date, err := f.NewStyle(&excelize.Style{NumFmt: 14})
		require.NoError(t, err)
		put(t, f, sheet, "A1", "sample", "taken on", "value")
		for i := range 8 {
			put(t, f, sheet, fmt.Sprintf("A%d", 2+i), fmt.Sprintf("00%d", i), 46204+i, i)
		}
		require.NoError(t, f.SetCellStyle(sheet, "B2", "B9", date))
		put(t, f, sheet, "B4", "03.07.2026")
	})
	_, lines := tableOf(t, path, layout.Given{})
	assert.Equal(t, "2: 000|2026-07-01|0", lines[1], "codes with zeros in front are texts")
	assert.Equal(t, "4: 002|03.07.2026|2 date.text", lines[3])
	assert.Equal(t, "type.error", violation.TypeError.String())
}

// A table of several batches, and one of a single cell in each row.
func TestSheetLong(t *testing.T) {
	path := book(t, func(f *excelize.File, sheet string) {
		w, err := f.NewStreamWriter(sheet)
		require.NoError(t, err)
		for i := range 30000 {
			at, err := excelize.CoordinatesToCellName(1, i+1)
			require.NoError(t, err)
			require.NoError(t, w.SetRow(at, []any{fmt.Sprintf("row number %d", i), i}))
		}
		require.NoError(t, w.Flush())
	})
	zero := 0
	file, lines := tableOf(t, path, layout.Given{HeaderRows: &zero})
	require.Len(t, lines, 30001)
	assert.Equal(t, "column_1|column_2", lines[0])
	for i, line := range lines[1:] {
		require.Equal(t, fmt.Sprintf("%d: row number %d|%d", i+1, i, i), line)
	}
	assert.Equal(t, "Sheet1", file.Sheets()[0].Name)
	info, err := os.Stat(path)
	require.NoError(t, err)
	_, size, err := file.Delivered()
	require.NoError(t, err)
	assert.Equal(t, info.Size(), size)
}
