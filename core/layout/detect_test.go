package layout_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
)

func detect(text string, given layout.Given) (layout.Layout, map[string]layout.Evidence) {
	l, evidence, _ := layout.Detect(context.Background(), layout.Sample{Head: []byte(text)}, given)
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
		{"plain", "ticket,net,crop\nAH-1,5025,wheat\nAH-2,18505,rye\n", layout.Layout{Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"decimal commas", "site;moisture;protein\r\nA;13,5;9,71\r\nB;14,5;10,25\r\n",
			layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "crlf", HeaderRows: 1}},
		{"windows-1252", "hof;kg\nGro\xdfacker;12\nM\xfchlbach;14\n", layout.Layout{Encoding: "windows-1252",
			Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"a broken bar in windows-1252",
			"Name\xa6Ort\xa6Menge\nM\xfcller\xa6Brunnthal\xa612,5\nGr\xf6\xdfe\xa6Dornau\xa613,5\nB\xe4r\xa6Elmenau\xa614,25\n", layout.Layout{Encoding: "windows-1252", Delimiter: "¦", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"a section sign in macintosh",
			"Name\xa4Ort\xa4Menge\nM\x9fller\xa4Brunnthal\xa412,5\nGr\x9a\xa7e\xa4D\x9frrenau\xa413,5\nB\x8ar\xa4Elmenau\xa414,25\n", layout.Layout{Encoding: "macintosh", Delimiter: "§", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"utf-8 with a mark", "\xEF\xBB\xBFhof\tkg\nGroßacker\t12\n", layout.Layout{Encoding: "utf-8",
			ByteOrderMark: true, Delimiter: "\t", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"utf-8 with one damaged byte", "hof;kg\n" + strings.Repeat("Größe;1\n", 20) + "M\xfchl;2\n",
			layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"no header", "1,2\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
			LineTerminator: "lf"}},
		{"titles and totals", "Talfeld\nJuly;;\nsite;kg;moist\nA;12;13,5\nB;14;14,5\nSumme;26;\n",
			layout.Layout{Encoding: "utf-8", Delimiter: ";", QuoteChar: `"`, LineTerminator: "lf", SkipRows: 1,
				HeaderRows: 1, FooterRows: 1}},
		{"single quotes", "a|b\n'x|y'|1\n'z''s'|2\n'q'|3\n", layout.Layout{Encoding: "utf-8", Delimiter: "|",
			QuoteChar: "'", LineTerminator: "lf", HeaderRows: 1}},
		{"one column", "remark\nall well\nnothing to say\n", layout.Layout{Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"free text with commas", "remark\nall well, thanks\nnothing\nwet, cold, late\nfine\n",
			layout.Layout{Encoding: "utf-8", Delimiter: "", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"comments", "# exported\na,b\n1,2\n# half way\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, CommentPrefix: "#", LineTerminator: "lf", HeaderRows: 1}},
		{"CR only", "a,b\r1,2\r3,4\r", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
			LineTerminator: "cr", HeaderRows: 1}},
		{"mixed line ends", "a,b\r\n1,2\n3,4\n", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
			LineTerminator: "mixed", HeaderRows: 1}},
		{"empty", "", layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf",
			HeaderRows: 1}},
		{"a last row that is cut short stays a row", "a,b,c\n1,2,3\n4,5,6\n7",
			layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1}},
		{"a note behind a blank line", "a,b\n1,2\n3,4\n\nprinted by the scale\n",
			layout.Layout{Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`, LineTerminator: "lf", HeaderRows: 1,
				FooterRows: 2}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, evidence := detect(c.text, layout.Given{})
			c.want.Form, c.want.DoubleQuote, c.want.SkipBlankRows, c.want.HeaderNames, c.want.Cuts = "delimited", true,
				true, "joined", []int{}
			if c.name == "titles and totals" {
				c.want.SkipRows = got.SkipRows // the second title has the table's width: 1 or 2 lines
			}
			assert.Equal(t, c.want, got)
			require.NoError(t, got.Check())
			for _, setting := range []string{"form", "encoding", "lineTerminator", "delimiter", "quoteChar",
				"doubleQuote", "commentPrefix", "skipRows", "headerRows", "footerRows"} {
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
	l, evidence := detect("x\na,b;c\nd,e;f\n", layout.Given{Delimiter: &semicolon, QuoteChar: &none, Encoding: &latin,
		SkipRows: &skip, HeaderRows: &header})
	assert.Equal(t, []any{";", "", "iso-8859-1", 1, 0}, []any{l.Delimiter, l.QuoteChar, l.Encoding, l.SkipRows,
		l.HeaderRows})
	assert.Equal(t, "set by hand", evidence["delimiter"].Why)
	assert.InDelta(t, 1, evidence["skipRows"].Confidence, 0)
}

func TestFold(t *testing.T) {
	var b strings.Builder
	for i := range 40 {
		fmt.Fprintf(&b, "2026-07-01T%02d:00:00Z\nsilo-%d\n%d.5\n%d\nok\n", i%24, i%4, 10+i%7, 40+i%9)
	}
	l, evidence := detect(b.String()+"2026-07-02T00:00:00Z\nsilo-1\n", layout.Given{})
	assert.Equal(t, []any{5, 0, ""}, []any{l.Fold, l.HeaderRows, l.Delimiter})
	assert.Contains(t, evidence["fold"].Why, "recurs every 5 lines; 2 values are left over at the end")

	l, _ = detect("read at\nsilo\ntemperature\nhumidity\nstate\n"+b.String(), layout.Given{})
	assert.Equal(t, []any{5, 1}, []any{l.Fold, l.HeaderRows}, "the first values name the others")
	for _, text := range []string{"remark\nall well\nnothing to say\n", strings.Repeat("12\n13\n14\n", 30),
		strings.Repeat("12,5;a\n13,5;b\n", 30)} {
		l, _ = detect(text, layout.Given{})
		assert.Zero(t, l.Fold, text)
	}
	two := 2
	l, _ = detect("a\nb\n1\n2\n", layout.Given{Fold: &two})
	assert.Equal(t, []any{2, 1}, []any{l.Fold, l.HeaderRows})
}

func TestRowsUnderTheHeader(t *testing.T) {
	rows := strings.Repeat("7,2026-07-01,3,fine\n12,2026-07-02,4,\n", 20)
	l, evidence := detect("id,asked on,q1,remark\nnumber,day,how content are you?,anything else?\n,,1 to 5,text\n"+rows,
		layout.Given{})
	assert.Equal(t, []any{3, "first"}, []any{l.HeaderRows, l.HeaderNames})
	assert.NotEmpty(t, evidence["headerNames"].Why)
	l, _ = detect("weight,,when,remark\nkg,number,day,text\n"+rows, layout.Given{})
	assert.Equal(t, []any{2, "joined"}, []any{l.HeaderRows, l.HeaderNames})
	l, _ = detect("id,asked on,q1,remark\n7,not asked,n/a,bad row\n"+rows, layout.Given{})
	assert.Equal(t, 1, l.HeaderRows, "a bad row is a row")
}

// Tables as they are found: rows without their last cells, codes without a
// header, years for names.
func TestFoundTables(t *testing.T) {
	repeat := func(n int, row func(i int) string) (all string) {
		for i := range n {
			all += row(i)
		}
		return all
	}
	for name, c := range map[string]struct {
		text         string
		skip, header int
	}{
		"last cells left out": {"version,name,built,sold,scrapped\n" + repeat(20, func(i int) string {
			return fmt.Sprintf("%d.1,scale %c,20%02d-01-01", i, 'a'+i, i) + strings.Repeat(",2026-01-01", i%3) + "\n"
		}), 0, 1},
		"last cells left out below a title": {"Scales of the co-operative\nversion,name,built,sold,scrapped\n" +
			repeat(20, func(i int) string {
				return fmt.Sprintf("%d.1,scale %c,20%02d-01-01", i, 'a'+i, i) + strings.Repeat(",2026-01-01", i%3) +
					"\n"
			}), 1, 1},
		"codes and names": {repeat(20, func(i int) string {
			return fmt.Sprintf("%c%c\tplace %c\n", 'A'+i, 'Z'-i,
				'a'+i)
		}), 0, 0},
		"codes under a name": {"code\tname\n" + repeat(20, func(i int) string {
			return fmt.Sprintf("%c%c\tplace %c\n",
				'A'+i, 'Z'-i, 'a'+i)
		}), 0, 1},
		"places": {repeat(20, func(i int) string {
			return fmt.Sprintf("scale;+%04d%c%05d\n", 4000+i,
				"+-"[i%2], 100*i)
		}), 0, 0},
		"checksums": {repeat(20, func(i int) string {
			return fmt.Sprintf("%s;file %c\n",
				strings.Repeat(string(rune('a'+i)), 40), 'a'+i)
		}), 0, 0},
		"years for names": {"grower;2024;2025\n" +
			repeat(9, func(i int) string { return fmt.Sprintf("hof %c;%d;%d\n", 'a'+i, 1200+i, 1900+i) }), 0, 1},
	} {
		l, evidence := detect(c.text, layout.Given{})
		assert.Equal(t, []int{c.skip, c.header}, []int{l.SkipRows, l.HeaderRows}, "%s: %s; %s", name,
			evidence["skipRows"].Why, evidence["headerRows"].Why)
	}
}

// Whatever the bytes, there is a layout to read with, and evidence for it.
func TestDetectAlwaysDecides(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.SliceOfN(rapid.SampledFrom([]byte("ab1,;\t\"'|\r\n \xe4\xc3\xa4#")), 0, 200).Draw(t, "text")
		tail := rapid.SampledFrom([][]byte{nil, []byte("\xa4x\nsum;1\n")}).Draw(t, "tail")
		l, evidence, _ := layout.Detect(t.Context(), layout.Sample{Head: text, Tail: tail}, layout.Given{})
		require.NoError(t, l.Check())
		seen := map[string]bool{}
		for _, e := range evidence {
			assert.False(t, seen[e.Setting], "%s twice", e.Setting)
			seen[e.Setting] = true
		}
		assert.GreaterOrEqual(t, len(evidence), 10)
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

// Backslashes before closing quotes, as names of folders end, are told from those that stand before
// quotes inside of cells by the reading that gives whole rows.
func TestBackslashesBeforeQuotes(t *testing.T) {
	folder := `"C:\data\in\","ok","1"` + "\n"
	inside := `"the \"old\" scale","ok","2"` + "\n"
	doubled := `"the ""old"" scale","ok","3"` + "\n"
	plain := `"weighed","ok","4"` + "\n"
	for name, c := range map[string]struct {
		rows   string
		double bool
	}{
		"folders everywhere":       {strings.Repeat(folder, 20), true},
		"one folder in 200":        {strings.Repeat(plain, 100) + folder + strings.Repeat(plain, 99), true},
		"quotes inside everywhere": {strings.Repeat(inside, 20), false},
		"one quote inside in 200":  {strings.Repeat(plain, 100) + inside + strings.Repeat(plain, 99), false},
		"many inside, one folder":  {strings.Repeat(inside, 20) + folder + strings.Repeat(plain, 20), false},
		"doubled, and a folder":    {strings.Repeat(doubled, 20) + folder, true},
		"neither":                  {strings.Repeat(plain, 20), true},
	} {
		l, evidence := detect(`"place","state","no"`+"\n"+c.rows, layout.Given{})
		assert.Equal(t, c.double, l.DoubleQuote, name)
		assert.Equal(t, ",", l.Delimiter, name)
		assert.Equal(t, 1, l.HeaderRows, name)
		assert.NotEmpty(t, evidence["doubleQuote"].Why, name)
	}
}

// A header that is repeated, as on each page of a printout, is one still; a first row of data that
// recurs is none.
func TestRepeatedHeader(t *testing.T) {
	row := func(i int) string { return fmt.Sprintf("AH,Mill,wheat %c\n", 'a'+i%26) }
	table := func(repeats ...int) string {
		var b strings.Builder
		b.WriteString("site,mill,crop\n")
		for i := range 38 {
			if slices.Contains(repeats, i) {
				b.WriteString("site,mill,crop\n")
			}
			b.WriteString(row(i))
		}
		return b.String()
	}
	for _, repeats := range [][]int{nil, {20}, {10, 20, 30}} {
		l, evidence := detect(table(repeats...), layout.Given{})
		assert.Equal(t, 1, l.HeaderRows, "%v: %s", repeats, evidence["headerRows"].Why)
	}
	l, _ := detect(strings.Repeat("Ahrensee,north,wheat\nDornau,south,rye\nColmitz,east,barley\n", 12), layout.Given{})
	assert.Zero(t, l.HeaderRows, "data that recurs")
}
