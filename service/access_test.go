package service_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
)

// ask sends a request as it is written, headers in pairs, and gives the answer.
func ask(t *testing.T, s *servicetest.Service, method, path, body string, headers ...string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), method, s.Address+path, strings.NewReader(body))
	require.NoError(t, err)
	for i := 0; i < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
		if headers[i] == "Host" {
			req.Host = headers[i+1]
		}
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(text)
}

func TestWhoMayAsk(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.Hosts = []string{"sieb.talfeld.example"} })

	t.Run("names", func(t *testing.T) {
		for host, status := range map[string]int{
			"127.0.0.1": 200, "localhost": 200, "LOCALHOST:99": 200, "[::1]:1": 200, "127.0.0.2": 200,
			"sieb.talfeld.example": 200, "Sieb.Talfeld.Example.:8466": 200,
			"elsewhere.example": 421, "127.0.0.1.elsewhere.example": 421, "localhost.elsewhere.example": 421,
			"sieb.talfeld.example.elsewhere.example": 421,
			"10.0.0.1":                               421, "0.0.0.0": 421, "[::ffff:10.0.0.1]": 421, "127.1": 421,
		} {
			for _, path := range []string{"/api/v1/deliveries", "/", "/metrics"} {
				if resp, text := ask(t, s, "GET", path, "", "Host", host); status != 200 {
					assert.Equal(t, status, resp.StatusCode, "%s %s", host, path)
					assert.Contains(t, text, "--host")
				} else {
					assert.NotEqual(t, 421, resp.StatusCode, "%s %s", host, path)
				}
			}
		}
	})

	t.Run("rules for browsers stand on every answer", func(t *testing.T) {
		for _, c := range []struct{ method, path, host string }{
			{"GET", "/api/v1/deliveries", "localhost"}, {"GET", "/api/v1/deliveries/none", "localhost"},
			{"GET", "/api/nothing", "localhost"}, {"DELETE", "/api/v1/runs", "localhost"},
			{"POST", "/api/v1/runs", "localhost"}, {"GET", "/", "localhost"}, {"GET", "/metrics", "localhost"},
			{"GET", "/healthz", "localhost"},
			{"GET", "/api/v1/deliveries", "elsewhere.example"}, {"GET", "/api/v1/deliveries/%00", "localhost"},
			{"GET", "/api/openapi.json", "localhost"},
		} {
			resp, _ := ask(t, s, c.method, c.path, "", "Host", c.host)
			for _, name := range []string{"Content-Security-Policy", "X-Content-Type-Options", "X-Frame-Options",
				"Referrer-Policy"} {
				assert.NotEmpty(t, resp.Header.Get(name), "%s on %s %s", name, c.method, c.path)
			}
			assert.NotContains(t, resp.Header.Get("Content-Security-Policy"), "unsafe-eval")
			if strings.HasPrefix(c.path, "/api/") {
				assert.Contains(t, resp.Header.Get("Content-Security-Policy"), "default-src 'none'", c.path)
			}
		}
	})

	t.Run("pages of other sites change nothing", func(t *testing.T) {
		for _, origin := range []string{"http://elsewhere.example", "null"} {
			resp, _ := ask(t, s, "POST", "/api/v1/deliveries?name=a.csv", "a\n", "Origin", origin, "Sec-Fetch-Site",
				"cross-site")
			assert.Equal(t, 403, resp.StatusCode, origin)
		}
	})

	t.Run("text that is none", func(t *testing.T) {
		for _, c := range []struct {
			method, path, body string
			status             int
		}{
			{"GET", "/api/v1/deliveries/%00", "", 400}, {"GET", "/api/v1/runs/a%00b", "", 400},
			{"GET", "/api/v1/targets/%ff", "", 400}, {"GET", "/api/v1/runs?delivery=%00", "", 400},
			{"GET", "/api/v1/runs?delivery=%ff%fe", "", 400}, {"GET", "/api/v1/runs?delivery=%zz", "", 400},
			{"POST", "/api/v1/deliveries?name=a%00b", "x", 400},
			{"POST", "/api/v1/deliveries?name=a%E2%80%AEb", "x", 400}, {"POST", "/api/v1/deliveries?name=..", "x", 400},
			{"POST", "/api/v1/deliveries?name=a%E2%80%A8b", "x", 400},
			{"GET", "/api/v1/deliveries?offset=99999999999999999999", "", 422},
			{"GET", "/api/v1/deliveries?offset=9223372036854775807", "", 422},
			{"GET", "/api/v1/deliveries?offset=-1", "", 422},
			{"GET", "/api/v1/deliveries?limit=0", "", 422}, {"GET", "/api/v1/targets/t/versions/99999999999", "", 422},
			{"GET", "/api/v1/targets/t/versions/2147483647", "", 404},
			{"POST", "/api/v1/runs", `{"delivery":"\u0000"}`, 422}, {"POST", "/api/v1/runs",
				`{"delivery":"x","target":"\u0000"}`, 404}, {"POST", "/api/v1/runs", "{\"delivery\":\"\xff\"}", 404},
			{"POST", "/api/v1/runs", `{"delivery":"x","targetVersion":99999999999}`, 422},
			{"POST", "/api/v1/targets", "target: \"t\x00\"\n", 422}, {"POST", "/api/v1/targets",
				"target: t\ncolumns:\n  - {name: a, title: \"\\0\"}\n", 422},
			{"POST", "/api/v1/targets/from-table", `{"database":"\u0000","table":"t"}`, 422},
			{"POST", "/api/v1/targets/from-table", `{"database":"x","table":"\u0000"}`, 422},
		} {
			resp, text := ask(t, s, c.method, c.path, c.body, "Content-Type", "application/json")
			assert.Equal(t, c.status, resp.StatusCode, "%s %s %q: %s", c.method, c.path, c.body, text)
			var problem struct{ Detail string }
			require.NoError(t, json.Unmarshal([]byte(text), &problem), text)
			assert.NotEmpty(t, problem.Detail)
		}
		d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,2\n"))
		require.NoError(t, err)
		for _, layout := range []string{`{"delimiter":"\u0000"}`, `{"sheet":"a\u0000"}`, `{"member":"\u0000"}`,
			`{"fold":99999999}`, `{"skipRows":-1}`, `{"headerRows":1000000000}`, `{"cuts":[0]}`, `{"cuts":[1,1]}`,
			`{"encoding":"\u0000"}`, `{"form":"\u0000"}`, `{"delimiter":"` + strings.Repeat("x", 100) + `"}`} {
			for _, c := range []struct{ method, path, body string }{
				{"POST", "/api/v1/runs", fmt.Sprintf(`{"delivery":%q,"layout":%s}`, d.ID, layout)},
				{"POST", "/api/v1/deliveries/" + d.ID + "/reading", `{"layout":` + layout + `}`},
				{"PUT", "/api/v1/deliveries/" + d.ID + "/layout", layout},
			} {
				resp, text := ask(t, s, c.method, c.path, c.body, "Content-Type", "application/json")
				assert.Equal(t, 422, resp.StatusCode, "%s %s: %s", c.path, layout, text)
			}
		}
	})
}

// A service that others reach asks for a token, and does not start without one.
func TestBeyondLoopback(t *testing.T) {
	err := service.Run(t.Context(), service.Config{Listen: "0.0.0.0:0", Data: filepath.Join(pgtest.Folder(t), "data"),
		Parallel: 1})
	require.ErrorContains(t, err, "SIEB_TOKEN")
	err = service.Run(t.Context(), service.Config{Listen: "0.0.0.0:0", Data: filepath.Join(pgtest.Folder(t), "data"),
		Parallel: 1, Token: "nineteen characters"})
	require.ErrorContains(t, err, "19 characters")
	const secret = "secret of twenty let"
	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.Listen = "0.0.0.0:0"
		c.Token = secret
	})
	_, port, err := net.SplitHostPort(strings.TrimPrefix(s.Address, "http://"))
	require.NoError(t, err)
	s.Address = "http://127.0.0.1:" + port
	for _, path := range []string{"/api/v1/deliveries", "/metrics", "/api/openapi.json", "/api/nothing"} {
		for _, shown := range []string{"", "Bearer ", "Bearer wrong", "Basic " + secret, secret} {
			resp, text := ask(t, s, "GET", path, "", "Authorization", shown)
			assert.Equal(t, 401, resp.StatusCode, "%s with %q", path, shown)
			assert.Equal(t, `Bearer realm="Sieb"`, resp.Header.Get("WWW-Authenticate"))
			assert.NotContains(t, text, "secret")
		}
		resp, _ := ask(t, s, "GET", path, "", "Authorization", "Bearer "+secret)
		assert.NotEqual(t, 401, resp.StatusCode, path)
		resp, _ = ask(t, s, "GET", path, "", "Cookie", "sieb_session="+secret)
		assert.Equal(t, 401, resp.StatusCode, path)
	}
	resp, _ := ask(t, s, "GET", "/healthz", "")
	assert.Equal(t, 200, resp.StatusCode, "monitoring needs no token for that")
	resp, _ = ask(t, s, "GET", "/api/v1/deliveries", "", "Authorization", "Bearer "+secret, "Host", "10.1.2.3")
	assert.Equal(t, 200, resp.StatusCode, "at all addresses, any of them may be named")
	resp, _ = ask(t, s, "GET", "/api/v1/deliveries", "", "Authorization", "Bearer "+secret, "Host", "elsewhere.example")
	assert.Equal(t, 421, resp.StatusCode)

	resp, _ = ask(t, s, "POST", "/api/v1/token", `{"token":"wrong"}`, "Content-Type", "application/json")
	assert.Equal(t, 401, resp.StatusCode)
	assert.Empty(t, resp.Cookies())
	resp, _ = ask(t, s, "POST", "/api/v1/token", `{"token":"`+secret+`"}`, "Content-Type", "application/json")
	require.Len(t, resp.Cookies(), 1)
	assert.True(t, resp.Cookies()[0].HttpOnly)
	assert.False(t, resp.Cookies()[0].Secure, "the browser would not send it back without TLS")
	assert.Equal(t, http.SameSiteStrictMode, resp.Cookies()[0].SameSite)

	_, err = client.New(s.Address, "").Deliveries(t.Context(), "", "", 0, 1)
	assert.ErrorContains(t, err, "SIEB_TOKEN")
	_, err = client.New(s.Address, secret).Deliveries(t.Context(), "", "", 0, 1)
	require.NoError(t, err)
}

// Uploads that send nothing, or hardly anything, end by themselves; meanwhile others
// are served, also where all connections are taken for a while.
func TestUploadsThatDoNotCome(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) {
		c.BodyWait, c.MaxConnections = 2*time.Second, 300 // one address has 225 of them
	})
	at := strings.TrimPrefix(s.Address, "http://")
	var silent sync.WaitGroup
	answers := make(chan string, 300)
	for i := range 200 {
		conn, err := net.Dial("tcp", at)
		require.NoError(t, err)
		t.Cleanup(func() { conn.Close() })
		fmt.Fprintf(conn, "POST /api/v1/deliveries?name=s%d.csv HTTP/1.1\r\nHost: localhost\r\nContent-Length: "+
			"1000000\r\n\r\n", i)
		silent.Go(func() {
			if i%20 == 0 { // these drip
				go func() {
					for range 10 {
						if _, err := conn.Write([]byte("x")); err != nil {
							return
						}
						time.Sleep(time.Second) // the sender's pace is what is tested
					}
				}()
			}
			_ = conn.SetReadDeadline(time.Now().Add(time.Minute))
			line, _ := bufio.NewReader(conn).ReadString('\n')
			answers <- line
		})
	}
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a\n1\n"))
	require.NoError(t, err, "the others are served")
	silent.Wait()
	close(answers)
	for line := range answers {
		assert.True(t, strings.Contains(line, " 408 ") || line == "", "%q", line)
	}
	servicetest.Await(t, "nothing of them is left", func() bool {
		return servicetest.Entries(t, filepath.Join(s.Data, "arriving")) == 0
	})
	page, err := s.Client.Deliveries(t.Context(), "", "", 0, 10)
	require.NoError(t, err)
	require.Equal(t, 1, page.Total)
	assert.Equal(t, d.ID, page.Items[0].ID)
}

func TestUploadsThatAreTooLarge(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.MaxUpload = 1 << 20 })
	_, err := s.Client.AddDelivery(t.Context(), "a.csv", bytes.NewReader(make([]byte, 1<<20)))
	require.NoError(t, err)
	_, err = s.Client.AddDelivery(t.Context(), "a.csv", bytes.NewReader(make([]byte, 1<<20+1)))
	assert.Equal(t, 413, servicetest.Status(err))
	assert.ErrorContains(t, err, "--max-upload")
	assert.Zero(t, servicetest.Entries(t, filepath.Join(s.Data, "arriving")))
	page, err := s.Client.Deliveries(t.Context(), "", "", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 1, page.Total)
}

// A file for a spreadsheet has a mark, and no formula that would run.
func TestDownloadForASpreadsheet(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n=1+1,ä\n@SUM(1),2,3\n"))
	require.NoError(t, err)
	r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	r, err = s.Client.Follow(context.Background(), r.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, "a,b\n=1+1,ä\n", s.Output(t, r.ID, "accepted.csv"))
	resp, text := ask(t, s.Service, "GET", "/api/v1/runs/"+r.ID+"/outputs/accepted.csv?for=spreadsheet", "")
	assert.Equal(t, "\uFEFFa,b\n'=1+1,ä\n", text)
	assert.Contains(t, resp.Header.Get("Content-Disposition"), "accepted.csv")
	assert.Contains(t, resp.Header.Get("Content-Disposition"), "filename=a.accepted.csv")
	_, text = ask(t, s.Service, "GET", "/api/v1/runs/"+r.ID+"/outputs/accepted.csv?for=spreadsheet-semicolon", "")
	assert.Equal(t, "\uFEFFa;b\n'=1+1;ä\n", text)
	_, text = ask(t, s.Service, "GET", "/api/v1/runs/"+r.ID+"/outputs/rejected.csv?for=spreadsheet", "")
	assert.Contains(t, text, ",'@SUM(1),2,3\n")
	resp, _ = ask(t, s.Service, "GET", "/api/v1/runs/"+r.ID+"/outputs/rejected.csv?for=others", "")
	assert.Equal(t, 422, resp.StatusCode)
}

var quiet = slog.New(slog.DiscardHandler)

// restartOn starts the PostgreSQL of a folder again on the port of a URL, as its owner
// would; the returned function stops it.
func restartOn(t *testing.T, dir, address string) (stop func()) {
	t.Helper()
	u, err := url.Parse(address)
	require.NoError(t, err)
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	require.NoError(t, err)
	require.NotEmpty(t, found)
	args := []string{found[len(found)-1], "-D", filepath.Join(pgtest.Home(dir), "cluster"), "-p", u.Port(), "-c",
		"listen_addresses=127.0.0.1", "-c", "unix_socket_directories="}
	if os.Getuid() == 0 {
		args = append([]string{"setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"}, args...)
	}
	cmd := exec.Command(args[0], args[1:]...)
	cmd.Dir = "/"
	require.NoError(t, cmd.Start())
	return func() {
		_ = cmd.Process.Signal(syscall.SIGINT)
		_ = cmd.Wait()
	}
}
