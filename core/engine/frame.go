package engine

import (
	"alluvion/core/expr"
	"alluvion/core/model"
)

// frame is what an expression reads: whom it is about, with the arguments of the event. It is an
// expr.Env.
type frame struct {
	run    *Run
	player *Player // nil where the expression is about nobody
	scene  int     // the scene that it is about; -1 for the player's
	args   []expr.Value
	locals []expr.Value // the rule's own names
	err    error
}

// Fail keeps the first thing that went wrong.
func (f *frame) Fail(err error) {
	if f.err == nil {
		f.err = err
	}
}

// Read gives the value that a name stands for.
func (f *frame) Read(ref expr.Ref) expr.Value {
	switch ref.What {
	case expr.Variable:
		return f.variable(ref)
	case expr.Itself:
		if ref.Who == expr.Self {
			return expr.OfText(f.player.id)
		}
		return f.args[ref.Index]
	case expr.LocalValue:
		return f.locals[ref.Index]
	case expr.Time:
		return expr.OfNum(seconds(f.run.clock))
	case expr.Present:
		return expr.OfInt(len(f.run.order))
	}
	return f.builtIn(ref)
}

func (f *frame) builtIn(ref expr.Ref) expr.Value {
	p := f.whose(ref)
	if p == nil {
		return expr.None
	}
	switch ref.What {
	case expr.Dead:
		return expr.OfBool(p.dead)
	case expr.Checkpoint:
		if p.reached < 0 {
			return expr.None
		}
		return expr.OfText(f.run.m.Checkpoints[p.reached].ID)
	case expr.SaveSlot:
		return expr.OfInt(p.slot)
	case expr.Visits:
		return expr.OfInt(p.visits)
	case expr.FirstVisit:
		return expr.OfBool(p.visits == 1)
	case expr.InArea:
		return expr.OfBool(f.run.in(p, f.run.m.Areas[ref.Slot]))
	case expr.Earned:
		return expr.OfBool(p.earned[ref.Slot])
	case expr.Waymark:
		if m := p.marks[ref.Slot]; m.set {
			return expr.OfText(f.run.PlaceText(m.at))
		}
		return expr.None
	case expr.PlaceScene:
		return expr.OfText(f.run.m.Scenes[p.place.Scene].ID)
	case expr.PlaceFacing:
		return expr.OfText(p.place.Facing)
	case expr.PlaceAxis:
		return expr.OfNum(p.place.At[ref.Slot])
	}
	return expr.None
}

// whose finds the player that a reference means.
func (f *frame) whose(ref expr.Ref) *Player {
	switch ref.Who {
	case expr.Arg:
		return f.run.players[f.args[ref.Index].Text]
	case expr.Local:
		return f.run.players[f.locals[ref.Index].Text]
	}
	return f.player
}

// sceneOf finds the scene that a reference means.
func (f *frame) sceneOf(ref expr.Ref) int {
	switch {
	case ref.Who == expr.OneScene:
		return ref.Index
	case f.scene >= 0:
		return f.scene
	}
	return f.player.place.Scene
}

// variable reads a stored or a computed variable.
func (f *frame) variable(ref expr.Ref) expr.Value {
	values, holding, about := f.holding(ref)
	if ref.Slot >= len(values) {
		return f.computed(holding.Computed[ref.Slot-len(values)], about)
	}
	v := values[ref.Slot]
	if s := holding.Stored[ref.Slot]; s.Stopwatch {
		return f.run.shown(s, v)
	}
	return v
}

// subject is whom a computed variable is about.
type subject struct {
	player *Player
	scene  int
}

func (f *frame) holding(ref expr.Ref) ([]expr.Value, *model.Holding, subject) {
	r := f.run
	switch ref.Who {
	case expr.Game:
		return r.game, &r.m.Holders[model.OfGame], subject{nil, -1}
	case expr.HereScene, expr.OneScene:
		scene := f.sceneOf(ref)
		return r.scenes[scene], &r.m.Holders[model.OfScene], subject{nil, scene}
	}
	p := f.whose(ref)
	return p.vars, &r.m.Holders[model.OfPlayer], subject{p, -1}
}

func (f *frame) computed(v *model.Var, about subject) expr.Value {
	player, scene := f.player, f.scene
	f.player, f.scene = about.player, about.scene
	out := v.Is.Eval(f)
	f.player, f.scene = player, scene
	fit, err := v.Fit(out)
	if err != nil {
		f.Fail(err)
	}
	return fit
}
