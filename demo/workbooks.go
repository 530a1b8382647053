package demo

import (
	"archive/zip"
	"bytes"
	"fmt"
	"html"
	"io"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"sieb/core/violation"
)

// Laboratory makes the results of the laboratory: a workbook whose second sheet
// holds the table, below two rows of notes, with merged cells of sites, numbers
// that are stored as text, and #N/A.
func Laboratory() Made {
	rng := rand.New(rand.NewPCG(29, 1))
	m := Made{Name: "laboratory-2026-07.xlsx", Target: "laboratory_results"}
	f := excelize.NewFile()
	must := func(err error) {
		if err != nil {
			panic(err)
		}
	}
	must(f.SetSheetName("Sheet1", "Read me"))
	must(f.SetSheetCol("Read me", "A1", &[]string{"Laboratory of the Talfeld growers' co-operative",
		"Results of July 2026 are on the next sheet.", "Falling number: mean of two runs."}))
	const sheet = "Results"
	_, err := f.NewSheet(sheet)
	must(err)
	date, err := f.NewStyle(&excelize.Style{CustomNumFmt: ptr("dd.mm.yyyy")})
	must(err)
	percent, err := f.NewStyle(&excelize.Style{CustomNumFmt: ptr("0.0")})
	must(err)
	put := func(row int, values ...any) { must(f.SetSheetRow(sheet, fmt.Sprintf("A%d", row), &values)) }
	put(1, "Results, July 2026")
	put(2, "All values on dry matter; samples taken at the weighbridge")
	put(4, "Site", "Sample", "Taken on", "Crop", "Moisture %", "Protein %", "Falling number s", "Released")
	const header, each = 4, 12
	numbers := map[int]bool{9: true, 22: true, 23: true, 41: true}
	row := header
	for _, site := range []string{"Ahrensee", "Brunnthal", "Colmitz", "Dornau", "Elmenau"} {
		first := row + 1
		for range each {
			row++
			n := row - header
			taken := seasonDay.AddDate(0, 0, n/3).Truncate(24 * time.Hour)
			values := []any{nil, fmt.Sprintf("L-%04d", 2600+n), taken, []string{"wheat", "barley", "rye",
				"oats"}[rng.IntN(4)],
				float64(110+rng.IntN(50)) / 10, float64(95+rng.IntN(40)) / 10, 180 + rng.IntN(160), n%7 != 0}
			var planted []Planted
			if numbers[n] {
				values[5] = fmt.Sprintf("%.1f", values[5])
				planted = append(planted, Planted{Code: violation.NumberText, Column: "protein_pct",
					Action: violation.Flag})
			}
			switch n {
			case 15:
				values[2] = "in July"
				planted = append(planted, Planted{Code: violation.DateFormat, Column: "taken_on",
					Action: violation.Reject})
			case 28:
				values[2] = taken.Format("02.01.2006")
				planted = append(planted, Planted{Code: violation.DateText, Column: "taken_on", Action: violation.Flag})
			case 33:
				values[4] = "wet"
				planted = append(planted, Planted{Code: violation.TypeDouble, Column: "moisture_pct",
					Action: violation.Reject})
			case 36, 52:
				planted = append(planted, Planted{Code: violation.TypeError, Column: "falling_number_s",
					Action: violation.Reject})
			}
			put(row, values...)
			if n == 36 || n == 52 {
				must(f.SetCellFormula(sheet, fmt.Sprintf("G%d", row), "NA()"))
			}
			must(f.SetCellStyle(sheet, fmt.Sprintf("C%d", row), fmt.Sprintf("C%d", row), date))
			must(f.SetCellStyle(sheet, fmt.Sprintf("E%d", row), fmt.Sprintf("F%d", row), percent))
			m.row(int64(row), planted...)
		}
		must(f.SetCellValue(sheet, fmt.Sprintf("A%d", first), site))
		must(f.MergeCell(sheet, fmt.Sprintf("A%d", first), fmt.Sprintf("A%d", row)))
	}
	put(row+2, "Checked: laboratory")
	var b bytes.Buffer
	must(f.Write(&b))
	// Formulas were not computed; their values are put in as a spreadsheet program does.
	m.Bytes = repack(b.Bytes(), func(text string) string {
		return missing.ReplaceAllString(text, `<c r="$1" t="e"><f>NA()</f><v>#N/A</v></c>`)
	})
	return m
}

var missing = regexp.MustCompile(`<c r="([A-Z]+[0-9]+)"[^>]*><f>NA\(\)</f>.*?</c>`)

func ptr[T any](v T) *T { return &v }

// repack writes an archive anew with its parts in order and without times, so
// that the same content gives the same bytes.
func repack(archive []byte, change func(text string) string) []byte {
	z, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		panic(err)
	}
	var parts []part
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			panic(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			panic(err)
		}
		parts = append(parts, part{f.Name, change(string(text))})
	}
	slices.SortFunc(parts, func(a, b part) int { return strings.Compare(a.name, b.name) })
	return pack(parts)
}

type part struct{ name, text string }

func pack(parts []part) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, p := range parts {
		f, err := w.CreateHeader(&zip.FileHeader{Name: p.name, Method: zip.Deflate})
		if err == nil {
			_, err = io.WriteString(f, p.text)
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

// Register makes the register of the growers: an OpenDocument sheet with full
// names in one column, numbers with zeros in front, and postcodes of which one
// was typed as a number and lost its zero.
func Register() Made {
	rng := rand.New(rand.NewPCG(31, 1))
	m := Made{Name: "growers-2026.ods", Target: "growers"}
	var rows strings.Builder
	text := func(s string) string {
		return `<table:table-cell office:value-type="string"><text:p>` + html.EscapeString(s) +
			`</text:p></table:table-cell>`
	}
	number := func(v any) string {
		return fmt.Sprintf(`<table:table-cell office:value-type="float" office:value="%v"><text:p>%v</text:p></table:table-cell>`, v, v)
	}
	day := func(t time.Time) string {
		return fmt.Sprintf(`<table:table-cell office:value-type="date" office:date-value="%s"><text:p>%s</text:p></table:table-cell>`, t.Format(time.DateOnly), t.Format("02.01.06"))
	}
	put := func(cells ...string) {
		rows.WriteString("<table:table-row>" + strings.Join(cells, "") + "</table:table-row>")
	}
	put(text("Talfeld eG: growers"))
	put(`<table:table-cell table:number-columns-repeated="7"/>`)
	put(text("Grower No."), text("Name"), text("Farm"), text("Postcode"), text("Place"), text("Member since"),
		text("Hectares"))
	given := []string{"Alrun", "Berwin", "Calla", "Dietlind", "Eskil", "Fenja", "Gisbert", "Hedda"}
	family := []string{"Ackertal", "von der Breite", "Feldmoos", "Hangwieser", "Kornbach", "Seeländer-Tal"}
	places := []string{"Ahrensee", "Brunnthal", "Colmitz", "Dornau", "Elmenau"}
	for n := 1; n <= 48; n++ {
		no := growerNo(n - 1)
		postcode, since := text(fmt.Sprintf("0%d", 4100+rng.IntN(800))), day(time.Date(1990+rng.IntN(35),
			time.Month(1+rng.IntN(12)), 1+rng.IntN(28), 0, 0, 0, 0, time.UTC))
		var planted []Planted
		switch n {
		case strangerAt:
			postcode = number(4177)
			planted = []Planted{{Code: violation.TextFormat, Column: "postcode", Action: violation.Reject}}
		case 26:
			since = text("unknown")
			planted = []Planted{{Code: violation.DateFormat, Column: "member_since", Action: violation.Reject}}
		case 40:
			no = growerNo(38)
			planted = []Planted{{Code: violation.KeyDuplicate, Column: "grower_no", Action: violation.Reject}}
		}
		m.row(int64(n)+3, planted...)
		put(text(no), text(given[rng.IntN(len(given))]+" "+family[rng.IntN(len(family))]),
			text(growers[rng.IntN(len(growers))]), postcode, text(places[rng.IntN(len(places))]),
			since, number(float64(50+rng.IntN(900))/10))
	}
	const names = `xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"`
	m.Bytes = pack([]part{
		{"mimetype", "application/vnd.oasis.opendocument.spreadsheet"},
		{"META-INF/manifest.xml", `<?xml version="1.0" encoding="UTF-8"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">` +
			`<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>`},
		{"content.xml", `<?xml version="1.0" encoding="UTF-8"?><office:document-content ` + names +
			` office:version="1.3"><office:body><office:spreadsheet>` +
			`<table:table table:name="Growers"><table:table-column table:number-columns-repeated="7"/>` +
			rows.String() +
			`<table:table-row table:number-rows-repeated="1048525"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table></office:spreadsheet></office:body></office:document-content>`},
	})
	return m
}
