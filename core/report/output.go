package report

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"sync"

	"github.com/zeebo/blake3"

	"sieb/core/fault"
	"sieb/core/outcome"
)

// file is a destination: one file of a run. What is handed to it is gathered; a goroutine of its own
// hashes and writes what was gathered, so that whoever puts rows in order waits for neither.
//
// gathered and taken are the writer's; everything else belongs to the goroutine as long as something is pending.
type file struct {
	name     string
	folder   *folder
	f        *os.File // nil before it is begun, and once it is closed
	isNamed  bool
	hash     *blake3.Hasher
	sha256   hash.Hash // nil where it was not asked for
	bytes    int64
	synced   int64
	taken    int64 // bytes that were handed to it, written or not
	failed   error
	gathered []byte

	full, empty chan []byte // to the goroutine and back; nil before there is one
	pending     sync.WaitGroup
	errs        chan error // the first failure, while others are pending
}

// file returns a file of the folder, which is still to be begun.
func (s *folder) file(name string) *file {
	o := &file{name: name, folder: s, hash: blake3.New()}
	if s.sha256 {
		o.sha256 = sha256.New()
	}
	return o
}

// Begin begins the file under its temporary name, which is always the same: what a
// run that was killed left there goes. Nothing is ever written through a link,
// and no delivery is written over by its own outputs.
func (o *file) Begin(context.Context, *outcome.Table) error {
	s, name := o.folder, o.name
	if old, err := os.Stat(filepath.Join(s.dir, name)); err == nil && s.delivery.Is(old) {
		return fmt.Errorf("%s is the file that is read: its outputs would take its place; choose another "+
			"folder with --out", filepath.Join(s.dir, name))
	}
	if err := s.isFree(name); err != nil {
		return err
	}
	path := filepath.Join(s.dir, "."+name+".partial")
	if left, err := os.Lstat(path); err == nil {
		if !left.Mode().IsRegular() {
			return fmt.Errorf("%s is no ordinary file, so nothing is written in its place; remove it, or "+
				"choose another folder", path)
		}
		if err := os.Remove(path); err != nil {
			return fault.Writing(err, "removing what an earlier run left in "+s.dir)
		}
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o644)
	if err != nil {
		return fault.Writing(err, fmt.Sprintf("beginning %s in %s", name, s.dir))
	}
	o.f = f
	return nil
}

const (
	gather    = 256 << 10
	buffers   = 3
	writeback = 4 << 20
)

// Write takes text. A failure may be told at a later call, or by Prepare.
func (o *file) Write(text []byte) (int, error) {
	size := len(text)
	o.taken += int64(size)
	for len(text) > 0 {
		if o.gathered == nil {
			o.gathered = make([]byte, 0, gather)
		}
		n := min(len(text), gather-len(o.gathered))
		o.gathered, text = append(o.gathered, text[:n]...), text[n:]
		if len(o.gathered) == gather {
			if err := o.hand(); err != nil {
				return 0, err
			}
		}
	}
	return size, nil
}

// hand gives what was gathered to the goroutine.
func (o *file) hand() error {
	if o.full == nil {
		o.full, o.empty, o.errs = make(chan []byte, buffers), make(chan []byte, buffers), make(chan error, 1)
		for range buffers - 1 {
			o.empty <- make([]byte, 0, gather)
		}
		go o.work(o.full, o.empty)
	}
	o.pending.Add(1)
	o.full <- o.gathered
	o.gathered = <-o.empty
	select {
	case err := <-o.errs:
		return err
	default:
		return nil
	}
}

// work puts what comes. After a failure it only gives the buffers back.
func (o *file) work(full <-chan []byte, empty chan<- []byte) {
	for text := range full {
		if o.failed == nil {
			if o.failed = o.put(text); o.failed != nil {
				o.errs <- o.failed
			}
		}
		empty <- text[:0]
		o.pending.Done()
	}
}

// put hashes and writes a text.
func (o *file) put(text []byte) error {
	if len(text) == 0 {
		return nil
	}
	n, err := o.f.Write(text)
	o.hash.Write(text[:n])
	if o.sha256 != nil {
		o.sha256.Write(text[:n])
	}
	o.bytes += int64(n)
	if o.bytes-o.synced >= writeback {
		startWriteback(o.f, o.synced, o.bytes-o.synced)
		o.synced = o.bytes
	}
	return fault.Writing(err, o.doing())
}

// flush waits until all that was handed on is written.
func (o *file) flush() error {
	o.pending.Wait()
	if o.failed != nil {
		return o.failed
	}
	o.failed = o.put(o.gathered)
	o.gathered = o.gathered[:0]
	return o.failed
}

// Restart empties the file.
func (o *file) Restart() error {
	o.pending.Wait()
	if o.failed != nil {
		return o.failed
	}
	if err := o.f.Truncate(0); err != nil {
		return fault.Writing(err, o.doing())
	}
	if _, err := o.f.Seek(0, io.SeekStart); err != nil {
		return fault.Writing(err, o.doing())
	}
	o.hash.Reset()
	if o.sha256 != nil {
		o.sha256.Reset()
	}
	o.bytes, o.synced, o.taken, o.gathered = 0, 0, 0, o.gathered[:0]
	return nil
}

func (o *file) doing() string { return fmt.Sprintf("writing %s to %s", o.name, o.folder.dir) }

// Prepare waits until all is on the disk.
func (o *file) Prepare() (proof outcome.Proof, err error) {
	if err := o.flush(); err != nil {
		return proof, err
	}
	if err := o.f.Sync(); err != nil {
		return proof, fault.Writing(err, o.doing())
	}
	if err := o.folder.isFree(o.name); err != nil {
		return proof, err
	}
	proof = outcome.Proof{Name: o.name, Bytes: o.bytes, BLAKE3: hex.EncodeToString(o.hash.Sum(nil))}
	if o.sha256 != nil {
		proof.SHA256 = hex.EncodeToString(o.sha256.Sum(nil))
	}
	return proof, nil
}

// Commit gives the file its name.
func (o *file) Commit() error {
	if err := rename(o.f.Name(), filepath.Join(o.folder.dir, o.name)); err != nil {
		return fault.Writing(err, fmt.Sprintf("giving %s its name in %s, where there is no manifest until this run "+
			"is done again,", o.name, o.folder.dir))
	}
	o.isNamed = true
	return nil
}

// Abort closes the file, and removes it where it has not taken its name.
func (o *file) Abort() {
	if o.f == nil {
		return
	}
	if o.full != nil {
		close(o.full)
		o.pending.Wait()
	}
	o.f.Close()
	if !o.isNamed {
		os.Remove(o.f.Name())
	}
	o.f = nil
}
