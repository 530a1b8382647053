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
	"strings"
	"syscall"
	"testing"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
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
		"a.zip": {zipped(t, "july/", "", "july/tickets.csv", text, "__MACOSX/july/._tickets.csv", "x"), "zip",
			"july/tickets.csv"},
	} {
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, c.content, 0o600))
		f, err := source.Open(t.Context(), path, layout.Given{})
		require.NoError(t, err, name)
		assert.Equal(t, []any{c.packing, c.inner, int64(len(text)), ";"}, []any{f.Packing, f.Inner, f.Size,
			f.Layout.Delimiter}, name)
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

// A disk that is full while a delivery is unpacked is said as that: the archive is
// not taken for a damaged one, and nothing is left.
func TestUnpackingToAFullDisk(t *testing.T) {
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, err := w.Write(bytes.Repeat([]byte("a,b\n1,2\n"), 1<<19))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	path := filepath.Join(t.TempDir(), "a.csv.gz")
	require.NoError(t, os.WriteFile(path, packed.Bytes(), 0o600))
	scratch := t.TempDir()
	var old syscall.Rlimit
	require.NoError(t, syscall.Getrlimit(syscall.RLIMIT_FSIZE, &old))
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: 1 << 20, Max: old.Max}))
	_, err = source.Bounds{Scratch: scratch}.Open(t.Context(), path, layout.Given{})
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &old))
	var disk *fault.Disk
	require.ErrorAs(t, err, &disk)
	assert.Equal(t, "unpacking the delivery", disk.Doing)
	assert.NotContains(t, err.Error(), "damaged")
	left, err := os.ReadDir(scratch)
	require.NoError(t, err)
	assert.Empty(t, left)
	f, err := source.Bounds{Scratch: scratch}.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	require.NoError(t, f.Close())
}

// A table that is too wide is refused with its line, however its rows are told apart,
// unless the bound says more.
func TestWidthIsBounded(t *testing.T) {
	for what, text := range map[string]string{
		"a header":           "x\n" + strings.Repeat("a,", 300) + "a\n" + strings.Repeat("1,", 300) + "1\n",
		"no header":          strings.Repeat("1,", 300) + "1\n",
		"quoted":             strings.Repeat(`"a",`, 300) + "\"a\"\n" + strings.Repeat("1,", 300) + "1\n",
		"another delimiter":  strings.Repeat("a||", 300) + "a\n" + strings.Repeat("1||", 300) + "1\n",
		"a line without end": strings.Repeat("a;", 300),
	} {
		path := filepath.Join(t.TempDir(), "a.csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		wide := func(most int) error {
			f, err := source.Bounds{Columns: most}.Open(t.Context(), path, layout.Given{})
			if err != nil {
				return err
			}
			defer f.Close()
			rows, err := f.Rows(t.Context())
			if err == nil {
				source.Close(rows)
			}
			return err
		}
		err := wide(300)
		assert.ErrorContains(t, err, "more than 300 columns", what)
		assert.ErrorContains(t, err, "--max-columns", what)
		assert.NoError(t, wide(301), what)
	}
}

// A row of far too many cells stays one bad row: its cells are counted, and what is
// behind the last that is kept stays in it.
func TestARowOfManyCells(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("a,b,c\n1,2,3\n"+strings.Repeat("x,",
		50)+"y\n\"q\","+strings.Repeat("x,", 50)+"y\n4,5,6\n"), 0o600))
	f, err := source.Bounds{Columns: 10}.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer f.Close()
	rows, err := f.Rows(t.Context())
	require.NoError(t, err)
	var b source.Batch
	require.NoError(t, rows.Next(&b))
	b.Split()
	require.Len(t, b.Rows, 4)
	assert.Len(t, b.Cells(1), 11)
	assert.Equal(t, strings.Repeat("x,", 40)+"y", string(b.Text(b.Cells(1)[10])))
	assert.Len(t, b.Cells(2), 11)
	require.Len(t, b.Defects, 2)
	assert.Equal(t, []int{1, 51}, []int{b.Defects[0].Row, b.Defects[0].Count})
	assert.Equal(t, "6", string(b.Text(b.Cells(3)[2])), "its neighbours are whole")
}
