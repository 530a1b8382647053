package sift_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

func plainReader(t require.TestingT, text string) source.Source {
	r, err := source.NewReader(strings.NewReader(text),
		layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined})
	require.NoError(t, err)
	return r
}

// What an account notes is what the run writes: where each row ends, how often each value breaks a rule, how
// many rows each column spoils. With one worker and with several, with keys of which the first, the last or none is kept.
func TestAccountIsWhatIsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b strings.Builder
		b.WriteString("no,kg,kind\n")
		rows := rapid.IntRange(1, 60).Draw(t, "rows")
		for range rows {
			fmt.Fprintf(&b, "%s,%s,%s\n", rapid.SampledFrom([]string{"1", "2", "3", "4", "x", ""}).Draw(t, "no"),
				rapid.SampledFrom([]string{"1", "50", "n/a", "99", "-"}).Draw(t, "kg"),
				rapid.SampledFrom([]string{"a", "a", "trial"}).Draw(t, "kind"))
		}
		of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: no, datatype: integer, unique: true, required: true}\n" +
			"  - {name: kg, datatype: integer, maximum: 60}\n  - {name: kind}\nexclude: [{condition: 'kind == \"trial\"', reason: trials}]\n" +
			"repeated: {keep: " + rapid.SampledFrom([]string{"first", "last", "none"}).Draw(t, "keep") + "}\n"))
		require.NoError(t, err)
		out, account := &outcometest.Texts{}, &sift.Account{}
		run := sift.Run{Source: plainReader(t, b.String()), Encoding: "utf-8", Target: of, Outputs: out.Outputs(),
			Account: account,
			Workers: rapid.SampledFrom([]int{1, 4}).Draw(t, "workers"),
			Again:   func(context.Context) (source.Source, error) { return plainReader(t, b.String()), nil }}
		result, err := run.Do(context.Background())
		require.NoError(t, err)
		require.Equal(t, result.Tally.Read, account.Rows)
		read := func(text *outcometest.Buffer) [][]string {
			all, err := csv.NewReader(text).ReadAll()
			require.NoError(t, err)
			return all[1:]
		}
		sides := map[string]outcome.Side{}
		for _, r := range read(&out.Rejected) {
			sides[r[0]] = outcome.Rejected
		}
		for _, r := range read(&out.Excluded) {
			sides[r[0]] = outcome.Excluded
		}
		for row := int64(1); row <= account.Rows; row++ {
			assert.Equal(t, sides[fmt.Sprint(row)], account.Side(row), "row %d", row)
		}
		counts, spoilt := map[[3]string]int64{}, map[string]map[string]bool{}
		for _, v := range read(&out.Violations) {
			if v[0] == "" {
				continue
			}
			counts[[3]string{v[2], v[3], v[4]}]++
			if spoilt[v[2]] == nil {
				spoilt[v[2]] = map[string]bool{}
			}
			spoilt[v[2]][v[0]] = true
		}
		noted := map[[3]string]int64{}
		for _, g := range account.Broken {
			for _, v := range g.Values {
				noted[[3]string{g.Column, g.Code.String(), v.Value}] += v.Count
				for _, row := range v.Rows {
					assert.True(t, spoilt[g.Column][fmt.Sprint(row)])
				}
			}
		}
		assert.Equal(t, counts, noted)
		for i, c := range result.Columns {
			assert.Equal(t, int64(len(spoilt[c.Column])), account.ByRows[i], c.Column)
		}
		mixed := account.Unmixed
		for _, m := range account.Mixes {
			mixed += m.Rows
		}
		assert.Equal(t, result.Tally.Rejected, mixed, "each rejected row is in one mix")

		// Next and NextChanged find the same rows as looking at each.
		for _, side := range []outcome.Side{outcome.Accepted, outcome.Rejected, outcome.Excluded} {
			found := int64(0)
			for row := account.Next(0, side); row > 0; row = account.Next(row, side) {
				assert.Equal(t, side, account.Side(row))
				found++
			}
			assert.Equal(t, []int64{result.Tally.Accepted, result.Tally.Rejected, result.Tally.Excluded}[side], found)
		}
		assert.Zero(t, account.NextChanged(0, account))
	})
}

// A first look reads about as many rows as are asked for, and asks nothing of the delivery as a whole.
func TestFirstRows(t *testing.T) {
	var b strings.Builder
	b.WriteString("no\n")
	for i := range 200_000 {
		fmt.Fprintln(&b, i)
	}
	of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: no, datatype: integer, maximum: 10}\nrows: {minimum: 1000000}\n" +
		"tolerance: {rejected: 0}\n"))
	require.NoError(t, err)
	account := &sift.Account{}
	run := &sift.Run{Source: plainReader(t, b.String()), Encoding: "utf-8", Target: of, Account: account}
	result, err := run.First(1000).Rehearse(context.Background())
	require.NoError(t, err)
	assert.GreaterOrEqual(t, result.Tally.Read, int64(1000))
	assert.Less(t, result.Tally.Read, int64(200_000))
	assert.Equal(t, sift.Split, result.Verdict, "neither too few rows nor too many rejected ones refuse it")
	assert.Equal(t, int64(11), result.Tally.Accepted)
}

// What is made of rows far apart is what is made of each alone.
func TestMadeOf(t *testing.T) {
	var b strings.Builder
	b.WriteString("no,site\n")
	for i := range 60_000 {
		site := ""
		if i%10_000 == 0 {
			site = fmt.Sprint("s", i)
		}
		fmt.Fprintf(&b, "%d,%s\n", i, site)
	}
	of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: no, datatype: integer, maximum: 40000}\n" +
		"  - {name: site, remedies: [carryDown]}\n"))
	require.NoError(t, err)
	again := func(context.Context) (source.Source, error) { return plainReader(t, b.String()), nil }
	run := sift.Run{Source: plainReader(t, b.String()), Encoding: "utf-8", Target: of, Again: again}
	var all []sift.Made
	err = run.MadeOf(context.Background(), []int64{1, 2, 30_005, 59_999, 99_999},
		func(ctx context.Context, _ int64) (source.Source, error) { return again(ctx) },
		func(m *sift.Made) { all = append(all, *m) })
	require.NoError(t, err)
	require.Len(t, all, 4, "a row that there is not is left out")
	var said []string
	for _, m := range all {
		e := m.Explanation
		value := "none"
		if e.Columns[0].Value != nil {
			value = *e.Columns[0].Value
		}
		said = append(said, fmt.Sprintf("%d %s %s %s", e.Row, e.Fate, value, *e.Columns[1].Value))
	}
	assert.Equal(t, []string{"1 accepted 0 s0", "2 accepted 1 s0", "30005 accepted 30004 s30000",
		"59999 rejected 59998 s50000"}, said)
}
