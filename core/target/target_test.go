package target_test

import (
	"errors"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/remedy"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/violation"
)

const example = `
target: weighbridge_tickets
title: Weighbridge tickets
columns:
  - name: ticket_no
    titles: [Ticket No., Ticket]
    format: '[A-Z]{2}-[0-9]{6}'
    required: true
    unique: true
    remedies: [trim, upper]
  - name: weighed_on
    titles: Date
    datatype: date
    format: [dd.MM.yyyy, d.M.yy]
    minimum: 2026-01-01
  - name: moisture_pct
    position: 3
    datatype: decimal
    decimalChar: ","
    groupChar: "."
    precision: 4
    scale: 1
    minimum: 5
    maximum: 40.50
    null: ["", "n/a", null]
    onViolation: blank
  - name: crop
    maxLength: 20
    oneOf: [wheat, 007, yes]
    remedies:
      - squeeze
      - recode: {Weizen: wheat, 1: rye, x: ""}
key: [ticket_no, weighed_on]
tolerance: {rejected: 2.5%}
`

func TestParse(t *testing.T) {
	got, err := target.Parse([]byte(example))
	require.NoError(t, err)
	four, one, twenty, blank := 4, 1, 20, violation.Blank
	assert.Equal(t, &target.Target{
		Name: "weighbridge_tickets", Title: "Weighbridge tickets", Text: []byte(example),
		Key: []string{"ticket_no", "weighed_on"}, Tolerance: target.Tolerance{Share: big.NewRat(1, 40)},
		Columns: []target.Column{
			{Name: "ticket_no", Titles: []string{"Ticket No.", "Ticket"}, Formats: []string{"[A-Z]{2}-[0-9]{6}"},
				Required: true, Unique: true,
				Null: []string{""}, Remedies: []remedy.Remedy{{Name: "trim"}, {Name: "upper"}}},
			{Name: "weighed_on", Titles: []string{"Date"}, Datatype: value.Date,
				Formats: []string{"dd.MM.yyyy", "d.M.yy"}, Required: true, Null: []string{""}, Minimum: "2026-01-01"},
			{Name: "moisture_pct", Position: 3, Datatype: value.Decimal, DecimalChar: ",", GroupChar: ".",
				Precision: &four, Scale: &one, Minimum: "5", Maximum: "40.50",
				Null: []string{"", "n/a", "null"}, OnViolation: &blank},
			{Name: "crop", Null: []string{""}, MaxLength: &twenty, OneOf: []string{"wheat", "007", "yes"},
				Remedies: []remedy.Remedy{{Name: "squeeze"},
					{Name: "recode", Pairs: map[string]string{"Weizen": "wheat", "1": "rye", "x": ""}}}},
		},
	}, got)
}

func TestJSONIsRead(t *testing.T) {
	got, err := target.Parse([]byte(`{"target": "t", "columns": [{"name": "a", "datatype": "integer", "maximum": 9}], "tolerance": {"rejected": 100}}`))
	require.NoError(t, err)
	assert.Equal(t, "9", got.Columns[0].Maximum)
	assert.Equal(t, int64(100), *got.Tolerance.Rows)
}

func TestProblems(t *testing.T) {
	column := func(rule string) string { return "target: t\ncolumns:\n  - name: a\n    " + rule + "\n" }
	for _, c := range []struct {
		text         string
		line, column int
		says         string
	}{
		{"", 1, 1, "empty"},
		{"target: [", 1, 9, "not YAML"},
		{"\xff", 1, 1, "UTF-8"},
		{"- a", 1, 1, "a target is a list of properties"},
		{"target: t\n", 1, 7, "no columns"},
		{"columns:\n  - name: a\n", 1, 8, "no name"},
		{"target: t x\ncolumns:\n  - name: a\n", 1, 9, "letters, digits"},
		{"target: t\ncolums:\n  - name: a\n", 2, 1, `did you mean "columns"`},
		{"target: t\ncolumns: []\n", 2, 10, "no columns"},
		{column("requird: true"), 4, 5, `did you mean "required"`},
		{column("zzz: true"), 4, 5, "it has name, titles"},
		{column("required: maybe"), 4, 15, "true or false"},
		{column("datatype: date-time"), 4, 15, "unknown datatype"},
		{column("maxLength: -1"), 4, 16, "from 0 up"},
		{column("maxLength: 3\n    minLength: 5"), 5, 16, "greater than maxLength"},
		{column("format: '[a'"), 4, 13, "regular expression"},
		{column("datatype: date\n    format: YYYY"), 5, 13, "date pattern"},
		{column("datatype: boolean\n    format: yes"), 5, 13, "Y|N"},
		{column("datatype: decimal\n    decimalChar: '.'\n    groupChar: '.'"), 5, 18, "both"},
		{column("decimalChar: ','"), 4, 18, "goes with numbers"},
		{column("scale: 2"), 4, 12, "scale goes with decimal"},
		{column("datatype: decimal\n    scale: 2"), 5, 12, "scale needs precision"},
		{column("datatype: decimal\n    precision: 2\n    scale: 3"), 6, 12, "greater than precision"},
		{column("datatype: date\n    minimum: 31.07.2026"), 5, 14, "canonical form"},
		{column("datatype: integer\n    minimum: 9\n    maximum: 3"), 5, 14, "greater than maximum"},
		{column("datatype: integer\n    maximum: 3\n    oneOf: [2, 4]"), 6, 12, "above the maximum"},
		{column("oneOf: []"), 4, 12, "no value"},
		{column("onViolation: ignore"), 4, 18, "unknown action"},
		{column("required: true\n    onViolation: blank"), 5, 18, "cannot be blanked"},
		{column("unique: true\n    onViolation: blank"), 5, 18, "cannot be blanked"},
		{column("remedies: [trimm]"), 4, 16, `did you mean "trim"`},
		{column("remedies: [recode]"), 4, 16, "recode needs pairs"},
		{column("name: b"), 4, 5, "name"},
		{"target: t\ncolumns:\n  - name: a\n  - name: a\n", 4, 9, `a second column "a"`},
		{"target: t\ncolumns:\n  - name: a\nkey: [b]\n", 4, 6, "not a column"},
		{"target: t\ncolumns:\n  - name: a\ntolerance: {rejected: lots}\n", 4, 23, "neither a number of rows"},
	} {
		_, err := target.Parse([]byte(c.text))
		var problems target.Problems
		require.True(t, errors.As(err, &problems), "%q gave %v", c.text, err)
		assert.Contains(t, problems[0].Message, c.says, "%q", c.text)
		assert.Equal(t, [2]int{c.line, c.column}, [2]int{problems[0].Line, problems[0].Column}, "%q: %v", c.text, err)
	}
}

func TestAllProblemsAreTold(t *testing.T) {
	_, err := target.Parse([]byte("target: t\ncolumns:\n  - name: a\n    requird: true\n  - nam: b\nkey: [c]\n"))
	var problems target.Problems
	require.ErrorAs(t, err, &problems)
	assert.Len(t, problems, 3)
}

func TestTolerance(t *testing.T) {
	five := int64(5)
	for _, c := range []struct {
		tolerance      target.Tolerance
		rejected, read int64
		want           bool
		text           string
	}{
		{target.Tolerance{}, 100, 100, false, "no limit"},
		{target.Tolerance{Rows: &five}, 5, 5, false, "5"},
		{target.Tolerance{Rows: &five}, 6, 1000, true, "5"},
		{target.Tolerance{Share: big.NewRat(2, 100)}, 2, 100, false, "2%"},
		{target.Tolerance{Share: big.NewRat(2, 100)}, 3, 100, true, "2%"},
		{target.Tolerance{Share: big.NewRat(0, 1)}, 0, 0, false, "0%"},
		{target.Tolerance{Share: big.NewRat(1, 3)}, 1, 3, false, "33.333333%"},
	} {
		assert.Equal(t, c.want, c.tolerance.Exceeded(c.rejected, c.read), c.text)
		assert.Equal(t, c.text, c.tolerance.String())
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(example))
	f.Add([]byte("target: t\ncolumns:\n  - {name: a, datatype: date, format: [x, y], null: ~}\n"))
	f.Add([]byte("a: &x [*x]\n"))
	f.Add([]byte(strings.Repeat("[", 60)))
	f.Add([]byte(strings.Repeat("- ", 60) + "a"))
	f.Add([]byte("target: t\ncolumns:\n  - {name: a, format: '(a{0,900}|b){3}', minimum: " + strings.Repeat("9", 120) +
		"}\n"))
	f.Add([]byte("target: t\ncolumns:\n  - name: a\n" + strings.Repeat("    b: 1\n", 200)))
	f.Fuzz(func(t *testing.T, text []byte) {
		got, err := target.Parse(text)
		if err == nil {
			again, err := target.Parse(got.Text)
			require.NoError(t, err)
			assert.Equal(t, got, again)
			return
		}
		var problems target.Problems
		require.ErrorAs(t, err, &problems)
		require.NotEmpty(t, problems)
		require.LessOrEqual(t, len(problems), 101, "they are told up to a bound")
		for _, p := range problems {
			assert.Less(t, len(p.Message), 500)
			assert.Positive(t, p.Line)
			assert.Positive(t, p.Column)
		}
	})
}
