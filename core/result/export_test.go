package result

import "testing"

// Bound makes answers hold at most so many bytes as long as a test runs.
func Bound(t *testing.T, bytes int) {
	held, seen := mostHeld, mostSeen
	mostHeld, mostSeen = bytes, bytes
	t.Cleanup(func() { mostHeld, mostSeen = held, seen })
}

// BoundComparisons sets how many rows are compared, and in how many bytes it is said in which columns they differ.
func BoundComparisons(rows int64, told int) { mostCompared, mostTold = rows, told }
