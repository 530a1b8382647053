package value_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"sieb/core/value"
)

func TestThousands(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 7: "7", 999: "999", 1000: "1 000", 12345: "12 345", 123456: "123 456",
		1234567: "1 234 567", -5: "-5", -999: "-999", -1000: "-1 000", -123456: "-123 456",
		math.MaxInt64: "9 223 372 036 854 775 807", math.MinInt64: "-9 223 372 036 854 775 808"} {
		assert.Equal(t, strings.ReplaceAll(want, " ", "\u202f"), value.Thousands(n))
	}
}

func TestCount(t *testing.T) {
	for n, want := range map[int64]string{0: "0 rows", 1: "1 row", 2: "2 rows", 1000: "1\u202f000 rows"} {
		assert.Equal(t, want, value.Count(n, "row", "rows"))
	}
}
