package service_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/rfc4180"
	"sieb/service/api"
	"sieb/service/servicetest"
)

// A text of nearly two megabytes whose lines look like rows is one value, also where its run's output
// is read back: to be compared with another run, and to be referred to.
func TestOutputsAreTakenAtTheirWord(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	long := strings.Repeat("7,b,c\n", 300_000)
	rows := func(more string) string {
		text := rfc4180.AppendRow(nil, "key", "note", "end")
		text = rfc4180.AppendRow(text, "1", long, "x")
		text = rfc4180.AppendRow(text, "2", "short"+more, "y")
		return string(text)
	}
	for _, text := range []string{
		"target: notes\ncolumns: [{name: key, datatype: integer, unique: true}, {name: note}, {name: end}]\nkey: [key]\n",
		"target: uses\ncolumns: [{name: key, datatype: integer}]\n" +
			"foreignKeys: [{columnReference: key, reference: {resource: notes}}]\n",
	} {
		_, err := s.Client.AddTarget(ctx, []byte(text))
		require.NoError(t, err)
	}
	run := func(name, content, target string) api.Run {
		d, err := s.Client.AddDelivery(ctx, name, strings.NewReader(content))
		require.NoError(t, err)
		r, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID, Target: target})
		require.NoError(t, err)
		r, err = s.Client.Follow(ctx, r.ID, nil)
		require.NoError(t, err)
		require.Empty(t, r.Error)
		return r
	}
	first := run("notes.csv", rows(""), "notes")
	require.Equal(t, int64(2), first.Tally.Accepted)
	uses := run("uses.csv", "key\n1\n2\n7\n", "uses")
	assert.Equal(t, int64(2), uses.Tally.Accepted, "7 is a line of a text, and no row's key")
	assert.Equal(t, int64(1), uses.Tally.Rejected)
	second := run("more.csv", rows(" now"), "notes")
	c, err := s.Client.CompareRuns(ctx, second.ID, first.ID)
	require.NoError(t, err)
	require.NotNil(t, c.Rows, "%s", c.NotSaid)
	assert.Equal(t, []int64{0, 0, 1, 1}, []int64{c.Rows.New, c.Rows.Gone, c.Rows.Changed, c.Rows.Same})
}
