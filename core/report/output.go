package report

import (
	"encoding/hex"
	"fmt"
	"hash"
	"io"
	"os"
	"sync"

	"github.com/zeebo/blake3"

	"sieb/core/fault"
)

// output is one file that is being written. What is handed to it is gathered; a goroutine of its own
// hashes and writes what was gathered, so that whoever puts rows in order waits for neither.
//
// gathered is the writer's; everything else belongs to the goroutine as long as something is pending.
type output struct {
	name     string
	dir      string
	f        *os.File
	hash     *blake3.Hasher
	sha256   hash.Hash // nil where it was not asked for
	bytes    int64
	synced   int64
	failed   error
	gathered []byte

	full, empty chan []byte // to the goroutine and back; nil before there is one
	pending     sync.WaitGroup
	errs        chan error // the first failure, while others are pending
}

const (
	gather    = 256 << 10
	buffers   = 3
	writeback = 4 << 20
)

// write takes text. A failure may be told at a later call, or by flush.
func (o *output) write(text []byte) error {
	if o == nil {
		return nil
	}
	for len(text) > 0 {
		if o.gathered == nil {
			o.gathered = make([]byte, 0, gather)
		}
		n := min(len(text), gather-len(o.gathered))
		o.gathered, text = append(o.gathered, text[:n]...), text[n:]
		if len(o.gathered) == gather {
			if err := o.hand(); err != nil {
				return err
			}
		}
	}
	return nil
}

// hand gives what was gathered to the goroutine.
func (o *output) hand() error {
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
func (o *output) work(full <-chan []byte, empty chan<- []byte) {
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
func (o *output) put(text []byte) error {
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
func (o *output) flush() error {
	o.pending.Wait()
	if o.failed != nil {
		return o.failed
	}
	o.failed = o.put(o.gathered)
	o.gathered = o.gathered[:0]
	return o.failed
}

// restart empties the file.
func (o *output) restart() error {
	if o == nil {
		return nil
	}
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
	o.bytes, o.synced, o.gathered = 0, 0, o.gathered[:0]
	return nil
}

func (o *output) sync() error { return fault.Writing(o.f.Sync(), o.doing()) }

func (o *output) doing() string { return fmt.Sprintf("writing %s to %s", o.name, o.dir) }

// proof is what the manifest says of a file that is on the disk.
func (o *output) proof() Output {
	proof := Output{Name: o.name, Bytes: o.bytes, BLAKE3: hex.EncodeToString(o.hash.Sum(nil))}
	if o.sha256 != nil {
		proof.SHA256 = hex.EncodeToString(o.sha256.Sum(nil))
	}
	return proof
}

// close closes the file, and removes it where it has not taken its name.
func (o *output) close() {
	if o == nil || o.f == nil {
		return
	}
	if o.full != nil {
		close(o.full)
		o.pending.Wait()
	}
	o.f.Close()
	if o.name != "" {
		os.Remove(o.f.Name())
	}
	o.f = nil
}
