package service_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// A service whose memory holds no key gives the same runs, explains rows alike, and leaves nothing
// where keys were kept.
func TestKeysThatMemoryDoesNotHold(t *testing.T) {
	s := servicetest.StartWith(t, "", func(c *service.Config) { c.KeyMemory = 1 })
	var last string
	for _, m := range []demo.Made{demo.Register(), demo.Ahrensee()} {
		text, err := demo.Target(m.Target)
		require.NoError(t, err)
		_, err = s.Client.AddTarget(t.Context(), text)
		require.NoError(t, err)
		if m.Mapping != "" {
			text, err = demo.Mapping(m.Mapping)
			require.NoError(t, err)
			_, err = s.Client.AddMapping(t.Context(), text)
			require.NoError(t, err)
		}
		d, err := s.Client.AddDelivery(t.Context(), m.Name, strings.NewReader(string(m.Bytes)))
		require.NoError(t, err)
		r, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: m.Target, Mapping: m.Mapping})
		require.NoError(t, err)
		r, err = s.Client.Follow(t.Context(), r.ID, nil)
		require.NoError(t, err)
		require.Equal(t, "done", r.State, r.Error)
		planted := map[string]int64{}
		for _, p := range m.Planted {
			if p.Row > 0 { // the others concern the delivery as a whole
				planted[p.Code.String()+" "+p.Column]++
			}
		}
		found := map[string]int64{}
		for _, g := range r.Violations {
			if g.Rows > 0 {
				found[g.Code.String()+" "+g.Column] += g.Rows
			}
		}
		assert.Equal(t, planted, found, m.Name)
		last = r.ID
	}
	for row, want := range map[int64]string{66: "rejected", 20: "accepted", 222: "rejected"} {
		e, err := s.Client.ExplainRow(t.Context(), last, row)
		require.NoError(t, err)
		assert.Equal(t, want, e.Fate, row)
	}
	runs, err := filepath.Glob(filepath.Join(s.Data, "runs", "*", "*"))
	require.NoError(t, err)
	for _, path := range runs {
		assert.NotContains(t, filepath.Base(path), "sieb-", "what was kept has no name")
	}
	scratch, err := os.ReadDir(filepath.Join(s.Data, "scratch"))
	if err == nil {
		assert.Empty(t, scratch)
	}
}
