// Package forms says in words what a regular expression demands of a text, and gives an example, for those who do
// not read regular expressions.
package forms

import (
	"regexp"
	"regexp/syntax"
	"strings"
)

// Example returns a text that a regular expression matches whole; "" where none is found.
func Example(pattern string) string {
	parsed, err := syntax.Parse(pattern, syntax.Perl)
	if err != nil {
		return ""
	}
	var b strings.Builder
	if !write(&b, parsed.Simplify()) || b.Len() > 200 {
		return ""
	}
	whole, err := regexp.Compile(`^(?:` + pattern + `)$`)
	if err != nil || !whole.MatchString(b.String()) {
		return ""
	}
	return b.String()
}

// write writes the first text that comes to mind for a part of an expression.
func write(b *strings.Builder, re *syntax.Regexp) bool {
	switch re.Op {
	case syntax.OpLiteral:
		b.WriteString(string(re.Rune))
	case syntax.OpCharClass:
		if len(re.Rune) == 0 {
			return false
		}
		b.WriteRune(likely(re.Rune))
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		b.WriteByte('x')
	case syntax.OpCapture:
		return write(b, re.Sub[0])
	case syntax.OpPlus:
		return write(b, re.Sub[0])
	case syntax.OpRepeat:
		for range re.Min {
			if b.Len() > 200 || !write(b, re.Sub[0]) {
				return false
			}
		}
	case syntax.OpConcat:
		for _, sub := range re.Sub {
			if !write(b, sub) {
				return false
			}
		}
	case syntax.OpAlternate:
		return write(b, re.Sub[0])
	case syntax.OpNoMatch:
		return false
	}
	return true // what may be nothing is nothing
}

// likely returns a character of a class: a digit, a letter, or its first one.
func likely(ranges []rune) rune {
	for _, wanted := range []rune{'1', 'A', 'a'} {
		for i := 0; i < len(ranges); i += 2 {
			if ranges[i] <= wanted && wanted <= ranges[i+1] {
				return wanted
			}
		}
	}
	return ranges[0]
}
