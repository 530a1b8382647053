package jobs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/riverqueue/river/rivertype"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
	"sieb/service/localpg/pgtest"
	"sieb/service/staging"
	"sieb/service/store"
)

// bench is a queue that takes no work by itself, over real records.
func bench(t *testing.T) *Queue {
	t.Helper()
	quiet := slog.New(slog.DiscardHandler)
	data := pgtest.Folder(t)
	db := pgtest.Start(t, filepath.Join(data, "postgres"))
	records, err := store.Open(t.Context(), db.URL())
	require.NoError(t, err)
	t.Cleanup(records.Close)
	area, err := staging.Open(data)
	require.NoError(t, err)
	t.Cleanup(func() { area.Close() })
	return &Queue{Config: Config{Store: records, Area: area, RetryFor: time.Hour, Log: quiet}, id: "this",
		active: map[int64]bool{}}
}

// order records a run or a profile with a job that nobody works.
func (q *Queue) order(t *testing.T, w store.Work) string {
	t.Helper()
	d, _, err := q.Store.AddDelivery(t.Context(), store.Arrival{Name: "a.csv", Bytes: 1,
		SHA256: strings.Repeat("ab", 32)})
	require.NoError(t, err)
	lastJob++
	enqueue := func(pgx.Tx, string) (int64, error) { return lastJob, nil }
	if w == store.Profiles {
		p, err := q.Store.AddProfile(t.Context(), d.ID, nil, 0, enqueue)
		require.NoError(t, err)
		return p.ID
	}
	r, err := q.Store.AddRun(t.Context(), store.NewRun{Delivery: d.ID}, enqueue)
	require.NoError(t, err)
	return r.ID
}

var lastJob int64

// state returns how an order stands.
func (q *Queue) state(t *testing.T, w store.Work, id string) (state, why string, trouble store.Trouble) {
	t.Helper()
	if w == store.Profiles {
		p, err := q.Store.Profile(t.Context(), id)
		require.NoError(t, err)
		return p.State, p.Error.String, p.Trouble
	}
	r, err := q.Store.Run(t.Context(), id)
	require.NoError(t, err)
	return r.State, r.Error.String, r.Trouble
}

func snoozed(err error) (time.Duration, bool) {
	var snooze *rivertype.JobSnoozeError
	if errors.As(err, &snooze) {
		return snooze.Duration, true
	}
	return 0, false
}

// What breaks work off either passes, and the work waits and comes again, or it does
// not, and the work has failed at once, with its reason.
func TestWhatBecomesOfTrouble(t *testing.T) {
	q := bench(t)
	said := func(code string) error {
		return fmt.Errorf("recording: %w", &pgconn.PgError{Code: code, Message: "the server says " + code})
	}
	_, refused := pgx.Connect(t.Context(), "postgres://127.0.0.1:1/none")
	require.Error(t, refused)
	for _, c := range []struct {
		what   string
		err    error
		passes bool
	}{
		{"a refused connection", refused, true},
		{"a server that stops", said("57P01"), true},
		{"a server that starts", said("57P03"), true},
		{"too many connections", said("53300"), true},
		{"a full disk of the server", said("53100"), true},
		{"a lost connection", said("08006"), true},
		{"a deadlock", said("40P01"), true},
		{"a read-only server", said("25006"), true},
		{"a broken connection", io.ErrUnexpectedEOF, true},
		{"a full disk", fault.Writing(syscall.ENOSPC, "writing accepted.csv"), true},
		{"a used-up quota", fault.Writing(syscall.EDQUOT, "unpacking"), true},
		{"a read-only disk", fault.Writing(syscall.EROFS, "writing"), true},
		{"a text that no column takes", said("22P05"), false},
		{"a broken rule of the database", said("23505"), false},
		{"a wrong statement", said("42601"), false},
		{"a damaged file", errors.New("the ZIP archive is damaged"), false},
		{"a result that is no JSON", errors.New("json: unsupported value"), false},
		{"a defect of the program", errors.New("panic"), false},
	} {
		for _, w := range []store.Work{store.Runs, store.Profiles} {
			id := q.order(t, w)
			work := func(context.Context, string) error {
				if c.err.Error() == "panic" {
					panic(errors.New("index out of range"))
				}
				return c.err
			}
			err := q.attend(t.Context(), lastJob, w, id, work)
			state, why, trouble := q.state(t, w, id)
			if !c.passes {
				require.NoError(t, err, "%s: the job is done", c.what)
				assert.Equal(t, store.Failed, state, c.what)
				assert.Zero(t, trouble.Tries, c.what)
				if c.err.Error() == "panic" {
					assert.Contains(t, why, "Sieb itself failed while working (index out of range)")
				} else {
					assert.Equal(t, c.err.Error(), why)
				}
				continue
			}
			wait, is := snoozed(err)
			require.True(t, is, "%s: %v", c.what, err)
			assert.Equal(t, firstWait, wait, c.what)
			assert.Equal(t, store.Waiting, state, c.what)
			assert.Equal(t, 1, trouble.Tries, c.what)
			assert.NotEmpty(t, trouble.Reason.String)
			assert.True(t, trouble.NextTry.Valid)
		}
	}
}

// Work that is tried again waits longer each time, is done when the trouble has
// passed, and fails with its reason when it has not passed for long.
func TestRetriesEnd(t *testing.T) {
	q := bench(t)
	id := q.order(t, store.Runs)
	full := func(context.Context, string) error {
		return fault.Writing(syscall.ENOSPC, "writing accepted.csv to "+q.Area.RunDir(id))
	}
	for i, want := range []time.Duration{1, 2, 4, 8, 16, 32, 60, 60} {
		wait, is := snoozed(q.attend(t.Context(), 1, store.Runs, id, full))
		require.True(t, is)
		assert.Equal(t, want*time.Second, wait, "try %d", i+1)
	}
	state, _, trouble := q.state(t, store.Runs, id)
	assert.Equal(t, store.Waiting, state)
	assert.Equal(t, 8, trouble.Tries)
	assert.Equal(t, "the disk is full: writing accepted.csv to runs/"+id+" failed; make room, then do it again",
		trouble.Reason.String, "no path of the service's own")
	q.RetryFor = time.Nanosecond
	require.NoError(t, q.attend(t.Context(), 1, store.Runs, id, full), "the job is done")
	state, why, _ := q.state(t, store.Runs, id)
	assert.Equal(t, store.Failed, state)
	assert.Contains(t, why, "given up after 9 tries in 1ns: the disk is full")
	assert.NotContains(t, why, q.Area.Dir())

	passes := q.order(t, store.Runs)
	_, is := snoozed(q.attend(t.Context(), 2, store.Runs, passes, full))
	require.True(t, is)
	require.NoError(t, q.attend(t.Context(), 2, store.Runs, passes, func(ctx context.Context, id string) error {
		_, err := q.Store.Finish(ctx, id, "accepted", []byte(`{}`), 1, 1)
		return err
	}))
	state, _, _ = q.state(t, store.Runs, passes)
	assert.Equal(t, store.Done, state)
}

// Cancelled work has not failed, and work of a service that stops is put back.
func TestBrokenOffWork(t *testing.T) {
	q := bench(t)
	for _, w := range []store.Work{store.Runs, store.Profiles} {
		ctx, stop := context.WithCancel(t.Context())
		id := q.order(t, w)
		require.NoError(t, q.attend(ctx, 1, w, id, func(ctx context.Context, id string) error {
			_, err := q.Store.Cancel(ctx, w, id)
			require.NoError(t, err)
			stop()
			return ctx.Err()
		}))
		state, why, _ := q.state(t, w, id)
		assert.Equal(t, []string{store.Cancelled, ""}, []string{state, why})
		require.NoError(t, q.attend(t.Context(), 1, w, id, func(context.Context, string) error {
			assert.Fail(t, "work that was cancelled is not begun again")
			return nil
		}))

		ctx, stop = context.WithCancel(t.Context())
		id = q.order(t, w)
		err := q.attend(ctx, 1, w, id, func(ctx context.Context, id string) error {
			q.mu.Lock()
			q.stopping = true
			q.mu.Unlock()
			stop()
			return ctx.Err()
		})
		wait, is := snoozed(err)
		assert.True(t, is && wait == 0, "%v", err)
		state, _, _ = q.state(t, w, id)
		assert.Equal(t, store.Waiting, state)
		q.stopping = false
	}
}

// What the service dies of three times is not tried a fourth time.
func TestWorkThatEndsTheService(t *testing.T) {
	q := bench(t)
	for _, w := range []store.Work{store.Runs, store.Profiles} {
		id := q.order(t, w)
		job := lastJob
		for n := 1; n <= mostDeaths; n++ {
			_, err := q.Store.Begin(t.Context(), w, id)
			require.NoError(t, err)
			require.NoError(t, q.bury(t.Context(), w, job, "dead"))
			state, why, trouble := q.state(t, w, id)
			assert.Equal(t, n, trouble.Deaths)
			if n < mostDeaths {
				assert.Equal(t, store.Running, state)
				continue
			}
			assert.Equal(t, store.Failed, state)
			assert.Contains(t, why, "it ended the service three times")
			assert.Contains(t, why, `the file "a.csv" may`)
		}
		require.NoError(t, q.attend(t.Context(), job, w, id, func(context.Context, string) error {
			assert.Fail(t, "it is tried again")
			return nil
		}))
	}
	require.NoError(t, q.bury(t.Context(), store.Runs, 999_999, "dead"), "a job whose order is gone")
}

// Texts are made such that the database keeps them, and stay what they were.
func TestTextsAreStorable(t *testing.T) {
	q := bench(t)
	id := q.order(t, store.Runs)
	_, err := q.Store.Begin(t.Context(), store.Runs, id)
	require.NoError(t, err)
	result := []byte(`{"a":"x\u0000y","b":"\\u0000","c":"\\\u0000","d":"\"\u0000","e":"\u0001"}`)
	done, err := q.Store.Finish(t.Context(), id, "split", result, 1, 1)
	require.NoError(t, err)
	require.True(t, done)
	again, err := q.Store.Finish(t.Context(), id, "accepted", result, 2, 2)
	require.NoError(t, err)
	require.False(t, again, "what has ended does not end again")
	r, err := q.Store.Run(t.Context(), id)
	require.NoError(t, err)
	assert.JSONEq(t, `{"a":"x␀y","b":"\\u0000","c":"\\␀","d":"\"␀","e":"\u0001"}`, string(r.Result))

	id = q.order(t, store.Runs)
	require.NoError(t, q.attend(t.Context(), 1, store.Runs, id,
		func(context.Context, string) error { return errors.New("the name a\x00b\xff") }))
	_, why, _ := q.state(t, store.Runs, id)
	assert.Equal(t, "the name a␀b\uFFFD", why)
}
