package distinct

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
)

// Sighting is where a text stands first. Row and line count from 1.
type Sighting struct {
	Row, Line int64
	Text      []byte // as held
}

// Copied returns a sighting whose text stays when the table that it is from changes.
func (s Sighting) Copied() Sighting {
	s.Text = slices.Clone(s.Text)
	return s
}

// Replace puts in a text that comes before (-1) or behind (+1) in the order of
// bytes, or the same where it stands earlier.
func (s *Sighting) Replace(o Sighting, sign int) {
	if c := bytes.Compare(o.Text, s.Text) * sign; o.Row > 0 && (s.Row == 0 || c > 0 || c == 0 && o.Row < s.Row) {
		s.Set(o)
	}
}

// Set makes s a copy of o, in the space that its text has.
func (s *Sighting) Set(o Sighting) {
	s.Row, s.Line, s.Text = o.Row, o.Line, append(s.Text[:0], o.Text...)
}

// MaxSightings is how many sightings are kept of what may be in many rows.
const MaxSightings = 10

// Sightings are the first rows of different texts, in the order of rows, at most
// MaxSightings. Merged in any order they give the same.
type Sightings []Sighting

// Add adds a sighting of a text.
func (s *Sightings) Add(at Sighting) {
	if len(*s) == MaxSightings && at.Row >= (*s)[MaxSightings-1].Row {
		return
	}
	for i, o := range *s {
		if string(o.Text) == string(at.Text) {
			if at.Row >= o.Row {
				return
			}
			*s = slices.Delete(*s, i, i+1)
			break
		}
	}
	s.insert(at)
}

// Merge adds all of others.
func (s *Sightings) Merge(o Sightings) {
	for _, at := range o {
		s.Add(at)
	}
}

// Shown returns a text as held for a person: valid UTF-8, with … where it is cut.
func Shown(text []byte) string {
	s := strings.ToValidUTF8(string(Start(text)), "\uFFFD")
	if IsLong(text) {
		s += "…"
	}
	return s
}

// AddRow adds a sighting of which only the row matters; each row comes once.
func (s *Sightings) AddRow(at Sighting) {
	if len(*s) == MaxSightings && at.Row >= (*s)[MaxSightings-1].Row {
		return
	}
	s.insert(at)
}

// MergeRows adds all of others, of which only the rows matter.
func (s *Sightings) MergeRows(o Sightings) {
	for _, at := range o {
		s.AddRow(at)
	}
}

// insert puts a sighting in its place by row.
func (s *Sightings) insert(at Sighting) {
	k, _ := slices.BinarySearchFunc(*s, at, func(a, b Sighting) int { return cmp.Compare(a.Row, b.Row) })
	*s = slices.Insert(*s, k, at.Copied())
	*s = (*s)[:min(len(*s), MaxSightings)]
}
