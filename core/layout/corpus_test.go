package layout_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/layout"
)

// column makes the cells of a column under its name.
type column struct {
	name string
	cell func(*rand.Rand) string
	unit string // of a second header row
}

func pick(words ...string) func(*rand.Rand) string {
	return func(rng *rand.Rand) string { return words[rng.IntN(len(words))] }
}

// columns are those that tables of the corpus are put together from.
func columns(decimal string) []column {
	number := func(whole, digits int) func(*rand.Rand) string {
		return func(rng *rand.Rand) string {
			s := fmt.Sprint(rng.IntN(whole))
			if digits > 0 {
				s += fmt.Sprintf("%s%0*d", decimal, digits, rng.IntN(100)%pow(digits))
			}
			return s
		}
	}
	day := func(format string) func(*rand.Rand) string {
		return func(rng *rand.Rand) string {
			y, m, d := 2020+rng.IntN(7), 1+rng.IntN(12), 1+rng.IntN(28)
			switch format {
			case "de":
				return fmt.Sprintf("%02d.%02d.%d", d, m, y)
			case "us":
				return fmt.Sprintf("%02d/%02d/%d", m, d, y)
			}
			return fmt.Sprintf("%d-%02d-%02d", y, m, d)
		}
	}
	return []column{
		{"ticket", func(rng *rand.Rand) string { return fmt.Sprintf("AH-%06d", rng.IntN(1e6)) }, "number"},
		{"Grower No.", func(rng *rand.Rand) string { return fmt.Sprintf("%05d", rng.IntN(99999)) }, "number"},
		{"grower", pick("Lindenhof", "Mühlbachhof", "Großacker", "Hof am See", "Kleeblatthof"), ""},
		{"crop", pick("wheat", "barley", "rye", "oats"), ""},
		{"net_kg", number(40000, 0), "kilograms"}, {"moisture %", number(30, 1), "percent"},
		{"protein", number(15, 2), "g in 100 g"},
		{"weighed on", day("de"), "day"}, {"date", day("iso"), "calendar day"}, {"printed", day("us"), "day of print"},
		{"at", func(rng *rand.Rand) string {
			return fmt.Sprintf("%02d:%02d:%02d", rng.IntN(24), rng.IntN(60), rng.IntN(60))
		}, "UTC"},
		{"stamp", func(rng *rand.Rand) string {
			return fmt.Sprintf("2026-07-%02dT%02d:%02d:00Z", 1+rng.IntN(28), rng.IntN(24), rng.IntN(60))
		}, "UTC"},
		{"remark", pick("", "", "second load", "wet, cold; late", "driver said \"wet\"", "left at 5' mark",
			"all well, thanks", "a|b", "it's fine"), ""},
		{"site", pick("Ahrensee", "Brunnthal", "Colmitz", "Dornau", "Elmenau", ""), ""},
		{"organic", pick("yes", "no"), ""},
		{"mail", func(rng *rand.Rand) string { return fmt.Sprintf("hof%d@talfeld.example", rng.IntN(99)) }, "address"},
		{"path", pick("/scale/1", "/scale/2", "C:\\scale\\3"), ""},
		{"list", pick("1,2,3", "4", "5,6"), ""},
	}
}

func pow(n int) int {
	if n == 0 {
		return 1
	}
	return 10 * pow(n-1)
}

// sent is a file of the corpus with the truth about it.
type sent struct {
	text   string
	want   layout.Layout
	quoted bool // some cell is in quotes
}

// send writes a random table in a random dialect, as some sender might.
func send(rng *rand.Rand) sent {
	delimiter := []string{",", ",", ",", ";", ";", ";", "\t", "\t", "|", "^", "~", "||", "§", "\x1f",
		"|~|"}[rng.IntN(15)]
	quote := []string{`"`, `"`, `"`, `"`, "'"}[rng.IntN(5)]
	decimal := "."
	if delimiter != "," && rng.IntN(2) == 0 {
		decimal = ","
	}
	all := columns(decimal)
	rng.Shuffle(len(all), func(i, k int) { all[i], all[k] = all[k], all[i] })
	all = all[:2+rng.IntN(9)]
	always := rng.IntN(4) == 0
	var b strings.Builder
	quoted := false
	blank := ""
	if delimiter != "\t" && rng.IntN(8) == 0 {
		blank = " " // behind each delimiter
	}
	end := []string{"\n", "\r\n", "\n", "\r"}[rng.IntN(4)]
	put := func(cells []string) {
		for i, c := range cells {
			if i > 0 {
				b.WriteString(delimiter + blank)
			}
			if always || strings.Contains(c, delimiter) || strings.Contains(c, quote) {
				c = quote + strings.ReplaceAll(c, quote, quote+quote) + quote
				quoted = true
			}
			b.WriteString(c)
		}
		b.WriteString(end)
	}
	w := sent{want: layout.Layout{Delimiter: delimiter, QuoteChar: quote, Trim: blank != ""}}
	if rng.IntN(4) == 0 {
		titles := []string{"Talfeld growers' co-operative", "Weighbridge tickets, July 2026", "",
			"Printed 31.07.2026 by scale 2"}
		w.want.SkipRows = 1 + rng.IntN(len(titles))
		for _, title := range titles[:w.want.SkipRows] {
			b.WriteString(title + end)
		}
	}
	if rng.IntN(5) > 0 {
		w.want.HeaderRows = 1
		names := make([]string, len(all))
		for i := range all {
			names[i] = all[i].name
		}
		put(names)
		if values := 0; rng.IntN(6) == 0 {
			units := make([]string, len(all))
			for i := range all {
				if units[i] = all[i].unit; units[i] != "" {
					values++
				}
			}
			if values > 2 {
				w.want.HeaderRows = 2
				put(units)
			}
		}
	}
	rows := []int{3, 8, 30, 200, 1500}[rng.IntN(5)]
	for range rows {
		cells := make([]string, len(all))
		for i := range all {
			cells[i] = all[i].cell(rng)
		}
		put(cells)
	}
	w.text, w.quoted = b.String(), quoted
	return w
}

// The layout is right in all of delimiter, quote, header and skipped lines, for
// most of the files that senders might write; and is seldom sure where it is wrong.
func TestCorpus(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 1))
	const files = 500
	right := map[string]int{}
	all, sure := 0, 0
	for n := range files {
		w := send(rng)
		l, evidence, _ := layout.Detect(t.Context(), layout.Sample{Head: []byte(w.text)[:min(len(w.text),
			layout.HeadBytes)]}, layout.Given{})
		good := map[string]bool{
			"delimiter":  l.Delimiter == w.want.Delimiter,
			"quoteChar":  l.QuoteChar == w.want.QuoteChar || !w.quoted,
			"headerRows": l.HeaderRows == w.want.HeaderRows,
			"skipRows":   l.SkipRows == w.want.SkipRows,
			"footerRows": l.FooterRows == 0,
			"trim":       l.Trim == w.want.Trim,
		}
		isRight := true
		for setting, ok := range good {
			if ok {
				right[setting]++
				continue
			}
			isRight = false
			i := slices.IndexFunc(evidence, func(e layout.Evidence) bool { return e.Setting == setting })
			if evidence[i].Confidence >= 0.9 {
				sure++
			}
			if testing.Verbose() {
				lines := strings.SplitN(strings.ReplaceAll(w.text, "\r", "\n"), "\n", 5)
				t.Logf("file %d: %s is %q (%.2f: %s)\n  wanted %+v\n  %.200q", n, setting, evidence[i].Value,
					evidence[i].Confidence, evidence[i].Why, w.want, lines[:min(len(lines), 4)])
			}
		}
		if isRight {
			all++
		}
	}
	for setting, n := range right {
		t.Logf("%-10s right in %.1f %%", setting, 100*float64(n)/files)
	}
	t.Logf("all right in %.1f %%; sure and wrong %d times", 100*float64(all)/files, sure)
	for setting, n := range right {
		assert.GreaterOrEqual(t, float64(n)/files, 0.985, setting)
	}
	assert.Greater(t, float64(all)/files, 0.97)
	assert.LessOrEqual(t, sure, 2)
}
