// Package edit changes the texts of targets and mappings step by step, as a form does it:
// a property is set or taken away, a value added to a list. What the steps do not touch
// stays, comments too.
//
// It knows YAML, and nothing of what the properties mean: whether a changed text is still
// a target is for package target to say, which has also to accept a text before it is changed.
package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// The texts that steps change.
const (
	Target  = "target"
	Mapping = "mapping"
)

// What a step does.
const (
	Set    = "set"    // puts Value at Path, in the place of what stands there
	Add    = "add"    // adds Value to the list at Path, unless it is in it
	Remove = "remove" // takes Value out of the list at Path
	Drop   = "drop"   // takes away what stands at Path
	Move   = "move"   // brings the entry at Path to the place Value, from 0, of its list
	Write  = "write"  // puts Value, a text, in the place of the whole text
)

// Step is one change of a text.
//
// A path leads through properties by their names, and through lists by the name of an
// entry, or by its place from 0: columns, moisture_pct, null. Properties and entries that
// lead to what is set are made where there are none.
type Step struct {
	In    string   `json:"in" enum:"target,mapping" doc:"the text that it changes"`
	Do    string   `json:"do" enum:"set,add,remove,drop,move,write"`
	Path  []string `json:"path,omitempty" doc:"through properties by name, through lists by the name of an entry or its place from 0"`
	Value any      `json:"value,omitempty" doc:"what is set, added or removed; a place to move to; a text to write"`
	Base  []any    `json:"base,omitempty" doc:"of add and remove: what the list holds where the text has none"`
}

// Bounds of steps.
const (
	// MostSteps is how many steps change a text together.
	MostSteps = 10_000
	mostPath  = 8
)

// Apply makes the steps that concern a text (Target or Mapping), one after the other. Where none
// does, the text stays as it is, byte for byte; otherwise it is written anew in one style.
func Apply(text []byte, in string, steps []Step) ([]byte, error) {
	var d *document
	touched := false
	for i := range steps {
		s := &steps[i]
		if s.In != in {
			continue
		}
		if s.Do == Write {
			written, ok := s.Value.(string)
			if !ok {
				return nil, fmt.Errorf("step %d: what is written is not a text", i+1)
			}
			text, d, touched = []byte(written), nil, false
			continue
		}
		if d == nil {
			var err error
			if d, err = parse(text); err != nil {
				return nil, err
			}
		}
		if err := d.apply(s); err != nil {
			return nil, fmt.Errorf("step %d, %s %s: %w", i+1, s.Do, strings.Join(s.Path, " "), err)
		}
		touched = true
	}
	if !touched {
		return text, nil
	}
	return d.render(), nil
}

// View returns a text as it is read: objects, lists, texts, numbers and truth values, for who
// shows it in a form. Numbers are json.Number.
func View(text []byte) (any, error) {
	d, err := parse(text)
	if err != nil {
		return nil, err
	}
	return d.root.value(), nil
}

// kind is what a node of a text is.
type kind uint8

const (
	scalar kind = iota
	list
	object
)

// node is a part of a text.
type node struct {
	kind    kind
	isFlow  bool   // in brackets or braces
	text    string // of a scalar: what it says
	written string // of a scalar: how it is written, with its quotes
	entries []*entry
}

// entry is a property of an object, or an entry of a list.
type entry struct {
	key    string // of a property
	as     string // how its name is written
	above  []string
	beside string   // a comment on its first line
	within []string // comments at its end, deeper than it
	below  []string // comments behind it that stand deeper than what follows
	node   *node

	line, column int // where it begins
	besideAt     int // characters before the comment beside it
}

// find returns the entry that a part of a path names; nil where there is none.
func (n *node) find(part string) *entry {
	if n.kind == object {
		for _, e := range n.entries {
			if e.key == part {
				return e
			}
		}
		return nil
	}
	for _, e := range n.entries {
		if e.node.kind == object {
			if named := e.node.find("name"); named != nil && named.node.text == part {
				return e
			}
		}
	}
	if k, err := strconv.Atoi(part); err == nil && k >= 0 && k < len(n.entries) {
		return n.entries[k]
	}
	return nil
}

func (d *document) apply(s *Step) error {
	switch {
	case len(s.Path) == 0:
		return errors.New("it does not say where")
	case len(s.Path) > mostPath:
		return fmt.Errorf("it leads through more than %d parts", mostPath)
	}
	switch s.Do {
	case Set:
		made, err := nodeOf(s.Value, 0)
		if err != nil {
			return err
		}
		e, err := d.reach(s.Path)
		if err != nil {
			return err
		}
		keepStyle(e.node, made)
		e.node = made
	case Add, Remove:
		return d.addTo(s)
	case Drop:
		d.drop(s.Path)
	case Move:
		return d.move(s)
	default:
		return fmt.Errorf("there is no step %q", s.Do)
	}
	return nil
}

// keepStyle lets what takes the place of a list or object stand as that did.
func keepStyle(before, made *node) {
	if before != nil && before.kind == made.kind {
		made.isFlow = before.isFlow
	}
}

// reach returns the entry at a path, and makes what leads there.
func (d *document) reach(path []string) (*entry, error) {
	n := d.root
	for i, part := range path {
		e := n.find(part)
		isLast := i == len(path)-1
		switch {
		case e != nil && !isLast && e.node.kind == scalar && e.node.text == "":
			e.node = containerFor(path[i])
		case e != nil && !isLast && e.node.kind == scalar:
			return nil, fmt.Errorf("%s is a single value", part)
		case e != nil:
		case n.kind == object:
			e = &entry{key: part, as: nameOf(part), node: &node{}}
			if !isLast {
				e.node = containerFor(part)
			}
			n.entries = append(n.entries, e)
		case part == strconv.Itoa(len(n.entries)):
			e = &entry{node: &node{}}
			n.entries = append(n.entries, e)
		default:
			return nil, fmt.Errorf("there is no %s", part)
		}
		if isLast {
			return e, nil
		}
		n = e.node
	}
	return nil, errors.New("it does not say where")
}

// blocks are the lists whose entries stand below one another.
var blocks = []string{"columns", "rowRules", "exclude", "foreignKeys", "absentFrom", "controls", "uniqueKeys"}

// containerFor makes what a property holds that a path leads through.
func containerFor(name string) *node {
	switch name {
	case "columns", "onViolation", "tolerance", "rows", "repeated", "fileName", "layout":
		return &node{kind: object}
	}
	if slices.Contains(blocks, name) {
		return &node{kind: list}
	}
	return &node{kind: object, isFlow: true}
}

// addTo adds a value to a list, or takes it out.
func (d *document) addTo(s *Step) error {
	made, err := nodeOf(s.Value, 0)
	if err != nil {
		return err
	}
	has := false
	if e := d.at(s.Path); e != nil {
		has = true
	}
	if !has && s.Do == Remove && len(s.Base) == 0 {
		return nil
	}
	e, err := d.reach(s.Path)
	if err != nil {
		return err
	}
	if !has {
		e.node = &node{kind: list, isFlow: !slices.Contains(blocks, s.Path[len(s.Path)-1])}
		for _, v := range s.Base {
			part, err := nodeOf(v, 0)
			if err != nil {
				return err
			}
			e.node.entries = append(e.node.entries, &entry{node: part})
		}
	}
	if e.node.kind == scalar {
		// A single value stands for a list of one.
		single := e.node
		e.node = &node{kind: list, isFlow: true, entries: []*entry{{node: single}}}
	}
	if e.node.kind != list {
		return errors.New("it is no list")
	}
	same := func(o *entry) bool { return equal(o.node, made) }
	if s.Do == Remove {
		e.node.entries = slices.DeleteFunc(e.node.entries, same)
		return nil
	}
	if slices.ContainsFunc(e.node.entries, same) || mergePairs(e.node, made) {
		return nil
	}
	e.node.entries = append(e.node.entries, &entry{node: made})
	return nil
}

// mergePairs adds the pairs of a recode to the recode with which a list of remedies ends, so
// that curing value after value gives one remedy. Later pairs of a text take the place of earlier ones.
func mergePairs(in, made *node) bool {
	if made.kind != object || len(made.entries) != 1 || made.entries[0].key != "recode" || len(in.entries) == 0 {
		return false
	}
	last := in.entries[len(in.entries)-1].node
	if last.kind != object || len(last.entries) != 1 || last.entries[0].key != "recode" ||
		last.entries[0].node.kind != object {
		return false
	}
	pairs := last.entries[0].node
	for _, e := range made.entries[0].node.entries {
		if known := pairs.find(e.key); known != nil {
			known.node = e.node
		} else {
			pairs.entries = append(pairs.entries, e)
		}
	}
	return true
}

// at returns the entry at a path; nil where there is none.
func (d *document) at(path []string) *entry {
	n, e := d.root, (*entry)(nil)
	for _, part := range path {
		if e = n.find(part); e == nil {
			return nil
		}
		n = e.node
	}
	return e
}

// parent returns what holds the entry at a path, and the entry; nil where there is none.
func (d *document) parent(path []string) (*node, *entry) {
	n := d.root
	if len(path) > 1 {
		above := d.at(path[:len(path)-1])
		if above == nil {
			return nil, nil
		}
		n = above.node
	}
	return n, n.find(path[len(path)-1])
}

// drop takes away what stands at a path, with what holds nothing any more.
func (d *document) drop(path []string) {
	n, e := d.parent(path)
	if e == nil {
		return
	}
	n.entries = slices.DeleteFunc(n.entries, func(o *entry) bool { return o == e })
	if len(n.entries) == 0 && len(path) > 1 {
		d.drop(path[:len(path)-1])
	}
}

func (d *document) move(s *Step) error {
	n, e := d.parent(s.Path)
	if e == nil {
		return errors.New("there is no such entry")
	}
	to, err := strconv.Atoi(fmt.Sprint(s.Value))
	if err != nil || to < 0 || to >= len(n.entries) {
		return fmt.Errorf("there is no place %v in a list of %d", s.Value, len(n.entries))
	}
	n.entries = slices.DeleteFunc(n.entries, func(o *entry) bool { return o == e })
	n.entries = slices.Insert(n.entries, to, e)
	return nil
}

// nodeOf makes a node of a value as JSON has it.
func nodeOf(v any, depth int) (*node, error) {
	if depth > 10 {
		return nil, errors.New("the value is nested more than 10 levels deep")
	}
	switch v := v.(type) {
	case nil:
		return nil, errors.New("there is no value; drop takes a property away")
	case string:
		return scalarOf(v), nil
	case bool:
		return plain(strconv.FormatBool(v)), nil
	case float64:
		return plain(strconv.FormatFloat(v, 'f', -1, 64)), nil
	case int:
		return plain(strconv.Itoa(v)), nil
	case json.Number:
		return plain(v.String()), nil
	case []string:
		n := &node{kind: list, isFlow: true}
		for _, text := range v {
			n.entries = append(n.entries, &entry{node: scalarOf(text)})
		}
		return n, nil
	case []any:
		n := &node{kind: list, isFlow: true}
		for _, part := range v {
			made, err := nodeOf(part, depth+1)
			if err != nil {
				return nil, err
			}
			n.entries = append(n.entries, &entry{node: made})
		}
		return n, nil
	case map[string]string:
		n := &node{kind: object, isFlow: true}
		for _, key := range sortedKeys(v) {
			n.entries = append(n.entries, &entry{key: key, as: nameOf(key), node: scalarOf(v[key])})
		}
		return n, nil
	case map[string]any:
		n := &node{kind: object, isFlow: true}
		for _, key := range sortedKeys(v) {
			made, err := nodeOf(v[key], depth+1)
			if err != nil {
				return nil, err
			}
			n.entries = append(n.entries, &entry{key: key, as: nameOf(key), node: made})
		}
		return n, nil
	}
	return nil, fmt.Errorf("a %T is no value", v)
}

// sortedKeys returns names in the order in which they are written: what identifies first.
func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for key := range m {
		keys = append(keys, key)
	}
	first := []string{"name", "condition", "columnReference", "reference", "resource", "codes", "sum", "count", "in"}
	rank := func(key string) int {
		if k := slices.Index(first, key); k >= 0 {
			return k
		}
		return len(first)
	}
	slices.SortFunc(keys, func(a, b string) int {
		if d := rank(a) - rank(b); d != 0 {
			return d
		}
		return strings.Compare(a, b)
	})
	return keys
}

// equal reports whether two nodes say the same.
func equal(a, b *node) bool {
	if a.kind != b.kind || a.text != b.text || len(a.entries) != len(b.entries) {
		return false
	}
	for i := range a.entries {
		if a.entries[i].key != b.entries[i].key || !equal(a.entries[i].node, b.entries[i].node) {
			return false
		}
	}
	return true
}

func (n *node) value() any {
	switch n.kind {
	case list:
		all := make([]any, len(n.entries))
		for i, e := range n.entries {
			all[i] = e.node.value()
		}
		return all
	case object:
		all := make(map[string]any, len(n.entries))
		for _, e := range n.entries {
			all[e.key] = e.node.value()
		}
		return all
	}
	switch {
	case n.written != n.text:
		return n.text
	case n.text == "true" || n.text == "false":
		return n.text == "true"
	case isNumber(n.text):
		return json.Number(n.text)
	}
	return n.text
}

// isNumber reports whether a text is a number as JSON writes it.
func isNumber(text string) bool {
	rest := strings.TrimPrefix(text, "-")
	whole, fraction, has := strings.Cut(rest, ".")
	digits := func(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }
	return digits(whole) && (whole == "0" || whole[0] != '0') && (!has || digits(fraction))
}
