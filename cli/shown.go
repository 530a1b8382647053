package cli

import (
	"bytes"
	"fmt"
	"io"
	"unicode"
	"unicode/utf8"
)

// shown is a writer through which nothing reaches a terminal that would steer it:
// names, headers and cells of a file may hold any character. Control characters
// other than line ends and tabs, marks that turn the direction of writing, and
// bytes that are no text show as what they are; in JSON they are escaped.
type shown struct {
	w      io.Writer
	isJSON func() bool
	rest   []byte // the beginning of a character
	out    []byte
}

func (s *shown) Write(p []byte) (int, error) {
	text := p
	if len(s.rest) > 0 {
		text = append(s.rest, p...)
		s.rest = nil
	}
	s.out = s.out[:0]
	for len(text) > 0 {
		plain := bytes.IndexFunc(text, steers)
		if plain < 0 {
			plain = len(text)
		}
		s.out = append(s.out, text[:plain]...)
		if text = text[plain:]; len(text) == 0 {
			break
		}
		if !utf8.FullRune(text) {
			s.rest = append([]byte{}, text...)
			break
		}
		r, n := utf8.DecodeRune(text)
		s.out = s.appendShown(s.out, r)
		text = text[n:]
	}
	if _, err := s.w.Write(s.out); err != nil {
		return 0, err
	}
	return len(p), nil
}

// steers reports whether a character does something else than show.
func steers(r rune) bool {
	return r == utf8.RuneError || r != '\n' && r != '\t' && unicode.IsControl(r) ||
		unicode.Is(unicode.Bidi_Control, r) || r == '\u2028' || r == '\u2029'
}

func (s *shown) appendShown(dst []byte, r rune) []byte {
	switch {
	case r == utf8.RuneError:
		return append(dst, "\uFFFD"...)
	case s.isJSON():
		return fmt.Appendf(dst, `\u%04x`, r)
	case r < 0x20:
		return utf8.AppendRune(dst, '␀'+r) // U+2400 and on picture them
	case r == 0x7f:
		return append(dst, "␡"...)
	}
	return fmt.Appendf(dst, "‹%04X›", r)
}
