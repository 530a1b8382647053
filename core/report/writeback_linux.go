package report

import (
	"os"

	"golang.org/x/sys/unix"
)

// startWriteback asks the kernel to begin writing to disk, so that the sync at
// the end of a large output has little left to wait for. It is only a hint.
func startWriteback(f *os.File, from, n int64) {
	_ = unix.SyncFileRange(int(f.Fd()), from, n, unix.SYNC_FILE_RANGE_WRITE)
}
