// Command losterrors finds calls of Close, Sync, Commit and Flush whose error is lost though something was
// written: the last bytes of a file, or a transaction, fail there and nowhere else.
//
// It looks at local variables that come from a function which opens something for writing, and at fields of a
// type that can be written to. A call may lose its error where the same thing is also ended with a look at the
// error, which is the usual way out of a function that failed earlier, or where a comment beside it says
// "no loss:" and why.
package main

import (
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"os"
	"slices"
	"strings"

	"golang.org/x/tools/go/packages"
)

// ends are the methods whose errors tell of what was written.
var ends = []string{"Close", "Sync", "Commit", "Flush"}

// writes are the methods by which the type of a field shows that it is written to.
var writes = []string{"Write", "WriteString", "Exec", "ExecContext"}

// opens are functions that open something for writing.
var opens = []string{"os.Create", "os.CreateTemp", "os.OpenFile", "bufio.NewWriter", "bufio.NewWriterSize",
	"compress/gzip.NewWriter", "compress/gzip.NewWriterLevel", "archive/zip.NewWriter", "encoding/csv.NewWriter",
	"(*database/sql.DB).Begin", "(*database/sql.DB).BeginTx", "(*github.com/jmoiron/sqlx.DB).Beginx",
	"(*github.com/jmoiron/sqlx.DB).BeginTxx", "(*github.com/jackc/pgx/v5/pgxpool.Pool).Begin"}

// call is a call of one of the ends on a variable or a field.
type call struct {
	at     token.Pos
	on     types.Object
	method string
}

func main() {
	loaded, err := packages.Load(&packages.Config{Mode: packages.LoadSyntax}, os.Args[1:]...)
	if err != nil || packages.PrintErrors(loaded) > 0 {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	found := 0
	for _, p := range loaded {
		for _, c := range lost(p) {
			fmt.Printf("%s: the error of %s.%s is lost\n", p.Fset.Position(c.at), c.on.Name(), c.method)
			found++
		}
	}
	if found > 0 {
		os.Exit(1)
	}
}

// lost returns the calls of a package whose errors are lost, in the order of its files.
func lost(p *packages.Package) (all []call) {
	looked := map[types.Object]map[string]bool{} // by what is closed: the methods whose errors are looked at
	opened := map[types.Object]bool{}
	var thrown []call
	for _, file := range p.Syntax {
		dropped := map[*ast.CallExpr]bool{}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.ExprStmt:
				if c, ok := n.X.(*ast.CallExpr); ok {
					dropped[c] = true
				}
			case *ast.DeferStmt:
				dropped[n.Call] = true
			case *ast.GoStmt:
				dropped[n.Call] = true
			case *ast.AssignStmt:
				if len(n.Rhs) != 1 {
					break
				}
				c, ok := n.Rhs[0].(*ast.CallExpr)
				if !ok {
					break
				}
				if slices.Contains(opens, nameOf(p.TypesInfo, c)) && !isForReading(c) {
					opened[objectOf(p.TypesInfo, n.Lhs[0])] = true
				}
				if blank, ok := n.Lhs[0].(*ast.Ident); ok && blank.Name == "_" && len(n.Lhs) == 1 {
					dropped[c] = true
				}
			case *ast.CallExpr:
				method, ok := n.Fun.(*ast.SelectorExpr)
				if !ok || !slices.Contains(ends, method.Sel.Name) || !fails(p.TypesInfo, n) {
					break
				}
				on := objectOf(p.TypesInfo, method.X)
				if on == nil {
					break
				}
				if dropped[n] {
					thrown = append(thrown, call{n.Pos(), on, method.Sel.Name})
					break
				}
				if looked[on] == nil {
					looked[on] = map[string]bool{}
				}
				looked[on][method.Sel.Name] = true
			}
			return true
		})
	}
	saysWhy := explained(p)
	for _, c := range thrown {
		v, _ := c.on.(*types.Var)
		written := opened[c.on] || v != nil && v.IsField() && isWritten(v.Type())
		// What was synced has nothing left to write.
		if written && !looked[c.on][c.method] && !looked[c.on]["Sync"] && !saysWhy[lineOf(p, c.at)] {
			all = append(all, c)
		}
	}
	return all
}

// explained returns the lines beside which a comment says why nothing is lost.
func explained(p *packages.Package) map[string]bool {
	lines := map[string]bool{}
	for _, file := range p.Syntax {
		for _, group := range file.Comments {
			if strings.Contains(group.List[0].Text, "no loss: ") {
				lines[lineOf(p, group.Pos())] = true
			}
		}
	}
	return lines
}

func lineOf(p *packages.Package, at token.Pos) string {
	place := p.Fset.Position(at)
	return fmt.Sprint(place.Filename, place.Line)
}

// isForReading reports whether a file is opened to be read.
func isForReading(c *ast.CallExpr) (is bool) {
	for _, arg := range c.Args {
		ast.Inspect(arg, func(n ast.Node) bool {
			name, ok := n.(*ast.Ident)
			is = is || ok && name.Name == "O_RDONLY"
			return true
		})
	}
	return is
}

// nameOf returns the full name of the function that is called, "" where it has none.
func nameOf(info *types.Info, c *ast.CallExpr) string {
	if s, ok := c.Fun.(*ast.SelectorExpr); ok {
		if f, ok := info.Uses[s.Sel].(*types.Func); ok {
			return f.FullName()
		}
	}
	return ""
}

// objectOf returns the variable or field that an expression names.
func objectOf(info *types.Info, x ast.Expr) types.Object {
	switch x := x.(type) {
	case *ast.Ident:
		return info.ObjectOf(x)
	case *ast.SelectorExpr:
		return info.ObjectOf(x.Sel)
	case *ast.IndexExpr:
		return objectOf(info, x.X)
	}
	return nil
}

// fails reports whether a call returns an error.
func fails(info *types.Info, c *ast.CallExpr) bool {
	t := info.TypeOf(c)
	return t != nil && types.Identical(t, types.Universe.Lookup("error").Type())
}

// isWritten reports whether a type has a method that writes.
func isWritten(t types.Type) bool {
	if _, isPointer := t.Underlying().(*types.Pointer); !isPointer && !types.IsInterface(t) {
		t = types.NewPointer(t)
	}
	set := types.NewMethodSet(t)
	return slices.ContainsFunc(writes, func(name string) bool { return set.Lookup(nil, name) != nil })
}
