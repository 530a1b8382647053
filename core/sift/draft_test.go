package sift_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/demo"
)

// rejects collects the rows of a run's violations.
type rejects struct{ rejected, violations strings.Builder }

func (r *rejects) Accepted([]byte) error        { return nil }
func (r *rejects) Rejected(text []byte) error   { r.rejected.Write(text); return nil }
func (r *rejects) Violations(text []byte) error { r.violations.Write(text); return nil }
func records(t require.TestingT, b *strings.Builder) [][]string {
	reader := csv.NewReader(strings.NewReader(b.String()))
	reader.FieldsPerRecord = -1
	all, err := reader.ReadAll()
	require.NoError(t, err)
	return all[1:]
}

// checkDraft sifts a delivery through the target that is drafted from it, and
// holds each rejected row to be named by a finding: by its number, or by the value
// that is odd in it.
func checkDraft(t require.TestingT, file *source.File) {
	p, err := profile.Of(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	rows, err := file.Rows(context.Background())
	require.NoError(t, err)
	defer source.Close(rows)
	text := target.NewDraft(file.Name, p).YAML()
	drafted, err := target.Parse(text)
	require.NoError(t, err, "%s", text)
	var out rejects
	run := sift.Run{Source: rows, Encoding: file.Layout.Encoding, Target: drafted, Sink: &out}
	_, err = run.Do(context.Background())
	require.NoError(t, err)

	// The filters of a finding find the rows that it counts; where it rests on all
	// rows together, the first of them at least.
	index := file.NewIndex()
	require.NoError(t, index.Build(context.Background(), func(*source.Batch) error { return nil }))
	named, values := map[string]bool{}, map[string]bool{}
	for _, f := range p.Findings {
		_, count, _, err := p.Search(context.Background(), index, f.Filters, 0, -1)
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
	for _, v := range records(t, &out.violations) {
		bad[v[0]] = append(bad[v[0]], v[4])
	}
	for _, r := range records(t, &out.rejected) {
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
			rapid.StringMatching(`[0-9]{1,4}`), rapid.StringMatching(`[0-9]{1,3},[0-9]`), rapid.StringMatching(`0[1-9]\.0[1-9]\.2026`), rapid.StringMatching(`[A-Z]{2}-[0-9]{3}`), rapid.StringMatching(`[0-3]?[1-9] (Mai|Jul) 20[0-9]{2}`),
			rapid.SampledFrom([]string{"ja", "nein", "wheat", "Wheat", " rye", "rye", "n/a", "-", "", "true", "a: b", `"q"`, "é", "#x", "'"}), rapid.StringMatching(`[a-zäé %]{0,9}`))
		columns := rapid.IntRange(1, 4).Draw(t, "columns")
		var kinds [][]string
		names := []string{"always"}
		for k := range columns {
			kinds = append(kinds, rapid.SliceOfN(cell, 1, 6).Draw(t, "values"))
			names = append(names, rapid.SampledFrom([]string{"No", "Grower No.", "Moisture %", "yes", "Größe", "1st", "order", "", fmt.Sprint("c", k)}).Draw(t, "name"))
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
		file, err := source.Open(context.Background(), path, layout.Given{Delimiter: &delimiter, QuoteChar: &quote, SkipRows: &zero, HeaderRows: &one, FooterRows: &zero})
		require.NoError(t, err)
		defer file.Close()
		checkDraft(t, file)
	})
}
