package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(comeBack{})

type comeBack struct{}

type comeBackForm struct {
	Who plan.Expr `plan:"come-back,required" say:"{come-back} comes back to life" doc:"The dead player comes back."`
}

func (comeBack) Form() any { return new(comeBackForm) }

func (comeBack) Compile(c *model.Compiler, form any) model.Deed {
	who, ok := c.Player(form.(*comeBackForm).Who)
	if !ok {
		return nil
	}
	return &turning{model.ComesBack, who}
}
