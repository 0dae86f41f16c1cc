package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(raise{})

type raise struct{}

type raiseForm struct {
	Raise plan.Expr `plan:"raise,required" say:"{raise} becomes at least {to}" doc:"Sets a number only if that is higher."`
	To    plan.Expr `plan:"to,required" doc:"The value, as an expression."`
}

func (raise) Form() any { return new(raiseForm) }

func (raise) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*raiseForm)
	to := c.Target(f.Raise, numberFor("raise"))
	if to == nil {
		return nil
	}
	to.Becomes = func(now, value types.Value) (types.Value, bool, error) {
		return value, now.Kind != types.IsNum || now.Num.Less(value.Num), nil
	}
	c.Given(to, f.Raise, f.To)
	return &assigning{Assignment: to, change: model.Raises}
}
