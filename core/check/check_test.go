package check

import (
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/csv"
	"sieb/core/source"
	"sieb/core/target"
)

// judged runs a text through a target given as YAML columns; it gives the
// canonical rows ("" for a rejected one) and the violations of each row.
func judged(t require.TestingT, columns, text string, change func(*Judge)) (rows []string, found [][]string) {
	tg, err := target.Parse([]byte("target: t\ncolumns:\n" + columns))
	require.NoError(t, err)
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
	r, err := source.NewReader(strings.NewReader(text), l)
	require.NoError(t, err)
	plan, err := NewPlan(tg, Delivery{Header: r.Header(), Encoding: l.Encoding})
	require.NoError(t, err)
	judge := plan.NewJudge()
	if change != nil {
		change(judge)
	}
	var b source.Batch
	var ruling Ruling
	for {
		if err := r.Next(&b); errors.Is(err, io.EOF) {
			return rows, found
		}
		b.Split()
		judge.Start(&b, &ruling)
		accepted := plan.Schema().Table(outcome.Accepted, outcome.Shape{})
		encoder := csv.Form{}.Encoder(accepted)
		next := 0
		for from := 0; from < len(b.Rows); from += plan.Block() {
			to := min(from+plan.Block(), len(b.Rows))
			judge.Rows(from, to)
			for row := from; row < to; row++ {
				var mine []string
				for ; next < len(ruling.Found) && ruling.Found[next].Row == row; next++ {
					f := &ruling.Found[next]
					mine = append(mine, fmt.Sprintf("%s %s %s: %s", f.Code, plan.ColumnName(f), f.Action,
						ruling.Message(f)))
				}
				found = append(found, mine)
				if ruling.Rejected[row] {
					rows = append(rows, "")
				} else {
					one := outcome.Row{Table: accepted, Block: judge.Block(), At: row - from}
					rows = append(rows, strings.TrimSuffix(string(encoder.Append(nil, &one)), "\n"))
				}
			}
		}
	}
}

func TestCells(t *testing.T) {
	for _, c := range []struct {
		rule, cell string
		want       string // canonical text, or the violations' codes
		message    string // a part of the first message
	}{
		{"required: true", "x", "x", ""},
		{"required: true", "", "!required.empty", "the cell is empty"},
		{"required: true", "  ", "!required.empty", "stands for no value"},
		{"null: [n/a, '']\n    required: true", "n/a", "!required.empty", "n/a"},
		{"null: [n/a]", "n/a", "", ""},
		{"null: [n/a]\n    remedies: [trim, upper]", " n/a", "", ""},
		{"null: []", "", `""`, ""},
		{"maxLength: 3", "äöü", "äöü", ""},
		{"maxLength: 3", "äöüß", "!text.long", "has 4 characters, at most 3 fit"},
		{"minLength: 2", "ä", "!text.short", "has 1 character, at least 2 are expected"},
		{"format: '[A-Z]{2}-[0-9]+'", "AB-12", "AB-12", ""},
		{"format: '[A-Z]{2}-[0-9]+'", "AB-12 ", "!text.format", "blanks around it"},
		{"format: '(a|ab)(c|bcd)'", "abcd", "abcd", ""},
		{"format: 'a|ab'", "abc", "!text.format", "form “a”, perhaps “b”, as a"},
		{"oneOf: [a, b]", "c", "!value.unknown", "not one of a, b"},
		{"maxLength: 1\n    oneOf: [a]\n    format: a", "bb", "!text.long !text.format !value.unknown", ""},
		{"remedies: [trim, {recode: {Weizen: wheat}}]\n    oneOf: [wheat]", " Weizen ", "wheat", ""},
		{"remedies: [lower]\n    oneOf: [wheat]", "RAPS", "!value.unknown",
			`"RAPS", cleaned to "raps", is not one of wheat`},
		{"remedies: [trim]\n    required: true", "  ", "!required.empty", `"  " stands for no value`},
		{"maxLength: 9", "a, b", `"a, b"`, ""},
		{"datatype: integer", "007", "7", ""},
		{"datatype: integer", "12.0", "!type.integer", "not a whole number"},
		{"datatype: integer", " 12", "!type.integer", "blanks around it"},
		{"datatype: integer\n    remedies: [trim]", " 12", "12", ""},
		{"datatype: integer\n    precision: 3", "1234", "!number.precision",
			"has 4 digits before the point, at most 3 fit"},
		{"datatype: integer\n    minimum: 5", "4", "!range.low", "below the minimum 5"},
		{"datatype: integer\n    minimum: -5\n    maximum: 123456789012345678901", "123456789012345678902",
			"!range.high", ""},
		{"datatype: integer\n    oneOf: [1, 10]", "10", "10", ""},
		{"datatype: integer\n    oneOf: [1, 10]", "+01", "1", ""},
		{"datatype: integer\n    null: ['', '0']", "0", "", ""},
		{"datatype: decimal\n    decimalChar: ','\n    groupChar: '.'", "1.234,50", "1234.50", ""},
		{"datatype: decimal\n    decimalChar: ','\n    groupChar: '.'", "1234.5", "!type.decimal", "such as 1.234,5"},
		{"datatype: decimal\n    precision: 4\n    scale: 1", "123.4", "123.4", ""},
		{"datatype: decimal\n    precision: 4\n    scale: 1", "12.500", "12.5", ""},
		{"datatype: decimal\n    precision: 4\n    scale: 1", "1234", "!number.precision", ""},
		{"datatype: decimal\n    precision: 4\n    scale: 1", "1234.55", "!number.precision !number.scale", ""},
		{"datatype: decimal\n    precision: 3", "12.0", "12", ""},
		{"datatype: decimal\n    minimum: 0.5\n    maximum: 0.75", "0.500", "0.500", ""},
		{"datatype: decimal\n    minimum: 0.5", "0.49", "!range.low", ""},
		{"datatype: double", "1e3", "1000", ""},
		{"datatype: double\n    maximum: 10", "1e3", "!range.high", ""},
		{"datatype: double", "x", "!type.double", "not a number"},
		{"datatype: boolean", "1", "true", ""},
		{"datatype: boolean\n    format: ja|nein", "nein", "false", ""},
		{"datatype: boolean\n    format: ja|nein", "true", "!type.boolean", "neither ja (true) nor nein (false)"},
		{"datatype: date\n    format: dd.MM.yyyy", "31.07.2026", "2026-07-31", ""},
		{"datatype: date\n    format: dd.MM.yyyy", "2026-07-31", "!date.format", "like 31.07.2026 (dd.MM.yyyy)"},
		{"datatype: date\n    format: dd.MM.yyyy", "31.06.2026", "!date.impossible", "no such day"},
		{"datatype: date\n    format: [dd/MM/yyyy, MM/dd/yyyy]", "13/02/2026", "2026-02-13", ""},
		{"datatype: date\n    format: [dd/MM/yyyy, MM/dd/yyyy]", "02/13/2026", "2026-02-13", ""},
		{"datatype: date\n    format: [dd/MM/yyyy, MM/dd/yyyy]", "02/02/2026", "2026-02-02", ""},
		{"datatype: date\n    format: [dd/MM/yyyy, MM/dd/yyyy]", "03/04/2026", "2026-04-03!date.ambiguous",
			"different days"},
		{"datatype: date\n    minimum: 2026-01-01\n    maximum: 2026-12-31", "2025-12-31", "!range.low",
			"below the minimum 2026-01-01"},
		{"datatype: date\n    minimum: 2026-01-01\n    maximum: 2026-12-31", "2026-06-30", "2026-06-30", ""},
		{"datatype: date\n    oneOf: [2026-07-01]", "2026-07-02", "!value.unknown", ""},
		{"datatype: dateTime", "2026-07-31T14:05:09Z", "2026-07-31T14:05:09Z", ""},
		{"datatype: dateTime\n    format: dd.MM.yyyy HH:mm", "31.07.2026 14:05", "2026-07-31T14:05:00", ""},
		{"datatype: dateTime", "2026-07-31", "!date.format", "date and time like"},
		{"datatype: integer\n    onViolation: blank", "x", "!type.integer", ""},
		{"datatype: integer\n    onViolation: flag", "x,y", `"x,y"!type.integer`, ""},
	} {
		rows, found := judged(t, "  - name: a\n    "+c.rule+"\n  - name: z\n", "a;z\n"+c.cell+";-\n", nil)
		require.Len(t, rows, 1, c.rule)
		got := strings.TrimSuffix(rows[0], ",-")
		for i, f := range found[0] {
			if code, _, _ := strings.Cut(f, " "); i == 0 {
				got += "!" + code
			} else {
				got += " !" + code
			}
		}
		assert.Equal(t, c.want, got, "%q with %s", c.cell, c.rule)
		if c.message != "" && assert.NotEmpty(t, found[0]) {
			assert.Contains(t, found[0][0], c.message)
		}
	}
}

func TestRows(t *testing.T) {
	columns := "  - name: a\n    datatype: integer\n  - name: b\n    datatype: integer\n    onViolation: blank\n"
	for text, want := range map[string][2]string{
		"1;2":         {"1,2", ""},
		"x;y":         {"", "type.integer a reject type.integer b blank"},
		"1;y":         {"1,", "type.integer b blank"},
		"1":           {"", "row.short  reject"},
		"x;2;3":       {"", "row.long  reject"},
		`1;"2`:        {"", "quote.open b reject"},
		`1;"2"3`:      {"1,", "quote.tail b blank"},
		"1;\xff":      {"1,", "encoding.invalid b blank"},
		"\xff\"x;\"2": {"", "quote.stray a flag encoding.invalid a reject quote.open b reject"},
	} {
		rows, found := judged(t, columns, "a;b\n"+text+"\n", nil)
		var short []string
		for _, f := range found[0] {
			head, _, _ := strings.Cut(f, ":")
			short = append(short, head)
		}
		assert.Equal(t, want[0], rows[0], "%q", text)
		assert.Equal(t, want[1], strings.Join(short, " "), "%q", text)
	}
}

func TestFlaggedInvalidBytesStayValidText(t *testing.T) {
	rows, found := judged(t, "  - name: a\n    onViolation: flag\n", "a;b\nx\xffy;1\n", nil)
	assert.Equal(t, "x\uFFFDy", rows[0])
	assert.Len(t, found[0], 1)
}

// In an output of one column a null is a blank line and a text without characters two
// quotes, as PostgreSQL's COPY has them: they must differ.
func TestLoneNullAndEmptyText(t *testing.T) {
	rows, _ := judged(t, "  - name: b\n    null: [n/a]\n", "a;b\n1;n/a\n2;\n3;x\n", nil)
	assert.Equal(t, []string{"", `""`, "x"}, rows)
	rows, _ = judged(t, "  - name: a\n  - name: b\n    null: [n/a]\n", "a;b\n1;n/a\n2;\n", nil)
	assert.Equal(t, []string{"1,", `2,""`}, rows)
}

func TestMatching(t *testing.T) {
	header := func(names ...string) source.Header { return source.Header{Names: names, Named: true, Line: 3} }
	for _, c := range []struct {
		columns string
		header  source.Header
		places  []int
		found   string
	}{
		{"  - {name: net_kg, titles: [Net kg]}\n  - name: crop\n", header(" NET  kg", "Crop"), []int{1, 2}, ""},
		{"  - {name: crop, position: 2}\n", header("a", "b"), []int{2}, "header.unknown a flag"},
		{"  - {name: crop, position: 3}\n", header("a"), []int{0}, "header.missing crop flag header.unknown a flag"},
		{"  - name: crop\n  - {name: kg, required: true}\n", header("crop"), []int{1, 0}, "header.missing kg refuse"},
		{"  - name: crop\n", header("crop", "Crop"), []int{1}, "header.duplicate crop refuse header.unknown Crop flag"},
		{"  - name: x\n  - name: y\n", source.Header{Names: []string{"column_1", "column_2"}}, []int{0, 0},
			"header.missing  refuse"},
		{"  - {name: x, position: 2}\n  - name: y\n", source.Header{Names: []string{"column_1", "column_2"}},
			[]int{2, 0},
			"header.missing y flag"},
		{"  - name: ticket_no\n  - name: größe\n  - name: net-kg\n", header("Ticket No.", "GRO\u0308SSE", "netkg",
			"Größe"),
			[]int{1, 4, 3}, "header.unknown GRO\u0308SSE flag"},
		{"  - name: ab\n", header("a.b", "AB"), []int{2}, "header.unknown a.b flag"},
		{"  - name: crop\n  - name: field\nleftOut: [Field, note]\n", header("crop", "field", "Note"), []int{1, 0}, ""},
		{"  - name: crop\nnewColumns: refuse\n", header("crop", "b"), []int{1}, "header.unknown b refuse"},
		{"  - {name: crop, value: rye}\n  - {name: kg, derive: 'cell(\"Gross\") + cell(\"none\")'}\n",
			header("Crop", "gross"), []int{0, 0}, "header.missing none flag header.unknown Crop flag"},
		{"  - {name: x, required: true}\n", source.Header{}, []int{0}, "header.missing x refuse"},
	} {
		tg, err := target.Parse([]byte("target: t\ncolumns:\n" + c.columns))
		require.NoError(t, err)
		plan, err := NewPlan(tg, Delivery{Header: c.header, Encoding: "utf-8"})
		require.NoError(t, err)
		var places []int
		for _, m := range plan.Matches() {
			places = append(places, m.Place)
		}
		var found []string
		for _, f := range plan.Delivery {
			found = append(found, fmt.Sprintf("%s %s %s", f.Code, f.Column, f.Action))
			assert.NotEmpty(t, f.Message)
		}
		assert.Equal(t, c.places, places, c.columns)
		assert.Equal(t, c.found, strings.Join(found, " "), c.columns)
	}
}

// A column that is unique and the key as well is one key, not two that say the same.
func TestKeys(t *testing.T) {
	for text, want := range map[string][][]int{
		"  - {name: a, unique: true}\n  - {name: b, unique: true}\n":              {{0}, {1}},
		"  - {name: a, unique: true}\n  - {name: b}\nkey: [a]\n":                  {{0}},
		"  - {name: a, unique: true}\n  - {name: b}\nkey: [b]\n":                  {{0}, {1}},
		"  - {name: a, unique: true}\n  - {name: b, unique: true}\nkey: [a, b]\n": {{0}, {1}, {0, 1}},
		"  - {name: a}\n  - {name: b}\n":                                          nil,
	} {
		tg, err := target.Parse([]byte("target: t\ncolumns:\n" + text))
		require.NoError(t, err)
		plan, err := NewPlan(tg, Delivery{Header: source.Header{Names: []string{"a", "b"}, Named: true},
			Encoding: "utf-8"})
		require.NoError(t, err)
		var keys [][]int
		for _, k := range plan.Keys {
			keys = append(keys, k.Columns)
		}
		assert.ElementsMatch(t, want, keys, text)
	}
}

// What a judge remembers, and its quick tests, change nothing of what it finds.
// rule draws a column of any datatype with any remedies, limits and formats that go
// together, and cells that are right, wrong or nearly so.
func drawRule(t *rapid.T, name string) (yaml string, cell *rapid.Generator[string]) {
	one := func(what string, choices ...string) string { return rapid.SampledFrom(choices).Draw(t, name+" "+what) }
	props := []string{"name: " + name}
	add := func(p string) {
		if p != "" {
			props = append(props, p)
		}
	}
	datatype := one("datatype", "string", "integer", "decimal", "double", "boolean", "date", "dateTime")
	add("datatype: " + datatype)
	blanks := rapid.StringMatching("[ \t\u00a0]{0,2}")
	around := func(g *rapid.Generator[string]) *rapid.Generator[string] {
		return rapid.Custom(func(t *rapid.T) string {
			return blanks.Draw(t, "before") + g.Draw(t, "cell") + blanks.Draw(t, "behind")
		})
	}
	switch datatype {
	case "string":
		add(one("format", "", `format: "[a-c]{1,3}"`, `format: "(ab)+|x"`))
		add(one("length", "", "maxLength: 4", "minLength: 2", "{minLength: 1, maxLength: 3}"))
		add(one("set", "", "oneOf: [x, abc, Ab]"))
		cell = around(rapid.StringMatching(`[a-cA-C x]{0,5}|ä?b`))
	case "integer":
		add(one("format", "", `{decimalChar: ",", groupChar: "."}`))
		add(one("limit", "", "minimum: 3", "maximum: 5000", "minimum: -10"))
		add(one("precision", "", "precision: 3"))
		cell = around(rapid.StringMatching(`-?[0-9]{0,5}|0[0-9]{1,3}|[0-9]\.[0-9]{3}|\+[0-9]|x`))
	case "decimal":
		add(one("format", "", `decimalChar: ","`, `{decimalChar: ",", groupChar: "."}`))
		add(one("limit", "", "minimum: 3.5", "maximum: 99.5"))
		add(one("precision", "", "{precision: 4, scale: 1}"))
		cell = around(rapid.StringMatching(`-?[0-9]{1,4}([.,][0-9]{0,2})?|1\.234,50?|[0-9]{8,11}(\.[0-9]{5,8})?|3\.50?|99\.50*|x`))
	case "double":
		add(one("limit", "", "minimum: 0", "maximum: 10", "{minimum: -1, maximum: 1}"))
		cell = around(rapid.SampledFrom([]string{"1.50", "1e2", "1E2", "-0", "NaN", "nan", "INF", "-INF", "inf", "x",
			""}))
	case "boolean":
		add(one("format", "", `format: "Y|N"`, `format: "yes|no"`))
		cell = around(rapid.SampledFrom([]string{"true", "TRUE", "false", "1", "0", "Y", "n", "yes", "No", ""}))
	case "date":
		add(one("format", "", "format: yyyy-MM-dd", "format: dd.MM.yyyy", "format: [dd/MM/yyyy, MM/dd/yyyy]",
			"format: d MMM yyyy"))
		add(one("limit", "", "minimum: 2026-02-01", "maximum: 2026-07-01"))
		cell = around(rapid.SampledFrom([]string{"2026-01-31", "2026-02-30", "2026-07-01", "01.07.2026", "1.7.2026",
			"03/04/2026", "25/12/2026", "1 Jul 2026", "1 JUL 2026", "1 jul 2026", "x", ""}))
	case "dateTime":
		add(one("format", "", "format: dd.MM.yyyy HH:mm"))
		add(one("limit", "", "minimum: 2026-02-01", "maximum: 2026-07-01T12:00:00"))
		cell = around(rapid.SampledFrom([]string{"2026-07-01T06:18:00", "2026-07-01t06:18:00", "2026-07-01T06:18:00Z",
			"2026-07-01T06:18:00.5", "2026-02-30T00:00:00", "01.07.2026 06:18", "2026-07-01", "x", ""}))
	}
	var remedies []string
	for range rapid.IntRange(0, 3).Draw(t, name+" remedies") {
		remedies = append(remedies, one("remedy", "trim", "squeeze", "clean", "normalize", "repair", "upper", "lower", "recode: {x: abc, X: '1'}"))
	}
	if remedies != nil {
		add("remedies: [" + strings.Join(remedies, ", ") + "]")
	}
	add(one("null", "", `null: ["", x]`, `null: ["", "2026-07-01", "7", "ab"]`, "null: []"))
	required, unique := rapid.Bool().Draw(t, name+" required"), rapid.Bool().Draw(t, name+" unique")
	if required {
		add("required: true")
	}
	if unique {
		add("unique: true")
	}
	if action := one("action", "", "reject", "flag", "blank"); action != "" &&
		(action != "blank" || !required && !unique) {
		add("onViolation: " + action)
	}
	var lines []string
	for _, p := range props {
		if inner, is := strings.CutPrefix(p, "{"); is {
			lines = append(lines, strings.Split(strings.TrimSuffix(inner, "}"), ", ")...)
		} else {
			lines = append(lines, p)
		}
	}
	return "  - " + strings.Join(lines, "\n    ") + "\n", cell
}

// What is remembered and what is tested quickly give the same rows, violations, counts
// and keys as the whole rule: for every datatype, format and remedy.
func TestShortcutsChangeNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		columns, text := "", strings.Builder{}
		var cells []*rapid.Generator[string]
		for _, name := range []string{"a", "b", "c"} {
			yaml, cell := drawRule(t, name)
			columns += yaml
			cells = append(cells, cell)
		}
		text.WriteString("a;b;c\n")
		for range rapid.IntRange(1, 200).Draw(t, "rows") {
			for i, c := range cells {
				if i > 0 {
					text.WriteByte(';')
				}
				text.WriteString(c.Draw(t, "cell"))
			}
			text.WriteString("\n")
		}
		var fast, slow *Judge
		rows, found := judged(t, columns, text.String(), func(j *Judge) { fast = j })
		slowRows, slowFound := judged(t, columns, text.String(), func(j *Judge) {
			slow = j
			for i := range j.lanes {
				j.lanes[i].memory.End()
				plain := *j.lanes[i].column
				plain.quick = nil
				j.lanes[i].column = &plain
			}
		})
		assert.Equal(t, slowRows, rows, columns)
		assert.Equal(t, slowFound, found, columns)
		assert.Equal(t, slow.out.Keys, fast.out.Keys, columns)
		assert.Equal(t, slow.out.Changed, fast.out.Changed, columns)
	})
}

func TestPatternAgainstRegexp(t *testing.T) {
	exprs := []string{"[A-Z]{2}-[0-9]{6}", "[0-9]{5}", "a*b", "a*ab", "[a-c]+[b-d]", "(ab)+", "a?b?c", "x{2,4}y", "",
		"ab|c", "(?i)ab", "[^a]b", "a.b", `\d+\.\d{2}`, "[ab]{0,2}[c]?d*"}
	simple := 0
	for _, e := range exprs {
		p, err := newPattern(e)
		require.NoError(t, err)
		if p.simple {
			simple++
		}
		want := regexp.MustCompile(`\A(?:` + e + `)\z`)
		rapid.Check(t, func(t *rapid.T) {
			text := rapid.OneOf(rapid.StringMatching(e), rapid.StringMatching(`[a-dxyAB0-9.-]{0,9}`)).Draw(t, "text")
			assert.Equal(t, want.MatchString(text), p.matches([]byte(text), map[string]bool{}), "%q with %s", text, e)
		})
	}
	assert.Greater(t, simple, 6, "the expressions of codes and numbers are simple ones")
}

// Two columns of a target that would read one cell are an error that names both, unless
// a mapping or positions say so of each.
func TestTwoColumnsForOneHeader(t *testing.T) {
	for _, c := range []struct{ columns, first, second string }{
		{"  - {name: kg}\n  - {name: weight, titles: [Kg]}\n", "kg", "weight"},
		{"  - {name: a, titles: [kg, x]}\n  - {name: b, titles: [x, ' KG ']}\n", "a", "b"},
		{"  - {name: kg}\n  - {name: b, position: 2}\n", "kg", "b"},
	} {
		tg, err := target.Parse([]byte("target: t\ncolumns:\n" + c.columns))
		require.NoError(t, err)
		_, err = NewPlan(tg, Delivery{Header: source.Header{Names: []string{"no", "kg"}, Named: true, Line: 1},
			Encoding: "utf-8"})
		var shared *Shared
		require.ErrorAs(t, err, &shared, c.columns)
		assert.Equal(t, [2]string{c.first, c.second}, shared.Columns)
		assert.Equal(t, []any{"kg", 2}, []any{shared.Header, shared.Place})
		assert.ErrorContains(t, err, `"`+c.first+`" and "`+c.second+`"`)
	}
	header := source.Header{Names: []string{"no", "kg"}, Named: true, Line: 1}
	tg, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: a, position: 2}\n  - {name: b}\n  - {name: c}\n"))
	require.NoError(t, err)
	m, err := target.ParseMapping([]byte("mapping: m\ntarget: t\ncolumns: {b: {position: 2}, c: {from: " +
		"KG}}\nleftOut: no\n"))
	require.NoError(t, err)
	joined, err := tg.With(m)
	require.NoError(t, err)
	plan, err := NewPlan(joined, Delivery{Header: header, Encoding: "utf-8"})
	require.NoError(t, err)
	assert.Empty(t, plan.Delivery)
	assert.Equal(t, []string{"no"}, plan.LeftOut)
	for _, match := range plan.Matches() {
		assert.Equal(t, 2, match.Place, match.Column)
	}
}

// Decimals are told as millionths exactly where they are canonical, unsigned and short enough.
func TestMillionths(t *testing.T) {
	for text, want := range map[string]int64{"0": 0, "1": 1_000_000, "0.5": 500_000, "12.000001": 12_000_001,
		"999999999.999999": 999_999_999_999_999} {
		n, ok := millionths([]byte(text), 9, 6)
		assert.True(t, ok, text)
		assert.Equal(t, want, n, text)
	}
	for _, text := range []string{"", ".", ".5", "5.", "5.0", "05", "00", "-1", "+1", "1e3", " 1", "1 ", "1.2.3", "1,5",
		"1000000000", "0.0000001", "1.x", "1.50"} {
		_, ok := millionths([]byte(text), 9, 6)
		assert.False(t, ok, text)
	}
	_, ok := millionths([]byte("12.34"), 2, 1)
	assert.False(t, ok)
	_, ok = millionths([]byte("123.4"), 2, 1)
	assert.False(t, ok)
}
