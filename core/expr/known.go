package expr

import (
	"sync"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/tree"
)

// trees are expressions that were read before, by their text: a text has one tree, whatever plan it stands in.
var trees sync.Map // string to *tree.Node

// Know takes over expressions as they were read before, by their text: those of a compiled plan. Nobody changes them
// afterwards.
func Know(read map[string]*tree.Node) {
	for source, root := range read {
		trees.Store(source, root)
	}
}

// Tree is what an expression's text is read as; nil where it cannot be understood.
func Tree(source string) *tree.Node {
	root, _ := parse(plan.Expr{Source: source})
	return root
}

// mistake is why a text is no expression, and where: the line from 1, the column from 0.
type mistake struct {
	Why          string
	line, column int
}

// parse reads an expression's text.
func parse(x plan.Expr) (*tree.Node, finding.List) {
	if root, is := trees.Load(x.Source); is {
		return root.(*tree.Node), nil
	}
	root, wrong := read(x.Source)
	if wrong != nil {
		return nil, finding.List{finding.New("bad-expression", position(x, wrong.line, wrong.column),
			"This expression cannot be understood: "+wrong.Why+".")}
	}
	return root, nil
}
