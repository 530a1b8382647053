package lexical

import (
	"bytes"
	"math"
	"math/big"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/value"
)

func read(text string) (f Form) {
	f.Read([]byte(text))
	return f
}

func instant(f *Form, monthFirst bool) (time.Time, bool) {
	ms, ok := f.Millis(monthFirst)
	return time.UnixMilli(ms).UTC(), ok
}

func TestNumbers(t *testing.T) {
	for text, want := range map[string]struct {
		kind  Kind
		group string
		n     Number
		value float64
	}{
		"0":                    {Integer, "", Number{}, 0},
		"745":                  {Integer, "", Number{}, 745},
		"00745":                {Integer, "", Number{Zeros: true}, 745},
		"-12":                  {Integer, "", Number{Sign: Minus}, -12},
		"−12":                  {Integer, "", Number{Sign: Minus}, -12},
		"12-":                  {Integer, "", Number{Sign: Behind}, -12},
		"+12":                  {Integer, "", Number{Sign: Plus}, 12},
		"13,5":                 {Decimal, "", Number{Decimal: ','}, 13.5},
		"13.50":                {Decimal, "", Number{Decimal: '.'}, 13.5},
		".5":                   {Decimal, "", Number{Decimal: '.'}, 0.5},
		"0,125":                {Decimal, "", Number{Decimal: ','}, 0.125},
		"1.234":                {Decimal, "", Number{Decimal: '.', Unsure: true}, 1.234},
		"1234.567":             {Decimal, "", Number{Decimal: '.'}, 1234.567},
		"1.234,5":              {Decimal, "", Number{Decimal: ',', Group: '.'}, 1234.5},
		"1,234.50":             {Decimal, "", Number{Decimal: '.', Group: ','}, 1234.5},
		"1.234.567":            {Integer, "", Number{Group: '.'}, 1234567},
		"1 234 567,5":          {Decimal, "", Number{Decimal: ',', Group: ' '}, 1234567.5},
		"1\u202f234":           {Integer, "", Number{Group: ' '}, 1234},
		"1'234.50":             {Decimal, "", Number{Decimal: '.', Group: '\''}, 1234.5},
		"12 %":                 {Integer, "", Number{Percent: true}, 12},
		"-3,5%":                {Decimal, "", Number{Decimal: ',', Percent: true, Sign: Minus}, -3.5},
		"€ 12,50":              {Decimal, "", Number{Decimal: ',', Currency: true}, 12.5},
		"12,50 EUR":            {Decimal, "", Number{Decimal: ',', Currency: true}, 12.5},
		"-$1,234.50":           {Decimal, "", Number{Decimal: '.', Group: ',', Currency: true, Sign: Minus}, -1234.5},
		"1.5e3":                {Double, "", Number{Decimal: '.'}, 1500},
		"-2E-2":                {Double, "", Number{Sign: Minus}, -0.02},
		"12345678901234567890": {Integer, "", Number{}, 12345678901234567890},
	} {
		f := read(text)
		assert.Equal(t, want.kind, f.Kind, text)
		assert.Equal(t, want.n, Number{Decimal: f.Decimal, Group: f.Group, Unsure: f.Unsure, Sign: f.Sign,
			Percent: f.Percent, Currency: f.Currency, Zeros: f.Zeros}, text)
		assert.Equal(t, want.value, f.Float([]byte(text)), text)
	}
	for _, text := range []string{"1.2.3", "1.23.456", "12.34.567,8", "1,234,56", "1..2", "12a", "1 2", "12 34", "0x12",
		"1e", "e5", "1.234,567,8", "+4989123456", "192.168.0.1", "1-2", "5 kg", "$", "%", "-a"} {
		assert.Equal(t, Text, read(text).Kind, text)
	}
	f := read("1.234")
	f.WithGroup()
	assert.Equal(t, 1234.0, f.Value())
}

func TestMoments(t *testing.T) {
	for text, want := range map[string]struct {
		kind       Kind
		dayFirst   string // pattern and instant
		at         string
		monthFirst string
		atMonth    string
	}{
		"2026-07-06":                {Date, "yyyy-MM-dd", "2026-07-06T00:00:00Z", "", ""},
		"06.07.2026":                {Date, "dd.MM.yyyy", "2026-07-06T00:00:00Z", "MM.dd.yyyy", "2026-06-07T00:00:00Z"},
		"6/7/26":                    {Date, "d/M/yy", "2026-07-06T00:00:00Z", "M/d/yy", "2026-06-07T00:00:00Z"},
		"07/31/2026":                {Date, "dd/MM/yyyy", "", "MM/dd/yyyy", "2026-07-31T00:00:00Z"},
		"31-12-69":                  {Date, "dd-MM-yy", "1969-12-31T00:00:00Z", "MM-dd-yy", ""},
		"30.02.2026":                {Date, "dd.MM.yyyy", "", "MM.dd.yyyy", ""},
		"2026-07-06T06:18":          {DateTime, "yyyy-MM-ddTHH:mm", "2026-07-06T06:18:00Z", "", ""},
		"06.07.2026 06:18":          {DateTime, "dd.MM.yyyy HH:mm", "2026-07-06T06:18:00Z", "", ""},
		"2026-07-06T06:18:05.25Z":   {DateTime, "yyyy-MM-ddTHH:mm:ss.SX", "2026-07-06T06:18:05.25Z", "", ""},
		"2026-07-06 06:18:05+02:00": {DateTime, "yyyy-MM-dd HH:mm:ssXXX", "2026-07-06T04:18:05Z", "", ""},
		"2026-07-06 6:18 PM":        {DateTime, "yyyy-MM-dd h:mm a", "2026-07-06T18:18:00Z", "", ""},
		"2026-07-06 6:18":           {DateTime, "yyyy-MM-dd H:mm", "2026-07-06T06:18:00Z", "", ""},
		"6 Jul 2026":                {Date, "d MMM yyyy", "2026-07-06T00:00:00Z", "", ""},
		"06-JUL-26":                 {Date, "dd-MMM-yy", "2026-07-06T00:00:00Z", "", ""},
		"6. März 2026":              {Date, "d. MMM yyyy", "2026-03-06T00:00:00Z", "", ""},
		"06.Okt.2026 06:18":         {DateTime, "dd.MMM.yyyy HH:mm", "2026-10-06T06:18:00Z", "", ""},
		"31 Juin 2026":              {Date, "dd MMM yyyy", "", "", ""},
		"06DEC2026":                 {Date, "ddMMMyyyy", "2026-12-06T00:00:00Z", "", ""},
		"July 6, 2026":              {Date, "MMM d, yyyy", "2026-07-06T00:00:00Z", "", ""},
		"sept. 16 2026 6:18 pm":     {DateTime, "MMM dd yyyy h:mm a", "2026-09-16T18:18:00Z", "", ""},
		"2026/Mai/06":               {Date, "yyyy/MMM/dd", "2026-05-06T00:00:00Z", "", ""},
		"06:18":                     {Time, "HH:mm", "", "", ""},
		"06:18:00":                  {Time, "HH:mm:ss", "", "", ""},
		"0000-00-00":                {Placeholder, "yyyy-MM-dd", "", "", ""},
		"00.00.0000":                {Placeholder, "dd.MM.yyyy", "", "", ""},
	} {
		f := read(text)
		require.Equal(t, want.kind, f.Kind, text)
		assert.Equal(t, want.dayFirst, f.Pattern(false), text)
		at, ok := instant(&f, false)
		assert.Equal(t, want.at != "", ok, text)
		if ok {
			assert.Equal(t, want.at, at.Format(time.RFC3339Nano), text)
		}
		if want.monthFirst != "" {
			assert.Equal(t, want.monthFirst, f.Pattern(true), text)
			at, ok := instant(&f, true)
			assert.Equal(t, want.atMonth != "", ok, text)
			if ok {
				assert.Equal(t, want.atMonth, at.Format(time.RFC3339Nano), text)
			}
		}
	}
	for _, text := range []string{"2026-07", "1/2", "06.07", "06.07-2026", "2026-07-06x", "2026-07-06 6", "12:3",
		"123:45", "06.07.026", "2026-07-06T06:18+2", "2026-07-06 06:18:05 XM",
		"6 Jux 2026", "Jul 2026", "6 Jul", "6 Jul 202", "Jul 6 7 2026", "6 Jul Aug 2026", "123 Jul 2026", "6 Jul 2026x",
		"2026 6 Jul", "May 123456", "6  Jul 2026", "Julian 06 2026"} {
		f := read(text)
		assert.NotContains(t, []Kind{Date, DateTime, Time, Placeholder}, f.Kind, text)
	}
	f := read("20260706")
	require.True(t, f.ReadCompact())
	assert.Equal(t, "yyyyMMdd", f.Pattern(false))
	at, ok := instant(&f, false)
	assert.True(t, ok)
	assert.Equal(t, "2026-07-06", at.Format(time.DateOnly))
	f = read("20261306")
	assert.False(t, f.ReadCompact())
}

func TestPlaceholders(t *testing.T) {
	for _, text := range []string{"n/a", "N/A", "-", ".", "unknown", "UNKNOWN", "#N/A", "k. A.", "?", "–"} {
		assert.Equal(t, Placeholder, read(text).Kind, text)
	}
	for _, text := range []string{"nab", "a", "not available today", "x", "wheat", "0"} {
		assert.NotEqual(t, Placeholder, read(text).Kind, text)
	}
}

func TestShape(t *testing.T) {
	for text, want := range map[string]string{
		"AH-000101":                      "AA-999999",
		"Großacker 7":                    "Aaaaaaaaa 9",
		"a\tb":                           "a\ta",
		"moved to the second silo at 4":  "a… a… a… a… a… a… 9",
		"ABCDEFGHIJKLMNOPQRSTUVWXYZ0123": "A…9…",
		"":                               "",
	} {
		assert.Equal(t, want, string(AppendShape(nil, []byte(text))), text)
	}
}

// Whatever a number looks like, its value is that which big.Rat reads.
func TestNumberValue(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`-?[0-9]{1,24}(\.[0-9]{1,6})?(e-?[0-9]{1,2})?`).Draw(t, "text")
		f := read(text)
		require.True(t, f.Kind.IsNumber(), text)
		want, ok := new(big.Rat).SetString(text)
		require.True(t, ok)
		got, ok := f.Big([]byte(text))
		require.True(t, ok)
		assert.Zero(t, want.Cmp(got))
		d, _ := want.Float64()
		assert.InDelta(t, d, f.Float([]byte(text)), 1e-15*math.Abs(d))
	})
}

// A pattern that is told of a text is one by which a target reads that text,
// as the same instant.
func TestPatternReads(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(0, 4e9).Draw(t, "seconds"), 0).UTC()
		layout := rapid.SampledFrom([]string{"2006-01-02", "02.01.2006", "2.1.2006", "01/02/2006", "1/2/06",
			"2006/01/02 15:04", "2006-01-02T15:04:05Z07:00",
			"02.01.2006 15:04:05", "2006-01-02 3:04 PM", "2006-01-02 3:04:05PM", "2006-01-02T15:04:05.000"}).Draw(t,
			"layout")
		text := []byte(at.Format(layout))
		f := read(string(text))
		monthFirst := layout[0] != '2' && layout[1] != '2'
		d := value.Date
		if f.Kind == DateTime {
			d = value.DateTime
		}
		format, err := value.NewDateFormat(d, f.Pattern(monthFirst))
		require.NoError(t, err)
		var i value.Instant
		require.Equal(t, value.Matches, format.Parse(text, &i), "%s by %s", text, f.Pattern(monthFirst))
		got, ok := instant(&f, monthFirst)
		require.True(t, ok)
		assert.Equal(t, got.Unix(), i.Days()*86400+int64(i.Hour)*3600+int64(i.Minute)*60+int64(i.Second))
	})
}

func TestReadAllocatesNothing(t *testing.T) {
	texts := [][]byte{[]byte("AH-000101"), []byte("1.234,50"), []byte("06.07.2026 06:18"), []byte("n/a"),
		[]byte("moved to silo 4")}
	shape := make([]byte, 0, 100)
	var f Form
	assert.Zero(t, testing.AllocsPerRun(100, func() {
		for _, text := range texts {
			f.Read(text)
			f.Millis(false)
			shape = AppendShape(shape[:0], text)
		}
	}))
}

// A text that differs in nothing but digits from the one before reads the same by
// a second look as by a first.
func TestAgain(t *testing.T) {
	some := []string{"AA-000123", "2026-07-06", "2026-07-06T06:18:00", "2026-07-06 06:18", "06.07.2026",
		"07/06/2026 18:05:09", "6.7.2026", "06.07.26",
		"0000-00-00", "EUR 1.234,50", "CHF 1.234.5", "12,5", "A1", "x", "2026-07-06T06:18:00.25Z",
		"2026-07-06T06:18:00Z", "12:30", "20260706", "kr1.000", "6 Jul 2026", "06JUL26", "Jul 06, 2026",
		"Mar 99 9999", "12.5", "1234,50", "0.5", ".75", "98765", "1.234", "0.234", "00745"}
	rapid.Check(t, func(t *rapid.T) {
		text := []byte(rapid.OneOf(rapid.SampledFrom(some),
			rapid.StringMatching(`[A-Za-z]{0,3}[-./ ]?[0-9]{1,4}([-./:, T][0-9]{1,4}){0,5}[A-Z%€]?`)).Draw(t, "text"))
		twin := bytes.Clone(text)
		for i, c := range twin {
			if c-'0' <= 9 {
				twin[i] = '0' + rapid.Byte().Draw(t, "digit")%10
			}
		}
		require.True(t, DifferInDigits(text, twin))
		require.Equal(t, AppendShape(nil, text), AppendShape(nil, twin))
		again := read(string(text))
		if again.Again(twin) {
			require.Equal(t, read(string(twin)), again)
		}
		other := bytes.Clone(twin)
		at := rapid.IntRange(0, len(other)-1).Draw(t, "at")
		other[at] = rapid.Byte().Draw(t, "byte")
		require.Equal(t, other[at] == twin[at] || other[at]-'0' <= 9 && twin[at]-'0' <= 9, DifferInDigits(other, twin))
	})
}

func FuzzRead(f *testing.F) {
	for _, text := range []string{"1.234,5", "06.07.2026 06:18", "+", "-", "€", "1e5", "2026-07-06T06:18:05.25+02:00",
		"12:00 AM", "1\u023a", "6. Juli 2026", "Jul 6, 2026"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		var form Form
		form.Read(text)
		if form.Kind.IsNumber() {
			if _, ok := form.Big(text); !ok {
				t.Errorf("%q is a number without a value", text)
			}
		}
		form.Millis(true)
		form.Millis(false)
		AppendShape(nil, text)
	})
}

func TestIsRuled(t *testing.T) {
	for text, want := range map[string]bool{"": false, "-": true, "-----": true, "====": true, "- -": false, "-=-": false,
		"....": false, "ä": false} {
		assert.Equal(t, want, IsRuled(text), text)
	}
}
