package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"sync"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

// Of equal arrivals at once all but one are repeats of that one.
func TestEqualArrivalsAtOnce(t *testing.T) {
	s := open(t)
	var all sync.WaitGroup
	var mu sync.Mutex
	firsts := map[string]int{}
	for i := range 12 {
		all.Go(func() {
			d, _, err := s.AddDelivery(t.Context(), store.Arrival{Name: fmt.Sprint(i, ".csv"), Bytes: 1, SHA256: "same"})
			if assert.NoError(t, err) {
				mu.Lock()
				firsts[d.RepeatOf.String]++
				mu.Unlock()
			}
		})
	}
	all.Wait()
	assert.Equal(t, 1, firsts[""])
	assert.Len(t, firsts, 2)
	// While the first of them goes, others arrive.
	page, _, err := s.Deliveries(t.Context(), store.Wanted{}, 0, 100)
	require.NoError(t, err)
	for _, d := range page {
		all.Go(func() {
			_, _, err := s.Delete(t.Context(), d.ID)
			assert.NoError(t, err)
		})
		all.Go(func() {
			_, _, err := s.AddDelivery(t.Context(), store.Arrival{Name: "late.csv", Bytes: 1, SHA256: "same"})
			assert.NoError(t, err)
		})
	}
	all.Wait()
}
