package profile

import (
	"sieb/core/distinct"
	"sieb/core/recall"
	"sieb/core/value"
	"sieb/core/workbook"
)

// answer is the entry of a text, whose hash then need not be computed, and which need not be
// looked for, again.
type answer struct {
	hash  uint64
	entry *distinct.Entry
	count uint32 // of texts that the entry does not count yet
}

// settle lets the entry count all that was met.
func (a *answer) settle() {
	if a.count > 0 {
		a.entry.Count += int64(a.count)
		a.count = 0
	}
}

// remember keeps the entry of a text.
func (c *column) remember(text []byte, kind workbook.Kind, hash uint64, e *distinct.Entry) {
	if !c.memory.IsOn() || len(text) > recall.Longest {
		return
	}
	head, tail := value.Words(text)
	a := c.memory.Keep(head, tail, uint32(len(text))|uint32(kind)<<distinct.KindShift)
	a.settle()
	*a = answer{hash: hash, entry: e}
}
