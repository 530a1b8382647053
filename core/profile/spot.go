package profile

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
)

// spot is where a text stands first. Row and line count from 1.
type spot struct {
	row, line int64
	text      []byte // as held
}

// copied returns a spot whose text stays when the table that it is from changes.
func (s spot) copied() spot {
	s.text = slices.Clone(s.text)
	return s
}

// replace puts in a text that comes before (-1) or behind (+1) in the order of
// bytes, or the same where it stands earlier.
func (s *spot) replace(o spot, sign int) {
	if c := bytes.Compare(o.text, s.text) * sign; o.row > 0 && (s.row == 0 || c > 0 || c == 0 && o.row < s.row) {
		s.set(o)
	}
}

// set makes s a copy of o, in the space that its text has.
func (s *spot) set(o spot) {
	s.row, s.line, s.text = o.row, o.line, append(s.text[:0], o.text...)
}

// maxSpots is how many spots are kept of what may be in many rows.
const maxSpots = 10

// spots are the first rows of different texts, in the order of rows, at most
// maxSpots. Merged in any order they give the same.
type spots []spot

func (s *spots) add(at spot) {
	if len(*s) == maxSpots && at.row >= (*s)[maxSpots-1].row {
		return
	}
	for i, o := range *s {
		if string(o.text) == string(at.text) {
			if at.row >= o.row {
				return
			}
			*s = slices.Delete(*s, i, i+1)
			break
		}
	}
	s.insert(at)
}

func (s *spots) merge(o spots) {
	for _, at := range o {
		s.add(at)
	}
}

// shown returns a text as held for a person: valid UTF-8, with … where it is cut.
func shown(text []byte) string {
	s := strings.ToValidUTF8(string(start(text)), "\uFFFD")
	if isLong(text) {
		s += "…"
	}
	return s
}

// addRow adds a spot of which only the row matters; each row comes once.
func (s *spots) addRow(at spot) {
	if len(*s) == maxSpots && at.row >= (*s)[maxSpots-1].row {
		return
	}
	s.insert(at)
}

func (s *spots) mergeRows(o spots) {
	for _, at := range o {
		s.addRow(at)
	}
}

// insert puts a spot in its place by row.
func (s *spots) insert(at spot) {
	k, _ := slices.BinarySearchFunc(*s, at, func(a, b spot) int { return cmp.Compare(a.row, b.row) })
	*s = slices.Insert(*s, k, at.copied())
	*s = (*s)[:min(len(*s), maxSpots)]
}
