package rehearsal

import (
	"context"
	"crypto/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// Outcomes keeps the files of outcomes that were only rehearsed, so that their rows are looked at like those of a run:
// a few, and not for long. What comes with each is T.
type Outcomes[T any] struct {
	Dir string // in which each has a folder

	mu   sync.Mutex
	kept []*Outcome[T] // the one that was used longest ago first
}

// Outcome is one of them.
type Outcome[T any] struct {
	ID, Dir string
	Of      T

	key  string
	used time.Time
}

const (
	mostOutcomes    = 4
	outcomesKeptFor = 30 * time.Minute
	prefix          = "draft-"
)

// IsRehearsed reports whether an identifier is that of a rehearsed outcome.
func IsRehearsed(id string) bool { return strings.HasPrefix(id, prefix) }

// Get returns an outcome by its identifier; nil where it is not kept any more.
func (o *Outcomes[T]) Get(id string) *Outcome[T] {
	return o.find(func(x *Outcome[T]) bool { return x.ID == id })
}

func (o *Outcomes[T]) find(is func(*Outcome[T]) bool) *Outcome[T] {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.sweep()
	at := slices.IndexFunc(o.kept, is)
	if at < 0 {
		return nil
	}
	x := o.kept[at]
	x.used = time.Now()
	o.kept = append(slices.Delete(o.kept, at, at+1), x)
	return x
}

// Make returns the outcome of a key: the one that is kept, or another, whose files work writes to a folder.
func (o *Outcomes[T]) Make(ctx context.Context, key string, work func(ctx context.Context, dir string) (T, error)) (
	*Outcome[T], error) {
	if x := o.find(func(x *Outcome[T]) bool { return x.key == key }); x != nil {
		return x, nil
	}
	x := &Outcome[T]{ID: prefix + strings.ToLower(rand.Text()), key: key}
	x.Dir = filepath.Join(o.Dir, x.ID)
	var err error
	if x.Of, err = work(ctx, x.Dir); err != nil {
		os.RemoveAll(x.Dir) // what is left is emptied when the service is started again
		return nil, err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	x.used = time.Now()
	o.kept = append(o.kept, x)
	o.sweep()
	return x, nil
}

// Drop forgets outcomes.
func (o *Outcomes[T]) Drop(is func(T) bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.kept = slices.DeleteFunc(o.kept, func(x *Outcome[T]) bool { return is(x.Of) && x.remove() })
}

// sweep forgets those that are too many or too old.
func (o *Outcomes[T]) sweep() {
	for len(o.kept) > 0 && (len(o.kept) > mostOutcomes || time.Since(o.kept[0].used) > outcomesKeptFor) {
		o.kept[0].remove()
		o.kept = o.kept[1:]
	}
}

// remove takes the files away; whoever reads them reads on.
func (x *Outcome[T]) remove() bool {
	os.RemoveAll(x.Dir) // what is left is emptied when the service is started again
	return true
}
