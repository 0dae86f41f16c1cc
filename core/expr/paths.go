package expr

import (
	"slices"
	"strings"

	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

// Path is a name that an expression says, whatever it stands for.
type Path struct {
	Name  string // player.dress.hood
	Asked bool   // the expression says what to do where it is none: with has(x) or x.orValue(y)
}

// Paths lists the names that an expression says, each once and in order; or what keeps the expression from being
// understood.
func Paths(x plan.Expr) ([]Path, finding.List) {
	tree, found := parse(x)
	if tree == nil {
		return nil, found
	}
	c := &checker{source: x, info: tree.SourceInfo()}
	asked := map[string]bool{}
	var visit func(e ast.Expr, ask bool)
	visit = func(e ast.Expr, ask bool) {
		switch e.Kind() {
		case ast.IdentKind, ast.SelectKind:
			if _, parts := path(e); parts != nil {
				name := strings.Join(parts, ".")
				asked[name] = asked[name] || ask
			}
		case ast.CallKind:
			call := e.AsCall()
			if name := call.FunctionName(); name == "@in" || !strings.ContainsAny(name, "_@!") &&
				!slices.Contains(FunctionNames(), name) {
				c.unknownFunction(name, c.named(name, e))
			}
			if call.IsMemberFunction() {
				visit(call.Target(), call.FunctionName() == "orValue")
			}
			for _, arg := range call.Args() {
				visit(arg, call.FunctionName() == "has")
			}
		}
	}
	visit(tree.Expr(), false)
	if len(c.found) > 0 {
		return nil, c.found
	}
	out := make([]Path, 0, len(asked))
	for _, name := range sortedKeys(asked) {
		out = append(out, Path{name, asked[name]})
	}
	return out, nil
}

// parse reads an expression's text.
func parse(x plan.Expr) (*ast.AST, finding.List) {
	tree, errs := cel.Parse(common.NewTextSource(x.Source))
	list := errs.GetErrors()
	if len(list) == 0 {
		return tree, nil
	}
	at := position(x, list[0].Location.Line(), list[0].Location.Column())
	if oneEquals.MatchString(x.Source) {
		return nil, finding.List{finding.New("bad-expression", at,
			"This expression cannot be understood: whether two are equal is asked with ==.")}
	}
	return nil, finding.List{finding.New("bad-expression", at,
		"This expression cannot be understood: "+plainer(list[0].Message)+".")}
}
