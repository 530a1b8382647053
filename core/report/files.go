// Package report writes what a run gives: the accepted rows, the rejected
// rows, the violations, and the manifest that proves the run.
//
// All files of a run appear together and complete, or not at all: they are
// written under temporary names, synced, and renamed, the manifest last.
package report

import (
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"

	"github.com/zeebo/blake3"
)

// The names of the files.
const (
	AcceptedName   = "accepted.csv"
	RejectedName   = "rejected.csv"
	ViolationsName = "violations.csv"
	ManifestName   = "manifest.json"
)

// files is the set of files of one run, and a sift.Sink. The zero files
// throws everything away.
type files struct {
	dir     string
	madeDir bool
	outputs [3]*output // accepted, rejected, violations
}

// output is one file that is being written.
type output struct {
	name   string
	f      *os.File
	hash   *blake3.Hasher
	bytes  int64
	small  []byte // writes gathered until they are worth a system call
	synced int64
}

const (
	gather    = 64 << 10
	writeback = 32 << 20
)

func create(dir string) (*files, error) {
	s := &files{dir: dir}
	if _, err := os.Stat(dir); errors.Is(err, fs.ErrNotExist) {
		s.madeDir = true
	}
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return nil, fmt.Errorf("the folder %s for the outputs cannot be made: %w", dir, err)
	}
	for i, name := range []string{AcceptedName, RejectedName, ViolationsName} {
		o, err := newOutput(dir, name)
		if err != nil {
			s.abort()
			return nil, err
		}
		s.outputs[i] = o
	}
	return s, nil
}

// newOutput opens a file under its temporary name, which is always the same: what
// a run that was killed left there is written over, and a lock keeps two runs
// from writing to one folder.
func newOutput(dir, name string) (*output, error) {
	f, err := os.OpenFile(filepath.Join(dir, "."+name+".partial"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, fmt.Errorf("the outputs cannot be written to %s: %w", dir, err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("another run is writing to %s; wait for its end, or choose another folder", dir)
	}
	if err := f.Truncate(0); err != nil {
		f.Close()
		return nil, fmt.Errorf("the outputs cannot be written to %s: %w", dir, err)
	}
	return &output{name: name, f: f, hash: blake3.New()}, nil
}

func (o *output) write(text []byte) error {
	if o == nil {
		return nil
	}
	if len(o.small)+len(text) < gather {
		o.small = append(o.small, text...)
		return nil
	}
	if err := o.flush(); err != nil || len(text) < gather {
		o.small = append(o.small, text...)
		return err
	}
	return o.put(text)
}

func (o *output) flush() error {
	err := o.put(o.small)
	o.small = o.small[:0]
	return err
}

func (o *output) put(text []byte) error {
	if len(text) == 0 {
		return nil
	}
	n, err := o.f.Write(text)
	o.hash.Write(text[:n])
	o.bytes += int64(n)
	if o.bytes-o.synced >= writeback {
		startWriteback(o.f, o.synced, o.bytes-o.synced)
		o.synced = o.bytes
	}
	if err != nil {
		return fmt.Errorf("writing %s: %w", o.name, err)
	}
	return nil
}

// Accepted, Rejected and Violations take the texts of a run.
func (s *files) Accepted(text []byte) error   { return s.outputs[0].write(text) }
func (s *files) Rejected(text []byte) error   { return s.outputs[1].write(text) }
func (s *files) Violations(text []byte) error { return s.outputs[2].write(text) }

// commit makes the files appear. manifest is called when all of them are on
// disk, and its text is written last.
func (s *files) commit(manifest func([]Output) ([]byte, error)) error {
	written := make([]Output, 0, len(s.outputs))
	for _, o := range s.outputs {
		if err := o.flush(); err != nil {
			return err
		}
		if err := o.f.Sync(); err != nil {
			return fmt.Errorf("writing %s: %w", o.name, err)
		}
		written = append(written, Output{o.name, o.bytes, hex.EncodeToString(o.hash.Sum(nil))})
	}
	text, err := manifest(written)
	if err != nil {
		return err
	}
	last, err := newOutput(s.dir, ManifestName)
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
	if err := last.f.Sync(); err != nil {
		return err
	}
	for _, o := range all {
		if err := os.Rename(o.f.Name(), filepath.Join(s.dir, o.name)); err != nil {
			return fmt.Errorf("%s cannot take its name: %w", o.name, err)
		}
		o.name = ""
	}
	d, err := os.Open(s.dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// close closes the file, and removes it where it has not taken its name.
func (o *output) close() {
	if o == nil || o.f == nil {
		return
	}
	o.f.Close()
	if o.name != "" {
		os.Remove(o.f.Name())
	}
	o.f = nil
}

// abort leaves nothing behind.
func (s *files) abort() {
	for _, o := range s.outputs {
		o.close()
	}
	if s.madeDir {
		os.Remove(s.dir) // fails where somebody else has put a file there
	}
}
