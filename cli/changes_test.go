package cli_test

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/sift"
	"sieb/demo"
)

// How remedies changed cells: all ways where they are few, else the most frequent with the rest, and
// a sample where there are too many.
func TestChanges(t *testing.T) {
	dir := files(t)
	m := demo.Ahrensee()
	args := append([]string{"sift", filepath.Join(dir, m.Name)}, rulesOf(dir, m)...)
	_, out, _ := sieb(append(args, "--changes")...)
	for _, want := range []string{`ticket_no  trim        1  "ah-000105·"  "ah-000105"`,
		`ticket_no  upper       1  "ah-000105"   "AH-000105"`, `crop       recode     62  "Weizen"      "wheat"`} {
		assert.Contains(t, strings.ReplaceAll(out, `"ah-000105 "`, `"ah-000105·"`), want)
	}
	_, out, _ = sieb(args...)
	assert.NotContains(t, out, "Weizen")
	_, out, _ = sieb(append(args, "--format", "json")...)
	var result sift.Result
	require.NoError(t, json.Unmarshal([]byte(out), &result))
	for _, r := range result.Remedies {
		sum := r.Others
		for _, p := range r.Pairs {
			sum += p.Cells
		}
		assert.Equal(t, r.Changed, sum, r.Column+" "+r.Remedy)
	}

	var text strings.Builder
	text.WriteString("a;b;c\n")
	for i := range 30_000 {
		fmt.Fprintf(&text, "%d;%d,5;x\n", i%70, i)
	}
	csv := write(t, dir, "many.csv", text.String())
	target := write(t, dir, "many.yaml", "target: many\ncolumns: [{name: a, remedies: [{prefix: 'N '}]}, {name: b, "+
		"datatype: decimal, remedies: [number]}, {name: c, remedies: [trim]}]\n")
	_, out, _ = sieb("sift", csv, "--target", target, "--changes")
	assert.Regexp(t, `a +prefix +429  "0" +"N 0"`, out)
	assert.Regexp(t, `8\x{202f}5\d\d  in other ways  20 less frequent ways`, out)
	assert.Regexp(t, `in other ways  a sample: the first [0-9\x{202f}]+ rows were`, out)
	plain := write(t, dir, "plain.yaml", "target: plain\ncolumns: [{name: a}, {name: b}, {name: c, remedies: [trim]}]\n")
	_, out, _ = sieb("sift", csv, "--target", plain, "--changes")
	assert.Contains(t, out, "no remedy changed a cell")
}
