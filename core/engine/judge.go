package engine

import (
	"alluvion/core/expr"
	"alluvion/core/model"
	"alluvion/core/save"
)

// Judge asks of saves whether they hold what always holds. It is not safe for use by several goroutines.
type Judge struct {
	run   *Run
	world bool // whether the world is known
}

// Breach is something that does not hold.
type Breach struct {
	Text  string
	Line  int  // of the plan
	Check bool // it is a check of an upgrade, and no invariant
}

// NewJudge asks under a plan. Where the world that players come into is not known (nil), what reads it is not asked,
// unless it lies in their own saves.
func NewJudge(m *model.Model, w *save.World) *Judge {
	j := &Judge{run: New(m), world: w != nil || m.Single}
	if w != nil {
		j.run.takeWorld(w)
	}
	return j
}

// Player says what does not hold for a player's save, as it stands: no crossing is applied. Where it was upgraded, the
// checks of the upgrade are asked too.
func (j *Judge) Player(s *save.Player, upgraded bool) []Breach {
	r := j.run
	if len(r.m.Always) == 0 && (!upgraded || len(r.m.Checks) == 0) {
		return nil
	}
	p := &Player{id: s.Player, slot: s.Slot, vars: r.starts(r.m.Holders[model.OfPlayer]), pairs: copies{}}
	p.used, p.reached = make([]bool, len(r.m.Checkpoints)), -1
	p.marks, p.earned, p.ranks = make([]remembered, len(r.m.Waymarks)), make([]bool, len(r.m.Milestones)), make([]expr.Value, len(r.m.Standings))
	p.place = r.startPlace()
	p.entry = p.place
	(&tx{run: r}).load(p, s)
	r.enter(p)
	defer r.exit(p)
	var out []Breach
	ask := func(that *expr.Program, about bool, b Breach) {
		if !j.world && that.ReadsAny(r.ofWorld) {
			return
		}
		f := frame{run: r}
		f.about(nil)
		if about {
			f.about(p)
		}
		if held := that.Eval(&f).Bool; !held || f.err != nil {
			out = append(out, b)
		}
	}
	for _, a := range r.m.Always {
		text := "this does not hold, and always should: " + a.That.Source
		ask(a.That, a.AboutPlayer, Breach{Text: text, Line: a.At.Line})
	}
	if upgraded {
		for _, c := range r.m.Checks {
			ask(c.That, c.AboutPlayer, Breach{Text: c.Why, Line: c.At.Line, Check: true})
		}
	}
	return out
}
