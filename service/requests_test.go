package service_test

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// ask makes a request and returns its answer with the whole body.
func (s *kit) ask(t *testing.T, method, path, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), method, s.Address+path, strings.NewReader(body))
	require.NoError(t, err)
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(text)
}

func TestRequests(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	m := demo.Ahrensee()
	d := s.AddDemo(t, m)
	const octets = "application/octet-stream"

	t.Run("an envelope around a file is not stored", func(t *testing.T) {
		before, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		for _, headers := range [][]string{
			{"Content-Type", "multipart/form-data; boundary=x"},
			{"Content-Type", "Multipart/Mixed; boundary=x"},
			{"Content-Type", "application/x-www-form-urlencoded"},
			{"Content-Type", octets, "Content-Encoding", "gzip"},
			{"Content-Type", octets, "Content-Encoding", "br"},
		} {
			resp, text := s.ask(t, http.MethodPost, "/api/v1/deliveries?name=a.csv", "a,b\n1,2\n", headers...)
			assert.Equal(t, http.StatusUnsupportedMediaType, resp.StatusCode, headers)
			assert.Contains(t, text, "send the file's bytes as they are", headers)
		}
		after, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		assert.Equal(t, before.Total, after.Total)
		for _, headers := range [][]string{
			{}, {"Content-Type", "text/csv"}, {"Content-Type", octets, "Content-Encoding", "identity"},
			{"Content-Type", "odd;;"},
		} {
			resp, text := s.ask(t, http.MethodPost, "/api/v1/deliveries?name=a.csv", "a,b\n1,2\n", headers...)
			assert.Equal(t, http.StatusCreated, resp.StatusCode, "%v %s", headers, text)
		}
	})

	t.Run("a parameter that a route does not have is refused", func(t *testing.T) {
		_, text := s.ask(t, http.MethodGet, "/api/openapi.json", "")
		var document struct {
			Paths map[string]map[string]any
		}
		require.NoError(t, json.Unmarshal([]byte(text), &document))
		asked := 0
		for path, methods := range document.Paths {
			for method := range methods {
				resp, text := s.ask(t, strings.ToUpper(method), path+"?phase=failed", "")
				assert.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode, "%s %s: %s", method, path, text)
				assert.Contains(t, text, `there is no query parameter \"phase\"`, path)
				asked++
			}
		}
		assert.Greater(t, asked, 20)
	})

	r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: m.Mapping})
	require.NoError(t, err)
	r, err = s.Client.Follow(ctx, r.ID, nil)
	require.NoError(t, err)

	t.Run("a filter of what is not there is an error", func(t *testing.T) {
		for path, status := range map[string]int{
			"/runs?delivery=nothing":                                   404,
			"/runs?delivery=" + d.ID:                                   200,
			"/runs/" + r.ID + "/rejects?code=row.odd":                  422,
			"/runs/" + r.ID + "/rejects?code=date.format":              200,
			"/runs/" + r.ID + "/rejects?column=nothing":                404,
			"/runs/" + r.ID + "/rejects?column=" + r.Columns[0].Column: 200,

			"/runs/" + r.ID + "/rows":                                                        200,
			"/runs/" + r.ID + "/rows?side=rejected&last=true&limit=1":                        200,
			"/runs/" + r.ID + "/rows?limit=0":                                                200,
			"/runs/" + r.ID + "/rows?offset=99999999":                                        200,
			"/runs/" + r.ID + "/rows?where=net_kg+atLeast+1&where=crop+filled":               200,
			"/runs/" + r.ID + "/rows?columns=crop&columns=crop":                              200,
			"/runs/" + r.ID + "/rows?sort=net_kg+descending&sort=crop&offset=3":              200,
			"/runs/" + r.ID + "/rows?side=flagged":                                           200,
			"/runs/" + r.ID + "/rows?side=lost":                                              422,
			"/runs/" + r.ID + "/rows/1/place":                                                200,
			"/runs/" + r.ID + "/rows/0/place":                                                422,
			"/runs/" + r.ID + "/rows/100000/place":                                           422,
			"/runs/nothing/rows/1/place":                                                     404,
			"/runs/" + r.ID + "/marks?rows=1&rows=2":                                         200,
			"/runs/" + r.ID + "/marks?rows=none":                                             422,
			"/runs/" + r.ID + "/marks":                                                       422,
			"/runs/nothing/became":                                                           404,
			"/runs/draft-nothing/rows":                                                       404,
			"/runs/draft-nothing/marks?rows=1":                                               404,
			"/runs/draft-nothing/rows/1":                                                     404,
			"/runs/" + r.ID + "/rows?limit=1001":                                             422,
			"/runs/" + r.ID + "/rows?offset=-1":                                              422,
			"/runs/" + r.ID + "/rows?where=net_kg+atLeast+viel":                              422,
			"/runs/" + r.ID + "/rows?where=net_kg":                                           422,
			"/runs/" + r.ID + "/rows?where=nothing+empty":                                    422,
			"/runs/" + r.ID + "/rows?sort=nothing":                                           422,
			"/runs/" + r.ID + "/rows?sort=crop&offset=100000":                                422,
			"/runs/" + r.ID + "/rows?columns=nothing":                                        422,
			"/runs/" + r.ID + "/rows?where=" + strings.Repeat("crop+empty&where=", 50) + "a": 422,
			"/runs/nothing/rows":                                                             404,
			"/runs/nothing/values?column=crop":                                               404,
			"/runs/" + r.ID + "/values?column=crop":                                          200,
			"/runs/" + r.ID + "/values?column=crop&limit=0":                                  200,
			"/runs/" + r.ID + "/values?column=nothing":                                       422,
			"/runs/" + r.ID + "/values":                                                      422,
			"/runs/" + r.ID + "/values?column=crop&limit=1001":                               422,
		} {
			resp, text := s.ask(t, http.MethodGet, "/api/v1"+path, "")
			assert.Equal(t, status, resp.StatusCode, "%s: %s", path, text)
		}
	})

	t.Run("all faults of a layout are said, with their places", func(t *testing.T) {
		const odd = `{"form":"delimited","delimiter":";","quoteChar":";","headerRows":-1,"fold":20000,"encoding":"odd"}`
		for path, body := range map[string]string{
			"/runs":                               `{"delivery":"` + d.ID + `","layout":` + odd + `}`,
			"/deliveries/" + d.ID + "/reading":    `{"layout":` + odd + `}`,
			"/deliveries/" + d.ID + "/layout PUT": odd,
		} {
			path, method, _ := strings.Cut(path, " ")
			if method == "" {
				method = http.MethodPost
			}
			resp, text := s.ask(t, method, "/api/v1"+path, body, "Content-Type", "application/json")
			assert.Equal(t, http.StatusUnprocessableEntity, resp.StatusCode, "%s: %s", path, text)
			for _, setting := range []string{"quoteChar", "headerRows", "fold", "encoding"} {
				assert.Regexp(t, `"location":"(body\.)?layout\.`+setting+`"`, text, path)
			}
		}
	})

	t.Run("what a run was read as can be given back", func(t *testing.T) {
		_, text := s.ask(t, http.MethodGet, "/api/v1/runs/"+r.ID, "")
		var shown struct{ ReadAs json.RawMessage }
		require.NoError(t, json.Unmarshal([]byte(text), &shown))
		resp, text := s.ask(t, http.MethodPost, "/api/v1/runs",
			`{"delivery":"`+d.ID+`","mapping":"`+m.Mapping+`","layout":`+string(shown.ReadAs)+`}`,
			"Content-Type", "application/json")
		require.Equal(t, http.StatusAccepted, resp.StatusCode, text)
		var again api.Run
		require.NoError(t, json.Unmarshal([]byte(text), &again))
		again, err := s.Client.Follow(ctx, again.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, r.ReadAs, again.ReadAs)
		assert.Equal(t, r.Tally, again.Tally)
	})

	t.Run("HEAD is GET without a body", func(t *testing.T) {
		for _, path := range []string{"/deliveries", "/deliveries/" + d.ID + "/content", "/runs/" + r.ID + "/events",
			"/runs/" + r.ID + "/outputs/accepted.csv", "/healthz", "/deliveries/nothing"} {
			got, _ := s.ask(t, http.MethodGet, "/api/v1"+path, "")
			head, body := s.ask(t, http.MethodHead, "/api/v1"+path, "")
			assert.Equal(t, got.StatusCode, head.StatusCode, path)
			assert.Equal(t, got.Header.Get("Content-Type"), head.Header.Get("Content-Type"), path)
			assert.Empty(t, body)
		}
	})

	t.Run("a file's SHA-256 is given where it is asked for", func(t *testing.T) {
		for _, path := range []string{"/runs/" + r.ID + "/outputs/rejected.csv", "/deliveries/" + d.ID + "/content"} {
			resp, text := s.ask(t, http.MethodGet, "/api/v1"+path, "", "Want-Repr-Digest", "sha-256=1")
			sum := sha256.Sum256([]byte(text))
			assert.Equal(t, "sha-256=:"+base64.StdEncoding.EncodeToString(sum[:])+":", resp.Header.Get("Repr-Digest"),
				path)
			resp, _ = s.ask(t, http.MethodGet, "/api/v1"+path, "")
			assert.Empty(t, resp.Header.Get("Repr-Digest"))
		}
	})
}

// A delivery's state is the verdict of its last run to an end with a target.
func TestDeliveryState(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	for _, text := range []string{
		"target: fits\ncolumns: [{name: a}, {name: b}]\n",
		"target: narrow\ncolumns: [{name: a, datatype: date, format: dd.MM.yyyy}, {name: b}]\n",
		"target: other\ncolumns: [{name: c, required: true}]\n",
	} {
		_, err := s.Client.AddTarget(ctx, []byte(text))
		require.NoError(t, err)
	}
	unreadable := &layout.Given{Form: ptr("workbook")} // a run of it fails
	type step struct {
		target string
		layout *layout.Given
	}
	for name, c := range map[string]struct {
		steps  []step
		state  string
		run    int // of the steps, from 1; 0 for none
		newest int
	}{
		"no run":                      {nil, "arrived", 0, 0},
		"without a target":            {[]step{{}}, "arrived", 0, 1},
		"accepted":                    {[]step{{target: "fits"}}, "accepted", 1, 0},
		"refused":                     {[]step{{target: "narrow"}}, "refused", 1, 0},
		"failed":                      {[]step{{"fits", unreadable}}, "failed", 1, 0},
		"failed without a target":     {[]step{{"", unreadable}}, "arrived", 0, 1},
		"the newer verdict counts":    {[]step{{target: "fits"}, {target: "narrow"}}, "refused", 2, 0},
		"a later failure beside":      {[]step{{target: "fits"}, {"fits", unreadable}}, "accepted", 1, 2},
		"a later plain run beside":    {[]step{{target: "narrow"}, {}}, "refused", 1, 2},
		"a verdict after a failure":   {[]step{{"fits", unreadable}, {target: "fits"}}, "accepted", 2, 0},
		"failed, then without":        {[]step{{"fits", unreadable}, {}}, "arrived", 0, 2},
		"a failure after a plain run": {[]step{{}, {"fits", unreadable}}, "failed", 2, 0},
	} {
		d, err := s.Client.AddDelivery(ctx, name+".csv", strings.NewReader("a,b\n1,x\n2,y\n3,z\n"))
		require.NoError(t, err)
		ids := []string{""}
		for _, step := range c.steps {
			r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: step.target, Layout: step.layout})
			require.NoError(t, err)
			r, err = s.Client.Follow(ctx, r.ID, nil)
			require.NoError(t, err)
			assert.Equal(t, step.layout != nil, r.State == "failed", name)
			ids = append(ids, r.ID)
		}
		one, err := s.Client.Delivery(ctx, d.ID)
		require.NoError(t, err)
		listed, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		for _, d := range []api.Delivery{one, listed.Items[0]} {
			assert.Equal(t, c.state, d.State, name)
			id := func(r *api.RunHead) string {
				if r == nil {
					return ""
				}
				return r.ID
			}
			assert.Equal(t, []string{ids[c.run], ids[c.newest]}, []string{id(d.Run), id(d.Newest)}, name)
		}
	}
}

// A stream of events that ends before its run says why.
func TestEventsEnd(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	d := s.Large(t, 60e6)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	resp, err := http.Get(s.Address + "/api/v1/runs/" + r.ID + "/events")
	require.NoError(t, err)
	defer resp.Body.Close()
	events := bufio.NewReader(resp.Body)
	first, err := events.ReadString('\n')
	require.NoError(t, err)
	assert.Equal(t, "event: run\n", first)
	followed := make(chan error, 1)
	started := make(chan struct{}, 1000)
	go func() {
		_, err := s.Client.Follow(context.Background(), r.ID, func(api.Run) { started <- struct{}{} })
		followed <- err
	}()
	<-started
	require.NoError(t, s.Stop())
	rest, _ := io.ReadAll(events)
	last := bytes.TrimSpace(rest[bytes.LastIndex(rest, []byte("event: ")):])
	assert.Equal(t, "event: ended\ndata: {\"reason\":\"the service stops; the run goes on when it is started again\"}",
		string(last))
	assert.ErrorContains(t, <-followed,
		"the service stops; the run goes on when it is started again; see sieb runs show "+r.ID)
}
