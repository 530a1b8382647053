package draft_test

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/draft"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/demo"
)

// mappingOf drafts the mapping of a delivery to a target.
func mappingOf(t require.TestingT, dir, name string, content []byte, tg *target.Target,
	given layout.Given) *draft.Mapping {
	path := filepath.Join(dir, name)
	require.NoError(t, os.WriteFile(path, content, 0o600))
	file, err := source.Open(context.Background(), path, given)
	require.NoError(t, err)
	defer file.Close()
	p, err := finding.Profile(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	m, err := draft.For(context.Background(), tg, file, name, p)
	require.NoError(t, err)
	parsed, err := target.ParseMapping(m.YAML())
	require.NoError(t, err, "%s", m.YAML())
	_, err = tg.With(parsed)
	require.NoError(t, err, "%s", m.YAML())
	return m
}

func ticketTarget(t *testing.T) *target.Target {
	text, err := demo.Target("weighbridge_tickets")
	require.NoError(t, err)
	tg, err := target.Parse(text)
	require.NoError(t, err)
	return tg
}

// Each site's columns are found, with the formats that the demo's own mappings have.
func TestMappingsOfTheSites(t *testing.T) {
	tg := ticketTarget(t)
	for _, c := range []struct {
		made  demo.Made
		pairs string
		lines []string
	}{
		{demo.Ahrensee(), "ticket_no=Ticket No. weighed_on=Date moisture_pct=Moisture %", []string{
			`layout: {form: delimited, encoding: windows-1252, delimiter: ";", skipRows: 2, headerRows: 1, footerRows: 1}`,
			`ticket_no: {from: "Ticket No.", remedies: [trim, upper]}`,
			`upper fits 237 of 237, without it 236`, `gross_kg: {from: "Gross kg", groupChar: "."}`,
			`format: "dd.MM.yyyy HH:mm"`, `dd.MM.yyyy fits 234 of 236`, `organic: {from: "Organic", format: "ja|nein"}`,
			`checked_by: {value: ""}`, `not among the values allowed: Weizen (62)`,
			`remedies: [{recode: {"Weizen": ""`}},
		{demo.Brunnthal(), "ticket_no=ticket_no net_kg=net_kg",
			[]string{"# By this mapping 166 of 180 rows are accepted.",
				`recode: {"Brunntal": "Brunnthal"}`}},
		{demo.Colmitz(), "ticket_no=Ticket weighed_on=Date weighed_at=Weighed gross_kg=Gross tare_kg=Tare net_kg=Net",
			[]string{"# By this mapping 153 of 160 rows are accepted.", `format: "MM/dd/yyyy"`, `null: ["", "n/k"]`}},
		{demo.Dornau(), "ticket_no=Ticket grower_no=No. moisture_pct=Moist", []string{
			`site: {value: "Dornau"}  # the name of the file says so`, `cuts: [11, 23, 30, 46, 56, 66, 76, 84]`,
			`dd.MM.yyyy fits 149 of 150, MM.dd.yyyy 42`}},
	} {
		m := mappingOf(t, t.TempDir(), c.made.Name, c.made.Bytes, tg, layout.Given{})
		text := string(m.YAML())
		for _, pair := range strings.Split(strings.ReplaceAll(c.pairs, " %", "~%"), " ") {
			name, header, ok := strings.Cut(pair, "=")
			if ok {
				header = strings.ReplaceAll(header, "~", " ")
				assert.True(t, strings.HasPrefix(m.Pairs()[name], header), "%s: %s from %q", c.made.Name, name,
					m.Pairs()[name])
			}
		}
		for _, line := range c.lines {
			assert.Contains(t, text, line, c.made.Name)
		}
	}
}

// What belongs to a target is found by its values alone where there is no header, and
// columns that nobody wants are left out by name.
func TestMappingWithoutHeader(t *testing.T) {
	tg, err := target.Parse([]byte(`target: t
columns:
  - {name: ticket, format: '[A-Z]{2}-[0-9]{4}', required: true}
  - {name: day, datatype: date, required: true}
  - {name: kg, datatype: integer, minimum: 1000, required: true}
  - {name: note}
`))
	require.NoError(t, err)
	var rows strings.Builder
	for i := range 60 {
		fmt.Fprintf(&rows, "%d;AH-%04d;%02d.07.2026;a%d\n", 2000+i*7, i, 1+i%28, i)
	}
	none, semicolon := 0, ";"
	m := mappingOf(t, t.TempDir(), "tickets.csv", []byte(rows.String()), tg, layout.Given{HeaderRows: &none,
		Delimiter: &semicolon})
	text := string(m.YAML())
	for _, line := range []string{"ticket: {position: 2}", `day: {position: 3, format: "dd.MM.yyyy"}`,
		"kg: {position: 1}",
		`note: {value: ""}`, "# By this mapping 60 of 60 rows are accepted."} {
		assert.Contains(t, text, line)
	}
	m = mappingOf(t, t.TempDir(), "tickets.csv", []byte("kg;ticket;day;colour\n"+rows.String()), tg, layout.Given{})
	assert.Contains(t, string(m.YAML()), `leftOut: ["colour"]`)
}

// Whatever the order of the columns and however a header is written, the mapping of a clean
// table takes all of its rows.
func TestMappingsOfAnyOrder(t *testing.T) {
	dir := t.TempDir()
	tg, err := target.Parse([]byte(`target: t
columns:
  - {name: ticket_no, format: '[A-Z]{2}-[0-9]{4}', required: true, unique: true}
  - {name: weighed_on, datatype: date, required: true}
  - {name: gross_kg, datatype: integer, minimum: 1000, required: true}
  - {name: crop, oneOf: [wheat, barley, rye], required: true}
  - {name: organic, datatype: boolean, required: true}
  - {name: moisture, datatype: decimal, precision: 4, scale: 1}
`))
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(30, 60).Draw(t, "rows")
		dates := rapid.SampledFrom([]string{"%02d.%02d.2026", "2026-%02[2]d-%02[1]d", "%02[2]d/%02[1]d/2026"}).Draw(t,
			"dates")
		comma := rapid.Bool().Draw(t, "comma")
		columns := make([][]string, 6)
		for i := range n {
			moisture := fmt.Sprintf("%d.%d", 10+i%9, i%10)
			if comma {
				moisture = strings.ReplaceAll(moisture, ".", ",")
			}
			for k, cell := range []string{fmt.Sprintf("BR-%04d", i), fmt.Sprintf(dates, 13+i%15, 1+i%12),
				fmt.Sprint(1000 + i*37), []string{"wheat", "barley", "rye"}[i%3], []string{"ja", "nein"}[i%2],
				moisture} {
				columns[k] = append(columns[k], cell)
			}
		}
		headers := []string{"Ticket No.", "Weighed on", "GROSS-KG", " crop", "Organic", "moisture"}
		order := rapid.Permutation([]int{0, 1, 2, 3, 4, 5}).Draw(t, "order")
		line := func(cell func(k int) string) string {
			var cells []string
			for _, k := range order {
				cells = append(cells, cell(k))
			}
			return strings.Join(cells, ";") + "\n"
		}
		text := line(func(k int) string { return headers[k] })
		for i := range n {
			text += line(func(k int) string { return columns[k][i] })
		}
		m := mappingOf(t, dir, "tickets.csv", []byte(text), tg, layout.Given{})
		require.Contains(t, string(m.YAML()), fmt.Sprintf("# By this mapping %d of %d rows are accepted.", n, n),
			"%s\n%s",
			m.YAML(), text)
	})
}

// mapped drafts the mapping of rows to a target.
func mapped(t *testing.T, demands string, rows [][]string) string {
	path := filepath.Join(t.TempDir(), "delivery.csv")
	var b strings.Builder
	require.NoError(t, csv.NewWriter(&b).WriteAll(rows))
	require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	p, err := finding.Profile(t.Context(), file, profile.Options{})
	require.NoError(t, err)
	to, err := target.Parse([]byte(demands))
	require.NoError(t, err)
	m, err := draft.For(t.Context(), to, file, "delivery", p)
	require.NoError(t, err)
	return string(m.YAML())
}

// What a drafted mapping says besides the pairs of the same name.
func TestDraftedMappings(t *testing.T) {
	rows := func(header []string, cells ...func(i int) string) [][]string {
		all := [][]string{header}
		for i := range 60 {
			var row []string
			for _, cell := range cells {
				row = append(row, cell(i))
			}
			all = append(all, row)
		}
		return all
	}
	number := func(i int) string { return fmt.Sprint(100 + i) }
	day := func(i int) string { return fmt.Sprintf("%02d.07.2026", 1+i%31) }
	tests := []struct {
		name, columns string
		rows          [][]string
		want, not     []string
	}{
		{"the only dates on either side", "{name: no}\n  - {name: delivered, datatype: date}",
			rows([]string{"no", "Tag", "x"}, number, day, number),
			[]string{`delivered: {from: "Tag", format: "dd.MM.yyyy"}`, "the only dates that nothing feeds", `leftOut: ["x"]`}, nil},
		{"two columns of dates are not guessed apart", "{name: no}\n  - {name: delivered, datatype: date}",
			rows([]string{"no", "Tag", "Datum"}, number, day, day), []string{"delivered: {value: \"\"}"}, []string{"the only dates"}},
		{"two that want dates", "{name: no}\n  - {name: delivered, datatype: date}\n  - {name: paid, datatype: date}",
			rows([]string{"no", "Tag"}, number, day), nil, []string{"the only dates"}},
		{"nothing is left out while a required column is not fed", "{name: no}\n  - {name: customer, required: true}",
			rows([]string{"no", "Abnehmer"}, number, number), []string{"\n# leftOut: [\"Abnehmer\"]"}, []string{"\nleftOut"}},
		{"it is left out where all are fed", "{name: no, required: true}\n  - {name: customer}",
			rows([]string{"no", "Abnehmer"}, number, number), []string{"\nleftOut: [\"Abnehmer\"]"}, nil},
		{"recodes of the target are not said twice",
			"{name: no}\n  - {name: crop, oneOf: [wheat, barley], remedies: [recode: {WHEAT: wheat}]}",
			rows([]string{"no", "crop"}, number, func(i int) string { return []string{"WHEAT", "barley", "barlei"}[i%3] }),
			[]string{`remedies: [recode: {"WHEAT": "wheat", "barlei": "barley"}]`}, nil},
		{"a decimal comma that the target has is not said again",
			"{name: no}\n  - {name: kg, datatype: decimal, decimalChar: \",\", groupChar: \".\"}",
			rows([]string{"no", "kg"}, number, func(i int) string { return fmt.Sprintf("1.%03d,5", i) }), []string{`kg: {from: "kg"}`},
			[]string{"decimalChar"}},
		{"a decimal comma that it has not", "{name: no}\n  - {name: kg, datatype: decimal}",
			rows([]string{"no", "kg"}, number, func(i int) string { return fmt.Sprintf("%d,5", i) }),
			[]string{`kg: {from: "kg", decimalChar: ","}`}, nil},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			text := mapped(t, "target: t\ncolumns:\n  - "+test.columns+"\n", test.rows)
			for _, want := range test.want {
				assert.Contains(t, text, want)
			}
			for _, not := range test.not {
				assert.NotContains(t, text, not)
			}
			_, err := target.ParseMapping([]byte(text))
			assert.NoError(t, err)
		})
	}
}
