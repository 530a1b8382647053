package layout_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
)

// tongues are words of a grain trade, in the languages of senders and the
// encodings that are in use for each.
var tongues = []struct {
	language, words, encodings string
}{
	{"German", "Größe Gewicht Mühle Gerste Fläche Süden Hafer Körner Übergabe Straße Weizen nass geladen Anhänger " +
		"später Ähren", "windows-1252 iso-8859-1 iso-8859-15 ibm850 ibm437 macintosh"},
	{"German with euros", "Preis 120 € je Tonne Größe „Kläranlage“ – übrig Äcker", "windows-1252"},
	{"French", "blé récolte été orge avoine pesée qualité humidité forêt août élevé déjà reçu à côté",
		"windows-1252 iso-8859-1 ibm850 macintosh"},
	{"Spanish", "trigo año cebada niño camión báscula peso más maíz según almacén señor",
		"windows-1252 iso-8859-1 ibm850 macintosh"},
	{"Portuguese", "grão estação não aveia cevada balança município coração três", "windows-1252 iso-8859-1"},
	{"Swedish", "vete fält råg säck väg kör åker höst större på måndag", "windows-1252 iso-8859-1 ibm850 macintosh"},
	{"Polish", "pszenica żyto jęczmień owies ważenie ładunek święto źródło część kierowca był pięć",
		"windows-1250 iso-8859-2 ibm852"},
	{"Czech", "pšenice žito ječmen oves váha řidič náklad čtvrtek měsíc půda svátek příjem žádný",
		"windows-1250 iso-8859-2 ibm852"},
	{"Hungarian", "búza árpa rozs zab mérleg sofőr őszi gyűjtés súly fűtés öt különböző",
		"windows-1250 iso-8859-2 ibm852"},
	{"Croatian", "pšenica ječam zob vaga vozač teret četvrtak šećer žito čuvanje", "windows-1250 iso-8859-2"},
	{"Turkish", "buğday arpa yulaf çavdar tartı yük şoför ağırlık güneş ılık başka İzin", "windows-1254 iso-8859-9"},
	{"Lithuanian", "kviečiai miežiai rugiai aviža svėrimas vairuotojas šieną žemė ūkis ąžuolas",
		"windows-1257 iso-8859-13"},
	{"Latvian", "kvieši mieži rudzi auzas svēršana vadītājs krājums ēka šķūnis lauks ūdens", "windows-1257"},
	{"Russian", "пшеница рожь ячмень овёс вес водитель груз поле урожай Зерно Склад мельница",
		"windows-1251 koi8-r iso-8859-5"},
	{"Bulgarian", "пшеница ръж ечемик овес тегло шофьор товар поле зърно склад мелница", "windows-1251 iso-8859-5"},
	{"Greek", "σιτάρι κριθάρι βρώμη σίκαλη ζυγός οδηγός φορτίο βάρος χωράφι αποθήκη Μύλος", "windows-1253 iso-8859-7"},
	{"Japanese", "小麦 おおむぎ ライむぎ カラスムギ はかり うんてんしゅ トラック 倉庫 北の畑です 雨でした", "shift_jis euc-jp utf-16le utf-16be"},
	{"Chinese", "小麦 大麦 黑麦 燕麦 地磅 司机 货物 仓库 北方的田地 下雨了 重量", "gb18030 utf-16le"},
	{"Chinese of Taiwan", "小麥 大麥 黑麥 燕麥 地磅 司機 貨物 倉庫 北方的田地 下雨了 重量", "big5 utf-16be"},
	{"Korean", "밀 보리 호밀 귀리 저울 운전사 화물 창고 북쪽 밭 비가 왔다 무게", "euc-kr utf-16le utf-32le utf-32be"},
	{"German again", "Größe Mühle Fläche Körner Übergabe Straße", "utf-8 utf-16le utf-16be utf-32le utf-32be"},
}

// table writes rows of words as a sender would.
func table(rng *rand.Rand, words []string, rows int) string {
	var b strings.Builder
	b.WriteString("no;name;kg;remark\r\n")
	for i := range rows {
		fmt.Fprintf(&b, "%d;%s;%d,%d;%s %s\r\n", i+1, words[rng.IntN(len(words))], rng.IntN(40000), rng.IntN(10),
			words[rng.IntN(len(words))], words[rng.IntN(len(words))])
	}
	return b.String()
}

// The encoding is right, or reads the file just like the right one, in more
// than 97 % of the files, and where it is wrong it was not sure.
func TestEncodingsAreRecognised(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 1))
	files, right, sure := 0, 0, 0
	for _, tongue := range tongues {
		for _, name := range strings.Fields(tongue.encodings) {
			for _, rows := range []int{8, 40, 400} {
				text := table(rng, strings.Fields(tongue.words), rows)
				e, err := layout.EncodingOf(name)
				require.NoError(t, err)
				encoded := []byte(text)
				if e.Codec != nil {
					encoded, err = e.Codec.NewEncoder().Bytes(encoded)
					require.NoError(t, err, "%s in %s", tongue.language, name)
				}
				l, evidence, _ := layout.Detect(t.Context(), layout.Sample{Head: encoded}, layout.Given{})
				got, err := layout.EncodingOf(l.Encoding)
				require.NoError(t, err)
				back := encoded
				if got.Codec != nil {
					back, err = got.Codec.NewDecoder().Bytes(encoded)
					require.NoError(t, err)
				}
				files++
				if string(back) == text {
					right++
					continue
				}
				t.Logf("%s in %s, %d rows: %s", tongue.language, name, rows, l.Encoding)
				for _, x := range evidence {
					if x.Setting == "encoding" && x.Confidence >= 0.9 {
						sure++
						t.Logf("  and sure of it: %.2f, %s", x.Confidence, x.Why)
					}
				}
			}
		}
	}
	t.Logf("%d of %d files right", right, files)
	assert.Greater(t, float64(right), 0.97*float64(files))
	assert.Zero(t, sure)
}

func TestByteOrderMarks(t *testing.T) {
	for name, text := range map[string]string{"utf-8": "\xEF\xBB\xBFa,b\n1,2\n",
		"utf-16le": "\xFF\xFEa\x00,\x00b\x00\n\x001\x00,\x002\x00\n\x00",
		"utf-16be": "\xFE\xFF\x00a\x00,\x00b\x00\n\x001\x00,\x002\x00\n",
		"utf-32le": "\xFF\xFE\x00\x00a\x00\x00\x00,\x00\x00\x00b\x00\x00\x00"} {
		l, _, _ := layout.Detect(t.Context(), layout.Sample{Head: []byte(text)}, layout.Given{})
		assert.Equal(t, name, l.Encoding)
		assert.True(t, l.ByteOrderMark)
		assert.Equal(t, ",", l.Delimiter)
	}
}

// One letter far behind the head decides.
func TestWindowsCount(t *testing.T) {
	ascii := []byte(strings.Repeat("a;b\r\n", 1000))
	for _, s := range []layout.Sample{
		{Head: ascii, Windows: [][]byte{ascii, []byte("Gro\xdfacker;1\r\nM\xfchle;2\r\n")}, Tail: ascii},
		{Head: ascii, Tail: []byte("x;1\r\nM\xfchle;2\r\n")},
	} {
		l, _, _ := layout.Detect(t.Context(), s, layout.Given{})
		assert.Equal(t, "windows-1252", l.Encoding)
	}
}

func TestEncodingNames(t *testing.T) {
	for label, want := range map[string]string{"UTF8": "utf-8", "Latin1": "windows-1252", "ISO-8859-1": "iso-8859-1",
		"cp850": "ibm850", "CP1252": "windows-1252",
		"sjis": "shift_jis", "KOI8-R": "koi8-r", "mac": "macintosh", "gbk": "gb18030", "ebcdic": "ebcdic",
		"utf-16": "utf-16le"} {
		assert.Equal(t, want, layout.EncodingName(label), label)
	}
	assert.Len(t, layout.EncodingNames(), 28)
}

// A file of two encodings is read in the one that most of it is in, and the
// detection is not sure of it.
func TestMixedEncodings(t *testing.T) {
	utf8Part, latinPart := strings.Repeat("Größe;1\n", 20), strings.Repeat("M\xfchle;2\n", 20)
	l, evidence := detect("hof;kg\n"+utf8Part+latinPart, layout.Given{})
	assert.Equal(t, "utf-8", l.Encoding)
	assert.Less(t, evidence["encoding"].Confidence, 0.75)
	l, _ = detect("hof;kg\n"+utf8Part+strings.Repeat(latinPart, 5), layout.Given{})
	assert.Equal(t, "windows-1252", l.Encoding, "the letters of the other part do not mislead")
}
