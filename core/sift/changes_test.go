package sift_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/core/target"
	"sieb/core/workbook"
)

// Random tables through random chains of remedies: what comes out, and the pairs of what stood in
// a cell before each remedy and after it, are those of the remedies applied one by one, whatever
// the number of workers, and whether or not memory holds the keys.
func TestChainsAndPairs(t *testing.T) {
	remedies := []string{"trim", "squeeze", "clean", "normalize", "repair", "upper", "lower", "title",
		"{replace: {find: o, with: '0'}}", "{extract: '[A-Za-z]+'}", "{recode: {n/a: '', Ahrensee: Colmitz}}", "{pad: 6}",
		"{cut: {from: 2}}", "{prefix: 'T-'}"}
	cells := []string{"", " ", "n/a", "Ahrensee", " Ahrensee ", "AHRENSEE", "silo  7", "4 12", "GroÃŸacker",
		"Mu\u0308hle", "a\u200bb", "7", "T-7", "\u00a0Dornau"}
	rapid.Check(t, func(t *rapid.T) {
		chain := rapid.SliceOfN(rapid.SampledFrom(remedies), 0, 5).Draw(t, "chain")
		tg := "target: t\ncolumns: [{name: k, unique: true}, {name: c, null: ['', n/a], remedies: [" +
			strings.Join(chain, ", ") + "]}, {name: w}]\n"
		parsed, err := target.Parse([]byte(tg))
		require.NoError(t, err)
		spec := &parsed.Columns[1]
		cleaned, err := spec.Cleaned()
		require.NoError(t, err)
		isNull := func(cell []byte) bool { return len(cell) == 0 || string(cell) == "n/a" }
		var text, want strings.Builder
		text.WriteString("k;c;w\n")
		pairs := make([]map[sift.Change]int64, len(chain)+1) // at last the texts that stand for no value
		for i := range pairs {
			pairs[i] = map[sift.Change]int64{}
		}
		wide := long[:rapid.SampledFrom([]int{1, 1, 2500}).Draw(t, "wide")]
		for i := range rapid.IntRange(1, 300).Draw(t, "rows") {
			raw := rapid.SampledFrom(cells).Draw(t, "cell")
			cell := []byte(raw)
			for k := 0; k < len(chain) && !isNull(cell); k++ {
				one, err := remedy.NewChain(spec.Remedies[k:k+1], cleaned, isNull)
				require.NoError(t, err)
				out, changed, _, _ := one.Apply(cell, workbook.Text)
				if changed != 0 {
					pairs[k][sift.Change{Before: string(cell), After: string(out)}]++
				}
				cell = []byte(string(out))
			}
			if isNull(cell) {
				if len(cell) > 0 {
					pairs[len(chain)][sift.Change{Before: string(cell)}]++
				}
				cell = nil
			}
			repeats := rapid.IntRange(0, 30).Draw(t, "repeats") == 0
			k := i
			if repeats {
				k = 0
			}
			fmt.Fprintf(&text, "%d;\"%s\";%s\n", k, raw, wide)
			if !repeats || i == 0 {
				fmt.Fprintln(&want, string(cell))
			}
		}
		for _, o := range []order{{workers: 1}, {workers: 8}, {workers: 8, keyMemory: 60 * bytesPerKey}} {
			o.target, o.text = tg, text.String()
			result, sink, _ := o.sift(t)
			var got strings.Builder
			for _, r := range records(t, &sink.Accepted) {
				fmt.Fprintln(&got, r[1])
			}
			require.Equal(t, want.String(), got.String(), tg)
			for k, m := range result.Remedies {
				told := map[sift.Change]int64{}
				sum := m.Others
				for i, p := range m.Pairs {
					sum += p.Cells
					require.True(t, i == 0 || m.Pairs[i-1].Cells >= p.Cells, "the most frequent come first")
					told[sift.Change{Before: p.Before, After: p.After}] = p.Cells
				}
				require.Equal(t, pairs[k], told, "%s %d", tg, k)
				require.Equal(t, m.Changed, sum)
				require.Len(t, told, int(m.Ways))
				require.Zero(t, m.SampleRows)
			}
		}
	})
}

// Where a remedy makes very many different changes, those of the first rows are told, with how
// many rows that are; they do not depend on the number of workers.
func TestManyWays(t *testing.T) {
	var text strings.Builder
	text.WriteString("n;s\n")
	for i := range 30_000 {
		fmt.Fprintf(&text, "%d,5;%s\n", max(i, 20)*7, []string{" Dornau", "Dornau", "x  y"}[i%3])
	}
	var first *sift.Result
	for _, workers := range []int{1, 8} {
		o := order{target: "target: t\ncolumns: [{name: n, datatype: decimal, remedies: [number]}, {name: s, remedies: " +
			"[trim, squeeze]}]\n", text: text.String(), workers: workers}
		result, _, _ := o.sift(t)
		if first == nil {
			first = result
		}
		require.Equal(t, first, result)
	}
	number, trim, squeeze := first.Remedies[0], first.Remedies[1], first.Remedies[2]
	assert.EqualValues(t, 30_000, number.Changed)
	assert.Len(t, number.Pairs, 50)
	assert.Equal(t, sift.Change{Before: "140,5", After: "140.5", Cells: 21}, number.Pairs[0])
	assert.EqualValues(t, 30_000-21-49, number.Others)
	assert.Greater(t, number.SampleRows, int64(1000))
	assert.Less(t, number.SampleRows, int64(30_000))
	assert.Equal(t, number.SampleRows-20, number.Ways, "all that were seen in these rows")
	assert.Equal(t, []sift.Change{{Before: " Dornau", After: "Dornau", Cells: 10_000}}, trim.Pairs)
	assert.Equal(t, []sift.Change{{Before: "x  y", After: "x y", Cells: 10_000}}, squeeze.Pairs)
	assert.Zero(t, trim.Others+squeeze.Others+trim.SampleRows+squeeze.SampleRows)
}

// Defaults, code lists, constants and cells that take what stands above them have pairs, too. Long
// texts are cut, and stay apart.
func TestPairsOfAllKinds(t *testing.T) {
	o := order{target: "target: t\ncolumns: [{name: a, default: none}, {name: b, value: ' x', remedies: [trim]}, " +
		"{name: c, remedies: [carryDown]}, {name: d, remedies: [trim]}]\n",
		text: "a;c;d\n;p; " + long + "1\n;; " + long + "2\ny;; " + long + "1\n"}
	result, _, _ := o.sift(t)
	var got []string
	for _, m := range result.Remedies {
		for _, p := range m.Pairs {
			got = append(got, fmt.Sprintf("%s %s %.9q %.9q %d", m.Column, m.Remedy, p.Before, p.After, p.Cells))
			assert.LessOrEqual(t, len(p.Before), 103)
		}
	}
	assert.Equal(t, []string{`a default "" "none" 2`, `b trim " x" "x" 3`, `c carryDown "" "p" 2`,
		`d trim " xxxxxxxx" "xxxxxxxxx" 2`, `d trim " xxxxxxxx" "xxxxxxxxx" 1`}, got)
}
