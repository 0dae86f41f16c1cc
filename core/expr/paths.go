package expr

import (
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// Path is a name that an expression says, whatever it stands for.
type Path struct {
	Name  string     // player.dress.hood
	Asked bool       // the expression says what to do where it is none: with has(x) or x.orValue(y)
	At    finding.At // where it stands first
}

// Paths lists the names that an expression says, each once and in order; or what keeps the expression from being
// understood.
func Paths(x plan.Expr) ([]Path, finding.List) {
	root, found := parse(x)
	if root == nil {
		return nil, found
	}
	c := &checker{source: x}
	said := map[string]Path{}
	var visit func(e *tree.Node, ask bool)
	visit = func(e *tree.Node, ask bool) {
		switch e.Kind {
		case tree.Name, tree.Field:
			if _, parts := path(e); parts != nil {
				name := strings.Join(parts, ".")
				known, again := said[name]
				if !again {
					known = Path{Name: name, At: c.at(e)}
				}
				known.Asked = known.Asked || ask
				said[name] = known
			}
		case tree.Call:
			if e.Word == tree.In || !tree.Operator(e.Word) && !slices.Contains(FunctionNames(), e.Word) {
				c.unknownFunction(e.Word, c.named(e.Word, e))
			}
			if e.Member() {
				visit(e.On, e.Word == "orValue")
			}
			for _, arg := range e.Args {
				visit(arg, e.Word == "has")
			}
		}
	}
	visit(root, false)
	if len(c.found) > 0 {
		return nil, c.found
	}
	out := make([]Path, 0, len(said))
	for _, name := range sortedKeys(said) {
		out = append(out, said[name])
	}
	return out, nil
}
