package remedy_test

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

// Each remedy alone does to any text what the plain way over its characters does.
func TestRemediesAgainstThePlainWay(t *testing.T) {
	plain := map[string]func(string) string{
		"trim":    strings.TrimSpace,
		"upper":   func(s string) string { return each(s, unicode.ToUpper) },
		"lower":   func(s string) string { return each(s, unicode.ToLower) },
		"squeeze": squeezed,
	}
	text := rapid.StringOfN(rapid.OneOf(rapid.RuneFrom([]rune("azAZ@[`{09 \t\u0080\u00a0ß")), rapid.Rune()), 0, 12, -1)
	rapid.Check(t, func(t *rapid.T) {
		s := text.Draw(t, "cell")
		for name, way := range plain {
			want := way(s)
			got, changed := chain(name).Apply([]byte(s))
			require.Equal(t, want, string(got), "%s of %q", name, s)
			require.Equal(t, want != s, changed == 1, "%s of %q is counted", name, s)
			again, changed := chain(name).Apply(got)
			require.Equal(t, want, string(again), "%s twice", name)
			require.Zero(t, changed, "%s twice", name)
		}
	})
}

func each(s string, to func(rune) rune) string {
	var b strings.Builder
	for _, r := range s {
		b.WriteRune(to(r))
	}
	return b.String()
}

// squeezed makes one blank of each run of white space.
func squeezed(s string) string {
	var b strings.Builder
	wasSpace := false
	for _, r := range s {
		if isSpace := unicode.IsSpace(r); !isSpace {
			b.WriteRune(r)
			wasSpace = false
		} else if !wasSpace {
			b.WriteByte(' ')
			wasSpace = true
		}
	}
	return b.String()
}
