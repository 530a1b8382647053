package spill_test

import (
	"bytes"
	"errors"
	"os"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/fault"
	"sieb/core/spill"
)

// What is added to a part is read back, in order, however large the pieces are.
func TestPartsComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const parts = 5
		f := spill.New(parts, func() (*os.File, error) { return spill.Unnamed("") }, "keeping")
		defer f.Close()
		var want [parts][]byte
		for range rapid.IntRange(0, 60).Draw(t, "pieces") {
			to := rapid.IntRange(0, parts-1).Draw(t, "part")
			piece := bytes.Repeat([]byte{byte(rapid.IntRange(1, 9).Draw(t, "byte"))},
				rapid.SampledFrom([]int{0, 1, 26, 5000, 16 << 10, 16<<10 + 1, 50000}).Draw(t, "size"))
			require.NoError(t, f.Add(to, piece))
			want[to] = append(want[to], piece...)
			if rapid.IntRange(0, 5).Draw(t, "look") == 0 {
				got, err := f.Read(nil, to)
				require.NoError(t, err)
				require.True(t, bytes.Equal(want[to], got))
			}
		}
		for k := range want {
			got, err := f.Read([]byte("before"), k)
			require.NoError(t, err)
			require.True(t, bytes.Equal(append([]byte("before"), want[k]...), got))
			assert.Equal(t, int64(len(want[k])), f.Size(k))
			most := rapid.SampledFrom([]int{700, 5000, 1 << 20}).Draw(t, "most")
			got = nil
			require.NoError(t, f.Each(k, most, func(piece []byte) {
				require.LessOrEqual(t, len(piece), most)
				require.NotEmpty(t, piece)
				got = append(got, piece...)
			}))
			require.True(t, bytes.Equal(want[k], got))
		}
	})
}

// A file is made only where memory does not do.
func TestNothingIsSpiltOfLittle(t *testing.T) {
	f := spill.New(2, func() (*os.File, error) { return nil, errors.New("never asked for") }, "keeping")
	require.NoError(t, f.Add(1, make([]byte, 16<<10)))
	assert.ErrorContains(t, f.Add(1, []byte{1}), "never asked for")
	f.Close()
	var none *spill.File
	none.Close()
}

func TestFullDisk(t *testing.T) {
	f := spill.New(1, func() (*os.File, error) { return os.OpenFile("/dev/full", os.O_RDWR, 0) }, "keeping the keys")
	defer f.Close()
	err := f.Add(0, make([]byte, 20<<10))
	var disk *fault.Disk
	require.ErrorAs(t, err, &disk)
	assert.ErrorIs(t, err, syscall.ENOSPC)
	assert.ErrorContains(t, err, "the disk is full: keeping the keys failed")
}

// Nothing shows in the folder, and a folder that is not there is told.
func TestUnnamed(t *testing.T) {
	dir := t.TempDir()
	f, err := spill.Unnamed(dir)
	require.NoError(t, err)
	defer f.Close()
	_, err = f.WriteAt([]byte("x"), 9)
	require.NoError(t, err)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
	_, err = spill.Unnamed(dir + "/none")
	assert.ErrorContains(t, err, "making room in "+dir+"/none")
}
