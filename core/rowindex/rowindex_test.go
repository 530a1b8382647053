package rowindex_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/outcome"
	"sieb/core/rowindex"
)

// noted is a row as it was noted.
type noted struct {
	side                outcome.Side
	isChanged, isBroken bool
}

var proofs = []outcome.Proof{{Name: "accepted.csv", Bytes: 7, BLAKE3: "ab"},
	{Name: "rejected.csv", Bytes: 9, BLAKE3: "cd"}}

// draw draws stretches of rows.
func draw(t *rapid.T) (all [][]noted) {
	one := rapid.Custom(func(t *rapid.T) noted {
		return noted{outcome.Side(rapid.SampledFrom([]uint8{0, 0, 0, 1, 2}).Draw(t, "side")),
			rapid.IntRange(0, 3).Draw(t, "changed") == 0, rapid.IntRange(0, 5).Draw(t, "flagged") == 0}
	})
	for range rapid.IntRange(0, 8).Draw(t, "stretches") {
		var rows []noted
		for range rapid.IntRange(0, 6).Draw(t, "runs") {
			row := one.Draw(t, "row")
			for range rapid.SampledFrom([]int{1, 1, 2, 3, 200}).Draw(t, "times") {
				rows = append(rows, row)
			}
		}
		all = append(all, rows)
	}
	return all
}

// write writes the index of rows to a folder. Each row takes as many bytes of its side's file as its number has ones.
func write(t require.TestingT, dir string, all [][]noted, heads [3]int64) (offsets map[int64][3]int64) {
	var to bytes.Buffer
	w := rowindex.NewWriter(&to)
	w.Restart([3]int64{99, 99, 99}) // as if it had begun before
	w.Row(outcome.Rejected, true, true)
	to.Reset()
	w.Restart(heads)
	lengths, row := heads, int64(0)
	offsets = map[int64][3]int64{}
	for _, rows := range all {
		offsets[row] = lengths
		for _, r := range rows {
			row++
			lengths[r.side] += row % 7
			w.Row(r.side, r.isChanged, r.isBroken)
		}
		require.NoError(t, w.Written(lengths))
	}
	require.NoError(t, w.Close(proofs))
	require.NoError(t, os.WriteFile(filepath.Join(dir, rowindex.Name), to.Bytes(), 0o600))
	return offsets
}

// What an index tells is what a slow count over the rows tells.
func TestIndex(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		all := draw(t)
		offsets := write(t, dir, all, [3]int64{12, 0, 5})
		x, err := rowindex.Open(dir, proofs)
		require.NoError(t, err)
		defer x.Close()

		var places [3]int64
		var row int64
		accepted := map[rowindex.Fate][]int64{} // places of accepted rows that are as asked for
		var numbers []int64
		cursor := x.Accepted()
		for _, rows := range all {
			before, first := places, row
			for _, r := range rows {
				row++
				places[r.side]++
				side, at, err := x.Row(row)
				require.NoError(t, err)
				assert.Equal(t, r.side, side)
				assert.Equal(t, places[r.side], at)
				s := x.Holding(side, at)
				require.NotNil(t, s)
				assert.Equal(t, first, s.Before)
				assert.Equal(t, before, s.BeforeOf)
				assert.Equal(t, offsets[first], s.Offset)
				if r.side != outcome.Accepted {
					continue
				}
				numbers = append(numbers, row)
				number, fate, err := cursor.To(at)
				require.NoError(t, err)
				assert.Equal(t, row, number)
				assert.Equal(t, r.isChanged, fate.Is(rowindex.Changed))
				assert.Equal(t, r.isBroken, fate.Is(rowindex.Flagged))
				for only, is := range map[rowindex.Fate]bool{0: true, rowindex.Changed: r.isChanged, rowindex.Flagged: r.isBroken} {
					if is {
						accepted[only] = append(accepted[only], at)
					}
				}
			}
		}
		for _, only := range []rowindex.Fate{0, rowindex.Changed, rowindex.Flagged} {
			want := accepted[only]
			assert.EqualValues(t, len(want), x.Total(only))
			behind := rapid.IntRange(0, len(want)+2).Draw(t, "behind")
			most := rapid.IntRange(0, len(want)+2).Draw(t, "most")
			want = want[min(behind, len(want)):]
			got, err := x.Places(only, int64(behind), int64(most))
			require.NoError(t, err)
			assert.Equal(t, append([]int64{}, want[:min(most, len(want))]...), append([]int64{}, got...))
		}
		if len(numbers) > 0 { // a cursor may go back
			k := rapid.IntRange(0, len(numbers)-1).Draw(t, "at")
			number, _, err := cursor.To(int64(k + 1))
			require.NoError(t, err)
			assert.Equal(t, numbers[k], number)
		}
		for _, beyond := range []int64{0, -1, row + 1} {
			_, _, err := x.Row(beyond)
			var none *rowindex.NoRow
			require.ErrorAs(t, err, &none)
			assert.Equal(t, rowindex.NoRow{Row: beyond, Of: row}, *none)
		}
		for k, n := range places {
			assert.Nil(t, x.Holding(outcome.Side(k), n+1))
			assert.Nil(t, x.Holding(outcome.Side(k), 0))
		}
		_, _, err = cursor.To(places[outcome.Accepted] + 1)
		assert.ErrorIs(t, err, rowindex.ErrDamaged)
	})
}

// An index of other files, or one that is not as it was written, is none.
func TestOtherIndexes(t *testing.T) {
	dir := t.TempDir()
	_, err := rowindex.Open(dir, proofs)
	assert.ErrorIs(t, err, os.ErrNotExist)
	var rows []noted
	for i := range 500 {
		rows = append(rows, noted{outcome.Side(i * i % 3), i%5 == 0, i%7 == 0})
	}
	write(t, dir, [][]noted{rows, rows}, [3]int64{})
	_, err = rowindex.Open(dir, proofs[:1])
	assert.ErrorContains(t, err, "is of other files")
	other := append([]outcome.Proof{}, proofs...)
	other[1].BLAKE3 = "ce"
	_, err = rowindex.Open(dir, other)
	assert.ErrorContains(t, err, "is of other files")

	path := filepath.Join(dir, rowindex.Name)
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	for at := range text {
		require.NoError(t, os.WriteFile(path, text[:at], 0o600))
		_, err := rowindex.Open(dir, proofs)
		require.ErrorIs(t, err, rowindex.ErrDamaged, "cut at %d of %d", at, len(text))
		for _, bit := range []byte{1, 4, 128} {
			spoilt := bytes.Clone(text)
			spoilt[at] ^= bit
			require.NoError(t, os.WriteFile(path, spoilt, 0o600))
			x, err := rowindex.Open(dir, proofs)
			if err != nil {
				require.ErrorIs(t, err, rowindex.ErrDamaged, "at %d", at)
				continue
			}
			for _, row := range []int64{1, 501} { // of each stretch
				_, _, e := x.Row(row)
				err = errors.Join(err, e)
			}
			x.Close()
			require.ErrorIs(t, err, rowindex.ErrDamaged, "at %d", at)
		}
	}
}
