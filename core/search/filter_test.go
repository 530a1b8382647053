package search

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/profile"
	"sieb/core/profile/profiletest"
	"sieb/core/source"
)

// found returns the rows that pass the filters, page by page.
func found(t require.TestingT, file *source.File, p *profile.Profile, filters ...profile.Filter) (rows []int64) {
	x := file.NewIndex()
	go func() { _ = x.Build(context.Background(), func(*source.Batch) error { return nil }) }()
	behind, all := int64(0), false
	for page := 7; !all; page *= 10 {
		var more []Match
		var err error
		more, _, all, err = Rows(context.Background(), p, x, filters, behind, page)
		require.NoError(t, err)
		for _, m := range more {
			rows = append(rows, m.Row)
			behind = m.Row
		}
	}
	_, count, _, err := Rows(context.Background(), p, x, filters, 0, -1)
	require.NoError(t, err)
	require.Len(t, rows, int(count))
	return rows
}

func TestFilters(t *testing.T) {
	file := profiletest.Open(t, "no,kg,on,crop\n1,10.5,2026-07-01,wheat\n2,9,2026-07-02,Wheat\n3,wet,2026-07-03,rye\n4,,2026-07-04, \n5,12.25,2026-02-30,rye\n6,9.0,2026-07-06,\"r\"\"ye\"\n"+strings.Repeat("7,11.5,2026-07-07,oats\n", 30))
	defer file.Close()
	p, err := profile.Of(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	rest := make([]int64, 30)
	for i := range rest {
		rest[i] = int64(7 + i)
	}
	all := func(rows ...int64) []int64 { return append(rows, rest...) }
	for _, c := range []struct {
		filters []profile.Filter
		want    []int64
	}{
		{[]profile.Filter{{Column: "crop", Op: "equals", Value: "wheat"}}, []int64{1}},
		{[]profile.Filter{{Column: "crop", Op: "equals", Value: `r"ye`}}, []int64{6}},
		{[]profile.Filter{{Column: "crop", Op: "contains", Value: "HEA"}}, []int64{1, 2}},
		{[]profile.Filter{{Column: "crop", Op: "empty"}}, []int64{4}},
		{[]profile.Filter{{Column: "kg", Op: "empty"}}, []int64{4}},
		{[]profile.Filter{{Column: "kg", Op: "against"}}, []int64{3}},
		{[]profile.Filter{{Column: "on", Op: "against"}}, []int64{5}},
		{[]profile.Filter{{Column: "kg", Op: "greater", Value: "10.5"}}, all(5)},
		{[]profile.Filter{{Column: "kg", Op: "atLeast", Value: "10.5"}}, all(1, 5)},
		{[]profile.Filter{{Column: "kg", Op: "less", Value: "9.5"}}, []int64{2, 6}},
		{[]profile.Filter{{Column: "kg", Op: "atMost", Value: "9"}}, []int64{2, 6}},
		{[]profile.Filter{{Column: "kg", Op: "between", Value: "9", To: "10.5"}}, []int64{1, 2, 6}},
		{[]profile.Filter{{Column: "on", Op: "between", Value: "2026-07-02", To: "2026-07-04"}}, []int64{2, 3, 4}},
		{[]profile.Filter{{Column: "crop", Op: "greater", Value: "wheap"}}, []int64{1}},
		{[]profile.Filter{{Column: "crop", Op: "shape", Value: "Aaaaa"}}, []int64{2}},
		{[]profile.Filter{{Column: "kg", Op: "form", Value: "text"}}, []int64{3}},
		{[]profile.Filter{{Column: "kg", Op: "form", Value: "integer"}}, []int64{2}},
		{[]profile.Filter{{Column: "kg", Op: "filled"}, {Column: "crop", Op: "equals", Value: "rye"},
			{Column: "kg", Op: "greater", Value: "1"}}, []int64{5}},
		{[]profile.Filter{{Column: "crop", Op: "equals", Value: "barley"}}, nil},
		{nil, all(1, 2, 3, 4, 5, 6)},
	} {
		assert.Equal(t, c.want, found(t, file, p, c.filters...), "%v", c.filters)
	}
	for _, c := range []struct {
		filter profile.Filter
		want   string
	}{
		{profile.Filter{Column: "none", Op: "empty"}, `the delivery has no column "none"`},
		{profile.Filter{Column: "kg", Op: "like"}, "there is no such condition"},
		{profile.Filter{Column: "kg", Op: "greater", Value: "wet"}, `"wet" is no value of the column's datatype, decimal`},
		{profile.Filter{Column: "on", Op: "between", Value: "2026-07-01", To: "x"},
			`"x" is no value of the column's datatype, date`},
	} {
		_, err := NewFinder(p, []profile.Filter{c.filter})
		assert.ErrorContains(t, err, c.want)
	}
}

// Conditions on rows, on several columns, and on how values are written.
func TestRowConditions(t *testing.T) {
	file := profiletest.Open(t, `no,from,to,gross,tare,net,share,note
1,2026-07-01,2026-07-02,30,10,20,5 %,
2,2026-07-03,2026-07-02,31,10,20,6 %,7
3,2026-07-03,2026-07-03,30,10,20,7,x
4,,,,,,,
5,2026-07-03,2026-07-04,30,10,20,8 %
6,2026-07-03,2026-07-04,30,10,20,8 %,x,y
7,2026-07-03,2026-07-04,3x,10,20,8 %,"x" y
08,2026-07-03,2026-07-04,30,10,20,9 %, two  words
9,2026-07-03,2026-07-04,20,10,10,20,x
`+strings.Repeat("10,2026-07-03,2026-07-04,50,20,30,9 %,z\n", 40))
	defer file.Close()
	p, err := profile.Of(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	assert.Equal(t, int64(2), p.Damaged)
	on := func(column, op, value string, columns ...string) profile.Filter {
		return profile.Filter{Column: column, Op: op, Value: value, Columns: columns}
	}
	few := profile.Filter{Op: "rows", Rows: []int64{9, 8, 7, 6, 5, 4, 3, 2, 1}}
	for _, c := range []struct {
		filter profile.Filter
		want   []int64
	}{
		{few, []int64{1, 2, 3, 4, 7, 8, 9}},
		{on("", "defect", "row.short"), []int64{5}},
		{on("", "defect", "row.long"), []int64{6}},
		{on("note", "defect", "quote.tail"), []int64{7}},
		{on("from", "defect", "quote.tail"), nil},
		{on("", "sparse", "1"), []int64{4}},
		{on("from", "after", "", "to"), []int64{2}},
		{on("gross", "notSum", "", "tare", "net"), []int64{2}},
		{on("tare", "differs", "", "net"), []int64{1, 2, 3, 7, 8}},
		{on("share", "habit", "percent sign"), []int64{1, 2, 7, 8}},
		{on("no", "habit", "zeros in front"), []int64{8}},
		{on("note", "habit", "blanks around"), []int64{8}},
		{on("note", "habit", "blanks inside"), []int64{8}},
		{on("note", "notNumber", ""), []int64{3, 7, 8, 9}},
		{on("share", "notShape", "9 %"), []int64{3, 9}},
		{profile.Filter{Column: "note", Op: "oneOf", Values: []string{"7", "x"}}, []int64{2, 3, 9}},
	} {
		assert.Equal(t, c.want, found(t, file, p, few, c.filter), "%v", c.filter)
	}
	for _, c := range []struct {
		filter profile.Filter
		want   string
	}{
		{on("", "equals", "x"), "equals: the condition needs a column; on rows there are rows, sparse, defect"},
		{on("", "sparse", "few"), `sparse: "few" is no number of cells`},
		{on("no", "habit", "haste"), "no habit: there is no such habit; there are blanks around, blanks inside, " +
			"characters that do not show, currency sign"},
		{on("no", "differs", ""), "no differs: the condition compares with other columns: name them"},
		{on("from", "after", "", "to", "no"), "the condition compares with other columns"},
		{on("from", "after", "", "then"), `the delivery has no column "then"`},
		{on("note", "after", "", "from"), "note holds neither numbers nor dates"},
	} {
		_, err := NewFinder(p, []profile.Filter{c.filter})
		assert.ErrorContains(t, err, c.want)
	}
}

// What a profile counts is what a filter finds, in a delivery of many parts.
func TestFiltersFindWhatIsCounted(t *testing.T) {
	file := profiletest.Open(t, profiletest.ManyRows(150_000))
	defer file.Close()
	p, err := profile.Of(context.Background(), file, profile.Options{})
	require.NoError(t, err)
	x := file.NewIndex()
	require.NoError(t, x.Build(context.Background(), func(*source.Batch) error { return nil }))
	is, err := x.AwaitPart(context.Background(), 2)
	require.NoError(t, err)
	require.True(t, is, "the delivery has three parts")
	for _, c := range p.Columns {
		if c.DistinctExact {
			for _, v := range c.Top[:2] {
				rows := found(t, file, p, profile.Filter{Column: c.Name, Op: "equals", Value: v.Value})
				require.Len(t, rows, int(v.Count), "%s %s", c.Name, v.Value)
				assert.Equal(t, v.Row, rows[0])
			}
		}
		for _, k := range c.Kinds {
			assert.Len(t, found(t, file, p, profile.Filter{Column: c.Name, Op: "form", Value: k.Form}), int(k.Count), "%s %s",
				c.Name, k.Form)
		}
	}
	bar := p.Columns[2].Histogram[3]
	assert.Len(t, found(t, file, p, profile.Filter{Column: "net_kg", Op: "atLeast", Value: string(bar.From)},
		profile.Filter{Column: "net_kg", Op: "less", Value: string(bar.To)}), int(bar.Count))
	assert.Equal(t, []int64{5, 77_001, 77_003, 150_000}, found(t, file, p,
		profile.Filter{Op: "rows", Rows: []int64{77_003, 5, 150_000, 77_001}}))
	assert.Equal(t, []int64{77_001}, found(t, file, p, profile.Filter{Column: "code", Op: "equals", Value: "BR-0539000"}))
}
