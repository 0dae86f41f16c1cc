package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(unearn{})

type unearn struct{}

type unearnForm struct {
	Unearn plan.Ref  `plan:"unearn,required" say:"the milestone {unearn} is taken from {of}" ref:"milestone" doc:"Takes a milestone back."`
	Of     plan.Expr `plan:"of,required" doc:"Whose milestone: player, or an argument."`
}

func (unearn) Form() any { return new(unearnForm) }

func (unearn) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*unearnForm)
	return earning(c, f.Unearn, f.Of, false)
}
