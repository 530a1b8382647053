package staging_test

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
	"sieb/service/staging"
)

func open(t *testing.T, dir string) *staging.Area {
	t.Helper()
	a, err := staging.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { a.Close() })
	return a
}

func files(t *testing.T, dir string) (all []string) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			all = append(all, filepath.Base(path))
		}
		return err
	}))
	return all
}

func TestTake(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	for i := range 2 { // the same bytes again are stored once
		taken, err := a.Take(t.Context(), strings.NewReader("a,b\n"), 0)
		require.NoError(t, err)
		assert.Equal(t, int64(4), taken.Bytes)
		assert.Equal(t, i == 0, taken.IsNew)
		text, err := os.ReadFile(a.Path(taken.SHA256))
		require.NoError(t, err)
		assert.Equal(t, "a,b\n", string(text))
		info, err := os.Stat(a.Path(taken.SHA256))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o400), info.Mode().Perm(), "delivered bytes never change, and are nobody else's")
		a.LetGo(taken, true)
	}
	_, err := a.Take(t.Context(), io.MultiReader(strings.NewReader("half"), iotest.ErrReader(errors.New("gone"))), 0)
	assert.ErrorContains(t, err, "gone")
	ended, end := context.WithCancel(t.Context())
	end()
	_, err = a.Take(ended, strings.NewReader("late"), 0)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Empty(t, files(t, filepath.Join(dir, "arriving")))
}

func TestTakeOnlySoMuch(t *testing.T) {
	a := open(t, t.TempDir())
	taken, err := a.Take(t.Context(), strings.NewReader("12345"), 5)
	require.NoError(t, err)
	assert.Equal(t, int64(5), taken.Bytes)
	_, err = a.Take(t.Context(), strings.NewReader("123456"), 5)
	var large *staging.TooLarge
	require.ErrorAs(t, err, &large)
	assert.Equal(t, int64(5), large.Most)
	assert.Len(t, files(t, filepath.Join(a.Dir(), "deliveries")), 1)
}

// What was taken and not recorded goes, unless somebody else holds the same bytes,
// or they were there before.
func TestLetGo(t *testing.T) {
	a := open(t, t.TempDir())
	take := func() staging.Taken {
		taken, err := a.Take(t.Context(), strings.NewReader("a,b\n"), 0)
		require.NoError(t, err)
		return taken
	}
	one := take()
	a.LetGo(one, false)
	assert.NoFileExists(t, a.Path(one.SHA256), "nobody has it")
	one, two := take(), take()
	a.LetGo(one, false)
	assert.FileExists(t, a.Path(one.SHA256), "the second is still being recorded")
	a.LetGo(two, true)
	three := take()
	assert.False(t, three.IsNew)
	a.LetGo(three, false)
	assert.FileExists(t, a.Path(one.SHA256), "the second was recorded")
}

func TestOpenClearsAndLocks(t *testing.T) {
	dir := t.TempDir()
	a, err := staging.Open(dir)
	require.NoError(t, err)
	id := a.ID
	_, err = staging.Open(dir)
	assert.ErrorContains(t, err, "belongs to a service that is running")
	for _, sub := range []string{"arriving", "scratch"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, sub, "left"), []byte("half"), 0o600))
	}
	require.NoError(t, a.Close())
	a = open(t, dir)
	assert.NoFileExists(t, filepath.Join(dir, "arriving", "left"))
	assert.NoFileExists(t, filepath.Join(dir, "scratch", "left"))
	assert.Equal(t, id, a.ID, "the folder keeps its id")
	assert.NotEqual(t, id, open(t, t.TempDir()).ID)
}

// The data folder is its owner's alone, also one that was made by an earlier version
// or under a wide umask.
func TestTheFolderIsPrivate(t *testing.T) {
	old := syscall.Umask(0)
	defer syscall.Umask(old)
	dir := filepath.Join(t.TempDir(), "data")
	for _, sub := range []string{"", "deliveries", "runs"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, sub), 0o755))
	}
	a := open(t, dir)
	taken, err := a.Take(t.Context(), strings.NewReader("a\n"), 0)
	require.NoError(t, err)
	a.LetGo(taken, true)
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		info, err := d.Info()
		require.NoError(t, err)
		assert.Zero(t, info.Mode().Perm()&0o077, "%s is open to others: %s", path, info.Mode())
		return nil
	}))
}

func TestSweep(t *testing.T) {
	a := open(t, t.TempDir())
	var sums []string
	for _, text := range []string{"kept", "orphan one", "orphan two"} {
		taken, err := a.Take(t.Context(), strings.NewReader(text), 0)
		require.NoError(t, err)
		a.LetGo(taken, true)
		sums = append(sums, taken.SHA256)
	}
	for _, run := range []string{"known", "unknown"} {
		require.NoError(t, os.MkdirAll(a.RunDir(run), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(a.RunDir(run), "accepted.csv"), nil, 0o600))
	}
	only := func(keep ...string) func([]string) ([]string, error) {
		return func(names []string) (known []string, err error) {
			return slices.DeleteFunc(slices.Clone(names), func(n string) bool { return !slices.Contains(keep, n) }), nil
		}
	}
	broken := func([]string) ([]string, error) { return nil, errors.New("the database is away") }
	_, _, err := a.Sweep(broken, broken)
	require.Error(t, err)
	assert.Len(t, files(t, filepath.Join(a.Dir(), "deliveries")), 3, "where nothing is known, nothing goes")
	contents, runs, err := a.Sweep(only(sums[0]), only("known"))
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1}, []int{contents, runs})
	assert.FileExists(t, a.Path(sums[0]))
	assert.DirExists(t, a.RunDir("known"))
	assert.NoDirExists(t, a.RunDir("unknown"))
}

func TestCheckName(t *testing.T) {
	for name, ok := range map[string]bool{"tickets.csv": true, "Wiegescheine Juli (2).csv": true, "قائمة.csv": true,
		"...": true, "": false, "a/b": false,
		`a\b`: false, "a\nb": false, "a\xff": false, strings.Repeat("x", 256): false, ".": false, "..": false,
		"a\x00b":               false,
		"invoice\u202Evsc.exe": false, "a\u2028b": false, "a\u2029b": false, "a\u200Fb": false, "a\u2066b": false,
		"a\x7fb": false, "a\u0085b": false} {
		assert.Equal(t, ok, staging.CheckName(name) == nil, "%q", name)
	}
	assert.ErrorContains(t, staging.CheckName("a\u202Eb"), `"a\u202eb"`, "what is not seen is shown")
}

// A full disk is said as that, with nothing left of the file.
func TestFullDisk(t *testing.T) {
	a := open(t, t.TempDir())
	var old syscall.Rlimit
	require.NoError(t, syscall.Getrlimit(syscall.RLIMIT_FSIZE, &old))
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: 1 << 20, Max: old.Max}))
	_, err := a.Take(t.Context(), strings.NewReader(strings.Repeat("x", 3<<20)), 0)
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &old))
	var disk *fault.Disk
	require.ErrorAs(t, err, &disk)
	assert.Equal(t, "storing a delivery", disk.Doing)
	assert.Empty(t, files(t, filepath.Join(a.Dir(), "arriving")))
	assert.Empty(t, files(t, filepath.Join(a.Dir(), "deliveries")))
}

func TestConceal(t *testing.T) {
	a := open(t, t.TempDir())
	sum := strings.Repeat("ab", 32)
	err := errors.New(a.Path(sum) + ": bad; see " + a.RunDir("r1") + " in " + a.Dir())
	assert.Equal(t, "tickets.csv: bad; see runs/r1 in the data folder", a.Conceal(err, sum, "tickets.csv"))
}
