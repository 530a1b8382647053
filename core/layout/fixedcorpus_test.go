package layout_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"sieb/core/layout"
)

// Printouts of random tables, with and without header and titles: cuts, header
// and skipped lines are right for most of them.
func TestFixedCorpus(t *testing.T) {
	rng := rand.New(rand.NewPCG(21, 1))
	const files = 200
	right := 0
	for n := range files {
		all := columns(",")
		rng.Shuffle(len(all), func(i, k int) { all[i], all[k] = all[k], all[i] })
		all = all[:3+rng.IntN(5)]
		rows := [][]string{}
		header := rng.IntN(5) > 0
		if header {
			names := []string{}
			for _, c := range all {
				names = append(names, c.name)
			}
			rows = append(rows, names)
		}
		for range []int{20, 60, 300}[rng.IntN(3)] {
			row := []string{}
			for _, c := range all {
				row = append(row, c.cell(rng))
			}
			if strings.TrimSpace(row[0]) == "" {
				row[0] = "x"
			}
			rows = append(rows, row)
		}
		widths := make([]int, len(all))
		for _, row := range rows {
			for k, cell := range row {
				widths[k] = max(widths[k], utf8.RuneCountInString(cell))
			}
		}
		var b strings.Builder
		titles := rng.IntN(3)
		for _, title := range []string{"TALFELD WEIGHBRIDGE", "Page 1 of 1"}[:titles] {
			b.WriteString(title + "\n")
		}
		for _, row := range rows {
			line := ""
			for k, cell := range row {
				pad := strings.Repeat(" ", widths[k]-utf8.RuneCountInString(cell))
				if isRight := strings.Contains("net_kg moisture % protein", all[k].name); isRight {
					line += pad + cell + "  "
				} else {
					line += cell + pad + "  "
				}
			}
			b.WriteString(strings.TrimRight(line, " ") + "\n")
		}
		l, _ := detect(b.String(), layout.Given{})
		wantHeader := 0
		if header {
			wantHeader = 1
		}
		if l.Form == "fixed" && len(l.Cuts) == len(all)-1 && l.SkipRows == titles && l.HeaderRows == wantHeader {
			right++
		} else if testing.Verbose() {
			t.Logf("file %d: %s, cuts %v for %d columns, %d lines above for %d, %d header rows for %d\n%.300s", n,
				l.Form, l.Cuts, len(all), l.SkipRows, titles, l.HeaderRows, wantHeader, b.String())
		}
	}
	t.Logf("all right in %.1f %%", 100*float64(right)/files)
	assert.GreaterOrEqual(t, float64(right)/files, 0.9)
}
