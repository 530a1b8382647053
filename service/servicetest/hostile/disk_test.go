package hostile_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/service/api"
	"sieb/service/servicetest"
	"sieb/service/store"
)

// full makes files end at so many bytes, as a disk does that is full, until the function is called that it
// returns. The database, a process of its own, has room.
func full(t *testing.T, at uint64) (empty func()) {
	t.Helper()
	var old syscall.Rlimit
	require.NoError(t, syscall.Getrlimit(syscall.RLIMIT_FSIZE, &old))
	require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: at, Max: old.Max}))
	empty = func() { require.NoError(t, syscall.Setrlimit(syscall.RLIMIT_FSIZE, &old)) }
	t.Cleanup(empty)
	return empty
}

// A full disk is told as that, to who uploads, and of a run that waits for room; nothing half-written is left, what
// stands stays, and the run goes on by itself when there is room.
func TestAFullDisk(t *testing.T) {
	s := servicetest.Start(t, "", nil)
	ctx := t.Context()
	rows := "no,text\n"
	for i := range 20_000 {
		rows += fmt.Sprintf("%d,%s\n", i, strings.Repeat("x", 50))
	}
	d, err := s.Client.AddDelivery(ctx, "a.csv", strings.NewReader(rows))
	require.NoError(t, err)
	before, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	before, err = s.Client.Follow(ctx, before.ID, nil)
	require.NoError(t, err)
	accepted := s.Output(t, before.ID, "accepted.csv")

	empty := full(t, 256<<10)
	_, err = s.Client.AddDelivery(ctx, "b.csv", strings.NewReader(rows+rows))
	assert.Equal(t, 507, servicetest.Status(err), "%v", err)
	assert.ErrorContains(t, err, "larger than this disk")
	assert.NotContains(t, err.Error(), s.Data)
	assert.Zero(t, servicetest.Entries(t, filepath.Join(s.Data, "arriving")))
	assert.Equal(t, 1, servicetest.Deliveries(t, s.Data))

	run, err := s.Client.StartRun(ctx, api.NewRun{Delivery: d.ID})
	require.NoError(t, err)
	servicetest.Await(t, "the run waits for room", func() bool {
		run, err = s.Client.Run(ctx, run.ID)
		require.NoError(t, err)
		return run.Trouble != nil && run.Trouble.Tries > 0
	})
	assert.Contains(t, []string{store.Waiting, store.Running}, run.State)
	assert.Contains(t, run.Trouble.Reason, "larger than this disk")
	assert.NotContains(t, run.Trouble.Reason, s.Data)
	assert.Equal(t, accepted, s.Output(t, before.ID, "accepted.csv"), "what stands stays")

	empty()
	run, err = s.Client.Follow(ctx, run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, store.Done, run.State)
	assert.Equal(t, accepted, s.Output(t, run.ID, "accepted.csv"))
	files, err := os.ReadDir(filepath.Join(s.Data, "runs", run.ID))
	require.NoError(t, err)
	for _, f := range files {
		assert.NotContains(t, f.Name(), ".partial")
	}
}
