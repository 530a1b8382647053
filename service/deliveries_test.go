package service_test

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/edit"
	"sieb/core/layout"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// add hands in a small delivery.
func (s *kit) add(t *testing.T, name, text string) api.Delivery {
	t.Helper()
	d, err := s.Client.AddDelivery(t.Context(), name, strings.NewReader(text))
	require.NoError(t, err)
	return d
}

// sift runs a delivery to its end.
func (s *kit) sift(t *testing.T, order api.NewRun) api.Run {
	t.Helper()
	r, err := s.Client.StartRun(t.Context(), order)
	require.NoError(t, err)
	r, err = s.Client.Follow(t.Context(), r.ID, nil)
	require.NoError(t, err)
	return r
}

const flagging = `
target: flagging
columns:
  - {name: no, datatype: integer}
  - {name: kg, datatype: integer, maximum: 50, onViolation: blank}
  - {name: day, datatype: date, minimum: 2026-01-01, onViolation: flag}
`

// Deliveries are found by name, note and state, and each state that a list filters by is
// the state that the deliveries it lists show.
func TestFindingDeliveries(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx,
		[]byte("target: strict\ncolumns: [{name: a, datatype: integer}]\ntolerance: {rejected: 50%}\n"))
	require.NoError(t, err)
	states := map[string]string{
		"arrived": "a\n1\n", "accepted": "a\n2\n", "split": "a\n1\n2\nx\n", "refused": "a\nx\n", "failed": "a\n3\n",
	}
	for state, text := range states {
		d := s.add(t, "Ähren 100%_"+state+".csv", text)
		switch state {
		case "arrived":
			s.sift(t, api.NewRun{Delivery: d.ID}) // without a target it decides nothing
		case "failed":
			s.sift(t, api.NewRun{Delivery: d.ID, Target: "strict", Layout: &layout.Given{Form: ptr("workbook")}})
		default:
			s.sift(t, api.NewRun{Delivery: d.ID, Target: "strict"})
		}
	}
	picture := s.add(t, "scan.csv", "\x89PNG\r\n\x1a\n"+strings.Repeat("\x00", 90))
	assert.Equal(t, "refused", picture.State)
	assert.Contains(t, picture.Refusal, "a picture (PNG)")
	assert.Contains(t, picture.Refusal, "ask the sender for the table itself")
	total := 0
	for state := range states {
		page, err := s.Client.Deliveries(ctx, "", state, 0, 10)
		require.NoError(t, err)
		total += page.Total
		require.NotEmpty(t, page.Items, state)
		for _, d := range page.Items {
			assert.Equal(t, state, d.State, d.Name)
		}
	}
	assert.Equal(t, len(states)+1, total, "each delivery has one state")
	for find, want := range map[string]int{"ÄHREN": 5, "100%_S": 1, "%": 5, "_": 5, "scan": 1, "Ahren": 0, "": 6} {
		page, err := s.Client.Deliveries(ctx, find, "", 0, 2)
		require.NoError(t, err)
		assert.Equal(t, want, page.Total, find)
		assert.LessOrEqual(t, len(page.Items), 2)
	}
	both, err := s.Client.Deliveries(ctx, "scan", "refused", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 1, both.Total)
	_, err = s.Client.Deliveries(ctx, "", "lost", 0, 10)
	assert.Equal(t, 422, servicetest.Status(err))
}

// A delivery can be named anew and described; the name with which it arrived is kept.
func TestDescribingDeliveries(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	d := s.add(t, "export(3).csv", "a\r\n1\r\n")
	d, err := s.Client.Describe(t.Context(), d.ID, api.NewWords{Note: ptr("the second of July: \"Ernte\"\n")})
	require.NoError(t, err)
	assert.Equal(t, "export(3).csv", d.Name)
	assert.Empty(t, d.ArrivedAs)
	for _, name := range []string{"tickets-2026-07.csv", "tickets.csv"} {
		d, err = s.Client.Describe(t.Context(), d.ID, api.NewWords{Name: &name})
		require.NoError(t, err)
		assert.Equal(t, name, d.Name)
		assert.Equal(t, "export(3).csv", d.ArrivedAs, "its first name")
		assert.Equal(t, "the second of July: \"Ernte\"\n", d.Note)
	}
	found, err := s.Client.Deliveries(t.Context(), "ernte", "", 0, 1)
	require.NoError(t, err)
	assert.Equal(t, 1, found.Total, "notes are searched too")
	for _, name := range []string{"", "a/b.csv", "a\x00.csv", ".."} {
		_, err = s.Client.Describe(t.Context(), d.ID, api.NewWords{Name: &name})
		assert.Equal(t, 422, servicetest.Status(err), "%q", name)
	}
	_, err = s.Client.Describe(t.Context(), "none", api.NewWords{Note: ptr("x")})
	assert.Equal(t, 404, servicetest.Status(err))
	r := s.sift(t, api.NewRun{Delivery: d.ID, SHA256: true})
	resp, text := ask(t, s.Service, "GET", r.Outputs["accepted"], "")
	assert.Equal(t, "attachment; filename=tickets.accepted.csv", resp.Header.Get("Content-Disposition"))
	sum := sha256.Sum256([]byte(text))
	assert.Contains(t, s.Output(t, r.ID, "manifest.json"), hex.EncodeToString(sum[:]))
	assert.NotEqual(t, d.SHA256, hex.EncodeToString(sum[:]))
}

// A deleted delivery is gone with all that belongs to it, work under way too; its bytes
// go with the last delivery that has them, and its oldest repeat takes its place.
func TestDeletingDeliveries(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	large := s.Large(t, 40e6)
	running, err := s.Client.StartRun(ctx, api.NewRun{Delivery: large.ID})
	require.NoError(t, err)
	_, err = s.Client.StartProfile(ctx, large.ID, api.NewProfile{})
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, large.ID, api.NewRules{Text: "target: x\ncolumns: [{name: no}]\n"})
	require.NoError(t, err)
	servicetest.Await(t, "the run is under way", func() bool {
		r, err := s.Client.Run(ctx, running.ID)
		return err == nil && r.State == "running"
	})
	require.NoError(t, s.Client.DeleteDelivery(ctx, large.ID))
	for _, path := range []string{"", "/content", "/drafts", "/profile"} {
		resp, _ := ask(t, s.Service, "GET", "/api/v1/deliveries/"+large.ID+path, "")
		assert.Equal(t, 404, resp.StatusCode, path)
	}
	_, err = s.Client.Run(ctx, running.ID)
	assert.Equal(t, 404, servicetest.Status(err))
	_, err = s.Client.StartRun(ctx, api.NewRun{Delivery: large.ID})
	assert.Equal(t, 404, servicetest.Status(err))
	assert.Equal(t, 404, servicetest.Status(s.Client.DeleteDelivery(ctx, large.ID)))
	servicetest.Await(t, "no file of it is left", func() bool {
		left := 0
		for _, dir := range []string{"deliveries", "runs"} {
			_ = filepath.WalkDir(filepath.Join(s.Data, dir), func(_ string, e os.DirEntry, err error) error {
				if err == nil && !e.IsDir() {
					left++
				}
				return nil
			})
		}
		return left == 0
	})

	var same []api.Delivery
	for range 3 {
		same = append(same, s.add(t, "same.csv", "a\n1\n"))
	}
	assert.Equal(t, []string{"", same[0].ID, same[0].ID}, []string{same[0].RepeatOf, same[1].RepeatOf,
		same[2].RepeatOf})
	for k := range same {
		assert.Equal(t, "a\n1\n", s.content(t, same[k].ID), "its bytes are there as long as it is")
		require.NoError(t, s.Client.DeleteDelivery(ctx, same[k].ID))
		if k == 0 {
			second, err := s.Client.Delivery(ctx, same[1].ID)
			require.NoError(t, err)
			third, err := s.Client.Delivery(ctx, same[2].ID)
			require.NoError(t, err)
			assert.Equal(t, []string{"", same[1].ID}, []string{second.RepeatOf, third.RepeatOf})
		}
	}
	gone, err := s.Client.Deletions(ctx, 0, 2)
	require.NoError(t, err)
	assert.Equal(t, 4, gone.Total)
	assert.Equal(t, []string{same[2].ID, same[1].ID}, []string{gone.Items[0].ID, gone.Items[1].ID})
	again := s.add(t, "same.csv", "a\n1\n")
	assert.Empty(t, again.RepeatOf)
	assert.Equal(t, "a\n1\n", s.content(t, again.ID))
}

// Drafts outlast the service, and go when they are saved or thrown away.
func TestDrafts(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	d := s.add(t, "a.csv", "a;b\n1;2\n")
	none, err := s.Client.Drafts(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, api.Drafts{}, none)
	steps := []layout.Given{{}, {Delimiter: ptr(";")}}
	_, err = s.Client.KeepLayoutDraft(ctx, d.ID, api.LayoutDraft{Given: layout.Given{Delimiter: ptr(";"),
		HeaderRows: ptr(0)}, Before: steps})
	require.NoError(t, err)
	text := api.NewRules{Text: "target: x\ncolumns: [{name: a}] # ä\n"}
	_, err = s.Client.BeginRules(ctx, d.ID, text)
	require.NoError(t, err)
	_, err = s.Client.ChangeRules(ctx, d.ID, api.NewShift{Words: "b too",
		Steps: []edit.Step{{In: edit.Target, Do: edit.Add,
			Path: []string{"columns"}, Value: map[string]any{"name": "b"}}}})
	require.NoError(t, err)
	require.NoError(t, s.Stop())

	s = &kit{servicetest.Start(t, s.Data, nil)}
	kept, err := s.Client.Drafts(ctx, d.ID)
	require.NoError(t, err)
	require.NotNil(t, kept.Layout)
	assert.Equal(t, layout.Given{Delimiter: ptr(";"), HeaderRows: ptr(0)}, kept.Layout.Given)
	assert.Equal(t, steps, kept.Layout.Before)
	require.NotNil(t, kept.Rules)
	assert.Equal(t, "x", kept.Rules.Target)
	assert.Empty(t, kept.Rules.Mapping)
	assert.Equal(t, 1, kept.Rules.Changes)
	assert.False(t, kept.Rules.ChangedAt.IsZero())
	rules, err := s.Client.Rules(ctx, d.ID)
	require.NoError(t, err)
	assert.Contains(t, rules.Target.Text, "# ä")
	assert.Zero(t, rules.Target.Version)

	// Saved around what was set by hand: runs read by all of it, the station shows which.
	resp, body := ask(t, s.Service, http.MethodPut, "/api/v1/deliveries/"+d.ID+"/layout?settle=true",
		`{"delimiter":";","headerRows":0}`)
	require.Equal(t, 200, resp.StatusCode, body)
	var saved api.Delivery
	require.NoError(t, json.Unmarshal([]byte(body), &saved))
	assert.Equal(t, []string{"delimiter", "headerRows"}, saved.ByHand)
	require.NotNil(t, saved.Layout.Encoding)
	assert.Equal(t, 0, *saved.Layout.HeaderRows)
	kept, err = s.Client.Drafts(ctx, d.ID)
	require.NoError(t, err)
	assert.Nil(t, kept.Layout, "it is saved")
	for _, path := range []string{"/rules", "/rules", "/drafts/layout"} {
		resp, _ = ask(t, s.Service, http.MethodDelete, "/api/v1/deliveries/"+d.ID+path, "")
		assert.Equal(t, 204, resp.StatusCode, "what is not there can be thrown away, too")
	}
	kept, err = s.Client.Drafts(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, api.Drafts{}, kept)
	resp, _ = ask(t, s.Service, http.MethodDelete, "/api/v1/deliveries/"+d.ID+"/drafts/mapping", "")
	assert.Equal(t, 404, resp.StatusCode)
	_, err = s.Client.BeginRules(ctx, "none", text)
	assert.Equal(t, 404, servicetest.Status(err))
	for _, wrong := range []api.NewRules{{Text: "target: x\n"}, {Text: text.Text, Target: "x"},
		{Text: text.Text, Mapping: "m"},
		{Text: strings.Repeat("x", 5<<20)}, {DraftMapping: true}} {
		_, err = s.Client.BeginRules(ctx, d.ID, wrong)
		assert.Contains(t, []int{413, 422}, servicetest.Status(err))
	}
	_, err = s.Client.Rules(ctx, d.ID)
	assert.Equal(t, 404, servicetest.Status(err), "nothing was begun")
}

// Violations are shown one by one, those of flagged and blanked cells too.
func TestViolationsOneByOne(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte(flagging))
	require.NoError(t, err)
	d := s.add(t, "a.csv", "no,kg,day\n1,60,2026-02-01\n2,70,2025-02-01\n3,50,2025-03-01\nx,80,2026-02-01\n")
	r := s.sift(t, api.NewRun{Delivery: d.ID, Target: "flagging"})
	assert.Equal(t, int64(3), r.Tally.Accepted)
	high, err := s.Client.Violations(ctx, r.ID, "kg", "range.high", 1, 1)
	require.NoError(t, err)
	assert.Equal(t, 3, high.Total)
	require.Len(t, high.Items, 1)
	assert.Equal(t, []any{int64(2), int64(3), "70"}, []any{high.Items[0].Row, high.Items[0].Line, high.Items[0].Value})
	low, err := s.Client.Violations(ctx, r.ID, "day", "", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 2, low.Total)
	all, err := s.Client.Violations(ctx, r.ID, "", "", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 6, all.Total)
	for _, wrong := range [][2]string{{"kg", "range.hig"}, {"weight", ""}} {
		_, err = s.Client.Violations(ctx, r.ID, wrong[0], wrong[1], 0, 10)
		assert.Contains(t, []int{404, 422}, servicetest.Status(err), wrong)
	}
	_, err = s.Client.Violations(ctx, "none", "", "", 0, 10)
	assert.Equal(t, 404, servicetest.Status(err))
}
