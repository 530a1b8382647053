// Package compare compares what two runs count: violations, and cells that remedies changed. How their rows differ is
// for package result.
package compare

import (
	"slices"
	"strings"

	"sieb/core/sift"
)

// Counts is how often something was counted in two runs.
type Counts struct {
	Column string `json:"column"`
	What   string `json:"what" doc:"code of a violation, or name of a remedy"`
	Before int64  `json:"before"`
	After  int64  `json:"after"`
}

// Violations compares the rows of each violation, those that differ most first.
func Violations(before, after []sift.Group) []Counts {
	c := counts{}
	for _, g := range before {
		c.at(g.Column, g.Code.String()).Before += max(g.Rows, 1)
	}
	for _, g := range after {
		c.at(g.Column, g.Code.String()).After += max(g.Rows, 1)
	}
	return c.sorted()
}

// Remedies compares the cells that each remedy changed.
func Remedies(before, after []sift.Remedy) []Counts {
	c := counts{}
	for _, r := range before {
		c.at(r.Column, r.Remedy).Before += r.Changed
	}
	for _, r := range after {
		c.at(r.Column, r.Remedy).After += r.Changed
	}
	return c.sorted()
}

type counts map[[2]string]*Counts

func (c counts) at(column, what string) *Counts {
	key := [2]string{column, what}
	if c[key] == nil {
		c[key] = &Counts{Column: column, What: what}
	}
	return c[key]
}

// sorted returns what differs, most first.
func (c counts) sorted() []Counts {
	all := []Counts{}
	for _, one := range c {
		if one.Before != one.After {
			all = append(all, *one)
		}
	}
	apart := func(c Counts) int64 { return max(c.After-c.Before, c.Before-c.After) }
	slices.SortFunc(all, func(a, b Counts) int {
		switch d := apart(b) - apart(a); {
		case d != 0:
			return int(max(-1, min(1, d)))
		case a.Column != b.Column:
			return strings.Compare(a.Column, b.Column)
		}
		return strings.Compare(a.What, b.What)
	})
	return all
}
