package profile

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/big"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/lexical"
	"sieb/core/profile/profiletest"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/typing"
	"sieb/core/value"
)

func profileOf(t require.TestingT, text string) *Profile {
	file := profiletest.Open(t, text)
	defer file.Close()
	p, err := Of(context.Background(), file, Options{})
	require.NoError(t, err)
	return p
}

// cellsOf are generators of the cells of a column.
var cellsOf = map[string]func(t *rapid.T) string{
	"whole": func(t *rapid.T) string { return fmt.Sprint(rapid.IntRange(-3000, 70000).Draw(t, "n")) },
	"few": func(t *rapid.T) string {
		return rapid.SampledFrom([]string{"wheat", "Wheat", "rye", "oats ", "n/a", "-"}).Draw(t, "s")
	},
	"decimal": func(t *rapid.T) string {
		return fmt.Sprintf("%.2f", float64(rapid.IntRange(-999, 9999).Draw(t, "n"))/100)
	},
	"date": func(t *rapid.T) string {
		return fmt.Sprintf("2026-%02d-%02d", rapid.IntRange(1, 12).Draw(t, "m"), rapid.IntRange(1, 28).Draw(t, "d"))
	},
	"code": func(t *rapid.T) string { return fmt.Sprintf("BR-%06d", rapid.IntRange(0, 200000).Draw(t, "n")) },
	"text": func(t *rapid.T) string {
		return rapid.StringN(0, 12, -1).Filter(func(s string) bool {
			return !strings.ContainsAny(s, "\r\n\x00\\") &&
				utf8.ValidString(s)
		}).Draw(t, "s")
	},
	"mixed": func(t *rapid.T) string {
		return rapid.SampledFrom([]string{"1", "2.5", "1e3", "wet", "2026-07-01", "", " ", " 7", "1,5", "007",
			strings.Repeat("long ", 80)}).Draw(t, "s")
	},
}

// drawTable draws a table: its columns' habits and its rows.
func drawTable(t *rapid.T) (names []string, rows [][]string) {
	all := slices.Sorted(func(yield func(string) bool) {
		for name := range cellsOf {
			if !yield(name) {
				return
			}
		}
	})
	names = rapid.SliceOfN(rapid.SampledFrom(all), 1, 5).Draw(t, "habits")
	n := rapid.IntRange(1, 120).Draw(t, "rows")
	for range n {
		row := []string{"x"}
		for _, name := range names {
			cell := ""
			if rapid.IntRange(0, 9).Draw(t, "filled") > 0 {
				cell = cellsOf[name](t)
			}
			row = append(row, cell)
		}
		rows = append(rows, row)
	}
	return append([]string{"always"}, names...), rows
}

var (
	plainInteger = regexp.MustCompile(`^[+-]?[0-9]+$`)
	plainDecimal = regexp.MustCompile(`^[+-]?[0-9]+\.[0-9]+$`)
)

// plain computes a column's figures in the simplest way.
type plain struct {
	filled, empty, once, distinct int64
	top                           map[string]int64
	minLength, maxLength, length  int
	numbers                       []*big.Rat
}

func plainly(rows [][]string, k int) (p plain) {
	p.top = map[string]int64{}
	p.minLength = math.MaxInt
	for _, row := range rows {
		cell := row[k]
		if strings.TrimSpace(cell) == "" && strings.IndexFunc(cell, func(r rune) bool { return r == '\u200b' }) < 0 {
			p.empty++
			continue
		}
		p.filled++
		p.top[cell]++
		n := utf8.RuneCountInString(cell)
		p.minLength, p.maxLength, p.length = min(p.minLength, n), max(p.maxLength, n), p.length+n
		if s := strings.TrimSpace(cell); plainInteger.MatchString(s) || plainDecimal.MatchString(s) {
			r, _ := new(big.Rat).SetString(s)
			p.numbers = append(p.numbers, r)
		}
	}
	p.distinct = int64(len(p.top))
	for _, n := range p.top {
		if n == 1 {
			p.once++
		}
	}
	return p
}

// Every figure is that of a simple computation over the rows.
func TestFigures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names, rows := drawTable(t)
		p := profileOf(t, profiletest.Written(t, names, rows))
		require.Equal(t, int64(len(rows)), p.Rows)
		require.Zero(t, p.Damaged)
		seen := map[string]bool{}
		repeated := int64(0)
		for _, row := range rows {
			key := strings.Join(row, "\x00")
			if seen[key] {
				repeated++
			}
			seen[key] = true
		}
		assert.Equal(t, repeated, p.Repeated.Rows)
		for k := range names {
			checkColumn(t, &p.Columns[k], plainly(rows, k), names[k])
		}
	})
}

func checkColumn(t *rapid.T, c *Column, want plain, habit string) {
	if habit == "text" && want.filled+want.empty != c.Filled+c.Empty {
		t.Fatalf("%d cells of %d", c.Filled+c.Empty, want.filled+want.empty)
	}
	if habit == "text" && c.Empty != want.empty {
		return // characters that only Sieb counts as blanks
	}
	require.Equal(t, want.empty, c.Empty)
	require.Equal(t, want.filled, c.Filled)
	require.Equal(t, want.distinct, c.Distinct)
	require.True(t, c.DistinctExact)
	assert.Equal(t, want.once, *c.Once)
	for i, v := range c.Top {
		if !strings.HasSuffix(v.Value, "…") {
			assert.Equal(t, want.top[v.Value], v.Count, v.Value)
		}
		if i > 0 {
			assert.LessOrEqual(t, v.Count, c.Top[i-1].Count)
		}
	}
	if want.filled == 0 {
		return
	}
	assert.Equal(t, want.minLength, c.MinLength)
	assert.Equal(t, want.maxLength, c.MaxLength)
	assert.InDelta(t, float64(want.length)/float64(want.filled), c.MeanLength, 1e-12)
	kinds, shapes := int64(0), c.OtherShapes
	for _, k := range c.Kinds {
		kinds += k.Count
	}
	for _, s := range c.Shapes {
		shapes += s.Count
	}
	assert.Equal(t, want.filled, kinds)
	assert.Equal(t, want.filled, shapes)
	if habit != "whole" && habit != "decimal" || len(want.numbers) == 0 {
		return
	}
	assert.True(t, c.Datatype.IsNumber() || c.Datatype == value.Boolean, "%s", c.Datatype)
	if c.Datatype == value.Boolean {
		return
	}
	slices.SortFunc(want.numbers, (*big.Rat).Cmp)
	sum := new(big.Rat)
	for _, r := range want.numbers {
		sum.Add(sum, r)
	}
	mean, deviation := plainMoments(want.numbers)
	assert.Zero(t, ratOf(t, c.Sum).Cmp(sum), "sum %s, not %s", c.Sum, sum)
	assert.Zero(t, ratOf(t, c.Minimum).Cmp(want.numbers[0]))
	assert.Zero(t, ratOf(t, c.Maximum).Cmp(want.numbers[len(want.numbers)-1]))
	assert.InDelta(t, mean, floatOf(t, c.Mean), 1e-9)
	assert.InDelta(t, deviation, *c.Deviation, 1e-9)
	for i, q := range c.Quartiles {
		h := float64(i+1) / 4 * float64(len(want.numbers)-1)
		a, _ := want.numbers[int(h)].Float64()
		b, _ := want.numbers[min(int(h)+1, len(want.numbers)-1)].Float64()
		assert.InDelta(t, a+(h-math.Floor(h))*(b-a), floatOf(t, q), 1e-9)
	}
	total := int64(0)
	for i, b := range c.Histogram {
		n := int64(0)
		for _, r := range want.numbers {
			if r.Cmp(ratOf(t, b.From)) >= 0 && (r.Cmp(ratOf(t, b.To)) < 0 || i == len(c.Histogram)-1) {
				n++
			}
		}
		assert.Equal(t, n, b.Count, "from %s to %s", b.From, b.To)
		total += n
	}
	assert.Equal(t, int64(len(want.numbers)), total)
}

func ratOf(t require.TestingT, text json.RawMessage) *big.Rat {
	r, ok := new(big.Rat).SetString(string(text))
	require.True(t, ok, "%s", text)
	return r
}

func floatOf(t require.TestingT, text json.RawMessage) float64 {
	f, _ := ratOf(t, text).Float64()
	return f
}

// collectApart deals the batches of a file out to several collectors and merges
// them in random order.
func collectApart(t require.TestingT, p *plan, file *source.File, parts int, random *rand.Rand) *Profile {
	rows, err := file.Rows(context.Background())
	require.NoError(t, err)
	defer source.Close(rows)
	p.openSpills(file)
	defer p.close()
	all := make([]*collector, parts)
	for i := range all {
		all[i] = p.newCollector()
	}
	for {
		var b source.Batch
		if err := rows.Next(&b); errors.Is(err, io.EOF) {
			break
		} else {
			require.NoError(t, err)
		}
		b.Split()
		c := all[random.IntN(parts)]
		c.add(&b)
		require.NoError(t, c.err)
	}
	random.Shuffle(parts, func(i, j int) { all[i], all[j] = all[j], all[i] })
	joined, err := p.join(context.Background(), all)
	require.NoError(t, err)
	repeated, err := p.repeated(context.Background(), file, Options{}, joined)
	require.NoError(t, err)
	return p.finish(context.Background(), rows.Header(), joined, p.conclude(joined), repeated)
}

func headerOf(t testing.TB, file *source.File) source.Header {
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	defer source.Close(rows)
	return rows.Header()
}

// Dealt out to any number of collectors and merged in any order, a delivery gives
// the same profile to the last byte, whether its columns are held whole or not.
func TestMerging(t *testing.T) {
	file := profiletest.Open(t, profiletest.ManyRows(60_000))
	defer file.Close()
	s, about, err := takeSample(context.Background(), file, headerOf(t, file))
	require.NoError(t, err)
	for _, limit := range []int{0, 200 << 10, 40 << 10} {
		p := newPlan(context.Background(), s, about, typing.DefaultShare)
		if limit > 0 {
			for k := range p.columns {
				p.columns[k].most = limit
			}
		}
		var want []byte
		random := rand.New(rand.NewPCG(5, uint64(limit)))
		for parts := range 5 {
			got, err := json.Marshal(collectApart(t, p, file, parts+1, random))
			require.NoError(t, err)
			if want == nil {
				want = got
			}
			require.JSONEq(t, string(want), string(got), "%d parts, limit %d", parts+1, limit)
		}
	}
}

// A column that is not held whole has estimates within their stated error, and
// exact figures otherwise.
func TestEstimates(t *testing.T) {
	text := profiletest.ManyRows(60_000)
	file := profiletest.Open(t, text)
	defer file.Close()
	s, about, err := takeSample(context.Background(), file, headerOf(t, file))
	require.NoError(t, err)
	exact := collectApart(t, newPlan(context.Background(), s, about, typing.DefaultShare), file, 2,
		rand.New(rand.NewPCG(1, 1)))
	// A plan made from a part of the rows gives the same, but for which texts are counted.
	top := profiletest.Open(t, text[:strings.LastIndexByte(text[:len(text)/3], '\n')+1])
	defer top.Close()
	part, _, err := takeSample(context.Background(), top, headerOf(t, top))
	require.NoError(t, err)
	got := collectApart(t, tight(part, about), file, 2, rand.New(rand.NewPCG(1, 1)))
	for k := range exact.Columns {
		want, c := exact.Columns[k], got.Columns[k]
		require.True(t, want.DistinctExact, want.Name)
		assert.InDelta(t, want.Distinct, c.Distinct, c.DistinctError*float64(want.Distinct)+0.5, want.Name)
		counts := map[string]int64{}
		for _, v := range want.Top {
			counts[v.Value] = v.Count
		}
		for _, v := range c.Top {
			if n, ok := counts[v.Value]; ok {
				assert.Equal(t, n, v.Count, "%s %s", want.Name, v.Value)
			}
		}
		for i, q := range c.Quartiles {
			if c.QuartileError > 0 {
				assert.InEpsilon(t, floatOf(t, want.Quartiles[i]), floatOf(t, q), c.QuartileError*1.0001, want.Name)
			}
		}
		// All else is the same.
		want.Distinct, want.DistinctExact, want.DistinctError, want.Once = c.Distinct, c.DistinctExact, c.DistinctError,
			c.Once
		want.Top, want.Rare, want.Quartiles, want.QuartileError, want.Histogram = c.Top, c.Rare, c.Quartiles,
			c.QuartileError, c.Histogram
		want.Category, want.Variants, want.Usual, want.Odd = c.Category, c.Variants, c.Usual, c.Odd
		assert.Equal(t, want, c)
	}
	assert.False(t, got.Columns[0].DistinctExact)
	assert.False(t, got.Columns[1].DistinctExact)
	assert.True(t, got.Columns[4].DistinctExact)
}

// Rows that repeat are found among those in memory and those that were spilt.
// tight makes a plan by which hardly a text is held.
func tight(s *sample, about int64) *plan {
	p := newPlan(context.Background(), s, about, typing.DefaultShare)
	for k := range p.columns {
		p.columns[k].most = 30 << 10
	}
	return p
}

// What is far from all others, what stands for a missing value and where dates leave a
// gap is found in columns that are held whole and in those that are not.
func TestFarAmongMany(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 5))
	var b strings.Builder
	b.WriteString("at,on,kg\n")
	for i := range 40_000 {
		day := 1 + random.IntN(120)
		if day > 60 {
			day += 40
		}
		at := time.Date(2026, 1, day, random.IntN(24), random.IntN(60), random.IntN(60), 0, time.UTC)
		on, kg := at, fmt.Sprintf("%.4f", 9+random.Float64()*9)
		switch i {
		case 7000:
			at = time.Date(1926, 7, 6, 8, 0, 0, 0, time.UTC)
		case 8000, 8001:
			on, kg = time.Date(2126, 7, 6, 0, 0, 0, 0, time.UTC), "1180.5"
		case 9000, 9001, 9002:
			on, kg = time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC), "9999"
		case 9003:
			kg = "-700"
		}
		fmt.Fprintf(&b, "%s,%s,%s\n", at.Format("2006-01-02T15:04:05"), on.Format("02.01.2006"), kg)
	}
	file := profiletest.Open(t, b.String())
	defer file.Close()
	s, about, err := takeSample(context.Background(), file, headerOf(t, file))
	require.NoError(t, err)
	for _, plan := range []*plan{newPlan(context.Background(), s, about, typing.DefaultShare), tight(s, about)} {
		p := collectApart(t, plan, file, 3, random)
		at, on, kg := p.Columns[0], p.Columns[1], p.Columns[2]
		assert.Equal(t, []Value{{"1926-07-06T08:00:00", 1, 7001, 7002}}, at.Dates.FarOff)
		gap := []Gap{{"2026-03-01", "2026-04-11", 40}}
		assert.Equal(t, gap, at.Dates.Gaps[len(at.Dates.Gaps)-1:])
		assert.Equal(t, []Value{{"06.07.2126", 2, 8001, 8002}}, on.Dates.FarOff)
		assert.Equal(t, []Value{{"01.01.1900", 3, 9001, 9002}}, on.Placeholders)
		assert.Equal(t, []Value{{"-700", 1, 9004, 9005}, {"1180.5", 2, 8001, 8002}}, kg.Far)
		assert.Equal(t, []Value{{"9999", 3, 9001, 9002}}, kg.Placeholders)
		assert.Less(t, 8.99, floatOf(t, json.RawMessage(kg.Usual[0])))
		assert.Greater(t, 18.01, floatOf(t, json.RawMessage(kg.Usual[1])))
	}
}

// Where what the sample shows as a key turns out to be none, whole rows are compared.
func TestRepeatedRowsWithoutKey(t *testing.T) {
	table := func(change func(i int, row []string)) string {
		var b strings.Builder
		b.WriteString("no,crop,remark\n")
		for i := range 3000 {
			row := []string{fmt.Sprintf("BR-%06d", i), []string{"wheat", "rye"}[i%2], ""}
			change(i, row)
			b.WriteString(strings.Join(row, ",") + "\n")
		}
		return b.String()
	}
	clean := profiletest.Open(t, table(func(int, []string) {}))
	defer clean.Close()
	s, about, err := takeSample(context.Background(), clean, headerOf(t, clean))
	require.NoError(t, err)
	for _, c := range []struct {
		name   string
		change func(i int, row []string)
		want   Repeated
	}{
		{"a key", func(int, []string) {}, Repeated{}},
		{"repeated, and unlike", func(i int, row []string) {
			if i == 2000 {
				row[0] = "BR-000100"
				row[2] = "once more"
			}
		}, Repeated{}},
		{"repeated", func(i int, row []string) {
			if i == 2000 || i == 2500 {
				row[0] = "BR-000100"
			}
		}, Repeated{Rows: 2, First: []Pair{{2001, 101}, {2501, 101}}, Behind: []int64{101, 2001, 2501}}},
		{"empty", func(i int, row []string) {
			if i == 10 || i == 11 || i == 12 {
				row[0] = ""
			}
		}, Repeated{Rows: 1, First: []Pair{{13, 11}}, Behind: []int64{11, 13}}},
	} {
		file := profiletest.Open(t, table(c.change))
		p := newPlan(context.Background(), s, about, typing.DefaultShare)
		require.Len(t, p.keys, 1, "the sample has a key, so that rows are not compared at first")
		got := collectApart(t, p, file, 3, rand.New(rand.NewPCG(1, 2)))
		assert.Equal(t, c.want, got.Repeated, c.name)
		file.Close()
	}
}

// Of more shapes than are held those of the sample are counted, and the others
// together.
func TestManyShapes(t *testing.T) {
	random := rand.New(rand.NewPCG(8, 8))
	var b strings.Builder
	b.WriteString("code,x\n")
	counts := map[string]int64{}
	const rows = 40_000
	for range rows {
		code := "AA-1234"
		if random.IntN(2) == 0 {
			var c []byte
			for range 14 {
				c = append(c, "A7-a./"[random.IntN(6)])
			}
			code = "#" + string(c)
		}
		counts[string(lexical.AppendShape(nil, []byte(code)))]++
		b.WriteString(code + ",1\n")
	}
	file := profiletest.Open(t, b.String())
	defer file.Close()
	s, about, err := takeSample(context.Background(), file, headerOf(t, file))
	require.NoError(t, err)
	var first Column
	for parts := 1; parts < 4; parts++ {
		c := collectApart(t, tight(s, about), file, parts, random).Columns[0]
		all := c.OtherShapes
		for _, shape := range c.Shapes {
			assert.Equal(t, counts[shape.Shape], shape.Count, shape.Shape)
			all += shape.Count
		}
		assert.Equal(t, int64(rows), all)
		assert.Equal(t, "AA-9999", c.Shapes[0].Shape)
		if parts == 1 {
			first = c
		}
		assert.Equal(t, first.Shapes, c.Shapes)
	}
}

func TestRepeats(t *testing.T) {
	random := rand.New(rand.NewPCG(2, 4))
	s := spill.New(printParts, source.Bounds{}.Temporary, "keeping")
	defer s.Close()
	all := []*prints{{spill: s}, {spill: s}}
	first := map[uint64]int64{}
	var want repeats
	for row := int64(1); row <= 30_000; row++ {
		h := random.Uint64()
		if row%100 == 0 {
			h = uint64(row%7) * 0x9E3779B97F4A7C15
		}
		p := all[random.IntN(2)]
		require.NoError(t, p.add(h, row))
		if row%9_000 == 0 {
			require.NoError(t, p.take())
		}
		if at, ok := first[h]; ok {
			want.rows++
			want.keep(pair{row, at})
		} else {
			first[h] = row
		}
	}
	got, err := find(context.Background(), all)
	require.NoError(t, err)
	assert.Equal(t, want.rows, got.rows)
	assert.Equal(t, want.pairs, got.pairs)
	assert.Equal(t, int64(30_000), got.told)
}

func TestFirstOf(t *testing.T) {
	assert.Equal(t, []int{1, 2, 3}, firstOf([]int{5, 3, 9, 1, 2}, 3, cmp.Compare[int]))
}
