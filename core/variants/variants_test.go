package variants_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/variants"
)

// texts makes texts of "TEXT COUNT" each.
func texts(all ...string) (list []variants.Text) {
	for _, one := range all {
		at := strings.LastIndexByte(one, ' ')
		var n int64
		fmt.Sscan(one[at+1:], &n)
		list = append(list, variants.Text{Text: one[:at], Count: n})
	}
	return list
}

// said writes groups as "spelling: other (why), …".
func said(groups []variants.Family) (all []string) {
	for _, g := range groups {
		var others []string
		for _, o := range g.Others {
			others = append(others, o.Text.Text+" ("+o.Why+")")
		}
		slices.Sort(others)
		all = append(all, g.Spelling+": "+strings.Join(others, ", "))
	}
	slices.Sort(all)
	return all
}

func TestFind(t *testing.T) {
	tests := []struct {
		name  string
		texts []variants.Text
		fixed []string
		want  []string
	}{
		{"case and blanks", texts("Brunnthal 90", "brunnthal 3", "BRUNN THAL 2", "Brunnthal  1"), nil,
			[]string{"Brunnthal: BRUNN THAL (case), Brunnthal  (case), brunnthal (case)"}},
		{"accents and sharp s", texts("Mühle Süd 9", "Muhle Sud 1", "Großacker 5", "Grossacker 4"), nil,
			[]string{"Großacker: Grossacker (case)", "Mühle Süd: Muhle Sud (case)"}},
		{"the order of words", texts("Hof Linden 8", "Linden, Hof 2"), nil, []string{"Hof Linden: Linden, Hof (words)"}},
		{"a letter more, less, another, swapped", texts("Weizen 90", "Weitzen 2", "Weizn 1", "Weixen 1", "Wiezen 1"), nil,
			[]string{"Weizen: Weitzen (letters), Weixen (letters), Weizn (letters), Wiezen (letters)"}},
		{"two letters of a long text", texts("Sommergerste 60", "Somergerstte 1", "Sommergerse 1"), nil,
			[]string{"Sommergerste: Somergerstte (letters), Sommergerse (letters)"}},
		{"sound", texts("Philipp Beispiel 20", "Filip Beisspiel 1"), nil,
			[]string{"Philipp Beispiel: Filip Beisspiel (sound)"}},
		{"two frequent words that are alike", texts("Roggen 50", "Rogger 40"), nil, nil},
		{"numbers tell things apart", texts("Silo 11 90", "Silo 12 1", "Feld 7a 50", "Feld 8a 1"), nil, nil},
		{"codes", texts("AH-000101 90", "AH-000102 1"), nil, nil},
		{"short words", texts("rye 90", "ree 1", "oat 3"), nil, nil},
		{"entries of a list are never one", texts("wheat 90", "wheats 1"), []string{"wheat", "wheats"}, nil},
		{"an entry of a list is the spelling, however rare", texts("weat 90", "wheat 1"), []string{"wheat"},
			[]string{"wheat: weat (letters)"}},
		{"also one that does not occur", texts("barly 9"), []string{"barley"}, []string{"barley: barly (letters)"}},
		{"signs of writing", texts("St. Peter 9", "St Peter 1", "St.Peter 1", "Co-op 5", "Co op 1", "Coop 1"), nil,
			[]string{"Co-op: Co op (case), Coop (case)", "St. Peter: St Peter (case), St.Peter (case)"}},
		{"signs that tell things apart", texts("A 90", "A+ 5", "A- 5", "m/s 9", "ms 1", "1.5 9", "15 1", "1 5 1", "-5 9",
			"5 1", "C 9", "C# 1", "> 3 9", "3 1", "* 9", "- 1"), nil, nil},
		{"nothing", nil, nil, nil},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			assert.Equal(t, test.want, said(variants.Find(test.texts, test.fixed)))
		})
	}
}

// What is told unasked is what differs in its writing alone, what is no entry of a set, and what is far rarer.
func TestLikely(t *testing.T) {
	all := variants.Find(texts("Weizen 90", "WEIZEN 80", "Weixen 9", "Weizn 10", "Gerste 2", "Gersta 5"), []string{"Gerste"})
	likely := map[string]bool{}
	for _, f := range all {
		for _, o := range f.Likely() {
			likely[o.Text.Text] = true
		}
	}
	assert.Equal(t, map[string]bool{"WEIZEN": true, "Weixen": true, "Gersta": true}, likely)
	assert.Contains(t, said(all), "Weizen: WEIZEN (case), Weixen (letters), Weizn (letters)")
}

// Sounds as published with the method.
func TestSound(t *testing.T) {
	for text, want := range map[string]string{"mullerludenscheidt": "65752682", "wikipedia": "3412", "breschnew": "17863",
		"meyer": "67", "maier": "67", "": "", "xaver": "4837", "philip": "351"} {
		assert.Equal(t, want, variants.Sound(text), text)
	}
}

// Whatever there is, each text is in one group at the most, no spelling is a variant of another one, and
// the order of the texts changes nothing.
func TestGroupsAreApart(t *testing.T) {
	word := rapid.SampledFrom([]string{"Weizen", "Gerste", "Roggen", "Hafer", "Ahrensee", "Brunnthal", "Sommergerste"})
	rapid.Check(t, func(t *rapid.T) {
		var list []variants.Text
		known := map[string]bool{}
		for range rapid.IntRange(0, 30).Draw(t, "n") {
			text := []byte(word.Draw(t, "word"))
			for range rapid.IntRange(0, 3).Draw(t, "typos") {
				at := rapid.IntRange(0, len(text)-1).Draw(t, "at")
				text[at] = rapid.SampledFrom([]byte("aenrst ")).Draw(t, "letter")
			}
			if !known[string(text)] {
				known[string(text)] = true
				list = append(list, variants.Text{Text: string(text), Count: rapid.Int64Range(1, 100).Draw(t, "count")})
			}
		}
		fixed := rapid.SampledFrom([][]string{nil, {"Weizen", "Gerste"}}).Draw(t, "fixed")
		groups := variants.Find(list, fixed)
		met := map[string]bool{}
		for _, g := range groups {
			require.False(t, met[g.Spelling], g.Spelling)
			met[g.Spelling] = true
			require.NotEmpty(t, g.Others)
			for _, o := range g.Others {
				require.False(t, met[o.Text.Text], o.Text.Text)
				require.NotContains(t, fixed, o.Text.Text)
				met[o.Text.Text] = true
			}
		}
		shuffled := slices.Clone(list)
		rand.New(rand.NewPCG(1, 2)).Shuffle(len(shuffled),
			func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
		assert.Equal(t, said(groups), said(variants.Find(shuffled, fixed)))
	})
}

// A hundred thousand different names, in which misspellings were planted: all are found. How long it takes is
// told, and looked at by those who change it.
func TestManyNames(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 7))
	syllables := []string{"ber", "lin", "tal", "dorf", "hau", "sen", "kir", "chen", "wal", "ros", "gru", "nau", "stein",
		"feld", "mar",
		"ken", "hol", "zer", "brun", "eck"}
	known := map[string]bool{}
	var list []variants.Text
	for len(list) < 100_000 {
		name := ""
		for range 5 {
			name += syllables[random.IntN(len(syllables))]
		}
		if !known[name] {
			known[name] = true
			list = append(list, variants.Text{Text: name, Count: 10})
		}
	}
	planted := map[string]string{}
	for i := range 1000 {
		right := list[i*97].Text
		wrong := right[:4] + "q" + right[5:]
		if !known[wrong] {
			known[wrong] = true
			planted[wrong] = right
			list = append(list, variants.Text{Text: wrong, Count: 1})
		}
	}
	start := time.Now()
	groups := variants.Find(list, nil)
	t.Logf("%d texts in %s", len(list), time.Since(start))
	found := map[string]string{}
	for _, g := range groups {
		for _, o := range g.Others {
			found[o.Text.Text] = g.Spelling
		}
	}
	missed := 0
	for wrong := range planted {
		if found[wrong] == "" {
			missed++
		}
	}
	assert.Zero(t, missed)
}
