package console_test

import (
	"encoding/json"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/console"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// fetched returns the status and the text of a request that a page makes.
func (p *page) fetched(address string) (answer struct {
	Status int
	Text   string
}) {
	p.t.Helper()
	text, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](
		"fetch('"+address+"').then(async (r) => JSON.stringify({ Status: r.status, Text: await r.text() }), (e) => "+
			"JSON.stringify({ Text: String(e) }))",
		chromedp.EvalAwaitPromise))
	require.NoError(p.t, err)
	require.NoError(p.t, json.Unmarshal([]byte(text), &answer))
	return answer
}

// A page of another site may let its own name point at this machine. The browser
// then takes the service for that site; the service does not answer under the name.
func TestAForeignNameSeesNothing(t *testing.T) {
	t.Parallel()
	s := servicetest.Start(t, "", console.Handler())
	_, err := s.Client.AddDelivery(t.Context(), "secret-tickets.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)
	at, err := url.Parse(s.Address)
	require.NoError(t, err)
	p := open(t, chromedp.Flag("host-resolver-rules", "MAP elsewhere.example 127.0.0.1"))
	foreign := "http://elsewhere.example:" + at.Port()
	p.do(chromedp.Navigate(foreign + "/"))
	p.shows("does not answer under the name")
	for _, path := range []string{"/", "/api/v1/deliveries", "/api/openapi.json", "/metrics", "/healthz", "/nothing"} {
		got := p.fetched(foreign + path)
		assert.Equal(t, 421, got.Status, path)
		assert.NotContains(t, got.Text, "secret-tickets", path)
	}
	// Under its own name the same browser sees it, and from there alone.
	p.do(chromedp.Navigate(s.Address + "/"))
	p.shows("secret-tickets.csv")
	assert.Equal(t, 200, p.fetched(s.Address+"/api/v1/deliveries").Status)
}

// A service with a token shows no data without it; the console asks for it, keeps it
// for links and events too, and the client sends it.
func TestTheConsoleAsksForTheToken(t *testing.T) {
	t.Parallel()
	const token = "a long and secret token"
	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Console = console.Handler()
		c.Token = token
	})
	_, err := s.Client.Deliveries(t.Context(), "", "", 0, 1)
	require.ErrorContains(t, err, "asks for its token")
	known := client.New(s.Address, token)
	d, err := known.AddDelivery(t.Context(), "secret-tickets.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err)

	p := open(t)
	p.do(chromedp.Navigate(s.Address + "/"))
	p.shows("This service asks for its token")
	p.accessible("the form for the token")
	assert.NotContains(t, p.text("body"), "secret-tickets")
	assert.Equal(t, 401, p.fetched("/api/v1/deliveries").Status)
	p.do(chromedp.SendKeys("#token", "a guess"), chromedp.Click(`//button[contains(., "Go on")]`))
	p.shows("This is not the service’s token")
	p.do(chromedp.SendKeys("#token", strings.Repeat(kb.Backspace, len("a guess"))+token),
		chromedp.Click(`//button[contains(., "Go on")]`))
	p.shows("secret-tickets.csv")

	// A run is followed by its events, and its outputs are links.
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID))
	run, err := known.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	_, err = known.Follow(t.Context(), run.ID, nil)
	require.NoError(t, err)
	p.do(chromedp.Reload())
	p.shows("accepted")
	assert.Equal(t, 200, p.fetched("/api/v1/runs/"+run.ID+"/outputs/accepted.csv").Status)
	cookie, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](`document.cookie`))
	require.NoError(t, err)
	assert.Empty(t, cookie, "scripts do not see the session")

	// Who signs out sees nothing any more, also after coming back.
	p.do(chromedp.Click(`//button[contains(., "Sign out")]`))
	p.shows("This service asks for its token")
	assert.Equal(t, 401, p.fetched("/api/v1/runs/"+run.ID+"/outputs/accepted.csv").Status)
	p.do(chromedp.Navigate(s.Address + "/deliveries/" + d.ID))
	p.shows("This service asks for its token")
	assert.NotContains(t, p.text("body"), "secret-tickets")
}
