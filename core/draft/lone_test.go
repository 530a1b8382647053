package draft_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/target"
)

// A number or date that often stands for a missing one, and occurs once or twice, may be real: it is
// offered behind a comment sign. What the comments count adds up with what the rules take.
func TestLoneValuesAreNotMissing(t *testing.T) {
	for name, c := range map[string]struct {
		usual       func(i int) string
		odd         string
		times       int
		null, offer string
	}{
		"a price of nines once": {func(i int) string { return fmt.Sprintf("%d.%02d", 10+i%40, i%100) }, "999.99", 1, "",
			"999.99 (1)"},
		"a price of nines often": {func(i int) string { return fmt.Sprintf("%d.%02d", 10+i%40, i%100) }, "999.99", 6,
			"999.99", ""},
		"99 once among 0 and 1": {func(i int) string { return fmt.Sprint(i % 2) }, "99", 1, "", "99 (1)"},
		"a word once":           {func(i int) string { return fmt.Sprint(i) }, "n/a", 1, "n/a", ""},
		"the first day once": {func(i int) string { return fmt.Sprintf("2026-07-%02d", 1+i%28) }, "1900-01-01", 1, "",
			"1900-01-01 (1)"},
		"the first day many times": {func(i int) string { return fmt.Sprintf("2026-07-%02d", 1+i%28) }, "1900-01-01", 9,
			"1900-01-01", ""},
	} {
		t.Run(name, func(t *testing.T) {
			rows := [][]string{{"id", "v"}}
			for i := range 80 {
				rows = append(rows, []string{fmt.Sprintf("K-%04d", i), c.usual(i)})
			}
			for i := range c.times {
				rows = append(rows, []string{fmt.Sprintf("L-%04d", i), c.odd})
			}
			text := string(draftOf(t, rows).YAML())
			of, err := target.Parse([]byte(text))
			require.NoError(t, err)
			want := []string{""}
			if c.null != "" {
				want = append(want, c.null)
			}
			assert.Equal(t, want, of.Column("v").Null, text)
			if c.offer != "" {
				assert.Contains(t, text, "perhaps stands for a missing value: "+c.offer)
			}
			assert.NotContains(t, text, "values are", "all values fit, those that are missing left out")
		})
	}
}

// A format counts the days that the calendar has.
func TestFormatsCountDays(t *testing.T) {
	rows := [][]string{{"id", "day"}}
	for i := range 60 {
		rows = append(rows, []string{fmt.Sprint(i), fmt.Sprintf("%02d.07.2026", 1+i%31)})
	}
	for i := range 40 {
		rows = append(rows, []string{fmt.Sprint(60 + i), fmt.Sprintf("2026-08-%02d", 1+i%31)})
	}
	rows = append(rows, []string{"100", "31.06.2026"}, []string{"101", "2026-02-30"})
	text := string(draftOf(t, rows).YAML())
	assert.Contains(t, text, "dd.MM.yyyy (60), yyyy-MM-dd (40)")
	assert.Contains(t, text, "100 of 102 values are")
	assert.Equal(t, 1, strings.Count(text, "values are"))
}

// A header that an expression of the target reads is not left out.
func TestHeadersThatAreRead(t *testing.T) {
	of, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: no}\n" +
		"  - {name: place, derive: 'cell(\"Mill\") + \"/\" + cell(\"Silo No.\")'}\n" +
		"rowRules: [{name: r, condition: 'cell(\"State\") != \"x\"'}]\n" +
		"exclude: [{reason: trial, condition: 'cell(\"Kind\") == \"t\"'}]\n"))
	require.NoError(t, err)
	text := "No,mill,silo no,State,KIND,Remark\n"
	for i := range 30 {
		text += fmt.Sprintf("%d,A,%d,ok,w,fine\n", i, i%4)
	}
	m := mappingOf(t, t.TempDir(), "a.csv", []byte(text), of, layout.Given{})
	assert.Contains(t, string(m.YAML()), `leftOut: ["Remark"]  #`)
}
