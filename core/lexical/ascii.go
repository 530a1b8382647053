package lexical

import (
	"encoding/binary"
	"unicode/utf8"
)

// ASCIIPrefix counts the ASCII bytes that b begins with, eight at a time.
func ASCIIPrefix(b []byte) int {
	i := 0
	for ; i+8 <= len(b); i += 8 {
		if binary.LittleEndian.Uint64(b[i:])&0x8080808080808080 != 0 {
			break
		}
	}
	for i < len(b) && b[i] < utf8.RuneSelf {
		i++
	}
	return i
}

// IsASCII reports whether a text has no other characters than those of ASCII.
func IsASCII(text []byte) bool { return ASCIIPrefix(text) == len(text) }

// DifferInDigits reports whether two texts have a digit in the same places and are
// alike in all others.
func DifferInDigits(a, b []byte) bool {
	if len(a) != len(b) {
		return false
	}
	if len(a) < 8 {
		for i, c := range a {
			if c != b[i] && (c-'0' > 9 || b[i]-'0' > 9) {
				return false
			}
		}
		return true
	}
	// Eight bytes at a time, the last eight even if some were looked at already.
	for i := 0; ; i = min(i+8, len(a)-8) {
		x, y := binary.LittleEndian.Uint64(a[i:]), binary.LittleEndian.Uint64(b[i:])
		if other := x ^ y; other != 0 && ((other&low7+low7)|other)&(noDigits(x)|noDigits(y))&^low7 != 0 {
			return false
		}
		if i == len(a)-8 {
			return true
		}
	}
}

// low7 are the low seven bits of each byte.
const low7 = 0x7F7F7F7F7F7F7F7F

// noDigits sets the top bit of each byte that is no digit. The sum never carries into
// the next byte: 0x7F and 0x76 make less than 0x100.
func noDigits(word uint64) uint64 {
	word ^= 0x3030303030303030
	return word&low7 + 0x7676767676767676 | word
}
