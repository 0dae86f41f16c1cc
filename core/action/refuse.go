package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(refuse{})

type refuse struct{}

type refuseForm struct {
	Refuse plan.Given[string] `plan:"refuse,required" say:"the event is refused: {refuse}" doc:"The event fails with this reason; nothing has changed."`
}

func (refuse) Form() any { return new(refuseForm) }

func (refuse) Compile(c *model.Compiler, form any) model.Deed {
	return refusing{c.Text(form.(*refuseForm).Refuse)}
}

// refusing makes the event fail.
type refusing struct{ reason model.Text }

// Do refuses.
func (r refusing) Do(d model.Doer) error { return d.RefuseWith(r.reason) }

// Traits say that it fails.
func (refusing) Traits() model.Traits { return model.Traits{Fails: "it refuses"} }
