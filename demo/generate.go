package demo

import (
	"bytes"
	"fmt"
	"io"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"

	"golang.org/x/text/encoding/charmap"

	"sieb/core/violation"
)

// Planted is a violation that the generator put into a delivery on purpose.
type Planted struct {
	Code   violation.Code   `json:"code"`
	Column string           `json:"column"`
	Action violation.Action `json:"action"`
	Row    int64            `json:"row"`  // 0: the delivery as a whole
	Line   int64            `json:"line"` // physical line
}

// Made is a generated delivery and the truth about it.
type Made struct {
	Name     string    `json:"delivery"`
	Target   string    `json:"target"`
	Mapping  string    `json:"mapping,omitempty"`
	Read     int64     `json:"read"`
	Accepted int64     `json:"accepted"`
	Rejected int64     `json:"rejected"`
	Excluded int64     `json:"excluded"`
	Planted  []Planted `json:"planted"`
	Bytes    []byte    `json:"-"`
}

// leaveOut counts a row that a condition of the target or mapping leaves out.
func (m *Made) leaveOut() {
	m.Read++
	m.Excluded++
}

// row counts a row on a line of the delivery, with what is planted in it.
func (m *Made) row(line int64, planted ...Planted) {
	m.Read++
	rejected := false
	for _, p := range planted {
		p.Row, p.Line = m.Read, line
		m.Planted = append(m.Planted, p)
		rejected = rejected || p.Action == violation.Reject
	}
	if rejected {
		m.Rejected++
	} else {
		m.Accepted++
	}
}

// tickets is the target of all weighbridges, and netRule its row rule.
const (
	tickets = "weighbridge_tickets"
	netRule = "net is gross less tare"
)

// columns of a weighbridge ticket, by their names in the targets.
var columns = []string{"ticket_no", "weighed_on", "weighed_at", "site", "grower_no", "grower", "field", "crop",
	"variety",
	"gross_kg", "tare_kg", "net_kg", "moisture_pct", "protein_pct", "organic", "remarks"}

// habits are how a site writes its files.
type habits struct {
	site, code  string
	delimiter   string
	lineEnd     string
	header      []string
	date, clock string // Go reference times
	comma       bool   // decimal comma and grouped thousands
	crops       []string
	yes, no     string
	remarks     []string
}

var ahrensee = habits{
	site: "Ahrensee", code: "AH", delimiter: ";", lineEnd: "\r\n",
	header: []string{"Ticket No.", "Date", "Weighed at", "Site", "Grower No.", "Grower", "Field", "Crop", "Variety",
		"Gross kg", "Tare kg", "Net kg", "Moisture %", "Protein %", "Organic", "Remarks"},
	date: "02.01.2006", clock: "02.01.2006 15:04", comma: true,
	crops: []string{"Weizen", "Gerste", "Roggen", "Hafer"}, yes: "ja", no: "nein",
	remarks: []string{"", "", "", "", "zweite Fuhre", "Anhänger getauscht", "nass geladen",
		"Fahrer in Eile; Plane offen"},
}

var brunnthal = habits{
	site: "Brunnthal", code: "BR", delimiter: ",", lineEnd: "\n",
	header: []string{"ticket_no", "weighed_on", "weighed_at", "site", "grower_no", "grower", "field", "crop", "variety",
		"gross_kg", "tare_kg", "net_kg", "moisture_pct", "protein_pct", "organic", "remarks"},
	date: "2006-01-02", clock: "2006-01-02T15:04:05",
	crops: []string{"wheat", "barley", "rye", "oats"}, yes: "true", no: "false",
	remarks: []string{"", "", "", "", "second load", "driver said \"wet field\", took the long way",
		"left door open,\nswept the floor afterwards", "sample taken, bag 2"},
}

var (
	growers = []string{"Lindenhof", "Mühlbachhof", "Großacker", "Wiesengrün", "Sonnleite", "Birkenschlag", "Talmühle",
		"Höhenrain",
		"Erlengrund", "Kleeblatthof", "Steinäcker", "Rösslerhof"}
	fields    = []string{"Anger", "Breite", "Hinterau", "Kirchweg", "Moosfeld", "Oberhang", "Seewiese", "Stocket"}
	varieties = []string{"Aurelia", "Borwin", "Calanda", "Dornfee", "Elmera", "Fennja"}
	seasonDay = time.Date(2026, time.July, 6, 6, 0, 0, 0, time.UTC)
)

// growerNo returns the number of a grower in the register, counted from 0. The tickets name
// the first twelve.
func growerNo(n int) string { return fmt.Sprintf("%05d", 412+n*37) }

// strangerAt is the row of the register that is rejected, of a grower whom one ticket names.
const strangerAt = 20

// ticket makes the cells of one clean row.
func (h *habits) ticket(rng *rand.Rand, n int, at time.Time) []string {
	grower := rng.IntN(len(growers))
	gross, tare := 9000+rng.IntN(31000), 4000+rng.IntN(4500)
	crop := h.crops[rng.IntN(len(h.crops))]
	organic := h.no
	if grower%3 == 0 {
		organic = h.yes
	}
	return []string{
		fmt.Sprintf("%s-%06d", h.code, n),
		at.Format(h.date), at.Format(h.clock), h.site,
		growerNo(grower), growers[grower],
		fields[rng.IntN(len(fields))], crop, varieties[rng.IntN(len(varieties))],
		h.whole(gross), h.whole(tare), h.whole(gross - tare),
		h.decimal(95+rng.IntN(90), 1), h.decimal(850+rng.IntN(600), 2),
		organic, h.remarks[rng.IntN(len(h.remarks))],
	}
}

func (h *habits) whole(n int) string {
	if h.comma && n >= 1_000_000 {
		return fmt.Sprintf("%d.%03d.%03d", n/1_000_000, n/1000%1000, n%1000)
	}
	if h.comma && n >= 1000 {
		return fmt.Sprintf("%d.%03d", n/1000, n%1000)
	}
	return fmt.Sprint(n)
}

func (h *habits) decimal(n, digits int) string {
	unit := 1
	for range digits {
		unit *= 10
	}
	point := "."
	if h.comma {
		point = ","
	}
	return fmt.Sprintf("%d%s%0*d", n/unit, point, digits, n%unit)
}

// join writes a row as the site does, quoting where the text demands it.
func (h *habits) join(cells []string) string {
	var b strings.Builder
	for i, cell := range cells {
		if i > 0 {
			b.WriteString(h.delimiter)
		}
		if strings.ContainsAny(cell, h.delimiter+"\"\r\n") {
			cell = `"` + strings.ReplaceAll(cell, `"`, `""`) + `"`
		}
		b.WriteString(cell)
	}
	return b.String()
}

// plant is one planned violation: what it does to a row's cells, or to the
// text of its line.
type plant struct {
	code   violation.Code
	column string // "" for the whole row
	action violation.Action
	cell   string                   // what the cell becomes
	line   func(line string) string // what the line becomes
	repeat int                      // the row whose ticket number is repeated
	weight string                   // the column whose cell breaks a rule over several columns
	out    bool                     // the row is left out, and has no violation
}

func index(column string) int {
	for i, c := range columns {
		if c == column {
			return i
		}
	}
	panic("demo: no column " + column)
}

// printed are the columns of Dornau's printout with their widths.
var printed = []struct {
	column, title string
	width         int
	right         bool
}{{"ticket_no", "Ticket", 11, false}, {"weighed_on", "Date", 12, false}, {"grower_no", "No.", 7, false},
	{"grower", "Grower", 16, false},
	{"crop", "Crop", 9, false}, {"gross_kg", "Gross kg", 9, true}, {"tare_kg", "Tare kg", 9, true},
	{"net_kg", "Net kg", 9, true}, {"moisture_pct", "Moist", 7, true}}

// line pads cells to the columns of the printout; a wider cell is cut, as the
// printer does.
func line(cells []string) string {
	var b strings.Builder
	for i, p := range printed {
		cell := []rune(cells[i])
		cell = cell[:min(len(cell), p.width-1)]
		pad := strings.Repeat(" ", p.width-len(cell))
		if p.right {
			b.WriteString(pad + string(cell))
		} else {
			b.WriteString(string(cell) + pad)
		}
	}
	return strings.TrimRight(b.String(), " ")
}

var dornau = habits{
	site: "Dornau", code: "DO", lineEnd: "\r\n", date: "02.01.2006", clock: "02.01.2006 15:04", comma: true,
	crops: []string{"WEIZEN", "GERSTE", "ROGGEN", "HAFER"}, remarks: []string{""},
}

// Dornau makes the tickets of Dornau: the fixed-width printout of an old
// weighbridge, in IBM850, with titles, a blank line and a line of totals.
func Dornau() Made {
	h := &dornau
	rng := rand.New(rand.NewPCG(13, 1))
	plants := map[int][]plant{
		14:  reject(violation.TypeInteger, "tare_kg", "*****"),
		37:  reject(violation.DateImpossible, "weighed_on", "00.07.2026"),
		52:  reject(violation.RequiredEmpty, "gross_kg", ""),
		88:  reject(violation.ValueUnknown, "crop", "RAPS"),
		103: reject(violation.TextFormat, "grower_no", "0412"),
		131: reject(violation.RangeHigh, "moisture_pct", "99,9"),
	}
	var b strings.Builder
	m := Made{Name: "weighbridge-dornau-2026-07.txt", Target: tickets, Mapping: "dornau"}
	put := func(text string) {
		b.WriteString(text + h.lineEnd)
	}
	put("WAAGE DORNAU")
	put("Ausdruck vom 31.07.2026")
	put("")
	titles := make([]string, len(printed))
	for i, p := range printed {
		titles[i] = p.title
	}
	put(line(titles))
	at := seasonDay
	for row := 1; row <= 150; row++ {
		at = at.Add(time.Duration(2+rng.IntN(5)) * time.Hour)
		ticket := h.ticket(rng, 100+row, at)
		var planted []Planted
		for _, p := range plants[row] {
			ticket[index(p.column)] = p.cell
			planted = append(planted, Planted{Code: p.code, Column: p.column, Action: p.action})
		}
		m.row(int64(row)+4, planted...)
		cells := make([]string, len(printed))
		for i, p := range printed {
			cells[i] = ticket[index(p.column)]
		}
		put(line(cells))
	}
	put(line([]string{"Summe", "", "", "", "", "3.611.480", "931.207", "2.680.273", ""}))
	encoded, err := charmap.CodePage850.NewEncoder().Bytes([]byte(b.String()))
	if err != nil {
		panic(err)
	}
	m.Bytes = encoded
	return m
}

// make writes a delivery of so many rows with the plants in their rows. {gross}, {tare} and
// {net} below them become the totals of the site's own book, in which nothing is planted.
func (h *habits) make(seed uint64, rows int, above, below []string, plants map[int][]plant) Made {
	rng := rand.New(rand.NewPCG(seed, 1))
	var b bytes.Buffer
	m := Made{}
	line := int64(1)
	put := func(text string) {
		b.WriteString(text)
		b.WriteString(h.lineEnd)
		line += 1 + int64(strings.Count(text, "\n"))
	}
	for _, l := range above {
		put(l)
	}
	put(strings.Join(h.header, h.delimiter))
	numbers := make([]string, rows+1)
	var totals [3]int
	at := seasonDay
	for row := 1; row <= rows; row++ {
		at = at.Add(time.Duration(3+rng.IntN(25)) * time.Minute)
		if at.Hour() >= 20 {
			at = time.Date(at.Year(), at.Month(), at.Day()+1, 6, rng.IntN(50), 0, 0, time.UTC)
		}
		cells := h.ticket(rng, 100+row, at)
		for i, column := range []string{"gross_kg", "tare_kg", "net_kg"} {
			kg, err := strconv.Atoi(strings.ReplaceAll(cells[index(column)], ".", ""))
			if err != nil {
				panic(err)
			}
			totals[i] += kg
		}
		var planted []Planted
		var damage func(string) string
		for _, p := range plants[row] {
			switch {
			case p.repeat > 0:
				cells[0] = numbers[p.repeat]
			case p.line != nil:
				damage = p.line
			case p.weight != "":
				cells[index(p.weight)] = p.cell
			case p.column != netRule:
				cells[index(p.column)] = p.cell
			}
			planted = append(planted, Planted{Code: p.code, Column: p.column, Action: p.action})
		}
		if len(plants[row]) > 0 && plants[row][0].out {
			m.leaveOut()
		} else {
			m.row(line, planted...)
		}
		numbers[row] = cells[0]
		text := h.join(cells)
		if damage != nil {
			text = damage(text)
		}
		put(text)
	}
	total := strings.NewReplacer("{gross}", h.whole(totals[0]), "{tare}", h.whole(totals[1]), "{net}", h.whole(totals[2]))
	for _, l := range below {
		put(total.Replace(l))
	}
	m.Bytes = b.Bytes()
	return m
}

func reject(code violation.Code, column, cell string) []plant {
	return []plant{{code: code, column: column, action: violation.Reject, cell: cell}}
}

// misreckoned plants a weight that does not agree with the others of its row.
func misreckoned(column, cell string) []plant {
	return []plant{{code: violation.RuleFailed, column: netRule, action: violation.Reject, weight: column, cell: cell}}
}

func damage(code violation.Code, column string, action violation.Action, line func(string) string) []plant {
	return []plant{{code: code, column: column, action: action, line: line}}
}

// dropCells takes the last two cells off a line; addCells adds two.
func dropCells(delimiter string) func(string) string {
	return func(line string) string {
		for range 2 {
			line = line[:strings.LastIndex(line, delimiter)]
		}
		return line
	}
}

// lastCell replaces the last cell of a line, as it stands.
func lastCell(delimiter, text string) func(string) string {
	return func(line string) string {
		cells := strings.SplitN(line, delimiter, len(columns))
		cells[len(columns)-1] = text
		return strings.Join(cells, delimiter)
	}
}

// Ahrensee makes the tickets of Ahrensee: semicolons, decimal commas, German
// dates, Windows-1252, two lines of titles and a line of totals.
func Ahrensee() Made {
	h := &ahrensee
	m := h.make(7, 240, []string{"Talfeld eG - Waage Ahrensee", "Wiegescheine Juli 2026;;;;;;;;Stand: 31.07.2026"},
		[]string{"Summe;;;;;;;;;{gross};{tare};{net};;;;"}, map[int][]plant{
			12: reject(violation.RequiredEmpty, "weighed_on", ""),
			23: reject(violation.DateImpossible, "weighed_on", "31.06.2026"),
			31: reject(violation.DateFormat, "weighed_on", "2026-07-08"),
			40: reject(violation.TypeInteger, "gross_kg", "ca. 24.000"),
			47: reject(violation.TypeInteger, "tare_kg", "6.40"),
			58: reject(violation.ValueUnknown, "crop", "Mais"),
			66: {{code: violation.KeyDuplicate, column: "ticket_no", action: violation.Reject, repeat: 20}},
			71: damage(violation.RowShort, "", violation.Reject, dropCells(";")),
			83: damage(violation.RowLong, "", violation.Reject, func(line string) string { return line + ";;x" }),
			94: damage(violation.QuoteOpen, "remarks", violation.Reject, lastCell(";",
				`"Anhänger steht noch auf der Waage`)),
			105: damage(violation.QuoteTail, "remarks", violation.Reject, lastCell(";", `"nass" geladen`)),
			117: damage(violation.QuoteStray, "remarks", violation.Flag, lastCell(";", `Rohr 5" verbogen`)),
			129: reject(violation.RangeHigh, "moisture_pct", "45,2"),
			130: reject(violation.RangeLow, "moisture_pct", "3,1"),
			142: reject(violation.TypeDecimal, "moisture_pct", "feucht"),
			143: reject(violation.TypeDecimal, "moisture_pct", "14.5"),
			155: {{code: violation.NumberScale, column: "protein_pct", action: violation.Blank, cell: "11,375"}},
			156: {{code: violation.NumberPrecision, column: "protein_pct", action: violation.Blank, cell: "1180,50"}},
			168: reject(violation.TextFormat, "grower_no", "4123"),
			177: reject(violation.TextLong, "field", "Hinterau hinter dem alten Bahndamm"),
			189: reject(violation.TypeBoolean, "organic", "teilweise"),
			201: {
				{code: violation.DateImpossible, column: "weighed_at", action: violation.Reject,
					cell: "17.07.2026 25:10"},
				{code: violation.TextShort, column: "grower", action: violation.Reject, cell: "Hö"},
				{code: violation.RangeHigh, column: "gross_kg", action: violation.Reject, cell: "91.200"},
				{code: violation.RuleFailed, column: netRule, action: violation.Reject},
			},
			215: misreckoned("net_kg", "19.999"),
			222: reject(violation.ReferenceMissing, "grower_no", "99999"),
		})
	m.Name, m.Target, m.Mapping = "weighbridge-ahrensee-2026-07.csv", tickets, "ahrensee"
	// The totals are those of all weighings, also of those that cannot be read.
	m.Planted = append(m.Planted, Planted{Code: violation.SumDiffers, Column: "net_kg", Line: 1, Action: violation.Flag})
	// Habits that the remedies deal with: no violations.
	text := string(m.Bytes)
	text = strings.Replace(text, "AH-000105;", "ah-000105 ;", 1)
	text = strings.Replace(text, "AH-000160;", " AH-000160;", 1)
	m.Bytes = []byte(text)
	encoded, err := charmap.Windows1252.NewEncoder().Bytes(m.Bytes)
	if err != nil {
		panic(err)
	}
	m.Bytes = encoded
	return m
}

// Brunnthal makes the tickets of Brunnthal: commas, UTF-8 with a byte order
// mark, ISO dates, remarks with quotes, commas and line breaks.
func Brunnthal() Made {
	h := &brunnthal
	m := h.make(11, 180, nil, nil, map[int][]plant{
		9:  reject(violation.RequiredEmpty, "grower_no", ""),
		18: {{code: violation.TypeDecimal, column: "protein_pct", action: violation.Blank, cell: "n.b."}},
		27: reject(violation.DateFormat, "weighed_at", "2026-07-09 11:15"),
		36: {{code: violation.DateAmbiguous, column: "weighed_on", action: violation.Flag, cell: "05/08/2026"}},
		45: damage(violation.EncodingInvalid, "grower", violation.Reject,
			func(line string) string { return strings.Replace(line, ","+growerOf(line)+",", ",M\xfchlbachhof,", 1) }),
		54: {{code: violation.KeyDuplicate, column: "ticket_no", action: violation.Reject, repeat: 53}},
		63: damage(violation.QuoteOpen, "remarks", violation.Reject, lastCell(",", `"scale was reset twice`)),
		72: damage(violation.QuoteTail, "remarks", violation.Reject, lastCell(",", `"clean" load`)),
		81: damage(violation.RowLong, "", violation.Reject, func(line string) string {
			return strings.Replace(line,
				",Brunnthal,", ",Brunnthal,scale 2,", 1)
		}),
		90: damage(violation.RowShort, "", violation.Reject, dropCells(",")),
		99: {{code: violation.RangeLow, column: "net_kg", action: violation.Reject, cell: "-120"},
			{code: violation.RuleFailed, column: netRule, action: violation.Reject}},
		108: reject(violation.ValueUnknown, "site", "Brunntal"),
		112: reject(violation.ReferenceMissing, "grower_no", growerNo(strangerAt-1)),
		117: reject(violation.TextLong, "remarks", strings.Repeat("the trailer came back half full, ", 5)+"see note"),
		126: reject(violation.NumberScale, "moisture_pct", "13.25"),
		135: reject(violation.DateImpossible, "weighed_on", "2026-02-30"),
		144: {{code: violation.KeyDuplicate, column: "ticket_no", action: violation.Reject, repeat: 1}},
	})
	m.Name, m.Target, m.Mapping = "weighbridge-brunnthal-2026-07.csv", tickets, "brunnthal"
	m.Bytes = append([]byte("\xEF\xBB\xBF"), m.Bytes...)
	m.Planted = append(m.Planted, Planted{violation.HeaderMissing, "checked_by", violation.Flag, 0, 1})
	return m
}

func growerOf(line string) string { return strings.Split(line, ",")[index("grower")] }

// Large writes about so many bytes of tickets in the habits of Brunnthal,
// without a byte order mark: a clean delivery, in which one row in a hundred
// has a violation. It returns the number of rows.
func Large(w io.Writer, size int64) (rows int, err error) {
	h := brunnthal
	rng := rand.New(rand.NewPCG(3, 1))
	counter := &counting{w: w}
	fmt.Fprintln(counter, strings.Join(h.header, ","))
	at := seasonDay
	for err == nil && counter.n < size {
		rows++
		at = at.Add(time.Duration(rng.IntN(5)) * time.Second)
		cells := h.ticket(rng, rows%1000000, at)
		cells[0] = fmt.Sprintf("%c%c-%06d", 'A'+rows/1000000/26, 'A'+rows/1000000%26, rows%1000000)
		switch {
		case rows%100 == 99:
			cells[12] = "wet"
		case rows%7 != 0:
			cells[15] = h.remarks[rng.IntN(4)] // seldom a quoted remark
		}
		_, err = fmt.Fprintln(counter, h.join(cells))
	}
	return rows, err
}

type counting struct {
	w io.Writer
	n int64
}

func (c *counting) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += int64(n)
	return n, err
}
