package condition

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/value"
)

var ticket = []Column{{"ticket_no", value.String}, {"net_kg", value.Integer}, {"gross_kg", value.Integer},
	{"tare_kg", value.Integer}, {"moisture", value.Decimal}, {"weighed_on", value.Date}, {"at", value.DateTime},
	{"organic", value.Boolean}, {"ratio", value.Double}, {"grower-no", value.String}}

// valuesOf reads the values of a program's variables from canonical texts.
func valuesOf(p *Program, texts map[string]string) Block {
	vars := make(Block, len(p.Variables))
	for i := range vars {
		vars[i] = make([]Value, 1)
	}
	for i, v := range p.Variables {
		switch v.Origin {
		case OfColumn:
			vars[i][0].Read(find(ticket, v.Name).Datatype, []byte(texts[v.Name]))
		case OfCell:
			vars[i][0] = TextOf([]byte(texts["cell "+v.Name]))
		case OfRow:
			vars[i][0] = Whole(7)
		case OfLine:
			vars[i][0] = Whole(9)
		case OfFile:
			vars[i][0] = TextOf([]byte("weighbridge-ahrensee-2026-07.csv"))
		case OfToday:
			vars[i][0] = MomentOf(time.Date(2026, 7, 31, 0, 0, 0, 0, time.UTC))
		}
	}
	return vars
}

var load = map[string]string{"ticket_no": "AH-000123", "net_kg": "12500", "gross_kg": "20000", "tare_kg": "7500",
	"moisture": "14.5", "weighed_on": "2026-07-19", "at": "2026-07-19T14:05:30.5+02:00", "organic": "true",
	"ratio": "2.5E-1", "grower-no": "0042", "cell Ticket No.": " ah-000123", "cell Name": "Anna Maria Beispiel"}

func TestEvaluate(t *testing.T) {
	for text, want := range map[string]string{
		"net_kg == gross_kg - tare_kg": "true",
		"12.1 == 9.3 + 2.8":            "true",
		"0.1 + 0.2":                    "0.3",
		"moisture * 2":                 "29",
		"net_kg / 3":                   "4166.6666666666666667",
		"round(net_kg / 3, 1)":         "4166.7",
		"round(2.5, 0)":                "3",
		"-net_kg + 0.05":               "-12499.95",
		"0.001 - 0.002":                "-0.001",
		"net_kg % 7":                   "5",
		"7 / 2 == 3.5":                 "true",
		"net_kg * (1 / 2)":             "6250",
		"abs(-5) + round(7, 2)":        "12",
		"9223372036854775807 + 1":      "9223372036854775808",
		"5u + 1":                       "6",
		"int(\"7\") / 2 + double(\"0.5\") + uint(1)":                    "5",
		`size(ticket_no) / 2`:                                           "4.5",
		`ticket_no.substring(0, size(ticket_no) - 1)`:                   "AH-00012",
		`ticket_no.indexOf("-") + 0.5`:                                  "2.5",
		`[10, 20, 30][row - 5]`:                                         "30",
		`{1: "one", 7: "seven"}[row]`:                                   "seven",
		`{"a": 1, "AH-000123": 2.5}[ticket_no]`:                         "2.5",
		`weighed_on.getFullYear() / 4`:                                  "506.5",
		`weighed_on + days(row * 2)`:                                    "2026-08-02T00:00:00",
		`"%s of %s, %s".format([string(row), ticket_no, "a"])`:          "7 of AH-000123, a",
		`["a", "b"].join("-").replace("-", "+")`:                        "a+b",
		"[1, 2, 3].map(k, k * 2)[1] + row":                              "11",
		"[1, 2, 2].exists_one(k, k == 1)":                               "true",
		"timestamp(0) < weighed_on":                                     "true",
		"net_kg > 12000 && net_kg < 13000":                              "true",
		"1 in [1, 2.5, 12500]":                                          "true",
		"1 in [1, 2, 12500]":                                            "true",
		"net_kg in [1, 12500, 3]":                                       "true",
		`ticket_no in ["AH-000123"]`:                                    "true",
		`ticket_no.startsWith("AH") || moisture > 50`:                   "true",
		"organic ? moisture : 0":                                        "14.5",
		"!organic":                                                      "false",
		`!(organic) || ticket_no.endsWith("3")`:                         "true",
		"weighed_on.getDayOfWeek() != 0":                                "false", // a Sunday
		`weighed_on >= date("2026-01-01") && weighed_on <= today`:       "true",
		"weighed_on + days(30)":                                         "2026-08-18T00:00:00",
		"today - weighed_on > days(11)":                                 "true",
		`at == date("2026-07-19T12:05:30.5Z")`:                          "true",
		`date("31.12.2026", "dd.MM.yyyy")`:                              "2026-12-31T00:00:00",
		"has(net_kg)":                                                   "true",
		`cell("Ticket No.").trim().upperAscii()`:                        "AH-000123",
		`cell("Name").split(" ")[0] + " " + cell("Name").split(" ")[2]`: "Anna Beispiel",
		`"row " + string(row) + " in line " + string(line)`:             "row 7 in line 9",
		"1000 + row * 10":                                               "1070",
		`extract(fileName, "-([0-9]{4}-[0-9]{2})")`:                     "2026-07",
		"string(moisture)":                                              "14.5",
		"ratio * 4 == 1":                                                "true",
		`column("grower-no") == "0042"`:                                 "true",
		`number("12345678901234567890.1") + net_kg`:                     "12345678901234580390.1",
		"row % 2 == 1":                                                  "true",
		"[1, 2, 3].exists(k, k == 2)":                                   "true",
		"size(ticket_no) == 9":                                          "true",
		"[net_kg, gross_kg].all(k, k > 100)":                            "true",
	} {
		p, err := Compile(text, ticket)
		if !assert.NoError(t, err, text) {
			continue
		}
		vars := valuesOf(p, load)
		got := p.Evaluate(vars, 0, new([]byte))
		assert.Equal(t, want, string(got.Append(nil, false)), text)
		slow := p.ask(vars, 0)
		assert.Equal(t, want, string(slow.Append(nil, false)), "%s, by the library", text)
	}
}

func TestMissingValues(t *testing.T) {
	few := map[string]string{"gross_kg": "20000"}
	for text, want := range map[string]Kind{
		"net_kg == gross_kg - tare_kg":                                Missing,
		"net_kg > 5 || gross_kg > 5":                                  Truth, // as in CEL, one side decides
		"net_kg > 5 || gross_kg > 50000":                              Missing,
		"net_kg > 5 && gross_kg > 50000":                              Truth,
		"net_kg > 5 && gross_kg > 5":                                  Missing,
		"gross_kg > 5 ? gross_kg : net_kg":                            Number,
		"gross_kg > 5 ? net_kg : gross_kg":                            Missing,
		"[1, 20000].exists(k, k == gross_kg || k == net_kg)":          Truth,
		"size(ticket_no) > 5 || gross_kg > 5":                         Truth,
		"net_kg / 0 > 5 || gross_kg > 5":                              Truth,
		"net_kg in [1, 2]":                                            Missing,
		`string(net_kg) + ticket_no == ""`:                            Missing,
		"has(net_kg)":                                                 Truth,
		"!has(net_kg) || net_kg > 5":                                  Truth,
		"has(net_kg) ? net_kg : gross_kg":                             Number,
		"has(net_kg) && has(tare_kg) && net_kg == gross_kg - tare_kg": Truth,
		"has(net_kg) || net_kg > 5":                                   Missing, // asked, and used all the same
	} {
		p, err := Compile(text, ticket)
		require.NoError(t, err, text)
		got := p.Evaluate(valuesOf(p, few), 0, new([]byte))
		assert.Equal(t, want, got.Kind, "%s: %s", text, got.Text)
	}
	for text, want := range map[string]Value{"has(net_kg)": truthValue(true), "has(net_kg) && net_kg > 5": {},
		"!has(net_kg) || net_kg > 5": {}, "!has(net_kg) && net_kg > 5": truthValue(false)} {
		p, err := Compile(text, ticket)
		require.NoError(t, err)
		wrong := Block{{{Kind: Wrong}}}
		assert.Equal(t, want, p.Evaluate(wrong, 0, nil), "%s: a wrong value is there, and no number", text)
		assert.Equal(t, want, p.ask(wrong, 0), "%s, by the library", text)
	}
}

func TestFailures(t *testing.T) {
	for text, want := range map[string]string{
		`cell("Name").split(" ")[7]`:                 "index",
		`number(cell("Name"))`:                       "is not a number",
		`date(cell("Name"))`:                         "is not a date",
		"net_kg / (gross_kg - gross_kg)":             "division by zero",
		`extract(fileName, "x(y)")`:                  "holds nothing like",
		`number("1e900") * number("1e900") > net_kg`: "more than 1000 digits",
	} {
		p, err := Compile(text, ticket)
		require.NoError(t, err, text)
		got := p.Evaluate(valuesOf(p, load), 0, new([]byte))
		assert.Equal(t, Wrong, got.Kind, text)
		assert.Contains(t, string(got.Text), want, text)
	}
}

func TestErrors(t *testing.T) {
	for text, want := range map[string]string{
		"":                             "empty",
		"net_kg ==":                    "it ends too early",
		"net_kg == 5 5":                `"5" is not expected here`,
		"nett_kg > 5":                  `there is no column "nett_kg"; there are ticket_no, net_kg`,
		"net_kg > ticket_no":           "'>' cannot be applied to (number, string)",
		`cell(ticket_no) == ""`:        "cell takes the header",
		"has(nett_kg)":                 `there is no column "nett_kg"`,
		"has(1 + 2)":                   "has takes the name of a column",
		`column("x") == ""`:            `there is no column "x"`,
		"net_kg + 1":                   "the result is a number: it must be true or false",
		"[1, 2]":                       "it must be true or false",
		"net_kg > 1.23456789012345678": "more than 15 digits",
		strings.Repeat("(", 100) + "true" + strings.Repeat(")", 100): "",
		strings.Repeat("x", 5000):                                    "5000 bytes long",
		"true && 'a":                                                 "",
		`"%.900000000f".format([0.5]) == ""`:                         "exceeds maximum allowed precision",
		`"%d".format([row]) == ""`:                                   "write numbers into it with string( )",
	} {
		_, err := Compile(text, ticket, Truth)
		require.Error(t, err, text)
		var e *Error
		require.ErrorAs(t, err, &e, text)
		assert.Contains(t, e.Message, want, text)
		assert.Positive(t, e.Line)
		assert.Positive(t, e.Column)
	}
	_, err := Compile("net_kg > 1 &&\n  nett_kg > 2", ticket, Truth)
	var e *Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, [2]int{2, 3}, [2]int{e.Line, e.Column})
}

// The native functions give what the library gives, for random conditions over random
// rows.
func TestNativeIsTheLibrary(t *testing.T) {
	number := rapid.SampledFrom([]string{"net_kg", "gross_kg", "tare_kg", "moisture", "ratio", "0", "1", "2.5", "-3",
		"12500", "0.05", "99999999999999", "size(ticket_no)", "abs(moisture)", "round(ratio, 1)", "round(moisture, 3)",
		"weighed_on.getDayOfWeek()", "at.getHours()", "weighed_on.getFullYear()", "at.getDayOfYear()",
		"weighed_on.getMonth()",
		"at.getDate()", "at.getSeconds()", "0.000000000000000007", "-1000000000000000"})
	text := rapid.SampledFrom([]string{"ticket_no", `"AH-000123"`, `""`, `"B"`, `column("grower-no")`, `cell("Name")`,
		`cell("Name").trim()`, "ticket_no.substring(0, 2)", "ticket_no.substring(1)", `cell("Name").substring(1, 2).trim()`,
		`extract(ticket_no, "([A-Z])-?")`})
	day := rapid.SampledFrom([]string{"weighed_on", "at", "today", `date("2026-07-19")`, "weighed_on + days(3)",
		"at - days(net_kg)", `date("9999-12-30") + days(gross_kg)`, "today + days(-7)"})
	compare := rapid.SampledFrom([]string{"==", "!=", "<", "<=", ">", ">="})
	var sum func(depth int) *rapid.Generator[string]
	sum = func(depth int) *rapid.Generator[string] {
		return rapid.Custom(func(t *rapid.T) string {
			if depth == 0 || rapid.Bool().Draw(t, "leaf") {
				return number.Draw(t, "number")
			}
			return "(" + sum(depth-1).Draw(t, "left") + rapid.SampledFrom([]string{" + ", " - ", " * ", " / ", " % "}).Draw(t,
				"op") +
				sum(depth-1).Draw(t, "right") + ")"
		})
	}
	var truth func(depth int) *rapid.Generator[string]
	truth = func(depth int) *rapid.Generator[string] {
		return rapid.Custom(func(t *rapid.T) string {
			most := 6
			if depth > 0 {
				most = 10
			}
			switch rapid.IntRange(0, most).Draw(t, "shape") {
			case 0, 1:
				return sum(2).Draw(t, "left") + " " + compare.Draw(t, "op") + " " + sum(2).Draw(t, "right")
			case 2:
				return text.Draw(t, "left") + " " + compare.Draw(t, "op") + " " + text.Draw(t, "right")
			case 3:
				return day.Draw(t, "left") + " " + compare.Draw(t, "op") + " " + day.Draw(t, "right")
			case 4:
				return sum(1).Draw(t, "of") + ` in [1, 2.5, 12500]`
			case 5:
				return text.Draw(t, "of") + ` in ["", "AH-000123"]`
			case 6:
				return rapid.SampledFrom([]string{"organic", "has(net_kg)", "has(moisture)", "has(weighed_on)",
					`ticket_no.startsWith("AH")`, `ticket_no.contains(cell("Name"))`,
					`ticket_no.matches("[0-9]+$")`, `cell("Name").matches("^.$")`, `column("grower-no").matches("B*")`}).Draw(t,
					"plain")
			case 7:
				return "(" + truth(depth-1).Draw(t, "a") + " && " + truth(depth-1).Draw(t, "b") + ")"
			case 8:
				return "(" + truth(depth-1).Draw(t, "a") + " || " + truth(depth-1).Draw(t, "b") + ")"
			case 9:
				return "!(" + truth(depth-1).Draw(t, "a") + ")"
			}
			return "(" + truth(depth-1).Draw(t, "a") + " ? " + truth(depth-1).Draw(t, "b") + " : " +
				truth(depth-1).Draw(t, "c") + ")"
		})
	}
	counts := map[bool]int{}
	rapid.Check(t, func(t *rapid.T) {
		source := truth(3).Draw(t, "condition")
		p, err := Compile(source, ticket, Truth)
		require.NoError(t, err, source)
		texts := map[string]string{}
		for name, of := range map[string][]string{
			"net_kg":   {"", "0", "12500", "-7", "999999999999999999", "123456789012345678901234567890"},
			"gross_kg": {"20000", "-1", ""}, "tare_kg": {"7500", "000", ""}, "moisture": {"14.50", "2.5", "",
				"0.000000000000000001"},
			"ratio": {"2.5E-1", "3", "INF", ""}, "ticket_no": {"AH-000123", "", "B", `"a ""b"" c"`},
			"grower-no": {"", "B"}, "weighed_on": {"", "2026-07-19", "2026-07-31"}, "organic": {"true", "false", ""},
			"at": {"2026-07-19T00:00:00", "2026-07-19T14:05:30.5+02:00", ""}, "cell Name": {"", "B", "AH", " ä\u00a0", "x\xff"},
		} {
			texts[name] = rapid.SampledFrom(of).Draw(t, name)
		}
		vars := valuesOf(p, texts)
		fast := p.Evaluate(vars, 0, new([]byte))
		counts[p.truth != nil]++
		slow := p.ask(vars, 0)
		if !p.branch && !p.isComplete(vars, 0) {
			require.Equal(t, Missing, fast.Kind, source)
			return
		}
		if slow.Kind == Wrong && fast.Kind == Missing {
			return // what cannot be computed stands beside what is missing: no result either way
		}
		require.Equal(t, slow.Kind, fast.Kind, "%s: %s / %s", source, slow.Text, fast.Text)
		require.Equal(t, slow.Units, fast.Units, source)
		holds, isJudged := p.Holds(vars, 0)
		require.Equal(t, [2]bool{fast.Kind == Truth && fast.Units != 0, fast.Kind == Truth},
			[2]bool{holds && isJudged, isJudged})
	})
	assert.Positive(t, counts[true])
}

func TestReadAppend(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`-?(0|[1-9][0-9]{0,20})(\.[0-9]{1,20})?`).Draw(t, "number")
		var v Value
		v.Read(value.Decimal, []byte(text))
		require.Equal(t, Number, v.Kind)
		want := text
		if !v.Long {
			if strings.Contains(want, ".") {
				want = strings.TrimSuffix(strings.TrimRight(want, "0"), ".")
			}
			if want == "-0" {
				want = "0"
			}
		}
		require.Equal(t, want, string(v.Append(nil, false)))
	})
}

func FuzzCompile(f *testing.F) {
	for _, text := range []string{"net_kg == gross_kg - tare_kg", `cell("x") in ["a"]`, "has(at) ? at > today : true",
		"((("} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		p, err := Compile(text, ticket)
		if err != nil {
			var e *Error
			require.ErrorAs(t, err, &e)
			return
		}
		p.Evaluate(valuesOf(p, load), 0, new([]byte))
	})
}

// Texts that are put together natively are those of the library.
func TestJoinedTexts(t *testing.T) {
	piece := rapid.SampledFrom([]string{"ticket_no", `"/"`, `""`, `cell("Name")`, "string(net_kg)", "string(moisture)",
		"string(net_kg - tare_kg)", "string(row)", "string(row + 1000)", "string(net_kg * moisture)", "fileName"})
	native := 0
	rapid.Check(t, func(t *rapid.T) {
		source := strings.Join(rapid.SliceOfN(piece, 2, 5).Draw(t, "pieces"), " + ")
		p, err := Compile(source, ticket, Text)
		require.NoError(t, err, source)
		if p.join != nil {
			native++
		}
		texts := map[string]string{}
		for name, of := range map[string][]string{"net_kg": {"", "0", "-12500", "123456789012345678901"},
			"tare_kg": {"7500", "000"}, "moisture": {"14.50", "-0.25", "", "100.00"}, "ticket_no": {"AH", `"a ""b"""`},
			"cell Name": {"B", "ä"}, "row": {"7"}, "fileName": {"a.csv"}} {
			texts[name] = rapid.SampledFrom(of).Draw(t, name)
		}
		vars := valuesOf(p, texts)
		if !p.isComplete(vars, 0) {
			return
		}
		space := make([]byte, 0, 1)
		fast, slow := p.Evaluate(vars, 0, &space), p.ask(vars, 0)
		require.Equal(t, slow, fast, "%s", source)
		require.Equal(t, slow, p.Evaluate(vars, 0, nil), "without space the library answers")
	})
	assert.Positive(t, native)
}

// Moments in canonical form are read by digits as the format reads them.
func TestReadISO(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(-62135596800, 253402300799).Draw(t, "seconds"), 0).UTC()
		for _, text := range []string{at.Format("2006-01-02"), at.Format("2006-01-02T15:04:05")} {
			seconds, ok := readISO([]byte(text))
			require.True(t, ok, text)
			want, err := time.Parse("2006-01-02T15:04:05", (text + "T00:00:00")[:19])
			require.NoError(t, err)
			require.Equal(t, want.Unix(), seconds, text)
		}
		for _, text := range []string{at.Format("2006-01-02T15:04:05.5"), at.Format("2006-01-02T15:04:05Z"), "2026-1x-01",
			"2026-13-01", "2026-07-31 14:05:00", ""} {
			_, ok := readISO([]byte(text))
			require.False(t, ok, text)
		}
	})
}

// Texts that grow beyond their room end the evaluation, whichever function makes them; below it
// they do not.
func TestRoom(t *testing.T) {
	long := strings.Repeat("a", 5000)
	nested := func(n int, call string) string { return "ticket_no" + strings.Repeat(call, n) }
	for name, c := range map[string]struct {
		text string
		fits bool
	}{
		"replace":         {nested(9, `.replace("a", "aaaaaaaaaa")`) + ` == ""`, false},
		"replace a few":   {nested(2, `.replace("a", "aaaaaaaaaa")`) + ` == ""`, true},
		"limited replace": {nested(20, `.replace("a", "aaaaaaaaaa", 1)`) + ` == ""`, true},
		"empty replace":   {nested(9, `.replace("", "aaaaaaaaaa")`) + ` == ""`, false},
		"sum":             {strings.Repeat("ticket_no + ", 50) + `"x" == ""`, false},
		"short sum":       {strings.Repeat("ticket_no + ", 15) + `"x" == ""`, true},
		"join": {"[" + strings.Repeat("ticket_no, ", 20) + `""].join("-").replace("a", "` + strings.Repeat("b", 50) +
			`") == ""`, false},
		"format": {`"` + strings.Repeat("%s", 300) + `".format([` + strings.Repeat(`ticket_no, `, 299) +
			`""]) == ""`, false},
		"format of a list":     {`"%s%s".format([[[ticket_no, ticket_no], [ticket_no]], ticket_no]) == ""`, true},
		"nested lists":         {`ticket_no.split("").map(a, ticket_no.split("").map(b, ticket_no)).size() == 0`, false},
		"lower case in a loop": {`ticket_no.split("").all(a, ticket_no.upperAscii() != a)`, false},
	} {
		t.Run(name, func(t *testing.T) {
			p, err := Compile(c.text, ticket, Truth)
			require.NoError(t, err)
			vars := valuesOf(p, map[string]string{"ticket_no": long})
			_, isJudged := p.Holds(vars, 0)
			assert.Equal(t, c.fits, isJudged, "%s", p.ask(vars, 0).Text)
		})
	}
	sum := strings.TrimSuffix(strings.Repeat("ticket_no + ", 50), " + ")
	p, err := Compile(sum, ticket, Text)
	require.NoError(t, err)
	space := new([]byte)
	got := p.Evaluate(valuesOf(p, map[string]string{"ticket_no": long}), 0, space)
	assert.Len(t, got.Text, 50*len(long), "what is put together natively is charged once")
	got = p.Evaluate(valuesOf(p, map[string]string{"ticket_no": strings.Repeat(long, 40)}), 0, space)
	assert.Equal(t, Wrong, got.Kind)
	assert.Contains(t, string(got.Text), "come to more than 1848576 bytes")
	assert.Less(t, cap(*space), 4<<20, "nothing much longer was put together")
}

// Expressions and patterns that stand in cells are kept, but not for ever.
func TestKeptExpressions(t *testing.T) {
	p, err := Compile(`extract("a1", cell("Name")) == "1"`, ticket, Truth)
	require.NoError(t, err)
	for i := range 3 * mostKept {
		holds, isJudged := p.Holds(valuesOf(p, map[string]string{"cell Name": fmt.Sprintf("[0-9]|y%d", i)}), 0)
		require.True(t, holds && isJudged)
	}
	assert.LessOrEqual(t, len(expressions.all), mostKept)
}
