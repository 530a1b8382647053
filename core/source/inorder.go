package source

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime"
	"sync"

	"sieb/core/fault"
)

// Source yields the batches of a delivery in order.
type Source interface {
	Header() Header
	// Next fills b with the next rows; io.EOF after the last.
	Next(b *Batch) error
}

// Limit makes the batches of a source have at most so many rows. Of a source of another package it
// does nothing.
func Limit(src Source, rows int) {
	if l, ok := src.(interface{ limit(rows int) }); ok {
		l.limit(rows)
	}
}

// Close ends the reading of a source that unpacks its delivery while it reads;
// of any other it does nothing.
func Close(src Source) {
	if c, ok := src.(io.Closer); ok {
		c.Close()
	}
}

// task is a batch on its way, with what was made of it.
type task[R any] struct {
	batch  Batch
	result R
	done   chan struct{}
}

// InOrder takes a whole delivery through two steps: work on any of several
// goroutines, batch by batch, and deliver on one goroutine, in the order of
// the delivery. Results are reused from batch to batch; what deliver gives
// does not depend on the number of workers (0 stands for one per processor).
//
// newWork is called once per worker, so that each has its own scratch space.
// The first error, or the end of ctx, stops the flow and is returned. A panic
// in any of the steps is such an error, a *fault.Crash, and names its lines.
func InOrder[R any](ctx context.Context, src Source, workers int, newWork func() func(*Batch, *R),
	deliver func(*Batch, *R) error) error {
	if workers <= 0 {
		workers = runtime.GOMAXPROCS(0)
	}
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	count := 2*workers + 2
	free := make(chan *task[R], count)
	for range count {
		free <- &task[R]{done: make(chan struct{}, 1)}
	}
	todo := make(chan *task[R], count)
	order := make(chan *task[R], count)

	var all sync.WaitGroup
	all.Go(func() {
		defer close(todo)
		defer close(order)
		last := int64(0) // the line of the last row read
		for {
			select {
			case <-ctx.Done():
				return
			case t := <-free:
				if err := next(src, &t.batch, last); err != nil {
					if !errors.Is(err, io.EOF) {
						stop(err)
					}
					return
				}
				if n := len(t.batch.Rows); n > 0 {
					last = t.batch.Rows[n-1].Line
				}
				todo <- t
				order <- t
			}
		}
	})
	for range workers {
		work := newWork()
		all.Go(func() {
			for t := range todo {
				if ctx.Err() == nil {
					if err := t.run(work); err != nil {
						stop(err)
					}
				}
				t.done <- struct{}{}
			}
		})
	}
	for t := range order {
		<-t.done
		if ctx.Err() != nil {
			continue
		}
		if err := t.deliver(deliver); err != nil {
			stop(err)
			continue
		}
		free <- t
	}
	all.Wait()
	return context.Cause(ctx)
}

// next reads the next batch, behind the row of a line.
func next(src Source, b *Batch, last int64) (err error) {
	defer fault.Recover(&err, func() string { return fmt.Sprintf("reading after line %d", last) })
	return src.Next(b)
}

func (t *task[R]) run(work func(*Batch, *R)) (err error) {
	defer fault.Recover(&err, func() string { return "working on " + t.batch.lines() })
	t.batch.Split()
	work(&t.batch, &t.result)
	return nil
}

func (t *task[R]) deliver(deliver func(*Batch, *R) error) (err error) {
	defer fault.Recover(&err, func() string { return "delivering " + t.batch.lines() })
	return deliver(&t.batch, &t.result)
}

// lines names the lines of the delivery in which the batch's rows begin.
func (b *Batch) lines() string {
	if len(b.Rows) == 0 {
		return "lines without a row"
	}
	return fmt.Sprintf("lines %d to %d", b.Rows[0].Line, b.Rows[len(b.Rows)-1].Line)
}
