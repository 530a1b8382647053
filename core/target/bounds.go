package target

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"strings"

	"github.com/goccy/go-yaml/token"
)

// Bounds of a target's text. All of it is written by hand or drawn from a profile,
// and each part costs as much as it says; docs/limits.md lists them.
const (
	maxText     = 4 << 20 // bytes
	maxDepth    = 50      // of nesting
	maxBlock    = 20_000  // properties that stand below one another
	maxProblems = 100     // that are told
	maxColumns  = 1 << 14
	maxKey      = 32      // columns
	maxRules    = 1000    // row rules; exclusions; columns that are computed or required by a condition
	maxTexts    = 100     // titles and null texts of a column
	maxFormats  = 20      // of a column
	maxListed   = 100_000 // values of oneOf, pairs of recode
	maxScalar   = 4096    // bytes of one text
	maxLiteral  = 100     // bytes of a minimum or maximum, and of a number or date in oneOf
	maxPattern  = 1000    // instructions of a regular expression
	maxMessage  = 400     // bytes of a problem
)

// shape goes over the tokens of a text before they are parsed, since parsing takes
// memory for each level and time for the square of the properties that stand below
// one another.
type shape struct {
	flow   int     // levels of brackets and braces
	blocks []block // those that the tokens are in
	work   int     // the squares of the blocks before
}

// block is a run of properties or entries at one column.
type block struct{ column, entries int }

// enter counts an entry at a column, in the block there or in a new one.
func (s *shape) enter(column int) {
	for n := len(s.blocks) - 1; n >= 0 && s.blocks[n].column > column; n-- {
		s.work += s.blocks[n].entries * s.blocks[n].entries
		s.blocks = s.blocks[:n]
	}
	if n := len(s.blocks) - 1; n < 0 || s.blocks[n].column < column {
		s.blocks = append(s.blocks, block{column: column})
	}
	s.blocks[len(s.blocks)-1].entries++
}

// check returns the first token at which a text is beyond what a target is, and why;
// nil where there is none.
func (s *shape) check(tokens token.Tokens) (*token.Token, string) {
	for _, t := range tokens {
		switch t.Type {
		case token.SequenceStartType, token.MappingStartType:
			s.flow++
		case token.SequenceEndType, token.MappingEndType:
			s.flow = max(0, s.flow-1)
		case token.MappingKeyType:
			if s.flow == 0 {
				s.enter(t.Position.Column)
			}
		case token.SequenceEntryType:
			if s.flow == 0 {
				s.enter(t.Position.Column)
				s.blocks[len(s.blocks)-1].entries = 1 // lists are quickly read
			}
		case token.MappingValueType:
			if s.flow == 0 && t.Prev != nil {
				s.enter(t.Prev.Position.Column)
				if n := s.blocks[len(s.blocks)-1].entries; s.work+n*n > maxBlock*maxBlock {
					return t, fmt.Sprintf("more than %d properties stand below one another, which no target has; "+
						"write long lists of pairs as {a: b, c: d}", maxBlock)
				}
			}
		}
		if s.flow+len(s.blocks) > maxDepth {
			return t, fmt.Sprintf("the text is nested more than %d levels deep, which no target is", maxDepth)
		}
	}
	return nil, ""
}

// checkPattern says what is wrong with a regular expression: it cannot be read, or
// is so large, once its counts are written out, that it would take memory and time
// beyond measure.
func checkPattern(expr string) error {
	parsed, err := syntax.Parse(expr, syntax.Perl)
	if err == nil && instructions(parsed) > maxPattern {
		return fmt.Errorf("the format is too large: written out, its counts and alternatives make more than %d "+
			"steps; a list of values is better said with oneOf", maxPattern)
	}
	if err == nil {
		_, err = regexp.Compile(expr)
	}
	if err != nil {
		return fmt.Errorf("the format is not a regular expression: %s", strings.TrimPrefix(err.Error(),
			"error parsing regexp: "))
	}
	return nil
}

// instructions counts about how many steps an expression compiles to, up to a few
// more than maxPattern.
func instructions(e *syntax.Regexp) int {
	n := 1
	switch e.Op {
	case syntax.OpLiteral:
		n = len(e.Rune)
	case syntax.OpRepeat:
		times := max(e.Max, e.Min+1)
		return min(times*instructions(e.Sub[0]), maxPattern+1)
	}
	for _, sub := range e.Sub {
		if n += instructions(sub); n > maxPattern {
			return maxPattern + 1
		}
	}
	return n
}

// clip shortens a text that a message quotes.
func clip(text string) string {
	const most = 60
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}
