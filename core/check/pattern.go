package check

import (
	"regexp"
	"regexp/syntax"
)

// pattern reports whether whole texts match a regular expression. Expressions
// that are a plain sequence of ASCII characters and counted classes, as those
// of numbers and codes are, run as such; others remember their answers.
type pattern struct {
	run    []repeat
	simple bool
	full   *regexp.Regexp
}

// repeat is a class of characters, so many times.
type repeat struct {
	class    [4]uint64 // a bit per byte
	min, max int
}

func (r *repeat) has(c byte) bool { return r.class[c>>6]&(1<<(c&63)) != 0 }

func newPattern(expr string) (*pattern, error) {
	parsed, err := syntax.Parse(expr, syntax.Perl)
	if err != nil {
		return nil, err
	}
	p := &pattern{}
	if p.simple = p.flatten(parsed); p.simple {
		p.simple = p.isGreedy()
	}
	if !p.simple {
		p.full, err = regexp.Compile(`\A(?:` + expr + `)\z`)
	}
	return p, err
}

// flatten adds the expression's parts to run, false where it is not simple.
func (p *pattern) flatten(e *syntax.Regexp) bool {
	switch e.Op {
	case syntax.OpEmptyMatch:
		return true
	case syntax.OpConcat:
		for _, sub := range e.Sub {
			if !p.flatten(sub) {
				return false
			}
		}
		return true
	case syntax.OpCapture:
		return p.flatten(e.Sub[0])
	case syntax.OpLiteral:
		for _, r := range e.Rune {
			if e.Flags&syntax.FoldCase != 0 || r > 127 {
				return false
			}
			one := repeat{min: 1, max: 1}
			one.add(r, r)
			p.run = append(p.run, one)
		}
		return true
	case syntax.OpCharClass:
		one := repeat{min: 1, max: 1}
		for i := 0; i < len(e.Rune); i += 2 {
			if e.Rune[i+1] > 127 {
				return false
			}
			one.add(e.Rune[i], e.Rune[i+1])
		}
		p.run = append(p.run, one)
		return true
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest, syntax.OpRepeat:
		least, most := e.Min, e.Max
		switch e.Op {
		case syntax.OpStar:
			least, most = 0, -1
		case syntax.OpPlus:
			least, most = 1, -1
		case syntax.OpQuest:
			least, most = 0, 1
		}
		from := len(p.run)
		if !p.flatten(e.Sub[0]) || len(p.run) != from+1 || p.run[from].min != 1 || p.run[from].max != 1 {
			return false
		}
		p.run[from].min, p.run[from].max = least, most
		return true
	}
	return false
}

func (r *repeat) add(lo, hi rune) {
	for c := lo; c <= hi; c++ {
		r.class[c>>6] |= 1 << (c & 63)
	}
}

// isGreedy reports whether taking as many characters as each part can get never
// takes one that a later part needs.
func (p *pattern) isGreedy() bool {
	for i := range p.run {
		if p.run[i].min == p.run[i].max {
			continue
		}
		for k := i + 1; k < len(p.run); k++ {
			for w := range p.run[i].class {
				if p.run[i].class[w]&p.run[k].class[w] != 0 {
					return false
				}
			}
			if p.run[k].min > 0 {
				break
			}
		}
	}
	return true
}

// longestKnown is how many bytes a text has whose answer is remembered.
const longestKnown = 256

func (p *pattern) matches(text []byte, known map[string]bool) bool {
	if !p.simple && len(text) > longestKnown {
		return p.full.Match(text)
	}
	if !p.simple {
		if is, ok := known[string(text)]; ok {
			return is
		}
		is := p.full.Match(text)
		if len(known) >= 1<<14 {
			clear(known)
		}
		known[string(text)] = is
		return is
	}
	i := 0
	for k := range p.run {
		r := &p.run[k]
		n := 0
		for i < len(text) && n != r.max && r.has(text[i]) {
			i++
			n++
		}
		if n < r.min {
			return false
		}
	}
	return i == len(text)
}
