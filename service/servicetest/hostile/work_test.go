package hostile_test

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// wide is a delivery whose profile takes a while.
func wide(t *testing.T, s *servicetest.Service) api.Delivery {
	t.Helper()
	var b strings.Builder
	for c := range 40 {
		fmt.Fprintf(&b, "c%d,", c)
	}
	b.WriteString("last\n")
	for r := range 40_000 {
		for c := range 40 {
			fmt.Fprintf(&b, "%d,", (r*7+c*31)%(1000+c))
		}
		b.WriteString("x\n")
	}
	d, err := s.Client.AddDelivery(t.Context(), "wide.csv", strings.NewReader(b.String()))
	require.NoError(t, err)
	return d
}

// Twelve who begin rules at once, without a profile, wait for one piece of work.
func TestTwelveWhoBeginRules(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	d := wide(t, s)
	began := time.Now()
	one, err := s.Client.BeginRules(t.Context(), d.ID, api.NewRules{})
	require.NoError(t, err)
	alone := time.Since(began)

	other := servicetest.Start(t, "", nil)
	d = wide(t, other)
	texts := make([]string, 12)
	began = time.Now()
	var all sync.WaitGroup
	for i := range texts {
		all.Go(func() {
			r, err := client.New(other.Address, "").BeginRules(t.Context(), d.ID, api.NewRules{})
			if assert.NoError(t, err) {
				texts[i] = r.Target.Text
			}
		})
	}
	all.Wait()
	for _, text := range texts {
		assert.Equal(t, one.Target.Text, text)
	}
	t.Logf("alone %v, twelve %v", alone, time.Since(began))
	assert.Less(t, time.Since(began), 6*alone+2*time.Second, "it is not done twelve times")
}

// How long a download for spreadsheets is takes making all of it, so that who asks only for its
// header is told none.
func TestHeadOfASpreadsheet(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,=1+1\n"))
	require.NoError(t, err)
	run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	_, err = s.Client.Follow(t.Context(), run.ID, nil)
	require.NoError(t, err)
	resp, err := http.Head(s.Address + "/api/v1/runs/" + run.ID + "/outputs/accepted.csv?for=spreadsheet")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 200, resp.StatusCode)
	assert.Equal(t, "text/csv; charset=utf-8", resp.Header.Get("Content-Type"))
	assert.Equal(t, int64(-1), resp.ContentLength)
}

// A draft with a long text takes changes as it did at first, and has a bound in bytes.
func TestDraftsThatGrow(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	d, err := s.Client.AddDelivery(t.Context(), "a.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	text := "target: large\ncolumns:\n  - {name: a}\n  - name: b\n    oneOf:\n" +
		strings.Repeat("# "+strings.Repeat("x", 1000)+"\n", 1200) + "      - '2'\n"
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Text: text})
	require.NoError(t, err)
	change := func(i int) time.Duration {
		began := time.Now()
		r, err := s.Client.ChangeRules(t.Context(), d.ID, api.NewShift{Words: "title", Steps: []edit.Step{{In: edit.Target,
			Do: edit.Set, Path: []string{"title"}, Value: fmt.Sprint("title ", i)}}})
		require.NoError(t, err)
		require.Len(t, r.Changes, i+1)
		return time.Since(began)
	}
	first := change(0)
	var last time.Duration
	for i := 1; i < 8; i++ {
		last = change(i)
	}
	t.Logf("first change %v, eighth %v", first, last)
	assert.Less(t, last, 3*first+time.Second, "a change costs what it changes")
	for i := 7; i >= 0; i-- {
		r, err := s.Client.UndoRules(t.Context(), d.ID, api.TakeBack{})
		require.NoError(t, err)
		require.Len(t, r.Changes, i)
		if i == 0 {
			assert.Equal(t, text, r.Target.Text, "all of it is taken back, to the byte")
		}
	}
	written := func(i int) error {
		_, err := s.Client.ChangeRules(t.Context(), d.ID, api.NewShift{Words: "write", Steps: []edit.Step{{In: edit.Target,
			Do: edit.Write, Value: fmt.Sprintf("target: large\ncolumns:\n  - {name: a} # %d%s\n", i,
				strings.Repeat("y", 2<<20))}}})
		return err
	}
	for i := range 20 {
		if err = written(i); err != nil {
			break
		}
	}
	require.Error(t, err)
	assert.Equal(t, 422, err.(*client.Error).Status) //nolint:errorlint // as the client says
	assert.ErrorContains(t, err, "save what it holds, and go on from there")
	_, err = s.Client.Rules(t.Context(), d.ID)
	require.NoError(t, err, "what was kept before is there")
}

// A small delivery does not wait for a large one, also where one piece of work is done at a time.
func TestSmallDeliveriesPassLargeOnes(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	var target strings.Builder
	target.WriteString("target: slow\ncolumns:\n  - {name: a, datatype: string}\nrowRules:\n")
	for i := range 40 {
		// Of a shape that the library evaluates, row by row.
		fmt.Fprintf(&target, "  - {name: r%d, condition: 'a.split(\"%d\").size() < 100'}\n", i, i)
	}
	_, err := s.Client.AddTarget(t.Context(), []byte(target.String()))
	require.NoError(t, err)
	large, err := s.Client.AddDelivery(t.Context(), "large.csv",
		strings.NewReader("a\n"+strings.Repeat("some text or other\n", 500_000)))
	require.NoError(t, err)
	small, err := s.Client.AddDelivery(t.Context(), "small.csv", strings.NewReader("a\nx\n"))
	require.NoError(t, err)
	start := func(d api.Delivery) api.Run {
		run, err := s.Client.StartRun(t.Context(), api.NewRun{Delivery: d.ID, Target: "slow"})
		require.NoError(t, err)
		return run
	}
	state := func(run api.Run) string {
		run, err := s.Client.Run(t.Context(), run.ID)
		require.NoError(t, err)
		return run.State
	}
	long := start(large)
	servicetest.Await(t, "the large one runs", func() bool { return state(long) == "running" })
	short := start(small)
	servicetest.Await(t, "the small one is done", func() bool { return state(short) == "done" })
	assert.Equal(t, "running", state(long), "while the large one is not")
	_, err = s.Client.CancelRun(t.Context(), long.ID)
	require.NoError(t, err)
	servicetest.Await(t, "the large one ends", func() bool { return state(long) == "cancelled" })
}
