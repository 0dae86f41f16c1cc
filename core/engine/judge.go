package engine

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Judge asks of saves whether they hold what always holds. It is not safe for use by several goroutines.
type Judge struct {
	run   *Run
	world bool // whether the world is known
	// player stands in for whose save is asked about, with the start values of all variables.
	player *Player
	starts []types.Value
	plain  bool // nothing but stored variables of the player is asked about
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
	j := &Judge{run: New(m), world: w != nil || m.Single, plain: true}
	for _, a := range m.Always {
		j.plain = j.plain && !a.That.ReadsAny(j.beyondPlayer)
	}
	for _, c := range m.Checks {
		j.plain = j.plain && !c.That.ReadsAny(j.beyondPlayer)
	}
	if w != nil {
		j.run.takeWorld(w)
	}
	return j
}

// beyondPlayer says whether a reference is to anything but a stored variable of the player.
func (j *Judge) beyondPlayer(ref expr.Ref) bool {
	v := j.run.m.VarOf(ref)
	return ref.Who != expr.Self || v == nil || v.Holder != model.OfPlayer || v.Computed()
}

// present is a player with what can be asked of a save; what the record of a checkpoint holds cannot.
func (j *Judge) present(s *save.Player) *Player {
	r := j.run
	if j.player == nil {
		j.player = &Player{vars: r.starts(r.m.Holders[model.OfPlayer])}
		j.player.used, j.player.marks, j.player.earned = make([]bool, len(r.m.Checkpoints)),
			make([]remembered, len(r.m.Waymarks)), make([]bool, len(r.m.Milestones))
		j.starts = slices.Clone(j.player.vars)
	}
	p := j.player
	p.id, p.slot, p.dead, p.visits, p.reached = s.Player, s.Slot, s.Dead, s.Visits+1, -1
	copy(p.vars, j.starts)
	r.fill(p.vars, model.OfPlayer, s.Values)
	if j.plain {
		return p
	}
	p.pairs = nil
	if len(s.Scenes)+len(s.Props)+len(s.Lists) > 0 {
		p.pairs = r.pairsIn(s.Scenes, s.Props, s.Lists)
	}
	for i, c := range r.m.Checkpoints {
		p.used[i] = slices.Contains(s.Used, c.ID)
		if c.ID == s.Checkpoint {
			p.reached = i
		}
	}
	for i, m := range r.m.Milestones {
		p.earned[i] = slices.Contains(s.Milestones, m.ID)
	}
	if len(s.Waymarks) > 0 {
		p.marks = r.marksIn(s.Waymarks)
	} else {
		clear(p.marks)
	}
	p.place = r.validPlace(s.Place, r.startPlace())
	if r.m.Single && s.World != nil {
		r.takeWorld(s.World)
	}
	return p
}

// Player says what does not hold for a player's save, as it stands: no crossing is applied. Where it was upgraded, the
// checks of the upgrade are asked too.
func (j *Judge) Player(s *save.Player, upgraded bool) []Breach {
	r := j.run
	if len(r.m.Always) == 0 && (!upgraded || len(r.m.Checks) == 0) {
		return nil
	}
	p := j.present(s)
	if !j.plain {
		r.enter(p)
		defer r.exit(p)
	}
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

// whole is present for those who may ask of all of a save. The player is in the session until done is called.
func (j *Judge) whole(s *save.Player) (p *Player, done func()) {
	plain := j.plain
	j.plain = false
	p = j.present(s)
	j.plain = plain
	j.run.enter(p)
	return p, func() { j.run.exit(p) }
}

// notSaved says whether a reference is to what no save says: who is present, the time of a session, and the world where
// it is not known.
func (j *Judge) notSaved(ref expr.Ref) bool {
	switch ref.What {
	case expr.Time, expr.Present, expr.Holds, expr.HolderOf, expr.StandingOrder, expr.StandingNumber, expr.StandingPlace:
		return true
	}
	if v := j.run.m.VarOf(ref); v != nil && v.Computed() {
		return v.Is == nil || v.Is.ReadsAny(j.notSaved)
	}
	return !j.world && j.run.ofWorld(ref)
}

// Knows says whether a save says all that a computed variable of the player is calculated of; or one of the game, where the
// player's save has the world.
func (j *Judge) Knows(v *model.Var) bool {
	return v.Is != nil && (v.Holder == model.OfPlayer || v.Holder == model.OfGame && j.run.m.Single) && !v.Is.ReadsAny(j.notSaved)
}

// Computed is what such a variable is in a save; false where it cannot be calculated, as after a division by zero.
func (j *Judge) Computed(s *save.Player, v *model.Var) (types.Value, bool) {
	p, done := j.whole(s)
	defer done()
	f := frame{run: j.run}
	f.about(p)
	value := v.Is.Eval(&f)
	return value, f.err == nil
}

// Milestones tells how far a save is with each milestone, in the plan's order.
func (j *Judge) Milestones(s *save.Player) []Progress {
	p, done := j.whole(s)
	defer done()
	return j.run.Milestones(p.id)
}
