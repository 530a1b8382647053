package hostile_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service"
	"sieb/service/servicetest"
	"sieb/service/store"
)

// processes returns a server's first process and those that it made.
func processes(t *testing.T, first int) (all []int) {
	t.Helper()
	all = []int{first}
	folders, err := filepath.Glob("/proc/[0-9]*/stat")
	require.NoError(t, err)
	for _, stat := range folders {
		text, err := os.ReadFile(stat)
		if err != nil {
			continue // it has ended
		}
		var pid, parent int
		var state string
		_, after, _ := strings.Cut(string(text), ") ")
		_, err = fmt.Sscan(string(text), &pid)
		require.NoError(t, err)
		_, err = fmt.Sscan(after, &state, &parent)
		require.NoError(t, err)
		if parent == first {
			all = append(all, pid)
		}
	}
	return all
}

// A database whose processes stand still breaks no connection and answers nothing. Whatever is asked ends
// all the same, with 503, and all is well when it goes on.
func TestADatabaseThatHangs(t *testing.T) {
	s := servicetest.StartAlone(t, "", func(*service.Config) {})
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	first := servicetest.Postmaster(s.Data)
	require.Positive(t, first)
	signal := func(with syscall.Signal) {
		for _, pid := range processes(t, first) {
			_ = syscall.Kill(pid, with)
		}
	}
	t.Cleanup(func() { signal(syscall.SIGCONT) })
	// Connections that were in use a moment ago are handed out unasked: what comes first meets them.
	var busy sync.WaitGroup
	for range 8 {
		busy.Go(func() {
			_, err := s.Client.Deliveries(t.Context(), "", "", 0, 10)
			assert.NoError(t, err)
		})
	}
	busy.Wait()
	signal(syscall.SIGSTOP)

	requests := []struct{ method, path, body string }{
		{"POST", "/api/v1/deliveries?name=b.csv", "a,b\n3,4\n"},
		{"GET", "/healthz", ""},
		{"GET", "/api/v1/deliveries", ""}, {"GET", "/api/v1/deliveries/" + d.ID, ""},
		{"GET", "/api/v1/deliveries/" + d.ID + "/profile", ""}, {"GET", "/api/v1/runs", ""},
		{"GET", "/api/v1/targets", ""}, {"GET", "/api/v1/mappings", ""},
		{"POST", "/api/v1/deliveries/" + d.ID + "/profile", "{}"},
		{"PUT", "/api/v1/deliveries/" + d.ID + "/rules", "{}"},
		{"POST", "/api/v1/runs", `{"delivery":"` + d.ID + `","target":"none"}`},
		{"DELETE", "/api/v1/deliveries/" + d.ID, ""},
	}
	var all sync.WaitGroup
	for range 3 { // more than there are connections
		for _, r := range requests {
			all.Go(func() {
				began := time.Now()
				request, err := http.NewRequestWithContext(t.Context(), r.method, s.Address+r.path, strings.NewReader(r.body))
				if !assert.NoError(t, err) {
					return
				}
				request.Header.Set("Content-Type", "application/json")
				answer, err := http.DefaultClient.Do(request)
				if !assert.NoError(t, err, r) {
					return
				}
				defer answer.Body.Close()
				text, err := io.ReadAll(answer.Body)
				assert.NoError(t, err, r)
				assert.Equal(t, http.StatusServiceUnavailable, answer.StatusCode, "%v: %s", r, text)
				assert.Less(t, time.Since(began), 2*store.Patience, r)
			})
		}
	}
	all.Wait()

	signal(syscall.SIGCONT)
	servicetest.Await(t, "the service answers again", func() bool {
		again, err := s.Client.AddDelivery(t.Context(), "c.csv", strings.NewReader("a,b\n5,6\n"))
		return err == nil && again.ID != ""
	})
}

// What the environment says for other servers does not reach the service's own.
func TestVariablesOfOtherServers(t *testing.T) {
	for name, value := range map[string]string{"PGSERVICE": "other", "PGSERVICEFILE": "/nowhere",
		"PGOPTIONS": "-c no.such=1 -c nonsense", "PGSSLMODE": "verify-full", "PGHOST": "192.0.2.1", "PGPORT": "1",
		"PGUSER": "other", "PGPASSWORD": "other", "PGDATABASE": "other", "PGTARGETSESSIONATTRS": "read-only",
		"PGCHANNELBINDING": "require", "PGREQUIREAUTH": "none", "PGDATA": "/nowhere", "PGTZ": "Nowhere"} {
		t.Setenv(name, value)
	}
	s := servicetest.StartAlone(t, "", func(*service.Config) {})
	_, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
}
