package reference

import (
	"iter"

	"sieb/core/check"
)

// set is a set of keys: a hash table with open addressing and linear probing, at most two thirds
// full, in which a look-up takes one place of memory most often. The zero set is empty.
type set struct {
	slots []check.KeyHash // the zero hash is no key, and stands for a free slot
	shift uint
	used  int
}

func (s *set) place(h check.KeyHash) uint64 {
	mask := uint64(len(s.slots) - 1)
	i := h.Lo >> s.shift
	for s.slots[i] != (check.KeyHash{}) && s.slots[i] != h {
		i = (i + 1) & mask
	}
	return i
}

func (s *set) has(h check.KeyHash) bool { return s.used > 0 && s.slots[s.place(h)] == h }

func (s *set) add(h check.KeyHash) {
	if 3*(s.used+1) > 2*len(s.slots) {
		old := s.slots
		bits := uint(4)
		for 1<<bits < 2*len(old) {
			bits++
		}
		s.slots, s.shift, s.used = make([]check.KeyHash, 1<<bits), 64-bits, 0
		for _, other := range old {
			if other != (check.KeyHash{}) {
				s.add(other)
			}
		}
	}
	if i := s.place(h); s.slots[i] != h {
		s.slots[i] = h
		s.used++
	}
}

// all yields the keys, in no order.
func (s *set) all() iter.Seq[check.KeyHash] {
	return func(yield func(check.KeyHash) bool) {
		for _, h := range s.slots {
			if h != (check.KeyHash{}) && !yield(h) {
				return
			}
		}
	}
}
