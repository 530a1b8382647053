package source

import (
	"context"
	"errors"
	"io"
	"runtime"
	"sync"
)

// Source yields the batches of a delivery in order.
type Source interface {
	Header() Header
	// Next fills b with the next rows; io.EOF after the last.
	Next(b *Batch) error
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

// Flow takes a whole delivery through two steps: work on any of several
// goroutines, batch by batch, and deliver on one goroutine, in the order of
// the delivery. Results are reused from batch to batch; what deliver gives
// does not depend on the number of workers (0 stands for one per processor).
//
// newWork is called once per worker, so that each has its own scratch space.
// The first error, or the end of ctx, stops the flow and is returned.
func Flow[R any](ctx context.Context, src Source, workers int, newWork func() func(*Batch, *R), deliver func(*Batch, *R) error) error {
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
		for {
			select {
			case <-ctx.Done():
				return
			case t := <-free:
				if err := src.Next(&t.batch); err != nil {
					if !errors.Is(err, io.EOF) {
						stop(err)
					}
					return
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
					t.batch.Split()
					work(&t.batch, &t.result)
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
		if err := deliver(&t.batch, &t.result); err != nil {
			stop(err)
			continue
		}
		free <- t
	}
	all.Wait()
	return context.Cause(ctx)
}
