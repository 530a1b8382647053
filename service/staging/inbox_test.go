package staging_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/staging"
)

// taken is a delivery that an inbox made.
type taken struct{ name, text, mark string }

// box is an inbox under test.
type box struct {
	dir string
	got chan taken

	mu   sync.Mutex
	fail error // what taking gives
	stop func()
}

func (b *box) write(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(b.dir, name)
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	return path
}

// next waits for the next delivery.
func (b *box) next(t *testing.T) taken {
	t.Helper()
	select {
	case got := <-b.got:
		return got
	case <-time.After(2 * time.Minute):
		require.Fail(t, "nothing was taken")
	}
	return taken{}
}

// watch watches a folder until the end of the test.
func watch(t *testing.T, dir string, change func(*staging.InboxConfig)) *box {
	t.Helper()
	b := &box{dir: dir, got: make(chan taken, 100)}
	c := staging.InboxConfig{Dir: dir, Every: time.Millisecond, Quiet: 20 * time.Millisecond,
		Log: slog.New(slog.DiscardHandler),
		Take: func(_ context.Context, f *os.File, name, mark string) error {
			text, err := io.ReadAll(f)
			if err != nil {
				return err
			}
			b.mu.Lock()
			defer b.mu.Unlock()
			if b.fail == nil {
				b.got <- taken{name, string(text), mark}
			}
			return b.fail
		}}
	if change != nil {
		change(&c)
	}
	inbox, err := staging.NewInbox(c)
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	var done sync.WaitGroup
	done.Go(func() { inbox.Watch(ctx) })
	b.stop = func() {
		stop()
		done.Wait()
	}
	t.Cleanup(b.stop)
	return b
}

// await waits until a condition holds.
func await(t *testing.T, what string, holds func() bool) {
	t.Helper()
	for end := time.Now().Add(2 * time.Minute); !holds(); time.Sleep(time.Millisecond) {
		require.True(t, time.Now().Before(end), "waited in vain until %s", what)
	}
}

func gone(path string) bool {
	_, err := os.Lstat(path)
	return os.IsNotExist(err)
}

func TestInboxTakes(t *testing.T) {
	b := watch(t, t.TempDir(), nil)
	for _, unfinished := range []string{".hidden", "a.part", "a.TMP", "a.csv~"} {
		b.write(t, unfinished, "x")
	}
	path := b.write(t, "a.csv", "one")
	assert.Equal(t, "one", b.next(t).text)
	await(t, "the file has left", func() bool { return gone(path) })
	assert.FileExists(t, filepath.Join(b.dir, "a.part"))
	assert.FileExists(t, filepath.Join(b.dir, ".hidden"))
}

// A new file of the same name, size and time is a delivery of its own.
func TestInboxTakesTheSameAgain(t *testing.T) {
	b := watch(t, t.TempDir(), nil)
	at := time.Date(2026, 7, 1, 6, 0, 0, 0, time.UTC)
	marks := map[string]bool{}
	for _, text := range []string{"one", "two", "two"} {
		path := filepath.Join(t.TempDir(), "a.csv")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		require.NoError(t, os.Chtimes(path, at, at))
		require.NoError(t, os.Rename(path, filepath.Join(b.dir, "a.csv")))
		got := b.next(t)
		assert.Equal(t, text, got.text)
		assert.False(t, marks[got.mark], "a mark of its own")
		marks[got.mark] = true
		await(t, "the file has left", func() bool { return gone(filepath.Join(b.dir, "a.csv")) })
	}
}

// A file that somebody has open for writing is not taken, however quiet it is.
func TestInboxWaitsForWriters(t *testing.T) {
	b := watch(t, t.TempDir(), nil)
	f, err := os.Create(filepath.Join(b.dir, "a.csv"))
	require.NoError(t, err)
	_, err = f.WriteString("half ")
	require.NoError(t, err)
	b.write(t, "b.csv", "whole")
	assert.Equal(t, "b.csv", b.next(t).name, "the other one is not held up")
	for range 5 { // each of them takes longer to be quiet than the open one has been
		b.write(t, "c.csv", "whole")
		require.Equal(t, "c.csv", b.next(t).name)
	}
	_, err = f.WriteString("and whole")
	require.NoError(t, err)
	require.NoError(t, f.Close())
	assert.Equal(t, taken{"a.csv", "half and whole", ""},
		func() taken { got := b.next(t); got.mark = ""; return got }())
}

// A file that is renamed into place while another of its name is being taken stays,
// and is taken after it.
func TestInboxSparesWhatComesMeanwhile(t *testing.T) {
	dir := t.TempDir()
	began, goOn := make(chan struct{}), make(chan struct{})
	var once sync.Once
	var texts []string
	b := watch(t, dir, func(c *staging.InboxConfig) {
		c.Take = func(_ context.Context, f *os.File, _, _ string) error {
			text, err := io.ReadAll(f)
			once.Do(func() {
				close(began)
				<-goOn
			})
			texts = append(texts, string(text))
			return err
		}
	})
	b.write(t, "a.csv", "first")
	<-began
	other := filepath.Join(t.TempDir(), "x")
	require.NoError(t, os.WriteFile(other, []byte("later"), 0o600))
	require.NoError(t, os.Rename(other, filepath.Join(dir, "a.csv")))
	close(goOn)
	await(t, "both are taken", func() bool { return gone(filepath.Join(dir, "a.csv")) })
	b.stop()
	if len(texts) == 1 { // stopped between claim and taking: it is still there
		b = watch(t, dir, nil)
		texts = append(texts, b.next(t).text)
	}
	assert.Equal(t, []string{"first", "later"}, texts)
}

// A file that cannot be taken is kept, is tried again, and keeps its mark, also over
// a restart.
func TestInboxKeepsWhatItCannotTake(t *testing.T) {
	dir := t.TempDir()
	tried := make(chan string, 1000)
	b := watch(t, dir, func(c *staging.InboxConfig) {
		c.Take = func(_ context.Context, _ *os.File, _, mark string) error {
			tried <- mark
			return errors.New("the database is away")
		}
	})
	path := b.write(t, "a.csv", "one")
	mark := <-tried
	await(t, "it is claimed", func() bool { return gone(path) })
	b.stop()
	b = watch(t, dir, nil)
	assert.Equal(t, taken{"a.csv", "one", mark}, b.next(t))
}

// With Done, a file waits for the word of its sender, which goes with it.
func TestInboxWaitsForTheWord(t *testing.T) {
	b := watch(t, t.TempDir(), func(c *staging.InboxConfig) { c.Done = true })
	b.write(t, "early.csv", "one")
	b.write(t, "a.csv", "two")
	word := b.write(t, "a.csv.done", "")
	assert.Equal(t, "a.csv", b.next(t).name)
	await(t, "the word is gone too", func() bool { return gone(word) })
	assert.FileExists(t, filepath.Join(b.dir, "early.csv"))
	b.write(t, "early.csv.done", "")
	assert.Equal(t, "early.csv", b.next(t).name)
}

// Names that a delivery cannot have stay in the inbox; links and folders are no files.
func TestInboxLeavesWhatIsNoDelivery(t *testing.T) {
	b := watch(t, t.TempDir(), nil)
	odd := b.write(t, "a\u202Eb.csv", "x")
	secret := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(secret, []byte("secret"), 0o600))
	require.NoError(t, os.Symlink(secret, filepath.Join(b.dir, "link.csv")))
	require.NoError(t, os.Mkdir(filepath.Join(b.dir, "folder.csv"), 0o700))
	long := strings.Repeat("n", 251) + ".csv" // the longest that a name can be
	b.write(t, long, "long")
	assert.Equal(t, long, b.next(t).name)
	assert.FileExists(t, odd)
	assert.FileExists(t, filepath.Join(b.dir, "link.csv"))
	assert.Empty(t, b.got)
}
