package service_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/outcome"
	"sieb/core/result"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Accepted rows are written in the forms that a mapping names, as the run goes, and in any form later: the same rows.
func TestFormsOfAcceptedRows(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	const code = "code;label\nAH;Ahrensee\nBR;Brunnthal\n"
	_, err := s.Client.AddCodes(ctx, "sites", "", []byte(code))
	require.NoError(t, err)
	_, err = s.Client.AddTarget(ctx, []byte("target: loads\ncolumns:\n  - {name: no, required: true}\n"+
		"  - {name: kg, datatype: integer, titles: [Weight]}\n  - {name: site, oneOf: {codes: sites}}\n"))
	require.NoError(t, err)
	const mapping = "mapping: silo\ntarget: loads\ncolumns: {no: {null: []}}\noutputs:\n  - {form: jsonl}\n" +
		"  - {form: delimited, delimiter: ';', header: titles, codes: both}\n"
	for wrong, why := range map[string]string{
		strings.Replace(mapping, "jsonl", "ods", 1):                                 "line 5, column 5: an entry of outputs: form",
		strings.Replace(mapping, "{form: jsonl}", "{form: jsonl, delimiter: x}", 1): "line 5, column 5: an entry of outputs: the form jsonl has no delimiter",
		strings.Replace(mapping, "titles", "bold", 1):                               "header is names, titles or none, not",
		strings.Replace(mapping, "form: delimited, ", "", 1):                        "does not say in which form",
	} {
		_, err := s.Client.AddMapping(ctx, []byte(wrong))
		assert.Equal(t, http.StatusUnprocessableEntity, servicetest.Status(err))
		assert.ErrorContains(t, err, why)
	}
	_, err = s.Client.AddMapping(ctx, []byte(mapping))
	require.NoError(t, err)
	d, err := s.Client.AddDelivery(ctx, "silo-2026-07.csv", strings.NewReader("no,kg,site\nA,12,AH\nB,x,AH\n,7,\nC,3,BR\n"))
	require.NoError(t, err)
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Mapping: "silo"})
	require.NoError(t, err)
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	require.Empty(t, run.Error)
	const lines = `{"no":"A","kg":12,"site":"AH"}` + "\n" + `{"no":"C","kg":3,"site":"BR"}` + "\n"
	const titled = "no;Weight;site;site (label)\nA;12;AH;Ahrensee\nC;3;BR;Brunnthal\n"
	assert.Equal(t, lines, s.Output(t, run.ID, "accepted.jsonl"))
	assert.Equal(t, titled, s.Output(t, run.ID, "accepted-delimited.csv"))
	assert.Contains(t, run.Outputs, "accepted.jsonl")
	var proof struct{ Outputs []outcome.Proof }
	require.NoError(t, json.Unmarshal([]byte(s.Output(t, run.ID, "manifest.json")), &proof))
	assert.Len(t, proof.Outputs, 6)
	_, err = s.Client.Output(ctx, run.ID, "accepted.parquet")
	assert.ErrorContains(t, err, `the run has no output "accepted.parquet"; it has accepted.csv, rejected.csv`)

	forms, err := s.Client.Forms(ctx)
	require.NoError(t, err)
	for _, f := range forms.Items {
		r, err := s.Client.WrittenRows(ctx, run.ID, result.Ask{}, outcome.Settings{Form: f.Name})
		text := servicetest.Read(t, r, err)
		assert.NotEmpty(t, text, f.Name)
		assert.NotEmpty(t, f.Meaning)
		switch f.Name {
		case "csv":
			assert.Equal(t, s.Output(t, run.ID, "accepted.csv"), text)
		case "jsonl":
			assert.Equal(t, lines, text)
		}
	}
	r, err := s.Client.WrittenRows(ctx, run.ID, result.Ask{}, outcome.Settings{Form: "delimited", Delimiter: ";", Header: outcome.ByTitle,
		Codes: outcome.AsBoth})
	assert.Equal(t, titled, servicetest.Read(t, r, err))
	for _, wrong := range []outcome.Settings{{Form: "ods"}, {Form: "parquet", Delimiter: ";"}, {Form: "csv", Codes: "label"},
		{Form: "delimited", Encoding: "ebcdic"}} {
		_, err := s.Client.WrittenRows(ctx, run.ID, result.Ask{}, wrong)
		assert.Equal(t, http.StatusUnprocessableEntity, servicetest.Status(err), "%+v", wrong)
	}
	_, err = s.Client.WrittenRows(ctx, "nothing", result.Ask{}, outcome.Settings{Form: "csv"})
	assert.Equal(t, http.StatusNotFound, servicetest.Status(err))
}
