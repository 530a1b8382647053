package forms_test

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/forms"
)

func TestWords(t *testing.T) {
	for expression, want := range map[string]string{
		"[A-Z]{2}-[0-9]{6}":  "two capitals, a hyphen, six digits",
		`\d{5}`:              "five digits",
		`\p{Nd}{5}`:          "five digits",
		`\p{Lu}{2}\p{Nd}+`:   "two capitals, one or more digits",
		"^[a-z]+$":           "one or more small letters",
		"[A-Za-z]{1,3}":      "one to three letters",
		`\p{L}{3,}`:          "three or more letters",
		"[A-Z0-9]{8}":        "eight digits or capitals",
		"[A-Za-z0-9]+":       "one or more letters or digits",
		"AH-[0-9]{6}":        "“AH”, a hyphen, six digits",
		"(AH|EW)-[0-9]{6}":   "either “AH” or “EW”, a hyphen, six digits",
		"[0-9]{4}/?[0-9]{2}": "four digits, perhaps a slash, two digits",
		"[0-9]{20}":          "20 digits",
		"[0-9]*":             "any number of digits",
		"[0-9]{0,3}":         "up to three digits",
		".{3}":               "three characters",
		"[AB]":               "“A” or “B”",
		"[-.]":               "a hyphen or a point",
		"([0-9]{2}-){3}":     "three times two digits and a hyphen",
		"([0-9]{2}-)?[0-9]":  "perhaps two digits and a hyphen, a digit",
		"[0-9]{3}( [A-Z])?":  "three digits, perhaps a blank and a capital",
		"a|ab":               "“a”, perhaps “b”",
		"(x|y|)1":            "perhaps “x” or “y”, “1”",
		"(?i)ab":             "“AB”",
		"[^0-9]+":            "",
		"([0-9]-)+":          "",
		"(":                  "",
		"":                   "",
		"a.b.c.d.e.f.g.h":    "",
		"(a|b|c|d|e|f|g|h|i|j)[0-9]|[0-9]{3}[a-z]x": "",
	} {
		assert.Equal(t, want, forms.Words(expression), expression)
	}
}

func TestForm(t *testing.T) {
	assert.Equal(t, "two capitals, a hyphen, six digits, as AA-111111", forms.Of("[A-Z]{2}-[0-9]{6}"))
	assert.Equal(t, "that of 1-", forms.Of("([0-9]-)+"))
	assert.Empty(t, forms.Of("("))
}

// Whatever the expression is, its words hold none of its signs, and its example matches it.
func TestWordsOfAnyExpression(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		parts := rapid.SliceOfN(rapid.SampledFrom([]string{"[A-Z]", "[0-9]{2}", `\d+`, "-", "x", `\.`, "(ab|c)", "[a-z]*", "( q)?",
			`\p{Lu}`, "[^x]", "(a-)+", "[A-F0-9]{3,5}"}), 0, 8).Draw(t, "parts")
		expression := ""
		for _, p := range parts {
			expression += p
		}
		words := forms.Words(expression)
		assert.NotRegexp(t, `[\[\]{}*+?\\^$|()]`, words)
		if example := forms.Example(expression); example != "" {
			whole, err := regexp.Compile("^(?:" + expression + ")$")
			require.NoError(t, err)
			assert.Regexp(t, whole, example)
		}
	})
}
