package distinct_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/distinct"
	"sieb/core/workbook"
)

// cell is a cell of a column, as the slow way counts it.
type cell struct {
	text string
	kind workbook.Kind
}

type seen struct{ count, row int64 }

var cells = rapid.Custom(func(t *rapid.T) cell {
	text := rapid.SampledFrom([]string{"", "a", "b", "17", "0123456789abcdef", "0123456789abcdefg", "ä",
		strings.Repeat("x", distinct.MaxHeld), strings.Repeat("x", distinct.MaxHeld+1), strings.Repeat("ä", 128),
		strings.Repeat("ä", 2000) + "1", strings.Repeat("ä", 2000) + "2", strings.Repeat("\x00", 400)}).Draw(t, "text")
	if rapid.Bool().Draw(t, "numbered") {
		text += fmt.Sprint(rapid.IntRange(0, 3000).Draw(t, "number"))
	}
	return cell{text, rapid.SampledFrom([]workbook.Kind{workbook.Text, workbook.Number}).Draw(t, "kind")}
})

// add counts a cell as a collector does.
func add(table *distinct.Table, c cell, row int64) {
	hash := distinct.HashOf([]byte(c.text), c.kind)
	held := distinct.Shorten(nil, []byte(c.text), hash)
	if k := table.Find(hash, held, c.kind); k >= 0 {
		table.Item(k).Note(1, row, row+1)
		return
	}
	table.Add(hash, held, c.kind, 1, row, row+1)
}

// A table counts what a map counts, with the first rows, however the cells are parted among
// tables and in whatever order these are merged.
func TestTheTableIsAMap(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		column := rapid.SliceOfN(cells, 0, 500).Draw(t, "column")
		want := map[cell]seen{}
		tables := make([]distinct.Table, 3)
		for i, c := range column {
			row := int64(i + 1)
			add(&tables[rapid.IntRange(0, 2).Draw(t, "worker")], c, row)
			s, is := want[c]
			if !is {
				s.row = row
			}
			s.count++
			want[c] = s
		}
		order := rapid.Permutation([]int{0, 1, 2}).Draw(t, "order")
		all := &tables[order[0]]
		all.Merge(&tables[order[1]])
		all.Merge(&tables[order[2]])
		require.Equal(t, len(want), all.Used)
		for c, s := range want {
			hash := distinct.HashOf([]byte(c.text), c.kind)
			held := distinct.Shorten(nil, []byte(c.text), hash)
			k := all.Find(hash, held, c.kind)
			require.GreaterOrEqual(t, k, 0, "%.40q", c.text)
			e := all.Item(k)
			require.Equal(t, []int64{s.count, s.row, s.row + 1}, []int64{e.Count, e.Row, e.Line})
			require.Equal(t, c.kind, e.Kind())
			require.Equal(t, hash, distinct.HeldHash(held, c.kind))
			require.Equal(t, utf8.RuneCountInString(c.text), distinct.Characters(held))
			require.Equal(t, len(c.text) > distinct.MaxHeld, distinct.IsLong(held))
			if !strings.HasSuffix(c.text, "\x00") {
				require.True(t, strings.HasPrefix(c.text, string(distinct.Start(held))))
			}
		}
		// What is pinned stays, and nothing else.
		pinned := min(all.Used, 5)
		var kept []string
		for e := range all.All() {
			if len(kept) < pinned {
				kept = append(kept, string(all.Text(e.Entry)))
			}
		}
		all.Reset(pinned, 1<<20)
		var left []string
		for e := range all.All() {
			left = append(left, string(all.Text(e.Entry)))
		}
		require.Equal(t, kept, left)
	})
}

// A table that is limited says when it is full.
func TestTheLimit(t *testing.T) {
	table := &distinct.Table{Most: 100 * distinct.EntryBytes}
	for i := 0; !table.IsFull(); i++ {
		require.Less(t, i, 100)
		add(table, cell{text: fmt.Sprintf("value %d", i)}, int64(i))
	}
	assert.Greater(t, table.Used, 80)
	assert.LessOrEqual(t, table.PinnedBytes(10), 10*(distinct.EntryBytes+7))
}

// Of many sightings the first are kept, whatever the order in which they come.
func TestSightings(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfN(rapid.Int64Range(1, 60), 0, 80).Draw(t, "rows")
		text := func(row int64) string { return fmt.Sprint(row % 17) }
		first := map[string]int64{}
		parts := make([]distinct.Sightings, 2)
		for _, row := range rows {
			parts[rapid.IntRange(0, 1).Draw(t, "part")].Add(distinct.Sighting{Row: row, Line: row, Text: []byte(text(row))})
			if was, is := first[text(row)]; !is || row < was {
				first[text(row)] = row
			}
		}
		parts[0].Merge(parts[1])
		var want []int64
		for _, row := range first {
			want = append(want, row)
		}
		slices.Sort(want)
		want = want[:min(len(want), distinct.MaxSightings)]
		var got []int64
		for _, s := range parts[0] {
			got = append(got, s.Row)
			require.Equal(t, text(s.Row), string(s.Text))
		}
		require.Equal(t, want, got)
	})
	assert.Equal(t, "a…", distinct.Shown(distinct.Shorten(nil, []byte("a"+strings.Repeat("\x00", 300)), 7)))
	assert.Equal(t, "\uFFFD", distinct.Shown([]byte("\xff")))
}
