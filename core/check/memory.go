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
	changed   uint64
	out       [recall.Longest]byte
}

// remember keeps what was made of a clean cell.
func (l *lane) remember(raw, out []byte, changed uint64) {
	if len(out) > recall.Longest {
		return
	}
	head, tail := value.Words(raw)
	a := l.memory.Keep(head, tail, uint32(len(raw)))
	a.outLength, a.changed = uint8(len(out)), changed
	a.isSame = changed == 0 && string(raw) == string(out)
	copy(a.out[:], out)
}
