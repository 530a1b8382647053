package delimited_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/delimited"
)

var comma = delimited.Dialect{Delimiter: ",", Quote: `"`}

// scanned is a record as the tests write it: cells in brackets, then marks of
// its defects with the byte that they point to.
var backslash = delimited.Dialect{Delimiter: ",", Quote: `"`, Escape: `\`}

func scanAll(t testing.TB, d delimited.Dialect, text string, width int) (records []string, lines []int) {
	var r delimited.Record
	line := 1
	for pos := 0; pos < len(text); pos = r.Next {
		require.True(t, d.Scan([]byte(text), pos, true, width, &r), "a final text must be decided")
		require.Greater(t, r.Next, pos-1)
		var b strings.Builder
		for i, s := range r.Cells {
			cell := text[s.Start:s.End]
			for _, e := range r.Escaped {
				if e == i {
					cell = string(d.Unescape(nil, []byte(cell)))
				}
			}
			b.WriteString("[" + cell + "]")
		}
		for _, defect := range r.Defects {
			b.WriteString(" " + defect.Code.String() + "@" + text[defect.At:min(defect.At+2, len(text))])
		}
		records = append(records, b.String())
		lines = append(lines, line)
		line += r.Lines
		if r.Next == pos {
			break
		}
	}
	return records, lines
}

func TestScan(t *testing.T) {
	for _, c := range []struct {
		name, text string
		dialect    delimited.Dialect
		width      int
		want       []string
		lines      []int
	}{
		{"plain", "a,b\n1,2\n", comma, 2, []string{"[a][b]", "[1][2]"}, []int{1, 2}},
		{"no last line end", "a,b\n1,2", comma, 2, []string{"[a][b]", "[1][2]"}, []int{1, 2}},
		{"crlf", "a,b\r\n1,2\r\n", comma, 2, []string{"[a][b]", "[1][2]"}, []int{1, 2}},
		{"cr", "a,b\r1,2\r", comma, 2, []string{"[a][b]", "[1][2]"}, []int{1, 2}},
		{"empty cells", ",\n,,\n", comma, 0, []string{"[][]", "[][][]"}, []int{1, 2}},
		{"quoted", "\"a,b\",\"\"\n", comma, 2, []string{"[a,b][]"}, []int{1}},
		{"doubled quotes", `"a ""b""",""""` + "\n", comma, 2, []string{`[a "b"]["]`}, []int{1}},
		{"line end in a cell", "1,\"a\nb\r\nc\"\n2,d\n", comma, 2, []string{"[1][a\nb\r\nc]", "[2][d]"}, []int{1, 4}},
		{"quote at the end of the text", `1,"a"`, comma, 2, []string{"[1][a]"}, []int{1}},
		{"stray", "1,5\" pipe\n", comma, 2, []string{`[1][5" pipe] quote.stray@" `}, []int{1}},
		{"tail", "\"a\"b,2\n", comma, 2, []string{`["a"b][2] quote.tail@b,`}, []int{1}},
		{"tail at the end", "1,\"a\"b\n", comma, 2, []string{`[1]["a"b] quote.tail@b` + "\n"}, []int{1}},
		{"no quote character", "\"a,b\n", delimited.Dialect{Delimiter: ","}, 2, []string{`["a][b]`}, []int{1}},
		{"one column", "a,b\n\"c\nd\"\n", delimited.Dialect{Quote: `"`}, 1, []string{"[a,b]", "[c\nd]"}, []int{1, 2}},
		{"long delimiter", "a||b|c\n", delimited.Dialect{Delimiter: "||", Quote: `"`}, 2, []string{"[a][b|c]"},
			[]int{1}},
		{"long quote", "“a;b“;c\n", delimited.Dialect{Delimiter: ";", Quote: "“"}, 2, []string{"[a;b][c]"}, []int{1}},
		{"escaped quote", `"a \"b\", c\\",d` + "\n", delimited.Dialect{Delimiter: ",", Quote: `"`, Escape: `\`}, 2,
			[]string{`[a "b", c\][d]`}, []int{1}},

		{"a backslash that ends a cell", "1,a\n\"C:\\in\\\",\"ok\"\n2,\"b \\\"c\\\"\"\n", backslash, 2,
			[]string{"[1][a]", `[C:\in\][ok] quote.backslash@",`, `[2][b "c"]`}, []int{1, 2, 3}},
		{"a backslash that ends the last cell", "1,\"C:\\\"\n2,b\n", backslash, 2,
			[]string{`[1][C:\] quote.backslash@"` + "\n", "[2][b]"}, []int{1, 2}},
		{"a backslash at the end of the text", "1,\"C:\\\"", backslash, 2, []string{`[1][C:\] quote.backslash@"`}, []int{1}},
		{"an escaped quote over two lines", "1,\"a \\\"b\nc\\\" d\"\n2,e\n", backslash, 2,
			[]string{"[1][a \"b\nc\" d]", "[2][e]"}, []int{1, 3}},
		{"neither reading is a record", "1,\"a\\\"x,2\n3,b\n", backslash, 2,
			[]string{`[1]["a\"x,2] quote.open@"a`, "[3][b]"}, []int{1, 2}},

		{"open to the end", "1,a\n2,\"b\n3,c\n", comma, 2, []string{"[1][a]", `[2]["b] quote.open@"b`, "[3][c]"},
			[]int{1, 2, 3}},
		{"open on the last line", "1,a\n2,\"b", comma, 2, []string{"[1][a]", `[2]["b] quote.open@"b`}, []int{1, 2}},
		{"open, met by a later quoted cell", "1,\"a\n2,b\n3,\"c\"\n4,d\n", comma, 2,
			[]string{`[1]["a] quote.open@"a`, "[2][b]", "[3][c]", "[4][d]"}, []int{1, 2, 3, 4}},
		{"open, of the wrong width", "1,\"a,x\n2,b,y\n3,c,\"\n4,d,z\n", comma, 3,
			[]string{`[1]["a,x] quote.open@"a`, "[2][b][y]", `[3][c]["] quote.open@"` + "\n", "[4][d][z]"},
			[]int{1, 2, 3, 4}},
		{"genuine, though of the wrong width", "1,\"a\nb\"\n2,c,d\n", comma, 3, []string{"[1][a\nb]", "[2][c][d]"},
			[]int{1, 3}},
		{"genuine, though its lines look like records", "1,\"a\n2,b\n3,c\",x\n4,d,e\n", comma, 3,
			[]string{"[1][a\n2,b\n3,c][x]", "[4][d][e]"}, []int{1, 4}},
		{"open in the second cell of two lines", "\"a\nb\",\"c\n1,2\n", comma, 2,
			[]string{"[a\nb][\"c] quote.open@\"c", "[1][2]"}, []int{1, 3}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, lines := scanAll(t, c.dialect, c.text, c.width)
			assert.Equal(t, c.want, got)
			assert.Equal(t, c.lines, lines)
		})
	}
}

func TestLongGenuineCell(t *testing.T) {
	cell := strings.Repeat("a line, with commas, of a remark\n", 200)
	got, lines := scanAll(t, comma, "1,\""+cell+"\"\n2,b\n", 2)
	assert.Equal(t, []string{"[1][" + cell + "]", "[2][b]"}, got)
	assert.Equal(t, []int{1, 202}, lines)
}

// A quote that is never closed must not need the rest of a large text.
func TestReach(t *testing.T) {
	text := []byte("1,\"a\n" + strings.Repeat("2,b\n", delimited.Reach/4+1))
	var r delimited.Record
	require.True(t, comma.Scan(text, 0, false, 2, &r), "the lines inside show that the quote was left open")
	assert.True(t, r.Open)
	assert.Equal(t, 5, r.Next)
	assert.False(t, comma.Scan(text[:1000], 0, false, 2, &r), "too early to tell")
	assert.False(t, comma.Scan(text, 0, false, 3, &r), "the lines inside are no records")
}

func TestScanNeedsMore(t *testing.T) {
	var r delimited.Record
	for _, text := range []string{"a,b", "a,b\r", `"a"`, `"a""`, "\"a\"\r", `a,"b`} {
		assert.False(t, comma.Scan([]byte(text), 0, false, 2, &r), "%q may go on", text)
	}
	assert.True(t, comma.Scan([]byte("a,b\r\n"), 0, false, 2, &r))
}

func TestLineEnd(t *testing.T) {
	long := strings.Repeat("x", 2000)
	for _, c := range []struct {
		text      string
		end, next int
	}{{"", 0, 0}, {"a", 1, 1}, {"a\n", 1, 2}, {"a\r\nb", 1, 3}, {"a\rb\n", 1, 2}, {"a\r", 1, 2},
		{long + "\r\n", 2000, 2002}, {long, 2000, 2000}} {
		end, next := delimited.LineEnd([]byte(c.text), 0)
		assert.Equal(t, [2]int{c.end, c.next}, [2]int{end, next}, "%.10q", c.text)
	}
}

func TestAppendCellsSplits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.StringMatching(`[a,\x00\x80;b]{0,60}`).Draw(t, "line")
		delimiter := rapid.SampledFrom([]string{",", ";", "a,", "\x80"}).Draw(t, "delimiter")
		d := delimited.Dialect{Delimiter: delimiter}
		pad := rapid.IntRange(0, 9).Draw(t, "pad")
		buf := []byte(strings.Repeat(delimiter, pad) + line)
		start := pad * len(delimiter)
		var got []string
		for _, s := range d.AppendCells(nil, buf, start, len(buf)) {
			got = append(got, string(buf[s.Start:s.End]))
		}
		assert.Equal(t, strings.Split(line, delimiter), got)
	})
}

func FuzzScan(f *testing.F) {
	f.Add("a,b\n\"c\nd\",e\n", ",", `"`, "", 2)
	f.Add("1;'x\n2;y\n", ";", "'", `\`, 2)
	f.Fuzz(func(t *testing.T, text, delimiter, quote, escape string, width int) {
		if delimiter == quote && quote != "" || strings.ContainsAny(delimiter+quote+escape, "\r\n") ||
			len(text) > 1<<16 {
			return
		}
		d := delimited.Dialect{Delimiter: delimiter, Quote: quote, Escape: escape}
		var r delimited.Record
		for pos, n := 0, 0; pos < len(text); pos = r.Next {
			if !d.Scan([]byte(text), pos, true, width, &r) {
				t.Fatal("a final text was not decided")
			}
			if r.Next <= pos || r.End > r.Next || r.Lines < 1 {
				t.Fatalf("no way forward from %d: %+v", pos, r)
			}
			for _, s := range r.Cells {
				if s.Start > s.End || int(s.End) > len(text) || int(s.Start) < pos {
					t.Fatalf("a cell outside of its record: %+v", s)
				}
			}
			if n++; n > len(text)+1 {
				t.Fatal("more records than bytes")
			}
		}
	})
}

func TestIsBlank(t *testing.T) {
	for line, want := range map[string]bool{"": true, "  \t ": true, "\f": true, " \f ": true, "\fTalfeld": false, ";": false, "\u00a0": false} {
		assert.Equal(t, want, (&delimited.Dialect{Delimiter: ";"}).IsBlank([]byte(line)), "%q", line)
	}
	assert.False(t, (&delimited.Dialect{Delimiter: "\t"}).IsBlank([]byte("\t")), "a row of empty cells")
}
