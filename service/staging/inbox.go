package staging

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"sieb/core/fault"
)

// InboxConfig is a folder to watch and when its files are taken.
type InboxConfig struct {
	Dir   string
	Every time.Duration // between two looks
	Quiet time.Duration // how long a file must have stayed the same
	Done  bool          // a file waits until NAME.done stands beside it
	Log   *slog.Logger
	// Take makes a delivery of a file. Mark is the same for the same file, so
	// that one that was taken but could not be removed is not taken twice.
	Take func(ctx context.Context, f *os.File, name, mark string) error
}

// Inbox is a watched folder. A file that has come to rest in it becomes a
// delivery and leaves the folder.
//
// A file is taken in two steps. First it is claimed: renamed to a name of its
// own in a folder inside the inbox, where neither its sender nor a new file of
// its name can meet it. What is claimed becomes a delivery, and is removed. Both
// steps survive a crash.
type Inbox struct {
	InboxConfig
	claims string
	seen   map[string]sight
	failed failures // of files that could not be claimed, by name
	stuck  failures // of claimed ones that could not be taken, by claim
}

// failures remember what could not be done, and when it is tried again.
type failures map[string]failure

type failure struct {
	look string
	next time.Time
}

// sight is how a file looked, and since when it has looked so.
type sight struct {
	look  string
	since time.Time
}

const (
	retryAfter = 10 * time.Second
	claimsName = ".sieb-claimed"
	doneEnd    = ".done"
)

// NewInbox watches a folder, which it makes where it is missing.
func NewInbox(c InboxConfig) (*Inbox, error) {
	dir, err := filepath.Abs(c.Dir)
	if err != nil {
		return nil, err
	}
	c.Dir = dir
	in := &Inbox{InboxConfig: c, claims: filepath.Join(dir, claimsName), seen: map[string]sight{}, failed: failures{},
		stuck: failures{}}
	if err := os.MkdirAll(in.claims, 0o700); err != nil {
		return nil, fault.Writing(err, "making the inbox "+dir)
	}
	probe, err := os.CreateTemp(dir, ".sieb-*")
	if err != nil {
		return nil, fault.Writing(err, "taking files out of the inbox "+dir)
	}
	probe.Close() // no loss: nothing was written
	return in, os.Remove(probe.Name())
}

// Watch looks into the folder until ctx ends.
func (in *Inbox) Watch(ctx context.Context) {
	tick := time.NewTicker(in.Every)
	defer tick.Stop()
	for {
		in.look()
		in.takeClaimed(ctx)
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// look claims the files that have looked the same for the quiet time. The folder
// is looked at rather than listened to, because that also works on folders that
// other machines write to.
func (in *Inbox) look() {
	entries, err := os.ReadDir(in.Dir)
	if err != nil {
		in.Log.Error("the inbox cannot be read", "folder", in.Dir, "error", err)
		return
	}
	seen := map[string]sight{}
	for _, e := range entries {
		name := e.Name()
		if !e.Type().IsRegular() || isUnfinished(name) || in.Done && strings.HasSuffix(name, doneEnd) {
			continue
		}
		info, err := e.Info()
		if err != nil {
			continue // it has just gone
		}
		s := in.seen[name]
		if look := lookOf(info); s.look != look {
			s = sight{look, time.Now()}
		}
		seen[name] = s
		if time.Since(s.since) >= in.Quiet && in.failed.mayTry(name, s.look) {
			in.note(in.failed, name, s.look, name, in.claim(name))
		}
	}
	in.seen = seen
	for name := range in.failed {
		if _, there := seen[name]; !there {
			delete(in.failed, name)
		}
	}
}

// lookOf tells files apart that have changed.
func lookOf(info fs.FileInfo) string {
	inode := uint64(0)
	if stat, ok := info.Sys().(*syscall.Stat_t); ok {
		inode = stat.Ino
	}
	return fmt.Sprintf("%d|%d|%d", info.Size(), info.ModTime().UnixNano(), inode)
}

func (f failures) mayTry(id, look string) bool {
	return f[id].look != look || time.Now().After(f[id].next)
}

// note remembers that a file could not be taken, and says so once.
func (in *Inbox) note(all failures, id, look, name string, err error) {
	switch {
	case err == nil:
		delete(all, id)
	case errors.Is(err, errBusy) || errors.Is(err, fs.ErrNotExist):
	default:
		if all[id].look != look {
			in.Log.Error("a file of the inbox could not be taken; it is tried again", "file", name, "error", err)
		}
		all[id] = failure{look, time.Now().Add(retryAfter)}
	}
}

// isUnfinished reports whether a name says that its file is still being written.
func isUnfinished(name string) bool {
	lower := strings.ToLower(name)
	for _, end := range []string{".part", ".tmp", ".temp", ".partial", ".filepart", "~"} {
		if strings.HasSuffix(lower, end) {
			return true
		}
	}
	return strings.HasPrefix(name, ".")
}

var errBusy = errors.New("it is still being written")

// claim takes a file out of its sender's reach, unless it is still being written.
func (in *Inbox) claim(name string) error {
	if err := CheckName(name); err != nil {
		return err
	}
	path := filepath.Join(in.Dir, name)
	done := path + doneEnd
	if in.Done {
		if _, err := os.Lstat(done); err != nil {
			return errBusy // no word from the sender yet
		}
	}
	if isBeingWritten(path) {
		return errBusy
	}
	claim := filepath.Join(in.claims, strings.ToLower(rand.Text()))
	if err := os.Mkdir(claim, 0o700); err != nil {
		return fault.Cause(err)
	}
	if err := os.Rename(path, filepath.Join(claim, name)); err != nil {
		os.Remove(claim)
		return fault.Cause(err)
	}
	if in.Done {
		return os.Remove(done)
	}
	return nil
}

// isBeingWritten reports whether somebody has the file open for writing. The
// system grants a lease for reading only where nobody has; where it grants none at
// all (another machine's folder, another user's file), the quiet time must do.
func isBeingWritten(path string) bool {
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK|syscall.O_NOFOLLOW, 0)
	if err != nil {
		return false // to open it for reading will say why
	}
	defer f.Close()
	_, _, errno := syscall.Syscall(syscall.SYS_FCNTL, f.Fd(), fSetLease, syscall.F_RDLCK)
	if errno == 0 {
		_, _, _ = syscall.Syscall(syscall.SYS_FCNTL, f.Fd(), fSetLease, syscall.F_UNLCK)
	}
	return errno == syscall.EAGAIN
}

// fSetLease is F_SETLEASE of fcntl(2).
const fSetLease = 1024

// takeClaimed makes deliveries of what was claimed, before a crash too.
func (in *Inbox) takeClaimed(ctx context.Context) {
	entries, err := os.ReadDir(in.claims)
	if err != nil {
		in.Log.Error("the inbox cannot be read", "folder", in.claims, "error", err)
		return
	}
	for _, e := range entries {
		if ctx.Err() != nil {
			return
		}
		id := e.Name()
		if !in.stuck.mayTry(id, id) {
			continue
		}
		name, err := in.takeOne(ctx, id)
		if ctx.Err() == nil {
			in.note(in.stuck, id, id, name, err)
		}
	}
}

// takeOne makes a delivery of a claimed file; its claim is its mark.
func (in *Inbox) takeOne(ctx context.Context, id string) (name string, err error) {
	claim := filepath.Join(in.claims, id)
	files, err := os.ReadDir(claim)
	if err != nil {
		return "", err
	}
	for _, file := range files {
		name = file.Name()
		path := filepath.Join(claim, name)
		// Who had it open for writing before it was claimed has it open still.
		if isBeingWritten(path) {
			return name, errBusy
		}
		f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NOFOLLOW, 0)
		if err != nil {
			return name, err
		}
		err = in.Take(ctx, f, name, id)
		f.Close()
		if err == nil {
			err = os.Remove(path)
		}
		if err != nil {
			return name, err
		}
	}
	return name, os.Remove(claim)
}
