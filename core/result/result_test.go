package result_test

import (
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math/big"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/written"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/result"
	"sieb/core/rowindex"
	"sieb/core/source"
	"sieb/core/target"
)

// columns are those of the deliveries here, with values that are right, some of which are alike but for their writing.
var columns = []struct {
	name, datatype string
	values         []string
}{
	{"count", "integer", []string{"0", "7", "-7", "10", "9", "007", "9007199254740993", "9007199254740992",
		strings.Repeat("9", 40), "-" + strings.Repeat("9", 40), "1" + strings.Repeat("0", 39), ""}},
	{"share", "decimal", []string{"0.1", "0.10", "-0.1", "12.5", "9.75", "0.3000000000000000000000000000000000000001",
		"0.3", "100", ""}},
	{"size", "double", []string{"1e3", "999.5", "-2.5e-7", "0", "1e300", ""}},
	{"day", "date", []string{"2026-07-31", "2026-08-01", "1999-12-31", "2026-12-01", ""}},
	{"moment", "dateTime", []string{"2026-07-31T06:00:00Z", "2026-07-31T06:00:00+02:00", "2026-07-31T05:59:59.5Z",
		"2026-07-31T06:00:00.25Z", ""}},
	{"hour", "time", []string{"06:30:00", "23:59:59", "06:30:00.5", ""}},
	{"sure", "boolean", []string{"true", "false", ""}},
	{"word", "string", []string{"wheat", "Weizen", "Höhenrain", "a,b", `a "b"`, "two\nlines", "Z", "z", "ä", "10", "9",
		""}},
}

// made makes a run of a delivery with these rows. Each row's id is its number; fate says whether it is accepted,
// rejected or left out.
func made(t require.TestingT, dir string, rows [][]string) {
	text := &strings.Builder{}
	w := csv.NewWriter(text)
	head := []string{"id", "fate"}
	spec := "target: t\ncolumns:\n  - {name: id, datatype: integer}\n  - {name: fate, oneOf: [ok, left]}\n"
	for _, c := range columns {
		head = append(head, c.name)
		spec += fmt.Sprintf("  - {name: %s, datatype: %s}\n", c.name, c.datatype)
	}
	spec += "exclude: [{condition: cell(\"fate\") == \"left\", reason: left out}]\n"
	require.NoError(t, w.Write(head))
	require.NoError(t, w.WriteAll(rows))
	path := filepath.Join(dir, "delivery.csv")
	require.NoError(t, os.WriteFile(path, []byte(text.String()), 0o600))
	parsed, err := target.Parse([]byte(spec))
	require.NoError(t, err)
	form, delimiter, quote, header := layout.Delimited, ",", `"`, 1
	file, err := source.Open(context.Background(), path, layout.Given{Form: &form, Delimiter: &delimiter,
		QuoteChar: &quote, HeaderRows: &header})
	require.NoError(t, err)
	defer file.Close()
	_, err = (&report.Run{Delivery: file, Target: parsed, Dir: filepath.Join(dir, "out")}).Do(context.Background())
	require.NoError(t, err)
}

// drawn draws the rows of a delivery.
func drawn(t *rapid.T) (rows [][]string) {
	n := rapid.IntRange(0, 60).Draw(t, "rows")
	for i := range n {
		row := []string{fmt.Sprint(i + 1), rapid.SampledFrom([]string{"ok", "ok", "ok", "bad", "left"}).Draw(t, "fate")}
		for _, c := range columns {
			row = append(row, rapid.SampledFrom(c.values).Draw(t, c.name))
		}
		rows = append(rows, row)
	}
	return rows
}

// slow is a side read the plain way: each row's cells, nil for no value.
type slow struct {
	head []string
	rows [][]*string
}

// slowly reads accepted.csv with the standard library. Where no value and an empty text differ, it looks at the text.
func slowly(t require.TestingT, path string) (s slow) {
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	all, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	require.NotContains(t, string(text), `,"",`, "no empty texts were delivered")
	s.head = all[0]
	for _, cells := range all[1:] {
		row := make([]*string, len(cells))
		for i := range cells {
			if cells[i] != "" {
				row[i] = &cells[i]
			}
		}
		s.rows = append(s.rows, row)
	}
	return s
}

// valueOrder compares two values of a datatype by the standard library.
func valueOrder(t require.TestingT, datatype, a, b string) int {
	switch datatype {
	case "integer", "decimal", "double":
		x, ok := new(big.Rat).SetString(a)
		require.True(t, ok, a)
		y, ok := new(big.Rat).SetString(b)
		require.True(t, ok, b)
		return x.Cmp(y)
	case "dateTime":
		x, err := time.Parse(time.RFC3339Nano, a)
		require.NoError(t, err)
		y, err := time.Parse(time.RFC3339Nano, b)
		require.NoError(t, err)
		return x.Compare(y)
	}
	return strings.Compare(a, b)
}

// Answers are what a slow reading of the file gives, whatever is asked.
func TestAnswersAreThoseOfASlowReading(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "result")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		made(t, dir, drawn(t))
		out := filepath.Join(dir, "out")
		all := slowly(t, filepath.Join(out, report.AcceptedName))
		side, err := result.Open(out, "accepted")
		require.NoError(t, err)

		var q result.Question
		passes := func([]*string) bool { return true }
		for range rapid.IntRange(0, 2).Draw(t, "conditions") {
			f, holds := condition(t)
			before := passes
			passes = func(row []*string) bool { return before(row) && holds(row) }
			q.Where = append(q.Where, f)
		}
		for range rapid.IntRange(0, 2).Draw(t, "sorted by") {
			q.Sort = append(q.Sort, result.By{Column: rapid.SampledFrom(columns).Draw(t, "by").name,
				Descending: rapid.Bool().Draw(t, "descending")})
		}
		q.Skip, q.Most = rapid.IntRange(0, 5).Draw(t, "skip"), rapid.IntRange(0, 12).Draw(t, "most")
		q.Last = rapid.Bool().Draw(t, "last")

		want := slices.DeleteFunc(slices.Clone(all.rows), func(row []*string) bool { return !passes(row) })
		total := len(want)
		slices.SortStableFunc(want, func(x, y []*string) int {
			for _, by := range q.Sort {
				k := slices.Index(all.head, by.Column) - 2
				a, b := x[k+2], y[k+2]
				switch {
				case a == nil && b == nil:
					continue
				case a == nil:
					return 1
				case b == nil:
					return -1
				}
				c := cmp.Or(valueOrder(t, columns[k].datatype, *a, *b), strings.Compare(*a, *b))
				if by.Descending {
					c = -c
				}
				if c != 0 {
					return c
				}
			}
			return 0
		})
		if q.Last {
			want = want[max(0, len(want)-q.Skip-q.Most):max(0, len(want)-q.Skip)]
		} else {
			want = want[min(q.Skip, len(want)):min(q.Skip+q.Most, len(want))]
		}

		got, err := side.Find(context.Background(), q)
		require.NoError(t, err)
		assert.EqualValues(t, total, got.Total)
		require.Len(t, got.Rows, len(want))
		for i, row := range got.Rows {
			assert.Equal(t, want[i], row.Cells, "row %d", i)
			assert.Equal(t, *row.Cells[0], fmt.Sprint(row.Row), "the id of a row is its number in the delivery")
			assert.Equal(t, all.rows[row.At-1], row.Cells)
		}

		column := rapid.SampledFrom(columns).Draw(t, "counted").name
		counts := map[string]int64{}
		for _, row := range all.rows {
			if k := slices.Index(all.head, column); passes(row) {
				text := "none"
				if row[k] != nil {
					text = "=" + *row[k]
				}
				counts[text]++
			}
		}
		values, _, counted, err := side.Count(context.Background(), column, q.Where, 1000)
		require.NoError(t, err)
		assert.EqualValues(t, total, counted)
		last := int64(1 << 60)
		for _, v := range values {
			text := "none"
			if v.Value != nil {
				text = "=" + *v.Value
			}
			assert.Equal(t, counts[text], v.Count, text)
			assert.LessOrEqual(t, v.Count, last, "the most frequent first")
			last = v.Count
			delete(counts, text)
		}
		assert.Empty(t, counts)
	})
}

// condition draws a condition, and the same by the standard library.
func condition(t *rapid.T) (f profile.Filter, holds func(row []*string) bool) {
	k := rapid.IntRange(0, len(columns)-1).Draw(t, "column")
	c := columns[k]
	value := func() string {
		filled := slices.DeleteFunc(slices.Clone(c.values), func(v string) bool { return v == "" })
		return rapid.SampledFrom(filled).Draw(t, "value")
	}
	f = profile.Filter{Column: c.name, Value: value()}
	is := func(test func(cell string) bool) func([]*string) bool {
		return func(row []*string) bool { return row[k+2] != nil && test(*row[k+2]) }
	}
	f.Op = rapid.SampledFrom([]string{"equals", "oneOf", "empty", "filled", "greater", "atLeast", "less", "atMost",
		"between"}).Draw(t, "op")
	switch f.Op {
	case "equals":
		return f, is(func(cell string) bool { return cell == f.Value })
	case "oneOf":
		f.Values = []string{value(), f.Value}
		return f, is(func(cell string) bool { return slices.Contains(f.Values, cell) })
	case "empty":
		return f, func(row []*string) bool { return row[k+2] == nil }
	case "filled":
		return f, is(func(string) bool { return true })
	case "greater":
		return f, is(func(cell string) bool { return valueOrder(t, c.datatype, cell, f.Value) > 0 })
	case "atLeast":
		return f, is(func(cell string) bool { return valueOrder(t, c.datatype, cell, f.Value) >= 0 })
	case "less":
		return f, is(func(cell string) bool { return valueOrder(t, c.datatype, cell, f.Value) < 0 })
	case "atMost":
		return f, is(func(cell string) bool { return valueOrder(t, c.datatype, cell, f.Value) <= 0 })
	}
	f.To = value()
	return f, is(func(cell string) bool {
		return valueOrder(t, c.datatype, cell, f.Value) >= 0 && valueOrder(t, c.datatype, cell, f.To) <= 0
	})
}

func TestFiltersAreRead(t *testing.T) {
	for text, want := range map[string]profile.Filter{
		"crop equals wheat":            {Column: "crop", Op: "equals", Value: "wheat"},
		"  crop   equals   two words ": {Column: "crop", Op: "equals", Value: "two words"},
		"Grower No. contains 00":       {Column: "Grower No.", Op: "contains", Value: "00"},
		`crop equals " x "`:            {Column: "crop", Op: "equals", Value: " x "},
		`crop equals "\"x\""`:          {Column: "crop", Op: "equals", Value: `"x"`},
		`crop equals "x" y`:            {Column: "crop", Op: "equals", Value: `"x" y`},
		"crop equals":                  {Column: "crop", Op: "equals"},
		"crop equals a, b":             {Column: "crop", Op: "equals", Value: "a, b"},
		"crop oneOf wheat, rye":        {Column: "crop", Op: "oneOf", Values: []string{"wheat", "rye"}},
		`crop oneOf a\,b,c\\,d\e`:      {Column: "crop", Op: "oneOf", Values: []string{"a,b", `c\`, `d\e`}},
		"crop oneOf ,":                 {Column: "crop", Op: "oneOf", Values: []string{"", ""}},
		"weighed_on between 2026-07-01,2026-07-3": {Column: "weighed_on", Op: "between", Value: "2026-07-01",
			To: "2026-07-3"},
		"grower empty":            {Column: "grower", Op: "empty"},
		"less less 3":             {Column: "less", Op: "less", Value: "3"},
		"equals equals equals":    {Column: "equals", Op: "equals", Value: "equals"},
		"Höhe  in m atMost -12.5": {Column: "Höhe  in m", Op: "atMost", Value: "-12.5"},
	} {
		f, err := result.ParseFilter(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, f, text)
	}
	for text, says := range map[string]string{
		"":                   "asks nothing",
		"crop":               "asks nothing",
		"equals wheat":       "asks nothing",
		"net_kg >= 2":        "asks nothing",
		"crop empty now":     "takes no value",
		"kg between 3":       "the first value and the last",
		"kg between 3,4,5":   "the first value and the last",
		"crop Equals wheat":  "asks nothing",
		"crop filled filled": "takes no value",
	} {
		_, err := result.ParseFilter(text)
		assert.ErrorContains(t, err, says, text)
	}
}

// some makes a run of twelve rows, of which one is rejected and two are left out.
func some(t *testing.T) (out string) {
	dir := t.TempDir()
	var rows [][]string
	for i := range 12 {
		row := []string{fmt.Sprint(i + 1), map[int]string{4: "bad", 0: "left", 11: "left"}[i]}
		if row[1] == "" {
			row[1] = "ok"
		}
		for _, c := range columns {
			row = append(row, c.values[i%len(c.values)])
		}
		rows = append(rows, row)
	}
	made(t, dir, rows)
	return filepath.Join(dir, "out")
}

func idsOf(rows []result.Shown) (ids []int64) {
	for _, r := range rows {
		ids = append(ids, r.Row)
	}
	return ids
}

func TestOtherSides(t *testing.T) {
	out := some(t)
	for side, want := range map[outcome.Side][]int64{outcome.Accepted: {2, 3, 4, 6, 7, 8, 9, 10, 11},
		outcome.Rejected: {5}, outcome.Excluded: {1, 12}} {
		s, err := result.Open(out, side.String())
		require.NoError(t, err)
		got, err := s.Find(t.Context(), result.Question{Most: 20})
		require.NoError(t, err)
		assert.Equal(t, want, idsOf(got.Rows), side)
	}
	s, err := result.Open(out, "excluded")
	require.NoError(t, err)
	assert.Equal(t, "row", s.Columns[0].Name)
	assert.Equal(t, "integer", s.Columns[0].Datatype, "numbers of rows are in the order of numbers")
	got, err := s.Find(t.Context(), result.Question{Most: 20, Sort: []result.By{{Column: "row", Descending: true}},
		Columns: []string{"reason", "id"}})
	require.NoError(t, err)
	assert.Equal(t, []int64{12, 1}, idsOf(got.Rows))
	assert.Equal(t, "left out", *got.Rows[0].Cells[0])
	assert.Equal(t, "12", *got.Rows[0].Cells[1])
	require.Len(t, got.Rows[0].Cells, 2)
}

func TestWhatCannotBeAsked(t *testing.T) {
	out := some(t)
	s, err := result.Open(out, "accepted")
	require.NoError(t, err)
	where := func(column, op, value string) result.Question {
		return result.Question{Most: 3, Where: []profile.Filter{{Column: column, Op: op, Value: value}}}
	}
	for says, q := range map[string]result.Question{
		`no column "kilos"; they have id, fate, count`: where("kilos", "equals", "1"),
		`"viel" is no value of the datatype integer`:   where("count", "atLeast", "viel"),
		`"" is no value of the datatype date`:          where("day", "less", ""),
		`"31.7.2026" is no value of the datatype date`: where("day", "greater", "31.7.2026"),
		"day between":            {Most: 3, Where: []profile.Filter{{Column: "day", Op: "between", Value: "2026-07-31"}}},
		"no such condition":      where("count", "shape", "9"),
		`no column "no"`:         {Most: 3, Sort: []result.By{{Column: "no"}}},
		`no column "neither"`:    {Most: 3, Columns: []string{"id", "neither"}},
		"up to 100000 rows":      {Most: result.MostRows, Skip: 1, Sort: []result.By{{Column: "day"}}},
		"up to 100000 rows c":    {Most: result.MostRows, Skip: 1, Last: true},
		"up to 100000 row":       {Most: result.MostRows + 1},
		"up to 100000 rows can":  {Most: -1},
		"up to 100000 rows can ": {Skip: -1},
	} {
		_, err := s.Find(t.Context(), q)
		assert.ErrorContains(t, err, says)
	}
	_, _, _, err = s.Count(t.Context(), "kilos", nil, 3)
	assert.ErrorContains(t, err, `no column "kilos"`)
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = s.Find(ended, result.Question{Most: 3})
	assert.ErrorIs(t, err, context.Canceled)

	answer, err := s.Find(t.Context(), result.Question{Most: result.MostRows})
	require.NoError(t, err)
	assert.Len(t, answer.Rows, 9)
	answer, err = s.Find(t.Context(), result.Question{Skip: 1 << 40, Most: 3})
	require.NoError(t, err)
	assert.Empty(t, answer.Rows)
	assert.EqualValues(t, 9, answer.Total)
}

func TestWhatCannotBeOpened(t *testing.T) {
	out := some(t)
	_, err := result.Open(t.TempDir(), "accepted")
	assert.ErrorContains(t, err, "holds no run: there is no manifest.json in it")

	path := filepath.Join(out, report.ManifestName)
	manifest, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, []byte(strings.ReplaceAll(string(manifest), "accepted.csv", "accepted.parquet")),
		0o600))
	_, err = result.Open(out, "accepted")
	assert.ErrorContains(t, err, "has not written accepted.csv")

	// Runs of older versions do not say what their columns are.
	var m map[string]any
	require.NoError(t, json.Unmarshal(manifest, &m))
	delete(m, "columns")
	old, err := json.Marshal(m)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, old, 0o600))
	s, err := result.Open(out, "accepted")
	require.NoError(t, err)
	_, err = s.Find(t.Context(), result.Question{Most: 3, Sort: []result.By{{Column: "count"}}})
	assert.ErrorContains(t, err, "sift the delivery again")
	where := func(column, op, value string) result.Question {
		return result.Question{Most: 3, Where: []profile.Filter{{Column: column, Op: op, Value: value}}}
	}
	_, err = s.Find(t.Context(), where("count", "less", "3"))
	assert.ErrorContains(t, err, "sift the delivery again")
	answer, err := s.Find(t.Context(), where("id", "equals", "3"))
	require.NoError(t, err)
	assert.Equal(t, []int64{3}, idsOf(answer.Rows))

	require.NoError(t, os.WriteFile(path, manifest[:len(manifest)/2], 0o600))
	_, err = result.Open(out, "accepted")
	assert.ErrorContains(t, err, "is damaged")
	require.NoError(t, os.WriteFile(path, manifest, 0o600))

	// A file that has lost rows is told by those that the manifest counts.
	accepted := filepath.Join(out, report.AcceptedName)
	text, err := os.ReadFile(accepted)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(accepted, text[:bytes.LastIndexByte(text[:len(text)-1], '\n')+1], 0o600))
	s, err = result.Open(out, "accepted")
	require.NoError(t, err)
	_, err = s.Find(t.Context(), result.Question{Most: 20})
	assert.ErrorContains(t, err, "it has fewer rows than the manifest counts")
	require.NoError(t, os.WriteFile(accepted, text, 0o600))

	// What goes away while it is asked is told; without an index the numbers of others are read.
	require.NoError(t, os.Remove(filepath.Join(out, rowindex.Name)))
	s, err = result.Open(out, "accepted")
	require.NoError(t, err)
	rejected := filepath.Join(out, report.RejectedName)
	require.NoError(t, os.WriteFile(rejected, []byte("row,line,reasons,id\nx,2,,\n"), 0o600))
	_, err = s.Find(t.Context(), result.Question{Most: 3})
	assert.ErrorContains(t, err, "a row stands behind row 0")
	require.NoError(t, os.Remove(filepath.Join(out, report.AcceptedName)))
	_, err = s.Find(t.Context(), result.Question{Most: 3})
	assert.ErrorContains(t, err, "accepted.csv")
}

// Answers are bounded by what they hold, not only by their rows.
func TestAnswersAreBounded(t *testing.T) {
	out := some(t)
	s, err := result.Open(out, "accepted")
	require.NoError(t, err)
	all := result.Question{Most: 9}
	sorted := result.Question{Most: 9, Sort: []result.By{{Column: "word"}}, Columns: []string{"id"}}
	result.Bound(t, 9*valueOf(t, s))
	_, err = s.Find(t.Context(), sorted)
	require.NoError(t, err)
	for says, ask := range map[string]func() error{
		"the cells of 9 rows take more than": func() error {
			result.Bound(t, 100)
			_, err := s.Find(t.Context(), all)
			return err
		},
		"the values by which 9 rows are sorted take more than": func() error {
			result.Bound(t, 20)
			_, err := s.Find(t.Context(), sorted)
			return err
		},
		`the different values of the column "word" take more than`: func() error {
			result.Bound(t, 200)
			_, _, _, err := s.Count(t.Context(), "word", nil, 3)
			return err
		},
	} {
		assert.ErrorContains(t, ask(), says)
	}
}

// valueOf returns how many bytes the longest row has.
func valueOf(t *testing.T, s *result.Side) (most int) {
	answer, err := s.Find(t.Context(), result.Question{Most: 9})
	require.NoError(t, err)
	for _, row := range answer.Rows {
		n := 0
		for _, cell := range row.Cells {
			if cell != nil {
				n += len(*cell)
			}
		}
		most = max(most, n)
	}
	return most
}

// The first of very many rows are kept in little room, whatever the order in which they come.
func TestTheFirstOfMany(t *testing.T) {
	dir := t.TempDir()
	var rows [][]string
	for i := range 5000 {
		row := []string{fmt.Sprint(i + 1), "ok"}
		for range columns {
			row = append(row, "")
		}
		row[2] = fmt.Sprint(i * 7919 % 5000)
		rows = append(rows, row)
	}
	made(t, dir, rows)
	s, err := result.Open(filepath.Join(dir, "out"), "accepted")
	require.NoError(t, err)
	for _, descending := range []bool{false, true} {
		for _, last := range []bool{false, true} {
			q := result.Question{Skip: 3, Most: 4, Last: last, Sort: []result.By{{Column: "count", Descending: descending}},
				Columns: []string{"count"}}
			answer, err := s.Find(t.Context(), q)
			require.NoError(t, err)
			var got []string
			for _, r := range answer.Rows {
				got = append(got, *r.Cells[0])
			}
			want := map[[2]bool][]string{{false, false}: {"3", "4", "5", "6"}, {true, false}: {"4996", "4995", "4994", "4993"},
				{false, true}: {"4993", "4994", "4995", "4996"}, {true, true}: {"6", "5", "4", "3"}}[[2]bool{descending, last}]
			assert.Equal(t, want, got)
			assert.EqualValues(t, 5000, answer.Total)
		}
	}
}

// No value and a text without characters are two things.
func TestEmptyTexts(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "d.csv")
	require.NoError(t, os.WriteFile(path, []byte("id,word\n1,\n2,-\n3,x\n"), 0o600))
	parsed, err := target.Parse([]byte("target: t\ncolumns: [{name: id, datatype: integer}, {name: word, null: ['-']}]\n"))
	require.NoError(t, err)
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	_, err = (&report.Run{Delivery: file, Target: parsed, Dir: filepath.Join(dir, "out")}).Do(t.Context())
	require.NoError(t, err)
	s, err := result.Open(filepath.Join(dir, "out"), "accepted")
	require.NoError(t, err)
	for want, f := range map[string]profile.Filter{"[1]": {Column: "word", Op: "equals"},
		"[1 2]": {Column: "word", Op: "empty"}, "[3]": {Column: "word", Op: "filled"},
		"[1 3]": {Column: "word", Op: "oneOf", Values: []string{"", "x"}}} {
		answer, err := s.Find(t.Context(), result.Question{Most: 5, Where: []profile.Filter{f}})
		require.NoError(t, err)
		assert.Equal(t, want, fmt.Sprint(idsOf(answer.Rows)), f.Op)
	}
	answer, err := s.Find(t.Context(), result.Question{Most: 5, Sort: []result.By{{Column: "word", Descending: true}}})
	require.NoError(t, err)
	assert.Equal(t, []int64{3, 1, 2}, idsOf(answer.Rows), "no value stands last")
	assert.Nil(t, answer.Rows[2].Cells[1])
	assert.Empty(t, *answer.Rows[1].Cells[1])
	values, distinct, total, err := s.Count(t.Context(), "word", nil, 5)
	require.NoError(t, err)
	assert.Equal(t, 2, distinct)
	assert.EqualValues(t, 3, total)
	assert.Nil(t, values[2].Value, "among equally many no value stands last")
}

// An index changes nothing but how fast answers come. Rows stand in several stretches, changed and flagged among them.
func TestTheIndexTellsWhatTheFilesTell(t *testing.T) {
	dir := t.TempDir()
	const n = 16_000
	text := []byte("id;word;note\n")
	var changed, flagged []int64
	draw := rand.New(rand.NewPCG(1, 2))
	for i := int64(1); i <= n; i++ {
		id, word := fmt.Sprint(i), "rye"
		isAccepted := true
		switch k := draw.IntN(100); {
		case k < 5:
			id, isAccepted = "x", false
		case k < 8:
			word, isAccepted = "trial", false
		case k < 14:
			word = " rye "
		case k < 20:
			word = "a very long word"
		case k < 22:
			word = " quite a long word"
		case k < 24:
			word = "?"
		}
		if isAccepted && (word[0] == ' ' || word[0] == '?') {
			changed = append(changed, i)
		}
		if isAccepted && len(word) > 8 {
			flagged = append(flagged, i)
		}
		text = fmt.Appendf(text, "%s;%s;\"line\nof %d\"\n", id, word, i)
	}
	path := filepath.Join(dir, "d.csv")
	require.NoError(t, os.WriteFile(path, text, 0o600))
	parsed, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: id, datatype: integer}\n  - {name: word, " +
		"remedies: [trim], null: ['', '?'], maxLength: 8, onViolation: flag}\n  - {name: note}\n" +
		"exclude: [{condition: cell(\"word\") == \"trial\", reason: trial}]\n"))
	require.NoError(t, err)
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	out := filepath.Join(dir, "out")
	_, err = (&report.Run{Delivery: file, Target: parsed, Dir: out}).Do(t.Context())
	require.NoError(t, err)

	rowsOf := func(side string, q result.Question) []result.Shown {
		s, err := result.Open(out, side)
		require.NoError(t, err)
		defer s.Close()
		answer, err := s.Find(t.Context(), q)
		require.NoError(t, err)
		return answer.Rows
	}
	numbersOf := func(side string, q result.Question) (numbers []int64) {
		for _, r := range rowsOf(side, q) {
			numbers = append(numbers, r.Row)
			if r.Cells[0] != nil && side != "rejected" && side != "excluded" {
				assert.Equal(t, fmt.Sprint(r.Row), *r.Cells[0])
				assert.Equal(t, fmt.Sprintf("line\nof %d", r.Row), *r.Cells[2])
			}
		}
		return numbers
	}
	require.Greater(t, len(changed), 1000)
	assert.Equal(t, changed, numbersOf("changed", result.Question{Most: n}))
	assert.Equal(t, flagged, numbersOf("flagged", result.Question{Most: n}))
	for _, skip := range []int{0, 1, 700, len(changed) - 3, len(changed), len(changed) + 9} {
		rest := changed[min(skip, len(changed)):]
		assert.Equal(t, rest[:min(7, len(rest))], append([]int64{}, numbersOf("changed",
			result.Question{Skip: skip, Most: 7})...), "behind %d", skip)
	}
	long := []profile.Filter{{Column: "word", Op: "contains", Value: "LONG"}}
	both := slices.DeleteFunc(slices.Clone(flagged), func(row int64) bool { return !slices.Contains(changed, row) })
	assert.Equal(t, both, numbersOf("changed", result.Question{Most: n, Where: long}))
	by := []result.By{{Column: "id", Descending: true}}
	assert.Equal(t, changed[len(changed)-1], numbersOf("changed", result.Question{Most: 5, Sort: by})[0])

	type asked struct {
		side string
		q    result.Question
	}
	var all []asked
	for _, side := range []string{"accepted", "rejected", "excluded"} {
		for _, skip := range []int{0, 499, 800, 9_000} {
			for _, last := range []bool{false, true} {
				q := result.Question{Skip: skip, Most: 9, Last: last}
				all = append(all, asked{side, q})
				q.Sort = []result.By{{Column: "word"}, {Column: "note", Descending: true}}
				all = append(all, asked{side, q})
				q.Where = []profile.Filter{{Column: "note", Op: "contains", Value: "99"}}
				all = append(all, asked{side, q})
			}
		}
	}
	quick := make([][]result.Shown, len(all))
	for i, a := range all {
		quick[i] = rowsOf(a.side, a.q)
	}
	index := filepath.Join(out, rowindex.Name)
	whole, err := os.ReadFile(index)
	require.NoError(t, err)
	spoil := map[string]func() error{
		"no index":        func() error { return os.Remove(index) },
		"half an index":   func() error { return os.WriteFile(index, whole[:len(whole)/2], 0o600) },
		"an empty index":  func() error { return os.WriteFile(index, nil, 0o600) },
		"a damaged table": func() error { return os.WriteFile(index, spoilt(whole, len(whole)-40), 0o600) },
		"damaged fates":   func() error { return os.WriteFile(index, spoilt(whole, 3), 0o600) },
	}
	for what, does := range spoil {
		require.NoError(t, does())
		for i, a := range all {
			require.Equal(t, quick[i], rowsOf(a.side, a.q), "%s: %+v", what, a)
		}
		s, err := result.Open(out, "changed")
		if err == nil {
			_, err = s.Find(t.Context(), result.Question{Most: n})
			s.Close()
		}
		assert.ErrorContains(t, err, "which rows are changed is not known", what)
		ask := result.Ask{Side: "changed", Limit: n}
		_, err = ask.Values(t.Context(), out, "word")
		assert.ErrorContains(t, err, "which rows are changed is not known", what)
		as, err := written.All([]outcome.Settings{{Form: "jsonl"}})
		require.NoError(t, err)
		err = ask.Write(t.Context(), out, nil, nil, as[0], io.Discard)
		assert.ErrorContains(t, err, "which rows are changed is not known", what)
	}
}

// spoilt returns a text with another byte at a place.
func spoilt(text []byte, at int) []byte {
	text = bytes.Clone(text)
	text[at] ^= 0x55
	return text
}

// Of the rows that pass the columns that are asked for are written, in their order, in any form.
func TestChosenColumnsAreWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "result")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		made(t, dir, drawn(t))
		out := filepath.Join(dir, "out")
		side := rapid.SampledFrom([]string{"accepted", "rejected", "excluded"}).Draw(t, "side")
		s, err := result.Open(out, side)
		require.NoError(t, err)
		names := make([]string, len(s.Columns))
		for i, c := range s.Columns {
			names[i] = c.Name
		}
		chosen := rapid.SliceOfNDistinct(rapid.SampledFrom(names), 2, len(names), rapid.ID).Draw(t, "columns")
		found, err := s.Find(context.Background(), result.Question{Most: 100, Columns: chosen})
		require.NoError(t, err)
		s.Close()
		as, err := written.All([]outcome.Settings{{Form: "delimited", Delimiter: ";", Quoting: "all"}})
		require.NoError(t, err)
		ask := result.Ask{Side: side, Columns: chosen}
		var text bytes.Buffer
		require.NoError(t, ask.Write(context.Background(), out, nil, nil, as[0], &text))
		r := csv.NewReader(&text)
		r.Comma = ';'
		all, err := r.ReadAll()
		require.NoError(t, err)
		require.Equal(t, chosen, all[0])
		require.Len(t, all, len(found.Rows)+1)
		for i, row := range found.Rows {
			for k, cell := range row.Cells {
				want := ""
				if cell != nil {
					want = *cell
				}
				require.Equal(t, want, all[i+1][k])
			}
		}
		ask.Columns = append(ask.Columns, chosen[0])
		assert.ErrorContains(t, ask.Write(context.Background(), out, nil, nil, as[0], io.Discard), "is asked for twice")
		ask.Columns = []string{"nothing"}
		assert.ErrorContains(t, ask.Write(context.Background(), out, nil, nil, as[0], io.Discard), `no column "nothing"`)
	})
}
