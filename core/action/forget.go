package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(forget{})

type forget struct{}

type forgetForm struct {
	Forget plan.Ref `plan:"forget,required" say:"the place {forget} is forgotten" ref:"waymark" doc:"Makes a waymark none."`
}

func (forget) Form() any { return new(forgetForm) }

func (forget) Compile(c *model.Compiler, form any) model.Deed {
	c.AboutPlayer("forget")
	return forgetting{c.Waymark(form.(*forgetForm).Forget)}
}

// forgetting makes a waymark none.
type forgetting struct{ waymark *model.Waymark }

// Do forgets it.
func (f forgetting) Do(d model.Doer) error {
	d.Forget(f.waymark)
	return nil
}

// Traits say which.
func (f forgetting) Traits() model.Traits { return model.Traits{Waymark: f.waymark} }
