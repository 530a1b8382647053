package client_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/service/api"
)

// answering returns a client of a server that answers every request with a stream.
func answering(t *testing.T, stream func(w http.ResponseWriter, r *http.Request)) *client.Client {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		stream(w, r)
	}))
	t.Cleanup(server.Close)
	return client.New(server.URL, "")
}

// A rehearsal is at its end when the stream says so, and not when the stream is at its end: what is
// cut off, is no JSON or says why it failed is an error, and never half a count taken for the whole.
func TestStreams(t *testing.T) {
	first := "event: rehearsal\ndata: {\"whole\":false,\"tally\":{\"read\":100}}\n\n"
	whole := "event: rehearsal\ndata: {\"whole\":true,\"tally\":{\"read\":250}}\n\n"
	for name, c := range map[string]struct {
		stream string
		looks  int
		fails  bool
	}{
		"in two looks":            {first + whole, 2, false},
		"at once":                 {whole, 1, false},
		"with signs of life":      {": still there\n\n" + first + ": still there\n\n" + whole, 2, false},
		"with CRLF":               {strings.ReplaceAll(first+whole, "\n", "\r\n"), 2, false},
		"cut off behind a look":   {first, 1, true},
		"cut off within a look":   {first + whole[:len(whole)-20], 1, true},
		"without anything":        {"", 0, true},
		"that is no JSON":         {first + "event: rehearsal\ndata: {\"whole\":tr\n\n", 1, true},
		"that tells of a failure": {first + "event: ended\ndata: {\"reason\":\"the disk is full\"}\n\n", 1, true},
		"that is a web page":      {"<html><body>proxy</body></html>", 0, true},
	} {
		t.Run(name, func(t *testing.T) {
			c1 := answering(t, func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, c.stream) })
			looks := 0
			r, err := c1.Rehearse(t.Context(), "d", api.AskRehearsal{}, func(api.Rehearsal) { looks++ })
			assert.Equal(t, c.looks, looks)
			if c.fails {
				require.Error(t, err)
				assert.Equal(t, name == "that tells of a failure", strings.Contains(err.Error(), "the disk is full"), err.Error())
				return
			}
			require.NoError(t, err)
			assert.True(t, r.Whole)
			assert.Equal(t, int64(250), r.Tally.Read)
		})
	}
}

// Who gives up is let go at once, though the stream goes on.
func TestStreamGivenUp(t *testing.T) {
	gone := make(chan struct{})
	c := answering(t, func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprint(w, "event: rehearsal\ndata: {\"whole\":false}\n\n")
		w.(http.Flusher).Flush()
		<-r.Context().Done()
		close(gone)
	})
	ctx, stop := context.WithCancel(t.Context())
	_, err := c.Rehearse(ctx, "d", api.AskRehearsal{}, func(api.Rehearsal) { stop() })
	assert.True(t, errors.Is(err, context.Canceled), "%v", err)
	select {
	case <-gone:
	case <-time.After(time.Minute):
		t.Fatal("the service is not told that nobody listens")
	}
}

// What a service refuses is told in its words.
func TestStreamRefused(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusNotFound)
		fmt.Fprint(w, `{"status":404,"detail":"the delivery has no draft of rules yet; PUT begins one"}`)
	}))
	t.Cleanup(server.Close)
	_, err := client.New(server.URL, "").Suggest(t.Context(), "d", api.AskSuggestions{}, nil)
	assert.ErrorContains(t, err, "no draft of rules yet")
}
