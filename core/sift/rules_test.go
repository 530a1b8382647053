package sift_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

const tickets = `target: tickets
columns:
  - {name: ticket_no, required: true, unique: true}
  - {name: weighed_on, datatype: date, minimum: today-30, maximum: today}
  - {name: gross_kg, datatype: integer, required: true}
  - {name: tare_kg, datatype: integer, onViolation: flag}
  - {name: net_kg, datatype: integer, onViolation: {range.high: flag, type.integer: blank}, maximum: 20000}
  - {name: remark, requiredWhen: net_kg > 15000, message: a heavy load needs a remark}
  - {name: site, oneOf: [Ahrensee, Brunnthal]}
rowRules:
  - {name: net is gross less tare, condition: net_kg == gross_kg - tare_kg}
  - {name: no weighing on Sundays, condition: weighed_on.getDayOfWeek() != 0, onViolation: flag}
`

// mapped sifts a text through a target and a mapping on the last of July 2026.
func mapped(t *testing.T, targetText, mapping, text string, workers int) (*sift.Result, *outcometest.Texts) {
	t.Helper()
	tg, err := target.Parse([]byte(targetText))
	require.NoError(t, err)
	if mapping != "" {
		m, err := target.ParseMapping([]byte(mapping))
		require.NoError(t, err)
		tg, err = tg.With(m)
		require.NoError(t, err)
	}
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
	r, err := source.NewReader(strings.NewReader(text), l)
	require.NoError(t, err)
	sink := &outcometest.Texts{}
	s := sift.Run{Source: r, Encoding: l.Encoding, Name: "tickets-2026-07.csv", Target: tg, Workers: workers,
		Outputs: sink.Outputs(),
		Today:   time.Date(2026, 7, 31, 0, 0, 0, 0, time.UTC)}
	result, err := s.Do(context.Background())
	require.NoError(t, err)
	assert.Equal(t, result.Tally.Read, result.Tally.Accepted+result.Tally.Rejected+result.Tally.Excluded)
	return result, sink
}

func TestRowRulesAndRelativeLimits(t *testing.T) {
	result, sink := mapped(t, tickets, "", `ticket_no;weighed_on;gross_kg;tare_kg;net_kg;remark;site
A1;2026-07-20;20000;7500;12500;;Ahrensee
A2;2026-07-19;20000;7500;12501;;Ahrensee
A3;2026-07-18;20000;;12500;;Brunnthal
A4;2026-08-01;30000;7500;22500;;Brunnthal
A5;2026-06-30;30000;7500;x;;Brunnthal
A6;2026-07-01;30000;y;22500;very heavy;Brunnthal
`, 1)
	assert.Equal(t, `row,line,column,code,value,message
2,3,net is gross less tare,rule.failed,"12501, 20000, 7500","the rule ""net is gross less tare"" does not hold: net_kg is 12501, gross_kg is 20000, tare_kg is 7500"
2,3,no weighing on Sundays,rule.failed,2026-07-19,"the rule ""no weighing on Sundays"" does not hold: weighed_on is 2026-07-19"
4,5,weighed_on,range.high,2026-08-01,"""2026-08-01"" is above the maximum today (2026-07-31)"
4,5,net_kg,range.high,22500,"""22500"" is above the maximum 20000"
4,5,remark,required.empty,,a heavy load needs a remark
5,6,weighed_on,range.low,2026-06-30,"""2026-06-30"" is below the minimum today-30 (2026-07-01)"
5,6,net_kg,type.integer,x,"""x"" is not a whole number"
6,7,tare_kg,type.integer,y,"""y"" is not a whole number"
6,7,net_kg,range.high,22500,"""22500"" is above the maximum 20000"
`, sink.Violations.String())
	assert.Equal(t, []sift.Unjudged{{Rule: "net is gross less tare", Rows: 3}}, result.Unjudged)
	assert.Equal(t, "2026-07-31", result.Today)
	assert.Equal(t, sift.Tally{Read: 6, Accepted: 3, Rejected: 3}, result.Tally)
}

const sender = `mapping: ahrensee
target: tickets
layout: {delimiter: ";", encoding: UTF-8}
columns:
  ticket_no: {derive: '"AH-" + cell("No").trim()'}
  weighed_on: {from: Day, format: [dd.MM.yyyy, d.M.yy], null: ["", "00.00.0000"]}
  gross_kg: {from: Gross, groupChar: "."}
  tare_kg: {from: [Tara, Tare], groupChar: ".", default: 7000}
  net_kg: {derive: gross_kg - tare_kg}
  remark: {derive: 'string(row) + " of " + fileName'}
  site: {value: Ahrensee}
leftOut: [Driver]
exclude:
  - {condition: cell("No").startsWith("TEST"), reason: trial weighings}
  - {condition: gross_kg == tare_kg, reason: empty lorries}
`

func TestMapping(t *testing.T) {
	for _, workers := range []int{1, 8} {
		result, sink := mapped(t, tickets, sender, `NO;day;Gross;Tare;Driver;Colour
 17;20.07.2026;20.000;7.500;x;red
TEST 1;nonsense;;;;
18;20.07.2026;7.000;;x;red
19;00.00.0000;9.000;7.0o0;x;red
20;20.07.2026;;7.500;x;red
17;20.07.2026;20.000;7.500;x;red
`, workers)
		assert.Equal(t, "ticket_no,weighed_on,gross_kg,tare_kg,net_kg,remark,site\n"+
			"AH-17,2026-07-20,20000,7500,12500,1 of tickets-2026-07.csv,Ahrensee\n"+
			"AH-19,,9000,7.0o0,,4 of tickets-2026-07.csv,Ahrensee\n", sink.Accepted.String())
		assert.Equal(t, "row,line,reason,NO,day,Gross,Tare,Driver,Colour\n"+
			"2,3,trial weighings,TEST 1,nonsense,,,,\n3,4,empty lorries,18,20.07.2026,7.000,,x,red\n",
			sink.Excluded.String())
		assert.Equal(t, `row,line,column,code,value,message
,1,Colour,header.unknown,Colour,"the target has no column for ""Colour"" (column 6 of the delivery): its values are left out"
4,5,tare_kg,type.integer,7.0o0,"""7.0o0"" is not a whole number"
5,6,gross_kg,required.empty,,"the cell is empty, and a value is required"
6,7,ticket_no,key.duplicate,AH-17,"""AH-17"" is already in row 1 (line 2), which is kept"
`, sink.Violations.String())
		assert.Equal(t, []sift.Excluded{{Reason: "trial weighings", Rows: 1}, {Reason: "empty lorries", Rows: 1}},
			result.Excluded)
		assert.Equal(t, []string{"Driver"}, result.LeftOut)
		assert.Equal(t, sift.Tally{Read: 6, Accepted: 2, Rejected: 2, Excluded: 2}, result.Tally)
		assert.Contains(t, counted(result), sift.Remedy{Column: "tare_kg", Remedy: "default", Changed: 1})
	}
}

// A column holds the codes of a list, letter by letter or without regard to case and blanks.
// A code list is a recode that is kept elsewhere: codes become labels, or labels codes. What
// the list does not have, and labels that several codes share, stay.
func TestTranslate(t *testing.T) {
	lists := []*codes.List{}
	for name, text := range map[string]string{"crops": "code;crop\nW;wheat\nB;barley\nG;barley\nX;\n"} {
		l, err := codes.Parse(t.Context(), name, []byte(text))
		require.NoError(t, err)
		lists = append(lists, l)
	}
	for remedy, want := range map[string]string{
		"{translate: crops}":                     "wheat,barley,barley,X,wheat,barley,,w,|3",
		"{translate: {codes: crops, to: label}}": "wheat,barley,barley,X,wheat,barley,,w,|3",
		"{translate: {codes: crops, to: code}}":  "W,B,G,X,W,barley,,w,|1",
		"upper, {translate: crops}":              "wheat,barley,barley,X,WHEAT,BARLEY,,wheat,|4",
	} {
		o := order{target: "target: t\ncolumns: [{name: c, remedies: [" + remedy + "]}, {name: n}]\n",
			text:  "c;n\nW;1\nB;1\nG;1\nX;1\nwheat;1\nbarley;1\n;1\nw;1\n",
			codes: lists, workers: 2}
		result, sink, _ := o.sift(t)
		var got strings.Builder
		for _, r := range records(t, &sink.Accepted) {
			got.WriteString(r[0] + ",")
		}
		last := result.Remedies[len(result.Remedies)-1]
		assert.Equal(t, want, fmt.Sprintf("%s|%d", got.String(), last.Changed), remedy)
	}
	tg, err := target.Parse([]byte("target: t\ncolumns: [{name: c, remedies: [{translate: crops}]}]\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"crops"}, tg.CodeLists())
	_, err = (&sift.Run{Source: mustRead(t, "c\nW\n"), Target: tg}).Do(t.Context())
	assert.ErrorContains(t, err, "the code list crops is not given")
	for text, want := range map[string]string{"[translate]": "translate needs codes",
		"[{translate: {codes: crops, to: both}}]": "to is label or code"} {
		_, err := target.Parse([]byte("target: t\ncolumns: [{name: c, remedies: " + text + "}]\n"))
		assert.ErrorContains(t, err, want, text)
	}
}

func mustRead(t *testing.T, text string) source.Source {
	t.Helper()
	r, err := source.NewReader(strings.NewReader(text), layout.Layout{Form: "delimited", Encoding: "utf-8",
		Delimiter: ";", HeaderRows: 1})
	require.NoError(t, err)
	return r
}

func TestCodeLists(t *testing.T) {
	sites, err := codes.Parse(t.Context(), "sites",
		[]byte("code;label\nAHR;Ahrensee\nBru Nord;Brunnthal\nDOR;Dornau\ndor;dornau\n"))
	require.NoError(t, err)
	for strict, want := range map[bool][2]string{
		true:  {"AHR\n\n", "2 code.unknown,3 code.unknown,4 code.unknown,5 code.unknown"},
		false: {"AHR\nAHR\nBru Nord\n\n", "4 code.unknown,5 code.unknown"},
	} {
		tg, err := target.Parse([]byte(fmt.Sprintf("target: t\ncolumns:\n  - {name: site, oneOf: {codes: sites, "+
			"strict: %v}}\n", strict)))
		require.NoError(t, err)
		assert.Equal(t, []string{"sites"}, tg.CodeLists())
		r, err := source.NewReader(strings.NewReader("site\nAHR\n ahr\nBRU  nord\nDor\nx\n\"\"\n"),
			layout.Layout{Form: "delimited",
				Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1, SkipBlankRows: true})
		require.NoError(t, err)
		sink := &outcometest.Texts{}
		run := sift.Run{Source: r, Encoding: "utf-8", Target: tg, Codes: []*codes.List{sites}, Outputs: sink.Outputs()}
		result, err := run.Do(t.Context())
		require.NoError(t, err)
		assert.Equal(t, "site\n"+want[0], sink.Accepted.String())
		var found []string
		for _, v := range records(t, &sink.Violations) {
			found = append(found, v[0]+" "+v[3])
		}
		assert.Equal(t, want[1], strings.Join(found, ","))
		if !strict {
			assert.Equal(t, []sift.Remedy{{Column: "site", Remedy: "codes", Changed: 2}}, counted(result))
			assert.Equal(t, []sift.Change{{Before: " ahr", After: "AHR", Cells: 1},
				{Before: "BRU  nord", After: "Bru Nord", Cells: 1}}, result.Remedies[0].Pairs)
		}
		run.Codes = nil
		_, err = run.Do(t.Context())
		assert.ErrorContains(t, err, "the code list sites is not given")
		assert.Equal(t, []string{"AHR", "Bru Nord", "DOR", "dor"}, tg.WithCodes([]*codes.List{sites}).Columns[0].OneOf)
	}
}

func TestNothingAccepted(t *testing.T) {
	result, _ := mapped(t, "target: t\ncolumns: [{name: a, datatype: integer}]\nexclude: [{condition: a > 1}]\n", "",
		"a\n2\n3\nx\n", 1)
	assert.Equal(t, sift.Refused, result.Verdict)
	assert.Equal(t, "no row was accepted: 1 were rejected and 2 left out", result.Refusal)
	assert.Equal(t, []sift.Excluded{{Reason: "a > 1", Rows: 2}}, result.Excluded)
}

func TestComputedValuesThatFail(t *testing.T) {
	_, sink := mapped(t, `target: t
columns:
  - {name: first, derive: 'cell("Name").split(" ")[0]', maxLength: 4}
  - {name: last, derive: 'cell("Name").split(" ")[1]', required: true}
  - {name: day, datatype: date, derive: 'cell("Day") + "." + cell("Year")', format: d.M.yyyy}
`, "", "Name;Day;Year\nAnna Beispiel;1.2;2026\nMadonna;31.2;2026\n", 1)
	assert.Equal(t, "first,last,day\nAnna,Beispiel,2026-02-01\n", sink.Accepted.String())
	assert.Equal(t, `row,line,column,code,value,message
2,3,first,text.long,Madonna,"""Madonna"" has 7 characters, at most 4 fit; it is computed from Name ""Madonna"""
2,3,last,derive.failed,,"the value cannot be computed: index out of bounds: 1; it is computed from Name ""Madonna"""
2,3,day,date.impossible,31.2.2026,"""31.2.2026"" has the form of a date, but the calendar has no such day or time; it is computed from Day ""31.2"", Year ""2026"""
`, sink.Violations.String())
}

// What deliveries drawn at random have shown to go wrong.
func TestSmallThings(t *testing.T) {
	crops, err := codes.Parse(t.Context(), "crops", []byte("code\nBarley\nrye\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		target, mapping, text string
		want, accepted        string
	}{
		// A list with a value that is wrong stays as it is, and nothing of it is counted as changed.
		{"{name: v, oneOf: {codes: crops, strict: false}, separator: '|', onViolation: flag}", "",
			"barley|x\nx|barley\nbarley|RYE\n", "1 v code.unknown|2 v code.unknown", "w,v\n,barley|x\n,x|barley\n,Barley|rye\n"},
		// White space is no value where a condition requires one.
		{"{name: v, requiredWhen: row > 1}", "", "\" \"\n\" \"\n\"\u00a0\"\nx\n",
			"2 v required.empty|3 v required.empty", ""},
		{"{name: v, requiredWhen: row > 1, null: [x]}", "", "\"\"\n\"\"\n\"\"\"\"\n", "2 v required.empty", ""},
		// What is missing is not mended by taking it away.
		{"{name: v, datatype: integer, requiredWhen: row > 1, onViolation: blank}", "", "y\ny\n",
			"1 v type.integer|2 v type.integer|2 v required.empty", ""},
		// A list of one empty value is a text.
		{"{name: v, separator: '|', null: [x], oneOf: [a]}\nrowRules: [{name: r, condition: has(v)}]", "",
			"\"\"\nx\n", "1 v value.unknown|2 r rule.failed", ""},
	} {
		tg := "target: t\ncolumns:\n  - {name: w}\n  - " + c.target + "\n"
		text := "w;v\n;" + strings.ReplaceAll(strings.TrimSuffix(c.text, "\n"), "\n", "\n;") + "\n"
		result, sink, found := order{target: tg, mapping: c.mapping, text: text, codes: []*codes.List{crops}}.sift(t)
		var said []string
		for _, f := range found {
			f, _, _ = strings.Cut(f, ":")
			said = append(said, f[:strings.LastIndex(f, " ")])
		}
		assert.Equal(t, c.want, strings.Join(said, "|"), c.target)
		if c.accepted != "" {
			assert.Equal(t, c.accepted, sink.Accepted.String())
			assert.EqualValues(t, 1, counted(result)[0].Changed)
			assert.Equal(t, []sift.Change{{Before: "barley|RYE", After: "Barley|rye", Cells: 1}}, result.Remedies[0].Pairs)
		}
	}
}
