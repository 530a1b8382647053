package sift

import (
	"context"
	"errors"
	"sieb/core/check"
	"sieb/core/outcome"
	"sieb/core/source"
)

// ahead is what was found out about the rows that repeat one another before the rows are
// judged for good: for each key which row has it, and with KeepNone the second row that
// does. Where memory is not meant to hold so many keys, it is the writer's twins that tell.
type ahead struct {
	keys   []keySet // the last row of each key; with KeepNone the first
	second []map[check.KeyHash]holder
}

// errTooMany says that the keys do not fit in memory.
var errTooMany = errors.New("there are more keys than memory is meant to hold")

// lookAhead goes through the delivery once, and notes of the rows that are right by
// themselves which have the same keys. Where memory does not hold them it begins anew, with a file.
func (w *sifter) lookAhead(ctx context.Context) error {
	if w.run.Again == nil {
		return errors.New("which of the rows that repeat one another is the last shows in a second reading, " +
			"and the delivery can be read only once")
	}
	if w.run.hasSpilt() {
		if err := w.lookUp(ctx); err != nil {
			return err
		}
	}
	w.owners.ahead = &ahead{keys: make([]keySet, len(w.owners.keys))}
	for range w.owners.keys {
		w.owners.ahead.second = append(w.owners.ahead.second, map[check.KeyHash]holder{})
	}
	err := w.scout(ctx, nil)
	if !errors.Is(err, errTooMany) {
		return err
	}
	w.owners.ahead = &ahead{}
	spilt := newSpiltKeys(w.run.Temporary)
	defer spilt.file.Close()
	if err := w.scout(ctx, spilt); err != nil {
		return err
	}
	w.owners.twins, err = spilt.twins(ctx, w.run.Temporary, w.owners.keep(), false)
	return err
}

// scout reads the delivery to look ahead; the keys go to a file, nil for none.
func (w *sifter) scout(ctx context.Context, spilt *spiltKeys) error {
	rows, err := w.run.Again(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	scout := newSifter(w.run, w.plan)
	scout.owners.keys, scout.owners.spilt, scout.owners.isOver = w.owners.ahead.keys, spilt, spilt != nil
	if spilt != nil {
		scout.owners.keys = make([]keySet, len(w.owners.keys))
	}
	return source.InOrder(ctx, w.plan.Rows(rows), w.run.Workers, w.judging, func(b *source.Batch, p *part) error {
		return scout.note(w.owners.ahead, b, p)
	})
}

// note notes the keys of a batch.
func (w *sifter) note(a *ahead, b *source.Batch, p *part) error {
	switch {
	case p.failed != nil:
		return p.failed
	case w.owners.spilt == nil && w.owners.held()+len(p.ends)*len(w.owners.keys) > w.run.keyLimit():
		return errTooMany
	}
	late := w.last.Follow(w.plan, b, &p.ruling)
	w.owners.near = w.owners.prepare(b, p)
	for row := range p.ends {
		more, others := ofRow(late, row)
		late = others
		isBad := w.rejects(more) || p.ends[row].side == outcome.Rejected
		switch {
		case p.ends[row].excluded > 0:
		case w.owners.spilt != nil:
			w.owners.spill(b, p, row, isBad)
		case !isBad:
			w.owners.noteRow(a, b, p, row)
		}
	}
	if w.run.Progress != nil {
		w.run.Progress(Progress{b.Bytes / 2, 0})
	}
	return w.owners.failed
}

// lookUp reads the delivery for no more than what its rows refer to.
func (w *sifter) lookUp(ctx context.Context) error {
	rows, err := w.run.Again(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	w.lookups.spilt = newSpiltKeys(w.run.Temporary)
	defer w.lookups.spilt.file.Close()
	if err := source.InOrder(ctx, w.plan.Rows(rows), w.run.Workers, w.judging, w.lookups.note); err != nil {
		return err
	}
	w.lookups.broken, err = w.lookups.breaches(ctx)
	w.lookups.spilt, w.lookups.isKnown = nil, true
	return err
}
