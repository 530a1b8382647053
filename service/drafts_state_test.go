package service_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/servicetest"
)

// A draft of a layout or of a text that two change is changed on the state that each has seen: who comes
// second is told, and nothing of the first is lost.
func TestDraftsAreChangedOnTheirState(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	d := s.add(t, "a.csv", "a;b\n1;2\n")
	begin(t, s, ticketsFile)
	drafts := []struct{ path, first, second, says string }{
		{"/api/v1/deliveries/" + d.ID + "/drafts/layout", `{"given":{"delimiter":";"}}`, `{"given":{"headerRows":0}}`,
			`"given":{"delimiter":";"}`},
		{"/api/v1/targets/tickets/draft", `{"text":"mine","version":1}`, `{"text":"theirs","version":1}`, `"mine"`},
		{"/api/v1/codes/sites/draft", `{"text":""}`, `{"text":"theirs"}`, `"text":""`},
	}
	_, err := s.Client.AddCodes(t.Context(), "sites", "", []byte("code\nA\n"))
	require.NoError(t, err)
	for _, c := range drafts {
		t.Run(c.path, func(t *testing.T) {
			ask := func(method, state, body string) (int, string, string) {
				header := []string{"Content-Type", "application/json"}
				if state != "" {
					header = append(header, "If-Match", state)
				}
				resp, text := s.ask(t, method, c.path, body, header...)
				return resp.StatusCode, text, resp.Header.Get("ETag")
			}
			status, text, _ := ask(http.MethodPut, `"4f2a"`, c.first)
			require.Equal(t, 412, status, "there is none: %s", text)
			status, text, _ = ask(http.MethodPut, `*`, c.first)
			require.Equal(t, 412, status, "there is none: %s", text)
			status, text, state := ask(http.MethodPut, `"none"`, c.first)
			require.Equal(t, 200, status, text)
			require.NotEmpty(t, state)
			var said struct{ State string }
			require.NoError(t, json.Unmarshal([]byte(text), &said))
			assert.Equal(t, state, fmt.Sprintf("%q", said.State))
			for _, old := range []string{`"none"`, `"` + said.State + `x"`, `none`} {
				status, text, _ = ask(http.MethodPut, old, c.second)
				assert.Equal(t, 412, status, text)
				assert.Contains(t, text, "somebody else changed the draft since")
				status, _, _ = ask(http.MethodDelete, old, "")
				assert.Equal(t, 412, status)
			}
			read := c.path
			if read[len(read)-6:] == "layout" {
				read = read[:len(read)-len("/layout")]
			}
			_, text = s.ask(t, http.MethodGet, read, "")
			assert.Contains(t, text, c.says)
			assert.Contains(t, text, said.State)
			status, _, again := ask(http.MethodPut, state, c.first)
			assert.Equal(t, 200, status)
			assert.Equal(t, state, again, "the same is the same state")
			status, _, next := ask(http.MethodPut, "W/"+state, c.second)
			assert.Equal(t, 200, status)
			assert.NotEqual(t, state, next)
			status, _, _ = ask(http.MethodDelete, next, "")
			assert.Equal(t, 204, status)
			status, _, _ = ask(http.MethodDelete, next, "")
			assert.Equal(t, 412, status, "it is gone")
			status, _, _ = ask(http.MethodDelete, `"none"`, "")
			assert.Equal(t, 204, status)

			// Of many who change one state at once, one does.
			var all sync.WaitGroup
			var mutex sync.Mutex
			counts := map[int]int{}
			for i := range 8 {
				all.Go(func() {
					body := c.first
					if i%2 == 0 {
						body = c.second
					}
					status, _, _ := ask(http.MethodPut, `"none"`, body)
					mutex.Lock()
					counts[status]++
					mutex.Unlock()
				})
			}
			all.Wait()
			assert.Equal(t, map[int]int{200: 1, 412: 7}, counts)
		})
	}

	// A layout is saved, or forgotten, on the draft that was seen.
	path := "/api/v1/deliveries/" + d.ID
	for _, method := range []string{http.MethodPut, http.MethodDelete} {
		resp, text := s.ask(t, method, path+"/layout", `{"delimiter":";"}`, "Content-Type", "application/json",
			"If-Match", `"none"`)
		assert.Equal(t, 412, resp.StatusCode, text)
	}
	_, text := s.ask(t, http.MethodGet, path+"/drafts", "")
	var kept struct{ Layout struct{ State string } }
	require.NoError(t, json.Unmarshal([]byte(text), &kept))
	resp, text := s.ask(t, http.MethodPut, path+"/layout", `{"delimiter":";"}`, "Content-Type", "application/json",
		"If-Match", fmt.Sprintf("%q", kept.Layout.State))
	assert.Equal(t, 200, resp.StatusCode, text)
}
