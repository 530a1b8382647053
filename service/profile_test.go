package service_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/profile"
	"sieb/core/target"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

func TestProfiles(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()

	t.Run("of the demo", func(t *testing.T) {
		for _, m := range demo.All() {
			d := s.AddDemo(t, m)
			_, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
			require.NoError(t, err)
			p, err := s.Client.AwaitProfile(ctx, d.ID)
			require.NoError(t, err)
			require.Equal(t, "done", p.State, p.Error)
			assert.Equal(t, m.Read, p.Profile.Rows)
			assert.Equal(t, api.Progress{Bytes: d.Bytes, TotalBytes: d.Bytes, Rows: m.Read}, p.Progress)
			assert.NotEmpty(t, p.Profile.Findings)
			for _, f := range p.Profile.Findings {
				rows, err := s.Client.Find(ctx, d.ID, api.AskFound{Filters: f.Filters, Count: true})
				require.NoError(t, err, f.Text)
				if f.Filters[0].Op == "rows" { // with those that they repeat
					assert.GreaterOrEqual(t, *rows.Count, f.Rows, f.Text)
				} else {
					assert.Equal(t, f.Rows, *rows.Count, f.Text)
				}
			}
			draft, err := s.Client.Draft(ctx, d.ID, "")
			require.NoError(t, err)
			parsed, err := target.Parse([]byte(draft.Text))
			require.NoError(t, err, draft.Text)
			assert.Equal(t, draft.Name, parsed.Name)
			assert.Contains(t, draft.SQL, "create table "+draft.Name)
		}
	})

	t.Run("is made once by the same settings", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader("a;b\n1;x,y\n2;z\n"))
		require.NoError(t, err)
		first, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		done, err := s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		require.Len(t, done.Profile.Columns, 2)
		again, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		assert.Equal(t, first.ID, again.ID)
		anew, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{Again: true})
		require.NoError(t, err)
		assert.NotEqual(t, first.ID, anew.ID)
		other, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{Layout: &layout.Given{Delimiter: ptr(",")}})
		require.NoError(t, err)
		assert.NotEqual(t, anew.ID, other.ID)
		done, err = s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, ",", done.ReadAs.Delimiter)
	})

	t.Run("concludes datatypes from the share that is asked for", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "share.csv", strings.NewReader("n;x\n"+strings.Repeat("12;a\n", 19)+"wet;b\n"))
		require.NoError(t, err)
		for share, want := range map[float64]string{0: "integer", 0.9: "integer", 0.96: "string"} {
			_, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{Share: share})
			require.NoError(t, err)
			done, err := s.Client.AwaitProfile(ctx, d.ID)
			require.NoError(t, err)
			assert.Equal(t, want, done.Profile.Columns[0].Datatype.String(), "%g", share)
			assert.Equal(t, max(share, 0.9), done.Share)
		}
		_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{Share: 0.3})
		assert.Equal(t, 422, servicetest.Status(err))
	})

	t.Run("remembers what was looked at", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "b.csv", strings.NewReader("a;b\n1;x\n2;z\n"))
		require.NoError(t, err)
		_, err = s.Client.Profile(ctx, d.ID)
		assert.ErrorContains(t, err, "the delivery has no profile yet")
		_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		_, err = s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		_, err = s.Client.LookAt(ctx, d.ID, []string{"b", "b"})
		require.NoError(t, err)
		p, err := s.Client.Profile(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, []string{"b"}, p.Looked)
		_, err = s.Client.LookAt(ctx, d.ID, []string{"c"})
		assert.ErrorContains(t, err, `the delivery has no column "c"`)
		_, err = s.Client.Draft(ctx, d.ID, "no name")
		assert.ErrorContains(t, err, "a target's name is made of letters")
		_, err = s.Client.CancelProfile(ctx, d.ID)
		assert.ErrorContains(t, err, "the profile is done and cannot be stopped any more")
	})

	t.Run("leads to the rows behind it", func(t *testing.T) {
		d := s.AddDemo(t, demo.Colmitz()) // in UTF-16
		_, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		p, err := s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		crop := p.Profile.Columns[7]
		require.Equal(t, "Crop", crop.Name)
		filter := []profile.Filter{{Column: "Crop", Op: "equals", Value: crop.Top[0].Value}}
		counted, err := s.Client.Find(ctx, d.ID, api.AskFound{Filters: filter, Count: true})
		require.NoError(t, err)
		assert.Equal(t, crop.Top[0].Count, *counted.Count)
		assert.Empty(t, counted.Rows)
		first, err := s.Client.Find(ctx, d.ID, api.AskFound{Filters: filter, Limit: 2})
		require.NoError(t, err)
		require.Len(t, first.Rows, 2)
		assert.False(t, first.All)
		assert.Equal(t, []int64{crop.Top[0].Row, crop.Top[0].Line}, []int64{first.Rows[0].Row, first.Rows[0].Line})
		assert.Equal(t, crop.Top[0].Value, first.Rows[0].Cells[7])
		rest, err := s.Client.Find(ctx, d.ID, api.AskFound{Filters: filter, Behind: first.Rows[1].Row, Limit: 1000})
		require.NoError(t, err)
		assert.True(t, rest.All)
		assert.Len(t, rest.Rows, int(crop.Top[0].Count)-2)
		odd, err := s.Client.Find(ctx, d.ID, api.AskFound{Filters: []profile.Filter{{Column: "Date", Op: "against"}}})
		require.NoError(t, err)
		require.Len(t, odd.Rows, 1)
		assert.Equal(t, "07/32/2026", odd.Rows[0].Cells[1])
		_, err = s.Client.Find(ctx, d.ID, api.AskFound{Filters: []profile.Filter{{Column: "Gross", Op: "greater",
			Value: "much"}}})
		assert.ErrorContains(t, err, `"much" is no value of the column's datatype, integer`)
	})

	t.Run("says why it cannot be made", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "c.bin", bytes.NewReader(make([]byte, 5000)))
		require.NoError(t, err)
		_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		p, err := s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, "failed", p.State)
		assert.Contains(t, p.Error, "c.bin")
		assert.Contains(t, p.Error, "the file is not text")
		_, err = s.Client.Draft(ctx, d.ID, "")
		assert.ErrorContains(t, err, "the profile is failed")
	})

	t.Run("can be stopped, and outlives its service", func(t *testing.T) {
		d := s.Large(t, 30e6)
		running := func() bool {
			p, err := s.Client.Profile(ctx, d.ID)
			return err == nil && p.State == "running" && p.Progress.Rows > 0
		}
		_, err := s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		servicetest.Await(t, "the profile runs", running)
		p, err := s.Client.CancelProfile(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, "cancelled", p.State)
		_, err = s.Client.StartProfile(ctx, d.ID, api.NewProfile{})
		require.NoError(t, err)
		servicetest.Await(t, "the profile runs", running)
		require.NoError(t, s.Stop())
		s.Service = servicetest.Start(t, s.Data, nil)
		p, err = s.Client.AwaitProfile(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, "done", p.State, p.Error)
		assert.Greater(t, p.Profile.Rows, int64(20_000))
	})
}
