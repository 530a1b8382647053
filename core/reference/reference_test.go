package reference_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/xxh3"
	"pgregory.net/rapid"

	"sieb/core/check"
	"sieb/core/codes"
	"sieb/core/layout"
	"sieb/core/reference"
	"sieb/core/source"
	"sieb/core/target"
)

func reader(t require.TestingT, text string) source.Source {
	r, err := source.NewReader(strings.NewReader(text),
		layout.Layout{Form: layout.Delimited, Encoding: "utf-8", Delimiter: ",",
			QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1})
	require.NoError(t, err)
	return r
}

const detail = `target: details
columns: [{name: day, datatype: date}, {name: kg, datatype: decimal}, {name: site}]
foreignKeys:
  - {columnReference: [day, kg], reference: {resource: main, columnReference: [weighed_on, weight]}}
`

// hashOf returns the key of one row of details.
func hashOf(t require.TestingT, tg *target.Target, keys check.Keys, row string) []check.Found {
	plan, err := check.NewPlan(tg, check.Delivery{Header: source.Header{Names: []string{"day", "kg", "site"}, Named: true},
		Encoding: "utf-8", Keys: []check.Keys{keys}})
	require.NoError(t, err)
	r := reader(t, "day,kg,site\n"+row+"\n")
	var b source.Batch
	require.NoError(t, r.Next(&b))
	b.Split()
	var ruling check.Ruling
	plan.NewJudge().Batch(&b, &ruling)
	return ruling.Found
}

// Keys are compared as values: 07.50 is 7.5, whatever stands in the file.
func TestKeysAreValues(t *testing.T) {
	tg, err := target.Parse([]byte(detail))
	require.NoError(t, err)
	columns := reference.Columns(tg, &tg.ForeignKeys[0])
	keys, err := reference.Read(t.Context(), "main", columns, reader(t,
		"Weight,other,Weighed-On\n7.50,x,2026-07-01\n7.5,y,2026-07-01\n,z,2026-07-02\nx,z,2026-07-03\n9,,2026-07-04\n"),
		"utf-8", reference.Room{})
	require.NoError(t, err)
	assert.Equal(t, int64(2), keys.State.Keys, "rows without a value, or with a wrong one, have no key")
	for row, want := range map[string]string{"2026-07-01,7.500,a": "", "2026-07-04,9,a": "",
		"2026-07-01,9,a": "reference.missing",
		"2026-07-01,,a":  "", ",9,a": "", "2026-07-01,x,a": "type.decimal"} {
		found := hashOf(t, tg, keys, row)
		got := ""
		for _, f := range found {
			got += f.Code.String()
		}
		assert.Equal(t, want, got, row)
	}
	_, err = reference.Read(t.Context(), "main", columns, reader(t, "weight,day\n1,2026-07-01\n"), "utf-8",
		reference.Room{})
	assert.ErrorContains(t, err, `main, to which the target refers: no column of the delivery is headed "weighed_on"`)
}

// The digest is of the keys, in whatever order and however often they stand there.
func TestDigest(t *testing.T) {
	columns := []target.Column{{Name: "no", Null: []string{""}}}
	digest := func(t *rapid.T, rows []string) string {
		keys, err := reference.Read(t.Context(), "r", columns, reader(t, "no\n"+strings.Join(rows, "\n")+"\n"), "utf-8",
			reference.Room{})
		require.NoError(t, err)
		return fmt.Sprint(keys.State.Keys, keys.State.Digest)
	}
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfN(rapid.StringMatching(`[a-z]{1,4}`), 1, 60).Draw(t, "rows")
		shuffled := append(rapid.Permutation(rows).Draw(t, "shuffled"), rows[0])
		require.Equal(t, digest(t, rows), digest(t, shuffled))
		require.NotEqual(t, digest(t, rows), digest(t, append(rows, "another")))
	})
}

// Of a row that was rejected it is told that what refers to it is withheld.
func TestRejectedMainRows(t *testing.T) {
	columns := []target.Column{{Name: "no", Null: []string{""}}}
	keys, err := reference.Read(t.Context(), "growers", columns, reader(t, "no\n1\n2\n"), "utf-8", reference.Room{})
	require.NoError(t, err)
	by, err := target.Parse([]byte("target: growers\ncolumns: [{name: no, position: 2, remedies: [trim], required: true}, {name: name, position: 1}]\n" +
		"newColumns: refuse\nrowRules: [{condition: no != name}]\n"))
	require.NoError(t, err)
	require.NoError(t, keys.AddRejected(t.Context(), by, nil, []string{"no"}, reader(t,
		"row,line,reasons,Name,No\n3,4,why,x, 3 \n4,5,why,x,2\n5,6,why,x,\n")))
	alone := &target.Target{Columns: []target.Column{{Name: "day"}, {Name: "kg"}, {Name: "no", Null: []string{""}}},
		ForeignKeys: []target.ForeignKey{{Columns: []string{"no"},
			Reference: target.Reference{Resource: "growers", Columns: []string{"no"}}}}}
	for row, want := range map[string]string{"a,b,1": "", "a,b,2": "", "a,b,3": "withheld", "a,b,4": "is not in growers"} {
		plan, err := check.NewPlan(alone, check.Delivery{
			Header:   source.Header{Names: []string{"day", "kg", "no"}, Named: true},
			Encoding: "utf-8", Keys: []check.Keys{keys}})
		require.NoError(t, err)
		r := reader(t, "day,kg,no\n"+row+"\n")
		var b source.Batch
		require.NoError(t, r.Next(&b))
		b.Split()
		var ruling check.Ruling
		plan.NewJudge().Batch(&b, &ruling)
		if want == "" {
			assert.Empty(t, ruling.Found, row)
			continue
		}
		require.Len(t, ruling.Found, 1, row)
		assert.Contains(t, string(ruling.Message(&ruling.Found[0])), want)
	}
	named, err := target.Parse([]byte("target: lines\ncolumns: [{name: line}, {name: row}]\n"))
	require.NoError(t, err)
	assert.NoError(t, keys.AddRejected(t.Context(), named, nil, []string{"line"},
		reader(t, "row,line,reasons,Line,ROW\n1,2,why,7,8\n")),
		"columns that are named as those before the cells")
	assert.NoError(t, keys.AddRejected(t.Context(), by, nil, []string{"other"}, reader(t, "row\n1\n")),
		"a column that the other target does not have")
}

// The codes of a list are the keys of a column, whatever its datatype: 07 and 7 are one
// number, and two texts.
func TestCodesAsKeys(t *testing.T) {
	list, err := codes.Parse(t.Context(), "silos", []byte("code,label\n07,\"north, old\"\n8,south\n\"a,b\",odd\n"))
	require.NoError(t, err)
	for datatype, want := range map[string]string{"integer": "7 8", "string": "07 8 a,b"} {
		tg, err := target.Parse([]byte("target: t\ncolumns: [{name: silo, datatype: " + datatype + "}]\n" +
			"foreignKeys: [{columnReference: silo, reference: {codes: silos}}]\n"))
		require.NoError(t, err)
		assert.Equal(t, []string{"silos"}, tg.CodeLists())
		fk := tg.ForeignKeys[0]
		assert.Equal(t, "silos", fk.Reference.Name())
		keys, err := reference.OfCodes(t.Context(), tg, &fk, list)
		require.NoError(t, err)
		var has []string
		for _, text := range []string{"7", "07", "8", "9", "a,b"} {
			if keys.Has(xxh3.Hash128([]byte(text))) {
				has = append(has, text)
			}
		}
		assert.Equal(t, want, strings.Join(has, " "), datatype)
		assert.EqualValues(t, len(has), keys.State.Keys)
	}
	assert.Nil(t, codes.Named([]*codes.List{list}, "others"))
	assert.Same(t, list, codes.Named([]*codes.List{list}, "silos"))
}

// What the target of the other rows demands of deliveries, of order and of repeats is no
// matter for their keys.
func TestRejectedRowsOfAStrictTarget(t *testing.T) {
	list, err := codes.Parse(t.Context(), "sites", []byte("code,label\nA,Ahrensee\n"))
	require.NoError(t, err)
	by, err := target.Parse([]byte("target: t\ncolumns: [{name: no, unique: true, ordered: ascending}, " +
		"{name: site, oneOf: {codes: sites}, complete: true}, {name: where, derive: 'label(\"sites\", site)'}]\n" +
		"repeated: {keep: none, rows: true}\nfileName: {format: 'x'}\nrepeats: refuse\n" +
		"controls: [{count: rows, in: footer, find: x}]\n"))
	require.NoError(t, err)
	keys := &reference.Keys{}
	require.NoError(t, keys.AddRejected(t.Context(), by, []*codes.List{list}, []string{"no"},
		reader(t, "row,line,reasons,no,site\n1,2,why,7,A\n2,3,why,7,B\n3,4,why,5,A\n")))
	assert.NotEmpty(t, keys.Why(xxh3.Hash128([]byte("7"))))
	assert.NotEmpty(t, keys.Why(xxh3.Hash128([]byte("5"))))
	assert.Empty(t, keys.Why(xxh3.Hash128([]byte("6"))))
}
