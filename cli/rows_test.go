package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// rowsDocument is what rows prints for programs.
type rowsDocument struct {
	Side    string
	Columns []struct{ Name, Datatype string }
	Total   int64
	Items   []struct {
		At, Row int64
		Cells   []*string
	}
}

// Of each demo delivery the three sides hold each row once.
func TestRowsOfAllSides(t *testing.T) {
	dir := files(t)
	for _, m := range demo.All() {
		out := filepath.Join(dir, "out", m.Name)
		code, _, errs := sieb(append([]string{"sift", filepath.Join(dir, m.Name), "--out", out}, rulesOf(dir, m)...)...)
		require.Equal(t, 3, code, errs)
		sides := map[int64]string{}
		for side, want := range map[string]int64{"accepted": m.Accepted, "rejected": m.Rejected, "excluded": m.Excluded} {
			code, text, errs := sieb("rows", out, "--side", side, "--head", "1000", "--format", "json")
			require.Equal(t, 0, code, errs)
			var got rowsDocument
			require.NoError(t, json.Unmarshal([]byte(text), &got))
			assert.Equal(t, side, got.Side)
			assert.Equal(t, want, got.Total, "%s of %s", side, m.Name)
			require.Len(t, got.Items, int(want))
			for i, r := range got.Items {
				assert.EqualValues(t, i+1, r.At)
				assert.Empty(t, sides[r.Row], "row %d is on one side", r.Row)
				sides[r.Row] = side
				assert.Len(t, r.Cells, len(got.Columns))
			}
		}
		assert.Len(t, sides, int(m.Read))
		assert.Equal(t, flaggedOf(m, sides), numbersOf(t, out, "flagged"), m.Name)
		changed := numbersOf(t, out, "changed")
		assert.True(t, slices.IsSorted(changed))
		for _, row := range changed {
			assert.Equal(t, "accepted", sides[row], "row %d of %s", row, m.Name)
		}
		for _, p := range m.Planted {
			if p.Row > 0 && p.Action.RejectsRow() {
				assert.Equal(t, "rejected", sides[p.Row], "row %d of %s", p.Row, m.Name)
			}
		}
	}
}

// flaggedOf returns the accepted rows of which something was planted that breaks a rule.
func flaggedOf(m demo.Made, sides map[int64]string) []int64 {
	rows := []int64{}
	for _, p := range m.Planted {
		if p.Row > 0 && sides[p.Row] == "accepted" {
			rows = append(rows, p.Row)
		}
	}
	slices.Sort(rows)
	return slices.Compact(rows)
}

// The outcomes of two mappings of one delivery are compared row by row, on the command line alone.
func TestRowsAgainst(t *testing.T) {
	dir := files(t)
	delivery := filepath.Join(dir, "crops.csv")
	require.NoError(t, os.WriteFile(delivery, []byte("no,crop,kg\nA1,oats,5\nA2,rye,7\nA3,rey,9\nA4,,1\n"), 0o600))
	spec := "target: crops\ncolumns:\n  - {name: no}\n  - {name: crop, required: true, oneOf: [oats, rye]%s}\n" +
		"  - {name: kg, datatype: integer}\ntolerance: {rejected: 60%%}\n"
	sift := func(out, remedies string) string {
		path := filepath.Join(dir, out+".yaml")
		require.NoError(t, os.WriteFile(path, fmt.Appendf(nil, spec, remedies), 0o600))
		out = filepath.Join(dir, out)
		code, _, errs := sieb("sift", delivery, "--target", path, "--out", out)
		require.Equal(t, 3, code, errs)
		return out
	}
	before, after := sift("one", ""), sift("two", ", remedies: [{recode: {oats: rye, rey: rye}}]")
	for _, one := range []struct {
		args []string
		code int
		says []string
	}{
		{nil, 0, []string{"accepted rows by the number of the row: 1 new, 0 gone, 1 changed, 1 the same", "crop in 1 row",
			"1 row is accepted now, and was rejected before"}},
		{[]string{"--kind", "changed"}, 0, []string{"1 row that is other than before", "oats → rye"}},
		{[]string{"--kind", "changed", "--differs", "crop", "--count", "crop"}, 0, []string{"other than before in crop"}},
		{[]string{"--kind", "moved"}, 0, []string{"1 row that is accepted now, and not before", "was", "rejected"}},
		{[]string{"--kind", "moved", "--side", "rejected"}, 0, []string{"0 rows that are rejected now"}},
		{[]string{"--kind", "gone"}, 0, []string{"0 rows that are gone"}},
		{[]string{"--kind", "new", "--where", "kg less 9"}, 0, []string{"0 rows that are new and pass"}},
		{[]string{"--format", "json"}, 0, []string{`"differing"`, `"moves"`}},
		{[]string{"--kind", "other"}, 2, []string{"there are new, gone, changed, moved"}},
		{[]string{"--kind", "new", "--differs", "kg"}, 2, []string{"write --kind changed"}},
		{[]string{"--kind", "new", "--side", "rejected"}, 1, []string{"new rows are accepted ones"}},
	} {
		code, out, errs := sieb(append([]string{"rows", after, "--against", before}, one.args...)...)
		assert.Equal(t, one.code, code, "%v: %s", one.args, errs)
		for _, want := range one.says {
			assert.Contains(t, out+errs, want, "%v", one.args)
		}
	}
	for _, flag := range []string{"--kind", "--differs", "--by"} {
		code, _, errs := sieb("rows", after, flag, "new")
		assert.Equal(t, 2, code)
		assert.Contains(t, errs, "--against names the earlier outcome")
	}
	code, _, errs := sieb("rows", after, "--against", dir)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "holds no run")
}

// numbersOf returns the numbers of all rows of a side.
func numbersOf(t *testing.T, out, side string) []int64 {
	t.Helper()
	code, text, errs := sieb("rows", out, "--side", side, "--head", "1000", "--format", "json")
	require.Equal(t, 0, code, errs)
	var got rowsDocument
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	rows := []int64{}
	for _, r := range got.Items {
		rows = append(rows, r.Row)
	}
	assert.EqualValues(t, len(rows), got.Total)
	return rows
}

func TestRowsAreAsked(t *testing.T) {
	dir := files(t)
	m, out := demo.Ahrensee(), filepath.Join(dir, "out")
	code, _, errs := sieb(append([]string{"sift", filepath.Join(dir, m.Name), "--out", out}, rulesOf(dir, m)...)...)
	require.Equal(t, 3, code, errs)
	for _, c := range []struct {
		args string
		want []string
	}{
		{"", []string{"219 accepted rows; the first 20 are shown", "row  ticket_no", "AH-000121",
			"and 8 more columns: gross_kg"}},
		{"--where|crop equals wheat|--where|net_kg atLeast 20000|--sort|net_kg descending|--columns|ticket_no,net_kg|" +
			"--head|2",
			[]string{"25 accepted rows pass; the first 2 are shown", " 11  AH-000111   35028", " 96  AH-000196   33814"}},
		{"--where|crop equals maize", []string{"0 accepted rows pass\n"}},
		{"--sort|moisture_pct|--tail|1|--columns|moisture_pct",
			[]string{"219 accepted rows; the last 1 is shown", " 59          18.4"}},
		{"--sort|moisture_pct|--tail|1|--skip|1|--columns|moisture_pct", []string{"141          18.3"}},
		{"--head|0", []string{"219 accepted rows; the first 0 are shown"}},
		{"--count|crop", []string{"4 different values in 219 accepted rows", "wheat     58  26.5 %"}},
		{"--count|crop|--where|net_kg less 0", []string{"0 different values in 0 accepted rows"}},
		{"--count|crop|--head|1|--format|json", []string{`"total": 4`, `"value": "wheat"`, `"count": 58`}},
		{"--side|rejected|--where|Crop filled|--sort|line descending|--columns|row,line,Ticket No.|--head|1",
			[]string{"222   225  AH-000322"}},
		{"--side|excluded", []string{"0 excluded rows\n"}},
	} {
		args := []string{"rows", out}
		if c.args != "" {
			args = append(args, strings.Split(c.args, "|")...)
		}
		code, text, errs := sieb(args...)
		require.Equal(t, 0, code, errs)
		for _, want := range c.want {
			assert.Contains(t, text, want, c.args)
		}
	}
	for want, args := range map[string]string{
		"name the folder with the files of a run": "",
		"holds no run": dir,
		`--side "refused": there are accepted, rejected`:      out + "|--side|refused",
		`"net_kg > 3" asks nothing`:                           out + "|--where|net_kg > 3",
		`the accepted rows have no column "kg"`:               out + "|--sort|kg descending",
		"-1 rows cannot be shown":                             out + "|--head|-1",
		"if any flags in the group [head tail] are set":       out + "|--head|1|--tail|1",
		"if any flags in the group [count sort] are set none": out + "|--count|crop|--sort|crop",
		"up to 100000 rows can be shown at once":              out + "|--head|100001",
	} {
		flags := strings.FieldsFunc(args, func(r rune) bool { return r == '|' })
		code, text, errs := sieb(append([]string{"rows"}, flags...)...)
		assert.Contains(t, []int{1, 2}, code, args)
		assert.Contains(t, errs, want, args)
		assert.Empty(t, text)
	}
}

// Of a run on a service the same is told as of its files; more than a page is asked for page by page.
func TestRowsOfARun(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	text := "target: loads\ncolumns: [{name: no, unique: true}, {name: kg, datatype: integer}]\n"
	_, err := s.Client.AddTarget(t.Context(), []byte(text))
	require.NoError(t, err)
	var loads strings.Builder
	loads.WriteString("no,kg\n")
	for i := range 2500 {
		fmt.Fprintf(&loads, "L%d,%d\n", i, i*37%2500)
	}
	loads.WriteString("L1,1\nX,viel\n")
	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader(loads.String()))
	require.NoError(t, err)
	run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "loads"})
	require.NoError(t, err)
	run, err = s.Client.Follow(t.Context(), run.ID, func(api.Run) {})
	require.NoError(t, err)
	dir := t.TempDir()
	file, target := write(t, dir, "loads.csv", loads.String()), write(t, dir, "loads.yaml", text)
	out := filepath.Join(dir, "out")
	code, _, errs := sieb("sift", file, "--target", target, "--out", out)
	require.Equal(t, 3, code, errs)
	for _, flags := range [][]string{{"--head", "2100"}, {"--tail", "1700"}, {"--head", "5000"},
		{"--sort", "kg descending", "--head", "3"}, {"--sort", "kg", "--tail", "1005", "--skip", "7"},
		{"--where", "kg between 100,1500", "--sort", "no", "--head", "1200"}, {"--side", "rejected"},
		{"--side", "excluded"}, {"--count", "kg", "--head", "5"}, {"--columns", "kg,no", "--skip", "2400"}} {
		for _, format := range []string{"text", "json"} {
			flags := append(flags, "--format", format)
			code, want, errs := sieb(append([]string{"rows", out}, flags...)...)
			require.Equal(t, 0, code, errs)
			code, got, errs := sieb(append([]string{"rows", run.ID, "--service", s.Address}, flags...)...)
			require.Equal(t, 0, code, errs)
			assert.Equal(t, want, got, flags)
		}
	}
	for want, flags := range map[string][]string{
		`there is no run "nosuch"`:                  {"nosuch"},
		"nosuch is no folder here, and taken for a": {"nosuch"},
		`the accepted rows have no column "weight"`: {run.ID, "--sort", "weight"},
		`"viel" is no value of the datatype`:        {run.ID, "--where", "kg less viel"},
	} {
		code, _, errs := sieb(append([]string{"rows", "--service", s.Address}, flags...)...)
		assert.Equal(t, 1, code)
		assert.Contains(t, errs, want)
	}
}
