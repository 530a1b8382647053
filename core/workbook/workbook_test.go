package workbook_test

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"

	"sieb/core/workbook"
)

// pack makes an archive of parts, given as name and text in turn.
func pack(parts ...string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for i := 0; i < len(parts); i += 2 {
		f, err := w.Create(parts[i])
		if err == nil {
			_, err = f.Write([]byte(parts[i+1]))
		}
		if err != nil {
			panic(err)
		}
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
}

// xlsx makes a workbook of one sheet; more parts may follow.
func xlsx(sheet string, parts ...string) []byte {
	return pack(append([]string{
		"xl/workbook.xml", `<workbook xmlns:r="r"><sheets><sheet name="S" sheetId="1" r:id="a"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", `<Relationships><Relationship Id="a" Type="x/worksheet" Target="worksheets/s.xml"/>` +
			`<Relationship Id="b" Type="x/sharedStrings" Target="/xl/texts.xml"/><Relationship Id="c" Type="x/styles" Target="styles.xml"/></Relationships>`,
		"xl/worksheets/s.xml", sheet}, append(parts,
		"xl/texts.xml", `<sst><si><t>plain</t></si><si><r><t>ri</t></r><r><rPr><b/></rPr><t xml:space="preserve">ch &amp; more </t></r><rPh><t>reading aid</t></rPh></si><si><t>a_x000D_b_x005F_c</t></si></sst>`,
		"xl/styles.xml", `<styleSheet><numFmts><numFmt numFmtId="170" formatCode="[h]:mm:ss"/><numFmt numFmtId="171" formatCode="dd\.mm\.yyyy\ hh:mm"/><numFmt numFmtId="172" formatCode="0.0&quot; dt&quot;"/></numFmts>`+
			`<cellStyleXfs><xf numFmtId="14"/></cellStyleXfs><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="20"/><xf numFmtId="170"/><xf numFmtId="171"/><xf numFmtId="172"/></cellXfs></styleSheet>`)...)...)
}

const odsHead = `<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x"><office:automatic-styles>` +
	`<number:time-style style:name="N1" number:truncate-on-overflow="false"/><style:style style:name="ce1" style:family="table-cell" style:data-style-name="N1"/>` +
	`<style:style style:name="ta2" style:family="table"><style:table-properties table:display="false"/></style:style>` +
	`</office:automatic-styles><office:body><office:spreadsheet>`

func ods(tables string, parts ...string) []byte {
	return pack(append([]string{"mimetype", "application/vnd.oasis.opendocument.spreadsheet",
		"content.xml", odsHead + tables + `</office:spreadsheet></office:body></office:document-content>`},
		parts...)...)
}

func open(file []byte) (*workbook.Book, error) {
	z, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		return nil, err
	}
	return workbook.Open(context.Background(), z, int64(len(file)))
}

// rows reads a sheet as texts such as "3: B=12 number C=x".
func rows(t require.TestingT, book *workbook.Book, sheet int) (all []string) {
	r, err := book.Read(context.Background(), sheet)
	require.NoError(t, err)
	defer r.Close()
	var row workbook.Row
	for {
		row.Text = row.Text[:0]
		if err := r.Next(&row); err == io.EOF {
			return all
		} else {
			require.NoError(t, err)
		}
		line := fmt.Sprintf("%d:", row.Number)
		if row.Hidden {
			line += " hidden"
		}
		for _, c := range row.Cells {
			kind := []string{"", " number", " boolean", " date", " time", " dateTime", " duration", " error"}[c.Kind]
			line += fmt.Sprintf(" %s=%s%s", workbook.ColumnLetters(int(c.Column)), row.Text[c.Start:c.End], kind)
		}
		all = append(all, line)
	}
}

func TestCells(t *testing.T) {
	for _, c := range []struct {
		what, cells string
		want        []string
	}{
		{"numbers", `<row r="2"><c r="A2"><v>0.1</v></c><c r="B2"><v>0.10000000000000001</v></c><c r="C2"><v>0.30000000000000004</v></c><c r="D2"><v>1E-3</v></c><c r="E2"><v>1.5E+20</v></c><c r="F2"><v>12345678901234567</v></c><c r="G2"><v>-0</v></c><c r="H2"><v>0.2857142857142857</v></c></row>`,
			[]string{"2: A=0.1 number B=0.1 number C=0.3 number D=0.001 number E=150000000000000000000 number " +
				"F=12345678901234567 number G=0 number H=0.2857142857142857 number"}},
		{"texts", `<row><c t="s"><v>0</v></c><c t="s"><v>1</v></c><c t="s"><v>2</v></c><c t="inlineStr"><is><r><t>in</t></r><r><t>line &#228;</t></r></is></c><c t="str"><f>A1&amp;"x"</f><v>form&lt;</v></c><c t="str"><v></v></c></row>`,
			[]string{"1: A=plain B=rich & more  C=a\rb_c D=inline ä E=form<"}},
		{"dates", `<row r="1"><c r="A1" s="1"><v>46204</v></c><c r="B1" s="2"><v>0.25</v></c><c r="C1" s="3"><v>1.5208333333</v></c><c r="D1" s="4"><v>46204.270833333336</v></c><c r="E1" s="1"><v>46204.5</v></c><c r="F1" s="5"><v>82.5</v></c></row>`,
			[]string{"1: A=2026-07-01 date B=06:00:00 time C=PT36H30M duration D=2026-07-01T06:30:00 dateTime " +
				"E=2026-07-01T12:00:00 dateTime F=82.5 number"}},
		{"days that never were", `<row r="1"><c r="A1" s="1"><v>0</v></c><c r="B1" s="1"><v>60</v></c><c r="C1" s="1"><v>59</v></c><c r="D1" s="1"><v>61</v></c><c r="E1" s="1"><v>-3</v></c><c r="F1" s="1"><v>9999999</v></c><c r="G1" s="1"><v>1</v></c></row>`,
			[]string{"1: A=0 number B=60 number C=1900-02-28 date D=1900-03-01 date E=-3 number F=9999999 number " +
				"G=1900-01-01 date"}},
		{"dates as texts", `<row r="1"><c r="A1" t="d" s="1"><v>2026-07-01T00:00:00.000Z</v></c><c r="B1" t="d"><v>2026-07-01T06:30:00</v></c><c r="C1" t="d"><v>06:30:00</v></c></row>`,
			[]string{"1: A=2026-07-01 date B=2026-07-01T06:30:00 dateTime C=06:30:00 time"}},
		{"errors and booleans", `<row r="1"><c r="A1" t="e"><v>#N/A</v></c><c r="B1" t="b"><v>1</v></c><c r="C1" t="b"><v>0</v></c></row>`,
			[]string{"1: A=#N/A error B=true boolean C=false boolean"}},
		{"rows and cells left out", `<row r="3" hidden="1"><c r="C3"><v>1</v></c><c r="AB3"><v>2</v></c></row><row r="9"/><row r="10"><c r="A10" s="1"/></row><row><c><v>7</v></c></row>`,
			[]string{"3: hidden C=1 number AB=2 number", "11: A=7 number"}},
		{"prefixes, comments, sections",
			`<x:row r="1"><!-- <x:c> --><x:c r="A1" t="str"><x:v><![CDATA[<b>]]></x:v></x:c><x:c r='B1'><x:v >5</x:v ></x:c></x:row>`,
			[]string{"1: A=<b> B=5 number"}},
	} {
		// the second moves the cells over the edge of a buffer
		for _, chunk := range []string{"", strings.Repeat(" ", 1<<17)} {
			book, err := open(xlsx(`<?xml version="1.0"?><worksheet>` + chunk + `<sheetData>` + c.cells +
				`</sheetData></worksheet>`))
			require.NoError(t, err, c.what)
			assert.Equal(t, c.want, rows(t, book, 0), c.what)
		}
	}
}

func TestSince1904(t *testing.T) {
	file := xlsx(`<worksheet><sheetData><row r="1"><c r="A1" s="1"><v>44742</v></c><c r="B1" s="1"><v>0</v></c></row></sheetData></worksheet>`)
	z, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	var parts []string
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		parts = append(parts, f.Name, strings.Replace(string(text), "<sheets>", `<workbookPr date1904="1"/><sheets>`,
			1))
	}
	book, err := open(pack(parts...))
	require.NoError(t, err)
	assert.Equal(t, []string{"1: A=2026-07-01 date B=1904-01-01 date"}, rows(t, book, 0))
}

func TestODSCells(t *testing.T) {
	book, err := open(ods(`<table:table table:name="Notes"><table:table-row><table:table-cell office:value-type="string"><text:p>see next</text:p></table:table-cell></table:table-row></table:table>` +
		`<table:table table:name="Register" table:style-name="ta2"><table:table-column table:number-columns-repeated="2"/><table:table-column table:visibility="collapse"/>` +
		`<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="1024"/></table:table-row>` +
		`<table:table-header-rows><table:table-row><table:table-cell/><table:table-cell office:value-type="string"><text:p>first<text:s text:c="2"/>line</text:p><text:p>second</text:p><office:annotation><text:p>a note</text:p></office:annotation></table:table-cell></table:table-row></table:table-header-rows>` +
		`<table:table-row table:visibility="filter"><table:table-cell office:value-type="float" office:value="0.10000000000000001"><text:p>0,10</text:p></table:table-cell>` +
		`<table:table-cell office:value-type="date" office:date-value="2026-07-01"/><table:table-cell office:value-type="date" office:date-value="2026-07-01T06:30:00"/>` +
		`<table:table-cell office:value-type="time" office:time-value="PT06H30M00S"/><table:table-cell table:style-name="ce1" office:value-type="time" office:time-value="PT06H30M00S"/>` +
		`<table:table-cell office:value-type="boolean" office:boolean-value="true"/><table:table-cell table:formula="of:=1/0" office:value-type="float" office:value="0" calcext:value-type="error"><text:p>#DIV/0!</text:p></table:table-cell></table:table-row>` +
		`<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="3" office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row>` +
		`<table:table-row><table:table-cell table:number-rows-spanned="2" office:value-type="string"><text:p>m</text:p></table:table-cell></table:table-row>` +
		`<table:table-row table:number-rows-repeated="1048569"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table>`))
	require.NoError(t, err)
	require.Len(t, book.Sheets, 2)
	assert.False(t, book.Sheets[0].Hidden)
	assert.True(t, book.Sheets[1].Hidden)
	assert.Equal(t, []string{"1: A=see next"}, rows(t, book, 0))
	assert.Equal(t, []string{"3: B=first  line\nsecond",
		"4: hidden A=0.1 number B=2026-07-01 date C=2026-07-01T06:30:00 dateTime D=06:30:00 time E=PT6H30M duration " +
			"F=true boolean G=#DIV/0! error",
		"5: A=x B=x C=x", "6: A=x B=x C=x", "7: A=m"}, rows(t, book, 1))
	s, err := book.Survey(context.Background(), 1)
	require.NoError(t, err)
	assert.Equal(t, []workbook.Range{{FirstColumn: 2, LastColumn: 2}}, s.HiddenColumns)
	assert.Equal(t, []workbook.Range{{FirstRow: 7, LastRow: 8, FirstColumn: 0, LastColumn: 0}}, s.Merged)
	assert.Equal(t, 5, s.Filled)
	assert.Equal(t, 7, s.LastRow)
	assert.Equal(t, 1, s.Errors)
}

// What is no workbook, or not one that can be read, is told in a sentence that
// says what to ask for.
func TestNotReadable(t *testing.T) {
	sheet := `<worksheet><sheetData><row r="1"><c r="A1"><v>1</v></c></row></sheetData></worksheet>`
	for _, c := range []struct {
		what string
		file []byte
		want string
	}{
		{"binary workbook", pack("xl/workbook.bin", "x", "_rels/.rels", "<x/>"), "binary workbook (XLSB)"},
		{"document", pack("word/document.xml", "x", "_rels/.rels", "<x/>"), "a text document"},
		{"slides", pack("ppt/presentation.xml", "x", "_rels/.rels", "<x/>"), "a set of slides"},
		{"other package", pack("_rels/.rels", "<x/>", "model.xml", "<x/>"), "another program's documents"},
		{"text of OpenDocument", pack("content.xml", `<d><office:text><table:table table:name="a"/></office:text></d>`),
			"not a spreadsheet"},
		{"locked ODS", ods("", "META-INF/manifest.xml", `<m><manifest:encryption-data/></m>`),
			"protected by a password"},
		{"no sheet", pack("xl/workbook.xml", `<workbook/>`, "_rels/.rels", "<x/>"), "no sheet of cells"},
		{"missing sheet", pack("xl/workbook.xml", `<workbook><sheets><sheet name="S" r:id="a"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels", `<R><Relationship Id="a" Type="x/worksheet" Target="s.xml"/></R>`),
			"part xl/s.xml is missing"},
		{"cut off", xlsx(sheet[:len(sheet)-40]), "ends too early"},
		{"entity tricks", xlsx(`<!DOCTYPE w [<!ENTITY a "aaaa">]>` + sheet), "document type"},
		{"bomb", xlsx(`<worksheet><sheetData>` + strings.Repeat("<x/>", 25<<20) + `</sheetData></worksheet>`),
			"unpacks to more than 300 times"},
		{"repeated without end", ods(`<table:table table:name="a"><table:table-row table:number-rows-repeated="1000000"><table:table-cell office:value-type="boolean" office:boolean-value="true" table:number-columns-repeated="16000"/></table:table-row></table:table>`), "unfold to more than 300 times"},
		{"missing text", xlsx(`<worksheet><sheetData><row r="1"><c r="C1" t="s"><v>9</v></c></row></sheetData></worksheet>`), "row 1, column C: its shared text \"9\" is missing"},
		{"rows out of order", xlsx(`<worksheet><sheetData><row r="5"/><row r="4"/></sheetData></worksheet>`),
			"row \"4\" follows row 5"},
	} {
		book, err := open(c.file)
		if err == nil {
			_, err = book.Survey(context.Background(), 0)
		}
		require.Error(t, err, c.what)
		assert.ErrorAs(t, err, new(*workbook.NotReadable), c.what)
		assert.ErrorContains(t, err, c.want, c.what)
	}
}

func TestWhatOldDocumentsAre(t *testing.T) {
	wide := func(name string) []byte {
		var b []byte
		for i := range len(name) {
			b = append(b, name[i], 0)
		}
		return b
	}
	for name, want := range map[string]string{"EncryptedPackage": "password", "Workbook": "XLS",
		"WordDocument": "document", "other": "old binary"} {
		file := append(make([]byte, 1<<20-7), wide(name)...) // over the edge of what is looked at at once
		assert.ErrorContains(t, workbook.What(bytes.NewReader(file), int64(len(file))), want)
	}
}

// What another library writes reads as it was given, and as that library reads it.
func TestReadsWhatAnotherLibraryWrites(t *testing.T) {
	day := time.Date(2026, 7, 1, 0, 0, 0, 0, time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		f := excelize.NewFile()
		date, err := f.NewStyle(&excelize.Style{NumFmt: 14})
		require.NoError(t, err)
		var want []string
		height, width := rapid.IntRange(1, 6).Draw(t, "height"), rapid.IntRange(1, 30).Draw(t, "width")
		for y := 1; y <= height; y++ {
			line := fmt.Sprintf("%d:", y)
			for x := 1; x <= width; x++ {
				name, err := excelize.CoordinatesToCellName(x, y)
				require.NoError(t, err)
				put := func(v any, shown string) {
					require.NoError(t, f.SetCellValue("Sheet1", name, v))
					if shown != "" {
						line += " " + strings.TrimRight(name, "0123456789") + "=" + shown
					}
				}
				switch rapid.IntRange(0, 5).Draw(t, "kind") {
				case 0:
					text := rapid.StringMatching(`[a-zäß<>&"' _x]{0,12}[a-z]`).Draw(t, "text")
					put(text, text)
				case 1:
					n := rapid.IntRange(-1e9, 1e9).Draw(t, "n")
					put(n, fmt.Sprint(n)+" number")
				case 2:
					x := math.Round(rapid.Float64Range(-1e6, 1e6).Draw(t, "x")*1000) / 1000
					if x == 0 {
						x = 0
					}
					put(x, strings.TrimPrefix(fmt.Sprint(x), "+")+" number")
					if strings.ContainsAny(fmt.Sprint(x), "e") {
						t.Skip("shown with an exponent")
					}
				case 3:
					d := rapid.IntRange(-40000, 40000).Draw(t, "day")
					put(day.AddDate(0, 0, d), day.AddDate(0, 0, d).Format(time.DateOnly)+" date")
					require.NoError(t, f.SetCellStyle("Sheet1", name, name, date))
				case 4:
					b := rapid.Bool().Draw(t, "b")
					put(b, fmt.Sprint(b)+" boolean")
				}
			}
			if strings.Contains(line, "=") {
				want = append(want, line)
			}
		}
		var b bytes.Buffer
		require.NoError(t, f.Write(&b))
		book, err := open(b.Bytes())
		require.NoError(t, err)
		require.Equal(t, want, rows(t, book, 0))
	})
}

// FuzzSheet holds the reader to ending with rows or an error, whatever a sheet says.
func FuzzSheet(f *testing.F) {
	f.Add([]byte(`<worksheet><cols><col min="1" max="2" hidden="1"/></cols><sheetData><row r="1"><c r="A1" t="s"><v>1</v></c><c t="inlineStr"><is><t>x</t></is></c></row></sheetData><mergeCells><mergeCell ref="A1:B2"/></mergeCells></worksheet>`), false)
	f.Add([]byte(`<table:table table:name="a"><table:table-row table:number-rows-repeated="3"><table:table-cell table:number-columns-repeated="2" office:value-type="time" office:time-value="PT5H"><text:p>x</text:p></table:table-cell></table:table-row></table:table>`), true)
	f.Add([]byte(`<worksheet><sheetData><row r="1"><c r="A1" t=">>>'"><v>1</v></c></row></sheetData><mergeCells><mergeCell ref="A1:XFD1048576"/><mergeCell ref="B1:C9"/></mergeCells></worksheet>`), false)
	f.Add([]byte(`<table:table table:name="a"><table:table-row table:number-rows-repeated="1048576"><table:table-cell table:number-columns-repeated="16384" table:number-rows-spanned="9"><text:p><text:s text:c="32768"/></text:p></table:table-cell></table:table-row></table:table>`), true)
	f.Fuzz(func(t *testing.T, sheet []byte, isODS bool) {
		file := xlsx(string(sheet))
		if isODS {
			file = ods(string(sheet))
		}
		book, err := open(file)
		if err != nil {
			return
		}
		r, err := book.Read(context.Background(), 0)
		if err != nil {
			return
		}
		defer r.Close()
		var row workbook.Row
		for last, n := 0, 0; n < 1000; n++ {
			row.Text = row.Text[:0]
			if err := r.Next(&row); err != nil {
				return
			}
			text := 0
			for _, c := range row.Cells {
				text += int(c.End - c.Start)
			}
			if text > workbook.MaxRowText || len(row.Cells) > workbook.MaxColumns {
				t.Fatalf("row %d unfolds to %d cells of %d bytes", row.Number, len(row.Cells), text)
			}
			if row.Number <= last {
				t.Fatalf("row %d follows row %d", row.Number, last)
			}
			last = row.Number
			column := int32(-1)
			for _, c := range row.Cells {
				if c.Column <= column || c.Start >= c.End || int(c.End) > len(row.Text) {
					t.Fatalf("cell %+v behind column %d of %d bytes", c, column, len(row.Text))
				}
				column = c.Column
			}
		}
	})
}

// The name of a cell tells its column, wherever it stands in its row; names that
// contradict one another or the row make it uncertain, and are told.
func TestCellsOutOfPlace(t *testing.T) {
	for _, c := range []struct {
		what, rows string
		want       []string
		misplaced  []int
	}{
		{"in order", `<row r="1"><c r="A1"><v>1</v></c><c r="C1"><v>3</v></c></row>`,
			[]string{"1: A=1 number C=3 number"}, nil},
		{"out of order", `<row r="1"><c r="C1"><v>3</v></c><c r="A1"><v>1</v></c><c r="B1"><v>2</v></c></row>`,
			[]string{"1: A=1 number B=2 number C=3 number"}, nil},
		{"out of order, and one without a name behind",
			`<row r="1"><c r="C1"><v>3</v></c><c r="A1"><v>1</v></c><c><v>2</v></c></row>`,
			[]string{"1: A=1 number B=2 number C=3 number"}, nil},
		{"doubled", `<row r="1"><c r="A1"><v>1</v></c><c r="A1"><v>2</v></c></row><row r="2"><c r="A2"><v>3</v></c></row>`,
			[]string{"1: A=1 number", "2: A=3 number"}, []int{1}},
		{"doubled far apart", `<row r="1"><c r="B1"><v>1</v></c><c r="C1"><v>3</v></c><c r="B1"><v>2</v></c></row>`,
			[]string{"1: B=1 number C=3 number"}, []int{1}},
		{"of another row", `<row r="3"><c r="A3"><v>1</v></c><c r="B7"><v>2</v></c></row>`,
			[]string{"3: A=1 number B=2 number"}, []int{3}},
		{"no name", `<row r="3"><c r="??"><v>1</v></c></row>`, []string{"3: A=1 number"}, []int{3}},
		{"a row without a number takes that of its cells",
			`<row><c r="A5"><v>1</v></c><c r="B5"><v>2</v></c></row><row><c r="A9"><v>3</v></c></row>`,
			[]string{"5: A=1 number B=2 number", "9: A=3 number"}, nil},
		{"a row without a number whose cells disagree", `<row><c r="A5"><v>1</v></c><c r="B6"><v>2</v></c></row>`,
			[]string{"5: A=1 number B=2 number"}, []int{5}},
	} {
		book, err := open(xlsx(`<worksheet><sheetData>` + c.rows + `</sheetData></worksheet>`))
		require.NoError(t, err, c.what)
		assert.Equal(t, c.want, rows(t, book, 0), c.what)
		r, err := book.Read(t.Context(), 0)
		require.NoError(t, err)
		var row workbook.Row
		var misplaced []int
		for r.Next(&row) == nil {
			if row.Misplaced {
				misplaced = append(misplaced, row.Number)
			}
		}
		r.Close()
		assert.Equal(t, c.misplaced, misplaced, c.what)
	}
}
