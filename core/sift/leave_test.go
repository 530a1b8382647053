package sift_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What the order of rows shows is spliced into what their judges have written, whatever stands there: nothing, a row
// that is accepted, one that is flagged, one that is rejected for another reason.
func TestSplicing(t *testing.T) {
	const tickets = `target: t
columns:
  - {name: no, unique: true}
  - {name: kg, datatype: integer, ordered: ascending}
  - {name: crop, oneOf: [rye], onViolation: flag}
exclude: [{condition: 'cell("no") == "test"', reason: trials}]
`
	for _, workers := range []int{1, 8} {
		result, sink := run(t, tickets, "no,kg,crop\nA,1,rye\nA,2,rye\nA,x,rye\nA,3,oats\ntest,0,oats\nB,4,oats\nC,2,rye\n"+
			"A,y,oats\nD,7,rye\n", workers)
		require.EqualValues(t, 9, result.Tally.Read)
		assert.Equal(t, "no,kg,crop\nA,1,rye\nB,4,oats\nC,2,rye\nD,7,rye\n", sink.Accepted.String())
		repeats := `no: ""A"" is already in row 1 (line 2), which is kept [key.duplicate]`
		assert.Equal(t, `row,line,reasons,no,kg,crop
2,3,"`+repeats+`",A,2,rye
3,4,"kg: ""x"" is not a whole number [type.integer] | `+repeats+`",A,x,rye
4,5,"`+repeats+`",A,3,oats
8,9,"kg: ""y"" is not a whole number [type.integer] | `+repeats+`",A,y,oats
`, sink.Rejected.String())
		assert.Equal(t, "row,line,reason,no,kg,crop\n5,6,trials,test,0,oats\n", sink.Excluded.String())
		repeated := `,no,key.duplicate,A,"""A"" is already in row 1 (line 2), which is kept"` + "\n"
		oats := `,crop,value.unknown,oats,"""oats"" is not one of rye"` + "\n"
		assert.Equal(t, "row,line,column,code,value,message\n2,3"+repeated+
			`3,4,kg,type.integer,x,"""x"" is not a whole number"`+"\n3,4"+repeated+"4,5"+oats+"4,5"+repeated+"6,7"+oats+
			`7,8,kg,order.broken,2,"""2"" comes after ""4"" in row 6 (line 7), and is below it"`+"\n"+
			`8,9,kg,type.integer,y,"""y"" is not a whole number"`+"\n8,9"+oats+"8,9"+repeated, sink.Violations.String())
	}
}
