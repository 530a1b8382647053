package sift_test

import (
	"archive/zip"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// oneCell is a delivery of three rows with one violation, in the cell b of row 2.
type oneCell struct {
	code  violation.Code
	rule  string // of the column b
	cell  string // as it stands in the delivery
	keeps string // what of it stands in the accepted rows where the row stays; "" for the cell
	xlsx  string // the markup of the cell where only a workbook has the violation
}

var cells = []oneCell{
	{code: violation.EncodingInvalid, cell: "x\xffy", keeps: "x\uFFFDy"},
	{code: violation.EncodingGarbled, cell: "GrÃ¶ÃŸe"},
	{code: violation.EncodingControl, cell: "x\x01y"},
	{code: violation.QuoteOpen, cell: `"open`},
	{code: violation.QuoteStray, cell: `12" pipe`, keeps: `"12"" pipe"`},
	{code: violation.QuoteTail, cell: `"a"b`, keeps: `"""a""b"`},
	{code: violation.QuoteBackslash, cell: `"C:\in\"`, keeps: `C:\in\`},
	{code: violation.RequiredEmpty, rule: "required: true", cell: "", keeps: "-"},
	{code: violation.TypeInteger, rule: "datatype: integer", cell: "x"},
	{code: violation.TypeDecimal, rule: "datatype: decimal", cell: "x"},
	{code: violation.TypeDouble, rule: "datatype: double", cell: "x"},
	{code: violation.TypeBoolean, rule: "datatype: boolean", cell: "maybe"},
	{code: violation.TypeURI, rule: "datatype: anyURI", cell: "a b"},
	{code: violation.TypeDuration, rule: "datatype: duration", cell: "one day"},
	{code: violation.TimeFormat, rule: "datatype: time", cell: "noon"},
	{code: violation.DateImpossible, rule: "datatype: time, format: HH.mm", cell: "25.10"},
	{code: violation.RangeHigh, rule: "datatype: time, maximum: '20:00:00'", cell: "20:00:01"},
	{code: violation.RangeHigh, rule: "datatype: short", cell: "32768"},
	{code: violation.RangeLow, rule: "datatype: unsignedByte", cell: "-1"},
	{code: violation.TextLong, rule: "datatype: anyURI, maxLength: 3", cell: "a/b/c"},
	{code: violation.TypeError, rule: "datatype: integer", xlsx: `<c t="e"><v>#N/A</v></c>`, cell: "#N/A"},
	{code: violation.TypeError, xlsx: `<c t="e"><v>#N/A</v></c>`, cell: "#N/A"},
	{code: violation.TypeFormula, rule: "datatype: integer", xlsx: `<c><f>B2*2</f></c>`, cell: "=B2*2", keeps: "-"},
	{code: violation.TypeFormula, xlsx: `<c t="str"><f t="shared" si="0"/></c>`, cell: "=", keeps: "-"},
	{code: violation.NumberText, rule: "datatype: decimal", xlsx: `<c t="str"><v>5.5</v></c>`, cell: "5.5"},
	{code: violation.NumberPrecision, rule: "datatype: integer, precision: 2", cell: "123"},
	{code: violation.NumberScale, rule: "datatype: decimal, precision: 5, scale: 1", cell: "1.25"},
	{code: violation.DateFormat, rule: "datatype: date", cell: "soon"},
	{code: violation.DateImpossible, rule: "datatype: date", cell: "2026-02-30"},
	{code: violation.DateAmbiguous, rule: "datatype: date, format: [dd/MM/yyyy, MM/dd/yyyy]", cell: "03/04/2026",
		keeps: "2026-04-03"},
	{code: violation.TextLong, rule: "maxLength: 2", cell: "long"},
	{code: violation.TextShort, rule: "minLength: 2", cell: "s"},
	{code: violation.TextGrown, rule: "remedies: [" + strings.Repeat("{replace: {find: a, with: aaaaaaaaaa}}, ", 9) +
		"trim]", cell: "a"},
	{code: violation.RangeLow, rule: "datatype: integer, minimum: 1", cell: "0"},
	{code: violation.RangeLow, rule: "datatype: double, minimum: 1", cell: "NaN"},
	{code: violation.RangeHigh, rule: "datatype: date, maximum: 2026-01-01", cell: "2026-07-01"},
	{code: violation.TextFormat, rule: "format: '[0-9]+'", cell: "x"},
	{code: violation.ValueUnknown, rule: "oneOf: [a, b]", cell: "c"},
}

// siftCell runs the delivery of one violation through a target.
func siftCell(t *testing.T, c oneCell, rule string) (*sift.Result, *outcometest.Texts) {
	t.Helper()
	tg, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: a}\n  - {name: b" + rule + "}\n  - {name: c}\n"))
	require.NoError(t, err, rule)
	path := filepath.Join(t.TempDir(), "a.csv")
	// The other cells of the column are empty, or an allowed value where none may be.
	good := ""
	if strings.Contains(rule, "required") {
		good = "fine"
	}
	delimiter, quote, encoding, zero, one := ";", `"`, "utf-8", 0, 1
	given := layout.Given{Delimiter: &delimiter, QuoteChar: &quote, Encoding: &encoding, SkipRows: &zero,
		HeaderRows: &one, FooterRows: &zero}
	if c.code == violation.QuoteBackslash {
		given.DoubleQuote = new(bool)
	}
	if c.xlsx != "" {
		given = layout.Given{SkipRows: &zero, HeaderRows: &one}
		numbers := ""
		for i := range 3 { // what the column mostly holds
			numbers += fmt.Sprintf(`<row r="%d"><c t="str"><v>z</v></c><c><v>%d</v></c></row>`, i+5, i)
		}
		writeBook(t, path, `<row r="1"><c t="str"><v>a</v></c><c t="str"><v>b</v></c><c t="str"><v>c</v></c></row><row r="2"><c t="str"><v>one</v></c></row>`+
			`<row r="3"><c t="str"><v>two</v></c>`+c.xlsx+`<c t="str"><v>II</v></c></row><row r="4"><c t="str"><v>three</v></c></row>`+numbers)
	} else {
		require.NoError(t, os.WriteFile(path, []byte("a;b;c\none;"+good+";I\ntwo;"+c.cell+";II\nthree;"+good+";III\n"),
			0o600))
	}
	file, err := source.Open(t.Context(), path, given)
	require.NoError(t, err)
	defer file.Close()
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	defer source.Close(rows)
	sink := &outcometest.Texts{}
	result, err := (&sift.Run{Source: rows, Encoding: file.Layout.Encoding, Target: tg, Workers: 1,
		Outputs: sink.Outputs()}).Do(context.Background())
	require.NoError(t, err)
	return result, sink
}

func writeBook(t *testing.T, path, rows string) {
	t.Helper()
	f, err := os.Create(path)
	require.NoError(t, err)
	defer f.Close()
	z := zip.NewWriter(f)
	const rels = `<Relationships>`
	for name, text := range map[string]string{
		"_rels/.rels": rels +
			`<Relationship Id="r1" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml": `<workbook><sheets><sheet name="a" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": rels +
			`<Relationship Id="r1" Type="x/worksheet" Target="s.xml"/></Relationships>`,
		"xl/s.xml": `<worksheet><sheetData>` + rows + `</sheetData></worksheet>`,
	} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
}

// What a column says of its violations is what happens, for every code: to the row, to
// the cell, in the counts and in the verdict. What is only flagged stays flagged, and an
// open quote costs its row whatever a column says.
func TestEveryCodeAndAction(t *testing.T) {
	seen := map[violation.Code]bool{}
	for _, c := range cells {
		seen[c.code] = true
		for _, said := range []string{"", "reject", "blank", "flag", "refuse"} {
			name := fmt.Sprintf("%s with %q", c.code, said)
			rule := ""
			if c.rule != "" {
				rule = ", " + c.rule
			}
			if said != "" {
				rule += ", onViolation: " + said
			}
			if said == "blank" && c.code == violation.RequiredEmpty {
				continue // a target that says so is refused
			}
			result, sink := siftCell(t, c, rule)
			want := c.code.Action()
			if want == violation.Reject && said != "" && c.code != violation.QuoteOpen &&
				c.code != violation.TextGrown {
				require.NoError(t, want.UnmarshalText([]byte(said)))
			}
			require.Len(t, result.Violations, 1, "%s: %+v", name, result.Violations)
			g := result.Violations[0]
			assert.Equal(t, []any{c.code, "b", want, int64(1)}, []any{g.Code, g.Column, g.Action, g.Rows}, name)

			rejected := want == violation.Reject || want == violation.Refuse
			assert.Equal(t, rejected, result.Tally.Rejected == 1, "%s: %+v", name, result.Tally)
			assert.Equal(t, result.Tally.Read, result.Tally.Accepted+result.Tally.Rejected, name)
			verdict := map[violation.Action]sift.Verdict{violation.Reject: sift.Split, violation.Blank: sift.Accepted,
				violation.Flag: sift.Accepted, violation.Refuse: sift.Refused}[want]
			assert.Equal(t, verdict, result.Verdict, name)

			accepted := strings.Split(sink.Accepted.String(), "\n")
			cell := c.cell
			if c.keeps != "" {
				cell = strings.TrimPrefix(c.keeps, "-")
			}
			switch want {
			case violation.Blank:
				assert.Equal(t, "two,,II", accepted[2], name)
			case violation.Flag:
				assert.Equal(t, "two,"+cell+",II", accepted[2], name)
			default:
				assert.NotContains(t, sink.Accepted.String(), "two", name)
				assert.Contains(t, sink.Rejected.String(), "two", name)
				assert.Contains(t, sink.Rejected.String(), c.code.String(), name)
			}
			assert.Contains(t, accepted[1], "one,", name)
			assert.Contains(t, sink.Violations.String(), ","+c.code.String()+",", name)
		}
	}
	// The others are of whole rows, of the header, of the delivery or of keys, and no
	// column's matter.
	for _, code := range []violation.Code{violation.RowShort, violation.RowLong, violation.RowMisplaced,
		violation.HeaderMissing, violation.HeaderDuplicate, violation.HeaderUnknown,
		violation.EncodingChanged, violation.DeliveryEmpty, violation.RowsFew,
		violation.RowsMany, violation.DateText} {
		seen[code] = true
	}
	for code := violation.RowShort; code < violation.ValueAbsent; code++ {
		assert.True(t, seen[code], "%s is not tried", code)
	}
}

// A row whose cells name contradicting places is rejected, and its neighbours are not.
func TestMisplacedCellsRejectTheRow(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a.xlsx")
	writeBook(t, path, `<row r="1"><c r="A1" t="str"><v>a</v></c><c r="B1" t="str"><v>b</v></c></row><row r="2"><c r="B2"><v>2</v></c><c r="A2"><v>1</v></c></row>`+
		`<row r="3"><c r="A3"><v>3</v></c><c r="A3"><v>4</v></c></row><row r="4"><c r="A9"><v>5</v></c><c r="B4"><v>6</v></c></row><row r="5"><c r="A5"><v>7</v></c><c r="B5"><v>8</v></c></row>`)
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	rows, err := file.Rows(t.Context())
	require.NoError(t, err)
	defer source.Close(rows)
	sink := &outcometest.Texts{}
	result, err := (&sift.Run{Source: rows, Encoding: "utf-8", Workers: 2, Outputs: sink.Outputs()}).Do(t.Context())
	require.NoError(t, err)
	assert.Equal(t, sift.Tally{Read: 4, Accepted: 2, Rejected: 2}, result.Tally)
	assert.Equal(t, "a,b\n1,2\n7,8\n", sink.Accepted.String())
	require.Len(t, result.Violations, 1)
	assert.Equal(t, violation.RowMisplaced, result.Violations[0].Code)
}
