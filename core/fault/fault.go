// Package fault names what goes wrong around the work rather than in a
// delivery: a defect of the program itself, and a disk that takes no more.
//
// It knows neither rows nor files; those who do say where the work was.
package fault

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"runtime/debug"
	"syscall"
)

// Crash is a panic that was caught. The work in which it happened has failed;
// all other work goes on.
type Crash struct {
	Doing string // what was being done, with its place: "judging lines 12 to 480"
	Value any    // of the panic
	Stack []byte
}

func (c *Crash) Error() string {
	return fmt.Sprintf("Sieb itself failed while %s (%v); this is a defect of the program, not of the delivery: "+
		"please report it with this sentence", c.Doing, c.Value)
}

// Recover turns a panic of the function that defers it into an error of type
// *Crash:
//
//	defer fault.Recover(&err, func() string { return "judging lines 12 to 480" })
//
// doing is called only after a panic.
func Recover(err *error, doing func() string) {
	if v := recover(); v != nil {
		*err = &Crash{doing(), v, debug.Stack()}
	}
}

// Disk is a disk that could not take what was to be written.
type Disk struct {
	Doing string // "writing accepted.csv to sifted"
	Err   error
}

func (d *Disk) Error() string {
	switch {
	case errors.Is(d.Err, syscall.EROFS):
		return "the disk is read-only: " + d.Doing + " failed; make it writable, or choose another folder"
	case errors.Is(d.Err, syscall.EFBIG):
		return "the file grew larger than this disk or user may have: " + d.Doing + " failed; choose another folder"
	case errors.Is(d.Err, syscall.EDQUOT):
		return "the disk quota is used up: " + d.Doing + " failed; make room, then do it again"
	}
	return "the disk is full: " + d.Doing + " failed; make room, then do it again"
}

// Unwrap returns what the system said.
func (d *Disk) Unwrap() error { return d.Err }

// Writing says what a failed write was about: a full, exhausted or read-only
// disk is a *Disk, any other error keeps its words. It returns nil for nil.
func Writing(err error, doing string) error {
	switch {
	case err == nil:
		return nil
	case IsDisk(err):
		return &Disk{doing, err}
	}
	return fmt.Errorf("%s failed: %w", doing, Cause(err))
}

// Cause strips the operation and the paths that package os puts before an error.
func Cause(err error) error {
	var path *fs.PathError
	var link *os.LinkError
	switch {
	case errors.As(err, &path):
		return path.Err
	case errors.As(err, &link):
		return link.Err
	}
	return err
}

// Copy copies src to dst and returns how many bytes it wrote. What goes wrong in
// writing is said as Writing does; an error in reading is returned as it is.
func Copy(dst io.Writer, src io.Reader, doing string) (n int64, err error) {
	buf := make([]byte, 1<<20)
	for {
		k, read := src.Read(buf)
		if _, err := dst.Write(buf[:k]); err != nil {
			return n, Writing(err, doing)
		}
		if n += int64(k); read == io.EOF {
			return n, nil
		} else if read != nil {
			return n, read
		}
	}
}

// Until returns a reader of r that ends with ctx, with the error of ctx.
func Until(ctx context.Context, r io.Reader) io.Reader { return &until{ctx, r} }

type until struct {
	ctx context.Context
	r   io.Reader
}

func (u *until) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p)
}

// IsDisk reports whether an error says that the disk takes no more.
func IsDisk(err error) bool {
	for _, no := range []syscall.Errno{syscall.ENOSPC, syscall.EDQUOT, syscall.EROFS, syscall.EFBIG} {
		if errors.Is(err, no) {
			return true
		}
	}
	return false
}
