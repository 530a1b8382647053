package sift_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/profile"
	"sieb/core/search"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/demo"
)

func records(t require.TestingT, b *outcometest.Buffer) [][]string {
	reader := csv.NewReader(strings.NewReader(b.String()))
	reader.FieldsPerRecord = -1
	all, err := reader.ReadAll()
	require.NoError(t, err)
	return all[1:]
}

// offered is a rule that a draft offers behind a comment sign.
var offered = regexp.MustCompile(`(?m)^((?:    )?)# ([a-zA-Z]+: .*  # )`)

// checkDraft sifts a delivery through the target that is drafted from it, and
// holds each rejected row to be named by a finding: by its number, or by the value
// that is odd in it.
func checkDraft(t require.TestingT, file *source.File) {
	p, err := finding.Profile(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	rows, err := file.Rows(context.Background())
	require.NoError(t, err)
	defer source.Close(rows)
	text := draft.Of(file.Name, p).YAML()
	drafted, err := target.Parse(text)
	require.NoError(t, err, "%s", text)
	taken := offered.ReplaceAll(text, []byte("$1$2"))
	_, err = target.Parse(taken)
	require.NoError(t, err, "all that is offered was taken:\n%s", taken)
	var out outcometest.Texts
	run := sift.Run{Source: rows, Encoding: file.Layout.Encoding, Target: drafted, Outputs: out.Outputs()}
	_, err = run.Do(context.Background())
	require.NoError(t, err)

	// The filters of a finding find the rows that it counts; where it rests on all
	// rows together, the first of them at least.
	index := file.NewIndex()
	require.NoError(t, index.Build(context.Background(), func(*source.Batch) error { return nil }))
	named, values := map[string]bool{}, map[string]bool{}
	for _, f := range p.Findings {
		_, count, _, err := search.Rows(context.Background(), p, index, f.Filters, 0, -1)
		require.NoError(t, err, "%s", f.Text)
		if f.Filters[0].Op == "rows" {
			require.GreaterOrEqual(t, count, min(f.Rows, 1000), "%s", f.Text)
		} else {
			require.Equal(t, f.Rows, count, "%s %v", f.Text, f.Filters)
		}
		for _, v := range f.First {
			named[fmt.Sprint(v.Row)] = true
			values[v.Value] = v.Value != ""
		}
	}
	for _, c := range p.Columns { // a finding shows some of the values that are against the datatype
		for _, v := range c.Against {
			values[v.Value] = true
		}
	}
	bad := map[string][]string{}
	for _, v := range records(t, &out.Violations) {
		bad[v[0]] = append(bad[v[0]], v[4])
	}
	for _, r := range records(t, &out.Rejected) {
		if !named[r[0]] && !slices.ContainsFunc(bad[r[0]], func(v string) bool { return values[v] }) {
			t.Errorf("row %s is rejected for %s, and no finding names it\n%s", r[0], r[2], text)
		}
	}
}

func TestDraftOfDemo(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, demo.Write(dir))
	for _, m := range demo.All() {
		file, err := source.Open(context.Background(), filepath.Join(dir, m.Name), layout.Given{})
		require.NoError(t, err)
		checkDraft(t, file)
		file.Close()
	}
}

// Whatever a table holds, the target drafted from it is one that can be read, and
// rejects only what the findings name.
func TestDraftOfAnything(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		cell := rapid.OneOf(
			rapid.StringMatching(`[0-9]{1,4}`), rapid.StringMatching(`[0-9]{1,3},[0-9]`),
			rapid.StringMatching(`0[1-9]\.0[1-9]\.2026`), rapid.StringMatching(`[A-Z]{2}-[0-9]{3}`),
			rapid.StringMatching(`[0-3]?[1-9] (Mai|Jul) 20[0-9]{2}`),
			rapid.SampledFrom([]string{"ja", "nein", "wheat", "Wheat", " rye", "rye", "n/a", "-", "", "true", "a: b",
				`"q"`, "é", "#x", "'"}), rapid.StringMatching(`[a-zäé %]{0,9}`))
		columns := rapid.IntRange(1, 4).Draw(t, "columns")
		var kinds [][]string
		names := []string{"always"}
		for k := range columns {
			kinds = append(kinds, rapid.SliceOfN(cell, 1, 6).Draw(t, "values"))
			names = append(names, rapid.SampledFrom([]string{"No", "Grower No.", "Moisture %", "yes", "Größe", "1st",
				"order", "", fmt.Sprint("c", k)}).Draw(t, "name"))
		}
		var b strings.Builder
		w := csv.NewWriter(&b)
		w.Comma = ';'
		require.NoError(t, w.Write(names))
		for range rapid.IntRange(1, 60).Draw(t, "rows") {
			row := []string{"x"}
			for k := range columns {
				row = append(row, rapid.SampledFrom(kinds[k]).Draw(t, "cell"))
			}
			require.NoError(t, w.Write(row))
		}
		w.Flush()
		path := filepath.Join(dir, "table.csv")
		require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o600))
		delimiter, quote, zero, one := ";", `"`, 0, 1
		file, err := source.Open(context.Background(), path, layout.Given{Delimiter: &delimiter, QuoteChar: &quote,
			SkipRows: &zero, HeaderRows: &one, FooterRows: &zero})
		require.NoError(t, err)
		defer file.Close()
		checkDraft(t, file)
	})
}

// What the delivery speaks against, and what only chance speaks for, is offered and
// not drafted.
func TestDraftOffers(t *testing.T) {
	t.Run("sets", func(t *testing.T) {
		var b strings.Builder
		b.WriteString("ticket,site,state,grade\n")
		for i := range 300 {
			fmt.Fprintf(&b, "T%04d,Ahrensee,%s,%d\n", i, []string{"returned", "delivered", "delivered"}[i%3], i%3+1)
		}
		text := draftOf(t, b.String())
		for _, want := range []string{
			"    required: true                        # filled in all rows\n    unique: true",
			`    # oneOf: ["Ahrensee"]                 # the only value of this delivery`,
			`    # oneOf: ["1", "2", "3"]              # only 3 numbers in 300 values: perhaps codes`,
			`    oneOf: ["delivered", "returned"]`,
		} {
			require.Contains(t, text, want)
		}
		require.NotContains(t, text, "key:", "one column tells all rows apart")
	})
	t.Run("numbers that a target cannot list", func(t *testing.T) {
		for _, odd := range []string{"ja", "01", "+2"} {
			text := draftOf(t, "ticket,count\n"+strings.Repeat("T,0\nT,1\n", 30)+"T,"+odd+"\n")
			require.NotContains(t, text, "# oneOf: [\"0\"", odd)
		}
	})
	t.Run("required", func(t *testing.T) {
		for name, c := range map[string]struct {
			empty string // what stands in some cells
			cells int
			want  string // what is said of required
		}{
			"none": {"", 0, "    required: true "},
			"one": {"", 1, "    # required: true                      # empty in 1 of 200 rows, which " +
				"would be rejected"},
			"one null": {"n/a", 1, "    # required: true                      # empty in 1 of 200 rows, which " +
				"would be rejected"},
			"half of them": {"", 100, ""},
		} {
			var b strings.Builder
			b.WriteString("ticket,mass\n")
			for i := range 200 {
				mass := fmt.Sprint(1000 + 7*i)
				if i%2 == 0 && i/2 < c.cells {
					mass = c.empty
				}
				fmt.Fprintf(&b, "T%04d,%s\n", i, mass)
			}
			text := draftOf(t, b.String())
			_, mass, _ := strings.Cut(text, "name: mass")
			if c.want == "" {
				require.NotContains(t, mass, "required", name)
			} else {
				require.Contains(t, mass, "\n"+c.want, name)
			}
		}
	})
	t.Run("keys of chance", func(t *testing.T) {
		var pair, measure strings.Builder
		pair.WriteString("day,nth,site\n")
		measure.WriteString("weighed_at,site\n")
		for i := range 400 {
			fmt.Fprintf(&pair, "%d,%d,Ahrensee\n", i/20, i%20)
			fmt.Fprintf(&measure, "2026-07-%02d %02d:30:00,Ahrensee\n", 1+i/20, i%20)
		}
		text := draftOf(t, pair.String())
		require.Contains(t, text, `# key: ["day", "nth"]  # together they tell all 400 rows apart, perhaps by chance`)
		text = draftOf(t, measure.String())
		require.Contains(t, text, "    # unique: true                        # no value occurs twice, perhaps by chance")
		require.NotContains(t, text, "    unique: true")
	})
}

func draftOf(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "tickets.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	checkDraft(t, file)
	p, err := finding.Profile(t.Context(), file, profile.Options{})
	require.NoError(t, err)
	return string(draft.Of(file.Name, p).YAML())
}
