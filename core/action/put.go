package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(put{})

type put struct{}

type putForm struct {
	Put  plan.Expr `plan:"put,required" say:"{item} is put into {put}" doc:"Puts an item into a set, or at the end of a list."`
	Item plan.Expr `plan:"item,required" doc:"The item, as an expression."`
}

func (put) Form() any { return new(putForm) }

func (put) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*putForm)
	to := c.Target(f.Put, withItems)
	if to == nil {
		return nil
	}
	to.Value = c.Item(to.Var, f.Item)
	to.Becomes = func(now, item types.Value) (types.Value, bool, error) {
		return types.OfItems(append(now.Items(), item)), true, nil
	}
	return &assigning{Assignment: to, change: model.PutsIn}
}
