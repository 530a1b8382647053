package written_test

import (
	"bufio"
	"bytes"
	"context"
	stdcsv "encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math/big"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/htmlindex"
	"pgregory.net/rapid"

	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/outcometest"
	"sieb/core/outcome/written"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/value"
	"sieb/core/workbook"
)

// fields is a form that keeps the fields of rows, which other forms are held to.
type fields struct{ rows [][]*string }

func (f *fields) Encoder(*outcome.Table) outcome.Encoder { return f }

func (f *fields) Append(dst []byte, row *outcome.Row) []byte {
	var all []*string
	for k := range row.Len() {
		var field *string
		if text := row.Field(k); text != nil {
			s := string(text)
			field = &s
		}
		all = append(all, field)
	}
	text, _ := json.Marshal(all)
	return append(append(dst, text...), '\n')
}

func (f *fields) Pack(*outcome.Table, io.Writer) (outcome.Packer, error) { return f, nil }

func (f *fields) Write(rows []byte) (int, error) {
	for line := range bytes.Lines(rows) {
		var row []*string
		if err := json.Unmarshal(line, &row); err != nil {
			return 0, err
		}
		f.rows = append(f.rows, row)
	}
	return len(rows), nil
}

func (f *fields) Close() error { return nil }

func (f *fields) Abort() {}

var sites = "code;label\nAH;Ahrensee\nBR;Brunnthal\nCO;\n"

// written is what a run has written of its accepted rows.
type outputs struct {
	rows  [][]*string
	table *outcome.Table
	texts [][]byte // for each of the settings
}

// write sifts a delivery, and writes its accepted rows as settings say.
func write(t require.TestingT, targetText, text string, all ...outcome.Settings) (*outputs, error) {
	tg, err := target.Parse([]byte(targetText))
	require.NoError(t, err, targetText)
	list, err := codes.Parse(context.Background(), "sites", []byte(sites))
	require.NoError(t, err)
	rows, err := source.NewReader(strings.NewReader(text), layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
		Delimiter: ",", QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1})
	require.NoError(t, err)
	truth := &fields{}
	run := sift.Run{Source: rows, Encoding: "utf-8", Target: tg, Codes: []*codes.List{list},
		Outputs: []*outcome.Output{{Form: truth, To: &outcometest.Buffer{}}}}
	buffers := make([]outcometest.Buffer, len(all))
	for i, s := range all {
		form, _, err := written.New(s)
		require.NoError(t, err)
		run.Outputs = append(run.Outputs, &outcome.Output{Form: form, Shape: s.Shape(), To: &buffers[i]})
	}
	if _, err := run.Do(context.Background()); err != nil {
		return nil, err
	}
	o := &outputs{rows: truth.rows, table: run.Outputs[0].Table()}
	for i := range buffers {
		o.texts = append(o.texts, buffers[i].Bytes())
	}
	return o, nil
}

// readParquet reads a file by another library: its columns' names, and their values as texts in canonical form.
func readParquet(t require.TestingT, text []byte) (names []string, types []string, rows [][]*string) {
	table, err := pqarrow.ReadTable(context.Background(), bytes.NewReader(text), parquet.NewReaderProperties(nil),
		pqarrow.ArrowReadProperties{}, memory.DefaultAllocator)
	require.NoError(t, err)
	defer table.Release()
	rows = make([][]*string, table.NumRows())
	for i := range int(table.NumCols()) {
		column := table.Column(i)
		names, types = append(names, column.Name()), append(types, column.DataType().String())
		at := 0
		for _, chunk := range column.Data().Chunks() {
			for k := range chunk.Len() {
				var field *string
				if !chunk.IsNull(k) {
					s := textOf(chunk, k)
					field = &s
				}
				rows[at] = append(rows[at], field)
				at++
			}
		}
	}
	return names, types, rows
}

// textOf returns a value of another library as a text.
func textOf(a arrow.Array, k int) string {
	switch a := a.(type) {
	case *array.String:
		return a.Value(k)
	case *array.Int64:
		return strconv.FormatInt(a.Value(k), 10)
	case *array.Decimal128:
		return a.Value(k).ToString(a.DataType().(*arrow.Decimal128Type).Scale)
	case *array.Float64:
		return strconv.FormatFloat(a.Value(k), 'E', -1, 64)
	case *array.Boolean:
		return strconv.FormatBool(a.Value(k))
	case *array.Date32:
		return a.Value(k).ToTime().Format(time.DateOnly)
	case *array.Timestamp:
		return a.Value(k).ToTime(arrow.Microsecond).Format("2006-01-02T15:04:05.999999")
	case *array.Time64:
		return a.Value(k).ToTime(arrow.Microsecond).Format("15:04:05.999999")
	}
	return fmt.Sprintf("of a type that was not expected: %s", a.DataType())
}

// same reports whether two texts stand for one value of a datatype.
func same(d value.Datatype, a, b string) bool {
	switch {
	case a == b:
		return true
	case d == value.Integer || d == value.Decimal:
		x, isX := new(big.Rat).SetString(a)
		y, isY := new(big.Rat).SetString(b)
		return isX && isY && x.Cmp(y) == 0
	case d == value.Double:
		x, errX := strconv.ParseFloat(a, 64)
		y, errY := strconv.ParseFloat(b, 64)
		return errX == nil && errY == nil && (x == y || x != x && y != y)
	case d == value.DateTime || d == value.Time:
		return strings.Contains(a+b, ".") && strings.TrimRight(strings.TrimRight(a, "0"), ".") ==
			strings.TrimRight(strings.TrimRight(b, "0"), ".")
	}
	return false
}

// sameRows holds what was read back to what was written.
func sameRows(t require.TestingT, o *outputs, got [][]*string, form string) {
	require.Len(t, got, len(o.rows), form)
	for i, want := range o.rows {
		require.Len(t, got[i], len(want), form)
		for k := range want {
			d := o.table.Columns[k].Datatype
			if want[k] == nil || got[i][k] == nil {
				require.Equal(t, want[k] == nil, got[i][k] == nil, "%s, row %d, column %d", form, i, k)
				continue
			}
			require.True(t, same(d, *want[k], *got[i][k]), "%s, row %d, column %d (%s): %q, want %q", form, i, k, d,
				*got[i][k], *want[k])
		}
	}
}

// readLines reads JSON Lines by another library.
func readLines(t require.TestingT, o *outputs, text []byte) (rows [][]*string) {
	lines := bufio.NewScanner(bytes.NewReader(text))
	lines.Buffer(nil, 1<<26)
	for lines.Scan() {
		d := json.NewDecoder(bytes.NewReader(lines.Bytes()))
		d.UseNumber()
		var all map[string]any
		require.NoError(t, d.Decode(&all), lines.Text())
		require.Len(t, all, len(o.table.Columns))
		var row []*string
		for i, key := range o.table.Keys() {
			c := &o.table.Columns[i]
			var field *string
			v, has := all[key]
			require.True(t, has, "%s of %s", key, lines.Text())
			if v != nil {
				s := jsonText(t, c, v)
				field = &s
			}
			row = append(row, field)
		}
		rows = append(rows, row)
	}
	require.NoError(t, lines.Err())
	return rows
}

func jsonText(t require.TestingT, c *outcome.Column, v any) string {
	switch v := v.(type) {
	case string:
		require.False(t, c.Datatype == value.Boolean || c.Datatype == value.Integer || c.Datatype == value.Decimal, v)
		return v
	case json.Number:
		require.True(t, c.Datatype.IsNumber())
		return v.String()
	case bool:
		return strconv.FormatBool(v)
	case []any:
		var entries []string
		for _, entry := range v {
			entries = append(entries, jsonText(t, c, entry))
		}
		return strings.Join(entries, c.Separator)
	}
	require.Fail(t, "of no kind that was expected", "%v", v)
	return ""
}

// readBook reads a workbook by Sieb's own reader, with the kinds of its cells.
func readBook(t require.TestingT, dir string, text []byte, rows int) (all [][]*string, kinds [][]workbook.Kind) {
	path := filepath.Join(dir, "accepted.xlsx")
	require.NoError(t, os.WriteFile(path, text, 0o600))
	none, header, skip := false, 1, false
	file, err := source.Open(context.Background(), path, layout.Given{SkipBlankRows: &none, HeaderRows: &header,
		Trim: &skip})
	require.NoError(t, err)
	defer file.Close()
	src, err := file.Rows(context.Background())
	require.NoError(t, err)
	_, err = sift.Look(src, file.Layout.Encoding, -1, func(row *sift.ReadRow) error {
		var cells []*string
		for i := range row.Cells {
			var field *string
			if row.Cells[i] != "" {
				field = &row.Cells[i]
			}
			cells = append(cells, field)
		}
		all, kinds = append(all, cells), append(kinds, row.Kinds)
		return nil
	})
	require.NoError(t, err)
	return all, kinds
}

const types = `target: loads
title: Loads of a day
columns:
  - {name: text, null: []}
  - {name: note, description: what was seen}
  - {name: whole, datatype: integer}
  - {name: kg, datatype: decimal, precision: 9, scale: 2}
  - {name: money, datatype: decimal, precision: 30, scale: 10}
  - {name: free, datatype: decimal}
  - {name: ratio, datatype: double}
  - {name: organic, datatype: boolean}
  - {name: day, datatype: date}
  - {name: at, datatype: dateTime}
  - {name: sealed, datatype: dateTimeStamp}
  - {name: hour, datatype: time}
  - {name: crops, separator: ';'}
  - {name: counts, datatype: integer, separator: ';'}
  - {name: site, oneOf: {codes: sites}}
`

var values = [][]string{
	{"", "a", `say "so"`, "a,b", "line\nbreak", " x ", "é€", "=1+1", "_x0041_", "\u2028", "tab\there", "\r\n"},
	{"", "dry", "wet"},
	{"", "0", "-7", "007", "999999999999999", "9223372036854775807", "-9223372036854775808"},
	{"", "0", "-0.01", "1234567.89", "-1234567.89", "5.5", "3"},
	{"", "0.0000000001", "-99999999999999999999.9999999999", "12345678901234567890.5", "1"},
	{"", "0.1", "123456789012345678901234567890.123", "-5", "100"},
	{"", "0", "1.5", "-1E300", "1E-300", "INF", "-INF", "NaN"},
	{"", "true", "false"},
	{"", "2026-07-31", "0001-01-01", "1900-02-28", "1900-03-01", "9999-12-31"},
	{"", "2026-07-31T14:05:09", "2026-07-31T14:05:09.123456", "0001-01-01T00:00:00", "9999-12-31T23:59:59"},
	{"", "2026-07-31T14:05:09+02:00", "2026-07-31T14:05:09.5Z"},
	{"", "00:00:00", "23:59:59", "14:05:09.5"},
	{"", "rye", "rye;wheat", "a;b;c"},
	{"", "1", "1;2;3"},
	{"", "AH", "BR", "CO"},
}

// rowsOf returns a delivery of rows whose cells are drawn from the values.
func rowsOf(t *rapid.T, most int) string {
	var text bytes.Buffer
	w := stdcsv.NewWriter(&text)
	require.NoError(t, w.Write(strings.Split("text,note,whole,kg,money,free,ratio,organic,day,at,sealed,hour,crops,counts,site",
		",")))
	for range rapid.IntRange(0, most).Draw(t, "rows") {
		row := make([]string, len(values))
		for i := range row {
			row[i] = rapid.SampledFrom(values[i]).Draw(t, "value")
		}
		require.NoError(t, w.Write(row))
	}
	w.Flush()
	return text.String()
}

// What is written in each form is what was accepted, value by value with its type, as another library reads it.
func TestFormsSayWhatWasAccepted(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		o, err := write(t, types, rowsOf(t, 12), outcome.Settings{Form: "parquet"}, outcome.Settings{Form: "jsonl"},
			outcome.Settings{Form: "xlsx"}, outcome.Settings{Form: "delimited", Delimiter: "tab", Encoding: "utf-16le",
				ByteOrderMark: true, LineTerminator: "crlf", Quoting: "texts"})
		require.NoError(t, err)
		names, kinds, rows := readParquet(t, o.texts[0])
		require.Equal(t, o.table.Names(), names)
		require.Equal(t, []string{"utf8", "utf8", "int64", "decimal(9, 2)", "decimal(30, 10)", "utf8", "float64", "bool",
			"date32", "timestamp[us]", "timestamp[us, tz=UTC]", "time64[us]", "utf8", "utf8", "utf8"}, kinds)
		utc(o.rows, 10)
		sameRows(t, o, rows, "parquet")
		utcAll := readLines(t, o, o.texts[1])
		utc(utcAll, 10)
		sameRows(t, o, utcAll, "jsonl")
		if len(o.rows) > 0 {
			book, kinds := readBook(t, dir, o.texts[2], len(o.rows))
			sameBook(t, o, book, kinds)
		}
		sameText(t, o, o.texts[3])
	})
}

// utc puts the moments of a column in UTC, and leaves out their zone.
func utc(rows [][]*string, column int) {
	for _, row := range rows {
		if row[column] == nil {
			continue
		}
		at, err := time.Parse(time.RFC3339Nano, *row[column])
		if err == nil {
			s := at.UTC().Format("2006-01-02T15:04:05.999999")
			row[column] = &s
		}
	}
}

// sameBook holds the cells of a workbook to the rows: by the kinds that spreadsheets know, where they hold the values.
func sameBook(t require.TestingT, o *outputs, book [][]*string, kinds [][]workbook.Kind) {
	require.Len(t, book, len(o.rows))
	for i, row := range o.rows {
		for k := range row {
			c := &o.table.Columns[k]
			if k == 10 {
				continue // with a zone, which the rows at hand have in UTC
			}
			var got *string
			kind := workbook.Text
			if k < len(book[i]) {
				got, kind = book[i][k], kinds[i][k]
			}
			if row[k] == nil || *row[k] == "" {
				require.Nil(t, got, "row %d, column %s", i, c.Name)
				continue
			}
			require.NotNil(t, got, "row %d, column %s", i, c.Name)
			want := *row[k]
			isShort := len(strings.Trim(want, "-0.")) <= 15 && c.Separator == ""
			switch {
			case c.Datatype == value.Boolean:
				require.Equal(t, workbook.Boolean, kind)
			case c.Datatype == value.Integer && isShort, c.Datatype == value.Decimal && isShort && len(want) < 15:
				require.Equal(t, workbook.Number, kind, want)
			case c.Datatype == value.Date && want > "1900-02-28":
				require.Equal(t, workbook.Date, kind, want)
			}
			if c.Datatype == value.DateTime || c.Datatype == value.Time {
				require.Contains(t, *got, strings.Split(want, ".")[0])
				continue
			}
			if c.IsText() {
				want = strings.ReplaceAll(want, "\r\n", "\n") // which XML says of line ends
			}
			require.True(t, same(c.Datatype, want, strings.ReplaceAll(*got, "\r\n", "\n")), "row %d, column %s: %q, want %q", i,
				c.Name, *got, want)
		}
	}
}

// sameText holds delimited text to the rows.
func sameText(t require.TestingT, o *outputs, text []byte) {
	encoding, err := htmlindex.Get("utf-16le")
	require.NoError(t, err)
	plain, err := encoding.NewDecoder().Bytes(text)
	require.NoError(t, err)
	rest, has := bytes.CutPrefix(plain, []byte("\uFEFF"))
	require.True(t, has)
	require.True(t, bytes.HasSuffix(rest, []byte("\r\n")))
	r := stdcsv.NewReader(bytes.NewReader(rest))
	r.Comma = '\t'
	records, err := r.ReadAll()
	require.NoError(t, err)
	require.Equal(t, o.table.Names(), records[0])
	require.Len(t, records, len(o.rows)+1)
	for i, row := range o.rows {
		for k := range row {
			want := ""
			if row[k] != nil {
				want = strings.ReplaceAll(*row[k], "\r\n", "\n") // as the library reads line ends
			}
			if k != 10 {
				require.Equal(t, want, records[i+1][k])
			}
		}
	}
}

// Whatever a column cannot hold is an error that names the value, and never another value.
func TestValuesThatAFormCannotHold(t *testing.T) {
	for _, c := range []struct{ form, rule, cell, want string }{
		{"parquet", "datatype: integer", "9223372036854775808", `row 1, line 2, column v: "9223372036854775808" has more digits`},
		{"parquet", "datatype: time", "10:00:00.1234567", "finer than microseconds"},
		{"parquet", "datatype: dateTime", "2026-07-31T10:00:00Z", "has a zone, and others of the column have none"},
		{"xlsx", "maxLength: 99999", strings.Repeat("x", 32768), "longer than a cell of a workbook"},
		{"xlsx", "maxLength: 99999", strings.Repeat("😀", 16384), "longer than a cell of a workbook"},
		{"xlsx", "maxLength: 9", "a\x01b", "a character that a workbook cannot"},
		{"delimited", "maxLength: 9", "Łódź", "the character 'Ł' (U+0141), for line 2 of the output, is not in windows-1252"},
	} {
		s := outcome.Settings{Form: c.form}
		if c.form == "delimited" {
			s.Encoding = "windows-1252"
		}
		_, err := write(t, "target: t\ncolumns: [{name: v, "+c.rule+"}]\n", "v\n"+c.cell+"\n", s)
		assert.ErrorContains(t, err, c.want, "%s %s", c.form, c.rule)
	}
	for _, c := range []struct{ form, cell string }{{"xlsx", strings.Repeat("x", 32767)}, {"xlsx", strings.Repeat("😀", 16383)}} {
		o, err := write(t, "target: t\ncolumns: [{name: v}]\n", "v\n"+c.cell+"\n", outcome.Settings{Form: c.form})
		require.NoError(t, err)
		book, _ := readBook(t, t.TempDir(), o.texts[0], 1)
		assert.Equal(t, c.cell, *book[0][0])
	}
}

// A value that is flagged, and not of its datatype, stays what it is: the column holds texts.
func TestFlaggedValuesStay(t *testing.T) {
	const flagged = "target: t\ncolumns: [{name: v, datatype: integer, onViolation: flag}]\n"
	o, err := write(t, flagged, "v\n12\nabout ten\n", outcome.Settings{Form: "parquet"}, outcome.Settings{Form: "jsonl"})
	require.NoError(t, err)
	_, kinds, rows := readParquet(t, o.texts[0])
	assert.Equal(t, []string{"utf8"}, kinds)
	assert.Equal(t, "about ten", *rows[1][0])
	assert.Equal(t, "{\"v\":\"12\"}\n{\"v\":\"about ten\"}\n", string(o.texts[1]))
}

// Codes are written as they are, by what they mean, or both.
func TestCodesAndHeads(t *testing.T) {
	const coded = `target: t
columns:
  - {name: site, titles: [Site], oneOf: {codes: sites}}
  - {name: all, titles: [Sites], oneOf: {codes: sites}, separator: '+'}
`
	const text = "site,all\nAH,AH+BR+CO\n,\nCO,BR\n"
	for _, c := range []struct {
		header outcome.Heading
		codes  outcome.Coding
		want   string
	}{
		{"", "", "site;all\nAH;AH+BR+CO\n;\nCO;BR\n"},
		{outcome.NoHead, outcome.AsLabel, "Ahrensee;Ahrensee+Brunnthal+CO\n;\nCO;Brunnthal\n"},
		{outcome.ByName, outcome.AsBoth, "site;site_label;all;all_label\nAH;Ahrensee;AH+BR+CO;Ahrensee+Brunnthal+CO\n" +
			";;;\nCO;CO;BR;Brunnthal\n"},
		{outcome.ByTitle, outcome.AsBoth, "Site;Site (label);Sites;Sites (label)\nAH;Ahrensee;AH+BR+CO;Ahrensee+Brunnthal+CO\n" +
			";;;\nCO;CO;BR;Brunnthal\n"},
	} {
		o, err := write(t, coded, text, outcome.Settings{Form: "delimited", Delimiter: ";", Header: c.header, Codes: c.codes})
		require.NoError(t, err)
		assert.Equal(t, c.want, string(o.texts[0]))
	}
	two := outcome.Schema{Columns: []outcome.Column{{Name: "a", Title: "Weight"}, {Name: "b", Title: "Weight"},
		{Name: "c", Title: "Day"}, {Name: "c", Title: "day"}}}
	table := two.Table(outcome.Accepted, outcome.Shape{Heading: outcome.ByTitle})
	assert.Equal(t, []string{"a", "b", "Day", "day"}, table.Heads, "names stand where titles recur")
	assert.Equal(t, []string{"a", "b", "c", "c_2"}, two.Table(outcome.Accepted, outcome.Shape{}).Keys())
	for quoting, want := range map[string]string{
		"needed": "a,n\nx,1\n\"\",2\n\"p,q\",\n", "texts": "\"a\",\"n\"\n\"x\",1\n\"\",2\n\"p,q\",\n",
		"all": "\"a\",\"n\"\n\"x\",\"1\"\n\"\",\"2\"\n\"p,q\",\n"} {
		o, err := write(t, "target: t\ncolumns: [{name: a, null: []}, {name: n, datatype: integer}]\n",
			"a,n\nx,1\n,2\n\"p,q\",\n", outcome.Settings{Form: "delimited", Quoting: quoting})
		require.NoError(t, err)
		assert.Equal(t, want, string(o.texts[0]))
	}
}

// Settings that a form does not know, or that have no such value, are told.
func TestSettingsThatAreWrong(t *testing.T) {
	for want, s := range map[string]outcome.Settings{
		`form "ods" is none of csv, delimited, jsonl, parquet, xlsx`: {Form: "ods"},
		"the form parquet has no delimiter":                          {Form: "parquet", Delimiter: ";"},
		"the form jsonl has no encoding":                             {Form: "jsonl", Encoding: "utf-8"},
		"the form xlsx has no quoting":                               {Form: "xlsx", Quoting: "all"},
		"the form csv is always the same":                            {Form: "csv", Header: outcome.ByTitle},
		`header "bold" is none of names, titles, none`:               {Form: "xlsx", Header: "bold"},
		`codes "long" is none of code, label, both`:                  {Form: "xlsx", Codes: "long"},
		`delimiter ";;" is neither one character nor tab`:            {Form: "delimited", Delimiter: ";;"},
		`delimiter "\"" is neither one character nor tab`:            {Form: "delimited", Delimiter: `"`},
		`quoting "some" is none of needed, all, texts`:               {Form: "delimited", Quoting: "some"},
		`lineTerminator "cr" is neither lf nor crlf`:                 {Form: "delimited", LineTerminator: "cr"},
		`encoding "ebcdic" is not known`:                             {Form: "delimited", Encoding: "ebcdic"},
	} {
		_, _, err := written.New(s)
		assert.ErrorContains(t, err, want)
	}
	for _, f := range written.Forms {
		_, of, err := written.New(outcome.Settings{Form: f.Name})
		require.NoError(t, err)
		assert.Equal(t, f.File, of.File)
	}
}

// The same rows give the same bytes, whatever the number of workers, which write reads with as many as there are
// processors.
func TestTheSameBytes(t *testing.T) {
	var text strings.Builder
	text.WriteString("text,note,whole,kg,money,free,ratio,organic,day,at,sealed,hour,crops,counts,site\n")
	for i := range 5000 {
		fmt.Fprintf(&text, "t%d,,%d,%d.25,,,,true,2026-07-%02d,,,,,,AH\n", i, i, i, i%28+1)
	}
	var before [][]byte
	for range 3 {
		o, err := write(t, types, text.String(), outcome.Settings{Form: "parquet"}, outcome.Settings{Form: "jsonl"},
			outcome.Settings{Form: "xlsx"})
		require.NoError(t, err)
		require.Len(t, o.rows, 5000)
		for i := range before {
			require.True(t, bytes.Equal(before[i], o.texts[i]), "output %d", i)
		}
		before = o.texts
	}
}
