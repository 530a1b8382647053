package forms

import (
	"fmt"
	"regexp/syntax"
	"slices"
	"strings"
	"unicode"
)

// mostParts is how many parts a form has at most that is said in words.
const mostParts = 12

// Words says what a text has to be that a regular expression matches whole: "two capitals, a hyphen, six digits"; ""
// where that takes more than a sentence.
func Words(pattern string) string {
	parsed, err := syntax.Parse(pattern, syntax.Perl)
	if err != nil {
		return ""
	}
	parts, ok := said(parsed)
	if !ok || len(parts) == 0 || len(parts) > mostParts {
		return ""
	}
	return strings.Join(parts, ", ")
}

// Of says what form a text is to have, in words and by an example, as far as they are found.
func Of(pattern string) string {
	words, example := Words(pattern), Example(pattern)
	switch {
	case words != "" && example != "":
		return fmt.Sprintf("%s, as %s", words, example)
	case words != "":
		return words
	case example != "":
		return "that of " + example
	}
	return ""
}

// said says the parts of an expression.
func said(re *syntax.Regexp) (parts []string, ok bool) {
	switch re.Op {
	case syntax.OpEmptyMatch, syntax.OpBeginText, syntax.OpEndText, syntax.OpBeginLine, syntax.OpEndLine:
		return nil, true
	case syntax.OpLiteral:
		return literal(re.Rune), true
	case syntax.OpConcat:
		for _, sub := range re.Sub {
			more, ok := said(sub)
			if !ok {
				return nil, false
			}
			parts = append(parts, more...)
		}
		return parts, true
	case syntax.OpCapture:
		return said(re.Sub[0])
	case syntax.OpAlternate:
		return either(re.Sub)
	case syntax.OpRepeat, syntax.OpPlus, syntax.OpStar, syntax.OpQuest:
		return repeated(re)
	}
	one, _, ok := class(re)
	return []string{one}, ok
}

// either says that one of some parts stands, each of which is said in one piece.
func either(subs []*syntax.Regexp) ([]string, bool) {
	var all []string
	perhaps := ""
	for _, sub := range subs {
		parts, ok := said(sub)
		if !ok || len(parts) > 3 {
			return nil, false
		}
		if len(parts) == 0 {
			perhaps = "perhaps "
			continue
		}
		all = append(all, strings.Join(parts, " and "))
	}
	switch {
	case len(all) == 1:
		return []string{perhaps + all[0]}, true
	case len(all) > 8 || len(all) == 0:
		return nil, false
	}
	return []string{perhaps + "either " + strings.Join(all, " or ")}, true
}

// repeated says how often a character stands.
func repeated(re *syntax.Regexp) ([]string, bool) {
	least, most := re.Min, re.Max
	switch re.Op {
	case syntax.OpPlus:
		least, most = 1, -1
	case syntax.OpStar:
		least, most = 0, -1
	case syntax.OpQuest:
		least, most = 0, 1
	}
	sub := re.Sub[0]
	for sub.Op == syntax.OpCapture {
		sub = sub.Sub[0]
	}
	one, many, ok := class(sub)
	if !ok {
		parts, ok := said(sub)
		if !ok || len(parts) == 0 {
			return nil, false
		}
		group := strings.Join(parts, " and ")
		switch {
		case least == 1 && most == 1:
			return parts, true
		case least == 0 && most == 1:
			return []string{"perhaps " + group}, true
		case least == most:
			return []string{fmt.Sprintf("%s times %s", number(least), group)}, true
		}
		return nil, false
	}
	switch {
	case least == 1 && most == 1:
		return []string{one}, true
	case least == most:
		return []string{number(least) + " " + many}, true
	case least == 0 && most == 1:
		return []string{"perhaps " + one}, true
	case least == 0 && most < 0:
		return []string{"any number of " + many}, true
	case most < 0:
		return []string{number(least) + " or more " + many}, true
	case least == 0:
		return []string{fmt.Sprintf("up to %s %s", number(most), many)}, true
	}
	return []string{fmt.Sprintf("%s to %s %s", number(least), number(most), many)}, true
}

// number writes a number as a sentence does.
func number(n int) string {
	words := []string{"no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}
	if n < len(words) {
		return words[n]
	}
	return fmt.Sprint(n)
}

// signs are characters that have a name.
var signs = map[rune][2]string{'-': {"a hyphen", "hyphens"}, '.': {"a point", "points"}, '/': {"a slash", "slashes"},
	' ': {"a blank", "blanks"}, '_': {"an underscore", "underscores"}, ',': {"a comma", "commas"}, ':': {"a colon", "colons"},
	'+': {"a plus sign", "plus signs"}, '#': {"a number sign", "number signs"}, '\\': {"a backslash", "backslashes"}}

// literal says characters that stand as they are: those with a name by it, others as a text.
func literal(text []rune) (parts []string) {
	plain := ""
	end := func() {
		if plain != "" {
			parts = append(parts, "“"+plain+"”")
			plain = ""
		}
	}
	for _, r := range text {
		if named, is := signs[r]; is {
			end()
			parts = append(parts, named[0])
			continue
		}
		plain += string(r)
	}
	end()
	return parts
}

// classes are sets of characters that have a name, as pairs of the first and the last.
var classes = []struct {
	is        func(r rune) bool
	one, many string
}{
	{func(r rune) bool { return '0' <= r && r <= '9' }, "a digit", "digits"},
	{func(r rune) bool { return 'A' <= r && r <= 'Z' }, "a capital", "capitals"},
	{func(r rune) bool { return 'a' <= r && r <= 'z' }, "a small letter", "small letters"},
}

// class says a set of characters, one of them and several.
func class(re *syntax.Regexp) (one, many string, ok bool) {
	switch re.Op {
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return "any character", "characters", true
	case syntax.OpLiteral:
		if len(re.Rune) != 1 {
			return "", "", false
		}
		if named, is := signs[re.Rune[0]]; is {
			return named[0], named[1], true
		}
		return "“" + string(re.Rune) + "”", "times “" + string(re.Rune) + "”", true
	case syntax.OpCharClass:
	default:
		return "", "", false
	}
	switch {
	case isAll(re.Rune, unicode.Nd):
		return "a digit", "digits", true
	case isAll(re.Rune, unicode.Lu):
		return "a capital", "capitals", true
	case isAll(re.Rune, unicode.Ll):
		return "a small letter", "small letters", true
	case isAll(re.Rune, unicode.L):
		return "a letter", "letters", true
	}
	return named(re.Rune)
}

// isAll reports whether a class is that of a table of Unicode.
func isAll(ranges []rune, table *unicode.RangeTable) bool {
	var size, all int64
	for i := 0; i < len(ranges); i += 2 {
		size += int64(ranges[i+1]-ranges[i]) + 1
		if !unicode.Is(table, ranges[i]) || !unicode.Is(table, ranges[i+1]) {
			return false
		}
	}
	for _, r := range table.R16 {
		all += int64((r.Hi-r.Lo)/r.Stride) + 1
	}
	for _, r := range table.R32 {
		all += int64((r.Hi-r.Lo)/r.Stride) + 1
	}
	return size == all
}

// named says a class of a few ranges: whole ones by their names, single characters as they stand.
func named(ranges []rune) (one, many string, ok bool) {
	var ones, manies []string
	has := map[string]bool{}
	singles := 0
	for i := 0; i < len(ranges); i += 2 {
		lo, hi := ranges[i], ranges[i+1]
		at := slices.IndexFunc(classes, func(c struct {
			is        func(r rune) bool
			one, many string
		}) bool {
			return c.is(lo) && c.is(hi) && !c.is(lo-1) && !c.is(hi+1)
		})
		switch {
		case at >= 0:
			has[classes[at].many] = true
			ones, manies = append(ones, classes[at].one), append(manies, classes[at].many)
		case hi-lo > 8:
			return "", "", false
		default:
			for r := lo; r <= hi; r++ {
				if singles++; singles > 8 || !unicode.IsPrint(r) {
					return "", "", false
				}
				if sign, is := signs[r]; is {
					ones, manies = append(ones, sign[0]), append(manies, sign[1])
				} else {
					ones, manies = append(ones, "“"+string(r)+"”"), append(manies, "“"+string(r)+"”")
				}
			}
		}
	}
	if has["capitals"] && has["small letters"] {
		ones, manies = without(ones, "a capital", "a small letter"), without(manies, "capitals", "small letters")
		ones, manies = append([]string{"a letter"}, ones...), append([]string{"letters"}, manies...)
	}
	return strings.Join(ones, " or "), strings.Join(manies, " or "), len(ones) > 0
}

func without(all []string, gone ...string) []string {
	return slices.DeleteFunc(all, func(s string) bool { return slices.Contains(gone, s) })
}
