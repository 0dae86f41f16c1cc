package action

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(earn{})

type earn struct{}

type earnForm struct {
	Earn plan.Ref  `plan:"earn,required" say:"{of} earns the milestone {earn}" ref:"milestone" doc:"Gives a player a milestone, for trying out."`
	Of   plan.Expr `plan:"of,required" doc:"Whose milestone: player, or an argument."`
}

func (earn) Form() any { return new(earnForm) }

func (earn) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*earnForm)
	return earning(c, f.Earn, f.Of, true)
}

// earned is a milestone that comes or goes.
type earned struct {
	milestone *model.Milestone
	who       expr.Ref
	given     bool
}

func earning(c *model.Compiler, milestone plan.Ref, of plan.Expr, given bool) model.Deed {
	who, ok := c.Player(of)
	if !ok {
		return nil
	}
	return &earned{c.Milestone(milestone), who, given}
}

// Do gives or takes it.
func (e *earned) Do(d model.Doer) error {
	d.Earn(&e.who, e.milestone, e.given)
	return nil
}

// Traits say whose it is.
func (e *earned) Traits() model.Traits {
	if !e.given {
		return model.Traits{Who: e.who, Loses: e.milestone}
	}
	return model.Traits{Who: e.who, Earns: e.milestone}
}
