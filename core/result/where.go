package result

import (
	"bytes"
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"sync"

	"sieb/core/profile"
	"sieb/core/search"
)

// op is a condition that a cell can be asked with.
type op struct {
	name   string
	values int
}

// ops are the conditions that cells can be asked with, and how many values each takes; -1 for any number.
var ops = []op{{"equals", 1}, {"oneOf", -1}, {"contains", 1}, {"empty", 0}, {"filled", 0}, {"greater", 1},
	{"atLeast", 1}, {"less", 1}, {"atMost", 1}, {"between", 2}}

// ParseFilter reads a condition as it is typed: a column, what is asked of it, and a value, as in
// "net_kg atLeast 20000", "crop oneOf wheat,rye", "weighed_on between 2026-07-01,2026-07-31" and "grower empty".
// Commas stand between several values; a backslash before a comma makes it one of the value. A single value may stand
// between quotes, as JSON has them, where blanks at its ends count.
func ParseFilter(text string) (f profile.Filter, err error) {
	found := filterForm().FindStringSubmatch(text)
	if found == nil {
		return f, wrongf("%q asks nothing; a condition is a column, one of %s, and a value, as in \"net_kg atLeast 20000\"",
			text, opNames())
	}
	f = profile.Filter{Column: found[1], Op: found[2]}
	rest := strings.TrimSpace(found[3])
	switch ops[slices.IndexFunc(ops, func(o op) bool { return o.name == f.Op })].values {
	case 0:
		if rest != "" {
			return f, wrongf("%q asks whether cells are %s, which takes no value", text, f.Op)
		}
	case 1:
		f.Value = rest
		if strings.HasPrefix(rest, `"`) {
			var quoted string
			if json.Unmarshal([]byte(rest), &quoted) == nil {
				f.Value = quoted
			}
		}
	case 2:
		values := splitValues(rest)
		if len(values) != 2 {
			return f, wrongf("%q takes the first value and the last, with a comma between them", text)
		}
		f.Value, f.To = values[0], values[1]
	default:
		f.Values = splitValues(rest)
	}
	return f, nil
}

// filterForm finds the parts of a condition. A column's name may hold blanks, and words that ask: the first such word
// behind the name's first counts.
var filterForm = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?s)^[\s\pZ]*(\S.*?)[\s\pZ]+(` + strings.ReplaceAll(opNames(), ", ", "|") +
		`)([\s\pZ].*)?$`)
})

func opNames() string {
	names := make([]string, len(ops))
	for i, o := range ops {
		names[i] = o.name
	}
	return strings.Join(names, ", ")
}

// splitValues splits a list at its commas.
func splitValues(text string) (values []string) {
	var one strings.Builder
	for i := 0; i < len(text); i++ {
		switch {
		case text[i] == '\\' && i+1 < len(text) && (text[i+1] == ',' || text[i+1] == '\\'):
			i++
			one.WriteByte(text[i])
		case text[i] == ',':
			values = append(values, strings.TrimSpace(one.String()))
			one.Reset()
		default:
			one.WriteByte(text[i])
		}
	}
	return append(values, strings.TrimSpace(one.String()))
}

// test reports whether a cell passes; nil is no value.
type test func(cell []byte) bool

// condition is a test of a column's cells. It serves one goroutine.
type condition struct {
	column int
	passes test
}

// conditions makes filters ready.
func (s *Side) conditions(filters []profile.Filter) (all []condition, err error) {
	for _, f := range filters {
		k, err := s.place(f.Column)
		if err != nil {
			return nil, err
		}
		passes, err := s.test(&s.Columns[k], f)
		if err != nil {
			return nil, wrongf("%s %s: %s", f.Column, f.Op, err)
		}
		all = append(all, condition{k, passes})
	}
	return all, nil
}

func (s *Side) test(c *Field, f profile.Filter) (test, error) {
	switch f.Op {
	case "equals":
		want := []byte(f.Value)
		return func(cell []byte) bool { return cell != nil && bytes.Equal(cell, want) }, nil
	case "oneOf":
		values := map[string]bool{}
		for _, v := range f.Values {
			values[v] = true
		}
		return func(cell []byte) bool { return cell != nil && values[string(cell)] }, nil
	case "contains":
		want := search.Folded([]byte(f.Value))
		return func(cell []byte) bool { return search.Holds(cell, want) }, nil
	case "empty":
		return func(cell []byte) bool { return len(cell) == 0 }, nil
	case "filled":
		return func(cell []byte) bool { return len(cell) > 0 }, nil
	}
	return c.limits(f)
}

// limits makes a test of the order of values. What is no value of the datatype lies between no limits.
func (c *Field) limits(f profile.Filter) (test, error) {
	if err := c.isOrdered(); err != nil {
		return nil, err
	}
	low, high, k := &key{}, &key{}, &key{}
	for _, limit := range []struct {
		text string
		to   *key
	}{{f.Value, low}, {f.To, high}} {
		c.order.key([]byte(limit.text), limit.to)
		if limit.to.rank != ranked && (limit.to == low || f.Op == "between") {
			return nil, wrongf("%q is no value of the datatype %s; write 12.5, 2026-07-31, 06:30:00", limit.text,
				c.Datatype)
		}
	}
	compare := func(to *key) int { return c.order.compare(k, to) }
	var holds func() bool
	switch f.Op {
	case "greater":
		holds = func() bool { return compare(low) > 0 }
	case "atLeast":
		holds = func() bool { return compare(low) >= 0 }
	case "less":
		holds = func() bool { return compare(low) < 0 }
	case "atMost":
		holds = func() bool { return compare(low) <= 0 }
	case "between":
		holds = func() bool { return compare(low) >= 0 && compare(high) <= 0 }
	default:
		return nil, wrongf("there is no such condition; there are %s", opNames())
	}
	return func(cell []byte) bool {
		if len(cell) == 0 {
			return false
		}
		c.order.key(cell, k)
		return k.rank == ranked && holds()
	}, nil
}
