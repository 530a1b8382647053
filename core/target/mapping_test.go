package target_test

import (
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/target"
	"sieb/core/violation"
)

const ticketTarget = `target: tickets
columns:
  - {name: ticket_no, format: '[A-Z]{2}-[0-9]{6}', required: true}
  - {name: weighed_on, datatype: date, minimum: today-30, requiredWhen: net_kg > 0}
  - {name: gross_kg, datatype: integer, groupChar: "'", onViolation: {range.high: flag, date.ambiguous: reject}}
  - {name: net_kg, datatype: integer, description: without the lorry, message: weigh it again}
  - {name: site, oneOf: [Ahrensee, Dornau], default: Dornau}
  - {name: grower_no}
key: [ticket_no]
uniqueKeys: [[site, weighed_on]]
rowRules:
  - {name: net below gross, condition: net_kg < gross_kg, onViolation: flag, message: look at the scales}
exclude:
  - {condition: net_kg == 0, reason: empty}
foreignKeys:
  - {columnReference: grower_no, reference: {resource: growers}}
absentFrom:
  - {columnReference: ticket_no, reference: {database: intake, table: public.tickets, columnReference: no}}
leftOut: [Remarks]
newColumns: refuse
`

const ticketMapping = `mapping: ahrensee
title: Weighbridge of Ahrensee
target: tickets
layout: {encoding: latin1, delimiter: ";", skipRows: 2, cuts: [3, 9], trim: true}
columns:
  ticket_no: {derive: '"AH-" + cell("No.")'}
  weighed_on: {from: [Date, Day], format: [dd.MM.yyyy, d.M.yy], null: ["", 00.00.0000]}
  gross_kg: {position: 7, groupChar: "."}
  net_kg: {derive: gross_kg - 10, remedies: [trim, {recode: {x: ""}}]}
  site: {value: Ahrensee}
exclude:
  - condition: cell("No.").startsWith("T")
leftOut: Driver
newColumns: flag
`

func TestMappingIsJoined(t *testing.T) {
	tg, err := target.Parse([]byte(ticketTarget))
	require.NoError(t, err)
	m, err := target.ParseMapping([]byte(ticketMapping))
	require.NoError(t, err)
	assert.Equal(t, []string{"ahrensee", "Weighbridge of Ahrensee", "tickets"}, []string{m.Name, m.Title, m.Target})
	assert.Equal(t, "windows-1252", *m.Layout.Encoding, "a name of the WHATWG's")
	assert.Equal(t, []int{3, 9}, *m.Layout.Cuts)
	assert.True(t, m.Feeds("weighed_on") && m.Feeds("gross_kg") && !m.Feeds("site") && !m.Feeds("grower_no"))
	joined, err := tg.With(m)
	require.NoError(t, err)
	assert.Same(t, m, joined.Mapping)
	assert.Nil(t, tg.Mapping, "the target itself stays as it was")
	assert.Equal(t, `"AH-" + cell("No.")`, joined.Columns[0].Derive)
	assert.Equal(t, []string{"Date", "Day"}, joined.Columns[1].Titles)
	assert.Equal(t, []string{"dd.MM.yyyy", "d.M.yy"}, joined.Columns[1].Formats)
	assert.Equal(t, []string{"", "00.00.0000"}, joined.Columns[1].Null)
	assert.Equal(t, "today-30", joined.Columns[1].Minimum, "what the table demands stays")
	assert.Equal(t, []any{7, "."}, []any{joined.Columns[2].Position, joined.Columns[2].GroupChar})
	assert.Equal(t, "Ahrensee", *joined.Columns[4].Value)
	assert.Equal(t, []string{"Remarks", "Driver"}, joined.LeftOut)
	assert.False(t, joined.RefuseNew, "the mapping comes before the target")
	assert.Len(t, joined.Exclude, 2)
	assert.Equal(t, `cell("No.").startsWith("T")`, joined.Exclude[1].Reason, "without a reason the condition is one")
	assert.Equal(t, "'", tg.Columns[2].GroupChar)

	c := tg.Columns[2]
	assert.Equal(t, violation.Flag, c.Action(violation.RangeHigh))
	assert.Equal(t, violation.Reject, c.Action(violation.DateAmbiguous), "what flags by itself can be told to reject")
	assert.Equal(t, violation.Reject, c.Action(violation.TypeInteger))
	assert.Len(t, tg.Constraints(), 2)
	assert.Equal(t, []string{"growers", "public.tickets"}, []string{tg.ForeignKeys[0].Reference.Name(),
		tg.AbsentFrom[0].Reference.Name()})
	assert.Equal(t, []string{"grower_no"}, tg.ForeignKeys[0].Reference.Columns, "named as the own ones")
	limit, ok := tg.Columns[1].Limit("today - 30", time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC))
	require.True(t, ok)
	assert.Equal(t, "2026-01-30", string(limit.Instant.AppendDate(nil)))
}

// Each of these texts is wrong in one place, which is told.
func TestWrongTexts(t *testing.T) {
	column := func(rule string) string { return "target: t\ncolumns:\n  - name: a\n  - name: b\n    " + rule + "\n" }
	after := func(rule string) string {
		return "target: t\ncolumns:\n  - {name: a, datatype: integer}\n  - {name: b, datatype: date}\n" + rule + "\n"
	}
	for _, c := range []struct {
		text         string
		line, column int
		says         string
	}{
		{column("name: b"), 5, 5, "name stands here a second time, and first in line 4"},
		{column("derive: a +"), 5, 16, "it ends too early"},
		{column("derive: a + c"), 5, 17, `there is no column "c"; there are a, b`},
		{column("derive: '[a]'"), 5, 14, "it must be a text, a number"},
		{column("derive: b"), 5, 13, "b is computed from itself: b from b"},
		{column("{derive: a}"), 5, 5, "not YAML"},
		{column("derive: a\n    value: x"), 5, 13, "keep one of them"},
		{column("value: x\n    position: 3"), 6, 15, "keep one of them"},
		{column("derive: a\n    titles: x"), 6, 13, "keep one of them"},
		{column("datatype: integer\n    value: x"), 6, 12, "not of datatype integer"},
		{column("datatype: date\n    default: 1.2.2026"), 6, 14, "canonical form"},
		{column("default: ''"), 5, 14, "leave it out"},
		{column("datatype: tim"), 5, 15, "unknown datatype"},
		{column("datatype: time\n    format: dd HH"), 6, 13, "holds a date"},
		{column("datatype: time\n    minimum: 25:00:00"), 6, 14, "such as 14:05:00"},
		{column("datatype: short\n    minimum: 40000"), 6, 14, "greater than maximum 32767"},
		{column("datatype: anyURI\n    minimum: a"), 6, 14, "goes with numbers and dates"},
		{column("datatype: time\n    yearPivot: 1950"), 6, 16, "goes with dates"},
		{column("requiredWhen: a == 'x'\n    required: true"), 5, 19, "required in any case"},
		{column("requiredWhen: a"), 5, 19, "it must be true or false"},
		{column("minimum: today"), 5, 14, "goes with numbers and dates"},
		{column("datatype: date\n    minimum: today*2"), 6, 14, "canonical form"},
		{column("onViolation: {range.hi: flag}"), 5, 19, `"range.hi" is no code`},
		{column("onViolation: {row.short: flag}"), 5, 19, `"row.short" is no code of a column`},
		{column("onViolation: {range.high: drop}"), 5, 31, "unknown action"},
		{column("onViolation: {key.duplicate: blank}"), 5, 34, "cannot be mended by blanking"},
		{column("required: true\n    onViolation: {text.long: blank}"), 6, 18, "cannot be blanked"},
		{column("remedies: [upper, {iron: x}]"), 5, 24, `there is no remedy "iron"`},
		{column("remedies: [trim, carryDown]"), 5, 15, "carryDown comes before all other remedies"},
		{column("value: x\n    remedies: [carryDown]"), 6, 15, "takes cells of the delivery, and b has none"},
		{column("remedies: [uper]"), 5, 16, `did you mean "upper"`},
		{column("remedies: [{trim: x}]"), 5, 23, "trim is given nothing"},
		{column("remedies: [{pad: x}]"), 5, 22, "pad: length is a whole number from 1 up"},
		{column("remedies: [{pad: {lenth: 5}}]"), 5, 23, `did you mean "length"`},
		{column("remedies: [pad]"), 5, 16, "pad needs length: how many characters"},
		{column("remedies: [{replace: {with: x}}]"), 5, 16, "either find, a text, or pattern"},
		{column("remedies: [{extract: '('}]"), 5, 26, "not a regular expression"},
		{column("remedies: [{serial: 1901}]"), 5, 25, "serial: from is 1900 or 1904"},
		{column("remedies: [{boolean: ja}]"), 5, 16, "two texts with a bar"},
		{column("remedies: [{date: [YYYY]}]"), 5, 16, "date pattern"},
		{column("remedies: [{cut: {from: 1}}]"), 5, 16, "cut keeps everything"},
		{column("remedies: [trim, {upper: {}, lower: {}}]"), 5, 22, "each remedy is one entry"},
		{column("datatype: time\n    remedies: [{date: dd.MM.yyyy}]"), 6, 15, "holds a date"},
		{after("rowRules: [{name: x}]"), 5, 12, "no condition"},
		{after("rowRules: [{condition: a > 'x'}]"), 5, 26, "cannot be applied to (number, string)"},
		{after("rowRules:\n  - {name: x, condition: a > 1}\n  - {name: x, condition: a > 2}"), 7, 5,
			`a second row rule "x"`},
		{after("rowRules: [{condition: a > 1, onViolation: blank}]"), 5, 44, "no one cell can be blanked"},
		{after("rowRules:\n  - condition: |\n      a > 1 &&\n      aa > 2"), 8, 7, `there is no column "aa"`},
		{after("exclude: [{reason: x}]"), 5, 11, "no condition"},
		{after("exclude: [{condition: a}]"), 5, 23, "it must be true or false"},
		{after("exclude: [{condition: cell(b) == ''}]"), 5, 27, "cell takes the header"},
		{after("newColumns: maybe"), 5, 13, "flag or refuse"},
		{after("uniqueKeys: [[a, c]]"), 5, 14, `"c", which is not a column`},
		{after("uniqueKeys: [[a, a]]"), 5, 14, "twice"},
		{after("foreignKeys: [{reference: {resource: x}}]"), 5, 15, "add columnReference"},
		{after("foreignKeys: [{columnReference: a}]"), 5, 15, "add reference"},
		{after("foreignKeys: [{columnReference: c, reference: {resource: x}}]"), 5, 33, "not a column"},
		{after("foreignKeys: [{columnReference: a, reference: {}}]"), 5, 47,
			"a resource, or codes, or a database and a table"},
		{after("foreignKeys: [{columnReference: [a, b], reference: {codes: x}}]"), 5, 33, "a code list has one column"},
		{after("foreignKeys: [{columnReference: a, reference: {codes: x, resource: y}}]"), 5, 47, "a resource, or codes"},
		{after("foreignKeys: [{columnReference: a, reference: {table: x}}]"), 5, 47, "names its database"},
		{after("foreignKeys: [{columnReference: a, reference: {resource: x, columnReference: [b, c]}}]"), 5, 47,
			"give as many"},
		{after("absentFrom: [{columnReference: a, reference: {resource: x}, onViolation: blank}]"), 5, 74,
			"no one cell"},
		{column("ordered: descending"), 5, 14, "ordered is ascending or consecutive"},
		{column("ordered: ''"), 5, 14, "ordered is ascending or consecutive"},
		{column("datatype: boolean\n    ordered: ascending"), 6, 14, "values that have an order"},
		{column("datatype: decimal\n    ordered: consecutive"), 6, 14, "whole numbers, dates and texts"},
		{column("complete: true"), 5, 15, "goes with oneOf"},
		{column("oneOf: [x, y]\n    onViolation: {value.absent: reject}"), 6, 33, "use flag or refuse"},
		{column("onViolation: {order.broken: blank}"), 5, 33, "cannot be mended by blanking"},
		{column("onViolation: {row.repeated: flag}"), 5, 19, "is no code of a column"},
		{column("separator: ''"), 5, 16, "the separator is empty"},
		{column("datatype: decimal\n    separator: .-"), 6, 16, "within the column's numbers"},
		{column("datatype: integer\n    groupChar: ','\n    separator: ','"), 7, 16, "within the column's numbers"},
		{column("separator: ;\n    ordered: ascending"), 6, 14, "the cells hold lists"},
		{column("separator: ;\n    oneOf: [x]\n    complete: true"), 7, 15, "the cells hold lists"},
		{column("separator: ;\n    datatype: integer\n    default: 1;x"), 7, 14, `"x" is not of datatype integer`},
		{column("derive: label(a)"), 5, 18, "label takes the name of a code list and a code"},
		{column("derive: label(a, b)"), 5, 18, "label takes the name of a code list and a code"},
		{after("repeats: never"), 5, 10, "repeats is accept, flag or refuse"},
		{after("repeated: {keep: both}"), 5, 18, "keep is first, last or none"},
		{after("repeated: {onViolation: blank}"), 5, 25, "no one cell can be blanked"},
		{after("fileName: {date: yyyyMMdd}"), 5, 11, "fileName has no format"},
		{after("fileName: {format: '(a'}"), 5, 20, "not a regular expression"},
		{after("fileName: {format: 'a.csv', date: yyyyMMdd}"), 5, 35, "no group for the date"},
		{after("fileName: {format: '(a).csv', date: HH}"), 5, 37, "date pattern"},
		{after("fileName: {format: a, onViolation: reject}"), 5, 36, "flag or refuse"},
		{after("controls: [{in: footer, find: x}]"), 5, 12, "either sum"},
		{after("controls: [{sum: a, count: a, in: footer, find: x}]"), 5, 12, "either sum"},
		{after("controls: [{sum: a, find: x}]"), 5, 12, "where the value stands"},
		{after("controls: [{sum: a, in: header, find: x}]"), 5, 25, "in is footer, fileName or companion"},
		{after("controls: [{sum: a, in: footer}]"), 5, 12, "how the value is found"},
		{after("controls: [{sum: a, in: footer, find: '('}]"), 5, 39, "not a regular expression"},
		{after("controls: [{sum: b, in: footer, find: x}]"), 5, 18, "integer or decimal, and \"b\" is date"},
		{after("controls: [{sum: rows, in: footer, find: x}]"), 5, 18, `no column "rows"; it has a, b`},
		{after("controls: [{count: c, in: footer, find: x}]"), 5, 20, `no column "c"; it has a, b`},
		{"mapping: m\ntarget: t\n", 1, 1, "this is a mapping"},
	} {
		_, err := target.Parse([]byte(c.text))
		expectProblem(t, err, c.text, c.line, c.column, c.says)
	}
	tg, err := target.Parse([]byte(ticketTarget))
	require.NoError(t, err)
	feed := func(rule string) string { return "mapping: m\ntarget: tickets\ncolumns:\n  " + rule + "\n" }
	for _, c := range []struct {
		text         string
		line, column int
		says         string
	}{
		{"", 1, 1, "the mapping is empty"},
		{"target: t\n", 1, 7, "no name"},
		{"mapping: m\n", 1, 8, "for which target"},
		{ticketTarget, 1, 1, "this is a target"},
		{"mapping: m m\ntarget: t\n", 1, 10, "letters, digits"},
		{"mapping: m\ntarget: other\n", 2, 9, `for the target "other", not for "tickets"`},
		{"mapping: m\ntarget: tickets\nlayout: {delimter: x}\n", 3, 10, `did you mean "delimiter"`},
		{"mapping: m\ntarget: tickets\nlayout: {encoding: klingon}\n", 3, 20, "klingon"},
		{"mapping: m\ntarget: tickets\nlayout: {skipRows: -1}\n", 3, 20, "from 0 up"},
		{"mapping: m\ntarget: tickets\nlayout: {cuts: [3, x]}\n", 3, 16, "no whole number"},
		{"mapping: m\ntarget: tickets\nlayout: {delimiter: ';', quoteChar: ';'}\n", 3, 37, "both"},
		{"mapping: m\ntarget: tickets\nlayout: {form: table}\n", 3, 16, "unknown"},
		{"mapping: m\ntarget: tickets\ncolumns: [a]\n", 3, 10, "a list of properties"},
		{feed("net_k: {from: x}"), 4, 3, `did you mean "net_kg"`},
		{feed("zzzzzz: {from: x}"), 4, 3, "it has ticket_no"},
		{feed("net_kg: {form: x}"), 4, 12, `did you mean "from"`},
		{feed("net_kg: {required: true}"), 4, 12, `has no property "required"`},
		{feed("net_kg: {from: x, position: 2}"), 4, 31, "keep one of them"},
		{feed("net_kg: {from: x, derive: gross_kg}"), 4, 18, "keep one of them"},
		{feed("ticket_no: {format: '[a-z]'}"), 4, 23, "a demand of the target"},
		{feed("gross_kg: {decimalChar: \"'\"}"), 4, 27, "both"},
		{feed("weighed_on: {format: YYYY}"), 4, 24, "date pattern"},
		{feed("net_kg: {value: x}"), 4, 19, "not of datatype integer"},
		{feed("net_kg: {derive: gross_kg}\n  gross_kg: {derive: net_kg}"), 5, 22, "gross_kg from net_kg"},
		{feed("net_kg: {derive: gros_kg}"), 4, 20, `there is no column "gros_kg"`},
		{feed("weighed_on: {derive: gross_kg}"), 4, 24, "the result is a number"},
		{feed("net_kg: {from: x}\n  net_kg: {from: y}"), 5, 3, "a second time"},
		{feed("net_kg: {from: Net}\nleftOut: [NET.]"), 4, 18, "and is left out"},
		{feed("net_kg: {from: Net}\nexclude: [{condition: nett > 1}]"), 5, 23, `there is no column "nett"`},
		{feed("net_kg: {from: Net}\nnewColumns: yes"), 5, 13, "flag or refuse"},
		{feed("net_kg: {separator: ;}"), 4, 23, "holds one value in a cell"},
		{feed("net_kg: {from: Net}\ncontrols: [{sum: site, in: footer, find: x}]"), 5, 18, "\"site\" is string"},
		{feed("net_kg: {from: Net}\ncontrols: [{sum: nett, in: footer, find: x}]"), 5, 18, "no column"},
		{feed("net_kg: {from: Net}\nrepeats: on"), 5, 10, "repeats is accept, flag or refuse"},
	} {
		m, err := target.ParseMapping([]byte(c.text))
		if err == nil {
			_, err = tg.With(m)
		}
		expectProblem(t, err, c.text, c.line, c.column, c.says)
	}
}

func expectProblem(t *testing.T, err error, text string, line, column int, says string) {
	t.Helper()
	var problems target.Problems
	if assert.True(t, errors.As(err, &problems), "%q gave %v", text, err) {
		assert.Contains(t, problems[0].Message, says, "%q", text)
		assert.Equal(t, [2]int{line, column}, [2]int{problems[0].Line, problems[0].Column}, "%q: %v", text, err)
	}
}

// What a mapping says of the delivery takes the place of what its target says; what it does
// not say stays.
func TestRulesOfTheDeliveryAreJoined(t *testing.T) {
	tg, err := target.Parse([]byte("target: t\ncolumns: [{name: kg, datatype: integer}, {name: tags, separator: '|'}, " +
		"{name: site, derive: 'label(\"sites\", \"A\")'}]\nfileName: {format: 'a.*'}\nrepeats: flag\n" +
		"controls: [{sum: kg, in: companion, find: x}]\nrepeated: {keep: last, rows: true, onViolation: flag}\n"))
	require.NoError(t, err)
	assert.True(t, tg.NeedsCompanion())
	assert.Equal(t, []string{"sites"}, tg.CodeLists())
	assert.Equal(t, target.Repeated{Keep: target.KeepLast, Rows: true, OnViolation: violation.Flag}, tg.Repeated)
	for text, want := range map[string][]any{
		"":                             {"a.*", target.RepeatFlagged, 1},
		"repeats: refuse\n":            {"a.*", target.RepeatRefused, 1},
		"repeats: accept\n":            {"a.*", target.RepeatAccepted, 1},
		"controls: []\n":               {"a.*", target.RepeatFlagged, 0},
		"fileName: {format: 'b.*'}\n":  {"b.*", target.RepeatFlagged, 1},
		"columns: {tags: {from: x}}\n": {"a.*", target.RepeatFlagged, 1},
	} {
		m, err := target.ParseMapping([]byte("mapping: m\ntarget: t\n" + text))
		require.NoError(t, err)
		joined, err := tg.With(m)
		require.NoError(t, err)
		rules := joined.Delivery
		assert.Equal(t, want, []any{rules.FileName.Format, rules.Repeat, len(rules.Controls)}, text)
		assert.Equal(t, want[2] == 1, joined.NeedsCompanion())
	}
	m, err := target.ParseMapping([]byte("mapping: m\ntarget: t\ncolumns: {tags: {separator: ', ', derive: " +
		"'label(\"tags\", \"B\")'}}\n"))
	require.NoError(t, err)
	joined, err := tg.With(m)
	require.NoError(t, err)
	assert.Equal(t, []string{"|", ", "}, []string{joined.Columns[1].Separator, joined.Columns[1].ListSeparator()})
	assert.Equal(t, []string{"sites", "tags"}, joined.CodeLists())
}

// Headers are compared by what counts of them.
func TestHeaderKey(t *testing.T) {
	for _, same := range [][]string{{"Ticket No.", "ticket_no", "TICKET-NO", " ticketno ", "Tickét  No"},
		{"Größe", "GRO\u0308ße"},
		{"Moisture %", "moisture%"}} {
		for _, header := range same {
			assert.Equal(t, target.HeaderKey(same[0]), target.HeaderKey(header), header)
		}
	}
	for _, other := range [][2]string{{"net", "nett"}, {"Moisture %", "Moisture"}, {"-", "."}, {"a1", "a2"}} {
		assert.NotEqual(t, target.HeaderKey(other[0]), target.HeaderKey(other[1]), other)
	}
	rapid.Check(t, func(t *rapid.T) {
		header := rapid.String().Draw(t, "header")
		key := target.HeaderKey(header)
		require.Equal(t, key, target.HeaderKey(key), "a key is its own key")
		require.Equal(t, key, target.HeaderKey("  "+header+" "))
	})
}

func TestSimilar(t *testing.T) {
	for _, c := range []struct{ header, title, why string }{
		{"Ticket Nr", "Ticket No", "spelling"}, {"No. of ticket", "ticket of no", "the same words"},
		{"Moisture", "moisture_pct", "the header shares words"},
		{"Reading Read on", "Read on", "the header shares words"}, {"Read on", "reading_read_on", "the header shares words"},
		{"on", "Read on", ""}, {"net", "net kg", ""}, {"net kg dry", "Net kg", "the header shares words"},
		{"Read at", "Read on", ""},
		{"Date", "Datum", ""}, {"Net", "Gross", ""}, {"ticket_no", "Ticket No.", ""},
		{strings.Repeat("x", 100), "x", ""},
	} {
		why := target.Similar(c.header, c.title)
		assert.True(t, why == "" && c.why == "" || c.why != "" && strings.Contains(why, c.why), "%s, %s: %q", c.header,
			c.title, why)
	}
}

// The schemas name every property, and all texts of the demo use properties that they name.
func TestSchemas(t *testing.T) {
	type schema struct {
		Properties           map[string]schema
		Items                *schema
		AdditionalProperties any
		Description          string
	}
	for _, text := range [][]byte{target.Schema(), target.MappingSchema()} {
		var s schema
		require.NoError(t, json.Unmarshal(text, &s))
		assert.NotEmpty(t, s.Properties)
		for name, p := range s.Properties {
			assert.NotEmpty(t, p.Description, name)
		}
	}
	var s schema
	require.NoError(t, json.Unmarshal(target.Schema(), &s))
	for _, name := range []string{"name", "datatype", "derive", "oneOf", "remedies", "requiredWhen"} {
		assert.Contains(t, s.Properties["columns"].Items.Properties, name)
	}
	files, err := filepath.Glob("../../demo/*/*.yaml")
	require.NoError(t, err)
	assert.Greater(t, len(files), 6)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		if strings.HasPrefix(string(text), "mapping:") {
			_, err = target.ParseMapping(text)
		} else {
			_, err = target.Parse(text)
		}
		assert.NoError(t, err, file)
	}
}

func FuzzParseMapping(f *testing.F) {
	f.Add([]byte(ticketMapping))
	f.Add([]byte("mapping: m\ntarget: tickets\ncolumns: {a: {from: [x, ~], derive: '(('}}\n"))
	f.Add([]byte("mapping: m\ntarget: tickets\nlayout: {cuts: [1, 1e9], fold: 99999999999}\n"))
	tg, err := target.Parse([]byte(ticketTarget))
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, text []byte) {
		m, err := target.ParseMapping(text)
		if err == nil {
			_, err = tg.With(m)
		}
		var problems target.Problems
		if err != nil {
			require.ErrorAs(t, err, &problems)
			require.NotEmpty(t, problems)
		}
	})
}
