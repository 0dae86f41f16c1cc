package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(notify{})

type notify struct{}

type notifyForm struct {
	Notify plan.Given[string] `plan:"notify,required" enum:"player,scene,everyone" doc:"Tells somebody something."`
	Text   plan.Given[string] `plan:"text,required" doc:"What is said."`
}

func (notify) Form() any { return new(notifyForm) }

func (notify) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*notifyForm)
	if f.Notify.Value != "everyone" && !c.HasPlayer() {
		c.Report("bad-value", f.Notify.At, "There is no player here: this rule can notify everyone only.")
	}
	return telling{f.Notify.Value, f.Text.Value}
}

// telling tells somebody something.
type telling struct{ to, text string }

// Do tells them.
func (t telling) Do(d model.Doer) error {
	d.Tell(t.to, t.text)
	return nil
}

// Traits are none: nothing changes.
func (telling) Traits() model.Traits { return model.Traits{} }
