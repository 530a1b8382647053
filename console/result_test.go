package console_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

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
	// A draft has rows before anything is run.
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "loads"})
	require.NoError(t, err)
	p.do(chromedp.Reload())
	p.shows("nothing is recorded, and nothing was run")
	p.cells("no", "A B D E F")
	require.NoError(t, s.Client.DropRules(t.Context(), d.ID))

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
	p.do(chromedp.Click(`.rows tbody tr:nth-child(3)`))
	p.shows("Row 4")
	p.do(chromedp.Click(`.way a`))
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
	p.shows("60 of 2")
	p.until(`document.querySelectorAll('.rows tbody tr').length === 100`)
	p.do(chromedp.Click(`.pages li.number:last-child`))
	p.until(`document.querySelectorAll('.rows tbody tr').length === 50`)
	assert.Equal(t, "250", p.js(`document.querySelector('.rows tbody tr:last-child td').innerText`))

	// Other columns are chosen, and moved; the address keeps them.
	p.do(chromedp.Click(button("Columns")))
	p.shows("60 of 2")
	p.do(chromedp.Click(button("As they stand")))
	const closed = `[...document.querySelectorAll('.el-overlay')].every(o => o.style.display === 'none')`
	p.until(closed)
	p.do(chromedp.Click(button("choose others")), chromedp.SendKeys(`input[aria-label="Find a column"]`, "last"))
	p.until(`document.querySelectorAll('.el-dialog li').length === 1`)
	p.accessible("the columns that are shown")
	p.do(chromedp.Click(`.el-dialog li .el-checkbox`), chromedp.Click(button("Show these")))
	p.shows("61 of 2")
	p.until(closed)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + `/result?columns=["last","c1","nonsense","c0"]`))
	p.cells("c0", strings.TrimSpace(strings.Repeat(" 1", 0)+oneTo(100)))
	assert.Equal(t, "row,last,c1,c0", p.js(`[...document.querySelectorAll('.rows thead th')].map(h =>
		h.innerText.replace('#', '').trim()).join()`))
	p.do(chromedp.Click(button("Columns")), chromedp.WaitVisible(`button[aria-label="Move c0 forward"]`))
	p.rests()
	p.do(chromedp.Click(`button[aria-label="Move c0 forward"]`))
	p.until(`[...document.querySelectorAll('.el-dialog li')].slice(0, 3).map(l => l.innerText.split('\n')[0].trim()).join()
		=== 'last,c0,c1'`)
	p.do(chromedp.Click(button("Show these")))
	p.until(`[...document.querySelectorAll('.rows thead th')].map(h => h.innerText.replace('#', '').trim()).join() ===
		'row,last,c0,c1'`)

	// They are what is downloaded, unless all are wanted.
	p.until(closed)
	p.do(chromedp.Click(`//span[@class="tools"]` + button("Download")))
	p.shows("only the 3 columns chosen, in their order")
	p.rests()
	p.accessible("the download of chosen columns")
	p.do(chromedp.Click(`//div[@role="dialog"]` + button("Close")))
	p.until(closed)

	// A row is gone to by its number, on whatever page it stands.
	p.do(chromedp.SendKeys(`input[aria-label="Number of a row"]`, "207"+kb.Enter))
	p.shows("Row 207")
	p.until(`document.querySelector('.rows tr.open td')?.innerText === '207'`)
	p.until(`new URLSearchParams(location.search).get('page') === '3'`)
	p.do(chromedp.SendKeys(`input[aria-label="Number of a row"]`, "251"+kb.Enter))
	p.shows("there is no row 251: the delivery has the rows 1 to 250")
	p.choose(".go .by", "line")
	p.retype(`input[aria-label="Number of a row"]`, "3"+kb.Enter) // the header is line 1
	p.shows("Row 2")

	// Of a long page the rows in view are drawn; the keyboard, and a row that is gone to, reach the others.
	p.do(chromedp.KeyEvent(kb.Escape))
	p.choose(".per", "000 rows a page")
	const drawn = `[...document.querySelectorAll('.rows tbody tr[data-place]')].map(r => Number(r.children[0].innerText))`
	p.until(drawn + `[0] === 1 && ` + drawn + `.length < 200`)
	p.do(chromedp.Focus(`.rows tbody tr[tabindex="0"]`), chromedp.KeyEvent(kb.End))
	p.until(`document.activeElement.children[0]?.innerText === '250'`)
	p.until(drawn + `[0] > 100 && ` + drawn + `.at(-1) === 250`)
	p.accessible("the rows in view of a long page")
	p.do(chromedp.KeyEvent(kb.ArrowUp))
	p.until(`document.activeElement.children[0]?.innerText === '249'`)
	p.do(chromedp.KeyEvent(kb.Home))
	p.until(`document.activeElement.children[0]?.innerText === '1'`)
	p.choose(".go .by", "row")
	p.retype(`input[aria-label="Number of a row"]`, "131"+kb.Enter)
	p.until(`document.querySelector('.rows tr.open td')?.innerText === '131'`)
	p.until(`(() => { const r = document.querySelector('.rows tr.open').getBoundingClientRect(),
		s = document.querySelector('.rows .scroll').getBoundingClientRect();
		return r.top >= s.top && r.bottom <= s.bottom })()`)
}

// oneTo returns the numbers up to one, with blanks between them.
func oneTo(n int) string {
	var all []string
	for i := range n {
		all = append(all, fmt.Sprint(i+1))
	}
	return strings.Join(all, " ")
}

// habits is a delivery in which remedies change cells, values are blanked and flagged, and trial rows are accepted.
const habits = "no,crop,state,kg\nA, Weizen,0,9\nB,rye,1,10\nC,rye,0,damp\nD,oats,1,900\nE,rey,0,7\n"

// sifted adds the target of habits, and sifts them.
func sifted(t *testing.T, s *servicetest.Service) (delivery, run string) {
	_, err := s.Client.AddTarget(t.Context(), []byte("target: loads\ncolumns:\n  - {name: no}\n"+
		"  - {name: crop, remedies: [trim, {recode: {Weizen: wheat}}]}\n  - {name: state, datatype: integer}\n"+
		"  - {name: kg, datatype: integer, maximum: 500, onViolation: {range.high: flag, type.integer: blank}}\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader(habits))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "loads"})
	require.NoError(t, err)
	r, err = s.Client.Follow(t.Context(), r.ID, func(api.Run) {})
	require.NoError(t, err)
	require.Equal(t, "accepted", string(r.Verdict), "%+v", r.Violations)
	return d.ID, r.ID
}

// What was changed is seen in its place, with what stood there; a row tells how it came about.
func TestChangedRows(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, run := sifted(t, s)
	p := open(t)
	p.do(chromedp.Navigate(s.Address))
	p.shows("loads.csv")
	p.do(chromedp.Click(`//a[.="loads.csv"]`))
	p.until(fmt.Sprintf(`location.pathname === '/deliveries/%s/result'`, id))
	p.shows("All 5 rows are accepted.")
	p.until(`document.querySelector('.rows td.changed del')?.innerText === '·Weizen'`)
	p.until(`document.querySelectorAll('.rows td.changed').length === 2 &&
		document.querySelectorAll('.rows td.breaks').length === 2`)
	p.accessible("changed cells")
	p.do(chromedp.Click(button("changed 2")))
	p.cells("no", "A C")
	p.do(chromedp.Click(button("flagged 2")))
	p.cells("no", "C D")

	// From row to row by the keyboard.
	p.do(chromedp.Focus(`.rows tbody tr`), chromedp.KeyEvent(kb.ArrowDown))
	p.until(`document.activeElement.innerText.includes('900')`)
	p.do(chromedp.KeyEvent(kb.Enter))
	p.shows("Row 4")
	p.shows(`"900" is above the maximum 500`)
	p.accessible("how a row came about")
	p.do(chromedp.KeyEvent(kb.ArrowUp))
	p.shows("Row 3")
	p.shows(`blank: "damp" is not a whole number`)
	p.do(chromedp.Click(button("Next")))
	p.shows("Row 4")
	p.do(chromedp.KeyEvent(kb.Escape))
	p.until(`document.querySelector('.way') === null`)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/result?row=1"))
	p.shows("trim, recode")
	p.do(chromedp.Click(button("all 4 columns")))
	p.until(`document.querySelectorAll('.way tbody tr').length === 4`)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/result?row=99"))
	p.shows("there is no row 99")

	// What became of the columns, beside the delivery's profile once there is one.
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/result?side=excluded"))
	p.do(chromedp.Click(`//div[@aria-label="Side"]/button[contains(., "profile")]`))
	p.shows("5 accepted rows; the delivery has no profile")
	p.accessible("the profile of a result")
	p.profiled(s, id)
	p.do(chromedp.Reload())
	p.shows("5 accepted rows, beside the 5 rows of the delivery.")
	p.shows("has blanks around it")
	p.accessible("the profile of a result beside that of the delivery")
	p.do(chromedp.Click(`//tbody//button[normalize-space()="crop"]`))
	p.shows("4 different values in 5 rows")
	p.cells("no", "A B C D E")

	// What is found is downloaded in a form.
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id +
		`/result?side=changed&where=[{"column":"crop","op":"equals","value":"wheat"}]`))
	p.cells("no", "A")
	p.do(chromedp.Click(button("Download")))
	p.shows("1 row, in the order of the delivery")
	p.do(chromedp.Evaluate[chromedp.Void](
		`HTMLAnchorElement.prototype.click = function () { window.fetched = this.href }; undefined`),
		chromedp.Click(`//label[contains(., "JSON Lines")]`), chromedp.Click(button("Download changed.jsonl")))
	p.until(`window.fetched !== undefined`)
	link := p.js(`new URL(window.fetched).pathname + new URL(window.fetched).search`)
	assert.Contains(t, link, "/runs/"+run+"/rows/written?form=jsonl")
	answer := p.fetched(link)
	assert.Equal(t, 200, answer.Status)
	assert.Equal(t, `{"no":"A","crop":"wheat","state":0,"kg":9}`+"\n", answer.Text)
}

// profiled makes the profile of a delivery.
func (p *page) profiled(s *servicetest.Service, id string) {
	p.t.Helper()
	_, err := s.Client.StartProfile(p.t.Context(), id, api.NewProfile{})
	require.NoError(p.t, err)
	_, err = s.Client.AwaitProfile(p.t.Context(), id)
	require.NoError(p.t, err)
}

// What is seen is mended there: trial rows are left out, a value is recoded, another one is missing, each by one
// gesture.
func TestMendedFromRows(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, _ := sifted(t, s)
	p := open(t)
	station := s.Address + "/deliveries/" + id
	p.do(chromedp.Navigate(station + "/result"))
	p.shows("All 5 rows are accepted.")
	p.do(chromedp.Click(`button[aria-label="Count the values of state"]`),
		chromedp.Click(`button[aria-label="Leave out rows with 1"]`))
	p.tally(3, 0, 2)
	p.accessible("a draft at the result")
	p.cells("no", "A B C D E")
	p.do(chromedp.Click(button("the rows as this draft makes them")))
	p.cells("no", "A C E")
	p.shows("nothing is recorded, and nothing was run")
	p.until(`document.querySelector('.rows td.changed del')?.innerText === '·Weizen'`)
	p.accessible("the rows of a draft")
	p.do(chromedp.Click(button("excluded 2")))
	p.cells("no", "B D")
	p.do(chromedp.Click(`button[title^="Take back: leave out"]`))
	p.shows("No row was excluded.")
	p.do(chromedp.Click(`button[title^="Again: leave out"]`))
	p.cells("no", "B D")
	p.do(chromedp.Click(button("the rows of the run")))
	p.do(chromedp.Click(button("accepted 5")))
	p.cells("no", "A B C D E")
	p.do(chromedp.Click(`button[aria-label="Count the values of crop"]`),
		chromedp.Click(`button[aria-label="Recode: rey"]`),
		chromedp.SendKeys(`input[aria-label="Another value for rey"]`, "rye"+kb.Enter))
	p.shows("on to the rules")
	p.until(`document.querySelector('input[aria-label="Another value for rey"]') === null`)
	p.do(chromedp.Click(`button[aria-label="Add a condition"], .bar > .el-button`))
	p.choose(`.bar .column`, "kg")
	p.choose(`.bar .op`, "is at least")
	p.do(chromedp.SendKeys(`input[aria-label="Value"]`, "9"+kb.Enter))
	p.cells("no", "A B D")
	p.do(chromedp.Click(button("Leave 3 rows out")))
	p.tally(2, 0, 3)
	// What no condition says in the same way is not offered.
	p.do(chromedp.Navigate(station + `/result?where=[{"column":"crop","op":"contains","value":"RY"}]`))
	p.cells("no", "B C")
	p.until(`[...document.querySelectorAll('button')].find(b => b.innerText.includes('Leave 2 rows out')).disabled`)

	// The same from the profile, of cells as they were delivered.
	p.do(chromedp.Navigate(station + `/profile?column=crop&rows=[{"column":"crop","op":"equals","value":" Weizen"}]`))
	p.shows("1 row")
	p.do(chromedp.Click(`button[aria-label^="Treat as missing"]`))
	p.until(`document.querySelector('ul[aria-label="Filters"]') !== null`)
	p.tally(2, 0, 3)
	var text string
	require.Eventually(t, func() bool {
		rules, err := s.Client.Rules(t.Context(), id)
		require.NoError(t, err)
		text = rules.Target.Text
		return len(rules.Changes) == 4
	}, time.Minute, 50*time.Millisecond)
	assert.Contains(t, text, "state == 1")
	assert.Contains(t, text, "kg >= 9")
	assert.Contains(t, text, "{recode: {Weizen: wheat, rey: rye}}")
	assert.Contains(t, text, `null: ["", " Weizen"]`)
	p.do(chromedp.Navigate(station + `/profile?rows=[{"column":"no","op":"oneOf","values":["C","E"]}]`))
	p.do(chromedp.Click(button("Leave 2 rows out")))
	p.tally(0, 0, 5)
	p.accessible("rows that were found, and left out")
}

// The rows of two runs are compared in the same grid: those with other values, with what stood there, and those that
// ended on another side; the way there from the verdict leads to the same.
func TestComparedInTheGrid(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, first := sifted(t, s)
	_, err := s.Client.AddTarget(t.Context(), []byte("target: loads\ncolumns:\n  - {name: no}\n"+
		"  - {name: crop, remedies: [trim, {recode: {Weizen: spelt}}]}\n  - {name: state, datatype: integer}\n"+
		"  - {name: kg, datatype: integer, maximum: 500, remedies: [{recode: {damp: \"5\"}}]}\n"+
		"exclude: [{condition: cell(\"no\") == \"E\", reason: trial}]\ntolerance: {rejected: 50%}\n"))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: id, Target: "loads"})
	require.NoError(t, err)
	r, err = s.Client.Follow(t.Context(), r.ID, func(api.Run) {})
	require.NoError(t, err)
	p := open(t)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/result"))
	p.cells("no", "A B C")
	p.choose(".other", "this delivery")
	p.shows("1 the same")
	p.accessible("what differs from another run")
	p.do(chromedp.Click(button("2 changed")))
	p.cells("no", "A C")
	p.until(`[...document.querySelectorAll('.rows td.changed')].map(c => c.innerText.split(/\s+/).join()).join(' ') ===
		'wheat,spelt none,5'`)
	p.do(chromedp.Click(button("crop 1")))
	p.until(`new URLSearchParams(location.search).get('differs') === 'crop'`)
	p.cells("crop", "wheat spelt")
	p.accessible("rows with other values")
	p.do(chromedp.Click(`button[aria-label="Count the values of crop"]`))
	p.until(`document.querySelector('section.values')?.innerText.includes('spelt')`)
	p.do(chromedp.Click(button("1 rejected now")))
	p.cells("no", "D")
	p.until(`document.querySelector('.rows tbody td').innerText === 'accepted'`)
	p.do(chromedp.Click(button("1 left out now")))
	p.cells("no", "E")
	p.do(chromedp.Click(button("2 accepted no longer")))
	p.cells("no", "D E")
	p.do(chromedp.Click(`.rows tbody tr:nth-child(2)`))
	p.shows("Row 5")
	p.until(`document.querySelector('.way').innerText.includes(', accepted')`) // as it was in the earlier run
	p.do(chromedp.Reload())
	p.cells("no", "D E")
	p.do(chromedp.Click(`//div[@aria-label="Side"]/button[contains(., "accepted 3")]`))
	p.cells("no", "A B C")

	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/rejects?run=" + r.ID + "&with=" + first))
	p.do(chromedp.Click(button("2 changed")))
	p.cells("no", "A C")
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/result?with=nobody&kind=new"))
	p.shows("there is no run")
}
