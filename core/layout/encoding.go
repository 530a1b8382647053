package layout

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	"golang.org/x/text/encoding/traditionalchinese"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/encoding/unicode/utf32"
)

// Encoding is how bytes stand for characters. The zero Encoding is UTF-8.
type Encoding struct {
	Charset   *charmap.Charmap  // of one byte per character
	Unit      int               // bytes of a unit of UTF-16 (2) or UTF-32 (4)
	BigEndian bool              // of such a unit
	Codec     encoding.Encoding // of all others but UTF-8; also of those above
}

func oneByte(c *charmap.Charmap) Encoding { return Encoding{Charset: c, Codec: c} }

// encodings are named as WHATWG's Encoding Standard names them, and as IANA
// does where it has none. iso-8859-1 and iso-8859-9 are those of ISO, which WHATWG reads
// as windows-1252 and windows-1254.
var encodings = map[string]Encoding{
	"utf-8":        {},
	"utf-16le":     {Unit: 2, Codec: unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)},
	"utf-16be":     {Unit: 2, BigEndian: true, Codec: unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)},
	"utf-32le":     {Unit: 4, Codec: utf32.UTF32(utf32.LittleEndian, utf32.IgnoreBOM)},
	"utf-32be":     {Unit: 4, BigEndian: true, Codec: utf32.UTF32(utf32.BigEndian, utf32.IgnoreBOM)},
	"windows-1250": oneByte(charmap.Windows1250),
	"windows-1251": oneByte(charmap.Windows1251),
	"windows-1252": oneByte(charmap.Windows1252),
	"windows-1253": oneByte(charmap.Windows1253),
	"windows-1254": oneByte(charmap.Windows1254),
	"windows-1257": oneByte(charmap.Windows1257),
	"iso-8859-1":   oneByte(charmap.ISO8859_1),
	"iso-8859-2":   oneByte(charmap.ISO8859_2),
	"iso-8859-5":   oneByte(charmap.ISO8859_5),
	"iso-8859-7":   oneByte(charmap.ISO8859_7),
	"iso-8859-9":   oneByte(charmap.ISO8859_9),
	"iso-8859-13":  oneByte(charmap.ISO8859_13),
	"iso-8859-15":  oneByte(charmap.ISO8859_15),
	"koi8-r":       oneByte(charmap.KOI8R),
	"ibm437":       oneByte(charmap.CodePage437),
	"ibm850":       oneByte(charmap.CodePage850),
	"ibm852":       oneByte(charmap.CodePage852),
	"macintosh":    oneByte(charmap.Macintosh),
	"shift_jis":    {Codec: japanese.ShiftJIS},
	"euc-jp":       {Codec: japanese.EUCJP},
	"gb18030":      {Codec: simplifiedchinese.GB18030},
	"big5":         {Codec: traditionalchinese.Big5},
	"euc-kr":       {Codec: korean.EUCKR},
}

// EncodingNames lists the encodings that can be read, in order.
func EncodingNames() []string { return slices.Sorted(maps.Keys(encodings)) }

// EncodingOf returns the encoding of a name.
func EncodingOf(name string) (Encoding, error) {
	e, ok := encodings[name]
	if !ok {
		return e, fmt.Errorf("encoding %q cannot be read; these can: %s", name, strings.Join(EncodingNames(), ", "))
	}
	return e, nil
}

// EncodingName returns the name of the encoding that a label stands for, such as
// UTF8, cp1252 or IBM850; an unknown label is given back in lower case.
func EncodingName(label string) string {
	label = strings.ToLower(strings.TrimSpace(label))
	if _, ok := encodings[label]; ok {
		return label
	}
	for _, short := range []string{strings.Replace(label, "cp", "ibm", 1),
		strings.Replace(label, "cp", "windows-", 1)} {
		if _, ok := encodings[short]; ok {
			return short
		}
	}
	if e, err := htmlindex.Get(label); err == nil {
		name, err := htmlindex.Name(e)
		switch {
		case name == "gbk":
			return "gb18030" // the same decoder, by WHATWG
		case err == nil:
			return name
		}
	}
	return label
}

// marks are the byte order marks, longest first.
var marks = []struct{ mark, encoding string }{
	{"\xFF\xFE\x00\x00", "utf-32le"},
	{"\x00\x00\xFE\xFF", "utf-32be"},
	{"\xEF\xBB\xBF", "utf-8"},
	{"\xFF\xFE", "utf-16le"},
	{"\xFE\xFF", "utf-16be"},
}

// Mark returns the length of the byte order mark that bytes in an encoding begin with.
func Mark(b []byte, encoding string) int {
	for _, m := range marks {
		if m.encoding == encoding && strings.HasPrefix(string(b[:min(len(b), 4)]), m.mark) {
			return len(m.mark)
		}
	}
	return 0
}
