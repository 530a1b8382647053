package report

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/blake3"
)

// newFiles writes files of a run, with the manifest, up to where they take their names.
func newFiles(t *testing.T, dir, text string) []*output {
	t.Helper()
	var all []*output
	for _, name := range []string{AcceptedName, RejectedName, ExcludedName, ViolationsName, ManifestName} {
		f, err := os.OpenFile(filepath.Join(dir, "."+name+".partial"), os.O_CREATE|os.O_TRUNC|os.O_RDWR, 0o600)
		require.NoError(t, err)
		o := &output{name: name, dir: dir, f: f, hash: blake3.New()}
		require.NoError(t, o.put([]byte(text+name)))
		all = append(all, o)
	}
	return all
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
		s := &files{dir: dir}
		rename, remove = os.Rename, os.Remove
		old := newFiles(t, dir, "old ")
		require.NoError(t, s.name(old))
		for _, o := range old {
			o.close()
		}
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
		all := newFiles(t, dir, "new ")
		err := s.name(all)
		for _, o := range all {
			o.close()
		}
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
		s := &files{dir: dir}
		old := newFiles(t, dir, "old ")
		require.NoError(t, s.name(old))
		for _, o := range old {
			o.close()
		}
		require.NoError(t, os.Remove(filepath.Join(dir, name)))
		require.NoError(t, os.Mkdir(filepath.Join(dir, name), 0o700))
		assert.ErrorContains(t, s.isFree(name), "is a folder, so that no output can take that name")
		before := textsIn(t, dir)
		all := newFiles(t, dir, "new ")
		assert.ErrorContains(t, s.name(all), name+" is a folder")
		for _, o := range all {
			o.close()
		}
		assert.Equal(t, before, textsIn(t, dir), "the other files stay")
	}
}
