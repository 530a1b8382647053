package compare_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/compare"
	"sieb/core/sift"
	"sieb/core/violation"
)

func TestCounts(t *testing.T) {
	group := func(column string, rows int64) sift.Group {
		return sift.Group{Counted: sift.Counted{Code: violation.RangeHigh, Column: column, Rows: rows}}
	}
	got := compare.Violations([]sift.Group{group("a", 5), group("b", 2), group("c", 1)},
		[]sift.Group{group("a", 5), group("b", 9),
			group("d", 0)})
	assert.Equal(t, []compare.Counts{{Column: "b", What: "range.high", Before: 2, After: 9},
		{Column: "c", What: "range.high", Before: 1},
		{Column: "d", What: "range.high", After: 1}}, got, "what is the same is left out")
	remedies := compare.Remedies([]sift.Remedy{{Column: "a", Remedy: "trim", Changed: 3}}, nil)
	assert.True(t, slices.Equal([]compare.Counts{{Column: "a", What: "trim", Before: 3}}, remedies))
}
