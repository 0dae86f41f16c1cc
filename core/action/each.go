package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(each{})

type each struct{}

type eachForm struct {
	Each plan.ID            `plan:"each,required" say:"for each {in}, called {each}:" doc:"Does things for each player, by id, or for each option of a list, in order; this name stands for that player or option inside."`
	In   plan.Given[string] `plan:"in,required" doc:"Which: session, all players in the session; scene, all in the player's scene; or a list."`
	Do   []plan.Action      `plan:"do,required" form:"Then" doc:"What is done, in this order."`
}

func (each) Form() any { return new(eachForm) }

func (each) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*eachForm)
	here := f.In.Value == "scene"
	if list := c.List(f.In.Value); list != nil {
		in, local := c.ForOptions(f.Each.Name, f.Each.At, list)
		return &forOptions{local, list, in.Actions(f.Do)}
	}
	if !here && f.In.Value != "session" {
		c.OneOf(f.In.Value, append([]string{"session", "scene"}, c.ListIDs()...), "players or list", f.In.At)
		return nil
	}
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

// forOptions is actions that are done for each option of a list.
type forOptions struct {
	local int
	list  *model.List
	do    []*model.Action
}

// Do acts for one option after the other.
func (f *forOptions) Do(d model.Doer) error {
	for _, o := range f.list.Options {
		d.Name(f.local, types.OfText(o.ID))
		if err := d.Actions(f.do); err != nil {
			return err
		}
	}
	return nil
}

// Traits are what is done for each.
func (f *forOptions) Traits() model.Traits {
	return model.Traits{Times: len(f.list.Options), Blocks: [][]*model.Action{f.do}}
}
