package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(add{})

type add struct{}

type addForm struct {
	Add plan.Expr `plan:"add,required" say:"{by} is added to {add}" less:"{by} is taken from {add}" doc:"Adds to a number."`
	By  plan.Expr `plan:"by,required" doc:"How much, as an expression."`
}

func (add) Form() any { return new(addForm) }

func (add) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*addForm)
	to := c.Target(f.Add, numberFor("add"))
	if to == nil {
		return nil
	}
	to.Adds, to.Becomes = true, sum
	known := c.Known(f.Add)
	c.Given(to, f.Add, f.By)
	if to.Var.Type.Optional && !known {
		c.Report("none-unhandled", f.Add.At,
			"%s may be none here, and nothing can be added to none: ask has(%s) first.", to.Var.Name, f.Add.Source)
	}
	return &assigning{Assignment: to, change: model.Adds}
}

func sum(now, by types.Value) (types.Value, bool, error) {
	n, err := now.Num.Add(by.Num)
	return types.OfNum(n), true, err
}
