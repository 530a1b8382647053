package profile

import (
	"errors"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/spill"
)

// The first row of each fingerprint is found, whatever room was made for how many.
func TestFirsts(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var f firsts
		for range 2 { // the table is used again
			f.clear(rapid.IntRange(0, 40).Draw(t, "about"))
			want := map[uint64]int64{}
			for _, hash := range rapid.SliceOfN(rapid.Uint64Range(0, 1<<58-1), 0, 60).Draw(t, "hashes") {
				hash %= rapid.SampledFrom([]uint64{3, 1 << 20, 1 << 56}).Draw(t, "of")
				row := rapid.Int64Range(1, 1<<40-1).Draw(t, "row")
				if first, has := want[hash]; !has || row < first {
					want[hash] = row
				}
				f.note(newFingerprint(hash, row))
			}
			assert.Equal(t, len(want), f.held)
			for hash, row := range want {
				require.Equal(t, row, f.of(hash).row)
			}
		}
	})
}

// Rows that are alike are counted, and the first pairs kept, also of those that were written out.
func TestFindReadsWhatWasWrittenOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := spill.New(printParts, func() (*os.File, error) { return spill.Unnamed("") }, "keeping")
		defer s.Close()
		one, other := newPrints(s, 100), newPrints(s, 100)
		all := []*prints{&one, &other}
		first := map[uint64]int64{}
		var want repeats
		for row := int64(1); row <= int64(rapid.IntRange(0, 300).Draw(t, "rows")); row++ {
			hash := rapid.Uint64Range(0, 20).Draw(t, "hash") << rapid.SampledFrom([]int{0, 58}).Draw(t, "part")
			if hash>>58 != 0 {
				hash = hash >> 58 << 58
			}
			require.NoError(t, all[row%2].add(hash, row))
			if rapid.IntRange(0, 9).Draw(t, "take") == 0 {
				require.NoError(t, all[row%2].take())
			}
			want.told++
			if f, has := first[hash]; has {
				want.rows++
				want.keep(pair{row, f})
			} else {
				first[hash] = row
			}
		}
		got, err := find(t.Context(), all)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	})
	full := spill.New(printParts, func() (*os.File, error) { return nil, errors.New("no room") }, "keeping")
	p := newPrints(full, 1)
	for row := range int64(3000) {
		require.NoError(t, p.add(0, row+1))
	}
	assert.ErrorContains(t, p.take(), "no room")
}
