package check

import "sieb/core/value"

const (
	maxKnown  = value.MaxWords // bytes of a cell, and of its canonical form, that a memory holds
	placeBits = 10             // 2^placeBits answers per column
	trial     = 1 << 12        // cells after which a memory is judged itself
	maxLanes  = 256            // columns of one judge that have a memory, 48 KiB each
)

// memory remembers the answers for a column's cells that were clean: the
// canonical form of each, and the remedies that changed it. Most columns of
// most deliveries hold few different values, which then need not be judged
// again. A column of ever new values gives up its memory.
type memory struct {
	isOn        bool
	asked, hits int
	answers     *[1 << placeBits]answer
}

// answer is a cell, told by its words and length, and what was made of it.
type answer struct {
	head, tail uint64
	length     uint8 // of the cell
	outLength  uint8
	isKnown    bool
	isSame     bool // the canonical form is the cell as it stands
	changed    uint64
	out        [maxKnown]byte
}

// slotOf returns the place where the answer for a cell is kept.
func slotOf(head, tail uint64, length int) uint64 {
	return (head ^ tail*0x9E3779B97F4A7C15 ^ uint64(length)) * 0xD6E8FEB86659FD93 >> (64 - placeBits)
}

// judge ends a memory that is of no use.
func (m *memory) judge() {
	if m.asked >= trial {
		if m.hits < m.asked/2 {
			m.isOn, m.answers = false, nil
		}
		m.asked, m.hits = 0, 0
	}
}

// keep remembers a clean cell.
func (a *answer) keep(raw, out []byte, changed uint64) {
	if len(out) > maxKnown {
		return
	}
	a.head, a.tail = value.Words(raw)
	a.length, a.outLength, a.isKnown = uint8(len(raw)), uint8(len(out)), true
	a.changed = changed
	a.isSame = changed == 0 && string(raw) == string(out)
	copy(a.out[:], out)
}
