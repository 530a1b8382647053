package edit_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/edit"
	"sieb/core/target"
)

// inMapping makes a step in a mapping of a path with blanks between its parts.
func inMapping(do, path string, value any, base ...any) edit.Step {
	return edit.Step{In: edit.Mapping, Do: do, Path: strings.Fields(path), Value: value, Base: base}
}

const mapping = `# how Ahrensee writes
mapping: ahrensee
target: tickets

columns:
  # the number on the slip
  no: {from: Ticket No., remedies: [trim]}   # upper case once
  weight:
    from: Gross kg
    null: ["", n/a]    # as the scale prints it
    # minimum: 5
  site: {value: Ahrensee}
leftOut: [Remarks]
# the end
`

func TestStepsChangeWhatTheyName(t *testing.T) {
	tests := []struct {
		name       string
		step       edit.Step
		want, gone string
	}{
		{"a property is set", inMapping(edit.Set, "columns weight decimalChar", ","), `    decimalChar: ","`, ""},
		{"another takes its place", inMapping(edit.Set, "columns no from", "Slip"), "{from: Slip, remedies: [trim]}",
			"Ticket No."},
		{"a column is made", inMapping(edit.Set, "columns moisture format", "0.0"), `moisture: {format: "0.0"}`, ""},
		{"a text that looks like a number stays one", inMapping(edit.Set, "columns site value", "007"),
			`{value: "007"}`, ""},
		{"a list of texts", inMapping(edit.Set, "leftOut", []any{"Remarks", "a, b"}), `leftOut: [Remarks, "a, b"]`, ""},
		{"a text is added", inMapping(edit.Add, "columns weight null", "-"), `null: ["", n/a, "-"]`, ""},
		{"a text that is in it is not", inMapping(edit.Add, "columns weight null", "n/a"), `null: ["", n/a]`, ""},
		{"a list begins with its base", inMapping(edit.Add, "columns no null", "?", "", "x"), `null: ["", x, "?"]`, ""},
		{"a single value becomes a list", inMapping(edit.Add, "columns no from", "Slip"), `from: [Ticket No., Slip]`, ""},
		{"a remedy is added", inMapping(edit.Add, "columns no remedies", map[string]any{"round": json.Number("1")}),
			`remedies: [trim, {round: 1}]`, ""},
		{"a text is taken out", inMapping(edit.Remove, "columns weight null", "n/a"), `null: [""]`, "n/a"},
		{"a property is dropped", inMapping(edit.Drop, "columns weight null", nil), "from: Gross kg", "n/a"},
		{"with what is empty then", inMapping(edit.Drop, "columns site value", nil), "weight:", "site"},
		{"an exclusion is added", inMapping(edit.Add, "exclude",
			map[string]any{"reason": "trials", "condition": `cell("No") == "T"`}),
			"exclude:\n  - {condition: \"cell(\\\"No\\\") == \\\"T\\\"\", reason: trials}\n", ""},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			got, err := edit.Apply([]byte(mapping), edit.Mapping, []edit.Step{test.step})
			require.NoError(t, err)
			assert.Contains(t, string(got), test.want)
			if test.gone != "" {
				assert.NotContains(t, string(got), test.gone)
			}
			for _, comment := range []string{"# how Ahrensee writes\n", "  # the number on the slip\n  no:", "# the end\n",
				"# upper case once\n"} {
				assert.Contains(t, string(got), comment, "comments stay")
			}
			_, err = target.ParseMapping(got)
			assert.NoError(t, err)
		})
	}
}

func TestRecodesJoin(t *testing.T) {
	text := []byte("mapping: m\ntarget: t\ncolumns: {}\n")
	recode := func(from, to string) edit.Step {
		return inMapping(edit.Add, "columns crop remedies", map[string]any{"recode": map[string]any{from: to}}, "trim")
	}
	got, err := edit.Apply(text, edit.Mapping, []edit.Step{recode("Weizen", "wheat"), recode("Gerste", "oats"),
		recode("Gerste", "barley"), recode("a: b", "#")})
	require.NoError(t, err)
	assert.Contains(t, string(got), `remedies: [trim, {recode: {Weizen: wheat, Gerste: barley, "a: b": "#"}}]`)
}

func TestMoveAndWrite(t *testing.T) {
	text := []byte("target: t\ncolumns:\n  - {name: a}\n  - name: b   # second\n    datatype: date\n  - {name: c}\n")
	got, err := edit.Apply(text, edit.Target, []edit.Step{
		{In: edit.Target, Do: edit.Move, Path: []string{"columns", "c"}, Value: json.Number("0")},
		{In: edit.Target, Do: edit.Set, Path: []string{"columns", "b", "required"}, Value: true},
		{In: edit.Mapping, Do: edit.Set, Path: []string{"title"}, Value: "not here"},
	})
	require.NoError(t, err)
	assert.Equal(t, "target: t\ncolumns:\n  - {name: c}\n  - {name: a}\n"+
		"  - name: b   # second\n    datatype: date\n    required: true\n", string(got))

	got, err = edit.Apply(text, edit.Target, []edit.Step{{In: edit.Target, Do: edit.Write, Value: "target: u\n"},
		{In: edit.Target, Do: edit.Set, Path: []string{"title"}, Value: "U"}})
	require.NoError(t, err)
	assert.Equal(t, "target: u\ntitle: U\n", string(got))
}

func TestStepsThatCannotBe(t *testing.T) {
	tests := []struct {
		step edit.Step
		want string
	}{
		{inMapping("paint", "columns no from", "x"), `there is no step "paint"`},
		{inMapping(edit.Set, "", "x"), "it does not say where"},
		{inMapping(edit.Set, "target columns", "x"), "target is a single value"},
		{inMapping(edit.Set, "columns no from", nil), "there is no value"},
		{inMapping(edit.Add, "columns", "x"), "it is no list"},
		{inMapping(edit.Move, "columns nobody", 1), "there is no such entry"},
		{inMapping(edit.Move, "columns no", 9), "there is no place 9 in a list of 3"},
		{inMapping(edit.Write, "", 5), "what is written is not a text"},
		{inMapping(edit.Set, "exclude 3 reason", "x"), "there is no 3"},
		{inMapping(edit.Set, "a b c d e f g h i", "x"), "more than 8 parts"},
	}
	for _, test := range tests {
		_, err := edit.Apply([]byte(mapping), edit.Mapping, []edit.Step{test.step})
		assert.ErrorContains(t, err, test.want)
	}
	text, err := edit.Apply([]byte(mapping), edit.Target, []edit.Step{inMapping(edit.Set, "title", "x")})
	require.NoError(t, err)
	assert.Equal(t, mapping, string(text), "what no step concerns stays byte for byte")
}

func TestView(t *testing.T) {
	got, err := edit.View([]byte("mapping: m\ncolumns:\n  a: {null: ['', \"5\"], scale: 1.50, unique: true}\n"))
	require.NoError(t, err)
	text, err := json.Marshal(got)
	require.NoError(t, err)
	assert.JSONEq(t, `{"mapping": "m", "columns": {"a": {"null": ["", "5"], "scale": 1.50, "unique": true}}}`,
		string(text))
}

// What is written anew says the same, of all texts that the demo has.
func TestDemoTextsStayTheSame(t *testing.T) {
	for _, pattern := range []string{"../../demo/targets/*.yaml", "../../demo/mappings/*.yaml"} {
		paths, err := filepath.Glob(pattern)
		require.NoError(t, err)
		require.NotEmpty(t, paths)
		for _, path := range paths {
			before, err := os.ReadFile(path)
			require.NoError(t, err)
			in := edit.Target
			if strings.Contains(path, "mappings") {
				in = edit.Mapping
			}
			touch := []edit.Step{{In: in, Do: edit.Set, Path: []string{"title"}, Value: "T"}}
			after, err := edit.Apply(before, in, touch)
			require.NoError(t, err, path)
			assert.Equal(t, strings.Count(string(before), "#"), strings.Count(string(after), "#"), "%s:\n%s", path, after)
			same(t, path, in, before, after)
		}
	}
}

// same holds the views of two texts to one another, and that the second is still what it was.
func same(t require.TestingT, path, in string, before, after []byte) {
	was, err := edit.View(before)
	require.NoError(t, err)
	is, err := edit.View(after)
	require.NoError(t, err)
	was.(map[string]any)["title"] = "T"
	assert.Equal(t, was, is, "%s:\n%s", path, after)
	if in == edit.Target {
		_, err = target.Parse(after)
	} else {
		_, err = target.ParseMapping(after)
	}
	assert.NoError(t, err, "%s:\n%s", path, after)
}

// Whatever texts a steward types, they come back as they were typed, and what was written before
// as well.
func TestTextsComeBack(t *testing.T) {
	texts := rapid.OneOf(rapid.String(), rapid.StringMatching(`[ #:,{}\[\]"'\\\-?|>&*!%@a-c0-9.\n\t]{0,12}`),
		rapid.SampledFrom([]string{"", "null", "~", "yes", "1e5", "0x1F", "- a", "a # b", "a: b", "{", "'", "<<", "=",
			"1_000"}))
	rapid.Check(t, func(t *rapid.T) {
		texts := rapid.SliceOfNDistinct(texts, 1, 6, rapid.ID[string]).Draw(t, "texts")
		values := make([]any, len(texts))
		pairs := map[string]any{}
		for i, text := range texts {
			texts[i] = strings.ToValidUTF8(strings.ReplaceAll(text, "\r", ""), "")
			values[i], pairs[texts[i]] = texts[i], texts[0]
		}
		steps := []edit.Step{inMapping(edit.Set, "columns weight null", values),
			inMapping(edit.Set, "columns no remedies", []any{map[string]any{"recode": pairs}}),
			inMapping(edit.Set, "title", texts[0])}
		for _, s := range steps {
			s.In = edit.Mapping
		}
		once, err := edit.Apply([]byte(mapping), edit.Mapping, steps)
		require.NoError(t, err)
		twice, err := edit.Apply(once, edit.Mapping, steps[2:])
		require.NoError(t, err)
		assert.Equal(t, string(once), string(twice), "writing it once more changes nothing")
		view, err := edit.View(twice)
		require.NoError(t, err)
		columns := view.(map[string]any)["columns"].(map[string]any)
		assert.Equal(t, texts[0], view.(map[string]any)["title"])
		assert.Equal(t, values, columns["weight"].(map[string]any)["null"])
		remedies := columns["no"].(map[string]any)["remedies"].([]any)
		assert.Equal(t, pairs, remedies[0].(map[string]any)["recode"])
	})
}

func TestDifferences(t *testing.T) {
	const before = `target: tickets
title: Tickets
columns:
  - {name: no, required: true}
  - {name: kg, datatype: integer, maximum: 40, null: ["", n/a]}
  - {name: old}
  - {name: crop, oneOf: [wheat, rye]}
rowRules:
  - {name: net, condition: kg > 0}
  - {name: gone, condition: kg < 9}
`
	const after = `# a comment is no difference
target: tickets
title: Weighings
columns:
  - {required: true, name: no}
  - {name: crop, oneOf: [wheat, barley]}
  - {name: kg, datatype: integer, maximum: 45, null: ["", n/a], required: true}
  - {name: site, oneOf: [Ahrensee]}
rowRules:
  - {name: net, condition: kg > 1}
  - {name: new, condition: kg < 9}
tolerance: {rejected: 2%}
`
	all, err := edit.Differences([]byte(before), []byte(after))
	require.NoError(t, err)
	var said []string
	for _, d := range all {
		said = append(said, strings.TrimSpace(d.Column+" "+d.Words))
	}
	assert.ElementsMatch(t, []string{"title was Tickets and is Weighings", "crop oneOf: barley added",
		"crop oneOf: rye taken out",
		"kg maximum was 40 and is 45", "kg required is true", "site is new: oneOf Ahrensee", "old is gone",
		"the columns stand in another order", "rowRules, net: condition was kg > 0 and is kg > 1", "rowRules: new is new",
		"rowRules: gone is gone", "tolerance is rejected 2%"}, said)
	none, err := edit.Differences([]byte(before), []byte(before))
	require.NoError(t, err)
	assert.Empty(t, none)
	mapped, err := edit.Differences([]byte(mapping), []byte(strings.Replace(mapping, "Gross kg", "Brutto", 1)))
	require.NoError(t, err)
	assert.Equal(t, []edit.Difference{{Column: "weight", Words: "from was Gross kg and is Brutto"}}, mapped)
}
