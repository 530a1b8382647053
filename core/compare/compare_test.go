package compare_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/compare"
	"sieb/core/layout"
	"sieb/core/rfc4180"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/violation"
)

func rows(t require.TestingT, text string) source.Source {
	r, err := source.NewReader(strings.NewReader(text),
		layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined})
	require.NoError(t, err)
	return r
}

func TestByKey(t *testing.T) {
	ctx := context.Background()
	before := "no,crop,kg\nA,wheat,1\nB,rye,2\nC,oats,3\n"
	after := "kg,no,crop\n1,A,wheat\n9,B,rye\n4,D,\"ry,e\"\n"
	got, err := compare.ByKey(ctx, rows(t, before), rows(t, after), []string{"no"})
	require.NoError(t, err)
	assert.Equal(t, &compare.Rows{Key: []string{"no"}, New: 1, Gone: 1, Changed: 1, Same: 1, NewKeys: [][]string{{"D"}},
		GoneOf: [][]string{{"C"}}, Others: [][]string{{"B"}}}, got, "the order of columns is no difference")
	_, err = compare.ByKey(ctx, rows(t, before), rows(t, "x\n1\n"), []string{"no"})
	assert.ErrorContains(t, err, `no column "no"`)
	stopped, stop := context.WithCancel(ctx)
	stop()
	_, err = compare.ByKey(stopped, rows(t, before), rows(t, after), []string{"no"})
	assert.ErrorIs(t, err, context.Canceled)
}

// The comparison agrees with a slow and obvious one, whatever the texts.
func TestByKeyAgainstMaps(t *testing.T) {
	cell := rapid.OneOf(rapid.SampledFrom([]string{"", "a", "b", "a,b", "1:a", "\"", "é"}),
		rapid.StringMatching(`[a-c:0-9,]{0,3}`))
	rapid.Check(t, func(t *rapid.T) {
		table := func(name string) (text string, all map[[2]string]string) {
			all = map[[2]string]string{}
			body := rfc4180.AppendRow(nil, "k", "l", "v")
			for range rapid.IntRange(0, 12).Draw(t, name) {
				key := [2]string{cell.Draw(t, "k"), cell.Draw(t, "l")}
				if _, has := all[key]; has {
					continue
				}
				all[key] = cell.Draw(t, "v")
				body = rfc4180.AppendRow(body, key[0], key[1], all[key]+"x")
			}
			return string(body), all
		}
		a, was := table("before")
		b, is := table("after")
		got, err := compare.ByKey(context.Background(), rows(t, a), rows(t, b), []string{"k", "l"})
		require.NoError(t, err)
		var want [4]int64
		for key, v := range is {
			old, has := was[key]
			switch {
			case !has:
				want[0]++
			case old == v:
				want[3]++
			default:
				want[2]++
			}
		}
		for key := range was {
			if _, has := is[key]; !has {
				want[1]++
			}
		}
		assert.Equal(t, want, [4]int64{got.New, got.Gone, got.Changed, got.Same})
		assert.Len(t, got.NewKeys, int(got.New))
		assert.Len(t, got.GoneOf, int(got.Gone))
	})
}

func outputs(t require.TestingT, rejected, excluded []int) compare.Outputs {
	text := func(rows []int) string {
		var b strings.Builder
		b.WriteString("row,line,reasons,a\n")
		for _, r := range rows {
			fmt.Fprintf(&b, "%d,%d,why,x\n", r, r+1)
		}
		return b.String()
	}
	return compare.Outputs{Rejected: rows(t, text(rejected)), Excluded: rows(t, text(excluded))}
}

func TestBySide(t *testing.T) {
	got, err := compare.BySide(context.Background(), outputs(t, []int{2, 3, 5}, []int{7}),
		outputs(t, []int{3, 7, 9}, []int{5}))
	require.NoError(t, err)
	assert.Equal(t, sift.Shift{Gained: 1, Lost: 1, Mended: 2, Excluded: 1, Readmitted: 1, SameCount: true}, got.Shift)
	assert.Equal(t, []compare.Moved{{Row: 2, Was: "rejected", Is: "accepted"}, {Row: 5, Was: "rejected", Is: "excluded"},
		{Row: 7, Was: "excluded", Is: "rejected"}, {Row: 9, Was: "accepted", Is: "rejected"}}, got.Rows)
	broken := compare.Outputs{Rejected: rows(t, "row\nx\n"), Excluded: rows(t, "row\n")}
	_, err = compare.BySide(context.Background(), broken, outputs(t, nil, nil))
	assert.ErrorContains(t, err, "an output is damaged")
}

func TestCounts(t *testing.T) {
	group := func(column string, rows int64) sift.Group {
		return sift.Group{Counted: sift.Counted{Code: violation.RangeHigh, Column: column, Rows: rows}}
	}
	got := compare.Violations([]sift.Group{group("a", 5), group("b", 2), group("c", 1)},
		[]sift.Group{group("a", 5), group("b", 9),
			group("d", 0)})
	assert.Equal(t, []compare.Counts{{Column: "b", What: "range.high", Before: 2, After: 9},
		{Column: "c", What: "range.high", Before: 1},
		{Column: "d", What: "range.high", After: 1}}, got, "what is the same is left out")
	remedies := compare.Remedies([]sift.Remedy{{Column: "a", Remedy: "trim", Changed: 3}}, nil)
	assert.True(t, slices.Equal([]compare.Counts{{Column: "a", What: "trim", Before: 3}}, remedies))
}
