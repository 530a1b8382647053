package value_test

import (
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/value"
)

func TestNumbers(t *testing.T) {
	for _, c := range []struct {
		decimal, group, pattern, text string
		want                          string // "" where the text is no such number
	}{
		{"", "", "", "0", "0"}, {"", "", "", "007", "7"}, {"", "", "", "+5", "5"}, {"", "", "", "-0", "0"},
		{"", "", "", "-0.00", "0.00"},
		{"", "", "", "12.50", "12.50"}, {"", "", "", ".5", "0.5"}, {"", "", "", "5.", "5"}, {"", "", "", "00.5", "0.5"},
		{"", "", "", "123456789012345678901234567890.5", "123456789012345678901234567890.5"},
		{"", "", "", "", ""}, {"", "", "", "-", ""}, {"", "", "", ".", ""}, {"", "", "", "1,5", ""},
		{"", "", "", " 1", ""}, {"", "", "", "1e3", ""},
		{"", "", "", "1.2.3", ""}, {"", "", "", "--1", ""}, {"", "", "", "12a", ""},
		{"", "", "", "12345678", "12345678"}, {"", "", "", "1234567x", ""},
		{",", ".", "", "1.234,5", "1234.5"}, {",", ".", "", "1.234.567", "1234567"}, {",", ".", "", "1234,5", "1234.5"},
		{",", ".", "", "1.5", ""}, {",", ".", "", "1.2345", ""}, {",", ".", "", "12.34.567", ""},
		{",", ".", "", ".123", ""}, {",", ".", "", "-1.234", "-1234"},
		{",", "\u00a0", "", "1\u00a0234,5", "1234.5"}, {",", "", "", "-3,25", "-3.25"}, {",", "", "", "3.25", ""},
		{"", "", "#,##0.00", "1,234.50", "1234.50"}, {"", "", "#,##0.00", "1234.50", ""},
		{"", "", "#,##0.00", "234.5", ""}, {"", "", "#,##0.00", "0.50", "0.50"},
		{"", "", "000", "042", "42"}, {"", "", "000", "42", ""}, {"", "", "0.#", "4", "4"}, {"", "", "0.#", "4.25", ""},
		{"", "", "0.0%", "12.5%", "0.125"}, {"", "", "0%", "7%", "0.07"}, {"", "", "0%", "7", ""},
		{"", "", "0‰", "1234‰", "1.234"},
		{",", ".", "#.##0,00", "1.234,50", "1234.50"},
	} {
		f, err := value.NewNumberFormat(c.decimal, c.group, c.pattern)
		require.NoError(t, err)
		var n value.Number
		got := ""
		if f.Parse([]byte(c.text), &n) {
			got = string(n.Canonical())
		}
		assert.Equal(t, c.want, got, "%q with %q %q %q", c.text, c.decimal, c.group, c.pattern)
	}
}

func TestNumberFormatErrors(t *testing.T) {
	for _, c := range [][3]string{{",", ",", ""}, {"5", "", ""}, {"", "", "abc"}, {"", "", "0#"}, {"", "", "0.#0"},
		{"", "", "#,"}, {"", "", "."}, {"", "", "0Ex"}} {
		_, err := value.NewNumberFormat(c[0], c[1], c[2])
		assert.Error(t, err, "%q", c)
	}
}

// Numbers are exact and compare as rationals do, however they are written.
func TestNumbersAgainstRationals(t *testing.T) {
	f, _ := value.NewNumberFormat("", "", "")
	text := rapid.StringMatching(`[+-]?(0{0,2}[0-9]{1,22}(\.[0-9]{0,22})?|\.[0-9]{1,5})`)
	rapid.Check(t, func(t *rapid.T) {
		a, b := text.Draw(t, "a"), text.Draw(t, "b")
		var m, n value.Number
		require.True(t, f.Parse([]byte(a), &m), a)
		require.True(t, f.Parse([]byte(b), &n), b)
		x, y := rational(a), rational(b)
		assert.Equal(t, x.Cmp(y), m.Compare(&n), "%s and %s", a, b)
		assert.Equal(t, x.Cmp(y) < 0, m.Less(&n), "%s and %s", a, b)
		canonical := string(m.Canonical())
		assert.Zero(t, x.Cmp(rational(canonical)), "%s became %s", a, canonical)
		assert.Zero(t, x.Cmp(rational(string(m.Significant()))))
		whole, frac, _ := strings.Cut(strings.TrimPrefix(canonical, "-"), ".")
		assert.Equal(t, len(strings.TrimLeft(whole, "0")), m.IntegerDigits())
		assert.Equal(t, len(strings.TrimRight(frac, "0")), m.FractionDigits())
		if k := m.Floor(); k > math.MinInt64 && k < math.MaxInt64 {
			assert.True(t, big.NewRat(k, 1).Cmp(x) <= 0 && big.NewRat(m.Ceiling(), 1).Cmp(x) >= 0)
			assert.Equal(t, x.IsInt(), k == m.Ceiling())
		}
	})
}

func rational(text string) *big.Rat {
	r, ok := new(big.Rat).SetString(strings.TrimSuffix(text, "."))
	if !ok {
		panic(text)
	}
	return r
}

func TestShortInteger(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.OneOf(rapid.StringMatching(`[0-9]{0,10}`), rapid.StringMatching(`[0-9:/a]{0,9}`)).Draw(t, "text")
		buf := append([]byte(text), "followed by more"...)
		n, ok := value.ShortInteger(buf[:len(text)])
		want, err := strconv.ParseUint(text, 10, 64)
		isShort := err == nil && len(text) <= 8 && strconv.FormatUint(want, 10) == text
		assert.Equal(t, isShort, ok, text)
		if isShort {
			assert.Equal(t, int64(want), n, text)
		}
	})
}

func TestDoubles(t *testing.T) {
	f, _ := value.NewNumberFormat("", "", "")
	var n value.Number
	for text, want := range map[string]string{"1.50": "1.5", "-0": "0", "1e3": "1000", "1.5E-9": "1.5E-09",
		"NaN": "NaN", "-INF": "-INF", "0.1": "0.1", "1e400": "", "x": "", "1,5": ""} {
		_, got, ok := f.ParseDouble([]byte(text), &n, nil)
		assert.Equal(t, want, string(got), text)
		assert.Equal(t, want != "", ok, text)
	}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`-?[0-9]{1,20}(\.[0-9]{1,20})?(E-?[0-9]{1,2})?`).Draw(t, "text")
		var n value.Number
		d, canonical, ok := f.ParseDouble([]byte(text), &n, nil)
		want, err := strconv.ParseFloat(text, 64)
		require.Equal(t, err == nil, ok, text)
		if ok {
			assert.Equal(t, want, d, text)
			again, err := strconv.ParseFloat(string(canonical), 64)
			require.NoError(t, err)
			assert.Equal(t, want, again, "%s became %s", text, canonical)
			shortest := string(value.AppendDouble(nil, want))
			assert.Equal(t, shortest, string(canonical), "the short way and the long way agree on %s", text)
		}
	})
}

func TestDates(t *testing.T) {
	for _, c := range []struct {
		kind          value.Datatype
		pattern, text string
		outcome       value.Outcome
		want          string
	}{
		{value.Date, "", "2026-07-31", value.Matches, "2026-07-31"},
		{value.Date, "", "2026-7-31", value.Mismatch, ""},
		{value.Date, "", "2026-02-29", value.Impossible, ""},
		{value.Date, "", "0000-00-00", value.Impossible, ""},
		{value.Date, "dd.MM.yyyy", "31.07.2026", value.Matches, "2026-07-31"},
		{value.Date, "dd.MM.yyyy", "31.06.2026", value.Impossible, ""},
		{value.Date, "dd.MM.yyyy", "1.7.2026", value.Mismatch, ""},
		{value.Date, "dd.MM.yyyy", "31.07.2026 ", value.Mismatch, ""},
		{value.Date, "d.M.yyyy", "1.7.2026", value.Matches, "2026-07-01"},
		{value.Date, "d.M.yyyy", "01.07.2026", value.Matches, "2026-07-01"},
		{value.Date, "yyyyMMdd", "20260731", value.Matches, "2026-07-31"},
		{value.Date, "d MMM yyyy", "31 Jul 2026", value.Matches, "2026-07-31"},
		{value.Date, "d. MMMM yyyy", "1. März 2026", value.Matches, "2026-03-01"},
		{value.Date, "d. MMM yyyy", "1. MÄRZ 2026", value.Matches, "2026-03-01"},
		{value.Date, "ddMMMyy", "06DEZ26", value.Matches, "2026-12-06"},
		{value.Date, "MMM d, yyyy", "Sept. 7, 2026", value.Matches, "2026-09-07"},
		{value.Date, "dd.MMM.yyyy", "06.Jul.2026", value.Matches, "2026-07-06"},
		{value.Date, "dd-MMM-yyyy", "31-Jun-2026", value.Impossible, ""},
		{value.Date, "dd-MMM-yyyy", "31-Jux-2026", value.Mismatch, ""},
		{value.Date, "dd-MMM-yyyy", "31-septembrexyz-2026", value.Mismatch, ""},
		{value.Date, "dd-MMM-yyyy", "31-\xff-2026", value.Mismatch, ""},
		{value.Date, "dd-MMM-yyyy", "31-", value.Mismatch, ""},
		{value.Date, "dd-MMM-yyyy", "31-\u023a\u023a\u023a\u023a\u023a\u023a\u023a-2026", value.Mismatch, ""},
		{value.Date, "dd-MMM-yyyy", "31-\u023a", value.Mismatch, ""},
		{value.Date, "M/d/yy", "7/4/26", value.Matches, "2026-07-04"},
		{value.Date, "M/d/yy", "7/4/69", value.Matches, "1969-07-04"},
		{value.Date, "dd.MM.yyyy", "", value.Mismatch, ""},
		{value.DateTime, "", "2026-07-31T14:05:09", value.Matches, "2026-07-31T14:05:09"},
		{value.DateTime, "", "2026-07-31T14:05:09.250Z", value.Matches, "2026-07-31T14:05:09.250Z"},
		{value.DateTime, "", "2026-07-31T14:05:09+02:00", value.Matches, "2026-07-31T14:05:09+02:00"},
		{value.DateTime, "", "2026-07-31 14:05:09", value.Mismatch, ""},
		{value.DateTime, "", "2026-07-31T24:05:09", value.Impossible, ""},
		{value.DateTime, "dd.MM.yyyy HH:mm", "31.07.2026 14:05", value.Matches, "2026-07-31T14:05:00"},
		{value.DateTime, "dd.MM.yyyy HH:mm", "31.07.2026 25:10", value.Impossible, ""},
		{value.DateTime, "MM/dd/yyyy h:mm a", "07/31/2026 2:05 pm", value.Matches, "2026-07-31T14:05:00"},
		{value.DateTime, "MM/dd/yyyy h:mm a", "07/31/2026 12:05 AM", value.Matches, "2026-07-31T00:05:00"},
		{value.DateTime, "MM/dd/yyyy h:mm a", "07/31/2026 13:05 AM", value.Impossible, ""},
		{value.DateTime, "yyyy-MM-ddTHH:mm:ss.SX", "2026-07-31T14:05:09.5Z", value.Matches, "2026-07-31T14:05:09.5Z"},
		{value.DateTime, "yyyy-MM-dd 'at' HH:mm", "2026-07-31 at 14:05", value.Matches, "2026-07-31T14:05:00"},
		{value.Time, "", "14:05:09", value.Matches, "14:05:09"}, {value.Time, "", "14:05:09.250", value.Matches,
			"14:05:09.250"},
		{value.Time, "", "24:00:00", value.Matches, "00:00:00"}, {value.Time, "", "24:00:01", value.Impossible, ""},
		{value.Time, "", "24:00:00.0", value.Matches, "00:00:00.0"}, {value.Time, "", "14:05", value.Mismatch, ""},
		{value.Time, "HH:mm:ss", "24:00:00", value.Impossible, ""},
		{value.DateTime, "", "2026-07-31T24:00:00", value.Matches, "2026-08-01T00:00:00"},
		{value.DateTime, "", "2026-12-31T24:00:00Z", value.Matches, "2027-01-01T00:00:00Z"},
		{value.DateTime, "", "2024-02-28T24:00:00", value.Matches, "2024-02-29T00:00:00"},
		{value.DateTime, "", "2026-02-29T24:00:00", value.Impossible, ""},
		{value.DateTime, "", "9999-12-31T24:00:00", value.Impossible, ""},
		{value.DateTime, "", "2026-07-31T24:00:00.5", value.Impossible, ""},
		{value.DateTime, "dd.MM.yyyy HH:mm", "31.07.2026 24:00", value.Impossible, ""},
		{value.Time, "H:mm", "7:05", value.Matches, "07:05:00"}, {value.Time, "h:mm a", "7:05 PM", value.Matches,
			"19:05:00"},
		{value.Time, "HHmm", "0760", value.Impossible, ""}, {value.Time, "HH.mm 'Uhr'", "07.05 Uhr", value.Matches,
			"07:05:00"},
	} {
		f, err := value.NewDateFormat(c.kind, c.pattern)
		require.NoError(t, err, c.pattern)
		var at value.Instant
		outcome := f.Parse([]byte(c.text), &at)
		assert.Equal(t, c.outcome, outcome, "%q with %q", c.text, c.pattern)
		if c.want != "" && outcome == value.Matches {
			got := at.AppendDateTime(nil)
			switch c.kind {
			case value.Date:
				got = at.AppendDate(nil)
			case value.Time:
				got = at.AppendTime(nil)
			}
			assert.Equal(t, c.want, string(got))
		}
	}
}

func TestDatePatternErrors(t *testing.T) {
	for _, c := range []struct {
		kind    value.Datatype
		pattern string
	}{{value.Date, "yyyy-MM"}, {value.Date, "YYYY-MM-DD"}, {value.Date, "dd.MM.yyyy HH:mm"},
		{value.DateTime, "dd.MM.yyyy"}, {value.Date, "dd.MM.yyyy'x"},
		{value.DateTime, "dd.MM.yyyy h:mm"}, {value.Date, "dd.MM.yyyyy"}, {value.Date, "dd.MMMMM.yyyy"},
		{value.Date, "dd.dd.MM.yyyy"}, {value.Time, "mm:ss"}, {value.Time, "dd HH"}, {value.Time, "h:mm"},
		{value.Time, "HH:mmX"}} {
		_, err := value.NewDateFormat(c.kind, c.pattern)
		assert.Error(t, err, c.pattern)
	}
}

// Days and instants agree with package time, in every format that has an example.
func TestDatesAgainstTime(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		year, month, day := rapid.IntRange(1, 9999).Draw(t, "year"), rapid.IntRange(0, 13).Draw(t, "month"),
			rapid.IntRange(0, 32).Draw(t, "day")
		text := fmt.Sprintf("%02d.%02d.%04d", day, month, year)
		want, err := time.Parse("02.01.2006", text)
		f, _ := value.NewDateFormat(value.Date, "dd.MM.yyyy")
		var at value.Instant
		outcome := f.Parse([]byte(text), &at)
		assert.Equal(t, err == nil, outcome == value.Matches, text)
		if err == nil {
			assert.Equal(t, want.Unix()/86400-map[bool]int64{true: 1}[want.Unix()%86400 < 0], at.Days(), text)
			assert.Equal(t, want.Format(time.DateOnly), string(at.AppendDate(nil)))
		}
	})
}

func TestExamplesParse(t *testing.T) {
	for _, pattern := range []string{"dd.MM.yyyy", "d/M/yy", "yyyyMMdd", "d. MMMM yyyy", "MMM dd, yyyy"} {
		f, err := value.NewDateFormat(value.Date, pattern)
		require.NoError(t, err)
		var at value.Instant
		assert.Equal(t, value.Matches, f.Parse([]byte(f.Example()), &at), pattern)
	}
	for _, pattern := range []string{"", "dd.MM.yyyy HH:mm", "MM/dd/yyyy h:mm a", "yyyy-MM-ddTHH:mm:ss.SSSXXX"} {
		f, err := value.NewDateFormat(value.DateTime, pattern)
		require.NoError(t, err)
		var at value.Instant
		assert.Equal(t, value.Matches, f.Parse([]byte(f.Example()), &at), "%q gives %q", pattern, f.Example())
	}
}

// A hundred years of two digits begin with the year that is said.
func TestYearPivot(t *testing.T) {
	f, err := value.NewDateFormat(value.Date, "dd.MM.yy")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		pivot := rapid.IntRange(1, 9000).Draw(t, "pivot")
		digits := rapid.IntRange(0, 99).Draw(t, "digits")
		var at value.Instant
		require.Equal(t, value.Matches, f.WithPivot(pivot).Parse([]byte(fmt.Sprintf("01.02.%02d", digits)), &at))
		require.Equal(t, digits, int(at.Year)%100)
		require.GreaterOrEqual(t, int(at.Year), pivot)
		require.Less(t, int(at.Year), pivot+100)
	})
}

func TestURIsAndDurations(t *testing.T) {
	for text, is := range map[string]bool{"https://talfeld.example/a?b=c#d": true, "mailto:waage@talfeld.example": true,
		"../a":                true,
		"urn:isbn:0451450523": true, "https://tälfeld.example/ß": true, "a b": false, "http://[::1": false,
		"%zz": false, "<a>": false,
		"x\x00y": false, "\xff": false} {
		assert.Equal(t, is, value.IsURI([]byte(text)), text)
	}
	for text, is := range map[string]bool{"P1D": true, "PT36H": true, "-P1Y2M3DT4H5M6.5S": true, "P": false,
		"PT": false, "P1DT": false,
		"P1H": false, "1D": false, "P1.5D": false, "p1d": false, "P1M1Y": false, "": false} {
		assert.Equal(t, is, value.IsDuration([]byte(text)), text)
	}
	for _, name := range []string{"byte", "short", "int", "long", "unsignedInt", "positiveInteger",
		"nonNegativeInteger"} {
		_, _, ok := value.Sized(name)
		assert.True(t, ok, name)
	}
	_, _, ok := value.Sized("integer")
	assert.False(t, ok)
}
