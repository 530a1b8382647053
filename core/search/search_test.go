package search

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
)

// Each row that passes is found once, in a delivery of several parts, whatever its
// quote, its escape and its fold: the search by parts against going through all rows.
func TestSearchFindsEachRowOnce(t *testing.T) {
	for _, quote := range []string{`"`, "'", "|", "»", "~", ""} {
		for _, doubled := range []bool{true, false} {
			for _, fold := range []int{0, 3} {
				name := fmt.Sprintf("quote %q doubled %v fold %d", quote, doubled, fold)
				escape := quote + quote
				if !doubled {
					escape = `\` + quote
				}
				cell := func(s string) string {
					if quote == "" {
						return s
					}
					return quote + strings.ReplaceAll(s, quote, escape) + quote
				}
				sought := "a" + quote + "b c"
				end := ";"
				if fold > 0 {
					end = "\n"
				}
				var text strings.Builder
				var want []int64
				if fold == 0 {
					text.WriteString("no;word;rest\n")
				}
				for row := 1; row <= 40_000; row++ {
					word := fmt.Sprintf("word %d", row%977)
					if row%9_001 == 17 || row == 40_000 {
						word = sought
						want = append(want, int64(row))
					}
					rest := "and some more so that there are several parts"
					if fold > 0 && row%5 == 0 {
						rest = "" // an empty value is a blank line
					}
					fmt.Fprintf(&text, "%d%s%s%s%s\n", row, end, cell(word), end, rest)
				}
				path := filepath.Join(t.TempDir(), "a.txt")
				require.NoError(t, os.WriteFile(path, []byte(text.String()), 0o600))
				delimiter, header, zero := ";", 1, 0
				if fold > 0 {
					header = 0
				}
				file, err := source.Open(t.Context(), path, layout.Given{Delimiter: &delimiter, QuoteChar: &quote,
					DoubleQuote: &doubled, Fold: &fold,
					HeaderRows: &header, SkipRows: &zero, FooterRows: &zero})
				require.NoError(t, err)
				p, err := profile.Of(context.Background(), file, profile.Options{})
				require.NoError(t, err)
				require.Equal(t, int64(40_000), p.Rows, name)
				assert.Equal(t, want, found(t, file, p, profile.Filter{Column: p.Columns[1].Name, Op: "equals", Value: sought}),
					name)
				file.Close()
			}
		}
	}
}
