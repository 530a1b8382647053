package lexical

import (
	"bytes"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// HasGarbled looks for what UTF-8 of European scripts becomes when it is taken
// for Windows-1252: one of Â Ã Ä Å Î Ï Ð Ñ â, each 0xC3 and one more byte,
// before another character above 127.
func HasGarbled(text []byte) bool {
	for {
		i := bytes.IndexByte(text, 0xC3)
		if i < 0 || i+2 >= len(text) {
			return false
		}
		switch text[i+1] {
		case 0x82, 0x83, 0x84, 0x85, 0x8E, 0x8F, 0x90, 0x91, 0xA2:
			if text[i+2] >= utf8.RuneSelf {
				return true
			}
		}
		text = text[i+2:]
	}
}

// Undecode undoes a second decoding: it gives what the text said before its
// UTF-8 was taken for Windows-1252, nil where that makes no text.
func Undecode(text []byte) []byte {
	var raw []byte
	for _, r := range string(text) {
		c, ok := charmap.Windows1252.EncodeRune(r)
		switch {
		case ok:
		case r >= 0x80 && r < 0xA0: // bytes without a character pass as they are
			c = byte(r)
		default:
			return nil
		}
		raw = append(raw, c)
	}
	if len(raw) == len(text) || !utf8.Valid(raw) {
		return nil
	}
	return raw
}
