package remedy_test

import (
	"slices"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/remedy"
	"sieb/core/value"
	"sieb/core/workbook"
)

func never([]byte) bool { return false }

// of makes a chain of remedies for a column.
func of(t require.TestingT, c remedy.Column, all ...remedy.Remedy) *remedy.Chain {
	number, err := value.NewNumberFormat(c.Point, "", "")
	require.NoError(t, err)
	c.Number = number
	chain, err := remedy.NewChain(all, &c, func(cell []byte) bool { return string(cell) == "n/a" })
	require.NoError(t, err)
	return chain
}

// apply applies remedies to a text.
func apply(t require.TestingT, c remedy.Column, cell string, all ...remedy.Remedy) (string, uint64) {
	out, changed, _, _ := of(t, c, all...).Apply([]byte(cell), workbook.Text)
	return string(out), changed
}

// The help is true: each remedy does to its examples what it says, and there is an example
// of what it changes and of what it leaves.
func TestExamples(t *testing.T) {
	for _, s := range remedy.Specs() {
		assert.NotEmpty(t, s.Does, s.Name)
		assert.NotEmpty(t, s.Leaves, s.Name)
		changes, leaves := false, false
		for _, e := range s.Examples {
			require.Equal(t, s.Name, e.Remedy.Name)
			require.NoError(t, e.Remedy.Check())
			got, changed := apply(t, e.Column, e.Before, e.Remedy)
			assert.Equal(t, e.After, got, "%s: %q", e.Remedy, e.Before)
			assert.Equal(t, e.Before != e.After, changed == 1, "%s: %q", e.Remedy, e.Before)
			changes, leaves = changes || changed == 1, leaves || changed == 0
			if s.IsSteady {
				again, _ := apply(t, e.Column, got, e.Remedy)
				assert.Equal(t, got, again, "%s twice", e.Remedy)
			}
		}
		assert.True(t, changes || s.Name == remedy.CarryDown, "%s: no example changes anything", s.Name)
		assert.True(t, leaves || s.Name == "upper" || s.Name == "lower", "%s: no example is left", s.Name)
		for _, p := range s.Parameters {
			assert.NotEmpty(t, p.Does, s.Name)
			assert.Same(t, s.Parameter(p.Name), s.Parameter(p.Name))
		}
	}
	assert.Nil(t, remedy.Find("iron"))
}

// drawRemedy draws a remedy as somebody may declare it.
var drawRemedy = rapid.Custom(func(t *rapid.T) remedy.Remedy {
	s := rapid.SampledFrom(remedy.Specs()).Draw(t, "remedy")
	return rapid.SampledFrom(s.Examples).Draw(t, "of").Remedy
})

var drawCell = rapid.OneOf(rapid.StringN(0, 12, -1), rapid.StringMatching(`[ \tA-Za-zÄöß0-9.,%€()+-]{0,12}`),
	rapid.SampledFrom([]string{"n/a", "", "Weizen", "GroÃŸacker", "1.234,5", "31.07.2026", "46209", "ja", "\xff\xfe",
		"00486"}))

// A chain is its remedies one by one, each as its own chain; it stops where a text stands
// for no value. Neither the cell nor an answer is touched by the next one.
func TestChainIsStepByStep(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfN(drawRemedy, 0, 5).Draw(t, "remedies")
		c := remedy.Column{Datatype: rapid.SampledFrom([]value.Datatype{value.String, value.Integer, value.Decimal,
			value.Date, value.DateTime, value.Boolean}).Draw(t, "datatype"), Point: rapid.SampledFrom([]string{"", ","}).Draw(t,
			"point")}
		used := of(t, c, all...)
		for range 4 {
			cell := drawCell.Draw(t, "cell")
			want, kind, bits := []byte(cell), workbook.Text, uint64(0)
			for i, r := range all {
				next, changed, is, _ := of(t, c, r).Apply(slices.Clone(want), kind)
				if changed == 0 {
					continue
				}
				want, kind, bits = slices.Clone(next), is, bits|1<<i
				if string(want) == "n/a" {
					break
				}
			}
			buf := []byte(cell + "behind")
			got, changed, is, _ := used.Apply(buf[:len(cell)], workbook.Text)
			require.Equal(t, string(want), string(got), "%v %q", all, cell)
			require.Equal(t, []any{bits, kind}, []any{changed, is}, "%v %q", all, cell)
			require.Equal(t, cell+"behind", string(buf), "the cell itself stays")
			steps := used.Trace([]byte(cell), workbook.Text)
			if len(steps) > 0 {
				require.Equal(t, string(want), steps[len(steps)-1].Text)
			}
		}
	})
}

// What is promised of any text: steady remedies done twice are done once; valid text stays
// valid; what is told to be unchanged is the cell.
func TestPromises(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := drawRemedy.Draw(t, "remedy")
		c := remedy.Column{Datatype: rapid.SampledFrom([]value.Datatype{value.String, value.Decimal, value.Date}).Draw(t,
			"datatype")}
		cell := drawCell.Draw(t, "cell")
		once, changed := apply(t, c, cell, r)
		require.Equal(t, changed == 0, once == cell, "%s %q", r, cell)
		if utf8.ValidString(cell) {
			require.True(t, utf8.ValidString(once), "%s %q", r, cell)
		}
		if remedy.Find(r.Name).IsSteady {
			twice, _ := apply(t, c, once, r)
			require.Equal(t, once, twice, "%s %q", r, cell)
		}
	})
}

// What a remedy leaves of plain values, so that quick tests may pass them by.
func TestPlainValuesStay(t *testing.T) {
	plain := map[value.Datatype]*rapid.Generator[string]{
		value.Integer:  rapid.StringMatching(`-?[1-9][0-9]{0,7}`),
		value.Date:     rapid.StringMatching(`20[0-9]{2}-(0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])`),
		value.DateTime: rapid.StringMatching(`20[0-9]{2}-0[1-9]-1[0-9]T1[0-9]:[0-5][0-9]:[0-5][0-9]`),
		value.String:   rapid.StringMatching(`[!-~]([ -~]{0,8}[!-~])?`),
	}
	rapid.Check(t, func(t *rapid.T) {
		r := drawRemedy.Draw(t, "remedy")
		for d, texts := range plain {
			if !r.Leaves(d) {
				continue
			}
			cell := texts.Draw(t, "cell")
			got, changed := apply(t, remedy.Column{Datatype: d}, cell, r)
			require.Equal(t, cell, got, "%s of %s", r, d)
			require.Zero(t, changed)
		}
		if r.LeavesTidy() {
			cell := rapid.StringMatching(`[!-~]+( [!-~]+){0,3}`).Draw(t, "tidy")
			got, changed := apply(t, remedy.Column{Datatype: value.String}, cell, r)
			require.Equal(t, cell, got, "%s", r)
			require.Zero(t, changed)
		}
	})
}

// Numbers of all habits come out as what they were written from.
func TestNumberReadsHabits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		whole := rapid.IntRange(0, 9_999_999).Draw(t, "whole")
		frac := rapid.SampledFrom([]string{"", "5", "25", "125", "0"}).Draw(t, "frac")
		point := rapid.SampledFrom([]string{".", ","}).Draw(t, "point")
		marks := map[string][]string{".": {"", ",", " ", "'", "\u00a0", "\u202f"}, ",": {"", ".", " ", "’", "\u2009"}}[point]
		mark := rapid.SampledFrom(marks).Draw(t, "mark")
		digits := []byte(itoa(whole))
		var text strings.Builder
		for i, d := range digits {
			if i > 0 && (len(digits)-i)%3 == 0 {
				text.WriteString(mark)
			}
			text.WriteByte(d)
		}
		want := itoa(whole)
		if frac != "" {
			text.WriteString(point + frac)
			if frac != "0" {
				want += "." + frac
			}
		}
		written := text.String()
		negative := rapid.IntRange(0, 4).Draw(t, "sign")
		switch negative {
		case 1:
			written = "-" + written
		case 2:
			written += "-"
		case 3:
			written = "(" + written + ")"
		case 4:
			written = "\u2212" + written
		}
		if negative > 0 && strings.Trim(want, "0.") != "" {
			want = "-" + want
		}
		written = rapid.SampledFrom([]string{"", "€ ", "EUR "}).Draw(t, "money") + written
		got, _ := apply(t, remedy.Column{Point: point}, written, remedy.Remedy{Name: "number"})
		require.Equal(t, want, got, "%q", written)
	})
}

func itoa(n int) string {
	if n < 10 {
		return string(rune('0' + n))
	}
	return itoa(n/10) + string(rune('0'+n%10))
}

// Each remedy of letters alone does to any text what the plain way over its characters does.
func TestRemediesAgainstThePlainWay(t *testing.T) {
	plain := map[string]func(string) string{
		"trim":  strings.TrimSpace,
		"upper": func(s string) string { return strings.Map(unicode.ToUpper, s) },
		"lower": func(s string) string { return strings.Map(unicode.ToLower, s) },
		"squeeze": func(s string) string {
			var out []rune
			for _, r := range s {
				if !unicode.IsSpace(r) {
					out = append(out, r)
				} else if len(out) == 0 || out[len(out)-1] != ' ' {
					out = append(out, ' ')
				}
			}
			return string(out)
		},
	}
	text := rapid.StringOf(rapid.RuneFrom([]rune(" \t\u00a0aBäÖß1ſı"), unicode.Letter))
	rapid.Check(t, func(t *rapid.T) {
		cell := text.Draw(t, "cell")
		if !utf8.ValidString(cell) || cell == "n/a" {
			return
		}
		for name, way := range plain {
			got, _ := apply(t, remedy.Column{}, cell, remedy.Remedy{Name: name})
			require.Equal(t, way(cell), got, "%s %q", name, cell)
		}
	})
}

// What is given in vain is said.
func TestWrongRemedies(t *testing.T) {
	text := func(name string, texts ...string) remedy.Remedy {
		r := remedy.Remedy{Name: name, Texts: map[string]string{}}
		for i := 0; i < len(texts); i += 2 {
			r.Texts[texts[i]] = texts[i+1]
		}
		return r
	}
	for says, r := range map[string]remedy.Remedy{
		`there is no remedy "iron"; there are trim, squeeze`: text("iron"),
		"either find, a text, or pattern":                    text("replace"),
		"find is empty":                                      text("replace", "find", ""),
		"pattern is not a regular expression: missing":       text("replace", "pattern", "("),
		"extract needs pattern":                              text("extract"),
		"extract: pattern is not a regular":                  text("extract", "pattern", "["),
		"recode needs pairs":                                 text("recode"),
		"pad needs length":                                   text("pad"),
		"at most 1000":                                       text("pad", "length", "2000"),
		"must be one character":                              text("pad", "length", "5", "with", "ab"),
		"cut keeps everything":                               text("cut"),
		"prefix needs text":                                  text("prefix"),
		"the text is empty":                                  text("prefix", "text", ""),
		"more than 30":                                       text("round", "digits", "31"),
		"date needs formats":                                 text("date"),
		"date pattern":                                       {Name: "date", Lists: map[string][]string{"formats": {"YYYY"}}},
		"there is no format":                                 {Name: "date", Lists: map[string][]string{"formats": {}}},
		"two texts with a bar":                               {Name: "boolean", Lists: map[string][]string{"pairs": {"ja"}}},
		"stands for true and for false": {Name: "boolean",
			Lists: map[string][]string{"pairs": {"ja|nein", "x|JA"}}},
		"there is no pair": {Name: "boolean", Lists: map[string][]string{"pairs": {}}},
	} {
		assert.ErrorContains(t, r.Check(), says)
		_, err := remedy.NewChain([]remedy.Remedy{r}, &remedy.Column{}, never)
		assert.ErrorContains(t, err, says)
	}
}

// Remedies are written as targets write them.
func TestWritten(t *testing.T) {
	for want, r := range map[string]remedy.Remedy{
		"trim":                                {Name: "trim"},
		"pad: 5":                              {Name: "pad", Texts: map[string]string{"length": "5"}},
		`pad: {length: 5, with: "x"}`:         {Name: "pad", Texts: map[string]string{"length": "5", "with": "x"}},
		"cut: {from: 4}":                      {Name: "cut", Texts: map[string]string{"from": "4"}},
		`recode: {"a": "b", "c": ""}`:         {Name: "recode", Pairs: map[string]string{"c": "", "a": "b"}},
		`date: ["d.M.yyyy"]`:                  {Name: "date", Lists: map[string][]string{"formats": {"d.M.yyyy"}}},
		"number":                              {Name: "number"},
		`replace: {pattern: "a+", with: "b"}`: {Name: "replace", Texts: map[string]string{"pattern": "a+", "with": "b"}},
		"unknown":                             {Name: "unknown"},
	} {
		assert.Equal(t, want, r.String())
	}
}

func FuzzRemedies(f *testing.F) {
	f.Add("1.234,50 €", uint8(14))
	f.Add("GroÃŸ\u00adacker", uint8(4))
	f.Fuzz(func(t *testing.T, cell string, which uint8) {
		specs := remedy.Specs()
		s := specs[int(which)%len(specs)]
		for _, e := range s.Examples {
			got, changed := apply(t, e.Column, cell, e.Remedy)
			require.Equal(t, changed == 0, got == cell)
			if s.IsSteady {
				again, _ := apply(t, e.Column, got, e.Remedy)
				require.Equal(t, got, again, "%s %q", e.Remedy, cell)
			}
		}
	})
}
