package action

import (
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(goTo{})

type goTo struct{}

type goForm struct {
	Go   plan.Destination `plan:"go,required" say:"the player goes to {go}[, or to {else} where that is none]" ref:"spot or waymark" doc:"Moves the rule's player to a spot, or to a waymark (where that is none, to the spot in else), or to {scene: …, carry: [x, y]}."`
	Else plan.Otherwise   `plan:"else" form:"Otherwise" doc:"Of if: what is done where no condition holds. Of go: the spot to go to where the waymark is none."`
}

func (goTo) Form() any { return new(goForm) }

// Judge reports an else of the other verb.
func (f *goForm) Judge(report plan.Report) {
	if e := f.Else; e.Do != nil || f.Go.Scene.Given() && e.Line > 0 {
		report("wrong-type", e.At, wrongElse)
	}
}

func (goTo) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*goForm)
	c.AboutPlayer("go")
	if scene := c.Scene(f.Go.Scene); scene != nil {
		return going{model.Way{Scene: scene, Carry: c.Carried(f.Go.Carry)}}
	}
	out := going{model.Way{Spot: c.Spot(f.Go.Ref), Waymark: c.Waymark(f.Go.Ref)}}
	if out.Waymark != nil {
		out.Spot = c.Spot(f.Else.Spot)
	} else if f.Else.Spot.Given() {
		c.Report("bad-value", f.Else.At, "%s is always there; only a waymark may be none.", f.Go.Name)
	}
	return out
}

// going moves the rule's player.
type going struct{ model.Way }

// Do moves them, behind what is going on now.
func (g going) Do(d model.Doer) error {
	d.Go(g.Way)
	return nil
}

// Traits say where to.
func (g going) Traits() model.Traits {
	return model.Traits{Goes: true, Spot: g.Spot, Scene: g.Scene, Waymark: g.Waymark}
}
