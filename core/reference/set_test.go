package reference

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/check"
)

// A set is a map of keys, however badly these are spread.
func TestSet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		key := rapid.Custom(func(t *rapid.T) check.KeyHash {
			return check.KeyHash{Hi: uint64(rapid.IntRange(1, 40).Draw(t, "hi")),
				Lo: rapid.SampledFrom([]uint64{0, 1, 1 << 63, ^uint64(0), 7 << 60}).Draw(t, "lo")}
		})
		var s set
		want := map[check.KeyHash]bool{}
		for range rapid.IntRange(0, 300).Draw(t, "keys") {
			h := key.Draw(t, "key")
			require.Equal(t, want[h], s.has(h))
			s.add(h)
			want[h] = true
			require.True(t, s.has(h))
			require.Equal(t, len(want), s.used)
		}
		got := map[check.KeyHash]bool{}
		for h := range s.all() {
			require.False(t, got[h], "each once")
			got[h] = true
		}
		require.Equal(t, want, got)
	})
}
