package value

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What is a number of a format and what is not: habits, edges and look-alikes.
func TestNumberForms(t *testing.T) {
	for _, c := range []struct {
		decimal, group, pattern string
		takes                   map[string]string // "" for what is no number
	}{
		{".", "", "", map[string]string{"0": "0", "007": "7", "1.": "1", "1.0": "1.0", ".5": "0.5", "-0": "0", "-0.0": "0.0",
			"+1.50": "1.50", "": "", ".": "", "-": "", "1.2.3": "", "1,000": "", " 1": "", "1e3": "", "٣": ""}},
		{",", ".", "", map[string]string{"0.500": "", "012.345": "", "0.123.456": "", "00.500": "", "-0.500": "",
			"1.500": "1500", "12.345": "12345", "123.456": "123456", "1234.567": "", "1.23": "", "1.2345": "",
			"1.234.567": "1234567", "1.234567": "", "1234567": "1234567", "0,500": "0.500", "012,345": "12.345",
			"1.234,5": "1234.5", ".500": "", "1..500": "", "1.500.": "", "100.000": "100000", "1.000": "1000"}},
		{".", ",", "#,##0.00", map[string]string{"1,234.50": "1234.50", "1.50": "1.50", "+1.50": "", "-1.50": "-1.50",
			"1234.50": "", "0,234.50": "", "1.5": "", "01.50": "1.50"}},
		{".", "", "+0.0", map[string]string{"+1.5": "1.5", "-1.5": "-1.5"}},
		{".", "", "0%", map[string]string{"50%": "0.50", "+50%": "", "-5%": "-0.05", "50": ""}},
		{",", "\u00a0", "", map[string]string{"1\u00a0234,5": "1234.5", "0\u00a0234": "", "1 234": ""}},
	} {
		f, err := NewNumberFormat(c.decimal, c.group, c.pattern)
		require.NoError(t, err)
		for text, want := range c.takes {
			var n Number
			ok := f.Parse([]byte(text), &n)
			assert.Equal(t, want != "", ok, "%q with %q, %q, %q", text, c.decimal, c.group, c.pattern)
			if ok {
				assert.Equal(t, want, string(n.Canonical()), "%q", text)
			}
			d, _, isDouble := f.ParseDouble([]byte(text), &n, nil)
			if want != "" && assert.True(t, isDouble, "%q as a double", text) {
				exact, _ := new(big.Rat).SetString(want)
				near, _ := exact.Float64()
				assert.InDelta(t, near, d, 1e-9, "%q", text)
			}
			if want == "" && text != "1e3" {
				assert.False(t, isDouble, "%q as a double", text)
			}
		}
	}
}

// A whole number has no point, and none comes of a share.
func TestWholeNumbers(t *testing.T) {
	for text, want := range map[string]bool{"1": true, "-12": true, "1.": false, "1.0": false, "+7": true, "007": true,
		"123456789012345678901234567890": true, "123456789012345678901.": false, "0": true, "-0.": false,
		"12345678.": false} {
		var n Number
		require.True(t, (&NumberFormat{}).Parse([]byte(text), &n), text)
		assert.Equal(t, want, n.IsWhole(), text)
	}
	f, err := NewNumberFormat(".", "", "0%")
	require.NoError(t, err)
	var n Number
	require.True(t, f.Parse([]byte("100%"), &n))
	assert.False(t, n.IsWhole())
	require.True(t, (&NumberFormat{}).Parse([]byte("5"), &n), "a number is used again")
	assert.True(t, n.IsWhole())
}

// Numbers of 1 to 40 digits, in every habit, are those that they were made from; a group that
// begins with a zero is none.
func TestNumbersOfEachHabit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		decimal, group := ".", rapid.SampledFrom([]string{"", ",", " ", "'", "\u202f"}).Draw(t, "group")
		if rapid.Bool().Draw(t, "comma") {
			decimal, group = ",", strings.ReplaceAll(group, ",", ".")
		}
		whole := rapid.StringMatching(`0{0,2}[0-9]{1,38}`).Draw(t, "whole")
		frac := rapid.StringMatching(`[0-9]{0,12}`).Draw(t, "frac")
		f, err := NewNumberFormat(decimal, group, "")
		require.NoError(t, err)
		text, isGrouped := whole, false
		if group != "" && rapid.Bool().Draw(t, "grouped") {
			var parts []string
			for rest := whole; ; {
				if len(rest) <= 3 {
					parts = append([]string{rest}, parts...)
					break
				}
				parts, rest = append([]string{rest[len(rest)-3:]}, parts...), rest[:len(rest)-3]
			}
			text, isGrouped = strings.Join(parts, group), len(parts) > 1
		}
		if frac != "" {
			text += decimal + frac
		}
		var n Number
		ok := f.Parse([]byte(text), &n)
		require.Equal(t, !isGrouped || whole[0] != '0', ok, "%q", text)
		if !ok {
			return
		}
		want, _ := new(big.Rat).SetString(fmt.Sprintf("%s.%s", whole, frac+"0"))
		got, isNumber := new(big.Rat).SetString(string(n.Canonical()))
		require.True(t, isNumber)
		require.Zero(t, want.Cmp(got), "%q is %s", text, n.Canonical())
		require.Equal(t, frac == "", n.IsWhole())
	})
}
