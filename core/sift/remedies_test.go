package sift_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/sift"
)

// Remedies through a target, in columns of each datatype and habit: what comes out is
// canonical, and what changed is counted by the remedy that changed it.
func TestRemediesOfColumns(t *testing.T) {
	for _, c := range []struct{ column, cells, want, changed string }{
		{"datatype: integer, remedies: [number]", "1.234.567|12 kg|178.0|(5)", "1234567|!|178|-5", "number 3"},
		{"datatype: decimal, decimalChar: ',', remedies: [number]", "1.234|1,5|1'000.5|7", "1234|1.5|1000.5|7", "number 2"},
		{"datatype: decimal, decimalChar: ',', groupChar: '.', remedies: [{round: 1}]", "1.234,56|0,05|7", "1234.6|0.1|7",
			"round 2"},
		{"datatype: decimal, decimalChar: ',', remedies: [number, {round: 0}]", "12,5 €|(12,5)|x", "13|-13|!",
			"number 2 round 2"},
		{"datatype: decimal, remedies: [{number: {percent: fraction}}]", "12 %|0.5", "0.12|0.5", "number 1"},
		{"datatype: date, format: dd.MM.yyyy, remedies: [serial, {date: [d.M.yy, MM/dd/yyyy]}]",
			"46209|06.07.2026|6.7.26|07/31/2026|soon",
			"2026-07-06|2026-07-06|2026-07-06|2026-07-31|!", "serial 1 date 2"},
		{"datatype: dateTime, remedies: [serial, {date: [dd.MM.yyyy, 'dd.MM.yyyy HH:mm']}]",
			"46209.25|06.07.2026|06.07.2026 14:05",
			"2026-07-06T06:00:00|2026-07-06T00:00:00|2026-07-06T14:05:00", "serial 1 date 2"},
		{"datatype: time, remedies: [{date: [H.mm]}]", "6.05|14:05:00", "06:05:00|14:05:00", "date 1"},
		{"datatype: boolean, format: j|n, remedies: [{boolean: [ja|nein]}]", "Ja|j|NEIN|vielleicht", "true|true|false|!",
			"boolean 2"},
		{"format: '[0-9]{5}', remedies: [trim, {pad: 5}]", " 486|12345|D-1", "00486|12345|!", "trim 1 pad 1"},
		{"remedies: [{extract: '([0-9]+)'}, {prefix: AH-}, {cut: {from: 4}}]", "No 17|none", "17|none",
			"extract 1 prefix 2 cut 2"},
		{"null: [n/a], remedies: [trim, upper, {prefix: X}]", " n/a|a", "|XA", "trim 1 upper 1 prefix 1 null 1"},
		{"separator: ';', datatype: integer, remedies: [{replace: {find: ' und ', with: ';'}}]", "1 und 2|3", "1;2|3",
			"replace 1"},
		{"remedies: [repair, normalize, clean, title]", "GROÃŸACKER|Mu\u0308HLE\u200b", "Großacker|Mühle",
			"repair 1 normalize 1 clean 1 title 2"},
	} {
		o := order{target: "target: t\ncolumns: [{name: a, " + c.column + "}, {name: b, value: z}]\n",
			text: "a\n\"" + strings.ReplaceAll(c.cells, "|", "\"\n\"") + "\"\n"}
		for _, workers := range []int{1, 4} {
			o.workers = workers
			result, sink, _ := o.sift(t)
			rejected := map[string]bool{}
			for _, r := range records(t, &sink.Rejected) {
				rejected[r[0]] = true
			}
			accepted := records(t, &sink.Accepted)
			var got []string
			for row := range strings.Split(c.cells, "|") {
				if rejected[string(rune('1'+row))] {
					got = append(got, "!")
					continue
				}
				got = append(got, accepted[0][0])
				accepted = accepted[1:]
			}
			assert.Equal(t, c.want, strings.Join(got, "|"), c.column)
			assert.Equal(t, c.changed, changedBy(result), c.column)
		}
	}
}

// changedBy lists what changed cells of the first column, with how many.
func changedBy(r *sift.Result) string {
	var all []string
	for _, m := range r.Remedies {
		if m.Changed > 0 && m.Column == "a" {
			all = append(all, m.Remedy+" "+string(rune('0'+m.Changed)))
		}
	}
	return strings.Join(all, " ")
}

// A remedy that turns a fitting value into a violation is told with the count: as many as
// fit without remedies, are changed, and break a rule with them.
func TestSpoiltValues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		demands := rapid.SampledFrom([]string{"oneOf: [a, B, ' a']", "format: '[a-z ]+'", "maxLength: 2", "datatype: integer",
			"datatype: integer, maximum: 50", "datatype: date", "separator: ';', oneOf: [a, B]", "required: true, null: ['', X]",
			"unique: true, minLength: 2", "oneOf: [A], default: A"}).Draw(t, "demands")
		remedies := rapid.SampledFrom([]string{"[trim]", "[upper]", "[trim, lower]", "[{recode: {a: X, '7': '77'}}]",
			"[{pad: 3}]",
			"[{cut: 1}]", "[{prefix: a}]", "[number]", "[{replace: {find: '-', with: ''}}, trim]"}).Draw(t, "remedies")
		cells := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "B", " a", "ab", "abc", "7", "42", "99", "2026-07-31",
			"a;B", "B;", "X",
			"1,000", "-5", ""}), 1, 16).Draw(t, "cells")
		text := "n;c\n"
		for i, c := range cells {
			text += strconv.Itoa(i) + ";\"" + c + "\"\n"
		}
		with, _, _ := order{target: "target: t\ncolumns: [{name: n}, {name: c, " + demands + ", remedies: " + remedies +
			"}]\n",
			text: text, workers: 3}.sift(t)
		// The slow way: row by row, so that none repeats another.
		want := int64(0)
		for _, c := range cells {
			one := func(remedies string) *sift.Result {
				r, _, _ := order{target: "target: t\ncolumns: [{name: n}, {name: c, " + demands + remedies + "}]\n",
					text: "n;c\n1;\"" + c + "\"\n"}.sift(t)
				return r
			}
			plain, cleaned := one(""), one(", remedies: "+remedies)
			isChanged := false
			for _, m := range cleaned.Remedies {
				isChanged = isChanged || m.Changed > 0 && m.Remedy != "default"
			}
			if isChanged && plain.Tally.Rejected == 0 && cleaned.Tally.Rejected == 1 {
				want++
			}
		}
		got := int64(0)
		for _, m := range with.Remedies {
			got += m.Spoilt
			require.LessOrEqual(t, m.Spoilt, m.Changed)
		}
		require.Equal(t, want, got, "%s %s %q", demands, remedies, cells)
	})
}

// Empty cells take what stands above them, over blocks and batches, whatever the number of
// workers: as if the sender had filled them in. Rows that are cut wrongly are passed over,
// and rejected rows keep their cells as they were delivered.
func TestCarryDownIsFilledIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.IntRange(1, 800).Draw(t, "rows")
		wide := strings.Repeat("x", rapid.SampledFrom([]int{1, 1, 1, 700}).Draw(t, "wide"))
		pool := rapid.SliceOfN(rapid.SampledFrom([]string{"", "", " ", "-", "A", "b", "bad", "7"}), 16, 16).Draw(t, "pool")
		var printed, filled strings.Builder
		last := ""
		for i := range rows {
			cell := pool[(i*i+i/16)%16]
			if i%37 == 11 {
				printed.WriteString(cell + ";1\n") // a row that is too short says nothing
				filled.WriteString(cell + ";1\n")
				continue
			}
			if strings.TrimSpace(cell) != "" && cell != "-" {
				last = cell
			} else if last != "" {
				cell = last
			}
			fmt.Fprintf(&printed, "%s;%d;%s\n", pool[(i*i+i/16)%16], i, wide)
			fmt.Fprintf(&filled, "%s;%d;%s\n", cell, i, wide)
		}
		tg := func(first string) string {
			return "target: t\ncolumns: [{name: a, null: ['', '-'], oneOf: [A, B, '7'], remedies: [" + first +
				"trim, upper]}, " +
				"{name: n, datatype: integer}, {name: w}]\n"
		}
		_, want, _ := order{target: tg(""), text: "a;n;w\n" + filled.String()}.sift(t)
		for _, workers := range []int{1, 8} {
			result, got, _ := order{target: tg("carryDown, "), text: "a;n;w\n" + printed.String(), workers: workers}.sift(t)
			require.Equal(t, want.Accepted.String(), got.Accepted.String())
			require.Equal(t, int(result.Tally.Read), rows)
		}
	})
}

// What is carried down is counted, explained, and told in messages.
func TestCarryDown(t *testing.T) {
	o := order{target: "target: t\ncolumns: [{name: site, oneOf: [Ahrensee, Dornau], remedies: [carryDown, trim]}, {name: kg}]\n",
		text: "site;kg\n;1\n Ahrensee;2\n;3\nHof;4\n;5\n"}
	result, sink, found := o.sift(t)
	assert.Equal(t, "site,kg\n,1\nAhrensee,2\nAhrensee,3\n", sink.Accepted.String())
	assert.Equal(t, []string{`4 site value.unknown reject: "Hof" is not one of Ahrensee, Dornau`,
		`5 site value.unknown reject: "", cleaned to "Hof", is not one of Ahrensee, Dornau`}, found)
	assert.Contains(t, sink.Rejected.String(), "[value.unknown]\",,5\n", "as delivered")
	assert.Equal(t, sift.Remedy{Column: "site", Remedy: "carryDown", Changed: 2, Spoilt: 1}, counted(result)[0])
	assert.Equal(t, sift.Remedy{Column: "site", Remedy: "trim", Changed: 2}, counted(result)[1])
}
