// Package report writes what a run gives: the accepted rows, the rejected
// rows, the violations, and the manifest that proves the run.
//
// All files of a run appear together and complete, or not at all: they are
// written under temporary names, synced, and renamed, the manifest last. The manifest of an earlier
// run goes before the first of its files does, so that none ever proves files of another run.
package report

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"

	"github.com/zeebo/blake3"

	"sieb/core/fault"
	"sieb/core/source"
)

// The names of the files.
const (
	AcceptedName   = "accepted.csv"
	RejectedName   = "rejected.csv"
	ExcludedName   = "excluded.csv"
	ViolationsName = "violations.csv"
	ManifestName   = "manifest.json"
)

// files is the set of files of one run, and a sift.Sink. The zero files
// throws everything away.
type files struct {
	dir      string
	delivery *source.File // over which nothing is written
	lock     *os.File     // the folder, locked against a second run
	madeDir  bool
	guard    bool // what a spreadsheet would take for a formula
	guarded  []byte
	outputs  [4]*output // accepted, rejected, excluded, violations
}

// create makes the folder, where it is missing, and begins the files in it.
//
// The folder itself is locked before any file is opened: a second run never
// comes near the files of a first, before or after they take their names.
func create(dir string, delivery *source.File) (*files, error) {
	s := &files{dir: dir, delivery: delivery}
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
	for i, name := range []string{AcceptedName, RejectedName, ExcludedName, ViolationsName} {
		if s.outputs[i], err = s.begin(name); err != nil {
			s.abort()
			return nil, err
		}
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

// begin begins a file under its temporary name, which is always the same: what a
// run that was killed left there goes. Nothing is ever written through a link,
// and no delivery is written over by its own outputs.
func (s *files) begin(name string) (*output, error) {
	if old, err := os.Stat(filepath.Join(s.dir, name)); err == nil && s.delivery.Is(old) {
		return nil, fmt.Errorf("%s is the file that is read: its outputs would take its place; choose another "+
			"folder with --out", filepath.Join(s.dir, name))
	}
	if err := s.isFree(name); err != nil {
		return nil, err
	}
	path := filepath.Join(s.dir, "."+name+".partial")
	if left, err := os.Lstat(path); err == nil {
		if !left.Mode().IsRegular() {
			return nil, fmt.Errorf("%s is no ordinary file, so nothing is written in its place; remove it, or "+
				"choose another folder", path)
		}
		if err := os.Remove(path); err != nil {
			return nil, fault.Writing(err, "removing what an earlier run left in "+s.dir)
		}
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o644)
	if err != nil {
		return nil, fault.Writing(err, fmt.Sprintf("beginning %s in %s", name, s.dir))
	}
	return &output{name: name, dir: s.dir, f: f, hash: blake3.New()}, nil
}

// isFree reports as an error what keeps a file from taking a name.
func (s *files) isFree(name string) error {
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

// Accepted, Rejected, Excluded and Violations take the texts of a run.
func (s *files) Accepted(text []byte) error   { return s.outputs[0].write(text) }
func (s *files) Rejected(text []byte) error   { return s.outputs[1].write(s.shown(text)) }
func (s *files) Excluded(text []byte) error   { return s.outputs[2].write(s.shown(text)) }
func (s *files) Violations(text []byte) error { return s.outputs[3].write(s.shown(text)) }

// Restart empties the files.
func (s *files) Restart() error {
	for _, o := range s.outputs {
		if err := o.restart(); err != nil {
			return err
		}
	}
	return nil
}

// shown returns rows as they are written for people.
func (s *files) shown(text []byte) []byte {
	if !s.guard {
		return text
	}
	s.guarded = guardRows(s.guarded[:0], text, ',')
	return s.guarded
}

// commit makes the files appear. manifest is called when all of them are on
// disk, and its text is written last.
func (s *files) commit(manifest func([]Output) ([]byte, error)) error {
	written := make([]Output, 0, len(s.outputs))
	for _, o := range s.outputs {
		if err := o.flush(); err != nil {
			return err
		}
		if err := o.sync(); err != nil {
			return err
		}
		written = append(written, o.proof())
	}
	text, err := manifest(written)
	if err != nil {
		return err
	}
	last, err := s.begin(ManifestName)
	if err != nil {
		return err
	}
	all := append(s.outputs[:], last)
	defer func() {
		for _, o := range all {
			o.close()
		}
	}()
	if err := last.put(text); err != nil {
		return err
	}
	if err := last.sync(); err != nil {
		return err
	}
	return s.name(all)
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

// name gives the files their names, the manifest last.
func (s *files) name(all []*output) error {
	for _, o := range all {
		if err := s.isFree(o.name); err != nil {
			return err
		}
	}
	switch err := remove(filepath.Join(s.dir, ManifestName)); {
	case err == nil:
		err = syncFolder(s.dir)
		if err != nil {
			return fault.Writing(err, "taking the manifest of an earlier run away in "+s.dir)
		}
	case !errors.Is(err, fs.ErrNotExist):
		return fault.Writing(err, "taking the manifest of an earlier run away in "+s.dir)
	}
	for _, o := range all {
		if err := rename(o.f.Name(), filepath.Join(s.dir, o.name)); err != nil {
			return fault.Writing(err, fmt.Sprintf("giving %s its name in %s, where there is no manifest until this run "+
				"is done again,", o.name, s.dir))
		}
		o.name = ""
	}
	return fault.Writing(syncFolder(s.dir), "keeping the names of the files in "+s.dir)
}

// abort leaves nothing behind.
func (s *files) abort() {
	for _, o := range s.outputs {
		o.close()
	}
	if s.madeDir {
		os.Remove(s.dir) // fails where somebody else has put a file there
	}
	if s.lock != nil {
		s.lock.Close() // no loss: the lock is empty
	}
}
