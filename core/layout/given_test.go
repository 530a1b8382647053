package layout_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
)

// A whole layout that is written down and read back as settings sets what its own
// Given sets, and nothing of other forms.
func TestLayoutGivenBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := rapid.IntRange(0, 5)
		l := layout.Layout{
			Form:          rapid.SampledFrom([]string{layout.Delimited, layout.Fixed, layout.Workbook}).Draw(t, "form"),
			ByteOrderMark: rapid.Bool().Draw(t, "mark"), LineTerminator: "crlf",
			SkipRows: number.Draw(t, "skip"), HeaderRows: number.Draw(t, "header"),
			FooterRows:  number.Draw(t, "footer"),
			HeaderNames: rapid.SampledFrom([]string{"", layout.Joined, layout.Last}).Draw(t, "names"),
			Member:      rapid.SampledFrom([]string{"", "a.csv"}).Draw(t, "member"),
		}
		if l.Form == layout.Workbook {
			l.Sheet, l.SkipColumns, l.Merged, l.Hidden = "July", number.Draw(t, "columns"), layout.First, layout.Read
		} else {
			l.Encoding, l.CommentPrefix = "utf-8", rapid.SampledFrom([]string{"", "#"}).Draw(t, "comment")
			l.SkipBlankRows = rapid.Bool().Draw(t, "blank")
		}
		switch l.Form {
		case layout.Fixed:
			l.Cuts = []int{3, 9}
		case layout.Delimited:
			l.Delimiter = rapid.SampledFrom([]string{"", ";", "\t"}).Draw(t, "delimiter")
			l.QuoteChar, l.DoubleQuote = `"`, rapid.Bool().Draw(t, "double")
			l.Trim, l.ClosingDelimiter = rapid.Bool().Draw(t, "trim"), rapid.Bool().Draw(t, "closing")
			l.Fold, l.Nameless = number.Draw(t, "fold"), rapid.SampledFrom([]string{"", layout.First}).Draw(t,
				"nameless")
		}
		text, err := json.Marshal(l)
		require.NoError(t, err)
		var given layout.Given
		require.NoError(t, json.Unmarshal(text, &given))
		want := l.Given()
		if l.Member == "" {
			want.Member = nil
		}
		assert.Equal(t, want, given)
		assert.NoError(t, given.Check())
	})
}

// Settings of another form that say something stay, so that whoever uses them can
// refuse the contradiction; a setting that does not exist is an error.
func TestGivenSays(t *testing.T) {
	var g layout.Given
	require.NoError(t, json.Unmarshal([]byte(`{"form":"delimited","sheet":"July","cuts":[2],"merged":""}`), &g))
	assert.Equal(t, "July", *g.Sheet)
	assert.Equal(t, []int{2}, *g.Cuts)
	assert.Nil(t, g.Merged)
	require.NoError(t, json.Unmarshal([]byte(`{"delimiter":"","sheet":""}`), &g))
	assert.Equal(t, "", *g.Delimiter, "without a form, empty is what is set")
	assert.ErrorContains(t, json.Unmarshal([]byte(`{"delimeter":";"}`), &g), `unknown field "delimeter"`)
}

func TestAllFaults(t *testing.T) {
	l := layout.Layout{Form: "odd", Encoding: "odd", Delimiter: "\n", QuoteChar: "''", CommentPrefix: "\x00",
		SkipRows:   -1,
		HeaderRows: 1001, HeaderNames: "odd", Nameless: "odd", FooterRows: 1e6, Fold: -2, Member: "\xff", Sheet: "\x00",
		SkipColumns: -1, Merged: "odd", Hidden: "odd", Cuts: []int{4, 4}}
	var faults layout.Faults
	require.ErrorAs(t, l.Check(), &faults)
	var settings []string
	for _, f := range faults {
		settings = append(settings, f.Setting)
	}
	assert.ElementsMatch(t, []string{"form", "encoding", "delimiter", "quoteChar", "commentPrefix", "skipRows",
		"headerRows",
		"headerNames", "nameless", "footerRows", "fold", "member", "sheet", "skipColumns", "merged", "hidden", "cuts"},
		settings)
	assert.Nil(t, (&layout.Layout{Form: layout.Delimited, Encoding: "utf-8"}).Check())
}
