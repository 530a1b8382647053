package typing_test

import (
	"fmt"
	"math/big"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/distinct"
	"sieb/core/lexical"
	"sieb/core/typing"
	"sieb/core/value"
	"sieb/core/workbook"
)

// column counts values by their forms, each as often as it stands there.
func column(values []string) (typing.Forms, *distinct.Table) {
	f, table := typing.Forms{}, &distinct.Table{}
	for i, v := range values {
		text, row := []byte(v), int64(i+1)
		hash := distinct.HashOf(text, workbook.Text)
		if k := table.Find(hash, text, workbook.Text); k >= 0 {
			table.Item(k).Note(1, row, row)
		} else {
			table.Add(hash, text, workbook.Text, 1, row, row)
		}
		var l typing.Look
		l.Read(text, workbook.Text)
		c := f.Of(l.Key)
		c.Count++
		c.NoteLook(&l, distinct.Sighting{Row: row, Line: row, Text: text})
	}
	return f, table
}

// read concludes how columns of one file are read.
func read(columns ...string) (all []typing.Reading) {
	var forms []typing.Forms
	var tables []*distinct.Table
	for _, c := range columns {
		f, t := column(strings.Fields(c))
		forms, tables = append(forms, f), append(tables, t)
	}
	h := typing.HintsOf(forms, typing.DefaultShare)
	for i := range forms {
		t := typing.Conclude(forms[i], tables[i], tables[i].Used, h)
		if pair, ok := t.PairIn(tables[i], typing.DefaultShare); ok {
			t.Datatype, t.Pair = value.Boolean, pair
		}
		all = append(all, t)
	}
	return all
}

// told is what is concluded, in a few words.
func told(t typing.Reading) string {
	words := []string{t.Datatype.String()}
	if t.DecimalChar+t.GroupChar != "" {
		words = append(words, fmt.Sprintf("%q %q", t.DecimalChar, t.GroupChar))
	}
	for _, d := range t.Dates {
		words = append(words, d.Pattern)
	}
	if t.IsDate() {
		words = append(words, map[typing.OrderFrom]string{typing.NoOrder: "sure", typing.FromDates: "by a date",
			typing.FromOther: "by another column", typing.FromSign: "by the point", typing.Undecided: "undecided"}[t.Order])
	}
	if t.Datatype == value.Boolean {
		words = append(words, t.Pair[0]+"|"+t.Pair[1])
	}
	return strings.Join(append(words, t.Words...), " ")
}

func TestConclude(t *testing.T) {
	for _, c := range []struct{ values, want string }{
		{"1 2 3", "integer"},
		{"1 2 3.5", `decimal "." ""`},
		{"1 2 3 4 5 6 7 8 9 178.0", "integer"},
		{"1,5 2,25 3", `decimal "," ""`},
		{"1.234,5 12,25 3", `decimal "," "."`},
		{"745 1.234 12.000", `integer "," "."`},
		{"1234 1.234 12.000", `decimal "." ""`},
		{"1.234", `decimal "." ""`},
		{"007 012 300", "string"},
		{"1e3 2e4 5", "double"},
		{"a b c", "string"},
		{"", "string"},
		{"1 2 3 4 5 6 7 8 9 10 11 x", "integer"},
		{"1 2 3 4 5 6 7 8 x", "string"},
		{"1 2 3 4 5 6 7 n/b n/b n/b", "integer n/b"},
		{"1 2 3 4 5 6 7 n/b n/b offen", "string"},
		{"2026-07-31 2026-08-01", "date yyyy-MM-dd sure"},
		{"31.07.2026 01.08.2026", "date dd.MM.yyyy by a date"},
		{"07/31/2026 08/01/2026", "date MM/dd/yyyy by a date"},
		{"06.07.2026 01.08.2026", "date dd.MM.yyyy by the point"},
		{"06/07/2026 01/08/2026", "date dd/MM/yyyy undecided"},
		{"07/01/2026 07/02/2026 07/03/2026 07/04/2026", "date MM/dd/yyyy undecided"},
		{"20260731 20260801", "date yyyyMMdd sure"},
		{"20260731 12345678", "integer"},
		{"2026-07-31T14:05:00 2026-08-01T09:00:00", "dateTime yyyy-MM-ddTHH:mm:ss sure"},
		{"yes no yes", "boolean yes|no"},
		{"nein ja ja", "boolean ja|nein"},
		{"true false", "boolean true|false"},
		{"yes no maybe", "string"},
	} {
		assert.Equal(t, c.want, told(read(c.values)[0]), c.values)
	}
}

// One column tells what another leaves open.
func TestColumnsTellOneAnother(t *testing.T) {
	all := read("31/07/2026 30/07/2026", "06/07/2026 05/07/2026", "1,5 2,75", "1.234 2.345")
	assert.Equal(t, "date dd/MM/yyyy by another column", told(all[1]))
	assert.Equal(t, `integer "," "."`, told(all[3]))
	assert.True(t, all[3].Decided)
	alone := read("1.234 2.345")[0]
	assert.False(t, alone.Decided)
}

// What is concluded does not depend on how values are parted, and reads what it was
// concluded from.
func TestReadingsAreStable(t *testing.T) {
	pools := [][]string{{"1", "25", "1.234", "12.345,5", "7,25"}, {"31.07.2026", "6.7.26", "06.07.2026"},
		{"yes", "no"}, {"x", "-", "17", "2026-07-31"}}
	rapid.Check(t, func(t *rapid.T) {
		pool := rapid.SampledFrom(pools).Draw(t, "pool")
		values := rapid.SliceOfN(rapid.SampledFrom(pool), 1, 60).Draw(t, "values")
		whole, table := column(values)
		cut := rapid.IntRange(0, len(values)).Draw(t, "cut")
		one, _ := column(values[:cut])
		two, _ := column(values[cut:])
		two.Merge(one)
		h := typing.HintsOf([]typing.Forms{whole}, typing.DefaultShare)
		a, b := typing.Conclude(whole, table, table.Used, h), typing.Conclude(two, table, table.Used, h)
		require.True(t, a.ReadsAs(&b), "%+v %+v", a, b)
		if a.Datatype == value.String {
			return
		}
		reads, all := 0, 0
		var n value.Number
		for _, v := range values {
			var l typing.Look
			l.Read([]byte(v), workbook.Text)
			if l.Kind == lexical.Placeholder || a.IsWord([]byte(v)) {
				continue // it stands for no value
			}
			all++
			if a.Resolve(&l); a.Reads(&l, []byte(v), &n) {
				reads++
			}
		}
		require.GreaterOrEqual(t, float64(reads), typing.LeastShare*float64(all), "%v %s", values, told(a))
	})
}

// A second look at what differs in digits only tells what a first one does.
func TestAgain(t *testing.T) {
	shapes := []string{"#.##", "##/##/20##", "####", "##,###.#", "20##-##-##", "#.#"}
	rapid.Check(t, func(t *rapid.T) {
		draw := func() []byte {
			shape := rapid.SampledFrom(shapes).Draw(t, "shape")
			return []byte(strings.Map(func(r rune) rune {
				if r == '#' {
					return rune('0' + rapid.IntRange(0, 9).Draw(t, "digit"))
				}
				return r
			}, shape))
		}
		var l typing.Look
		first, second := draw(), draw()
		l.Read(first, workbook.Text)
		if !lexical.DifferInDigits(first, second) || !l.Again(second) {
			return
		}
		var fresh typing.Look
		fresh.Read(second, workbook.Text)
		require.Equal(t, fresh.Key, l.Key, "%s %s", first, second)
	})
}

// Quantities are compared exactly, whichever way they are held.
func TestQuantities(t *testing.T) {
	draw := rapid.Custom(func(t *rapid.T) typing.Quantity {
		q := typing.Quantity{Coef: rapid.Int64().Draw(t, "coef"), Frac: rapid.IntRange(0, 18).Draw(t, "frac")}
		if rapid.Bool().Draw(t, "wide") {
			return typing.Quantity{Wide: q.Rat()}
		}
		return q
	})
	rapid.Check(t, func(t *rapid.T) {
		a, b := draw.Draw(t, "a"), draw.Draw(t, "b")
		require.Equal(t, a.Rat().Cmp(b.Rat()), a.Compare(b))
	})
	assert.Equal(t, "1000", typing.Pow10(3).String())
	r := read("1.5 2.5")[0]
	q, err := r.Limit("2.25")
	require.NoError(t, err)
	assert.Zero(t, q.Rat().Cmp(big.NewRat(9, 4)))
	_, err = r.Limit("two")
	assert.Error(t, err)
}

// What a column's name says of its values.
func TestNames(t *testing.T) {
	assert.Equal(t, []string{"grower", "no"}, typing.NameWords("growerNo."))
	for _, name := range []string{"is_organic", "Paid", "hat Zufahrt", "done?"} {
		assert.True(t, typing.SaysYesNo(name), name)
	}
	for _, name := range []string{"organic matter", "history", "is"} {
		assert.False(t, typing.SaysYesNo(name), name)
	}
	for _, name := range []string{"Grower No.", "PLZ", "ticketId"} {
		assert.True(t, typing.SaysCode(name), name)
	}
	assert.False(t, typing.SaysCode("net kg"))
	all := [][]string{{"gross", "kg"}, {"net", "kg"}, {"site"}}
	assert.True(t, typing.HaveSibling(all[0], all))
	assert.False(t, typing.HaveSibling(all[2], all))
}
