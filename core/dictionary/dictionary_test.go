package dictionary_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"sieb/core/dictionary"
	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/target"
)

func read(t *testing.T, path string) (*dictionary.Result, error) {
	t.Helper()
	file, err := source.Open(context.Background(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	return dictionary.Read(context.Background(), file, "")
}

func write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

// The same table, described in English and in German, in other orders and with other words for types.
func TestEnglishAndGerman(t *testing.T) {
	for name, text := range map[string]string{
		"english.csv": `Field name,Description,Data type,Length,Decimals,Mandatory,Allowed values,Primary key,Min,Max,Format
ticket_no,printed on the slip,varchar,9,,yes,,yes,,,
weighed on,day of the weighing,date,,,Y,,,2026-01-01,,DD.MM.YYYY
crop,,char(6),,,x,"wheat, barley, rye",,,,
gross_kg,,number,6,0,yes,,,1000,60000,
moisture_pct,,"decimal(4,1)",,,no,,,5,40,
organic,,boolean,,,,,,,,
`,
		"deutsch.csv": `Pflichtfeld;Feldname;Wertebereich;Datentyp;Länge;Nachkommastellen;Schlüssel;Bedeutung;von;bis;Muster
ja;ticket_no;;Text;9;;ja;printed on the slip;;;
ja;weighed on;;Datum;;;;day of the weighing;2026-01-01;;TT.MM.JJJJ
ja;crop;wheat | barley | rye;Zeichenkette (6);;;;;;;
ja;gross_kg;;Ganzzahl;6;;;;1000;60000;
nein;moisture_pct;;Dezimalzahl(4,1);;;;;5;40;
;organic;;ja/nein;;;;;;;
`} {
		r, err := read(t, write(t, name, text))
		require.NoError(t, err, name)
		of, err := target.Parse(r.Target)
		require.NoError(t, err, "%s", r.Target)
		assert.Empty(t, r.Left, name)
		assert.Equal(t, []string{"ticket_no"}, of.Key, name)
		var said []string
		for i := range of.Columns {
			c := &of.Columns[i]
			parts := []string{c.Name, c.Datatype.String(), c.Minimum + ".." + c.Maximum, strings.Join(c.OneOf, "/"),
				strings.Join(c.Formats, "/")}
			if c.Required {
				parts = append(parts, "required")
			}
			said = append(said, strings.Join(parts, " "))
		}
		assert.Equal(t, []string{"ticket_no string ..   required", "weighed_on date 2026-01-01..  dd.MM.yyyy required",
			"crop string .. wheat/barley/rye  required", "gross_kg integer 1000..60000   required",
			"moisture_pct decimal 5..40  ",
			"organic boolean ..  "}, said, name)
		assert.Equal(t, []any{9, 6, 4, 1}, []any{*of.Columns[0].MaxLength, *of.Columns[3].Precision, *of.Columns[4].Precision,
			*of.Columns[4].Scale}, name)
		assert.Equal(t, []string{"weighed on"}, of.Columns[1].Titles)
		assert.Equal(t, "printed on the slip", of.Columns[0].Description)
	}
}

func TestTypes(t *testing.T) {
	rows := []struct{ text, want string }{{"VARCHAR2(20)", "string"}, {"NUMBER(8,2)", "decimal"},
		{"numeric(5)", "decimal"},
		{"BIGINT", "integer"}, {"double precision", "double"}, {"Timestamp", "dateTime"}, {"Uhrzeit", "time"},
		{"Datum/Uhrzeit", "dateTime"},
		{"Boolean", "boolean"}, {"URL", "anyURI"}, {"Betrag", "decimal"}, {"N(6,0)", "integer"}, {"alphanumerisch", "string"}}
	text := "Name,Type\n"
	for i, r := range rows {
		text += "c" + string(rune('a'+i)) + ",\"" + r.text + "\"\n"
	}
	r, err := read(t, write(t, "types.csv", text))
	require.NoError(t, err)
	of, err := target.Parse(r.Target)
	require.NoError(t, err)
	for i, row := range rows {
		assert.Equal(t, row.want, of.Columns[i].Datatype.String(), row.text)
	}
	assert.Empty(t, r.Left)
}

// What is not understood is said, and never makes a rule.
func TestWhatIsNotUnderstoodIsListed(t *testing.T) {
	r, err := read(t, write(t, "odd.csv", "Column,Type,Values,Minimum,Default,Format,Owner,Nullable\n"+
		"a,geometry,,,,,Anna,no\nb,integer,\"one, two\",low,x,0000,Ben,yes\na,text,,,,,,\n,text,,,,,,\nc,text,\"W = wheat; B - barley\",,rye,ABC,,not null\n"))
	require.NoError(t, err)
	of, err := target.Parse(r.Target)
	require.NoError(t, err)
	require.Len(t, of.Columns, 3)
	for _, left := range []string{"the heading Owner", "a: the type geometry, which becomes a text",
		`b: the values "one, two"`,
		"b: the minimum low", "b: the default x", "b: the format 0000", "row 3: a second column a", "c: the format ABC"} {
		assert.Contains(t, r.Left, left)
	}
	assert.Equal(t, []bool{true, false, true}, []bool{of.Columns[0].Required, of.Columns[1].Required,
		of.Columns[2].Required})
	assert.Equal(t, []string{"W", "B"}, of.Column("c").OneOf)
	_, err = read(t, write(t, "none.csv", "Owner,Team\nx,y\n"))
	assert.ErrorContains(t, err, "no heading of the dictionary says how the columns are named")
	_, err = read(t, write(t, "empty.csv", "Name,Type\n,\n,\n"))
	assert.ErrorContains(t, err, "describes no column")
}

// A workbook that another program wrote.
func TestWorkbookDictionary(t *testing.T) {
	book := excelize.NewFile()
	defer book.Close()
	for i, row := range [][]any{{"Bezeichnung", "Spalte", "Typ", "Länge", "Pflicht"},
		{"Nummer des Scheins", "Schein-Nr.", "Text", 9, "x"},
		{"Gewicht", "Netto kg", "Zahl", 6, ""}} {
		require.NoError(t, book.SetSheetRow("Sheet1", "A"+string(rune('1'+i)), &row))
	}
	path := filepath.Join(t.TempDir(), "felder.xlsx")
	require.NoError(t, book.SaveAs(path))
	r, err := read(t, path)
	require.NoError(t, err)
	of, err := target.Parse(r.Target)
	require.NoError(t, err)
	assert.Equal(t, []any{"felder", "schein_nr", []string{"Schein-Nr."}, 9, true, "Nummer des Scheins"},
		[]any{of.Name, of.Columns[0].Name,
			of.Columns[0].Titles, *of.Columns[0].MaxLength, of.Columns[0].Required, of.Columns[0].Description})
	assert.Equal(t, map[string]string{"Bezeichnung": "description", "Spalte": "name", "Typ": "datatype", "Länge": "length",
		"Pflicht": "required"}, r.Taken)
}

// A word that may mean two things means what nothing else says.
func TestHeadingsOfTwoMeanings(t *testing.T) {
	for header, want := range map[string][2]string{"Spalte;Bezeichnung;Beschreibung": {"Belegnummer", "vom Schein"},
		"Spalte;Bezeichnung;Titel": {"vom Schein", "Belegnummer"}} {
		r, err := read(t, write(t, "d.csv", header+"\nno;Belegnummer;vom Schein\n"))
		require.NoError(t, err)
		assert.Empty(t, r.Left)
		of, err := target.Parse(r.Target)
		require.NoError(t, err, "%s", r.Target)
		assert.Equal(t, []any{[]string{want[0]}, want[1]}, []any{of.Columns[0].Titles, of.Columns[0].Description}, header)
	}
}
