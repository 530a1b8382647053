package sift_test

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
	"sieb/core/outcome/outcometest"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

func run(t require.TestingT, targetText, text string, workers int) (*sift.Result, *outcometest.Texts) {
	var tg *target.Target
	if targetText != "" {
		var err error
		tg, err = target.Parse([]byte(targetText))
		require.NoError(t, err)
	}
	l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
		DoubleQuote: true, HeaderRows: 1}
	r, err := source.NewReader(strings.NewReader(text), l)
	require.NoError(t, err)
	sink := &outcometest.Texts{}
	s := sift.Run{Source: r, Encoding: l.Encoding, Target: tg, Workers: workers, Outputs: sink.Outputs(),
		Size: int64(len(text))}
	result, err := s.Do(context.Background())
	require.NoError(t, err)
	return result, sink
}

// counted returns what remedies changed, without how.
func counted(r *sift.Result) (all []sift.Remedy) {
	for _, m := range r.Remedies {
		all = append(all, sift.Remedy{Column: m.Column, Remedy: m.Remedy, Changed: m.Changed, Spoilt: m.Spoilt})
	}
	return all
}

const keyed = `target: t
columns:
  - {name: id, unique: true, required: true}
  - {name: n, datatype: integer, remedies: [trim]}
`

func TestRun(t *testing.T) {
	result, sink := run(t, keyed, "id,n\na, 1\nb,x\nb,2\na,3\nb,4\n,5\n\"c\nd\",6\nc,7,8\n", 1)
	assert.Equal(t, sift.Tally{Read: 8, Accepted: 3, Rejected: 5}, result.Tally)
	assert.Equal(t, sift.Split, result.Verdict)
	assert.Equal(t, "id,n\na,1\nb,2\n\"c\nd\",6\n", sink.Accepted.String())
	assert.Equal(t, `row,line,reasons,id,n
2,3,"n: ""x"" is not a whole number [type.integer]",b,x
4,5,"id: ""a"" is already in row 1 (line 2), which is kept [key.duplicate]",a,3
5,6,"id: ""b"" is already in row 3 (line 4), which is kept [key.duplicate]",b,4
6,7,"id: the cell is empty, and a value is required [required.empty]",,5
8,10,"the row has 3 cells, the table has 2 columns [row.long]",c,7,8
`, sink.Rejected.String())
	assert.Equal(t, `row,line,column,code,value,message
2,3,n,type.integer,x,"""x"" is not a whole number"
4,5,id,key.duplicate,a,"""a"" is already in row 1 (line 2), which is kept"
5,6,id,key.duplicate,b,"""b"" is already in row 3 (line 4), which is kept"
6,7,id,required.empty,,"the cell is empty, and a value is required"
8,10,,row.long,,"the row has 3 cells, the table has 2 columns"
`, sink.Violations.String())
	assert.Equal(t, []sift.Remedy{{Column: "n", Remedy: "trim", Changed: 1}}, counted(result))
	assert.Equal(t, int64(2), result.Violations[0].Rows)
	assert.Equal(t, "key.duplicate", result.Violations[0].Code.String())
	assert.Len(t, result.Violations[0].Samples, 2)
	assert.Equal(t, "row.long", result.Violations[1].Code.String())
	assert.Equal(t, []int64{2, 0, 1, 1}, []int64{result.Violations[0].Cells, result.Violations[1].Cells,
		result.Violations[2].Cells, result.Violations[3].Cells})
}

func TestWithoutTarget(t *testing.T) {
	result, sink := run(t, "", "a,a\n1,\"x;y\"\n 2,\"\"\n3\n", 2)
	assert.Equal(t, sift.Tally{Read: 3, Accepted: 2, Rejected: 1}, result.Tally)
	assert.Equal(t, "a,a\n1,x;y\n\" 2\",\n", sink.Accepted.String())
	assert.Equal(t, "header.duplicate", result.Violations[1].Code.String())
}

// Without a target, too, nothing is not something, and the limit that is not set is not
// spoken of.
func TestNothingDelivered(t *testing.T) {
	for _, text := range []string{"", "\n", "id,n\n", "\n\n\n"} {
		result, sink := run(t, "", text, 2)
		assert.Equal(t, sift.Refused, result.Verdict, "%q", text)
		assert.Contains(t, result.Refusal, "nothing was delivered", "%q", text)
		assert.Contains(t, sink.Violations.String(), ",delivery.empty,")
		assert.Empty(t, result.Tolerance)
	}
	result, _ := run(t, keyed+"tolerance: {rejected: 50%}\n", "id,n\n1,1\n2,x\n", 2)
	assert.Equal(t, "50%", result.Tolerance)
}

func TestVerdicts(t *testing.T) {
	text := "id,n\n1,1\n2,x\n3,3\n4,4\n"
	for _, c := range []struct {
		more    string
		text    string
		verdict sift.Verdict
		refusal string
	}{
		{"", text, sift.Split, ""},
		{"tolerance: {rejected: 25%}\n", text, sift.Split, ""},
		{"tolerance: {rejected: 24%}\n", text, sift.Refused, "1 of 4 rows were rejected, and the tolerance is 24%"},
		{"tolerance: {rejected: 0}\n", text, sift.Refused, "1 of 4 rows were rejected, and the tolerance is 0"},
		{"", "id,n\n1,1\n", sift.Accepted, ""},
		{"", "id,n\n", sift.Refused, "nothing was delivered: the file has a header and no row"},
		{"rows: {minimum: 0}\n", "id,n\n", sift.Accepted, ""},
		{"rows: {minimum: 0}\n", "", sift.Refused, "the delivery is empty"}, // the required column is not there
		{"rows: {minimum: 2}\n", "id,n\n1,1\n", sift.Refused, "the delivery has 1 row, and at least 2 are expected"},
		{"rows: {minimum: 2}\n", "id,n\n", sift.Refused, "nothing was delivered"},
		{"rows: {maximum: 3}\n", text, sift.Refused, "the delivery has 4 rows, and at most 3 are expected"},
		{"rows: {minimum: 4, maximum: 4}\n", text, sift.Split, ""},
		{"", "id,n\n1,x\n2,y\n", sift.Refused, "no row was accepted: all 2 were rejected"},
		{"tolerance: {rejected: 100%}\n", "id,n\n1,x\n", sift.Refused, "no row was accepted"},
		{"", "id,n\n\n \n\n", sift.Refused, "nothing was delivered"},
		{"", "ident,n\n1,1\n2,2\n", sift.Refused, `no column of the delivery is headed "id"`},
		{"", "", sift.Refused, "nothing was delivered: the file has neither a header nor a row"},
	} {
		result, sink := run(t, keyed+c.more, c.text, 0)
		assert.Equal(t, c.verdict, result.Verdict, "%s%s", c.more, c.text)
		assert.Contains(t, result.Refusal, c.refusal)
		assert.Equal(t, result.Tally.Read, result.Tally.Accepted+result.Tally.Rejected+result.Tally.Excluded)
		if c.refusal == "" {
			assert.Empty(t, result.Refusal)
		}
		assert.Equal(t, result.Tally.Rejected, int64(strings.Count(sink.Rejected.String(), "\n")-1))
	}
}

func TestRefuseAction(t *testing.T) {
	result, _ := run(t, "target: t\ncolumns:\n  - {name: n, datatype: integer, onViolation: refuse}\n", "n\n1\nx\n", 1)
	assert.Equal(t, sift.Refused, result.Verdict)
	assert.Equal(t, `"x" is not a whole number`, result.Refusal)
	assert.Equal(t, sift.Tally{Read: 2, Accepted: 1, Rejected: 1}, result.Tally)
}

func TestCompositeKey(t *testing.T) {
	result, _ := run(t, "target: t\ncolumns:\n  - name: a\n  - {name: b, datatype: decimal}\n  - {name: c, "+
		"datatype: dateTime, unique: true}\nkey: [a, b]\n",
		"a,b,c\nx,1,2026-01-01T10:00:00Z\nx,1.0,\nx,2,2026-01-01T12:00:00+02:00\ny,1,2026-01-02T00:00:00Z\n1,x1,\n", 1)
	var got []string
	for _, g := range result.Violations {
		got = append(got, fmt.Sprintf("%s %s %d", g.Code, g.Column, g.Samples[0].Row))
	}
	assert.ElementsMatch(t, []string{"key.duplicate a, b 2", "key.duplicate c 3", "type.decimal b 5"}, got,
		"1 and 1.0 are one number, and both times one instant")
}

// Whatever the table: each row is accounted for, the outputs add up to the
// tally, accepted keys are unique, and the number of workers changes nothing.
func TestPromises(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var text strings.Builder
		text.WriteString("id,n\n")
		rows := rapid.IntRange(0, 400).Draw(t, "rows")
		for range rows {
			text.WriteString(rapid.SampledFrom([]string{"a", "b", "c", "d", "e", "", "f g", `"x`, `"y""z"`, `"l` +
				"\n" + `m"`, "w"}).Draw(t, "id"))
			text.WriteString(rapid.SampledFrom([]string{",1\n", ",x\n", ", 7\n", "\n", ",2,3\n", ",\n"}).Draw(t,
				"rest"))
		}
		pad := strings.Repeat("pad,1\n", rapid.SampledFrom([]int{0, 0, 0, 0, 0, 0, 0, 0, 0, 60000}).Draw(t, "pad"))
		result, sink := run(t, keyed, text.String()+pad, 1)
		tally := result.Tally
		assert.Equal(t, tally.Read, tally.Accepted+tally.Rejected+tally.Excluded)
		again, same := run(t, keyed, text.String()+pad, 5)
		assert.Equal(t, result, again)
		assert.True(t, sink.Accepted.String() == same.Accepted.String() &&
			sink.Rejected.String() == same.Rejected.String() && sink.Violations.String() == same.Violations.String())

		l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: "utf-8", Delimiter: ",", QuoteChar: `"`,
			DoubleQuote: true, HeaderRows: 1}
		keys := map[string]bool{}
		accepted := int64(0)
		r, err := source.NewReader(strings.NewReader(sink.Accepted.String()), l)
		require.NoError(t, err)
		changed, err := sift.Look(r, "utf-8", -1, func(seen *sift.ReadRow) error {
			accepted++
			assert.False(t, keys[seen.Cells[0]], "the key %q stands twice", seen.Cells[0])
			keys[seen.Cells[0]] = true
			assert.Empty(t, seen.Problems)
			return nil
		})
		require.NoError(t, err)
		assert.Nil(t, changed)
		assert.Equal(t, tally.Accepted, accepted)
	})
}

func TestManyKeys(t *testing.T) {
	var text strings.Builder
	text.WriteString("id,n\n")
	for i := range 150000 {
		fmt.Fprintf(&text, "k%d,1\n", i)
		if i%1000 == 999 {
			fmt.Fprintf(&text, "k%d,2\n", i/2)
		}
	}
	result, _ := run(t, keyed, text.String(), 0)
	assert.Equal(t, sift.Tally{Read: 150150, Accepted: 150000, Rejected: 150}, result.Tally)
}

// A file that was put together from two encodings says from which line on.
func TestEncodingChanges(t *testing.T) {
	tg := target.Plain([]string{"id", "name"})
	for name, c := range map[string]struct {
		encoding string
		rows     []string
		want     string
	}{
		"utf-8 goes on as windows-1252": {"utf-8", []string{"Größe", "Mühle", "a", "Höhe", "Gr\xf6\xdfe", "b",
			"M\xfchle", "H\xf6he"}, "the encoding changes: from line 6 on the letters beyond ASCII are not utf-8"},
		"windows-1252 after utf-8": {"windows-1252", []string{"Größe", "Mühle", "Höhe", "a", "Gr\xf6\xdfe",
			"M\xfchle", "H\xf6he"}, "the encoding changes: before line 6 the letters beyond ASCII are not windows-1252"},
		"a damaged row is no change": {"utf-8", []string{"Größe", "Mühle", "Höhe", "M\xfchle", "Größe",
			"Mühle", "Höhe"}, ""},
		"few rows at the end are no change": {"utf-8", []string{"Größe", "Mühle", "Höhe", "M\xfchle", "M\xfchle"},
			""},
		"one encoding":                        {"utf-8", []string{"Größe", "Mühle", "Höhe", "a", "b"}, ""},
		"none of the letters are as they say": {"utf-8", []string{"M\xfchle", "H\xf6he", "M\xfchle", "H\xf6he"}, ""},
	} {
		l := layout.Layout{SkipBlankRows: true, Form: "delimited", Encoding: c.encoding, Delimiter: ";", QuoteChar: `"`,
			DoubleQuote: true, HeaderRows: 1}
		text := "id;name\n"
		for i, row := range c.rows {
			text += fmt.Sprintf("%d;%s\n", i+1, row)
		}
		r, err := source.NewReader(strings.NewReader(text), l)
		require.NoError(t, err)
		sink := &outcometest.Texts{}
		result, err := (&sift.Run{Source: r, Encoding: c.encoding, Target: tg, Outputs: sink.Outputs()}).Do(t.Context())
		require.NoError(t, err)
		found := slices.ContainsFunc(result.Violations,
			func(g sift.Group) bool { return g.Code == violation.EncodingChanged })
		assert.Equal(t, c.want != "", found, name)
		if c.want != "" {
			assert.Contains(t, sink.Violations.String(), c.want, name)
		}
		r, err = source.NewReader(strings.NewReader(text), l)
		require.NoError(t, err)
		changed, err := sift.Look(r, c.encoding, -1, func(*sift.ReadRow) error { return nil })
		require.NoError(t, err)
		assert.Equal(t, c.want != "", changed != nil, name)
	}
}
