package profile

import (
	"cmp"
	"slices"
	"strings"

	"sieb/core/distinct"
	"sieb/core/lexical"
)

// strays are the cells of a column in rows that are nearly empty: titles of pages, totals and lines of nothing but
// delimiters, which are likely no rows.
type strays struct {
	empty  int64
	texts  map[string]int64 // without the blanks around them
	isMany bool             // there are more texts than are noted
}

// mostStrays is how many different texts are noted.
const mostStrays = 64

func (s *strays) add(text []byte) {
	if text = lexical.Trim(text); len(text) == 0 {
		s.empty++
		return
	}
	s.note(string(text[:min(len(text), distinct.MaxHeld)]), 1)
}

func (s *strays) note(text string, n int64) {
	if s.texts == nil {
		s.texts = map[string]int64{}
	}
	if s.texts[text] += n; len(s.texts) > mostStrays {
		s.isMany, s.texts = true, nil
	}
	if s.isMany {
		s.texts = nil
	}
}

func (s *strays) merge(o *strays) {
	s.empty, s.isMany = s.empty+o.empty, s.isMany || o.isMany
	for text, n := range o.texts {
		s.note(text, n)
	}
	if s.isMany {
		s.texts = nil
	}
}

// list returns the texts that were noted, the most frequent first; none where there are many.
func (s *strays) list() (all []Value) {
	for text, n := range s.texts {
		all = append(all, Value{Value: text, Count: n})
	}
	slices.SortFunc(all, func(a, b Value) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Value, b.Value))
	})
	return all
}

// IsStray reports whether a value stands in rows alone that are likely none, or is a ruled line.
func (c *Column) IsStray(v Value) bool {
	text := string(lexical.Trim([]byte(v.Value)))
	const short = 3 // characters, which may stand for a missing value
	if len(text) > short && lexical.IsRuled(text) {
		return true
	}
	return slices.ContainsFunc(c.Stray, func(s Value) bool { return s.Value == text && s.Count >= v.Count })
}

// heads takes words that would pass for missing values for stray ones where they come together: one in a row that holds
// what does not fit, each time another text, in two other columns at least is of a page's head or the like.
func (p *Profile) heads() {
	type seen struct{ row, count int64 }
	in := map[seen]map[string]bool{} // the different texts
	for k := range p.Columns {
		c := &p.Columns[k]
		for _, v := range slices.Concat(c.Against, c.Placeholders) {
			at := seen{v.Row, v.Count}
			if in[at] == nil {
				in[at] = map[string]bool{}
			}
			in[at][v.Value] = true
		}
	}
	for k := range p.Columns {
		c := &p.Columns[k]
		for _, v := range c.Placeholders {
			if len(in[seen{v.Row, v.Count}]) >= 3 && !lexical.IsPlaceholder([]byte(v.Value)) && !c.IsStray(v) {
				c.Stray = append(c.Stray, Value{Value: string(lexical.Trim([]byte(v.Value))), Count: v.Count})
			}
		}
	}
}
