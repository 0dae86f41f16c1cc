package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(clearing{})

type clearing struct{}

type clearForm struct {
	Clear plan.Expr `plan:"clear,required" say:"{clear} becomes none" doc:"Makes an optional variable none."`
}

func (clearing) Form() any { return new(clearForm) }

func (clearing) Compile(c *model.Compiler, form any) model.Deed {
	to := c.Target(form.(*clearForm).Clear, func(v *model.Var) string {
		if !v.Type.Optional {
			return "is not optional, so it cannot be none."
		}
		return ""
	})
	if to == nil {
		return nil
	}
	to.Becomes = func(_, _ types.Value) (types.Value, bool, error) { return types.None, true, nil }
	c.Cleared(to.Var)
	return &assigning{Assignment: to, change: model.Clears}
}
