package fault_test

import (
	"errors"
	"io/fs"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
)

func TestRecover(t *testing.T) {
	work := func(k int) (err error) {
		defer fault.Recover(&err, func() string { return "judging lines 12 to 480" })
		return []error{nil, errors.New("said")}[k]
	}
	require.NoError(t, work(0))
	assert.EqualError(t, work(1), "said")
	err := work(2)
	var crash *fault.Crash
	require.ErrorAs(t, err, &crash)
	assert.ErrorContains(t, err, "failed while judging lines 12 to 480 (runtime error: index out of range [2] with "+
		"length 2)")
	assert.Contains(t, string(crash.Stack), "fault_test.go", "the place of the panic is known")
}

func TestWriting(t *testing.T) {
	for errno, words := range map[syscall.Errno]string{
		syscall.ENOSPC: "the disk is full: ",
		syscall.EDQUOT: "the disk quota is used up: ",
		syscall.EROFS:  "the disk is read-only: ",
		syscall.EFBIG:  "the file grew larger ",
	} {
		err := fault.Writing(&fs.PathError{Op: "write", Path: "/data/.accepted.csv.partial", Err: errno},
			"writing accepted.csv")
		assert.ErrorContains(t, err, words)
		assert.ErrorContains(t, err, "writing accepted.csv failed")
		assert.ErrorIs(t, err, errno)
		assert.NotContains(t, err.Error(), "partial", "the words say what was being done, not in which file")
	}
	other := fault.Writing(fs.ErrPermission, "writing accepted.csv")
	assert.EqualError(t, other, "writing accepted.csv failed: permission denied")
	assert.False(t, fault.IsDisk(other))
	assert.NoError(t, fault.Writing(nil, "anything"))
}
