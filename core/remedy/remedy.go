// Package remedy applies the declared cleanings of a column to its cells.
//
// It knows text only, neither datatypes nor rules; what changed is told to the
// caller, who counts it.
package remedy

import (
	"bytes"
	"unicode"
	"unicode/utf8"

	"sieb/core/target"
)

// Chain is the remedies of one column, in order. It holds scratch space and
// serves one goroutine.
type Chain struct {
	steps []step
	stop  func(cell []byte) bool
	space [2][]byte
}

// step cleans a cell: it returns the cell itself and false where nothing
// changed. The steps that write append to dst; the others return a view.
type step struct {
	clean  func(dst, cell []byte) ([]byte, bool)
	writes bool
}

// NewChain makes the chain of a column's remedies. A cell for which stop holds
// after a remedy is left as it is by those that follow: trimmed to "n/a", it is
// not made "N/A" by upper where "n/a" means that there is no value.
func NewChain(remedies []target.Remedy, stop func(cell []byte) bool) *Chain {
	c := &Chain{stop: stop}
	for _, r := range remedies {
		switch r.Name {
		case "trim":
			c.steps = append(c.steps, step{clean: trim})
		case "squeeze":
			c.steps = append(c.steps, step{squeeze, true})
		case "upper":
			c.steps = append(c.steps, step{toUpper, true})
		case "lower":
			c.steps = append(c.steps, step{toLower, true})
		case "recode":
			pairs := make(map[string][]byte, len(r.Recode))
			for from, to := range r.Recode {
				if from != to {
					pairs[from] = []byte(to)
				}
			}
			c.steps = append(c.steps, step{clean: func(_, cell []byte) ([]byte, bool) {
				if to, ok := pairs[string(cell)]; ok {
					return to, true
				}
				return cell, false
			}})
		}
	}
	return c
}

// Apply cleans one cell. Bit i of changed is set where remedy i of the chain
// changed it. The result may be the cell itself, or lie in the chain's scratch
// space until the next Apply.
func (c *Chain) Apply(cell []byte) (out []byte, changed uint64) {
	turn := 0
	for i, step := range c.steps {
		next, did := step.clean(c.space[turn][:0], cell)
		if !did {
			continue
		}
		changed |= 1 << i
		cell = next
		if step.writes {
			c.space[turn] = next[:0]
			turn ^= 1 // the other half, since cell lies in this one
		}
		if c.stop(cell) {
			break
		}
	}
	return cell, changed
}

// Traced is what one remedy made of a cell.
type Traced struct {
	Text    string
	Changed bool
}

// Trace returns what each remedy made of a cell, as far as they were applied.
func (c *Chain) Trace(cell []byte) (steps []Traced) {
	for _, step := range c.steps {
		next, did := step.clean(nil, cell)
		steps = append(steps, Traced{string(next), did})
		if cell = next; did && c.stop(cell) {
			break
		}
	}
	return steps
}

// trim takes off white space (Unicode property White_Space) at both ends.
func trim(_, cell []byte) ([]byte, bool) {
	out := bytes.TrimSpace(cell)
	return out, len(out) != len(cell)
}

// squeeze makes one blank of each run of white space inside the cell; what
// stands at the ends is left to trim.
func squeeze(dst, cell []byte) ([]byte, bool) {
	run, clean := false, true
	for _, c := range cell {
		blank := c == ' '
		if blank && run || c < ' ' || c >= utf8.RuneSelf {
			clean = false
			break
		}
		run = blank
	}
	if clean {
		return cell, false
	}
	run = false
	for i := 0; i < len(cell); {
		r, n := utf8.DecodeRune(cell[i:])
		if !unicode.IsSpace(r) {
			dst = append(dst, cell[i:i+n]...)
		} else if !run {
			dst = append(dst, ' ')
		}
		run = unicode.IsSpace(r)
		i += n
	}
	if bytes.Equal(dst, cell) {
		return cell, false
	}
	return dst, true
}

func toUpper(dst, cell []byte) ([]byte, bool) { return mapCase(dst, cell, 'a', 'z', unicode.ToUpper) }

func toLower(dst, cell []byte) ([]byte, bool) { return mapCase(dst, cell, 'A', 'Z', unicode.ToLower) }

// mapCase changes letters; those from lo to hi are the ASCII ones that change.
func mapCase(dst, cell []byte, lo, hi byte, to func(rune) rune) ([]byte, bool) {
	clean := true
	for _, c := range cell {
		if c >= lo && c <= hi || c >= utf8.RuneSelf {
			clean = false
			break
		}
	}
	if clean {
		return cell, false
	}
	for i := 0; i < len(cell); {
		c := cell[i]
		if c >= utf8.RuneSelf {
			r, n := utf8.DecodeRune(cell[i:])
			if r == utf8.RuneError && n == 1 {
				dst = append(dst, c)
			} else {
				dst = utf8.AppendRune(dst, to(r))
			}
			i += n
			continue
		}
		if c >= lo && c <= hi {
			c ^= 0x20
		}
		dst = append(dst, c)
		i++
	}
	if bytes.Equal(dst, cell) {
		return cell, false
	}
	return dst, true
}
