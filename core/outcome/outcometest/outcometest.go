// Package outcometest keeps what runs write in memory, for tests.
package outcometest

import (
	"bytes"
	"context"

	"sieb/core/outcome"
	"sieb/core/outcome/csv"
)

// Buffer is a destination in memory. The zero Buffer is ready for use.
type Buffer struct {
	bytes.Buffer
	Table    *outcome.Table // that was begun
	Restarts int
}

// Begin notes the table.
func (b *Buffer) Begin(_ context.Context, t *outcome.Table) error {
	b.Table = t
	return nil
}

// Restart forgets what was written.
func (b *Buffer) Restart() error {
	b.Reset()
	b.Restarts++
	return nil
}

// Prepare proves nothing but the size.
func (b *Buffer) Prepare() (outcome.Proof, error) { return outcome.Proof{Bytes: int64(b.Len())}, nil }

// Commit and Abort do nothing.
func (*Buffer) Commit() error { return nil }
func (*Buffer) Abort()        {}

// Texts keeps all sides of a run as comma-separated text. The zero Texts is ready for use.
type Texts struct {
	Accepted, Rejected, Excluded, Violations Buffer
}

// Outputs returns the outputs for a run.
func (t *Texts) Outputs() (all []*outcome.Output) {
	for side, to := range []*Buffer{&t.Accepted, &t.Rejected, &t.Excluded, &t.Violations} {
		all = append(all, &outcome.Output{Side: outcome.Side(side), Form: csv.Form{}, To: to})
	}
	return all
}
