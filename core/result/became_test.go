package result_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/check"
	"sieb/core/finding"
	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/report"
	"sieb/core/result"
	"sieb/core/source"
	"sieb/core/target"
)

// What the cure did to a column shows beside what was delivered: findings that are gone, new, and still there.
func TestBecame(t *testing.T) {
	dir := t.TempDir()
	text := "Crop,Count,Same\n"
	for i := range 200 {
		crop, count := []string{"wheat", "rye", "oats"}[i%3], fmt.Sprint(i%40+1)
		switch {
		case i == 7:
			crop = " rye"
		case i == 9 || i == 10:
			count = "about 5"
		case i == 20:
			count = "n/a"
		case i == 30:
			count = "90000"
		}
		text += fmt.Sprintf("%s,%s,%d\n", crop, count, i%5)
	}
	path := filepath.Join(dir, "d.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	parsed, err := target.Parse([]byte("target: t\ncolumns:\n  - {name: crop, remedies: [trim]}\n" +
		"  - {name: count, datatype: integer, null: ['', n/a]}\n  - {name: same, datatype: integer}\n" +
		"  - {name: fixed, value: x}\n"))
	require.NoError(t, err)
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	was, err := finding.Profile(t.Context(), file, profile.Options{})
	require.NoError(t, err)
	out := filepath.Join(dir, "out")
	summary, err := (&report.Run{Delivery: file, Target: parsed, Dir: out}).Do(t.Context())
	require.NoError(t, err)
	is, err := result.Profile(t.Context(), out, source.Bounds{})
	require.NoError(t, err)

	b := result.BecameOf(is, was, summary.Columns)
	assert.EqualValues(t, 198, b.Rows)
	assert.EqualValues(t, 200, b.Delivered)
	require.Len(t, b.Columns, 4)
	crop, count, same, fixed := b.Columns[0], b.Columns[1], b.Columns[2], b.Columns[3]
	assert.Equal(t, "Crop", crop.Header)
	assert.Equal(t, []int64{4, 3}, []int64{crop.Was.Distinct, crop.Is.Distinct})
	assert.Contains(t, strings.Join(crop.Gone, "\n"), "has blanks around it")
	assert.Empty(t, crop.New)
	assert.Equal(t, []int64{200, 197}, []int64{count.Was.Filled, count.Is.Filled})
	assert.Contains(t, strings.Join(count.Gone, "\n"), "not whole numbers")
	assert.Contains(t, strings.Join(count.Still, "\n"), "90000")
	assert.Contains(t, strings.Join(count.New, "\n"), "is empty in 1 of 198 rows")
	assert.Equal(t, []string{"0", "4"}, []string{same.Is.Minimum, same.Is.Maximum})
	assert.Equal(t, same.Was.Shape, same.Is.Shape)
	assert.Nil(t, fixed.Was)
	assert.Empty(t, fixed.Header)
	assert.Equal(t, result.Facts{Datatype: "string", Filled: 198, Distinct: 1, DistinctExact: true, Minimum: "x",
		Maximum: "x", Shape: "a", Shapes: 1}, fixed.Is)

	// Without a profile of the delivery the result stands alone, and nothing of it is new.
	alone := result.BecameOf(is, nil, summary.Columns)
	assert.Zero(t, alone.Delivered)
	assert.Nil(t, alone.Columns[1].Was)
	assert.Empty(t, alone.Columns[1].New)
	assert.Len(t, alone.Columns[1].Still, len(count.Still)+len(count.New))
	// A delivery of fewer columns than were matched is another one.
	few := *was
	few.Columns = few.Columns[:1]
	assert.Nil(t, result.BecameOf(is, &few, []check.Match{{Column: "count", Header: "Count", Place: 2}}).Columns[1].Was)

	// Nothing accepted is a profile without rows.
	none, err := target.Parse([]byte("target: t\ncolumns: [{name: crop, oneOf: [barley]}]\n"))
	require.NoError(t, err)
	_, err = (&report.Run{Delivery: file, Target: none, Dir: out}).Do(t.Context())
	require.NoError(t, err)
	is, err = result.Profile(t.Context(), out, source.Bounds{})
	require.NoError(t, err)
	assert.Zero(t, is.Rows)
	assert.EqualValues(t, 0, result.BecameOf(is, was, nil).Columns[0].Is.Filled)
	_, err = result.Profile(t.Context(), dir, source.Bounds{})
	assert.ErrorContains(t, err, "holds no run")
}
