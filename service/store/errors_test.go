package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"

	"sieb/core/fault"
	"sieb/service/store"
)

// What a file fails with is no database that is away, whatever the methods of the system's numbers.
func TestIsAway(t *testing.T) {
	file := func(n error) error { return &fs.PathError{Op: "write", Path: "a", Err: n} }
	for _, err := range []error{syscall.ENOSPC, syscall.ENOENT, syscall.EACCES, syscall.EIO, file(syscall.ENOSPC),
		file(syscall.ENOENT), file(syscall.EAGAIN), &os.LinkError{Op: "rename", Err: syscall.EXDEV},
		&fault.Disk{Doing: "writing", Err: file(syscall.ENOSPC)}, fmt.Errorf("sifting: %w", file(io.ErrUnexpectedEOF)),
		errors.New("a rule is broken"), nil, &pgconn.PgError{Code: "23505"}, context.Canceled} {
		assert.False(t, store.IsAway(err), "%v", err)
	}
	for _, err := range []error{&net.OpError{Op: "dial", Err: syscall.ECONNREFUSED},
		fmt.Errorf("asking: %w", &net.OpError{Op: "read", Err: os.NewSyscallError("read", syscall.ECONNRESET)}),
		&net.DNSError{}, io.EOF, io.ErrUnexpectedEOF, net.ErrClosed, context.DeadlineExceeded,
		&pgconn.PgError{Code: "57P01"}, &pgconn.PgError{Code: "53100"}, &pgconn.PgError{Code: "40001"}} {
		assert.True(t, store.IsAway(err), "%v", err)
	}
}
