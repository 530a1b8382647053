package console_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// grid returns the texts of the cells of the column with this head, with blanks between them.
const grid = `(name => {
	const heads = [...document.querySelectorAll('.rows thead th')].map(h =>
		h.querySelector('.head')?.innerText.replace(/[▴▾]/g, '').trim() ?? 'row');
	return [...document.querySelectorAll('.rows tbody tr')].map(r =>
		r.children[heads.indexOf(name)]?.innerText.trim()).join(' ') })`

// cells waits until the grid shows these cells in a column.
func (p *page) cells(column, want string) {
	p.t.Helper()
	p.until(fmt.Sprintf(`%s(%q) === %q`, grid, column, want))
}

// What was accepted, rejected and left out is looked at, sorted, asked and counted, and all that stands in the address.
func TestResult(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	_, err := s.Client.AddTarget(t.Context(), []byte("target: loads\ncolumns:\n  - {name: no}\n"+
		"  - {name: kg, datatype: integer}\n  - {name: crop, null: [\"\"]}\n"+
		"exclude: [{condition: cell(\"no\") == \"T\", reason: trial}]\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader(
		"no,kg,crop\nA,9,wheat\nB,10,rye\nC,x,rye\nD,100,wheat\nE,7,\nT,1,rye\nF,,\"a \"\"b\"\"\"\n"))
	require.NoError(t, err)
	p := open(t)
	station := s.Address + "/deliveries/" + d.ID + "/result"
	p.do(chromedp.Navigate(station))
	p.shows("No result yet")
	p.accessible("a result that there is not")

	run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "loads"})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), run.ID, func(api.Run) {})
	require.NoError(t, err)
	p.do(chromedp.Reload())
	p.cells("no", "A B D E F")
	p.cells("row", "1 2 4 5 7")
	p.cells("crop", `wheat rye wheat none a "b"`)
	p.accessible("accepted rows")

	// Sorted as numbers, no value last; highest first; then in the rows' own order.
	for _, c := range []struct{ order, want, address string }{{"ascending", "E A B D F", "sort=kg"},
		{"descending", "D B A E F", "sort=kg&order=descending"}, {"none", "A B D E F", ""}} {
		p.do(chromedp.Click(`button[title="Sort by kg"]`))
		p.cells("no", c.want)
		p.until(fmt.Sprintf(`document.querySelector('th[aria-sort=%q] button[title="Sort by kg"]') !== null`, c.order))
		p.until(fmt.Sprintf(`location.search === %q`, strings.TrimRight("?"+c.address, "?")))
	}

	// Counted, and only those with a value.
	p.do(chromedp.Click(`button[aria-label="Count the values of crop"]`))
	p.shows("3 different values in 5 rows")
	p.accessible("values that are counted")
	p.do(chromedp.Click(`button[aria-label="Only rows with wheat"]`))
	p.cells("no", "A D")
	p.shows("1 different value in 2 rows")
	p.do(chromedp.Click(button("Add a condition")))
	p.choose(`.bar .column`, "kg")
	p.choose(`.bar .op`, "is at least")
	p.do(chromedp.SendKeys(`input[aria-label="Value"]`, "10"+kb.Enter))
	p.cells("no", "D")
	p.shows("1 row passes")
	p.do(chromedp.Reload())
	p.cells("no", "D")
	p.do(chromedp.NavigateBack())
	p.cells("no", "A D")
	p.do(chromedp.Click(`button[aria-label="Without crop is wheat"]`))
	p.cells("no", "A B D E F")
	p.do(chromedp.Click(`button[aria-label="Only rows with a \"b\""]`))
	p.cells("no", "F")
	p.do(chromedp.Click(`button[aria-label^="Without crop"]`),
		chromedp.Click(`button[aria-label="Only rows with no value"]`))
	p.cells("no", "E")

	// The other sides, as delivered.
	p.do(chromedp.Click(button("rejected 1")))
	p.cells("kg", "x")
	p.cells("line", "4")
	p.do(chromedp.Click(button("excluded 1")))
	p.cells("reason", "trial")
	p.accessible("excluded rows")

	// What the address asks and cannot be had is said, with a way out.
	p.do(chromedp.Navigate(station + "?sort=weight"))
	p.shows(`the accepted rows have no column "weight"`)
	p.do(chromedp.Click(button("Ask for all rows")))
	p.cells("no", "A B D E F")
	p.do(chromedp.Navigate(station + "?page=7&where=[nonsense"))
	p.shows("There is no page 7")
	p.do(chromedp.Click(button("To the first")))
	p.cells("no", "A B D E F")
	p.do(chromedp.Click(`.rows tbody tr:nth-child(3) a`))
	p.until(`location.pathname.endsWith('/reading') && location.search === '?row=4'`)
}

// Many rows are paged, and very wide ones do not stop the page.
func TestResultOfManyRows(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	var file strings.Builder
	for k := range 2000 {
		fmt.Fprintf(&file, "c%d,", k)
	}
	file.WriteString("last\n")
	for i := range 250 {
		fmt.Fprintf(&file, "%d,%s%s\n", i+1, strings.Repeat(",", 1999), strings.Repeat("x", 2000))
	}
	d, err := s.Client.AddDelivery(t.Context(), "wide.csv", strings.NewReader(file.String()))
	require.NoError(t, err)
	run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	run, err = s.Client.Follow(t.Context(), run.ID, func(api.Run) {})
	require.NoError(t, err)
	require.EqualValues(t, 250, run.Tally.Accepted)
	p := open(t)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/result"))
	p.shows("250 rows")
	p.shows("The first 60 of 2")
	p.until(`document.querySelectorAll('.rows tbody tr').length === 100`)
	p.do(chromedp.Click(`.pages li.number:last-child`))
	p.until(`document.querySelectorAll('.rows tbody tr').length === 50`)
	assert.Equal(t, "250", p.js(`document.querySelector('.rows tbody tr:last-child td').innerText`))
}
