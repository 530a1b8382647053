package report

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/blake3"
	"pgregory.net/rapid"

	"sieb/core/fault"
)

// What is written in pieces of any size stands in the file in order, and the proof is of it, also
// where it was all taken back in between.
func TestOutputs(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		f, err := os.OpenFile(filepath.Join(dir, "out"), os.O_CREATE|os.O_TRUNC|os.O_RDWR, 0o600)
		require.NoError(t, err)
		o := &output{name: "out.csv", dir: dir, f: f, hash: blake3.New(), sha256: sha256.New()}
		defer o.close()
		var want []byte
		for range rapid.IntRange(0, 12).Draw(t, "writes") {
			if rapid.IntRange(0, 9).Draw(t, "restart") == 0 {
				require.NoError(t, o.restart())
				want = want[:0]
			}
			size := rapid.SampledFrom([]int{0, 1, 100, gather - 1, gather, gather + 1, 3*gather + 17}).Draw(t, "size")
			text := bytes.Repeat([]byte{byte('a' + len(want)%26)}, size)
			require.NoError(t, o.write(text))
			clear(text) // whoever wrote it uses it again
			want = append(want, bytes.Repeat([]byte{byte('a' + len(want)%26)}, size)...)
		}
		require.NoError(t, o.flush())
		got, err := os.ReadFile(f.Name())
		require.NoError(t, err)
		require.True(t, bytes.Equal(want, got))
		b, s := blake3.Sum256(want), sha256.Sum256(want)
		require.Equal(t, Output{Name: "out.csv", Bytes: int64(len(want)), BLAKE3: hex.EncodeToString(b[:]),
			SHA256: hex.EncodeToString(s[:])}, o.proof())
	})
}

// A disk that is full is told, at a write or at the end, and nothing waits for ever.
func TestOutputOnAFullDisk(t *testing.T) {
	for _, size := range []int{1, gather, 20 * gather} {
		f, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		o := &output{dir: "sifted", f: f, hash: blake3.New()}
		failed := o.write(make([]byte, size))
		if failed == nil {
			failed = o.flush()
		}
		var disk *fault.Disk
		assert.ErrorAs(t, failed, &disk, size)
		assert.Error(t, o.flush(), "it stays so")
		o.close()
		o.close()
	}
	var none *output
	require.NoError(t, none.write([]byte("x")))
	require.NoError(t, none.restart())
	none.close()
}
