package check_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/check"
	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/target"
)

// A cell takes no memory of its own, also where its whole rule judges it and not a quick test: once a judge is warm, a
// batch of clean rows takes a few allocations, however many cells it has.
func TestNoAllocationPerCell(t *testing.T) {
	tg, err := target.Parse([]byte(`target: t
columns:
  - {name: text, format: '[A-ZÄ]+[0-9]*', maxLength: 20, minLength: 1}
  - {name: list, oneOf: [rye, wheat, 'oats, rolled']}
  - {name: whole, datatype: integer, minimum: -5, precision: 12}
  - {name: part, datatype: decimal, precision: 12, scale: 4, maximum: 5000}
  - {name: double, datatype: double, minimum: 0, maximum: 1000000}
  - {name: day, datatype: date, format: dd.MM.yyyy, minimum: 2020-01-01}
  - {name: yes, datatype: boolean, format: ja|nein}
  - {name: many, separator: ';', maxLength: 9}
`))
	require.NoError(t, err)
	var text strings.Builder
	text.WriteString("text,list,whole,part,double,day,yes,many\n")
	const rows = 500
	for i := range rows {
		fmt.Fprintf(&text, "Ä%d,\"oats, rolled\",-%d,%d.50,%d.25E1,%02d.07.2026,ja,a%d;b\n", i, i%5, i, i, i%28+1, i)
	}
	r, err := source.NewReader(strings.NewReader(text.String()), layout.Layout{Form: layout.Delimited, Encoding: "utf-8",
		Delimiter: ",", QuoteChar: `"`, DoubleQuote: true, HeaderRows: 1})
	require.NoError(t, err)
	plan, err := check.NewPlan(tg, check.Delivery{Header: r.Header(), Encoding: "utf-8"})
	require.NoError(t, err)
	var b source.Batch
	require.NoError(t, r.Next(&b))
	require.Len(t, b.Rows, rows)
	b.Split()
	judge := plan.NewJudge()
	var ruling check.Ruling
	arena := len(b.Arena)
	took := testing.AllocsPerRun(20, func() {
		b.Arena = b.Arena[:arena]
		judge.Batch(&b, &ruling)
	})
	assert.Empty(t, ruling.Found)
	assert.Less(t, took, 20.0, "of %d cells", rows*8)
}
