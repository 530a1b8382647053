package source_test

import (
	"bytes"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/rfc4180"
	"sieb/core/source"
)

// cellsOf reads all rows of what Sieb wrote.
func cellsOf(t require.TestingT, text []byte) (names []string, rows [][]string) {
	r, err := source.Written(bytes.NewReader(text))
	require.NoError(t, err)
	var b source.Batch
	for {
		if err := r.Next(&b); err == io.EOF {
			return r.Header().Names, rows
		} else {
			require.NoError(t, err)
		}
		b.Split()
		require.Empty(t, b.Defects)
		for i := range b.Rows {
			var row []string
			for _, s := range b.Cells(i) {
				row = append(row, string(b.Text(s)))
			}
			rows = append(rows, row)
		}
	}
}

// What is read back is what was written: cells whose lines look like rows of the table, quotes,
// byte order marks, blank lines, whatever there is.
func TestWhatIsWrittenIsReadBack(t *testing.T) {
	piece := rapid.SampledFrom([]string{"a", "", " ", ",", "\n", "\r\n", "\r", `"`, `""`, "1,2,3\n", "\"x\n", "#", "\t",
		"\uFEFF", "ä", "\\",
		"x,\"y\",z\n", ";", "'"})
	cell := rapid.Custom(func(t *rapid.T) string {
		return strings.Join(rapid.SliceOfN(piece, 0, 5).Draw(t, "pieces"), "")
	})
	rapid.Check(t, func(t *rapid.T) {
		width := rapid.IntRange(1, 4).Draw(t, "width")
		var names []string
		for k := range width {
			names = append(names, rapid.SampledFrom([]string{"", "\uFEFF", " "}).Draw(t, "lead")+string(rune('p'+k)))
		}
		text := rfc4180.AppendRow(nil, names...)
		var rows [][]string
		for range rapid.IntRange(0, 12).Draw(t, "rows") {
			row := rapid.SliceOfN(cell, width, width).Draw(t, "row")
			rows = append(rows, row)
			text = rfc4180.AppendRow(text, row...)
		}
		gotNames, got := cellsOf(t, text)
		require.Equal(t, names, gotNames)
		require.Equal(t, rows, got)
	})
}

// A text of nearly two megabytes whose lines all look like rows is one cell.
func TestLongTextThatLooksLikeRows(t *testing.T) {
	long := strings.Repeat("4711,a text,more of it\n", 80_000)
	require.Greater(t, len(long), 1_750_000)
	text := rfc4180.AppendRow(nil, "key", "note", "end")
	text = rfc4180.AppendRow(text, "1", long, "x")
	text = rfc4180.AppendRow(text, "2", "short", "y")
	_, rows := cellsOf(t, text)
	require.Len(t, rows, 2)
	assert.Equal(t, long, rows[0][1])
	assert.Equal(t, []string{"2", "short", "y"}, rows[1])
}
