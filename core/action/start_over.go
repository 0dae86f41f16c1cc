package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(startOver{})

type startOver struct{}

type startOverForm struct {
	Who plan.Expr `plan:"start-over,required" say:"{start-over} starts over" doc:"The player starts a new run in the same slot."`
}

func (startOver) Form() any { return new(startOverForm) }

func (startOver) Compile(c *model.Compiler, form any) model.Deed {
	who, ok := c.Player(form.(*startOverForm).Who)
	if !ok {
		return nil
	}
	return &turning{model.StartsOver, who}
}
