package service_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// A change that cannot be made says why, names the place, and leaves the draft as it is.
func TestChangesThatCannotBeMade(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, before := begin(t, s, ticketsFile)
	deep := any("x")
	for range 200 {
		deep = []any{deep}
	}
	for name, c := range map[string]struct {
		steps []edit.Step
		want  string
	}{
		"no such text":         {[]edit.Step{step("layout", "set", "title", "x")}, `one of "target, mapping"`},
		"nothing known to do":  {[]edit.Step{step("target", "twist", "title", "x")}, "steps[0].do"},
		"no such property":     {[]edit.Step{step("target", "set", "colour", "red")}, "colour"},
		"no such column":       {[]edit.Step{step("target", "set", "columns nix datatype", "date")}, "nix"},
		"no such datatype":     {[]edit.Step{step("target", "set", "columns kg datatype", "weight")}, "weight"},
		"a limit that is none": {[]edit.Step{step("target", "set", "columns kg maximum", "heavy")}, "heavy"},
		"limits that cross":    {[]edit.Step{step("target", "set", "columns kg minimum", 70000)}, "60000"},
		"a pattern that is none": {[]edit.Step{step("mapping", "set", "columns day format", "dd.QQ.yyyy")},
			"QQ"},
		"a remedy that is none": {[]edit.Step{step("mapping", "add", "columns crop remedies", "polish")}, "polish"},
		"a rule over nothing": {[]edit.Step{step("target", "add", "rowRules",
			map[string]any{"name": "r", "condition": "weight > 3"})}, "weight"},
		"a condition that is none": {[]edit.Step{step("target", "add", "rowRules",
			map[string]any{"name": "r", "condition": "kg >"})}, "something is missing"},
		"a key over nothing": {[]edit.Step{step("target", "set", "key", []any{"number"})}, "number"},
		"the target of a mapping": {[]edit.Step{step("mapping", "set", "target", "elsewhere")},
			"elsewhere"},
		"a text that is no YAML": {[]edit.Step{{In: "target", Do: "write", Value: "target: [tickets\n"}}, "line"},
		"the last column":        {drops("no", "day", "crop", "kg"), "column"},
		"beyond all bounds":      {[]edit.Step{step("target", "set", "title", deep)}, ""},
		// What comes first is right; nothing of it is kept.
		"half right": {[]edit.Step{step("target", "set", "title", "New"),
			step("target", "set", "columns nix unique", true)}, "nix"},
	} {
		_, err := s.Client.ChangeRules(ctx, id, api.NewShift{Words: name, Steps: c.steps})
		if assert.Error(t, err, name) {
			assert.Equal(t, 422, servicetest.Status(err), "%s: %v", name, err)
			assert.Contains(t, err.Error(), c.want, name)
		}
	}
	after, err := s.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, before, after)

	for name, c := range map[string]func() error{
		"nothing to take back": func() error { _, err := s.Client.UndoRules(ctx, id, api.TakeBack{}); return err },
		"nothing to redo":      func() error { _, err := s.Client.RedoRules(ctx, id, api.TakeBack{}); return err },
	} {
		assert.Equal(t, 409, servicetest.Status(c()), name)
	}
	for name, call := range map[string]func() error{
		"show":    func() error { _, err := s.Client.Rules(ctx, "none"); return err },
		"begin":   func() error { _, err := s.Client.BeginRules(ctx, "none", api.NewRules{Target: "tickets"}); return err },
		"change":  func() error { _, err := s.Client.ChangeRules(ctx, "none", shift("x")); return err },
		"undo":    func() error { _, err := s.Client.UndoRules(ctx, "none", api.TakeBack{}); return err },
		"save":    func() error { _, err := s.Client.SaveRules(ctx, "none", api.SaveRules{}); return err },
		"try":     func() error { _, err := s.Client.Rehearse(ctx, "none", api.AskRehearsal{}, nil); return err },
		"suggest": func() error { _, err := s.Client.Suggest(ctx, "none", api.AskSuggestions{}, nil); return err },
	} {
		assert.Equal(t, 404, servicetest.Status(call()), name)
	}
}

func drops(columns ...string) (all []edit.Step) {
	for _, c := range columns {
		all = append(all, edit.Step{In: "target", Do: "drop", Path: []string{"columns", c}})
	}
	return all
}

// shift is a change that is always possible.
func shift(title string) api.NewShift {
	return api.NewShift{Words: "title " + title, Steps: []edit.Step{step("target", "set", "title", title)}}
}

// Twenty who change one draft at once lose nothing: each change is there, or was refused.
func TestChangesAtOnce(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	var made sync.Map
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			title := fmt.Sprint("T", i)
			if _, err := s.Client.ChangeRules(ctx, id, shift(title)); err == nil {
				made.Store("title "+title, true)
			} else {
				assert.Contains(t, []int{409, 422, 503}, servicetest.Status(err), "%v", err)
			}
		})
	}
	all.Wait()
	r, err := s.Client.Rules(ctx, id)
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, c := range r.Changes {
		assert.False(t, seen[c.Words], "no change is made twice")
		seen[c.Words] = true
	}
	made.Range(func(words, _ any) bool {
		assert.True(t, seen[words.(string)], "%s was said to be made", words)
		return true
	})
	for range r.Changes {
		_, err := s.Client.UndoRules(ctx, id, api.TakeBack{})
		require.NoError(t, err)
	}
	r, err = s.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.False(t, r.Target.Changed, "undo goes back to the beginning")
}

// Who saves over a version that came meanwhile is asked first.
func TestSavingOverAnother(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	_, err := s.Client.ChangeRules(ctx, id, shift("Mine"))
	require.NoError(t, err)
	_, err = s.Client.AddTarget(ctx, []byte(strings.Replace(ticketsTarget, "title: Tickets", "title: Theirs", 1)))
	require.NoError(t, err)
	_, err = s.Client.SaveRules(ctx, id, api.SaveRules{})
	assert.Equal(t, 409, servicetest.Status(err))
	assert.ErrorContains(t, err, "meanwhile")
	r, err := s.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.Len(t, r.Changes, 1, "the draft is kept")
	r, err = s.Client.SaveRules(ctx, id, api.SaveRules{Over: true, By: "Wiebke"})
	require.NoError(t, err)
	assert.Equal(t, 3, r.Target.Version)
	assert.Empty(t, r.Changes)
	for _, name := range []string{"No Name", "tickets\x00", strings.Repeat("n", 300)} {
		_, err = s.Client.ChangeRules(ctx, id, shift("again "+fmt.Sprint(len(name))))
		require.NoError(t, err)
		_, err = s.Client.SaveRules(ctx, id, api.SaveRules{Target: name})
		assert.Equal(t, 422, servicetest.Status(err), "%q: %v", name, err)
	}
}

// Whoever goes while rows are counted breaks nothing for those who stay, and the draft outlives
// its service at each step.
func TestRehearsalsThatAreGivenUp(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	var large strings.Builder
	large.WriteString("no,day,crop,kg\n")
	for i := range 110_000 {
		fmt.Fprintf(&large, "A%d,2026-07-01,wheat,%d\n", i, i%70_000)
	}
	id, _ := begin(t, s, large.String())
	for range 3 {
		giveUp, stop := context.WithCancel(ctx)
		_, err := s.Client.Rehearse(giveUp, id, api.AskRehearsal{}, func(api.Rehearsal) { stop() })
		stop()
		if err != nil { // it may have been whole already
			assert.ErrorIs(t, err, context.Canceled)
		}
	}
	whole, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	assert.True(t, whole.Whole)
	assert.Equal(t, int64(110_000), whole.Tally.Read)
	assert.Equal(t, whole.Tally.Read, whole.Tally.Accepted+whole.Tally.Rejected+whole.Tally.Excluded)

	_, err = s.Client.ChangeRules(ctx, id, api.NewShift{Words: "heavier", Steps: []edit.Step{
		step("target", "set", "columns kg maximum", 80000)}})
	require.NoError(t, err)
	stopped := make(chan error, 1)
	first := make(chan struct{})
	go func() {
		var once sync.Once
		_, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{}, func(api.Rehearsal) { once.Do(func() { close(first) }) })
		stopped <- err
	}()
	<-first
	require.NoError(t, s.Stop())
	select {
	case <-stopped: // with an end or with an error, but it ends
	case <-time.After(5 * time.Minute):
		t.Fatal("a rehearsal outlives its service")
	}
	again := servicetest.Start(t, s.Data, nil)
	r, err := again.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.Len(t, r.Changes, 1)
	whole, err = again.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	assert.Equal(t, whole.Tally.Read, whole.Tally.Accepted)
	require.NotNil(t, whole.Since)
	assert.Equal(t, whole.Since.Tally.Rejected, whole.Since.Gained)

	// Deleting the delivery takes its draft along, and says so to who asks.
	request, err := http.NewRequestWithContext(ctx, http.MethodDelete, again.Address+"/api/v1/deliveries/"+id, nil)
	require.NoError(t, err)
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	require.Equal(t, http.StatusNoContent, answer.StatusCode)
	_, err = again.Client.Rules(ctx, id)
	assert.Equal(t, 404, servicetest.Status(err))
	assert.False(t, errors.Is(err, context.Canceled))
}
