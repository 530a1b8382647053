package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"golang.org/x/text/encoding/unicode"

	"sieb/core/violation"
)

var colmitz = habits{
	site: "Colmitz", code: "CO", delimiter: "\t", lineEnd: "\r\n",
	header: []string{"Ticket", "Date", "Weighed", "Site", "Grower No", "Grower", "Field", "Crop", "Variety",
		"Gross", "Tare", "Net", "Moisture", "Protein", "Organic", "Remarks"},
	date: "01/02/2006", clock: "01/02/2006 15:04",
	crops: []string{"wheat", "barley", "rye", "oats"}, yes: "Y", no: "N",
	remarks: []string{"", "", "", "second trailer", "moved to silo 4", "waited 20 minutes"},
}

// Colmitz makes the tickets of Colmitz: tabs, UTF-16, dates with the month
// first, and trial entries among the tickets.
func Colmitz() Made {
	h := &colmitz
	trial := func(n int) []plant {
		return []plant{{column: "ticket_no", cell: fmt.Sprintf("TRIAL-%d", n), out: true}}
	}
	m := h.make(17, 160, nil, nil, map[int][]plant{
		1:   trial(1),
		2:   trial(2),
		21:  reject(violation.DateImpossible, "weighed_on", "07/32/2026"),
		44:  {{code: violation.EncodingGarbled, column: "grower", action: violation.Flag, cell: "GroÃŸacker"}},
		67:  reject(violation.TypeInteger, "gross_kg", "n/k"),
		80:  trial(3),
		99:  {{code: violation.EncodingControl, column: "remarks", action: violation.Flag, cell: "scale\x07 reset"}},
		118: reject(violation.RequiredEmpty, "crop", ""),
		140: {{code: violation.KeyDuplicate, column: "ticket_no", action: violation.Reject, repeat: 139}},
	})
	m.Name, m.Target, m.Mapping = "weighbridge-colmitz-2026-07.txt", tickets, "colmitz"
	encoded, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().Bytes(m.Bytes)
	if err != nil {
		panic(err)
	}
	m.Bytes = encoded
	return m
}

// lines collects the text of a delivery with its tally.
type lines struct {
	Made
	b    strings.Builder
	line int64
}

func (l *lines) put(text string) {
	l.b.WriteString(text + "\n")
	l.line++
}

func (l *lines) made() Made {
	l.Bytes = []byte(l.b.String())
	return l.Made
}

// Silo makes the log of the silo sensors: one value a line, seven values to a
// reading, no header, and a last reading that was cut off.
func Silo() Made {
	rng := rand.New(rand.NewPCG(19, 1))
	l := lines{Made: Made{Name: "silo-sensors-2026-07.txt", Target: "silo_readings"}}
	at := seasonDay
	for n := 1; n <= 90; n++ {
		temperature := func() string { return fmt.Sprintf("%d.%d", 14+rng.IntN(9), rng.IntN(10)) }
		reading := []string{at.Format("2006-01-02T15:04:05"), fmt.Sprintf("silo-%d", 1+n%4), temperature(),
			temperature(), temperature(), fmt.Sprint(48 + rng.IntN(20)), "ok"}
		var planted []Planted
		switch n {
		case 23:
			reading[3] = "ERR"
			planted = []Planted{{Code: violation.TypeDecimal, Column: "middle_c", Action: violation.Reject}}
		case 57:
			reading[5] = ""
			planted = []Planted{{Code: violation.RequiredEmpty, Column: "humidity_pct", Action: violation.Reject}}
		case 71:
			reading[2] = "85.0"
			planted = []Planted{{Code: violation.RangeHigh, Column: "top_c", Action: violation.Reject}}
		case 90:
			reading = reading[:3]
			planted = []Planted{{Code: violation.RowShort, Action: violation.Reject}}
		}
		l.row(l.line+1, planted...)
		for _, value := range reading {
			l.put(value)
		}
		at = at.Add(time.Hour)
	}
	return l.made()
}

// Survey makes the survey of the drivers: under the names of the columns stand
// the questions and the meaning of the codes, and trial answers among the answers.
func Survey() Made {
	rng := rand.New(rand.NewPCG(23, 1))
	l := lines{Made: Made{Name: "driver-survey-2026.csv", Target: "driver_survey"}}
	l.put("answer_no,answered_on,kind,site,q1_waiting,q2_yard,q3_trips,q4_remark")
	l.put("Number,Day,Kind of answer,At which site?,How long do you wait?,How safe is the yard?,How many trips in a " +
		"day?,What should change?")
	l.put(",,,,1 short - 5 long,1 unsafe - 5 safe,1 one; 2 two or three; 3 more,")
	sites := []string{"Ahrensee", "Brunnthal", "Colmitz", "Dornau", "Elmenau"}
	remarks := []string{"", "", "", `"open the gate earlier, please"`, "more light in the yard",
		`"a sign that says ""wait here"""`, "nothing"}
	for n := 1; n <= 60; n++ {
		answer := []string{fmt.Sprint(1000 + n), fmt.Sprintf("2026-08-%02d", 1+n/3), "answer", sites[rng.IntN(5)],
			fmt.Sprint(1 + rng.IntN(5)), fmt.Sprint(1 + rng.IntN(5)), fmt.Sprint(1 + rng.IntN(3)),
			remarks[rng.IntN(len(remarks))]}
		var planted []Planted
		switch n {
		case 1, 2:
			answer[2] = "trial"
			l.leaveOut()
			l.put(strings.Join(answer, ","))
			continue
		case 17:
			answer[4] = "9"
			planted = []Planted{{Code: violation.RangeHigh, Column: "q1_waiting", Action: violation.Reject}}
		case 38:
			answer[6] = "4"
			planted = []Planted{{Code: violation.ValueUnknown, Column: "q3_trips", Action: violation.Reject}}
		case 45:
			answer[5] = "-"
			planted = []Planted{{Code: violation.TypeInteger, Column: "q2_yard", Action: violation.Reject}}
		}
		l.row(l.line+1, planted...)
		l.put(strings.Join(answer, ","))
	}
	return l.made()
}
