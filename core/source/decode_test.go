package source

import (
	"bytes"
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
			before, after := string(rapid.SliceOfN(rapid.SampledFrom(letters), 0, 40).Draw(t, "before")),
				string(rapid.SliceOfN(rapid.SampledFrom(letters), 0, 9).Draw(t, "after"))
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

// Whatever the bytes, decoded in whatever pieces, the text tells how many they were:
// offsets and the index of rows stand on that.
func TestTextTellsItsBytes(t *testing.T) {
	for _, name := range []string{"shift_jis", "euc-jp", "gb18030", "big5", "euc-kr", "windows-1252", "ibm437"} {
		e, err := layout.EncodingOf(name)
		require.NoError(t, err)
		odd := rapid.SampledFrom([]byte{'a', ',', '\n', 0x30, 0x40, 0x7f, 0x80, 0x81, 0x82, 0x8e, 0x8f, 0xa0, 0xa1,
			0xb0, 0xdf, 0xe0, 0xf0, 0xfc, 0xfe, 0xff})
		rapid.Check(t, func(t *rapid.T) {
			c := newCodec(e)
			raw := rapid.SliceOfN(odd, 0, 60).Draw(t, "raw")
			var text []byte
			rest := raw
			for at := 0; at < len(raw); {
				next := min(len(raw), at+rapid.IntRange(1, 20).Draw(t, "piece"))
				out, used := c.decode(nil, rest[:next-(len(raw)-len(rest))], next == len(raw))
				text, rest, at = append(text, out...), rest[used:], next
			}
			require.Empty(t, rest)
			require.True(t, utf8.Valid(text))
			if name != "gb18030" || !bytes.Contains(raw, []byte{0x80}) { // it has two ways to write €
				assert.Equal(t, int64(len(raw)), c.bytes(text), "%s: %x became %q", name, raw, text)
				assert.Equal(t, int64(len(raw)), c.apart().bytes(text))
			}
			whole, _ := newCodec(e).decode(nil, raw, true)
			assert.Equal(t, string(whole), string(text), "%s: %x", name, raw)
		})
	}
}
