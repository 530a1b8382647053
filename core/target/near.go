package target

import (
	"slices"
	"strings"
	"unicode"
)

// nearest returns the known word that a mistyped one most likely stands for.
func nearest(word string, known []string) string {
	if len(word) > 64 {
		return ""
	}
	best, distance := "", max(2, len(word)/3)+1
	for _, k := range known {
		if d := Distance(strings.ToLower(word), strings.ToLower(k), distance); d < distance {
			best, distance = k, d
		}
	}
	return best
}

// Distance counts the insertions, deletions and changes of a character that turn a into b; most where
// they are as many or more (Levenshtein 1966).
func Distance(a, b string, most int) int {
	x, y := []rune(a), []rune(b)
	if len(x)-len(y) >= most || len(y)-len(x) >= most {
		return most
	}
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i := range x {
		diagonal := row[0]
		row[0] = i + 1
		least := row[0]
		for j := range y {
			cost := diagonal
			if x[i] != y[j] {
				cost++
			}
			diagonal = row[j+1]
			row[j+1] = min(cost, row[j]+1, diagonal+1)
			least = min(least, row[j+1])
		}
		if least >= most {
			return most
		}
	}
	return min(row[len(y)], most)
}

// Similar says why a header may stand for a title, "" where it hardly does: they differ
// in a few letters, or have the same words in another order, or one has words besides.
func Similar(header, title string) string {
	a, b := HeaderKey(header), HeaderKey(title)
	if len(a) > 64 || len(b) > 64 || a == b {
		return ""
	}
	if d := Distance(a, b, 17); 4*d <= min(len(a), len(b)) {
		return "the spelling differs little from " + title
	}
	words := func(text string) []string {
		all := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
			return !unicode.IsLetter(r) &&
				!unicode.IsDigit(r)
		})
		slices.Sort(all)
		return slices.Compact(all)
	}
	of, in := words(header), words(title)
	if len(of) > 1 && slices.Equal(of, in) {
		return "the same words as " + title
	}
	if len(of) < len(in) {
		of, in = in, of
	}
	if len(in) == 1 && len(in[0]) < 4 {
		return "" // a short word alone says little; beside others it counts
	}
	for _, w := range in {
		if !slices.Contains(of, w) {
			return ""
		}
	}
	return "the header shares words with " + title
}
