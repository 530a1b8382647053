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
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// address is the path and query of the page.
func (p *page) address() string { return p.js(`location.pathname + location.search`) }

// choose opens a list of choices and takes one.
func (p *page) choose(list, choice string) {
	p.t.Helper()
	p.do(chromedp.Click(list))
	option := fmt.Sprintf(`//div[contains(@class,"el-popper") and not(contains(@style,"display: none"))]//li[contains(., %q)]`, choice)
	p.do(chromedp.WaitVisible(option))
	p.rests()
	p.do(chromedp.Click(option))
}

// Settings that are not saved and a draft that is not added outlast a change of station,
// a reload and the service itself; what is asked while it is away is asked again.
func TestWorkOutlastsTheService(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	id := p.reading(s, m.Name, m.Bytes)
	p.shows("240 rows, 16 columns")
	p.do(chromedp.Click(`//div[contains(@class,"setting")][.//label[text()="Delimiter"]]//button[contains(., "comma")]`))
	p.shows("1 set by hand")
	p.shows("Not saved: the changes are kept with the delivery")
	p.do(chromedp.Click(`//nav[contains(@class,"stations")]//a[contains(., "Profile")]`))
	p.shows("The layout has changes that are not saved")
	p.shows("240 rows of 16 columns")
	p.do(chromedp.Click(button("Mend it")), chromedp.Click(button("Draft a target from this file")))
	p.shows("all rows counted")
	p.do(chromedp.WaitVisible(`(//section[@aria-label="Profile"]//button[contains(@class, "cure")])[1]`))
	p.until(`!/(looking for|trying) cures/.test(document.body.innerText)`) // they are put in order at the end
	p.do(chromedp.Click(`(//section[@aria-label="Profile"]//button[contains(@class, "cure")])[1]`))
	p.do(chromedp.Reload()) // at once: the click is carried out all the same
	p.shows("not saved")

	// The service goes, and comes back at the same address.
	p.do(chromedp.Click(`//nav[contains(@class,"stations")]//a[contains(., "Reading")]`))
	p.shows("1 set by hand")
	require.NoError(t, s.Stop())
	p.do(chromedp.Click(`//button[contains(., "Undo")]`))
	p.shows("The service does not answer.")
	p.until(`!document.body.innerText.includes('all detected')`) // nothing is taken yet
	assert.Contains(t, p.text(".settings .head"), "1 set by hand", "what is told is of the last answer")
	again := servicetest.StartWith(t, s.Data, func(c *service.Config) {
		c.Console, c.Listen = console.Handler(), strings.TrimPrefix(s.Address, "http://")
	})
	p.shows("all detected")
	p.until(`!document.body.innerText.includes('does not answer')`)
	p.do(chromedp.Reload())
	p.shows("240 rows, 16 columns")
	p.until(`!document.body.innerText.includes('Not saved')`)
	kept, err := again.Client.Drafts(t.Context(), id)
	require.NoError(t, err)
	require.NotNil(t, kept.Rules)
	assert.Equal(t, 1, kept.Rules.Changes)

	// Saving keeps what is told of each setting; the other stations follow at once.
	p.do(chromedp.Click(`//div[contains(@class,"setting")][.//label[text()="Encoding"]]//button[contains(@class,"other")]`))
	p.shows("1 set by hand")
	p.do(chromedp.Click(`//button[contains(., "Save layout")]`))
	p.shows("Saved: runs and profiles read the delivery like this")
	p.shows("1 set by hand")
	p.until(`document.querySelectorAll('.setting .sure').length > 5`)
	p.do(chromedp.Click(`//nav[contains(@class,"stations")]//a[contains(., "Profile")]`))
	p.shows("The layout was changed since the last profile")
}

// A run is followed over the end of its service to its own.
func TestRunOutlastsTheService(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	var large strings.Builder
	for large.WriteString("a,b\n"); large.Len() < 60e6; {
		large.WriteString("some text that takes room,and some more of it\n")
	}
	d, err := s.Client.AddDelivery(t.Context(), "large.csv", strings.NewReader(large.String()))
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID))
	p.shows("No target is known yet")
	var r api.Run // behind others, so that there is time to stop the service under it
	for range 12 {
		r, err = s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
	}
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "?run=" + r.ID))
	p.do(chromedp.WaitVisible(`section[aria-label="Progress"]`))
	require.NoError(t, s.Stop())
	p.shows("The service does not answer.")
	servicetest.StartWith(t, s.Data, func(c *service.Config) {
		c.Console, c.Listen = console.Handler(), strings.TrimPrefix(s.Address, "http://")
	})
	p.until(`document.body.innerText.includes('No row was rejected.')`)
	p.until(`!document.body.innerText.includes('does not answer')`)
}

// Everything that is chosen stands in the address, and what it names in vain is said.
func TestAddresses(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	text, err := demo.Target(m.Target)
	require.NoError(t, err)
	_, err = s.Client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	s.Register(t)
	text, err = demo.Mapping(m.Mapping)
	require.NoError(t, err)
	_, err = s.Client.AddMapping(t.Context(), text)
	require.NoError(t, err)
	id := p.reading(s, m.Name, m.Bytes)
	var runs []string
	for _, mapping := range []string{m.Mapping, ""} {
		r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: id, Mapping: mapping})
		require.NoError(t, err)
		_, err = s.Client.Follow(t.Context(), r.ID, nil)
		require.NoError(t, err)
		runs = append(runs, r.ID)
	}
	of := s.Address + "/deliveries/" + id

	p.do(chromedp.Navigate(of))
	p.shows("21 rows")
	p.do(chromedp.Click(`//button[contains(., "moisture_pct") and contains(., "type.decimal")]`))
	p.shows("2 rows with type.decimal in moisture_pct")
	assert.Equal(t, "/deliveries/"+id+"?code=type.decimal&column=moisture_pct", p.address())
	p.do(chromedp.Reload())
	p.shows("2 rows with type.decimal in moisture_pct")
	p.do(chromedp.NavigateBack())
	p.shows("21 rows")
	p.do(chromedp.Navigate(of + "?run=" + runs[1]))
	p.shows("no target")
	p.until(`document.querySelector('.sum')?.innerText.includes('236 accepted') || document.querySelector('.verdict') !== null`)
	assert.NotContains(t, p.text(".violations"), "moisture_pct", "the run in the address is shown")
	p.do(chromedp.Navigate(of + "?run=none&code=type.decimal&column=weight"))
	p.shows("This delivery has no run “none”; the one that its state comes from is shown.")
	p.shows("This run has no violation “type.decimal” in “weight”; all rejected rows are shown.")
	p.do(chromedp.Navigate(of + "?page=7"))
	p.shows("There is no page 7.")

	// What was flagged or blanked shows its cells, as delivered and as accepted.
	p.do(chromedp.Navigate(of))
	p.shows("21 rows")
	p.do(chromedp.Click(`//li//button[.//span[contains(@class,"flag")]]`))
	p.shows("Flagged, and taken as they are")
	p.accessible("the cells that were flagged")
	p.do(chromedp.Click(`//section[contains(@class,"rejects")]//td[1]//a`))
	p.until(`document.querySelector('.row.marked') !== null`)
	assert.Regexp(t, `/reading\?row=\d+`, p.address())

	// The Reading station: a row, the text as delivered, the last rows, undo in place.
	p.do(chromedp.Navigate(of + "/reading?row=94&text=delivered"))
	p.until(`document.querySelector('.row.marked .under')?.innerText.includes('Anhänger')`)
	p.do(chromedp.Click(`//button[contains(., "Last rows")]`))
	p.until(`document.querySelector('.scroller').innerText.includes('Summe')`)
	p.until(`!document.querySelector('.scroller').innerText.includes('reading…')`)
	p.until(`document.querySelector('.row.apart:last-child')?.innerText.includes('below')`)
	p.do(chromedp.SendKeys("#go-to-row", "120"+kb.Enter))
	p.until(`document.querySelector('.row.marked .place')?.innerText === '120'`)
	p.until(`!document.querySelector('.scroller').innerText.includes('reading…')`)
	const top = `Math.round(document.querySelector('.scroller').scrollTop)`
	at := p.js(`String(` + top + `)`)
	assert.NotEqual(t, "0", at)
	p.do(chromedp.Click(`//div[contains(@class,"setting")][.//label[text()="Leave out blanks around cells"]]//*[contains(@class,"el-switch__core")]`))
	p.shows("1 set by hand")
	p.do(chromedp.Click(`//button[contains(., "Undo")]`))
	p.shows("all detected")
	p.until(`String(` + top + `) === '` + at + `'`) // undo leaves the rows where they are
	p.do(chromedp.Reload())
	p.until(`document.querySelector('.row.marked .place')?.innerText === '120'`)
	p.do(chromedp.Navigate(of + "/reading?row=5000"))
	p.shows("There is no row 5\u202f000: the delivery has 240 rows.")
	p.do(chromedp.Navigate(of + "/reading?row=last"))
	p.shows("“last” is no row number.")
}

// Deliveries are found, named anew, described and deleted.
func TestDeliveriesInHand(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	for _, name := range []string{"dornau.csv", "colmitz.csv", "colmitz-again.csv"} {
		_, err := s.Client.AddDelivery(t.Context(), name, strings.NewReader("a,b\n1,"+name[:4]+"\n"))
		require.NoError(t, err)
	}
	_, err := s.Client.AddDelivery(t.Context(), "scan.csv", strings.NewReader("%PDF-1.7\n"))
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address))
	p.shows("4 files have arrived")
	p.shows("the file is a PDF document, not a table; ask the sender for the table itself, as CSV or XLSX")
	p.do(chromedp.SendKeys(`input[aria-label="Find deliveries by name or note"]`, "COLM"))
	p.shows("2 deliveries found")
	assert.Equal(t, "/?find=COLM", p.address())
	p.do(chromedp.Click(`//a[text()="repeat"]`))
	p.until(`document.querySelector('h1').innerText === 'colmitz.csv'`)
	p.do(chromedp.NavigateBack())
	p.shows("2 deliveries found")
	p.do(chromedp.Reload())
	p.shows("2 deliveries found")
	p.do(chromedp.SendKeys(`input[aria-label="Find deliveries by name or note"]`, "x"))
	p.shows("No delivery is like this")
	p.accessible("nothing found")
	p.do(chromedp.Click(`//button[contains(., "Show all")]`))
	p.shows("4 files have arrived")
	p.choose(".state", "refused")
	p.shows("1 delivery found")
	p.do(chromedp.Click(`//a[text()="scan.csv"]`))
	p.shows("This is no table")
	p.accessible("a delivery that is no table")
	p.do(chromedp.Navigate(s.Address + "/?state=lost"))
	p.shows("There is no state “lost”; all deliveries are shown.")
	p.do(chromedp.Navigate(s.Address + "/?page=9"))
	p.shows("There is no page 9")

	p.do(chromedp.Navigate(s.Address))
	p.shows("dornau.csv")
	menu := func(name, what string) {
		p.do(chromedp.Click(fmt.Sprintf(`[aria-label="Name, note or delete %s"]`, name)))
		p.until(`document.activeElement.closest('.menu') !== null`) // it stands where it is to stand
		p.do(chromedp.Click(fmt.Sprintf(`//div[.//button[@role="menuitem"] and @id=//button[@aria-label="Name, note or delete %s"]/@popovertarget]`+
			`//button[contains(., %q)]`, name, what)))
	}
	menu("dornau.csv", "Name and note")
	p.until(`document.querySelector('dialog[open] textarea') !== null`)
	p.rests()
	p.js(`(document.querySelector('dialog[open] textarea').focus(), '')`)
	p.do(chromedp.KeyEvent("asked for a better one"))
	p.accessible("name and note")
	p.js(`(document.querySelector('dialog[open] input').focus(), '')`)
	p.do(chromedp.KeyEvent(kb.End+".old"),
		chromedp.Click(`//form[contains(@class,"words")]//button[contains(., "Save")]`))
	p.shows("asked for a better one")
	p.shows("dornau.csv.old")
	p.rests()
	menu("colmitz.csv", "Delete")
	p.shows("colmitz.csv is deleted with its runs, their outputs, its profiles and drafts.")
	p.rests()
	p.do(chromedp.Click(`//button[contains(., "Keep it")]`))
	p.rests()
	menu("colmitz.csv", "Delete")
	p.shows("colmitz.csv is deleted with")
	p.rests()
	p.do(chromedp.Click(`//button[contains(., "Delete it")]`))
	p.until(`!document.body.innerText.includes('colmitz.csv')`)
	p.shows("3 files have arrived")
	p.until(`!document.body.innerText.includes('repeat')`) // the second of its kind is the first now
}

// The keyboard leads past the settings, into what opens, and out of it.
func TestKeyboard(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	id := p.reading(s, m.Name, m.Bytes)
	p.shows("240 rows, 16 columns")
	p.do(chromedp.Focus(".skip"))
	p.until(`document.querySelector('.skip').getBoundingClientRect().width > 20`)
	p.do(chromedp.KeyEvent(kb.Enter))
	p.until(`document.activeElement.id === 'rows'`)

	p.do(chromedp.Navigate(s.Address + "/deliveries/" + id + "/profile"))
	p.shows("240 rows of 16 columns")
	p.do(chromedp.Focus(`//li[contains(., "nearly tells rows apart")]//button[@class="link"]`),
		chromedp.KeyEvent(kb.Enter))
	p.until(`document.activeElement.classList.contains('behind')`)
	p.do(chromedp.KeyEvent(kb.Escape))
	p.until(`document.querySelector('.behind') === null`)
	p.do(chromedp.Focus(button("Mend it")), chromedp.KeyEvent(kb.Enter))
	p.until(`document.activeElement.classList.contains('beginning')`)
	p.do(chromedp.KeyEvent(kb.Escape))
	p.until(`document.querySelector('.beginning') === null`)

	// On a narrow page the rows stay in sight beside the setting that changes them.
	p.do(chromedp.EmulateViewport(480, 800), chromedp.Navigate(s.Address+"/deliveries/"+id+"/reading"))
	p.shows("240 rows, 16 columns")
	p.js(`(document.querySelector('#setting-fold').scrollIntoView({ block: 'center' }), '')`)
	p.until(`(r => r.top >= 0 && r.bottom <= innerHeight && r.height > 120)(document.querySelector('.scroller').getBoundingClientRect())`)
	p.until(`(r => r.top > 0 && r.bottom < innerHeight)(document.querySelector('#setting-fold').getBoundingClientRect())`)
	p.accessible("a narrow Reading station")
}
