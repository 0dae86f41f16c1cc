package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(take{})

type take struct{}

type takeForm struct {
	Take plan.Ref `plan:"take,required" say:"the player takes {take}" ref:"movable" doc:"The rule's player takes a movable: it has to be free, in the same scene and within reach."`
}

func (take) Form() any { return new(takeForm) }

func (take) Compile(c *model.Compiler, form any) model.Deed {
	c.AboutPlayer("take something")
	return taking{c.Movable(form.(*takeForm).Take)}
}

// taking is a movable that the rule's player takes.
type taking struct{ *model.Movable }

// Do takes it.
func (t taking) Do(d model.Doer) error { return d.Take(t.Movable) }

// Traits say what, and how it fails.
func (t taking) Traits() model.Traits {
	out := model.Traits{Takes: t.Movable}
	if t.Movable != nil {
		out.Fails = t.ID + " may be with somebody else, or out of reach"
	}
	return out
}
