package target

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"math/big"
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

	"sieb/core/value"
	"sieb/core/violation"
)

// Problem is something wrong with a target's text.
type Problem struct {
	Line, Column int
	Message      string
}

func (p Problem) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", p.Line, p.Column, p.Message)
}

// Problems are all that is wrong with a target's text, in order.
type Problems []Problem

func (p Problems) Error() string {
	lines := make([]string, len(p))
	for i := range p {
		lines[i] = p[i].Error()
	}
	return strings.Join(lines, "\n")
}

// Parse reads a target from YAML or JSON text. The error is of type Problems.
func Parse(text []byte) (t *Target, err error) {
	switch {
	case len(text) > maxText:
		return nil, Problems{{1, 1, fmt.Sprintf("the text is longer than %d MiB, which no target is", maxText>>20)}}
	case !utf8.Valid(text):
		return nil, Problems{{1, 1, "the text is not valid UTF-8: save the target as UTF-8"}}
	}
	if at := bytes.IndexByte(text, 0); at >= 0 {
		line := 1 + bytes.Count(text[:at], []byte("\n"))
		return nil, Problems{{line, at - bytes.LastIndexByte(text[:at], '\n'),
			"a NUL character stands here, which no text holds: save the target as UTF-8"}}
	}
	tokens := lexer.Tokenize(string(text))
	if at, why := new(shape).check(tokens); at != nil {
		return nil, Problems{{at.Position.Line, at.Position.Column, why}}
	}
	file, err := parser.Parse(tokens, 0)
	if err != nil {
		var syntax *yaml.SyntaxError
		if errors.As(err, &syntax) && syntax.Token != nil {
			return nil, Problems{{syntax.Token.Position.Line, syntax.Token.Position.Column, "this is not YAML: " +
				clip(syntax.Message)}}
		}
		return nil, Problems{{1, 1, "this is not YAML: " + clip(strings.TrimSpace(err.Error()))}}
	}
	p := &reading{}
	var body ast.Node
	for _, doc := range file.Docs {
		if doc.Body == nil {
			continue
		}
		if body != nil {
			p.wrong(doc.Body, "a file holds one target; a second document begins here")
			break
		}
		body = doc.Body
	}
	if body == nil {
		return nil, Problems{{1, 1, "the target is empty: it needs at least target and columns"}}
	}
	t = p.target(body)
	t.Text = text
	if len(p.problems) > 0 {
		slices.SortStableFunc(p.problems, func(a, b Problem) int {
			if a.Line != b.Line {
				return a.Line - b.Line
			}
			return a.Column - b.Column
		})
		return nil, p.problems
	}
	return t, nil
}

// reading walks the YAML nodes. The nodes themselves are kept at hand, so
// that each complaint has a place, and scalars are taken as they are written:
// 1.50 stays 1.50 and 2026-01-01 stays a text.
type reading struct {
	problems Problems
	strange  int // properties that were not known
}

func (p *reading) wrong(at ast.Node, format string, args ...any) {
	var pos *token.Position
	if at != nil && at.GetToken() != nil {
		pos = at.GetToken().Position
	}
	if pos == nil {
		pos = &token.Position{Line: 1, Column: 1}
	}
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

var targetProperties = []string{"target", "title", "columns", "key", "rows", "tolerance"}

func (p *reading) target(n ast.Node) *Target {
	t := &Target{}
	var columns, key ast.Node
	named := false
	for _, prop := range p.mapping(n, "a target") {
		switch prop.name {
		case "target":
			named = true
			t.Name = p.text(prop.node, "target")
			if !legalName.MatchString(t.Name) {
				p.wrong(prop.node, "the name %q: a target's name has letters, digits, _ and -, at most 63",
					clip(t.Name))
			}
		case "title":
			t.Title = p.text(prop.node, "title")
		case "columns":
			columns = prop.node
		case "key":
			key = prop.node
			t.Key = p.texts(prop.node, "key", maxKey)
		case "rows":
			t.Rows = p.rows(prop.node)
		case "tolerance":
			t.Tolerance = p.tolerance(prop.node)
		default:
			p.unknown(prop, "a target", targetProperties)
		}
	}
	// Where a name is not known, what is missing is most likely mistyped.
	mistyped := p.strange > 0
	if !named && !mistyped {
		p.wrong(n, "the target has no name: add target: NAME")
	}
	if columns == nil {
		if !mistyped {
			p.wrong(n, "the target has no columns: add columns with at least one name")
		}
		return t
	}
	names := map[string]bool{}
	all := p.sequence(columns, "columns")
	if len(all) > maxColumns {
		p.wrong(columns, "the target has %d columns: at most %d", len(all), maxColumns)
		return t
	}
	for _, c := range all {
		column := p.column(c)
		if names[column.Name] && column.Name != "" {
			p.wrong(c, "a second column %q", clip(column.Name))
		}
		names[column.Name] = true
		t.Columns = append(t.Columns, column)
	}
	if len(t.Columns) == 0 {
		p.wrong(columns, "the target has no columns: add at least one name")
	}
	for i, k := range t.Key {
		c := t.Column(k)
		switch {
		case c == nil:
			p.wrong(key, "the key names %q, which is not a column", k)
		case slices.Contains(t.Key[:i], k):
			p.wrong(key, "the key names %q twice", k)
		case c.OnViolation != nil && *c.OnViolation == violation.Blank:
			p.wrong(key, "%q belongs to the key and cannot be blanked on a violation", k)
		default:
			c.Required = true
		}
	}
	return t
}

var legalName = regexp.MustCompile(`^[\pL\pN_][\pL\pN_-]{0,62}$`)

func (p *reading) rows(n ast.Node) (r Rows) {
	for _, prop := range p.mapping(n, "rows") {
		switch prop.name {
		case "minimum", "maximum":
			count := p.count(prop.node, prop.name, 0)
			if count == nil {
				continue
			}
			rows := int64(*count)
			if prop.name == "minimum" {
				r.Minimum = &rows
			} else {
				r.Maximum = &rows
			}
		default:
			p.unknown(prop, "rows", []string{"minimum", "maximum"})
		}
	}
	if r.Maximum != nil && r.Least() > *r.Maximum {
		p.wrong(n, "rows: the minimum %d is greater than the maximum %d", r.Least(), *r.Maximum)
	}
	return r
}

func (p *reading) tolerance(n ast.Node) (t Tolerance) {
	for _, prop := range p.mapping(n, "tolerance") {
		if prop.name != "rejected" {
			p.unknown(prop, "tolerance", []string{"rejected"})
			continue
		}
		text := strings.TrimSpace(p.text(prop.node, "rejected"))
		percent, isShare := strings.CutSuffix(text, "%")
		if isShare {
			share, ok := new(big.Rat).SetString(strings.TrimSpace(percent))
			if ok && share.Sign() >= 0 && share.Cmp(big.NewRat(100, 1)) <= 0 && !strings.ContainsAny(percent, "/eE") {
				t.Share = share.Quo(share, big.NewRat(100, 1))
				continue
			}
		} else if rows, err := strconv.ParseInt(text, 10, 64); err == nil && rows >= 0 {
			t.Rows = &rows
			continue
		}
		p.wrong(prop.node, "rejected: %q is neither a number of rows such as 100 nor a share such as 2%%", text)
	}
	return t
}

var columnProperties = []string{"name", "titles", "position", "datatype", "format", "decimalChar", "groupChar",
	"precision",
	"scale", "required", "unique", "null", "minLength", "maxLength", "minimum", "maximum", "oneOf", "onViolation",
	"remedies"}

func (p *reading) column(n ast.Node) Column {
	c := Column{Null: []string{""}}
	at := map[string]ast.Node{}
	strange := p.strange
	for _, prop := range p.mapping(n, "a column") {
		at[prop.name] = prop.node
		switch prop.name {
		case "name":
			c.Name = p.text(prop.node, "name")
		case "titles":
			c.Titles = p.texts(prop.node, "titles", maxTexts)
		case "position":
			if k := p.count(prop.node, "position", 1); k != nil {
				c.Position = *k
			}
		case "datatype":
			if err := c.Datatype.UnmarshalText([]byte(p.text(prop.node, "datatype"))); err != nil {
				p.wrong(prop.node, "%v", err)
			}
		case "format":
			c.Formats = p.texts(prop.node, "format", maxFormats)
		case "decimalChar":
			c.DecimalChar = p.text(prop.node, "decimalChar")
		case "groupChar":
			c.GroupChar = p.text(prop.node, "groupChar")
		case "precision":
			c.Precision = p.count(prop.node, "precision", 1)
		case "scale":
			c.Scale = p.count(prop.node, "scale", 0)
		case "required":
			c.Required = p.bool(prop.node, "required")
		case "unique":
			c.Unique = p.bool(prop.node, "unique")
		case "null":
			c.Null = p.texts(prop.node, "null", maxTexts)
		case "minLength":
			c.MinLength = p.count(prop.node, "minLength", 0)
		case "maxLength":
			c.MaxLength = p.count(prop.node, "maxLength", 0)
		case "minimum":
			c.Minimum = p.text(prop.node, "minimum")
		case "maximum":
			c.Maximum = p.text(prop.node, "maximum")
		case "oneOf":
			c.OneOf = p.texts(prop.node, "oneOf", maxListed)
			if s, isList := prop.node.(*ast.SequenceNode); isList && len(s.Values) == 0 {
				p.wrong(prop.node, "oneOf lists no value: no cell could be right")
			}
		case "onViolation":
			c.OnViolation = new(violation.Action)
			if err := c.OnViolation.UnmarshalText([]byte(p.text(prop.node, "onViolation"))); err != nil {
				p.wrong(prop.node, "%v", err)
			}
		case "remedies":
			all := p.sequence(prop.node, "remedies")
			if len(all) > MaxRemedies {
				p.wrong(prop.node, "a column has at most %d remedies", MaxRemedies)
				continue
			}
			for _, r := range all {
				c.Remedies = append(c.Remedies, p.remedy(r))
			}
		default:
			p.unknown(prop, "a column", columnProperties)
		}
	}
	if c.Name == "" && p.strange == strange {
		p.wrong(n, "the column has no name")
	}
	p.contradictions(at, &c)
	return c
}

func (p *reading) remedy(n ast.Node) Remedy {
	var props []property
	switch n := n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		props = p.mapping(n, "a remedy")
	default:
		r := Remedy{Name: p.text(n, "a remedy")}
		switch {
		case r.Name == "recode":
			p.wrong(n, "recode needs its pairs: recode: {found: new}")
		case r.Name != "" && !slices.Contains(RemedyNames, r.Name):
			p.unknownRemedy(n, r.Name)
		}
		return r
	}
	if len(props) != 1 || props[0].name != "recode" {
		if len(props) > 0 && props[0].name != "recode" {
			p.unknownRemedy(props[0].key, props[0].name)
		} else {
			p.wrong(n, "each remedy is one entry of the list")
		}
		return Remedy{}
	}
	r := Remedy{Name: "recode", Recode: map[string]string{}}
	pairs := p.mapping(props[0].node, "recode")
	if len(pairs) > maxListed {
		p.wrong(props[0].node, "recode has %d pairs: at most %d", len(pairs), maxListed)
		return r
	}
	for _, pair := range pairs {
		if len(pair.name) > maxScalar {
			p.wrong(pair.key, "what recode finds is %d bytes long: at most %d", len(pair.name), maxScalar)
			continue
		}
		if _, null := pair.node.(*ast.NullNode); null {
			r.Recode[pair.name] = ""
			continue
		}
		r.Recode[pair.name] = p.text(pair.node, "what takes the place of "+clip(pair.name))
	}
	return r
}

func (p *reading) unknownRemedy(at ast.Node, name string) {
	if near := nearest(name, RemedyNames); near != "" {
		p.wrong(at, "there is no remedy %q; did you mean %q?", clip(name), near)
		return
	}
	p.wrong(at, "there is no remedy %q; there are %s", clip(name), strings.Join(RemedyNames, ", "))
}

// contradictions finds rules of a column that cannot hold together.
func (p *reading) contradictions(at map[string]ast.Node, c *Column) {
	only := func(name string, fits bool, what string) {
		if node := at[name]; node != nil && !fits {
			p.wrong(node, "%s goes with %s, and the datatype is %s", name, what, c.Datatype)
		}
	}
	only("decimalChar", c.Datatype.IsNumber(), "numbers")
	only("groupChar", c.Datatype.IsNumber(), "numbers")
	only("precision", c.Datatype == value.Decimal || c.Datatype == value.Integer, "decimal and integer")
	only("scale", c.Datatype == value.Decimal, "decimal")
	only("minLength", c.Datatype == value.String, "string")
	only("maxLength", c.Datatype == value.String, "string")
	only("minimum", c.Datatype != value.String && c.Datatype != value.Boolean, "numbers and dates")
	only("maximum", c.Datatype != value.String && c.Datatype != value.Boolean, "numbers and dates")
	only("oneOf", c.Datatype != value.Boolean && c.Datatype != value.Double, "string, integer, decimal and dates")

	p.formats(at, c)
	if c.Scale != nil && c.Precision == nil {
		p.wrong(at["scale"], "scale needs precision: the number of all digits")
	}
	if c.Scale != nil && c.Precision != nil && *c.Scale > *c.Precision {
		p.wrong(at["scale"], "scale %d is greater than precision %d", *c.Scale, *c.Precision)
	}
	if c.MinLength != nil && c.MaxLength != nil && *c.MinLength > *c.MaxLength {
		p.wrong(at["minLength"], "minLength %d is greater than maxLength %d", *c.MinLength, *c.MaxLength)
	}
	if c.OnViolation != nil && *c.OnViolation == violation.Blank && c.Required {
		p.wrong(at["onViolation"], "a required column cannot be blanked on a violation: use reject or flag")
	}
	if c.OnViolation != nil && *c.OnViolation == violation.Blank && c.Unique {
		p.wrong(at["onViolation"], "a unique column cannot be blanked on a violation: use reject or flag")
	}
	min, okMin := p.literal(at["minimum"], "minimum", c, c.Minimum)
	max, okMax := p.literal(at["maximum"], "maximum", c, c.Maximum)
	if okMin && okMax && min.Compare(max) > 0 {
		p.wrong(at["minimum"], "minimum %s is greater than maximum %s", c.Minimum, c.Maximum)
	}
	for _, text := range c.OneOf {
		one, ok := p.literal(at["oneOf"], "oneOf", c, text)
		switch {
		case ok && okMin && one.Compare(min) < 0:
			p.wrong(at["oneOf"], "oneOf lists %s, which is below the minimum %s", text, c.Minimum)
		case ok && okMax && one.Compare(max) > 0:
			p.wrong(at["oneOf"], "oneOf lists %s, which is above the maximum %s", text, c.Maximum)
		}
	}
}

func (p *reading) formats(at map[string]ast.Node, c *Column) {
	node := at["format"]
	if node == nil {
		for _, name := range []string{"decimalChar", "groupChar"} {
			if node == nil {
				node = at[name]
			}
		}
		if node == nil || !c.Datatype.IsNumber() {
			return
		}
	}
	var err error
	switch {
	case c.Datatype == value.String:
		if len(c.Formats) != 1 {
			p.wrong(node, "a string has one format; join expressions with |")
			return
		}
		err = checkPattern(c.Formats[0])
	case c.Datatype.IsNumber():
		if len(c.Formats) > 1 {
			p.wrong(node, "a number has one format")
			return
		}
		_, err = c.NumberFormat()
	case c.Datatype == value.Boolean:
		_, _, err = c.Booleans()
	default:
		_, err = c.DateFormats()
	}
	if err != nil {
		p.wrong(node, "%v", err)
	}
}

// literal reads a value that stands in a target, in canonical form.
func (p *reading) literal(at ast.Node, what string, c *Column, text string) (Literal, bool) {
	if at == nil || c.Datatype == value.String || c.Datatype == value.Boolean {
		return Literal{}, false
	}
	if len(text) > maxLiteral {
		p.wrong(at, "%s: %q has %d characters: at most %d", what, clip(text), len(text), maxLiteral)
		return Literal{}, false
	}
	l, ok := c.Literal(text)
	if !ok {
		example := map[value.Datatype]string{value.Date: " such as 2026-07-31",
			value.DateTime: " such as 2026-07-31T14:05:00"}[c.Datatype]
		p.wrong(at, "%s: %q is not of datatype %s%s; values in a target are written in canonical form, whatever the "+
			"column's format", what, text, c.Datatype, example)
	}
	return l, ok
}

// Literal is a value as it stands in a target.
type Literal struct {
	Number  value.Number
	Instant value.Instant
	Double  float64
	kind    value.Datatype
}

// Literal reads a minimum, maximum or allowed value of the column, written in
// canonical form: a point in numbers, ISO 8601 in dates.
func (c *Column) Literal(text string) (l Literal, ok bool) {
	l.kind = c.Datatype
	plain, _ := value.NewNumberFormat("", "", "")
	switch c.Datatype {
	case value.Integer, value.Decimal:
		ok = plain.Parse([]byte(text), &l.Number) && (c.Datatype == value.Decimal || l.Number.FractionDigits() == 0)
	case value.Double:
		l.Double, _, ok = plain.ParseDouble([]byte(text), &l.Number, nil)
		ok = ok && !math.IsNaN(l.Double) // which no value is above or below
	case value.Date, value.DateTime:
		f, err := value.NewDateFormat(c.Datatype, "")
		ok = err == nil && f.Parse([]byte(text), &l.Instant) == value.Matches
		if !ok && c.Datatype == value.DateTime {
			f, err = value.NewDateFormat(value.Date, "")
			ok = err == nil && f.Parse([]byte(text), &l.Instant) == value.Matches
		}
	}
	return l, ok
}

// Compare orders two literals of one column.
func (l Literal) Compare(m Literal) int {
	switch l.kind {
	case value.Integer, value.Decimal:
		return l.Number.Compare(&m.Number)
	case value.Double:
		switch {
		case l.Double < m.Double:
			return -1
		case l.Double > m.Double:
			return 1
		}
		return 0
	}
	return l.Instant.Compare(&m.Instant)
}

// nearest returns the known word that a mistyped one most likely stands for.
func nearest(word string, known []string) string {
	if len(word) > 64 {
		return ""
	}
	best, distance := "", max(2, len(word)/3)+1
	for _, k := range known {
		if d := editDistance(strings.ToLower(word), strings.ToLower(k)); d < distance {
			best, distance = k, d
		}
	}
	return best
}

// editDistance counts the insertions, deletions and changes of a letter that
// turn a into b (Levenshtein 1966).
func editDistance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			cost := diagonal
			if a[i] != b[j] {
				cost++
			}
			diagonal = row[j+1]
			row[j+1] = min(cost, row[j]+1, diagonal+1)
		}
	}
	return row[len(b)]
}

// IsName reports whether a target or a column can have this name.
func IsName(name string) bool { return legalName.MatchString(name) }
