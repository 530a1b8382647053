package cli_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Accepted rows are written as --write says, or as the mapping does; what does not go together is told before anything is
// read.
func TestWriting(t *testing.T) {
	dir := t.TempDir()
	put := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	file := put("loads.csv", "no,kg\nA,1\nB,x\n")
	target := put("loads.yaml", "target: loads\ncolumns: [{name: no}, {name: kg, datatype: integer}]\n")
	mapping := put("silo.yaml", "mapping: silo\ntarget: loads\noutputs: [{form: jsonl}]\n")
	wrong := put("wrong.yaml", "mapping: silo\ntarget: loads\noutputs:\n  - {form: jsonl}\n  - {form: jsonl}\n")
	names := func(dir string) (all []string) {
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, e := range entries {
			all = append(all, e.Name())
		}
		return all
	}
	others := []string{"excluded.csv", "manifest.json", "rejected.csv", "rows.index", "violations.csv"}
	for i, c := range []struct {
		args []string
		want []string
	}{
		{nil, []string{"accepted.csv"}},
		{[]string{"--write", "csv"}, []string{"accepted.csv"}},
		{[]string{"--write", "jsonl,parquet", "--write", "xlsx", "--write-header", "titles"},
			[]string{"accepted.jsonl", "accepted.parquet", "accepted.xlsx"}},
		{[]string{"--mapping", mapping}, []string{"accepted.csv", "accepted.jsonl"}},
		{[]string{"--mapping", mapping, "--write", "delimited", "--write-delimiter", "tab"}, []string{"accepted-delimited.csv"}},
	} {
		out := filepath.Join(dir, "out", string(rune('a'+i)))
		code, _, errs := sieb(append([]string{"sift", file, "--target", target, "--out", out}, c.args...)...)
		require.Equal(t, 3, code, errs)
		assert.Equal(t, append(c.want, others...), names(out))
	}
	for want, args := range map[string][]string{
		"--write needs a folder":                          {"--write", "jsonl"},
		`form "ods" is none of csv, delimited`:            {"--write", "ods", "--out", dir},
		"the form jsonl is named twice":                   {"--write", "jsonl,jsonl", "--out", dir},
		"give --write jsonl,delimited":                    {"--write", "jsonl", "--write-delimiter", ";", "--out", dir},
		"add --write FORM":                                {"--write-codes", "both", "--out", dir},
		"take delimited for another header":               {"--write", "csv", "--write-header", "none", "--out", dir},
		`codes "all" is none of code, label, both`:        {"--write", "jsonl", "--write-codes", "all", "--out", dir},
		"line 5, column 5: an entry of outputs: the form": {"--mapping", wrong, "--out", dir},
	} {
		code, _, errs := sieb(append([]string{"sift", file, "--target", target}, args...)...)
		assert.Contains(t, []int{1, 2}, code, errs)
		assert.Contains(t, errs, want)
	}
	assert.NotContains(t, names(dir), "manifest.json", "nothing was written")
}
