package workbook

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"unicode/utf8"
)

// scanner reads XML piece by piece: what a workbook's parts need of it, and no
// more. It knows no namespaces and resolves no entities but the five that XML
// itself has and those by number; a document type, the way to declare others,
// is refused.
type scanner struct {
	r        io.Reader
	buf      []byte
	pos, end int
	eof      bool
	err      error // what ended the reading, nil at a clean end

	kind  tokenKind
	name  []byte // of a tag, without its prefix
	attrs []byte // raw
	empty bool   // the start tag is its own end tag
	text  []byte // raw
	cdata bool   // the text is to be taken as it stands
}

type tokenKind uint8

const (
	startTag tokenKind = iota
	endTag
	charData
)

var errDocumentType = errors.New("it declares a document type, which no workbook does and which can hide harm")

func newScanner(r io.Reader) *scanner { return &scanner{r: r, buf: make([]byte, 128<<10)} }

// fill reads more behind what is there; false at the end.
func (s *scanner) fill() bool {
	if s.eof {
		return false
	}
	if s.pos > 0 {
		copy(s.buf, s.buf[s.pos:s.end])
		s.end -= s.pos
		s.pos = 0
	}
	if s.end == len(s.buf) {
		if len(s.buf) >= maxPiece {
			s.fail(fmt.Errorf("one piece of its markup is longer than %d MiB", maxPiece>>20))
			return false
		}
		s.buf = append(s.buf, make([]byte, len(s.buf))...)
	}
	n, err := s.r.Read(s.buf[s.end:])
	s.end += n
	if err == io.EOF {
		s.eof = true
	} else if err != nil {
		s.fail(err)
	}
	return n > 0 || !s.eof
}

func (s *scanner) fail(err error) {
	s.err, s.eof = err, true
}

// find returns the place behind the next sep after pos+from, -1 where the input
// ends before it.
func (s *scanner) find(from int, sep string) int {
	for {
		if s.pos+from <= s.end {
			if i := bytes.Index(s.buf[s.pos+from:s.end], []byte(sep)); i >= 0 {
				return s.pos + from + i + len(sep)
			}
			from = max(from, s.end-s.pos-len(sep)+1)
		}
		if !s.fill() {
			return -1
		}
	}
}

// tagEnd returns the place behind the > of the tag at pos, -1 where there is none.
// A > may stand inside a value; then a quote is open before it. Each byte is
// looked at once, however many > there are.
func (s *scanner) tagEnd() int {
	quote := byte(0)
	for from := 1; ; {
		to := s.find(from, ">")
		if to < 0 {
			return -1
		}
		if to-s.pos > maxTag {
			s.fail(fmt.Errorf("one tag of it is longer than %d MiB", maxTag>>20))
			return -1
		}
		for _, c := range s.buf[s.pos+from : to] {
			switch {
			case quote == 0 && (c == '"' || c == '\''):
				quote = c
			case quote == c:
				quote = 0
			}
		}
		if quote == 0 {
			return to
		}
		from = to - s.pos
	}
}

// next goes to the next token; false at the end or at an error, which is in err.
// The token's bytes are valid until the next call.
func (s *scanner) next() bool {
	for s.err == nil {
		if s.pos == s.end && !s.fill() {
			break
		}
		if s.pos == s.end {
			continue
		}
		if s.buf[s.pos] != '<' {
			to := s.find(0, "<")
			if to < 0 {
				to = s.end + 1 // what stands behind the last tag
			}
			s.kind, s.cdata, s.text = charData, false, s.buf[s.pos:to-1]
			s.pos = to - 1
			return true
		}
		for s.end-s.pos < len("<![CDATA[") && s.fill() {
		}
		rest := s.buf[s.pos:s.end]
		switch {
		case len(rest) > 1 && rest[1] == '?':
			s.skip("?>")
		case bytes.HasPrefix(rest, []byte("<!--")):
			s.skip("-->")
		case bytes.HasPrefix(rest, []byte("<![CDATA[")):
			to := s.find(len("<![CDATA["), "]]>")
			if to < 0 {
				s.cutOff()
				return false
			}
			s.kind, s.cdata, s.text = charData, true, s.buf[s.pos+len("<![CDATA["):to-len("]]>")]
			s.pos = to
			return true
		case len(rest) > 1 && rest[1] == '!':
			s.fail(errDocumentType)
		default:
			return s.tag()
		}
	}
	return false
}

func (s *scanner) skip(behind string) {
	if to := s.find(0, behind); to < 0 {
		s.cutOff()
	} else {
		s.pos = to
	}
}

func (s *scanner) cutOff() {
	if s.err == nil {
		s.fail(io.ErrUnexpectedEOF)
	}
}

func (s *scanner) tag() bool {
	to := s.tagEnd()
	if to < 0 {
		s.cutOff()
		return false
	}
	body := s.buf[s.pos+1 : to-1]
	s.pos = to
	s.kind, s.empty = startTag, false
	if len(body) > 0 && body[0] == '/' {
		s.kind, body = endTag, body[1:]
	} else if n := len(body); n > 0 && body[n-1] == '/' {
		s.empty, body = true, body[:n-1]
	}
	n := 0
	for n < len(body) && !isSpace(body[n]) {
		n++
	}
	s.name, s.attrs = body[:n], body[n:]
	if i := bytes.IndexByte(s.name, ':'); i >= 0 {
		s.name = s.name[i+1:]
	}
	return true
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// cutAttr takes the first attribute off attrs; ok is false where there is none.
func cutAttr(attrs []byte) (name, value, rest []byte, ok bool) {
	i := 0
	for i < len(attrs) && isSpace(attrs[i]) {
		i++
	}
	from := i
	for i < len(attrs) && attrs[i] != '=' && !isSpace(attrs[i]) {
		i++
	}
	name = attrs[from:i]
	for i < len(attrs) && isSpace(attrs[i]) {
		i++
	}
	if i == len(attrs) || attrs[i] != '=' {
		return nil, nil, nil, false
	}
	for i++; i < len(attrs) && isSpace(attrs[i]); i++ {
	}
	if i == len(attrs) || attrs[i] != '"' && attrs[i] != '\'' {
		return nil, nil, nil, false
	}
	from = i + 1
	end := bytes.IndexByte(attrs[from:], attrs[i])
	if end < 0 {
		return nil, nil, nil, false
	}
	return name, attrs[from : from+end], attrs[from+end+1:], true
}

// attr returns the raw value of an attribute, named with its prefix.
func (s *scanner) attr(name string) []byte {
	for rest := s.attrs; ; {
		n, value, more, ok := cutAttr(rest)
		if !ok {
			return nil
		}
		if string(n) == name {
			return value
		}
		rest = more
	}
}

// word returns the value of an attribute as text.
func (s *scanner) word(name string) string { return string(appendText(nil, s.attr(name))) }

// number returns the value of an attribute that counts, at least 1 and at most
// most; 1 without it.
func (s *scanner) number(name string, most int) int {
	n, err := strconv.Atoi(string(s.attr(name)))
	if err != nil {
		return 1
	}
	return min(max(n, 1), most)
}

// skipElement goes behind the end of the element whose start tag was read.
func (s *scanner) skipElement() {
	if s.empty {
		return
	}
	for depth := 1; depth > 0 && s.next(); {
		switch {
		case s.kind == startTag && !s.empty:
			depth++
		case s.kind == endTag:
			depth--
		}
	}
}

// appendText appends raw text with its character references resolved. What is
// no reference that XML itself knows stays as it stands.
func appendText(dst, raw []byte) []byte {
	for {
		i := bytes.IndexByte(raw, '&')
		if i < 0 {
			return append(dst, raw...)
		}
		dst = append(dst, raw[:i]...)
		raw = raw[i:]
		end := bytes.IndexByte(raw[:min(len(raw), 12)], ';')
		if end < 0 {
			dst, raw = append(dst, '&'), raw[1:]
			continue
		}
		switch ref := string(raw[1:end]); ref {
		case "amp":
			dst = append(dst, '&')
		case "lt":
			dst = append(dst, '<')
		case "gt":
			dst = append(dst, '>')
		case "quot":
			dst = append(dst, '"')
		case "apos":
			dst = append(dst, '\'')
		default:
			if r := numbered(ref); r >= 0 {
				dst = utf8.AppendRune(dst, r)
			} else {
				dst = append(dst, raw[:end+1]...)
			}
		}
		raw = raw[end+1:]
	}
}

// numbered returns the character of a reference like #228 or #xE4, -1 for any other.
func numbered(ref string) rune {
	if len(ref) < 2 || ref[0] != '#' {
		return -1
	}
	digits, base := ref[1:], 10
	if digits[0] == 'x' || digits[0] == 'X' {
		digits, base = digits[1:], 16
	}
	n, err := strconv.ParseUint(digits, base, 32)
	if err != nil || n > utf8.MaxRune {
		return -1
	}
	return rune(n)
}
