package catalogue_test

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/ddl"
	"sieb/core/target"
	"sieb/service/catalogue"
	"sieb/service/localpg/pgtest"
)

// names that mean harm to whoever writes SQL by hand.
var names = []string{"no", "day", "select", "Straße", "with space", `quo"te`, "semi;colon", "UPPER", "user", "a-b",
	"таблица",
	"it's", strings.Repeat("long_", 12)}

// columnOf draws a column of a target, in YAML.
func columnOf(t *rapid.T, name string) string {
	spec := []string{"name: " + fmt.Sprintf("%q", name)}
	add := func(format string, args ...any) { spec = append(spec, fmt.Sprintf(format, args...)) }
	kind := rapid.SampledFrom([]string{"string", "integer", "long", "decimal", "double", "boolean", "date", "dateTime",
		"time"}).Draw(t, "datatype")
	add("datatype: %s", kind)
	if rapid.Bool().Draw(t, "required") {
		add("required: true")
	}
	switch kind {
	case "string":
		switch rapid.IntRange(0, 3).Draw(t, "text") {
		case 0:
			add("maxLength: %d", rapid.IntRange(1, 300).Draw(t, "length"))
		case 1:
			add(`oneOf: ["a", "it's", "100%%", "back\\slash"]`)
		case 2:
			add(`format: "[A-Z]{2}-[0-9]+"`)
		}
		if rapid.Bool().Draw(t, "said") {
			add(`description: "it's; -- said\nin two lines"`)
		}
	case "integer":
		if rapid.Bool().Draw(t, "limits") {
			low := rapid.IntRange(-100_000, 100_000).Draw(t, "low")
			add("minimum: %d", low)
			add("maximum: %d", low+rapid.IntRange(0, 1_000_000).Draw(t, "width"))
		}
	case "decimal":
		digits := rapid.IntRange(1, 18).Draw(t, "digits")
		add("precision: %d", digits)
		add("scale: %d", rapid.IntRange(0, digits).Draw(t, "behind"))
	case "date":
		if rapid.Bool().Draw(t, "limits") {
			add("minimum: 2020-02-29")
		}
	}
	return "  - {" + strings.Join(spec, ", ") + "}\n"
}

// created draws a target with some columns, and creates its table. It returns the names of the columns and the
// statement, too.
func created(t *rapid.T, conn *pgx.Conn, n int) (of *target.Target, drawn []string, sql string) {
	var text strings.Builder
	fmt.Fprintf(&text, "target: t%d\ncolumns:\n", n)
	drawn = rapid.SliceOfNDistinct(rapid.SampledFrom(names), 1, 6, rapid.ID[string]).Draw(t, "names")
	for _, name := range drawn {
		text.WriteString(columnOf(t, name))
	}
	if rapid.Bool().Draw(t, "key") {
		fmt.Fprintf(&text, "key: [%q]\n", drawn[0])
	}
	of, err := target.Parse([]byte(text.String()))
	require.NoError(t, err, text.String())
	sql, err = ddl.Create(of, ddl.PostgreSQL)
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), sql)
	require.NoError(t, err, "PostgreSQL does not take\n%s", sql)
	return of, drawn, sql
}

// What is written as create table is taken by a real PostgreSQL, whatever the names are, and the
// target that is drawn from the table demands the same of each column.
func TestCreatedTables(t *testing.T) {
	db := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "postgres"))
	conn, err := pgx.Connect(t.Context(), db.URL())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(t.Context()) })
	d := catalogue.Databases{Named: map[string]string{"intake": db.URL()}}
	n := 0
	rapid.Check(t, func(t *rapid.T) {
		n++
		of, drawn, sql := created(t, conn, n)
		table, err := d.Read(t.Context(), "intake", of.Name)
		require.NoError(t, err, sql)
		back, err := target.Parse(table.Draft().YAML())
		require.NoError(t, err, table.Draft().YAML())
		require.Len(t, back.Columns, len(of.Columns))
		for i := range of.Columns {
			was, is := &of.Columns[i], &back.Columns[i]
			assert.Equal(t, was.Datatype.IsText(), is.Datatype.IsText(), "%s\n%s", sql, table.Draft().YAML())
			assert.Equal(t, was.Datatype.IsMoment(), is.Datatype.IsMoment(), sql)
			if of.Key == nil || was.Name != drawn[0] {
				assert.Equal(t, was.Required, is.Required, "%s\n%s", sql, table.Draft().YAML())
			}
			assert.Equal(t, was.OneOf, is.OneOf, "%s\n%s", sql, table.Draft().YAML())
			if was.MaxLength != nil {
				assert.Equal(t, was.MaxLength, is.MaxLength, "%s\n%s", sql, table.Draft().YAML())
			}
		}
		if of.Key != nil { // of one column, it is said of the column
			assert.True(t, back.Columns[0].Unique && back.Columns[0].Required, "%s\n%s", sql, table.Draft().YAML())
		}
	})
}

// The tables of a database are listed with their columns and about how many rows they have, those
// with a text in their name; what the service may not read is not shown.
func TestTables(t *testing.T) {
	db := pgtest.Start(t, filepath.Join(pgtest.Folder(t), "postgres"))
	conn, err := pgx.Connect(t.Context(), db.URL())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(t.Context()) })
	_, err = conn.Exec(t.Context(), `create schema intake; create table intake.tickets (no text, kg integer);
		comment on table intake.tickets is 'as they come';
		create view intake.heavy as select * from intake.tickets where kg > 100;
		insert into intake.tickets select i::text, i from generate_series(1, 2000) i; analyze intake.tickets;
		create table public."Odd Name" (a integer);
		create table public."100%" (a integer);`)
	require.NoError(t, err)
	d := catalogue.Databases{Named: map[string]string{"intake": db.URL()}}
	all, more, err := d.Tables(t.Context(), "intake", "tick")
	require.NoError(t, err)
	assert.False(t, more)
	require.Len(t, all, 1)
	assert.Equal(t, []any{"intake", "tickets", "as they come", []string{"no", "kg"}},
		[]any{all[0].Schema, all[0].Name, all[0].Comment, all[0].Columns})
	assert.InDelta(t, 2000, all[0].Rows, 1)
	for find, want := range map[string]string{"ODD": "Odd Name", "%": "100%"} {
		all, _, err := d.Tables(t.Context(), "intake", find)
		require.NoError(t, err)
		if assert.Len(t, all, 1, find) {
			assert.Equal(t, want, all[0].Name)
		}
	}
	all, _, err = d.Tables(t.Context(), "intake", "")
	require.NoError(t, err)
	for _, one := range all {
		assert.NotContains(t, []string{"pg_catalog", "information_schema"}, one.Schema)
	}
	all, _, err = d.Tables(t.Context(), "intake", "no such table")
	require.NoError(t, err)
	assert.Empty(t, all)
	_, _, err = d.Tables(t.Context(), "elsewhere", "")
	assert.ErrorContains(t, err, "elsewhere")
}
