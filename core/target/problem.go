package target

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Problem is something wrong with the text of a target or a mapping.
type Problem struct {
	Line, Column int
	Message      string
}

func (p Problem) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", p.Line, p.Column, p.Message)
}

// Problems are all that is wrong with a text, in order.
type Problems []Problem

func (p Problems) Error() string {
	lines := make([]string, len(p))
	for i := range p {
		lines[i] = p[i].Error()
	}
	return strings.Join(lines, "\n")
}

func (p Problems) sort() {
	slices.SortStableFunc(p, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
	})
}
