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

// lookups are what rows refer to in tables that memory does not hold.
type lookups struct {
	run     *Run
	spilt   *spiltKeys // of the rows that were met; nil where nothing is noted
	isKnown bool       // which rows break their references was found out by an earlier reading:
	broken  *twins     // these; nil for none
}

// close gives up the files.
func (l *lookups) close() {
	l.spilt.close()
	l.broken.close()
}

// note notes what the rows of a batch refer to.
func (l *lookups) note(b *source.Batch, p *part) error {
	if l.spilt == nil {
		return nil
	}
	for _, r := range p.ruling.Refers {
		if err := l.spilt.add(keyed{hash: r.Hash, row: clamp(b.Number(r.Row)), key: uint8(r.Reference)}); err != nil {
			return err
		}
	}
	return nil
}

// breaches finds the rows that break their references; nil where there are none.
func (l *lookups) breaches(ctx context.Context) (*twins, error) {
	tables := l.run.Keys
	absent := 0
	if t := l.run.Target; t != nil {
		absent = len(t.ForeignKeys)
	}
	return l.spilt.each(ctx, l.run.Temporary, func(t *twins, k int, part []keyed) (n int64, err error) {
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

// tell tells a judge which rows of a batch break references, where that was found out.
func (l *lookups) tell(judge *check.Judge, b *source.Batch) error {
	if !l.isKnown {
		return nil
	}
	broken, err := l.broken.between(b.FirstRow, b.Number(len(b.Rows)-1))
	if err != nil {
		return err
	}
	var all []check.Breach
	for _, t := range broken {
		all = append(all, check.Breach{Row: int64(t.row), Reference: int(t.key)})
	}
	judge.Expect(all)
	return nil
}
