package condition

import (
	"bytes"
	"math/bits"
	"slices"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
)

// What most conditions are made of (comparisons, sums, products, lists, and, or, not,
// either) is computed without the library: on numbers of up to 18 digits, texts and
// moments as they are. A property test holds them to the library's answers.
type (
	truthFunc  func(vars Block, k int) (bool, telling)
	numberFunc func(vars Block, k int) (short, telling)
	textFunc   func(vars Block, k int) ([]byte, telling)
	momentFunc func(vars Block, k int) (instant, telling)
	joinFunc   func(dst []byte, vars Block, k int) ([]byte, telling) // appends a text
)

// telling is whether such a function gives a result. What takes several of them gives the greatest.
type telling uint8

const (
	told   telling = iota
	absent         // it takes a value that is missing or wrong
	unsure         // a number is too long, say: the library is asked
)

// isKind is told where a value is of a kind.
func (v *Value) isKind(kind Kind) telling {
	switch v.Kind {
	case kind:
		return told
	case Missing, Wrong:
		return absent
	}
	return unsure
}

// Block holds the values of a block of rows: for each variable of a program, in their
// order, those of all rows.
type Block [][]Value

// short is a number of up to 18 digits.
type short struct {
	units int64 // times 10^scale
	scale uint8
}

type instant struct {
	seconds int64
	nanos   int32
}

// compiler makes functions of a tree's nodes, nil for what it does not know.
type compiler struct {
	program *Program
	tree    *ast.AST
}

// native compiles the program's tree as far as it is known.
func (p *Program) native(tree *ast.AST) {
	c := compiler{p, tree}
	switch e := tree.Expr(); p.Result {
	case Truth:
		p.truth = c.truth(e)
	case Number:
		p.number = c.number(e)
	case Text:
		if p.text = c.text(e); p.text == nil {
			p.join = c.join(e)
		}
	case Moment:
		p.moment = c.moment(e)
	}
	ast.PostOrderVisit(tree.Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.IdentKind:
			at, ok := p.names[e.AsIdent()]
			p.branch = p.branch || ok && at < 0
		case ast.ComprehensionKind:
			p.branch = true
		case ast.CallKind:
			name := e.AsCall().FunctionName()
			p.branch = p.branch || name == "_&&_" || name == "_||_" || name == "_?_:_"
		}
	}))
}

func (c *compiler) kind(e ast.Expr) Kind {
	kind, _ := resultOf(c.tree.GetType(e.ID()), nil)
	return kind
}

// variable returns the place of the variable that a node is, -1 where it is none.
func (c *compiler) variable(e ast.Expr) int {
	if e.Kind() != ast.IdentKind {
		return -1
	}
	if at, ok := c.program.names[e.AsIdent()]; ok && at >= 0 {
		return at
	}
	return -1
}

func (c *compiler) truth(e ast.Expr) truthFunc {
	switch e.Kind() {
	case ast.LiteralKind:
		if b, ok := e.AsLiteral().(types.Bool); ok {
			return func(Block, int) (bool, telling) { return bool(b), told }
		}
	case ast.IdentKind:
		at, ok := c.program.names[e.AsIdent()]
		switch {
		case !ok:
		case at < 0:
			return func(vars Block, k int) (bool, telling) { return vars[-1-at][k].Kind != Missing, told }
		default:
			return func(vars Block, k int) (bool, telling) {
				v := &vars[at][k]
				return v.Units != 0, v.isKind(Truth)
			}
		}
	case ast.CallKind:
		return c.truthCall(e.AsCall())
	}
	return nil
}

func (c *compiler) truthCall(call ast.CallExpr) truthFunc {
	args := call.Args()
	switch name := call.FunctionName(); name {
	case "_&&_", "_||_":
		return c.junction(args[0], args[1], name == "_||_")
	case "!_":
		if f := c.truth(args[0]); f != nil {
			return func(vars Block, k int) (bool, telling) {
				holds, is := f(vars, k)
				return !holds, is
			}
		}
	case "_?_:_":
		if test, yes, no := c.truth(args[0]), c.truth(args[1]), c.truth(args[2]); test != nil && yes != nil &&
			no != nil {
			return func(vars Block, k int) (bool, telling) {
				holds, is := test(vars, k)
				switch {
				case is != told:
					return false, is
				case holds:
					return yes(vars, k)
				}
				return no(vars, k)
			}
		}
	case "_==_", "_!=_", "_<_", "_<=_", "_>_", "_>=_":
		return c.comparison(name, args[0], args[1])
	case "@in":
		return c.among(args[0], args[1])
	case "startsWith", "endsWith", "contains":
		if call.IsMemberFunction() {
			return c.part(name, call.Target(), args[0])
		}
	}
	return nil
}

// junction is an and, or an or. As in CEL, what cannot be told on one side does not
// matter where the other side decides.
func (c *compiler) junction(a, b ast.Expr, decides bool) truthFunc {
	left, right := c.truth(a), c.truth(b)
	if left == nil || right == nil {
		return nil
	}
	return func(vars Block, k int) (bool, telling) {
		holds, is := left(vars, k)
		if is == told && holds == decides {
			return decides, told
		}
		other, isOther := right(vars, k)
		if isOther == told && other == decides {
			return decides, told
		}
		return !decides, max(is, isOther)
	}
}

// tests tell which orders of two values make a comparison true: bit 0 for less, 1 for the same,
// 2 for more.
var tests = map[string]uint8{"_==_": 0b010, "_!=_": 0b101, "_<_": 0b001, "_<=_": 0b011, "_>_": 0b100, "_>=_": 0b110}

func (c *compiler) comparison(name string, a, b ast.Expr) truthFunc {
	test := tests[name]
	switch c.kind(a) {
	case Number:
		if x, y := c.number(a), c.number(b); x != nil && y != nil {
			return func(vars Block, k int) (bool, telling) {
				left, is := x(vars, k)
				right, isOther := y(vars, k)
				if is = max(is, isOther); is != told {
					return false, is
				}
				order, is := left.compare(right)
				return test>>(order+1)&1 != 0, is
			}
		}
	case Text:
		if x, y := c.text(a), c.text(b); x != nil && y != nil {
			return func(vars Block, k int) (bool, telling) {
				left, is := x(vars, k)
				right, isOther := y(vars, k)
				return test>>(bytes.Compare(left, right)+1)&1 != 0, max(is, isOther)
			}
		}
	case Moment:
		if x, y := c.moment(a), c.moment(b); x != nil && y != nil {
			return func(vars Block, k int) (bool, telling) {
				left, is := x(vars, k)
				right, isOther := y(vars, k)
				return test>>(left.compare(right)+1)&1 != 0, max(is, isOther)
			}
		}
	case Truth:
		if x, y := c.truth(a), c.truth(b); x != nil && y != nil && (name == "_==_" || name == "_!=_") {
			return func(vars Block, k int) (bool, telling) {
				left, is := x(vars, k)
				right, isOther := y(vars, k)
				return (left == right) == (name == "_==_"), max(is, isOther)
			}
		}
	}
	return nil
}

// among reports whether a value is one of a list of constants.
func (c *compiler) among(a, list ast.Expr) truthFunc {
	if list.Kind() != ast.ListKind {
		return nil
	}
	switch c.kind(a) {
	case Text:
		of := c.text(a)
		var set []string
		for _, e := range list.AsList().Elements() {
			if e.Kind() != ast.LiteralKind {
				return nil
			}
			s, ok := e.AsLiteral().(types.String)
			if !ok {
				return nil
			}
			set = append(set, string(s))
		}
		if of == nil {
			return nil
		}
		return func(vars Block, k int) (bool, telling) {
			text, is := of(vars, k)
			for _, s := range set {
				if s == string(text) {
					return true, is
				}
			}
			return false, is
		}
	case Number:
		of := c.number(a)
		var set []short
		for _, e := range list.AsList().Elements() {
			f := c.number(e)
			if f == nil || len(c.variablesOf(e)) > 0 {
				return nil
			}
			n, is := f(nil, 0)
			if is != told {
				return nil
			}
			set = append(set, n)
		}
		if of == nil {
			return nil
		}
		return func(vars Block, k int) (bool, telling) {
			n, is := of(vars, k)
			if is != told {
				return false, is
			}
			for _, s := range set {
				order, is := n.compare(s)
				if is != told {
					return false, is
				}
				if order == 0 {
					return true, told
				}
			}
			return false, told
		}
	}
	return nil
}

// variablesOf returns the names that a node reads.
func (c *compiler) variablesOf(e ast.Expr) (names []string) {
	ast.PostOrderVisit(e, ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() == ast.IdentKind {
			names = append(names, e.AsIdent())
		}
	}))
	return names
}

func (c *compiler) part(name string, of, part ast.Expr) truthFunc {
	whole, piece := c.text(of), c.text(part)
	if whole == nil || piece == nil {
		return nil
	}
	test := map[string]func(s, part []byte) bool{"startsWith": bytes.HasPrefix, "endsWith": bytes.HasSuffix,
		"contains": bytes.Contains}[name]
	return func(vars Block, k int) (bool, telling) {
		text, is := whole(vars, k)
		p, isOther := piece(vars, k)
		return test(text, p), max(is, isOther)
	}
}

func (c *compiler) text(e ast.Expr) textFunc {
	if at := c.variable(e); at >= 0 && c.kind(e) == Text {
		return func(vars Block, k int) ([]byte, telling) {
			v := &vars[at][k]
			return v.Text, v.isKind(Text)
		}
	}
	if e.Kind() == ast.LiteralKind {
		if s, ok := e.AsLiteral().(types.String); ok {
			text := []byte(s)
			return func(Block, int) ([]byte, telling) { return text, told }
		}
	}
	return nil
}

// join compiles a text that is put together of others, and of numbers as texts.
func (c *compiler) join(e ast.Expr) joinFunc {
	if f := c.text(e); f != nil {
		return func(dst []byte, vars Block, k int) ([]byte, telling) {
			text, is := f(vars, k)
			return append(dst, text...), is
		}
	}
	if e.Kind() != ast.CallKind {
		return nil
	}
	args := e.AsCall().Args()
	switch e.AsCall().FunctionName() {
	case "_+_":
		a, b := c.join(args[0]), c.join(args[1])
		if a == nil || b == nil {
			return nil
		}
		return func(dst []byte, vars Block, k int) ([]byte, telling) {
			dst, is := a(dst, vars, k)
			if is == unsure || len(dst) > alwaysRoom {
				return dst, unsure // the library says whether there is room for the rest
			}
			dst, isOther := b(dst, vars, k)
			return dst, max(is, isOther)
		}
	case "string":
		if len(args) != 1 || c.kind(args[0]) != Number {
			return nil
		}
		if f := c.number(args[0]); f != nil {
			return func(dst []byte, vars Block, k int) ([]byte, telling) {
				n, is := f(vars, k)
				v := Value{Kind: Number, Units: n.units, Scale: n.scale}
				return v.appendNumber(dst), is
			}
		}
	}
	return nil
}

func (c *compiler) moment(e ast.Expr) momentFunc {
	if at := c.variable(e); at >= 0 && c.kind(e) == Moment {
		return func(vars Block, k int) (instant, telling) {
			v := &vars[at][k]
			return instant{v.Units, v.Nanos}, v.isKind(Moment)
		}
	}
	if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == "date" {
		if text, ok := textOf(e.AsCall()); ok {
			if t, ok := toDate(types.String(text), types.String("")).(types.Timestamp); ok {
				v := MomentOf(t.Time)
				return func(Block, int) (instant, telling) { return instant{v.Units, v.Nanos}, told }
			}
		}
	}
	return nil
}

func (i instant) compare(k instant) int {
	switch {
	case i.seconds < k.seconds || i.seconds == k.seconds && i.nanos < k.nanos:
		return -1
	case i == k:
		return 0
	}
	return 1
}

func (c *compiler) number(e ast.Expr) numberFunc {
	if at := c.variable(e); at >= 0 && c.kind(e) == Number {
		return func(vars Block, k int) (short, telling) {
			v := &vars[at][k]
			if v.Long && v.Kind == Number {
				return short{}, unsure
			}
			return short{v.Units, v.Scale}, v.isKind(Number)
		}
	}
	if e.Kind() != ast.CallKind {
		return nil
	}
	call := e.AsCall()
	args := call.Args()
	switch name := call.FunctionName(); name {
	case "number":
		if text, ok := textOf(call); ok {
			return constant(text)
		}
		return c.number(args[0])
	case "-_":
		if f := c.number(args[0]); f != nil {
			return func(vars Block, k int) (short, telling) {
				n, is := f(vars, k)
				return short{-n.units, n.scale}, is
			}
		}
	case "_+_", "_-_", "_*_":
		return c.arithmetic(name, args[0], args[1])
	}
	return nil
}

// constant returns the number that a text is; nil where the library must say.
func constant(text string) numberFunc {
	if text == "" {
		return nil
	}
	v := readNumber([]byte(text))
	if v.Kind != Number || v.Long {
		return nil
	}
	n := short{v.Units, v.Scale}
	return func(Block, int) (short, telling) { return n, told }
}

func (c *compiler) arithmetic(name string, a, b ast.Expr) numberFunc {
	x, y := c.number(a), c.number(b)
	if x == nil || y == nil {
		return nil
	}
	compute := map[string]func(a, b short) (short, telling){"_+_": short.plus, "_-_": short.minus,
		"_*_": short.times}[name]
	return func(vars Block, k int) (short, telling) {
		left, is := x(vars, k)
		right, isOther := y(vars, k)
		if is = max(is, isOther); is != told {
			return short{}, is
		}
		return compute(left, right)
	}
}

// limit is beyond what a short number holds.
const limit = int64(1e18)

var powers = func() (p [maxDigits + 1]int64) {
	p[0] = 1
	for i := 1; i < len(p); i++ {
		p[i] = p[i-1] * 10
	}
	return p
}()

// aligned gives two numbers one scale, as far as 18 digits hold them.
func aligned(a, b short) (x, y int64, scale uint8, is telling) {
	if a.scale == b.scale {
		return a.units, b.units, a.scale, told
	}
	scale = max(a.scale, b.scale)
	x, is = a.scaled(scale)
	y, isOther := b.scaled(scale)
	return x, y, scale, max(is, isOther)
}

func (a short) scaled(scale uint8) (int64, telling) {
	up := int(scale - a.scale)
	if up > maxDigits {
		if a.units == 0 {
			return 0, told
		}
		return 0, unsure
	}
	high, low := bits.Mul64(uint64(max(a.units, -a.units)), uint64(powers[up]))
	if high != 0 || low >= uint64(limit) {
		return 0, unsure
	}
	if a.units < 0 {
		return -int64(low), told
	}
	return int64(low), told
}

func (a short) compare(b short) (int, telling) {
	x, y, _, is := aligned(a, b)
	switch {
	case x < y:
		return -1, is
	case x > y:
		return 1, is
	}
	return 0, is
}

func (a short) plus(b short) (short, telling) {
	x, y, scale, is := aligned(a, b)
	sum := x + y
	if sum >= limit || sum <= -limit {
		is = unsure
	}
	return short{sum, scale}, is
}

func (a short) minus(b short) (short, telling) { return a.plus(short{-b.units, b.scale}) }

func (a short) times(b short) (short, telling) {
	high, low := bits.Mul64(uint64(max(a.units, -a.units)), uint64(max(b.units, -b.units)))
	scale := a.scale + b.scale
	if high != 0 || low >= uint64(limit) || scale > maxDigits {
		return short{}, unsure
	}
	product := int64(low)
	if (a.units < 0) != (b.units < 0) {
		product = -product
	}
	return short{product, scale}, told
}

// Columns returns the names of the columns that a program reads.
func (p *Program) Columns() (names []string) {
	for _, v := range p.Variables {
		if v.Origin == OfColumn && !slices.Contains(names, v.Name) {
			names = append(names, v.Name)
		}
	}
	return names
}
