// Package rehearsal keeps the results of runs that are only tried: each change of a draft is
// rehearsed at once, on the first rows and then on all, and what was counted once is at hand
// again when the change is taken back, or taken.
//
// It knows neither records nor HTTP. What it holds can be made anew at any time; of that which
// was used longest ago it lets go when there is too much.
package rehearsal

import (
	"context"
	"errors"
	"sync"

	"sieb/core/fault"
	"sieb/core/sift"
)

// Bounds of a book.
const (
	mostKept  = 200       // rehearsals
	mostBytes = 128 << 20 // of accounts together, beyond the last one
	atOnce    = 2         // rehearsals that are counted at a time
)

// FirstRows is about how many rows give the first look.
const FirstRows = 100_000

// Seen is what is known of a rehearsal so far.
type Seen struct {
	Result  *sift.Result
	Account *sift.Account
	IsWhole bool // all rows were counted
	Bytes   int64
	Rows    int64 // counted so far, where the result is of the first ones
}

// Work counts a rehearsal. It tells what it knows as soon as it knows more; what it tells last is whole.
type Work func(ctx context.Context, tell func(Seen)) error

// Book keeps rehearsals. The zero Book is empty.
type Book struct {
	mu      sync.Mutex
	entries map[string]*entry
	order   []string // the one that was used longest ago first
	room    chan struct{}
}

// entry is a rehearsal that is counted, or was.
type entry struct {
	key     string
	mu      sync.Mutex
	seen    Seen
	isOver  bool
	err     error
	bytes   int           // of its account, once it is whole
	changed chan struct{} // closed and made anew when more is known
	waiting int           // who wants it; the book's lock is over it
	stop    context.CancelFunc
}

// Watch tells each time that more is known of a rehearsal, until it is whole. Where it is not at
// hand, work counts it, for all who watch it; when the last of them goes, it is broken off.
func (b *Book) Watch(ctx context.Context, key string, work Work, each func(Seen) error) error {
	e := b.take(key, work)
	defer b.leave(e)
	told := Seen{Rows: -1}
	for {
		e.mu.Lock()
		seen, isOver, err, changed := e.seen, e.isOver, e.err, e.changed
		e.mu.Unlock()
		if err != nil {
			return err
		}
		if seen != told && (seen.Result != nil || seen.Rows > 0) {
			told = seen
			if err := each(seen); err != nil {
				return err
			}
		}
		if isOver {
			return nil
		}
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-changed:
		}
	}
}

// Whole returns a rehearsal once all rows are counted.
func (b *Book) Whole(ctx context.Context, key string, work Work) (last Seen, err error) {
	err = b.Watch(ctx, key, work, func(s Seen) error {
		last = s
		return nil
	})
	return last, err
}

// First returns what is known of a rehearsal as soon as it is anything: the first rows, or all.
func (b *Book) First(ctx context.Context, key string, work Work) (first Seen, err error) {
	err = b.Watch(ctx, key, work, func(s Seen) error {
		first = s
		if s.Result == nil {
			return nil
		}
		return errEnough
	})
	if errors.Is(err, errEnough) {
		err = nil
	}
	return first, err
}

var errEnough = errors.New("enough is known")

// take finds a rehearsal, or begins it.
func (b *Book) take(key string, work Work) *entry {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.entries == nil {
		b.entries, b.room = map[string]*entry{}, make(chan struct{}, atOnce)
	}
	e := b.entries[key]
	if e == nil {
		ctx, stop := context.WithCancel(context.Background())
		e = &entry{key: key, changed: make(chan struct{}), stop: stop}
		b.entries[key] = e
		go b.count(ctx, e, work)
	}
	e.waiting++
	b.touch(key)
	return e
}

// touch notes that a rehearsal was used.
func (b *Book) touch(key string) {
	for i, k := range b.order {
		if k == key {
			b.order = append(b.order[:i], b.order[i+1:]...)
			break
		}
	}
	b.order = append(b.order, key)
}

// leave gives a rehearsal up. One that nobody wants any more before it is whole is broken off and
// forgotten.
func (b *Book) leave(e *entry) {
	b.mu.Lock()
	defer b.mu.Unlock()
	e.waiting--
	e.mu.Lock()
	isDone := e.isOver && e.err == nil
	e.mu.Unlock()
	if e.waiting == 0 && !isDone {
		e.stop()
		b.forget(e)
	}
	b.sweep()
}

func (b *Book) forget(e *entry) {
	if b.entries[e.key] != e {
		return
	}
	delete(b.entries, e.key)
	for i, k := range b.order {
		if k == e.key {
			b.order = append(b.order[:i], b.order[i+1:]...)
			break
		}
	}
}

// sweep lets go of what was used longest ago, where there is too much.
func (b *Book) sweep() {
	bytes := 0
	for i := len(b.order) - 1; i >= 0; i-- {
		e := b.entries[b.order[i]]
		e.mu.Lock()
		bytes += e.bytes
		e.mu.Unlock()
		if e.waiting == 0 && (len(b.order)-i > mostKept || bytes > mostBytes && i < len(b.order)-1) {
			b.forget(e)
		}
	}
}

// count does the work of a rehearsal.
func (b *Book) count(ctx context.Context, e *entry, work Work) {
	defer e.stop()
	err := b.enter(ctx)
	if err == nil {
		err = func() (err error) {
			defer func() { <-b.room }()
			defer fault.Recover(&err, func() string { return "rehearsing" })
			return work(ctx, func(s Seen) { e.note(func() { e.seen = s }) })
		}()
	}
	e.note(func() {
		if e.err, e.isOver = err, true; e.seen.Account != nil {
			e.bytes = e.seen.Account.Bytes()
		}
	})
}

// enter waits for room among those that are counted.
func (b *Book) enter(ctx context.Context) error {
	select {
	case b.room <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (e *entry) note(change func()) {
	e.mu.Lock()
	defer e.mu.Unlock()
	change()
	close(e.changed)
	e.changed = make(chan struct{})
}

// Close breaks everything off that is counted, and forgets the rest.
func (b *Book) Close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, e := range b.entries {
		e.stop()
	}
	b.entries, b.order = nil, nil
}
