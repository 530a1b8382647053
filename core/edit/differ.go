package edit

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Difference is how two versions of a text differ in one place.
type Difference struct {
	Column string `json:"column,omitempty" doc:"the column that is meant; empty for the whole"`
	Words  string `json:"words"`
}

// mostShown is how many characters of a value are told.
const mostShown = 60

// Differences tells how one version of a target or mapping differs from an earlier one: column by column,
// in words. Comments and the order of properties are none.
func Differences(before, after []byte) ([]Difference, error) {
	a, err := parse(before)
	if err != nil {
		return nil, err
	}
	b, err := parse(after)
	if err != nil {
		return nil, err
	}
	d := &differ{}
	d.objects("", a.root, b.root)
	return d.all, nil
}

type differ struct{ all []Difference }

func (d *differ) say(column, format string, args ...any) {
	d.all = append(d.all, Difference{column, fmt.Sprintf(format, args...)})
}

// objects compares the properties of two objects; column is that which they are of.
func (d *differ) objects(column string, a, b *node) {
	for _, e := range b.entries {
		was := a.find(e.key)
		switch {
		case e.key == "columns" && column == "":
			before := &node{kind: e.node.kind}
			if was != nil {
				before = was.node
			}
			d.columns(before, e.node)
		case was == nil:
			d.say(column, "%s is %s", e.key, shown(e.node))
		case equal(was.node, e.node) || sameObject(was.node, e.node):
		case areNamed(was.node) && areNamed(e.node):
			d.entries(column, e.key, was.node, e.node)
		case was.node.kind == list && e.node.kind == list && areScalars(was.node) && areScalars(e.node):
			d.lists(column, e.key, was.node, e.node)
		default:
			d.say(column, "%s was %s and is %s", e.key, shown(was.node), shown(e.node))
		}
	}
	for _, e := range a.entries {
		if b.find(e.key) == nil {
			d.say(column, "%s is gone; it was %s", e.key, shown(e.node))
		}
	}
}

// columns compares the columns of two versions: a list of named objects, or an object of objects.
func (d *differ) columns(a, b *node) {
	names := func(n *node) (all []string) {
		for _, e := range n.entries {
			all = append(all, nameOfEntry(e))
		}
		return all
	}
	was, is := names(a), names(b)
	for i, name := range is {
		k := slices.Index(was, name)
		switch {
		case k < 0:
			d.say(name, "is new: %s", shownWithout(b.entries[i].node, "name"))
		case !sameObject(a.entries[k].node, b.entries[i].node):
			d.objects(name, a.entries[k].node, b.entries[i].node)
		}
	}
	for _, name := range was {
		if !slices.Contains(is, name) {
			d.say(name, "is gone")
		}
	}
	both := func(all, in []string) []string {
		return slices.DeleteFunc(slices.Clone(all), func(name string) bool { return !slices.Contains(in, name) })
	}
	if a.kind == list && !slices.Equal(both(was, is), both(is, was)) {
		d.say("", "the columns stand in another order")
	}
}

// entries compares lists of objects with names, such as row rules.
func (d *differ) entries(column, what string, a, b *node) {
	for _, e := range b.entries {
		name := nameOfEntry(e)
		was := slices.IndexFunc(a.entries, func(o *entry) bool { return nameOfEntry(o) == name })
		switch {
		case was < 0:
			d.say(column, "%s: %s is new", what, shownText(name))
		case !sameObject(a.entries[was].node, e.node):
			one := &differ{}
			one.objects("", a.entries[was].node, e.node)
			for _, o := range one.all {
				d.say(column, "%s, %s: %s", what, shownText(name), o.Words)
			}
		}
	}
	for _, e := range a.entries {
		name := nameOfEntry(e)
		if !slices.ContainsFunc(b.entries, func(o *entry) bool { return nameOfEntry(o) == name }) {
			d.say(column, "%s: %s is gone", what, shownText(name))
		}
	}
}

// lists compares lists of single values.
func (d *differ) lists(column, what string, a, b *node) {
	texts := func(n *node) (all []string) {
		for _, e := range n.entries {
			all = append(all, e.node.text)
		}
		return all
	}
	was, is := texts(a), texts(b)
	without := func(all, other []string) []string {
		return slices.DeleteFunc(slices.Clone(all), func(t string) bool { return slices.Contains(other, t) })
	}
	added, gone := without(is, was), without(was, is)
	if len(added) > 0 {
		d.say(column, "%s: %s added", what, listed(added))
	}
	if len(gone) > 0 {
		d.say(column, "%s: %s taken out", what, listed(gone))
	}
	if len(added)+len(gone) == 0 {
		d.say(column, "%s: in another order", what)
	}
}

// nameOfEntry returns what an entry goes by: its name, else what tells it apart.
func nameOfEntry(e *entry) string {
	if e.key != "" {
		return e.key
	}
	for _, by := range []string{"name", "condition", "columnReference", "sum", "count"} {
		if p := e.node.find(by); e.node.kind == object && p != nil {
			return shown(p.node)
		}
	}
	return shown(e.node)
}

func areNamed(n *node) bool {
	return n.kind == list && !slices.ContainsFunc(n.entries, func(e *entry) bool { return e.node.kind != object }) &&
		len(n.entries) > 0
}

func areScalars(n *node) bool {
	return !slices.ContainsFunc(n.entries, func(e *entry) bool { return e.node.kind != scalar })
}

// sameObject reports whether two nodes say the same, whatever the order of properties.
func sameObject(a, b *node) bool {
	x, errX := json.Marshal(a.value())
	y, errY := json.Marshal(b.value())
	return errX == nil && errY == nil && string(x) == string(y)
}

func shown(n *node) string { return shownText(plainWords(n)) }

// shownWithout shows an object without one of its properties.
func shownWithout(n *node, name string) string {
	rest := *n
	rest.entries = slices.DeleteFunc(slices.Clone(n.entries), func(e *entry) bool { return e.key == name })
	if n.kind == object && len(rest.entries) == 0 {
		return "with nothing more said"
	}
	return shown(&rest)
}

// plainWords writes a node without the marks of YAML.
func plainWords(n *node) string {
	if n.kind == scalar {
		if n.text == "" {
			return "empty"
		}
		return n.text
	}
	var parts []string
	for _, e := range n.entries {
		text := plainWords(e.node)
		if n.kind == object {
			text = e.key + " " + text
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, ", ")
}

func shownText(text string) string {
	if r := []rune(text); len(r) > mostShown {
		return string(r[:mostShown]) + "…"
	}
	return text
}

func listed(texts []string) string {
	const most = 4
	var parts []string
	for _, t := range texts[:min(len(texts), most)] {
		if t == "" {
			t = "empty"
		}
		parts = append(parts, shownText(t))
	}
	if n := len(texts) - most; n > 0 {
		return strings.Join(parts, ", ") + fmt.Sprintf(" and %d more", n)
	}
	return strings.Join(parts, ", ")
}
