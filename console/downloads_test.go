package console_test

import (
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

// Accepted rows are had in any form; what a form cannot hold is said where it was asked for.
func TestAcceptedRowsInAnotherForm(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	_, err := s.Client.AddTarget(t.Context(), []byte("target: loads\n"+
		"columns: [{name: no}, {name: kg, datatype: integer}]\n"))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(t.Context(), []byte("mapping: silo\ntarget: loads\noutputs: [{form: jsonl}]\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader("no,kg\nŁódź,1\nB,x\n"))
	require.NoError(t, err)
	run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Mapping: "silo"})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), run.ID, nil)
	require.NoError(t, err)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID))
	p.shows("accepted.jsonl")
	p.do(chromedp.Click(button("in another form")))
	p.shows("1 row, as the run accepted them.")
	p.do(chromedp.Click(`//label[contains(., "Delimited text")]`), chromedp.WaitVisible("#rows-encoding"))
	p.accessible("accepted rows in another form")
	p.do(chromedp.SendKeys("#rows-encoding", strings.Repeat(kb.Backspace, len("utf-8"))+"windows-1252"),
		chromedp.Click(button("Download accepted-delimited.csv")))
	p.shows("the character 'Ł' (U+0141), for line 2 of the output, is not in windows-1252")
	p.do(chromedp.Evaluate[chromedp.Void](
		`HTMLAnchorElement.prototype.click = function () { window.fetched = this.href }; undefined`),
		chromedp.Click(`//label[contains(., "Parquet")]`), chromedp.Click(button("Download accepted.parquet")))
	p.until(`window.fetched !== undefined`)
	assert.Contains(t, p.text("body"), "Violations")
	link, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](`window.fetched`))
	require.NoError(t, err)
	assert.Contains(t, link, "/rows/written?form=parquet&header=names&codes=code")
}
