package source

import (
	"bytes"
	"encoding/binary"

	"sieb/core/lexical"
)

// isControl reports whether a byte is a control character that no text needs:
// all of ASCII's but tab, line feed and carriage return.
func isControl(c byte) bool { return c < ' ' && c != '\t' && c != '\n' && c != '\r' || c == 0x7F }

// isOdd reports whether a text may hold control characters or text that was
// decoded twice, and whether it holds letters beyond ASCII; most texts are
// passed over sixteen bytes at a time.
func isOdd(text []byte) (odd, letters bool) {
	high := uint64(0)
	rest := text
	for ; len(rest) >= 16; rest = rest[16:] {
		x, y := binary.LittleEndian.Uint64(rest[:8]), binary.LittleEndian.Uint64(rest[8:16])
		// Plain text without a line end, a tab or a letter beyond ASCII, which
		// most of all text is, goes by with one look.
		if (x|y|(x-' '*ones)|(y-' '*ones)|(x+ones)|(y+ones))&tops == 0 {
			continue
		}
		if (controls(x)|controls(y))&tops != 0 {
			return true, true
		}
		high |= x | y
		if (x|y)&tops != 0 && lexical.HasGarbled(rest[:min(18, len(rest))]) {
			return true, true
		}
	}
	// Between tab and carriage return stand two control characters.
	odd = controlAt(rest) >= 0 || lexical.HasGarbled(rest) || bytes.IndexByte(text, '\v') >= 0 ||
		bytes.IndexByte(text, '\f') >= 0
	return odd, high&tops != 0 || !lexical.IsASCII(rest)
}

const (
	low7 = 0x7f7f7f7f7f7f7f7f
	tops = 0x8080808080808080
	ones = 0x0101010101010101
)

// controls sets the top bit of each of eight bytes that is below a tab, between
// carriage return and blank, or 0x7F. An addition lifts what it is to find, and
// all above it, to the top bit; no byte carries into the next.
func controls(x uint64) uint64 {
	v := x & low7
	return (^(v + (0x80-'\t')*ones) | (v+(0x80-'\r'-1)*ones)&^(v+(0x80-' ')*ones) | (v + ones)) &^ x
}

// controlAt returns the place of the first control character, -1 without one.
func controlAt(text []byte) int {
	for i, c := range text {
		if isControl(c) {
			return i
		}
	}
	return -1
}
