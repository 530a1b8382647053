package service_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/demo"
	"sieb/service/api"
	"sieb/service/servicetest"
)

func ptr[T any](v T) *T { return &v }

func TestReading(t *testing.T) {
	s := &kit{servicetest.Start(t, "", nil)}
	ctx := t.Context()

	t.Run("the demo reads right", func(t *testing.T) {
		for _, m := range demo.All() {
			d := s.AddDemo(t, m)
			r, err := s.Client.Read(ctx, d.ID, nil)
			require.NoError(t, err, m.Name)
			assert.NotEmpty(t, r.Columns)
			assert.NotEmpty(t, r.Evidence)
			assert.NotEmpty(t, r.Top.Rows)
			w, err := s.Client.Rows(ctx, d.ID, api.AskRows{From: m.Read, Limit: 5})
			require.NoError(t, err, m.Name)
			require.Len(t, w.Rows, 1, m.Name)
			assert.Equal(t, m.Read, w.Rows[0].Row)
			last, err := s.Client.Rows(ctx, d.ID, api.AskRows{Last: true, Limit: 3})
			require.NoError(t, err, m.Name)
			require.Len(t, last.Rows, 3, m.Name)
			assert.Equal(t, w.Rows[0].Cells, last.Rows[2].Cells, m.Name)
			assert.Equal(t, []any{m.Read, true}, []any{last.Counted, last.All})
			_, err = s.Client.SaveLayout(ctx, d.ID, r.Settled)
			require.NoError(t, err, m.Name)
			saved, err := s.Client.Read(ctx, d.ID, nil)
			require.NoError(t, err, m.Name)
			assert.Equal(t, r.Layout, saved.Layout, "%s: a saved layout reads alike", m.Name)
			_, err = s.Client.ForgetLayout(ctx, d.ID)
			require.NoError(t, err)
			for _, e := range r.Evidence {
				assert.NotContains(t, e.Next, e.Value, "%s: %s", m.Name, e.Setting)
			}
		}
	})

	t.Run("above, below and raw", func(t *testing.T) {
		text := "Title\n\n# note\na;\"b\"\r\n1;2\n3;\"x\ny\"\n\n5;6\nSumme;9\n"
		d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader(text))
		require.NoError(t, err)
		given := &layout.Given{SkipRows: ptr(1), CommentPrefix: ptr("#"), FooterRows: ptr(1)}
		// all are counted after it
		_, err = s.Client.Rows(ctx, d.ID, api.AskRows{AskReading: api.AskReading{Layout: given}, Last: true})
		require.NoError(t, err)
		w, err := s.Client.Rows(ctx, d.ID, api.AskRows{AskReading: api.AskReading{Layout: given}})
		require.NoError(t, err)
		lines := func() (all []string) {
			for _, l := range w.Above {
				all = append(all, fmt.Sprintf("%d %s %q", l.Line, l.Kind, l.Text))
			}
			for _, r := range w.Rows {
				all = append(all, fmt.Sprintf("%d row %q %q", r.Line, r.Raw, r.Cells))
			}
			for _, l := range w.Below {
				all = append(all, fmt.Sprintf("%s %q", l.Kind, l.Text))
			}
			return all
		}
		assert.Equal(t, []string{`1 skipped "Title\n"`, `2 blank "\n"`, `3 comment "# note\n"`,
			`4 header "a;\"b\"\r\n"`,
			`5 row "1;2\n" ["1" "2"]`, `6 row "3;\"x\ny\"\n\n" ["3" "x\ny"]`, `9 row "5;6\n" ["5" "6"]`,
			`below "Summe;9\n"`}, lines())
	})

	t.Run("a setting changes what is read, and can be saved", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "b.csv", strings.NewReader("a;b,c\n1;2,3\n4;5,6\n7\n"))
		require.NoError(t, err)
		r, err := s.Client.Read(ctx, d.ID, &layout.Given{Delimiter: ptr(",")})
		require.NoError(t, err)
		assert.Equal(t, []string{"a;b", "c"}, r.Columns)
		p, err := s.Client.Problems(ctx, d.ID, &layout.Given{Delimiter: ptr(",")})
		require.NoError(t, err)
		for !p.All {
			p, err = s.Client.Problems(ctx, d.ID, &layout.Given{Delimiter: ptr(",")})
			require.NoError(t, err)
		}
		require.Len(t, p.Items, 1)
		assert.Equal(t, []any{"row.short", int64(3), int64(4)}, []any{p.Items[0].Code.String(), p.Items[0].Row,
			p.Items[0].Line})

		_, err = s.Client.SaveLayout(ctx, d.ID, layout.Given{Encoding: ptr("nonsense")})
		assert.Equal(t, 422, servicetest.Status(err))
		saved, err := s.Client.SaveLayout(ctx, d.ID, layout.Given{Delimiter: ptr(","), HeaderRows: ptr(0)})
		require.NoError(t, err)
		assert.Equal(t, ",", *saved.Layout.Delimiter)
		r, err = s.Client.Read(ctx, d.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, []any{",", 0}, []any{r.Layout.Delimiter, r.Layout.HeaderRows},
			"without settings those saved are used")
		run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
		require.NoError(t, err)
		run, err = s.Client.Follow(ctx, run.ID, nil)
		require.NoError(t, err)
		assert.Equal(t, int64(4), run.Tally.Read, "runs use them, too")
		list, err := s.Client.Layouts(ctx, 0, 0)
		require.NoError(t, err)
		require.Equal(t, 1, list.Total)
		assert.Equal(t, []string{d.ID, "b.csv"}, []string{list.Items[0].Delivery, list.Items[0].Name})
		gone, err := s.Client.ForgetLayout(ctx, d.ID)
		require.NoError(t, err)
		assert.Nil(t, gone.Layout)
	})

	t.Run("an archive of several files", func(t *testing.T) {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		for name, text := range map[string]string{"july/a.csv": "x,y\n1,2\n", "july/b.csv": "x;y\n3;4\n"} {
			f, err := z.Create(name)
			require.NoError(t, err)
			_, err = f.Write([]byte(text))
			require.NoError(t, err)
		}
		require.NoError(t, z.Close())
		d, err := s.Client.AddDelivery(ctx, "july.zip", &b)
		require.NoError(t, err)
		r, err := s.Client.Read(ctx, d.ID, nil)
		require.NoError(t, err)
		assert.Nil(t, r.Layout)
		assert.ElementsMatch(t, []string{"july/a.csv", "july/b.csv"}, r.Members)
		r, err = s.Client.Read(ctx, d.ID, &layout.Given{Member: ptr("july/b.csv")})
		require.NoError(t, err)
		assert.Equal(t, ";", r.Layout.Delimiter)
		taken, err := s.Client.TakeMembers(ctx, d.ID)
		require.NoError(t, err)
		require.Equal(t, 2, taken.Total)
		for _, m := range taken.Items {
			assert.Contains(t, []string{"a.csv", "b.csv"}, m.Name)
		}
	})

	t.Run("what cannot be read says why", func(t *testing.T) {
		d, err := s.Client.AddDelivery(ctx, "old.xls",
			strings.NewReader("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"+strings.Repeat("\x00", 600)))
		require.NoError(t, err)
		_, err = s.Client.Read(ctx, d.ID, nil)
		assert.Equal(t, 422, servicetest.Status(err))
		assert.ErrorContains(t, err, "old.xls: the file is an old binary document; ask for it as XLSX or CSV")
		_, err = s.Client.Read(ctx, "nothing", nil)
		assert.Equal(t, 404, servicetest.Status(err))
	})
}
