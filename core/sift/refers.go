package sift

import (
	"context"
	"slices"

	"sieb/core/check"
	"sieb/core/reference"
	"sieb/core/source"
)

// A table that is referred to may have more keys than memory is meant to hold. Then what the rows
// refer to goes to a file, too, and is compared with the table part by part once all rows are read;
// until then each row passes. Where none breaks its reference, as most often, the run is done.
// Otherwise the delivery is read again, with the rows known that do.

// hasSpilt reports whether there is such a table.
func (r *Run) hasSpilt() bool {
	return slices.ContainsFunc(r.Keys, func(k *reference.Keys) bool { return k.IsSpilt() })
}

// refer notes what the rows of a batch refer to.
func (w *writer) refer(b *source.Batch, p *part) error {
	for _, r := range p.ruling.Refers {
		if err := w.refers.add(keyed{hash: r.Hash, row: clamp(b.Number(r.Row)), key: uint8(r.Reference)}); err != nil {
			return err
		}
	}
	return nil
}

// breaches finds the rows that break their references; nil where there are none.
func (w *writer) breaches(ctx context.Context) (*twins, error) {
	tables := w.run.Keys
	absent := 0
	if t := w.run.Target; t != nil {
		absent = len(t.ForeignKeys)
	}
	return w.refers.each(ctx, w.run.Temporary, func(t *twins, k int, part []keyed) (n int64, err error) {
		for table := range tables {
			if !tables[table].IsSpilt() {
				continue
			}
			keys, err := tables[table].Part(nil, k)
			if err != nil {
				return n, err
			}
			for i := range part {
				if int(part[i].key) != table {
					continue
				}
				_, isThere := slices.BinarySearchFunc(keys, part[i].hash, reference.Compare)
				if isThere != (table >= absent) {
					continue
				}
				if err := t.add(twin{row: part[i].row, key: part[i].key}); err != nil {
					return n, err
				}
				n++
			}
		}
		return n, nil
	})
}

// know tells a judge which rows of a batch break references, where that was found out.
func (w *writer) know(judge *check.Judge, b *source.Batch) error {
	if !w.knows {
		return nil
	}
	broken, err := w.broken.between(b.FirstRow, b.Number(len(b.Rows)-1))
	if err != nil {
		return err
	}
	var all []check.Breach
	for _, t := range broken {
		all = append(all, check.Breach{Row: int64(t.row), Reference: int(t.key)})
	}
	judge.Know(all)
	return nil
}

// lookUp reads the delivery for no more than what its rows refer to.
func (w *writer) lookUp(ctx context.Context) error {
	rows, err := w.run.Again(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	w.refers = newSpiltKeys(w.run.Temporary)
	defer w.refers.file.Close()
	if err := source.InOrder(ctx, w.plan.Rows(rows), w.run.Workers, w.work, w.refer); err != nil {
		return err
	}
	w.broken, err = w.breaches(ctx)
	w.refers, w.knows = nil, true
	return err
}
