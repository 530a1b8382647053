package suggest_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/sift"
	"sieb/core/suggest"
	"sieb/core/target"
)

// habits are ways in which senders write values of each datatype, with what the column demands.
var habits = []struct {
	name, column string
	cell         func(i int) string
}{
	{"whole numbers with points between thousands", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf("%d.%03d", 1+i, i) }},
	{"whole numbers with commas between thousands", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf("%d,%03d", 1+i, i) }},
	{"whole numbers with blanks between thousands", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf("%d %03d", 1+i, i) }},
	{"whole numbers with a unit", "{name: v, datatype: integer}", func(i int) string { return fmt.Sprintf("%d kg", 7*i) }},
	{"whole numbers with blanks around", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf(`"  %d "`, 7*i) }},
	{"whole numbers with the sign behind", "{name: v, datatype: integer}",
		func(i int) string { return fmt.Sprintf("%d-", 7*i+1) }},
	{"decimals with commas", "{name: v, datatype: decimal}", func(i int) string { return fmt.Sprintf("%d,%d", i, i%10) }},
	{"decimals with points and commas", "{name: v, datatype: decimal}",
		func(i int) string { return fmt.Sprintf("%d.%03d,%d", 1+i, i, i%10) }},
	{"decimals with apostrophes", "{name: v, datatype: decimal}",
		func(i int) string { return fmt.Sprintf("%d'%03d.%d", 1+i, i, i%10) }},
	{"amounts with a currency", "{name: v, datatype: decimal}", func(i int) string { return fmt.Sprintf("%d.50 EUR", i) }},
	{"floating point with commas", "{name: v, datatype: double}", func(i int) string { return fmt.Sprintf("%d,5", i) }},
	{"German days", "{name: v, datatype: date}", func(i int) string { return fmt.Sprintf("%02d.07.2026", 1+i%31) }},
	{"days without zeros", "{name: v, datatype: date}", func(i int) string { return fmt.Sprintf("%d.7.2026", 1+i%31) }},
	{"days with the month first", "{name: v, datatype: date}", func(i int) string { return fmt.Sprintf("07/%02d/2026", 1+i%31) }},
	{"days without signs", "{name: v, datatype: date}", func(i int) string { return fmt.Sprintf("202607%02d", 1+i%31) }},
	{"spreadsheets' day numbers", "{name: v, datatype: date}", func(i int) string { return fmt.Sprint(46000 + i) }},
	{"days in two habits", "{name: v, datatype: date}", func(i int) string {
		return []string{fmt.Sprintf("%02d.07.2026", 1+i%31), fmt.Sprintf("2026-07-%02d", 1+i%31)}[i%2]
	}},
	{"moments with a blank", "{name: v, datatype: dateTime}",
		func(i int) string { return fmt.Sprintf("2026-07-%02d 06:%02d:00", 1+i%31, i) }},
	{"German moments", "{name: v, datatype: dateTime}",
		func(i int) string { return fmt.Sprintf("%02d.07.2026 06:%02d", 1+i%31, i) }},
	{"yes and no in German", "{name: v, datatype: boolean}", func(i int) string { return []string{"ja", "nein"}[i%2] }},
	{"yes and no in one letter", "{name: v, datatype: boolean}", func(i int) string { return []string{"Y", "N"}[i%2] }},
	{"a set in capitals", "{name: v, oneOf: [wheat, rye]}", func(i int) string { return []string{"WHEAT", "RYE"}[i%2] }},
	{"a set with double blanks", "{name: v, oneOf: [winter wheat, rye]}",
		func(i int) string { return []string{"winter  wheat", "rye"}[i%2] }},
	{"codes in small letters", "{name: v, format: '[A-Z]{2}-[0-9]{4}'}",
		func(i int) string { return fmt.Sprintf("ah-%04d", i) }},
	{"codes whose zeros a spreadsheet took", "{name: v, format: '[0-9]{5}'}", func(i int) string { return fmt.Sprint(300 + i) }},
	{"words for nothing", "{name: v, datatype: integer}", func(i int) string { return []string{"n/a", "17", "-"}[i%3] }},
	{"texts of another encoding", "{name: v, oneOf: [Höhe, Tal]}", func(i int) string { return []string{"HÃ¶he", "Tal"}[i%2] }},
	{"texts that are too long", "{name: v, maxLength: 8}", func(i int) string { return fmt.Sprintf("Feldweg %d", i) }},
	{"digits that are too many", "{name: v, datatype: decimal, precision: 6, scale: 1}",
		func(i int) string { return fmt.Sprintf("%d.25", i) }},
}

// Whatever a sender's habit is, a suggestion that weakens nothing mends all rows, in the mapping where there is one;
// and the target, or the mapping, with it says so when it is run.
func TestHabitsAreMended(t *testing.T) {
	for _, h := range habits {
		for _, mapping := range []string{"", "mapping: m\ntarget: t\n"} {
			t.Run(h.name+map[bool]string{true: " with a mapping"}[mapping != ""], func(t *testing.T) {
				table := tableOf("n;v", func(i int) string { return fmt.Sprintf("%d;%s", i, h.cell(i)) })
				demands := "target: t\ncolumns:\n  - {name: n}\n  - " + h.column + "\n"
				w := workOn(t, t.TempDir(), table, demands, mapping, false)
				require.Positive(t, w.Result.Tally.Rejected, "the habit is no trouble")
				all := judged(t, w, suggest.Asked{})
				together, err := w.Order(context.Background(), all)
				require.NoError(t, err)
				require.NotEmpty(t, together.Taken, "of: %s", strings.Join(words(all), "; "))
				texts := w.Texts
				for _, taken := range together.Taken {
					for _, s := range all {
						if s.ID == taken.ID {
							assert.Equal(t, mapping == "", s.Changes == "target", s.Words)
							texts, err = texts.With(s.Steps)
							require.NoError(t, err)
						}
					}
				}
				after := workOn(t, t.TempDir(), table, string(texts.Target), string(texts.Mapping), false)
				assert.Equal(t, sift.Tally{Read: 60, Accepted: 60}, after.Result.Tally, "with %s", texts.Target)
				if mapping != "" {
					assert.Equal(t, demands, string(texts.Target), "what the table demands stays")
				}
			})
		}
	}
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
