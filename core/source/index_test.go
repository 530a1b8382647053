package source_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/violation"
)

// seen is a row with its place.
type seen struct {
	row, line int64
	text      string
}

// take reads so many rows from the given one on, after those before it.
func take(t *testing.T, rows source.Source, from int64, n int) (all []seen) {
	t.Helper()
	var b source.Batch
	for len(all) < n {
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			return all
		} else {
			require.NoError(t, err)
		}
		b.Split()
		for i := range b.Rows {
			if b.Number(i) < from || len(all) == n {
				continue
			}
			text := ""
			for _, s := range b.Cells(i) {
				text += string(b.Text(s)) + "|"
			}
			all = append(all, seen{b.Number(i), b.Rows[i].Line, text})
		}
	}
	return all
}

// Rows found by number are those that reading from the top gives, whatever the
// encoding and however many lines a row takes.
func TestIndex(t *testing.T) {
	var text strings.Builder
	text.WriteString("Title\nno;name;remark\n")
	for i := 1; i <= 150000; i++ {
		remark := "all well and nothing to add"
		if i%17 == 0 {
			remark = "\"two\nlines; Größe\""
		}
		fmt.Fprintf(&text, "%d;Müller %d;%s\n", i, i%9, remark)
	}
	text.WriteString("Summe;150000;\n")
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(text.String())
	require.NoError(t, err)
	for name, content := range map[string]string{"utf-8": text.String(), "utf-16le": wide} {
		path := filepath.Join(t.TempDir(), "a.csv")
		require.NoError(t, os.WriteFile(path, []byte(content), 0o600))
		file, err := source.Open(t.Context(), path, layout.Given{})
		require.NoError(t, err)
		defer file.Close()
		require.Equal(t, []any{name, 1, 1, 1}, []any{file.Layout.Encoding, file.Layout.SkipRows, file.Layout.HeaderRows,
			file.Layout.FooterRows})
		top, err := file.Rows(t.Context())
		require.NoError(t, err)
		all := take(t, top, 1, 200000)
		require.Len(t, all, 150000)

		x := file.NewIndex()
		require.NoError(t, x.Build(t.Context(), func(*source.Batch) error { return nil }))
		rows, whole := x.Counted()
		assert.Equal(t, []any{int64(150000), true}, []any{rows, whole})
		for _, from := range []int64{1, 2, 20000, 75001, 149999, 150000} {
			src, err := x.From(t.Context(), from)
			require.NoError(t, err)
			assert.Equal(t, all[from-1:min(from+4, 150000)], take(t, src, from, 5), "%s row %d", name, from)
		}
		for _, row := range []int{1, 17, 18, 20000, 75001, 150000} {
			for line, want := range map[int64]int{all[row-1].line: row, all[row-1].line - 1: row - 1} {
				got, err := x.RowAt(t.Context(), line)
				require.NoError(t, err)
				assert.EqualValues(t, want, got, "%s line %d", name, line)
			}
		}
		beyond, err := x.RowAt(t.Context(), 1<<40)
		require.NoError(t, err)
		assert.Equal(t, int64(150000), beyond, "the last row stands in front of it")
		n, err := x.Wait(t.Context(), 200000)
		require.NoError(t, err)
		assert.Equal(t, int64(150000), n, "there is no such row, and no waiting for it")

		ends, _, err := file.LastLines(2)
		require.NoError(t, err)
		assert.Equal(t, []string{"150000;Müller 6;all well and nothing to add\n", "Summe;150000;\n"}, ends)

		tail, ok, err := file.Tail(t.Context())
		require.NoError(t, err)
		require.True(t, ok)
		last := take(t, tail, 1, 200000)
		require.NotEmpty(t, last)
		assert.Equal(t, all[len(all)-1].text, last[len(last)-1].text, "without the footer")
		assert.Equal(t, all[len(all)-len(last)].text, last[0].text)
	}
}

func TestIndexStops(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("a,b\n1,2\n"), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	ctx, stop := context.WithCancel(t.Context())
	stop()
	x := file.NewIndex()
	require.ErrorIs(t, x.Build(ctx, func(*source.Batch) error { return nil }), context.Canceled)
	_, err = x.Wait(t.Context(), 1)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestLinesAndReread(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("Title\n\n\"a\";b\r\n1;2\n"), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	lines, err := file.Lines()
	require.NoError(t, err)
	assert.Equal(t, []seen{{1, 1, "Title|"}, {2, 2, "|"}, {3, 3, "\"a\";b|"}, {4, 4, "1;2|"}}, take(t, lines, 1, 9))
	none := ""
	again, err := file.Reread(t.Context(), layout.Given{Delimiter: &none})
	require.NoError(t, err)
	assert.Equal(t, []string{";", ""}, []string{file.Layout.Delimiter, again.Layout.Delimiter})
}

// Rows are found by number also where pairs of bytes in an encoding of east Asia are no
// characters: then the text does not tell how many bytes it was.
func TestIndexOverUndecodablePairs(t *testing.T) {
	for _, name := range []string{"shift_jis", "euc-jp", "gb18030", "big5", "euc-kr"} {
		var text bytes.Buffer
		text.WriteString("no,name\n")
		for i := range 60_000 {
			odd := []string{"plain", "\x82\xa0\x82\xa2", "\xff", "\x81\xff", "\x80", "\x8f\xa1\x20", "\xfe\xfe"}[i%7]
			fmt.Fprintf(&text, "%d,%s and some more of it\n", i+1, odd)
		}
		path := filepath.Join(t.TempDir(), "a.csv")
		require.NoError(t, os.WriteFile(path, text.Bytes(), 0o600))
		comma := ","
		file, err := source.Open(t.Context(), path, layout.Given{Encoding: &name, Delimiter: &comma})
		require.NoError(t, err)
		defer file.Close()
		top, err := file.Rows(t.Context())
		require.NoError(t, err)
		all := take(t, top, 1, 100_000)
		require.Len(t, all, 60_000, name)
		x := file.NewIndex()
		require.NoError(t, x.Build(t.Context(), func(*source.Batch) error { return nil }))
		for _, from := range []int64{2, 25_000, 44_444, 59_999} {
			src, err := x.From(t.Context(), from)
			require.NoError(t, err)
			assert.Equal(t, all[from-1:from+1], take(t, src, from, 2), "%s, row %d", name, from)
		}
	}
}

// Batches are worked on side by side: none shares what decodes with another. The race
// detector looks on.
func TestBatchesOfEastAsiaSideBySide(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("a,b,c\n"+strings.Repeat("\x82\xa0,\x82\xa2\n\x83\x41,\x81\xff,x\n",
		100_000)), 0o600))
	name, comma := "shift_jis", ","
	file, err := source.Open(t.Context(), path, layout.Given{Encoding: &name, Delimiter: &comma})
	require.NoError(t, err)
	defer file.Close()
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	short := int64(0)
	err = source.InOrder(t.Context(), rows, 4, func() func(*source.Batch, *int64) {
		return func(b *source.Batch, n *int64) {
			*n = 0
			for _, d := range b.Defects {
				if d.Code == violation.RowShort {
					*n++
					assert.Equal(t, byte(0x82), mustByte(t, path, d.Offset),
						"the offset is that of the row's first byte")
				}
			}
		}
	}, func(_ *source.Batch, n *int64) error { short += *n; return nil })
	require.NoError(t, err)
	assert.Equal(t, int64(100_000), short)
}

var content sync.Map

func mustByte(t *testing.T, path string, at int64) byte {
	text, ok := content.Load(path)
	if !ok {
		read, err := os.ReadFile(path)
		require.NoError(t, err)
		text, _ = content.LoadOrStore(path, read)
	}
	return text.([]byte)[at]
}
