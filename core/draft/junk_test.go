package draft_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/target"
)

// draftOf drafts a target from rows under a header.
func draftOf(t require.TestingT, rows [][]string) *draft.Draft {
	dir, err := os.MkdirTemp("", "sieb")
	require.NoError(t, err)
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "delivery.csv")
	var b strings.Builder
	require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
	require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o600))
	file, err := source.Open(context.Background(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	p, err := finding.Profile(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	return draft.Of("delivery.csv", p)
}

// Junk among the rows of a good table (the header again, rows cut short, rows with an
// open quote, misspellings, numbers as 178.0, a totals line) changes no rule of the draft.
func TestDraftsLearnNothingFromJunk(t *testing.T) {
	header := []string{"no", "state", "net", "weighed_on", "remark"}
	rapid.Check(t, func(t *rapid.T) {
		random := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
		rows := make([][]string, rapid.IntRange(250, 400).Draw(t, "rows"))
		for i := range rows {
			rows[i] = []string{fmt.Sprintf("BR-%05d", i), []string{"delivered", "open", "returned"}[random.IntN(3)],
				fmt.Sprint(100 + random.IntN(800)), fmt.Sprintf("2026-07-%02d", 1+random.IntN(28)),
				strings.Repeat("x y ", 1+random.IntN(4)) + fmt.Sprint(random.IntN(1000))}
		}
		junk := [][]string{
			header,
			{"BR-90001", "deliverd", "120", "2026-07-03", "x y 1"},
			{"BR-90002", "a state that is far too long for this column, since the row is short"},
			{"BR-90003", "open", "178.0", "2026-07-04", "x y 2"},
			{"BR-90004", "open", "17", "2026-07-04", "x", "a cell too many, and so in the wrong columns", "z"},
			{"", "", "", "", ""},
			{"", "Page 2", "", "", ""},
			{"-----", "-----", "-----", "-----", "-----"},
			{"", "n/a", "", "", ""},
		}
		dirty := slices.Clone(rows)
		planted := rapid.SliceOfNDistinct(rapid.IntRange(0, len(junk)-1), 1, len(junk), rapid.ID[int]).Draw(t, "junk")
		for _, k := range planted {
			dirty = slices.Insert(dirty, 1+random.IntN(len(dirty)-1), junk[k])
		}
		if rapid.Bool().Draw(t, "totals") {
			dirty = append(dirty, []string{"Total", "", "184320", "", ""})
		}
		clean := draftOf(t, append([][]string{header}, rows...))
		got := draftOf(t, append([][]string{header}, dirty...))
		for _, d := range []*draft.Draft{clean, got} {
			for k := range d.Columns {
				slices.Sort(d.Columns[k].OneOf) // the most frequent stands first
			}
		}
		require.Equal(t, clean.Columns, got.Columns, "%v", planted)
	})
}

// A list is closed over the texts of a column only where most rows have one, and they are no remarks.
func TestListsThatAreClosed(t *testing.T) {
	texts := []string{"wet", "ok", "see slip", "late"}
	tests := []struct {
		name, header string
		cell         func(i int) string
		closed       bool
		offered      string
	}{
		{"states", "state", func(i int) string { return texts[i%4] }, true, ""},
		{"in half of the rows", "state", func(i int) string { return []string{texts[i/2%4], ""}[i%2] }, true, ""},
		{"in fewer than half", "state", func(i int) string { return []string{texts[i/3%4], "", ""}[i%3] }, false,
			"only 134 of 400 rows have one, others may follow"},
		{"remarks", "Remark", func(i int) string { return texts[i%4] }, false, "the header speaks of free text"},
		{"remarks in another language", "Interne Bemerkung", func(i int) string { return texts[i%4] }, false,
			"the header speaks of free text"},
		{"sentences", "state", func(i int) string { return []string{"ok", "was too wet to take"}[i%2] }, false,
			"\"was too wet to take\" reads like free text"},
		{"a full stop", "state", func(i int) string { return []string{"ok", "too wet."}[i%2] }, false,
			"\"too wet.\" reads like free text"},
		{"an abbreviation", "state", func(i int) string { return []string{"approx.", "exact"}[i%2] }, true, ""},
		{"a comma", "state", func(i int) string { return []string{"wet, late", "dry"}[i%2] }, false,
			"\"wet, late\" reads like free text"},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			rows := [][]string{{"no", test.header}}
			for i := range 400 {
				rows = append(rows, []string{fmt.Sprintf("BR-%05d", i), test.cell(i)})
			}
			d := draftOf(t, rows)
			text := string(d.YAML())
			assert.Equal(t, test.closed, len(d.Columns[1].OneOf) > 0, text)
			if test.offered != "" {
				assert.Contains(t, text, "# all values that occur; "+test.offered)
			}
			_, err := target.Parse(d.YAML())
			assert.NoError(t, err)
		})
	}
}

// A column that is filled in all rows but those of nothing is required; in many such rows it is a column that may be
// empty.
func TestRowsOfNothingDemandNothingLess(t *testing.T) {
	for bare, required := range map[int]bool{0: true, 1: true, 3: true, 60: false} {
		rows := [][]string{{"no", "kg", "crop", "site", "day", "remark"}}
		for i := range 200 {
			rows = append(rows, []string{fmt.Sprintf("BR-%05d", i), fmt.Sprint(100 + i%90), "wheat", "Dornau", "2026-07-01", "x"})
			if i >= 100 && i < 100+bare {
				rows = append(rows, make([]string, 6))
			}
		}
		d := draftOf(t, rows)
		assert.Equal(t, required, d.Columns[1].Required, "%d rows of nothing\n%s", bare, d.YAML())
	}
}

// A column that only counts the rows is offered to be left out.
func TestDraftOfCounters(t *testing.T) {
	rows := [][]string{{"row", "crop"}}
	for i := range 60 {
		rows = append(rows, []string{fmt.Sprint(i + 1), []string{"wheat", "rye"}[i%2]})
	}
	text := string(draftOf(t, rows).YAML())
	assert.Regexp(t, `- name: row +# only counts the rows: remove its lines to leave it out`, text)
	_, err := target.Parse([]byte(text))
	assert.NoError(t, err)
}
