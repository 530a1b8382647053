package routes

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A panic before the first byte is an answer of its own; behind it the answer breaks off, so that it
// does not look whole.
func TestPanicsOfRequests(t *testing.T) {
	s := &Server{Log: slog.New(slog.DiscardHandler)}
	server := httptest.NewServer(s.recovered(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/begun" {
			_, _ = io.WriteString(w, strings.Repeat("1,2\n", 100_000))
		}
		panic("planted")
	})))
	defer server.Close()
	resp, err := http.Get(server.URL + "/")
	require.NoError(t, err)
	assert.Equal(t, 500, resp.StatusCode)
	resp.Body.Close()
	resp, err = http.Get(server.URL + "/begun")
	require.NoError(t, err)
	defer resp.Body.Close()
	_, err = io.ReadAll(resp.Body)
	assert.Error(t, err)
}

// A file's last byte is held back until it is known to be the last.
func TestHeldReading(t *testing.T) {
	for _, text := range []string{"", "a", "ab", strings.Repeat("xyz", 1000)} {
		for _, size := range []int{2, 3, 7, 4096} {
			h := &held{r: strings.NewReader(text)}
			var got []byte
			buf := make([]byte, size)
			for {
				n, err := h.Read(buf)
				if err == nil {
					assert.Less(t, len(got)+n, len(text), "not all before the end")
				}
				got = append(got, buf[:n]...)
				if err == io.EOF {
					break
				}
				require.NoError(t, err)
			}
			assert.Equal(t, text, string(got))
		}
	}
}
