package source

import (
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
)

// Each codec gives the text that was encoded, however its bytes are cut, and
// tells how many bytes a part of the text took.
func TestCodecs(t *testing.T) {
	for _, name := range layout.EncodingNames() {
		e, err := layout.EncodingOf(name)
		require.NoError(t, err)
		c := newCodec(e)
		if c == nil {
			continue
		}
		letters := []rune("ab,\n")
		for _, r := range "äéłшηか中한𝄞👍" {
			if _, err := e.Codec.NewEncoder().String(string(r)); err == nil {
				letters = append(letters, r)
			}
		}
		rapid.Check(t, func(t *rapid.T) {
			before, after := string(rapid.SliceOfN(rapid.SampledFrom(letters), 0, 40).Draw(t, "before")), string(rapid.SliceOfN(rapid.SampledFrom(letters), 0, 9).Draw(t, "after"))
			head, err := e.Codec.NewEncoder().Bytes([]byte(before))
			require.NoError(t, err)
			tail, err := e.Codec.NewEncoder().Bytes([]byte(after))
			require.NoError(t, err)
			raw := append(head, tail...)
			cut := rapid.IntRange(0, len(raw)).Draw(t, "cut")
			text, used := c.decode(nil, raw[:cut], false)
			require.LessOrEqual(t, used, cut)
			text, _ = c.decode(text, raw[used:], true)
			assert.Equal(t, before+after, string(text), name)
			assert.Equal(t, int64(len(head)), c.bytes([]byte(before)), name)
		})
	}
}

func TestCount(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.String().Draw(t, "text")
		runes, fours := count([]byte(text))
		assert.Equal(t, utf8.RuneCountInString(text), runes)
		want := 0
		for _, r := range text {
			if r > 0xFFFF {
				want++
			}
		}
		assert.Equal(t, want, fours)
	})
}
