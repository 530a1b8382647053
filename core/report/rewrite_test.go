package report_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/written"
	"sieb/core/report"
	"sieb/core/source"
	"sieb/core/target"
)

// Accepted rows that are written in another form later are those that the run itself writes in it, byte for byte: no value
// is still none, and a text without characters one.
func TestRewrittenIsWritten(t *testing.T) {
	rules := []string{"", ", null: []", ", null: [n/a]", ", datatype: integer", ", datatype: decimal, precision: 9, scale: 2",
		", datatype: date", ", datatype: boolean", ", separator: '+'", ", datatype: double"}
	cell := rapid.OneOf(rapid.SampledFrom([]string{"", "", " x", "a,b", `say "so"`, "two\nlines", "12", "-7", "3.25",
		"2026-07-31", "true", "a+b", "n/a", "é", `"`, "INF"}), rapid.StringN(0, 6, 12))
	dir := t.TempDir()
	n := 0
	rapid.Check(t, func(rt *rapid.T) {
		n++
		width := rapid.SampledFrom([]int{1, 2, 4}).Draw(rt, "width")
		var columns, text strings.Builder
		for i := range width {
			fmt.Fprintf(&columns, "  - {name: c%d%s}\n", i, rapid.SampledFrom(rules).Draw(rt, "rule"))
			if i > 0 {
				text.WriteByte(',')
			}
			fmt.Fprintf(&text, "c%d", i)
		}
		text.WriteByte('\n')
		for range rapid.IntRange(0, 20).Draw(rt, "rows") {
			for i := range width {
				if i > 0 {
					text.WriteByte(',')
				}
				fmt.Fprintf(&text, `"%s"`, strings.ReplaceAll(cell.Draw(rt, "cell"), `"`, `""`))
			}
			text.WriteByte('\n')
		}
		tg, err := target.Parse([]byte("target: t\ncolumns:\n" + columns.String()))
		require.NoError(rt, err)
		path := filepath.Join(dir, fmt.Sprintf("%d.csv", n))
		require.NoError(rt, os.WriteFile(path, []byte(text.String()), 0o600))
		form, by, header, all := layout.Delimited, ",", 1, "utf-8"
		file, err := source.Open(t.Context(), path, layout.Given{Form: &form, Delimiter: &by, HeaderRows: &header,
			Encoding: &all})
		if err != nil {
			rt.Skip(err)
		}
		defer file.Close()
		settings := []outcome.Settings{{Form: "csv"}, {Form: "jsonl"}, {Form: "delimited", Delimiter: ";", Quoting: "texts"}}
		writes, err := written.All(settings)
		require.NoError(rt, err)
		run := report.Run{Delivery: file, Target: tg, Dir: filepath.Join(dir, fmt.Sprint(n)), Write: writes}
		_, err = run.Do(t.Context())
		require.NoError(rt, err)
		for _, w := range writes {
			want, err := os.ReadFile(filepath.Join(run.Dir, w.File))
			require.NoError(rt, err)
			var got bytes.Buffer
			require.NoError(rt, (&report.Rewriting{Dir: run.Dir, Name: report.AcceptedName, Target: tg, As: w}).Write(t.Context(), &got))
			require.Equal(rt, string(want), got.String(), w.File)
		}
	})
}
