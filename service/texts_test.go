package service_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/remedy"
	"sieb/core/report"
	"sieb/core/violation"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Mappings and code lists are kept in versions; a run names those that it was ordered with,
// and so does its manifest.
func TestMappingsAndCodes(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	const tickets = "target: tickets\ncolumns:\n  - {name: no, required: true, unique: true}\n" +
		"  - {name: site, oneOf: {codes: sites, strict: false}}\n  - {name: kg, datatype: integer}\n"
	_, err := s.Client.AddMapping(ctx, []byte("mapping: m\ntarget: tickets\n"))
	assert.ErrorContains(t, err, `there is no target "tickets", which the mapping is for`)
	_, err = s.Client.AddTarget(ctx, []byte(tickets))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(ctx, []byte("mapping: m\ntarget: tickets\ncolumns: {kgg: {from: x}}\n"))
	assert.Equal(t, 422, servicetest.Status(err))
	assert.ErrorContains(t, err, "line 3, column 11")
	one, err := s.Client.AddMapping(ctx,
		[]byte("mapping: m\ntitle: First\ntarget: tickets\ncolumns: {kg: {from: Weight}}\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{"m", 1, "tickets", "First"}, []any{one.Name, one.Version, one.For, one.Title})
	same, err := s.Client.AddMapping(ctx,
		[]byte("mapping: m\ntitle: First\ntarget: tickets\ncolumns: {kg: {from: Weight}}\n"))
	require.NoError(t, err)
	assert.Equal(t, 1, same.Version)
	two, err := s.Client.AddMapping(ctx, []byte("mapping: m\ntarget: tickets\ncolumns: {kg: {from: Gewicht}}\n"))
	require.NoError(t, err)
	assert.Equal(t, 2, two.Version)
	list, err := s.Client.Mappings(ctx, "tickets", client.Shelf{}, 0, 0)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2}, []int{list.Total, list.Items[0].Version})
	none, err := s.Client.Mappings(ctx, "others", client.Shelf{}, 0, 0)
	require.NoError(t, err)
	assert.Zero(t, none.Total)
	old, err := s.Client.Mapping(ctx, "m", 1)
	require.NoError(t, err)
	assert.Contains(t, old.Text, "Weight")
	_, err = s.Client.Mapping(ctx, "m", 3)
	assert.ErrorContains(t, err, `there is no version 3 of a mapping "m"`)

	d, err := s.Client.AddDelivery(ctx, "tickets.csv", strings.NewReader("No,Site,Weight\n1,ahr,5\n2,x,6\n3,AHR,z\n"))
	require.NoError(t, err)
	_, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: "m"})
	assert.ErrorContains(t, err, `there is no code list "sites", which the target names`)
	_, err = s.Client.AddCodes(ctx, "sites", "", []byte("code\na\na\n"))
	assert.ErrorContains(t, err, `the code list sites, line 3: "a" is in the list already`)
	_, err = s.Client.AddCodes(ctx, "no name", "", []byte("code\na\n"))
	assert.Equal(t, 422, servicetest.Status(err))
	added, err := s.Client.AddCodes(ctx, "sites", "The five sites", []byte("code,label\nAHR,Ahrensee\n"))
	require.NoError(t, err)
	assert.Equal(t, []any{"sites", 1, "The five sites"}, []any{added.Name, added.Version, added.Title})

	for _, wrong := range []struct {
		order api.NewRun
		says  string
	}{
		{api.NewRun{Mapping: "none"}, `there is no mapping "none"`},
		{api.NewRun{Mapping: "m", MappingVersion: 9}, "no version 9"},
		{api.NewRun{Target: "tickets", MappingVersion: 1}, "mappingVersion stands without a mapping"},
		{api.NewRun{TargetVersion: 1}, "targetVersion stands without a target"},
		{api.NewRun{Mapping: "m", References: map[string]string{"growers": "x"}}, `refers to nothing named "growers"`},
	} {
		wrong.order.Delivery = d.ID
		_, err = s.Client.StartRun(ctx, wrong.order)
		if assert.Error(t, err, wrong.says) {
			assert.Contains(t, err.Error(), wrong.says)
		}
	}
	run := func(order api.NewRun) api.Run {
		order.Delivery = d.ID
		r, err := s.Client.StartRun(ctx, order)
		require.NoError(t, err)
		r, err = s.Client.Follow(ctx, r.ID, nil)
		require.NoError(t, err)
		require.Equal(t, "done", r.State, r.Error)
		return r
	}
	r := run(api.NewRun{Mapping: "m", MappingVersion: 1})
	assert.Equal(t, &api.VersionRef{Name: "m", Version: 1}, r.Mapping)
	assert.Equal(t, "no,site,kg\n1,AHR,5\n", s.Output(t, r.ID, report.AcceptedName))
	manifest := s.Output(t, r.ID, report.ManifestName)
	for _, part := range []string{`"mapping": {`, `"name": "m"`, `"codes": [`, `"name": "sites"`} {
		assert.Contains(t, manifest, part)
	}
	e, err := s.Client.ExplainRow(ctx, r.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, "rejected", e.Fate)
	assert.Equal(t, "code.unknown", e.Columns[1].Violations[0].Code.String())
	_, err = s.Client.ExplainRow(ctx, r.ID, 4)
	assert.Equal(t, 404, servicetest.Status(err))
	assert.ErrorContains(t, err, "the delivery has 3 rows")

	// A new version of the list changes nothing of what was run, and everything of what is.
	_, err = s.Client.AddCodes(ctx, "sites", "", []byte("code,label\nAHR,Ahrensee\nx,Elsewhere\n"))
	require.NoError(t, err)
	again, err := s.Client.ExplainRow(ctx, r.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, e, again)
	assert.Equal(t, int64(2), run(api.NewRun{Mapping: "m", MappingVersion: 1}).Tally.Accepted)

	help, err := s.Client.Remedies(ctx)
	require.NoError(t, err)
	assert.Equal(t, len(remedy.Names()), help.Total)
	assert.Equal(t, "trim", help.Items[0].Name)
	assert.NotEmpty(t, help.Items[0].Examples)
	vocabulary, err := s.Client.Vocabulary(ctx)
	require.NoError(t, err)
	assert.Equal(t, violation.AllCodes(), vocabulary.Codes)
	assert.Equal(t, violation.AllActions(), vocabulary.Actions)

	// A foreign key may mean the codes of a list.
	_, err = s.Client.AddTarget(ctx, []byte("target: loads\ncolumns: [{name: no}, {name: site}]\nleftOut: [Weight]\n"+
		"foreignKeys: [{columnReference: site, reference: {codes: sites}}]\n"))
	require.NoError(t, err)
	r = run(api.NewRun{Target: "loads"})
	assert.Equal(t, "no,site\n2,x\n3,AHR\n", s.Output(t, r.ID, report.AcceptedName))
	require.Len(t, r.References, 1)
	assert.Equal(t, []any{"sites", int64(2)}, []any{r.References[0].Name, r.References[0].Keys})
}

// Rows whose main row was rejected are withheld, and say so; which run is meant can be said.
func TestReferencesToAnotherDelivery(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	m := demo.Brunnthal()
	d := s.AddDemo(t, m)
	r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: m.Mapping})
	require.NoError(t, err)
	r, err = s.Client.Follow(ctx, r.ID, nil)
	require.NoError(t, err)
	rejects, err := s.Client.Rejects(ctx, r.ID, "grower_no", "reference.missing", 0, 0)
	require.NoError(t, err)
	require.Equal(t, 1, rejects.Total)
	assert.Equal(t, `"01115" is not in growers: its row there was rejected, so that this one is withheld`,
		rejects.Items[0].Violations[0].Message)
	require.Len(t, r.References, 1)
	assert.Equal(t, []any{"growers", int64(45)}, []any{r.References[0].Name, r.References[0].Keys})

	// A later register of one grower only: the newest is meant, unless another is named.
	runs, err := s.Client.Runs(ctx, "", 0, 10)
	require.NoError(t, err)
	first := ""
	for _, run := range runs.Items {
		if run.Target.Name == "growers" {
			first = run.ID
		}
	}
	small, err := s.Client.AddDelivery(ctx, "growers.csv", strings.NewReader(
		"Grower No.,Name,Farm,Postcode,Place,Member since,Hectares\n00412,Alrun "+
			"Kornbach,Lindenhof,04123,Dornau,2001-05-06,12.5\n"))
	require.NoError(t, err)
	register, err := s.Client.StartRun(ctx, api.NewRun{Delivery: small.ID, Target: "growers"})
	require.NoError(t, err)
	_, err = s.Client.Follow(ctx, register.ID, nil)
	require.NoError(t, err)
	for _, c := range []struct {
		references map[string]string
		keys       int64
		verdict    string
	}{{nil, 1, "refused"}, {map[string]string{"growers": first}, 45, "split"}} {
		again, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: m.Mapping, References: c.references})
		require.NoError(t, err)
		again, err = s.Client.Follow(ctx, again.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, []any{c.keys, c.verdict}, []any{again.References[0].Keys, again.Verdict})
	}
	require.NoError(t, s.Client.DeleteDelivery(ctx, small.ID))
	_, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: m.Mapping,
		References: map[string]string{"growers": register.ID}})
	assert.Equal(t, 404, servicetest.Status(err))
}

// Control values that stand in another delivery, the form of the name, a repeat of bytes and
// labels of codes: what a run knew of them is what doing it again knows, and its manifest.
func TestRulesOfTheDelivery(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: tickets\ncolumns:\n  - {name: no, unique: true}\n"+
		"  - {name: kg, datatype: integer}\n  - {name: site}\nrepeats: refuse\nrepeated: {keep: last}\n"))
	require.NoError(t, err)
	_, err = s.Client.AddMapping(ctx, []byte("mapping: m\ntarget: tickets\ncolumns:\n"+
		"  site: {derive: 'label(\"sites\", \"AHR\")'}\nfileName: {format: 'tickets-(?P<date>[0-9]{8}).*', date: yyyyMMdd}\n"+
		"controls: [{sum: kg, in: companion, find: 'kg=([0-9]+)'}]\n"))
	require.NoError(t, err)
	const rows = "no,kg\n1,5\n2,7\n1,6\n"
	d, err := s.Client.AddDelivery(ctx, "tickets-20260731.csv", strings.NewReader(rows))
	require.NoError(t, err)
	totals, err := s.Client.AddDelivery(ctx, "totals.txt", strings.NewReader("rows=3\nkg=18\n"))
	require.NoError(t, err)

	_, err = s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: "m"})
	assert.ErrorContains(t, err, `there is no code list "sites"`, "which only the mapping reads")
	_, err = s.Client.AddCodes(ctx, "sites", "", []byte("code,label\nAHR,Ahrensee\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		order  api.NewRun
		status int
		says   string
	}{
		{api.NewRun{Mapping: "m"}, 422, "deliver that file too, and name it"},
		{api.NewRun{Mapping: "m", Companion: "none"}, 404, "none"},
		{api.NewRun{Target: "tickets", Companion: totals.ID}, 422, "no control value"},
		{api.NewRun{Companion: totals.ID}, 422, "companion stands without a target"},
	} {
		c.order.Delivery = d.ID
		_, err = s.Client.StartRun(ctx, c.order)
		assert.Equal(t, c.status, servicetest.Status(err), c.says)
		assert.ErrorContains(t, err, c.says)
	}
	run := func(order api.NewRun) api.Run {
		r, err := s.Client.StartRun(ctx, order)
		require.NoError(t, err)
		r, err = s.Client.Follow(ctx, r.ID, nil)
		require.NoError(t, err)
		require.Equal(t, "done", r.State, r.Error)
		return r
	}
	r := run(api.NewRun{Delivery: d.ID, Mapping: "m", Companion: totals.ID})
	assert.Equal(t, "split", r.Verdict, r.Refusal)
	assert.Equal(t, "no,kg,site\n2,7,Ahrensee\n1,6,Ahrensee\n", s.Output(t, r.ID, report.AcceptedName))
	manifest := s.Output(t, r.ID, report.ManifestName)
	assert.Contains(t, manifest, `"companion": {`)
	assert.Contains(t, manifest, `"name": "totals.txt"`)
	assert.NotContains(t, manifest, "repeatOf")

	// The same bytes under another name: refused, and it is said of what they are a repeat.
	again, err := s.Client.AddDelivery(ctx, "TICKETS.csv", strings.NewReader(rows))
	require.NoError(t, err)
	r = run(api.NewRun{Delivery: again.ID, Mapping: "m", Companion: totals.ID})
	assert.Equal(t, "refused", r.Verdict)
	var found []string
	for _, g := range r.Violations {
		if g.Action.String() == "refuse" {
			found = append(found, g.Code.String()+": "+g.Samples[0].Message)
		}
	}
	require.Len(t, found, 2)
	assert.Contains(t, found[0], "delivery.repeat: the same bytes arrived before, as tickets-20260731.csv on 20")
	assert.Contains(t, found[1], `file.name: the file is named "TICKETS.csv"`)
	assert.Contains(t, s.Output(t, r.ID, report.ManifestName), `"repeatOf": "tickets-20260731.csv on 20`)

	// What a run knew stays: the earlier delivery goes, and the run says the same.
	before, err := s.Client.ExplainRow(ctx, r.ID, 2)
	require.NoError(t, err)
	require.NoError(t, s.Client.DeleteDelivery(ctx, d.ID))
	after, err := s.Client.ExplainRow(ctx, r.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	require.NoError(t, s.Client.DeleteDelivery(ctx, totals.ID))
	_, err = s.Client.ExplainRow(ctx, r.ID, 2)
	assert.ErrorContains(t, err, "which was deleted; sift again")
}
