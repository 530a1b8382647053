package check

import (
	"encoding/binary"
	"sync/atomic"

	"github.com/zeebo/xxh3"
)

// Pair is a way in which a remedy changed cells: what stood in them before it, and after.
type Pair struct {
	Column, Remedy int // the remedy among those that Plan.Remedies names
	Cells          int64
	ID             KeyHash // tells it from pairs that look alike, since long texts are cut

	before, after, end uint32 // in the ruling's text
}

// maxPaired is how many bytes of a text a pair shows.
const maxPaired = 100

// Before returns what stood in the cells.
func (r *Ruling) Before(p *Pair) []byte { return r.text[p.before:p.after] }

// After returns what the remedy made of it.
func (r *Ruling) After(p *Pair) []byte { return r.text[p.after:p.end] }

// Watch is shared by judges that note the pairs of remedies, and whoever adds them up: of a
// remedy of which enough are known no more are noted.
type Watch struct {
	first   []int // the place of each column's first remedy
	stopped []atomic.Bool
}

// NewWatch returns a Watch over all remedies.
func (p *Plan) NewWatch() *Watch {
	w := &Watch{}
	n := 0
	for i := range p.columns {
		w.first = append(w.first, n)
		n += len(p.Remedies(i))
	}
	w.stopped = make([]atomic.Bool, n)
	return w
}

// Stop ends the noting of a remedy's pairs. Batches that are judged at the same time may
// have some still.
func (w *Watch) Stop(column, remedy int) { w.stopped[w.first[column]+remedy].Store(true) }

// pairing is what a judge notes the pairs of a batch with.
type pairing struct {
	watch  *Watch // nil for who is not interested
	batch  int32  // number of the batch, so that what was noted in another is told apart
	at     map[KeyHash]int32
	cell   []int32 // the pairs of the cell at hand, as places in the ruling
	groups []int32 // those of answers that are remembered: their number, and they
	buf    []byte
}

// Watch lets the judge note the pairs of remedies.
func (j *Judge) Watch(w *Watch) *Judge {
	j.pairs.watch, j.pairs.at = w, map[KeyHash]int32{}
	for i := range j.lanes {
		if l := &j.lanes[i]; l.chain != nil {
			l.chain.Seen = func(remedy int, before, after []byte) { j.pair(l.place, remedy, before, after) }
		}
	}
	return j
}

func (p *pairing) start() {
	p.batch++
	p.groups = p.groups[:0]
	clear(p.at)
}

// pair notes that a remedy changed the cell at hand.
func (j *Judge) pair(column, remedy int, before, after []byte) {
	p, out := &j.pairs, j.out
	if p.watch == nil || j.isTrying || p.watch.stopped[p.watch.first[column]+remedy].Load() {
		return
	}
	p.buf = binary.LittleEndian.AppendUint32(p.buf[:0], uint32(column))
	p.buf = binary.LittleEndian.AppendUint32(p.buf, uint32(remedy))
	p.buf = binary.LittleEndian.AppendUint32(p.buf, uint32(len(before)))
	p.buf = append(append(p.buf, before...), after...)
	id := xxh3.Hash128(p.buf)
	at, isKnown := p.at[id]
	if !isKnown {
		at = int32(len(out.Pairs))
		p.at[id] = at
		new := Pair{Column: column, Remedy: remedy, ID: id, before: uint32(len(out.text))}
		out.text = appendValid(out.text, before, maxPaired)
		new.after = uint32(len(out.text))
		out.text = appendValid(out.text, after, maxPaired)
		new.end = uint32(len(out.text))
		out.Pairs = append(out.Pairs, new)
	}
	out.Pairs[at].Cells++
	p.cell = append(p.cell, at)
}

// forget takes the pairs of the cell at hand back, and that it was changed.
func (j *Judge) forget() {
	j.changed = 0
	for _, at := range j.pairs.cell {
		j.out.Pairs[at].Cells--
	}
	j.pairs.cell = j.pairs.cell[:0]
}

// group remembers the pairs of the cell at hand, and returns where.
func (p *pairing) group() (at int32) {
	at = int32(len(p.groups))
	p.groups = append(append(p.groups, int32(len(p.cell))), p.cell...)
	return at
}

// again counts the pairs of a group once more.
func (j *Judge) again(group int32) {
	if j.pairs.watch == nil {
		return
	}
	n := j.pairs.groups[group]
	for _, at := range j.pairs.groups[group+1 : group+1+n] {
		j.out.Pairs[at].Cells++
	}
}
