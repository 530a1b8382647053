package delimited_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/delimited"
)

func TestIsOrderly(t *testing.T) {
	csv := delimited.Dialect{Delimiter: ",", Quote: `"`, Most: 100}
	for line, want := range map[string]bool{
		``: true, `a,b`: true, `"a","b"`: true, `a,"b",`: true, `"",""`: true, `"a ""b""",c`: true, `""""`: true,
		`"` + strings.Repeat("x,", 30) + `"`: true,
		`"a`:                                 false, `a"b`: false, `"a"b,c`: false, `"a""`: false, ` "a"`: false,
		`"a" ,b`:                false,
		`"""`:                   false,
		strings.Repeat(",", 99): true, strings.Repeat(",", 100): false, // perhaps more cells than the most
	} {
		assert.Equal(t, want, csv.IsOrderly([]byte(line)), line)
	}
	for name, d := range map[string]delimited.Dialect{
		"no quotes":       {Delimiter: ","},
		"one column":      {Quote: `"`},
		"long delimiter":  {Delimiter: "||", Quote: `"`},
		"long quote":      {Delimiter: ",", Quote: "''"},
		"escaped":         {Delimiter: ",", Quote: `"`, Escape: `\`},
		"trimmed":         {Delimiter: ",", Quote: `"`, Trim: true},
		"zero as a quote": {Delimiter: ",", Quote: "\x00"},
		"zero between":    {Delimiter: "\x00", Quote: `"`},
		"few columns":     {Delimiter: ",", Quote: `"`, Most: 2},
	} {
		assert.False(t, d.IsOrderly([]byte(`"a","b"`)), name)
	}
}

// What is orderly is what Scan reads as one line without a defect, and has the same cells.
func TestOrderlyLinesAreScanned(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := delimited.Dialect{Delimiter: rapid.SampledFrom([]string{",", ";", "\t", "\x80"}).Draw(t, "delimiter"),
			Quote: rapid.SampledFrom([]string{`"`, "'", "\xff"}).Draw(t, "quote"), Most: 1000}
		if rapid.Bool().Draw(t, "doubled by name") {
			d.Escape = d.Quote
		}
		pieces := []string{"a", "\x00", "ä", " ", strings.Repeat("long ", 9), d.Delimiter, d.Quote, d.Quote + d.Quote,
			d.Quote + d.Delimiter + d.Quote}
		line := strings.Join(rapid.SliceOfN(rapid.SampledFrom(pieces), 0, 24).Draw(t, "pieces"), "")
		before := strings.Repeat("x", rapid.IntRange(0, 9).Draw(t, "before"))
		behind := rapid.SampledFrom([]string{"", "\n", "\r\n", "\r", "\n" + line + "\n"}).Draw(t, "behind")
		buf := []byte(before + line + behind)
		start, end := len(before), len(before)+len(line)
		var r delimited.Record
		require.True(t, d.Scan(buf, start, true, 0, &r))
		plain := r.Lines == 1 && !r.Open && len(r.Defects) == 0
		if !d.IsOrderly(buf[start:end]) {
			require.False(t, plain, "a line without a defect takes the slow way")
			return
		}
		require.True(t, plain)
		require.Equal(t, end, r.End)
		first := []delimited.Span{{Start: 7, End: 9}}
		cells, escaped := d.AppendQuoted(first, []int{0}, buf, start, end)
		require.Equal(t, r.Cells, cells[1:])
		for i, e := range r.Escaped {
			require.Equal(t, e+1, escaped[i+1])
		}
		require.Len(t, escaped, len(r.Escaped)+1)
	})
}
