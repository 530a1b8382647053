package demo_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/layout"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/demo"
)

func TestCommittedDeliveriesAreTheGenerated(t *testing.T) {
	for _, m := range demo.All() {
		committed, err := demo.Delivery(m.Name)
		require.NoError(t, err)
		assert.Equal(t, string(m.Bytes), string(committed), "%s: run go generate ./demo", m.Name)
		text, err := demo.Delivery(m.Name + ".truth.json")
		require.NoError(t, err)
		var truth demo.Made
		require.NoError(t, json.Unmarshal(text, &truth))
		assert.Equal(t, m.Planted, truth.Planted)
	}
}

// What was planted is found, all of it, at its row and line, and nothing else.
func TestPlantedTruth(t *testing.T) {
	for _, m := range demo.All() {
		t.Run(m.Target, func(t *testing.T) {
			summary, dir := siftDemo(t, m)
			assert.Equal(t, sift.Tally{Read: m.Read, Accepted: m.Accepted, Rejected: m.Rejected}, summary.Tally)
			assert.Equal(t, sift.Split, summary.Verdict)
			assert.ElementsMatch(t, m.Planted, violationsIn(t, filepath.Join(dir, report.ViolationsName), summary))
		})
	}
}

func siftDemo(t *testing.T, m demo.Made) (*report.Summary, string) {
	t.Helper()
	dir := t.TempDir()
	path := filepath.Join(dir, m.Name)
	require.NoError(t, os.WriteFile(path, m.Bytes, 0o600))
	text, err := demo.Target(m.Target)
	require.NoError(t, err)
	tg, err := target.Parse(text)
	require.NoError(t, err)
	file, err := source.Open(path, layout.Given{})
	require.NoError(t, err)
	defer file.Close()
	run := report.Run{Delivery: file, Target: tg, Dir: filepath.Join(dir, "out")}
	summary, err := run.Do(t.Context())
	require.NoError(t, err)
	return summary, run.Dir
}

// violationsIn reads violations.csv; the action comes from the summary.
func violationsIn(t *testing.T, path string, summary *report.Summary) (all []demo.Planted) {
	t.Helper()
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	records, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	require.Equal(t, sift.ViolationsHeader, records[0])
	for _, r := range records[1:] {
		var v demo.Planted
		require.NoError(t, v.Code.UnmarshalText([]byte(r[3])))
		v.Column = r[2]
		if r[0] != "" {
			v.Row, err = strconv.ParseInt(r[0], 10, 64)
			require.NoError(t, err)
		}
		v.Line, err = strconv.ParseInt(r[1], 10, 64)
		require.NoError(t, err)
		for _, g := range summary.Violations {
			if g.Code == v.Code && g.Column == v.Column {
				v.Action = g.Action
			}
		}
		all = append(all, v)
	}
	return all
}
