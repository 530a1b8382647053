package sift

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"sieb/core/check"
	"sieb/core/source"
	"sieb/core/target"
	"sieb/core/violation"
)

// owners know which rows hold which keys, as far as rows were met in their order.
type owners struct {
	run    *Run
	plan   *check.Plan
	keys   []keySet
	isOver bool       // there were more keys than memory is meant to hold: from there on keys is not asked
	spilt  *spiltKeys // where they go in the first reading; nil before
	twins  *twins     // that a first reading has shown; nil for none
	mine   []twin     // those of the batch at hand that were not dealt with yet
	ahead  *ahead     // nil where the first row of a key is kept
	failed error      // of keeping keys
	near   uint64     // keeps the look-ups of prepare from being optimised away
}

// close gives up the files that keys went to.
func (o *owners) close() {
	o.spilt.close()
	o.twins.close()
}

// repeats looks the keys of a row up, and returns what rows it repeats that are kept in its
// place.
//
// Only a row that is accepted takes possession of its keys, so that the first row that is
// kept counts as the first, and a bad row never costs the good one that repeats its key. A
// bad row is told of the row that it repeats all the same.
func (o *owners) repeats(b *source.Batch, p *part, row int, isRejected bool) []check.Found {
	switch {
	case o.ahead != nil:
		return o.others(b, p, row)
	case o.isOver && o.twins == nil:
		o.spill(b, p, row, isRejected)
		return nil
	case o.isOver && len(o.keys) == 1:
		return o.twinsOf(b, p, row)
	}
	if len(o.keys) == 1 && !isRejected && o.takes(b, p, row) {
		return nil
	}
	var found []check.Found
	n := len(o.keys)
	keys := p.ruling.Keys[row*n : row*n+n]
	if o.isOver {
		o.onlyTwins(b.Number(row), keys)
	}
	for k, h := range keys {
		if h == (check.KeyHash{}) {
			continue
		}
		if first := o.keys[k].find(h); first != nil {
			f := o.repeat(b, p, row, k, first)
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
			o.keys[k].add(h, b.Number(row), b.Rows[row].Line)
		}
	}
	return found
}

func (o *owners) repeat(b *source.Batch, p *part, row, key int, other *holder) check.Found {
	return p.ruling.AddRepeat(o.plan, b, row, &o.plan.Keys[key], int64(other.row), int64(other.line), o.keep())
}

// saysAll reports whether nothing more is said of a row that repeats another: that all of it recurs
// says that its keys do.
func saysAll(f *check.Found) bool {
	return f.Code == violation.RowRepeated && f.Action != violation.Flag
}

// keep returns which of the rows that repeat one another are kept.
func (o *owners) keep() target.Kept {
	if o.run.Target == nil {
		return target.KeepFirst
	}
	return o.run.Target.Repeated.Keep
}

// takes lets a row take possession of the only key, where it is free.
func (o *owners) takes(b *source.Batch, p *part, row int) bool {
	h := p.ruling.Keys[row]
	if h == (check.KeyHash{}) {
		return true
	}
	return o.keys[0].takeFree(h, b.Number(row), b.Rows[row].Line)
}

// prepare makes room for a batch's keys and brings their slots near.
func (o *owners) prepare(b *source.Batch, p *part) (near uint64) {
	if o.ahead != nil {
		return 0
	}
	n := len(o.keys)
	for k := range n {
		set := &o.keys[k]
		if set.used == 0 && o.run.Size > 0 && !o.isOver {
			// The table grows once, to what the first batch lets expect.
			expected := o.run.Size / max(1, b.Bytes/int64(max(1, len(p.ends))))
			set.reserve(int(min(expected, int64(o.run.keyLimit()/n))))
		}
		if set.reserve(len(p.ends)); o.isOver {
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

// meet prepares for a batch: it notes what is known of its keys, and lets keys go to a file, which it reports, where
// there are more than memory is meant to hold.
func (o *owners) meet(b *source.Batch, p *part) (hasSpilt bool, err error) {
	if len(o.keys) == 0 {
		return false, nil
	}
	switch limit := o.run.keyLimit(); {
	case o.ahead != nil:
	case !o.isOver && o.held()+len(p.ends)*len(o.keys) > limit:
		err = o.overflow(b.FirstRow - 1)
		hasSpilt = o.spilt != nil
	case o.isOver && o.held() > limit:
		err = fmt.Errorf("more than %d rows repeat one another in one of several keys, which is more than memory may "+
			"hold; raise the memory for keys", limit)
	}
	if err == nil && o.twins != nil && (o.isOver || o.ahead != nil) {
		o.mine, err = o.twins.between(b.FirstRow, b.Number(len(p.ends)-1))
	}
	return hasSpilt, err
}

// recurring returns the rows whose keys recur, of those that went to a file; nil where there are none.
func (o *owners) recurring(ctx context.Context) (*twins, error) {
	return o.spilt.twins(ctx, o.run.Temporary, target.KeepFirst, len(o.keys) > 1)
}

// held returns how many keys are in memory.
func (o *owners) held() (used int) {
	for k := range o.keys {
		used += o.keys[k].used
	}
	return used
}

// overflow gives the keys in memory up, those of the rows up to one. In the first reading they
// go to a file; in the second only those are kept that recur, and those only where there are several
// keys, so that it takes the order of rows to tell which is kept.
func (o *owners) overflow(upTo int64) (err error) {
	o.isOver = true
	sets := o.keys
	o.keys = make([]keySet, len(sets))
	if o.twins == nil {
		o.spilt = newSpiltKeys(o.run.Temporary)
		for k := range sets {
			for h := range sets[k].all() {
				if err := o.spilt.add(keyed{h.hash, h.row, h.line, uint8(k), false}); err != nil {
					return err
				}
			}
		}
		return nil
	}
	recur, err := o.twins.between(1, upTo)
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
				o.keys[k].reserve(1)
				o.keys[k].add(h.hash, int64(h.row), int64(h.line))
			}
		}
	}
	return nil
}

// spill notes the keys of a row for later.
func (o *owners) spill(b *source.Batch, p *part, row int, isBad bool) {
	n := len(o.keys)
	for k, h := range p.ruling.Keys[row*n : row*n+n] {
		if h != (check.KeyHash{}) && o.failed == nil {
			o.failed = o.spilt.add(keyed{h, clamp(b.Number(row)), clamp(b.Rows[row].Line), uint8(k), isBad})
		}
	}
}

// takeTwins takes the twins of a row off those of its batch.
func (o *owners) takeTwins(row int64) []twin {
	for len(o.mine) > 0 && int64(o.mine[0].row) < row {
		o.mine = o.mine[1:]
	}
	n := 0
	for n < len(o.mine) && int64(o.mine[n].row) == row {
		n++
	}
	mine := o.mine[:n]
	o.mine = o.mine[n:]
	return mine
}

// onlyTwins leaves of the keys of a row those that recur.
func (o *owners) onlyTwins(row int64, keys []check.KeyHash) {
	mine := o.takeTwins(row)
	for k := range keys {
		if !slices.ContainsFunc(mine, func(t twin) bool { return int(t.key) == k }) {
			keys[k] = check.KeyHash{}
		}
	}
}

// twinsOf returns in what other rows the keys of a row occur, as a first reading has shown.
func (o *owners) twinsOf(b *source.Batch, p *part, row int) (found []check.Found) {
	for _, t := range o.takeTwins(b.Number(row)) {
		f := o.repeat(b, p, row, int(t.key), &holder{row: t.other, line: t.line})
		found = append(found, f)
		if saysAll(&f) {
			break
		}
	}
	return found
}

// looksAhead reports whether which row is kept shows only further on in the delivery.
func (o *owners) looksAhead() bool { return len(o.keys) > 0 && o.keep() != target.KeepFirst }

// noteRow notes the keys of a row that is right by itself.
func (o *owners) noteRow(a *ahead, b *source.Batch, p *part, row int) {
	n := len(a.keys)
	at := holder{row: clamp(b.Number(row)), line: clamp(b.Rows[row].Line)}
	for k, h := range p.ruling.Keys[row*n : row*n+n] {
		if h == (check.KeyHash{}) {
			continue
		}
		switch has := a.keys[k].find(h); {
		case has == nil:
			a.keys[k].add(h, b.Number(row), b.Rows[row].Line)
		case o.keep() == target.KeepLast:
			has.row, has.line = at.row, at.line
		default:
			if _, isThird := a.second[k][h]; !isThird {
				a.second[k][h] = at
			}
		}
	}
}

// others returns in what other rows the keys of a row occur, as looking ahead has shown.
func (o *owners) others(b *source.Batch, p *part, row int) (found []check.Found) {
	if len(o.ahead.keys) == 0 {
		return o.twinsOf(b, p, row)
	}
	n := len(o.keys)
	own := clamp(b.Number(row))
	for k, h := range p.ruling.Keys[row*n : row*n+n] {
		if h == (check.KeyHash{}) {
			continue
		}
		other := o.ahead.keys[k].find(h)
		if other != nil && other.row == own {
			other = nil
			if second, isRepeated := o.ahead.second[k][h]; isRepeated {
				other = &second
			}
		}
		if other == nil {
			continue
		}
		f := o.repeat(b, p, row, k, other)
		found = append(found, f)
		if saysAll(&f) {
			break
		}
	}
	return found
}
