// Package staging keeps the bytes of deliveries as they arrive, once per
// content, and the files that runs write beside them.
//
// It knows folders and bytes. Which deliveries there are stands in the store.
package staging

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"unicode"
	"unicode/utf8"

	"sieb/core/fault"
)

// Area is the staging area: a folder that belongs to one service.
type Area struct {
	ID   string // of the folder, made with it; it stays when the folder moves
	dir  string
	lock *os.File

	mu   sync.Mutex
	held map[string]int // contents that are being recorded
}

// Open makes the area's folders, takes possession of them, and clears away
// what interrupted arrivals and runs left. The folder is its owner's alone.
func Open(dir string) (*Area, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	a := &Area{dir: dir, held: map[string]int{}}
	for _, sub := range []string{"", "deliveries", "arriving", "runs", "scratch"} {
		path := filepath.Join(dir, sub)
		err := os.MkdirAll(path, 0o700)
		if err == nil {
			err = os.Chmod(path, 0o700) // it may be older, or the user's umask narrower
		}
		if err != nil {
			return nil, fault.Writing(err, "making the data folder "+dir)
		}
	}
	if a.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, fault.Writing(err, "opening the data folder "+dir)
	}
	// The lock ends with the process, however it ends.
	if err := syscall.Flock(int(a.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		a.lock.Close()
		return nil, fmt.Errorf("the data folder %s belongs to a service that is running; stop it, or choose another "+
			"with --data", dir)
	}
	if err := a.prepare(); err != nil {
		a.lock.Close()
		return nil, err
	}
	return a, nil
}

// prepare reads the folder's id, or makes it, and empties what holds work at hand.
func (a *Area) prepare() error {
	path := filepath.Join(a.dir, "id")
	text, err := os.ReadFile(path)
	if a.ID = strings.TrimSpace(string(text)); errors.Is(err, fs.ErrNotExist) || err == nil && a.ID == "" {
		a.ID = strings.ToLower(rand.Text())
		err = writeWhole(path, a.ID+"\n")
	}
	if err != nil {
		return fault.Writing(err, "preparing the data folder "+a.dir)
	}
	for _, sub := range []string{"arriving", "scratch"} {
		left, err := os.ReadDir(filepath.Join(a.dir, sub))
		if err != nil {
			return err
		}
		for _, f := range left {
			if err := os.RemoveAll(filepath.Join(a.dir, sub, f.Name())); err != nil {
				return err
			}
		}
	}
	return nil
}

// writeWhole writes a small file so that it is there whole or not at all.
func writeWhole(path, text string) error {
	f, err := os.OpenFile(path+".new", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = f.WriteString(text)
	err = errors.Join(err, f.Sync(), f.Close())
	if err != nil {
		return err
	}
	return os.Rename(path+".new", path)
}

// Close returns the area back.
func (a *Area) Close() error { return a.lock.Close() }

// Dir returns the folder.
func (a *Area) Dir() string { return a.dir }

// Scratch returns the folder for what is unpacked on the way. It is emptied at
// each start.
func (a *Area) Scratch() string { return filepath.Join(a.dir, "scratch") }

// Path returns the file that holds the bytes of a content.
func (a *Area) Path(sum string) string { return filepath.Join(a.dir, "deliveries", sum[:2], sum) }

// RunDir returns the folder of a run's files.
func (a *Area) RunDir(run string) string { return filepath.Join(a.dir, "runs", run) }

// Taken is a content in the area.
type Taken struct {
	Bytes  int64
	SHA256 string
	IsNew  bool // it was not there before
}

// TooLarge says that a delivery has more bytes than are taken.
type TooLarge struct{ Most int64 }

func (t *TooLarge) Error() string {
	return fmt.Sprintf("the file is larger than %d MiB, the most that this service takes; split it, or raise "+
		"--max-upload", t.Most>>20)
}

// Take stores what r yields, most bytes at the most (0 for any number). Where r
// fails or ctx ends before its end, nothing is left behind. Bytes that are
// there already are stored in their own place again, which mends them where the
// disk has damaged them. What was taken is to be let go.
func (a *Area) Take(ctx context.Context, r io.Reader, most int64) (t Taken, err error) {
	f, err := os.CreateTemp(filepath.Join(a.dir, "arriving"), "delivery-*")
	if err != nil {
		return t, fault.Writing(err, "storing a delivery")
	}
	defer func() {
		f.Close() // no loss: keep has synced it
		if err != nil {
			os.Remove(f.Name())
		}
	}()
	if most > 0 {
		r = io.LimitReader(r, most+1)
	}
	h := sha256.New()
	if t.Bytes, err = fault.Copy(io.MultiWriter(f, h), fault.Until(ctx, r), "storing a delivery"); err != nil {
		return t, err
	}
	if most > 0 && t.Bytes > most {
		return t, &TooLarge{most}
	}
	t.SHA256 = hex.EncodeToString(h.Sum(nil))
	a.mu.Lock()
	defer a.mu.Unlock()
	path := a.Path(t.SHA256)
	_, err = os.Stat(path)
	t.IsNew = err != nil
	if err := a.keep(f, path); err != nil {
		return t, fault.Writing(err, "storing a delivery")
	}
	a.held[t.SHA256]++
	return t, nil
}

// LetGo ends the hold on what was taken. Where it is not to be kept, since it was
// not recorded, its bytes go, unless they were there before or another holds them.
func (a *Area) LetGo(t Taken, keep bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.held[t.SHA256]--; a.held[t.SHA256] > 0 {
		return
	}
	delete(a.held, t.SHA256)
	if t.IsNew && !keep {
		_ = os.Remove(a.Path(t.SHA256)) // what stays is swept at the next start
	}
}

// Remove removes the files of runs, and a content unless it is being recorded, or known
// says that deliveries of it are recorded.
func (a *Area) Remove(sum string, runs []string, known func(sum string) (bool, error)) error {
	var errs []error
	for _, run := range runs {
		errs = append(errs, os.RemoveAll(a.RunDir(run)))
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	isKnown, err := known(sum)
	if err == nil && !isKnown && a.held[sum] == 0 {
		if err = os.Remove(a.Path(sum)); errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
	}
	return errors.Join(append(errs, err)...)
}

// keep gives a whole file its place, where it never changes.
func (a *Area) keep(f *os.File, path string) error {
	if err := f.Sync(); err != nil {
		return err
	}
	if err := f.Chmod(0o400); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	if err := os.Rename(f.Name(), path); err != nil {
		return err
	}
	return syncDir(filepath.Dir(path))
}

// Sweep removes contents and files of runs that no record knows, as a service
// leaves them that was killed between storing and recording. The two functions
// tell which of some are known; it returns how many of each were removed.
func (a *Area) Sweep(deliveries, runs func(names []string) (known []string, err error)) (contents, folders int,
	err error) {
	groups, err := os.ReadDir(filepath.Join(a.dir, "deliveries"))
	if err != nil {
		return 0, 0, err
	}
	for _, g := range groups {
		if !g.IsDir() {
			continue // nobody's, and no content
		}
		n, err := sweep(filepath.Join(a.dir, "deliveries", g.Name()), deliveries)
		if contents += n; err != nil {
			return contents, 0, err
		}
	}
	folders, err = sweep(filepath.Join(a.dir, "runs"), runs)
	return contents, folders, err
}

func sweep(dir string, known func([]string) ([]string, error)) (removed int, err error) {
	const together = 1000
	entries, err := os.ReadDir(dir)
	if err != nil {
		return 0, err
	}
	for part := range slices.Chunk(entries, together) {
		var names []string
		for _, e := range part {
			names = append(names, e.Name())
		}
		keep, err := known(names)
		if err != nil {
			return removed, err
		}
		for _, name := range names {
			if slices.Contains(keep, name) {
				continue
			}
			if err := os.RemoveAll(filepath.Join(dir, name)); err != nil {
				return removed, err
			}
			removed++
		}
	}
	return removed, nil
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// CheckName says what is wrong with a delivery's name.
func CheckName(name string) error {
	switch {
	case name == "":
		return errors.New("the delivery has no name: give the file's name")
	case len(name) > 255:
		return fmt.Errorf("the name is %d bytes long; at most 255 are kept", len(name))
	case !utf8.ValidString(name) || strings.ContainsFunc(name, isUnseen):
		return fmt.Errorf("the name %+q holds characters that cannot be seen or that turn the direction of writing; "+
			"rename the file", name)
	case name == "." || name == "..":
		return fmt.Errorf("%q names a folder; give the file's name", name)
	case strings.ContainsAny(name, `/\`):
		return fmt.Errorf("the name %q holds a folder; give the file's name alone", name)
	}
	return nil
}

// isUnseen reports whether a character has no shape of its own and moves what
// stands around it: control characters, direction marks, line and paragraph
// separators.
func isUnseen(r rune) bool {
	return unicode.In(r, unicode.Cc, unicode.Bidi_Control, unicode.Zl, unicode.Zp)
}

// Conceal writes an error without the paths of the area: a content is named as
// the delivery that it is of.
func (a *Area) Conceal(err error, sum, name string) string {
	text := err.Error()
	if sum != "" {
		text = strings.ReplaceAll(text, a.Path(sum), name)
	}
	return strings.ReplaceAll(strings.ReplaceAll(text, a.dir+string(filepath.Separator), ""), a.dir, "the data folder")
}
