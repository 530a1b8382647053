package value

import "strconv"

// Thousands writes a count with narrow blanks, at which no line ends, between groups of three digits (ISO 80000-1).
func Thousands(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "\u202f" + s[i:]
	}
	return s
}

// Count writes a number of things: 1 row, 2 rows.
func Count(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}
