package cli

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShownTexts(t *testing.T) {
	for text, want := range map[string]string{"plain": "plain", " a  ": "·a··", "   ": "···", "a\r\nb\nc": "a⏎b⏎c",
		"a\tb\x00\r": "a⇥b␦␍", "": "", "ä ö": "ä ö"} {
		assert.Equal(t, want, visible(text), "%q", text)
	}
	for n, want := range map[int64]string{0: "0 B", 999: "999 B", 1000: "1 kB", 32064: "32.1 kB", 999_600: "1 MB",
		256_000_000: "256 MB", 10_000_000_000: "10 GB"} {
		assert.Equal(t, want, size(n))
	}
	wrapped := wrap("of the first 21\u202f253 rows", 13)
	assert.Equal(t, "of the first\n21\u202f253 rows", strings.ReplaceAll(wrapped, " \n", "\n"))
	assert.Equal(t, "Größ…", clip("Größenangabe", 5))
	assert.Equal(t, "\t", unescape("tab"))
	assert.Equal(t, "", unescape("none"))
}
