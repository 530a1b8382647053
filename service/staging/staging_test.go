package staging_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/staging"
)

func TestTake(t *testing.T) {
	dir := t.TempDir()
	a, err := staging.Open(dir)
	require.NoError(t, err)
	defer a.Close()
	for range 2 { // the same bytes again are stored once
		bytes, sum, err := a.Take(t.Context(), strings.NewReader("a,b\n"))
		require.NoError(t, err)
		assert.Equal(t, int64(4), bytes)
		text, err := os.ReadFile(a.Path(sum))
		require.NoError(t, err)
		assert.Equal(t, "a,b\n", string(text))
		info, err := os.Stat(a.Path(sum))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o444), info.Mode().Perm(), "delivered bytes never change")
	}
	_, _, err = a.Take(t.Context(), io.MultiReader(strings.NewReader("half"), iotest.ErrReader(errors.New("gone"))))
	assert.ErrorContains(t, err, "gone")
	ended, end := context.WithCancel(t.Context())
	end()
	_, _, err = a.Take(ended, strings.NewReader("late"))
	assert.ErrorIs(t, err, context.Canceled)
	left, err := os.ReadDir(filepath.Join(dir, "arriving"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestOpenClearsAndLocks(t *testing.T) {
	dir := t.TempDir()
	a, err := staging.Open(dir)
	require.NoError(t, err)
	_, err = staging.Open(dir)
	assert.ErrorContains(t, err, "belongs to a service that is running")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "arriving", "delivery-1"), []byte("half"), 0o600))
	require.NoError(t, a.Close())
	a, err = staging.Open(dir)
	require.NoError(t, err)
	defer a.Close()
	assert.NoFileExists(t, filepath.Join(dir, "arriving", "delivery-1"))
}

func TestCheckName(t *testing.T) {
	for name, ok := range map[string]bool{"tickets.csv": true, "Wiegescheine Juli (2).csv": true, "": false, "a/b": false, `a\b`: false, "a\nb": false, "a\xff": false, strings.Repeat("x", 256): false} {
		assert.Equal(t, ok, staging.CheckName(name) == nil, "%q", name)
	}
}

// A file that cannot be taken stays, and is tried again when it has changed.
func TestInboxKeepsWhatItCannotTake(t *testing.T) {
	dir := t.TempDir()
	ctx, stop := context.WithCancel(t.Context())
	taken := make(chan string, 100)
	broken := true
	inbox, err := staging.NewInbox(dir, time.Millisecond, slog.New(slog.DiscardHandler), func(_ context.Context, f *os.File, name, mark string) error {
		text, err := io.ReadAll(f)
		require.NoError(t, err)
		assert.Contains(t, mark, name)
		taken <- string(text)
		if broken {
			broken = false
			return errors.New("the database is away")
		}
		return nil
	})
	require.NoError(t, err)
	path := filepath.Join(dir, "a.csv")
	require.NoError(t, os.WriteFile(path, []byte("one"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".hidden"), []byte("x"), 0o600))
	done := make(chan struct{})
	go func() {
		defer close(done)
		inbox.Watch(ctx)
	}()
	assert.Equal(t, "one", <-taken)
	require.FileExists(t, path)
	require.NoError(t, os.WriteFile(path, []byte("another"), 0o600))
	for text := ""; text != "another"; {
		text = <-taken
	}
	for _, err := os.Stat(path); err == nil; _, err = os.Stat(path) {
		time.Sleep(time.Millisecond)
	}
	stop()
	<-done
	assert.FileExists(t, filepath.Join(dir, ".hidden"))
}
