package sift_test

import (
	"context"
	"encoding/csv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/rfc4180"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

func explain(t *testing.T, text string, row int64) (*check.Explanation, error) {
	tg, err := target.Parse([]byte(tickets))
	require.NoError(t, err)
	m, err := target.ParseMapping([]byte(strings.Replace(sender, "gross_kg: {from: Gross, groupChar: \".\"}",
		"gross_kg: {from: Gross, groupChar: \".\", remedies: [trim, {recode: {leer: 0}}]}", 1)))
	require.NoError(t, err)
	tg, err = tg.With(m)
	require.NoError(t, err)
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
	r, err := source.NewReader(strings.NewReader(text), l)
	require.NoError(t, err)
	run := sift.Run{Source: r, Encoding: "utf-8", Name: "tickets.csv", Target: tg,
		Today: time.Date(2026, 7, 31, 0, 0, 0, 0, time.UTC)}
	return run.Explain(context.Background(), row)
}

func TestExplain(t *testing.T) {
	text := "No;Day;Gross;Tare;Driver\n17;20.07.2026;20.000;7.500;x\nTEST;;;;\n17;20.07.2026; leer " +
		";;x\n1;31.02.2026;5;x;y\nshort\n"
	e, err := explain(t, text, 1)
	require.NoError(t, err)
	assert.Equal(t, []any{int64(1), int64(2), "accepted", ""}, []any{e.Row, e.Line, e.Fate, e.Reason})
	assert.Empty(t, e.Violations)
	assert.Equal(t, `"AH-" + cell("No").trim()`, e.Columns[0].From)
	assert.Equal(t, "AH-17", *e.Columns[0].Value)
	assert.Equal(t, "20.07.2026", *e.Columns[1].Delivered)
	assert.Equal(t, []string{"Day", "date", "2026-07-20"}, []string{e.Columns[1].Header, e.Columns[1].Datatype,
		*e.Columns[1].Value})
	assert.Equal(t, []string{"written dd.MM.yyyy or d.M.yy", "from today-30 to today"}, e.Columns[1].Demands)
	assert.Equal(t, "holds", answerOf(e, "net is gross less tare"))
	assert.Equal(t, "does not hold", answerOf(e, "left out: trial weighings"))

	e, err = explain(t, text, 2)
	require.NoError(t, err)
	assert.Equal(t, []string{"excluded", "trial weighings"}, []string{e.Fate, e.Reason})
	assert.Equal(t, "holds", answerOf(e, "left out: trial weighings"))
	assert.Nil(t, e.Columns[0].Value)

	e, err = explain(t, text, 3)
	require.NoError(t, err)
	assert.Equal(t, "rejected", e.Fate)
	assert.Equal(t, []check.CleaningStep{{Remedy: "trim", Text: "leer", Changed: true},
		{Remedy: "recode", Text: "0", Changed: true}},
		e.Columns[2].Steps)
	assert.Equal(t, "7000", *e.Columns[3].Value, "the default")
	require.Len(t, e.Columns[0].Violations, 1, "a key that an earlier row has")
	assert.Equal(t, violation.KeyDuplicate, e.Columns[0].Violations[0].Code)

	e, err = explain(t, text, 4)
	require.NoError(t, err)
	assert.Equal(t, "not judged, since a value is missing or wrong", answerOf(e, "net is gross less tare"))
	assert.Nil(t, e.Columns[1].Value)
	assert.Equal(t, violation.DateImpossible, e.Columns[1].Violations[0].Code)

	e, err = explain(t, text, 5)
	require.NoError(t, err)
	assert.Equal(t, "rejected", e.Fate)
	assert.Contains(t, e.Reason, "which cells belong to which columns")
	assert.Equal(t, violation.RowShort, e.Violations[0].Code)

	for _, row := range []int64{0, -1, 6} {
		_, err = explain(t, text, row)
		var none *sift.NoRow
		require.ErrorAs(t, err, &none, row)
	}
}

func answerOf(e *check.Explanation, name string) string {
	for _, a := range append(e.Rules, e.References...) {
		if a.Name == name {
			return a.Answer
		}
	}
	return "no such rule"
}

// What an explanation shows of an accepted row is what stands in accepted.csv, of flagged texts too.
func TestExplainedIsWritten(t *testing.T) {
	for _, action := range []string{"flag", "blank"} {
		for _, kind := range []string{"string, format: '[0-9]+'", "integer", "decimal", "double", "boolean", "date",
			"dateTime",
			"time", "anyURI", "duration"} {
			for _, cell := range []string{"x", "a, b", `say "no"`, "12", "true", "2026-07-31", "", "5 kg"} {
				text := "target: t\ncolumns:\n  - {name: id}\n  - {name: v, datatype: " + kind + ", onViolation: " + action + "}\n"
				file := "id,v\n1," + string(rfc4180.AppendCell(nil, []byte(cell))) + "\n"
				tg, err := target.Parse([]byte(text))
				require.NoError(t, err)
				_, sink := run(t, text, file, 1)
				rows, err := csv.NewReader(strings.NewReader(sink.Accepted.String())).ReadAll()
				require.NoError(t, err)
				require.Len(t, rows, 2, "%s %q", kind, cell)
				l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
					DoubleQuote: true, HeaderRows: 1}
				r, err := source.NewReader(strings.NewReader(file), l)
				require.NoError(t, err)
				e, err := (&sift.Run{Source: r, Encoding: "utf-8", Target: tg}).Explain(t.Context(), 1)
				require.NoError(t, err)
				got := ""
				if v := e.Columns[1].Value; v != nil {
					got = *v
				}
				assert.Equal(t, rows[1][1], got, "%s with %s of %q", kind, action, cell)
			}
		}
	}
}
