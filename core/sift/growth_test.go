package sift_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/remedy"
	"sieb/core/sift"
	"sieb/core/violation"
)

// A target may make much of little. Whatever it does, the run ends, in little memory, and says
// which rows it concerns and by which remedy, rule or computation; the other rows are as ever.
func TestTextsThatGrow(t *testing.T) {
	doubled := strings.Repeat("{replace: {find: a, with: aa}}, ", 40)
	nested := strings.Repeat(`.replace("a", "aaaaaaaaaa")`, 9)
	long := strings.Repeat("b", 4000)
	constants, derived := "", ""
	for i := range 60 {
		constants += fmt.Sprintf("  - {name: c%d, value: '%s'}\n", i, long)
	}
	for i, from := 0, "text"; i < 60; i++ {
		derived += fmt.Sprintf("  - {name: d%d, derive: %s + %s}\n", i, from, from)
		from = fmt.Sprintf("d%d", i)
	}
	cell := strings.Repeat("a", 50)
	for name, c := range map[string]struct {
		target, text string
		rejected     int64
		code         violation.Code
		says         string
		unjudged     string
	}{
		"a text for a text": {target: "  - {name: text, remedies: [" + doubled + "trim]}\n", rejected: 1,
			code: violation.TextGrown, says: "the remedy replace would make more than 1048776 bytes of it"},
		"a text for a pattern": {target: "  - {name: text, remedies: [" +
			strings.Repeat("{replace: {pattern: a, with: '${0}${0}${0}${0}'}}, ", 20) + "trim]}\n", rejected: 1,
			code: violation.TextGrown, says: "the remedy replace would"},
		"whatever the target says": {target: "  - {name: text, onViolation: flag, remedies: [" + doubled + "trim]}\n",
			rejected: 1, code: violation.TextGrown, says: "at most four times its own length and 1 MiB"},
		"prefixes": {target: "  - {name: text, remedies: [" + strings.Repeat("{prefix: "+long+"}, {prefix: c}, ", 25) +
			"trim]}\n"},
		"a row rule": {target: "  - {name: text}\nrowRules: [{name: grows, condition: 'text" + nested + " != \"\"'}]\n",
			unjudged: "grows"},
		"a computation": {target: "  - {name: text}\n  - {name: more, derive: 'text" + nested + "'}\n", rejected: 1,
			code: violation.DeriveFailed, says: "the texts that it makes come to more than 1048776 bytes"},
		"computations of one another": {target: "  - {name: text}\n" + derived, rejected: 3,
			code: violation.TextGrown, says: "of the rows around it comes to more than 64 MiB"},
		"constants": {target: "  - {name: text}\n" + constants},
	} {
		t.Run(name, func(t *testing.T) {
			result, sink := run(t, "target: t\ncolumns:\n"+c.target, "text\nx\n"+cell+"\ny\n", 2)
			assert.Equal(t, sift.Tally{Read: 3, Accepted: 3 - c.rejected, Rejected: c.rejected}, result.Tally)
			if c.says != "" {
				require.NotEmpty(t, result.Violations)
				assert.Equal(t, c.code, result.Violations[0].Code)
				assert.Contains(t, result.Violations[0].Samples[0].Message, c.says)
				assert.Contains(t, sink.Rejected.String(), ","+cell+"\n", "the row is told as it came")
			}
			if c.unjudged != "" {
				assert.Equal(t, []sift.Unjudged{{Rule: c.unjudged, Rows: 1}}, result.Unjudged)
			}
			for _, m := range result.Remedies {
				assert.Zero(t, m.Spoilt)
				if c.code == violation.TextGrown {
					assert.Zero(t, m.Changed, "what was not made was not changed either")
				}
			}
		})
	}
}

// The room of a cell is exact: what just fits in is made, and one byte more is not.
func TestRoomOfACell(t *testing.T) {
	for _, length := range []int{1, 100, 10_000} {
		with := remedy.Room(length) / length
		for more, rejected := range []int64{0, 1} {
			text := "target: t\ncolumns: [{name: text, remedies: ["
			// One character for many takes several remedies, since what is put in has at most 4,096 bytes.
			cell, left := strings.Repeat("a", length), with+more
			for left > 4000 {
				text += "{replace: {pattern: '(a)(b*)', with: 'a${2}" + strings.Repeat("b", 3000) + "'}}, "
				left -= 3000
			}
			text += "{replace: {pattern: '(a)(b*)', with: 'a${2}" + strings.Repeat("b", left-1) + "'}}]}]\n"
			if strings.Count(text, "replace") > remedy.Most {
				continue // tried with longer cells
			}
			result, _ := run(t, text, "text\n"+cell+"\n", 1)
			assert.Equal(t, rejected, result.Tally.Rejected, "%d characters, %d for each", length, with+more)
		}
	}
}

// A thousand rules that every row breaks, with words of their own: the batches are as small as
// that asks for, the outcome is that of large ones.
func TestManyRulesThatFail(t *testing.T) {
	text := "target: t\ncolumns: [{name: n, datatype: integer}]\nrowRules:\n"
	for i := range 1000 {
		text += fmt.Sprintf("  - {name: r%d, condition: n < 0, message: '%s'}\n", i, strings.Repeat("x", 2000))
	}
	rows := strings.Repeat("1\n", 150) // more than a block of them
	result, sink := run(t, text, "n\n"+rows, 2)
	assert.Equal(t, sift.Tally{Read: 150, Rejected: 150}, result.Tally)
	assert.Len(t, result.Violations, 1000)
	assert.Equal(t, 150*1000+1, strings.Count(sink.Violations.String(), "\n"))
	assert.Contains(t, sink.Violations.String(), ","+strings.Repeat("x", 1000)+"…\n", "a message has a bound")
	assert.NotContains(t, sink.Violations.String(), strings.Repeat("x", 1001))
}
