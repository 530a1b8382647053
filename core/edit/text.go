package edit

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"
)

// document is a text as a tree.
type document struct {
	root *node
	foot []string // comments below everything
}

// parse reads a text of one document, which is an object.
func parse(text []byte) (*document, error) {
	tokens := lexer.Tokenize(string(text))
	var comments []*token.Token
	starts := map[int]bool{} // lines on which something else than a comment stands before it
	for _, t := range tokens {
		if t.Type == token.CommentType {
			comments = append(comments, t)
		} else {
			starts[t.Position.Line] = true
		}
	}
	file, err := parser.Parse(tokens, 0)
	if err != nil {
		return nil, fmt.Errorf("the text cannot be changed by steps: %w", err)
	}
	var body ast.Node
	for _, doc := range file.Docs {
		if doc.Body != nil {
			body = doc.Body
		}
	}
	d := &document{}
	r := &reader{}
	if body == nil {
		d.root = &node{kind: object}
		return d, nil
	}
	if d.root, err = r.node(body); err != nil {
		return nil, err
	}
	if d.root.kind != object {
		return nil, fmt.Errorf("the text is no list of properties")
	}
	d.root.isFlow = false
	slices.SortStableFunc(r.block, func(a, b *entry) int { return a.line - b.line })
	lines := strings.Split(string(text), "\n")
	for _, e := range r.block {
		if e.line > 1 && strings.TrimSpace(lines[min(e.line-2, len(lines)-1)]) == "" && len(r.block) > 0 && e != r.block[0] {
			e.above = append(e.above, "")
		}
	}
	for _, c := range comments {
		d.comment(r.block, c, starts[c.Position.Line])
	}
	return d, nil
}

// comment puts a comment where it belongs: beside what begins on its line, above what follows,
// or below what it is indented as.
func (d *document) comment(block []*entry, c *token.Token, isBeside bool) {
	text := "#" + strings.TrimRight(c.Value, " \t")
	// The first entry that begins below the comment's line.
	next, _ := slices.BinarySearchFunc(block, c.Position.Line+1, func(e *entry, line int) int { return e.line - line })
	if isBeside {
		if next == 0 {
			d.foot = append(d.foot, text)
			return
		}
		e := block[next-1]
		e.beside, e.besideAt = strings.TrimSpace(e.beside+" "+text), c.Position.Column-1
		return
	}
	if next < len(block) && c.Position.Column <= block[next].column {
		block[next].above = append(block[next].above, text)
		return
	}
	for k := next - 1; k >= 0; k-- {
		if block[k].column <= c.Position.Column || k == 0 {
			if next == len(block) && c.Position.Column == 1 {
				break
			}
			if e := block[k]; c.Position.Column > e.column {
				e.within = append(e.within, text)
			} else {
				e.below = append(e.below, text)
			}
			return
		}
	}
	d.foot = append(d.foot, text)
}

// reader makes a tree of what the library has parsed.
type reader struct {
	block  []*entry // that begin on a line of their own, in the order of the text
	inFlow int
}

func (r *reader) node(n ast.Node) (*node, error) {
	switch n := n.(type) {
	case *ast.MappingNode:
		return r.object(n.Values, n.IsFlowStyle)
	case *ast.MappingValueNode:
		return r.object([]*ast.MappingValueNode{n}, false)
	case *ast.SequenceNode:
		return r.list(n)
	case *ast.LiteralNode:
		return scalarOf(n.Value.Value), nil
	case *ast.StringNode:
		return &node{text: n.Value, written: writtenAs(n)}, nil
	case *ast.NullNode:
		return &node{text: n.GetToken().Value, written: n.GetToken().Value}, nil
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return plain(n.GetToken().Value), nil
	case *ast.CommentGroupNode, nil:
		return &node{}, nil
	}
	at := n.GetToken().Position
	return nil, fmt.Errorf("line %d, column %d: what stands here cannot be changed by steps", at.Line, at.Column)
}

// writtenAs returns how a text is written, with its quotes.
func writtenAs(n *ast.StringNode) string {
	switch n.Token.Type {
	case token.SingleQuoteType:
		if strings.ContainsAny(n.Value, "\n\t") {
			return Quote(n.Value)
		}
		return "'" + strings.ReplaceAll(n.Value, "'", "''") + "'"
	case token.DoubleQuoteType:
		return Quote(n.Value)
	}
	if strings.Contains(n.Value, "\n") || strings.Contains(n.Token.Origin, "\n") && !isPlain(n.Value) {
		return Scalar(n.Value)
	}
	return n.Value
}

func (r *reader) object(values []*ast.MappingValueNode, isFlow bool) (*node, error) {
	n := &node{kind: object, isFlow: isFlow}
	if isFlow {
		r.inFlow++
		defer func() { r.inFlow-- }()
	}
	for _, v := range values {
		key := v.Key.GetToken()
		e := &entry{key: key.Value, as: key.Value, line: key.Position.Line, column: key.Position.Column}
		switch key.Type {
		case token.SingleQuoteType, token.DoubleQuoteType:
			e.as = Quote(key.Value)
		}
		r.begin(e)
		var err error
		if e.node, err = r.node(v.Value); err != nil {
			return nil, err
		}
		n.entries = append(n.entries, e)
	}
	return n, nil
}

func (r *reader) list(s *ast.SequenceNode) (*node, error) {
	n := &node{kind: list, isFlow: s.IsFlowStyle}
	if s.IsFlowStyle {
		r.inFlow++
		defer func() { r.inFlow-- }()
	}
	for _, v := range s.Values {
		at := &token.Position{}
		if v != nil && v.GetToken() != nil {
			at = v.GetToken().Position
		}
		e := &entry{line: at.Line, column: max(1, at.Column-2)}
		switch v := v.(type) {
		case *ast.MappingNode:
			if len(v.Values) > 0 && !v.IsFlowStyle {
				p := v.Values[0].Key.GetToken().Position
				e.line, e.column = p.Line, max(1, p.Column-2)
			}
		case *ast.MappingValueNode:
			p := v.Key.GetToken().Position
			e.line, e.column = p.Line, max(1, p.Column-2)
		}
		r.begin(e)
		var err error
		if e.node, err = r.node(v); err != nil {
			return nil, err
		}
		n.entries = append(n.entries, e)
	}
	return n, nil
}

func (r *reader) begin(e *entry) {
	if r.inFlow == 0 {
		r.block = append(r.block, e)
	}
}

// width is how many characters a line may have in which an object or list stands.
const width = 112

// render writes the text.
func (d *document) render() []byte {
	var b strings.Builder
	d.root.block(&b, "")
	for _, line := range d.foot {
		b.WriteString(line + "\n")
	}
	return []byte(b.String())
}

// block writes the entries of an object or a list below one another.
func (n *node) block(b *strings.Builder, indent string) {
	for _, e := range n.entries {
		n.entry(b, e, indent, indent)
	}
}

// entry writes one entry; lead is what its first line begins with.
func (n *node) entry(b *strings.Builder, e *entry, lead, indent string) {
	for _, line := range e.above {
		b.WriteString(strings.TrimRight(indent+line, " ") + "\n")
	}
	line := lead
	if n.kind == list {
		line += "- "
	} else {
		line += e.as + ":"
	}
	v := e.node
	comment := func(line string) string {
		line = strings.TrimRight(line, " ")
		if e.beside != "" {
			line = fmt.Sprintf("%-*s %s", e.besideAt-1, line, e.beside)
		}
		return line + "\n"
	}
	if text, fits := v.inline(width - len([]rune(line)) - 1); fits {
		if n.kind == object && text != "" {
			line += " "
		}
		b.WriteString(comment(line + text))
	} else if n.kind == list && v.kind == object {
		// The first property stands behind the dash.
		for i, p := range v.entries {
			if i == 0 {
				first := *p
				first.above = nil
				first.beside = strings.TrimSpace(first.beside + " " + e.beside)
				first.besideAt = max(first.besideAt, e.besideAt)
				v.entry(b, &first, line, indent+"  ")
			} else {
				v.entry(b, p, indent+"  ", indent+"  ")
			}
		}
	} else {
		b.WriteString(comment(line))
		v.block(b, indent+"  ")
	}
	for _, line := range e.within {
		b.WriteString(indent + "  " + line + "\n")
	}
	for _, line := range e.below {
		b.WriteString(indent + line + "\n")
	}
}

// inline returns a node in one line; false where it is to stand below: it was written so, it is
// too long, or comments stand within it.
func (n *node) inline(room int) (string, bool) {
	if n.kind == scalar {
		return n.written, true
	}
	if len(n.entries) == 0 {
		return map[kind]string{list: "[]", object: "{}"}[n.kind], true
	}
	if !n.isFlow {
		return "", false
	}
	text := n.flow()
	return text, len([]rune(text)) <= room
}

// flow writes a node in brackets or braces.
func (n *node) flow() string {
	if n.kind == scalar {
		if n.written == n.text && strings.ContainsAny(n.text, ",[]{}") {
			return Quote(n.text) // which needs no quotes only where nothing stands around it
		}
		return n.written
	}
	parts := make([]string, len(n.entries))
	for i, e := range n.entries {
		parts[i] = e.node.flow()
		if n.kind == object {
			parts[i] = e.as + ": " + parts[i]
			if e.as == e.key && strings.ContainsAny(e.key, ",[]{}") {
				parts[i] = Quote(e.key) + ": " + e.node.flow()
			}
		}
	}
	if n.kind == list {
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return "{" + strings.Join(parts, ", ") + "}"
}

func plain(text string) *node { return &node{text: text, written: text} }

func scalarOf(text string) *node { return &node{text: text, written: Scalar(text)} }

var plainText = regexp.MustCompile(`^[\pL_][\pL\pN_/-]*( [\pL\pN_/(][\pL\pN_/.()%-]*)*$|` +
	`^[0-9]{4}-[0-9]{2}-[0-9]{2}$`)

// words that YAML takes for something else than a text.
var notTexts = []string{"true", "false", "yes", "no", "on", "off", "null", "y", "n"}

func isPlain(text string) bool {
	return plainText.MatchString(text) && !slices.Contains(notTexts, strings.ToLower(text))
}

// Scalar writes a text as YAML reads it, in quotes where it takes them.
func Scalar(text string) string {
	if isPlain(text) {
		return text
	}
	return Quote(text)
}

var plainName = regexp.MustCompile(`^[\pL_][\pL\pN_-]*$`)

// nameOf writes the name of a property, which may be a word that would not stand for a text elsewhere.
func nameOf(key string) string {
	if plainName.MatchString(key) {
		return key
	}
	return Quote(key)
}

// Quote writes a text in double quotes as YAML and JSON read it.
func Quote(text string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range text {
		switch {
		case r == '"' || r == '\\':
			b.WriteByte('\\')
			b.WriteRune(r)
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case r < ' ' || r == 0x7F || r >= 0x80 && r < 0xA0 || r == 0x2028 || r == 0x2029 || r == 0xFEFF:
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}
