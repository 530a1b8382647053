// Package staging keeps the bytes of deliveries as they arrive, once per
// content, and the files that runs write beside them.
//
// It knows folders and bytes. Which deliveries there are stands in the store.
package staging

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"unicode"
	"unicode/utf8"
)

// Area is the staging area: a folder that belongs to one service.
type Area struct {
	dir  string
	lock *os.File
}

// Open makes the area's folders, takes possession of them, and clears away
// what interrupted arrivals left.
func Open(dir string) (*Area, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	a := &Area{dir: dir}
	for _, sub := range []string{"deliveries", "arriving", "runs"} {
		if err := os.MkdirAll(filepath.Join(dir, sub), 0o755); err != nil {
			return nil, fmt.Errorf("the data folder %s cannot be used: %w", dir, err)
		}
	}
	if a.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644); err != nil {
		return nil, err
	}
	// The lock ends with the process, however it ends.
	if err := syscall.Flock(int(a.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		a.lock.Close()
		return nil, fmt.Errorf("the data folder %s belongs to a service that is running; stop it, or choose another with --data", dir)
	}
	left, err := os.ReadDir(filepath.Join(dir, "arriving"))
	if err != nil {
		return nil, err
	}
	for _, f := range left {
		if err := os.Remove(filepath.Join(dir, "arriving", f.Name())); err != nil {
			return nil, err
		}
	}
	return a, nil
}

// Close gives the area back.
func (a *Area) Close() error { return a.lock.Close() }

// Path gives the file that holds the bytes of a content.
func (a *Area) Path(sum string) string { return filepath.Join(a.dir, "deliveries", sum[:2], sum) }

// RunDir gives the folder of a run's files.
func (a *Area) RunDir(run string) string { return filepath.Join(a.dir, "runs", run) }

// Take stores what r yields and gives its size and SHA-256. Where r fails or
// ctx ends before its end, nothing is left behind. Bytes that are there
// already are not stored again.
func (a *Area) Take(ctx context.Context, r io.Reader) (bytes int64, sum string, err error) {
	f, err := os.CreateTemp(filepath.Join(a.dir, "arriving"), "delivery-*")
	if err != nil {
		return 0, "", err
	}
	defer func() {
		f.Close()
		if err != nil {
			os.Remove(f.Name())
		}
	}()
	h := sha256.New()
	bytes, err = io.CopyBuffer(io.MultiWriter(f, h), &untilDone{ctx, r}, make([]byte, 1<<20))
	if err != nil {
		return 0, "", err
	}
	sum = hex.EncodeToString(h.Sum(nil))
	path := a.Path(sum)
	if _, err := os.Stat(path); err == nil {
		return bytes, sum, os.Remove(f.Name())
	}
	if err = f.Sync(); err != nil {
		return 0, "", err
	}
	if err = f.Chmod(0o444); err != nil {
		return 0, "", err
	}
	if err = os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return 0, "", err
	}
	if err = os.Rename(f.Name(), path); err != nil {
		return 0, "", err
	}
	return bytes, sum, syncDir(filepath.Dir(path))
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// untilDone stops reading when its context ends.
type untilDone struct {
	ctx context.Context
	r   io.Reader
}

func (u *untilDone) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p)
}

// CheckName says what is wrong with a delivery's name.
func CheckName(name string) error {
	switch {
	case name == "":
		return errors.New("the delivery has no name: give the file's name")
	case len(name) > 255:
		return fmt.Errorf("the name is %d bytes long; at most 255 are kept", len(name))
	case !utf8.ValidString(name) || strings.ContainsFunc(name, unicode.IsControl):
		return errors.New("the name holds characters that cannot be shown")
	case strings.ContainsAny(name, `/\`):
		return fmt.Errorf("the name %q holds a folder; give the file's name alone", name)
	}
	return nil
}

// Rename puts a delivery's name where an error names the file in the area.
func Rename(err error, path, name string) error {
	return errors.New(strings.ReplaceAll(err.Error(), path, name))
}
