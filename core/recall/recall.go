// Package recall remembers what was made of short texts, so that it need not be made again:
// most columns hold few different values.
//
// It knows nothing of what is remembered, and only ever forgets: a text that is not
// remembered is one to be looked at anew.
package recall

import "sieb/core/value"

const (
	placeBits = 10 // 2^placeBits texts are remembered

	// Longest is how many bytes a text has at the most that is remembered.
	Longest = value.MaxWords
	// Most is how many columns of one delivery have a memory: 40 to 60 KiB each.
	Most = 256
)

// Memory remembers an answer for each of some texts. The zero Memory remembers nothing until
// it is begun. A text is told by its words and its tag: its length, and what else tells it
// from other texts.
type Memory[A any] struct {
	slots         *[1 << placeBits]slot[A]
	asked, missed int
}

type slot[A any] struct {
	head, tail uint64
	tag        uint32 // plus one, so that the zero slot has no text
	answer     A
}

// Begin lets the memory remember.
func (m *Memory[A]) Begin() { m.slots = new([1 << placeBits]slot[A]) }

// End gives the memory up.
func (m *Memory[A]) End() { m.slots = nil }

// IsOn reports whether the memory remembers.
func (m *Memory[A]) IsOn() bool { return m.slots != nil }

// place returns where the answer for a text is kept.
func place(head, tail uint64, tag uint32) uint64 {
	return (head ^ tail*0x9E3779B97F4A7C15 ^ uint64(tag)) * 0xD6E8FEB86659FD93 >> (64 - placeBits)
}

// Find returns the answer for a text, nil where it is not remembered. The memory is on.
func (m *Memory[A]) Find(head, tail uint64, tag uint32) *A {
	if s := &m.slots[place(head, tail, tag)]; s.head == head && s.tail == tail && s.tag == tag+1 {
		return &s.answer
	}
	return nil
}

// Keep makes room for the answer for a text, and returns it with what stands there: the
// answer for another text, whose place it takes, or the zero one.
func (m *Memory[A]) Keep(head, tail uint64, tag uint32) *A {
	s := &m.slots[place(head, tail, tag)]
	s.head, s.tail, s.tag = head, tail, tag+1
	return &s.answer
}

// Judge counts how many texts were asked for, and how many of them were not remembered. Once
// there are enough to tell, it reports whether the memory is of no use: where more than
// this share of them, in quarters, was not.
func (m *Memory[A]) Judge(asked, missed, quarters int) (isUseless bool) {
	const enough = 1 << 13
	if m.asked, m.missed = m.asked+asked, m.missed+missed; m.asked < enough {
		return false
	}
	isUseless = 4*m.missed > quarters*m.asked
	m.asked, m.missed = 0, 0
	return isUseless
}

// All calls see with each answer, and with what no text has yet.
func (m *Memory[A]) All(see func(*A)) {
	if m.slots != nil {
		for i := range m.slots {
			see(&m.slots[i].answer)
		}
	}
}

// Forget empties the memory.
func (m *Memory[A]) Forget() {
	if m.slots != nil {
		clear(m.slots[:])
	}
}
