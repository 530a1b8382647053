package source

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math/bits"
	"slices"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/transform"

	"sieb/core/layout"
	"sieb/core/lexical"
)

// decoder reads bytes and makes them UTF-8.
type decoder struct {
	r       io.Reader
	codec   codec // nil for UTF-8
	raw     []byte
	pending int    // bytes at the start of raw that were not decoded yet
	decoded int64  // bytes that became text so far
	base    int64  // byte offset of the text not yet advanced over
	held    []byte // its bytes, where only they tell how many they are: of multi
	tell    teller
}

// codec decodes one encoding. A character that the bytes do not give becomes
// the replacement character.
type codec interface {
	// decode appends the characters of raw to dst and tells how many bytes it
	// used; what is left is the beginning of a character. At the end nothing is left.
	decode(dst, raw []byte, end bool) (out []byte, used int)
	// bytes counts the bytes of the delivery that became text.
	bytes(text []byte) int64
	// apart gives a codec of the same encoding for another goroutine.
	apart() codec
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
		return newMulti(e.Codec)
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
		d.decoded += int64(k)
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
	d.decoded += int64(used)
	if _, isMulti := d.codec.(*multi); isMulti {
		d.held = append(d.held, raw[:used]...)
	}
	d.pending = copy(d.raw, raw[used:])
	return dst, err
}

func endOf(err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return io.EOF
	}
	return err
}

// advance goes on to the rest of the text that was read. The rest is short: it
// is counted rather than what went before it.
func (d *decoder) advance(rest []byte) {
	d.tell = teller{}
	if _, isMulti := d.codec.(*multi); !isMulti {
		d.base = d.decoded - bytesOf(d.codec, rest)
		return
	}
	k := lineOf(d.held, bytes.Count(rest, []byte{'\n'})+bytes.Count(rest, []byte{'\r'}))
	d.base += int64(k)
	d.held = append(d.held[:0], d.held[k:]...)
}

// lineOf returns where the line begins behind which so many line ends follow. In the
// encodings of multi, LF and CR are never a part of another character.
func lineOf(raw []byte, ends int) int {
	for i := len(raw) - 1; i >= 0; i-- {
		if raw[i] == '\n' || raw[i] == '\r' {
			if ends == 0 {
				return i + 1
			}
			ends--
		}
	}
	return 0
}

func (d *decoder) offset(before []byte) int64 { return d.base + d.tell.bytes(d.codec, before) }

// teller counts the bytes that texts of one beginning took. Defects are found
// from front to back: what was counted for one is not counted again for the next.
type teller struct {
	length int
	count  int64
}

func (t *teller) bytes(c codec, text []byte) int64 {
	if len(text) < t.length {
		*t = teller{}
	}
	t.count += bytesOf(c, text[t.length:])
	t.length = len(text)
	return t.count
}

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
		plain := lexical.ASCIIPrefix(raw)
		dst = append(dst, raw[:plain]...)
		if raw = raw[plain:]; len(raw) > 0 {
			dst = append(dst, t[raw[0]]...)
			raw = raw[1:]
		}
	}
	return dst, used
}

func (t *table) apart() codec { return t } // it has no state

func (*table) bytes(text []byte) int64 {
	runes, _ := count(text)
	return int64(runes)
}

// count counts the characters of valid UTF-8, and those of four bytes among
// them, eight bytes at a time: of a byte that continues a character the top
// bit is set and the next one is not, of one that begins four the top four are.
func count(text []byte) (runes, fours int) {
	const tops = 0x8080808080808080
	runes = len(text)
	i := 0
	for ; i+8 <= len(text); i += 8 {
		x := binary.LittleEndian.Uint64(text[i:])
		if x&tops == 0 {
			continue
		}
		runes -= bits.OnesCount64(x &^ (x << 1) & tops)
		fours += bits.OnesCount64(x & (x << 1) & (x << 2) & (x << 3) & tops)
	}
	for ; i < len(text); i++ {
		if text[i]&0xC0 == 0x80 {
			runes--
		}
		if text[i] >= 0xF0 {
			fours++
		}
	}
	return runes, fours
}

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

// units decodes UTF-16, up to eight ASCII characters at a time.
func (w *wide) units(dst, raw []byte, end bool) ([]byte, int) {
	const beyondASCII = 0xFF80FF80FF80FF80
	low, high := 0, 1 // which of a unit's bytes is which
	if w.order == binary.BigEndian {
		low, high = 1, 0
	}
	unit := func(i int) rune { return rune(raw[i+low]) | rune(raw[i+high])<<8 }
	i := 0
	// A unit becomes three bytes at the most.
	dst = slices.Grow(dst, len(raw)/2*3+utf8.UTFMax+8)
	for i+2 <= len(raw) {
		for i+16 <= len(raw) {
			x, y := binary.LittleEndian.Uint64(raw[i:]), binary.LittleEndian.Uint64(raw[i+8:])
			if low == 1 {
				x, y = swapped(x), swapped(y)
			}
			n := len(dst)
			binary.LittleEndian.PutUint64(dst[n:n+8], packed(x)|packed(y)<<32)
			plain := 8
			if x&beyondASCII != 0 {
				plain = bits.TrailingZeros64(x&beyondASCII) / 16
			} else if y&beyondASCII != 0 {
				plain = 4 + bits.TrailingZeros64(y&beyondASCII)/16
			}
			dst = dst[:n+plain]
			if i += 2 * plain; plain < 8 {
				break
			}
		}
		if i+2 > len(raw) {
			break
		}
		c := unit(i)
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
			pair = utf16.DecodeRune(c, unit(i+2))
		}
		dst = utf8.AppendRune(dst, pair)
		if i += 2; pair != utf8.RuneError {
			i += 2
		}
	}
	return dst, i
}

// swapped exchanges the two bytes of each unit of a word.
func swapped(x uint64) uint64 { return x>>8&0x00FF00FF00FF00FF | x<<8&0xFF00FF00FF00FF00 }

// packed moves the low bytes of a word's four units together.
func packed(x uint64) uint64 {
	x |= x >> 8
	return x&0xFFFF | x>>16&0xFFFF0000
}

func (w *wide) apart() codec { return w } // it has no state

func (w *wide) bytes(text []byte) int64 {
	runes, fours := count(text)
	if w.unit == 2 {
		runes += fours // four bytes of UTF-8 are two units of UTF-16
	}
	return int64(runes) * int64(w.unit)
}

// multi decodes encodings of one to four bytes per character, whose bytes do not
// depend on a state. Of bytes that are no character each becomes a replacement
// character of its own, so that the text tells how many bytes it took.
type multi struct {
	e       encoding.Encoding
	decoder transform.Transformer
	encoder transform.Transformer
	scratch []byte
}

func newMulti(e encoding.Encoding) *multi {
	return &multi{e: e, decoder: e.NewDecoder(), encoder: encoding.ReplaceUnsupported(e.NewEncoder())}
}

func (m *multi) apart() codec { return newMulti(m.e) }

func (m *multi) decode(dst, raw []byte, end bool) ([]byte, int) {
	used, from := 0, len(dst)
	for {
		room := dst[len(dst):cap(dst)]
		n, k, err := m.decoder.Transform(room, raw[used:], end)
		dst = dst[:len(dst)+n]
		used += k
		if !errors.Is(err, transform.ErrShortDst) {
			break
		}
		grown := make([]byte, len(dst), 2*cap(dst)+1024)
		copy(grown, dst)
		dst = grown
	}
	if bytes.Contains(dst[from:], replacement) {
		dst = m.byBytes(dst[:from], raw[:used])
	}
	return dst, used
}

// byBytes decodes whole characters one by one.
func (m *multi) byBytes(dst, raw []byte) []byte {
	const longest = 4 // bytes of a character
	var one [2 * utf8.UTFMax]byte
	for len(raw) > 0 {
		if raw[0] < utf8.RuneSelf {
			dst, raw = append(dst, raw[0]), raw[1:]
			continue
		}
		n, k := 0, 0
		for size := 1; k == 0 && size <= min(longest, len(raw)); size++ {
			m.decoder.Reset()
			n, k, _ = m.decoder.Transform(one[:], raw[:size], size == len(raw))
		}
		text := one[:n]
		switch {
		case bytes.Equal(text, replacement): // a pair that is not assigned, as a whole
		case k == 0 || bytes.Contains(text, replacement):
			k = 1 // a first byte without the second: what follows it stands for itself
		default:
			dst, raw = append(dst, text...), raw[k:]
			continue
		}
		for range k {
			dst = append(dst, replacement...)
		}
		raw = raw[k:]
	}
	m.decoder.Reset()
	return dst
}

// bytes encodes the text again, since the bytes of a character differ.
func (m *multi) bytes(text []byte) int64 {
	if m.scratch == nil {
		m.scratch = make([]byte, 64<<10)
	}
	total := int64(0)
	for {
		i := bytes.Index(text, replacement)
		if i < 0 {
			return total + m.encoded(text)
		}
		total += m.encoded(text[:i]) + 1
		text = text[i+len(replacement):]
	}
}

func (m *multi) encoded(text []byte) (total int64) {
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
