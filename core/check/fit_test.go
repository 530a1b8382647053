package check_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/target"
)

// How a header fits a target is told without a row, whatever else the target asks for.
func TestFitOf(t *testing.T) {
	named := func(names ...string) source.Header { return source.Header{Names: names, Named: true, Line: 1} }
	const columns = "target: t\ncolumns:\n  - {name: no, titles: [Ticket No.], required: true}\n  - {name: day, datatype: date}\n" +
		"  - {name: kg, datatype: integer}\n"
	tests := []struct {
		name, target, mapping string
		header                source.Header
		want                  check.Fit
		fails                 bool
	}{
		{"all", columns, "", named("TICKET no", "Day", "kg"), check.Fit{Fed: 3, Columns: 3}, false},
		{"one is missing that may be", columns, "", named("no", "day"), check.Fit{Fed: 2, Columns: 3}, false},
		{"one is missing that may not", columns, "", named("day", "kg"), check.Fit{Fed: 2, Columns: 3, Wanting: []string{"no"}}, false},
		{"a part of the key is missing", columns + "key: [day]\n", "", named("no", "kg"),
			check.Fit{Fed: 2, Columns: 3, Wanting: []string{"day"}}, false},
		{"new ones", columns, "", named("no", "silo", "day", "kg", "site"),
			check.Fit{Fed: 3, Columns: 3, Unknown: []string{"silo", "site"}}, false},
		{"what is left out is known", columns + "leftOut: [Silo]\n", "", named("no", "silo", "day", "kg"),
			check.Fit{Fed: 3, Columns: 3}, false},
		{"what a condition reads is known", columns + "exclude: [{condition: 'cell(\"Silo\") == \"x\"', reason: r}]\n", "",
			named("no", "Silo", "day", "kg"), check.Fit{Fed: 3, Columns: 3}, false},
		{"a mapping", columns, "mapping: m\ntarget: t\ncolumns:\n  no: {from: Beleg}\n  day: {value: 2026-07-01}\nleftOut: [Silo]\n",
			named("Beleg", "kg", "Silo"), check.Fit{Fed: 2, Columns: 2}, false},
		{"a mapping of another sender", columns, "mapping: m\ntarget: t\ncolumns:\n  no: {from: Beleg}\n", named("no", "day", "kg"),
			check.Fit{Fed: 2, Columns: 3, Wanting: []string{"no"}, Unknown: []string{"no"}}, false},
		{"what it refers to is not asked for", "target: t\ncolumns:\n  - {name: a, oneOf: {codes: sites}, " +
			"remedies: [{translate: {codes: sites, to: code}}]}\n  - {name: b}\nforeignKeys:\n" +
			"  - {columnReference: [b], reference: {resource: growers, columnReference: [b]}}\n" +
			"rows: {minimum: 1}\n", "", named("a", "b"), check.Fit{Fed: 2, Columns: 2}, false},
		{"nothing", columns, "", named("a", "b"), check.Fit{}, true},
		{"no header", columns, "", source.Header{Names: []string{"column_1", "column_2"}}, check.Fit{}, true},
		{"no header and positions", "target: t\ncolumns:\n  - {name: a, position: 2}\n", "",
			source.Header{Names: []string{"column_1", "column_2"}}, check.Fit{Fed: 1, Columns: 1}, false},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			to, err := target.Parse([]byte(test.target))
			require.NoError(t, err)
			if test.mapping != "" {
				m, err := target.ParseMapping([]byte(test.mapping))
				require.NoError(t, err)
				to, err = to.With(m)
				require.NoError(t, err)
			}
			got, err := check.FitOf(to, test.header)
			if test.fails {
				assert.Error(t, err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, test.want, got)
		})
	}
}
