package csvw_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/csvw"
	"sieb/core/target"
	"sieb/core/value"
)

// A document as other programs write it: inherited properties, several languages, a group of tables.
const written = `{"@context": ["http://www.w3.org/ns/csvw", {"@language": "en"}], "@type": "TableGroup", "null": "n/a",
"dialect": {"delimiter": ";", "encoding": "windows-1252", "header": true, "skipRows": 2, "trim": true},
"tables": [
 {"url": "https://talfeld.example/tickets.csv", "dc:title": {"@value": "Weighbridge tickets", "@language": "en"}, "notes": [],
  "tableSchema": {"aboutUrl": "#row-{_row}", "primaryKey": "no",
   "columns": [
    {"name": "no", "titles": {"en": "Ticket No.", "de": "Scheinnummer"}, "required": true, "dc:description": "on the slip",
     "datatype": {"base": "string", "format": "[A-Z]{2}-[0-9]{6}", "maxLength": 9}},
    {"name": "day", "titles": ["Date", "Day"], "datatype": {"base": "date", "format": "dd.MM.yyyy", "minimum": "2026-01-01"}},
    {"name": "kg", "datatype": {"base": "decimal", "format": {"decimalChar": ",", "groupChar": ".", "pattern": "#.##0,0"},
     "maxInclusive": 60000}, "propertyUrl": "schema:weight"},
    {"titles": "Organic?", "datatype": {"base": "boolean", "format": "Y|N"}},
    {"name": "pallets", "datatype": "unsignedByte", "default": "1", "null": ["", "-"]},
    {"name": "crops", "separator": "|", "datatype": {"base": "string", "length": 3}},
    {"name": "page", "datatype": "html"}, {"name": "year", "datatype": {"base": "gYear", "minExclusive": "1999"}},
    {"name": "seen", "datatype": "dateTimeStamp"}, {"virtual": true, "name": "type"}],
   "foreignKeys": [{"columnReference": "no", "reference": {"resource": "slips.csv", "columnReference": "slip_no"}}]}},
 {"url": "other.csv", "tableSchema": {"columns": [{"name": "x"}]}}]}`

func TestRead(t *testing.T) {
	m, err := csvw.Read([]byte(written), "tickets.csv")
	require.NoError(t, err)
	of, err := target.Parse(m.Target)
	require.NoError(t, err, "%s", m.Target)
	assert.Equal(t, []any{"tickets", "Weighbridge tickets", []string{"no"}, 9},
		[]any{of.Name, of.Title, of.Key, len(of.Columns)})
	no, kg, pallets := of.Column("no"), of.Column("kg"), of.Column("pallets")
	assert.Equal(t, []string{"Scheinnummer", "Ticket No."}, no.Titles)
	assert.Equal(t, []any{true, "on the slip", []string{"[A-Z]{2}-[0-9]{6}"}, 9, []string{"n/a"}},
		[]any{no.Required, no.Description, no.Formats, *no.MaxLength, no.Null})
	assert.Equal(t, []any{",", ".", "60000"}, []any{kg.DecimalChar, kg.GroupChar, kg.Maximum})
	assert.Equal(t, []any{"0", "255", "1", []string{"", "-"}},
		[]any{pallets.Minimum, pallets.Maximum, pallets.Default, pallets.Null})
	assert.Equal(t, "|", of.Column("crops").Separator)
	assert.True(t, of.Column("seen").Zoned)
	assert.Equal(t, "slips", of.ForeignKeys[0].Reference.Resource)
	for _, left := range []string{"propertyUrl of the column kg",
		"the datatype html of the column page, which becomes a text",
		"the datatype gYear of the column year, which becomes a text", "minExclusive of the datatype of the column year",
		"the virtual column type", "aboutUrl of the tableSchema", "notes of the table"} {
		assert.Contains(t, m.Left, left)
	}
	require.NotNil(t, m.Mapping)
	mapped, err := target.ParseMapping(m.Mapping)
	require.NoError(t, err)
	assert.Equal(t, []any{";", "windows-1252", 2}, []any{*mapped.Layout.Delimiter, *mapped.Layout.Encoding,
		*mapped.Layout.SkipRows})
}

func TestNoMetadata(t *testing.T) {
	for text, want := range map[string]string{
		`x`:        "is not JSON",
		`{"a": 1}`: "is no CSVW metadata",
		`{"@context": "http://www.w3.org/ns/csvw"}`:                                                                                               "describes no table",
		`{"@context": "http://www.w3.org/ns/csvw", "tables": []}`:                                                                                 "lists no table",
		`{"@context": "http://www.w3.org/ns/csvw", "tableSchema": "http://x/schema"}`:                                                             "is not fetched",
		`{"@context": "http://www.w3.org/ns/csvw", "tableSchema": {"columns": []}}`:                                                               "has no columns",
		`{"@context": "http://www.w3.org/ns/csvw", "tableSchema": {"columns": ["x"]}}`:                                                            "column 1 of the tableSchema is no object",
		strings.Repeat(" ", csvw.MostBytes+1):                                                                                                     "longer than 4 MiB",
		`{"@context": "http://www.w3.org/ns/csvw", "tableSchema": {"columns": [{"name": "a", "datatype": {"base": "integer", "minimum": "x"}}]}}`: "makes no target",
	} {
		_, err := csvw.Read([]byte(text), "")
		assert.ErrorContains(t, err, want)
	}
	_, err := csvw.Read([]byte(written), "")
	assert.ErrorContains(t, err, "the document has 2 tables: name one of")
	_, err = csvw.Read([]byte(written), "nothing.csv")
	assert.ErrorContains(t, err, `has no table "nothing.csv"`)
}

// What is written of the demo's targets is read back with the same columns, datatypes and demands; what the
// vocabulary has no words for is listed.
func TestWriteAndRead(t *testing.T) {
	paths, err := filepath.Glob("../../demo/targets/*.yaml")
	require.NoError(t, err)
	for _, path := range paths {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		of, err := target.Parse(text)
		require.NoError(t, err)
		doc, left, err := csvw.Write(of, "accepted.csv")
		require.NoError(t, err)
		require.True(t, json.Valid(doc))
		m, err := csvw.Read(doc, "")
		require.NoError(t, err, "%s", doc)
		back, err := target.Parse(m.Target)
		require.NoError(t, err)
		assert.Empty(t, m.Left, path)
		require.Len(t, back.Columns, len(of.Columns))
		for i := range of.Columns {
			a, b := &of.Columns[i], &back.Columns[i]
			assert.Equal(t, []any{a.Name, a.Datatype, a.Required, a.Minimum, a.Maximum, a.MinLength, a.MaxLength, a.Description},
				[]any{b.Name, b.Datatype, b.Required, b.Minimum, b.Maximum, b.MinLength, b.MaxLength, b.Description}, path)
		}
		key := of.Key
		if first := &of.Columns[0]; key == nil && first.Unique && first.Required {
			key = []string{first.Name} // it is the same
		}
		assert.Equal(t, key, back.Key)
		if len(of.RowRules) > 0 {
			assert.Contains(t, left, "the row rule "+of.RowRules[0].Name)
		}
	}
}

// The values of a set come back as a form that these values have, and no other.
func TestSetsAreForms(t *testing.T) {
	text := rapid.StringMatching(`[a-c.|()\\\\*+ ä]{1,4}`)
	rapid.Check(t, func(t *rapid.T) {
		values := rapid.SliceOfNDistinct(text, 1, 6, rapid.ID[string]).Draw(t, "values")
		of := &target.Target{Name: "t", Columns: []target.Column{{Name: "v", Datatype: value.String, OneOf: values}}}
		doc, left, err := csvw.Write(of, "t.csv")
		require.NoError(t, err)
		assert.Empty(t, left)
		m, err := csvw.Read(doc, "")
		require.NoError(t, err)
		back, err := target.Parse(m.Target)
		require.NoError(t, err)
		require.Len(t, back.Columns[0].Formats, 1)
		form := regexp.MustCompile("^(?:" + back.Columns[0].Formats[0] + ")$")
		for _, v := range append(values, text.Draw(t, "another")) {
			assert.Equal(t, slices.Contains(values, v), form.MatchString(v), "%q", v)
		}
	})
}

// What only some words of the vocabulary express is listed.
func TestWhatIsNotExpressed(t *testing.T) {
	of, err := target.Parse([]byte(`target: t
columns:
  - {name: a, unique: true, required: true}
  - {name: b, unique: true}
  - {name: c, oneOf: {codes: sites}}
  - {name: d, datatype: integer, oneOf: [1, 2]}
  - {name: e, datatype: date, maximum: today}
`))
	require.NoError(t, err)
	_, left, err := csvw.Write(of, "t.csv")
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"unique of the column a", "unique of the column b", "oneOf of the column c",
		"oneOf of the column d", "the maximum of e, which depends on the day"}, left)
}
