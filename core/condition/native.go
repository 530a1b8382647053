package condition

import (
	"bytes"
	"cmp"
	"math/bits"
	"regexp"
	"slices"
	"time"
	"unicode/utf8"

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
	case "matches":
		return c.matches(call)
	}
	return nil
}

// matches reports whether a text has a part like a regular expression that stands in the condition.
func (c *compiler) matches(call ast.CallExpr) truthFunc {
	of, expr := call.Target(), call.Args()[0]
	if !call.IsMemberFunction() {
		if len(call.Args()) != 2 {
			return nil
		}
		of, expr = call.Args()[0], call.Args()[1]
	}
	re, text := literalExpression(expr), c.text(of)
	if re == nil || text == nil {
		return nil
	}
	return func(vars Block, k int) (bool, telling) {
		t, is := text(vars, k)
		return is == told && re.Match(t), is
	}
}

// literalExpression returns the regular expression that a text of the condition is; nil for none.
func literalExpression(e ast.Expr) *regexp.Regexp {
	if e.Kind() != ast.LiteralKind {
		return nil
	}
	source, ok := e.AsLiteral().(types.String)
	if !ok {
		return nil
	}
	re, err := regexp.Compile(string(source))
	if err != nil {
		return nil // the library says so
	}
	return re
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
	if e.Kind() == ast.CallKind {
		return c.partOf(e.AsCall())
	}
	return nil
}

// partOf compiles what takes a part of a text: trim, substring with places that stand in the
// condition, extract with such an expression.
func (c *compiler) partOf(call ast.CallExpr) textFunc {
	switch args := call.Args(); {
	case call.FunctionName() == "trim" && call.IsMemberFunction():
		if of := c.text(call.Target()); of != nil {
			return func(vars Block, k int) ([]byte, telling) {
				text, is := of(vars, k)
				return bytes.TrimSpace(text), is
			}
		}
	case call.FunctionName() == "substring" && call.IsMemberFunction():
		of := c.text(call.Target())
		from, ok := literalWhole(args[0])
		to := -1
		if ok && len(args) > 1 {
			to, ok = literalWhole(args[1])
		}
		if of != nil && ok && from >= 0 {
			return func(vars Block, k int) ([]byte, telling) {
				text, is := of(vars, k)
				if is != told {
					return nil, is
				}
				return characters(text, from, to)
			}
		}
	case call.FunctionName() == "extract" && len(args) == 2:
		re, of := literalExpression(args[1]), c.text(args[0])
		if re != nil && of != nil {
			return func(vars Block, k int) ([]byte, telling) {
				text, is := of(vars, k)
				if is != told {
					return nil, is
				}
				found := re.FindSubmatch(text)
				if found == nil {
					return nil, unsure // the library says so
				}
				return found[min(1, len(found)-1)], told
			}
		}
	}
	return nil
}

func literalWhole(e ast.Expr) (int, bool) {
	if e.Kind() != ast.LiteralKind {
		return 0, false
	}
	n, ok := e.AsLiteral().(types.Int)
	return int(n), ok && n >= 0 && n < 1<<30
}

// characters returns the characters of a text from one place up to another, -1 for its end; the
// library says where there are none.
func characters(text []byte, from, to int) ([]byte, telling) {
	start, at := -1, 0
	for n := 0; ; n++ {
		if n == from {
			start = at
		}
		if n == to && start >= 0 {
			return text[start:at], told
		}
		if at == len(text) {
			break
		}
		r, size := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && size == 1 {
			return nil, unsure
		}
		at += size
	}
	if to >= 0 || start < 0 {
		return nil, unsure
	}
	return text[start:], told
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
	if e.Kind() != ast.CallKind {
		return nil
	}
	switch call := e.AsCall(); call.FunctionName() {
	case "_+_", "_-_":
		return c.daysFrom(call)
	case "date":
		if text, ok := textOf(e.AsCall()); ok {
			if t, ok := toDate(types.String(text), types.String("")).(types.Timestamp); ok {
				v := MomentOf(t.Time)
				return func(Block, int) (instant, telling) { return instant{v.Units, v.Nanos}, told }
			}
		}
	}
	return nil
}

// daysFrom compiles a moment some days before or behind another.
func (c *compiler) daysFrom(call ast.CallExpr) momentFunc {
	args := call.Args()
	if args[1].Kind() != ast.CallKind || args[1].AsCall().FunctionName() != "days" || c.kind(args[0]) != Moment {
		return nil
	}
	of, count := c.moment(args[0]), c.wholeNumber(args[1].AsCall().Args()[0])
	if of == nil || count == nil {
		return nil
	}
	sign := int64(1)
	if call.FunctionName() == "_-_" {
		sign = -1
	}
	return func(vars Block, k int) (instant, telling) {
		at, is := of(vars, k)
		n, isOther := count(vars, k)
		if is = max(is, isOther); is != told {
			return at, is
		}
		at.seconds += sign * n * 24 * 60 * 60
		if n > mostDays || n < -mostDays || at.seconds < firstSecond || at.seconds > lastSecond {
			return at, unsure // the library says so
		}
		return at, told
	}
}

// The moments that CEL has, in seconds since 1970: the years 1 to 9999.
const (
	firstSecond = -62135596800
	lastSecond  = 253402300799
)

// wholeNumber compiles a whole number of the library: one that stands in the condition, or a number
// that is whole.
func (c *compiler) wholeNumber(e ast.Expr) func(vars Block, k int) (int64, telling) {
	if n, ok := e.AsLiteral().(types.Int); e.Kind() == ast.LiteralKind && ok {
		return func(Block, int) (int64, telling) { return int64(n), told }
	}
	if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != "int" {
		return nil
	}
	of := c.number(e.AsCall().Args()[0])
	if of == nil {
		return nil
	}
	return func(vars Block, k int) (int64, telling) {
		n, is := of(vars, k)
		for n.scale > 0 && n.units%10 == 0 {
			n.units, n.scale = n.units/10, n.scale-1
		}
		if is == told && n.scale > 0 {
			is = unsure
		}
		return n.units, is
	}
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
		return c.libraryNumber(args[0])
	case "abs":
		if f := c.number(args[0]); f != nil {
			return func(vars Block, k int) (short, telling) {
				n, is := f(vars, k)
				return short{max(n.units, -n.units), n.scale}, is
			}
		}
	case "round":
		digits, ok := literalWhole(args[1])
		if f := c.number(args[0]); f != nil && ok && digits <= maxDigits {
			return func(vars Block, k int) (short, telling) {
				n, is := f(vars, k)
				return n.rounded(uint8(digits)), is
			}
		}
	case "-_":
		if f := c.number(args[0]); f != nil {
			return func(vars Block, k int) (short, telling) {
				n, is := f(vars, k)
				return short{-n.units, n.scale}, is
			}
		}
	case "_+_", "_-_", "_*_", "_/_", "_%_":
		return c.arithmetic(name, args[0], args[1])
	}
	return nil
}

// parts are what functions of dates tell, as CEL counts: months and days of the year from 0.
var parts = map[string]func(time.Time) int{
	"getFullYear":   time.Time.Year,
	"getMonth":      func(t time.Time) int { return int(t.Month()) - 1 },
	"getDayOfYear":  func(t time.Time) int { return t.YearDay() - 1 },
	"getDayOfMonth": func(t time.Time) int { return t.Day() - 1 },
	"getDate":       time.Time.Day,
	"getDayOfWeek":  func(t time.Time) int { return int(t.Weekday()) },
	"getHours":      time.Time.Hour,
	"getMinutes":    time.Time.Minute,
	"getSeconds":    time.Time.Second,
}

// libraryNumber compiles a number that the library makes of something else: the length of a text, a
// part of a date.
func (c *compiler) libraryNumber(e ast.Expr) numberFunc {
	if e.Kind() != ast.CallKind {
		return c.number(e)
	}
	call := e.AsCall()
	name, of := call.FunctionName(), call.Target()
	if !call.IsMemberFunction() && len(call.Args()) > 0 {
		of = call.Args()[0]
	}
	if part := parts[name]; part != nil && call.IsMemberFunction() && len(call.Args()) == 0 && c.kind(of) == Moment {
		if f := c.moment(of); f != nil {
			return func(vars Block, k int) (short, telling) {
				at, is := f(vars, k)
				if is != told {
					return short{}, is
				}
				return short{units: int64(part(time.Unix(at.seconds, int64(at.nanos)).UTC()))}, told
			}
		}
		return nil
	}
	if name == "size" && c.kind(of) == Text {
		if f := c.text(of); f != nil {
			return func(vars Block, k int) (short, telling) {
				text, is := f(vars, k)
				return short{units: int64(utf8.RuneCount(text))}, is
			}
		}
		return nil
	}
	return c.number(e)
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
		"_*_": short.times, "_/_": short.over, "_%_": short.modulo}[name]
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
	if a.scale == b.scale || (a.units < 0) != (b.units < 0) {
		return cmp.Compare(a.units, b.units), told
	}
	// Numbers of one sign: their sizes, in 128 bits.
	scale := max(a.scale, b.scale)
	ah, al := a.wide(scale)
	bh, bl := b.wide(scale)
	order := cmp.Or(cmp.Compare(ah, bh), cmp.Compare(al, bl))
	if a.units < 0 {
		order = -order
	}
	return order, told
}

// wide returns the size of a number times 10^scale, which is at most 18 more than its own.
func (a short) wide(scale uint8) (high, low uint64) {
	return bits.Mul64(uint64(max(a.units, -a.units)), uint64(powers[min(scale-a.scale, maxDigits)]))
}

// quotientDigits is how many digits behind the point quotients have, as those of the library.
const quotientDigits = 16

// over divides, rounding half away from zero.
func (a short) over(b short) (short, telling) {
	x, y, _, is := aligned(a, b)
	if is != told || y == 0 {
		return short{}, unsure
	}
	divisor := uint64(max(y, -y))
	high, low := bits.Mul64(uint64(max(x, -x)), uint64(powers[quotientDigits]))
	if high >= divisor {
		return short{}, unsure
	}
	quotient, rest := bits.Div64(high, low, divisor)
	if rest >= divisor-rest {
		quotient++
	}
	if quotient >= uint64(limit) {
		return short{}, unsure
	}
	n := short{int64(quotient), quotientDigits}
	for n.scale > 0 && n.units%10 == 0 {
		n.units, n.scale = n.units/10, n.scale-1
	}
	if (x < 0) != (y < 0) {
		n.units = -n.units
	}
	return n, told
}

// modulo returns what is left of a division to a whole number, with the sign of a.
func (a short) modulo(b short) (short, telling) {
	x, y, scale, is := aligned(a, b)
	if is != told || y == 0 {
		return short{}, unsure
	}
	return short{x % y, scale}, told
}

// rounded rounds to so many digits behind the point, half away from zero.
func (a short) rounded(digits uint8) short {
	if a.scale <= digits {
		return a
	}
	unit := powers[min(a.scale-digits, maxDigits)]
	whole, rest := a.units/unit, a.units%unit
	if 2*max(rest, -rest) >= unit {
		if whole++; a.units < 0 {
			whole -= 2
		}
	}
	return short{whole, digits}
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
