// Package remedy cleans the cells of a column before they are checked, as a target or a
// mapping declares it.
//
// All remedies stand in one registry, from which parsers, help and judges take what they
// need: names, parameters, meaning, examples. What a remedy does not claim to touch stays
// byte for byte. The package knows texts and how the column's numbers, dates and truths are
// written; it knows no rules, and what changed is told to the caller, who counts it.
package remedy

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"sieb/core/codes"
	"sieb/core/value"
)

// Remedy is a declared cleaning: its name with what it is given.
type Remedy struct {
	Name  string
	Texts map[string]string   // parameters that are texts or whole numbers
	Lists map[string][]string // those that are lists
	Pairs map[string]string   // of recode: what is found, and what takes its place
}

// Column is how the values of a column are written, where that matters to a remedy.
type Column struct {
	Datatype value.Datatype
	Point    string // before decimals; "" for a point
	Number   value.NumberFormat
	Yes, No  []string
	Codes    []*codes.List // that translate takes its list from
}

// Kind is what a parameter is.
type Kind uint8

// The kinds of parameters.
const (
	Text       Kind = iota
	Count           // a whole number from Least up
	Expression      // a regular expression
	List            // texts
	Pairs           // texts by texts
	Patterns        // LDML patterns of dates
	Choice          // one of some words
)

// Parameter is what a remedy is given.
type Parameter struct {
	Name     string
	Kind     Kind
	Required bool
	Least    int
	Choices  []string
	Does     string
}

// Spec is what is known of a remedy.
type Spec struct {
	Name       string
	Does       string      // what it takes, and what becomes of it
	Leaves     string      // what it leaves as it is
	Parameters []Parameter // where it is given one text, number or list alone, the first is meant
	IsSteady   bool        // doing it again changes nothing more
	Cure       string      // what it would do to wrong values, as a suggestion; "" where it is not tried on all of them
	Examples   []Example

	// leaves reports whether plain values of a datatype, as a quick test takes them, stay as
	// they are; nil for none.
	leaves func(value.Datatype) bool
	// tidy says that it leaves texts of printable ASCII with single blanks inside, and none around.
	tidy bool
	make func(r *Remedy, c *Column) (step, error)
}

// Example is a cell before a remedy and after it; the same where the remedy leaves it.
type Example struct {
	Remedy        Remedy
	Before, After string
	Column        Column // usually the zero one
	Why           string // "" where it is plain
}

// Find returns what is known of a remedy, nil where there is none of the name.
func Find(name string) *Spec {
	at := slices.IndexFunc(Specs(), func(s Spec) bool { return s.Name == name })
	if at < 0 {
		return nil
	}
	return &Specs()[at]
}

// Names returns the names of all remedies, in the order of the registry.
func Names() []string {
	names := make([]string, len(Specs()))
	for i, s := range Specs() {
		names[i] = s.Name
	}
	return names
}

// CarryDown is the remedy that takes the place of an empty cell with what stands above it. It
// needs the rows in order, so that who reads them does it; it comes before all others.
const CarryDown = "carryDown"

// Translate is the remedy that goes by a code list, which whoever does the run gives.
const Translate = "translate"

// Most is how many remedies one column can have.
const Most = 60

// Parameter returns a parameter of the remedy, nil where there is none of the name.
func (s *Spec) Parameter(name string) *Parameter {
	at := slices.IndexFunc(s.Parameters, func(p Parameter) bool { return p.Name == name })
	if at < 0 {
		return nil
	}
	return &s.Parameters[at]
}

// Check reports what is wrong with a remedy as it is given.
func (r *Remedy) Check() error {
	_, err := r.step(&Column{})
	return err
}

// step makes what a remedy does in a column.
func (r *Remedy) step(c *Column) (step, error) {
	s := Find(r.Name)
	if s == nil {
		return step{}, fmt.Errorf("there is no remedy %q; there are %s", r.Name, strings.Join(Names(), ", "))
	}
	for _, p := range s.Parameters {
		_, isText := r.Texts[p.Name]
		_, isList := r.Lists[p.Name]
		if p.Required && !isText && !isList && !(p.Kind == Pairs && r.Pairs != nil) {
			return step{}, fmt.Errorf("%s needs %s: %s", r.Name, p.Name, p.Does)
		}
	}
	return s.make(r, c)
}

// Adds returns how many bytes the remedy may put into a cell at one place of it, as what it is
// given says.
func (r *Remedy) Adds() int {
	bytes := r.count("length", 0)
	for _, text := range r.Texts {
		bytes = max(bytes, len(text))
	}
	for _, to := range r.Pairs {
		bytes = max(bytes, len(to))
	}
	return bytes
}

// Leaves reports whether plain values of a datatype stay as they are.
func (r *Remedy) Leaves(d value.Datatype) bool {
	s := Find(r.Name)
	return s != nil && s.leaves != nil && s.leaves(d)
}

// LeavesTidy reports whether texts of printable ASCII stay as they are that have single blanks inside, and none around.
func (r *Remedy) LeavesTidy() bool {
	s := Find(r.Name)
	return s != nil && (s.tidy || s.leaves != nil && s.leaves(value.String))
}

// String writes the remedy as a target does.
func (r Remedy) String() string {
	s := Find(r.Name)
	if s == nil || len(s.Parameters) == 0 {
		return r.Name
	}
	if s.Parameters[0].Kind == Pairs {
		return r.Name + ": " + flow(r.Pairs)
	}
	var parts []string
	for _, p := range s.Parameters {
		if text, ok := r.Texts[p.Name]; ok {
			if p.Kind != Count {
				text = strconv.Quote(text)
			}
			parts = append(parts, p.Name+": "+text)
		}
		if list, ok := r.Lists[p.Name]; ok {
			quoted := make([]string, len(list))
			for i, text := range list {
				quoted[i] = strconv.Quote(text)
			}
			parts = append(parts, p.Name+": ["+strings.Join(quoted, ", ")+"]")
		}
	}
	if len(parts) == 0 {
		return r.Name
	}
	if alone, ok := strings.CutPrefix(parts[0], s.Parameters[0].Name+": "); ok && len(parts) == 1 {
		return r.Name + ": " + alone
	}
	return r.Name + ": {" + strings.Join(parts, ", ") + "}"
}

// flow writes pairs in the order of what is found.
func flow(pairs map[string]string) string {
	var parts []string
	for from, to := range pairs {
		parts = append(parts, strconv.Quote(from)+": "+strconv.Quote(to))
	}
	slices.Sort(parts)
	return "{" + strings.Join(parts, ", ") + "}"
}

// count returns a parameter that is a whole number, or another one where it is not given.
func (r *Remedy) count(name string, otherwise int) int {
	n, err := strconv.Atoi(r.Texts[name])
	if err != nil {
		return otherwise
	}
	return n
}

func (r *Remedy) expression(name string) (*regexp.Regexp, error) {
	re, err := regexp.Compile(r.Texts[name])
	if err != nil {
		return nil, fmt.Errorf("%s is not a regular expression: %s", name,
			strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	return re, nil
}

// of makes a remedy that is given texts, by turns a name and a text.
func of(name string, texts ...string) Remedy {
	r := Remedy{Name: name}
	for i := 0; i+1 < len(texts); i += 2 {
		if r.Texts == nil {
			r.Texts = map[string]string{}
		}
		r.Texts[texts[i]] = texts[i+1]
	}
	return r
}

// listed makes a remedy that is given a list.
func listed(name, parameter string, texts ...string) Remedy {
	return Remedy{Name: name, Lists: map[string][]string{parameter: texts}}
}

// always leaves plain values of any datatype as they are; unlessText those that are no texts.
func always(value.Datatype) bool       { return true }
func unlessText(d value.Datatype) bool { return !d.IsText() }
