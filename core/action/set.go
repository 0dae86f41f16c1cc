package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(set{})

type set struct{}

type setForm struct {
	Set plan.Expr `plan:"set,required" say:"{set} becomes {to}" doc:"Gives a variable a value."`
	To  plan.Expr `plan:"to,required" doc:"The value, as an expression."`
}

func (set) Form() any { return new(setForm) }

func (set) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*setForm)
	to := c.Target(f.Set, anyVariable)
	if to == nil {
		return nil
	}
	to.Becomes = given
	c.Given(to, f.Set, f.To)
	return &assigning{Assignment: to, change: model.Sets}
}
