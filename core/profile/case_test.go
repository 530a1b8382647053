package profile

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestCaseOf(t *testing.T) {
	for shape, want := range map[string]int{"": letterCases, "99-9": letterCases, "AA 99": upperCase, "aa": lowerCase,
		"Aa Aaa": titleCase, "Aa'a": titleCase, "Aa'Aa": mixedCase, "Aa aa": mixedCase, "aA": mixedCase,
		"A9a": titleCase, "AäA": upperCase, "Aa-Aa": titleCase, "9Aa": mixedCase} {
		assert.Equal(t, want, caseOf([]byte(shape)), shape)
	}
	// The plain way gives the same: a word begins behind what is no letter, digit or apostrophe.
	rapid.Check(t, func(t *rapid.T) {
		shape := strings.Join(rapid.SliceOf(rapid.SampledFrom([]string{"A", "a", "9", " ", "-", "'", "…", "ä", "."})).
			Draw(t, "shape"), "")
		upper, lower, title, begins := false, false, true, true
		for _, c := range []byte(shape) {
			switch {
			case c == 'A':
				upper, title, begins = true, title && begins, false
			case c == 'a':
				lower, title, begins = true, title && !begins, false
			default:
				begins = c < utf8.RuneSelf && c != '9' && c != '\''
			}
		}
		want := letterCases
		switch {
		case upper && !lower:
			want = upperCase
		case lower && !upper:
			want = lowerCase
		case upper && title:
			want = titleCase
		case upper:
			want = mixedCase
		}
		require.Equal(t, want, caseOf([]byte(shape)), shape)
	})
}
