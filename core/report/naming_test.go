package report

import (
	"errors"
	"os"
	"path/filepath"
	"sieb/core/layout"
	"sieb/core/outcome"
	"sieb/core/source"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// commitFiles writes files of a run, with a manifest, and lets them take their names.
func commitFiles(t *testing.T, dir, text string) error {
	t.Helper()
	s := &folder{dir: dir, delivery: delivery(t)}
	all := (&Run{}).outputs(s)
	for _, o := range all {
		defer o.To.Abort()
		to := o.To.(*file)
		require.NoError(t, to.Begin(t.Context(), nil))
		_, err := to.Write([]byte(text + to.name))
		require.NoError(t, err)
	}
	var written []outcome.Proof
	var prepared []outcome.Destination
	for _, o := range all {
		prepared = append(prepared, o.To)
		p, err := o.To.Prepare()
		if err != nil {
			return err
		}
		written = append(written, p)
	}
	return s.commit(t.Context(), prepared, written, []byte(text+ManifestName))
}

// delivery returns a delivery that is not in the way.
func delivery(t *testing.T) *source.File {
	t.Helper()
	path := filepath.Join(t.TempDir(), "delivery.csv")
	require.NoError(t, os.WriteFile(path, []byte("a,b\n1,2\n"), 0o600))
	file, err := source.Open(t.Context(), path, layout.Given{})
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	return file
}

// textsIn returns what the files of a folder hold, by their names.
func textsIn(t *testing.T, dir string) map[string]string {
	t.Helper()
	all := map[string]string{}
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), ".") || e.IsDir() {
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, e.Name()))
		require.NoError(t, err)
		all[e.Name()] = string(text)
	}
	return all
}

// Whichever step fails by which files take their names: either all files are the old ones with their
// manifest, or all are the new ones with theirs, or there is no manifest.
func TestEachStepOfNamingFails(t *testing.T) {
	broken := errors.New("planted")
	defer func(a func(string, string) error, b func(string) error, c func(string) error) {
		rename, remove, syncFolder = a, b, c
	}(rename, remove, syncFolder)
	failed := 0
	for step := 1; ; step++ {
		dir := t.TempDir()
		rename, remove = os.Rename, os.Remove
		require.NoError(t, commitFiles(t, dir, "old "))
		left := step
		may := func() error {
			if left--; left == 0 {
				return broken
			}
			return nil
		}
		rename = func(from, to string) error {
			return errors.Join(may(), unless(left == 0, func() error { return os.Rename(from, to) }))
		}
		remove = func(path string) error {
			return errors.Join(may(), unless(left == 0, func() error { return os.Remove(path) }))
		}
		syncFolder = func(string) error { return may() }
		err := commitFiles(t, dir, "new ")
		found := textsIn(t, dir)
		if proves := found[ManifestName]; proves != "" {
			lead, _, _ := strings.Cut(proves, " ")
			for name, text := range found {
				assert.True(t, strings.HasPrefix(text, lead), "step %d: the manifest is %s, and %s holds %q", step, lead, name,
					text)
			}
		}
		entries, err2 := os.ReadDir(dir)
		require.NoError(t, err2)
		for _, e := range entries {
			assert.NotContains(t, e.Name(), ".partial", "step %d", step)
		}
		if err == nil {
			assert.Equal(t, "new "+ManifestName, found[ManifestName])
			break
		}
		require.ErrorIs(t, err, broken)
		failed++
	}
	assert.Equal(t, 8, failed, "removing and syncing, five names, syncing")
}

func unless(is bool, do func() error) error {
	if is {
		return nil
	}
	return do()
}

// A folder in the place of an output is told before anything is read, and again before any file
// takes its name.
func TestAFolderInThePlaceOfAnOutput(t *testing.T) {
	for _, name := range []string{AcceptedName, RejectedName, ExcludedName, ViolationsName, ManifestName} {
		dir := t.TempDir()
		require.NoError(t, commitFiles(t, dir, "old "))
		o := (&folder{dir: dir, delivery: delivery(t)}).file(name)
		require.NoError(t, o.Begin(t.Context(), nil))
		require.NoError(t, os.Remove(filepath.Join(dir, name)))
		require.NoError(t, os.Mkdir(filepath.Join(dir, name), 0o700))
		before := textsIn(t, dir)
		_, err := o.Prepare()
		assert.ErrorContains(t, err, name+" is a folder, so that no output can take that name")
		o.Abort()
		assert.ErrorContains(t, o.Begin(t.Context(), nil), name+" is a folder")
		assert.Equal(t, before, textsIn(t, dir), "the other files stay")
	}
}
