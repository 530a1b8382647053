package layout_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/layout"
)

// A header with one name less or more than the rows have cells stays the header, in any
// dialect, and below a title.
func TestHeaderOfAnotherWidth(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 7))
	names := []string{"ticket", "crop", "kg", "weighed on", "moisture"}
	cells := func(row int) []string {
		return []string{fmt.Sprintf("BR-%06d", random.IntN(1e6)), []string{"wheat", "rye", "oats"}[random.IntN(3)],
			fmt.Sprint(1000 + random.IntN(9000)),
			fmt.Sprintf("2026-07-%02d", 1+row%28), fmt.Sprintf("%d.5", 10+random.IntN(9))}
	}
	for _, delimiter := range []string{",", ";", "\t", "|"} {
		for _, quoted := range []bool{false, true} {
			for _, title := range []string{"", "Talfeld growers\n"} {
				for _, c := range []struct {
					what             string
					header           func([]string) []string
					row              func(int, []string) []string
					closing          bool
					nameless         string
					columns, skipped int
				}{
					{"row numbers without a name", nil,
						func(i int, c []string) []string { return append([]string{fmt.Sprint(i + 1)}, c...) }, false,
						"first", 6, 0},
					{"names of rows without a name", nil,
						func(i int, c []string) []string {
							return append([]string{fmt.Sprintf("row %c%d", 'a'+i%26, i)},
								c...)
						}, false, "first", 6, 0},
					{"a last column without a name", func(h []string) []string {
						return append([]string{"no"},
							h[:4]...)
					}, func(i int, c []string) []string {
						return append([]string{fmt.Sprint(i + 1)},
							c...)
					}, false, "last", 6, 0},
					{"a delimiter closes each row", nil, func(_ int, c []string) []string { return append(c, "") },
						true, "", 5, 0},
					{"a delimiter closes the header", func(h []string) []string { return append(h, "") }, nil, false,
						"", 5, 0},
					{"a delimiter closes both", func(h []string) []string { return append(h, "") },
						func(_ int, c []string) []string { return append(c, "") }, true, "", 5, 0},
					{"neither", nil, nil, false, "", 5, 0},
				} {
					name := fmt.Sprintf("%s, %q quoted %v title %v", c.what, delimiter, quoted, title != "")
					join := func(cells []string) string {
						var b strings.Builder
						for i, cell := range cells {
							if i > 0 {
								b.WriteString(delimiter)
							}
							if quoted && cell != "" {
								cell = `"` + cell + `"`
							}
							b.WriteString(cell)
						}
						return b.String() + "\n"
					}
					header := append([]string{}, names...)
					if c.header != nil {
						header = c.header(header)
					}
					text := title + join(header)
					for i := range 40 {
						row := cells(i)
						if c.row != nil {
							row = c.row(i, row)
						}
						text += join(row)
					}
					l, evidence := detect(text, layout.Given{})
					skip := strings.Count(title, "\n")
					assert.Equal(t, []any{delimiter, skip, 1, c.closing, c.nameless},
						[]any{l.Delimiter, l.SkipRows, l.HeaderRows, l.ClosingDelimiter, l.Nameless}, name)
					if c.nameless != "" {
						assert.Contains(t, evidence["nameless"].Why, "names and the rows", name)
					}
					again, _ := detect(text, l.Given())
					again.LineTerminator, again.ByteOrderMark = l.LineTerminator, l.ByteOrderMark
					assert.Equal(t, l, again, "%s: a saved layout reads alike", name)
				}
			}
		}
	}
}

// A column that is empty only so far is no closing delimiter where a name stands over it,
// nor is the last of a few rows.
func TestNoClosingDelimiter(t *testing.T) {
	for _, text := range []string{
		"a;b;remarks\n" + strings.Repeat("1;2;\n", 30),
		"a;b;remarks\n" + strings.Repeat("1;2;\n", 30) + "1;2;wet\n",
		"1;2;\n3;4;\n5;6;x\n7;8;\n",
	} {
		l, _ := detect(text, layout.Given{})
		assert.False(t, l.ClosingDelimiter, text[:20])
		assert.Empty(t, l.Nameless)
	}
}

// The evidence names what was seen above and below a table.
func TestEvidenceNamesLines(t *testing.T) {
	rows := ""
	for i := range 50 {
		rows += fmt.Sprintf("%d;2026-07-%02d;%s;%d,5\n", i+1, 1+i%28, []string{"wheat", "rye"}[i%2], 100+i)
	}
	for _, c := range []struct{ above, below, skip, footer string }{
		{"", "", "the table starts at the top", "the last lines look like the other rows"},
		{"Weighings;;;\n;;;\n", "Summe;;;6225,0\n;;;\nNumber of meters: 2000;;;\n",
			"line 3 is the first of the table: line 1 is nearly empty; line 2 is empty",
			`the line "Summe;;;6225,0" holds totals; the line "Number of meters: 2000;;;" stands below the table`},
		{"Talfeld\nWeighings of July\n", "51;;;\n",
			"line 3 is the first of the table: lines 1 and 2 have a single cell", "the last lines look like the other rows"},
		{"Talfeld\n;;;\nJuly;2026\n", "nothing came;;;\n",
			"line 4 is the first of the table: line 1 has a single cell; line 2 is empty; line 3 has 2 cells, the table has 4 columns",
			"the last lines have one filled cell, and no gap stands above them: they may be rows"},
	} {
		_, evidence := detect(c.above+"no;day;crop;kg\n"+rows+c.below, layout.Given{})
		assert.Equal(t, c.skip, evidence["skipRows"].Why)
		assert.Equal(t, c.footer, evidence["footerRows"].Why)
	}
}

// Lines of nothing but delimiters below a table are no rows, and totals are found also in
// the table's width and under another column.
func TestBelowTheTable(t *testing.T) {
	rows := ""
	for i := range 50 {
		rows += fmt.Sprintf("%d;2026-07-%02d;%s;%d,5\n", i+1, 1+i%28, []string{"wheat", "rye"}[i%2], 100+i)
	}
	for _, c := range []struct {
		what, below string
		footer      int
	}{
		{"nothing", "", 0},
		{"bare lines", strings.Repeat(";;;\n", 400), 400},
		{"quoted bare lines", strings.Repeat("\"\";\"\";\"\";\"\"\n", 40), 40},
		{"bare and blank lines", strings.Repeat(";;;\n\n", 40), 80},
		{"a few bare lines may be rows", ";;;\n;;;\n", 0},
		{"totals", "Summe;;;6225,0\n", 1},
		{"totals of the table's width", "Summe;31.07.2026;all;6225,0\n", 1},
		{"totals under another column", ";;Total:;6225,0\n", 1},
		{"totals above bare lines", ";;Summe;6225,0\n" + strings.Repeat(";;;\n", 30), 31},
		{"totals with a gap and a count under it", "Summe;;;6225,0\n;;;\nNumber of meters: 2000;;;\n", 3},
		{"totals with a gap above", ";;;\nSumme;;;6225,0\n", 2},
		{"totals with a gap, a count and bare lines", "Summe;;;6225,0\n;;;\nNumber of meters: 2000;;;\n" +
			strings.Repeat(";;;\n", 12), 15},
		{"a count behind a gap", ";;;\nNumber of meters: 2000;;;\n", 2},
		{"a count without delimiters behind a gap", "\nNumber of meters: 2000\n", 2},
		{"several notes behind a gap", "\nPrinted on Monday\nby the weighbridge\nend of file;;;\n", 4},
		{"twenty notes behind a gap", ";;;\n" + strings.Repeat("a note;;;\n", 20), 21},
		{"a row of one filled cell may be a row", "nothing came;;;\n", 0},
		{"a row that was cut short stays a row", "51;2026-07-31\n", 0},
		{"a number alone is a row", ";;;\n51;;;\n", 0},
		{"bare lines behind a row of one filled cell", "nothing came;;;\n;;;\n", 0},
		{"a row like the others", "51;2026-07-31;rye;5,5\n", 0},
	} {
		l, evidence := detect("no;day;crop;kg\n"+rows+c.below, layout.Given{})
		assert.Equal(t, c.footer, l.FooterRows, "%s: %s", c.what, evidence["footerRows"].Why)
		assert.Equal(t, []any{";", 1}, []any{l.Delimiter, l.HeaderRows}, c.what)
	}
}
