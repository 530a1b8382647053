package console_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/demo"
	"sieb/service/servicetest"
)

// js evaluates an expression that gives a text.
func (p *page) js(expression string) string {
	p.t.Helper()
	text, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](expression))
	require.NoError(p.t, err, expression)
	return text
}

// until waits until an expression holds.
func (p *page) until(expression string) {
	p.t.Helper()
	require.NoError(p.t, poll(p.ctx, expression), expression)
}

const columnNames = `[...document.querySelectorAll('.head [role=columnheader].cell')].map(c => c.innerText).join('|')`

// reading opens the Reading station of a delivery.
func (p *page) reading(s *servicetest.Service, name string, content []byte) (id string) {
	p.t.Helper()
	d, err := s.Client.AddDelivery(p.t.Context(), name, bytes.NewReader(content))
	require.NoError(p.t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID + "/reading"))
	return d.ID
}

// A steward looks how a delivery reads, tries another setting, takes it back,
// sets one by hand and saves the layout; the next delivery takes it over.
func TestReadingStation(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	id := p.reading(s, m.Name, m.Bytes)
	p.shows("240 rows, 16 columns")
	p.shows("5; choose one to see its row")
	assert.True(t, strings.HasPrefix(p.js(columnNames), "Ticket No.|Date|Weighed at|"))
	p.accessible("the Reading station")

	p.do(chromedp.Click(`//div[contains(@class,"setting")][.//label[text()="Delimiter"]]//button[contains(., "comma")]`))
	p.shows("set by hand")
	p.until(columnNames + `.split('|').length < 10`)
	p.do(chromedp.Click(`//button[contains(., "Undo")]`))
	p.until(columnNames + `.split('|').length === 18`) // one row goes beyond the table
	p.shows("all detected")

	p.do(chromedp.Click(".tools .el-switch__core"))
	p.until(`document.querySelectorAll('.row .under .delimiter').length > 100`)
	p.accessible("the text as delivered")

	// A problem leads to its row.
	p.do(chromedp.Click(`//summary[contains(., "quote never closed")]`),
		chromedp.Click(`//li//button[contains(., "row 94")]`))
	p.until(`document.querySelector('.row.marked')?.innerText.includes('Anhänger steht noch')`)
	p.do(chromedp.Click(`//button[contains(., "Last rows")]`))
	p.shows("Summe")
	p.do(chromedp.Click(`//button[contains(., "First rows")]`))
	p.shows("Talfeld eG - Waage Ahrensee")

	p.do(chromedp.Click(`//button[contains(., "Save layout")]`))
	p.shows("Saved: runs and profiles read the delivery like this")
	p.shows("all detected")
	kept, err := s.Client.Delivery(t.Context(), id)
	require.NoError(t, err)
	assert.Equal(t, "windows-1252", *kept.Layout.Encoding)

	p.reading(s, "next.csv", []byte("a,b\n1,2\n3,4\n5,6\n"))
	p.shows("3 rows, 2 columns")
	p.do(chromedp.Click(".over .el-select"), chromedp.WaitVisible(`//li[contains(., "weighbridge-ahrensee")]`))
	p.rests()
	p.do(chromedp.Click(`//li[contains(., "weighbridge-ahrensee")]`))
	p.shows("Not saved: the changes are kept with the delivery")
	p.until(columnNames + ` === '3,4'`)
	p.do(chromedp.Click(`//button[contains(., "Detect all")]`))
	p.shows("3 rows, 2 columns")
}

// Cuts are moved on the ruler; with the keyboard, too.
func TestReadingFixedWidth(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Dornau()
	p.reading(s, m.Name, m.Bytes)
	p.shows("150 rows, 9 columns")
	p.accessible("fixed width")
	p.do(chromedp.Focus(`[aria-label="Cut 1"]`), chromedp.KeyEvent(kb.ArrowRight)) // arrow right
	p.until(`document.querySelector('[aria-label="Cut 1"]').getAttribute('aria-valuenow') === '12'`)
	p.until(`document.querySelector('[aria-label="Cuts"]').value.startsWith('12,')`)
	p.do(chromedp.Focus(`[aria-label="Cut 1"]`), chromedp.KeyEvent(kb.Delete)) // delete
	p.shows("150 rows, 8 columns")

	box := p.js(`(r => r.left + ' ' + (r.top + 10))(document.querySelector('[aria-label="Cut 1"]').getBoundingClientRect())`)
	var x, y float64
	_, err := fmt.Sscan(box, &x, &y)
	require.NoError(t, err)
	p.do(chromedp.MouseClickXY(x-60, y))
	p.shows("150 rows, 9 columns")
	p.do(chromedp.Click(`//button[contains(., "detect again")]`))
	p.until(`document.querySelector('[aria-label="Cut 1"]').getAttribute('aria-valuenow') === '11'`)

	// Three characters to the left, with the mouse.
	box = p.js(`(r => (r.left + 6) + ' ' + (r.top + 10))(document.querySelector('[aria-label="Cut 2"]').getBoundingClientRect())`)
	_, err = fmt.Sscan(box, &x, &y)
	require.NoError(t, err)
	width := 0.0
	_, err = fmt.Sscan(p.js(`String(document.querySelector('.probe').getBoundingClientRect().width / 10)`), &width)
	require.NoError(t, err)
	p.do(chromedp.MouseEvent(input.DispatchMouseEventTypeMousePressed, x, y, chromedp.ButtonLeft,
		chromedp.ClickCount(1)),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, x-width, y, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, x-3*width, y, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.DispatchMouseEventTypeMouseReleased, x-3*width, y, chromedp.ButtonLeft))
	p.until(`document.querySelector('[aria-label="Cuts"]').value.startsWith('11, 20,')`)
}

func TestReadingWorkbookAndArchive(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Laboratory()
	p.reading(s, m.Name, m.Bytes)
	p.shows("60 rows, 8 columns")
	p.shows("number stored as text")
	p.accessible("a workbook")
	p.do(chromedp.Click(`//div[@aria-label="Sheets"]//button[contains(., "Read me")]`))
	p.shows("Falling number: mean of two runs.")

	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, name := range []string{"a.csv", "b.csv"} {
		f, err := z.Create(name)
		require.NoError(t, err)
		_, err = f.Write([]byte("x,y\n1," + name + "\n"))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	id := p.reading(s, "both.zip", b.Bytes())
	p.shows("The archive holds 2 files")
	p.accessible("an archive")
	p.do(chromedp.Click(`//li[contains(., "b.csv")]//button`))
	p.shows("1 row, 2 columns")
	p.do(chromedp.Navigate(s.Address+"/deliveries/"+id+"/reading"),
		chromedp.Click(`//button[contains(., "Take each out")]`))
	p.shows("a.csv")
	p.shows("b.csv")

	p.reading(s, "old.xls", []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"+strings.Repeat("\x00", 600)))
	p.shows("the file is an old binary document; ask for it as XLSX or CSV")
	p.accessible("a delivery that cannot be read")
	p.reading(s, "empty.csv", nil)
	p.shows("Read like this, the delivery has no rows.")
}

// Ten thousand rows and more scroll, to any row, and columns beyond a hundred come in parts.
func TestReadingLarge(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	var text strings.Builder
	for k := range 250 {
		fmt.Fprintf(&text, "c%d,", k)
	}
	text.WriteString("last\n")
	for i := 1; i <= 10000; i++ {
		fmt.Fprintf(&text, "%d%s,x\n", i, strings.Repeat(",", 249))
	}
	p.reading(s, "large.csv", []byte(text.String()))
	p.shows("10\u202f000 rows, 251 columns")
	p.do(chromedp.SendKeys("#go-to-row", "7321\r"))
	p.until(`document.querySelector('.row.marked .cell')?.innerText === '7321'`)
	p.until(`document.querySelectorAll('.row').length < 60`)
	p.do(chromedp.Click(`[aria-label="Columns behind"]`))
	p.shows("columns 101 to 200 of 251")
	p.do(chromedp.EmulateViewport(420, 800))
	wide, err := chromedp.Run(p.ctx, chromedp.Evaluate[bool](`document.documentElement.scrollWidth > innerWidth`))
	require.NoError(t, err)
	assert.False(t, wide, "the page fits a narrow window")
}
