package sift

import (
	"iter"
	"sieb/core/check"
)

// keySet remembers which row holds each key. The zero keySet is empty.
//
// It is a hash table with open addressing and linear probing. A slot holds 32
// bits of the key's hash, its tag, above the key's ordinal; the keys stand
// apart, in order, and are looked at only where the tags agree. The place of a
// slot comes from the top bits of the tag, so that slots stand in the order
// of their tags: growing goes through both tables from front to back.
type keySet struct {
	slots []uint64 // tag<<32 | ordinal+1; 0 is free
	drop  uint     // tag>>drop is a slot's place
	keys  [][]holder
	used  int
}

// holder is a key and the row that holds it: 24 bytes.
type holder struct {
	hash      check.KeyHash
	row, line uint32
}

const (
	chunk   = 1 << 14 // holders that are allocated together
	maxKeys = 1<<32 - 2
)

func tagOf(h check.KeyHash) uint64 { return h.Lo >> 32 }

// reserve makes room for n more keys.
func (s *keySet) reserve(n int) {
	if (s.used+n)*3 <= len(s.slots)*2 {
		return
	}
	size, bits := 1<<10, uint(10)
	for (s.used+n)*3 > size*2 {
		size, bits = size*2, bits+1
	}
	old := s.slots
	s.slots, s.drop = make([]uint64, size), 32-bits
	askHuge(s.slots)
	for _, slot := range old {
		if slot != 0 {
			s.slots[s.free(slot>>32)] = slot
		}
	}
}

// free finds the first free slot for a tag.
func (s *keySet) free(tag uint64) uint64 {
	mask := uint64(len(s.slots) - 1)
	i := tag >> s.drop
	for s.slots[i] != 0 {
		i = (i + 1) & mask
	}
	return i
}

// touch begins to load the slot of a key. Called for many keys in a row, it
// lets the processor wait for memory once instead of once per key.
func (s *keySet) touch(h check.KeyHash) uint64 { return s.slots[tagOf(h)>>s.drop] }

// find returns the row that holds a key, nil where none does.
func (s *keySet) find(h check.KeyHash) *holder {
	mask := uint64(len(s.slots) - 1)
	tag := tagOf(h)
	for i := tag >> s.drop; s.slots[i] != 0; i = (i + 1) & mask {
		if slot := s.slots[i]; slot>>32 == tag {
			ordinal := slot&(1<<32-1) - 1
			if k := &s.keys[ordinal/chunk][ordinal%chunk]; k.hash == h {
				return k
			}
		}
	}
	return nil
}

// takeFree puts in a key whose first slot is free, which is most often so. It
// returns false where it takes a closer look.
func (s *keySet) takeFree(h check.KeyHash, row, line int64) bool {
	slot := &s.slots[tagOf(h)>>s.drop]
	if *slot != 0 {
		return false
	}
	*slot = tagOf(h)<<32 | s.append(h, row, line)
	return true
}

// append adds a holder and gives its ordinal plus one.
func (s *keySet) append(h check.KeyHash, row, line int64) uint64 {
	if s.used%chunk == 0 {
		s.keys = append(s.keys, make([]holder, 0, chunk))
	}
	last := &s.keys[len(s.keys)-1]
	*last = append(*last, holder{h, clamp(row), clamp(line)})
	s.used++
	return uint64(s.used)
}

// all yields the holders in the order in which they were put in.
func (s *keySet) all() iter.Seq[*holder] {
	return func(yield func(*holder) bool) {
		for _, chunk := range s.keys {
			for i := range chunk {
				if !yield(&chunk[i]) {
					return
				}
			}
		}
	}
}

// add puts in a key that find did not find; room for it was reserved.
func (s *keySet) add(h check.KeyHash, row, line int64) {
	s.slots[s.free(tagOf(h))] = tagOf(h)<<32 | s.append(h, row, line)
}

// clamp keeps a number that is too great for 32 bits from becoming a false one.
func clamp(n int64) uint32 { return uint32(min(n, 1<<32-1)) }
