package relation_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/distinct"
	"sieb/core/profile/profiletest"
	"sieb/core/relation"
	"sieb/core/source"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"
)

// readings of the columns whole, dec, day and text.
func readings(t require.TestingT) []typing.Reading {
	numbers, err := value.NewNumberFormat(".", "", "")
	require.NoError(t, err)
	days, err := value.NewDateFormat(value.Date, "yyyy-MM-dd")
	require.NoError(t, err)
	return []typing.Reading{{Datatype: value.Integer, Numbers: numbers}, {Datatype: value.Decimal, DecimalChar: ".",
		Numbers: numbers}, {Datatype: value.Date, Formats: []*value.DateFormat{days}}, {Datatype: value.String}}
}

// batches reads a delivery of these rows.
func batches(t require.TestingT, rows [][]string) (all []*source.Batch) {
	names := make([]string, len(rows[0]))
	for k := range names {
		names[k] = fmt.Sprint("column ", k)
	}
	file := profiletest.Open(t, profiletest.Written(t, names, rows))
	defer file.Close()
	src, err := file.Rows(context.Background())
	require.NoError(t, err)
	defer source.Close(src)
	for {
		b := &source.Batch{}
		if err := src.Next(b); errors.Is(err, io.EOF) {
			return all
		} else {
			require.NoError(t, err)
		}
		b.Split()
		all = append(all, b)
	}
}

const block = 64

// check has the checkers look at all rows, each at every n-th block, and merges them.
func check(t require.TestingT, rows [][]string, apart func(row int) bool, relations []relation.Relation,
	kinds []typing.Reading, workers int) []relation.Found {
	var checkers []*relation.Checker
	for range workers {
		checkers = append(checkers, relation.NewChecker(relations, func(k int) *typing.Reading { return &kinds[k] }, block))
	}
	n := 0
	for _, b := range batches(t, rows) {
		for from := 0; from < len(b.Rows); from += block {
			r := relation.Rows{Batch: b, From: from, N: min(block, len(b.Rows)-from), Hashes: make([][]uint64, len(kinds)),
				Apart: make([]bool, block)}
			for i := range r.N {
				r.Apart[i] = apart(int(b.Number(from+i)) - 1)
			}
			for k := range kinds {
				for i := range r.N {
					hash := uint64(relation.EmptyHash)
					if s := b.Cells(from + i)[k]; s.Start < s.End {
						hash = distinct.HashOf(b.Text(s), workbook.Text)
					}
					r.Hashes[k] = append(r.Hashes[k], hash)
				}
			}
			checkers[n%workers].Block(&r)
			n++
		}
	}
	for _, c := range checkers[1:] {
		checkers[0].Merge(c)
	}
	return checkers[0].Found()
}

// What is counted of each relation is what going through the rows one by one counts,
// however the blocks are parted among workers.
func TestCheckerIsTheSlowOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		types := readings(t)
		kinds := []typing.Reading{types[0], types[0], types[0], types[2], types[2], types[3], types[3]}
		rows := make([][]string, rapid.IntRange(20, 400).Draw(t, "rows"))
		seed := rapid.SliceOfN(rapid.IntRange(0, 1000), 32, 32).Draw(t, "seed")
		odd := func(i, k int) bool { return seed[(i*7+k)%32] < 20 && i%29 == k }
		for i := range rows {
			a, b := seed[i%32]+i, seed[(i+5)%32]
			total := a + b
			if odd(i, 0) {
				total++
			}
			from, to := 1+i%20, 1+i%20+seed[i%32]%8
			if odd(i, 1) {
				from, to = to+1, from
			}
			code := fmt.Sprint("c", i%5)
			means := "of " + code
			if odd(i, 2) {
				means = "else"
			}
			rows[i] = []string{fmt.Sprint(total), fmt.Sprint(a), fmt.Sprint(b), fmt.Sprintf("2026-07-%02d", from),
				fmt.Sprintf("2026-07-%02d", to), code, means}
			if seed[(i+11)%32] < 30 {
				rows[i][i%7] = ""
			}
		}
		apart := func(row int) bool { return row%31 == 4 }
		relations := []relation.Relation{{Kind: relation.Sum, Columns: []int{0, 1, 2}},
			{Kind: relation.Before, Columns: []int{3, 4}}, {Kind: relation.Determines, Columns: []int{5, 6}},
			{Kind: relation.Equal, Columns: []int{5, 5}}}
		want := slowly(rows, apart, relations)
		for _, workers := range []int{1, 3} {
			var got []string
			for _, f := range check(t, rows, apart, relations, kinds, workers) {
				got = append(got, fmt.Sprint(f.Kind, f.Rows, f.Exceptions, f.Behind))
				for _, s := range f.First {
					require.Equal(t, s.Row+1, s.Line)
				}
			}
			require.Equal(t, want, got)
		}
	})
}

// slowly counts what a checker does.
func slowly(rows [][]string, apart func(int) bool, relations []relation.Relation) (all []string) {
	for _, r := range relations {
		told, same := int64(0), int64(0)
		var broken []int64
		pairs := map[string]map[string][]int64{}
		for i, row := range rows {
			cells := make([]string, len(r.Columns))
			for k, c := range r.Columns {
				cells[k] = row[c]
			}
			isFull := !slices.Contains(cells, "")
			switch {
			case apart(i):
			case r.Kind == relation.Equal:
				if told++; cells[0] != cells[1] {
					broken = append(broken, int64(i+1))
				}
			case r.Kind == relation.Determines && cells[0] != "":
				told++
				if pairs[cells[0]] == nil {
					pairs[cells[0]] = map[string][]int64{}
				}
				pairs[cells[0]][cells[1]] = append(pairs[cells[0]][cells[1]], int64(i+1))
			case r.Kind == relation.Before && isFull:
				told++
				if cells[0] > cells[1] {
					broken = append(broken, int64(i+1))
				} else if cells[0] == cells[1] {
					same++
				}
			case r.Kind == relation.Sum && isFull:
				var n [3]int
				for k := range cells {
					_, _ = fmt.Sscan(cells[k], &n[k])
				}
				if told++; n[0] != n[1]+n[2] {
					broken = append(broken, int64(i+1))
				}
			}
		}
		var behind []int64
		for _, beside := range pairs {
			best := ""
			for to, at := range beside {
				if b := beside[best]; len(b) == 0 || len(at) > len(b) || len(at) == len(b) && at[0] < b[0] {
					best = to
				}
			}
			for to, at := range beside {
				if to != best {
					broken = append(broken, at...)
					behind = append(behind, at[:min(len(at), distinct.MaxSightings)]...)
				}
			}
		}
		slices.Sort(behind)
		if told >= relation.EnoughRows && relation.IsFew(int64(len(broken)), told) &&
			!(r.Kind == relation.Before && same == told) {
			all = append(all, fmt.Sprint(r.Kind, told, len(broken), behind))
		}
	}
	return all
}

// What holds in a sample is found in it, and chance is not.
func TestFind(t *testing.T) {
	types := readings(t)
	kinds := []typing.Reading{types[1], types[1], types[1], types[2], types[2], types[3], types[3], types[3]}
	rows := make([][]string, 200)
	for i := range rows {
		a, b := 100+i*37%91, 20+i*53%47
		rows[i] = []string{fmt.Sprintf("%d.5", a+b), fmt.Sprintf("%d.25", a), fmt.Sprintf("%d.25", b),
			fmt.Sprintf("2026-07-%02d", 1+i%13), fmt.Sprintf("2026-07-%02d", 1+i%13+i%3), fmt.Sprint("c", i%7),
			fmt.Sprint("site ", i%7%3), fmt.Sprint("c", i%7)}
	}
	columns := make([]relation.Column, len(kinds))
	for k := range kinds {
		table := &distinct.Table{}
		columns[k] = relation.Column{Values: table, Reading: &kinds[k]}
		for i, row := range rows {
			text := []byte(row[k])
			hash := distinct.HashOf(text, workbook.Text)
			n := table.Find(hash, text, workbook.Text)
			if n < 0 {
				n = table.Add(hash, text, workbook.Text, 0, int64(i+1), 0)
			}
			table.Entry(n).Count++
			columns[k].Cells = append(columns[k].Cells, int32(n))
		}
	}
	var found []string
	for _, r := range relation.Find(t.Context(), columns, len(rows)) {
		found = append(found, fmt.Sprint(r.Kind, r.Columns))
	}
	assert.Equal(t, "equal [5 7] sum [0 1 2] order [3 4] determines [5 6]", strings.Join(found, " "))
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	assert.Empty(t, relation.Find(ended, columns, len(rows)))
}
