package routes

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/edit"
	"sieb/service/api"
)

// What makes one text of another does so, also after it was kept as JSON.
func TestPatches(t *testing.T) {
	text := rapid.StringOfN(rapid.RuneFrom([]rune("aäö€𝄞\n")), 0, 12, -1)
	rapid.Check(t, func(t *rapid.T) {
		from, to := text.Draw(t, "from"), text.Draw(t, "to")
		kept, err := json.Marshal(patchFrom(from, to))
		require.NoError(t, err)
		var p patch
		require.NoError(t, json.Unmarshal(kept, &p))
		require.Equal(t, to, p.on(from))
		require.LessOrEqual(t, len(p.Text), len(to))
	})
	long := strings.Repeat("columns\n", 1000)
	assert.Equal(t, patch{8000, 0, "x"}, patchFrom(long, long+"x"), "it holds what differs")
	assert.Zero(t, patch{}.on("")+patchFrom("a", "a").Text)
}

// A draft that changes, goes back and forth and is kept in between says what a list of its changes
// says, each made anew from the beginning.
func TestKeptIsItsChanges(t *testing.T) {
	begin := func() *kept {
		return &kept{Target: keptText{Name: "t", Version: 1, Text: "target: t # größer\n" +
			"columns:\n  - name: a\n  - name: b\n"},
			Mapping: &keptText{Name: "m", Version: 1, Text: "mapping: m\ntarget: t\ncolumns:\n  a: {from: Ä}\n"}}
	}
	rapid.Check(t, func(t *rapid.T) {
		k := begin()
		var made, undone []api.RuleShift
		for i := range rapid.IntRange(1, 12).Draw(t, "changes") {
			switch rapid.IntRange(0, 4).Draw(t, "does") {
			case 0:
				if k.undo() {
					made, undone = made[:len(made)-1], append(undone, made[len(made)-1])
				} else {
					require.Empty(t, made)
				}
			case 1:
				if last := len(k.Undone) - 1; last >= 0 {
					shift := k.Undone[last]
					k.Undone = k.Undone[:last]
					_, err := k.change(shift)
					require.NoError(t, err)
					made, undone = append(made, undone[last]), undone[:last]
				}
			default:
				in := rapid.SampledFrom([]string{edit.Target, edit.Mapping}).Draw(t, "in")
				step := edit.Step{In: in, Do: edit.Set, Path: []string{"title"}, Value: fmt.Sprintf("ö%d", i%3)}
				if rapid.Bool().Draw(t, "column") {
					step.Path = []string{"columns", rapid.SampledFrom([]string{"a", "b"}).Draw(t, "name"), "null"}
					step.Do, step.Value = edit.Add, rapid.SampledFrom([]string{"n/a", "–", "?"}).Draw(t, "text")
				}
				shift := api.RuleShift{Words: fmt.Sprint(i), Steps: []edit.Step{step}}
				did, err := k.change(shift)
				require.NoError(t, err)
				if did {
					made, undone, k.Undone = append(made, shift), nil, nil
				}
			}
			if rapid.Bool().Draw(t, "kept") {
				text, err := json.Marshal(k)
				require.NoError(t, err)
				k, err = readKept(text)
				require.NoError(t, err)
			}
			want := begin()
			texts := want.begun()
			for _, shift := range made {
				var err error
				texts, err = texts.With(shift.Steps)
				require.NoError(t, err)
			}
			require.Equal(t, string(texts.Target), string(k.texts().Target))
			require.Equal(t, string(texts.Mapping), string(k.texts().Mapping))
			require.Len(t, k.Changes, len(made))
			require.Len(t, k.Undone, len(undone))
			require.Equal(t, len(made) > 0 && string(texts.Target) != want.Target.Text, k.Target.Now != nil)
		}
	})
}

// A draft of an earlier version, which keeps the steps alone, says what they come to.
func TestKeptOfEarlierVersions(t *testing.T) {
	k, err := readKept([]byte(`{"target":{"name":"t","version":1,"text":"target: t\ncolumns:\n  - name: a\n"},
		"changes":[{"words":"w","steps":[{"in":"target","do":"set","path":["title"],"value":"T"}],
			"at":"2026-07-01T00:00:00Z"},
		{"words":"v","steps":[{"in":"target","do":"set","path":["columns","a","required"],"value":true}],
		"at":"2026-07-01T00:00:00Z"}]}`))
	require.NoError(t, err)
	assert.Contains(t, string(k.texts().Target), "title: T")
	assert.Contains(t, string(k.texts().Target), "required: true")
	require.True(t, k.undo())
	assert.NotContains(t, string(k.texts().Target), "required")
	assert.Equal(t, "w", k.Changes[0].Words)
	_, err = readKept([]byte(`{"target":{"text":"a"},"changes":[{"steps":[{"in":"mapping","do":"set","path":["x"]}]}]}`))
	assert.ErrorContains(t, err, "there is no mapping")
}
