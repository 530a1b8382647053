package suggest

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"sieb/core/draft"
	"sieb/core/edit"
	"sieb/core/lexical"
	"sieb/core/sift"
	"sieb/core/source"
)

// likes counts the shapes of a column's values (lexical.AppendShape), blanks around them taken off: what its values are
// like. A value that is wrong is told by it from those that are right.
type likes map[string]int64

const (
	mostShapes = 500 // of a column, that are counted; a column with more has no form
	otherShape = "…" // counts those that are not
	enoughLike = 10  // values that make a form
)

// look is what is told of the cells of a column by a look at all rows.
type look struct {
	shapes        likes
	filled, empty int64
	same          int64  // filled cells that are as the last one above
	last          string // filled cell
}

// add counts a cell.
func (l *look) add(text string) {
	if strings.TrimFunc(text, lexical.IsBlank) == "" {
		l.empty++
		return
	}
	if l.filled++; l.last == text {
		l.same++
	}
	l.last = text
	l.shapes.add(text, 1)
}

// add counts a value so many times.
func (l likes) add(text string, n int64) {
	if text = strings.TrimFunc(text, lexical.IsBlank); text == "" {
		return
	}
	shape := otherShape
	if lexical.IsWhole([]byte(text)) {
		shape = string(lexical.AppendShape(nil, []byte(text)))
	}
	if _, isKnown := l[shape]; !isKnown && len(l) >= mostShapes {
		shape = otherShape
	}
	l[shape] += n
}

// length returns how many characters all of the values have; 0 where they differ, or are few.
func (l likes) length() (length int) {
	var values int64
	for shape, n := range l {
		switch k := utf8.RuneCountInString(shape); {
		case n <= 0:
			continue
		case shape == otherShape || length > 0 && k != length:
			return 0
		default:
			length = k
		}
		values += n
	}
	if values < enoughLike {
		return 0
	}
	return length
}

// shape returns the shape that all of the values have; "" where they differ, or are few.
func (l likes) shape() (shape string) {
	for s, n := range l {
		switch {
		case n <= 0:
		case shape != "" || s == otherShape || n < enoughLike:
			return ""
		default:
			shape = s
		}
	}
	return shape
}

// likes returns the shapes of those values of the group's column that break none of its rules; none where there are
// too many that do.
func (g *group) likes(ctx context.Context) (likes, error) {
	at, err := g.look(ctx)
	if at == nil || g.Others > 0 {
		return nil, err
	}
	of := maps.Clone(at.shapes)
	wrong, known := likes{}, map[string]bool{}
	for k := range g.b.Account.Broken {
		o := &g.b.Account.Broken[k]
		if o.Column != g.Column || !o.Action.RejectsRow() || isOfRows(o.Code) {
			continue
		}
		for _, v := range o.Values {
			if !known[v.Value] {
				known[v.Value] = true
				wrong.add(v.Value, v.Count)
			}
		}
	}
	for shape, n := range wrong {
		of[shape] -= n
	}
	return of, nil
}

// look looks at all rows, once for all groups; nil where the delivery has no such column.
func (g *group) look(ctx context.Context) (*look, error) {
	place := 0
	for _, m := range g.b.Result.Columns {
		if m.Column == g.Column {
			place = m.Place
		}
	}
	if place == 0 || g.b.File == nil {
		return nil, nil
	}
	if err := g.b.lookAtAll(ctx); err != nil || place > len(g.b.looks) {
		return nil, err
	}
	return &g.b.looks[place-1], nil
}

func (b *builder) lookAtAll(ctx context.Context) error {
	if b.looks != nil {
		return nil
	}
	rows, err := b.File.Rows(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	looks := make([]look, min(len(rows.Header().Names), most))
	for i := range looks {
		looks[i].shapes = likes{}
	}
	_, err = sift.Look(rows, b.File.Layout.Encoding, -1, func(seen *sift.ReadRow) error {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		for i, text := range seen.Cells[:min(len(seen.Cells), len(looks))] {
			looks[i].add(text)
		}
		return nil
	})
	if err == nil {
		b.looks = looks
	}
	return err
}

// lookAlikes are letters that are written for digits.
var lookAlikes = map[rune]string{'O': "0", 'o': "0", 'l': "1", 'I': "1", '|': "1", 'S': "5", 'B': "8"}

// letters proposes to read letters as the digits that they look like, where all other values have one length and only
// digits from some place on: 7451O among 74510.
func (g *group) letters(of likes) {
	length := of.length()
	from := digitsFrom(of)
	if length == 0 || from < 0 {
		return
	}
	type place struct {
		letter rune
		at     int // 0 where the letter means a digit wherever it stands
	}
	seen := map[place]bool{}
	for _, v := range g.values {
		text := []rune(strings.TrimFunc(v.Value, lexical.IsBlank))
		if len(text) != length || slices.ContainsFunc(text[from:], func(r rune) bool {
			return (r < '0' || r > '9') && lookAlikes[r] == ""
		}) {
			continue
		}
		for at, r := range text {
			if at >= from && lookAlikes[r] != "" {
				seen[place{r, at * min(from, 1)}] = true
			}
		}
	}
	places := slices.SortedFunc(maps.Keys(seen), func(a, b place) int {
		return cmp.Or(cmp.Compare(a.letter, b.letter), cmp.Compare(a.at, b.at))
	})
	if len(places) == 0 || len(places) > mostPlaces {
		return
	}
	var words []string
	var steps []edit.Step
	for _, p := range places {
		digit := lookAlikes[p.letter]
		if w := fmt.Sprintf("%c as %s", p.letter, digit); !slices.Contains(words, w) {
			words = append(words, w)
		}
		replace := map[string]any{"find": string(p.letter), "with": digit}
		if p.at > 0 { // the letters before the digits are meant
			replace = map[string]any{"pattern": fmt.Sprintf("^(.{%d})%s", p.at, regexp.QuoteMeta(string(p.letter))),
				"with": "${1}" + digit}
		}
		steps = append(steps, g.remedy(map[string]any{"replace": replace}))
	}
	g.offer("remedy", "read letters as the digits that they look like: "+strings.Join(words, ", ")+" (replace)", nil,
		steps...)
}

// mostPlaces is how many places of letters are changed at most.
const mostPlaces = 20

// digitsFrom returns from which character on the values have nothing but digits, and only letters and marks before it;
// -1 where there is none.
func digitsFrom(of likes) int {
	from := -1
	for shape, n := range of {
		if n <= 0 {
			continue
		}
		head := strings.TrimRight(shape, "9")
		k := utf8.RuneCountInString(head)
		if head == shape || from >= 0 && k != from {
			return -1
		}
		from = k
	}
	return from
}

// marks proposes to put the mark that a value lacks, or has another one for, where all other values have it: EW-110249
// where EW110249 stands.
func (g *group) marks(of likes) {
	shape := []rune(of.shape())
	type change struct {
		at   int    // of the mark in a value that is right
		has  string // what stands in its place
		head string
	}
	found := map[change]int64{}
	for at, mark := range shape {
		if at == 0 || at == len(shape)-1 || strings.ContainsRune("Aa9", mark) {
			continue
		}
		for _, v := range g.values {
			text := []rune(strings.TrimFunc(v.Value, lexical.IsBlank))
			has := ""
			switch len(text) {
			case len(shape) - 1:
			case len(shape):
				if has = string(text[at]); strings.ContainsAny(string(lexical.AppendShape(nil, []byte(has))), "Aa9") {
					continue
				}
			default:
				continue
			}
			right := string(text[:at]) + string(mark) + string(text[at+utf8.RuneCountInString(has):])
			if has != string(mark) && string(lexical.AppendShape(nil, []byte(right))) == string(shape) {
				found[change{at, has, string(text[:at])}] += v.Count
			}
		}
	}
	changes := slices.SortedFunc(maps.Keys(found), func(a, b change) int {
		return cmp.Or(cmp.Compare(found[b], found[a]), cmp.Compare(a.at, b.at), strings.Compare(a.has+a.head, b.has+b.head))
	})
	type place struct {
		at  int
		has string
	}
	heads := map[place][]string{}
	var places []place
	for _, c := range changes {
		p := place{c.at, c.has}
		if heads[p] == nil {
			places = append(places, p)
		}
		heads[p] = append(heads[p], c.head)
	}
	for _, p := range places[:min(len(places), mostMarks)] {
		mark := string(shape[p.at])
		head, named := draft.PatternOf(string(shape[:p.at]), classes), fmt.Sprintf("the first %d characters", p.at)
		if p.at == 1 {
			named = "the first character"
		}
		if len(heads[p]) <= mostMarks {
			var quotedHeads []string
			for _, h := range heads[p] {
				quotedHeads = append(quotedHeads, regexp.QuoteMeta(h))
			}
			if head, named = strings.Join(quotedHeads, "|"), alternatives(heads[p]); len(quotedHeads) > 1 {
				head = "(?:" + head + ")"
			}
		}
		words := fmt.Sprintf("put %s after %s", quoted(mark), named)
		if p.has != "" {
			words = fmt.Sprintf("put %s in the place of %s after %s", quoted(mark), quoted(p.has), named)
		}
		after := draft.PatternOf(string(shape[p.at+1:]), classes)
		g.offer("remedy", words+" (replace)", nil, g.remedy(map[string]any{"replace": map[string]any{
			"pattern": "^(" + head + ")" + regexp.QuoteMeta(p.has) + "(" + after + ")$",
			"with":    "${1}" + strings.ReplaceAll(mark, "$", "$$") + "${2}"}}))
	}
}

// mostMarks is how many changes of marks are proposed, and how many beginnings one names.
const mostMarks = 3

// alternatives names texts of which any may stand.
func alternatives(texts []string) string {
	last := len(texts) - 1
	if last == 0 {
		return texts[0]
	}
	return strings.Join(texts[:last], ", ") + " or " + texts[last]
}

// classes are the characters that the signs of a shape stand for.
var classes = map[rune]string{'A': `\p{Lu}`, 'a': `\p{L}`, '9': `[0-9]`}
