package service_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/client"
	"sieb/core/ddl"
	"sieb/core/edit"
	"sieb/core/outcome"
	"sieb/core/result"
	"sieb/core/target"
	"sieb/demo"
	"sieb/service"
	"sieb/service/api"
	"sieb/service/catalogue"
	"sieb/service/localpg/pgtest"
	"sieb/service/servicetest"
)

// Targets, mappings and code lists are found, listed in versions with what differs, copied, renamed with what names
// them, and retired.
func TestShelves(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	_, err := s.Client.AddCodes(ctx, "crops", "Crops", []byte("code,label\nw,wheat\nr,rye\n"))
	require.NoError(t, err)
	_, err = s.Client.AddCodes(ctx, "crops", "Crops", []byte("code,label\nw,Wheat\nb,barley\n"))
	require.NoError(t, err)
	_, err = s.Client.AddTarget(ctx, []byte("target: stock\ncolumns:\n  - {name: no}\n  - {name: crop, oneOf: {codes: crops}}\n"+
		"foreignKeys: [{columnReference: [no], reference: {resource: tickets}}]\n"))
	require.NoError(t, err)
	s.sift(t, api.NewRun{Delivery: id, Target: "tickets", Mapping: "north"})

	_, err = s.Client.ChangeRules(ctx, id, api.NewShift{Words: "more", Steps: []edit.Step{
		step("target", "set", "columns kg maximum", 70000), step("mapping", "set", "columns crop from", "crop")}})
	require.NoError(t, err)
	_, err = s.Client.SaveRules(ctx, id, api.SaveRules{By: "Jürgen Beispiel"})
	require.NoError(t, err)
	versions, err := s.Client.Versions(ctx, client.Targets, "tickets", 0, 10)
	require.NoError(t, err)
	require.Equal(t, 2, versions.Total)
	assert.Equal(t, []any{2, "Jürgen Beispiel", []edit.Difference{
		{Column: "kg", Words: "maximum was 60000 and is 70000"}}},
		[]any{versions.Items[0].Version, versions.Items[0].AddedBy, versions.Items[0].Differs})
	assert.Empty(t, versions.Items[1].Differs)
	older, err := s.Client.Versions(ctx, client.Targets, "tickets", 1, 10)
	require.NoError(t, err)
	assert.Len(t, older.Items, 1)
	codes, err := s.Client.Versions(ctx, client.Codes, "crops", 0, 1)
	require.NoError(t, err)
	assert.ElementsMatch(t, []edit.Difference{{Words: `w was "wheat" and is "Wheat"`}, {Words: "b is new: barley"},
		{Words: "r is gone: rye"}},
		codes.Items[0].Differs)
	back, err := s.Client.Differences(ctx, client.Targets, "tickets", 2, 1)
	require.NoError(t, err)
	assert.Equal(t, "maximum was 70000 and is 60000", back.Items[0].Words)
	_, err = s.Client.Versions(ctx, client.Targets, "nobody", 0, 10)
	assert.Equal(t, 404, servicetest.Status(err))
	_, err = s.Client.Differences(ctx, client.Targets, "tickets", 1, 9)
	assert.Equal(t, 404, servicetest.Status(err))

	uses, err := s.Client.Uses(ctx, client.Targets, "tickets", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []any{1, id, "tickets.csv", 1}, []any{uses.Total, uses.Items[0].Delivery, uses.Items[0].Name,
		uses.Items[0].Version})
	uses, err = s.Client.Uses(ctx, client.Mappings, "north", 0, 10)
	require.NoError(t, err)
	assert.Equal(t, 1, uses.Total)
	uses, err = s.Client.Uses(ctx, client.Codes, "crops", 0, 10)
	require.NoError(t, err)
	assert.Zero(t, uses.Total)

	_, err = s.Client.Copy(ctx, client.Targets, "tickets", api.NewName{Name: "stock"})
	assert.Equal(t, 409, servicetest.Status(err))
	_, err = s.Client.Copy(ctx, client.Targets, "tickets", api.NewName{Name: "no name"})
	assert.Equal(t, 422, servicetest.Status(err))
	copied, err := s.Client.Copy(ctx, client.Mappings, "north", api.NewName{Name: "south", By: "Anna"})
	require.NoError(t, err)
	assert.Equal(t, []any{"south", 1, "Anna"}, []any{copied.Name, copied.Version, copied.AddedBy})

	renamed, err := s.Client.Rename(ctx, client.Targets, "tickets", api.NewName{Name: "weighings"})
	require.NoError(t, err)
	assert.Equal(t, "weighings", renamed.Name)
	north, err := s.Client.Mapping(ctx, "north", 0)
	require.NoError(t, err)
	assert.Equal(t, []any{"weighings", 3}, []any{north.For, north.Version}, "its mappings follow")
	stock, err := s.Client.Target(ctx, "stock", 0)
	require.NoError(t, err)
	assert.Contains(t, stock.Text, "resource: weighings", "what refers to it follows")
	_, err = s.Client.Rename(ctx, client.Codes, "crops", api.NewName{Name: "kinds"})
	require.NoError(t, err)
	stock, err = s.Client.Target(ctx, "stock", 0)
	require.NoError(t, err)
	assert.Contains(t, stock.Text, "codes: kinds")
	list, err := s.Client.Targets(ctx, client.Shelf{}, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"stock", "weighings"}, namesOf(list.Items), "the old name is retired")
	all, err := s.Client.Targets(ctx, client.Shelf{Retired: true}, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"stock", "tickets", "weighings"}, namesOf(all.Items))
	assert.Equal(t, []any{true, 1, 4}, []any{all.Items[1].Retired, all.Items[1].Deliveries, all.Items[1].Columns})
	found, err := s.Client.Targets(ctx, client.Shelf{Find: "TICK", Retired: true}, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"tickets", "weighings"}, namesOf(found.Items), "by name or title")
	one, err := s.Client.Target(ctx, "tickets", 0)
	require.NoError(t, err)
	assert.True(t, one.Retired, "its own page says so, too")
	require.NoError(t, s.Client.Retire(ctx, client.Targets, "tickets", false))
	list, err = s.Client.Targets(ctx, client.Shelf{}, 0, 10)
	require.NoError(t, err)
	assert.Len(t, list.Items, 3)
	assert.Equal(t, 404, servicetest.Status(s.Client.Retire(ctx, client.Mappings, "nobody", true)))
	s.sift(t, api.NewRun{Delivery: id, Target: "tickets", Mapping: ""}) // what is retired is used as before
}

func namesOf(all []api.Target) (names []string) {
	for _, t := range all {
		names = append(names, t.Name)
	}
	return names
}

// The text of a version that is not saved yet is kept, and can be thrown away.
func TestTextDrafts(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	begin(t, s, ticketsFile)
	path := "/api/v1/targets/tickets/draft"
	resp, _ := s.ask(t, http.MethodGet, path, "")
	assert.Equal(t, 404, resp.StatusCode)
	resp, text := s.ask(t, http.MethodPut, path, `{"text": "target: tickets # half"}`, "Content-Type", "application/json")
	require.Equal(t, 200, resp.StatusCode, text)
	require.NoError(t, s.Stop())
	s = &kit{servicetest.Start(t, s.Data, nil)}
	_, text = s.ask(t, http.MethodGet, path, "")
	assert.Contains(t, text, "target: tickets # half")
	resp, _ = s.ask(t, http.MethodDelete, path, "")
	assert.Equal(t, 204, resp.StatusCode)
	resp, _ = s.ask(t, http.MethodGet, path, "")
	assert.Equal(t, 404, resp.StatusCode)
	resp, _ = s.ask(t, http.MethodDelete, "/api/v1/targets/nobody/draft", "")
	assert.Equal(t, 404, resp.StatusCode)
	resp, _ = s.ask(t, http.MethodPut, "/api/v1/targets/nobody/draft", `{"text": "x"}`, "Content-Type", "application/json")
	assert.Equal(t, 404, resp.StatusCode)
}

// What senders are given of a target, and what becomes one.
func TestForSenders(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	text, err := demo.Target("laboratory_results")
	require.NoError(t, err)
	_, err = s.Client.AddTarget(t.Context(), text)
	require.NoError(t, err)
	for path, want := range map[string]string{"words": `"heading":"Sample"`, "page": "<h1>Laboratory results</h1>",
		"sql?dialect=mariadb": "create table laboratory_results (", "csvw": "http://www.w3.org/ns/csvw",
		"template": "PK\x03\x04",
		"view":     `"target":"laboratory_results"`} {
		resp, body := s.ask(t, http.MethodGet, "/api/v1/targets/laboratory_results/"+path, "")
		assert.Equal(t, 200, resp.StatusCode, path)
		assert.Contains(t, body, want, path)
		resp, _ = s.ask(t, http.MethodGet, "/api/v1/targets/nobody/"+path, "")
		assert.Equal(t, 404, resp.StatusCode, path)
	}
	resp, _ := s.ask(t, http.MethodGet, "/api/v1/targets/laboratory_results/sql?dialect=cobol", "")
	assert.Equal(t, 422, resp.StatusCode)

	const octets = "application/octet-stream"
	resp, body := s.ask(t, http.MethodPost, "/api/v1/targets/from-dictionary?file=felder.csv",
		"Feld;Typ;Pflicht\nno;Text(9);ja\nkg;Zahl(6,0);\n",
		"Content-Type", octets)
	require.Equal(t, 200, resp.StatusCode, body)
	assert.Contains(t, body, `{name: \"no\", maxLength: 9, required: true}`)
	resp, body = s.ask(t, http.MethodPost, "/api/v1/targets/from-dictionary?file=x.csv", "Owner,Team\na,b\n",
		"Content-Type", octets)
	assert.Equal(t, 422, resp.StatusCode)
	assert.Contains(t, body, "x.csv: no heading of the dictionary")
	assert.NotContains(t, body, "/proc/")
	resp, body = s.ask(t, http.MethodPost, "/api/v1/targets/from-dictionary?file=x.pdf", "%PDF-1.4 x", "Content-Type",
		octets)
	assert.Equal(t, 422, resp.StatusCode, body)
	assert.NotContains(t, body, "/proc/")
	resp, body = s.ask(t, http.MethodPost, "/api/v1/targets/from-csvw", `{"@context": "http://www.w3.org/ns/csvw", "url": "a.csv",
		"tableSchema": {"columns": [{"name": "no", "datatype": "html"}]}, "dialect": {"delimiter": ";"}}`, "Content-Type",
		octets)
	require.Equal(t, 200, resp.StatusCode, body)
	assert.Contains(t, body, "the datatype html of the column no")
	assert.Contains(t, body, "mapping: a")
	resp, _ = s.ask(t, http.MethodPost, "/api/v1/targets/from-csvw", `{}`, "Content-Type", octets)
	assert.Equal(t, 422, resp.StatusCode)
}

// Tables are chosen among those of a database, a code list is made of one or of a column; and the statements that
// create the demo's tables are ones that PostgreSQL takes, which then take accepted rows.
func TestTablesAndCodes(t *testing.T) {
	ctx := t.Context()
	db := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "tables"))
	conn, err := pgx.Connect(ctx, db.URL())
	require.NoError(t, err)
	defer conn.Close(context.WithoutCancel(ctx))
	_, err = conn.Exec(ctx, `create schema intake; create table intake.sites (site_no text primary key, site_name text);
		comment on table intake.sites is 'the five sites'; insert into intake.sites values ('ahr', 'Ahrensee'), ('bru', 'Brunnthal');
		create table intake.empty (x integer); analyze intake.sites`)
	require.NoError(t, err)
	s := &kit{servicetest.StartWith(t, "", func(c *service.Config) {
		c.Databases = catalogue.Databases{Named: map[string]string{"intake": db.URL()}}
	})}
	_, body := s.ask(t, http.MethodGet, "/api/v1/databases/intake/tables?find=SITE", "")
	assert.Contains(t, body, `"schema":"intake","name":"sites","comment":"the five sites","rows":2,"columns":["site_no","site_name"]`)
	assert.NotContains(t, body, "empty")
	resp, _ := s.ask(t, http.MethodGet, "/api/v1/databases/other/tables", "")
	assert.Equal(t, 404, resp.StatusCode)

	post := func(body string) (int, string) {
		resp, text := s.ask(t, http.MethodPost, "/api/v1/codes/from", body, "Content-Type", "application/json")
		return resp.StatusCode, text
	}
	status, text := post(`{"name": "sites", "database": "intake", "table": "intake.sites", "code": "site_no", "label": "site_name", "by": "Anna"}`)
	require.Equal(t, 201, status, text)
	kept, err := s.Client.Codes(ctx, "sites", 0)
	require.NoError(t, err)
	assert.Equal(t, []any{"site_no,site_name\nahr,Ahrensee\nbru,Brunnthal\n", "Anna"}, []any{kept.Text, kept.AddedBy})
	d := s.AddDemo(t, demo.Ahrensee())
	status, text = post(`{"name": "crops", "delivery": "` + d.ID + `", "column": "Crop"}`)
	require.Equal(t, 201, status, text)
	kept, err = s.Client.Codes(ctx, "crops", 0)
	require.NoError(t, err)
	assert.Contains(t, kept.Text, "\nWeizen\n")
	for body, want := range map[string]string{
		`{"name": "x", "delivery": "` + d.ID + `", "column": "Nothing"}`:               "has no column",
		`{"name": "x", "delivery": "nobody", "column": "Crop"}`:                        "there is no delivery",
		`{"name": "x", "database": "intake", "table": "intake.gone", "code": "a"}`:     "there is no table",
		`{"name": "x", "database": "elsewhere", "table": "intake.sites", "code": "a"}`: "there is no database",
		`{"name": "x"}`: "name a column of a delivery",
		`{"name": "no name", "delivery": "` + d.ID + `"}`: "is made of letters",
	} {
		status, text := post(body)
		assert.Contains(t, []int{404, 422}, status, body)
		assert.Contains(t, text, want)
	}

	for _, m := range []demo.Made{demo.Register(), demo.Laboratory()} {
		text, err := demo.Target(m.Target)
		require.NoError(t, err)
		of, err := target.Parse(text)
		require.NoError(t, err)
		statement, err := ddl.Create(of, ddl.PostgreSQL)
		require.NoError(t, err)
		_, err = conn.Exec(ctx, statement)
		require.NoError(t, err, statement)
		_, err = s.Client.AddTarget(ctx, text)
		require.NoError(t, err)
		d := s.AddDemo(t, m)
		r := s.sift(t, api.NewRun{Delivery: d.ID, Target: m.Target})
		rows, err := s.Client.Output(ctx, r.ID, "accepted.csv")
		require.NoError(t, err)
		content, err := io.ReadAll(rows)
		require.NoError(t, err)
		tag, err := conn.PgConn().CopyFrom(ctx, strings.NewReader(string(content)), "copy "+m.Target+
			" from stdin (format csv, header)")
		require.NoError(t, err, statement)
		assert.Equal(t, r.Tally.Accepted, tag.RowsAffected(), m.Target)
	}
}

// Two runs are compared: of one delivery by where its rows ended, of two by the key.
// comparedRows asks for the rows of a comparison: A9 is new, and A2 weighs other than before.
func (s *kit) comparedRows(t *testing.T, after, before string) {
	t.Helper()
	ctx := t.Context()
	ask := result.Ask{Against: before, Kind: result.KindChanged, Differs: "kg", Limit: 9, Columns: []string{"no", "kg"}}
	found, err := s.Client.RunRows(ctx, after, ask)
	require.NoError(t, err)
	require.Len(t, found.Items, 1)
	assert.Equal(t, "A2", *found.Items[0].Cells[0])
	require.Len(t, found.Items[0].Before, 1)
	assert.Equal(t, "kg", found.Items[0].Before[0].Column)
	values, err := s.Client.RunValues(ctx, after, "no", result.Ask{Against: before, Kind: result.KindNew, Limit: 9})
	require.NoError(t, err)
	assert.Equal(t, "A9", *values.Items[0].Value)
	rows, err := s.Client.WrittenRows(ctx, after, result.Ask{Against: before, Kind: result.KindNew},
		outcome.Settings{Form: "jsonl"})
	require.NoError(t, err)
	defer rows.Close()
	written, err := io.ReadAll(rows)
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(string(written), "\n"))
	assert.Contains(t, string(written), `"A9"`)
	by, err := s.Client.CompareRows(ctx, after, before, []string{"kg"})
	require.NoError(t, err)
	assert.Equal(t, []any{[]string{"kg"}, int64(2), int64(1)}, []any{by.By, by.New, by.Gone})
	for _, one := range []struct {
		ask    result.Ask
		status int
	}{{result.Ask{Kind: result.KindNew}, 422}, {result.Ask{Against: before}, 422}, {result.Ask{Against: "nobody"}, 404},
		{result.Ask{Against: before, Kind: result.KindNew, By: []string{"nothing"}}, 422},
		{result.Ask{Against: before, Kind: result.KindChanged, Differs: "nothing"}, 422},
		{result.Ask{Against: before, Kind: result.KindMoved, Side: "flagged"}, 422}} {
		_, err = s.Client.RunRows(ctx, after, one.ask)
		assert.Equal(t, one.status, servicetest.Status(err), "%+v: %v", one.ask, err)
	}
}

func TestComparison(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	id, _ := begin(t, s, ticketsFile)
	first := s.sift(t, api.NewRun{Delivery: id, Target: "tickets", Mapping: "north"})
	_, err := s.Client.ChangeRules(ctx, id, api.NewShift{Words: "n/a is missing", Steps: []edit.Step{
		{In: edit.Mapping, Do: edit.Add, Path: []string{"columns", "kg", "null"}, Value: "n/a", Base: []any{""}},
		{In: edit.Mapping, Do: edit.Set, Path: []string{"columns", "day", "format"},
			Value: []any{"yyyy-MM-dd", "dd.MM.yyyy"}}}})
	require.NoError(t, err)
	_, err = s.Client.SaveRules(ctx, id, api.SaveRules{})
	require.NoError(t, err)
	second := s.sift(t, api.NewRun{Delivery: id, Target: "tickets", Mapping: "north"})
	c, err := s.Client.CompareRuns(ctx, second.ID, first.ID)
	require.NoError(t, err)
	assert.Empty(t, c.Target)
	assert.Equal(t, []edit.Difference{{Column: "kg", Words: "is new: null empty, n/a"},
		{Column: "day", Words: "is new: format yyyy-MM-dd, dd.MM.yyyy"}}, c.Mapping)
	require.NotNil(t, c.Rows, c.NotSaid)
	assert.Equal(t, []result.Move{{Was: "rejected", Is: "accepted", Rows: 1}}, c.Rows.Moves)
	found, err := s.Client.RunRows(ctx, second.ID, result.Ask{Against: first.ID, Kind: result.KindNew, Limit: 9})
	require.NoError(t, err)
	require.Len(t, found.Items, 1)
	assert.Equal(t, []any{int64(2), "rejected"}, []any{found.Items[0].Row, found.Items[0].Other})
	assert.NotEmpty(t, c.Violations)

	later := s.add(t, "tickets-next.csv", "no,day,crop,kg,remarks\nA1,2026-07-01,wheat,500,\nA2,2026-07-02,rye,9,\nA9,,rye,1,x\n")
	third := s.sift(t, api.NewRun{Delivery: later.ID, Target: "tickets", Mapping: "north"})
	c, err = s.Client.CompareRuns(ctx, third.ID, second.ID)
	require.NoError(t, err)
	require.NotNil(t, c.Rows)
	assert.Equal(t, []any{[]string{"no"}, int64(1), int64(0), int64(1), int64(1)},
		[]any{c.Rows.By, c.Rows.New, c.Rows.Gone, c.Rows.Changed, c.Rows.Same})
	assert.Equal(t, []result.Differing{{Column: "kg", Rows: 1}}, c.Rows.Differing)
	s.comparedRows(t, third.ID, second.ID)
	assert.Equal(t, []string{"remarks"}, c.NewHeaders)

	// Without a word it is compared with the delivery of its kind that arrived before.
	c, err = s.Client.CompareRuns(ctx, third.ID, "")
	require.NoError(t, err)
	assert.Equal(t, []string{second.ID, "tickets.csv"}, []string{c.Before.ID, c.BeforeName})
	before := func(target, mapping, name string) string {
		d := s.add(t, name, "no,day,crop,kg\nB1,2026-07-01,wheat,"+fmt.Sprint(len(name))+"\n")
		r := s.sift(t, api.NewRun{Delivery: d.ID, Target: target, Mapping: mapping})
		c, err := s.Client.CompareRuns(ctx, r.ID, "")
		if err != nil {
			assert.Equal(t, 404, servicetest.Status(err))
			return ""
		}
		return c.BeforeName
	}
	assert.Equal(t, "tickets-next.csv", before("tickets", "north", "other-name.csv"), "the mapping tells the sender")
	assert.Empty(t, before("tickets", "", "south-2026-06.csv"), "nothing was sifted so")
	assert.Empty(t, before("tickets", "", "west-2026-06.csv"), "of another sender, as it seems")
	assert.Equal(t, "south-2026-06.csv", before("tickets", "", "south-2026-07-01.csv"))
	assert.Empty(t, before("", "", "south-2026-08.csv"), "without a target nothing is of one kind")
	plain := s.sift(t, api.NewRun{Delivery: later.ID})
	c, err = s.Client.CompareRuns(ctx, plain.ID, second.ID)
	require.NoError(t, err)
	assert.Contains(t, c.NotSaid, "there is no key")
	assert.Equal(t, "it was tickets; there is none", c.Target[0].Words)
	for _, pair := range [][2]string{{"nobody", second.ID}, {second.ID, "nobody"}, {"nobody", ""}, {first.ID, ""}} {
		_, err = s.Client.CompareRuns(ctx, pair[0], pair[1])
		assert.Equal(t, 404, servicetest.Status(err))
	}
}

// A text that is known gives its version; one that is meant to be the newest is, even where an older one was the same.
func TestTextsBecomeTheNewestAgain(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	one, two := "target: t\ncolumns: [{name: a}]\n", "target: t\ncolumns: [{name: a}, {name: b}]\n"
	post := func(query, text string) (version int) {
		resp, body := s.ask(t, http.MethodPost, "/api/v1/targets"+query, text, "Content-Type", "application/yaml")
		require.Equal(t, 201, resp.StatusCode, body)
		var added api.Target
		require.NoError(t, json.Unmarshal([]byte(body), &added))
		return added.Version
	}
	for _, c := range []struct {
		query, text string
		want        int
	}{{"", one, 1}, {"", one, 1}, {"", two, 2}, {"", one, 1}, {"?newest=true", one, 3}, {"?newest=true", one, 3},
		{"", two, 2},
		{"", one, 3}} {
		assert.Equal(t, c.want, post(c.query, c.text), "%+v", c)
	}
	newest, err := s.Client.Target(t.Context(), "t", 0)
	require.NoError(t, err)
	assert.Equal(t, []any{3, one}, []any{newest.Version, newest.Text})

	// A draft that goes back to what an older version said is in force once it is saved.
	d := s.add(t, "a.csv", "a,b\n1,2\n")
	post("?newest=true", two)
	_, err = s.Client.BeginRules(t.Context(), d.ID, api.NewRules{Target: "t"})
	require.NoError(t, err)
	_, err = s.Client.ChangeRules(t.Context(), d.ID, api.NewShift{Words: "as before", Steps: []edit.Step{{In: edit.Target,
		Do: edit.Write, Value: one}}})
	require.NoError(t, err)
	saved, err := s.Client.SaveRules(t.Context(), d.ID, api.SaveRules{})
	require.NoError(t, err)
	assert.Equal(t, 5, saved.Target.Version)
	r := s.sift(t, api.NewRun{Delivery: d.ID, Target: "t"})
	assert.Equal(t, 5, r.Target.Version)
}
