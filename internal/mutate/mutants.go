package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
)

// A mutant is one small fault, put into one place of the source.
type mutant struct {
	Package  string // "core/engine"
	File     string // relative to the root of the project
	Function string // in which it stands: "(*tx).set"
	Line     int
	From, To int    // bytes of the file that are replaced
	Old, New string // what stands there, and what is put there
	Context  string // the line as it is written, without indentation
}

// Says what was changed where, for a person.
func (m mutant) String() string {
	return fmt.Sprintf("%s:%d: %s: %s, in: %s", m.File, m.Line, m.Function, m.change(), m.Context)
}

func (m mutant) change() string {
	if m.New == "" {
		return "dropped"
	}
	return fmt.Sprintf("%s became %s", m.Old, m.New)
}

// Does not change when lines are added above: what is accepted is named by it.
func (m mutant) name() string {
	return fmt.Sprintf("%s %s `%s` %s", m.File, m.Function, m.Context, m.change())
}

// All mutants of a package's files that are not tests, in the order of the text.
func mutantsOf(root, folder string) ([]mutant, error) {
	files, err := filepath.Glob(filepath.Join(root, folder, "*.go"))
	if err != nil {
		return nil, err
	}
	sort.Strings(files)
	var all []mutant
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") {
			continue
		}
		source, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		name, err := filepath.Rel(root, path)
		if err != nil {
			return nil, err
		}
		found, err := mutantsIn(folder, name, source)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	return all, nil
}

func mutantsIn(folder, name string, source []byte) ([]mutant, error) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, name, source, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	lines := strings.Split(string(source), "\n")
	var found []mutant
	for _, declared := range file.Decls {
		function, ok := declared.(*ast.FuncDecl)
		if !ok || function.Body == nil {
			continue
		}
		seen := &finder{set: set, source: source}
		ast.Inspect(function.Body, seen.visit)
		for _, m := range seen.found {
			m.Package, m.File, m.Function = folder, name, functionName(function)
			m.Line = set.Position(set.File(file.Pos()).Pos(m.From)).Line
			m.Context = strings.TrimSpace(lines[m.Line-1])
			m.Old = string(source[m.From:m.To])
			found = append(found, m)
		}
	}
	return found, nil
}

func functionName(function *ast.FuncDecl) string {
	if function.Recv == nil || len(function.Recv.List) == 0 {
		return function.Name.Name
	}
	kind, star := function.Recv.List[0].Type, ""
	if pointer, ok := kind.(*ast.StarExpr); ok {
		kind, star = pointer.X, "*"
	}
	if generic, ok := kind.(*ast.IndexExpr); ok {
		kind = generic.X
	}
	name, _ := kind.(*ast.Ident)
	return fmt.Sprintf("(%s%s).%s", star, name.Name, function.Name.Name)
}

// Collects what can be changed while a function is walked through.
type finder struct {
	set    *token.FileSet
	source []byte
	found  []mutant
}

// What an operator becomes: the neighbour that is confused with it most easily.
var flipped = map[token.Token]token.Token{
	token.EQL: token.NEQ, token.NEQ: token.EQL,
	token.LSS: token.LEQ, token.LEQ: token.LSS,
	token.GTR: token.GEQ, token.GEQ: token.GTR,
	token.LAND: token.LOR, token.LOR: token.LAND,
	token.ADD: token.SUB, token.SUB: token.ADD,
}

func (f *finder) visit(node ast.Node) bool {
	switch at := node.(type) {
	case *ast.BinaryExpr:
		if to, ok := flipped[at.Op]; ok && !joinsText(at) {
			f.replace(at.OpPos, len(at.Op.String()), to.String())
		}
	case *ast.UnaryExpr:
		if at.Op == token.NOT {
			f.replace(at.OpPos, 1, "")
		}
	case *ast.BasicLit:
		if at.Kind == token.INT {
			if n, err := strconv.ParseInt(at.Value, 0, 64); err == nil {
				f.replace(at.ValuePos, len(at.Value), strconv.FormatInt(n+1, 10))
			}
		}
	case *ast.Ident:
		switch at.Name {
		case "true":
			f.replace(at.NamePos, len("true"), "false")
		case "false":
			f.replace(at.NamePos, len("false"), "true")
		}
	case *ast.ExprStmt:
		if !panics(at) {
			f.drop(node)
		}
	case *ast.IncDecStmt:
		f.drop(node)
	case *ast.AssignStmt:
		if at.Tok != token.DEFINE {
			f.drop(node)
		}
	case *ast.BranchStmt:
		if at.Label == nil && (at.Tok == token.CONTINUE || at.Tok == token.BREAK) {
			f.drop(node)
		}
	case *ast.ReturnStmt:
		if len(at.Results) == 0 {
			f.drop(node)
		}
	}
	return true
}

// A panic stands where nothing gets to: without it, nothing would be different.
func panics(at *ast.ExprStmt) bool {
	call, ok := at.X.(*ast.CallExpr)
	if !ok {
		return false
	}
	name, ok := call.Fun.(*ast.Ident)
	return ok && name.Name == "panic"
}

// Text cannot be subtracted: such a mutant would never be built.
func joinsText(at *ast.BinaryExpr) bool {
	for _, side := range []ast.Expr{at.X, at.Y} {
		if literal, ok := side.(*ast.BasicLit); ok && literal.Kind == token.STRING {
			return at.Op == token.ADD
		}
		if inner, ok := side.(*ast.BinaryExpr); ok && joinsText(inner) {
			return at.Op == token.ADD
		}
	}
	return false
}

func (f *finder) replace(at token.Pos, length int, with string) {
	from := f.set.Position(at).Offset
	f.found = append(f.found, mutant{From: from, To: from + length, New: with})
}

func (f *finder) drop(node ast.Node) {
	f.replace(node.Pos(), int(node.End()-node.Pos()), "")
}
