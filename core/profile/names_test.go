package profile

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/profile/profiletest"
	"sieb/core/value"
)

// A key of several columns is found where none is one alone.
func TestKeys(t *testing.T) {
	var b strings.Builder
	b.WriteString("site,day,slot,load\n")
	for site := range 4 {
		for day := range 15 {
			for slot := range 6 {
				fmt.Fprintf(&b, "S%d,%d,%d,%d\n", site, 1+day, slot, 1)
			}
		}
	}
	p := profileOf(t, b.String())
	require.Len(t, p.Keys, 1)
	assert.Equal(t, Key{Columns: []string{"site", "day", "slot"}, Rows: 360}, p.Keys[0])
}

func TestNamesOfColumns(t *testing.T) {
	p := profileOf(t, "No,No,,No (2),column_3, \n1,2,3,4,5,6\n")
	var names []string
	for _, c := range p.Columns {
		names = append(names, c.Name)
	}
	assert.Equal(t, []string{"No", "No (3)", "column_3", "No (2)", "column_3 (2)", "column_6"}, names)
	assert.Equal(t, "No", p.Columns[1].Header)
}

func TestEdge(t *testing.T) {
	for edge, want := range map[string]string{`"2026-07-06T00:00:00"`: "2026-07-06",
		`"2026-07-06T06:00:00"`: "2026-07-06T06:00", `"2026-07-06"`: "2026-07-06", `12.5`: "12.5"} {
		assert.Equal(t, want, Edge(json.RawMessage(edge)))
	}
}

// The same in a column that is too large to be held whole.
func TestWordsAmongManyNumbers(t *testing.T) {
	rows := make([][]string, 40_000)
	for i := range rows {
		rows[i] = []string{fmt.Sprintf("%d.%02d", i*7919%999_983, i%100), "x"}
		if i%5 == 0 {
			rows[i][0] = "offen"
		}
	}
	file := profiletest.Open(t, profiletest.Written(t, []string{"sum", "beside"}, rows))
	defer file.Close()
	s, about, err := takeSample(t.Context(), file, headerOf(t, file))
	require.NoError(t, err)
	p := tight(s, about)
	all, err := p.collect(t.Context(), file, Options{}, (*collector).add)
	require.NoError(t, err)
	require.True(t, all.columns[0].over)
	types := p.conclude(all)
	require.False(t, p.amend(all, types), "the sample told it")
	c := p.finish(t.Context(), headerOf(t, file), all, types, repeats{}).Columns[0]
	assert.Equal(t, value.Decimal, c.Datatype)
	require.Len(t, c.Placeholders, 1)
	assert.Equal(t, Value{"offen", 8000, 1, 2}, c.Placeholders[0])
	assert.Equal(t, int64(32_000), c.Fits)
}
