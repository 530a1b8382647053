package console_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/core/edit"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

const (
	slips     = "target: slips\ntitle: Slips\ncolumns:\n  - {name: no}\n  - {name: crop, oneOf: [wheat, rye]}\n  - {name: kg, datatype: integer}\n"
	slipsFile = "no,crop,kg\n1,wheat,5\n2,Wheat,6\n3,rye,n/a\n4,maize,7\n5,rye,8\n"
)

// slipRules begins a draft of rules of a small delivery: three of its five rows are right.
func slipRules(t *testing.T, s *servicetest.Service) (id, station string) {
	t.Helper()
	return rulesOf(t, s, slips, slipsFile)
}

// rulesOf begins a draft of rules of a delivery by a target, and returns the delivery and the address of its station.
func rulesOf(t *testing.T, s *servicetest.Service, target, file string) (id, station string) {
	t.Helper()
	added, err := s.Client.AddTarget(t.Context(), []byte(target))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), added.Name+".csv", strings.NewReader(file))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: added.Name})
	require.NoError(t, err)
	return d.ID, s.Address + "/deliveries/" + d.ID + "/rules"
}

// cure clicks a cure of the values that do not fit, beside the values of a column.
func (p *page) cure(words string) {
	p.t.Helper()
	// They are put in order once all were tried.
	p.until(`document.querySelector('section[aria-label="Values that do not fit"]')?.innerText.includes('each cure was tried')`)
	p.do(chromedp.Click(`//section[@aria-label="Values that do not fit"]` + button(words)))
}

// drafted returns the words of a draft's changes.
func drafted(t *testing.T, s *servicetest.Service, id string) (words []string) {
	t.Helper()
	r, err := s.Client.Rules(t.Context(), id)
	require.NoError(t, err)
	for _, c := range r.Changes {
		words = append(words, c.Words)
	}
	return words
}

// changes waits until a draft has so many changes.
func changes(t *testing.T, s *servicetest.Service, id string, n int) {
	t.Helper()
	servicetest.Await(t, fmt.Sprint(n, " changes"), func() bool { return len(drafted(t, s, id)) == n })
}

// Two tabs, and two stewards, at one draft: each sees what the other does, what both change is asked about, and nobody
// takes back what is not his without being told whose it is.
func TestTwoAtOneDraft(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	one := open(t)
	one.do(chromedp.Navigate(station + "?column=kg"))
	one.tally(2, 3, 0)
	two := one.tab()
	two.do(chromedp.Navigate(station + "?column=crop"))
	two.tally(2, 3, 0)

	// Different columns: both changes stand, and the second tab says what the first did.
	one.cure("treat “n/a” as missing")
	one.tally(3, 2, 0)
	two.cure("allow “maize”")
	two.tally(4, 1, 0)
	changes(t, s, id, 2)
	two.shows("Changed meanwhile by")
	two.shows("as missing”. Your own changes stand.")
	two.accessible("what another tab changed")
	two.do(chromedp.Click(button("Seen")))
	two.until(`!document.body.innerText.includes('Changed meanwhile')`)
	one.tally(4, 1, 0) // it looks from time to time

	// Another steward, in a browser of his own, changes what is changed here too.
	bela := open(t)
	bela.do(chromedp.Navigate(station + "?column=kg"))
	bela.tally(4, 1, 0)
	_, err := s.Client.ChangeRules(t.Context(), id, api.NewShift{Words: "kg from 1 on", Author: api.Author{By: "Anna", From: "elsewhere"},
		Steps: []edit.Step{{In: "target", Do: "set", Path: []string{"columns", "kg", "minimum"}, Value: 1}}})
	require.NoError(t, err)
	bela.do(chromedp.SendKeys("#field-minimum", "2\t"))
	bela.shows("Meanwhile the same was changed by Anna.")
	bela.shows("is not made yet")
	bela.accessible("a change that is held")
	assert.Len(t, drafted(t, s, id), 3, "nothing was written over")
	bela.do(chromedp.Click(button("Make it")))
	changes(t, s, id, 4)

	// Undo takes back one's own; then it says whose the next one is.
	bela.do(chromedp.Click(button("Undo")))
	changes(t, s, id, 3)
	bela.do(chromedp.Click(button("Undo")))
	bela.shows("the last change is not yours: “kg from 1 on” by Anna")
	assert.Len(t, drafted(t, s, id), 3)
	bela.do(chromedp.Click(button("Take it back")))
	changes(t, s, id, 2)
	bela.until(`!document.body.innerText.includes('is not yours')`)
}

// What others save is said, taken over when asked for, and never runs unasked.
func TestNewerVersions(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.tally(2, 3, 0)
	theirs := strings.Replace(slips, "[wheat, rye]", "[wheat, rye, maize]", 1)
	_, err := s.Client.AddTarget(t.Context(), []byte(theirs))
	require.NoError(t, err)
	p.shows("Version 2 of the target slips was saved")
	p.shows("What you see here, and what runs, is version 1")
	p.accessible("a newer version")
	p.do(chromedp.Click(`//button[normalize-space()="Sift"]`))
	var runs api.Page[api.RunHead]
	servicetest.Await(t, "the run", func() bool {
		runs, err = s.Client.Runs(t.Context(), id, 0, 10)
		return err == nil && runs.Total == 1 && runs.Items[0].State == "done"
	})
	assert.Equal(t, 1, runs.Items[0].Target.Version, "what was rehearsed ran")
	assert.Equal(t, int64(2), runs.Items[0].Tally.Accepted)

	// With changes: the dialog asks what becomes of them.
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.shows("Go on with version 2")
	p.cure("treat “n/a” as missing")
	p.tally(3, 2, 0)
	p.do(chromedp.Click(button("Save…")))
	p.shows("Your changes can go on it, over it, or away.")
	p.rests()
	p.accessible("saving beside a newer version")
	p.do(chromedp.Click(`//div[@role="dialog"]` + button("Put my changes on version 2")))
	p.tally(4, 1, 0)
	p.until(`!document.body.innerText.includes('was saved')`)
	p.rests()
	p.do(chromedp.Click(button("Save…")))
	p.rests()
	p.retype(`input[aria-label="Title of the target"]`, "All slips")
	p.do(chromedp.Click(button("Save and sift")))
	servicetest.Await(t, "the second run", func() bool {
		runs, err = s.Client.Runs(t.Context(), id, 0, 10)
		return err == nil && runs.Total == 2
	})
	saved, err := s.Client.Target(t.Context(), "slips", 0)
	require.NoError(t, err)
	assert.Equal(t, []any{3, "All slips"}, []any{saved.Version, saved.Title})
	assert.Contains(t, saved.Text, "maize")
	assert.Contains(t, saved.Text, "n/a")

	// Or they are thrown away.
	p.do(chromedp.Navigate(station + "?column=crop"))
	p.cure("allow “Wheat”")
	p.tally(5, 0, 0)
	_, err = s.Client.AddTarget(t.Context(), []byte(theirs+"rows: {minimum: 1}\n"))
	require.NoError(t, err)
	p.do(chromedp.Click(button("Save…")))
	p.rests()
	p.do(chromedp.Click(`//div[@role="dialog"]//button[normalize-space()="Save"]`), chromedp.Click(button("Throw my changes away")))
	changes(t, s, id, 0)
	p.tally(3, 2, 0)
}

// Clicks while the service is away are made once it is back, each once, in their order.
func TestClicksWhileTheServiceIsAway(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.tally(2, 3, 0)
	p.shows("each cure was tried on all rows")
	require.NoError(t, s.Stop())
	p.cure("treat “n/a” as missing")
	p.shows("Changes of rules and readings are kept here, and made as soon as it does")
	p.do(chromedp.SendKeys("#field-minimum", "1\t"))
	p.until(`JSON.parse(localStorage.getItem('sieb.changes')).length === 2`)
	again := servicetest.StartWith(t, s.Data, func(c *service.Config) {
		c.Console, c.Listen = console.Handler(), strings.TrimPrefix(s.Address, "http://")
	})
	changes(t, again, id, 2)
	p.tally(3, 2, 0)
	p.until(`localStorage.getItem('sieb.changes') === null`)

	// A page that is left before the service is back makes them when it is opened again.
	p.shows("all fit")
	require.NoError(t, again.Stop())
	p.do(chromedp.SendKeys("#field-maximum", "100\t"))
	p.until(`JSON.parse(localStorage.getItem('sieb.changes')).length === 1`)
	p.do(chromedp.Navigate("about:blank"))
	last := servicetest.StartWith(t, s.Data, func(c *service.Config) {
		c.Console, c.Listen = console.Handler(), strings.TrimPrefix(s.Address, "http://")
	})
	assert.Len(t, drafted(t, last, id), 2)
	p.do(chromedp.Navigate(station))
	changes(t, last, id, 3)
	p.do(chromedp.Reload())
	p.tally(3, 2, 0)
	assert.Len(t, drafted(t, last, id), 3, "it is made once")
	p.do(chromedp.KeyEvent("z", chromedp.KeyModifiers(2)))
	changes(t, last, id, 2)
	p.do(chromedp.KeyEvent("y", chromedp.KeyModifiers(2)))
	changes(t, last, id, 3)
}

// Whatever is clicked is carried out, also when the page is loaded anew, left or closed at once.
func TestClicksOutlastThePage(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	p := open(t)
	for n, leave := range []func(){
		func() { p.do(chromedp.Reload()) },
		func() { p.do(chromedp.Navigate(s.Address + "/targets")) },
		func() { p.do(chromedp.Navigate("about:blank")) },
		func() { p.js(`(window.stop(), location.assign('/'), '')`) },
	} {
		p.do(chromedp.Navigate(station + "?column=kg"))
		p.shows("all rows counted")
		p.retype("#field-minimum", fmt.Sprint(n+1))
		p.do(chromedp.KeyEvent("\t"))
		leave()
		changes(t, s, id, n+1)
	}
	tab := p.tab()
	tab.do(chromedp.Navigate(station + "?column=kg"))
	tab.shows("all rows counted")
	tab.retype("#field-maximum", "70")
	tab.do(chromedp.KeyEvent("\t"))
	require.NoError(t, chromedp.Cancel(tab.ctx))
	changes(t, s, id, 5)
}

// A delivery without a header is fed by position: all columns in their order, or each by its place; what is suggested
// says so too.
func TestDeliveriesWithoutAHeader(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	file := ""
	for i := range 30 {
		file += fmt.Sprintf("%d,2026-07-%02d,%d.5\n", 100+i, 1+i, i)
	}
	id, station := rulesOf(t, s, "target: bare\ncolumns:\n  - {name: no, datatype: integer, required: true}\n"+
		"  - {name: day, datatype: date}\n  - {name: site, value: Dornau}\n  - {name: kg, datatype: decimal}\n", file)
	p := open(t)
	p.do(chromedp.Navigate(station))
	p.tally(0, 30, 0)
	p.shows("The file has no header.")
	p.accessible("a file without a header")
	p.do(chromedp.Click(button("Take them in this order")))
	p.tally(30, 0, 0)
	p.until(`!document.body.innerText.includes('The file has no header.')`)
	r, err := s.Client.Rules(t.Context(), id)
	require.NoError(t, err)
	for _, line := range []string{"name: no, datatype: integer, required: true, position: 1", "name: day, datatype: date, position: 2",
		"name: kg, datatype: decimal, position: 3"} {
		assert.Contains(t, r.Target.Text, line)
	}
	assert.NotContains(t, r.Target.Text, "column_")

	// Another place for one of them.
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.shows("such as")
	p.do(chromedp.Click(button("Undo")))
	p.tally(0, 30, 0)
	p.choose(`//div[contains(@class,"field")][.//*[text()="From"]]//div[contains(@class,"el-select")]`, "column_1")
	changes(t, s, id, 1)
	assert.Equal(t, []string{"kg from column 1"}, drafted(t, s, id))
}

// Several columns are given a datatype at once; what does not go with it is taken away, as it is of one.
func TestDatatypeOfSeveralColumns(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := rulesOf(t, s, "target: many\ncolumns:\n  - {name: a, maxLength: 5, format: '[A-Z]+'}\n"+
		"  - {name: b, datatype: integer, minimum: 1, maximum: 9}\n  - {name: c, oneOf: [x, y]}\n", "a,b,c\nA,1,x\nB,2,y\n")
	p := open(t)
	p.do(chromedp.Navigate(station))
	p.tally(2, 0, 0)
	p.do(chromedp.Click(button("select several")), chromedp.Click(button("all 3")))
	p.shows("3 columns together")
	p.choose(`//section[@aria-label="Columns together"]//div[contains(@class, "el-select")][1]`, "date")
	changes(t, s, id, 1)
	r, err := s.Client.Rules(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(r.Target.Text, "datatype: date"), r.Target.Text)
	for _, gone := range []string{"maxLength", "format", "minimum", "maximum"} {
		assert.NotContains(t, r.Target.Text, gone)
	}
}

// What the service refuses stays as it was typed, its reason names the field, and goes when it is mended, put back or
// left.
func TestRefusedForms(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.tally(2, 3, 0)
	value := func(field string) string { return p.js(fmt.Sprintf(`document.querySelector(%q).value`, field)) }
	p.do(chromedp.SendKeys("#field-minimum", "much\t"))
	p.shows("kg, minimum: ")
	p.until(`!document.querySelector('.failure').innerText.includes('line')`)
	assert.Equal(t, "much", value("#field-minimum"))
	p.accessible("a field that is refused")
	p.retype("#field-minimum", "1")
	p.do(chromedp.KeyEvent("\t"))
	changes(t, s, id, 1)
	p.until(`!document.querySelector('.failure')`)
	assert.Equal(t, "1", value("#field-minimum"))

	p.retype("#field-minimum", "many")
	p.do(chromedp.KeyEvent("\t"))
	p.shows("kg, minimum: ")
	p.retype("#field-minimum", "1") // as it was
	p.do(chromedp.KeyEvent("\t"))
	p.until(`!document.querySelector('.failure')`)
	p.retype("#field-minimum", "many")
	p.do(chromedp.KeyEvent("\t"))
	p.shows("kg, minimum: ")
	p.do(chromedp.Click(`//button[contains(@class, "column")][contains(., "crop")]`))
	p.until(`!document.querySelector('.failure')`)
	p.do(chromedp.Click(`//button[contains(@class, "column")][contains(., "kg")]`))
	p.until(`document.querySelector('#field-minimum')?.value === '1'`)

	// A remedy with something that cannot be.
	p.choose(`//div[contains(@class, "chain")]//div[contains(@class, "el-select")]`, "replace")
	p.do(chromedp.SendKeys(`//div[contains(@class, "chain")]//input[contains(@aria-label, "pattern")]`, "([0-9"))
	p.do(chromedp.Click(`//div[contains(@class, "chain")]` + button("Add")))
	p.shows("kg, remedies: ")
	p.until(`[...document.querySelectorAll('.chain input')].some((i) => i.value === '([0-9')`)
	assert.Len(t, drafted(t, s, id), 1)
}

// Each finding says by itself whether the rules deal with it, also where another one of its column is left.
func TestEachFindingSaysWhetherItIsDealtWith(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	file := "no;day\n"
	for i := range 80 {
		day := fmt.Sprintf("%02d.07.2026", 1+i%28)
		switch {
		case i%20 == 3:
			day = fmt.Sprintf("2026-07-%02d", 1+i%28)
		case i == 50:
			day = "31.02.2026"
		}
		file += fmt.Sprintf("%d;%s\n", 100+i, day)
	}
	d, err := s.Client.AddDelivery(t.Context(), "days.csv", strings.NewReader(file))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{})
	require.NoError(t, err)
	p := open(t)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/profile"))
	p.tally(79, 1, 0) // both formats are in the draft; one day is none
	p.do(chromedp.WaitVisible(finding("dates come in 2 formats") + `//span[contains(., "the rules deal with it")]`))
	assert.Equal(t, "1", p.js(`String(document.querySelectorAll('.dealt').length)`), "what there is no such day of is left")
}

// Two tabs at how one delivery reads: who comes second is told, and nobody's settings are lost.
func TestTwoAtOneReading(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	one := open(t)
	id := one.reading(s, "slips.csv", []byte(slipsFile))
	one.shows("all detected")
	two := one.tab()
	two.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/reading"))
	two.shows("all detected")
	headerRows := func(p *page, to string) {
		p.t.Helper()
		p.until(`!document.querySelector('.station.busy')`)
		p.js(`(i => { i.value = '` + to + `'; i.dispatchEvent(new Event('change', { bubbles: true })); return '' })(document.querySelector('#setting-headerRows'))`)
	}
	draft := func() *api.LayoutDraft {
		kept, err := s.Client.Drafts(t.Context(), id)
		require.NoError(t, err)
		return kept.Layout
	}
	set := func(n int) func() bool {
		return func() bool {
			d := draft()
			return d != nil && d.Given.HeaderRows != nil && *d.Given.HeaderRows == n
		}
	}

	headerRows(one, "0")
	one.shows("the changes are kept with the delivery")
	headerRows(two, "2")
	two.shows("Meanwhile somebody else changed these settings")
	two.shows("Header rows 0. What you see is yours, and is not kept yet.")
	two.accessible("settings that another tab changed")
	assert.True(t, set(0)(), "nothing was written over")
	two.do(chromedp.Click(button("Take theirs; Undo brings mine back")))
	two.until(`document.querySelector('#setting-headerRows').value === '0'`)
	two.do(chromedp.Click(button("Undo")))
	servicetest.Await(t, "one's own again", set(2))

	headerRows(one, "1")
	one.shows("Header rows 2. What you see is yours")
	one.do(chromedp.Click(button("Keep mine")))
	servicetest.Await(t, "mine", set(1))
	one.until(`!document.body.innerText.includes('Meanwhile somebody else')`)
	one.do(chromedp.Click(button("Save layout")))
	one.shows("Saved: runs and profiles read the delivery like this")
	two.do(chromedp.Click(button("Save layout")))
	two.shows("Meanwhile somebody else saved these settings")
	require.Nil(t, draft())
	two.do(chromedp.Click(button("Keep mine")))
	servicetest.Await(t, "mine", set(2))
}

// Two tabs at the text of one target, and a version that is saved meanwhile.
func TestTwoAtOneText(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	_, err := s.Client.AddTarget(t.Context(), []byte(slips))
	require.NoError(t, err)
	area := `textarea[aria-label="Text of the target"]`
	var tabs []*page
	one := open(t)
	for _, p := range []*page{one, one.tab()} {
		p.do(chromedp.Navigate(s.Address+"/targets/slips?view=text"), chromedp.WaitVisible(area))
		tabs = append(tabs, p)
	}
	two := tabs[1]
	one.do(chromedp.SendKeys(area, "# one"))
	one.shows("changed; kept on the service")
	two.do(chromedp.SendKeys(area, "# two"))
	two.shows("Meanwhile somebody else changed this text too. What stands here is yours.")
	two.accessible("a text that another tab changed")
	resp, err := http.Get(s.Address + "/api/v1/targets/slips/draft")
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Contains(t, string(text), "# one")
	two.do(chromedp.Click(button("Show theirs; mine is put aside")))
	two.until(`document.querySelector('` + area + `').value.includes('# one')`)
	two.do(chromedp.Click(button("Back to mine")))
	two.until(`document.querySelector('` + area + `').value.includes('# two')`)
	two.shows("changed; kept on the service")

	// Saved over another version only when that was told.
	theirs := strings.Replace(slips, "rye]", "rye, maize]", 1)
	_, err = s.Client.AddTarget(t.Context(), []byte(theirs))
	require.NoError(t, err)
	two.do(chromedp.Click(button("Save as a version")))
	two.shows("The text here began with version 1.")
	two.accessible("a version that was saved meanwhile")
	newest, err := s.Client.Target(t.Context(), "slips", 0)
	require.NoError(t, err)
	assert.Equal(t, theirs, newest.Text)
	two.do(chromedp.Click(button("Save over version 2")))
	two.shows("Saved: version 3.")
	newest, err = s.Client.Target(t.Context(), "slips", 0)
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(newest.Text, "# two"), newest.Text)

	// The other tab's text is of a draft that is gone: it is kept on the page, and asked about.
	one.do(chromedp.SendKeys(area, " and more"))
	one.shows("Meanwhile somebody else saved the changes of this text, or threw them away.")
	one.until(`document.querySelector('` + area + `').value.includes('# one and more')`)
	one.do(chromedp.Click(button("Show theirs; mine is put aside")))
	one.until(`document.querySelector('` + area + `').value.includes('# two')`)
	one.do(chromedp.Click(button("Back to mine")))
	one.shows("changed; kept on the service")
}

// What a list puts under the pointer after a click is not clicked by an impatient hand: of two remedies one is
// taken away, and a cure is taken once.
func TestASecondClickTakesNothing(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	target := strings.Replace(slips, "{name: crop,", "{name: crop, remedies: [trim, lower, squeeze],", 1)
	id, station := rulesOf(t, s, target, slipsFile)
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=crop"))
	p.tally(3, 2, 0)
	// The second click is at the place of the first, on what has come there, unless that took so long that it is meant.
	twice := func(first, next string) (isLate bool) {
		t.Helper()
		p.js(fmt.Sprintf(`(async () => {
			window.met = ''
			const first = document.querySelector('[aria-label=%q]')
			const at = { detail: 1, bubbles: true, cancelable: true, clientX: 500, clientY: 300 }
			const began = performance.now()
			first.dispatchEvent(new MouseEvent('click', at))
			while (document.querySelector('[aria-label=%[1]q]')) await new Promise(requestAnimationFrame)
			const isLate = performance.now() - began > 500
			if (!isLate) document.querySelector('[aria-label=%[2]q]').dispatchEvent(new MouseEvent('click', at))
			window.met = isLate ? 'late' : 'soon'
		})(), ''`, first, next))
		p.until(`window.met !== ''`)
		return p.js(`window.met`) == "late"
	}
	for range 5 {
		isLate := twice("Remove trim", "Remove lower")
		changes(t, s, id, 1)
		if !isLate {
			break
		}
		p.do(chromedp.Click(button("Undo")), chromedp.WaitVisible(`[aria-label="Remove trim"]`))
	}
	p.tally(3, 2, 0)
	p.until(`document.querySelector('[aria-label="Remove lower"]') !== null`)
	changes(t, s, id, 1)

	p.cure("allow “maize”")
	p.tally(4, 1, 0)
	changes(t, s, id, 2)
}

// Counts of the first rows are replaced wherever they stand, once all rows are counted.
func TestCountsOfAllRows(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	var file strings.Builder
	file.WriteString("no,crop,kg\n")
	for i := range 400_000 {
		kg := "5"
		if i < 100_000 && i%1000 == 0 || i >= 100_000 && i%10 == 0 {
			kg = "n/a"
		}
		fmt.Fprintf(&file, "%d,wheat,%s\n", i, kg)
	}
	_, station := rulesOf(t, s, slips, file.String())
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.shows("all rows counted")
	p.shows("369\u202f900 accepted")
	p.until(`document.querySelector('section[aria-label="Values that do not fit"]')?.innerText.includes('each cure was tried')`)
	text := strings.ReplaceAll(p.text("main"), "\u202f", "")
	assert.GreaterOrEqual(t, strings.Count(text, "30100"), 5, "the tally, the column, the rule, the value and its cures")
	assert.NotRegexp(t, `\b100\b`, text, "of the first rows")
	assert.NotContains(t, text, "first rows")
}

// What is typed for a value stays while another steward's change arrives.
func TestTypedWhileOthersChange(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	id, station := slipRules(t, s)
	p := open(t)
	p.do(chromedp.Navigate(station + "?column=kg"))
	p.tally(2, 3, 0)
	const input = `input[aria-label="Recode n/a to"]`
	p.do(chromedp.Click(button("recode…")), chromedp.SendKeys(input, "12"))
	_, err := s.Client.ChangeRules(t.Context(), id, api.NewShift{Words: "maize too", Author: api.Author{By: "Anna", From: "elsewhere"},
		Steps: []edit.Step{{In: "target", Do: "add", Path: []string{"columns", "crop", "oneOf"}, Value: "maize"}}})
	require.NoError(t, err)
	p.shows("Changed meanwhile by Anna") // it looks from time to time
	p.tally(3, 2, 0)
	p.until(`document.querySelector('` + input + `')?.value === '12'`)
	p.do(chromedp.SendKeys(input, kb.Enter))
	p.tally(4, 1, 0)
	changes(t, s, id, 2)
	p.until(`document.querySelector('` + input + `') === null`)
}
