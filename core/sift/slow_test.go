package sift_test

import (
	"cmp"
	"context"
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/reference"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

// drawnRules is a random target with its mapping, as the slow judge knows it.
type drawnRules struct {
	trim, upper, idFormat, refers bool
	dates                         []string // LDML patterns
	earliest                      string
	group                         string
	kgAction                      string // reject, flag, blank
	kgMost                        int
	comma, scaled                 bool
	germanYes                     bool
	tareDefault                   bool
	derived, constant             bool
	needed                        bool   // pct is required when ok
	leaves                        bool   // rows whose raw id begins with T are left out, and rows of 7 kg
	rule                          string // onViolation of the row rule; "" for none
}

func drawRules(t *rapid.T) drawnRules {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	r := drawnRules{trim: flip("trim"), upper: flip("upper"), idFormat: flip("format"), refers: flip("refers"),
		kgAction: rapid.SampledFrom([]string{"reject", "flag", "blank"}).Draw(t, "action"), comma: flip("comma"),
		scaled: flip("scaled"), germanYes: flip("yes"), tareDefault: flip("default"), derived: flip("derived"),
		constant: flip("constant"), needed: flip("needed"), leaves: flip("leaves"),
		rule: rapid.SampledFrom([]string{"", "reject", "flag"}).Draw(t, "rule")}
	r.dates = rapid.SampledFrom([][]string{{"dd.MM.yyyy"}, {"yyyy-MM-dd"}, {"MM/dd/yyyy", "dd.MM.yyyy"}}).Draw(t,
		"dates")
	r.earliest = rapid.SampledFrom([]string{"", "2026-07-05"}).Draw(t, "earliest")
	r.group = rapid.SampledFrom([]string{"", "."}).Draw(t, "group")
	r.kgMost = rapid.SampledFrom([]int{0, 1500}).Draw(t, "most")
	return r
}

func (r drawnRules) target() string {
	var b strings.Builder
	b.WriteString("target: t\ncolumns:\n  - {name: id, unique: true, required: true")
	if r.idFormat {
		b.WriteString(", format: '[A-Z]{2}[0-9]'")
	}
	b.WriteString("}\n  - {name: day, datatype: date")
	if r.earliest != "" {
		b.WriteString(", minimum: " + r.earliest)
	}
	fmt.Fprintf(&b, "}\n  - {name: kg, datatype: integer, onViolation: %s", r.kgAction)
	if r.kgMost > 0 {
		fmt.Fprintf(&b, ", maximum: %d", r.kgMost)
	}
	b.WriteString("}\n  - {name: tare, datatype: integer")
	if r.tareDefault {
		b.WriteString(", default: 3")
	}
	b.WriteString("}\n  - {name: pct, datatype: decimal")
	if r.scaled {
		b.WriteString(", precision: 4, scale: 1")
	}
	if r.needed {
		b.WriteString(", requiredWhen: ok")
	}
	b.WriteString("}\n  - {name: ok, datatype: boolean}\n  - {name: net, datatype: integer}\n  - {name: site}\n")
	if r.rule != "" {
		fmt.Fprintf(&b, "rowRules: [{name: heavy, condition: kg > tare || ok, onViolation: %s}]\n", r.rule)
	}
	if r.refers {
		b.WriteString("foreignKeys: [{columnReference: id, reference: {resource: growers}}]\n")
	}
	return b.String()
}

func (r drawnRules) mapping() string {
	var b strings.Builder
	b.WriteString("mapping: m\ntarget: t\ncolumns:\n  id: {from: No, remedies: [")
	var remedies []string
	if r.trim {
		remedies = append(remedies, "trim")
	}
	if r.upper {
		remedies = append(remedies, "upper")
	}
	b.WriteString(strings.Join(remedies, ", ") + "], null: ['', N/A]}\n")
	fmt.Fprintf(&b, "  day: {from: Date, format: [%s]}\n", strings.Join(r.dates, ", "))
	if r.group != "" {
		b.WriteString("  kg: {groupChar: '.'}\n")
	}
	if r.comma {
		b.WriteString("  pct: {decimalChar: ','}\n")
	}
	if r.germanYes {
		b.WriteString("  ok: {format: ja|nein}\n")
	}
	if r.derived {
		b.WriteString("  net: {derive: kg - tare}\n")
	} else {
		b.WriteString("  net: {value: ''}\n")
	}
	if r.constant {
		b.WriteString("  site: {value: Dornau}\n")
	} else {
		b.WriteString("  site: {derive: 'cell(\"No\") + \"/\" + string(row)'}\n")
	}
	b.WriteString("leftOut: [note]\n")
	if r.leaves {
		b.WriteString("exclude:\n  - {condition: 'cell(\"No\").startsWith(\"T\")', reason: trial}\n" +
			"  - {condition: kg == 7, reason: seven}\n")
	}
	return b.String()
}

// slow is what the slow judge makes of a table.
type slow struct {
	accepted, violations []string
	tally                sift.Tally
	changed              map[string]int64
	excluded             [2]int64
	unjudged             int64
}

// slowValue is a cell, judged: its canonical text, whether it has a value, and whether it is
// of its datatype.
type slowValue struct {
	text       string
	has, wrong bool
}

// judge goes through the rows one by one, and through the steps of DESIGN's order of a row.
func (r drawnRules) judge(rows [][]string, known []string) slow {
	s := slow{changed: map[string]int64{}}
	holders := map[string]bool{}
	for i, cells := range rows {
		s.tally.Read++
		number := i + 1
		if r.leaves && strings.HasPrefix(cells[0], "T") {
			s.tally.Excluded++
			s.excluded[0]++
			continue
		}
		var found []string
		rejects := false
		fail := func(column, code, action string) {
			found = append(found, fmt.Sprintf("%d %s %s", number, column, code))
			rejects = rejects || action == "reject"
		}
		id, brokenID := r.id(cells[0], &s, fail)
		day := r.day(cells[1], fail)
		kg := r.kg(cells[2], fail)
		tare := slowWhole(cells[3], "", "tare", func(column, code string) { fail(column, code, "reject") })
		if !tare.has && !tare.wrong && r.tareDefault {
			tare = slowValue{text: "3", has: true}
			s.changed["tare default"]++
		}
		pct := r.pct(cells[4], fail)
		ok := r.truth(cells[5], fail)
		var net slowValue
		if r.derived && kg.has && tare.has && !kg.wrong && !tare.wrong {
			a, _ := new(big.Int).SetString(kg.text, 10)
			b, _ := new(big.Int).SetString(tare.text, 10)
			net = slowValue{text: a.Sub(a, b).String(), has: true}
		}
		site := "Dornau"
		if !r.constant {
			site = cells[0] + "/" + fmt.Sprint(number)
		}
		if r.leaves && kg.has && !kg.wrong && kg.text == "7" {
			s.tally.Excluded++
			s.excluded[1]++
			continue
		}
		if r.needed && !pct.has && !pct.wrong && ok.has && !ok.wrong && ok.text == "true" {
			fail("pct", "required.empty", "reject")
		}
		if r.rule != "" {
			knowsWeights, knowsTruth := kg.has && tare.has && !kg.wrong && !tare.wrong, ok.has && !ok.wrong
			heavy := false
			if knowsWeights {
				a, _ := new(big.Int).SetString(kg.text, 10)
				b, _ := new(big.Int).SetString(tare.text, 10)
				heavy = a.Cmp(b) > 0
			}
			switch {
			case heavy || knowsTruth && ok.text == "true": // one side of the or decides
			case knowsWeights && knowsTruth:
				fail("heavy", "rule.failed", r.rule)
			default:
				s.unjudged++
			}
		}
		if r.refers && id.has && !brokenID && !slices.Contains(known, id.text) {
			fail("id", "reference.missing", "reject")
		}
		if id.has && holders[id.text] {
			fail("id", "key.duplicate", "reject")
		}
		if rejects {
			s.tally.Rejected++
		} else {
			s.tally.Accepted++
			if id.has {
				holders[id.text] = true
			}
			s.accepted = append(s.accepted, strings.Join([]string{id.text, day.text, kg.text, tare.text, pct.text,
				ok.text,
				net.text, site}, ","))
		}
		s.violations = append(s.violations, found...)
	}
	sort.Strings(s.violations)
	return s
}

type failing func(column, code, action string)

func (r drawnRules) id(cell string, s *slow, fail failing) (v slowValue, isBroken bool) {
	isNull := func(text string) bool { return text == "" || text == "N/A" }
	for _, remedy := range []struct {
		is    bool
		name  string
		apply func(string) string
	}{{r.trim, "id trim", strings.TrimSpace}, {r.upper, "id upper", strings.ToUpper}} {
		if !remedy.is || isNull(cell) {
			continue
		}
		if next := remedy.apply(cell); next != cell {
			cell = next
			s.changed[remedy.name]++
		}
	}
	if cell == "N/A" {
		s.changed["id null"]++
	}
	if isNull(cell) || strings.TrimSpace(cell) == "" {
		fail("id", "required.empty", "reject")
		return v, false
	}
	v = slowValue{text: cell, has: true}
	if r.idFormat && !regexp.MustCompile(`^[A-Z]{2}[0-9]$`).MatchString(cell) {
		fail("id", "text.format", "reject")
		isBroken = true
	}
	return v, isBroken
}

func (r drawnRules) day(cell string, fail failing) slowValue {
	if cell == "" {
		return slowValue{}
	}
	shapes := map[string][2]string{"dd.MM.yyyy": {`^\d\d\.\d\d\.\d{4}$`, "02.01.2006"},
		"yyyy-MM-dd": {`^\d{4}-\d\d-\d\d$`, "2006-01-02"}, "MM/dd/yyyy": {`^\d\d/\d\d/\d{4}$`, "01/02/2006"}}
	isImpossible := false
	for _, pattern := range r.dates {
		if !regexp.MustCompile(shapes[pattern][0]).MatchString(cell) {
			continue
		}
		day, err := time.Parse(shapes[pattern][1], cell)
		if err != nil {
			isImpossible = true
			continue
		}
		if r.earliest != "" && day.Format(time.DateOnly) < r.earliest {
			fail("day", "range.low", "reject")
		}
		return slowValue{text: day.Format(time.DateOnly), has: true}
	}
	if isImpossible {
		fail("day", "date.impossible", "reject")
	} else {
		fail("day", "date.format", "reject")
	}
	return slowValue{text: cell, has: true, wrong: true}
}

func (r drawnRules) kg(cell string, fail failing) slowValue {
	blank := false
	v := slowWhole(cell, r.group, "kg", func(column, code string) {
		fail(column, code, r.kgAction)
		blank = r.kgAction == "blank"
	})
	if v.has && !v.wrong && r.kgMost > 0 {
		n, _ := new(big.Int).SetString(v.text, 10)
		if n.Cmp(big.NewInt(int64(r.kgMost))) > 0 {
			fail("kg", "range.high", r.kgAction)
			blank = r.kgAction == "blank"
		}
	}
	if blank {
		return slowValue{}
	}
	return v
}

// slowWhole reads a whole number, perhaps with groups of three digits.
func slowWhole(cell, group, column string, fail func(column, code string)) slowValue {
	if cell == "" {
		return slowValue{}
	}
	shape := `^[+-]?[0-9]+$`
	if group != "" {
		shape = `^[+-]?([0-9]+|[1-9][0-9]{0,2}(\.[0-9]{3})+)$`
	}
	if !regexp.MustCompile(shape).MatchString(cell) {
		fail(column, "type.integer")
		return slowValue{text: cell, has: true, wrong: true}
	}
	n, _ := new(big.Int).SetString(strings.ReplaceAll(cell, ".", ""), 10)
	return slowValue{text: n.String(), has: true}
}

func (r drawnRules) pct(cell string, fail failing) slowValue {
	if cell == "" {
		return slowValue{}
	}
	point := `\.`
	if r.comma {
		point = ","
	}
	parts := regexp.MustCompile(`^(-?)0*([0-9]+?)(?:` + point + `([0-9]+))?$`).FindStringSubmatch(cell)
	if parts == nil {
		fail("pct", "type.decimal", "reject")
		return slowValue{text: cell, has: true, wrong: true}
	}
	whole, frac := parts[2], parts[3]
	text := parts[1] + whole
	if r.scaled {
		fits := true
		if len(strings.TrimLeft(whole, "0")) > 3 {
			fail("pct", "number.precision", "reject")
			fits = false
		}
		if len(strings.TrimRight(frac, "0")) > 1 {
			fail("pct", "number.scale", "reject")
			fits = false
		}
		for fits && len(frac) > 1 {
			frac = frac[:len(frac)-1]
		}
	}
	if frac != "" {
		text += "." + frac
	}
	return slowValue{text: text, has: true}
}

func (r drawnRules) truth(cell string, fail failing) slowValue {
	if cell == "" {
		return slowValue{}
	}
	words := map[string]string{"true": "true", "1": "true", "false": "false", "0": "false"}
	if r.germanYes {
		words = map[string]string{"ja": "true", "nein": "false"}
	}
	if text, ok := words[cell]; ok {
		return slowValue{text: text, has: true}
	}
	fail("ok", "type.boolean", "reject")
	return slowValue{text: cell, has: true, wrong: true}
}

// Random targets and mappings over random tables: the judge finds, writes and counts what a
// slow and obvious one does, with one worker and with eight.
func TestTheJudgeIsTheSlowOne(t *testing.T) {
	pools := [][]string{
		{"AA1", "AB2", "aa1", " AA1", "AC3", "AC3 ", "N/A", "n/a", "", "T1", "TA1", "BB9", "zz", "  "},
		{"01.07.2026", "06.07.2026", "31.02.2026", "2026-07-04", "2026-07-09", "07/09/2026", "13/13/2026", "", "x",
			"1.7.2026"},
		{"1000", "1.000", "0.500", "012.345", "1.", "7", "2.500", "999", "1500", "1501", "-3", "+4", "x", "", "1.00",
			"12345678901234567890",
			"007"},
		{"3", "7", "999", "", "x", "1000000"},
		{"12,5", "12.5", "7", "007,10", "-0,25", "1234,5", "12,50", "12.50", "", "x", "3.14", "0"},
		{"true", "false", "ja", "nein", "1", "0", "", "maybe"},
		{"", "note"},
	}
	known := []string{"AA1", "AB2", "TA1", "zz"}
	rapid.Check(t, func(t *rapid.T) {
		r := drawRules(t)
		rows := make([][]string, rapid.IntRange(1, 400).Draw(t, "rows"))
		seed := rapid.SliceOfN(rapid.IntRange(0, 1<<20), 16, 16).Draw(t, "seed")
		for i := range rows {
			for k, pool := range pools {
				rows[i] = append(rows[i], pool[(seed[(i+k)%16]+i*(k+3)+seed[i%16]*k)%len(pool)])
			}
		}
		text := "NO;date;Kg;Tare;pct;ok;note\n"
		for _, cells := range rows {
			text += strings.Join(cells, ";") + "\n"
		}
		want := r.judge(rows, known)
		tg, err := target.Parse([]byte(r.target()))
		require.NoError(t, err, r.target())
		m, err := target.ParseMapping([]byte(r.mapping()))
		require.NoError(t, err, r.mapping())
		tg, err = tg.With(m)
		require.NoError(t, err, r.mapping())
		for _, workers := range []int{1, 8} {
			result, sink := siftSlow(t, tg, text, known, workers, int64(workers/8))
			require.Equal(t, want.tally, result.Tally, "%s%s%s", r.target(), r.mapping(), text)
			var got []string
			for _, cells := range records(t, &sink.Accepted) {
				got = append(got, strings.Join(cells, ","))
			}
			require.Equal(t, fmt.Sprint(want.accepted), fmt.Sprint(got), "%s%s", r.target(), r.mapping())
			var violations []string
			for _, v := range records(t, &sink.Violations) {
				violations = append(violations, v[0]+" "+v[2]+" "+v[3])
			}
			sort.Strings(violations)
			require.Equal(t, fmt.Sprint(want.violations), fmt.Sprint(violations), "%s%s", r.target(), r.mapping())
			changed := map[string]int64{}
			for _, c := range result.Remedies {
				if c.Changed > 0 {
					changed[c.Column+" "+c.Remedy] = c.Changed
				}
			}
			require.Equal(t, want.changed, changed)
			for i, x := range result.Excluded {
				require.Equal(t, want.excluded[i], x.Rows)
			}
			unjudged := int64(0)
			for _, u := range result.Unjudged {
				unjudged += u.Rows
			}
			require.Equal(t, want.unjudged, unjudged)
		}
	})
}

func siftSlow(t require.TestingT, tg *target.Target, text string, known []string, workers int, memory int64) (
	*sift.Result,
	*outcometest.Texts) {
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
	r, err := source.NewReader(strings.NewReader(text), l)
	require.NoError(t, err)
	sink := &outcometest.Texts{}
	s := sift.Run{Source: r, Encoding: l.Encoding, Name: "t.csv", Target: tg, Workers: workers, Outputs: sink.Outputs(),
		Temporary: unnamed, KeyMemory: memory,
		Again: func(context.Context) (source.Source, error) { return source.NewReader(strings.NewReader(text), l) }}
	for i := range tg.ForeignKeys {
		keys, err := source.NewReader(strings.NewReader("id\n"+strings.Join(known, "\n")+"\n"), l)
		require.NoError(t, err)
		read, err := reference.Read(context.Background(), "growers", reference.Columns(tg, &tg.ForeignKeys[i]), keys,
			"utf-8", reference.Room{Memory: cmp.Or(memory, 1<<20), Temporary: unnamed})
		require.NoError(t, err)
		defer read.Close()
		s.Keys = append(s.Keys, read)
	}
	result, err := s.Do(context.Background())
	require.NoError(t, err)
	return result, sink
}
