package profile

import (
	"sieb/core/distinct"
	"sieb/core/value"
	"sieb/core/workbook"
)

const (
	placeBits   = 10      // 2^placeBits answers per column
	trial       = 1 << 14 // cells after which a memory is judged
	maxMemories = 256     // columns that have one, 40 KiB each
)

// memory remembers the entries of a column's short texts. Most columns hold few
// different values, whose hashes then need not be computed, and whose entries
// not be looked for, again. A column of ever new values gives it up.
type memory struct {
	asked, missed int
	answers       *[1 << placeBits]answer
}

// answer is a text, told by its words and its size, and where it is counted.
type answer struct {
	head, tail uint64
	hash       uint64
	entry      *distinct.Entry
	size       uint32 // and kind, as in the entry
	count      uint32 // of texts that the entry does not count yet
}

func (a *answer) settle() {
	if a.count > 0 {
		a.entry.Count += int64(a.count)
		a.count = 0
	}
}

func place(head, tail uint64, length int) uint64 {
	return (head ^ tail*0x9E3779B97F4A7C15 ^ uint64(length)) * 0xD6E8FEB86659FD93 >> (64 - placeBits)
}

func (m *memory) keep(text []byte, kind workbook.Kind, hash uint64, e *distinct.Entry) {
	if m.answers == nil || len(text) > value.MaxWords {
		return
	}
	head, tail := value.Words(text)
	a := &m.answers[place(head, tail, len(text))]
	a.settle()
	*a = answer{head, tail, hash, e, uint32(len(text)) | uint32(kind)<<distinct.KindShift, 0}
}

// judge ends a memory that is of no use.
func (m *memory) judge(asked, missed int) {
	if m.asked, m.missed = m.asked+asked, m.missed+missed; m.asked < trial {
		return
	}
	if 4*m.missed > 3*m.asked {
		m.settle()
		m.answers = nil
	}
	m.asked, m.missed = 0, 0
}

// settle lets the entries count all that was met.
func (m *memory) settle() {
	if m.answers != nil {
		for i := range m.answers {
			m.answers[i].settle()
		}
	}
}

// forget empties a memory whose entries are gone.
func (m *memory) forget() {
	if m.answers != nil {
		clear(m.answers[:])
	}
}
