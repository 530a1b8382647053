package service_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/edit"
	"sieb/core/sift"
	"sieb/service/api"
	"sieb/service/servicetest"
)

const (
	ticketsTarget = `target: tickets
title: Tickets
columns:
  - {name: no, required: true, unique: true}
  - {name: day, datatype: date}
  - {name: crop, oneOf: [wheat, rye]}
  - {name: kg, datatype: integer, maximum: 60000}
`
	ticketsMapping = "mapping: north\ntarget: tickets\ncolumns:\n  crop: {remedies: [trim]}\n"
	ticketsFile    = "no,day,crop,kg\nA1,2026-07-01,wheat,500\nA2,02.07.2026,rye,n/a\nA3,2026-07-03,weat,70000\n" +
		"A1,2026-07-04, rye,5\nA5,,maize,7\n"
)

// step makes a step of a draft, of a path with blanks between its parts.
func step(in, do, path string, value any) edit.Step {
	return edit.Step{In: in, Do: do, Path: strings.Fields(path), Value: value}
}

// begin hands a delivery in and begins a draft of rules for it.
func begin(t *testing.T, s *kit, file string) (id string, r api.Rules) {
	t.Helper()
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte(ticketsTarget))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(ctx, []byte(ticketsMapping))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(ctx, "tickets.csv", strings.NewReader(file))
	require.NoError(t, err)
	r, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "tickets", Mapping: "north"})
	require.NoError(t, err)
	return d.ID, r
}

// A draft of rules is changed step by step, taken back as far as it goes, survives the service, and
// is saved as versions of what it has changed.
func TestRulesDraft(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, r := begin(t, s, ticketsFile)
	assert.Equal(t, []any{"tickets", 1, false}, []any{r.Target.Name, r.Target.Version, r.Target.Changed})
	assert.Equal(t, []any{"north", 1, false}, []any{r.Mapping.Name, r.Mapping.Version, r.Mapping.Changed})

	_, err := s.Client.UndoRules(ctx, id, api.TakeBack{})
	assert.ErrorContains(t, err, "there is no change that could be taken back")
	change := func(words string, steps ...edit.Step) (api.Rules, error) {
		return s.Client.ChangeRules(ctx, id, api.NewShift{Words: words, Steps: steps})
	}
	_, err = change("nonsense", step("mapping", "set", "columns crop remedies", []any{"polish"}))
	assert.Equal(t, 422, servicetest.Status(err))
	assert.ErrorContains(t, err, `there is no remedy "polish"`)
	_, err = change("no such step", step("mapping", "paint", "columns crop", "x"))
	assert.Equal(t, 422, servicetest.Status(err))
	r, err = change("treat n/a as missing", step("mapping", "add", "columns kg null", "n/a"))
	require.NoError(t, err)
	assert.Contains(t, r.Mapping.Text, "kg: {null: [n/a]}")
	r, err = change("raise the maximum", step("target", "set", "columns kg maximum", 80000))
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true}, []bool{r.Target.Changed, r.Mapping.Changed})
	r, err = s.Client.UndoRules(ctx, id, api.TakeBack{})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{len(r.Changes), len(r.Undone)})
	assert.False(t, r.Target.Changed)
	r, err = s.Client.RedoRules(ctx, id, api.TakeBack{})
	require.NoError(t, err)
	assert.Contains(t, r.Target.Text, "maximum: 80000")
	r, err = s.Client.UndoRules(ctx, id, api.TakeBack{})
	require.NoError(t, err)
	r, err = change("in German", step("target", "set", "columns kg title", "x"))
	assert.ErrorContains(t, err, `no property "title"`)
	r, err = change("describe it", step("target", "set", "columns kg description", "net: weight"))
	require.NoError(t, err)
	assert.Empty(t, r.Undone, "a new change drops what was taken back")
	_, err = s.Client.RedoRules(ctx, id, api.TakeBack{})
	assert.Equal(t, 409, servicetest.Status(err))

	require.NoError(t, s.Stop())
	s = &kit{servicetest.Start(t, s.Data, nil)}
	r, err = s.Client.Rules(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"treat n/a as missing", "describe it"}, []string{r.Changes[0].Words, r.Changes[1].Words})

	// Somebody else saves a version meanwhile.
	other, err := s.Client.AddMapping(ctx, []byte(ticketsMapping+"leftOut: [remarks]\n"))
	require.NoError(t, err)
	require.Equal(t, 2, other.Version)
	_, err = s.Client.SaveRules(ctx, id, api.SaveRules{})
	assert.Equal(t, 409, servicetest.Status(err))
	assert.ErrorContains(t, err, "version 2 of the mapping north was saved meanwhile")
	r, err = s.Client.SaveRules(ctx, id, api.SaveRules{Over: true})
	require.NoError(t, err)
	assert.Equal(t, []any{2, 3, 0, false}, []any{r.Target.Version, r.Mapping.Version, len(r.Changes), r.Target.Changed})
	saved, err := s.Client.Target(ctx, "tickets", 0)
	require.NoError(t, err)
	assert.Contains(t, saved.Text, `description: "net: weight"`)

	require.NoError(t, s.Client.DropRules(ctx, id))
	_, err = s.Client.Rules(ctx, id)
	assert.Equal(t, 404, servicetest.Status(err))
}

// What is begun without a target, or without a mapping, is drafted from the delivery, under names that are free.
func TestDraftedRules(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	r, err := s.Client.BeginRules(ctx, id, api.NewRules{})
	require.NoError(t, err)
	assert.Equal(t, "tickets_2", r.Target.Name)
	assert.Zero(t, r.Target.Version)
	assert.Nil(t, r.Mapping)
	_, err = s.Client.SaveRules(ctx, id, api.SaveRules{Target: "tickets"})
	assert.Equal(t, 409, servicetest.Status(err))
	assert.ErrorContains(t, err, `there is a target "tickets" already: choose another name`)
	r, err = s.Client.SaveRules(ctx, id, api.SaveRules{Target: "weighings"})
	require.NoError(t, err)
	assert.Equal(t, []any{"weighings", 1}, []any{r.Target.Name, r.Target.Version})

	r, err = s.Client.BeginRules(ctx, id, api.NewRules{Target: "tickets", DraftMapping: true})
	require.NoError(t, err)
	assert.Contains(t, r.Mapping.Text, "target: tickets")
	for _, n := range []api.NewRules{{Mapping: "north"}, {Target: "nobody"}, {Target: "weighings", Mapping: "north"},
		{Target: "tickets", Mapping: "north", DraftMapping: true}, {Name: "no name"}} {
		_, err := s.Client.BeginRules(ctx, id, n)
		assert.Contains(t, []int{404, 422}, servicetest.Status(err), "%+v", n)
	}
}

// A rehearsal is what a run gives: tally, violations, and which rows changed sides since the saved versions.
func TestRehearsal(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	r, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	run := s.sift(t, api.NewRun{Delivery: id, Target: "tickets", Mapping: "north"})
	assert.Equal(t, *run.Tally, r.Tally)
	assert.Equal(t, run.Verdict, r.Verdict)
	assert.Equal(t, len(run.Violations), len(r.Broken))
	assert.Nil(t, r.Since)
	fits := map[string]int64{}
	for _, c := range r.Columns {
		fits[c.Column] = c.Wrong
	}
	assert.Equal(t, map[string]int64{"no": 1, "day": 1, "crop": 2, "kg": 2}, fits)

	values, err := s.Client.RehearsalValues(ctx, id, api.AskValues{Column: "kg"})
	require.NoError(t, err)
	assert.Equal(t, 2, values.Total)
	assert.Equal(t, []any{"70000", int64(1), []int64{3}},
		[]any{values.Items[0].Value, values.Items[0].Count, values.Items[0].Rows})
	found, err := s.Client.RehearsalValues(ctx, id, api.AskValues{Column: "kg", Find: "N/"})
	require.NoError(t, err)
	assert.Equal(t, "n/a", found.Items[0].Value)

	_, err = s.Client.ChangeRules(ctx, id, api.NewShift{Words: "two cures", Steps: []edit.Step{
		{In: edit.Mapping, Do: edit.Add, Path: []string{"columns", "kg", "null"}, Value: "n/a", Base: []any{""}},
		{In: edit.Mapping, Do: edit.Set, Path: []string{"columns", "day", "format"},
			Value: []any{"yyyy-MM-dd", "dd.MM.yyyy"}}}})
	require.NoError(t, err)
	r, err = s.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	require.NotNil(t, r.Since)
	assert.Equal(t, sift.Shift{Gained: 1, Mended: 1, SameCount: true}, r.Since.Shift)
	assert.Equal(t, run.Tally.Accepted+1, r.Tally.Accepted)

	rows, err := s.Client.RehearsalRows(ctx, id, api.AskMade{Side: "changed"})
	require.NoError(t, err)
	require.Len(t, rows.Items, 1)
	row := rows.Items[0]
	assert.Equal(t, []any{int64(2), "accepted", "rejected", "02.07.2026", "2026-07-02"}, []any{row.Row, row.Side, row.Was,
		row.Cells[1], *row.Values[1]})
	assert.Nil(t, row.Values[3], "n/a is no value now")

	rows, err = s.Client.RehearsalRows(ctx, id, api.AskMade{Column: "no"})
	require.NoError(t, err)
	require.Len(t, rows.Items, 1)
	assert.Contains(t, rows.Items[0].Violations[0].Message, `"A1" is already in row 1`)
	rows, err = s.Client.RehearsalRows(ctx, id, api.AskMade{Side: "rejected", Limit: 2, Columns: []string{"crop"}})
	require.NoError(t, err)
	assert.Equal(t, []any{true, []string{"crop"}, int64(3)}, []any{rows.More, rows.Columns, rows.Items[0].Row})

	// Texts of one's own are tried without a draft.
	alone, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{Target: "target: x\ncolumns:\n  - {name: no}\n"}, nil)
	require.NoError(t, err)
	assert.Equal(t, alone.Tally.Read, alone.Tally.Accepted)
	_, err = s.Client.Rehearse(ctx, id, api.AskRehearsal{Target: "target: x\n"}, nil)
	assert.Equal(t, 422, servicetest.Status(err))
}

// What a suggestion states is what the draft then gives.
func TestSuggestionsOfADraft(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	all, err := s.Client.Suggest(ctx, id, api.AskSuggestions{}, nil)
	require.NoError(t, err)
	require.NotEmpty(t, all.Items)
	require.NotNil(t, all.Together)
	var words []string
	for _, one := range all.Items {
		words = append(words, one.Words)
		_, err := s.Client.ChangeRules(ctx, id, api.NewShift{Words: one.Words, Steps: one.Steps})
		require.NoError(t, err, one.Words)
		r, err := s.Client.Rehearse(ctx, id, api.AskRehearsal{}, nil)
		require.NoError(t, err)
		if assert.NotNil(t, r.Since, one.Words) {
			assert.Equal(t, []int64{one.Effect.Rescued, one.Effect.Broken, one.Effect.Excluded},
				[]int64{r.Since.Gained, r.Since.Lost, r.Since.Excluded}, one.Words)
		}
		_, err = s.Client.UndoRules(ctx, id, api.TakeBack{})
		require.NoError(t, err)
	}
	assert.Contains(t, words, "recode “weat” to “wheat”")
	one, err := s.Client.Suggest(ctx, id, api.AskSuggestions{Column: "crop", Values: []string{"maize"}}, nil)
	require.NoError(t, err)
	for _, o := range one.Items {
		assert.NotContains(t, o.Words, "weat")
	}
}

// On a large delivery the first rows come at once, and what nobody waits for is broken off.
func TestRehearsalOfALargeDelivery(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte(ticketsTarget))
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString("no,day,crop,kg\n")
	for i := range 170_000 {
		fmt.Fprintf(&b, "N%d,2026-07-01,wheat,%d\n", i, i)
	}
	d, err := s.Client.AddDelivery(ctx, "large.csv", strings.NewReader(b.String()))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "tickets"})
	require.NoError(t, err)
	var seen []api.Rehearsal
	r, err := s.Client.Rehearse(ctx, d.ID, api.AskRehearsal{}, func(r api.Rehearsal) { seen = append(seen, r) })
	require.NoError(t, err)
	assert.Equal(t, sift.Tally{Read: 170_000, Accepted: 60_001, Rejected: 109_999}, r.Tally)
	assert.False(t, seen[0].Whole)
	assert.GreaterOrEqual(t, seen[0].Tally.Read, int64(100_000))
	assert.Less(t, seen[0].Tally.Read, int64(170_000))
	assert.Empty(t, seen[0].Verdict, "of the first rows there is no verdict")
	values, err := s.Client.RehearsalValues(ctx, d.ID, api.AskValues{Column: "kg", Limit: 10})
	require.NoError(t, err)
	assert.Equal(t, []int{100_000, 10}, []int{values.Total, len(values.Items)}, "as many as are counted one by one")
	assert.Equal(t, []any{true, int64(170_000)}, []any{values.Whole, values.Rows}, "they say in how many rows they were counted")

	_, err = s.Client.ChangeRules(ctx, d.ID, api.NewShift{Words: "more", Steps: []edit.Step{
		step("target", "set", "columns kg maximum", 70000)}})
	require.NoError(t, err)
	leaving, leave := context.WithCancel(ctx)
	_, err = s.Client.Rehearse(leaving, d.ID, api.AskRehearsal{}, func(api.Rehearsal) { leave() })
	assert.ErrorIs(t, err, context.Canceled)
	r, err = s.Client.Rehearse(ctx, d.ID, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	assert.Equal(t, int64(10_000), r.Since.Gained)
}

// Values that do not fit say in how many rows they were counted, those that reject rows stand first, and those that are
// accepted and flagged can be told apart.
func TestWrongValuesSayWhatTheyAreOf(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: days\ncolumns:\n  - {name: no}\n  - {name: kg, datatype: integer, maximum: 9, "+
		"onViolation: {range.high: flag, type.integer: reject}}\n"))
	require.NoError(t, err)
	file := "no,kg\n"
	for i := range 40 {
		file += fmt.Sprintf("%d,%s\n", i, []string{"5", "70", "80", "x"}[i%4])
	}
	d, err := s.Client.AddDelivery(ctx, "days.csv", strings.NewReader(file+"40,x\n"))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "days"})
	require.NoError(t, err)
	for only, want := range map[string][]string{"": {"x", "70", "80"}, "wrong": {"x"}, "flagged": {"70", "80"}} {
		values, err := s.Client.RehearsalValues(ctx, d.ID, api.AskValues{Column: "kg", Only: only})
		require.NoError(t, err)
		var got []string
		for _, v := range values.Items {
			got = append(got, v.Value)
		}
		assert.Equal(t, want, got, only)
		assert.Equal(t, []any{len(want), true, int64(41)}, []any{values.Total, values.Whole, values.Rows})
	}
	_, err = s.Client.RehearsalValues(ctx, d.ID, api.AskValues{Column: "kg", Only: "some"})
	assert.Equal(t, 422, servicetest.Status(err))
}

// What is demanded of other tables and code lists is suggested where they are there, tried against them, and taken
// as it is; a profile that was made is used, and its findings are named.
func TestSuggestionsReferToWhatIsThere(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: growers\ncolumns:\n  - {name: grower_no, required: true, unique: true}\n"))
	require.NoError(t, err)
	_, err = s.Client.AddTarget(ctx, []byte("target: never_sifted\ncolumns:\n  - {name: grower_no, unique: true}\n"))
	require.NoError(t, err)
	_, err = s.Client.AddCodes(ctx, "sites", "", []byte("code\nAhrensee\nDornau\n"))
	require.NoError(t, err)
	register := s.add(t, "growers.csv", "grower_no\nG0\nG1\nG2\nG3\nG4\nG5\n")
	s.sift(t, api.NewRun{Delivery: register.ID, Target: "growers"})

	_, err = s.Client.AddTarget(ctx, []byte("target: tickets\ncolumns:\n  - {name: no}\n  - {name: grower_no}\n  - {name: site}\n"))
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString("no,grower_no,site\n")
	for i := range 70 {
		no := fmt.Sprintf("T-%03d", i)
		if i == 50 {
			no = "T-051"
		}
		fmt.Fprintf(&b, "%s,G%d,%s\n", no, i%7, []string{"Ahrensee", "Dornau"}[i%2])
	}
	d := s.add(t, "tickets.csv", b.String())
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "tickets"})
	require.NoError(t, err)
	_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
	require.NoError(t, err)
	var p api.DeliveryProfile
	servicetest.Await(t, "the profile is made", func() bool {
		p, err = s.Client.Profile(ctx, d.ID)
		return err == nil && p.State == "done"
	})
	// What is suggested, in words, with the findings that it deals with.
	suggested := func(ask api.AskSuggestions) map[string][]int {
		found, err := s.Client.Suggest(ctx, d.ID, ask, nil)
		require.NoError(t, err)
		said := map[string][]int{}
		for _, one := range found.Items {
			require.NotNil(t, one.Effect)
			said[fmt.Sprintf("%s: %s, breaks %d", one.Column, one.Words, one.Effect.Broken)] = one.Findings
		}
		return said
	}
	all := suggested(api.AskSuggestions{})
	const lost = "grower_no: demand a row of growers with this grower_no, breaks 10"
	const key = "no: demand that no value occurs twice, breaks 1"
	assert.Contains(t, all, lost)
	assert.Contains(t, all, "site: demand a code of the list sites, breaks 0")
	assert.Contains(t, all, key)
	require.Len(t, all[key], 1)
	assert.Equal(t, "key.repeated", p.Profile.Findings[all[key][0]].Code)
	for words := range all {
		assert.NotContains(t, words, "never_sifted")
	}
	one := suggested(api.AskSuggestions{Column: "grower_no"})
	assert.Contains(t, one, lost)
	assert.NotContains(t, one, key)

	// It is taken, and a run gives what it said.
	found, err := s.Client.Suggest(ctx, d.ID, api.AskSuggestions{Column: "grower_no"}, nil)
	require.NoError(t, err)
	_, err = s.Client.ChangeRules(ctx, d.ID, api.NewShift{Words: "refer", Steps: found.Items[0].Steps})
	require.NoError(t, err)
	saved, err := s.Client.SaveRules(ctx, d.ID, api.SaveRules{})
	require.NoError(t, err)
	r := s.sift(t, api.NewRun{Delivery: d.ID, Target: saved.Target.Name})
	assert.Equal(t, &sift.Tally{Read: 70, Accepted: 60, Rejected: 10}, r.Tally)
}

// A draft begins with a text that is not saved, and with how the sender of the file writes.
func TestRulesOfATextThatIsNotSaved(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	d := s.add(t, "hof.csv", "No;Day\nA1;01.07.2026\nA2;02.07.2026\nA3;15.07.2026\n")
	text := "target: tickets\ncolumns:\n  - {name: no, required: true}\n  - {name: day, datatype: date, required: true}\n"
	r, err := s.Client.BeginRules(ctx, d.ID, api.NewRules{Text: text, DraftMapping: true})
	require.NoError(t, err)
	assert.Equal(t, text, r.Target.Text)
	require.NotNil(t, r.Mapping)
	assert.Contains(t, r.Mapping.Text, "dd.MM.yyyy")
	_, err = s.Client.Target(ctx, "tickets", 0)
	assert.Equal(t, 404, servicetest.Status(err), "nothing is saved unasked")
	tried, err := s.Client.Rehearse(ctx, d.ID, api.AskRehearsal{}, nil)
	require.NoError(t, err)
	assert.Equal(t, int64(3), tried.Tally.Accepted)
	saved, err := s.Client.SaveRules(ctx, d.ID, api.SaveRules{By: "Wiebke"})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{saved.Target.Version, saved.Mapping.Version})

	// The name is taken now: another one is asked for.
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{
		Text: strings.Replace(text, "required: true", "required: false", 1)})
	require.NoError(t, err)
	_, err = s.Client.SaveRules(ctx, d.ID, api.SaveRules{})
	assert.Equal(t, 409, servicetest.Status(err))
	saved, err = s.Client.SaveRules(ctx, d.ID, api.SaveRules{Target: "tickets_north"})
	require.NoError(t, err)
	assert.Equal(t, "tickets_north", saved.Target.Name)
}
