package layout_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/layout"
)

// printout is what an old weighbridge prints.
func printout(rng *rand.Rand, rows int) string {
	var b strings.Builder
	b.WriteString("Ticket     Date        Grower         Crop      Net kg  Moist\n")
	for i := range rows {
		fmt.Fprintf(&b, "%-10s %-11s %-14s %-8s %7d %6.1f\n", fmt.Sprintf("DO-%06d", i), "2026-07-06",
			[]string{"Lindenhof", "Mühlbachhof", "Hof am See"}[rng.IntN(3)],
			[]string{"wheat", "barley", "rye"}[rng.IntN(3)], 500+rng.IntN(40000), 9+rng.Float64()*10)
	}
	return b.String()
}

func TestFixedWidth(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	for _, rows := range []int{5, 40, 2000} {
		text := printout(rng, rows)
		for _, above := range []string{"", "TALFELD  WEIGHBRIDGE DORNAU\nPrinted on 31.07.2026\n"} {
			if above != "" && rows < 40 {
				continue
			}
			l, evidence := detect(above+text, layout.Given{})
			assert.Equal(t, "fixed", l.Form, "%d rows", rows)
			assert.Len(t, l.Cuts, 5, "%d rows: %v", rows, l.Cuts)
			assert.Equal(t, []int{11, 23, 38}, l.Cuts[:3])
			assert.Equal(t, strings.Count(above, "\n"), l.SkipRows)
			assert.Equal(t, 1, l.HeaderRows)
			assert.NotEmpty(t, evidence["cuts"].Why)
		}
	}
	for _, text := range []string{"a,b\n1,2\n3,4\n", "one remark\nand another\nall well\n",
		"a  b;c\nd  e;f\ng  h;i\n"} {
		l, _ := detect(text, layout.Given{})
		assert.Equal(t, "delimited", l.Form, text)
	}
	// A blank line near the end makes no footer of the rows behind it.
	lines := strings.SplitAfter(printout(rng, 40), "\n")
	l, _ := detect(strings.Join(lines[:36], "")+"\n"+strings.Join(lines[36:], ""), layout.Given{})
	assert.Equal(t, []any{"fixed", 0}, []any{l.Form, l.FooterRows})
	l, _ = detect(printout(rng, 40)+"Summe                                            123456\n", layout.Given{})
	assert.Equal(t, []any{"fixed", 1}, []any{l.Form, l.FooterRows})

	form, cuts := "fixed", []int{2}
	l, _ = detect("abcd\nefgh\n", layout.Given{Form: &form, Cuts: &cuts})
	assert.Equal(t, []any{"fixed", []int{2}, ""}, []any{l.Form, l.Cuts, l.Delimiter})
}

// Heads of pages, ruled lines and sums that run across columns hide none of them.
func TestFixedWidthOnPages(t *testing.T) {
	for _, lineEnd := range []string{"\n", "\r\n"} {
		for _, perPage := range []int{20, 40, 60} {
			var b strings.Builder
			for i := range 300 {
				if i%perPage == 0 {
					fmt.Fprintf(&b, "Talfeld eG   Weighbridge Dornau         Weighings June 2026    Page %d"+lineEnd+lineEnd, 1+i/perPage)
					fmt.Fprintf(&b, "%-12s%-10s%-9s%-12s%9s%9s%9s"+lineEnd, "Ticket", "Date", "Grower", "Crop", "Gross", "Tare", "Net")
					b.WriteString(strings.Repeat("=", 70) + lineEnd)
				}
				fmt.Fprintf(&b, "%-12s%-10s%-9s%-12s%9d%9d%9d"+lineEnd, fmt.Sprintf("DO-%06d", i), "01.06.26", fmt.Sprint(400+i%9),
					[]string{"wheat", "rye", "barley"}[i%3], 12000+i, 4000+i%50, 8000+i-i%50)
				if i%perPage == perPage-1 {
					fmt.Fprintf(&b, lineEnd+"%43s%27s"+lineEnd+"\f"+lineEnd, "Carried over", "1.234.567,00")
				}
			}
			l, evidence := detect(b.String(), layout.Given{})
			what := fmt.Sprintf("%q %d %s", lineEnd, perPage, evidence["cuts"].Why)
			assert.Equal(t, "fixed", l.Form, what)
			assert.Len(t, l.Cuts, 6, what)
			assert.Equal(t, []int{12, 22, 31}, l.Cuts[:min(3, len(l.Cuts))], what)
			assert.Equal(t, 2, l.SkipRows, what)
			assert.Equal(t, 2, l.HeaderRows, what)
			assert.Equal(t, "first", l.HeaderNames, what)
		}
	}
}

// A saved layout gives itself, whatever its form.
func TestGivenReadsAlike(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 1))
	for _, text := range []string{printout(rng, 40), "a;b\n1,5;2\n3,5;4\n",
		strings.Repeat("2026-07-01\n12\nok\n", 20)} {
		l, _ := detect(text, layout.Given{})
		again, _ := detect(text, l.Given())
		assert.Equal(t, l, again)
	}
}

// Lines without blanks are cut where letters and digits take turns.
func TestFixedWidthWithoutBlanks(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 1))
	var b strings.Builder
	for i := range 40 {
		fmt.Fprintf(&b, "%06d%s%05d%s\n", i, []string{"WHEAT", "BARLE", "OATSX"}[rng.IntN(3)], rng.IntN(99999),
			[]string{"AHR", "BRU"}[rng.IntN(2)])
	}
	l, evidence := detect(b.String(), layout.Given{})
	assert.Equal(t, []any{"fixed", []int{6, 11, 16}, 0}, []any{l.Form, l.Cuts, l.HeaderRows})
	assert.Less(t, evidence["cuts"].Confidence, 0.75)
	l, _ = detect(strings.Repeat("AH000101\nAH000102\n", 20), layout.Given{})
	assert.Equal(t, "delimited", l.Form, "a list of codes is a list of codes")
}
