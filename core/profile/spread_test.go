package profile

import (
	"fmt"
	"math"
	"math/big"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/distinct"
	"sieb/core/typing"
)

// plainMoments computes mean and deviation in two passes, in exact fractions.
func plainMoments(all []*big.Rat) (mean, deviation float64) {
	sum := new(big.Rat)
	for _, x := range all {
		sum.Add(sum, x)
	}
	n := big.NewRat(int64(len(all)), 1)
	average := sum.Quo(sum, n)
	mean, _ = average.Float64()
	squares := new(big.Rat)
	for _, x := range all {
		d := new(big.Rat).Sub(x, average)
		squares.Add(squares, d.Mul(d, d))
	}
	if len(all) > 1 {
		squares.Quo(squares, big.NewRat(int64(len(all)-1), 1))
	}
	v, _ := squares.Float64()
	return mean, math.Sqrt(v)
}

var quantityOf = rapid.Custom(func(t *rapid.T) typing.Quantity {
	switch rapid.IntRange(0, 9).Draw(t, "kind") {
	case 0, 1, 2, 3, 4: // some that recur, at the ends, too
		return typing.Quantity{Coef: rapid.Int64Range(-10, 10).Draw(t, "small") * 1e17}
	case 5:
		r := new(big.Rat).SetFloat64(rapid.Float64Range(-1e30, 1e30).Draw(t, "double"))
		return typing.Quantity{Wide: r}
	}
	return typing.Quantity{Coef: rapid.Int64Range(-1e18+1, 1e18-1).Draw(t, "coef"),
		Frac: rapid.IntRange(0, 18).Draw(t, "frac")}
})

// However quantities are split over spreads and in whatever order these are
// merged, the figures are those of a plain computation.
func TestSpread(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfN(quantityOf, 1, 50).Draw(t, "all")
		bits := rapid.SampledFrom([]uint{3, 5, 7}).Draw(t, "bits")
		parts := make([]spread, rapid.IntRange(1, 4).Draw(t, "parts"))
		for i := range parts {
			parts[i].keepsBins, parts[i].binBits = true, bits
		}
		var rats []*big.Rat
		for i, q := range all {
			n := rapid.Int64Range(1, 3).Draw(t, "count")
			for range n {
				rats = append(rats, q.Rat())
			}
			parts[rapid.IntRange(0, len(parts)-1).Draw(t, "part")].add(q, n,
				distinct.Sighting{Row: int64(i + 1), Line: int64(i + 2), Text: fmt.Append(nil, i)})
		}
		s := spread{keepsBins: true, binBits: bits}
		for _, i := range rapid.Permutation(slices.Collect(rangeOf(len(parts)))).Draw(t, "order") {
			s.merge(&parts[i])
		}
		require.Equal(t, int64(len(rats)), s.count)
		mean, deviation := plainMoments(rats)
		gotMean, gotDeviation := s.moments()
		assert.Equal(t, mean, gotMean)
		assert.InEpsilon(t, deviation+1, gotDeviation+1, 1e-12)
		slices.SortFunc(rats, (*big.Rat).Cmp)
		for _, end := range []struct {
			ends *ends
			at   func(i int) *big.Rat
		}{{&s.low, func(i int) *big.Rat { return rats[i] }},
			{&s.high, func(i int) *big.Rat { return rats[len(rats)-1-i] }}} {
			i := 0
			for k := range end.ends.order {
				got := &end.ends.kept[end.ends.order[len(end.ends.order)-1-k]]
				require.Zero(t, end.at(i).Cmp(got.Rat()))
				assert.Equal(t, slices.IndexFunc(all, func(q typing.Quantity) bool { return q.Compare(got.Quantity) == 0 })+1,
					int(got.Row))
				n := int64(0)
				for ; i < len(rats) && end.at(i).Cmp(got.Rat()) == 0; i++ {
					n++
				}
				assert.Equal(t, n, got.count)
			}
			assert.True(t, i == len(rats) || len(end.ends.kept) == maxEnds)
		}

		// From bins, quartiles are within the stated error.
		for i, got := range quantiles(s.fromBins(), []float64{0.25, 0.5, 0.75}, true) {
			want, _ := rats[max(int(math.Ceil(float64(i+1)/4*float64(len(rats))))-1, 0)].Float64()
			assert.LessOrEqual(t, math.Abs(got-want), s.binError()*math.Abs(want)*1.0001, "quartile %d", i+1)
		}
	})
}

func rangeOf(n int) func(func(int) bool) {
	return func(yield func(int) bool) {
		for i := range n {
			if !yield(i) {
				return
			}
		}
	}
}

func TestQuantiles(t *testing.T) {
	sorted := []weighted{{1, 1}, {2, 2}, {10, 1}}
	assert.Equal(t, []float64{1.75, 2, 4}, quantiles(sorted, []float64{0.25, 0.5, 0.75}, false))
	assert.Equal(t, []float64{1, 2, 2}, quantiles(sorted, []float64{0.25, 0.5, 0.75}, true))
	assert.Equal(t, []float64{7, 7, 7}, quantiles([]weighted{{7, 3}}, []float64{0, 0.5, 1}, false))
}
