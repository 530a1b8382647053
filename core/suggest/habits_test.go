package suggest_test

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
)

// habit is a way in which senders write values of a column.
type habit struct {
	name, column string
	cell         func(i int) string
	truth        func(i int) string // the cell as the table has it; "" for none
	fate         fate
}

// fate is what becomes of a habit when all suggestions are taken.
type fate int

const (
	mends    fate = iota // all cells become what they are in truth
	mendsAll             // they do where all rows are written so; in a part of them it is not to be told from a gap
	clears               // those that are missing in truth become so, which costs their words
	costs                // some of what is written goes
	leavesOf             // the rows are left out
	stays                // nothing tells what is meant, and nothing is done
)

func str(format string, of ...func(i int) int) func(i int) string {
	return func(i int) string {
		var values []any
		for _, f := range of {
			values = append(values, f(i))
		}
		return fmt.Sprintf(format, values...)
	}
}

func of(texts ...string) func(i int) string { return func(i int) string { return texts[i%len(texts)] } }

func self(i int) int      { return i }
func next(i int) int      { return i + 1 }
func sevenfold(i int) int { return 7 * i }
func tenth(i int) int     { return i % 10 }
func day(i int) int       { return 1 + i%31 }
func early(i int) int     { return 1 + i%12 }
func minute(i int) int    { return i % 60 }
func serial(i int) int    { return 46204 + i%31 } // of July 2026

var habits = []habit{
	{"whole numbers with points between thousands", "{name: v, datatype: integer}", str("%d.%03d", next, self),
		str("%d%03d", next, self), mends},
	{"whole numbers with commas between thousands", "{name: v, datatype: integer}", str("%d,%03d", next, self),
		str("%d%03d", next, self), mends},
	{"whole numbers with blanks between thousands", "{name: v, datatype: integer}", str("%d %03d", next, self),
		str("%d%03d", next, self), mends},
	{"whole numbers with a unit", "{name: v, datatype: integer}", str("%d kg", sevenfold), str("%d", sevenfold), mends},
	{"whole numbers with a unit right behind", "{name: v, datatype: integer}", str("%dkg", sevenfold),
		str("%d", sevenfold), mends},
	{"whole numbers with blanks around", "{name: v, datatype: integer}", str("\"  %d \"", sevenfold),
		str("%d", sevenfold), mends},
	{"whole numbers with the sign behind", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf("%d-", 7*i+1) }, func(i int) string { return fmt.Sprintf("-%d", 7*i+1) }, mends},
	{"whole numbers in brackets", "{name: v, datatype: integer}", str("(%d)", next), str("-%d", next), mends},
	{"decimals with commas", "{name: v, datatype: decimal}", str("%d,%d", self, tenth), str("%d.%d", self, tenth), mends},
	{"decimals with points and commas", "{name: v, datatype: decimal}", str("%d.%03d,%d", next, self, tenth),
		str("%d%03d.%d", next, self, tenth), mends},
	{"decimals with apostrophes", "{name: v, datatype: decimal}", str("%d'%03d.%d", next, self, tenth),
		str("%d%03d.%d", next, self, tenth), mends},
	{"amounts with a currency", "{name: v, datatype: decimal}", str("%d.50 EUR", self), str("%d.50", self), mends},
	{"amounts with a sign before", "{name: v, datatype: decimal}", str("$%d.50", self), str("%d.50", self), mends},
	{"floating point with commas", "{name: v, datatype: double}", str("%d,5", self), str("%d.5", self), mends},
	{"German days", "{name: v, datatype: date}", str("%02d.07.2026", day), str("2026-07-%02d", day), mends},
	{"days with two digits of the year", "{name: v, datatype: date}", str("%02d.07.26", day), str("2026-07-%02d", day), mends},
	{"days with the name of the month", "{name: v, datatype: date}", str("%d Jul 2026", day), str("2026-07-%02d", day), mends},
	{"days without zeros", "{name: v, datatype: date}", str("%d.7.2026", day), str("2026-07-%02d", day), mends},
	{"days with the month first", "{name: v, datatype: date}", str("07/%02d/2026", day), str("2026-07-%02d", day), mends},
	{"days without signs", "{name: v, datatype: date}", str("202607%02d", day), str("2026-07-%02d", day), mends},
	{"spreadsheets' day numbers", "{name: v, datatype: date}", str("%d", serial), str("2026-07-%02d", day), mends},
	{"days in two habits", "{name: v, datatype: date}",
		func(i int) string { return []string{str("%02d.07.2026", day)(i), str("2026-07-%02d", day)(i)}[i%2] },
		str("2026-07-%02d", day), mends},
	{"moments with a blank", "{name: v, datatype: dateTime}", str("2026-07-%02d 06:%02d:00", day, minute),
		str("2026-07-%02dT06:%02d:00", day, minute), mends},
	{"German moments", "{name: v, datatype: dateTime}", str("%02d.07.2026 06:%02d", day, minute),
		str("2026-07-%02dT06:%02d:00", day, minute), mends},
	{"yes and no in German", "{name: v, datatype: boolean}", of("ja", "nein"), of("true", "false"), mends},
	{"yes and no in one letter", "{name: v, datatype: boolean}", of("Y", "N"), of("true", "false"), mends},
	{"a set in capitals", "{name: v, oneOf: [wheat, rye]}", of("WHEAT", "RYE"), of("wheat", "rye"), mends},
	{"a set with double blanks", "{name: v, oneOf: [winter wheat, rye]}", of("winter  wheat", "rye"),
		of("winter wheat", "rye"), mends},
	{"a set with misspelt texts", "{name: v, oneOf: [wheat, barley]}", of("whaet", "barlei"), of("wheat", "barley"), mends},
	{"codes in small letters", "{name: v, format: '[A-Z]{2}-[0-9]{4}'}", str("ah-%04d", self), str("AH-%04d", self), mends},
	{"codes whose zeros a spreadsheet took", "{name: v, format: '[0-9]{5}'}",
		func(i int) string { return fmt.Sprint(300 + i) }, func(i int) string { return fmt.Sprintf("%05d", 300+i) }, mends},
	{"words for nothing", "{name: v, datatype: integer}", of("n/a", "17", "-"), of("", "17", ""), clears},
	{"texts of another encoding", "{name: v, oneOf: [Höhe, Tal]}", of("HÃ¶he", "Tal"), of("Höhe", "Tal"), mends},
	{"texts that are too long", "{name: v, maxLength: 8}", str("Feldweg %d", self), str("Feldweg %d", self), costs},
	{"digits that are too many", "{name: v, datatype: decimal, precision: 6, scale: 1}", str("%d.25", self),
		str("%d.25", self), costs},
	{"rows that are trials", "{name: v, datatype: integer}", str("TEST%d", self), str("%d", self), leavesOf},
	{"two units", "{name: v, datatype: integer}",
		func(i int) string { return []string{fmt.Sprintf("%d kg", 1000*i), fmt.Sprintf("%d t", i)}[i/10%2] },
		func(i int) string { return fmt.Sprint(1000 * i) }, stays},
	{"another unit than the column's", "{name: v, titles: [Net kg], datatype: integer}", str("%d t", next),
		str("%d000", next), stays},
	{"two currencies", "{name: v, datatype: decimal}",
		func(i int) string { return fmt.Sprintf("%s%d.50", []string{"$", "€"}[i/10%2], i) }, str("%d.50", self), stays},
	{"thousands that may be decimals", "{name: v, datatype: decimal}", str("%d,%03d", next, self),
		str("%d%03d", next, self), stays},
	{"letters for digits", "{name: v, datatype: integer}",
		func(i int) string {
			return strings.Replace(fmt.Sprintf("%d", 74500+i), "0", of("O", "0", "0")(i/10), 1)
		},
		func(i int) string { return fmt.Sprint(74500 + i) }, mends},
	{"letters for digits in codes", "{name: v, format: '[A-Z]{2}-[0-9]{6}'}",
		func(i int) string {
			return strings.NewReplacer("0", of("O", "0", "0")(i/10), "1", of("l", "1", "1")(i/10)).Replace(fmt.Sprintf("OS-%06d", 100*i))
		}, str("OS-%06d", func(i int) int { return 100 * i }), mends},
	{"letters for digits among numbers of any length", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprint(sevenfold(i)) + of("O", "", "")(i/10) },
		func(i int) string { return fmt.Sprint(sevenfold(i)) + of("0", "", "")(i/10) }, stays},
	{"codes without their mark", "{name: v, format: '[A-Z]{2}-[0-9]{6}'}",
		func(i int) string { return fmt.Sprintf("EW%s%06d", of("", "-", "-")(i/10), i) }, str("EW-%06d", self), mends},
	{"codes with another mark", "{name: v, format: '[A-Z]{2}-[0-9]{6}'}",
		func(i int) string { return fmt.Sprintf("%s%s%06d", of("EW", "AH")(i/20), of("/", "-", " ")(i/10), i) },
		func(i int) string { return fmt.Sprintf("%s-%06d", of("EW", "AH")(i/20), i) }, mends},
	{"what stands once for its group", "{name: v, required: true}",
		func(i int) string { return of(fmt.Sprintf("site %d", i/20), "")(min(1, i%20)) },
		func(i int) string { return fmt.Sprintf("site %d", i/20) }, mendsAll},
	{"days and months that may change places", "{name: v, datatype: date}", str("%02d/%02d/2026", early, early),
		str("2026-%02d-%02d", early, early), mends},
	{"days that are in doubt", "{name: v, datatype: date}",
		func(i int) string { return fmt.Sprintf("%02d/%02d/2026", 1+i%12, 1+i%11) },
		func(i int) string { return fmt.Sprintf("2026-%02d-%02d", 1+i%11, 1+i%12) }, stays},
	{"cells that are empty by chance", "{name: v, required: true}", of("a", "", "b", "b", "", "c"),
		of("a", "?", "b", "b", "?", "c"), stays},
}

// What is right already stands beside what is written in a habit, or not.
func (h *habit) table(everyNth int) string {
	return tableOf("n;v", func(i int) string {
		if i%everyNth != 0 {
			return fmt.Sprintf("%d;%s", i, h.truth(i))
		}
		return fmt.Sprintf("%d;%s", i, h.cell(i))
	})
}

// takeAll takes suggestions in their best order, with those that lose something or without.
func takeAll(t *testing.T, w *suggest.Work, all []suggest.Suggestion, losing bool) suggest.Texts {
	together, err := w.Order(context.Background(), all)
	require.NoError(t, err)
	taken := together.Taken
	if losing {
		taken = slices.Concat(taken, together.Losing)
	}
	texts := w.Texts
	for _, one := range taken {
		at := slices.IndexFunc(all, func(s suggest.Suggestion) bool { return s.ID == one.ID })
		require.GreaterOrEqual(t, at, 0)
		if texts, err = texts.With(all[at].Steps); err != nil {
			require.NoError(t, err, all[at].Words)
		}
	}
	return texts
}

// cellsOf returns what a run makes of the column v, by the texts of the column n.
func cellsOf(t *testing.T, w *suggest.Work, by suggest.Texts) map[string]string {
	parsed, err := by.Parse()
	require.NoError(t, err)
	rows, err := w.File.Rows(t.Context())
	require.NoError(t, err)
	out := &outcometest.Texts{}
	run := sift.Run{Source: rows, Encoding: "utf-8", Target: parsed, Outputs: out.Outputs(), Workers: 1}
	_, err = run.Do(t.Context())
	require.NoError(t, err)
	records, err := csv.NewReader(&out.Accepted).ReadAll()
	require.NoError(t, err)
	cells := map[string]string{}
	for _, r := range records[1:] {
		cells[r[0]] = r[1]
	}
	return cells
}

// isSame reports whether two cells are the same text or the same number.
func isSame(a, b string) bool {
	x, isX := new(big.Rat).SetString(a)
	y, isY := new(big.Rat).SetString(b)
	return a == b || isX && isY && x.Cmp(y) == 0
}

// Whatever a sender's habit is, whoever takes all suggestions that lose nothing has no accepted cell that differs from
// the truth, in the mapping where there is one; nor has whoever takes all, but for what he was told. Nine in ten of the
// rows that can be mended are.
func TestHabitsAreMended(t *testing.T) {
	var wrong, mended int
	for _, h := range habits {
		for _, everyNth := range []int{1, 2, 10} {
			for _, mapping := range map[bool][]string{true: {""}, false: {"mapping: m\ntarget: t\n"}}[everyNth == 2] {
				name := fmt.Sprintf("%s in 1 of %d rows%s", h.name, everyNth, map[bool]string{true: " with a mapping"}[mapping != ""])
				t.Run(name, func(t *testing.T) {
					demands := "target: t\ncolumns:\n  - {name: n}\n  - " + h.column + "\n"
					w := workOn(t, t.TempDir(), h.table(everyNth), demands, mapping, true)
					require.Positive(t, w.Result.Tally.Rejected, "the habit is no trouble")
					all := judged(t, w, suggest.Asked{})
					for _, losing := range []bool{false, true} {
						texts := takeAll(t, w, all, losing)
						if mapping != "" {
							assert.Equal(t, demands, string(texts.Target), "what the table demands stays")
						}
						cells := cellsOf(t, w, texts)
						for n, cell := range cells {
							i, err := strconv.Atoi(n)
							require.NoError(t, err)
							if h.fate != costs || !losing {
								assert.True(t, isSame(h.truth(i), cell), "%s is %s; row %s, losing %t; suggested: %s", h.truth(i), cell, n, losing, strings.Join(words(all), "; "))
							}
						}
						rows := int(w.Result.Tally.Rejected)
						gained := len(cells) - int(w.Result.Tally.Accepted)
						said := strings.Join(words(all), "; ")
						fate := h.fate
						if fate == mendsAll && everyNth == 1 {
							fate = mends
						}
						switch {
						case fate == mends && !losing, h.fate == clears && losing:
							wrong, mended = wrong+rows, mended+gained
							if gained < rows {
								t.Logf("%s: %d of %d rows are mended by: %s %v", name, gained, rows, said, all[0])
							}
						case h.fate == costs && losing:
							assert.Equal(t, rows, gained, said)
						case losing && fate == mends:
						default:
							assert.Zero(t, gained, said)
						}
					}
					for _, s := range all {
						if h.fate == clears && s.Kind == "missing" || h.fate == costs && !s.Weakens && s.Kind != "rule" {
							assert.Contains(t, s.Loses, " becomes ", s.Words)
						}
						if h.fate == leavesOf && s.Kind == "exclude" {
							assert.Contains(t, s.Loses, "not reach the table", s.Words)
						}
					}
				})
			}
		}
	}
	t.Logf("%d of %d rows are mended", mended, wrong)
	assert.GreaterOrEqual(t, float64(mended), 0.9*float64(wrong))
}

// Wherever a search is given up, it ends with the reason and with nothing half told.
func TestSuggestionsAreGivenUp(t *testing.T) {
	table := tableOf("n;v;c", func(i int) string {
		return fmt.Sprintf("%d;%s;%s", i, []string{"1,5", "n/a", "7 kg"}[i%3], []string{"wheat", "Wheat", "rye"}[i%3])
	})
	base := workOn(t, t.TempDir(), table, "target: t\ncolumns:\n  - {name: n}\n  - {name: v, datatype: decimal}\n"+
		"  - {name: c, oneOf: [wheat, rye]}\n", "mapping: m\ntarget: t\n", true)
	given := errors.New("given up")
	rehearsals := 0
	for stop := 0; ; stop++ {
		ctx, cancel := context.WithCancelCause(t.Context())
		w := *base
		rehearsals = 0
		w.Rehearse = func(ctx context.Context, by *target.Target) (*sift.Result, *sift.Account, error) {
			if rehearsals == stop {
				cancel(given)
			}
			rehearsals++
			if ctx.Err() != nil {
				return nil, nil, context.Cause(ctx)
			}
			return base.Rehearse(ctx, by)
		}
		all, err := w.Find(ctx, suggest.Asked{})
		require.NoError(t, err)
		for i := range all {
			if err = w.Judge(ctx, &all[i]); err != nil {
				assert.Nil(t, all[i].Effect)
				break
			}
		}
		var together *suggest.Together
		if err == nil {
			if together, err = w.Order(ctx, suggest.Rank(all)); err != nil {
				assert.Nil(t, together)
			}
		}
		if rehearsals <= stop {
			require.NoError(t, err, "it came to its end")
			assert.NotEmpty(t, together.Taken)
			break
		}
		require.ErrorIs(t, err, given, "given up at rehearsal %d", stop)
		cancel(nil)
	}
	assert.Greater(t, rehearsals, 5)
	ctx, cancel := context.WithCancelCause(t.Context())
	cancel(given)
	_, finding := base.Find(ctx, suggest.Asked{})
	_, spelling := base.Spellings(ctx, "c")
	for _, err := range []error{finding, spelling} {
		assert.True(t, errors.Is(err, given) || errors.Is(err, context.Canceled), "%v", err)
	}
}
