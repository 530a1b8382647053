package finding

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/profile"
	"sieb/core/profile/profiletest"
	"sieb/core/typing"
	"sieb/core/value"
)

// of makes the profile of a table by an option.
func of(t require.TestingT, o profile.Options, names []string, rows [][]string) *profile.Profile {
	file := profiletest.Open(t, profiletest.Written(t, names, rows))
	defer file.Close()
	p := told(t, file, o)
	checkRows(t, file, p)
	return p
}

// columnOf makes the profile of a column that stands beside another.
func columnOf(t require.TestingT, o profile.Options, name string, cells []string) profile.Column {
	rows := make([][]string, len(cells))
	for i, c := range cells {
		rows[i] = []string{c, fmt.Sprint("x", i%7)}
	}
	return of(t, o, []string{name, "beside"}, rows).Columns[0]
}

// A column of 0 and 1 is yes or no only where a name says so.
func TestZeroAndOne(t *testing.T) {
	rows := make([][]string, 60)
	for i := range rows {
		bit := fmt.Sprint(i % 2)
		rows[i] = []string{bit, bit, fmt.Sprint(i / 2 % 2), fmt.Sprint(i / 3 % 2), fmt.Sprint(i / 5 % 2), bit,
			[]string{"yes", "no"}[i%2], bit}
	}
	p := of(t, profile.Options{}, []string{"sacks", "is_organic", "crop wheat", "crop rye", "paid?", "isWet", "dried",
		"wet_kg"}, rows)
	var got []string
	for _, c := range p.Columns {
		got = append(got, c.Name+" "+c.Datatype.String())
	}
	assert.Equal(t, []string{"sacks integer", "is_organic boolean", "crop wheat boolean", "crop rye boolean",
		"paid? boolean",
		"isWet boolean", "dried boolean", "wet_kg integer"}, got)
}

// Whole numbers stay whole numbers where some are written as 178.0, in columns that are
// held whole and in those that are not.
func TestNoughts(t *testing.T) {
	for _, n := range []int{200, 30_000} {
		cells := sequence(n, func(i int) string { return fmt.Sprint(i*i%99_991 + 20) })
		cells = mix(cells, "178.0", "90.00", "12.0", "7.0", "5.0", "3.0")
		c := columnOf(t, profile.Options{}, "weight", cells)
		assert.Equal(t, value.Integer, c.Datatype, "%d", n)
		assert.Equal(t, int64(6), c.Numbers.Noughts)
		assert.Equal(t, int64(n-6), c.Fits)
	}
	c := columnOf(t, profile.Options{}, "weight", mix(sequence(200, func(i int) string { return fmt.Sprint(i) }), "178.0",
		"90.0", "12.5", "7.5", "5.5"))
	assert.Equal(t, value.Decimal, c.Datatype, "among true decimals")
	assert.Contains(t, textsOf(t, mix(sequence(100, func(i int) string { return fmt.Sprint(i % 13) }), "178.0")),
		"`value`: 1 of 100 whole numbers has zeros after the point: 178.0")
}

// A word that repeats among numbers or dates is taken for a missing value up to a third
// of the rows; neither more of them, nor many different ones.
func TestWordsAmongNumbers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(40, 400).Draw(t, "rows")
		words := []string{"offen", "folgt"}[:rapid.IntRange(1, 2).Draw(t, "words")]
		share := rapid.IntRange(0, 60).Draw(t, "percent")
		isDate := rapid.Bool().Draw(t, "dates")
		count := n * share / 100
		var counts [2]int64
		cells := sequence(n, func(i int) string {
			if i < count {
				counts[i%len(words)]++
				return words[i%len(words)]
			}
			if isDate {
				return fmt.Sprintf("2026-07-%02d", 1+i%28)
			}
			return fmt.Sprint(20 + i*7%311)
		})
		slices.Reverse(cells)
		c := columnOf(t, profile.Options{}, "sacks", cells)
		want := map[bool]value.Datatype{true: value.Date, false: value.Integer}[isDate]
		// Words that come once or twice are values that are wrong.
		few := min(counts[0], counts[len(words)-1]) < typing.LeastWord
		switch {
		case count*typing.MostWord > n:
			require.Equal(t, value.String, c.Datatype, "%d of %d", count, n)
			require.Empty(t, c.Placeholders)
		case !few:
			require.Equal(t, want, c.Datatype, "%d of %d", count, n)
			require.Len(t, c.Placeholders, len(words))
			for _, v := range c.Placeholders {
				require.Equal(t, counts[slices.Index(words, v.Value)], v.Count)
			}
			require.Empty(t, c.Against)
			require.Equal(t, int64(n-count), c.Fits)
		}
	})
	many := sequence(90, func(i int) string {
		if i%3 == 0 {
			return []string{"offen", "folgt", "nachgereicht"}[i/3%3]
		}
		return fmt.Sprint(i)
	})
	assert.Equal(t, value.String, columnOf(t, profile.Options{}, "sacks", many).Datatype,
		"three words are texts of their own")
}

// The share of values that decides a datatype is a setting.
func TestShare(t *testing.T) {
	cells := mix(sequence(100, func(i int) string { return fmt.Sprint(i * 37 % 1009) }), "few", "many", "some",
		"none of it", "half", "most")
	for share, want := range map[float64]value.Datatype{0: value.Integer, 0.94: value.Integer, 0.95: value.String,
		1: value.String, 0.5: value.Integer} {
		assert.Equal(t, want, columnOf(t, profile.Options{Share: share}, "n", cells).Datatype, "%g", share)
	}
	file := profiletest.Open(t, "a,b\n1,2\n")
	defer file.Close()
	for _, share := range []float64{0.49, -1, 1.01} {
		_, err := profile.Of(t.Context(), file, profile.Options{Share: share})
		assert.ErrorContains(t, err, "give one from 0.5 to 1")
	}
}

// Numbers that only name something have no mean and no sum; what counts the rows is said.
func TestCodesAndCounters(t *testing.T) {
	const n = 120
	rows := make([][]string, n)
	for i := range rows {
		rows[i] = []string{fmt.Sprint(i + 1), fmt.Sprint(100 + i*7%n), fmt.Sprint(i), fmt.Sprint(1001 + i),
			fmt.Sprint(n - i), fmt.Sprint(i*i%97 + 1)}
	}
	p := of(t, profile.Options{}, []string{"row", "growerNo", "from nought", "ticket", "back", "number of sacks"}, rows)
	isCounter, isCode := []bool{true, false, true, false, false, false}, []bool{true, true, true, false, false, false}
	for k, c := range p.Columns {
		assert.Equal(t, isCounter[k], c.Counter, c.Name)
		assert.Equal(t, isCode[k], c.Code, c.Name)
		assert.Equal(t, isCode[k], c.Mean == nil && c.Sum == nil && c.Deviation == nil, c.Name)
		assert.NotNil(t, c.Minimum, c.Name)
	}
	var texts []string
	for _, f := range p.Findings {
		texts = append(texts, f.Text)
	}
	assert.Contains(t, texts, "`row` only counts the rows, from 1 to 120: it can be left out")
	assert.Contains(t, texts, "`from nought` only counts the rows, from 0 to 119: it can be left out")
}

// Rows that repeat the header are told, and no column's figures know them.
func TestRepeatedHeaders(t *testing.T) {
	names := []string{"site", "net_kg", "weighed_on"}
	clean := make([][]string, 100)
	for i := range clean {
		clean[i] = []string{[]string{"Ahrensee", "Dornau"}[i%2], fmt.Sprint(i * 13),
			fmt.Sprintf("2026-07-%02d", 1+i%28)}
	}
	dirty := slices.Insert(slices.Clone(clean), 40, names)
	dirty = slices.Insert(dirty, 70, []string{" site ", "net_kg", "weighed_on "}, []string{"site", "0", "2026-07-01"})
	p := of(t, profile.Options{}, names, dirty)
	assert.Equal(t, profile.Headers{Rows: 2, First: []profile.Place{{Row: 41, Line: 42}, {Row: 71, Line: 72}}}, p.Headers)
	assert.Equal(t, int64(2), p.Damaged)
	assert.Equal(t, int64(103), p.Rows)
	for k, c := range of(t, profile.Options{}, names, append(clean, []string{"site", "0", "2026-07-01"})).Columns {
		got := p.Columns[k]
		assert.Equal(t, c.Distinct, got.Distinct, c.Name)
		assert.Equal(t, c.Datatype, got.Datatype, c.Name)
		assert.Equal(t, c.Sum, got.Sum, c.Name)
		assert.Equal(t, c.MaxLength, got.MaxLength, c.Name)
		assert.Empty(t, got.Against, c.Name)
	}
	i := slices.IndexFunc(p.Findings, func(f profile.Finding) bool { return f.Code == "row.header" })
	require.Contains(t, p.Findings[i].Text, "2 rows repeat the header, first row 41 (line 42)")
	one := of(t, profile.Options{}, []string{"site"}, [][]string{{"a"}, {"site"}, {"b"}})
	assert.Zero(t, one.Headers.Rows, "a word alone may be a value")
}

func TestWordsOfNames(t *testing.T) {
	for name, want := range map[string]string{"isOrganic": "is organic", "Grower No.": "grower no", "net_kg": "net kg",
		"GTIN": "gtin", "Öko-Siegel?": "öko siegel", "": ""} {
		assert.Equal(t, want, strings.Join(typing.NameWords(name), " "), name)
	}
}
