package edit_test

import (
	"encoding/json"
	"reflect"
	"slices"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/edit"
)

// model is a mapping as plain values, changed the obvious way.
type model map[string]any

// into returns what holds the last part of a path; nil where it is not there and not made.
func (m model) into(path []string, isMade bool) map[string]any {
	at := map[string]any(m)
	for _, part := range path[:len(path)-1] {
		next, ok := at[part].(map[string]any)
		if !ok {
			if !isMade {
				return nil
			}
			next = map[string]any{}
			at[part] = next
		}
		at = next
	}
	return at
}

func (m model) set(path []string, v any) { m.into(path, true)[path[len(path)-1]] = v }

func (m model) add(path []string, v any, base []any) {
	at := m.into(path, true)
	last := path[len(path)-1]
	list, has := at[last].([]any)
	if single, is := at[last]; is && !has {
		list = []any{single}
	} else if !has {
		list = slices.Clone(base)
	}
	if !slices.ContainsFunc(list, func(o any) bool { return reflect.DeepEqual(o, v) }) {
		list = append(slices.Clone(list), v)
	}
	at[last] = list
}

func (m model) remove(path []string, v any) {
	at := m.into(path, false)
	if at == nil || at[path[len(path)-1]] == nil {
		return
	}
	last := path[len(path)-1]
	list, has := at[last].([]any)
	if !has {
		list = []any{at[last]}
	}
	at[last] = slices.DeleteFunc(slices.Clone(list), func(o any) bool { return reflect.DeepEqual(o, v) })
}

// drop takes a property away, with what holds nothing any more.
func (m model) drop(path []string) {
	at := m.into(path, false)
	if at == nil {
		return
	}
	last := path[len(path)-1]
	if _, has := at[last]; !has {
		return
	}
	delete(at, last)
	if len(at) == 0 && len(path) > 1 {
		m.drop(path[:len(path)-1])
	}
}

// plainly makes values comparable: as JSON has them.
func plainly(t require.TestingT, v any) any {
	text, err := json.Marshal(v)
	require.NoError(t, err)
	var out any
	require.NoError(t, json.Unmarshal(text, &out))
	return out
}

// Whatever is done to a text, it then says what the same does to plain values; and the comments of what no step
// names stay where they are.
func TestStepsAgainstPlainValues(t *testing.T) {
	columns := []string{"no", "weight", "site", "moisture", "Straße 7", "a: b"}
	singles := []string{"from", "format", "value"}
	lists := []string{"null", "remedies"}
	texts := []string{"x", "", "n/a", "a, b", "007", "- y", "# z", "trim", "1.50"}
	rapid.Check(t, func(t *rapid.T) {
		seen, err := edit.View([]byte(mapping))
		require.NoError(t, err)
		plain := model(plainly(t, seen).(map[string]any))
		var steps []edit.Step
		touched := map[string]bool{}
		for range rapid.IntRange(1, 14).Draw(t, "steps") {
			column := rapid.SampledFrom(columns).Draw(t, "column")
			touched[column] = true
			text := rapid.SampledFrom(texts).Draw(t, "text")
			switch rapid.IntRange(0, 4).Draw(t, "what") {
			case 0:
				path := []string{"columns", column, rapid.SampledFrom(singles).Draw(t, "property")}
				steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Set, Path: path, Value: text})
				plain.set(path, text)
			case 1:
				path := []string{"columns", column, rapid.SampledFrom(lists).Draw(t, "property")}
				base := []any{"", "?"}
				steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Add, Path: path, Value: text, Base: base})
				plain.add(path, text, base)
			case 2:
				path := []string{"columns", column, rapid.SampledFrom(lists).Draw(t, "property")}
				steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Remove, Path: path, Value: text})
				plain.remove(path, text)
			case 3:
				path := []string{"columns", column}
				if rapid.Bool().Draw(t, "deeper") {
					path = append(path, rapid.SampledFrom(append(singles, lists...)).Draw(t, "property"))
				}
				steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Drop, Path: path})
				plain.drop(path)
			default:
				path := []string{"leftOut"}
				steps = append(steps, edit.Step{In: edit.Mapping, Do: edit.Add, Path: path, Value: text})
				plain.add(path, text, nil)
			}
		}
		text, err := edit.Apply([]byte(mapping), edit.Mapping, steps)
		require.NoError(t, err)
		is, err := edit.View(text)
		require.NoError(t, err, "%s", text)
		assert.Equal(t, plainly(t, plain), plainly(t, is), "%s", text)
		assert.Contains(t, string(text), "# how Ahrensee writes")
		for column, comment := range map[string]string{"no": "# upper case once", "weight": "# as the scale prints it"} {
			if !touched[column] {
				assert.Contains(t, string(text), comment)
			}
		}

		// One after the other they come to the same as all at once.
		single := []byte(mapping)
		for i := range steps {
			single, err = edit.Apply(single, edit.Mapping, steps[i:i+1])
			require.NoError(t, err)
		}
		again, err := edit.View(single)
		require.NoError(t, err)
		assert.Equal(t, plainly(t, is), plainly(t, again))
	})
}

// A text that nobody has seen yet breaks nothing: it is refused, or changed so that it says what it said.
func FuzzApply(f *testing.F) {
	for _, text := range []string{mapping, "target: t\ncolumns:\n  - {name: a}\n", "a:\n  - b\n  - c: [1, {d: e}]\n", "{}", "",
		"a: |\n  b\n", "- x", "a: &x b\nc: *x\n", "? a\n: b\n", "a: 'it''s'\n# end", "\ufeffa: b", "a: \"\\u00e4\"\n"} {
		f.Add(text, "title", "T")
	}
	f.Fuzz(func(t *testing.T, text, property, value string) {
		if property == "" || !utf8.ValidString(property+value) {
			return // JSON carries no other
		}
		before, err := edit.View([]byte(text))
		if err != nil {
			return
		}
		was, ok := before.(map[string]any)
		if !ok {
			return
		}
		after, err := edit.Apply([]byte(text), edit.Mapping, []edit.Step{{In: edit.Mapping, Do: edit.Set,
			Path: []string{property}, Value: value}})
		if err != nil {
			return
		}
		is, err := edit.View(after)
		require.NoError(t, err, "%q became %q", text, after)
		was[property] = is.(map[string]any)[property]
		assert.Equal(t, plainly(t, was), plainly(t, is), "%q became %q", text, after)
	})
}
