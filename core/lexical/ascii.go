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

// IsASCII tells whether a text has no other characters than those of ASCII.
func IsASCII(text []byte) bool { return ASCIIPrefix(text) == len(text) }
