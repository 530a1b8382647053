package service_test

import (
	"testing"

	"strings"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/edit"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// A draft is saved whole or not at all: a name that the mapping cannot have leaves the target as it was.
func TestSavingIsOneStep(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	_, err := s.Client.AddTarget(ctx, []byte("target: tickets\ncolumns: [{name: a}, {name: b}]\n"))
	require.NoError(t, err)
	for _, name := range []string{"north", "south"} {
		_, err = s.Client.AddMapping(ctx, []byte("mapping: "+name+"\ntarget: tickets\n"+
			"columns:\n  a: {from: A}\n  b: {from: B}\n"))
		require.NoError(t, err)
	}
	d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader("A,B\n1,2\n"))
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, d.ID, api.NewRules{Target: "tickets", Mapping: "north"})
	require.NoError(t, err)
	_, err = s.Client.ChangeRules(ctx, d.ID, api.NewShift{Words: "both", Steps: []edit.Step{
		{In: edit.Target, Do: edit.Set, Path: []string{"columns", "a", "required"}, Value: true},
		{In: edit.Mapping, Do: edit.Set, Path: []string{"columns", "a", "remedies"}, Value: []any{"trim"}}}})
	require.NoError(t, err)
	versions := func() (target, north, south int) {
		one, err := s.Client.Target(ctx, "tickets", 0)
		require.NoError(t, err)
		two, err := s.Client.Mapping(ctx, "north", 0)
		require.NoError(t, err)
		three, err := s.Client.Mapping(ctx, "south", 0)
		require.NoError(t, err)
		return one.Version, two.Version, three.Version
	}
	_, err = s.Client.SaveRules(ctx, d.ID, api.SaveRules{Mapping: "south"})
	require.ErrorContains(t, err, `there is a mapping "south" already`)
	target, north, south := versions()
	assert.Equal(t, [3]int{1, 1, 1}, [3]int{target, north, south})
	r, err := s.Client.Rules(ctx, d.ID)
	require.NoError(t, err)
	assert.Len(t, r.Changes, 1, "the draft is there still")
	saved, err := s.Client.SaveRules(ctx, d.ID, api.SaveRules{})
	require.NoError(t, err)
	assert.Empty(t, saved.Changes)
	target, north, south = versions()
	assert.Equal(t, [3]int{2, 2, 1}, [3]int{target, north, south})
}
