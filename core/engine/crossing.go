package engine

import (
	"slices"

	"alluvion/core/expr"
	"alluvion/core/model"
	"alluvion/core/plan"
)

// crossingIndex is a crossing's column.
func crossingIndex(c plan.Crossing) int { return slices.Index(plan.Crossings, c) }

var (
	atScene   = crossingIndex(plan.CrossScene)
	atDeath   = crossingIndex(plan.CrossDeath)
	atLeave   = crossingIndex(plan.CrossLeave)
	atRestart = crossingIndex(plan.CrossRestart)
	atNewRun  = crossingIndex(plan.CrossNewRun)
)

// cross applies one column of the matrix: first all resets and rewinds, then all sets together, each
// reading that result (rule 15). Whose state: the player's, or one scene's, or the whole world's.
func (t *tx) cross(column int, p *Player, owners []owner) {
	t.cause = Cause{Kind: "crossing", Crossing: string(plan.Crossings[column])}
	for _, o := range owners {
		for _, v := range t.stored(o) {
			switch v.Fates[column].Kind {
			case "reset":
				t.cause.Fate = "reset"
				t.write(o, v, t.run.start(v), false)
			case "rewind":
				t.cause.Fate = "rewind"
				t.write(o, v, p.record.of(o, v, t.run), false)
			}
		}
	}
	if p != nil {
		t.crossMarks(column, p)
		t.crossMilestones(column, p)
	}
	t.setAll(column, p, owners)
}

type assignment struct {
	owner owner
	v     *model.Var
	to    expr.Value
}

func (t *tx) setAll(column int, p *Player, owners []owner) {
	t.cause.Fate = "set"
	var all []assignment
	for _, o := range owners {
		for _, v := range t.stored(o) {
			if v.Fates[column].Set != nil {
				all = t.evaluated(all, column, p, o, v)
			}
		}
	}
	for _, a := range all {
		t.write(a.owner, a.v, a.to, false)
	}
}

// evaluated adds what a fate sets. A fate cannot be refused: where its expression fails, the value
// stays and the player is told.
func (t *tx) evaluated(all []assignment, column int, p *Player, o owner, v *model.Var) []assignment {
	t.frame.player, t.frame.scene = p, o.scene
	to := v.Fates[column].Set.Eval(&t.frame)
	err := t.frame.err
	t.frame.err = nil
	if err == nil {
		domain := v.Domain
		domain.Refuse = false
		to, err = domain.Fit(to)
	}
	if err != nil {
		t.tell(Notice{Player: playerID(p), To: "player", Kind: "undone", Text: v.Name + " stays as it is at " + string(plan.Crossings[column]) + ": " + err.Error() + "."})
		return all
	}
	return append(all, assignment{o, v, to})
}

func (t *tx) stored(o owner) []*model.Var {
	switch {
	case o.player != nil:
		return t.run.m.Holders[model.OfPlayer].Stored
	case o.scene >= 0:
		return t.run.m.Holders[model.OfScene].Stored
	}
	return t.run.m.Holders[model.OfGame].Stored
}

// owners are whose state goes through a player's column: the player's own, and where session.players
// is 1 the world's.
func (t *tx) owners(p *Player) []owner {
	if !t.run.m.Single {
		return []owner{{p, -1}}
	}
	return append([]owner{{p, -1}}, t.world()...)
}

func (t *tx) world() []owner {
	out := []owner{{nil, -1}}
	for i := range t.run.scenes {
		out = append(out, owner{nil, i})
	}
	return out
}

// of is what a variable was when the record was taken, as it is held now.
func (rec *record) of(o owner, v *model.Var, r *Run) expr.Value {
	switch {
	case o.player != nil:
		return r.held(v, rec.player[v.Slot])
	case rec.game == nil:
		return r.start(v)
	case o.scene >= 0:
		return r.held(v, rec.scenes[o.scene][v.Slot])
	}
	return r.held(v, rec.game[v.Slot])
}

// remember takes the record of what rewinds at death.
func (t *tx) remember(p *Player) {
	rec := &record{player: t.run.allShown(p.vars, model.OfPlayer), marks: p.marks}
	if t.run.m.Single {
		rec.game = t.run.allShown(t.run.game, model.OfGame)
		for _, s := range t.run.scenes {
			rec.scenes = append(rec.scenes, t.run.allShown(s, model.OfScene))
		}
	}
	t.touch(p)
	p.record = rec
}

// goTo brings a player to a place. Into another scene that is the crossing scene, in the order of rule
// 14; the player leaves only now, when the arrival is certain.
func (t *tx) goTo(p *Player, to Place) error {
	return t.travel(p, to, true)
}

// travel moves a player, with the scene column or (where the change of scene comes of another
// crossing) without it (rule 13).
func (t *tx) travel(p *Player, to Place, column bool) error {
	from := p.place
	if from.Scene == to.Scene {
		t.touch(p)
		t.note(p, "place", expr.OfText(t.run.PlaceText(from)), expr.OfText(t.run.PlaceText(to)))
		p.place = to
		return t.moved(p, from, false)
	}
	cause := t.cause
	if err := t.leftAreas(p); err != nil {
		return err
	}
	t.cause = cause
	if err := t.moment("departed", p); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "departed", Scene: t.run.m.Scenes[from.Scene].ID})
	if column {
		t.cross(atScene, p, []owner{{p, -1}})
	}
	t.cause = cause
	t.touch(p)
	t.note(p, "place", expr.OfText(t.run.PlaceText(from)), expr.OfText(t.run.PlaceText(to)))
	p.place, p.entry = to, to
	t.emptied(from.Scene)
	return t.arrived(p, t.run.m.Scenes[from.Scene].ID)
}

// emptied applies a scene's own fates where the last player has left it.
func (t *tx) emptied(scene int) {
	if t.run.empty(scene) {
		t.cross(atScene, nil, []owner{{nil, scene}})
	}
}

func (t *tx) arrived(p *Player, from string) error {
	t.tell(Notice{Player: p.id, To: "player", Kind: "arrived", Scene: t.run.m.Scenes[p.place.Scene].ID, From: from})
	t.forgetOn(p)
	if err := t.moment("arrived", p); err != nil {
		return err
	}
	if err := t.foundIn(p); err != nil {
		return err
	}
	t.saveMoment(p, "scene")
	return nil
}

// die kills a player, unless they are dead already (rule 11).
func (t *tx) die(p *Player) error {
	if p.dead || !t.run.Has(p.id) {
		return nil
	}
	t.touch(p)
	t.note(p, "player.dead", expr.OfBool(false), expr.OfBool(true))
	p.dead = true
	p.backAt = t.run.clock + t.run.backAfter()
	t.run.dead = append(t.run.dead, p)
	t.tell(Notice{Player: p.id, To: "player", Kind: "died", Scene: t.run.m.Scenes[p.place.Scene].ID})
	return t.moment("died", p)
}

func (r *Run) backAfter() int64 {
	if c := r.m.Plan.Checkpoints; c != nil {
		return c.BackAfter.Value.Milliseconds()
	}
	return 0
}

// comeBack ends being dead: the death column, then the move, then came-back.
func (t *tx) comeBack(p *Player) error {
	if !p.dead || !t.run.Has(p.id) {
		return nil
	}
	t.cross(atDeath, p, t.owners(p))
	t.touch(p)
	t.note(p, "player.dead", expr.OfBool(true), expr.OfBool(false))
	p.dead, p.backAt = false, 0
	t.crossReached(p, atDeath)
	t.cause.Fate = t.run.m.Place.Death.Kind
	if err := t.travel(p, t.run.after(p, t.run.m.Place.Death.Kind), false); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "came-back", Scene: t.run.m.Scenes[p.place.Scene].ID})
	if err := t.moment("came-back", p); err != nil {
		return err
	}
	t.saveMoment(p, "death")
	return nil
}

// crossReached applies the fate of the checkpoint reached.
func (t *tx) crossReached(p *Player, column int) {
	if t.run.m.Reached[column].Kind != "reset" || p.reached < 0 {
		return
	}
	t.cause.Fate = "reset"
	t.touch(p)
	t.note(p, "player.checkpoint", expr.OfText(t.run.m.Checkpoints[p.reached].ID), expr.None)
	p.reached = -1
}

// after is where a fate of place puts a player.
func (r *Run) after(p *Player, fate string) Place {
	facing := p.place.Facing
	switch fate {
	case "checkpoint":
		switch {
		case p.reached >= 0:
			return r.pointPlace(p, facing)
		case r.m.Fallback != nil:
			return spotPlace(r.m.Fallback, facing)
		}
		return r.startPlace()
	case "entry":
		return p.entry
	case "start":
		return r.startPlace()
	}
	return p.place
}

// pointPlace is where the checkpoint reached brings a player back: its spot, or where its area was
// entered.
func (r *Run) pointPlace(p *Player, facing string) Place {
	if point := r.m.Checkpoints[p.reached]; point.Spot != nil {
		return spotPlace(point.Spot, facing)
	}
	return p.back
}

// startOver begins a new run in the same slot.
func (t *tx) startOver(p *Player) error {
	if !t.run.Has(p.id) {
		return nil
	}
	t.cross(atNewRun, p, t.owners(p))
	t.crossReached(p, atNewRun)
	t.touch(p)
	if p.dead {
		t.note(p, "player.dead", expr.OfBool(true), expr.OfBool(false))
	}
	p.dead, p.backAt, p.used = false, 0, make([]bool, len(t.run.m.Checkpoints))
	t.remember(p)
	t.cause.Fate = "start"
	if err := t.travel(p, t.run.startPlace(), false); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "started"})
	return t.moment("started", p)
}
