package source_test

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/source"
)

// In a row that is known to be plain no cell holds what takes quotes in RFC 4180, whatever the dialect; and among plain
// texts with commas between them all rows are.
func TestPlainRows(t *testing.T) {
	pieces := []string{"a", "ä", " ", ",", ";", `"`, "'", `""`, `",`, `,"`, `\`, "#", "\r", "\n", "\r\n", "\t",
		"long text "}
	rapid.Check(t, func(t *rapid.T) {
		text := "a,b;c\n" + strings.Join(rapid.SliceOfN(rapid.SampledFrom(pieces), 0, 40).Draw(t, "pieces"), "")
		l := layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
			Delimiter:   rapid.SampledFrom([]string{",", ",", ";", "\t", "a"}).Draw(t, "delimiter"),
			QuoteChar:   rapid.SampledFrom([]string{`"`, `"`, "'", ""}).Draw(t, "quote"),
			DoubleQuote: rapid.Bool().Draw(t, "doubled"), Trim: rapid.Bool().Draw(t, "trim"), HeaderRows: 1,
			HeaderNames: layout.Joined}
		if rapid.IntRange(0, 5).Draw(t, "fixed") == 0 {
			l = layout.Layout{Form: layout.Fixed, Encoding: "utf-8", Cuts: []int{1, 3}, HeaderRows: 1,
				HeaderNames: layout.Joined}
		}
		r, err := source.NewReader(strings.NewReader(text), l)
		require.NoError(t, err)
		var b source.Batch
		for {
			if err := r.Next(&b); errors.Is(err, io.EOF) {
				return
			} else {
				require.NoError(t, err)
			}
			b.Split()
			for i := range b.Rows {
				if !b.IsPlain(i) {
					continue
				}
				for _, s := range b.Cells(i) {
					require.False(t, bytes.ContainsAny(b.Text(s), ",\"\r\n"), "%q of %q", b.Text(s), text)
				}
			}
		}
	})
	r, err := source.NewReader(strings.NewReader("a,b\n1,2\nx,ä\n,\n"), layout.Layout{Form: layout.Delimited,
		Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined})
	require.NoError(t, err)
	var b source.Batch
	require.NoError(t, r.Next(&b))
	b.Split()
	for i := range b.Rows {
		require.True(t, b.IsPlain(i))
	}
}
