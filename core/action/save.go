package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(save{})

type save struct{}

type saveForm struct {
	Save plan.Given[string] `plan:"save,required" say:"the {save} is saved" enum:"player,world" doc:"Saves the rule's player, or the world."`
}

func (save) Form() any { return new(saveForm) }

func (save) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*saveForm)
	world := f.Save.Value == "world"
	if !world {
		c.AboutPlayer("be saved")
	} else if c.Alone() {
		c.Report("bad-value", f.Save.At,
			"Where session.players is 1, the world is part of the player's save: save the player.")
	}
	return saving{world}
}

// saving saves the rule's player, or the world.
type saving struct{ world bool }

// Do saves.
func (s saving) Do(d model.Doer) error {
	d.Save(s.world)
	return nil
}

// Traits say that something is saved, which stays as it is.
func (saving) Traits() model.Traits { return model.Traits{Saves: true} }
