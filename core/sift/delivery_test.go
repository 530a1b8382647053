package sift_test

import (
	"cmp"
	"context"
	"fmt"
	"math/big"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/reference"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/spill"
	"sieb/core/target"
	"sieb/core/violation"
)

// order is a run over a text, as a test asks for it.
type order struct {
	target, mapping, text string
	name, companion       string
	repeatOf              string
	footer                int
	workers               int
	codes                 []*codes.List
	keyMemory             int64
	known                 []string // keys of each table that is referred to
}

func unnamed() (*os.File, error) { return spill.Unnamed("") }

// sift does the run, and returns what was found as "row column code action: message".
func (o order) sift(t require.TestingT) (*sift.Result, *outcometest.Texts, []string) {
	tg, err := target.Parse([]byte(o.target))
	require.NoError(t, err)
	if o.mapping != "" {
		m, err := target.ParseMapping([]byte(o.mapping))
		require.NoError(t, err)
		tg, err = tg.With(m)
		require.NoError(t, err)
	}
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1, FooterRows: o.footer}
	open := func(context.Context) (source.Source, error) { return source.NewReader(strings.NewReader(o.text), l) }
	rows, err := open(context.Background())
	require.NoError(t, err)
	sink := &outcometest.Texts{}
	s := sift.Run{Source: rows, Again: open, Encoding: l.Encoding, Name: o.name, Target: tg, Workers: o.workers,
		Outputs: sink.Outputs(), RepeatOf: o.repeatOf, Codes: o.codes, Size: int64(len(o.text)),
		Today: time.Date(2026, 7, 31, 0, 0, 0, 0, time.UTC), KeyMemory: o.keyMemory,
		Temporary: unnamed}
	for _, fk := range tg.Constraints() {
		table, err := source.NewReader(strings.NewReader("id\n"+strings.Join(o.known, "\n")+"\n"), l)
		require.NoError(t, err)
		keys, err := reference.Read(context.Background(), fk.Reference.Name(), reference.Columns(tg, &fk), table, "utf-8",
			reference.Room{Memory: cmp.Or(o.keyMemory, 1<<20) / 10, Temporary: unnamed})
		require.NoError(t, err)
		defer keys.Close()
		s.Keys = append(s.Keys, keys)
	}
	if o.companion != "" {
		s.Companion, err = check.ReadCompanion("tickets.ctl", strings.NewReader(o.companion))
		require.NoError(t, err)
	}
	result, err := s.Do(context.Background())
	require.NoError(t, err)
	require.Equal(t, result.Tally.Read, result.Tally.Accepted+result.Tally.Rejected+result.Tally.Excluded)
	require.Len(t, records(t, &sink.Accepted), int(result.Tally.Accepted))
	require.Len(t, records(t, &sink.Rejected), int(result.Tally.Rejected))
	var found []string
	for _, v := range records(t, &sink.Violations) {
		action := ""
		for _, g := range result.Violations {
			if g.Code.String() == v[3] && g.Column == v[2] {
				action = g.Action.String()
			}
		}
		found = append(found, strings.Join(strings.Fields(v[0]+" "+v[2]+" "+v[3]), " ")+" "+action+": "+v[5])
	}
	return result, sink, found
}

const weights = "target: t\ncolumns:\n  - {name: no}\n  - {name: kg, datatype: decimal}\n"

// What a delivery as a whole must be like, each rule held and broken.
func TestRulesOfTheDelivery(t *testing.T) {
	const rows = "no;kg\nA1;10,5\nA2;20\nA3;-0,25\n"
	const comma = "mapping: m\ntarget: t\ncolumns: {kg: {decimalChar: ',', groupChar: '.'}}\n"
	for _, c := range []struct {
		name  string
		order order
		want  []string // nil: nothing is found
	}{
		{"the sum in the footer", order{mapping: comma + "controls: [{sum: kg, in: footer, find: 'Total;([0-9.,]+)'}]\n",
			text: rows + "Total;30,25\n", footer: 1}, nil},
		{"the sum in the footer, without a line end", order{
			mapping: comma + "controls: [{sum: kg, in: footer, find: 'Total;([0-9.,]+)'}]\n",
			text:    rows + "\nTotal;30,25", footer: 2}, nil},
		{"another sum in the footer", order{
			mapping: comma + "controls: [{sum: kg, in: footer, find: 'Total;([0-9.,]+)'}]\n",
			text:    rows + "Total;1.030,25\n", footer: 1},
			[]string{"kg sum.differs refuse: the sum of kg is 30.25, and the footer says 1030.25; ask the sender " +
				"whether rows are missing"}},
		{"a wrong cell in the sum", order{
			mapping: comma + "controls: [{sum: kg, in: footer, find: '[0-9.,]+', onViolation: flag}]\n",
			text:    rows + "A4;x\nTotal;35\n", footer: 1},
			[]string{`4 kg type.decimal reject: "x" is not a number such as 1.234,5`,
				"kg sum.differs flag: the sum of kg is 30.25, and the footer says 35; 1 cell is not in it, since they " +
					"are wrong; ask the sender whether rows are missing"}},
		{"a row that is left out is not in the sum", order{
			mapping: comma + "controls: [{sum: kg, in: footer, find: '[0-9.,]+'}]\n" +
				"exclude: [{condition: no == 'A2'}]\n", text: rows + "Total;10,25\n", footer: 1}, nil},
		{"no footer", order{mapping: comma + "controls: [{sum: kg, in: footer, find: '[0-9.,]+'}]\n", text: rows},
			[]string{"kg sum.differs refuse: the sum of kg cannot be compared: the value stands in the footer, and the " +
				"layout has none: footerRows says how many lines it has"}},
		{"a footer that says nothing", order{mapping: comma + "controls: [{sum: kg, in: footer, find: 'Sum;(.*)'}]\n",
			text: rows + "Total;30,25\n", footer: 1},
			[]string{"kg sum.differs refuse: the sum of kg cannot be compared: the footer holds nothing like Sum;(.*)"}},
		{"a footer that says no number", order{mapping: comma + "controls: [{sum: kg, in: footer, find: 'Total;(.*)'}]\n",
			text: rows + "Total;many\n", footer: 1},
			[]string{`kg sum.differs refuse: the sum of kg cannot be compared: the footer says "many", which is not a ` +
				"number as the column has them"}},
		{"the number of rows in the name", order{
			mapping: comma + "controls: [{count: rows, in: fileName, find: '_([0-9]+)'}]\n", text: rows,
			name: "tickets_3.csv"}, nil},
		{"another number of rows in the name", order{
			mapping: comma + "controls: [{count: rows, in: fileName, find: '_([0-9]+)'}]\n", text: rows,
			name: "tickets_4.csv"},
			[]string{`count.differs refuse: the number of rows is 3, and the name "tickets_4.csv" says 4; ask the ` +
				"sender whether rows are missing"}},
		{"the number of values in a companion file", order{
			mapping:   comma + "controls: [{count: kg, in: companion, find: 'values=([0-9]+)'}]\n",
			companion: "\xef\xbb\xbfrows=4\r\nvalues=3\r\n", text: rows + "A4;\n"}, nil},
		{"a companion file that is not there", order{
			mapping: comma + "controls: [{count: kg, in: companion, find: 'values=([0-9]+)'}]\n", text: rows},
			[]string{"kg count.differs refuse: the number of values of kg cannot be compared: the value stands in a " +
				"companion file, and none was given"}},
		{"a companion file that says another number", order{
			mapping:   comma + "controls: [{count: kg, in: companion, find: 'values=([0-9]+)'}]\n",
			companion: "values=30", text: rows},
			[]string{"kg count.differs refuse: the number of values of kg is 3, and tickets.ctl says 30; ask the sender " +
				"whether rows are missing"}},
		{"the form of the name", order{mapping: comma + "fileName: {format: 'tickets_[0-9]+\\.csv'}\n", text: rows,
			name: "tickets_1.csv"}, nil},
		{"another name", order{mapping: comma + "fileName: {format: 'tickets_[0-9]+\\.csv'}\n", text: rows,
			name: "tickets_1.csv.csv"},
			[]string{`file.name refuse: the file is named "tickets_1.csv.csv", which does not have the form ` +
				`tickets_[0-9]+\.csv; is it the right file?`}},
		{"a name with a date that is none", order{
			mapping: comma + "fileName: {format: '[a-z]+_([0-9]{8})\\.csv', date: yyyyMMdd, onViolation: flag}\n",
			text:    rows, name: "tickets_20260231.csv"},
			[]string{`file.name flag: the name "tickets_20260231.csv" holds "20260231" where a date like 20260731 is ` +
				"expected"}},
		{"the first delivery of its bytes", order{mapping: comma + "repeats: refuse\n", text: rows}, nil},
		{"a repeat that is refused", order{mapping: comma + "repeats: refuse\n", text: rows, repeatOf: "a.csv on 2026-07-30"},
			[]string{"delivery.repeat refuse: the same bytes arrived before, as a.csv on 2026-07-30; ask the sender for " +
				"the new file"}},
		{"a repeat that is flagged", order{mapping: comma + "repeats: flag\n", text: rows, repeatOf: "a.csv on 2026-07-30"},
			[]string{"delivery.repeat flag: the same bytes arrived before, as a.csv on 2026-07-30"}},
		{"a repeat that nobody minds", order{mapping: comma, text: rows, repeatOf: "a.csv on 2026-07-30"}, nil},
	} {
		for _, workers := range []int{1, 8} {
			c.order.target, c.order.workers = weights, workers
			result, _, found := c.order.sift(t)
			if c.want == nil {
				c.want = []string{}
			}
			assert.Equal(t, c.want, append([]string{}, found...), c.name)
			refuses := slices.ContainsFunc(c.want, func(w string) bool { return strings.Contains(w, " refuse: ") })
			assert.Equal(t, refuses, result.Verdict == sift.Refused, c.name)
		}
	}
}

// The day that the name holds is a date of conditions; without one they are not judged.
func TestTheDateInTheName(t *testing.T) {
	o := order{target: "target: t\ncolumns: [{name: day, datatype: date}]\nrowRules:\n" +
		"  - {name: not after the file, condition: day <= fileDate}\n", mapping: "mapping: m\ntarget: t\n" +
		"fileName: {format: 'x-(?P<site>[a-z]+)-(?P<date>[0-9.]+)\\.csv', date: dd.MM.yyyy}\n",
		text: "day\n2026-07-30\n2026-07-31\n", name: "x-ahrensee-30.07.2026.csv"}
	_, _, found := o.sift(t)
	assert.Equal(t, []string{`2 not after the file rule.failed reject: the rule "not after the file" does not hold: ` +
		"day is 2026-07-31, fileDate is 2026-07-30"}, found)

	o.mapping = ""
	result, _, found := o.sift(t)
	assert.Empty(t, found)
	assert.Equal(t, []sift.Unjudged{{Rule: "not after the file", Rows: 2}}, result.Unjudged)
}

// Each allowed value must occur, in a row that is not left out; a wrong value is none of them.
func TestAllValuesOccur(t *testing.T) {
	sites, err := codes.Parse(t.Context(), "sites", []byte("site,label\nA,Ahrensee\nB,\"Brunn, thal\"\nC,Colmitz\n"))
	require.NoError(t, err)
	for _, c := range []struct{ column, rows, want string }{
		{"oneOf: {codes: sites}, complete: true", "A;B;C", ""},
		{"oneOf: {codes: sites}, complete: true", "A;C;A", "site value.absent refuse: 1 of 3 values that must be there " +
			"does not occur in the delivery: B"},
		{"oneOf: {codes: sites, strict: false}, complete: true", "a; b;c", ""},
		{"oneOf: [x, 'y,z'], complete: true", "x;y,z", ""},
		{"oneOf: [x, 'y,z'], complete: true, onViolation: {value.absent: flag}", "x;x",
			"site value.absent flag: 1 of 2 values that must be there does not occur in the delivery: y,z"},
		{"datatype: decimal, oneOf: [1.50, 2, 3], complete: true", "1.5;2.0;2",
			"site value.absent refuse: 1 of 3 values that must be there does not occur in the delivery: 3"},
		{"datatype: date, oneOf: [2026-07-30, 2026-07-31], complete: true", "2026-07-31;leave",
			"2 site date.format reject: \"leave\" is not a date like 2026-07-31 (yyyy-MM-dd)|" +
				"site value.absent refuse: 1 of 2 values that must be there does not occur in the delivery: 2026-07-30"},
		{"oneOf: [x, leave], complete: true", "x;leave",
			"site value.absent refuse: 1 of 2 values that must be there does not occur in the delivery: leave"},
	} {
		o := order{target: "target: t\ncolumns: [{name: site, " + c.column + "}]\nexclude: [{condition: site == 'leave'}]\n",
			text: "site\n" + strings.ReplaceAll(c.rows, ";", "\n") + "\n", codes: []*codes.List{sites}}
		if strings.Contains(c.column, "datatype") {
			o.target = "target: t\ncolumns: [{name: site, " + c.column + "}]\n"
		}
		if !strings.Contains(c.column, "codes") {
			o.codes = nil
		}
		_, _, found := o.sift(t)
		assert.Equal(t, c.want, strings.Join(found, "|"), c.column+" "+c.rows)
	}
}

// The label of a code, and texts made of it.
func TestLabelsOfCodes(t *testing.T) {
	sites, err := codes.Parse(t.Context(), "sites", []byte("site,label\nA,Ahrensee\nB,\n"))
	require.NoError(t, err)
	o := order{target: "target: t\ncolumns: [{name: site}, {name: name, derive: 'label(\"sites\", site)'}]\n",
		text: "site\nA\nB\nX\n", codes: []*codes.List{sites}}
	_, sink, found := o.sift(t)
	assert.Equal(t, "site,name\nA,Ahrensee\nB,B\n", sink.Accepted.String())
	assert.Equal(t, []string{`3 name derive.failed reject: the value cannot be computed: "X" is no code of sites; it is ` +
		`computed from site "X"`}, found)
}

// Cells that hold lists: each value is judged, and the list is written with the separator of
// the target.
func TestLists(t *testing.T) {
	for _, c := range []struct{ column, habit, cell, want string }{
		{"separator: '|'", "", "a | b|c", "a|b|c"},
		{"separator: '|'", "separator: ', '", `"a, b, c"`, "a|b|c"},
		{"separator: ','", "", `"a, b"`, `"a,b"`},
		{"separator: '|'", "", "", ""},
		{"separator: '|', null: [-]", "", "-", ""},
		{"separator: '|', datatype: decimal, precision: 4, scale: 1", "decimalChar: ','", "1,50|-2", "1.5|-2"},
		{"separator: '|', datatype: date", "format: dd.MM.yyyy", "30.07.2026|31.07.2026", "2026-07-30|2026-07-31"},
		{"separator: '|', datatype: boolean", "format: y|n", "y|n|y", "true|false|true"},
		{"separator: '|', datatype: integer", "", "1|x|y", `! type.integer "1|x|y" has an entry that is wrong: "x" is ` +
			"not a whole number"},
		{"separator: '|', datatype: integer, maximum: 5", "", "1|6", `! range.high "1|6" has an entry that is wrong: ` +
			`"6" is above the maximum 5`},
		{"separator: '|', oneOf: [a, b]", "", "a|c", `! value.unknown "a|c" has an entry that is wrong: "c" is not one ` +
			"of a, b"},
		{"separator: '|', datatype: integer", "", "1|", `! type.integer "1|" has an entry that is wrong: "" is not a ` +
			"whole number"},
		{"separator: '|', datatype: integer, onViolation: blank", "", "1|x", ""},
		{"separator: '|', maxLength: 2", "", "ab|abc", `! text.long "ab|abc" has an entry that is wrong: "abc" has 3 ` +
			"characters, at most 2 fit"},
		{"separator: '|', required: true", "", "", "! required.empty the cell is empty, and a value is required"},
		{"separator: '|', datatype: integer, default: '1|2'", "", "", "1|2"},
	} {
		o := order{target: "target: t\ncolumns: [{name: n}, {name: l, " + c.column + "}]\n", text: "n;l\n1;" + c.cell + "\n"}
		if c.habit != "" {
			o.mapping = "mapping: m\ntarget: t\ncolumns: {l: {" + c.habit + "}}\n"
		}
		_, sink, found := o.sift(t)
		got := strings.TrimSuffix(strings.TrimPrefix(sink.Accepted.String(), "n,l\n1,"), "\n")
		if len(found) > 0 && strings.HasPrefix(c.want, "!") {
			_, code, _ := strings.Cut(found[0], "1 l ")
			code, message, _ := strings.Cut(code, " ")
			_, message, _ = strings.Cut(message, ": ")
			got = "! " + code + " " + message
		}
		assert.Equal(t, c.want, got, c.column+" "+c.cell)
	}
}

// A list is a text to conditions and to keys.
func TestListsAsTexts(t *testing.T) {
	o := order{target: "target: t\ncolumns: [{name: l, separator: '|', unique: true, datatype: integer}]\n" +
		"rowRules: [{name: begins, condition: l.startsWith('1')}]\n", text: "l\n1|2\n1 | 2\n2\n"}
	_, _, found := o.sift(t)
	assert.Equal(t, []string{`2 l key.duplicate reject: "1 | 2" is already in row 1 (line 2), which is kept`,
		`3 begins rule.failed reject: the rule "begins" does not hold: l is 2`}, found)
}

// A date and time that must say its zone.
func TestZones(t *testing.T) {
	o := order{target: "target: t\ncolumns: [{name: at, datatype: dateTimeStamp}]\n",
		text: "at\n2026-07-31T14:05:00Z\n2026-07-31T14:05:00+02:00\n2026-07-31T14:05:00\n"}
	_, sink, found := o.sift(t)
	assert.Equal(t, "at\n2026-07-31T14:05:00Z\n2026-07-31T14:05:00+02:00\n", sink.Accepted.String())
	require.Len(t, found, 1)
	assert.Contains(t, found[0], `3 at date.format reject: "2026-07-31T14:05:00" is not a date and time with a zone, `+
		"such as +02:00 or Z, like ")
}

// A value that does not follow the one before, over the ends of batches and blocks.
func TestOrder(t *testing.T) {
	for _, c := range []struct{ column, values, want string }{
		{"ordered: ascending", "a b b c", ""},
		{"ordered: ascending", "b a c", `2 n order.broken flag: "a" comes after "b" in row 1 (line 2), and is below it`},
		{"datatype: integer, ordered: ascending", "2 10 9 11",
			`3 n order.broken flag: "9" comes after "10" in row 2 (line 3), and is below it`},
		{"datatype: integer, ordered: ascending", "2 x - 1",
			`2 n type.integer reject: "x" is not a whole number|4 n order.broken flag: "1" comes after "2" in row 1 ` +
				"(line 2), and is below it"},
		{"datatype: integer, ordered: consecutive", "9 10 12",
			`3 n order.broken flag: "12" comes after "10" in row 2 (line 3), and does not follow it`},
		{"datatype: date, ordered: consecutive", "2026-02-28 2026-03-01 2026-03-03",
			`3 n order.broken flag: "2026-03-03" comes after "2026-03-01" in row 2 (line 3), and does not follow it`},
		{"ordered: consecutive", "AH-0099 AH-0100 BR-0101",
			`3 n order.broken flag: "BR-0101" comes after "AH-0100" in row 2 (line 3), and does not follow it`},
		{"datatype: integer, ordered: ascending, onViolation: {order.broken: reject}, unique: true", "5 3 3",
			`2 n order.broken reject: "3" comes after "5" in row 1 (line 2), and is below it`},
		{"datatype: integer, ordered: ascending, message: sort the file", "5 3", "2 n order.broken flag: sort the file"},
	} {
		o := order{target: "target: t\ncolumns: [{name: n, null: ['-'], " + c.column + "}, {name: w, value: w}]\n",
			text: "n\n" + strings.ReplaceAll(c.values, " ", "\n") + "\n"}
		_, _, found := o.sift(t)
		assert.Equal(t, c.want, strings.Join(found, "|"), c.column+" "+c.values)
	}
}

// Random columns in order: each break is found, and nothing else, however the rows fall
// into batches and blocks.
func TestOrderIsTheSlowOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 3000).Draw(t, "rows")
		breaks := rapid.SliceOfN(rapid.IntRange(0, n-1), 0, 5).Draw(t, "breaks")
		wide := strings.Repeat("x", rapid.SampledFrom([]int{0, 400}).Draw(t, "wide"))
		var text strings.Builder
		text.WriteString("n;w\n")
		value, last := 1000, 0
		var want []string
		for i := range n {
			value++
			if slices.Contains(breaks, i) {
				value += 7
			}
			if i%5 == 3 {
				text.WriteString(";" + wide + "\n")
				value--
				continue
			}
			fmt.Fprintf(&text, "%d;%s\n", value, wide)
			if last > 0 && value != last+1 {
				want = append(want, fmt.Sprint(i+1))
			}
			last = value
		}
		for _, workers := range []int{1, 8} {
			_, _, found := order{target: "target: t\ncolumns: [{name: n, datatype: integer, ordered: consecutive}, {name: w}]\n",
				text: text.String(), workers: workers}.sift(t)
			var got []string
			for _, f := range found {
				row, _, _ := strings.Cut(f, " ")
				got = append(got, row)
			}
			require.Equal(t, want, got)
		}
	})
}

// Which of the rows that repeat one another is kept: the first, the last or none; told by
// key, by all values, or both, over rows that are rejected and left out.
func TestWhichRepeatIsKept(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		keep := rapid.SampledFrom([]string{"first", "last", "none"}).Draw(t, "keep")
		unique := rapid.Bool().Draw(t, "key")
		rows := rapid.SampledFrom([]string{"", ", rows: true", ", rows: true, onViolation: flag"}).Draw(t, "rows")
		drawn := rapid.SliceOfN(rapid.SampledFrom([]string{"a;1", "a;2", "b;1", "b;x", "c;9", ";1", ";1", "d;"}), 1,
			200).Draw(t, "delivery")
		text := "k;v\n" + strings.Join(drawn, "\n") + "\n"
		key := ""
		if unique {
			key = ", unique: true"
		}
		tg := "target: t\ncolumns: [{name: k" + key + "}, {name: v, datatype: integer}]\n" +
			"exclude: [{condition: v == 9}]\nrepeated: {keep: " + keep + rows + "}\n"

		// The slow way: the rows that are right by themselves, and which of them go together.
		isRight := func(row string) bool { return !strings.HasSuffix(row, "x") && !strings.HasSuffix(row, "9") }
		survives := func(i int, same func(a, b string) bool) bool {
			for k, other := range drawn {
				if k == i || !isRight(other) || !same(drawn[i], other) {
					continue
				}
				if keep == "none" || keep == "first" && k < i || keep == "last" && k > i {
					return false
				}
			}
			return true
		}
		sameKey := func(a, b string) bool {
			ka, _, _ := strings.Cut(a, ";")
			kb, _, _ := strings.Cut(b, ";")
			return unique && ka == kb && ka != ""
		}
		sameRow := func(a, b string) bool { return rows == ", rows: true" && a == b }
		var want []string
		for i, row := range drawn {
			if isRight(row) && survives(i, sameKey) && survives(i, sameRow) {
				want = append(want, strings.ReplaceAll(row, ";", ","))
			}
		}
		for _, workers := range []int{1, 8} {
			_, sink, found := order{target: tg, text: text, workers: workers}.sift(t)
			got := strings.Split(strings.TrimSuffix(sink.Accepted.String(), "\n"), "\n")[1:]
			require.Equal(t, append([]string{}, want...), got, "%s%s%v", tg, text, found)
		}
	})
}

// What a row is told of the rows that it repeats.
func TestRepeatsAreNamed(t *testing.T) {
	for keep, want := range map[string][]string{
		"first": {`2 k key.duplicate reject: "a" is already in row 1 (line 2), which is kept`,
			"3 row.repeated reject: all values of the row are those of row 1 (line 2), which is kept"},
		"last": {`1 row.repeated reject: all values of the row are those of row 3 (line 4)`, // itself not always kept
			`2 k key.duplicate reject: "a" is again in row 3 (line 4)`},
		"none": {"1 row.repeated reject: all values of the row are those of row 3 (line 4); of such rows none is kept",
			`2 k key.duplicate reject: "a" is also in row 1 (line 2); of such rows none is kept`,
			"3 row.repeated reject: all values of the row are those of row 1 (line 2); of such rows none is kept"},
	} {
		result, _, found := order{target: "target: t\ncolumns: [{name: k, unique: true}, {name: v}]\nrepeated: {keep: " +
			keep + ", rows: true}\n", text: "k;v\na;1\na;2\na;1\nb;1\n"}.sift(t)
		assert.Equal(t, want, found, keep)
		read := result.Tally.Read
		assert.EqualValues(t, 4, read)
	}
}

// Of one key the last row is kept, and a bad row behind it repeats it all the same.
func TestTheLastIsKept(t *testing.T) {
	_, _, found := order{target: "target: t\ncolumns: [{name: k, unique: true}, {name: n, datatype: integer}]\n" +
		"repeated: {keep: last}\n", text: "k;n\na;1\na;2\na;x\n"}.sift(t)
	assert.Equal(t, []string{`1 k key.duplicate reject: "a" is again in row 2 (line 3), which is kept`,
		`3 n type.integer reject: "x" is not a whole number`,
		`3 k key.duplicate reject: "a" is also in row 2 (line 3), which is kept`}, found)
}

// A delivery that can be read only once cannot tell which row is the last.
func TestTheLastNeedsASecondReading(t *testing.T) {
	tg, err := target.Parse([]byte("target: t\ncolumns: [{name: k, unique: true}]\nrepeated: {keep: last}\n"))
	require.NoError(t, err)
	rows, err := source.NewReader(strings.NewReader("k\na\n"), layout.Layout{Form: "delimited", Encoding: "utf-8",
		Delimiter: ";", HeaderRows: 1})
	require.NoError(t, err)
	_, err = (&sift.Run{Source: rows, Target: tg, Outputs: (&outcometest.Texts{}).Outputs()}).Do(t.Context())
	assert.ErrorContains(t, err, "can be read only once")
}

// Sums of any numbers are exact: long, short, of many scales, over many batches.
func TestSumsAreExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		numbers := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) string {
			n := rapid.Int64Range(-1e15, 1e15).Draw(t, "n")
			text := strconv.FormatInt(n, 10) + strings.Repeat("7", rapid.SampledFrom([]int{0, 0, 0, 9}).Draw(t, "long"))
			if k := rapid.IntRange(0, 10).Draw(t, "scale"); k > 0 {
				text += "." + fmt.Sprintf("%0*d", k, rapid.Int64Range(0, 9).Draw(t, "frac"))
			}
			return text
		}), 1, 300).Draw(t, "numbers")
		sum := new(big.Rat)
		for _, n := range numbers {
			r, ok := new(big.Rat).SetString(n)
			require.True(t, ok)
			sum.Add(sum, r)
		}
		o := order{target: weights + "controls: [{sum: kg, in: fileName, find: '(.+)'}]\n", name: sum.FloatString(10),
			text: "no;kg\n;" + strings.Join(numbers, "\n;") + "\n", workers: 4}
		_, _, found := o.sift(t)
		require.Empty(t, found)
		o.name = sum.Add(sum, big.NewRat(1, 1e10)).FloatString(10)
		result, _, _ := o.sift(t)
		require.Equal(t, violation.SumDiffers, result.Violations[0].Code)
	})
}
