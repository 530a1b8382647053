package catalogue_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/rfc4180"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/service/localpg/pgtest"
)

// valuesOf are canonical values of each datatype, at and beyond what columns are drawn to demand.
var valuesOf = map[value.Datatype][]string{
	value.String: {"", "a", "it's", "100%", `back\slash`, "AB-12", "ab-12", "AB-12x", strings.Repeat("ä", 300), "' or 1=1 --", "x"},
	value.Integer: {"", "0", "-1", "7", "-100000", "100000", "1100000", "2147483647", "2147483648", "-2147483649",
		"99999999999999999"},
	value.Decimal: {"", "0", "-0.5", "1.25", "12345678", "0.000000000000000001", "999999999999999999", "12.5", "-7"},
	value.Double:  {"", "0", "-0.5", "1E300", "1.25"},
	value.Boolean: {"", "true", "false"},
	value.Date:    {"", "2020-02-28", "2020-02-29", "0001-01-01", "9999-12-31", "2026-07-31"},
	value.DateTime: {"", "2026-07-31T14:05:09", "0001-01-01T00:00:00", "9999-12-31T23:59:59",
		"2026-07-31T14:05:09.123456"},
	value.Time: {"", "00:00:00", "23:59:59", "14:05:09.5"},
}

// sifted returns the accepted rows of a table, and the rejected ones as they were delivered.
func sifted(t require.TestingT, of *target.Target, table []byte) (accepted, rejected [][]string) {
	open := func() (source.Source, error) {
		return source.NewReader(bytes.NewReader(table), layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, HeaderNames: layout.Joined})
	}
	rows, err := open()
	require.NoError(t, err)
	out := &outcometest.Texts{}
	run := sift.Run{Source: rows, Encoding: "utf-8", Target: of, Outputs: out.Outputs(), Workers: 1,
		Again: func(context.Context) (source.Source, error) { return open() }}
	_, err = run.Do(context.Background())
	require.NoError(t, err)
	read := func(text *outcometest.Buffer, skip int) (all [][]string) {
		records, err := csv.NewReader(text).ReadAll()
		require.NoError(t, err)
		for _, r := range records[min(1, len(records)):] {
			all = append(all, r[skip:])
		}
		return all
	}
	for _, row := range read(&out.Rejected, 2) { // behind row and line: the reasons, and the cells
		if !strings.Contains(row[0], "after the point") { // SQL rounds what has too many digits there
			rejected = append(rejected, row[1:])
		}
	}
	return read(&out.Accepted, 0), rejected
}

// What is accepted for a target is taken by the table that is created of it, with all its constraints; of what is
// rejected the table takes nothing of which it says the rule.
func TestCreatedTablesTakeWhatIsAccepted(t *testing.T) {
	db := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "postgres"))
	conn, err := pgx.Connect(t.Context(), db.URL())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(t.Context()) })
	n := 0
	seen := map[bool]int{}
	rapid.Check(t, func(t *rapid.T) {
		n++
		of, drawn, sql := created(t, conn, n)
		table := rfc4180.AppendRow(nil, drawn...)
		for range rapid.IntRange(1, 12).Draw(t, "rows") {
			var cells []string
			for i := range of.Columns {
				cells = append(cells, rapid.SampledFrom(valuesOf[of.Columns[i].Datatype]).Draw(t, "value"))
			}
			if slices.ContainsFunc(cells, func(c string) bool { return c != "" }) {
				table = rfc4180.AppendRow(table, cells...)
			}
		}
		accepted, rejected := sifted(t, of, table)
		for _, row := range accepted {
			assert.NoError(t, insert(t.Context(), conn, of, row), "%q\n%s", row, sql)
			seen[true]++
		}
		for _, row := range rejected {
			assert.Error(t, insert(t.Context(), conn, of, row), "%q is taken, though it is rejected\n%s", row, sql)
			seen[false]++
		}
	})
	assert.Greater(t, min(seen[true], seen[false]), 10, "both sides were seen")
}

// insert puts a row into the table of a target; "" is null.
func insert(ctx context.Context, conn *pgx.Conn, of *target.Target, row []string) error {
	names, places, values := make([]string, len(row)), make([]string, len(row)), make([]any, len(row))
	for i, cell := range row {
		names[i] = pgx.Identifier{of.Columns[i].Name}.Sanitize()
		places[i] = fmt.Sprintf("$%d::text", i+1)
		if cell != "" {
			values[i] = cell
		}
		if t := of.Columns[i].Datatype; !t.IsText() {
			places[i] += "::" + map[value.Datatype]string{value.Integer: "bigint", value.Decimal: "numeric",
				value.Double: "double precision", value.Boolean: "boolean", value.Date: "date", value.DateTime: "timestamp",
				value.Time: "time"}[t]
		}
	}
	_, err := conn.Exec(ctx, fmt.Sprintf("insert into %s (%s) values (%s)", pgx.Identifier{of.Name}.Sanitize(),
		strings.Join(names, ", "), strings.Join(places, ", ")), values...)
	return err
}
