package codes_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/codes"
)

func TestParse(t *testing.T) {
	for _, text := range []string{"code,label\nAH,Ahrensee\n\"B, R\",Brunnthal\nco ,\n",
		"Code;Label;note\r\nAH;Ahrensee;x\r\n\"B, R\";Brunnthal;\r\n co;;\r\n",
		"code\tlabel\nAH\tAhrensee\n\"B, R\"\tBrunnthal\n\nco\t\n"} {
		l, err := codes.Parse(t.Context(), "sites", []byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, []codes.Code{{Code: "AH", Label: "Ahrensee"}, {Code: "B, R", Label: "Brunnthal"}, {Code: "co"}},
			l.Codes, text)
		assert.True(t, l.Has([]byte("AH")) && l.Has([]byte("co")) && !l.Has([]byte("ah")) && !l.Has([]byte("AH ")))
		meant, ok := l.Meant([]byte("  ah "))
		assert.Equal(t, []any{"AH", true}, []any{meant, ok})
		_, ok = l.Meant([]byte("x"))
		assert.False(t, ok)
	}
}

func TestWrongLists(t *testing.T) {
	for text, want := range map[string]string{
		"": "has no code", "code,label\n": "has no code", "code\na\nb\na\n": `line 4: "a" is in the list already`,
		"code,label\n,x\n": "line 2: there is no code", "code\n\xff\n": "not valid UTF-8",
		"code\n" + strings.Repeat("x", 5000) + "\n": "longer than 4096 bytes",
	} {
		_, err := codes.Parse(t.Context(), "sites", []byte(text))
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), want)
			assert.Contains(t, err.Error(), "sites")
		}
	}
}

// A text that several codes are alike without regard to case is none of them.
func TestMeantIsOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfNDistinct(rapid.StringMatching(`[aAbB]{1,3}`), 1, 8, rapid.ID[string]).Draw(t, "codes")
		l, err := codes.Parse(t.Context(), "c", []byte("code\n"+strings.Join(all, "\n")+"\n"))
		require.NoError(t, err)
		text := rapid.StringMatching(` ?[aAbB]{1,3} ?`).Draw(t, "text")
		var alike []string
		for _, c := range all {
			if strings.EqualFold(c, strings.TrimSpace(text)) {
				alike = append(alike, c)
			}
		}
		meant, ok := l.Meant([]byte(text))
		require.Equal(t, len(alike) == 1, ok, fmt.Sprint(all, text))
		if ok {
			require.Equal(t, alike[0], meant)
		}
	})
}
