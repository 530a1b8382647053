package source

import (
	"encoding/binary"
	"errors"
	"io"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/transform"

	"sieb/core/layout"
)

// decoder reads bytes and makes them UTF-8.
type decoder struct {
	r       io.Reader
	codec   codec // nil for UTF-8
	raw     []byte
	pending int   // bytes at the start of raw that were not decoded yet
	base    int64 // byte offset of the text not yet advanced over
}

// codec decodes one encoding. A character that the bytes do not give becomes
// the replacement character.
type codec interface {
	// decode appends the characters of raw to dst and tells how many bytes it
	// used; what is left is the beginning of a character. At the end nothing is left.
	decode(dst, raw []byte, end bool) (out []byte, used int)
	// bytes counts the bytes of the delivery that became text.
	bytes(text []byte) int64
}

func newCodec(e layout.Encoding) codec {
	switch {
	case e.Charset != nil:
		t := &table{}
		for c := range t {
			t[c] = string(e.Charset.DecodeByte(byte(c)))
		}
		return t
	case e.Unit == 2 && e.BigEndian:
		return &wide{unit: 2, order: binary.BigEndian}
	case e.Unit == 2:
		return &wide{unit: 2, order: binary.LittleEndian}
	case e.Unit == 4 && e.BigEndian:
		return &wide{unit: 4, order: binary.BigEndian}
	case e.Unit == 4:
		return &wide{unit: 4, order: binary.LittleEndian}
	case e.Codec != nil:
		return &multi{e.Codec.NewDecoder(), encoding.ReplaceUnsupported(e.Codec.NewEncoder()), nil}
	}
	return nil
}

// read appends text to dst until it holds about n bytes.
func (d *decoder) read(dst []byte, n int) ([]byte, error) {
	if cap(dst) < n+utf8.UTFMax {
		grown := make([]byte, len(dst), n+utf8.UTFMax)
		copy(grown, dst)
		dst = grown
	}
	if d.codec == nil {
		k, err := io.ReadFull(d.r, dst[len(dst):n])
		return dst[:len(dst)+k], endOf(err)
	}
	if d.raw == nil {
		d.raw = make([]byte, 64<<10)
	}
	want := min(len(d.raw), max(16, n-len(dst)))
	k, err := io.ReadFull(d.r, d.raw[d.pending:max(want, d.pending+1)])
	err = endOf(err)
	raw := d.raw[:d.pending+k]
	dst, used := d.codec.decode(dst, raw, err != nil)
	d.pending = copy(d.raw, raw[used:])
	return dst, err
}

func endOf(err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return io.EOF
	}
	return err
}

func (d *decoder) advance(text []byte) { d.base += d.bytes(text) }

func (d *decoder) offset(before []byte) int64 { return d.base + d.bytes(before) }

func (d *decoder) bytes(text []byte) int64 { return bytesOf(d.codec, text) }

func bytesOf(c codec, text []byte) int64 {
	if c == nil {
		return int64(len(text))
	}
	return c.bytes(text)
}

// table decodes one byte per character.
type table [256]string

func (t *table) decode(dst, raw []byte, _ bool) ([]byte, int) {
	used := len(raw)
	for len(raw) > 0 {
		plain := 0
		for plain < len(raw) && raw[plain] < utf8.RuneSelf {
			plain++
		}
		dst = append(dst, raw[:plain]...)
		if raw = raw[plain:]; len(raw) > 0 {
			dst = append(dst, t[raw[0]]...)
			raw = raw[1:]
		}
	}
	return dst, used
}

func (*table) bytes(text []byte) int64 { return int64(utf8.RuneCount(text)) }

// wide decodes UTF-16 and UTF-32.
type wide struct {
	unit  int
	order binary.ByteOrder
}

func (w *wide) decode(dst, raw []byte, end bool) ([]byte, int) {
	i := 0
	if w.unit == 4 {
		for ; i+4 <= len(raw); i += 4 {
			dst = utf8.AppendRune(dst, rune(min(w.order.Uint32(raw[i:]), utf8.MaxRune+1)))
		}
	} else {
		dst, i = w.units(dst, raw, end)
	}
	if end && i < len(raw) {
		dst, i = utf8.AppendRune(dst, utf8.RuneError), len(raw)
	}
	return dst, i
}

// units decodes UTF-16, four ASCII characters at a time.
func (w *wide) units(dst, raw []byte, end bool) ([]byte, int) {
	big := w.order == binary.BigEndian
	i := 0
	for i+2 <= len(raw) {
		for i+8 <= len(raw) {
			x := binary.LittleEndian.Uint64(raw[i:])
			if big {
				x = x>>8&0x00FF00FF00FF00FF | x<<8&0xFF00FF00FF00FF00
			}
			if x&0xFF80FF80FF80FF80 != 0 {
				break
			}
			dst = append(dst, byte(x), byte(x>>16), byte(x>>32), byte(x>>48))
			i += 8
		}
		if i+2 > len(raw) {
			break
		}
		c := rune(w.order.Uint16(raw[i:]))
		if !utf16.IsSurrogate(c) {
			dst = utf8.AppendRune(dst, c)
			i += 2
			continue
		}
		if i+4 > len(raw) && !end {
			break
		}
		pair := rune(utf8.RuneError)
		if i+4 <= len(raw) {
			pair = utf16.DecodeRune(c, rune(w.order.Uint16(raw[i+2:])))
		}
		dst = utf8.AppendRune(dst, pair)
		if i += 2; pair != utf8.RuneError {
			i += 2
		}
	}
	return dst, i
}

func (w *wide) bytes(text []byte) int64 {
	n := int64(utf8.RuneCount(text)) * int64(w.unit)
	if w.unit == 2 {
		for _, c := range text {
			if c >= 0xF0 { // four bytes of UTF-8 are two units of UTF-16
				n += 2
			}
		}
	}
	return n
}

// multi decodes encodings of one to four bytes per character.
type multi struct {
	decoder transform.Transformer
	encoder transform.Transformer
	scratch []byte
}

func (m *multi) decode(dst, raw []byte, end bool) ([]byte, int) {
	used := 0
	for {
		room := dst[len(dst):cap(dst)]
		n, k, err := m.decoder.Transform(room, raw[used:], end)
		dst = dst[:len(dst)+n]
		used += k
		if !errors.Is(err, transform.ErrShortDst) {
			return dst, used
		}
		grown := make([]byte, len(dst), 2*cap(dst)+1024)
		copy(grown, dst)
		dst = grown
	}
}

// bytes encodes the text again, since the bytes of a character differ; a
// replaced character counts as one byte.
func (m *multi) bytes(text []byte) int64 {
	if m.scratch == nil {
		m.scratch = make([]byte, 64<<10)
	}
	total := int64(0)
	m.encoder.Reset()
	for {
		n, k, err := m.encoder.Transform(m.scratch, text, true)
		total += int64(n)
		text = text[k:]
		if !errors.Is(err, transform.ErrShortDst) {
			return total + int64(len(text))
		}
	}
}
