package sift_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/profile"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// A workbook that a program wrote holds formulas without values. Reading, profile and run say so, by
// cell, and what has a value reads as ever.
func TestFormulasThatWereNeverComputed(t *testing.T) {
	path := filepath.Join(t.TempDir(), "weights.xlsx")
	f := excelize.NewFile()
	for i, row := range [][]any{{"no", "gross", "tare", "net"}, {"AH-1", 20000, 7500, nil}, {"AH-2", 18000, 7000, 11000},
		{"AH-3", 19000, 7200, nil}} {
		require.NoError(t, f.SetSheetRow("Sheet1", "A"+string(rune('1'+i)), &row))
	}
	require.NoError(t, f.SetCellFormula("Sheet1", "D2", "B2-C2"))
	require.NoError(t, f.SetCellFormula("Sheet1", "D4", "B4-C4"))
	require.NoError(t, f.SaveAs(path))
	for rule, want := range map[string]sift.Tally{
		"datatype: integer":                 {Read: 3, Accepted: 3},
		"datatype: integer, required: true": {Read: 3, Accepted: 1, Rejected: 2},
		"datatype: integer, default: 1":     {Read: 3, Accepted: 3},
	} {
		tg, err := target.Parse([]byte("target: t\ncolumns: [{name: no}, {name: gross, datatype: integer}, " +
			"{name: tare, datatype: integer}, {name: net, " + rule + "}]\n"))
		require.NoError(t, err)
		file, err := source.Open(t.Context(), path, layout.Given{})
		require.NoError(t, err)
		rows, err := file.Rows(t.Context())
		require.NoError(t, err)
		sink := &outcometest.Texts{}
		result, err := (&sift.Run{Source: rows, Encoding: "utf-8", Target: tg, Outputs: sink.Outputs()}).Do(t.Context())
		require.NoError(t, err)
		assert.Equal(t, want, result.Tally, rule)
		require.Len(t, result.Violations, 1, "%+v", result.Violations)
		g := result.Violations[0]
		assert.Equal(t, violation.TypeFormula, g.Code)
		assert.Equal(t, "=B2-C2", g.Samples[0].Value)
		assert.Contains(t, g.Samples[0].Message, "holds the formula =B2-C2 and no value")
		assert.Contains(t, g.Samples[0].Message, "open and save it in a spreadsheet program")
		assert.Contains(t, sink.Accepted.String(), "AH-2,18000,7000,11000\n")
		assert.NotContains(t, sink.Accepted.String(), "=")
		source.Close(rows)
		p, err := finding.Profile(t.Context(), file, profile.Options{})
		require.NoError(t, err)
		require.NotEmpty(t, p.Problems)
		assert.Equal(t, violation.TypeFormula, p.Problems[0].Code)
		assert.Equal(t, int64(2), p.Problems[0].Count)
		found := false
		for _, f := range p.Findings {
			found = found || f.Code == "type.formula"
		}
		assert.True(t, found)
		file.Close()
	}
}
