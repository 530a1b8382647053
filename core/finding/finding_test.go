package finding

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/profile"
	"sieb/core/profile/profiletest"
	"sieb/core/relation"
)

// mix puts some cells at even distances among others.
func mix(most []string, odd ...string) []string {
	all := slices.Clone(most)
	for i, o := range odd {
		at := (i + 1) * len(most) / (len(odd) + 1)
		all[at] = o
	}
	return all
}

func sequence(n int, format func(i int) string) (all []string) {
	for i := range n {
		all = append(all, format(i))
	}
	return all
}

// textsOf returns the findings that concern the column.
func textsOf(t *testing.T, cells []string) (texts []string) {
	t.Helper()
	rows := make([][]string, len(cells))
	for i, c := range cells {
		rows[i] = []string{c, "x"}
	}
	file := profiletest.Open(t, profiletest.Written(t, []string{"value", "always"}, rows))
	defer file.Close()
	p := told(t, file, profile.Options{})
	checkRows(t, file, p)
	for _, f := range p.Findings {
		if slices.Contains(f.Columns, "value") {
			texts = append(texts, f.Text)
		}
	}
	return texts
}

// Each column has the findings that a steward would make, and no others.
func TestFindings(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 7))
	numbers := sequence(200, func(int) string { return fmt.Sprintf("%d.%d", 9+random.IntN(9), random.IntN(10)) })
	dates := sequence(200, func(i int) string { return fmt.Sprintf("%02d.07.2026", 1+i%28) })
	slashes := sequence(200, func(i int) string { return fmt.Sprintf("%02d/%02d/2026", 1+i%12, 1+i%11) })
	words := sequence(200, func(i int) string { return []string{"wheat", "barley", "oats"}[i%3] })
	codes := sequence(200, func(i int) string { return fmt.Sprintf("BR-%06d", i) })
	names := sequence(200, func(i int) string { return fmt.Sprintf("%c%s field", 'A'+i%26, strings.Repeat("o", i%7)) })
	for _, c := range []struct {
		name  string
		cells []string
		want  []string
	}{
		{"clean numbers", numbers, nil},
		{"clean dates", dates, nil},
		{"clean words", words, nil},
		{"clean codes", codes, nil},
		{"clean names", names, nil},
		{"words among numbers", mix(numbers, "wet", "n/a", "wet", "n/a", "n/a"),
			[]string{"`value`: 2 of 200 values are not decimals: wet (2)",
				"`value`: 3 of 200 values stand for a missing one: n/a (3)"}},
		{"nines among numbers", mix(numbers, "9999", "9999"),
			[]string{"`value`: 2 of 200 values stand for a missing one: 9999 (2)"}},
		{"nines that belong", sequence(300, func(i int) string { return fmt.Sprint(9900 + i) }), nil},
		{"far number", mix(numbers, "1180.5"),
			[]string{"`value`: 1 value is far from all others, which lie between 9 and 17.9: 1180.5"}},
		{"comma among points", mix(numbers, "9,5"), []string{"`value`: 1 of 200 values is not a decimal: 9,5"}},
		{"leading zeros", sequence(200, func(i int) string { return fmt.Sprintf("%05d", 37*i) }),
			[]string{"`value` looks like a number, but 200 values start with 0: keep it as text"}},
		{"postcodes", sequence(200, func(i int) string { return fmt.Sprintf("%05d", 7000+i*47) }),
			[]string{"`value` looks like a number, but 64 values start with 0: keep it as text"}},
		{"currency", sequence(200, func(i int) string { return fmt.Sprintf("€ %d,50", i) }),
			[]string{"`value` holds amounts with a currency sign: only without it they are numbers"}},
		{"undecided dates", slashes, []string{"`value`: no date tells whether the day or the month comes first; the " +
			"day is taken to. Ask the sender"}},
		{"month first", mix(slashes, "07/31/2026"), nil},
		{"two orders", mix(slashes, "07/31/2026", "07/30/2026", "31/07/2026"),
			[]string{"`value`: most dates have the month first, but 1 makes sense only with the day first: 31/07/2026"}},
		{"impossible date", mix(dates, "31.06.2026"),
			[]string{"`value`: 1 date or time that does not exist: 31.06.2026"}},
		{"clean named dates", sequence(200, func(i int) string {
			return fmt.Sprintf("%d-%s-2026", 1+i%28,
				[]string{"JAN", "FEB", "MAR"}[i%3])
		}), nil},
		{"impossible named date", mix(sequence(200, func(i int) string { return fmt.Sprintf("%d. Juli 2026", 1+i%28) }),
			"31. Juni 2026"), []string{"`value`: 1 date or time that does not exist: 31. Juni 2026"}},
		{"far date", mix(dates, "06.07.1926"), []string{"`value`: 1 date is years away from all others: 06.07.1926"}},
		{"two-digit years", sequence(60, func(i int) string { return fmt.Sprintf("%02d.07.26", 1+i%28) }),
			[]string{"`value`: the years of 60 dates have two digits"}},
		{"two formats", append(slices.Clone(dates[:100]),
			sequence(20, func(i int) string { return fmt.Sprintf("2026-07-%02d", 1+i) })...),
			[]string{"`value`: dates come in 2 formats: dd.MM.yyyy (100), yyyy-MM-dd (20)"}},
		{"blanks around", mix(words, " wheat", "oats "), []string{"`value`: the same is written in different ways: ",
			"`value`: 2 values have blanks around them"}},
		{"letter case", mix(words, "Wheat", "WHEAT"),
			[]string{"`value`: the same is written in different ways: wheat (6"}},
		{"misspelt", mix(words, "barely"), []string{"`value`: perhaps misspelt: barely (1) for barley (6"}},
		{"repeated code", mix(codes, "BR-000007"),
			[]string{"`value` nearly tells rows apart, but 1 row repeats an earlier one in all cells; row 101 " +
				"repeats row 8"}},
		{"odd code", mix(codes, "TRIAL-1"),
			[]string{"`value`: nearly all values look like AA-999999, but 1 does not: TRIAL-1"}},
		{"hardly empty", mix(codes, ""), []string{"`value` is empty in 1 of 200 rows"}},
		{"often empty", slices.Concat(words, slices.Repeat([]string{""}, 100)), nil},
		{"always empty", slices.Repeat([]string{""}, 40), []string{"`value` is always empty"}},
		{"constant", slices.Repeat([]string{"Ahrensee"}, 40), []string{"`value` is always Ahrensee"}},
		{"mixed", append(slices.Clone(numbers[:150]), words[:30]...),
			[]string{"`value` mixes numbers with other texts: 30 of 180 values are none"}},
		{"no-break space", mix(words, "whe\u00a0at"),
			[]string{"`value`: the same is written in different ways: wheat (67), whe\u00a0at",
				"`value`: 1 value has characters that do not show, such as tabs and no-break spaces"}},
	} {
		got := textsOf(t, c.cells)
		if assert.Len(t, got, len(c.want), "%s: %q", c.name, got) {
			for i, want := range c.want {
				assert.True(t, strings.HasPrefix(got[i], want), "%s: %q, not %q", c.name, got[i], want)
			}
		}
	}
}

// What holds between columns is found, with the rows that break it.
func TestRelations(t *testing.T) {
	random := rand.New(rand.NewPCG(9, 9))
	growers := []string{"Ahof", "Bhof", "Chof", "Dhof", "Ehof"}
	var b strings.Builder
	b.WriteString("from,to,gross,tare,net,q1,q2,q3,year,no,grower,again,noise\n")
	for i := 1; i <= 400; i++ {
		day, net, tare := 1+random.IntN(14), 5000+random.IntN(9000), 4000+random.IntN(900)
		from, to := fmt.Sprintf("2026-07-%02d", day), fmt.Sprintf("2026-07-%02d", day+random.IntN(14))
		q1, q2, q3 := 1+random.IntN(50), 1+random.IntN(50), 1+random.IntN(50)
		no := random.IntN(5)
		grower, gross, again := growers[no], net+tare, growers[no]
		switch i {
		case 100:
			from, to = "2026-07-20", "2026-07-10"
		case 200:
			gross += 10
		case 300:
			grower = "Ahof"
			if no == 0 {
				grower = "Bhof"
			}
			again = grower
		case 350:
			again = "other"
		}
		fmt.Fprintf(&b, "%s,%s,%d,%d,%d,%d,%d,%d,%d,%d,%s,%s,%d\n", from, to, gross, tare, net, q1, q2, q3, q1+q2+q3,
			100+no, grower, again, random.IntN(9))
	}
	file := profiletest.Open(t, b.String())
	defer file.Close()
	p := told(t, file, profile.Options{})
	checkRows(t, file, p)
	found := map[string]profile.Relation{}
	for _, r := range p.Relations {
		found[r.Kind+" "+strings.Join(r.Columns, " ")] = r
	}
	for name, row := range map[string]int64{"order from to": 100, "sum gross tare net": 200, "sum year q1 q2 q3": 0,
		"determines no grower": 300, "equal grower again": 350} {
		r, ok := found[name]
		if !assert.True(t, ok, "%s is not among %v", name, p.Relations) {
			continue
		}
		assert.Equal(t, int64(400), r.Rows, name)
		if row == 0 {
			assert.Zero(t, r.Exceptions, name)
			continue
		}
		require.Len(t, r.First, 1, name)
		assert.Equal(t, profile.Place{Row: row, Line: row + 1}, r.First[0], name)
	}
	for name := range found {
		assert.NotContains(t, name, "noise")
	}
}

// Columns that are the same do not crowd out what else holds.
func TestRelationsAmongCopies(t *testing.T) {
	var b strings.Builder
	b.WriteString("from,to,a,b,sum")
	for k := range 30 {
		fmt.Fprintf(&b, ",copy%d", k)
	}
	b.WriteByte('\n')
	random := rand.New(rand.NewPCG(4, 4))
	for range 100 {
		day, x, y := 1+random.IntN(14), random.IntN(5000), random.IntN(5000)
		fmt.Fprintf(&b, "2026-07-%02d,2026-07-%02d,%d,%d,%d%s\n", day, day+random.IntN(14), x, y, x+y,
			strings.Repeat(","+fmt.Sprint(x), 30))
	}
	kinds := map[string]int{}
	for _, r := range profileOf(t, b.String()).Relations {
		kinds[r.Kind]++
		if r.Kind != "equal" {
			assert.NotContains(t, strings.Join(r.Columns, " "), "copy")
		}
	}
	assert.Equal(t, map[string]int{"equal": relation.MaxRelations, "sum": 1, "order": 1}, kinds)
}

// In a table of very many columns, those that are the same but for a few rows are found
// wherever they stand, sums where they stand together.
func TestRelationsOfWideTables(t *testing.T) {
	const width, rows = 1500, 400
	random := rand.New(rand.NewPCG(6, 6))
	var b strings.Builder
	for k := range width {
		fmt.Fprintf(&b, "c%d,", k)
	}
	b.WriteString("again\n")
	cells := make([]int, width)
	for i := range rows {
		for k := range cells {
			cells[k] = 100 + random.IntN(90_000)
		}
		cells[11] = cells[9] + cells[10]
		for _, n := range cells {
			fmt.Fprintf(&b, "%d,", n)
		}
		if i%60 == 59 {
			cells[0]++
		}
		fmt.Fprintf(&b, "%d\n", cells[0])
	}
	relations := profileOf(t, b.String()).Relations
	require.Len(t, relations, 2)
	assert.Equal(t, []string{"c0", "again"}, relations[0].Columns)
	assert.Equal(t, int64(6), relations[0].Exceptions)
	assert.Equal(t, []string{"c11", "c9", "c10"}, relations[1].Columns)
}
