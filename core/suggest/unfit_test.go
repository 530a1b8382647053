package suggest_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
)

func unfitOf(t *testing.T, columns, text string) []suggest.Unfit {
	t.Helper()
	tg, err := target.Parse([]byte("target: t\ncolumns:\n" + columns))
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	semicolon, one := ";", 1
	file, err := source.Open(t.Context(), path, layout.Given{Delimiter: &semicolon, HeaderRows: &one})
	require.NoError(t, err)
	defer file.Close()
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	run := sift.Run{Source: rows, Encoding: "utf-8", Target: tg}
	result, err := run.Rehearse(t.Context())
	require.NoError(t, err)
	source.Close(rows)
	found, err := suggest.UnfitColumns(t.Context(), file, tg, nil, result)
	require.NoError(t, err)
	return found
}

func table(header string, n int, row func(i int) string) string {
	var b strings.Builder
	b.WriteString(header + "\n")
	for i := range n {
		b.WriteString(row(i) + "\n")
	}
	return b.String()
}

func TestUnfitColumns(t *testing.T) {
	const columns = "  - {name: day, datatype: date}\n  - {name: kg, datatype: decimal, minimum: 1}\n  - {name: " +
		"crop, oneOf: [wheat, rye]}\n" +
		"  - {name: ok, datatype: boolean}\n  - {name: note}\n"
	crops := []string{"wheat", "rye"}
	for _, c := range []struct {
		name string
		text string
		want []string
	}{
		{"all is well", table("day;kg;crop;ok;note", 30, func(i int) string {
			return fmt.Sprintf("2026-07-%02d;%d.5;%s;true;x", 1+i%28, i+1, crops[i%2])
		}), nil},
		{"other formats", table("day;kg;crop;ok;note", 30, func(i int) string {
			return fmt.Sprintf("%02d.07.2026;1.%03d,5;%s;ja;x", 1+i%28, i+1, strings.ToUpper(crops[i%2]))
		}), []string{"day: none of its 30 values fits; with the format dd.MM.yyyy 30 do",
			`kg: none of its 30 values fits; with decimalChar "," and groupChar "." 30 do`,
			"crop: none of its 30 values fits; with the remedy lower 30 do",
			"ok: none of its 30 values fits; with the format ja|nein 30 do"}},
		{"two are mixed up", table("kg;day;crop;ok;note", 30, func(i int) string {
			return fmt.Sprintf("2026-07-%02d;%d.5;%s;true;x", 1+i%28, i+1, crops[i%2])
		}), []string{"day: none of its 30 values fits; of column 1 of the delivery 30 do: perhaps the two are mixed up",
			"kg: none of its 30 values fits; of column 2 of the delivery 30 do: perhaps the two are mixed up"}},
		{"shifted", table("day;kg;crop;ok;note;other", 30, func(i int) string {
			return fmt.Sprintf("x;2026-07-%02d;%d.5;%s;true;y", 1+i%28, i+1, crops[i%2])
		}), []string{`day, kg, crop, ok: from "day" on the values stand one place further to the right than the header says: the ` +
			"header has a name too few or too many; ask the sender, or give the columns positions"}},
		{"nothing fits", table("day;kg;crop;ok;note", 30, func(i int) string {
			return fmt.Sprintf("week %d;%d.5;%s;true;x", i, i+1, crops[i%2])
		}), []string{"day: none of its 30 values fits, and no format or other column fits either: ask the sender " +
			"what it holds"}},
		{"one good value", table("day;kg;crop;ok;note", 30, func(i int) string {
			day := "x"
			if i == 7 {
				day = "2026-07-01"
			}
			return fmt.Sprintf("%s;%d.5;%s;true;x", day, i+1, crops[i%2])
		}), nil},
		{"one good value, far below the first rows", table("day;kg;crop;ok;note", 20000, func(i int) string {
			if i == 19990 {
				return "2026-07-01;1;rye;true;x"
			}
			return fmt.Sprintf("01.07.2026;%d.5;%s;true;x", i+1, crops[i%2])
		}), nil},
		{"nothing in the first rows", table("day;kg;crop;ok;note", 20000, func(i int) string {
			if i < 15000 {
				return fmt.Sprintf(";%d.5;%s;true;%s", i+1, crops[i%2], strings.Repeat("x", 30))
			}
			return fmt.Sprintf("01.07.2026;%d.5;%s;true;x", i+1, crops[i%2])
		}), nil},
		{"the first rows are right with another format than most", table("day;kg;crop;ok;note", 20000, func(i int) string {
			if i < 900 {
				return fmt.Sprintf("2026-31-07;%d.5;%s;true;x", i+1, crops[i%2])
			}
			return fmt.Sprintf("01.07.2026;%d.5;%s;true;x", i+1, crops[i%2])
		}), []string{"day: none of its 20000 values fits; with the format dd.MM.yyyy 19100 do"}},
		{"too few rows", "day;kg;crop;ok;note\nx;1;rye;true;y\n", nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			var got []string
			for _, u := range unfitOf(t, columns, c.text) {
				got = append(got, u.Column+": "+u.Message)
			}
			assert.Equal(t, c.want, got)
		})
	}
}
