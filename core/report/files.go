// Package report writes what a run gives: the accepted rows, the rejected
// rows, the violations, and the manifest that proves the run.
//
// All files of a run appear together and complete, or not at all: they are
// written under temporary names, synced, and renamed, the manifest last. The manifest of an earlier
// run goes before the first of its files does, so that none ever proves files of another run.
package report

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"sieb/core/fault"
	"sieb/core/outcome"
	"sieb/core/source"
)

// The names of the files that a run proves.
const (
	AcceptedName   = "accepted.csv"
	RejectedName   = "rejected.csv"
	ExcludedName   = "excluded.csv"
	ViolationsName = "violations.csv"
	ManifestName   = "manifest.json"
)

// folder is where the files of a run go. The zero folder is none.
type folder struct {
	dir      string
	delivery *source.File // over which nothing is written
	lock     *os.File     // the folder, locked against a second run
	madeDir  bool
	sha256   bool // the files are proved so, too
}

// create makes the folder, where it is missing.
//
// The folder itself is locked before any file is opened: a second run never
// comes near the files of a first, before or after they take their names.
func create(dir string, delivery *source.File) (*folder, error) {
	s := &folder{dir: dir, delivery: delivery}
	if _, err := os.Stat(dir); errors.Is(err, fs.ErrNotExist) {
		s.madeDir = true
	}
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return nil, fault.Writing(err, fmt.Sprintf("making the folder %s for the outputs", dir))
	}
	var err error
	if s.lock, err = lockFolder(dir); err != nil {
		return nil, err
	}
	return s, nil
}

// lockFolder takes a folder for one run; the lock ends with the process.
func lockFolder(dir string) (*os.File, error) {
	lock, err := os.OpenFile(dir, os.O_RDONLY|syscall.O_DIRECTORY, 0)
	if err != nil {
		return nil, fmt.Errorf("%s is no folder for outputs: %w", dir, fault.Cause(err))
	}
	err = syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
	if err == nil {
		return lock, nil
	}
	lock.Close()
	if errors.Is(err, syscall.EWOULDBLOCK) {
		return nil, fmt.Errorf("another run is writing to %s; wait for its end, or choose another folder", dir)
	}
	return nil, fmt.Errorf("the folder %s cannot be locked against a second run (%w); choose one on another disk", dir,
		err)
}

// isFree reports as an error what keeps a file from taking a name.
func (s *folder) isFree(name string) error {
	path := filepath.Join(s.dir, name)
	switch old, err := os.Lstat(path); {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return fmt.Errorf("%s cannot be looked at: %w", path, fault.Cause(err))
	case old.IsDir():
		return fmt.Errorf("%s is a folder, so that no output can take that name; remove it, or choose another folder", path)
	}
	return nil
}

// What may fail when files take their names; a test makes each of them fail.
var (
	rename     = os.Rename
	remove     = os.Remove
	syncFolder = func(dir string) error {
		d, err := os.Open(dir)
		if err != nil {
			return err
		}
		return errors.Join(d.Sync(), d.Close())
	}
)

// commit lets appear what was prepared, and then the manifest of this text.
func (s *folder) commit(ctx context.Context, prepared []outcome.Destination, written []outcome.Proof,
	manifest []byte) error {
	last := s.file(ManifestName)
	defer last.Abort()
	if err := last.Begin(ctx, nil); err != nil {
		return err
	}
	if _, err := last.Write(manifest); err != nil {
		return err
	}
	if _, err := last.Prepare(); err != nil {
		return err
	}
	stale := s.stale(written)
	switch err := remove(filepath.Join(s.dir, ManifestName)); {
	case err == nil:
		err = syncFolder(s.dir)
		if err != nil {
			return fault.Writing(err, "taking the manifest of an earlier run away in "+s.dir)
		}
	case !errors.Is(err, fs.ErrNotExist):
		return fault.Writing(err, "taking the manifest of an earlier run away in "+s.dir)
	}
	for _, name := range stale {
		if err := remove(filepath.Join(s.dir, name)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fault.Writing(err, "taking "+name+" of an earlier run away in "+s.dir)
		}
	}
	for _, to := range prepared {
		if err := to.Commit(); err != nil {
			return err
		}
	}
	if err := last.Commit(); err != nil {
		return err
	}
	return fault.Writing(syncFolder(s.dir), "keeping the names of the files in "+s.dir)
}

// stale returns the files with accepted rows that an earlier run has written to the folder, as its manifest says, and that
// this one does not write: beside the others they would be taken for its own.
func (s *folder) stale(written []outcome.Proof) (names []string) {
	text, err := os.ReadFile(filepath.Join(s.dir, ManifestName))
	var earlier Manifest
	if err != nil || json.Unmarshal(text, &earlier) != nil {
		return nil
	}
	for _, o := range earlier.Outputs {
		if strings.HasPrefix(o.Name, "accepted") && filepath.Base(o.Name) == o.Name &&
			!slices.ContainsFunc(written, func(p outcome.Proof) bool { return p.Name == o.Name }) {
			names = append(names, o.Name)
		}
	}
	return names
}

// close ends the use of the folder; where it was made for nothing it goes.
func (s *folder) close() {
	if s.madeDir {
		os.Remove(s.dir) // fails where there is a file in it
	}
	if s.lock != nil {
		s.lock.Close() // no loss: the lock is empty
	}
}
