package sift

import (
	"context"
	"errors"

	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// repeats looks the keys of a row up, and returns what rows it repeats that are kept in its
// place.
//
// Only a row that is accepted takes possession of its keys, so that the first row that is
// kept counts as the first, and a bad row never costs the good one that repeats its key. A
// bad row is told of the row that it repeats all the same.
func (w *writer) repeats(b *source.Batch, p *part, row int, isRejected bool) []check.Found {
	if w.ahead != nil {
		return w.others(b, p, row)
	}
	if len(w.keys) == 1 && !isRejected && w.takes(b, p, row) {
		return nil
	}
	var found []check.Found
	n := len(w.keys)
	keys := p.ruling.Keys[row*n : row*n+n]
	for k, h := range keys {
		if h == (check.KeyHash{}) {
			continue
		}
		if first := w.keys[k].find(h); first != nil {
			f := w.repeat(b, p, row, k, first)
			isRejected = isRejected || f.Action != violation.Flag
			found = append(found, f)
			keys[k] = check.KeyHash{}
			if f.Code == violation.RowRepeated && f.Action != violation.Flag {
				break // that all of the row recurs says that its keys do
			}
		}
	}
	if isRejected {
		return found
	}
	for k, h := range keys {
		if h != (check.KeyHash{}) {
			w.keys[k].add(h, b.Number(row), b.Rows[row].Line)
		}
	}
	return found
}

func (w *writer) repeat(b *source.Batch, p *part, row, key int, other *holder) check.Found {
	return p.ruling.AddRepeat(w.plan, b, row, &w.plan.Keys[key], int64(other.row), int64(other.line), w.keep())
}

// keep returns which of the rows that repeat one another are kept.
func (w *writer) keep() target.Kept {
	if w.run.Target == nil {
		return target.KeepFirst
	}
	return w.run.Target.Repeated.Keep
}

// takes lets a row take possession of the only key, where it is free.
func (w *writer) takes(b *source.Batch, p *part, row int) bool {
	h := p.ruling.Keys[row]
	if h == (check.KeyHash{}) {
		return true
	}
	return w.keys[0].takeFree(h, b.Number(row), b.Rows[row].Line)
}

// prepare makes room for a batch's keys and brings their slots near.
func (w *writer) prepare(b *source.Batch, p *part) (near uint64) {
	n := len(w.keys)
	for k := range n {
		set := &w.keys[k]
		if set.used == 0 && w.run.Size > 0 {
			// The table grows once, to what the first batch lets expect.
			set.reserve(int(min(w.run.Size/max(1, b.Bytes/int64(max(1, len(p.ends)))), maxExpected)))
		}
		set.reserve(len(p.ends))
		for i := k; i < len(p.ruling.Keys); i += n {
			near ^= set.touch(p.ruling.Keys[i])
		}
	}
	return near
}

// ahead is what was found out about the rows that repeat one another before the rows are
// judged for good: for each key which row has it, and with KeepNone the second row that
// does.
type ahead struct {
	keys   []keySet // the last row of each key; with KeepNone the first
	second []map[check.KeyHash]holder
}

// looksAhead reports whether which row is kept shows only further on in the delivery.
func (w *writer) looksAhead() bool { return len(w.keys) > 0 && w.keep() != target.KeepFirst }

// lookAhead goes through the delivery once, and notes of the rows that are right by
// themselves which have the same keys.
func (w *writer) lookAhead(ctx context.Context) error {
	if w.run.Again == nil {
		return errors.New("which of the rows that repeat one another is the last shows in a second reading, " +
			"and the delivery can be read only once")
	}
	rows, err := w.run.Again(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	a := &ahead{keys: make([]keySet, len(w.keys))}
	for range w.keys {
		a.second = append(a.second, map[check.KeyHash]holder{})
	}
	scout := newWriter(w.run, w.plan)
	scout.keys = a.keys
	err = source.InOrder(ctx, w.plan.Rows(rows), w.run.Workers, w.work, func(b *source.Batch, p *part) error {
		return scout.note(a, b, p)
	})
	w.ahead = a
	return err
}

// note notes the keys of a batch.
func (w *writer) note(a *ahead, b *source.Batch, p *part) error {
	if err := w.bound(p); err != nil {
		return err
	}
	late := w.last.Follow(w.plan, b, &p.ruling)
	w.near = w.prepare(b, p)
	n := len(a.keys)
	for row := range p.ends {
		more, others := ofRow(late, row)
		late = others
		if p.ends[row].excluded > 0 || p.ends[row].isRejected || w.rejects(more) {
			continue
		}
		at := holder{row: clamp(b.Number(row)), line: clamp(b.Rows[row].Line)}
		for k, h := range p.ruling.Keys[row*n : row*n+n] {
			if h == (check.KeyHash{}) {
				continue
			}
			switch has := a.keys[k].find(h); {
			case has == nil:
				a.keys[k].add(h, b.Number(row), b.Rows[row].Line)
			case w.keep() == target.KeepLast:
				has.row, has.line = at.row, at.line
			default:
				if _, isThird := a.second[k][h]; !isThird {
					a.second[k][h] = at
				}
			}
		}
	}
	if w.run.Progress != nil {
		w.run.Progress(Progress{b.Bytes / 2, 0})
	}
	return nil
}

// others returns in what other rows the keys of a row occur, as looking ahead has shown.
func (w *writer) others(b *source.Batch, p *part, row int) (found []check.Found) {
	n := len(w.keys)
	own := clamp(b.Number(row))
	for k, h := range p.ruling.Keys[row*n : row*n+n] {
		if h == (check.KeyHash{}) {
			continue
		}
		other := w.ahead.keys[k].find(h)
		if other != nil && other.row == own {
			other = nil
			if second, isRepeated := w.ahead.second[k][h]; isRepeated {
				other = &second
			}
		}
		if other == nil {
			continue
		}
		f := w.repeat(b, p, row, k, other)
		found = append(found, f)
		if f.Code == violation.RowRepeated && f.Action != violation.Flag {
			break
		}
	}
	return found
}
