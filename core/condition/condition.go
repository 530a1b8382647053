// Package condition reads conditions and derivations over the columns of a row,
// written in CEL (Common Expression Language, cel.dev), and evaluates them.
//
// Numbers are exact decimals: 12.1 == 9.3 + 2.8 holds. Dates are timestamps of
// UTC. A text names columns of the target by their names, cells of the delivery
// as cell("Header"), and row, line, fileName and today. The package knows
// neither targets nor deliveries: who compiles a text says which columns there
// are, and who evaluates it hands in their values.
package condition

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"sieb/core/value"
)

// Origin says what a variable of a text stands for.
type Origin uint8

// The origins.
const (
	OfColumn   Origin = iota // a typed value of the target
	OfCell                   // a cell as it was delivered
	OfRow                    // the number of the row, from 1
	OfLine                   // the line on which the row starts, from 1
	OfFile                   // the name of the delivery
	OfToday                  // the day of the run
	OfFileDate               // the day that the delivery's name holds
)

var builtIn = map[string]Origin{"row": OfRow, "line": OfLine, "fileName": OfFile, "today": OfToday,
	"fileDate": OfFileDate}

// Variable is what a text reads.
type Variable struct {
	Origin Origin
	Name   string // of a column; of a cell its header
	Tested bool   // the text asks with has() whether there is a value, so that none is an answer too
}

// Expression is a text that was read, but whose columns are not known yet.
type Expression struct {
	Text      string
	Variables []Variable // in the order of their first use
	Lists     []string   // code lists whose labels it reads
	tree      *cel.Ast
}

// Error is what is wrong with a text.
type Error struct {
	Line, Column int // within the text, from 1
	Message      string
}

func (e *Error) Error() string { return e.Message }

// MaxText is how many bytes an expression may have.
const MaxText = 4000

// Parse reads an expression. The error is an *Error.
func Parse(text string, columns []Column) (*Expression, error) {
	if strings.TrimSpace(text) == "" {
		return nil, &Error{1, 1, "the condition is empty"}
	}
	if len(text) > MaxText {
		return nil, &Error{1, 1, fmt.Sprintf("the condition is %d bytes long: at most %d", len(text), MaxText)}
	}
	tree, issues := language().Parse(text)
	if issues.Err() != nil {
		return nil, issueError(issues, nil)
	}
	e := &Expression{Text: text, tree: tree}
	r := rewriting{expression: e, columns: columns, whole: map[int64]types.Int{}, factory: ast.NewExprFactory(),
		info: tree.NativeRep().SourceInfo(), last: ast.MaxID(tree.NativeRep())}
	ast.PostOrderVisit(tree.NativeRep().Expr(), ast.NewExprVisitor(r.visit))
	if r.err != nil {
		return nil, r.err
	}
	return e, nil
}

// Column is a column that a text may name.
type Column struct {
	Name     string
	Datatype value.Datatype
}

// Ref writes a column's name as texts refer to it.
func Ref(name string) string {
	if plainName.MatchString(name) && !slices.Contains(reserved, name) {
		return name
	}
	return fmt.Sprintf("column(%q)", name)
}

var plainName = regexp.MustCompile(`^[_a-zA-Z][_a-zA-Z0-9]*$`)

// reserved are words of the language that cannot name a column by themselves.
var reserved = strings.Fields("true false null in as break const continue else for function if import let loop package " +
	"namespace return var void while has cell column")

func find(columns []Column, name string) *Column {
	i := slices.IndexFunc(columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return nil
	}
	return &columns[i]
}

// Program is a compiled expression. It serves any number of goroutines.
type Program struct {
	*Expression
	Result  Kind // Truth, Number, Text or Moment
	library cel.Program
	names   map[string]int // of the library's variables, their places in Variables; tested ones come as -1-place
	branch  bool           // there may be a result although a value that the text reads is missing
	truth   truthFunc      // nil where the library must be asked
	number  numberFunc
	text    textFunc
	join    joinFunc
	moment  momentFunc

	// Label returns what a code of a list means; false where it is none. Where Lists names
	// any, it is set before the program is evaluated.
	Label func(list, code string) (label string, ok bool)
}

// Compile reads an expression over columns of a target. Results of another kind than
// wanted are an error; without any wanted, all kinds are taken. The error is an *Error.
func Compile(text string, columns []Column, wanted ...Kind) (*Program, error) {
	e, err := Parse(text, columns)
	if err != nil {
		return nil, err
	}
	p := &Program{Expression: e, names: map[string]int{}}
	var declared []cel.EnvOption
	for i, v := range e.Variables {
		t := cel.StringType
		switch v.Origin {
		case OfColumn:
			t = typeOf(find(columns, v.Name).Datatype)
		case OfRow, OfLine:
			t = numberType
		case OfToday, OfFileDate:
			t = cel.TimestampType
		}
		declared = append(declared, cel.Variable(v.key(), t))
		p.names[v.key()] = i
		if v.Tested {
			declared = append(declared, cel.Variable(testKey(v), cel.BoolType))
			p.names[testKey(v)] = -1 - i
		}
	}
	if len(e.Lists) > 0 {
		declared = append(declared, cel.Function("label", cel.Overload("label_of_code",
			[]*cel.Type{cel.StringType, cel.StringType}, cel.StringType, cel.BinaryBinding(p.label))))
	}
	env, err := language().Extend(declared...)
	if err != nil {
		return nil, &Error{1, 1, err.Error()}
	}
	checked, issues := env.Check(e.tree)
	if issues.Err() != nil {
		return nil, issueError(issues, columns)
	}
	if p.Result, err = resultOf(checked.OutputType(), wanted); err != nil {
		return nil, &Error{1, 1, err.Error()}
	}
	p.library, err = env.Program(checked, cel.EvalOptions(cel.OptOptimize), cel.CostLimit(maxCost),
		cel.CustomDecoratorV2(decorate))
	if err != nil {
		return nil, &Error{1, 1, plainWords(err.Error())}
	}
	p.native(checked.NativeRep())
	return p, nil
}

// label answers the library's question what a code means.
func (p *Program) label(list, code ref.Val) ref.Val {
	text := string(code.(types.String))
	if label, ok := p.Label(string(list.(types.String)), text); ok {
		return types.String(label)
	}
	return types.NewErr("%q is no code of %s", text, list)
}

// maxCost bounds the steps of one evaluation, as the library counts them.
const maxCost = 1_000_000

func typeOf(d value.Datatype) *cel.Type {
	switch {
	case d.IsNumber():
		return numberType
	case d == value.Boolean:
		return cel.BoolType
	case d.HasDay():
		return cel.TimestampType
	}
	return cel.StringType
}

func resultOf(t *cel.Type, wanted []Kind) (Kind, error) {
	kinds := map[string]Kind{"bool": Truth, "number": Number, "string": Text, "google.protobuf.Timestamp": Moment}
	kind, ok := kinds[t.TypeName()]
	if ok && (len(wanted) == 0 || slices.Contains(wanted, kind)) {
		return kind, nil
	}
	is := kindNames[kind]
	if !ok {
		is = "of the type " + plainWords(t.TypeName())
	}
	if len(wanted) == 0 {
		return 0, fmt.Errorf("the result is %s: it must be a text, a number, a date or true or false", is)
	}
	return 0, fmt.Errorf("the result is %s: it must be %s", is, kindNames[wanted[0]])
}

var kindNames = map[Kind]string{Truth: "true or false", Number: "a number", Text: "a text", Moment: "a date"}

func (v *Variable) key() string {
	switch v.Origin {
	case OfColumn:
		return "column " + v.Name
	case OfCell:
		return "cell " + v.Name
	}
	return v.Name
}

func testKey(v Variable) string { return "has " + v.Name }

// issueError makes an error of the first thing that the library complains of.
func issueError(issues *cel.Issues, columns []Column) error {
	all := issues.Errors()
	if len(all) == 0 {
		return &Error{1, 1, plainWords(issues.Err().Error())}
	}
	first := all[0]
	e := &Error{max(1, first.Location.Line()), max(0, first.Location.Column()) + 1, plainWords(first.Message)}
	if name, ok := strings.CutPrefix(first.Message, "undeclared reference to '"); ok {
		name, _, _ = strings.Cut(name, "'")
		e.Message = unknownName(name, columns)
	}
	return e
}

func unknownName(name string, columns []Column) string {
	names := make([]string, 0, len(columns))
	for _, c := range columns {
		names = append(names, c.Name)
	}
	if slices.Contains(functionNames, name) {
		return fmt.Sprintf("%q is a function and takes something in brackets", name)
	}
	const most = 30
	rest := ""
	if len(names) > most {
		rest = fmt.Sprintf(" and %d more", len(names)-most)
		names = names[:most]
	}
	return fmt.Sprintf("there is no column %q; there are %s%s, and row, line, fileName, fileDate, today, "+
		"cell(\"Header\")", name,
		strings.Join(names, ", "), rest)
}

// plainWords takes the library's signs out of a message.
func plainWords(message string) string {
	for _, op := range operatorNames {
		message = strings.ReplaceAll(message, "'"+op[0]+"'", "'"+op[1]+"'")
	}
	message = strings.ReplaceAll(message, "google.protobuf.Timestamp", "date")
	message = strings.ReplaceAll(message, "timestamp", "date")
	message = strings.TrimPrefix(message, "found no ")
	if rest, ok := strings.CutPrefix(message, "matching overload for "); ok {
		name, arguments, _ := strings.Cut(rest, " applied to ")
		return name + " cannot be applied to " + strings.Trim(arguments, "'")
	}
	if strings.HasPrefix(message, "error during formatting") && strings.HasSuffix(message, "was given number") {
		message += "; write numbers into it with string( )"
	}
	return syntaxWords(strings.TrimPrefix(message, "Syntax error: "))
}

// syntaxWords says what the library's parser complains of.
func syntaxWords(message string) string {
	at, ok := "", false
	for _, lead := range []string{"mismatched input ", "extraneous input ", "no viable alternative at input ",
		"token recognition error at: "} {
		if at, ok = strings.CutPrefix(message, lead); ok {
			break
		}
	}
	if !ok {
		return message
	}
	at, _, _ = strings.Cut(at, " expecting ")
	at = strings.Trim(at, "'")
	if strings.HasSuffix(at, "<EOF>") {
		return "it ends too early: something is missing"
	}
	return fmt.Sprintf("%q is not expected here", at)
}

var operatorNames = [][2]string{{"_+_", "+"}, {"_-_", "-"}, {"_*_", "*"}, {"_/_", "/"}, {"_%_", "%"}, {"_==_", "=="},
	{"_!=_", "!="}, {"_<_", "<"}, {"_<=_", "<="}, {"_>_", ">"}, {"_>=_", ">="}, {"_&&_", "&&"}, {"_||_", "||"},
	{"_?_:_", "? :"}, {"!_", "!"}, {"-_", "-"}, {"@in", "in"}, {"_[_]", "[ ]"}}

// rewriting prepares a tree for the library: names of columns and cells become variables, and
// every number becomes an exact one. Where a function of the library takes a whole number of its
// own, as a place in a text, it is given one.
type rewriting struct {
	expression *Expression
	columns    []Column
	whole      map[int64]types.Int // literals that were whole numbers, by their nodes
	factory    ast.ExprFactory
	info       *ast.SourceInfo
	last       int64
	err        error
}

func (r *rewriting) wrong(at ast.Expr, format string, args ...any) {
	if r.err != nil {
		return
	}
	loc := r.info.GetStartLocation(at.ID())
	r.err = &Error{max(1, loc.Line()), max(0, loc.Column()) + 1, fmt.Sprintf(format, args...)}
}

// variable returns the place of a variable, which it adds where it is new.
func (r *rewriting) variable(origin Origin, name string) int {
	all := r.expression.Variables
	at := slices.IndexFunc(all, func(v Variable) bool { return v.Origin == origin && v.Name == name })
	if at < 0 {
		at = len(all)
		r.expression.Variables = append(all, Variable{Origin: origin, Name: name})
	}
	return at
}

func (r *rewriting) visit(e ast.Expr) {
	switch e.Kind() {
	case ast.LiteralKind:
		r.literal(e)
	case ast.IdentKind:
		r.name(e, e.AsIdent())
	case ast.CallKind:
		r.call(e)
	case ast.MapKind:
		for _, entry := range e.AsMap().Entries() {
			r.restore(entry.AsMapEntry().Key())
		}
	}
}

func (r *rewriting) literal(e ast.Expr) {
	text, ok := "", true
	switch v := e.AsLiteral().(type) {
	case types.Double:
		if text, ok = exactText(float64(v)); !ok {
			r.wrong(e, `a number of more than 15 digits is written as number("1.2345678901234567")`)
			return
		}
	case types.Int:
		text, r.whole[e.ID()] = strconv.FormatInt(int64(v), 10), v
	case types.Uint:
		text = strconv.FormatUint(uint64(v), 10)
	default:
		return
	}
	r.replace(e, r.factory.NewCall(e.ID(), "number", r.node(e, types.String(text))))
}

// restore makes a literal the whole number again that it was, and reports whether it was one.
func (r *rewriting) restore(e ast.Expr) bool {
	v, ok := r.whole[e.ID()]
	if ok {
		r.replace(e, r.factory.NewLiteral(e.ID(), v))
	}
	return ok
}

// node makes a literal that stands where another node stands.
func (r *rewriting) node(at ast.Expr, v types.String) ast.Expr {
	r.last++
	r.place(at, r.last)
	return r.factory.NewLiteral(r.last, v)
}

// place notes that a new node stands where another does.
func (r *rewriting) place(at ast.Expr, id int64) {
	if offsets, ok := r.info.GetOffsetRange(at.ID()); ok {
		r.info.SetOffsetRange(id, offsets)
	}
}

func (r *rewriting) replace(e, by ast.Expr) { e.SetKindCase(by) }

func (r *rewriting) name(e ast.Expr, name string) {
	if c := find(r.columns, name); c != nil {
		r.column(e, c)
		return
	}
	if origin, ok := builtIn[name]; ok {
		r.variable(origin, name)
	}
}

func (r *rewriting) column(e ast.Expr, c *Column) {
	v := &r.expression.Variables[r.variable(OfColumn, c.Name)]
	r.replace(e, r.factory.NewIdent(e.ID(), v.key()))
}

// textOf returns the text that is the only argument of a call.
func textOf(call ast.CallExpr) (string, bool) {
	if call.IsMemberFunction() || len(call.Args()) != 1 || call.Args()[0].Kind() != ast.LiteralKind {
		return "", false
	}
	s, ok := call.Args()[0].AsLiteral().(types.String)
	return string(s), ok
}

// wholeArguments are the arguments of functions that are whole numbers of the library.
var wholeArguments = map[string][]int{"round": {1}, "days": {0}, "substring": {0, 1}, "charAt": {0}, "split": {1},
	"replace": {2}, "indexOf": {1}, "lastIndexOf": {1}}

func (r *rewriting) call(e ast.Expr) {
	call := e.AsCall()
	args := call.Args()
	for _, i := range wholeArguments[call.FunctionName()] {
		if i < len(args) && !r.restore(args[i]) {
			r.wrap(args[i], "int")
		}
	}
	switch name := call.FunctionName(); name {
	case "cell":
		header, ok := textOf(call)
		if !ok {
			r.wrong(e, `cell takes the header of a column, as cell("Ticket No.")`)
			return
		}
		v := &r.expression.Variables[r.variable(OfCell, header)]
		r.replace(e, r.factory.NewIdent(e.ID(), v.key()))
	case "column":
		column, ok := textOf(call)
		c := find(r.columns, column)
		switch {
		case !ok:
			r.wrong(e, `column takes the name of a column, as column("ticket_no")`)
		case c == nil:
			r.wrong(e, "%s", unknownName(column, r.columns))
		default:
			r.column(e, c)
		}
	case "has":
		r.has(e, call)
	case "label":
		r.label(e, call)
	case "size", "getDayOfWeek", "getDayOfMonth", "getDate", "getFullYear", "getMonth", "getDayOfYear", "getHours",
		"getMinutes", "getSeconds", "getMilliseconds", "indexOf", "lastIndexOf", "int", "uint", "double":
		r.wrap(e, "number")
	case "_[_]":
		if !r.restore(args[1]) {
			r.wrap(args[1], placeFunction)
		}
	}
}

// wrap makes a node the argument of a function.
func (r *rewriting) wrap(e ast.Expr, function string) {
	r.last++
	inner := r.factory.NewUnspecifiedExpr(r.last)
	r.place(e, r.last)
	inner.SetKindCase(e)
	r.replace(e, r.factory.NewCall(e.ID(), function, inner))
}

// has asks whether a column has a value.
func (r *rewriting) has(e ast.Expr, call ast.CallExpr) {
	if len(call.Args()) == 1 && call.Args()[0].Kind() == ast.IdentKind {
		key := call.Args()[0].AsIdent()
		for i := range r.expression.Variables {
			if v := &r.expression.Variables[i]; v.Origin == OfColumn && v.key() == key {
				v.Tested = true
				r.replace(e, r.factory.NewIdent(e.ID(), testKey(*v)))
				return
			}
		}
		r.wrong(e, "%s", unknownName(key, r.columns))
		return
	}
	r.wrong(e, "has takes the name of a column, as has(ticket_no)")
}

// label notes the code list that a call of label reads.
func (r *rewriting) label(e ast.Expr, call ast.CallExpr) {
	if args := call.Args(); len(args) == 2 && !call.IsMemberFunction() && args[0].Kind() == ast.LiteralKind {
		if list, ok := args[0].AsLiteral().(types.String); ok {
			r.expression.Lists = append(r.expression.Lists, string(list))
			return
		}
	}
	r.wrong(e, `label takes the name of a code list and a code, as label("sites", site)`)
}
