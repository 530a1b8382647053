package trial_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"sieb/core/layout"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/trial"
	"sieb/core/value"
)

func open(t require.TestingT, dir, text string) *source.File {
	path := filepath.Join(dir, "delivery.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	comma, one := ",", 1
	file, err := source.Open(context.Background(), path, layout.Given{Delimiter: &comma, HeaderRows: &one})
	require.NoError(t, err)
	return file
}

func TestCount(t *testing.T) {
	file := open(t, t.TempDir(), "day,kg\n01.02.2026,5\n13.02.2026,x\n,1e3\n31.02.2026,\nshort\n\"5\" x,7\n")
	defer file.Close()
	day := target.Column{Position: 1, Datatype: value.Date, Null: []string{""}}
	german, american := day, day
	german.Formats, american.Formats = []string{"dd.MM.yyyy"}, []string{"MM.dd.yyyy"}
	fits, err := trial.Count(t.Context(), file, []target.Column{german, american,
		{Position: 2, Datatype: value.Integer, Null: []string{""}, Maximum: "6"},
		{Position: 2, Null: []string{"", "x"}},
		{Position: 3}}, 0, nil)
	require.NoError(t, err)
	assert.Equal(t, []trial.Fit{{Rows: 5, Filled: 4, Fits: 2}, {Rows: 5, Filled: 4, Fits: 1},
		{Rows: 5, Filled: 4, Fits: 1},
		{Rows: 5, Filled: 3, Fits: 3}, {}}, fits)
	assert.InDelta(t, 0.5, fits[0].Share(), 0)
	assert.Zero(t, trial.Fit{}.Share())
}

// The counts are those of a plain look at each cell.
func TestCountIsPlain(t *testing.T) {
	dir := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		cells := rapid.SliceOfN(rapid.SampledFrom([]string{"", "7", "12", "x", "-", "03"}), 1, 300).Draw(t, "cells")
		file := open(t, dir, "n,a\n"+strings.Join(cells, ",1\n")+",1\n")
		defer file.Close()
		fits, err := trial.Count(context.Background(), file, []target.Column{
			{Position: 1, Datatype: value.Integer, Null: []string{"", "-"}, Minimum: "8"},
			{Position: 1, Formats: []string{"[0-9]+"}, Null: []string{""}},
		}, 0, nil)
		require.NoError(t, err)
		want := [2]trial.Fit{}
		for _, c := range cells {
			want[0].Rows++
			want[1].Rows++
			if c != "" && c != "-" {
				want[0].Filled++
			}
			if c == "12" {
				want[0].Fits++
			}
			if c != "" {
				want[1].Filled++
			}
			if c == "7" || c == "12" || c == "03" {
				want[1].Fits++
			}
		}
		require.Equal(t, fmt.Sprint(want), fmt.Sprint([2]trial.Fit(fits)))
	})
}

func TestEnoughIsEnough(t *testing.T) {
	file := open(t, t.TempDir(), "n,a\n"+strings.Repeat("7,1\n", 300_000))
	defer file.Close()
	fits, err := trial.Count(t.Context(), file, []target.Column{{Position: 1}}, 1000, nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, fits[0].Rows, int64(1000))
	assert.Less(t, fits[0].Rows, int64(200_000), "no more is read than a few batches")
}
