package desk

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sieb/core/fault"
)

// Twelve who ask for one thing make one piece of work; what is kept is not made again.
func TestSharedWork(t *testing.T) {
	d := New(2)
	defer d.Close()
	begun, finish := make(chan struct{}), make(chan struct{})
	var made atomic.Int32
	work := func(context.Context) (int, error) {
		made.Add(1)
		close(begun)
		<-finish
		return 7, nil
	}
	var all sync.WaitGroup
	ask := func() {
		got, err := Do(t.Context(), d, "a", work)
		assert.NoError(t, err)
		assert.Equal(t, 7, got)
	}
	all.Go(ask)
	<-begun
	for range 11 {
		all.Go(ask)
	}
	close(finish)
	all.Wait()
	ask()
	assert.Equal(t, int32(1), made.Load())
	for i := range mostKept { // which push the first out
		_, err := Do(t.Context(), d, fmt.Sprint("other ", i), func(context.Context) (int, error) { return i, nil })
		require.NoError(t, err)
	}
	begun = make(chan struct{})
	ask()
	assert.Equal(t, int32(2), made.Load(), "what was used longest ago is forgotten")
	assert.LessOrEqual(t, len(d.tasks), mostKept)
}

// Only so many pieces are worked on at a time; who no longer waits for room is let go.
func TestRoom(t *testing.T) {
	d := New(2)
	defer d.Close()
	var now, most atomic.Int32
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			_, err := Do(t.Context(), d, fmt.Sprint(i), func(context.Context) (int, error) {
				defer now.Add(-1)
				for n := now.Add(1); n > most.Load(); {
					most.Store(n)
				}
				return i, nil
			})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.LessOrEqual(t, most.Load(), int32(2))

	stay := make(chan struct{})
	for range 2 {
		all.Go(func() {
			assert.NoError(t, d.Alone(t.Context(), func(context.Context) error { <-stay; return nil }))
		})
	}
	for len(d.room) < 2 {
		time.Sleep(time.Millisecond)
	}
	ctx, stop := context.WithCancel(t.Context())
	stop()
	assert.ErrorIs(t, d.Alone(ctx, func(context.Context) error { return nil }), context.Canceled)
	close(stay)
	all.Wait()
}

// Work goes on while somebody waits for it, and is broken off when nobody does.
func TestBrokenOff(t *testing.T) {
	d := New(1)
	defer d.Close()
	begun, broken := make(chan struct{}), make(chan struct{})
	work := func(ctx context.Context) (int, error) {
		close(begun)
		<-ctx.Done()
		close(broken)
		return 0, ctx.Err()
	}
	first, stopFirst := context.WithCancel(t.Context())
	second, stopSecond := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for _, ctx := range []context.Context{first, second} {
		all.Go(func() {
			_, err := Do(ctx, d, "a", work)
			assert.ErrorIs(t, err, context.Canceled)
		})
	}
	<-begun
	for waiting := 0; waiting < 2; {
		d.mu.Lock()
		waiting = d.tasks["a"].waiting
		d.mu.Unlock()
	}
	stopFirst()
	select {
	case <-broken:
		assert.Fail(t, "the second one still waits")
	case <-time.After(10 * time.Millisecond):
	}
	stopSecond()
	<-broken
	all.Wait()
	got, err := Do(t.Context(), d, "a", func(context.Context) (int, error) { return 3, nil })
	require.NoError(t, err)
	assert.Equal(t, 3, got, "what was broken off is begun anew")
}

// An error is told to all who wait, and not kept; a panic is an error.
func TestFailedWork(t *testing.T) {
	d := New(1)
	trouble := errors.New("trouble")
	_, err := Do(t.Context(), d, "a", func(context.Context) (int, error) { return 0, trouble })
	assert.ErrorIs(t, err, trouble)
	_, err = Do(t.Context(), d, "a", func(context.Context) (int, error) { panic("a defect") })
	var crash *fault.Crash
	assert.ErrorAs(t, err, &crash)
	got, err := Do(t.Context(), d, "a", func(context.Context) (int, error) { return 1, nil })
	require.NoError(t, err)
	assert.Equal(t, 1, got)
	d.Close()
	_, err = Do(t.Context(), d, "b", func(ctx context.Context) (int, error) { return 0, ctx.Err() })
	assert.ErrorIs(t, err, context.Canceled, "a desk that is closed does no work")
}

// What is old is forgotten when somebody comes by.
func TestForgotten(t *testing.T) {
	d := New(1)
	defer d.Close()
	_, err := Do(t.Context(), d, "a", func(context.Context) (int, error) { return 1, nil })
	require.NoError(t, err)
	d.mu.Lock()
	require.Len(t, d.kept, 1)
	d.kept[0].used = time.Now().Add(-keptFor - time.Second)
	d.sweep()
	assert.Empty(t, d.tasks)
	d.mu.Unlock()
}
