package suggest_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/suggest"
)

// pages prints weighings on pages, each with its head, the header, a ruled line, and a sum at its end that is wider
// than its column.
func pages(rows, perPage int, lineEnd, pageEnd string) string {
	var b strings.Builder
	line := func(cells ...any) {
		fmt.Fprintf(&b, "%-12s%-10s%-9s%-12s%9s%9s%9s%9s"+lineEnd, cells...)
	}
	for i := range rows {
		if i%perPage == 0 {
			fmt.Fprintf(&b, "Talfeld eG   Weighbridge Dornau               Weighings June 2026          Page %4d"+lineEnd,
				i/perPage+1)
			b.WriteString(lineEnd)
			line("Ticket", "Date", "Grower", "Crop", "Gross", "Tare", "Net", "Moist")
			b.WriteString(strings.Repeat("-", 79) + lineEnd)
		}
		gross, tare := 12000+i*37%9000, 4100+i*13%900
		thousands := func(n int) string { return fmt.Sprintf("%d.%03d", n/1000, n%1000) }
		line(fmt.Sprintf("DO-%06d", i), fmt.Sprintf("%02d.06.26", 1+i*28/rows), fmt.Sprintf("%05d", 400+i%5),
			[]string{"wheat", "barley", "rye", "w.barley"}[i%4], thousands(gross), thousands(tare), thousands(gross-tare),
			fmt.Sprintf("%d,%d", 12+i%5, i%10))
		if i%perPage == perPage-1 || i == rows-1 {
			b.WriteString(lineEnd)
			line("", "", "", "Subtotal", "", "", "1.234.567", "")
			b.WriteString(pageEnd)
		}
	}
	return b.String()
}

// sums are tickets with a sum behind those of each day, and the sum of all below.
func sums(days, perDay int) string {
	var b strings.Builder
	b.WriteString("ticket;day;grower;name;gross;tare;net;moisture;falling\n")
	for d := range days {
		for i := range perDay {
			n := d*perDay + i
			gross, tare := 12000+37*n%9000, 4100+13*n%900
			fmt.Fprintf(&b, "CO-%06d;2026-06-%02d;%05d;Hof %s;%d;%d;%d;%d.%d;\n", n, d+1, 400+n%4, "ABCD"[n%4:n%4+1], gross,
				tare, gross-tare, 12+n%5, n%10)
		}
		fmt.Fprintf(&b, "Sum of day %d;;;;;;%d;;\n", d+1, 40000+d)
	}
	b.WriteString("\nTotal;;;;;;999999;;\n")
	return b.String()
}

// A printout with pages, and a table with sums between its rows, are read as the table that they hold; a draft of it
// learns nothing from what is no row; and what is no row is left out by the suggestions of one order, nothing else.
func TestLinesThatAreNoRows(t *testing.T) {
	tests := []struct {
		name, text, header string
		rows               int
		left               []string
	}{
		{"pages", pages(180, 40, "\n", "\f\n"), "Ticket|Date|Grower|Crop|Gross|Tare|Net|Moist", 180,
			[]string{"leave out rows in which Crop is “Subtotal”", "leave out rows in which Ticket is “Talfeld eG”",
				"leave out rows that repeat the header", "leave out ruled lines"}},
		{"pages without form feeds", pages(300, 50, "\r\n", ""), "Ticket|Date|Grower|Crop|Gross|Tare|Net|Moist", 300,
			[]string{"leave out rows in which Crop is “Subtotal”", "leave out rows in which Ticket is “Talfeld eG”",
				"leave out rows that repeat the header", "leave out ruled lines"}},
		{"sums", sums(20, 7), "ticket|day|grower|name|gross|tare|net|moisture|falling", 140,
			[]string{"leave out rows in which ticket begins with Sum"}},
	}
	for _, c := range tests {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, "delivery.txt")
			require.NoError(t, os.WriteFile(path, []byte(c.text), 0o600))
			file, err := source.Open(context.Background(), path, layout.Given{})
			require.NoError(t, err)
			defer file.Close()
			p, err := finding.Profile(context.Background(), file, profile.Options{})
			require.NoError(t, err)
			var header []string
			for _, col := range p.Columns {
				header = append(header, col.Header)
			}
			require.Equal(t, c.header, strings.Join(header, "|"))
			drafted := string(draft.Of("delivery.txt", p).YAML())
			for _, learned := range []string{"null:", "maxLength", "Talfeld", "Subtotal\"", "Sum of"} {
				assert.NotContains(t, drafted, learned)
			}
			w := workOn(t, dir, c.text, drafted, "", true)
			assert.Equal(t, int64(c.rows), w.Result.Tally.Accepted, drafted)
			require.NotZero(t, w.Result.Tally.Rejected)
			all := judged(t, w, suggest.Asked{})
			together, err := w.Order(context.Background(), all)
			require.NoError(t, err)
			assert.Empty(t, together.Taken)
			var left []string
			for _, taken := range together.Losing {
				for _, s := range all {
					if s.ID == taken.ID {
						left = append(left, s.Words)
					}
				}
			}
			assert.ElementsMatch(t, c.left, left)
			assert.Equal(t, w.Result.Tally.Rejected, together.Losing[len(together.Losing)-1].Rescued)
			for _, s := range all {
				assert.NotEqual(t, "missing", s.Kind, s.Words)
			}
		})
	}
}

// Rows that a sender writes in other habits than the rest are no heads of pages, though they are wrong in several
// columns and hold the same words.
func TestHabitsAreNoHeads(t *testing.T) {
	for _, every := range []int{2, 8, 30} {
		var b strings.Builder
		b.WriteString("no;site;day;kg;moisture;crop\n")
		for i := range 300 {
			if i%every == 0 {
				fmt.Fprintf(&b, "%d;Arensee;01.06.2026;%d kg;12,5;wheat\n", i, i)
			} else {
				fmt.Fprintf(&b, "%d;Ahrensee;2026-06-01;%d;12.5;%s\n", i, i, []string{"wheat", "rye", "oat", "corn"}[i%4])
			}
		}
		target := "target: t\ncolumns: [{name: no, unique: true}, {name: site, oneOf: [Ahrensee]}, {name: day, datatype: date}, " +
			"{name: kg, datatype: integer}, {name: moisture, datatype: decimal}, {name: crop, oneOf: [wheat, rye]}]\n"
		w := workOn(t, t.TempDir(), b.String(), target, "", true)
		for _, s := range judged(t, w, suggest.Asked{}) {
			assert.NotEqual(t, "exclude", s.Kind, "one in %d: %s", every, s.Words)
		}
	}
}

// Rows that hold little are rows where many do, and what is wrong in one column alone is no head of a page.
func TestRowsThatHoldLittle(t *testing.T) {
	var b strings.Builder
	b.WriteString("no;day;kg;a;b;c;d;e\n")
	for i := range 200 {
		if i%3 == 0 {
			fmt.Fprintf(&b, "%d;2026-06-01;;;;;;\n", i)
		} else {
			fmt.Fprintf(&b, "%d;2026-06-01;%s;1;2;3;4;5\n", i, every(20, i, "?", "7"))
		}
	}
	target := "target: t\ncolumns: [{name: no}, {name: day, datatype: date}, {name: kg, datatype: integer}, {name: a}]\n"
	w := workOn(t, t.TempDir(), b.String(), target, "", true)
	assert.Equal(t, 1, w.Profile.Sparse.AtMost)
	assert.Zero(t, w.Profile.Sparse.Rows)
	for _, s := range judged(t, w, suggest.Asked{}) {
		assert.NotEqual(t, "exclude", s.Kind, s.Words)
	}
}
