package workbook

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Texts come back by their number, across the edges of blocks, however long they are.
func TestTexts(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var all texts
		length := rapid.OneOf(rapid.Just(0), rapid.Just(maxCell), rapid.Just(maxCell-1), rapid.IntRange(0, 3),
			rapid.IntRange(0, maxCell))
		var want []string
		bytes := 0
		for i, n := range rapid.SliceOfN(length, 0, 24).Draw(t, "lengths") {
			want = append(want, strings.Repeat(string(rune('a'+i%26)), n))
			all.add(append(all.room(), want[i]...))
			bytes += n
		}
		assert.Equal(t, bytes, all.bytes)
		for i, w := range want {
			got, ok := all.text(i)
			require.True(t, ok)
			require.Equal(t, len(w), len(got), i)
			require.True(t, w == string(got), i)
		}
		for _, none := range []int{-1, len(want), len(want) + 1} {
			_, ok := all.text(none)
			assert.False(t, ok)
		}
		for _, b := range all.blocks {
			assert.LessOrEqual(t, cap(b), 2*textBlock)
		}
	})
}
