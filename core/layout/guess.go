package layout

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"

	"sieb/core/delimited"
	"sieb/core/lexical"
)

// Sample is what a guess sees of a delivery: its head, its tail, and windows
// between them. Head alone is all of a small delivery.
type Sample struct {
	Head    []byte
	Tail    []byte   // nil where Head is all
	Windows [][]byte // in which bytes above 127 are looked for
}

// How much of a delivery a sample holds at the most, in bytes.
const (
	HeadBytes   = 256 << 10
	TailBytes   = 64 << 10
	WindowBytes = 128 << 10
	MaxWindows  = 48
)

// parts are all the bytes of the sample, for looking at characters.
func (s *Sample) parts() [][]byte { return append(append([][]byte{s.Head}, s.Windows...), s.Tail) }

// guess is an encoding with its reason.
type guess struct {
	encoding   string
	confidence float64
	why        string
	next       string // the next best, "" for none
}

// guessEncoding decides by byte order marks, zero bytes, the rules of UTF-8
// and of the encodings of east Asia, and at last by letters.
func guessEncoding(s *Sample) guess {
	for _, m := range marks {
		if bytes.HasPrefix(s.Head, []byte(m.mark)) {
			return guess{encoding: m.encoding, confidence: 1, why: "the file begins with the byte order mark of " +
				m.encoding}
		}
	}
	if g, ok := guessWide(s.Head); ok {
		return g
	}
	ascii, good, bad := true, 0, 0
	for _, part := range s.parts() {
		g, b := countUTF8(cutRune(startRune(part)))
		good, bad = good+g, bad+b
		ascii = ascii && lexical.IsASCII(part)
	}
	switch {
	case ascii:
		return guess{"utf-8", 0.9, "the bytes examined are all ASCII, which is also valid UTF-8", ""}
	case bad == 0:
		return guess{"utf-8", 0.99, "the bytes above 127 form valid UTF-8, which hardly happens by chance in " +
			"another encoding",
			"windows-1252"}
	case good >= 9*bad:
		return guess{"utf-8", 0.85, fmt.Sprintf("%d of %d characters above 127 are valid UTF-8; the others are damaged",
			good, good+bad), "windows-1252"}
	}
	sep, hasSep := separator(s.Head)
	if hasSep {
		s = s.replaced(sep, ',')
	}
	if g, ok := guessPairs(s); ok {
		return g
	}
	// Valid UTF-8 does not come about by chance: the file was put together from
	// parts in UTF-8 and in another encoding.
	if good >= enoughGood && good >= bad {
		return guess{"utf-8", 0.6, fmt.Sprintf("%d of %d characters above 127 are valid UTF-8; the others are of "+
			"another encoding", good, good+bad), "windows-1252"}
	}
	return guessLetters(s, good >= enoughGood && 10*good >= bad, sep)
}

// enoughGood is how many valid characters of UTF-8 are no chance.
const enoughGood = 10

// countUTF8 counts characters above 127 and bytes that are none.
func countUTF8(b []byte) (good, bad int) {
	for i := 0; i < len(b); {
		if b[i] < utf8.RuneSelf {
			for i++; i+8 <= len(b) && binary.LittleEndian.Uint64(b[i:])&0x8080808080808080 == 0; i += 8 {
			}
			continue
		}
		r, n := utf8.DecodeRune(b[i:])
		if r == utf8.RuneError && n == 1 {
			bad++
		} else {
			good++
		}
		i += n
	}
	return good, bad
}

// guessWide finds UTF-16 and UTF-32 by where their zero bytes stand: delimiters,
// digits and line ends are ASCII in a text of any script.
func guessWide(b []byte) (guess, bool) {
	if len(b) < 8 {
		return guess{}, false
	}
	var zeros [4]int
	b = b[:len(b)/4*4]
	for i, c := range b {
		if c == 0 {
			zeros[i%4]++
		}
	}
	units := len(b) / 4
	even, odd := zeros[0]+zeros[2], zeros[1]+zeros[3]
	why := "every second byte is zero where a character is ASCII"
	switch {
	case zeros[3]*100 >= units*95 && zeros[2]*100 >= units*95 && zeros[0]*10 < units:
		return guess{"utf-32le", 0.98, "three of four bytes are zero where a character is ASCII", ""}, true
	case zeros[0]*100 >= units*95 && zeros[1]*100 >= units*95 && zeros[3]*10 < units:
		return guess{"utf-32be", 0.98, "three of four bytes are zero where a character is ASCII", ""}, true
	case odd >= 3 && odd*10 >= units*3 && even*10 <= odd && endsLines(b, 0):
		return guess{"utf-16le", 0.97, why, ""}, true
	case even >= 3 && even*10 >= units*3 && odd*10 <= even && endsLines(b, 1):
		return guess{"utf-16be", 0.97, why, ""}, true
	}
	return guess{}, false
}

// endsLines reports whether line ends of UTF-16 may be in the text, whose bytes stand
// at odd or even places beside a zero. A text of single bytes with a zero in each row
// has line ends, but none of that kind.
func endsLines(b []byte, place int) bool {
	all, wide := 0, 0
	for i, c := range b {
		if c == '\n' || c == '\r' {
			if all++; i%2 == place && b[i^1] == 0 {
				wide++
			}
		}
	}
	return all < 2 || wide > 0
}

// guessPairs finds the encodings of east Asia: their characters are pairs of
// bytes, and the lead bytes of common characters lie close together.
func guessPairs(s *Sample) (guess, bool) {
	best := guess{}
	for _, c := range []struct {
		encoding string
		common   func(lead, trail byte) bool
		least    float64
		what     string
	}{
		{"shift_jis", func(l, _ byte) bool { return l == 0x82 || l == 0x83 }, 0.2, "kana"},
		{"euc-jp", func(l, _ byte) bool { return l == 0xA4 || l == 0xA5 }, 0.2, "kana"},
		{"euc-kr", func(l, t byte) bool { return l >= 0xB0 && l <= 0xC8 && t >= 0xA1 }, 0.9, "hangul"},
		{"gb18030", func(l, t byte) bool { return l >= 0xB0 && l <= 0xD7 && t >= 0xA1 }, 0.6, "common characters"},
		{"big5", func(l, _ byte) bool { return l >= 0xA4 && l <= 0xC6 }, 0.8, "common characters"},
	} {
		pairs, common, wrong, adjoining := 0, 0, 0, 0
		for _, part := range s.parts() {
			p, k, w, a := countPairs(part, c.encoding, c.common)
			pairs, common, wrong, adjoining = pairs+p, common+k, wrong+w, adjoining+a
		}
		share := float64(common) / float64(max(1, pairs))
		if pairs < 2 || wrong*50 > pairs || share < c.least || 3*adjoining < pairs {
			continue
		}
		// Kana are sure signs; of the others the denser set is the likelier.
		if g := (guess{c.encoding, 0.9 + 0.05*share,
			fmt.Sprintf("the bytes above 127 are %d pairs of %s, %.0f %% of them %s", pairs, c.encoding, 100*share,
				c.what), ""}); best.encoding == "" || best.encoding == "big5" {
			best = g
		}
	}
	if best.encoding == "" {
		return best, false
	}
	return best, true
}

// countPairs goes through bytes as characters of two bytes. Those of a word
// adjoin one another, which accented letters seldom do.
func countPairs(b []byte, encoding string, isCommon func(lead, trail byte) bool) (pairs, common, wrong, adjoining int) {
	end := -1
	for i := 0; i < len(b); i++ {
		lead := b[i]
		if lead < 0x80 {
			continue
		}
		if i+1 == len(b) {
			break
		}
		trail := b[i+1]
		isPair := lead >= 0xA1 && lead <= 0xFE && trail >= 0xA1 && trail <= 0xFE
		switch encoding {
		case "shift_jis":
			isPair = (lead >= 0x81 && lead <= 0x9F || lead >= 0xE0 && lead <= 0xFC) &&
				(trail >= 0x40 && trail != 0x7F && trail <= 0xFC)
			if lead >= 0xA1 && lead <= 0xDF { // half-width katakana
				continue
			}
		case "big5":
			isPair = lead >= 0xA1 && lead <= 0xF9 && (trail >= 0x40 && trail <= 0x7E || trail >= 0xA1 && trail <= 0xFE)
		case "gb18030":
			isPair = lead >= 0x81 && lead <= 0xFE && trail >= 0x40 && trail != 0x7F && trail <= 0xFE
		}
		if !isPair {
			wrong++
			continue
		}
		pairs++
		if isCommon(lead, trail) {
			common++
		}
		if end == i {
			adjoining++
		}
		i++
		end = i + 1
	}
	return pairs, common, wrong, adjoining
}

// alphabets are the letters above 127 of languages, most frequent first.
var alphabets = map[string]string{
	"German": "üäößé", "French": "éèàêçîôûùâëïœ", "Spanish": "óíáéñúü", "Portuguese": "ãçéáíóêõâúàô",
	"Italian": "àèìòùé",
	"Swedish": "äöåé", "Danish": "åøæéö", "Dutch": "ëéïèöü", "Icelandic": "áðíéþúóýæö", "Polish": "łęóążśćńź",
	"Czech":  "íáéěřýžčšůúťďňó",
	"Slovak": "áíéčžýšúľťňäôďó", "Hungarian": "éáöóőüíúű", "Romanian": "ăîâşţ", "Croatian": "čšžćđ",
	"Turkish": "ıüşğçöi̇", "Latvian": "āīēšņļģūķžč",
	"Lithuanian": "ėšžųūįčąę", "Estonian": "äõüöšž", "Russian": "оеаинтсрвлкмдпуяыьгзбчйхжшюцщэфъё",
	"Ukrainian": "оанивіртселкудмпзябьгйхчцюїжєшщфґ",
	"Bulgarian": "аиоентрвсдлпкмзгуъбчщжйяцхшюфь", "Serbian": "аиоенртсвдукмлпјзгбчшњцжхљфћђџ",
	"Greek": "αοιετσνηυρπκμλωςθγδάίέόήχύφβξζψώϊ",
}

// rivals are the encodings of one byte per character, likelier ones first.
var rivals = []string{"windows-1252", "iso-8859-15", "iso-8859-1", "windows-1250", "iso-8859-2", "windows-1251",
	"koi8-r", "windows-1257", "windows-1254",
	"windows-1253", "iso-8859-7", "iso-8859-9", "iso-8859-13", "iso-8859-5", "ibm850", "ibm852", "ibm437", "macintosh"}

const (
	// usual are signs that stand in texts of many languages.
	usual = "–—‘’“”„«»…°§€£©®™²³½¼¾·•µ×±º¿¡†‰′№ªÆŒ\u00a0\u00ad"
	// maxLetters bounds how many bytes above 127 are looked at.
	maxLetters = 20000
)

// neighbours is a byte above 127 with its neighbours.
type neighbours struct{ before2, before, here, after byte }

// guessLetters decodes the bytes above 127 in every way and takes the one whose
// letters make the best words: letters of one language, in words of one script,
// small after small; signs between words, not in them. Where parts of the file
// are UTF-8, these are not asked. sep is a byte that separates cells, or 0: in the
// right encoding it is a sign.
func guessLetters(s *Sample, isMixed bool, sep byte) guess {
	counts := map[neighbours]int{}
	total := 0
	for _, part := range s.parts() {
		skip := 0
		for i, c := range part {
			if skip--; skip >= 0 || c < utf8.RuneSelf || total >= maxLetters {
				continue
			}
			if r, n := utf8.DecodeRune(part[i:]); isMixed && n > 1 && r != utf8.RuneError {
				skip = n - 1
				continue
			}
			total++
			k := neighbours{here: c}
			if i > 0 {
				k.before = part[i-1]
			}
			if i > 1 {
				k.before2 = part[i-2]
			}
			if i+1 < len(part) {
				k.after = part[i+1]
			}
			counts[k]++
		}
	}
	type result struct {
		name, language string
		score          float64
	}
	var best, second result
	best.score, second.score = math.Inf(-1), math.Inf(-1)
	for rank, name := range rivals {
		language, score := scoreLetters(encodings[name].Charset, counts)
		score -= 0.3 * float64(rank) // where all else is equal, the likelier encoding
		if sep != 0 {
			score += asSeparator(encodings[name].Charset.DecodeByte(sep))
		}
		switch {
		case score > best.score:
			if best.name != "" && !sameText(best.name, name, counts) {
				second = best
			}
			best = result{name, language, score}
		case score > second.score && !sameText(best.name, name, counts):
			second = result{name, language, score}
		}
	}
	margin := best.score - second.score
	confidence := 0.5 + 0.48*(1-math.Exp(-margin/8))
	why := fmt.Sprintf("the %d bytes above 127 that were examined read as letters of %s", total, best.language)
	if total == 0 {
		confidence = 0.6
		why = fmt.Sprintf("the only byte above 127 separates cells, and is read as %c",
			encodings[best.name].Charset.DecodeByte(sep))
	} else if best.language == "" {
		why = fmt.Sprintf("the %d bytes above 127 that were examined read as symbols", total)
	}
	if second.name != "" {
		why += "; the next best reading is " + second.name
	}
	return guess{best.name, round(confidence), why, second.name}
}

// separator finds a byte above 127 that separates cells: it stands equally often
// in nearly every line, and beside digits and quotes, as no letter would.
func separator(head []byte) (sep byte, ok bool) {
	const looked = 200
	var counts [256]map[int]int
	var besides, all [256]int
	lines := 0
	for i := 0; i < len(head) && lines < looked; lines++ {
		end, next := delimited.LineEnd(head, i)
		var n [256]int
		for k := i; k < end; k++ {
			if c := head[k]; c >= utf8.RuneSelf {
				n[c]++
				all[c]++
				if k > i && isNoLetter(head[k-1]) || k+1 < end && isNoLetter(head[k+1]) {
					besides[c]++
				}
			}
		}
		for c, times := range n {
			if times > 0 {
				if counts[c] == nil {
					counts[c] = map[int]int{}
				}
				counts[c][times]++
			}
		}
		i = next
	}
	best := 0
	for c := range counts {
		if 4*besides[c] < all[c] {
			continue
		}
		for _, n := range counts[c] {
			if lines > 3 && 10*n >= 7*lines && n > best {
				sep, best, ok = byte(c), n, true
			}
		}
	}
	return sep, ok
}

func isNoLetter(c byte) bool { return c >= '0' && c <= '9' || c == '"' || c == '\'' }

// asSeparator tells how likely a character separates cells.
func asSeparator(r rune) float64 {
	switch {
	case strings.ContainsRune("§¦¬¶", r):
		return 0
	case unicode.IsLetter(r):
		return -1000
	}
	return -3
}

// replaced returns the sample with one byte in the place of another.
func (s *Sample) replaced(old, by byte) *Sample {
	change := func(b []byte) []byte { return bytes.ReplaceAll(b, []byte{old}, []byte{by}) }
	out := &Sample{Head: change(s.Head)}
	if s.Tail != nil {
		out.Tail = change(s.Tail)
	}
	for _, w := range s.Windows {
		out.Windows = append(out.Windows, change(w))
	}
	return out
}

// sameText reports whether two encodings read the bytes alike.
func sameText(a, b string, counts map[neighbours]int) bool {
	for k := range counts {
		if encodings[a].Charset.DecodeByte(k.here) != encodings[b].Charset.DecodeByte(k.here) {
			return false
		}
	}
	return true
}

// scoreLetters returns the log likelihood of the decoded letters and signs, by
// the language that they fit best.
func scoreLetters(set *charmap.Charmap, counts map[neighbours]int) (language string, score float64) {
	letters := map[rune]float64{}
	base := 0.0
	for k, n := range counts {
		before2, before, here, after := set.DecodeByte(k.before2), set.DecodeByte(k.before), set.DecodeByte(k.here),
			set.DecodeByte(k.after)
		penalty := 0.0
		switch {
		case here == utf8.RuneError:
			penalty = 25
		case here < 0xA0:
			penalty = 15
		case strings.ContainsRune(usual, here) && !unicode.IsLetter(here):
			penalty = 3
			if unicode.IsLetter(before) && unicode.IsLetter(after) && here != '’' && here != '·' {
				penalty = 7
			}
		case !unicode.IsLetter(here):
			penalty = 8
		default:
			penalty = misplaced(before2, before, here, after)
			letters[unicode.ToLower(here)] += float64(n)
		}
		base -= penalty * float64(n)
	}
	if len(letters) == 0 {
		return "", base
	}
	score = math.Inf(-1)
	for name, alphabet := range alphabets {
		fit := base
		runes := []rune(alphabet)
		sum := 0.0
		for i := range runes {
			sum += 1 / float64(i+2)
		}
		for letter, n := range letters {
			p := 0.0005
			for i, r := range runes {
				if r == letter {
					p = 1 / float64(i+2) / sum
				}
			}
			fit += n * math.Log(p)
		}
		if fit > score || fit == score && name < language {
			language, score = name, fit
		}
	}
	return language, score
}

// misplaced judges a letter by its neighbours: capitals inside of words, and
// letters of two scripts in one word.
func misplaced(before2, before, here, after rune) (penalty float64) {
	if unicode.IsLower(before) && unicode.IsUpper(here) {
		penalty += 5
	}
	if unicode.IsLower(here) && unicode.IsUpper(after) {
		penalty += 5
	}
	if unicode.IsUpper(before2) && unicode.IsUpper(before) && unicode.IsLower(here) {
		penalty += 3
	}
	for _, other := range []rune{before, after} {
		if unicode.IsLetter(other) && script(other) != script(here) {
			penalty += 6
		}
	}
	return penalty
}

func script(r rune) int {
	switch {
	case unicode.Is(unicode.Cyrillic, r):
		return 1
	case unicode.Is(unicode.Greek, r):
		return 2
	}
	return 0
}
