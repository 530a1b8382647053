package console_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/console"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// What remedies did to which values is seen where their counts are: few changes all of them, many
// as the most frequent with a rest, and too many to count as a sample that says so.
func TestChangesOfRemedies(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	p := open(t)
	_, err := s.Client.AddTarget(t.Context(), []byte("target: loads\ncolumns: [{name: site, remedies: [upper, trim]}, "+
		"{name: kg, datatype: decimal, decimalChar: ',', remedies: [number]}, {name: no, remedies: [{pad: 4}]}]\n"))
	require.NoError(t, err)
	var text strings.Builder
	text.WriteString("site;kg;no\n")
	for i := range 30_000 {
		fmt.Fprintf(&text, "%s;%d.%03d,5;%d\n", []string{" Dornau", "Dornau", "<b>Hof</b>"}[i%3], 9+i/1000, i%1000,
			i%100+100)
	}
	d, err := s.Client.AddDelivery(t.Context(), "loads.csv", strings.NewReader(text.String()))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "loads"})
	require.NoError(t, err)
	r, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	require.EqualValues(t, 30_000, r.Tally.Accepted)
	require.Len(t, r.Remedies, 4)
	require.Greater(t, r.Remedies[2].SampleRows, int64(0))
	of := s.Address + "/deliveries/" + d.ID

	p.do(chromedp.Navigate(of))
	p.shows("choose one to see before and after")
	p.do(chromedp.Click(`//button[contains(., "site") and contains(., "upper")]`))
	p.until(`document.querySelector('.changes')?.innerText.includes('<B>HOF</B>')`)
	assert.Equal(t, "/deliveries/"+d.ID+"?remedy=1", p.address())
	assert.Contains(t, p.text(".changes"), "·Dornau", "blanks are seen")
	assert.NotContains(t, p.text(".changes"), "less frequent")
	p.accessible("the changes of a remedy")
	p.do(chromedp.Reload())
	p.until(`document.querySelector('.changes')?.innerText.includes('<B>HOF</B>')`)
	p.do(chromedp.Click(`//button[contains(., "site") and contains(., "upper")]`))
	p.until(`document.querySelector('.changes') === null`)
	p.do(chromedp.NavigateBack())
	p.until(`document.querySelector('.changes') !== null`)

	p.do(chromedp.Navigate(of + "?remedy=4"))
	p.shows("15\u202f000 cells were changed in 50 less frequent ways.")
	p.until(`document.querySelectorAll('.changes tbody tr').length === 50`)
	p.do(chromedp.Navigate(of + "?remedy=3"))
	p.shows("A sample: the first " + strings.ReplaceAll(grouped(r.Remedies[2].SampleRows), " ", "\u202f") +
		" rows were looked at")
	p.do(chromedp.Navigate(of + "?remedy=9"))
	p.shows("This run has no remedy “9”.")
	p.do(chromedp.EmulateViewport(420, 800), chromedp.Navigate(of+"?remedy=1"))
	p.until(`document.querySelector('.changes')?.getBoundingClientRect().bottom <= innerHeight`)
	p.until(`document.documentElement.scrollWidth <= innerWidth`)
}

// grouped writes a number as pages do, with blanks between thousands.
func grouped(n int64) string {
	text := fmt.Sprint(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + " " + text[i:]
	}
	return text
}
