package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(setDown{})

type setDown struct{}

type setDownForm struct {
	SetDown plan.Ref `plan:"set-down,required" say:"the player sets down {set-down}[ at {at}]" ref:"movable" doc:"The rule's player sets down what they hold: where they are, or at a spot."`
	Where   plan.Ref `plan:"at" ref:"spot" doc:"The spot where it is set down."`
}

func (setDown) Form() any { return new(setDownForm) }

func (setDown) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*setDownForm)
	c.AboutPlayer("set something down")
	out := setting{c.Movable(f.SetDown), c.Spot(f.Where)}
	if out.at != nil && out.movable != nil && out.movable.NeverIn[out.at.Scene] {
		c.Report("bad-value", f.Where.At, "%s is never in %s.", out.movable.ID, out.at.Scene.ID)
	}
	return out
}

// setting is a movable that the rule's player sets down.
type setting struct {
	movable *model.Movable
	at      *model.Spot // nil stands for where the player is
}

// Do sets it down.
func (s setting) Do(d model.Doer) error { return d.SetDown(s.movable, s.at) }

// Traits say what, and where.
func (s setting) Traits() model.Traits { return model.Traits{SetsDown: s.movable, Spot: s.at} }
