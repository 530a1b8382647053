package sift

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"sieb/core/check"
	"sieb/core/outcome"
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
	switch {
	case w.ahead != nil:
		return w.others(b, p, row)
	case w.isOver && w.twins == nil:
		w.spill(b, p, row, isRejected)
		return nil
	case w.isOver && len(w.keys) == 1:
		return w.twinsOf(b, p, row)
	}
	if len(w.keys) == 1 && !isRejected && w.takes(b, p, row) {
		return nil
	}
	var found []check.Found
	n := len(w.keys)
	keys := p.ruling.Keys[row*n : row*n+n]
	if w.isOver {
		w.onlyTwins(b.Number(row), keys)
	}
	for k, h := range keys {
		if h == (check.KeyHash{}) {
			continue
		}
		if first := w.keys[k].find(h); first != nil {
			f := w.repeat(b, p, row, k, first)
			isRejected = isRejected || f.Action != violation.Flag
			found = append(found, f)
			keys[k] = check.KeyHash{}
			if saysAll(&f) {
				break
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

// saysAll reports whether nothing more is said of a row that repeats another: that all of it recurs
// says that its keys do.
func saysAll(f *check.Found) bool {
	return f.Code == violation.RowRepeated && f.Action != violation.Flag
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
	if w.ahead != nil {
		return 0
	}
	n := len(w.keys)
	for k := range n {
		set := &w.keys[k]
		if set.used == 0 && w.run.Size > 0 && !w.isOver {
			// The table grows once, to what the first batch lets expect.
			expected := w.run.Size / max(1, b.Bytes/int64(max(1, len(p.ends))))
			set.reserve(int(min(expected, int64(w.run.keyLimit()/n))))
		}
		if set.reserve(len(p.ends)); w.isOver {
			continue
		}
		for i := k; i < len(p.ruling.Keys); i += n {
			near ^= set.touch(p.ruling.Keys[i])
		}
	}
	return near
}

// keyLimit returns how many keys memory is meant to hold. What can be read only once, or has no
// room for more, holds all.
func (r *Run) keyLimit() int {
	if r.Again == nil || r.Temporary == nil {
		return maxKeys
	}
	return int(cmp.Or(r.KeyMemory, DefaultKeyMemory) / bytesPerKey)
}

// meet prepares for a batch: it notes what is known of its keys, and lets keys go to a file
// where there are more than memory is meant to hold.
func (w *writer) meet(b *source.Batch, p *part) (err error) {
	if len(w.keys) == 0 && w.refers == nil || len(p.ends) == 0 {
		return nil
	}
	if b.Number(len(p.ends)) > maxKeys {
		return errors.New("the delivery has more than 4294967294 rows with a key; split it")
	}
	if w.refers != nil {
		if err := w.refer(b, p); err != nil {
			return err
		}
	}
	switch limit := w.run.keyLimit(); {
	case w.ahead != nil:
	case !w.isOver && w.held()+len(p.ends)*len(w.keys) > limit:
		err = w.overflow(b.FirstRow - 1)
	case w.isOver && w.held() > limit:
		err = fmt.Errorf("more than %d rows repeat one another in one of several keys, which is more than memory may "+
			"hold; raise the memory for keys", limit)
	}
	if err == nil && w.twins != nil && (w.isOver || w.ahead != nil) {
		w.mine, err = w.twins.between(b.FirstRow, b.Number(len(p.ends)-1))
	}
	return err
}

// held returns how many keys are in memory.
func (w *writer) held() (used int) {
	for k := range w.keys {
		used += w.keys[k].used
	}
	return used
}

// overflow gives the keys in memory up, those of the rows up to one. In the first reading they
// go to a file; in the second only those are kept that recur, and those only where there are several
// keys, so that it takes the order of rows to tell which is kept.
func (w *writer) overflow(upTo int64) (err error) {
	w.isOver = true
	sets := w.keys
	w.keys = make([]keySet, len(sets))
	if w.twins == nil {
		if w.refers == nil {
			w.over = w.shown
		}
		w.spilt = newSpiltKeys(w.run.Temporary)
		for k := range sets {
			for h := range sets[k].all() {
				if err := w.spilt.add(keyed{h.hash, h.row, h.line, uint8(k), false}); err != nil {
					return err
				}
			}
		}
		return nil
	}
	recur, err := w.twins.between(1, upTo)
	if err != nil || len(sets) == 1 {
		return err
	}
	for k := range sets {
		left := recur
		for h := range sets[k].all() {
			for len(left) > 0 && (left[0].row < h.row || left[0].row == h.row && int(left[0].key) < k) {
				left = left[1:]
			}
			if len(left) > 0 && left[0].row == h.row && int(left[0].key) == k {
				w.keys[k].reserve(1)
				w.keys[k].add(h.hash, int64(h.row), int64(h.line))
			}
		}
	}
	return nil
}

// spill notes the keys of a row for later.
func (w *writer) spill(b *source.Batch, p *part, row int, isBad bool) {
	n := len(w.keys)
	for k, h := range p.ruling.Keys[row*n : row*n+n] {
		if h != (check.KeyHash{}) && w.failed == nil {
			w.failed = w.spilt.add(keyed{h, clamp(b.Number(row)), clamp(b.Rows[row].Line), uint8(k), isBad})
		}
	}
}

// takeTwins takes the twins of a row off those of its batch.
func (w *writer) takeTwins(row int64) []twin {
	for len(w.mine) > 0 && int64(w.mine[0].row) < row {
		w.mine = w.mine[1:]
	}
	n := 0
	for n < len(w.mine) && int64(w.mine[n].row) == row {
		n++
	}
	mine := w.mine[:n]
	w.mine = w.mine[n:]
	return mine
}

// onlyTwins leaves of the keys of a row those that recur.
func (w *writer) onlyTwins(row int64, keys []check.KeyHash) {
	mine := w.takeTwins(row)
	for k := range keys {
		if !slices.ContainsFunc(mine, func(t twin) bool { return int(t.key) == k }) {
			keys[k] = check.KeyHash{}
		}
	}
}

// twinsOf returns in what other rows the keys of a row occur, as a first reading has shown.
func (w *writer) twinsOf(b *source.Batch, p *part, row int) (found []check.Found) {
	for _, t := range w.takeTwins(b.Number(row)) {
		f := w.repeat(b, p, row, int(t.key), &holder{row: t.other, line: t.line})
		found = append(found, f)
		if saysAll(&f) {
			break
		}
	}
	return found
}

// ahead is what was found out about the rows that repeat one another before the rows are
// judged for good: for each key which row has it, and with KeepNone the second row that
// does. Where memory is not meant to hold so many keys, it is the writer's twins that tell.
type ahead struct {
	keys   []keySet // the last row of each key; with KeepNone the first
	second []map[check.KeyHash]holder
}

// looksAhead reports whether which row is kept shows only further on in the delivery.
func (w *writer) looksAhead() bool { return len(w.keys) > 0 && w.keep() != target.KeepFirst }

// errTooMany says that the keys do not fit in memory.
var errTooMany = errors.New("there are more keys than memory is meant to hold")

// lookAhead goes through the delivery once, and notes of the rows that are right by
// themselves which have the same keys. Where memory does not hold them it begins anew, with a file.
func (w *writer) lookAhead(ctx context.Context) error {
	if w.run.Again == nil {
		return errors.New("which of the rows that repeat one another is the last shows in a second reading, " +
			"and the delivery can be read only once")
	}
	if w.run.hasSpilt() {
		if err := w.lookUp(ctx); err != nil {
			return err
		}
	}
	w.ahead = &ahead{keys: make([]keySet, len(w.keys))}
	for range w.keys {
		w.ahead.second = append(w.ahead.second, map[check.KeyHash]holder{})
	}
	err := w.scout(ctx, nil)
	if !errors.Is(err, errTooMany) {
		return err
	}
	w.ahead = &ahead{}
	spilt := newSpiltKeys(w.run.Temporary)
	defer spilt.file.Close()
	if err := w.scout(ctx, spilt); err != nil {
		return err
	}
	w.twins, err = spilt.twins(ctx, w.run.Temporary, w.keep(), false)
	return err
}

// scout reads the delivery to look ahead; the keys go to a file, nil for none.
func (w *writer) scout(ctx context.Context, spilt *spiltKeys) error {
	rows, err := w.run.Again(ctx)
	if err != nil {
		return err
	}
	defer source.Close(rows)
	scout := newWriter(w.run, w.plan)
	scout.keys, scout.spilt, scout.isOver = w.ahead.keys, spilt, spilt != nil
	if spilt != nil {
		scout.keys = make([]keySet, len(w.keys))
	}
	return source.InOrder(ctx, w.plan.Rows(rows), w.run.Workers, w.work, func(b *source.Batch, p *part) error {
		return scout.note(w.ahead, b, p)
	})
}

// note notes the keys of a batch.
func (w *writer) note(a *ahead, b *source.Batch, p *part) error {
	switch {
	case p.failed != nil:
		return p.failed
	case w.spilt == nil && w.held()+len(p.ends)*len(w.keys) > w.run.keyLimit():
		return errTooMany
	}
	late := w.last.Follow(w.plan, b, &p.ruling)
	w.near = w.prepare(b, p)
	for row := range p.ends {
		more, others := ofRow(late, row)
		late = others
		isBad := w.rejects(more) || p.ends[row].side == outcome.Rejected
		switch {
		case p.ends[row].excluded > 0:
		case w.spilt != nil:
			w.spill(b, p, row, isBad)
		case !isBad:
			w.noteRow(a, b, p, row)
		}
	}
	if w.run.Progress != nil {
		w.run.Progress(Progress{b.Bytes / 2, 0})
	}
	return w.failed
}

// noteRow notes the keys of a row that is right by itself.
func (w *writer) noteRow(a *ahead, b *source.Batch, p *part, row int) {
	n := len(a.keys)
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

// others returns in what other rows the keys of a row occur, as looking ahead has shown.
func (w *writer) others(b *source.Batch, p *part, row int) (found []check.Found) {
	if len(w.ahead.keys) == 0 {
		return w.twinsOf(b, p, row)
	}
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
		if saysAll(&f) {
			break
		}
	}
	return found
}
