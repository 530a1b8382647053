package profile

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
)

// sighting is where a text stands first. Row and line count from 1.
type sighting struct {
	row, line int64
	text      []byte // as held
}

// copied returns a sighting whose text stays when the table that it is from changes.
func (s sighting) copied() sighting {
	s.text = slices.Clone(s.text)
	return s
}

// replace puts in a text that comes before (-1) or behind (+1) in the order of
// bytes, or the same where it stands earlier.
func (s *sighting) replace(o sighting, sign int) {
	if c := bytes.Compare(o.text, s.text) * sign; o.row > 0 && (s.row == 0 || c > 0 || c == 0 && o.row < s.row) {
		s.set(o)
	}
}

// set makes s a copy of o, in the space that its text has.
func (s *sighting) set(o sighting) {
	s.row, s.line, s.text = o.row, o.line, append(s.text[:0], o.text...)
}

// maxSightings is how many sightings are kept of what may be in many rows.
const maxSightings = 10

// sightings are the first rows of different texts, in the order of rows, at most
// maxSightings. Merged in any order they give the same.
type sightings []sighting

func (s *sightings) add(at sighting) {
	if len(*s) == maxSightings && at.row >= (*s)[maxSightings-1].row {
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

func (s *sightings) merge(o sightings) {
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

// addRow adds a sighting of which only the row matters; each row comes once.
func (s *sightings) addRow(at sighting) {
	if len(*s) == maxSightings && at.row >= (*s)[maxSightings-1].row {
		return
	}
	s.insert(at)
}

func (s *sightings) mergeRows(o sightings) {
	for _, at := range o {
		s.addRow(at)
	}
}

// insert puts a sighting in its place by row.
func (s *sightings) insert(at sighting) {
	k, _ := slices.BinarySearchFunc(*s, at, func(a, b sighting) int { return cmp.Compare(a.row, b.row) })
	*s = slices.Insert(*s, k, at.copied())
	*s = (*s)[:min(len(*s), maxSightings)]
}
