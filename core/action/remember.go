package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(remember{})

type remember struct{}

type rememberForm struct {
	Remember plan.Ref `plan:"remember,required" say:"the player's place is remembered as {remember}" ref:"waymark" doc:"Remembers where the rule's player is."`
}

func (remember) Form() any { return new(rememberForm) }

func (remember) Compile(c *model.Compiler, form any) model.Deed {
	c.AboutPlayer("remember")
	return remembering{c.Waymark(form.(*rememberForm).Remember)}
}

// remembering makes a waymark of where the rule's player is.
type remembering struct{ waymark *model.Waymark }

// Do remembers it.
func (r remembering) Do(d model.Doer) error {
	d.Remember(r.waymark)
	return nil
}

// Traits say which.
func (r remembering) Traits() model.Traits {
	return model.Traits{Remembers: true, Waymark: r.waymark}
}
