package source_test

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/source"
)

func zipped(t *testing.T, files ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for i := 0; i < len(files); i += 2 {
		f, err := w.Create(files[i])
		require.NoError(t, err)
		_, err = f.Write([]byte(files[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return b.Bytes()
}

func gzipped(t *testing.T, text []byte) []byte {
	t.Helper()
	var b bytes.Buffer
	w := gzip.NewWriter(&b)
	_, err := w.Write(text)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return b.Bytes()
}

func TestCompressedDeliveries(t *testing.T) {
	text := "site;kg\nAhrensee;12\nBrunnthal;14\n"
	z, err := zstd.NewWriter(nil)
	require.NoError(t, err)
	for name, c := range map[string]struct {
		content        []byte
		packing, inner string
	}{
		"a.csv":     {[]byte(text), "", ""},
		"a.csv.gz":  {gzipped(t, []byte(text)), "gzip", ""},
		"a.csv.zst": {z.EncodeAll([]byte(text), nil), "zstd", ""},
		"a.zip":     {zipped(t, "july/", "", "july/tickets.csv", text, "__MACOSX/july/._tickets.csv", "x"), "zip", "july/tickets.csv"},
	} {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, c.content, 0o600))
		f, err := source.Open(t.Context(), path, layout.Given{})
		require.NoError(t, err, name)
		assert.Equal(t, []any{c.packing, c.inner, int64(len(text)), ";"}, []any{f.Packing, f.Inner, f.Size, f.Layout.Delimiter}, name)
		r, err := f.Rows(t.Context())
		require.NoError(t, err)
		var b source.Batch
		rows := 0
		for {
			if err := r.Next(&b); errors.Is(err, io.EOF) {
				break
			}
			rows += len(b.Rows)
		}
		assert.Equal(t, 2, rows)
		delivered, size, err := f.Delivered()
		require.NoError(t, err)
		all, err := io.ReadAll(delivered)
		require.NoError(t, err)
		assert.Equal(t, c.content, all)
		assert.Equal(t, int64(len(c.content)), size)
		require.NoError(t, f.Close())
	}
}

func TestUnpackingStops(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.gz")
	require.NoError(t, os.WriteFile(path, gzipped(t, bytes.Repeat([]byte("a,b\n"), 1000)), 0o600))
	ctx, stop := context.WithCancel(t.Context())
	stop()
	_, err := source.Open(ctx, path, layout.Given{})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestMemberOfSeveral(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.zip")
	require.NoError(t, os.WriteFile(path, zipped(t, "read me.txt", "hello", "b.csv", "x,y\n1,2\n"), 0o600))
	member := "b.csv"
	f, err := source.Open(t.Context(), path, layout.Given{Member: &member})
	require.NoError(t, err)
	defer f.Close()
	assert.Equal(t, []string{"b.csv", "b.csv", ","}, []string{f.Inner, f.Layout.Member, f.Layout.Delimiter})
	again, err := source.Open(t.Context(), path, f.Layout.Given())
	require.NoError(t, err)
	require.NoError(t, again.Close())
	member = "c.csv"
	_, err = source.Open(t.Context(), path, layout.Given{Member: &member})
	assert.ErrorContains(t, err, `holds no file "c.csv", but read me.txt, b.csv`)
}

func TestFilesThatCannotBeUnpacked(t *testing.T) {
	whole := gzipped(t, bytes.Repeat([]byte("a,b\n"), 1000))
	for name, c := range map[string]struct {
		content []byte
		says    string
	}{
		"cut.gz":      {whole[:len(whole)/2], "damaged"},
		"twice.gz":    {gzipped(t, whole), "compressed twice"},
		"several.zip": {zipped(t, "a.csv", "x", "b.csv", "y"), "holds 2 files (a.csv, b.csv)"},
		"empty.zip":   {zipped(t, "folder/", ""), "holds no file"},
		"book.xlsx":   {zipped(t, "[Content_Types].xml", "x", "xl/workbook.xml", "x"), "holds no sheet of cells"},
		"broken.zip":  {[]byte("PK\x03\x04 and nothing more"), "and damaged"},
		"bomb.gz":     {gzipped(t, make([]byte, 200<<20)), "more than 300 times its size"},
	} {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, c.content, 0o600))
		_, err := source.Open(t.Context(), path, layout.Given{})
		assert.ErrorContains(t, err, c.says, name)
	}
}
