package service_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// Next month's file of a sender finds the rules of the month before by its header, also where a column is new, in the
// reading of that sender; rules of others stand behind, or are none.
func TestTheSameFileNextMonth(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()
	month := func(name, header string, above int) api.Delivery {
		text := strings.Repeat("Talfeld: Lieferungen\n", above) + header + "\n"
		for i := range 30 {
			text += fmt.Sprintf("%d;%02d.07.2026;%d,5%s\n", 100+i, 1+i%28, i, strings.Repeat(";x", strings.Count(header, ";")-2))
		}
		d, err := s.Client.AddDelivery(ctx, name, strings.NewReader(text))
		require.NoError(t, err)
		return d
	}
	june := month("lieferung-2026-06.csv", "Beleg;Tag;Menge", 2)
	found, err := s.Client.Matches(ctx, june.ID)
	require.NoError(t, err)
	assert.Empty(t, found.Items, "nothing is known yet")

	// The lines above are settled by hand, and saved with the rules: they become a mapping.
	skip := 2
	_, err = s.Client.SaveLayout(ctx, june.ID, layout.Given{SkipRows: &skip})
	require.NoError(t, err)
	_, err = s.Client.BeginRules(ctx, june.ID, api.NewRules{})
	require.NoError(t, err)
	r, err := s.Client.SaveRules(ctx, june.ID, api.SaveRules{})
	require.NoError(t, err)
	require.NotNil(t, r.Mapping)
	assert.Equal(t, []any{"lieferung", 1}, []any{r.Mapping.Name, r.Mapping.Version})
	assert.Contains(t, r.Mapping.Text, "layout:\n  skipRows: 2\n")
	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: june.ID, Target: "lieferung", Mapping: "lieferung"})
	require.NoError(t, err)
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	require.Equal(t, "accepted", run.Verdict)
	for _, other := range []string{"target: stations\ncolumns:\n  - {name: station, required: true}\n",
		"target: days\ncolumns:\n  - {name: beleg, required: true}\n  - {name: tag}\n"} {
		_, err := s.Client.AddTarget(ctx, []byte(other))
		require.NoError(t, err)
	}

	july := month("lieferung-2026-07.csv", "Beleg;Tag;Menge", 2)
	found, err = s.Client.Matches(ctx, july.ID)
	require.NoError(t, err)
	require.NotEmpty(t, found.Items)
	best := found.Items[0]
	require.NotNil(t, best.Last)
	assert.Equal(t, []any{"lieferung", "lieferung", 3, 3, june.ID, "lieferung-2026-06.csv"}, []any{best.Target, best.Mapping,
		best.Fed, best.Columns, best.Last.Delivery, best.Last.Name})
	assert.Empty(t, best.Wanting)
	assert.Empty(t, best.Unknown)
	for _, m := range found.Items {
		assert.NotEqual(t, "stations", m.Target, "nothing of it is there")
	}
	assert.Equal(t, "days", found.Items[len(found.Items)-1].Target, "it leaves a column over")

	// A column more, and one that has another name.
	august := month("lieferung-2026-08.csv", "Beleg;Tag;Quantum;Silo", 2)
	found, err = s.Client.Matches(ctx, august.ID)
	require.NoError(t, err)
	at := -1
	for i, m := range found.Items {
		if m.Target == "lieferung" {
			at = i
			break
		}
	}
	require.GreaterOrEqual(t, at, 0)
	assert.Equal(t, []string{"menge"}, found.Items[at].Wanting)
	assert.Equal(t, []string{"Quantum", "Silo"}, found.Items[at].Unknown)

	// The comparison with the month before survives a mapping of another name.
	_, err = s.Client.AddMapping(ctx, []byte("mapping: anew\ntarget: lieferung\nlayout: {skipRows: 2}\n"))
	require.NoError(t, err)
	again, err := s.Client.StartRun(ctx, api.NewRun{Delivery: july.ID, Target: "lieferung", Mapping: "anew"})
	require.NoError(t, err)
	again, err = s.Client.Follow(ctx, again.ID, nil)
	require.NoError(t, err)
	compared, err := s.Client.CompareRuns(ctx, again.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "lieferung-2026-06.csv", compared.BeforeName)

	_, err = s.Client.Matches(ctx, "nothing")
	assert.Equal(t, 404, servicetest.Status(err))
}
