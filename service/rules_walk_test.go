package service_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Whatever is changed, taken back, made again and saved, and in whatever order: the draft is what the changes that
// count make of the texts it began with, and a rehearsal is of that.
func TestDraftsAgainstAList(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	version := 1
	rapid.Check(t, func(t *rapid.T) {
		_, err := s.Client.BeginRules(ctx, id, api.NewRules{Target: "tickets", Mapping: "north"})
		require.NoError(t, err)
		limit := func(r api.Rules) any {
			columns := r.Target.View.(map[string]any)["columns"].([]any)
			return columns[3].(map[string]any)["maximum"]
		}
		start, err := s.Client.Rules(ctx, id)
		require.NoError(t, err)
		saved := fmt.Sprint(limit(start))
		var done, undone []string // the limits that changes set
		for range rapid.IntRange(1, 8).Draw(t, "deeds") {
			var r api.Rules
			var err error
			switch deed := rapid.SampledFrom([]string{"change", "change", "undo", "redo", "wrong", "save"}).Draw(t,
				"deed"); deed {
			case "change":
				to := fmt.Sprint(1000 + rapid.IntRange(0, 3).Draw(t, "limit"))
				r, err = s.Client.ChangeRules(ctx, id, api.NewShift{Words: "limit", Steps: []edit.Step{
					step("target", "set", "columns kg maximum", numberOf(to))}})
				require.NoError(t, err)
				if now := append([]string{saved}, done...); now[len(now)-1] != to { // what it says already is no change
					done, undone = append(done, to), nil
				}
			case "undo", "redo":
				from, to, ask := &done, &undone, s.Client.UndoRules
				if deed == "redo" {
					from, to, ask = &undone, &done, s.Client.RedoRules
				}
				r, err = ask(ctx, id, api.TakeBack{})
				if len(*from) == 0 {
					assert.Equal(t, 409, servicetest.Status(err))
					r, err = s.Client.Rules(ctx, id)
				} else {
					last := (*from)[len(*from)-1]
					*from, *to = (*from)[:len(*from)-1], append(*to, last)
				}
				require.NoError(t, err)
			case "wrong":
				_, err = s.Client.ChangeRules(ctx, id, api.NewShift{Words: "nonsense", Steps: []edit.Step{
					step("target", "set", "columns kg maximum", "much")}})
				assert.Equal(t, 422, servicetest.Status(err), "what makes no target changes nothing")
				r, err = s.Client.Rules(ctx, id)
				require.NoError(t, err)
			case "save":
				r, err = s.Client.SaveRules(ctx, id, api.SaveRules{})
				require.NoError(t, err)
				if len(done) > 0 {
					saved = done[len(done)-1]
				}
				done, undone = nil, nil
				assert.GreaterOrEqual(t, r.Target.Version, version)
				version = r.Target.Version
			}
			want := saved
			if len(done) > 0 {
				want = done[len(done)-1]
			}
			assert.Equal(t, want, fmt.Sprint(limit(r)))
			assert.Equal(t, []int{len(done), len(undone)}, []int{len(r.Changes), len(r.Undone)})
			assert.Equal(t, want != saved, r.Target.Changed)
		}
		tried, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
		require.NoError(t, err)
		wrong := slices.IndexFunc(tried.Broken, func(b api.BrokenRule) bool {
			return b.Column == "kg" && b.Code.String() == "range.high"
		})
		assert.GreaterOrEqual(t, wrong, 0, "70000 is beyond each of the limits")
	})
}

// numberOf makes a number of a text.
func numberOf(text string) (n int) {
	fmt.Sscan(text, &n)
	return n
}
