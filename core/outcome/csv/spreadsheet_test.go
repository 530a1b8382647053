package csv_test

import (
	"bytes"
	"context"
	stdcsv "encoding/csv"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/outcome/csv"
	"sieb/core/rfc4180"
)

// spreadsheet returns the cells of rows as they are written for a spreadsheet.
func spreadsheet(t require.TestingT, rows [][]string) [][]string {
	var text, out bytes.Buffer
	for _, row := range rows {
		text.Write(rfc4180.AppendRow(nil, row...))
	}
	require.NoError(t, csv.Spreadsheet(context.Background(), &out, iotest.OneByteReader(&text), ','))
	rest, has := strings.CutPrefix(out.String(), "\uFEFF")
	require.True(t, has, "the mark tells UTF-8")
	r := stdcsv.NewReader(strings.NewReader(rest))
	r.FieldsPerRecord = -1
	got, err := r.ReadAll()
	require.NoError(t, err)
	return got
}

func TestFormulasAreGuarded(t *testing.T) {
	for cell, want := range map[string]string{
		"=1+1": "'=1+1", "@SUM(A1)": "'@SUM(A1)", "+cmd|' /C calc'!A0": "'+cmd|' /C calc'!A0", "-2+3": "'-2+3",
		"\t=1": "'\t=1", "＝1": "'＝1", "+": "'+", "-": "'-", "--1": "'--1",
		"=HYPERLINK(\"http://x\",\"y\")": "'=HYPERLINK(\"http://x\",\"y\")",
		"-5":                             "-5", "+3": "+3", "-1.234,5": "-1.234,5", "": "", "a=1": "a=1", " =1": "' =1",
		"  @a": "'  @a", "\u00a0=1": "'\u00a0=1", "\ufeff=1": "'\ufeff=1",
		"\u200b\u2060+a": "'\u200b\u2060+a", "\u202e=1": "'\u202e=1", "\u3164=1": "'\u3164=1", "\ufe0f-a": "'\ufe0f-a",
		"\x00=1": "'\x00=1", "\x0b=1": "'\x0b=1", " -5": " -5", " ": " ", "\u200bwheat": "\u200bwheat",
		"wheat": "wheat", "'=1": "'=1", "1-2": "1-2",
	} {
		assert.Equal(t, [][]string{{want, "x"}}, spreadsheet(t, [][]string{{cell, "x"}}), "%q", cell)
	}
}

// Whatever the cells, nothing else of them changes, and none of them is a formula.
func TestSpreadsheetKeepsTheRest(t *testing.T) {
	text := rapid.StringOf(rapid.RuneFrom([]rune("=+-@a1,\"\n\t.＝ ;")))
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfN(rapid.SliceOfN(text, 2, 4), 1, 6).Draw(t, "rows")
		got := spreadsheet(t, rows)
		require.Len(t, got, len(rows))
		for i, row := range rows {
			for k, cell := range row {
				if got[i][k] != cell {
					require.Equal(t, "'"+cell, got[i][k])
				}
				assert.NotContains(t, []string{"=", "@", "\t"}, got[i][k][:min(1, len(got[i][k]))])
			}
		}
	})
}
