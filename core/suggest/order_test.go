package suggest_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/sift"
	"sieb/core/suggest"
)

// ordered returns what the best order takes, in words, with the rows mended so far.
func ordered(t *testing.T, all []suggest.Suggestion, taken []suggest.Taken) (said []string) {
	for _, one := range taken {
		at := slices.IndexFunc(all, func(s suggest.Suggestion) bool { return s.ID == one.ID })
		require.GreaterOrEqual(t, at, 0)
		said = append(said, fmt.Sprintf("%s %s: %d", all[at].Column, all[at].Words, one.Rescued))
	}
	return said
}

// The best order finds what only several suggestions mend together, and takes none that comes to nothing.
func TestOrder(t *testing.T) {
	comma := func(i int) string { return fmt.Sprintf("%d,5", i) }
	tests := []struct {
		name, header  string
		columns       []string
		cells         func(i int) string
		taken, losing []string
	}{
		{"a habit of two columns, each of which alone rescues nobody", "n;kg;pct",
			[]string{"n", "kg, datatype: decimal", "pct, datatype: decimal"},
			func(i int) string { return fmt.Sprintf("%d;%s;%s", i, comma(i), comma(i%7)) },
			[]string{"kg read numbers with a decimal comma: 0", "pct read numbers with a decimal comma: 60"}, nil},
		{"a habit of three columns, some of whose rows have only one", "n;kg;pct;day",
			[]string{"n", "kg, datatype: decimal", "pct, datatype: decimal", "day, datatype: date"},
			func(i int) string {
				if i%3 == 0 {
					return fmt.Sprintf("%d;%d.5;1.5;%02d.07.2026", i, i, 1+i%31)
				}
				return fmt.Sprintf("%d;%s;%s;%02d.07.2026", i, comma(i), comma(i%7), 1+i%31)
			},
			[]string{"day also accept the format dd.MM.yyyy: 20", "kg read numbers however they are written (number): 20",
				"pct read numbers however they are written (number): 60"}, nil},
		{"a row that repeats the key of a rescued one", "n;v", []string{"n, unique: true", "v, datatype: decimal"},
			func(i int) string { return fmt.Sprintf("%d;%d.5%s", min(i, 58), i, every(59, i+1, " cbm", "")) },
			[]string{"v take off “ cbm” (replace): 1"}, nil},
		{"a cure that one column needs and another column spoils", "n;v;w",
			[]string{"n", "v, datatype: decimal", "w, datatype: date"},
			func(i int) string { return fmt.Sprintf("%d;%s;no day at all", i, comma(i)) }, nil,
			[]string{"v read numbers with a decimal comma: 0", "w treat “no day at all” as missing: 60"}},
		{"what loses stands behind what does not", "n;v", []string{"n", "v, datatype: integer"},
			func(i int) string { return fmt.Sprintf("%d;%s", i, of("27 kg", "n/a", "17", "TEST1")(i)) },
			[]string{"v take off “ kg” (replace): 15"},
			[]string{"v leave out rows in which v begins with TEST: 30", "v treat “n/a” as missing: 45"}},
		{"a cure that comes to nothing, since another value of its rows has none", "n;v;w",
			[]string{"n", "v, datatype: integer", "w, datatype: decimal"},
			func(i int) string {
				if i%2 == 0 {
					return fmt.Sprintf("%d;%d kg;x%d", i, i, i) // what is wrong in w has no cure
				}
				return fmt.Sprintf("%d;%d;%s", i, i, comma(i))
			},
			[]string{"w read numbers with a decimal comma: 30"}, nil},
		{"columns that nothing feeds", "Ticket no;Weighing day;v",
			[]string{"ticket, required: true", "weighing, datatype: date, required: true", "v"},
			func(i int) string { return fmt.Sprintf("AH-%06d;2026-07-%02d;x", i, 1+i%31) },
			[]string{"ticket take ticket from “Ticket no”: the header shares words with ticket: 0",
				"weighing take weighing from “Weighing day”: the header shares words with weighing: 60"}, nil},
	}
	for _, test := range tests {
		for _, mapping := range []string{"", "mapping: m\ntarget: t\n"} {
			t.Run(test.name+map[bool]string{true: " with a mapping"}[mapping != ""], func(t *testing.T) {
				demands := "target: t\ncolumns:\n  - {name: " + strings.Join(test.columns, "}\n  - {name: ") + "}\n"
				w := workOn(t, t.TempDir(), tableOf(test.header, test.cells), demands, mapping, false)
				all := judged(t, w, suggest.Asked{})
				together, err := w.Order(context.Background(), all)
				require.NoError(t, err)
				said := strings.Join(words(all), "\n")
				assert.Equal(t, test.taken, ordered(t, all, together.Taken), said)
				assert.Equal(t, test.losing, ordered(t, all, together.Losing), said)
			})
		}
	}
}

// A cure that only makes rows repeat the key of a rescued row breaks nothing, and says so.
func TestRepeats(t *testing.T) {
	w := workOn(t, t.TempDir(), "n,v\n1,7 cbm\n1,7\n2,8\n", "target: t\ncolumns:\n  - {name: n, unique: true}\n"+
		"  - {name: v, datatype: decimal}\n", "", false)
	all := judged(t, w, suggest.Asked{})
	require.Equal(t, "take off “ cbm” (replace)", all[0].Words)
	assert.Equal(t, suggest.Effect{Rescued: 1, Broken: 1, Repeats: 1, Changed: 1}, *all[0].Effect)
	w = workOn(t, t.TempDir(), "n,v\n1,\"1,5\"\n2,2.5\n", "target: t\ncolumns:\n  - {name: n, unique: true}\n"+
		"  - {name: v, datatype: decimal}\n", "", false)
	for _, s := range judged(t, w, suggest.Asked{}) {
		assert.Zero(t, s.Effect.Repeats, s.Words)
	}
}

// Many values above a limit are one line with some limits to choose from, each with what it does, and do not keep the
// cures of another column away.
func TestLimitsAreOneLine(t *testing.T) {
	for _, side := range []string{"maximum", "minimum"} {
		cells := func(i int) string {
			if side == "minimum" {
				return fmt.Sprintf("%d;%d;%s", i, 1-i, of("1,5", "1.5")(i))
			}
			return fmt.Sprintf("%d;%d;%s", i, i, of("1,5", "1.5")(i))
		}
		limit := map[string]string{"maximum": "10", "minimum": "-10"}[side]
		w := workOn(t, t.TempDir(), tableOf("n;v;w", cells), "target: t\ncolumns:\n  - {name: n}\n"+
			"  - {name: v, datatype: integer, "+side+": "+limit+"}\n  - {name: w, datatype: decimal}\n", "", false)
		all := judged(t, w, suggest.Asked{})
		limits := slices.DeleteFunc(slices.Clone(all), func(s suggest.Suggestion) bool { return s.Kind != "limit" })
		require.Len(t, limits, 1)
		assert.Equal(t, map[string]string{"maximum": "raise the maximum to 59", "minimum": "lower the minimum to -58"}[side],
			limits[0].Words)
		require.Len(t, limits[0].Choices, 4)
		last := int64(0)
		for _, c := range limits[0].Choices {
			assert.Greater(t, c.Cells, last, "the nearest come first")
			last = c.Cells
			require.NotNil(t, c.Effect)
			assert.Contains(t, c.Words, c.Value)
			assert.InDelta(t, c.Cells/2, c.Effect.Rescued, 1, "every other row has another wrong value")
		}
		assert.Less(t, last, limits[0].Cells)
		assert.Equal(t, "w", all[0].Column, "what mends comes first: %v", words(all))
	}
}

// The first cures of each column stand before the second ones.
func TestColumnsTakeTurns(t *testing.T) {
	w := workOn(t, t.TempDir(), tableOf("n;v;w", func(i int) string {
		return fmt.Sprintf("%d;%s;%s", i, of("a", "b", "c", "d", "e")(i), every(10, i, "f", "wheat"))
	}), "target: t\ncolumns:\n  - {name: n}\n  - {name: v, oneOf: [x]}\n  - {name: w, oneOf: [wheat]}\n", "", false)
	all, err := w.Find(context.Background(), suggest.Asked{})
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 3)
	assert.Equal(t, []string{"v", "w", "v"}, []string{all[0].Column, all[1].Column, all[2].Column})
}

// A suggestion never says less than it does: whatever stands in neither order loses, weakens, demands or is in doubt.
func TestWhatIsInDoubtSaysWhy(t *testing.T) {
	for _, h := range habits {
		if h.fate != stays {
			continue
		}
		t.Run(h.name, func(t *testing.T) {
			w := workOn(t, t.TempDir(), h.table(1), "target: t\ncolumns:\n  - {name: n}\n  - "+h.column+"\n", "", false)
			require.NotEqual(t, sift.Accepted, w.Result.Verdict)
			for _, s := range judged(t, w, suggest.Asked{Column: "v"}) {
				assert.True(t, s.Weakens || s.Doubt != "" || s.Loses != "", s.Words)
			}
		})
	}
}

// Marks are put where all values but some have them, and letters are read as digits only where nothing else can be
// meant.
func TestLikes(t *testing.T) {
	tests := []struct {
		name, column string
		right        func(i int) string
		wrong        []string
		want, not    string
		becomes      []string
	}{
		{"a mark that is not there", "format: '[A-Z]{2}-[0-9]{6}'", str("EW-%06d", self), []string{"EW110249"},
			"put “-” after EW (replace)", "", []string{"EW-110249"}},
		{"another mark", "format: '[A-Z]{2}-[0-9]{6}'", str("EW-%06d", self), []string{"EW_110249", "AH_000001"},
			"put “-” in the place of “_” after AH or EW (replace)", "", []string{"EW-110249", "AH-000001"}},
		{"many beginnings", "format: '[A-Z]{2}-[0-9]{3}'", str("EW-%03d", self),
			[]string{"AA001", "AB001", "AC001", "AD001"}, "put “-” after the first 2 characters (replace)", "",
			[]string{"AA-001", "AB-001", "AC-001", "AD-001"}},
		{"a mark of regular expressions", "format: '[0-9]+[.][0-9]+'", func(i int) string { return fmt.Sprintf("%d.%d", 10+i%80, i%9) },
			[]string{"17+5"}, "put “.” in the place of “+” after 17 (replace)", "", []string{"17.5"}},
		{"a mark that takes a place in texts", "format: '[0-9]+[$][0-9]+'", func(i int) string { return fmt.Sprintf("%d$%d", 10+i%80, i%9) },
			[]string{"175"}, "put “$” after 17 (replace)", "", []string{"17$5"}},
		{"values of several forms have no mark", "format: '[A-Z]{2}-?[0-9]{2}'",
			func(i int) string { return of("EW-11", "EW11")(i) }, []string{"EW/11"}, "", "put ", nil},
		{"two signs more than a mark", "format: '[A-Z]{2}-[0-9]{6}'", str("EW-%06d", self), []string{"EW--1102490"}, "", "put ", nil},
		{"letters for digits", "datatype: integer", func(i int) string { return fmt.Sprint(74500 + i) },
			[]string{"7451O", "74S12", "7lB13"}, "read letters as the digits that they look like: B as 8, O as 0, S as 5, l as 1 (replace)",
			"take off", []string{"74510", "74512", "71813"}},
		{"a letter that is no digit", "datatype: integer", func(i int) string { return fmt.Sprint(74500 + i) }, []string{"7451X"},
			"", "read letters", nil},
		{"a number that is too short", "datatype: integer", func(i int) string { return fmt.Sprint(74500 + i) }, []string{"745O"},
			"", "read letters", nil},
		{"numbers of any length", "datatype: integer", str("%d", self), []string{"7451O"}, "", "take off", nil},
		{"a unit that is known", "datatype: integer", str("%d", self), []string{"7451kg"}, "take off “kg” (replace)", "read letters",
			[]string{"7451"}},
		{"litres right behind", "datatype: integer", str("%d", self), []string{"250l"}, "take off “l” (replace)", "", []string{"250"}},
		{"any unit in decimals", "datatype: decimal", str("%d.5", self), []string{"12.5x"}, "take off “x” (replace)", "",
			[]string{"12.5"}},
		{"a letter that looks like a digit in decimals", "datatype: decimal", str("%d.5", self), []string{"12.5O"}, "", "take off", nil},
		{"few values are no form", "datatype: integer", nil, []string{"7451O"}, "", "read letters", nil},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			table := "n;v\n"
			for i := range 60 {
				if test.right != nil {
					table += fmt.Sprintf("%d;%s\n", i, test.right(i))
				}
			}
			for i, v := range test.wrong {
				table += fmt.Sprintf("%d;%s\n", 60+i, v)
			}
			w := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: n}\n  - {name: v, "+test.column+"}\n", "", false)
			all := judged(t, w, suggest.Asked{Column: "v"})
			said := strings.Join(words(all), "\n")
			if test.not != "" {
				assert.NotContains(t, said, test.not)
			}
			if test.want == "" {
				return
			}
			at := slices.IndexFunc(all, func(s suggest.Suggestion) bool { return s.Words == test.want })
			require.GreaterOrEqual(t, at, 0, said)
			assert.Empty(t, all[at].Loses+all[at].Doubt)
			with, err := w.With(all[at].Steps)
			require.NoError(t, err)
			cells := cellsOf(t, w, with)
			for i, v := range test.becomes {
				assert.Equal(t, v, cells[fmt.Sprint(60+i)])
			}
		})
	}
}

// What becomes shorter than all others, which have one length, is told, and is in no order of what loses nothing.
func TestWhatBecomesShorterIsTold(t *testing.T) {
	w := workOn(t, t.TempDir(), tableOf("n;v", func(i int) string {
		return fmt.Sprintf("%d;%s", i, every(30, i, "745 t", fmt.Sprint(74500+i)))
	}), "target: t\ncolumns:\n  - {name: n}\n  - {name: v, datatype: integer}\n", "", false)
	all := judged(t, w, suggest.Asked{Column: "v"})
	at := slices.IndexFunc(all, func(s suggest.Suggestion) bool { return s.Words == "take off “ t” (replace)" })
	require.GreaterOrEqual(t, at, 0, words(all))
	assert.Equal(t, "“745 t” becomes “745”, shorter than all others", all[at].Loses)
	together, err := w.Order(context.Background(), all)
	require.NoError(t, err)
	assert.Empty(t, together.Taken)
	assert.Len(t, together.Losing, 1)
}
