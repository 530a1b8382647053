// Package hostile makes files and targets that are meant to stop a service: small
// ones that unfold to much, deep ones, wide ones, and ones that are not what they
// seem. Tests of the command line and of the service hold both to their bounds.
package hostile

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"encoding/binary"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"

	"github.com/klauspost/compress/zstd"
)

// File is a delivery, or a target, that means harm.
type File struct {
	Name  string
	Bytes []byte
}

func text(name string, parts ...string) File { return File{name, []byte(strings.Join(parts, ""))} }

func times(n int, s string) string { return strings.Repeat(s, n) }

// each joins what f gives for 0 to n - 1.
func each(n int, f func(i int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(f(i))
	}
	return b.String()
}

// Files are the deliveries.
func Files() []File {
	return append(append(append(texts(), archives()...), xlsx()...), ods()...)
}

func texts() []File {
	random := rand.New(rand.NewPCG(1, 2))
	noise := make([]byte, 1<<20)
	for i := range noise {
		noise[i] = byte(random.Uint32())
	}
	signs := make([]byte, 1<<20)
	for i := range signs {
		signs[i] = "!@#$%&*+=?<>/|;:,~^"[random.IntN(19)]
	}
	wide := each(16_000, func(i int) string { return fmt.Sprintf("c%d,", i) })
	return []File{
		text("empty.csv"),
		text("one-byte.csv", "x"),
		text("one-quote.csv", `"`),
		text("one-nul.csv", "\x00"),
		text("header-only.csv", "a,b,c\n"),
		text("blank-lines.csv", times(2<<20, "\n")),
		text("carriage-returns.csv", times(2<<20, "\r")),
		text("mixed-line-ends.csv", times(300_000, "a\rb\nc\r\n")),
		text("commas.csv", times(3_000_000, ",")),
		text("commas-in-a-row.csv", "a,b,c\n1,2,3\n", times(3_000_000, ","), "\n4,5,6\n"),
		text("commas-without-end.csv", "a,b\n1,2\n", times(8<<20, ",")),
		text("quotes.csv", times(3_000_000, `"`)),
		text("quote-in-each-line.csv", times(500_000, "a,\"\n")),
		text("quote-opened-once.csv", "a,b\n1,\"x\n", times(500_000, "1,2\n")),
		text("quotes-doubled.csv", `a,b`+"\n"+`1,"`, times(1_000_000, `""`), `"`+"\n"),
		text("quoted-line-ends.csv", "a,b\n1,\"", times(1_000_000, "\n"), "\"\n"),
		text("backslashes.csv", "a,b\n1,\"", times(1_000_000, `\`), "\"\n"),
		text("one-long-cell.csv", "a,b\n1,", times(8<<20, "x"), "\n"),
		text("one-long-line.csv", times(8<<20, "x")),
		text("long-header.csv", times(2<<20, "h"), ",b\n1,2\n"),
		text("wide.csv", wide, "\n", each(3, func(int) string { return times(16_000, "7,") + "\n" })),
		text("wide-same-names.csv", times(16_000, "a,"), "z\n", times(16_000, "1,"), "1\n"),
		text("too-wide.csv", times(40_000, "a,"), "z\n", times(40_000, "1,"), "1\n"),
		text("nul-cells.csv", "a,b\n", times(200, "1,xy\n"), times(3, "1,x\x00y\n")),
		text("nul-header.csv", "a\x00,b\n", times(9, "1,2\n")),
		text("zeros.csv", times(1<<20, "\x00")),
		text("control.csv", "a,b\n\x1b[31m1,\x1b]0;owned\x07\n\x9b2J,\x7f\n"),
		text("direction.csv", "a\u202Eb,c\n\u2066x\u2069,\u200Fy\n"),
		text("separators.csv", "a,b\n1,x\u2028y\u2029z\u0085\n"),
		text("formulas.csv", "a,b\n=cmd|' /C calc'!A0,@SUM(1)\n+1+1,-2+3\n\t=1,\"\r=1\"\n"),
		text("long-numbers.csv", "n\n", times(2_000, times(500, "9")+"\n")),
		text("exponents.csv", "n\n", times(20_000, "1e999999999\n-1E-999999999\n")),
		text("dates.csv", "d\n", times(20_000, "0000-00-00\n9999-99-99\n31.02.2026\n")),
		{"noise.bin", noise},
		{"signs.csv", signs},
		text("utf16-odd.csv", "\xff\xfea\x00,\x00b"),
		text("utf16-lone.csv", "\xff\xfe", times(100_000, "\x00\xd8")),
		text("utf32.csv", "\xff\xfe\x00\x00", times(100_000, "\xff\xff\xff\xff")),
		text("invalid-utf8.csv", "a,b\n", times(100_000, "\xc3\x28,\xf0\x28\x8c\x28\n")),
		text("shift-jis.csv", "a,b\n", times(100_000, "\x81\x40,\x82\n")),
		text("folded.txt", times(200_000, "1\n\nx\n")),
		text("fixed.txt", each(20_000, func(i int) string { return fmt.Sprintf("%-40d%-40d%-40d\n", i, i*i, -i) })),
		text("comments.csv", times(300_000, "# x\n")),
		text("deep.json", times(200_000, "[")),
		text("deep.xml", times(100_000, "<a>")),
	}
}

// packed writes a ZIP archive of names and contents by turns.
func packed(parts ...string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(w,
			flate.BestCompression)
	})
	for i := 0; i < len(parts); i += 2 {
		w, err := z.Create(parts[i])
		if err != nil {
			panic(err)
		}
		if _, err := io.WriteString(w, parts[i+1]); err != nil {
			panic(err)
		}
	}
	if err := z.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func gzipped(content string) []byte {
	var b bytes.Buffer
	w, _ := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if _, err := io.WriteString(w, content); err != nil {
		panic(err)
	}
	if err := w.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func zstandard(content string) []byte {
	w, err := zstd.NewWriter(nil)
	if err != nil {
		panic(err)
	}
	return w.EncodeAll([]byte(content), nil)
}

func archives() []File {
	bomb := times(100<<20, "\x00")
	many := func(n int) (parts []string) {
		for i := range n {
			parts = append(parts, fmt.Sprintf("f%d.csv", i), "a\n1\n")
		}
		return parts
	}
	plain := packed("a.csv", "a,b\n1,2\n")
	lying := bytes.Clone(plain)
	central := bytes.Index(lying, []byte("PK\x01\x02"))
	binary.LittleEndian.PutUint32(lying[central+24:], 0xFFFFFFF0) // its size, unpacked
	return []File{
		{"bomb.csv.gz", gzipped(bomb)},
		{"bomb.csv.zst", zstandard(bomb)},
		{"bomb.zip", packed("a.csv", bomb)},
		{"nested.gz", gzipped(string(gzipped("a,b\n1,2\n")))},
		{"nested.zip", packed("a.zip", string(packed("b.zip", string(plain))))},
		{"cut.gz", gzipped("a,b\n" + each(5000, func(i int) string { return fmt.Sprintf("%d,x\n", i*7919) }))[:9000]},
		{"cut.zip", plain[:len(plain)-10]},
		{"empty.zip", packed()},
		{"folder.zip", packed("a/", "", "b/", "")},
		{"lying.zip", lying},
		{"many.zip", packed(many(3000)...)},
		{"paths.zip", packed("../../etc/passwd", "a\n1\n", "/etc/shadow", "a\n1\n")},
		{"names.zip", packed("a\x00b.csv", "a\n1\n", "c\u202Evsc.exe", "a\n1\n")},
		{"nul-name.zip", packed("a\x00b.csv", "a,b\n"+times(9, "1,xy\n")+"1,x\x00\n")},
		{"magic-only.zip", []byte("PK\x03\x04")},
		{"magic-only.gz", []byte("\x1f\x8b\x08")},
		{"magic-only.xls", []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1")},
	}
}

const (
	relations = `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">`
	sheetHead = `<worksheet><sheetData>`
	sheetTail = `</sheetData></worksheet>`
)

// workbook packs an XLSX workbook of one sheet, with more parts where they are given.
func workbook(sheet string, parts ...string) []byte {
	return packed(append([]string{
		"_rels/.rels", relations + `<Relationship Id="r1" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml", `<workbook xmlns:r="r"><sheets><sheet name="a" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", relations +
			`<Relationship Id="r1" Type="x/worksheet" Target="worksheets/sheet1.xml"/>` +
			`<Relationship Id="r2" Type="x/sharedStrings" Target="sharedStrings.xml"/><Relationship Id="r3" Type="x/styles" Target="styles.xml"/></Relationships>`,
		"xl/styles.xml", `<styleSheet/>`,
		"xl/worksheets/sheet1.xml", sheet,
	}, parts...)...)
}

func shared(texts string) []string {
	return []string{"xl/sharedStrings.xml", `<sst>` + texts + `</sst>`}
}

func xlsx() []File {
	none := shared("")
	manySheets := packed(
		"_rels/.rels", relations+`<Relationship Id="r1" Type="x/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml", `<workbook xmlns:r="r"><sheets>`+each(20_000,
			func(i int) string { return fmt.Sprintf(`<sheet name="s%d" r:id="r1"/>`, i) })+`</sheets></workbook>`,
		"xl/_rels/workbook.xml.rels", relations+`<Relationship Id="r1" Type="x/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml", sheetHead+`<row><c><v>1</v></c></row>`+sheetTail)
	row := func(i int, cells string) string { return fmt.Sprintf(`<row r="%d">%s</row>`, i+1, cells) }
	return []File{
		{"gt-in-attribute.xlsx", workbook(sheetHead+`<row r="1"><c r="A1" t="`+times(9_000,
			">")+`"><v>1</v></c></row>`+sheetTail, none...)},
		{"gt-in-long-attribute.xlsx", workbook(sheetHead+`<row r="1"><c r="A1" t="`+times(3<<20,
			">")+`"><v>1</v></c></row>`+sheetTail, none...)},
		{"quotes-in-tag.xlsx", workbook(sheetHead+`<row r="1"><c `+times(500_000, `'`)+`><v>1</v></c></row>`+sheetTail,
			none...)},
		{"attributes.xlsx", workbook(sheetHead+`<row r="1"><c `+times(90_000, `a="1" `)+`><v>1</v></c></row>`+sheetTail,
			none...)},
		{"tag-without-end.xlsx", workbook(sheetHead+`<row r="1"><c `+times(4<<20, "x"), none...)},
		{"text-without-end.xlsx", workbook(sheetHead+`<row r="1"><c t="str"><v>`+times(20<<20, "x"), none...)},
		{"long-cell.xlsx", workbook(sheetHead+`<row r="1"><c t="str"><v>`+times(4<<20, "x")+`</v></c></row>`+sheetTail,
			none...)},
		{"pieces-of-a-cell.xlsx", workbook(sheetHead+`<row r="1"><c t="inlineStr"><is>`+times(300_000,
			`<r><t>0123456789</t></r>`)+`</is></c></row>`+sheetTail, none...)},
		{"deep.xlsx", workbook(sheetHead+times(400_000, "<a>")+sheetTail, none...)},
		{"long-texts.xlsx", workbook(sheetHead+each(2000, func(i int) string {
			return row(i,
				times(100, `<c t="s"><v>0</v></c>`))
		})+sheetTail,
			shared(`<si><t>`+times(32_000, "x")+`</t></si>`)...)},
		{"many-texts.xlsx", workbook(sheetHead+row(0, `<c t="s"><v>1</v></c>`)+sheetTail,
			shared(times(8_000_000, `<si/>`))...)},
		{"merged.xlsx", workbook(sheetHead+each(2000, func(i int) string {
			return row(i,
				fmt.Sprintf(`<c r="A%d"><v>1</v></c>`, i+1))
		})+`</sheetData><mergeCells>`+
			each(200_000, func(i int) string {
				return fmt.Sprintf(`<mergeCell ref="A%d:XFD%d"/>`, i%2000+1,
					i%2000+40_000)
			})+`</mergeCells></worksheet>`, none...)},
		{"merged-header.xlsx", workbook(sheetHead+row(0,
			each(1000, func(int) string { return `<c t="str"><v>h</v></c>` }))+row(1,
			`<c><v>1</v></c>`)+`</sheetData><mergeCells>`+
			each(200_000, func(i int) string { return `<mergeCell ref="A1:XFD1"/>` })+`</mergeCells></worksheet>`,
			none...)},
		{"merged-all.xlsx", workbook(sheetHead+row(0, `<c t="str"><v>h</v></c>`)+row(1,
			`<c r="A2" t="str"><v>`+times(30_000, "v")+`</v></c>`)+
			each(5000, func(i int) string {
				return row(i+2, fmt.Sprintf(`<c r="XFD%d"><v>1</v></c>`,
					i+3))
			})+`</sheetData><mergeCells><mergeCell ref="A2:XFC900000"/></mergeCells></worksheet>`, none...)},
		{"sheets.xlsx", manySheets},
		{"wide-rows.xlsx", workbook(sheetHead+each(20, func(i int) string {
			return row(i,
				times(16_384, `<c><v>1</v></c>`))
		})+sheetTail, none...)},
		{"far-corner.xlsx", workbook(sheetHead+`<row r="1048576"><c r="XFD1048576"><v>1</v></c></row>`+sheetTail,
			none...)},
		{"beyond.xlsx", workbook(sheetHead+`<row r="99999999"><c r="ZZZZ1"><v>1</v></c></row>`+sheetTail, none...)},
		{"styles.xlsx", workbook(sheetHead+row(0, `<c s="5"><v>1</v></c>`)+sheetTail,
			append(none, "xl/styles.xml", `<styleSheet><cellXfs>`+times(1_500_000,
				`<xf/>`)+`</cellXfs></styleSheet>`)...)},
		{"nul-texts.xlsx", workbook(sheetHead+row(0, `<c t="str"><v>a_x0000_b</v></c><c t="str"><v>&#0;</v></c>`)+row(1,
			`<c><v>1</v></c><c t="str"><v>_x001B_[2J</v></c>`)+sheetTail, none...)},
		{"entities.xlsx", workbook(`<!DOCTYPE w [<!ENTITY a "`+times(1000, "a")+`">]>`+sheetHead+sheetTail, none...)},
		{"no-sheet.xlsx", workbook("", none...)},
	}
}

// spreadsheet packs an ODS workbook with these tables.
func spreadsheet(tables string) []byte {
	return packed("mimetype", "application/vnd.oasis.opendocument.spreadsheet",
		"content.xml", `<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x"><office:body><office:spreadsheet>`+tables+
			`</office:spreadsheet></office:body></office:document-content>`)
}

func ods() []File {
	table := func(rows string) string { return `<table:table table:name="a">` + rows + `</table:table>` }
	cell := `<table:table-cell office:value-type="float" office:value="1"/>`
	return []File{
		{"rows-repeated.ods", spreadsheet(table(`<table:table-row table:number-rows-repeated="1048576">` +
			times(64, cell) + `</table:table-row>`))},
		{"cells-repeated.ods", spreadsheet(table(times(300,
			`<table:table-row><table:table-cell office:value-type="float" office:value="1" table:number-columns-repeated="16384"/></table:table-row>`)))},
		{"both-repeated.ods", spreadsheet(table(`<table:table-row table:number-rows-repeated="1048576"><table:table-cell office:value-type="string" table:number-columns-repeated="16384"><text:p>` +
			times(2000, "x") + `</text:p></table:table-cell></table:table-row>`))},
		{"blanks.ods", spreadsheet(table(`<table:table-row><table:table-cell><text:p>` +
			times(20_000, `<text:s text:c="32768"/>`) + `</text:p></table:table-cell></table:table-row>`))},
		{"blanks-in-cells.ods", spreadsheet(table(`<table:table-row>` + times(3_000,
			`<table:table-cell><text:p>`+times(20, `<text:s text:c="32768"/>`)+`</text:p></table:table-cell>`) +
			`</table:table-row>`))},
		{"blanks-in-rows.ods", spreadsheet(table(times(3_000, `<table:table-row><table:table-cell><text:p>`+times(20,
			`<text:s text:c="32768"/>`)+`</text:p></table:table-cell></table:table-row>`)))},
		{"paragraphs.ods", spreadsheet(table(`<table:table-row><table:table-cell>` + times(2_000_000, `<text:p/>`) +
			`</table:table-cell></table:table-row>`))},
		{"spans.ods", spreadsheet(table(times(2000, `<table:table-row>`+times(100,
			`<table:table-cell table:number-rows-spanned="1000000" table:number-columns-spanned="16384"><text:p>x</text:p></table:table-cell>`)+`</table:table-row>`)))},
		{"columns.ods", spreadsheet(table(times(400_000, `<table:table-column/>`) + `<table:table-row>` +
			times(2000, `<table:table-cell office:value-type="time" office:time-value="PT1H"/>`) +
			`</table:table-row>`))},
		{"sheets.ods", spreadsheet(times(20_000, table(`<table:table-row>`+cell+`</table:table-row>`)))},
		{"groups.ods", spreadsheet(table(times(300_000, `<table:table-row-group>`)))},
		{"styles.ods", spreadsheet(times(500_000, `<style:style style:name="s" style:family="table-cell"/>`) +
			table(`<table:table-row>`+cell+`</table:table-row>`))},
	}
}

// Greedy are targets that are taken, and make much of the little that a file with the header
// text and a row of a's holds. A run with each comes to its end.
func Greedy() []File {
	const head = "target: %s\ncolumns:\n  - {name: text"
	named := func(name, rest string) File { return text(name+".yaml", fmt.Sprintf(head, name), rest) }
	nested := times(9, `.replace("a", "aaaaaaaaaa")`)
	return []File{
		named("doubled", ", remedies: ["+times(40, "{replace: {find: a, with: aa}}, ")+"trim]}\n"),
		named("patterns", ", remedies: ["+times(20, "{replace: {pattern: a, with: '${0}${0}${0}'}}, ")+"trim]}\n"),
		named("prefixes", ", remedies: ["+times(25, "{prefix: "+times(4000, "b")+"}, {prefix: c}, ")+"trim]}\n"),
		named("rule", "}\nrowRules: [{name: grows, condition: 'text"+nested+` != ""'}]`+"\n"),
		named("left_out", "}\nexclude: [{reason: grows, condition: 'text"+nested+` != ""'}]`+"\n"),
		named("needed", ", requiredWhen: 'cell(\"text\")"+nested+` != ""'}`+"\n"),
		named("computed", "}\n  - {name: more, derive: 'text"+nested+"'}\n"),
		named("chain", "}\n"+each(60, func(i int) string {
			from := fmt.Sprintf("d%d", i-1)
			if i == 0 {
				from = "text"
			}
			return fmt.Sprintf("  - {name: d%d, derive: %s + %s}\n", i, from, from)
		})),
		named("loops", "}\nrowRules: [{name: loops, condition: 'cell(\"text\").split(\"\").all(a, "+
			`cell("text").split("").all(b, cell("text").split("").all(c, a == b && b == c)))'}]`+"\n"),
		named("rules", "}\nrowRules:\n"+each(1000, func(i int) string {
			return fmt.Sprintf("  - {name: r%d, condition: 'size(text) %% %d == 1 && text.matches(\"(a|b)*c\")'}\n", i, i+2)
		})),
		named("constants", "}\n"+each(900, func(i int) string {
			return fmt.Sprintf("  - {name: c%d, value: '%s'}\n", i, times(4000, "b"))
		})),
	}
}

// Targets are the targets.
func Targets() []File {
	const head = "target: t\ncolumns:\n"
	column := func(rest string) string { return head + "  - {name: a, " + rest + "}\n" }
	return []File{
		text("brackets.yaml", times(100_000, "[")),
		text("braces.yaml", times(30_000, "{a: ")),
		text("steps.yaml", each(1_500, func(i int) string { return times(i, " ") + "a:\n" })),
		text("dashes.yaml", times(50_000, "- ")),
		text("questions.yaml", times(50_000, "? ")),
		text("colons.yaml", times(50_000, "a: ")),
		text("deep.json", times(20_000, `{"target":`)),
		text("digits.yaml", column("datatype: integer, minimum: "+times(100_000, "9"))),
		text("alternatives.yaml", column(`format: "`+each(80, func(i int) string {
			return fmt.Sprintf("|(a{0,%d}b)",
				100+i)
		})+`"`)),
		text("counts.yaml", column(`format: "((a{1,40}){1,40})b"`)),
		text("long-format.yaml", column(`format: "`+times(100_000, "a")+`"`)),
		text("columns.yaml", head, each(50_000, func(i int) string { return fmt.Sprintf("  - name: c%d\n", i) })),
		text("one-of.yaml", head, "  - name: a\n    oneOf: [", each(200_000,
			func(i int) string { return fmt.Sprintf("v%d, ", i) }), "]\n"),
		text("recode.yaml", head, "  - name: a\n    remedies:\n      - recode: {",
			each(150_000, func(i int) string { return fmt.Sprintf("a%d: b, ", i) }), "}\n"),
		text("remedies.yaml", head, "  - name: a\n    remedies: [", times(100_000, "trim, "), "]\n"),
		text("properties.yaml", head, "  - name: a\n",
			each(50_000, func(i int) string { return fmt.Sprintf("    p%d: 1\n", i) })),
		text("long-property.yaml", column(times(1_000_000, "x")+": 1")),
		text("aliases.yaml", "a: &a [x,x]\n",
			each(1000, func(i int) string { return fmt.Sprintf("b%d: &b%d [*a,*a,*a,*a]\n", i, i) })),
		text("nul.yaml", "target: t\x00\ncolumns:\n  - name: a\n"),
		text("escaped-nul.yaml", "target: \"t\\0\"\ncolumns:\n  - name: \"a\\0b\"\n"),
		text("exponent.yaml", head, "  - name: a\ntolerance: {rejected: 1e1000000000%}\n"),
		text("documents.yaml", times(100_000, "---\n")),
		text("too-long.yaml", times(5<<20, "#")),
		text("not-utf8.yaml", "target: \xff\xfe\n"),
	}
}
