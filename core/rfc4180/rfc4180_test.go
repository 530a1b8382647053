package rfc4180_test

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/rfc4180"
)

func TestAppendCell(t *testing.T) {
	for cell, want := range map[string]string{"": "", "a": "a", "a b": "a b", " a": `" a"`, "a ": `"a "`,
		"a,b": `"a,b"`, "a\nb": "\"a\nb\"", `say "x"`: `"say ""x"""`,
		"0123456789,": `"0123456789,"`, "ä\x80": "ä\x80", "\r": "\"\r\""} {
		assert.Equal(t, want, string(rfc4180.AppendCell(nil, []byte(cell))), "%q", cell)
	}
	assert.Equal(t, "\"\"\n", string(rfc4180.AppendRow(nil, "")), "a lone empty cell is no blank line")
	assert.Equal(t, "a,,\"b,c\"\n", string(rfc4180.AppendRow(nil, "a", "", "b,c")))
	assert.Equal(t, "x\uFFFDy", string(rfc4180.AppendValid(nil, []byte("x\xff\xfey"))))
}

func TestRowsComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cells := rapid.SliceOfN(rapid.StringMatching(`[a-z ,"\n;']{0,20}`), 1, 8).Draw(t, "cells")
		text := rfc4180.AppendRow(nil, cells...)
		back, err := csv.NewReader(bytes.NewReader(text)).Read()
		require.NoError(t, err)
		assert.Equal(t, cells, back)
		for _, c := range cells {
			assert.Equal(t, !strings.ContainsAny(c, ",\"\n") && strings.Trim(c, " ") == c, rfc4180.IsPlain([]byte(c)),
				"%q", c)
		}
	})
}
