package remedy_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"sieb/core/remedy"
	"sieb/core/target"
)

func chain(names ...string) *remedy.Chain {
	var all []target.Remedy
	for _, n := range names {
		r := target.Remedy{Name: n}
		if n == "recode" {
			r.Recode = map[string]string{"wheat": "W", "same": "same", "none": ""}
		}
		all = append(all, r)
	}
	return remedy.NewChain(all, func(cell []byte) bool { return string(cell) == "n/a" })
}

func TestChain(t *testing.T) {
	for _, c := range []struct {
		remedies   []string
		cell, want string
		changed    uint64
	}{
		{nil, " a ", " a ", 0},
		{[]string{"trim"}, "\u00a0 a\tb \n", "a\tb", 1},
		{[]string{"trim"}, "a b", "a b", 0},
		{[]string{"squeeze"}, "a  b\t\nc", "a b c", 1},
		{[]string{"squeeze"}, "a b c", "a b c", 0},
		{[]string{"squeeze"}, "ä\u00a0b", "ä b", 1},
		{[]string{"upper"}, "straße 1", "STRAßE 1", 1},
		{[]string{"lower"}, "ÄB", "äb", 1},
		{[]string{"lower"}, "äb", "äb", 0},
		{[]string{"upper"}, "a\xffb", "A\xffB", 1},
		{[]string{"recode"}, "wheat", "W", 1},
		{[]string{"recode"}, "same", "same", 0},
		{[]string{"recode"}, "none", "", 1},
		{[]string{"trim", "lower", "recode", "lower"}, " WHEAT", "w", 0b1111},
		{[]string{"trim", "upper"}, " n/a", "n/a", 1},
		{[]string{"upper", "trim", "squeeze", "lower"}, "a  b", "a b", 0b1101},
	} {
		got, changed := chain(c.remedies...).Apply([]byte(c.cell))
		assert.Equal(t, c.want, string(got), "%q %v", c.cell, c.remedies)
		assert.Equal(t, c.changed, changed, "%q %v", c.cell, c.remedies)
	}
}

// The scratch space of one cell never shows in the next one, or in the cell itself.
func TestChainKeepsItsInput(t *testing.T) {
	names := rapid.SliceOfN(rapid.SampledFrom([]string{"trim", "squeeze", "upper", "lower", "recode"}), 0, 6)
	rapid.Check(t, func(t *rapid.T) {
		order := names.Draw(t, "remedies")
		used := chain(order...)
		for range 5 {
			cell := rapid.StringMatching(`[ \täAb]{0,10}|wheat|none`).Draw(t, "cell")
			buf := []byte(cell + "behind")
			got, _ := used.Apply(buf[:len(cell)])
			want, _ := chain(order...).Apply([]byte(cell))
			assert.Equal(t, string(want), string(got))
			assert.Equal(t, cell+"behind", string(buf))
		}
	})
}
