// Package variants finds texts that are likely the same, written in different ways: in other
// letter case or with other blanks, without accents, with their words in another order, mistyped,
// or written by their sound.
//
// It compares texts and how often they occur. It knows nothing of rows and columns.
package variants

import (
	"cmp"
	"hash/maphash"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Text is a text and how often it occurs.
type Text struct {
	Text  string `json:"text"`
	Count int64  `json:"count"`
}

// Family is texts that are likely one.
type Family struct {
	Spelling string    `json:"spelling" doc:"the proposed one: that of a set, or the most frequent one"`
	Count    int64     `json:"count" doc:"of the proposed spelling"`
	Others   []Variant `json:"others" doc:"the other spellings, the most frequent first"`
	isFixed  bool
}

// Likely returns the spellings that are so likely of the family that one may say so unasked: they differ
// in case, blanks, accents or signs alone, are no entry of the set that has the proposed one, or are far
// rarer than it.
func (f *Family) Likely() (all []Variant) {
	for _, o := range f.Others {
		if o.Why == whys[byCase] || f.isFixed || o.Count*rarer <= f.Count {
			all = append(all, o)
		}
	}
	return all
}

// Variant is a spelling of which another one is proposed.
type Variant struct {
	Text
	Why string `json:"why" enum:"case,words,letters,sound" doc:"what it differs in: case, blanks, accents or signs; the order of words; a letter or two; letters that sound alike"`
}

// Reasons why two texts may be one, the surest first.
const (
	byCase = iota
	byWords
	byLetters
	bySound
)

var whys = [...]string{"case", "words", "letters", "sound"}

// Bounds of what is compared.
const (
	shortest = 4  // letters of a text of which one may be mistyped
	long     = 9  // letters of one of which two may be
	crowded  = 40 // texts that share a part; where more do, the part tells nothing
	clearly  = 3  // times that one spelling is more frequent than another which is taken for mistyped
	rarer    = 10 // times that it is where that is told unasked
)

// entry is a text as it is compared.
type entry struct {
	Text
	key     string // letters without case and accents, digits
	isFixed bool
	head    int // of its group; itself for none
	why     int
	far     int // letters by which it differs
}

// Find groups texts. Those of fixed are right as they are: none of them is a variant, and two of
// them are never one. Groups come by what they would change, most first.
//
// Texts that differ by a letter are found by what is left when one letter is taken out (Mor and
// Fraenkel, "A hash code method for detecting and correcting spelling errors", 1982), by two letters by
// the parts that they share; sounds are those of the Cologne phonetics (Postel 1969).
func Find(texts []Text, fixed []string) []Family {
	isFixed := make(map[string]bool, len(fixed))
	for _, f := range fixed {
		isFixed[f] = true
	}
	f := &finder{all: make([]entry, 0, len(texts)+len(fixed))}
	known := make(map[string]bool, len(texts))
	for _, t := range texts {
		if t.Text == "" || known[t.Text] {
			continue
		}
		known[t.Text] = true
		f.all = append(f.all, entry{Text: t, key: Key(t.Text), isFixed: isFixed[t.Text]})
	}
	for _, text := range fixed {
		if !known[text] && text != "" {
			known[text] = true
			f.all = append(f.all, entry{Text: Text{text, 0}, key: Key(text), isFixed: true})
		}
	}
	// What is right stands before what is frequent, so that each is looked at behind what it may be a variant of.
	slices.SortStableFunc(f.all, func(a, b entry) int {
		switch {
		case a.isFixed != b.isFixed && a.isFixed:
			return -1
		case a.isFixed != b.isFixed:
			return 1
		}
		return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Text.Text, b.Text.Text))
	})
	for i := range f.all {
		f.all[i].head, f.all[i].why = i, bySound+1
	}
	f.byKeys()
	f.byLetters()
	f.bySounds()
	return f.groups()
}

type finder struct {
	all   []entry
	alike []pair
}

// pair is two entries that differ by few letters.
type pair struct{ head, i, far int32 }

// join takes an entry for a variant of an earlier one, unless it is taken for a surer one already.
func (f *finder) join(head, i, why, far int) {
	e := &f.all[i]
	if head == i || e.isFixed || f.all[head].head != head {
		return
	}
	if why > byWords && !f.all[head].isFixed && f.all[head].Count < clearly*e.Count {
		return // both are frequent: two words that are alike
	}
	if why < e.why || why == e.why && far < e.far {
		e.head, e.why, e.far = head, why, far
	}
}

// byKeys joins texts that differ only in case, blanks, accents and signs, or in the order of their words.
func (f *finder) byKeys() {
	keys, words := make(map[string]int, len(f.all)), make(map[string]int, len(f.all))
	for i := range f.all {
		e := &f.all[i]
		if e.key == "" {
			continue
		}
		if head, has := keys[e.key]; has {
			f.join(head, i, byCase, 0)
		} else {
			keys[e.key] = i
		}
		sorted := sortedWords(e.Text.Text)
		if sorted == "" {
			continue
		}
		if head, has := words[sorted]; has {
			f.join(head, i, byWords, 0)
		} else {
			words[sorted] = i
		}
	}
}

// byLetters joins texts that differ by a letter, or by two where they are long.
func (f *finder) byLetters() {
	seed := maphash.MakeSeed()
	var hash maphash.Hash
	hash.SetSeed(seed)
	shared := make(map[uint64][]int32, 8*len(f.all))
	put := func(i int, part string, at, rest int) {
		hash.Reset()
		_, _ = hash.WriteString(part)
		_ = hash.WriteByte(byte(at))
		_ = hash.WriteByte(byte(rest))
		sum := hash.Sum64()
		if list := shared[sum]; len(list) <= crowded {
			shared[sum] = append(list, int32(i))
		}
	}
	for i := range f.all {
		e := &f.all[i]
		if e.why == byCase { // its head stands for it
			continue
		}
		n := len(e.key)
		if n < shortest || isCode(e.key) {
			continue
		}
		if n <= 24 {
			put(i, e.key, 255, 0)
			for k := range e.key {
				if !isContinuation(e.key[k]) {
					put(i, e.key[:k]+e.key[k+width(e.key, k):], 255, 0)
				}
			}
		}
		if n >= long {
			third := n / 3
			for k, part := range []string{e.key[:third], e.key[third : 2*third], e.key[2*third:]} {
				// Two letters more or less shift a part; rough places do not.
				put(i, part, k, (n+1)/3)
				put(i, part, k, (n-1)/3)
			}
		}
	}
	for _, list := range shared {
		if len(list) < 2 || len(list) > crowded {
			continue
		}
		for a := range list {
			for _, b := range list[a+1:] {
				f.compare(min(list[a], b), max(list[a], b))
			}
		}
	}
	// Entries are joined in order, so that what each is a variant of is settled before.
	slices.SortFunc(f.alike, func(a, b pair) int {
		return cmp.Or(cmp.Compare(a.i, b.i), cmp.Compare(a.far, b.far), cmp.Compare(a.head, b.head))
	})
	for _, p := range f.alike {
		f.join(int(p.head), int(p.i), byLetters, int(p.far))
	}
}

// compare notes two entries that differ by few letters.
func (f *finder) compare(head, i int32) {
	x, y := &f.all[head], &f.all[i]
	if x.key == y.key || digitsOf(x.key) != digitsOf(y.key) {
		return
	}
	most := 1
	if min(len(x.key), len(y.key)) >= long {
		most = 2
	}
	if d := distance(x.key, y.key, most+1); d <= most {
		f.alike = append(f.alike, pair{head, i, int32(d)})
	}
}

// bySounds joins texts that sound alike and are not written too differently.
func (f *finder) bySounds() {
	sounds := make(map[string][]int, len(f.all))
	for i := range f.all {
		e := &f.all[i]
		if e.why < byLetters || isCode(e.key) {
			continue
		}
		if s := Sound(e.key); len(s) >= 3 {
			s += digitsOf(e.key)
			for _, head := range sounds[s] {
				x := &f.all[head]
				if x.key != e.key && distance(x.key, e.key, len(e.key)/3+1) <= len(e.key)/3 {
					f.join(head, i, bySound, 3)
				}
			}
			if len(sounds[s]) < crowded {
				sounds[s] = append(sounds[s], i)
			}
		}
	}
}

func (f *finder) groups() (all []Family) {
	of := map[int]int{}
	for i := range f.all {
		e := &f.all[i]
		head := f.root(i)
		if head == i {
			continue
		}
		k, has := of[head]
		if !has {
			k = len(all)
			of[head] = k
			all = append(all, Family{Spelling: f.all[head].Text.Text, Count: f.all[head].Count,
				isFixed: f.all[head].isFixed})
		}
		all[k].Others = append(all[k].Others, Variant{e.Text, whys[e.why]})
	}
	changed := func(g *Family) (n int64) {
		for _, o := range g.Others {
			n += o.Count
		}
		return n
	}
	slices.SortStableFunc(all, func(a, b Family) int {
		return cmp.Or(cmp.Compare(changed(&b), changed(&a)), strings.Compare(a.Spelling, b.Spelling))
	})
	return all
}

// root returns the head of an entry's group: the head of its head where that was joined later.
func (f *finder) root(i int) int {
	for f.all[i].head != i {
		i = f.all[i].head
	}
	return i
}

// Key returns what of a text counts where only case, blanks, accents and signs of writing differ:
// letters, digits and other signs, in small letters without marks. Between two digits, and where it
// stands before a number, a sign of writing counts too: 1.5 is not 15, and -5 not 5.
func Key(text string) string {
	isPlain := true
	for i := range len(text) {
		if c := text[i]; c >= 0x80 || (c < 'a' || c > 'z') && (c < '0' || c > '9') {
			isPlain = false
			break
		}
	}
	if isPlain {
		return text
	}
	var b strings.Builder
	last, open := rune(0), rune(0) // what counted last; the first sign behind it that counts only between digits
	for _, r := range norm.NFKD.String(strings.ReplaceAll(text, "ß", "ss")) {
		switch {
		case unicode.Is(unicode.Mn, r) || unicode.Is(unicode.Cf, r):
			continue
		case unicode.IsSpace(r) || unicode.IsControl(r) || strings.ContainsRune(ofWriting, r):
			if open == 0 || unicode.IsSpace(open) {
				open = r
			}
			continue
		}
		if open != 0 && unicode.IsDigit(r) && (unicode.IsDigit(last) || last == 0 && open == '-') {
			b.WriteRune(open)
		}
		last, open = r, 0
		b.WriteRune(unicode.ToLower(r))
	}
	if open == '-' { // B- is worse than B
		b.WriteRune(open)
	}
	return b.String()
}

// ofWriting are signs by which the same is written in different ways.
const ofWriting = ".,;:!?'’‘`´\"„“”()[]_-‐‑–—"

// sortedWords returns the words of a text in the order of their letters, and its digits in their own; "" for
// fewer than two words, and for mere numbers.
func sortedWords(text string) string {
	words := strings.FieldsFunc(norm.NFKD.String(strings.ToLower(text)), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.Is(unicode.Mn, r)
	})
	if len(words) < 2 {
		return ""
	}
	for i := range words {
		words[i] = Key(words[i])
	}
	digits := digitsOf(text)
	if !slices.ContainsFunc(words, func(w string) bool { return digitsOf(w) != w }) {
		return ""
	}
	slices.Sort(words)
	return strings.Join(words, " ") + " " + digits
}

// isCode reports whether a text is rather a code than words: a letter more or less is another one.
func isCode(key string) bool {
	digits := 0
	for i := range len(key) {
		if key[i] >= '0' && key[i] <= '9' {
			digits++
		}
	}
	return 3*digits > len(key)
}

func digitsOf(key string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return r
		}
		return -1
	}, key)
}

func isContinuation(c byte) bool { return c&0xC0 == 0x80 }

// width returns how many bytes the character at a place has.
func width(text string, at int) int {
	n := 1
	for at+n < len(text) && isContinuation(text[at+n]) {
		n++
	}
	return n
}

// distance counts the insertions, deletions, changes and swaps of neighbouring letters that turn a
// into b (Damerau 1964, each letter touched once); most where they are as many or more.
func distance(a, b string, most int) int {
	if len(a)-len(b) >= most || len(b)-len(a) >= most {
		return most
	}
	var space [3][64]int
	if len(b) >= len(space[0]) {
		return most // so long a text is not compared letter by letter
	}
	two, one, row := space[0][:len(b)+1], space[1][:len(b)+1], space[2][:len(b)+1]
	for j := range one {
		one[j] = j
	}
	for i := range len(a) {
		row[0] = i + 1
		least := row[0]
		for j := range len(b) {
			cost := one[j]
			if a[i] != b[j] {
				cost++
			}
			cost = min(cost, one[j+1]+1, row[j]+1)
			if i > 0 && j > 0 && a[i] == b[j-1] && a[i-1] == b[j] {
				cost = min(cost, two[j-1]+1)
			}
			row[j+1] = cost
			least = min(least, cost)
		}
		if least >= most {
			return most
		}
		two, one, row = one, row, two
	}
	return min(one[len(b)], most)
}

// Sound returns how a key sounds by the Cologne phonetics (Postel 1969), as digits.
func Sound(key string) string {
	letters := []byte(key)
	var codes []byte
	at := func(i int) byte {
		if i < 0 || i >= len(letters) {
			return 0
		}
		return letters[i]
	}
	in := func(c byte, set string) bool { return c != 0 && strings.IndexByte(set, c) >= 0 }
	for i, c := range letters {
		var code string
		switch {
		case in(c, "aeijouy"):
			code = "0"
		case c == 'b' || c == 'p' && at(i+1) != 'h':
			code = "1"
		case in(c, "dt") && !in(at(i+1), "csz"):
			code = "2"
		case in(c, "fvw") || c == 'p':
			code = "3"
		case in(c, "gkq"):
			code = "4"
		case c == 'c' && i == 0 && in(at(1), "ahkloqrux"), c == 'c' && i > 0 && in(at(i+1), "ahkoqux") && !in(at(i-1), "sz"):
			code = "4"
		case c == 'x' && !in(at(i-1), "ckq"):
			code = "48"
		case c == 'l':
			code = "5"
		case in(c, "mn"):
			code = "6"
		case c == 'r':
			code = "7"
		case in(c, "sz"), c == 'c', in(c, "dt"), c == 'x':
			code = "8"
		}
		for k := range len(code) {
			if len(codes) == 0 || codes[len(codes)-1] != code[k] {
				codes = append(codes, code[k])
			}
		}
	}
	if len(codes) == 0 {
		return ""
	}
	return string(codes[:1]) + strings.ReplaceAll(string(codes[1:]), "0", "")
}
