package service_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/edit"
	"sieb/core/outcome"
	"sieb/core/result"
	"sieb/core/sift"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Rows of an outcome are told with what was changed in them, wherever they ended, and written as they are found.
func TestRowsOfAnOutcome(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte(`target: loads
columns:
  - {name: no, datatype: integer}
  - {name: crop, remedies: [trim, {recode: {Weizen: wheat}}], null: ['', '?']}
  - {name: site, default: Ahrensee}
  - {name: kg, datatype: integer, maximum: 100, onViolation: flag}
  - {name: wet, datatype: decimal, onViolation: blank}
exclude: [{condition: 'cell("crop") == "trial"', reason: trial loads}]
`))
	require.NoError(t, err)
	text := `no,crop,site,kg,wet
1, rye,Colmitz,5,1.5
x,rye,Colmitz,5,1.5
3,rye,Colmitz,5,1.5
4,trial,Colmitz,5,1.5
5, Weizen,,500,damp
6,?,Colmitz,7,
`
	for i := 7; i <= 1500; i++ {
		text += fmt.Sprintf("%d,oats ,Dornau,%d,2\n", i, i%100)
	}
	d, err := s.Client.AddDelivery(ctx, "loads.csv", strings.NewReader(text))
	require.NoError(t, err)
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: "loads"})
	require.NoError(t, err)
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	require.Empty(t, run.Error)

	numbers := func(side string, where ...string) (rows []int64) {
		found, err := s.Client.RunRows(ctx, run.ID, result.Ask{Side: side, Where: where, Limit: 5})
		require.NoError(t, err)
		assert.Equal(t, side, found.Side)
		for _, r := range found.Items {
			rows = append(rows, r.Row)
		}
		return append(rows, found.Total)
	}
	assert.Equal(t, []int64{1, 5, 6, 7, 8, 1497}, numbers("changed"))
	assert.Equal(t, []int64{5, 1}, numbers("flagged"))
	assert.Equal(t, []int64{1, 1}, numbers("changed", "crop equals rye"))

	marks, err := s.Client.RunMarks(ctx, run.ID, []int64{1500, 6, 3, 5, 1, 6, 99_999}, nil)
	require.NoError(t, err)
	rye, Weizen, unknown, damp, oats, none := " rye", " Weizen", "?", "damp", "oats ", ""
	assert.Equal(t, []api.MarkedRow{
		{Row: 1, Cells: []api.MarkedCell{{Column: "crop", Was: &rye, By: []string{"trim"}}}},
		{Row: 5, Cells: []api.MarkedCell{
			{Column: "crop", Was: &Weizen, By: []string{"trim", "recode"}},
			{Column: "site", Was: &none, By: []string{"default"}},
			{Column: "kg", Breaks: []string{`"500" is above the maximum 100`}},
			{Column: "wet", Was: &damp, By: []string{"blank"}, Breaks: []string{`"damp" is not a number such as 1234.5`}}}},
		{Row: 6, Cells: []api.MarkedCell{{Column: "crop", Was: &unknown, By: []string{"null"}}}},
		{Row: 1500, Cells: []api.MarkedCell{{Column: "crop", Was: &oats, By: []string{"trim"}}}},
	}, marks.Items)
	marks, err = s.Client.RunMarks(ctx, run.ID, []int64{1, 5}, []string{"site"})
	require.NoError(t, err)
	assert.Equal(t, []api.MarkedRow{{Row: 5, Cells: []api.MarkedCell{{Column: "site", Was: &none,
		By: []string{"default"}}}}}, marks.Items)

	for row, want := range map[int64]result.Ended{1: {Row: 1, Side: "accepted", At: 1},
		2: {Row: 2, Side: "rejected", At: 1},
		4: {Row: 4, Side: "excluded", At: 1}, 1500: {Row: 1500, Side: "accepted", At: 1498}} {
		at, err := s.Client.RunPlace(ctx, run.ID, row)
		require.NoError(t, err)
		assert.Equal(t, want, at)
	}

	for line, want := range map[int64]int64{2: 1, 3: 2, 5: 4, 1501: 1500, 9_000: 1500} { // the header is line 1
		at, err := s.Client.RunPlaceOfLine(ctx, run.ID, line)
		require.NoError(t, err)
		assert.Equal(t, want, at.Row, "line %d", line)
	}

	written := func(of result.Ask, form string) string {
		r, err := s.Client.WrittenRows(ctx, run.ID, of, outcome.Settings{Form: form})
		return servicetest.Read(t, r, err)
	}
	assert.Equal(t, "no,crop,site,kg,wet\n5,wheat,Ahrensee,500,\n", written(result.Ask{Side: "flagged"}, "csv"))
	assert.Equal(t, "kg,no\n500,5\n", written(result.Ask{Side: "flagged", Columns: []string{"kg", "no"}}, "csv"))
	assert.Equal(t, `{"no":6,"crop":null,"site":"Colmitz","kg":"7","wet":null}`+"\n",
		written(result.Ask{Side: "changed", Where: []string{"crop empty"}}, "jsonl"))
	assert.Equal(t, 16, strings.Count(written(result.Ask{Where: []string{"kg equals 42"}}, "csv"), "\n"))
	assert.Equal(t, "row,line,reasons,no,crop,site,kg,wet\n"+
		`2,3,"no: ""x"" is not a whole number [type.integer]",x,rye,Colmitz,5,1.5`+"\n",
		written(result.Ask{Side: "rejected"}, "csv"))
	assert.Contains(t, written(result.Ask{Side: "excluded"}, "jsonl"), `"crop":"trial"`)

	for what, ask := range map[string]func() error{
		"line 1 stands above the first row": func() error {
			_, err := s.Client.RunPlaceOfLine(ctx, run.ID, 1)
			return err
		},
		"there is no row 1501: the delivery has the rows 1 to 1500": func() error {
			_, err := s.Client.RunPlace(ctx, run.ID, 1501)
			return err
		},
		`no column "weight"`: func() error {
			_, err := s.Client.WrittenRows(ctx, run.ID, result.Ask{Where: []string{"weight empty"}},
				outcome.Settings{Form: "csv"})
			return err
		},
		"expected": func() error {
			_, err := s.Client.RunRows(ctx, run.ID, result.Ask{Side: "lost"})
			return err
		},
		"expected array length <= 200": func() error {
			_, err := s.Client.RunMarks(ctx, run.ID, make([]int64, 201), nil)
			return err
		},
	} {
		err := ask()
		assert.ErrorContains(t, err, what)
		assert.Equal(t, http.StatusUnprocessableEntity, servicetest.Status(err), what)
	}
	_, err = s.Client.RunMarks(ctx, "nothing", []int64{1}, nil)
	assert.Equal(t, http.StatusNotFound, servicetest.Status(err))
}

// The rows of a draft are looked at before anything is run, and like those of a run.
func TestRowsOfARehearsal(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: loads\ncolumns:\n  - {name: no, required: true}\n"+
		"  - {name: crop, remedies: [trim]}\n"))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(ctx, "loads.csv", strings.NewReader("no,crop\nA, rye\nB,trial\n,oats\n"))
	require.NoError(t, err)
	_, err = s.Client.RehearseOutcome(ctx, d.ID, api.AskRehearsal{})
	assert.Equal(t, http.StatusNotFound, servicetest.Status(err), "there is no draft: %v", err)

	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "loads"})
	require.NoError(t, err)
	first, err := s.Client.RehearseOutcome(ctx, d.ID, api.AskRehearsal{})
	require.NoError(t, err)
	assert.Equal(t, sift.Tally{Read: 3, Accepted: 2, Rejected: 1}, *first.Tally)
	assert.Equal(t, "split", first.Verdict)
	again, err := s.Client.RehearseOutcome(ctx, d.ID, api.AskRehearsal{})
	require.NoError(t, err)
	assert.Equal(t, first.ID, again.ID, "the same draft has the same rows")
	leave := api.AskRehearsal{Steps: []edit.Step{{In: "target", Do: "add", Path: []string{"exclude"},
		Value: map[string]any{"condition": `crop == "trial"`, "reason": "trial"}}}}
	other, err := s.Client.RehearseOutcome(ctx, d.ID, leave)
	require.NoError(t, err)
	assert.Equal(t, sift.Tally{Read: 3, Accepted: 1, Rejected: 1, Excluded: 1}, *other.Tally)

	for id, want := range map[string]string{first.ID: "[A rye][B trial]", other.ID: "[A rye]"} {
		found, err := s.Client.RunRows(ctx, id, result.Ask{Limit: 10})
		require.NoError(t, err)
		got := ""
		for _, r := range found.Items {
			got += fmt.Sprintf("[%s %s]", *r.Cells[0], *r.Cells[1])
		}
		assert.Equal(t, want, got)
	}
	compared, err := s.Client.CompareRows(ctx, other.ID, first.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, []result.Move{{Was: "accepted", Is: "excluded", Rows: 1}}, compared.Moves, "two drafts are compared")
	gone, err := s.Client.RunRows(ctx, other.ID, result.Ask{Against: first.ID, Kind: result.KindGone, Limit: 9})
	require.NoError(t, err)
	require.Len(t, gone.Items, 1)
	assert.Equal(t, "B", *gone.Items[0].Cells[0])
	values, err := s.Client.RunValues(ctx, first.ID, "crop", result.Ask{Limit: 10})
	require.NoError(t, err)
	assert.Equal(t, 2, values.Total)
	marks, err := s.Client.RunMarks(ctx, first.ID, []int64{1, 2}, nil)
	require.NoError(t, err)
	require.Len(t, marks.Items, 1)
	assert.Equal(t, " rye", *marks.Items[0].Cells[0].Was)
	at, err := s.Client.RunPlace(ctx, other.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, "excluded", at.Side)
	e, err := s.Client.ExplainRow(ctx, other.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, "excluded", e.Fate)
	became, err := s.Client.RunBecame(ctx, first.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 2, became.Rows)
	r, err := s.Client.WrittenRows(ctx, first.ID, result.Ask{Side: "changed"}, outcome.Settings{Form: "jsonl"})
	assert.Equal(t, `{"no":"A","crop":"rye"}`+"\n", servicetest.Read(t, r, err))

	// It is no run, and nothing is recorded of it; with the delivery its rows go.
	runs, err := s.Client.Runs(ctx, d.ID, 0, 10)
	require.NoError(t, err)
	assert.Empty(t, runs.Items)
	_, err = s.Client.Run(ctx, first.ID)
	assert.Equal(t, http.StatusNotFound, servicetest.Status(err))
	require.NoError(t, s.Client.DeleteDelivery(ctx, d.ID))
	_, err = s.Client.RunRows(ctx, first.ID, result.Ask{Limit: 10})
	assert.Equal(t, http.StatusNotFound, servicetest.Status(err))
	left, err := os.ReadDir(filepath.Join(s.Data, "scratch"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
