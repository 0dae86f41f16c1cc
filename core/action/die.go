package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(die{})

type die struct{}

type dieForm struct {
	Who plan.Expr `plan:"die,required" say:"{die} dies" doc:"The player dies."`
}

func (die) Form() any { return new(dieForm) }

func (die) Compile(c *model.Compiler, form any) model.Deed {
	who, ok := c.Player(form.(*dieForm).Who)
	if !ok {
		return nil
	}
	return &turning{model.Dies, who}
}
