package suggest_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/suggest"
	"sieb/core/target"
)

// workOn sifts a table for suggestions.
func workOn(t require.TestingT, dir, table, target_, mapping string, profiled bool) *suggest.Work {
	ctx := context.Background()
	path := filepath.Join(dir, "table.csv")
	require.NoError(t, os.WriteFile(path, []byte(table), 0o600))
	file, err := source.Open(ctx, path, layout.Given{})
	require.NoError(t, err)
	w := &suggest.Work{Texts: suggest.Texts{Target: []byte(target_)}, File: file, Account: &sift.Account{}}
	if mapping != "" {
		w.Mapping = []byte(mapping)
	}
	parsed, err := w.Parse()
	require.NoError(t, err)
	run := &report.Run{Delivery: file, Target: parsed}
	w.Rehearse = func(ctx context.Context, t *target.Target) (*sift.Result, *sift.Account, error) {
		one, account := *run, &sift.Account{}
		one.Target = t
		result, err := one.Rehearse(ctx, account, 0)
		return result, account, err
	}
	w.Result, err = run.Rehearse(ctx, w.Account, 0)
	require.NoError(t, err)
	if profiled {
		w.Profile, err = finding.Profile(ctx, file, profile.Options{})
		require.NoError(t, err)
	}
	return w
}

// judged finds suggestions, and tries all of them.
func judged(t require.TestingT, w *suggest.Work, asked suggest.Asked) []suggest.Suggestion {
	all, err := w.Find(context.Background(), asked)
	require.NoError(t, err)
	for i := range all {
		require.NoError(t, w.Judge(context.Background(), &all[i]))
	}
	return suggest.Rank(all)
}

// words returns what suggestions say, with rescued, left out and broken rows.
func words(all []suggest.Suggestion) (said []string) {
	for _, s := range all {
		said = append(said, fmt.Sprintf("%s %s +%d /%d -%d", s.Column, s.Words, s.Effect.Rescued, s.Effect.Excluded,
			s.Effect.Broken))
	}
	return said
}

// Each kind of violation has the cures that a steward would think of first.
func TestCures(t *testing.T) {
	tests := []struct {
		name, column string
		values       []string
		want         []string
	}{
		{"words for nothing", "{name: v, datatype: integer}", []string{"1", "n/a", "n/a", "-", "2"},
			[]string{"v treat “n/a” and “-” as missing +3 /0 -0", "v treat “n/a” as missing +2 /0 -0"}},
		{"a required column has no missing values", "{name: v, datatype: integer, required: true}", []string{"1", "n/a"},
			nil},
		{"numbers in another habit", "{name: v, datatype: decimal}", []string{"1,5", "2,5", "3,25"},
			[]string{"v read numbers however they are written (number) +3 /0 -0",
				"v read numbers with a decimal comma +3 /0 -0"}},
		{"units", "{name: v, datatype: integer}", []string{"250 kg", "300 kg", "7"},
			[]string{"v take off “ kg” (replace) +2 /0 -0"}},
		{"trials", "{name: v, datatype: integer}", []string{"TEST1", "TEST2", "7"},
			[]string{"v leave out rows in which v begins with TEST +0 /2 -0"}},
		{"blanks", "{name: v, oneOf: [wheat, rye]}", []string{"wheat", "  rye", "rye"},
			[]string{"v take off blanks at both ends (trim) +1 /0 -0"}},
		{"letter case", "{name: v, format: '[A-Z]{2}[0-9]+'}", []string{"AH1", "ah2", "ah3"},
			[]string{"v make capitals (upper) +2 /0 -0"}},
		{"zeros that a spreadsheet took", "{name: v, format: '[0-9]{5}'}", []string{"00486", "486"},
			[]string{"v put zeros before it, up to 5 characters (pad) +1 /0 -0"}},
		{"a misspelt code", "{name: v, oneOf: [wheat, barley]}", []string{"wheat", "wheaat", "Barley"},
			[]string{"v make small letters (lower) +1 /0 -0", "v recode 2 values to those that they likely mean +2 /0 -0",
				"v recode “wheaat” to “wheat” +1 /0 -0", "v allow “wheaat” +1 /0 -0"}},
		{"a short code is not misspelt", "{name: v, oneOf: [A1, A2]}", []string{"A1", "A3"},
			[]string{"v allow “A3” +1 /0 -0"}},
		{"a limit", "{name: v, datatype: integer, maximum: 40}", []string{"41", "45", "3"},
			[]string{"v raise the maximum to 45 +2 /0 -0",
				"v blank what is above the maximum instead of rejecting the row +2 /0 -0"}},
		{"a day before the first", "{name: v, datatype: date, minimum: 2026-02-01}", []string{"2026-01-31", "2026-02-03"},
			[]string{"v lower the minimum to 2026-01-31 +1 /0 -0"}},
		{"too many digits", "{name: v, datatype: decimal, precision: 4, scale: 1}", []string{"1.25", "1.5"},
			[]string{"v round to 1 digit after the point +1 /0 -0", "v allow 2 digits after the point +1 /0 -0"}},
		{"another form of dates", "{name: v, datatype: date}", []string{"31.01.2026", "2026-02-28"},
			[]string{"v also accept the format dd.MM.yyyy +1 /0 -0"}},
		{"a long text", "{name: v, maxLength: 5}", []string{"abcdefg", "abc"},
			[]string{"v keep the first 5 characters (cut) +1 /0 -0", "v allow up to 7 characters +1 /0 -0"}},
		{"cells that are empty", "{name: v, required: true}", []string{"a", "", "b", "c", "d", "e", "f"},
			[]string{"v let the column be empty +1 /0 -0"}},
		{"cells that are meant to be as above", "{name: v, required: true}", []string{"a", "", ""},
			[]string{"v take what stands in the last filled cell above (carryDown) +2 /0 -0"}},
		{"yes and no", "{name: v, datatype: boolean, format: ja|nein}", []string{"ja", "Yes", "nein"},
			[]string{"v read yes and no however they are written (boolean) +1 /0 -0"}},
	}
	for _, test := range tests {
		for _, mapping := range []string{"", "mapping: m\ntarget: t\ncolumns: {}\n"} {
			t.Run(test.name+map[bool]string{true: " with a mapping"}[mapping != ""], func(t *testing.T) {
				table := "n,v\n"
				for i, v := range test.values {
					table += fmt.Sprintf("%d,%q\n", i, v)
				}
				w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: n}\n  - "+test.column+"\n", mapping, false)
				all := judged(t, w, suggest.Asked{Column: "v"})
				said := words(all)
				for _, want := range test.want {
					assert.Contains(t, said, want)
				}
				if test.want == nil {
					assert.Empty(t, slices.DeleteFunc(all, func(s suggest.Suggestion) bool { return s.Weakens }))
				}
				for _, s := range all {
					assert.Equal(t, s.Weakens || mapping == "", s.Changes == "target", "%s: what the table demands is "+
						"the target's, how the sender writes the mapping's", s.Words)
				}
			})
		}
	}
}

func TestAskedValues(t *testing.T) {
	w := workOn(t, t.TempDir(), "v\n41\n45\nx\n1\n", "target: t\ncolumns:\n  - {name: v, datatype: integer, maximum: 40}\n", "", false)
	all := judged(t, w, suggest.Asked{Column: "v", Values: []string{"41"}})
	assert.Contains(t, words(all), "v raise the maximum to 41 +1 /0 -0")
	for _, s := range all {
		assert.NotContains(t, s.Words, "45 ")
	}
}

func TestPairs(t *testing.T) {
	table := "Ticket,Weighed at,Crop kind\nAH-000001,2026-07-01,wheat\nAH-000002,2026-07-02,rye\n"
	w := workOn(t, t.TempDir(), table, `target: t
columns:
  - {name: ticket, required: true}
  - {name: weighed, datatype: date, required: true}
  - {name: crop, oneOf: [wheat, rye], required: true}
`, "mapping: m\ntarget: t\n", false)
	assert.Equal(t, sift.Refused, w.Result.Verdict)
	all := judged(t, w, suggest.Asked{})
	said := words(all)
	assert.Contains(t, said, "weighed take weighed from “Weighed at”: the header shares words with weighed +0 /0 -0",
		"alone it does not help: another column is missing")
}

// Where names tell what belongs together, values that fit as well do not.
func TestNamesTellMoreThanValues(t *testing.T) {
	table := "Feuchte pct;Protein pct;Bruttogewicht\n"
	for i := range 30 {
		table += fmt.Sprintf("1%d,5;1%d,2;2%d,0\n", i%5, i%3, i%7)
	}
	w := workOn(t, t.TempDir(), table, `target: t
columns:
  - {name: moisture_pct, titles: [Feuchte], datatype: decimal, required: true}
  - {name: protein, datatype: decimal, required: true}
  - {name: tare_kg, datatype: decimal}
`, "mapping: m\ntarget: t\n", false)
	all, err := w.Find(context.Background(), suggest.Asked{Pairs: true})
	require.NoError(t, err)
	var said []string
	for _, s := range all {
		from, _, _ := strings.Cut(s.Words, ",")
		said = append(said, from)
	}
	assert.ElementsMatch(t, []string{"take moisture_pct from “Feuchte pct”", "take protein from “Protein pct”",
		"take tare_kg from “Bruttogewicht”"}, said)
}

// What a required column lacks is looked for among all that is left, and said to be in doubt where more than one fits;
// nothing is left out while it may be meant.
func TestPairsOfRequiredColumns(t *testing.T) {
	tests := []struct {
		name, header, columns string
		want, not             []string
		doubt                 string
	}{
		{"the only one left", "no;Abnehmer", "{name: no}\n  - {name: customer, required: true}",
			[]string{"take customer from “Abnehmer”"}, nil, ""},
		{"several that fit", "no;Abnehmer;Ort", "{name: no}\n  - {name: customer, required: true}",
			[]string{"take customer from “Abnehmer”", "take customer from “Ort”"}, nil, "the values of "},
		{"what is not required is not guessed", "no;Abnehmer", "{name: no}\n  - {name: customer}", nil,
			[]string{"take customer"}, ""},
		{"two that want the same", "no;Abnehmer", "{name: no}\n  - {name: a, required: true}\n  - {name: b, required: true}",
			[]string{"take a from “Abnehmer”", "take b from “Abnehmer”"}, nil, "its values fit "},
		{"a column of nothing is kept while one is wanting", "no;;Leer", "{name: no}\n  - {name: customer, required: true}",
			nil, []string{"leave the column"}, ""},
		{"the only dates", "no;Reading Read on;x", "{name: no}\n  - {name: reading}\n  - {name: day, datatype: date}",
			[]string{"take day from “Reading Read on”, in the format dd.MM.yyyy: the only dates that nothing feeds, and the " +
				"only ones that feed nothing"}, nil, ""},
	}
	cells := map[string]func(i int) string{"no": str("%d", self), "Abnehmer": str("hof %d", self), "Ort": of("Dornau", "Elmenau"),
		"": of(""), "Leer": of(""), "Reading Read on": str("%02d.07.2026", day), "x": str("%d", sevenfold)}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			table := tableOf(test.header, func(i int) string {
				var row []string
				for _, h := range strings.Split(test.header, ";") {
					row = append(row, cells[h](i))
				}
				return strings.Join(row, ";")
			})
			w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - "+test.columns+"\n", "mapping: m\ntarget: t\n", true)
			all := judged(t, w, suggest.Asked{})
			said := strings.Join(words(all), "\n")
			for _, want := range test.want {
				at := slices.IndexFunc(all, func(s suggest.Suggestion) bool { return s.Words == want })
				require.GreaterOrEqual(t, at, 0, said)
				assert.True(t, test.doubt == "" && all[at].Doubt == "" || test.doubt != "" &&
					strings.HasPrefix(all[at].Doubt, test.doubt), "%s: %q", want, all[at].Doubt)
			}
			for _, not := range test.not {
				assert.NotContains(t, said, not)
			}
			together, err := w.Order(context.Background(), all)
			require.NoError(t, err)
			assert.Equal(t, test.doubt == "" && len(test.want) > 0 && strings.Contains(test.columns, "required"),
				len(together.Taken) > 0, "what is in doubt is for a person: %s", said)
		})
	}
}

// Values tell what feeds a column, in whatever habit they are written; what that is, is part of the suggestion.
func TestPairsInOtherHabits(t *testing.T) {
	table := "Beleg;Am;Menge;Bio\n"
	for i := range 30 {
		table += fmt.Sprintf("AH-%06d;%02d.07.2026;1.2%02d,5;%s\n", i, 1+i, i, []string{"ja", "nein"}[i%2])
	}
	columns := `target: t
columns:
  - {name: weighed_on, datatype: date, required: true}
  - {name: kg, datatype: decimal}
  - {name: organic, datatype: boolean}
  - {name: remarks}
`
	for _, mapping := range []string{"", "mapping: m\ntarget: t\n"} {
		w := workOn(t, t.TempDir(), table, columns, mapping, false)
		all, err := w.Find(context.Background(), suggest.Asked{Pairs: true})
		require.NoError(t, err)
		var said []string
		texts := w.Texts
		for _, s := range all {
			said = append(said, s.Words)
			assert.Equal(t, int64(30), s.Cells)
			texts, err = texts.With(s.Steps)
			require.NoError(t, err)
		}
		assert.ElementsMatch(t, []string{"take weighed_on from “Am”, in the format dd.MM.yyyy: the only dates that nothing feeds, and the only " +
			"ones that feed nothing",
			"take kg from “Menge”, with decimalChar \",\" and groupChar \".\"",
			"take organic from “Bio”, in the format ja|nein"}, said)
		paired := workOn(t, t.TempDir(), table, string(texts.Target), string(texts.Mapping), false)
		assert.Equal(t, sift.Tally{Read: 30, Accepted: 30}, paired.Result.Tally)
	}
}

func TestExclusionsAndRules(t *testing.T) {
	table := "no,kind,gross,tare,net\n"
	for i := range 60 {
		kind := "delivery"
		if i%20 == 0 {
			kind = "trial"
		}
		table += fmt.Sprintf("%d,%s,%d,%d,%d\n", i, kind, 9000+7*i, 100+i*i, 8900+7*i-i*i)
	}
	w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: no}\n  - {name: kind}\n"+
		"  - {name: gross, datatype: integer}\n  - {name: tare, datatype: integer}\n  - {name: net, datatype: integer}\n",
		"mapping: m\ntarget: t\n", true)
	said := words(judged(t, w, suggest.Asked{}))
	assert.Contains(t, said, " leave out rows in which kind is trial +0 /3 -0")
	assert.Contains(t, said, " demand that gross is the sum of tare and net +0 /0 -0")
}

func TestNothingIsSuggestedOfWhatIsRight(t *testing.T) {
	w := workOn(t, t.TempDir(), "a,b\n1,x\n2,y\n", "target: t\ncolumns:\n  - {name: a, datatype: integer}\n  - {name: b}\n",
		"", true)
	assert.Empty(t, words(judged(t, w, suggest.Asked{})))
}

func TestStepsNeedTheirText(t *testing.T) {
	w := workOn(t, t.TempDir(), "v\nx\n", "target: t\ncolumns:\n  - {name: v, datatype: integer}\n",
		"mapping: m\ntarget: t\n",
		false)
	all := judged(t, w, suggest.Asked{})
	require.NotEmpty(t, all)
	w.Mapping = nil
	_, err := w.With(all[0].Steps)
	assert.ErrorContains(t, err, "there is no mapping")
}

// sidesOf reads from what a run writes where each row ended, with the reasons.
func sidesOf(t require.TestingT, w *suggest.Work, by *target.Target) (rejected, excluded map[string]string,
	tally sift.Tally) {
	ctx := context.Background()
	rows, err := w.File.Rows(ctx)
	require.NoError(t, err)
	out := &outcometest.Texts{}
	run := sift.Run{Source: rows, Encoding: "utf-8", Target: by, Outputs: out.Outputs(), Workers: 1,
		Again: func(ctx context.Context) (source.Source, error) { return w.File.Rows(ctx) }}
	result, err := run.Do(ctx)
	require.NoError(t, err)
	read := func(text *outcometest.Buffer) map[string]string {
		records, err := csv.NewReader(text).ReadAll()
		require.NoError(t, err)
		reasons := map[string]string{}
		for _, r := range records[1:] {
			reasons[r[0]] = r[2]
		}
		return reasons
	}
	return read(&out.Rejected), read(&out.Excluded), result.Tally
}

// Every number that a suggestion states is what a run with it gives: the files of runs without and with it
// are compared row by row. So is the best order of several.
func TestNumbersAreThoseOfARun(t *testing.T) {
	dir := t.TempDir()
	cells := map[string]*rapid.Generator[string]{
		"no":   rapid.SampledFrom([]string{"1", "2", "3", "4", "5", "6", "7", "8", "9"}),
		"day":  rapid.SampledFrom([]string{"2026-07-01", "2026-07-02", "03.07.2026", "4.7.26", "n/a", "", "2026-02-30"}),
		"crop": rapid.SampledFrom([]string{"wheat", "rye", "Rye", " rye", "wheatt", "maize", "-", ""}),
		"kg":   rapid.SampledFrom([]string{"5", "50", "500", "1.25", "1,5", "x", "?", "", "7"}),
		"kind": rapid.SampledFrom([]string{"delivery", "delivery", "delivery", "delivery", "trial"}),
	}
	columns := []string{"no", "day", "crop", "kg", "kind"}
	demands := "target: t\ncolumns:\n  - {name: no, datatype: integer%s}\n  - {name: day, datatype: date}\n" +
		"  - {name: crop, oneOf: [wheat, rye]%s}\n  - {name: kg, datatype: decimal, precision: 4, scale: 1, minimum: 6, maximum: 60}\n" +
		"  - {name: kind}\n"
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.IntRange(1, 40).Draw(t, "rows")
		var b strings.Builder
		w := csv.NewWriter(&b)
		require.NoError(t, w.Write(columns))
		for range rows {
			var record []string
			for _, c := range columns {
				record = append(record, cells[c].Draw(t, c))
			}
			require.NoError(t, w.Write(record))
		}
		w.Flush()
		text := fmt.Sprintf(demands, rapid.SampledFrom([]string{"", ", unique: true"}).Draw(t, "key"),
			rapid.SampledFrom([]string{"", ", required: true"}).Draw(t, "required"))
		if rapid.Bool().Draw(t, "rule") {
			text += "rowRules:\n  - {name: r, condition: kg < 100}\n"
		}
		mapping := rapid.SampledFrom([]string{"", "mapping: m\ntarget: t\ncolumns:\n  crop: {remedies: [trim]}\n"}).Draw(t,
			"mapping")
		work := workOn(t, dir, b.String(), text, mapping, rapid.Bool().Draw(t, "profiled"))
		read := work.Result.Tally.Read
		base, err := work.Parse()
		require.NoError(t, err)
		rejected, excluded, before := sidesOf(t, work, base)
		all := judged(t, work, suggest.Asked{})
		byID := map[string]suggest.Suggestion{}
		for _, s := range all {
			byID[s.ID] = s
			after, err := work.With(s.Steps)
			require.NoError(t, err)
			by, err := after.Parse()
			require.NoError(t, err)
			stays, leaves, _ := sidesOf(t, work, by)
			var want suggest.Effect
			repeats := int64(0)
			for row := range int(read) {
				n := fmt.Sprint(row + 1)
				was := rejected[n] != "" || excluded[n] != ""
				switch {
				case leaves[n] != "" && excluded[n] == "":
					want.Excluded++
				case leaves[n] != "":
				case stays[n] != "" && !was:
					want.Broken++
					if strings.Count(stays[n], " [") == strings.Count(stays[n], "[key.duplicate]") {
						repeats++
					}
				case stays[n] == "" && was:
					want.Rescued++
				}
			}
			want.Changed, want.Repeats = s.Effect.Changed, s.Effect.Repeats
			assert.LessOrEqual(t, s.Effect.Repeats, repeats, s.Words)
			assert.Equal(t, want, *s.Effect, s.Words)
		}
		together, err := work.Order(context.Background(), all)
		require.NoError(t, err)
		assert.Equal(t, before.Rejected, together.Rejected)
		taken := work.Texts
		for _, next := range slices.Concat(together.Taken, together.Losing) {
			taken, err = taken.With(byID[next.ID].Steps)
			require.NoError(t, err)
			by, err := taken.Parse()
			require.NoError(t, err)
			stays, _, _ := sidesOf(t, work, by)
			mended := int64(0)
			for n := range rejected {
				if stays[n] == "" {
					mended++
				}
			}
			assert.Equal(t, mended, next.Rescued, byID[next.ID].Words)
		}
	})
}
