package service_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/report"
	"sieb/core/violation"
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

func TestService(t *testing.T) {
	s := &kit{servicetest.StartAlone(t, "", func(*service.Config) {})}
	ctx := t.Context()

	t.Run("planted truth", func(t *testing.T) {
		for _, m := range demo.All() {
			d := s.AddDemo(t, m)
			assert.Equal(t, "arrived", d.State)
			r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: m.Target, Mapping: m.Mapping})
			require.NoError(t, err)
			r, err = s.Client.Follow(ctx, r.ID, nil)
			require.NoError(t, err)
			assert.Equal(t, []int64{m.Read, m.Accepted, m.Rejected, m.Excluded}, []int64{r.Tally.Read, r.Tally.Accepted,
				r.Tally.Rejected, r.Tally.Excluded})
			want := map[string]int{}
			rejected := map[int64]bool{}
			for _, p := range m.Planted {
				want[p.Code.String()+" "+p.Column+" "+p.Action.String()]++
				if p.Action == violation.Reject {
					rejected[p.Row] = true
				}
			}
			got := map[string]int{}
			for _, g := range r.Violations {
				got[g.Code.String()+" "+g.Column+" "+g.Action.String()] = max(int(g.Rows), 1)
			}
			assert.Equal(t, want, got)

			rejects, err := s.Client.Rejects(ctx, r.ID, "", "", 0, 1000)
			require.NoError(t, err)
			assert.Equal(t, int(m.Rejected), rejects.Total)
			for _, row := range rejects.Items {
				assert.True(t, rejected[row.Row], "row %d", row.Row)
				assert.NotEmpty(t, row.Violations)
			}
			planted := m.Planted[slices.IndexFunc(m.Planted,
				func(p demo.Planted) bool { return p.Action == violation.Reject })]
			one, err := s.Client.Rejects(ctx, r.ID, planted.Column, planted.Code.String(), 0, 0)
			require.NoError(t, err)
			assert.Equal(t, planted.Row, one.Items[0].Row)
			assert.Less(t, one.Total, rejects.Total)

			again, err := s.Client.Delivery(ctx, d.ID)
			require.NoError(t, err)
			assert.Equal(t, "split", again.State)
			accepted := s.Output(t, r.ID, report.AcceptedName)
			assert.Greater(t, strings.Count(accepted, "\n"), int(m.Accepted))
			assert.Contains(t, s.Output(t, r.ID, report.ManifestName), d.SHA256)
			assert.Equal(t, string(m.Bytes), s.content(t, d.ID))
		}
	})

	t.Run("repeats", func(t *testing.T) {
		first, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader("a,b\n1,2\n"))
		require.NoError(t, err)
		assert.Empty(t, first.RepeatOf)
		for _, name := range []string{"a.csv", "b.csv"} {
			again, err := s.Client.AddDelivery(ctx, name, strings.NewReader("a,b\n1,2\n"))
			require.NoError(t, err)
			assert.Equal(t, first.ID, again.RepeatOf)
			assert.NotEqual(t, first.ID, again.ID)
		}
		page, err := s.Client.Deliveries(ctx, "", "", 1, 2)
		require.NoError(t, err)
		assert.Len(t, page.Items, 2)
		assert.Equal(t, len(demo.All())+3, page.Total)
		assert.Equal(t, first.ID, page.Items[1].ID, "newest first")
	})

	t.Run("targets and their versions", func(t *testing.T) {
		text := "target: silo\ncolumns:\n  - name: a\n"
		one, err := s.Client.AddTarget(ctx, []byte(text))
		require.NoError(t, err)
		two, err := s.Client.AddTarget(ctx, []byte(text+"    required: true\n"))
		require.NoError(t, err)
		same, err := s.Client.AddTarget(ctx, []byte(text))
		require.NoError(t, err)
		assert.Equal(t, []int{1, 2, 1}, []int{one.Version, two.Version, same.Version})
		newest, err := s.Client.Target(ctx, "silo", 0)
		require.NoError(t, err)
		assert.Equal(t, 2, newest.Version)
		old, err := s.Client.Target(ctx, "silo", 1)
		require.NoError(t, err)
		assert.Equal(t, text, old.Text)
		_, err = s.Client.Target(ctx, "silo", 3)
		assert.Equal(t, 404, servicetest.Status(err))
		_, err = s.Client.AddTarget(ctx, []byte("target: silo\ncolumns:\n  - nam: a\n"))
		assert.Equal(t, 422, servicetest.Status(err))
		assert.ErrorContains(t, err, `line 3, column 5: a column has no property "nam"; did you mean "name"?`)
		list, err := s.Client.Targets(ctx, client.Shelf{}, 0, 0)
		require.NoError(t, err)
		assert.Equal(t, "driver_survey", list.Items[0].Name, "by name")
	})

	t.Run("a run without a target, with a layout", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "plain.txt", strings.NewReader("x\na;b\n1;2\n"))
		require.NoError(t, err)
		r := s.post(t, fmt.Sprintf(`{"delivery":%q,"layout":{"skipRows":1,"delimiter":";"}}`, d.ID),
			http.StatusAccepted)
		done, err := s.Client.Follow(ctx, r["id"].(string), nil)
		require.NoError(t, err)
		assert.Equal(t, "accepted", done.Verdict)
		assert.Equal(t, "a,b\n1,2\n", s.Output(t, done.ID, report.AcceptedName))
	})

	t.Run("a delivery that is damaged at its beginning is refused", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "book.xlsx", strings.NewReader("PK\x03\x04and so on"))
		require.NoError(t, err)
		assert.Equal(t, "refused", d.State)
		assert.Contains(t, d.Refusal, "a ZIP archive or a workbook, and damaged")
		_, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		assert.Equal(t, 422, servicetest.Status(err))
	})

	t.Run("a delivery that cannot be read fails its run", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "book.csv.gz", strings.NewReader("\x1f\x8b\x08and so on"))
		require.NoError(t, err)
		r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		r, err = s.Client.Follow(ctx, r.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, "failed", r.State)
		assert.Contains(t, r.Error, "book.csv.gz")
		assert.Contains(t, r.Error, "compressed with gzip and damaged")
		_, err = s.Client.Rejects(ctx, r.ID, "", "", 0, 0)
		assert.Equal(t, 409, servicetest.Status(err))
		_, err = s.Client.Output(ctx, r.ID, report.AcceptedName)
		assert.Equal(t, 404, servicetest.Status(err))
	})

	t.Run("wrong requests", func(t *testing.T) {
		for _, c := range []struct {
			method, path, body string
			status             int
			says               string
		}{
			{"GET", "/api/v1/deliveries/none", "", 404, "there is no delivery"},
			{"GET", "/api/v1/runs/none", "", 404, "there is no run"},
			{"GET", "/api/v1/runs/none/events", "", 404, "there is no run"},
			{"GET", "/api/v1/nothing", "", 404, "/api/openapi.json"},
			{"DELETE", "/api/v1/runs", "", 405, "not possible"},
			{"POST", "/api/v1/deliveries?name=" + "a%2Fb", "x", 400, "holds a folder"},
			{"POST", "/api/v1/deliveries", "x", 422, "validation"},
			{"GET", "/api/v1/deliveries?limit=100000", "", 422, "validation"},
			{"POST", "/api/v1/runs", `{"delivery":"none"}`, 404, "there is no delivery"},
			{"POST", "/api/v1/runs", `{"delivery":"x","targte":"y"}`, 422, "validation"},
			{"POST", "/api/v1/runs", `{"deliv`, 400, ""},
		} {
			req, err := http.NewRequestWithContext(ctx, c.method, s.Address+c.path, strings.NewReader(c.body))
			require.NoError(t, err)
			resp, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			var problem struct{ Detail string }
			require.NoError(t, json.NewDecoder(resp.Body).Decode(&problem))
			resp.Body.Close()
			assert.Equal(t, c.status, resp.StatusCode, "%s %s", c.method, c.path)
			assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"), "%s %s", c.method, c.path)
			assert.Contains(t, problem.Detail, c.says)
		}
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, s.Address+"/api/v1/targets",
			strings.NewReader("x"))
		require.NoError(t, err)
		req.Header.Set("Sec-Fetch-Site", "cross-site")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, http.StatusForbidden, resp.StatusCode)
	})

	t.Run("health, metrics and the document", func(t *testing.T) {
		for path, holds := range map[string]string{"/healthz": `"ok"`, "/metrics": "sieb_runs_ended_total",
			"/api/openapi.json": `"3.1.0"`} {
			resp, err := http.Get(s.Address + path)
			assert.Contains(t, servicetest.Read(t, resp.Body, err), holds)
		}
	})

	t.Run("an interrupted upload leaves nothing behind", func(t *testing.T) {
		before, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.Address, "http://"))
		require.NoError(t, err)
		fmt.Fprintf(conn, "POST /api/v1/deliveries?name=half.csv HTTP/1.1\r\nHost: localhost\r\nContent-Length: "+
			"1000000\r\n\r\n%s", strings.Repeat("a,b\n", 1000))
		arriving := filepath.Join(s.Data, "arriving")
		servicetest.Await(t, "the upload arrives", func() bool { return servicetest.Entries(t, arriving) == 1 })
		conn.Close()
		servicetest.Await(t, "the half file is gone", func() bool { return servicetest.Entries(t, arriving) == 0 })
		after, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		assert.Equal(t, before.Total, after.Total)
	})

	t.Run("the inbox", func(t *testing.T) {
		before, err := s.Client.Deliveries(ctx, "", "", 0, 1)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(s.Inbox, "still-written.part"), []byte("a\n"), 0o644))
		growing, err := os.Create(filepath.Join(s.Inbox, "growing.csv"))
		require.NoError(t, err)
		for range 8 { // longer than a file at rest would lie there
			_, err := growing.WriteString("a,b\n")
			require.NoError(t, err)
			time.Sleep(250 * time.Millisecond) // the writer's pace is what is tested
			require.FileExists(t, growing.Name())
		}
		require.NoError(t, growing.Close())
		// The file loses its name when it is claimed, which is before it is recorded.
		var after api.Page[api.Delivery]
		servicetest.Await(t, "the file is taken", func() bool {
			_, gone := os.Stat(growing.Name())
			after, err = s.Client.Deliveries(ctx, "", "", 0, 1)
			return err != nil || errors.Is(gone, os.ErrNotExist) && after.Total > before.Total
		})
		require.NoError(t, err)
		assert.Equal(t, before.Total+1, after.Total)
		assert.Equal(t, "growing.csv", after.Items[0].Name)
		assert.Equal(t, int64(32), after.Items[0].Bytes)
		assert.FileExists(t, filepath.Join(s.Inbox, "still-written.part"))
	})

	t.Run("cancel", func(t *testing.T) {
		d := s.Large(t, 60e6)
		r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: "weighbridge_tickets"})
		require.NoError(t, err)
		servicetest.Await(t, "the run runs", func() bool {
			r, err = s.Client.Run(ctx, r.ID)
			return err != nil ||
				r.State == "running"
		})
		require.NoError(t, err)
		r, err = s.Client.CancelRun(ctx, r.ID)
		require.NoError(t, err)
		assert.Equal(t, "cancelled", r.State)
		servicetest.Await(t, "nothing half-written stays", func() bool {
			return servicetest.Entries(t, filepath.Join(s.Data, "runs", r.ID)) == 0
		})
		_, err = s.Client.CancelRun(ctx, r.ID)
		assert.Equal(t, 409, servicetest.Status(err))
		d, err = s.Client.Delivery(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, "cancelled", d.State)
	})

	t.Run("a data folder has one service", func(t *testing.T) {
		err := service.Run(ctx, service.Config{Listen: "127.0.0.1:0", Data: s.Data, Parallel: 1})
		assert.ErrorContains(t, err, "belongs to a service that is running")
	})

	t.Run("PostgreSQL dies and is started again", func(t *testing.T) {
		pid := servicetest.Postmaster(s.Data)
		require.Positive(t, pid)
		require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		servicetest.Await(t, "the database is back", func() bool {
			_, err := s.Client.Deliveries(ctx, "", "", 0, 1)
			return err == nil && servicetest.Postmaster(s.Data) != pid
		})
		d, err := s.Client.AddDelivery(ctx, "after.csv", strings.NewReader("a\n1\n"))
		require.NoError(t, err)
		r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		servicetest.Await(t, "the run is done", func() bool {
			r, err = s.Client.Run(ctx, r.ID)
			return err == nil &&
				r.State == "done"
		})
	})

	pid := servicetest.Postmaster(s.Data)
	require.Positive(t, pid)
	require.NoError(t, s.Stop())
	assert.Error(t, syscall.Kill(pid, 0), "PostgreSQL has ended with its service")
}

// A service that is stopped in a run puts it back, and the next one does it.
func TestStoppedService(t *testing.T) {
	first := &kit{servicetest.Start(t, "", nil)}
	d := first.Large(t, 60e6)
	r, err := first.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	servicetest.Await(t, "the run runs", func() bool {
		r, err = first.Client.Run(t.Context(), r.ID)
		return err != nil || r.State == "running"
	})
	require.NoError(t, err)
	require.NoError(t, first.Stop())
	second := servicetest.Start(t, first.Data, nil)
	var states []string
	r, err = second.Client.Follow(t.Context(), r.ID, func(r api.Run) { states = append(states, r.State) })
	require.NoError(t, err)
	assert.Equal(t, "accepted", r.Verdict)
	assert.NotEqual(t, "done", states[0], "it was not done before the stop")
}

// kit adds to a test's service.
type kit struct{ *servicetest.Service }

func (s *kit) content(t *testing.T, delivery string) string {
	t.Helper()
	r, err := s.Client.Content(t.Context(), delivery)
	return servicetest.Read(t, r, err)
}

// post starts a run from a document and expects a status.
func (s *kit) post(t *testing.T, body string, status int) (answer map[string]any) {
	t.Helper()
	resp, err := http.Post(s.Address+"/api/v1/runs", "application/json", strings.NewReader(body))
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, status, resp.StatusCode)
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&answer))
	return answer
}
