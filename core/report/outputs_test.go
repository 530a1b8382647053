package report_test

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zeebo/blake3"

	"sieb/core/layout"
	"sieb/core/report"
	"sieb/core/sift"
	"sieb/core/source"
)

// assertWhole holds the files of a folder to its manifest.
func assertWhole(t *testing.T, dir string) {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(dir, report.ManifestName))
	require.NoError(t, err)
	var m report.Manifest
	require.NoError(t, json.Unmarshal(text, &m))
	require.Len(t, m.Outputs, 4)
	for _, o := range m.Outputs {
		content, err := os.ReadFile(filepath.Join(dir, o.Name))
		require.NoError(t, err)
		sum := blake3.Sum256(content)
		assert.Equal(t, o.BLAKE3, hexOf(sum[:]), o.Name)
	}
}

// A second run may come at any moment of a first, and at the moment it ends: it
// is refused, or comes after it. Never does it empty what the first has written.
func TestASecondRunAtAnyMoment(t *testing.T) {
	first := newRun(t, "id,n\n"+strings.Repeat("a,1\n", 1<<17))
	second := newRun(t, "id,n\nb,2\n")
	second.Dir = first.Dir
	started := make(chan struct{})
	var once sync.Once
	first.Progress = func(sift.Progress) { once.Do(func() { close(started) }) }
	var others sync.WaitGroup
	done := make(chan struct{})
	refused, ran := 0, 0
	others.Go(func() {
		<-started
		for ended := false; !ended; {
			select {
			case <-done:
				ended = true // one more try, which must succeed
			default:
			}
			_, err := second.Do(t.Context())
			if err == nil {
				ran++
				continue
			}
			refused++
			assert.ErrorContains(t, err, "another run is writing")
		}
	})
	_, err := first.Do(t.Context())
	close(done)
	require.NoError(t, err)
	others.Wait()
	assert.Positive(t, refused, "the first run was not met at work")
	assert.Positive(t, ran, "the last try comes after the first run")
	assertWhole(t, first.Dir)
}

// The folder is locked before anything in it is opened: with the lock taken, no
// file in it changes, not even one under a temporary name.
func TestTheLockComesFirst(t *testing.T) {
	r := newRun(t, "id,n\na,1\n")
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	left := filepath.Join(r.Dir, ".accepted.csv.partial")
	require.NoError(t, os.WriteFile(left, []byte("of a run at work"), 0o600))
	lock, err := report.LockFolder(r.Dir)
	require.NoError(t, err)
	_, err = r.Do(t.Context())
	assert.ErrorContains(t, err, "another run is writing to "+r.Dir)
	text, err := os.ReadFile(left)
	require.NoError(t, err)
	assert.Equal(t, "of a run at work", string(text))
	assertWhole(t, r.Dir)
	require.NoError(t, lock.Close())
	_, err = r.Do(t.Context())
	require.NoError(t, err)
	assert.NoFileExists(t, left)
}

// No output is written over the delivery, under any of the names, nor through a link.
func TestOutputsSpareTheDelivery(t *testing.T) {
	const text = "id,n\na,1\n"
	for _, name := range []string{report.AcceptedName, report.RejectedName, report.ViolationsName,
		report.ManifestName} {
		dir := t.TempDir()
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		alias := filepath.Join(t.TempDir(), "tickets.csv")
		require.NoError(t, os.Symlink(path, alias))
		for _, as := range []string{path, alias} {
			file, err := source.Open(t.Context(), as, layout.Given{})
			require.NoError(t, err)
			_, err = (&report.Run{Delivery: file, Dir: dir}).Do(t.Context())
			file.Close()
			assert.ErrorContains(t, err, path+" is the file that is read")
			assert.Equal(t, []string{name}, names(t, dir), "nothing was begun beside it")
		}
		content, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.Equal(t, text, string(content))
	}
}

func TestOutputsFollowNoLink(t *testing.T) {
	for _, name := range []string{report.AcceptedName, report.ViolationsName, report.ManifestName} {
		r := newRun(t, "id,n\na,1\n")
		require.NoError(t, os.MkdirAll(r.Dir, 0o755))
		victim := filepath.Join(t.TempDir(), "victim")
		require.NoError(t, os.WriteFile(victim, []byte("precious"), 0o600))
		link := filepath.Join(r.Dir, "."+name+".partial")
		require.NoError(t, os.Symlink(victim, link))
		_, err := r.Do(t.Context())
		assert.ErrorContains(t, err, link+" is no ordinary file")
		content, err := os.ReadFile(victim)
		require.NoError(t, err)
		assert.Equal(t, "precious", string(content))
		require.NoError(t, os.Remove(link))
		_, err = r.Do(t.Context())
		require.NoError(t, err)
		assertWhole(t, r.Dir)
	}
}

// A run that fails in any of its steps leaves the files of the run before it.
func TestFailuresLeaveTheOldFiles(t *testing.T) {
	r := newRun(t, "id,n\n"+strings.Repeat("a,1\nb,x\n", 1<<17))
	_, err := r.Do(t.Context())
	require.NoError(t, err)
	for what, fails := range map[string]func() error{
		"cancelled": func() error {
			ctx, stop := context.WithCancel(t.Context())
			r.Progress = func(sift.Progress) { stop() }
			_, err := r.Do(ctx)
			return err
		},
		"a panic while rows are delivered": func() error {
			r.Progress = func(sift.Progress) { panic(errors.New("planted")) }
			_, err := r.Do(t.Context())
			return err
		},
		"the folder cannot take a file": func() error {
			r.Progress = nil
			require.NoError(t, os.Mkdir(filepath.Join(r.Dir, ".violations.csv.partial"), 0o755))
			defer os.Remove(filepath.Join(r.Dir, ".violations.csv.partial"))
			_, err := r.Do(t.Context())
			return err
		},
	} {
		require.Error(t, fails(), what)
		assert.Equal(t, []string{"accepted.csv", "excluded.csv", "manifest.json", "rejected.csv", "rows.index", "violations.csv"},
			names(t, r.Dir),
			what)
		assertWhole(t, r.Dir)
	}
}
