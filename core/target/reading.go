package target

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"sieb/core/condition"
)

// document reads YAML or JSON text of one kind ("target" or "mapping") to its only
// document. The error is of type Problems.
func document(text []byte, kind string) (ast.Node, error) {
	switch {
	case len(text) > maxText:
		return nil, Problems{{1, 1, fmt.Sprintf("the text is longer than %d MiB, which no %s is", maxText>>20, kind)}}
	case !utf8.Valid(text):
		return nil, Problems{{1, 1, "the text is not valid UTF-8: save the " + kind + " as UTF-8"}}
	}
	if at := bytes.IndexByte(text, 0); at >= 0 {
		line := 1 + bytes.Count(text[:at], []byte("\n"))
		return nil, Problems{{line, at - bytes.LastIndexByte(text[:at], '\n'),
			"a NUL character stands here, which no text holds: save the " + kind + " as UTF-8"}}
	}
	tokens := lexer.Tokenize(string(text))
	if at, why := new(shape).check(tokens); at != nil {
		return nil, Problems{{at.Position.Line, at.Position.Column, why}}
	}
	file, err := parser.Parse(tokens, 0)
	if err != nil {
		var syntax *yaml.SyntaxError
		if errors.As(err, &syntax) && syntax.Token != nil {
			message := "this is not YAML: " + clip(syntax.Message)
			if twice := definedTwice.FindStringSubmatch(syntax.Message); twice != nil {
				message = fmt.Sprintf("%s stands here a second time, and first in line %s", clip(twice[1]), twice[2])
			}
			return nil, Problems{{syntax.Token.Position.Line, syntax.Token.Position.Column, message}}
		}
		return nil, Problems{{1, 1, "this is not YAML: " + clip(strings.TrimSpace(err.Error()))}}
	}
	var body ast.Node
	for _, doc := range file.Docs {
		switch {
		case doc.Body == nil:
		case body != nil:
			at := doc.Body.GetToken().Position
			return nil, Problems{{at.Line, at.Column, "a file holds one " + kind + "; a second document begins here"}}
		default:
			body = doc.Body
		}
	}
	if body == nil {
		return nil, Problems{{1, 1, "the " + kind + " is empty: it needs at least " + kind + " and columns"}}
	}
	return body, otherKind(body, kind)
}

// definedTwice is how the library says that a name stands twice.
var definedTwice = regexp.MustCompile(`^mapping key "(.*)" already defined at \[([0-9]+):`)

// otherKind tells a mapping that is given for a target, and a target for a mapping.
func otherKind(body ast.Node, kind string) error {
	n, ok := body.(*ast.MappingNode)
	if !ok {
		return nil
	}
	isMapping := slices.ContainsFunc(n.Values, func(v *ast.MappingValueNode) bool {
		return v.Key != nil && v.Key.GetToken() != nil && v.Key.GetToken().Value == "mapping"
	})
	isTarget := slices.ContainsFunc(n.Values, func(v *ast.MappingValueNode) bool {
		_, isList := v.Value.(*ast.SequenceNode)
		return isList && v.Key != nil && v.Key.GetToken() != nil && v.Key.GetToken().Value == "columns"
	})
	switch {
	case kind == "target" && isMapping:
		return Problems{{1, 1, "this is a mapping; a target begins with target: NAME and has no mapping"}}
	case kind == "mapping" && isTarget && !isMapping:
		return Problems{{1, 1, "this is a target; a mapping begins with mapping: NAME"}}
	}
	return nil
}

// reading walks the YAML nodes. The nodes themselves are kept at hand, so
// that each complaint has a place, and scalars are taken as they are written:
// 1.50 stays 1.50 and 2026-01-01 stays a text.
type reading struct {
	problems Problems
	strange  int      // properties that were not known
	labelled []string // code lists whose labels expressions read
}

// end returns what was found to be wrong.
func (p *reading) end() error {
	if len(p.problems) == 0 {
		return nil
	}
	p.problems.sort()
	return p.problems
}

func (p *reading) wrong(at ast.Node, format string, args ...any) {
	p.wrongAt(position(at), format, args...)
}

// position returns where a node begins.
func position(at ast.Node) *token.Position {
	if at == nil || at.GetToken() == nil || at.GetToken().Position == nil {
		return &token.Position{Line: 1, Column: 1}
	}
	return at.GetToken().Position
}

func (p *reading) wrongAt(pos *token.Position, format string, args ...any) {
	switch n := len(p.problems); {
	case n < maxProblems:
		message := fmt.Sprintf(format, args...)
		if len(message) > maxMessage {
			message = strings.ToValidUTF8(message[:maxMessage], "") + "…"
		}
		p.problems = append(p.problems, Problem{pos.Line, pos.Column, message})
	case n == maxProblems:
		p.problems = append(p.problems, Problem{pos.Line, pos.Column, "and more: these are the first problems"})
	}
}

// field is a property that a part of a text can have.
type field[T any] struct {
	name   string
	schema schema
	doc    string
	read   func(p *reading, n ast.Node, to *T)
}

func names[T any](fields []field[T]) []string {
	all := make([]string, len(fields))
	for i := range fields {
		all[i] = fields[i].name
	}
	return all
}

// fill reads the properties of a part of the text, and returns the nodes of their
// values by name.
func fill[T any](p *reading, n ast.Node, what string, fields []field[T], to *T) map[string]ast.Node {
	at := map[string]ast.Node{}
	for _, prop := range p.mapping(n, what) {
		k := slices.IndexFunc(fields, func(f field[T]) bool { return f.name == prop.name })
		if k < 0 {
			p.unknown(prop, what, names(fields))
			continue
		}
		at[prop.name] = prop.node
		fields[k].read(p, prop.node, to)
	}
	return at
}

// property is one name of a mapping with its value.
type property struct {
	name string
	key  ast.Node
	node ast.Node
}

func (p *reading) mapping(n ast.Node, what string) []property {
	var values []*ast.MappingValueNode
	switch n := n.(type) {
	case *ast.MappingNode:
		values = n.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{n}
	default:
		p.wrong(n, "%s is a list of properties, name: value", what)
		return nil
	}
	all := make([]property, 0, len(values))
	for _, v := range values {
		if v.Key == nil || v.Key.GetToken() == nil {
			p.wrong(n, "a property without a name")
			continue
		}
		all = append(all, property{v.Key.GetToken().Value, v.Key, v.Value})
	}
	return all
}

func (p *reading) sequence(n ast.Node, what string) []ast.Node {
	if s, ok := n.(*ast.SequenceNode); ok {
		return s.Values
	}
	p.wrong(n, "%s is a list", what)
	return nil
}

func (p *reading) text(n ast.Node, what string) (text string) {
	switch n := n.(type) {
	case *ast.StringNode:
		text = n.Value
	case *ast.LiteralNode:
		text = n.Value.Value
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		text = n.GetToken().Value
	default:
		p.wrong(n, "%s is one text or number", what)
	}
	if len(text) > maxScalar {
		p.wrong(n, "%s is %d bytes long: at most %d", what, len(text), maxScalar)
		return ""
	}
	return text
}

// texts takes a single text or a list of them, of so many at the most.
func (p *reading) texts(n ast.Node, what string, most int) []string {
	s, ok := n.(*ast.SequenceNode)
	if !ok {
		return []string{p.text(n, what)}
	}
	if len(s.Values) > most {
		p.wrong(n, "%s has %d entries: at most %d", what, len(s.Values), most)
		return nil
	}
	all := make([]string, 0, len(s.Values))
	for _, v := range s.Values {
		if _, null := v.(*ast.NullNode); null {
			all = append(all, v.GetToken().Value)
			continue
		}
		all = append(all, p.text(v, "each entry of "+what))
	}
	return all
}

func (p *reading) bool(n ast.Node, what string) bool {
	if b, ok := n.(*ast.BoolNode); ok {
		return b.Value
	}
	p.wrong(n, "%s is true or false", what)
	return false
}

func (p *reading) count(n ast.Node, what string, least int) *int {
	if i, ok := n.(*ast.IntegerNode); ok {
		if c, err := strconv.Atoi(i.GetToken().Value); err == nil && c >= least {
			return &c
		}
	}
	p.wrong(n, "%s is a whole number from %d up", what, least)
	return nil
}

// name reads the name of a target or a mapping.
func (p *reading) name(n ast.Node, what string) string {
	name := p.text(n, what)
	if !legalName.MatchString(name) {
		p.wrong(n, "the name %q: a %s's name has letters, digits, _ and -, at most 63", clip(name), what)
	}
	return name
}

func (p *reading) unknown(at property, of string, known []string) {
	if p.strange++; p.strange > maxProblems {
		p.wrong(at.key, "")
		return
	}
	if near := nearest(at.name, known); near != "" {
		p.wrong(at.key, "%s has no property %q; did you mean %q?", of, clip(at.name), near)
		return
	}
	p.wrong(at.key, "%s has no property %q; it has %s", of, clip(at.name), strings.Join(known, ", "))
}

// condition checks an expression over columns; results of another kind than wanted
// are told as wrong. It returns nil where the expression is wrong.
func (p *reading) condition(n ast.Node, text string, columns []condition.Column,
	wanted ...condition.Kind) *condition.Program {
	program, err := condition.Compile(text, columns, wanted...)
	if err == nil {
		p.labelled = append(p.labelled, program.Lists...)
		return program
	}
	pos := *position(n)
	var wrong *condition.Error
	if errors.As(err, &wrong) {
		switch n := n.(type) {
		case *ast.LiteralNode:
			pos.Line += wrong.Line
			text := strings.TrimLeft(n.Value.GetToken().Origin, "\n")
			pos.Column = wrong.Column + len(text) - len(strings.TrimLeft(text, " "))
		case *ast.StringNode:
			if !strings.Contains(n.Value, "\n") && wrong.Line == 1 {
				pos.Column += wrong.Column - 1
				if n.Token.Type == token.DoubleQuoteType || n.Token.Type == token.SingleQuoteType {
					pos.Column++
				}
			}
		}
	}
	p.wrongAt(&pos, "%s", err)
	return nil
}

// Known returns the columns as conditions know them.
func Known(columns []Column) []condition.Column {
	known := make([]condition.Column, len(columns))
	for i := range columns {
		known[i] = condition.Column{Name: columns[i].Name, Datatype: columns[i].ValueType()}
	}
	return known
}
