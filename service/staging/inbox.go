package staging

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Inbox is a watched folder. A file that has come to rest in it becomes a
// delivery and leaves the folder.
type Inbox struct {
	dir    string
	every  time.Duration
	take   func(ctx context.Context, f *os.File, name, mark string) error
	log    *slog.Logger
	seen   map[string]sight
	failed map[string]failure
}

// failure is a file that could not be taken, and when it is tried again.
type failure struct {
	mark string
	next time.Time
}

const retryAfter = 10 * time.Second

// sight is how a file looked, and how often it has looked so.
type sight struct {
	mark  string
	times int
}

// restful is how many looks in a row must see a file unchanged.
const restful = 3

// NewInbox watches a folder, which it makes where it is missing. take makes a
// delivery of a file; mark is the same for the same file, so that a file that
// was taken but could not be removed is not taken twice.
func NewInbox(dir string, every time.Duration, log *slog.Logger, take func(ctx context.Context, f *os.File, name, mark string) error) (*Inbox, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("the inbox %s cannot be used: %w", dir, err)
	}
	probe, err := os.CreateTemp(dir, ".sieb-*")
	if err != nil {
		return nil, fmt.Errorf("files cannot be taken out of the inbox %s: %w", dir, err)
	}
	probe.Close()
	if err := os.Remove(probe.Name()); err != nil {
		return nil, err
	}
	return &Inbox{dir: dir, every: every, take: take, log: log, seen: map[string]sight{}, failed: map[string]failure{}}, nil
}

// Watch looks into the folder until ctx ends.
func (in *Inbox) Watch(ctx context.Context) {
	tick := time.NewTicker(in.every)
	defer tick.Stop()
	for {
		in.look(ctx)
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// look takes the files that look as they did for some time. The folder is
// looked at rather than listened to, because that also works on folders that
// other machines write to.
func (in *Inbox) look(ctx context.Context) {
	entries, err := os.ReadDir(in.dir)
	if err != nil {
		in.log.Error("the inbox cannot be read", "folder", in.dir, "error", err)
		return
	}
	seen := map[string]sight{}
	for _, e := range entries {
		name := e.Name()
		if !e.Type().IsRegular() || isUnfinished(name) {
			continue
		}
		info, err := e.Info()
		if err != nil {
			continue // it has just gone
		}
		mark := fmt.Sprintf("%s|%d|%d", name, info.Size(), info.ModTime().UnixNano())
		s := in.seen[name]
		if s.mark != mark {
			s = sight{mark: mark}
		}
		s.times++
		seen[name] = s
		if f := in.failed[name]; s.times >= restful && (f.mark != mark || time.Now().After(f.next)) {
			in.takeFile(ctx, name, mark)
		}
	}
	in.seen = seen
	for name := range in.failed {
		if _, there := seen[name]; !there {
			delete(in.failed, name)
		}
	}
}

// isUnfinished tells whether a name says that its file is still being written.
func isUnfinished(name string) bool {
	lower := strings.ToLower(name)
	for _, end := range []string{".part", ".tmp", ".temp", ".partial", ".filepart", "~"} {
		if strings.HasSuffix(lower, end) {
			return true
		}
	}
	return strings.HasPrefix(name, ".")
}

func (in *Inbox) takeFile(ctx context.Context, name, mark string) {
	path := filepath.Join(in.dir, name)
	err := func() error {
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		defer f.Close()
		return in.take(ctx, f, name, mark)
	}()
	if err == nil {
		err = os.Remove(path)
	}
	switch {
	case err == nil, ctx.Err() != nil, errors.Is(err, fs.ErrNotExist):
	default:
		if in.failed[name].mark != mark {
			in.log.Error("a file of the inbox could not be taken; it is tried again", "file", path, "error", err)
		}
		in.failed[name] = failure{mark, time.Now().Add(retryAfter)}
	}
}
