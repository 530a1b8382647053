package result_test

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/report"
	"sieb/core/result"
	"sieb/core/rfc4180"
	"sieb/core/rowindex"
	"sieb/core/source"
	"sieb/core/target"
)

// sifted sifts a delivery by a target, and returns the folder with its outcome.
func sifted(t require.TestingT, dir, name, text, spec string) string {
	path := filepath.Join(dir, name+".csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	parsed, err := target.Parse([]byte(spec))
	require.NoError(t, err)
	form, encoding, delimiter, quote, isDoubled, none, no, header := layout.Delimited, "utf-8", ",", `"`, true, "", 0, 1
	file, err := source.Open(context.Background(), path, layout.Given{Form: &form, Encoding: &encoding,
		Delimiter: &delimiter, QuoteChar: &quote, DoubleQuote: &isDoubled, CommentPrefix: &none, SkipRows: &no,
		HeaderRows: &header, FooterRows: &no})
	require.NoError(t, err)
	defer file.Close()
	out := filepath.Join(dir, name)
	_, err = (&report.Run{Delivery: file, Target: parsed, Dir: out}).Do(context.Background())
	require.NoError(t, err)
	return out
}

// asked returns the rows of a comparison.
func asked(t require.TestingT, dir string, ask result.Ask) result.RowsFound {
	ask.Limit = 1000
	found, err := ask.Rows(context.Background(), dir)
	require.NoError(t, err)
	require.Len(t, found.Items, int(found.Total))
	return found
}

// text is a cell as the tests compare it.
func text(cell *string) string {
	if cell == nil {
		return "none"
	}
	return "=" + *cell
}

// fates are what a word in a row of a delivery makes of it, by either of two targets.
var fates = map[string][2]string{"ok": {"accepted", "accepted"}, "up": {"accepted", "accepted"},
	"bad": {"rejected", "rejected"}, "worse": {"accepted", "rejected"}, "better": {"rejected", "accepted"},
	"in": {"excluded", "accepted"}, "out": {"accepted", "excluded"}, "left": {"rejected", "excluded"},
	"back": {"excluded", "rejected"}}

// Two outcomes of a delivery are compared by the numbers of its rows: every row that ended elsewhere is listed where
// it now is, and of those that both accepted the ones with another value. With an index of the rows and without.
func TestComparedByNumber(t *testing.T) {
	spec := func(which int) string {
		var accepted, excluded []string
		for word, ends := range fates {
			switch ends[which] {
			case "accepted":
				accepted = append(accepted, word)
			case "excluded":
				excluded = append(excluded, fmt.Sprintf("{condition: cell(\"fate\") == %q, reason: r}", word))
			}
		}
		up := ""
		if which == 1 {
			up = ", remedies: [{recode: {a: b, n: \"\"}}]"
		}
		return fmt.Sprintf("target: t\ncolumns:\n  - {name: fate, oneOf: [%s]}\n  - {name: word%s}\n  - {name: no, "+
			"datatype: integer}\nexclude: [%s]\n", strings.Join(accepted, ", "), up, strings.Join(excluded, ", "))
	}
	words := make([]string, 0, len(fates))
	for word := range fates {
		words = append(words, word)
	}
	slices.Sort(words)
	specs := [2]string{spec(0), spec(1)}
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "compared")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		body := rfc4180.AppendRow(nil, "no", "fate", "word")
		type row struct{ fate, word string }
		var rows []row
		for n := range rapid.IntRange(0, 40).Draw(t, "rows") {
			r := row{rapid.SampledFrom(words).Draw(t, "fate"), rapid.SampledFrom([]string{"a", "b", "n", ""}).Draw(t, "w")}
			rows = append(rows, r)
			body = rfc4180.AppendRow(body, fmt.Sprint(n+1), r.fate, r.word)
		}
		before := sifted(t, dir, "before", string(body), specs[0])
		after := sifted(t, dir, "after", string(body), specs[1])
		for _, out := range []string{before, after} {
			index := filepath.Join(out, rowindex.Name)
			switch rapid.SampledFrom([]string{"an index", "none", "a damaged one"}).Draw(t, "has") {
			case "none":
				require.NoError(t, os.Remove(index))
			case "a damaged one":
				whole, err := os.ReadFile(index)
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(index, spoilt(whole, 0), 0o600))
			}
		}
		c, err := result.Compare(context.Background(), before, after, nil)
		require.NoError(t, err)
		want := map[string][]string{} // rows by kind and side: their numbers, and what is told of them
		moves := map[[2]string]int64{}
		var same, changed int64
		for n, r := range rows {
			was, is := fates[r.fate][0], fates[r.fate][1]
			say := func(kind, other string) {
				want[kind] = append(want[kind], fmt.Sprintf("%d %s", n+1, other))
			}
			switch {
			case was != is:
				moves[[2]string{was, is}]++
				say("moved "+is, was)
				if is == "accepted" {
					say("new", was)
				}
				if was == "accepted" {
					say("gone", is)
				}
			case was == "accepted" && r.word == "a" || was == "accepted" && r.word == "n":
				changed++
				say("changed", "[word ="+r.word+"]")
			case was == "accepted":
				same++
			}
		}
		assert.Equal(t, [4]int64{int64(len(want["new"])), int64(len(want["gone"])), changed, same},
			[4]int64{c.New, c.Gone, c.Changed, c.Same})
		assert.Empty(t, c.By)
		for _, m := range c.Moves {
			assert.Equal(t, moves[[2]string{m.Was, m.Is}], m.Rows)
			delete(moves, [2]string{m.Was, m.Is})
		}
		assert.Empty(t, moves)
		if changed > 0 {
			assert.Equal(t, []result.Differing{{Column: "word", Rows: changed}}, c.Differing)
		}
		for _, kind := range []string{"new", "gone", "changed", "moved accepted", "moved rejected", "moved excluded"} {
			ask := result.Ask{With: c}
			ask.Kind, ask.Side, _ = strings.Cut(kind, " ")
			var got []string
			for _, r := range asked(t, after, ask).Items {
				told := r.Other
				for _, b := range r.Before {
					told += fmt.Sprintf("[%s %s]", b.Column, text(b.Value))
				}
				got = append(got, fmt.Sprintf("%d %s", r.Row, told))
			}
			assert.Equal(t, want[kind], got, kind)
		}
	})
}

// Rows of two deliveries are found again by their key, wherever they stand; of rows that repeat one each is counted.
func TestComparedByKey(t *testing.T) {
	spec := "target: t\ncolumns:\n  - {name: k}\n  - {name: l, datatype: integer}\n  - {name: v}\n  - {name: w}\n"
	cell := rapid.OneOf(rapid.SampledFrom([]string{"", "a", "b", "a,b", "1:a", "\"", "é"}),
		rapid.StringMatching(`[a-c:0-9,]{0,3}`))
	number := rapid.SampledFrom([]string{"", "0", "1", "12", "-3"})
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "compared")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		isUnique := rapid.Bool().Draw(t, "unique")
		table := func(name string, head ...string) (out string, all map[string][][]string) {
			all = map[string][][]string{}
			body := rfc4180.AppendRow(nil, head...)
			for range rapid.IntRange(0, 14).Draw(t, name) {
				of := map[string]string{"k": cell.Draw(t, "k"), "l": number.Draw(t, "l"), "v": cell.Draw(t, "v"),
					"w": cell.Draw(t, "w")}
				key := of["k"] + "\x00" + of["l"]
				if isUnique && len(all[key]) > 0 {
					continue
				}
				all[key] = append(all[key], []string{of["v"], of["w"]})
				var row []string
				for _, h := range head {
					row = append(row, of[h])
				}
				body = rfc4180.AppendRow(body, row...)
			}
			return sifted(t, dir, name, string(body), spec), all
		}
		before, was := table("before", "k", "l", "v", "w")
		after, is := table("after", "w", "v", "l", "k") // the order of columns is no difference
		c, err := result.Compare(context.Background(), before, after, []string{"k", "l"})
		require.NoError(t, err)
		var isNew, gone, both, changed, inV, inW int64
		for key, rows := range is {
			n := min(len(rows), len(was[key]))
			both += int64(n)
			isNew += int64(len(rows) - n)
			for i := range n {
				v, w := rows[i][0] != was[key][i][0], rows[i][1] != was[key][i][1]
				if v || w {
					changed++
				}
				if v {
					inV++
				}
				if w {
					inW++
				}
			}
		}
		for key, rows := range was {
			gone += int64(max(0, len(rows)-len(is[key])))
		}
		assert.Equal(t, [4]int64{isNew, gone, both, changed}, [4]int64{c.New, c.Gone, c.Changed + c.Same, c.Changed})
		assert.Equal(t, []string{"k", "l"}, c.By)
		assert.Empty(t, c.Moves)
		differing := map[string]int64{}
		for _, d := range c.Differing {
			differing[d.Column] = d.Rows
		}
		assert.Equal(t, [2]int64{inV, inW}, [2]int64{differing["v"], differing["w"]})
		for column, n := range map[string]int64{"": changed, "v": inV, "w": inW} {
			if column != "" && n == 0 {
				continue
			}
			found := asked(t, after, result.Ask{With: c, Kind: result.KindChanged, Differs: column})
			assert.Equal(t, n, found.Total)
			for _, r := range found.Items {
				assert.NotEmpty(t, r.Before)
				has := func(b result.Before) bool { return b.Column == column }
				assert.True(t, column == "" || slices.ContainsFunc(r.Before, has))
			}
		}
		assert.Len(t, asked(t, after, result.Ask{With: c, Kind: result.KindNew}).Items, int(isNew))
		goneRows := asked(t, after, result.Ask{With: c, Kind: result.KindGone})
		assert.Len(t, goneRows.Items, int(gone))
		assert.True(t, slices.IsSortedFunc(goneRows.Items, func(x, y result.Shown) int { return cmp.Compare(x.At, y.At) }))
	})
}

// compared compares two deliveries of three hundred rows: in the second one row in three has another weight, one in
// fifty is missing, and ten are new.
func compared(t *testing.T) (dir, after string, c *result.Compared) {
	dir = t.TempDir()
	spec := "target: t\ncolumns:\n  - {name: no}\n  - {name: kg, datatype: integer}\n  - {name: crop}\nkey: [no]\n"
	was, is := "no,kg,crop\n", "no,kg,crop\n"
	for n := 1; n <= 310; n++ {
		crop := []string{"wheat", "rye"}[n%2]
		if n <= 300 {
			was += fmt.Sprintf("T%03d,%d,%s\n", n, 1000-n, crop)
		}
		switch {
		case n%3 == 0:
			is += fmt.Sprintf("T%03d,%d,%s\n", n, 2000-n, crop)
		case n%50 != 1:
			is += fmt.Sprintf("T%03d,%d,%s\n", n, 1000-n, crop)
		}
	}
	before := sifted(t, dir, "before", was, spec)
	after = sifted(t, dir, "after", is, spec)
	c, err := result.Compare(context.Background(), before, after, []string{"no"})
	require.NoError(t, err)
	return dir, after, c
}

// Rows that are compared are asked like all others: filtered, sorted, counted, paged.
func TestComparedRowsAreAsked(t *testing.T) {
	_, after, c := compared(t)
	ctx := context.Background()
	assert.Equal(t, [4]int64{9, 4, 100, 196}, [4]int64{c.New, c.Gone, c.Changed, c.Same})
	ask := result.Ask{With: c, Kind: result.KindChanged, Where: []string{"crop equals rye"}, Limit: 2, Offset: 1,
		Sort: []string{"kg descending"}, Columns: []string{"kg", "no"}}
	found, err := ask.Rows(ctx, after)
	require.NoError(t, err)
	assert.Equal(t, int64(50), found.Total)
	require.Len(t, found.Items, 2)
	assert.Equal(t, []string{"=1991", "=T009"}, []string{text(found.Items[0].Cells[0]), text(found.Items[0].Cells[1])})
	assert.Equal(t, "kg", found.Items[0].Before[0].Column)
	assert.Equal(t, "=991", text(found.Items[0].Before[0].Value))
	ask.Last, ask.Sort, ask.Where, ask.Offset, ask.Columns = true, nil, nil, 0, nil
	found, err = ask.Rows(ctx, after)
	require.NoError(t, err)
	assert.Equal(t, []string{"=T297", "=T300"}, []string{text(found.Items[0].Cells[0]), text(found.Items[1].Cells[0])})
	values, err := (&result.Ask{With: c, Kind: result.KindGone, Limit: 10}).Values(ctx, after, "crop")
	require.NoError(t, err)
	assert.Equal(t, int64(4), values.Rows)
}

func TestWhatCannotBeCompared(t *testing.T) {
	dir, after, c := compared(t)
	ctx := context.Background()
	for _, one := range []struct {
		ask  result.Ask
		says string
	}{
		{result.Ask{Kind: "other"}, "new, gone, changed, moved"},
		{result.Ask{}, "new, gone, changed, moved"},
		{result.Ask{Kind: result.KindMoved, Side: "flagged"}, "rows move to the accepted, rejected or excluded ones"},
		{result.Ask{Kind: result.KindNew, Side: "rejected"}, "new rows are accepted ones"},
		{result.Ask{Kind: result.KindNew, Differs: "kg"}, "only changed rows differ"},
		{result.Ask{Kind: result.KindChanged, Differs: "nothing"}, `no column "nothing" in common; they share no, kg, crop`},
		{result.Ask{Kind: result.KindChanged, Where: []string{"nothing empty"}}, `no column "nothing"`},
	} {
		one.ask.With = c
		_, err := one.ask.Rows(ctx, after)
		assert.ErrorContains(t, err, one.says, "%+v", one.ask)
		var wrong *result.Wrong
		assert.ErrorAs(t, err, &wrong)
	}
	before := filepath.Join(dir, "before")
	_, err := result.Compare(ctx, before, after, nil)
	assert.ErrorContains(t, err, "there is no key")
	_, err = result.Compare(ctx, before, after, []string{"nothing"})
	assert.ErrorContains(t, err, `no column "nothing"`)
	_, err = result.Compare(ctx, dir, after, []string{"no"})
	assert.ErrorContains(t, err, "holds no run")
	stopped, stop := context.WithCancel(ctx)
	stop()
	_, err = result.Compare(stopped, before, after, []string{"no"})
	assert.ErrorIs(t, err, context.Canceled)
	_, err = result.Compare(stopped, after, after, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// At each bound a comparison is whole, and beyond it says so.
func TestComparisonsAreBounded(t *testing.T) {
	dir, after, _ := compared(t)
	before := filepath.Join(dir, "before")
	compare := func() (*result.Compared, error) {
		return result.Compare(context.Background(), before, after, []string{"no"})
	}
	defer result.BoundComparisons(5_000_000, 128<<20)
	result.BoundComparisons(300, 100*3*8)
	c, err := compare()
	require.NoError(t, err)
	assert.Equal(t, []result.Differing{{Column: "kg", Rows: 100}}, c.Differing)
	result.BoundComparisons(300, 100*3*8-1)
	c, err = compare()
	require.NoError(t, err)
	assert.Empty(t, c.Differing)
	assert.Equal(t, int64(100), c.Changed)
	_, err = (&result.Ask{With: c, Kind: result.KindChanged, Differs: "kg"}).Rows(context.Background(), after)
	assert.ErrorContains(t, err, "is not told")
	result.BoundComparisons(299, 64<<20)
	_, err = compare()
	assert.ErrorContains(t, err, "more than 299 accepted rows")
	before, after = after, before
	result.BoundComparisons(302, 64<<20)
	_, err = compare()
	assert.ErrorContains(t, err, "more than 302 accepted rows")
}
