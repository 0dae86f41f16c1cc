package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(each{})

type each struct{}

type eachForm struct {
	Each plan.ID            `plan:"each,required" doc:"Does things for each player, by id; this name stands for that player inside."`
	In   plan.Given[string] `plan:"in,required" enum:"session,scene" doc:"Which players: all in the session, or all in the player's scene."`
	Do   []plan.Action      `plan:"do,required" doc:"What is done, in this order."`
}

func (each) Form() any { return new(eachForm) }

func (each) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*eachForm)
	here := f.In.Value == "scene"
	if here && !c.HasPlayer() {
		c.Report("bad-value", f.In.At, "There is no player here whose scene it could be; use in: session.")
	}
	in, local := c.ForEach(f.Each.Name, f.Each.At)
	return &forEach{local, here, in.Actions(f.Do)}
}

// forEach is actions that are done for each of several players.
type forEach struct {
	local int
	here  bool // only those in the scene of the rule's player
	do    []*model.Action
}

// Do acts for one after the other.
func (f *forEach) Do(d model.Doer) error { return d.ForEach(f.local, f.here, f.do) }

// Traits are what is done for each.
func (f *forEach) Traits() model.Traits {
	return model.Traits{Each: true, Blocks: [][]*model.Action{f.do}}
}
