package check

import (
	"sieb/core/recall"
	"sieb/core/value"
)

// answer is what was made of a cell that was clean: its canonical form, and the remedies
// that changed it.
type answer struct {
	outLength uint8
	isSame    bool // the canonical form is the cell as it stands
	isEmpty   bool // it is a text without characters
	isOdd     bool // it takes quotes, or is such a text
	changed   uint64
	batch     int32 // in which the cell was changed last, and how
	pairs     int32 // a group
	out       [recall.Longest]byte
}

// remember keeps what was made of the cell at hand, which is clean.
func (j *Judge) remember(l *lane, raw, out []byte) {
	if len(out) > recall.Longest {
		return
	}
	head, tail := value.Words(raw)
	a := l.memory.Keep(head, tail, uint32(len(raw)))
	a.outLength, a.changed = uint8(len(out)), j.changed
	a.isEmpty, a.isOdd = isEmptyText(out), j.isOdd
	a.isSame = j.changed == 0 && string(raw) == string(out) && !a.isEmpty
	if j.changed != 0 {
		a.batch, a.pairs = j.pairs.batch, j.pairs.group()
	}
	copy(a.out[:], out)
}
