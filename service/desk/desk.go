// Package desk does the work that requests ask for and wait for: each piece once for all who ask,
// and only so many at a time.
//
// It knows nothing of the work. What is worked on goes on as long as somebody waits for it; some
// results are kept for who asks next.
package desk

import (
	"context"
	"slices"
	"sync"
	"time"

	"sieb/core/fault"
)

// Desk is where such work is done. It is made by New.
type Desk struct {
	room chan struct{}
	ends context.Context
	stop context.CancelFunc

	mu    sync.Mutex
	tasks map[string]*task
	kept  []*task // done, the one that was used longest ago first
}

// task is a piece of work.
type task struct {
	key     string
	result  any
	err     error
	done    chan struct{}
	waiting int
	stop    context.CancelFunc
	used    time.Time
}

const (
	mostKept = 2
	keptFor  = 5 * time.Minute
)

// New returns a desk at which so many pieces of work are done at a time.
func New(atOnce int) *Desk {
	d := &Desk{room: make(chan struct{}, max(1, atOnce)), tasks: map[string]*task{}}
	d.ends, d.stop = context.WithCancel(context.Background())
	return d
}

// Close breaks off what is worked on.
func (d *Desk) Close() { d.stop() }

// Do returns what the work of a key gives. Where it is under way already it is waited for, and
// where its result is kept that is returned. The error is that of the work, or of the context,
// or a *fault.Crash. The work's own context ends when nobody waits for it any more.
func Do[T any](ctx context.Context, d *Desk, key string, work func(context.Context) (T, error)) (T, error) {
	t := d.take(key, func(ctx context.Context) (any, error) { return work(ctx) })
	defer d.leave(t)
	var none T
	select {
	case <-ctx.Done():
		return none, context.Cause(ctx)
	case <-t.done:
	}
	if t.err != nil {
		return none, t.err
	}
	return t.result.(T), nil
}

// Alone waits for room at the desk and does work that nobody shares.
func (d *Desk) Alone(ctx context.Context, work func(context.Context) error) (err error) {
	select {
	case d.room <- struct{}{}:
	case <-ctx.Done():
		return context.Cause(ctx)
	}
	defer func() { <-d.room }()
	defer fault.Recover(&err, func() string { return "working for a request" })
	return work(ctx)
}

// take finds the work of a key, or begins it.
func (d *Desk) take(key string, work func(context.Context) (any, error)) *task {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.sweep()
	t := d.tasks[key]
	if t == nil {
		ctx, stop := context.WithCancel(d.ends)
		t = &task{key: key, done: make(chan struct{}), stop: stop}
		d.tasks[key] = t
		go d.work(ctx, t, work)
	}
	t.waiting++
	return t
}

// work does the work of a task.
func (d *Desk) work(ctx context.Context, t *task, work func(context.Context) (any, error)) {
	defer t.stop()
	err := d.Alone(ctx, func(ctx context.Context) (err error) {
		t.result, err = work(ctx)
		return err
	})
	d.mu.Lock()
	defer d.mu.Unlock()
	t.err, t.used = err, time.Now()
	if d.tasks[t.key] == t {
		if err != nil {
			delete(d.tasks, t.key)
		} else {
			d.kept = append(d.kept, t)
		}
	}
	close(t.done)
}

// leave gives a task up. One that nobody waits for any more is broken off.
func (d *Desk) leave(t *task) {
	d.mu.Lock()
	defer d.mu.Unlock()
	t.waiting--
	select {
	case <-t.done:
		t.used = time.Now()
		if at := slices.Index(d.kept, t); at >= 0 {
			d.kept = append(slices.Delete(d.kept, at, at+1), t)
		}
	default:
		if t.waiting == 0 {
			t.stop()
			delete(d.tasks, t.key)
		}
	}
	d.sweep()
}

// sweep forgets results that are too many or too old.
func (d *Desk) sweep() {
	for len(d.kept) > 0 && (len(d.kept) > mostKept || time.Since(d.kept[0].used) > keptFor) {
		delete(d.tasks, d.kept[0].key)
		d.kept = d.kept[1:]
	}
}
