package report

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/blake3"
	"pgregory.net/rapid"

	"sieb/core/fault"
	"sieb/core/outcome"
)

// What is written in pieces of any size stands in the file in order, and the proof is of it, also
// where it was all taken back in between.
func TestOutputs(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		o := (&folder{dir: dir, sha256: true}).file("out.csv")
		require.NoError(t, o.Begin(context.Background(), nil))
		defer o.Abort()
		var want []byte
		for range rapid.IntRange(0, 12).Draw(t, "writes") {
			if rapid.IntRange(0, 9).Draw(t, "restart") == 0 {
				require.NoError(t, o.Restart())
				want = want[:0]
			}
			size := rapid.SampledFrom([]int{0, 1, 100, gather - 1, gather, gather + 1, 3*gather + 17}).Draw(t, "size")
			text := bytes.Repeat([]byte{byte('a' + len(want)%26)}, size)
			n, err := o.Write(text)
			require.NoError(t, err)
			require.Equal(t, size, n)
			clear(text) // whoever wrote it uses it again
			want = append(want, bytes.Repeat([]byte{byte('a' + len(want)%26)}, size)...)
		}
		proof, err := o.Prepare()
		require.NoError(t, err)
		got, err := os.ReadFile(o.f.Name())
		require.NoError(t, err)
		require.True(t, bytes.Equal(want, got))
		b, s := blake3.Sum256(want), sha256.Sum256(want)
		require.Equal(t, outcome.Proof{Name: "out.csv", Bytes: int64(len(want)), BLAKE3: hex.EncodeToString(b[:]),
			SHA256: hex.EncodeToString(s[:])}, proof)
	})
}

// A disk that is full is told, at a write or at the end, and nothing waits for ever.
func TestOutputOnAFullDisk(t *testing.T) {
	for _, size := range []int{1, gather, 20 * gather} {
		f, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		o := (&folder{dir: "sifted"}).file("out.csv")
		o.f, o.isNamed = f, true // the device stays
		_, failed := o.Write(make([]byte, size))
		if failed == nil {
			_, failed = o.Prepare()
		}
		var disk *fault.Disk
		assert.ErrorAs(t, failed, &disk, size)
		_, err = o.Prepare()
		assert.Error(t, err, "it stays so")
		o.Abort()
		o.Abort()
	}
	(&folder{}).file("never begun").Abort()
}
