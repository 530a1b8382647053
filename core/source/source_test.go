package source_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/source"
)

var plain = layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
	DoubleQuote: true, HeaderRows: 1}

// table is what a test sees of a delivery.
type table struct {
	names   []string
	rows    [][]string
	lines   []int64
	defects []string // "row.short row 2 line 3 byte 17"
}

func readAll(t require.TestingT, r io.Reader, l layout.Layout) (got table) {
	s, err := source.NewReader(r, l)
	require.NoError(t, err)
	got.names = s.Header().Names
	var b source.Batch
	next := int64(1)
	for {
		err := s.Next(&b)
		if errors.Is(err, io.EOF) {
			return got
		}
		require.NoError(t, err)
		require.Equal(t, next, b.FirstRow)
		next += int64(len(b.Rows))
		b.Split()
		for i := range b.Rows {
			row := []string{}
			for _, c := range b.Cells(i) {
				row = append(row, string(b.Text(c)))
			}
			got.rows = append(got.rows, row)
			got.lines = append(got.lines, b.Rows[i].Line)
		}
		for _, d := range b.Defects {
			got.defects = append(got.defects, fmt.Sprintf("%s row %d line %d byte %d", d.Code, b.Number(d.Row),
				b.Rows[d.Row].Line, d.Offset))
		}
	}
}

func TestReader(t *testing.T) {
	with := func(change func(*layout.Layout)) layout.Layout {
		l := plain
		change(&l)
		return l
	}
	for _, c := range []struct {
		name, text string
		layout     layout.Layout
		want       table
	}{
		{"empty", "", plain, table{}},
		{"only blank lines", "\n \n\t\n", plain, table{}},
		{"header without rows", "a,b\n", plain, table{names: []string{"a", "b"}}},
		{"header without a line end", "a,b", plain, table{names: []string{"a", "b"}}},
		{"byte order mark", "\xEF\xBB\xBFa,b\n1,2\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1", "2"}}, lines: []int64{2}}},
		{"blank lines and rows of nothing", "a,b\n\n1,2\n  \n,\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1", "2"}, {"", ""}}, lines: []int64{3, 5}}},
		{"tabs are delimiters, not blanks", "a\tb\n\t\n", with(func(l *layout.Layout) { l.Delimiter = "\t" }),
			table{names: []string{"a", "b"}, rows: [][]string{{"", ""}}, lines: []int64{2}}},
		{"skipped, comments, footer", "Title\n\"x\n# note\na,b\n1,2\n# more\n3,4\nsum,6\n\n",
			with(func(l *layout.Layout) { l.SkipRows, l.CommentPrefix, l.FooterRows = 2, "#", 2 }),
			table{names: []string{"a", "b"}, rows: [][]string{{"1", "2"}, {"3", "4"}}, lines: []int64{5, 7}}},
		{"footer longer than the text", "a,b\n1,2\n", with(func(l *layout.Layout) { l.FooterRows = 9 }), table{}},
		{"no header", "1,2\n3,4\n", with(func(l *layout.Layout) { l.HeaderRows = 0 }),
			table{names: []string{"column_1", "column_2"}, rows: [][]string{{"1", "2"}, {"3", "4"}},
				lines: []int64{1, 2}}},
		{"two header rows", "net,\nkg,site\n1,2\n", with(func(l *layout.Layout) { l.HeaderRows = 2 }),
			table{names: []string{"net kg", "site"}, rows: [][]string{{"1", "2"}}, lines: []int64{3}}},
		{"the first of two header rows", "net,site\nkg,\n1,2\n", with(func(l *layout.Layout) {
			l.HeaderRows,
				l.HeaderNames = 2, layout.First
		}),
			table{names: []string{"net", "site"}, rows: [][]string{{"1", "2"}}, lines: []int64{3}}},
		{"the last of two header rows", "net,site\nkg,\n1,2\n", with(func(l *layout.Layout) {
			l.HeaderRows,
				l.HeaderNames = 2, layout.Last
		}),
			table{names: []string{"kg", "column_2"}, rows: [][]string{{"1", "2"}}, lines: []int64{3}}},
		{"blanks around cells", "a , b\n 1, \"x, y\" \n2 ,\t\n", with(func(l *layout.Layout) { l.Trim = true }),
			table{names: []string{"a", "b"}, rows: [][]string{{"1", "x, y"}, {"2", ""}}, lines: []int64{2, 3}}},
		{"folded", "a\nb\n1\n\"2\n3\"\n# note\n4\n\n5\n", with(func(l *layout.Layout) {
			l.Fold, l.CommentPrefix = 2,
				"#"
		}),
			table{names: []string{"a", "b"}, rows: [][]string{{"1", "2\n3"}, {"4", ""}, {"5"}}, lines: []int64{3, 7, 9},
				defects: []string{"row.short row 3 line 9 byte 22"}}},
		{"folded without a header", "1\n2\n\n\n", with(func(l *layout.Layout) { l.Fold, l.HeaderRows = 2, 0 }),
			table{names: []string{"column_1", "column_2"}, rows: [][]string{{"1", "2"}}, lines: []int64{1}}},
		{"unnamed and quoted headers", "a,,\"b\nc\"\n1,2,3\n", plain, table{names: []string{"a", "column_2", "b\nc"},
			rows: [][]string{{"1", "2", "3"}}, lines: []int64{3}}},
		{"short and long rows", "a,b\n1\n1,2,3\n4,5\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1"}, {"1", "2", "3"}, {"4", "5"}}, lines: []int64{2, 3, 4},
			defects: []string{"row.short row 1 line 2 byte 4", "row.long row 2 line 3 byte 6"}}},
		{"an open quote costs its own row", "a,b\n1,\"x\n2,y\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1", "\"x"}, {"2", "y"}}, lines: []int64{2, 3},
			defects: []string{"quote.open row 1 line 2 byte 6"}}},
		{"invalid bytes", "a,b\n1,M\xfcll\xe4r\n2,\xc3\xa9\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1", "M\xfcll\xe4r"}, {"2", "é"}}, lines: []int64{2, 3},
			defects: []string{"encoding.invalid row 1 line 2 byte 7"}}},
		{"windows-1252", "a;b\n1;Gr\xf6\xdfe 5\x80\n\"\xfc\"\"\";\n", with(func(l *layout.Layout) {
			l.Encoding,
				l.Delimiter = "windows-1252", ";"
		}),
			table{names: []string{"a", "b"}, rows: [][]string{{"1", "Größe 5€"}, {"ü\"", ""}}, lines: []int64{2, 3}}},
		{"offsets count bytes of the delivery", "a;b\n\xf6\xf6;\xf6\"\n", with(func(l *layout.Layout) {
			l.Encoding,
				l.Delimiter = "iso-8859-1", ";"
		}),
			table{names: []string{"a", "b"}, rows: [][]string{{"öö", "ö\""}}, lines: []int64{2},
				defects: []string{"quote.stray row 1 line 2 byte 8"}}},
		{"bytes without a character", "a;b\n1;\x81x\xe4\x9d\n", with(func(l *layout.Layout) {
			l.Encoding,
				l.Delimiter = "windows-1252", ";"
		}),
			table{names: []string{"a", "b"}, rows: [][]string{{"1", "\uFFFDxä\uFFFD"}}, lines: []int64{2},
				defects: []string{"encoding.invalid row 1 line 2 byte 6"}}},
		{"control characters", "a,b\nx\x00y,\tz\n\x7f,é\x1b\n", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"x\x00y", "\tz"}, {"\x7f", "é\x1b"}}, lines: []int64{2, 3},
			defects: []string{"encoding.control row 1 line 2 byte 5", "encoding.control row 2 line 3 byte 11",
				"encoding.control row 2 line 3 byte 15"}}},
		{"decoded twice", "a,b\nGröße,GrÃ¶ÃŸe\nÃ la carte,â‚¬ 5\nÅland,Ärger\n", plain, table{names: []string{"a", "b"},
			rows:    [][]string{{"Größe", "GrÃ¶ÃŸe"}, {"Ã la carte", "â‚¬ 5"}, {"Åland", "Ärger"}},
			lines:   []int64{2, 3, 4},
			defects: []string{"encoding.garbled row 1 line 2 byte 12", "encoding.garbled row 2 line 3 byte 36"}}},
		{"fixed width", "no  näme   kg\r\n1   Größe  12\n\n22  a\n333 \"b,c   7 \r\n",
			with(func(l *layout.Layout) { l.Form, l.Cuts, l.Delimiter, l.QuoteChar = "fixed", []int{4, 11}, "", "" }),
			table{names: []string{"no", "näme", "kg"}, rows: [][]string{{"1", "Größe", "12"}, {"22", "a", ""},
				{"333", "\"b,c", "7"}}, lines: []int64{2, 4, 5}}},
		{"CR only", "a,b\r1,\"x\ry\"\r2,z", plain, table{names: []string{"a", "b"},
			rows: [][]string{{"1", "x\ry"}, {"2", "z"}}, lines: []int64{2, 4}}},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want, readAll(t, strings.NewReader(c.text), c.layout))
			assert.Equal(t, c.want, readAll(t, iotest.OneByteReader(strings.NewReader(c.text)), c.layout),
				"byte by byte")
		})
	}
}

// Texts larger than a batch: records across the ends of batches, line numbers,
// and a quote left open early on.
func TestReaderAcrossBatches(t *testing.T) {
	for _, lineEnd := range []string{"\n", "\r\n", "\r"} {
		var text strings.Builder
		text.WriteString("a,b" + lineEnd)
		for i := 1; i <= 60000; i++ {
			switch {
			case i == 1000:
				text.WriteString(`1000,"left open`)
			case i%5000 == 0:
				fmt.Fprintf(&text, `%d,"two%slines"`, i, lineEnd)
			default:
				fmt.Fprintf(&text, "%d,row %d, ", i, i)
				text.WriteString(strings.Repeat("x", i%17))
			}
			text.WriteString(lineEnd)
		}
		got := readAll(t, strings.NewReader(strings.ReplaceAll(text.String(), ", ", " ")), plain)
		require.Len(t, got.rows, 60000)
		assert.Equal(t, []string{"quote.open row 1000 line 1001 byte " +
			fmt.Sprint(strings.Index(strings.ReplaceAll(text.String(), ", ", " "), `"left`))}, got.defects)
		assert.Equal(t, int64(60001+11), got.lines[59999], "twelve rows have two lines, the last one its own")
		assert.Equal(t, []string{"5000", "two" + lineEnd + "lines"}, got.rows[4999])
	}
}

func TestHugeRows(t *testing.T) {
	wide := strings.Repeat("1,", 99999) + "1\n"
	got := readAll(t, strings.NewReader(wide+wide), plain)
	require.Len(t, got.rows, 1)
	assert.Len(t, got.rows[0], 100000)
	assert.Empty(t, got.defects)

	cell := strings.Repeat("grain; \n", 3<<20/8)
	got = readAll(t, strings.NewReader("a,b\n1,\""+cell+"\"\n2,x\n"), plain)
	require.Equal(t, 2, len(got.rows))
	assert.Equal(t, len(cell), len(got.rows[0][1]))
	assert.Empty(t, got.defects)
}

type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = 'x'
	}
	return len(p), nil
}

func TestEndlessRowIsAnError(t *testing.T) {
	s, err := source.NewReader(io.MultiReader(strings.NewReader("a,b\n1,2\n"), endless{}), plain)
	require.NoError(t, err)
	var b source.Batch
	require.NoError(t, s.Next(&b))
	assert.ErrorContains(t, s.Next(&b), "line 3: the row is longer than 128 MiB")
}

func TestReadErrorIsReported(t *testing.T) {
	s, err := source.NewReader(io.MultiReader(strings.NewReader("a,b\n"+strings.Repeat("1,2\n", 1<<17)),
		iotest.ErrReader(errors.New("the disk is gone"))), plain)
	require.NoError(t, err)
	var b source.Batch
	for err == nil {
		err = s.Next(&b)
	}
	assert.ErrorContains(t, err, "the disk is gone")
}

// written is a random table, written in a random dialect.
type written struct {
	layout layout.Layout
	text   []byte
	names  []string
	rows   [][]string
}

func drawTable(t *rapid.T) (w written) {
	w.layout = layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: rapid.SampledFrom([]string{"utf-8",
		"windows-1252", "iso-8859-1", "windows-1250", "ibm850", "macintosh", "utf-16le", "utf-16be", "utf-32le",
		"utf-32be", "gb18030"}).Draw(t, "encoding"),
		Delimiter:   rapid.SampledFrom([]string{",", ";", "\t", "|", "::", "§"}).Draw(t, "delimiter"),
		QuoteChar:   rapid.SampledFrom([]string{`"`, "'"}).Draw(t, "quote"),
		DoubleQuote: true, HeaderRows: 1, SkipRows: rapid.IntRange(0, 2).Draw(t, "skip"),
		FooterRows: rapid.IntRange(0, 2).Draw(t, "footer")}
	lineEnd := rapid.SampledFrom([]string{"\n", "\r\n", "\r"}).Draw(t, "line end")
	width := rapid.IntRange(2, 6).Draw(t, "width")
	cell := rapid.StringMatching(`[a-cäöß0-9 ,;:|§"'\t\r\n]{0,12}`)
	put := func(cells []string) {
		for i, c := range cells {
			if i > 0 {
				w.text = append(w.text, w.layout.Delimiter...)
			}
			q := w.layout.QuoteChar
			if strings.Contains(c, w.layout.Delimiter) || strings.ContainsAny(c, q+"\r\n:") ||
				rapid.IntRange(0, 5).Draw(t, "quoted") == 0 {
				c = q + strings.ReplaceAll(c, q, q+q) + q
			}
			w.text = append(w.text, c...)
		}
		w.text = append(w.text, lineEnd...)
	}
	for range w.layout.SkipRows {
		w.text = append(w.text, "a title, of \"some kind"+lineEnd...)
	}
	for i := range width {
		w.names = append(w.names, fmt.Sprintf("name %d", i))
	}
	put(w.names)
	for range rapid.IntRange(0, 20).Draw(t, "rows") {
		row := make([]string, width)
		for i := range row {
			row[i] = cell.Draw(t, "cell")
		}
		// A row whose text is nothing but blanks is a blank line.
		row[0] = "r" + row[0]
		w.rows = append(w.rows, row)
		put(row)
	}
	for range w.layout.FooterRows {
		w.text = append(w.text, "total"+lineEnd...)
	}
	e, err := layout.EncodingOf(w.layout.Encoding)
	if err != nil {
		t.Fatal(err)
	}
	if e.Codec != nil {
		encoded, err := e.Codec.NewEncoder().Bytes(w.text)
		if err != nil {
			t.Fatal(err)
		}
		w.text = encoded
	}
	return w
}

func TestRandomTablesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := drawTable(t)
		got := readAll(t, iotest.HalfReader(bytes.NewReader(w.text)), w.layout)
		assert.Equal(t, w.names, got.names)
		assert.Equal(t, w.rows, got.rows)
		assert.Empty(t, got.defects)
	})
}

// On text without defects the standard library reads the same cells.
func TestAgainstEncodingCSV(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		width := rapid.IntRange(1, 5).Draw(t, "width")
		for range rapid.IntRange(1, 30).Draw(t, "rows") {
			row := make([]string, width)
			for i := range row {
				row[i] = rapid.StringMatching(`x?[a-c ,"\n]{0,9}`).Draw(t, "cell")
			}
			row[0] += "." // no blank lines
			require.NoError(t, w.Write(row))
		}
		w.Flush()
		want, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
		require.NoError(t, err)
		l := plain
		l.HeaderRows = 0
		assert.Equal(t, want, readAll(t, &b, l).rows)
	})
}

func TestFlowKeepsOrder(t *testing.T) {
	var text strings.Builder
	text.WriteString("n,text\n")
	for i := range 200000 {
		fmt.Fprintf(&text, "%d,%s\n", i, strings.Repeat("x", i%7))
	}
	for _, workers := range []int{1, 2, 7} {
		s, err := source.NewReader(strings.NewReader(text.String()), plain)
		require.NoError(t, err)
		next := 0
		err = source.InOrder(t.Context(), s, workers, func() func(*source.Batch, *[]string) {
			return func(b *source.Batch, out *[]string) {
				*out = (*out)[:0]
				for i := range b.Rows {
					*out = append(*out, string(b.Text(b.Cells(i)[0])))
				}
			}
		}, func(_ *source.Batch, got *[]string) error {
			for _, n := range *got {
				if n != fmt.Sprint(next) {
					return fmt.Errorf("%s stands where %d belongs", n, next)
				}
				next++
			}
			return nil
		})
		require.NoError(t, err)
		assert.Equal(t, 200000, next)
	}
}

func TestFlowStops(t *testing.T) {
	text := "a,b\n" + strings.Repeat("1,2\n", 1<<19)
	flow := func(ctx context.Context, deliver func() error) error {
		s, err := source.NewReader(strings.NewReader(text), plain)
		require.NoError(t, err)
		return source.InOrder(ctx, s, 2, func() func(*source.Batch, *int) { return func(*source.Batch, *int) {} },
			func(*source.Batch, *int) error { return deliver() })
	}
	wrong := errors.New("the disk is full")
	assert.ErrorIs(t, flow(t.Context(), func() error { return wrong }), wrong)
	ctx, stop := context.WithCancel(t.Context())
	assert.ErrorIs(t, flow(ctx, func() error { stop(); return nil }), context.Canceled)
}

func FuzzReader(f *testing.F) {
	f.Add([]byte("a;b\n1;\"x\n2;y\n"), ";", `"`, "#", 0, 1, 0, 0)
	f.Add([]byte("1\n2\n\n3\n \n"), "", "", "#", 0, 0, 0, 2)
	f.Add([]byte("t\na|b\r\n'1'|'2''3'\r\nsum\r\n"), "|", "'", "", 1, 1, 1, 10)
	f.Fuzz(func(t *testing.T, text []byte, delimiter, quote, comment string, skip, header, footer, fold int) {
		l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: delimiter,
			QuoteChar: quote, DoubleQuote: len(text)%2 == 0, CommentPrefix: comment,
			Fold: max(0, fold%5), Trim: fold > 9, SkipRows: skip % 4, HeaderRows: header % 4, FooterRows: footer % 4}
		if l.Check() != nil || len(text) > 1<<16 {
			return
		}
		whole := readAll(t, bytes.NewReader(text), l)
		parts := readAll(t, iotest.OneByteReader(bytes.NewReader(text)), l)
		assert.Equal(t, whole, parts, "how the bytes come must not matter")
	})
}

// Of a text of one value a line blank lines are values, up to the end of the last row;
// behind it they are nothing, however many there are and however the bytes come.
func TestBlankLinesOfFoldedTexts(t *testing.T) {
	for text, want := range map[string][]string{
		"1\n2\n3\n4\n":         {"1|2|", "3|4|"},
		"1\n2\n3\n\n":          {"1|2|", "3||"},
		"1\n2\n3\n\n\n":        {"1|2|", "3||"},
		"1\n2\n3\n\n\n\n\n\n":  {"1|2|", "3||"},
		"1\n2\n\n\n\n":         {"1|2|"},
		"1\n2\n\n":             {"1|2|"},
		"1\n2\n \n\t\n":        {"1|2|"},
		"1\n2\n\n4\n":          {"1|2|", "|4|"},
		"\n2\n3\n4":            {"|2|", "3|4|"},
		"1\n2\n3":              {"1|2|", "3| row.short"},
		"1\n2\n\n\n5\n6\n\n\n": {"1|2|", "||", "5|6|"},
		"1\r\n2\r\n3\r\n\r\n":  {"1|2|", "3||"},
		"1\n\n":                {"1||"},
		"1\n":                  {"1| row.short"},
		"\n\n\n":               nil,
	} {
		l := layout.Layout{SkipBlankRows: true, Form: layout.Delimited, Encoding: "utf-8", QuoteChar: `"`,
			DoubleQuote: true, Fold: 2}
		for _, r := range []io.Reader{strings.NewReader(text), iotest.OneByteReader(strings.NewReader(text))} {
			reader, err := source.NewReader(r, l)
			require.NoError(t, err)
			var got []string
			var b source.Batch
			for reader.Next(&b) == nil {
				b.Split()
				for i := range b.Rows {
					line := ""
					for _, s := range b.Cells(i) {
						line += string(b.Text(s)) + "|"
					}
					for _, d := range b.Defects {
						if d.Row == i {
							line += " " + d.Code.String()
						}
					}
					got = append(got, line)
				}
			}
			assert.Equal(t, want, got, "%q", text)
		}
	}
}

// Blank lines are no rows, and are counted; where the layout says so they are rows, the
// empty values of a file of one column among them.
func TestBlankLines(t *testing.T) {
	text := "\na\n1\n\n \t\n2\n\n"
	for skip, want := range map[bool]struct {
		rows  []string
		blank int64
	}{true: {[]string{"1", "2"}, 3}, false: {[]string{"1", "", " \t", "2", ""}, 0}} {
		for _, r := range []io.Reader{strings.NewReader(text), iotest.OneByteReader(strings.NewReader(text))} {
			l := plain
			l.HeaderRows, l.SkipBlankRows = 1, skip
			reader, err := source.NewReader(r, l)
			require.NoError(t, err)
			assert.Equal(t, []string{"a"}, reader.Header().Names, "a blank line above the header is none of it")
			var got []string
			blank := int64(0)
			var b source.Batch
			for reader.Next(&b) == nil {
				b.Split()
				blank += b.BlankLines
				for i := range b.Rows {
					got = append(got, string(b.Text(b.Cells(i)[0])))
				}
			}
			assert.Equal(t, want.rows, got)
			assert.Equal(t, want.blank, blank)
		}
	}
}

// Rows are read as the header's width says, whose nameless column has a name of its own
// and whose closing delimiters are no cells; what stands behind one is too much.
func TestHeaderOfAnotherWidth(t *testing.T) {
	for _, c := range []struct {
		what, text string
		change     func(*layout.Layout)
		names      []string
		rows       []string
	}{
		{"first", "a,b\n1,x,y\n2,z,\n", func(l *layout.Layout) { l.Nameless = "first" }, []string{"column_1", "a", "b"},
			[]string{"1|x|y|", "2|z||"}},
		{"last", "a,b\n1,x,y\n2,z,\n", func(l *layout.Layout) { l.Nameless = "last" }, []string{"a", "b", "column_3"},
			[]string{"1|x|y|", "2|z||"}},
		{"closing", "a,b\n1,x,\n\"2\",\"z\",\n3,y\n4,y,more\n5,y,,\n",
			func(l *layout.Layout) { l.ClosingDelimiter = true }, []string{"a", "b"},
			[]string{"1|x|", "2|z|", "3|y|", "4|y|more| row.long", "5|y||| row.long"}},
		{"closing, the header too", "a,b,\n1,x,\n", func(l *layout.Layout) { l.ClosingDelimiter = true },
			[]string{"a", "b"}, []string{"1|x|"}},
		{"the header alone", "a,b,\n1,x\n2,y\n", nil, []string{"a", "b"}, []string{"1|x|", "2|y|"}},
		{"an empty name over a column", "a,b,\n1,x,y\n", nil, []string{"a", "b", "column_3"}, []string{"1|x|y|"}},
	} {
		l := plain
		l.Delimiter, l.HeaderRows = ",", 1
		if c.change != nil {
			c.change(&l)
		}
		reader, err := source.NewReader(strings.NewReader(c.text), l)
		require.NoError(t, err)
		assert.Equal(t, c.names, reader.Header().Names, c.what)
		var got []string
		var b source.Batch
		for reader.Next(&b) == nil {
			b.Split()
			for i := range b.Rows {
				line := ""
				for _, s := range b.Cells(i) {
					line += string(b.Text(s)) + "|"
				}
				for _, d := range b.Defects {
					if d.Row == i {
						line += " " + d.Code.String()
					}
				}
				got = append(got, line)
			}
		}
		assert.Equal(t, c.rows, got, c.what)
	}
}
