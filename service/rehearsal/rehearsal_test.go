package rehearsal_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/sift"
	"sieb/service/rehearsal"
)

// seen is what is known of a rehearsal of which so many rows were accepted.
func seen(rows int64, whole bool) rehearsal.Seen {
	return rehearsal.Seen{Result: &sift.Result{Tally: sift.Tally{Read: rows, Accepted: rows}}, IsWhole: whole, Rows: rows}
}

// in two looks: the first rows, then all.
func inTwo(ctx context.Context, tell func(rehearsal.Seen)) error {
	tell(seen(100, false))
	tell(seen(250, true))
	return nil
}

// What was counted is at hand: by whoever asks next, and as often.
func TestCountedOnce(t *testing.T) {
	var book rehearsal.Book
	defer book.Close()
	var times atomic.Int32
	work := func(ctx context.Context, tell func(rehearsal.Seen)) error {
		times.Add(1)
		return inTwo(ctx, tell)
	}
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			got, err := book.Whole(t.Context(), "a", work)
			assert.NoError(t, err)
			assert.True(t, got.IsWhole)
			assert.Equal(t, int64(250), got.Rows)
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), times.Load(), "twenty who ask at once have it counted once")
	_, err := book.Whole(t.Context(), "b", work)
	require.NoError(t, err)
	assert.Equal(t, int32(2), times.Load(), "another draft is another rehearsal")
}

// The first look is there before the whole is, and Watch tells of each.
func TestFirstLook(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var book rehearsal.Book
		defer book.Close()
		goOn := make(chan struct{})
		work := func(ctx context.Context, tell func(rehearsal.Seen)) error {
			tell(rehearsal.Seen{Bytes: 10, Rows: 5}) // counting, and nothing to show yet
			tell(seen(100, false))
			<-goOn
			tell(seen(250, true))
			return nil
		}
		told := make(chan rehearsal.Seen, 10)
		go func() {
			assert.NoError(t, book.Watch(t.Context(), "a", work, func(s rehearsal.Seen) error {
				told <- s
				return nil
			}))
			close(told)
		}()
		synctest.Wait()
		first, err := book.First(t.Context(), "a", work)
		require.NoError(t, err)
		assert.False(t, first.IsWhole)
		assert.Equal(t, int64(100), first.Result.Tally.Read)
		close(goOn)
		var last rehearsal.Seen
		for s := range told {
			assert.GreaterOrEqual(t, s.Rows, last.Rows, "counts do not go back")
			last = s
		}
		assert.True(t, last.IsWhole)
	})
}

// When the last who wants it goes, counting is broken off; while another wants it, it goes on.
func TestBrokenOff(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var book rehearsal.Book
		defer book.Close()
		var times atomic.Int32
		ended := make(chan error, 4)
		work := func(ctx context.Context, tell func(rehearsal.Seen)) error {
			times.Add(1)
			tell(seen(100, false))
			<-ctx.Done()
			ended <- ctx.Err()
			return ctx.Err()
		}
		wait := func(ctx context.Context, err chan<- error) {
			_, e := book.Whole(ctx, "a", work)
			err <- e
		}
		one, stopOne := context.WithCancel(t.Context())
		two, stopTwo := context.WithCancel(t.Context())
		gone := make(chan error, 2)
		go wait(one, gone)
		go wait(two, gone)
		synctest.Wait()
		stopOne()
		assert.ErrorIs(t, <-gone, context.Canceled)
		synctest.Wait()
		assert.Empty(t, ended, "the other still wants it")
		stopTwo()
		assert.ErrorIs(t, <-gone, context.Canceled)
		assert.ErrorIs(t, <-ended, context.Canceled, "nobody wants it: the work is told to end")

		// Whoever asks again has it counted anew, and not what was broken off.
		three, stopThree := context.WithCancel(t.Context())
		go wait(three, gone)
		synctest.Wait()
		assert.Equal(t, int32(2), times.Load())
		stopThree()
		<-gone
	})
}

// What fails is told to whoever waits, and is tried again by who asks next; a panic is an error.
func TestFailures(t *testing.T) {
	var book rehearsal.Book
	defer book.Close()
	bad := errors.New("the file is gone")
	for _, work := range []rehearsal.Work{
		func(context.Context, func(rehearsal.Seen)) error { return bad },
		func(ctx context.Context, tell func(rehearsal.Seen)) error { tell(seen(3, false)); return bad },
	} {
		_, err := book.Whole(t.Context(), "a", work)
		assert.ErrorIs(t, err, bad)
	}
	_, err := book.Whole(t.Context(), "a", func(context.Context, func(rehearsal.Seen)) error { panic("oh") })
	assert.ErrorContains(t, err, "rehearsing")
	got, err := book.Whole(t.Context(), "a", inTwo)
	require.NoError(t, err)
	assert.True(t, got.IsWhole)

	stop := errors.New("enough of it")
	assert.ErrorIs(t, book.Watch(t.Context(), "b", inTwo, func(rehearsal.Seen) error { return stop }), stop)
}

// No more than two are counted at a time, and one that waits for its turn can be given up.
func TestTwoAtATime(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var book rehearsal.Book
		defer book.Close()
		var running, most atomic.Int32
		goOn := make(chan struct{})
		work := func(ctx context.Context, tell func(rehearsal.Seen)) error {
			most.Store(max(most.Load(), running.Add(1)))
			defer running.Add(-1)
			<-goOn
			return inTwo(ctx, tell)
		}
		done := make(chan error, 6)
		for i := range 5 {
			go func() {
				_, err := book.Whole(t.Context(), fmt.Sprint("draft ", i), work)
				done <- err
			}()
		}
		synctest.Wait()
		assert.Equal(t, int32(2), running.Load())
		waiting, giveUp := context.WithCancel(t.Context())
		go func() {
			_, err := book.Whole(waiting, "a sixth", work)
			done <- err
		}()
		synctest.Wait()
		giveUp()
		assert.ErrorIs(t, <-done, context.Canceled)
		close(goOn)
		for range 5 {
			assert.NoError(t, <-done)
		}
		assert.Equal(t, int32(2), most.Load())
	})
}

// What was used longest ago is let go of, and what was used just now is not.
func TestForgets(t *testing.T) {
	var book rehearsal.Book
	defer book.Close()
	counted := map[string]int{}
	ask := func(key string) {
		_, err := book.Whole(t.Context(), key, func(ctx context.Context, tell func(rehearsal.Seen)) error {
			counted[key]++
			return inTwo(ctx, tell)
		})
		require.NoError(t, err)
	}
	ask("first")
	ask("second")
	for i := range 199 {
		ask("first") // it stays in use
		ask(fmt.Sprint("draft ", i))
	}
	ask("first")
	ask("second")
	assert.Equal(t, 1, counted["first"])
	assert.Equal(t, 2, counted["second"], "200 others were used since")

	// Closing ends all that is counted.
	started := make(chan struct{})
	failed := make(chan error)
	go func() {
		_, err := book.Whole(t.Context(), "endless", func(ctx context.Context, tell func(rehearsal.Seen)) error {
			close(started)
			<-ctx.Done()
			return ctx.Err()
		})
		failed <- err
	}()
	<-started
	book.Close()
	assert.ErrorIs(t, <-failed, context.Canceled)
}
