package value

import "encoding/binary"

// masks keep the first n bytes of a word.
var masks = func() (m [9]uint64) {
	for n := range m {
		m[n] = 1<<(8*n) - 1
	}
	return m
}()

// MaxWords is how many bytes of a text two words hold.
const MaxWords = 16

// Words reads a text of at most MaxWords bytes as two words: its first eight
// bytes and, of a longer one, its last eight. Texts of one length with equal words
// are equal.
func Words(text []byte) (head, tail uint64) {
	if n := len(text); n > 8 {
		return binary.LittleEndian.Uint64(text), binary.LittleEndian.Uint64(text[n-8:])
	}
	if cap(text) >= 8 {
		// The arena goes on behind the cell; what is not of the cell is
		// masked out.
		return binary.LittleEndian.Uint64(text[:8]) & masks[len(text)], 0
	}
	for i, c := range text {
		head |= uint64(c) << (8 * i)
	}
	return head, 0
}
