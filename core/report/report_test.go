package report_test

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/blake3"

	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/outcome/written"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
	"sieb/core/target"
)

const targetText = "target: t\ncolumns:\n  - {name: id, unique: true}\n  - {name: n, datatype: integer}\n"

func newRun(t *testing.T, text string) *report.Run {
	t.Helper()
	path := filepath.Join(t.TempDir(), "tickets.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	tg, err := target.Parse([]byte(targetText))
	require.NoError(t, err)
	return &report.Run{Delivery: file, Target: tg, Version: "test", Dir: filepath.Join(t.TempDir(), "out")}
}

func names(t *testing.T, dir string) (all []string) {
	t.Helper()
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		all = append(all, e.Name())
	}
	return all
}

func TestRunWritesItsFiles(t *testing.T) {
	r := newRun(t, "id,n\na,1\nb,x\n")
	summary, err := r.Do(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"accepted.csv", "excluded.csv", "manifest.json", "rejected.csv", "rows.index", "violations.csv"},
		names(t, r.Dir))
	text, err := os.ReadFile(summary.Outputs.Manifest)
	require.NoError(t, err)
	var m report.Manifest
	require.NoError(t, json.Unmarshal(text, &m))
	assert.Equal(t, summary.Tally, m.Tally)
	assert.Equal(t, "t", m.Target.Name)
	for _, o := range m.Outputs {
		content, err := os.ReadFile(filepath.Join(r.Dir, o.Name))
		require.NoError(t, err)
		sum := blake3.Sum256(content)
		assert.Equal(t, o.BLAKE3, hexOf(sum[:]), o.Name)
		assert.Equal(t, o.Bytes, int64(len(content)))
	}
	sum := blake3.Sum256([]byte("id,n\na,1\nb,x\n"))
	assert.Equal(t, hexOf(sum[:]), m.Delivery.BLAKE3)

	_, err = r.Do(t.Context())
	require.NoError(t, err)
	again, err := os.ReadFile(summary.Outputs.Manifest)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(again), "the same run gives the same proof")
}

func hexOf(b []byte) string {
	const digits = "0123456789abcdef"
	var s strings.Builder
	for _, c := range b {
		s.WriteByte(digits[c>>4])
		s.WriteByte(digits[c&15])
	}
	return s.String()
}

func TestCancelLeavesNothing(t *testing.T) {
	r := newRun(t, "id,n\n"+strings.Repeat("a,1\n", 1<<19))
	ctx, stop := context.WithCancel(t.Context())
	r.Progress = func(sift.Progress) { stop() }
	_, err := r.Do(ctx)
	require.ErrorIs(t, err, context.Canceled)
	assert.NoDirExists(t, r.Dir)
}

func TestCancelLeavesTheOldFiles(t *testing.T) {
	r := newRun(t, "id,n\n"+strings.Repeat("a,1\n", 1<<19))
	require.NoError(t, os.MkdirAll(r.Dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(r.Dir, "accepted.csv"), []byte("old"), 0o600))
	ctx, stop := context.WithCancel(t.Context())
	r.Progress = func(sift.Progress) { stop() }
	_, err := r.Do(ctx)
	require.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, []string{"accepted.csv"}, names(t, r.Dir))
}

// What a run that was killed left behind is cleared away by the next one.
func TestLeftoversAreWrittenOver(t *testing.T) {
	r := newRun(t, "id,n\na,1\n")
	require.NoError(t, os.MkdirAll(r.Dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(r.Dir, ".accepted.csv.partial"),
		[]byte(strings.Repeat("left over", 100)), 0o600))
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"accepted.csv", "excluded.csv", "manifest.json", "rejected.csv", "rows.index", "violations.csv"},
		names(t, r.Dir))
	text, err := os.ReadFile(filepath.Join(r.Dir, "accepted.csv"))
	require.NoError(t, err)
	assert.Equal(t, "id,n\na,1\n", string(text))
}

func TestTwoRunsInOneFolder(t *testing.T) {
	first, second := newRun(t, "id,n\n"+strings.Repeat("a,1\n", 1<<19)), newRun(t, "id,n\na,1\n")
	second.Dir = first.Dir
	tried := false
	first.Progress = func(sift.Progress) {
		if !tried {
			tried = true
			_, err := second.Do(t.Context())
			assert.ErrorContains(t, err, "another run is writing")
		}
	}
	_, err := first.Do(t.Context())
	require.NoError(t, err)
	assert.True(t, tried)
}

func TestUnusableFolder(t *testing.T) {
	r := newRun(t, "id,n\na,1\n")
	r.Dir = filepath.Join(r.Dir, "x\x00y")
	_, err := r.Do(t.Context())
	assert.ErrorContains(t, err, "making the folder")
}

func TestRejects(t *testing.T) {
	r := newRun(t, "id,n,z\na,1,\nb,x,\"two\nlines, and a \"\"quote\"\"\"\nb,2,\n,y,\nb,3,\nc\n")
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	columns, page, total, err := report.Rejects(t.Context(), r.Dir, report.Filter{}, 0, 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"id", "n", "z"}, columns)
	assert.Equal(t, 4, total)
	assert.Equal(t, []string{"b", "x", "two\nlines, and a \"quote\""}, page[0].Cells)
	assert.Equal(t, "type.integer", page[0].Violations[0].Code.String())
	assert.Equal(t, []int64{2, 4, 5, 6}, []int64{page[0].Row, page[1].Row, page[2].Row, page[3].Row})
	assert.Equal(t, []int64{3, 6, 7, 8}, []int64{page[0].Line, page[1].Line, page[2].Line, page[3].Line},
		"the first has two lines")
	assert.Equal(t, []string{"c"}, page[3].Cells)

	_, page, total, err = report.Rejects(t.Context(), r.Dir, report.Filter{Column: "n", Code: "type.integer"}, 1, 1)
	require.NoError(t, err)
	assert.Equal(t, 2, total)
	require.Len(t, page, 1)
	assert.Equal(t, int64(4), page[0].Row)

	_, page, total, err = report.Rejects(t.Context(), r.Dir, report.Filter{Column: "nothing"}, 0, 10)
	require.NoError(t, err)
	assert.Zero(t, total)
	assert.NotNil(t, page)

	_, _, _, err = report.Rejects(t.Context(), t.TempDir(), report.Filter{}, 0, 10)
	assert.Error(t, err)
}

// The setting guards the outputs for the sender, never the accepted rows, and stands
// in the manifest.
func TestGuardedOutputs(t *testing.T) {
	r := newRun(t, "id,n\n=1+1,x\n=2,3\n")
	r.Guard = true
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	read := func(name string) string {
		text, err := os.ReadFile(filepath.Join(r.Dir, name))
		require.NoError(t, err)
		return string(text)
	}
	assert.Equal(t, "id,n\n=2,3\n", read(report.AcceptedName))
	assert.Contains(t, read(report.RejectedName), ",'=1+1,x\n")
	assert.Contains(t, read(report.ManifestName), `"guarded": true`)
	assertWhole(t, r.Dir)
	r.Guard = false
	_, err = r.Do(t.Context())
	require.NoError(t, err)
	assert.Contains(t, read(report.RejectedName), ",=1+1,x\n")
	assert.NotContains(t, read(report.ManifestName), "guarded")
}

// A run that is done again in other forms leaves no file of the first behind, and none that is not its own.
func TestFormsOfAnEarlierRunGo(t *testing.T) {
	r := newRun(t, "id,n\na,1\nb,x\n")
	write := func(settings ...outcome.Settings) {
		var err error
		r.Write, err = written.All(settings)
		require.NoError(t, err)
		summary, err := r.Do(t.Context())
		require.NoError(t, err)
		assert.Equal(t, filepath.Join(r.Dir, r.Write[0].File), summary.Outputs.Accepted)
		assert.Len(t, summary.Outputs.Also, len(settings)-1)
		text, err := os.ReadFile(filepath.Join(r.Dir, report.ManifestName))
		require.NoError(t, err)
		var m report.Manifest
		require.NoError(t, json.Unmarshal(text, &m))
		assert.Equal(t, settings, m.Write)
		for _, p := range m.Outputs {
			text, err := os.ReadFile(filepath.Join(r.Dir, p.Name))
			require.NoError(t, err)
			sum := blake3.Sum256(text)
			assert.Equal(t, hex.EncodeToString(sum[:]), p.BLAKE3, p.Name)
		}
	}
	write(outcome.Settings{Form: "jsonl"}, outcome.Settings{Form: "parquet"}, outcome.Settings{Form: "xlsx"},
		outcome.Settings{Form: "delimited", Delimiter: ";"})
	mine := filepath.Join(r.Dir, "accepted.txt")
	require.NoError(t, os.WriteFile(mine, []byte("mine"), 0o600))
	assert.Equal(t, []string{"accepted-delimited.csv", "accepted.jsonl", "accepted.parquet", "accepted.txt", "accepted.xlsx",
		"excluded.csv", "manifest.json", "rejected.csv", "rows.index", "violations.csv"}, names(t, r.Dir))
	write(outcome.Settings{Form: "csv"}, outcome.Settings{Form: "jsonl"})
	assert.Equal(t, []string{"accepted.csv", "accepted.jsonl", "accepted.txt", "excluded.csv", "manifest.json",
		"rejected.csv", "rows.index", "violations.csv"}, names(t, r.Dir))
}
