package suggest_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/codes"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
	"sieb/core/value"
)

// tableOf writes sixty rows whose cells are made by their numbers, from 0.
func tableOf(header string, cells func(i int) string) string {
	var b strings.Builder
	b.WriteString(header + "\n")
	for i := range 60 {
		fmt.Fprintln(&b, cells(i))
	}
	return b.String()
}

// every returns one text for each n-th row, another one for the others.
func every(n, i int, odd, usual string) string {
	if i%n == 0 {
		return odd
	}
	return usual
}

// What a profile finds comes with what deals with it, and says with which finding.
func TestFindingsHaveCures(t *testing.T) {
	crop := func(i int) string { return []string{"wheat", "rye", "barley"}[i%3] }
	tests := []struct {
		name, column string
		cell         func(i int) string
		code         string // of the finding
		want         string
	}{
		{"a text for nothing", "{name: v}", func(i int) string { return every(20, i, "n/a", fmt.Sprint("Hof ", i)) },
			"value.placeholder", "v treat “n/a” as missing +0 /0 -0"},
		{"blanks around", "{name: v}", func(i int) string { return every(20, i, `" Hof"`, "Au") },
			"blank.around", "v take off blanks at both ends (trim) +0 /0 -0"},
		{"blanks inside", "{name: v}", func(i int) string { return every(20, i, "Hof  Au", "Hof Au") },
			"blank.inside", "v make one blank of several (squeeze) +0 /0 -0"},
		{"what does not show", "{name: v}", func(i int) string { return every(20, i, "Hof\u00a0Au", "Hof Au") },
			"blank.invisible", "v take out characters that do not show (clean) +0 /0 -0"},
		{"two spellings", "{name: v}", func(i int) string { return every(20, i, "wheat", "Wheat") }, "value.variants",
			"v recode “wheat” to “Wheat” +0 /0 -0"},
		{"few empty cells", "{name: v}", func(i int) string { return every(60, i, "", "Au") },
			"value.empty", "v demand a value in each row +0 /0 -1"},
		{"a number far away", "{name: v, datatype: integer}",
			func(i int) string { return every(60, i, "900000", fmt.Sprint(20+i%9)) },
			"number.far", "v demand no more than 28 +0 /0 -1"},
		{"a limit is there", "{name: v, datatype: integer, maximum: 1000000}",
			func(i int) string { return every(60, i, "900000", fmt.Sprint(20+i%9)) }, "number.far", ""},
		{"another shape", "{name: v}", func(i int) string { return every(60, i, "AHx1", fmt.Sprintf("AH-%04d", i)) },
			"value.shape", "v demand the form [A-Z]{2}-[0-9]{4} +0 /0 -1"},
		{"values of a set", "{name: v}", crop, "", "v allow only the 3 values “wheat”, “rye” and “barley” +0 /0 -0"},
		{"sentences are no set", "{name: v}", func(i int) string { return []string{"too wet for the silo", "fine"}[i%2] },
			"", ""},
		{"a set is there", "{name: v, oneOf: [wheat, rye, barley]}", crop, "", ""},
		{"nearly a key", "{name: v}", func(i int) string { return every(60, i, "AH-0001", fmt.Sprintf("AH-%04d", i)) },
			"key.repeated", "v demand that no value occurs twice +0 /0 -1"},
		{"required is required", "{name: v, required: true}", func(i int) string { return every(60, i, "", "Au") },
			"value.empty",
			"v let the column be empty +1 /0 -0"},
		{"nothing of a required column is missing", "{name: v, required: true}",
			func(i int) string { return every(20, i, "n/a", fmt.Sprint("Hof ", i)) }, "value.placeholder", ""},
		{"a wrong date", "{name: v, datatype: date}",
			func(i int) string { return every(20, i, "07.03.2026", fmt.Sprintf("2026-07-%02d", 1+i%28)) }, "date.formats",
			"v also accept the format dd.MM.yyyy +3 /0 -0"},
		{"a word among numbers", "{name: v, datatype: integer}",
			func(i int) string { return every(60, i, "viel", fmt.Sprint(i)) },
			"value.against", "v treat “viel” as missing +1 /0 -0"},
	}
	for _, test := range tests {
		for _, mapping := range []string{"", "mapping: m\ntarget: t\n"} {
			t.Run(test.name+map[bool]string{true: " with a mapping"}[mapping != ""], func(t *testing.T) {
				table := tableOf("w,v", func(i int) string { return "x" + fmt.Sprint(i/2) + "," + test.cell(i) })
				w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: w}\n  - "+test.column+"\n", mapping, true)
				for _, asked := range []suggest.Asked{{}, {Column: "v"}} {
					if test.code == "key.repeated" && asked.Column != "" {
						continue // what tells rows apart is asked of the whole
					}
					all := judged(t, w, asked)
					deals := map[string]bool{}
					for _, s := range all {
						for _, n := range s.Findings {
							if w.Profile.Findings[n].Code == test.code {
								deals[words([]suggest.Suggestion{s})[0]] = true
							}
						}
					}
					switch {
					case test.want == "" && test.code != "":
						assert.Empty(t, deals)
					case test.want == "":
						assert.NotContains(t, strings.Join(words(all), "\n"), "v ")
					case test.code == "":
						assert.Contains(t, words(all), test.want)
					default:
						assert.Contains(t, deals, test.want, "of all: %v", words(all))
					}
				}
			})
		}
	}
}

// What a profile takes for written in another way or misspelt is what suggestions recode, no more and no less.
func TestSpellingsAgree(t *testing.T) {
	word := rapid.SampledFrom([]string{"Weizen", "Gerste", "Roggen", "Sommergerste", "Hof Linden", "St. Peter", "A+", "1.5"})
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		var values []string
		put := func(text string, times int) {
			for range times {
				values = append(values, text)
			}
		}
		for range rapid.IntRange(1, 4).Draw(t, "words") {
			right := word.Draw(t, "word")
			put(right, rapid.SampledFrom([]int{30, 60}).Draw(t, "times"))
			for range rapid.IntRange(0, 3).Draw(t, "others") {
				text := []rune(right)
				at := rapid.IntRange(0, len(text)-1).Draw(t, "at")
				text[at] = rapid.SampledFrom([]rune("aeWnst .-é1")).Draw(t, "letter")
				put(strings.TrimSpace(string(text)), rapid.SampledFrom([]int{1, 3, 10}).Draw(t, "times"))
			}
		}
		for len(values) < 120 {
			values = append(values, "Hafer")
		}
		var table strings.Builder
		table.WriteString("n,v\n")
		for i, v := range values {
			fmt.Fprintf(&table, "%d,%q\n", i, v)
		}
		w := workOn(t, dir, table.String(), "target: t\ncolumns: [{name: n}, {name: v}]\n", "", true)
		if c := w.Profile.Columns[1]; !c.Category || c.Datatype != value.String {
			t.Skip("no category")
		}
		told, recoded := map[string]bool{}, map[string]bool{}
		for _, f := range w.Profile.Findings {
			if f.Code == "value.variants" || f.Code == "value.misspelt" {
				for _, v := range f.Filters[0].Values {
					told[v] = true
				}
			}
		}
		for _, s := range judged(t, w, suggest.Asked{Column: "v"}) {
			if s.Kind == "recode" {
				for _, v := range s.Values {
					recoded[v] = true
				}
			}
		}
		assert.Equal(t, told, recoded, "of %v", slices.Compact(values))
	})
}

// What is demanded comes behind what mends, never counts in the best order, and is no suggestion of values.
func TestDemandsMendNothing(t *testing.T) {
	table := tableOf("crop,kg", func(i int) string {
		return []string{"wheat", "rye"}[i%2] + "," + every(10, i, "?", fmt.Sprint(100+i))
	})
	w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: crop}\n  - {name: kg, datatype: integer}\n",
		"mapping: m\ntarget: t\n", true)
	all := judged(t, w, suggest.Asked{})
	seen := false
	for _, s := range all {
		if s.Kind == "rule" {
			seen = true
			assert.Equal(t, "target", s.Changes)
		} else {
			assert.True(t, !seen || s.Weakens, "%s stands behind a demand", s.Words)
		}
	}
	assert.True(t, seen)
	together, err := w.Order(context.Background(), all)
	require.NoError(t, err)
	assert.Empty(t, together.Taken, "what is made missing is lost")
	require.Len(t, together.Losing, 1)
	assert.Equal(t, int64(6), together.Losing[0].Rescued)
	for _, s := range judged(t, w, suggest.Asked{Column: "kg", Values: []string{"?"}}) {
		assert.NotEqual(t, "rule", s.Kind)
	}
}

func TestColumnsThatHoldNothingAreLeftOut(t *testing.T) {
	table := tableOf("no,nothing,crop", func(i int) string {
		return fmt.Sprint(i+1) + ",," +
			[]string{"wheat", "rye"}[i%2]
	})
	columns := "target: t\ncolumns:\n  - {name: crop, oneOf: [wheat, rye]}\n"
	for _, mapping := range []string{"", "mapping: m\ntarget: t\n"} {
		w := workOn(t, t.TempDir(), table, columns, mapping, true)
		all := judged(t, w, suggest.Asked{})
		assert.ElementsMatch(t, []string{" leave the column “no” out: it only counts the rows +0 /0 -0",
			" leave the column “nothing” out: it is always empty +0 /0 -0"}, words(all))
		for _, s := range all {
			require.Len(t, s.Findings, 1)
			assert.Contains(t, w.Profile.Findings[s.Findings[0]].Text, s.Header)
			texts, err := w.With(s.Steps)
			require.NoError(t, err)
			w := workOn(t, t.TempDir(), table, string(texts.Target), string(texts.Mapping), true)
			assert.Len(t, judged(t, w, suggest.Asked{}), 1, "what is left out is not suggested again")
		}
	}
}

func TestReferencesAndLists(t *testing.T) {
	table := tableOf("Grower,site", func(i int) string {
		return fmt.Sprintf("G%d,%s", i%7, []string{"Ahrensee", "Dornau"}[i%2])
	})
	sites, err := codes.Parse(context.Background(), "sites", []byte("code\nAhrensee\nDornau\nElmenau\n"))
	require.NoError(t, err)
	other, err := codes.Parse(context.Background(), "crops", []byte("code\nwheat\n"))
	require.NoError(t, err)
	w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: grower_no, titles: [Grower]}\n  - {name: site}\n", "", true)
	w.Tables = []suggest.Table{{Name: "t", Column: "grower_no"}, {Name: "sensors", Column: "sensor"},
		{Name: "growers", Column: "no", Titles: []string{"Grower No.", "GROWER"}}}
	w.Codes = []*codes.List{other, sites}
	plain := w.Rehearse
	w.Rehearse = func(ctx context.Context, by *target.Target) (*sift.Result, *sift.Account, error) {
		alone := *by // the rows of growers are not at hand here
		alone.ForeignKeys = nil
		return plain(ctx, &alone)
	}
	all, err := w.Find(context.Background(), suggest.Asked{})
	require.NoError(t, err)
	var said []string
	for _, s := range all {
		said = append(said, s.Column+" "+s.Words)
	}
	assert.ElementsMatch(t, []string{"grower_no demand a row of growers with this no",
		"site demand a code of the list sites"}, said)
	for _, s := range all {
		texts, err := w.With(s.Steps)
		require.NoError(t, err)
		by, err := texts.Parse()
		require.NoError(t, err)
		if strings.Contains(s.Words, "growers") {
			require.Len(t, by.ForeignKeys, 1)
			assert.Equal(t, "growers", by.ForeignKeys[0].Reference.Resource)
			again := *w
			again.Texts = texts
			twice, err := again.Find(context.Background(), suggest.Asked{Column: "grower_no"})
			require.NoError(t, err)
			for _, o := range twice {
				assert.NotContains(t, o.Words, "growers")
			}
		}
	}
}
