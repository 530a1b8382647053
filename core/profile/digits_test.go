package profile

import (
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Numbers that lie closer together than doubles do have a profile like any others: its end comes,
// and its figures are those of the exact numbers.
func TestNumbersCloseTogether(t *testing.T) {
	for _, values := range [][]string{
		{"1234567890123456789", "1234567890123456790", "1234567890123456811"},
		{"9007199254740992", "9007199254740993"},
		{"-9223372036854775808", "-9223372036854775807", "-9223372036854775806"},
		{"1234567890123456789", "1234567890123456789"},
		{strings.Repeat("9", 40), strings.Repeat("9", 39) + "8"},
		{"0.1234567890123456789", "0.1234567890123456788"},
		{strings.Repeat("9", 308), "-" + strings.Repeat("9", 308)},
		{"1E308", "-1E308", "1.7E308"},
		{"1E-310", "2E-310", "3E-320"},
		{"5E-324", "0", "-5E-324"},
	} {
		var b strings.Builder
		b.WriteString("n,other\n")
		for i := range 30 {
			fmt.Fprintf(&b, "%s,x%d\n", values[i%len(values)], i)
		}
		p := profileOf(t, b.String())
		checkBars(t, &p.Columns[0], 30, values[0])
	}
}

// checkBars demands that the bars of a column hold all its values, and that their edges rise.
func checkBars(t require.TestingT, c *Column, rows int64, what string) {
	if len(c.Histogram) == 0 {
		return // a column of texts
	}
	sum, last := int64(0), math.Inf(-1)
	for _, b := range c.Histogram {
		var from, to float64
		require.NoError(t, json.Unmarshal(b.From, &from), what)
		require.NoError(t, json.Unmarshal(b.To, &to), what)
		require.Less(t, from, to, "%s: %+v", what, c.Histogram)
		require.GreaterOrEqual(t, from, last, what)
		sum, last = sum+b.Count, to
	}
	require.Equal(t, rows, sum, what)
	require.LessOrEqual(t, len(c.Histogram), 3*bars)
}

// Of numbers of 1 to 40 digits, near to one another or far apart, whole or not, the least, the
// greatest and the sum are exact, and the bars hold all of them.
func TestNumbersOfAnyLength(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		digits, scale := rapid.IntRange(1, 40).Draw(t, "digits"), rapid.IntRange(0, 12).Draw(t, "scale")
		if rapid.Bool().Draw(t, "whole") {
			scale = 0
		}
		base, ok := new(big.Int).SetString(rapid.StringMatching(fmt.Sprintf("-?[1-9][0-9]{%d}", digits-1)).Draw(t, "base"),
			10)
		require.True(t, ok)
		var b strings.Builder
		b.WriteString("n,other\n")
		var all []*big.Rat
		unit := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(scale)), nil)
		for i := range 20 {
			n := new(big.Int).Add(base, big.NewInt(rapid.Int64Range(-30, 30).Draw(t, "near")))
			r := new(big.Rat).SetFrac(n, unit)
			all = append(all, r)
			fmt.Fprintf(&b, "%s,x%d\n", r.FloatString(scale), i)
		}
		p := profileOf(t, b.String())
		c := &p.Columns[0]
		checkBars(t, c, int64(len(all)), base.String())
		if len(c.Histogram) == 0 || c.Fits != int64(len(all)) {
			return
		}
		slices.SortFunc(all, func(a, b *big.Rat) int { return a.Cmp(b) })
		require.Zero(t, all[0].Cmp(ratOf(t, c.Minimum)), "minimum %s of %s", c.Minimum, b.String())
		require.Zero(t, all[len(all)-1].Cmp(ratOf(t, c.Maximum)), "maximum %s", c.Maximum)
	})
}

// The edges of bars end, rise and enclose whatever numbers there are.
func FuzzNumberEdges(f *testing.F) {
	for _, pair := range [][2]float64{{0, 0}, {1234567890123456789, 1234567890123456811}, {-1e308, 1e308}, {5e-324,
		1e-310},
		{math.MaxFloat64, math.MaxFloat64}, {-math.MaxFloat64, -1}, {1, 1.0000000000000002}} {
		f.Add(pair[0], pair[1], true)
		f.Add(pair[0], pair[1], false)
	}
	f.Fuzz(func(t *testing.T, low, high float64, whole bool) {
		if math.IsNaN(low) || math.IsNaN(high) || math.IsInf(low, 0) || math.IsInf(high, 0) {
			return
		}
		low, high = min(low, high), max(low, high)
		if whole {
			low, high = math.Floor(low), math.Floor(high)
		}
		edges := numberEdges(low, high, whole)
		assert.LessOrEqual(t, edges[0], low)
		assert.GreaterOrEqual(t, edges[len(edges)-1], high)
		assert.True(t, slices.IsSorted(edges))
		assert.Len(t, slices.Compact(slices.Clone(edges)), len(edges), "%v", edges)
	})
}
