package profile

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Columns whose values repeat by chance in very many rows are no key, though the repeats are few of all.
func TestNearKeys(t *testing.T) {
	for _, c := range []struct {
		repeats, rows int64
		want          bool
	}{
		{0, 1, true}, {0, 1_500_000, true}, {1, 19, false}, {1, 20, true}, {2, 99, false}, {2, 100, true},
		{1000, 50_000, true}, {1000, 49_999, false}, {1001, 60_000, false}, {1001, 1_000_999, false}, {1001, 1_001_000, true},
		{12_030, 1_500_000, false}, {1500, 1_500_000, true}, {1501, 1_500_000, false},
	} {
		assert.Equal(t, c.want, isNear(c.repeats, c.rows), "%d repeats in %d rows", c.repeats, c.rows)
	}
}
