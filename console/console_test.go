package console_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// patience is how long a page may take, also on a slow machine that does other things as well.
const patience = 2 * time.Minute

// page is a tab of headless Chromium.
type page struct {
	t   *testing.T
	ctx context.Context
}

func open(t *testing.T, flags ...chromedp.ExecAllocatorOption) *page {
	t.Helper()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"),
		chromedp.NoSandbox)
	options = append(options, flags...)
	ctx, stop := chromedp.NewExecAllocator(t.Context(), options...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(ctx)
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, 10*time.Minute)
	t.Cleanup(stop)
	p := &page{t, ctx}
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800))) // starts the browser, with this context
	return p
}

// tab opens another tab of the same browser.
func (p *page) tab() *page {
	p.t.Helper()
	ctx, stop := chromedp.NewContext(p.ctx)
	p.t.Cleanup(stop)
	other := &page{p.t, ctx}
	require.NoError(p.t, chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)))
	return other
}

func (p *page) do(steps ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	require.NoError(p.t, chromedp.Do(ctx, steps...))
}

func (p *page) text(selector string) string {
	p.t.Helper()
	text, err := chromedp.Run(p.ctx, chromedp.Text(selector))
	require.NoError(p.t, err, selector)
	return text
}

// poll waits until an expression holds, on a page that is just going or on the
// next.
func poll(ctx context.Context, expression string) error {
	for {
		_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression, chromedp.WithPollingInterval(100*time.Millisecond),
			chromedp.WithPollingTimeout(patience)))
		if err == nil || !strings.Contains(err.Error(), "Cannot find context") {
			return err
		}
	}
}

// shows waits until some text stands on the page.
func (p *page) shows(text string) {
	p.t.Helper()
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	quoted, err := json.Marshal(text)
	require.NoError(p.t, err)
	if err := poll(ctx, fmt.Sprintf("document.body.innerText.includes(%s)", quoted)); err != nil {
		body, _ := chromedp.Run(p.ctx, chromedp.Text("body"))
		require.NoError(p.t, err, "waiting for %q on:\n%s", text, body)
	}
}

// rests waits until nothing on the page moves.
func (p *page) rests() {
	p.t.Helper()
	_, err := chromedp.Run(p.ctx, chromedp.Poll[bool](`document.getAnimations().length === 0`,
		chromedp.WithPollingTimeout(patience)))
	require.NoError(p.t, err)
}

// accessible runs axe-core over the page as it stands.
func (p *page) accessible(what string) {
	p.t.Helper()
	p.rests()
	script, err := os.ReadFile("node_modules/axe-core/axe.min.js")
	require.NoError(p.t, err)
	_, err = chromedp.Run(p.ctx, chromedp.Evaluate[chromedp.Void](string(script)+";undefined"))
	require.NoError(p.t, err)
	found, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](
		`axe.run(document, {resultTypes: ["violations"]}).then(r => r.violations.map(v => v.id + ": " +
			v.nodes.map(n => n.html + " " + n.failureSummary).join("\n   ")).join("\n"))`, chromedp.EvalAwaitPromise))
	require.NoError(p.t, err)
	assert.Empty(p.t, found, "axe-core on %s", what)
}

func write(t *testing.T, name string, text []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, text, 0o600))
	return path
}

func TestNotBuilt(t *testing.T) {
	answer := httptest.NewRecorder()
	console.Handler().ServeHTTP(answer, httptest.NewRequest("GET", "/deliveries/x", nil))
	assert.Equal(t, 200, answer.Code)
	assert.Contains(t, answer.Body.String(), "<title>Sieb</title>",
		"the built page, or the one that says that none was built")
}

// A steward hands in a file, adds its target, runs it, reads the verdict and
// the rejected rows, and takes the outputs.
func TestFromFileToVerdict(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	m := demo.Ahrensee()
	targetText, err := demo.Target(m.Target)
	require.NoError(t, err)

	p.do(chromedp.Navigate(s.Address))
	p.shows("Nothing has arrived yet")
	p.accessible("the empty list")

	p.do(chromedp.SetUploadFiles(`input[aria-label="Files to upload"]`, []string{write(t, m.Name, m.Bytes)}))
	p.shows("not yet sifted")
	p.do(chromedp.Click(".uploads a"))
	p.shows("No target is known yet")
	p.accessible("a delivery that was not run")
	s.Register(t)
	p.do(chromedp.Click(`//a[contains(., "the Rules station")]`))
	p.shows("Which table are these rows meant for?")

	const upload = `input[aria-label="File of a target or mapping"]`
	p.do(chromedp.SetUploadFiles(upload, []string{write(t, "wrong.yaml",
		[]byte("target: t\ncolums: []\n"))}))
	p.shows(`a target has no property "colums"; did you mean "columns"?`)
	_, err = s.Client.AddTarget(t.Context(), targetText)
	require.NoError(t, err)
	mapping, err := demo.Mapping(m.Mapping)
	require.NoError(t, err)
	wrong := strings.Replace(string(mapping), "from: Date", "fom: Date", 1)
	p.do(chromedp.SetUploadFiles(upload, []string{write(t, "wrong.yaml", []byte(wrong))}))
	p.shows(`a column of a mapping has no property "fom"; did you mean "from"?`)
	p.do(chromedp.SetUploadFiles(upload, []string{write(t, "mapping.yaml", mapping)}))
	p.shows("ahrensee: Weighbridge of Ahrensee")
	p.shows("weighbridge_tickets: Weighbridge tickets")
	p.do(chromedp.Click(button("Work on its rules")))
	p.tally(219, 21, 0)
	p.do(chromedp.Click(`//button[normalize-space()="Sift"]`)) // nothing has changed, so that there is nothing to save
	p.shows("240 read")
	assert.Contains(t, p.text(".verdict"), "split")
	assert.Contains(t, p.text(".sum"), "219 accepted")
	assert.Contains(t, p.text(".sum"), "21 rejected")
	p.shows("21 rows")
	p.accessible("a result")

	p.do(chromedp.Click(`//button[contains(., "moisture_pct") and contains(., "type.decimal")]`))
	p.shows("2 rows with type.decimal in moisture_pct")
	p.shows(`"feucht" is not a number such as 1.234,5`)
	marked, err := chromedp.Run(p.ctx,
		chromedp.Evaluate[[]string](`[...document.querySelectorAll("td.wrong")].map(c => c.innerText)`))
	require.NoError(t, err)
	assert.Equal(t, []string{"feucht", "14.5"}, marked, "the offending cells are marked, and no others")
	p.do(chromedp.Click(".narrow .el-switch__core"))
	p.shows("Moisture %")
	p.accessible("the rows of a violation")

	folder := t.TempDir()
	p.do(chromedp.Func(func(ctx context.Context, tab *chromedp.Target) error {
		_, err := cdp.Call(ctx, tab, browser.SetDownloadBehavior,
			browser.SetDownloadBehaviorParams{Behavior: browser.SetDownloadBehaviorBehaviorAllow, DownloadPath: folder})
		return err
	}))
	const of = "weighbridge-ahrensee-2026-07."
	for _, name := range []string{"accepted.csv", "rejected.csv", "violations.csv", "manifest.json"} {
		p.do(chromedp.Click(fmt.Sprintf(`//a[@download and contains(., %q)]`, name)))
		servicetest.Await(t, name+" is downloaded", func() bool {
			_, err := os.Stat(filepath.Join(folder, of+name))
			return err == nil
		})
	}
	rejected, err := os.ReadFile(filepath.Join(folder, of+"rejected.csv"))
	require.NoError(t, err)
	assert.Equal(t, 22, strings.Count(string(rejected), "\n"))

	p.do(chromedp.Click(".theme"))
	p.accessible("a result in the dark")
}

func TestStates(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)

	p.do(chromedp.Navigate(s.Address + "/deliveries/none"))
	p.shows(`there is no delivery "none"`)
	p.shows("Try again")
	p.accessible("an error")
	p.do(chromedp.Navigate(s.Address + "/nowhere/at/all"))
	p.shows("There is nothing here")

	d, err := s.Client.AddDelivery(t.Context(), strings.Repeat("a-very-long-name-", 12)+".xlsx",
		strings.NewReader("PK\x03\x04"))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID))
	p.shows("a ZIP archive or a workbook")
	wide, err := chromedp.Run(p.ctx, chromedp.Evaluate[bool](`document.documentElement.scrollWidth > innerWidth`))
	require.NoError(t, err)
	assert.False(t, wide, "a long name does not widen the page")

	// Live: a file that arrives otherwise shows without a reload, and so does its end.
	p.do(chromedp.Navigate(s.Address))
	p.shows("1 file has arrived")
	live, err := s.Client.AddDelivery(t.Context(), "live.csv", strings.NewReader("a,b\n1,2\n3\n"))
	require.NoError(t, err)
	p.shows("live.csv")
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + live.ID))
	p.shows("No target is known yet")
	p.do(chromedp.Click(".choice"), chromedp.WaitVisible(`//li[contains(., "No target")]`))
	p.rests()
	p.do(chromedp.Click(`//li[contains(., "No target")]`))
	p.do(chromedp.Click(`//button[contains(., "Sift")]`))
	p.shows("the row has 1 cell, the table has 2 columns")

	// A narrow window.
	p.do(chromedp.EmulateViewport(400, 800), chromedp.Navigate(s.Address))
	p.shows("live.csv")
	wide, err = chromedp.Run(p.ctx, chromedp.Evaluate[bool](`document.documentElement.scrollWidth > innerWidth`))
	require.NoError(t, err)
	assert.False(t, wide, "the page fits a narrow window")
}

// Where a control value stands in a file of its own, the page asks which delivery that is.
func TestCompanionIsAskedFor(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: loads\ncolumns: [{name: no}, {name: kg, datatype: integer}]\n"+
		"controls: [{sum: kg, in: companion, find: 'kg=([0-9]+)'}]\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(ctx, "loads.csv", strings.NewReader("no,kg\n1,5\n2,7\n"))
	require.NoError(t, err)
	_, err = s.Client.AddDelivery(ctx, "totals.ctl", strings.NewReader("rows=2\nkg=13\n"))
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address+"/deliveries/"+d.ID), chromedp.WaitVisible("#target"))
	p.choose("#target", "loads")
	p.do(chromedp.Click(`//button[contains(., "Sift")]`))
	p.shows("deliver that file too, and name it here")
	p.do(chromedp.WaitVisible("#companion"))
	p.accessible("asking for the companion file")
	p.choose("#companion", "totals.ctl")
	p.do(chromedp.Click(`//button[contains(., "Sift")]`))
	p.shows("the sum of kg is 12, and totals.ctl says 13")
	p.shows("another sum than stated")
}
