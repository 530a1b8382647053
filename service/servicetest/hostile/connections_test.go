package hostile_test

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/doors"
	"sieb/service/servicetest"
)

// few is how many connections the services of these tests take.
const few = 16

const token = "a token that nobody guesses"

func crowded(t *testing.T) *servicetest.Service {
	return servicetest.StartWith(t, "", func(c *service.Config) {
		c.MaxConnections, c.BodyWait = few, time.Second
		c.Token = token
	})
}

func dial(t *testing.T, s *servicetest.Service) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", strings.TrimPrefix(s.Address, "http://"))
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	return c
}

// from returns a client whose requests come from another address of this machine.
func from(address string) *http.Client {
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	return &http.Client{Transport: &http.Transport{DialContext: dialer.DialContext, DisableKeepAlives: true},
		Timeout: 2 * time.Minute}
}

// status asks, and returns the status of the answer; 0 where there is none.
func status(t *testing.T, c *http.Client, s *servicetest.Service, path string) int {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.Address+path, nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+token)
	resp, err := c.Do(req)
	if err != nil {
		return 0
	}
	defer resp.Body.Close()
	_, _ = io.Copy(io.Discard, resp.Body)
	return resp.StatusCode
}

const list = "/api/v1/deliveries"

// Connections that say nothing take the share of their address, and no more: others find places,
// and whether the service is alive can always be asked.
func TestSilentConnections(t *testing.T) {
	s := crowded(t)
	for range few {
		dial(t, s)
	}
	one, other := from("127.0.0.1"), from("127.0.0.2")
	assert.Equal(t, 200, status(t, one, s, "/healthz"))
	assert.Equal(t, 503, status(t, one, s, list), "the address has had its share")
	assert.Equal(t, 200, status(t, other, s, list))
	for range few + 2*doors.Spare {
		dial(t, s)
	}
	servicetest.Await(t, "health is told among very many", func() bool { return status(t, one, s, "/healthz") == 200 })
	assert.Equal(t, 200, status(t, other, s, list))
	servicetest.Await(t, "who says nothing is gone, and the address is heard again", func() bool {
		return status(t, one, s, list) == 200
	})
}

// Connections that are kept alive, and idle, make room for the next one.
func TestIdleConnections(t *testing.T) {
	s := crowded(t)
	for i := range 3 * few {
		c := dial(t, s)
		_, err := fmt.Fprintf(c, "GET /healthz HTTP/1.1\r\nHost: localhost\r\n\r\n")
		require.NoError(t, err)
		resp, err := http.ReadResponse(bufio.NewReader(c), nil)
		require.NoError(t, err, "connection %d", i)
		_, _ = io.Copy(io.Discard, resp.Body)
		assert.Equal(t, 200, resp.StatusCode)
	}
	assert.Equal(t, 200, status(t, from("127.0.0.1"), s, list))
}

// Clients that ask for much and read none of it are let go.
func TestClientsThatDoNotRead(t *testing.T) {
	s := crowded(t)
	s.Client = client.New(s.Address, token)
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n"+strings.Repeat("1,2\n", 8<<20)))
	require.NoError(t, err)
	for range doors.Share(few) {
		c := dial(t, s)
		_, err := fmt.Fprintf(c, "GET %s/%s/content HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer "+
			"%s\r\n\r\n", list, d.ID, token)
		require.NoError(t, err)
	}
	one := from("127.0.0.1")
	servicetest.Await(t, "all of them are asking", func() bool { return status(t, one, s, list) == 503 })
	assert.Equal(t, 200, status(t, from("127.0.0.2"), s, list))
	servicetest.Await(t, "they are gone", func() bool { return status(t, one, s, list) == 200 })
}

// Event streams have places of their own.
func TestManyStreams(t *testing.T) {
	s := crowded(t)
	s.Client = client.New(s.Address, token)
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n"+strings.Repeat("1,2\n", 8<<20)))
	require.NoError(t, err)
	var last api.Run
	for range 6 { // of which one is worked on at a time
		last, err = s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
	}
	open := func() *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.Address+"/api/v1/runs/"+last.ID+"/events", nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token)
		resp, err := from("127.0.0.1").Do(req)
		require.NoError(t, err)
		return resp
	}
	var streams []*http.Response
	for range doors.Share(few / 4) {
		resp := open()
		require.Equal(t, 200, resp.StatusCode)
		streams = append(streams, resp)
	}
	one := from("127.0.0.1")
	refused := open()
	said, err := io.ReadAll(refused.Body)
	require.NoError(t, err)
	assert.Equal(t, 503, refused.StatusCode)
	assert.Contains(t, string(said), "as many event streams are open")
	assert.Equal(t, 200, status(t, one, s, list), "other requests are answered")
	assert.Equal(t, 404, status(t, from("127.0.0.2"), s, "/api/v1/runs/none/events"), "another address finds a place")
	streams[0].Body.Close()
	servicetest.Await(t, "a place is given back", func() bool {
		resp := open()
		defer resp.Body.Close()
		return resp.StatusCode == 200
	})
	for _, s := range streams {
		s.Body.Close()
	}
	runs, err := s.Client.Runs(t.Context(), "", 0, 10)
	require.NoError(t, err)
	for _, r := range runs.Items {
		_, _ = s.Client.CancelRun(t.Context(), r.ID)
	}
}

// An address has a share of the places, and what is given back can be taken.
func TestPlaces(t *testing.T) {
	places := &doors.Places{Most: 4}
	for range 3 {
		require.True(t, places.Take("127.0.0.1"))
	}
	assert.False(t, places.Take("127.0.0.1"))
	assert.True(t, places.Take("127.0.0.2"))
	assert.False(t, places.Take("127.0.0.3"))
	places.Give("127.0.0.1")
	places.Give("127.0.0.9")
	assert.True(t, places.Take("127.0.0.1"))
}
