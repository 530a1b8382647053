package finding

import (
	"context"

	"github.com/stretchr/testify/require"

	"sieb/core/profile"
	"sieb/core/profile/profiletest"
	"sieb/core/search"
	"sieb/core/source"
)

// told makes the profile of a delivery, with its findings.
func told(t require.TestingT, file *source.File, o profile.Options) *profile.Profile {
	p, err := Profile(context.Background(), file, o)
	require.NoError(t, err)
	return p
}

func profileOf(t require.TestingT, text string) *profile.Profile {
	file := profiletest.Open(t, text)
	defer file.Close()
	return told(t, file, profile.Options{})
}

// found returns the rows that pass the filters.
func found(t require.TestingT, file *source.File, p *profile.Profile, filters ...profile.Filter) (rows []int64) {
	x := file.NewIndex()
	go func() { _ = x.Build(context.Background(), func(*source.Batch) error { return nil }) }()
	matches, count, isAll, err := search.Rows(context.Background(), p, x, filters, 0, 1<<20)
	require.NoError(t, err)
	require.True(t, isAll)
	require.Len(t, matches, int(count))
	for _, m := range matches {
		rows = append(rows, m.Row)
	}
	return rows
}

// checkRows holds the filters of findings to finding the rows that they count.
func checkRows(t require.TestingT, file *source.File, p *profile.Profile) {
	for _, f := range p.Findings {
		require.NotEmpty(t, f.Filters, "%s", f.Text)
		rows := found(t, file, p, f.Filters...)
		if f.Filters[0].Op == "rows" {
			require.GreaterOrEqual(t, len(rows), int(min(f.Rows, 1000)), "%s", f.Text)
		} else {
			require.Len(t, rows, int(f.Rows), "%s %v", f.Text, f.Filters)
		}
		for _, v := range f.First {
			if v.Row > 0 {
				require.Contains(t, rows, v.Row, "%s %v", f.Text, f.Filters)
			}
		}
	}
}
