// Package spill keeps more than memory is meant to hold in a file without a name: bytes in
// parts, each part written in order and read back as a whole. The file goes when it is closed,
// and with the process, however that ends.
//
// It knows nothing of what the bytes mean. Whoever fills it chooses the parts so that each of
// them fits in memory.
package spill

import (
	"errors"
	"io"
	"os"
	"sync"

	"sieb/core/fault"
)

// held is how many bytes of a part are gathered before they are written.
const held = 16 << 10

// File is what was spilt. It is made by New, and serves any number of goroutines.
type File struct {
	temporary func() (*os.File, error)
	doing     string

	mu    sync.Mutex
	file  *os.File
	at    int64
	parts []part
}

type part struct {
	spans []span
	held  []byte
}

type span struct {
	at   int64
	size int
}

// New returns a File of so many parts. temporary makes a file without a name; doing says what is
// kept, for the error of a disk that is full.
func New(parts int, temporary func() (*os.File, error), doing string) *File {
	return &File{temporary: temporary, doing: doing, parts: make([]part, parts)}
}

// Add appends to a part. Small pieces are gathered.
func (f *File) Add(to int, text []byte) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	p := &f.parts[to]
	if len(p.held)+len(text) <= held {
		p.held = append(p.held, text...)
		return nil
	}
	if err := f.write(p, p.held); err != nil {
		return err
	}
	p.held = p.held[:0]
	if len(text) > held {
		return f.write(p, text)
	}
	p.held = append(p.held, text...)
	return nil
}

// write appends to the file.
func (f *File) write(p *part, text []byte) (err error) {
	if len(text) == 0 {
		return nil
	}
	if f.file == nil {
		if f.file, err = f.temporary(); err != nil {
			return err
		}
	}
	if _, err := f.file.WriteAt(text, f.at); err != nil {
		return fault.Writing(err, f.doing)
	}
	if n := len(p.spans); n > 0 && p.spans[n-1].at+int64(p.spans[n-1].size) == f.at {
		p.spans[n-1].size += len(text)
	} else {
		p.spans = append(p.spans, span{f.at, len(text)})
	}
	f.at += int64(len(text))
	return nil
}

// fill reads so many bytes from a place in the file. They are there: it ends before them only where
// something is wrong.
func (f *File) fill(piece []byte, at int64) error {
	_, err := f.file.ReadAt(piece, at)
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

// Read appends all of a part to dst.
func (f *File) Read(dst []byte, of int) ([]byte, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	p := &f.parts[of]
	for _, s := range p.spans {
		n := len(dst)
		dst = append(dst, make([]byte, s.size)...)
		if err := f.fill(dst[n:], s.at); err != nil {
			return dst[:n], err
		}
	}
	return append(dst, p.held...), nil
}

// Size returns how many bytes a part has.
func (f *File) Size(of int) (n int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, s := range f.parts[of].spans {
		n += int64(s.size)
	}
	return n + int64(len(f.parts[of].held))
}

// Each hands a part over in order, in pieces of at most so many bytes, which are good until the next
// one. Where all that was added to the part had multiples of some number of bytes, and most is one, so
// have the pieces. Nothing may be added meanwhile.
func (f *File) Each(of, most int, each func(piece []byte)) error {
	p := &f.parts[of]
	piece := make([]byte, 0, most)
	for _, s := range p.spans {
		for at, left := s.at, s.size; left > 0; {
			piece = piece[:min(left, most)]
			if err := f.fill(piece, at); err != nil {
				return err
			}
			each(piece)
			at, left = at+int64(len(piece)), left-len(piece)
		}
	}
	for rest := p.held; len(rest) > 0; rest = rest[min(len(rest), most):] {
		each(rest[:min(len(rest), most)])
	}
	return nil
}

// Close gives the room on the disk back. Close of a nil File does nothing.
func (f *File) Close() {
	if f == nil || f.file == nil {
		return
	}
	f.file.Close() // no loss: the file has no name
	f.file = nil
}
