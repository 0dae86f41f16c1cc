package engine

import (
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// cross applies one column of the matrix: first all resets and rewinds, then all sets together, each
// reading that result (rule 15). Whose state: the player's, or one scene's, or the whole world's. It gives what was
// set.
func (t *tx) cross(column plan.Crossing, p *Player, owners []owner) []assignment {
	t.cause = &Cause{Kind: "crossing", Crossing: column.String()}
	for _, o := range owners {
		for _, v := range t.run.m.Holders[o.hold].Stored {
			switch v.Fates.At(column).Kind {
			case "reset":
				t.fated("reset")
				t.write(o, v, t.run.start(v), false)
			case "rewind":
				t.fated("rewind")
				t.write(o, v, p.record.of(o, v, t.run), false)
			}
		}
	}
	if p != nil {
		t.crossMarks(column, p)
		t.crossMilestones(column, p)
	}
	return t.setAll(column, p, owners)
}

type assignment struct {
	owner owner
	v     *model.Var
	to    types.Value
}

func (t *tx) setAll(column plan.Crossing, p *Player, owners []owner) []assignment {
	t.fated("set")
	var all []assignment
	for _, o := range owners {
		for _, v := range t.run.m.Holders[o.hold].Stored {
			if v.Fates.At(column).Set != nil && (v.In == nil || t.run.has(v, o.at)) {
				all = t.evaluated(all, column, p, o, v)
			}
		}
	}
	for _, a := range all {
		t.write(a.owner, a.v, a.to, false)
	}
	return all
}

// evaluated adds what a fate sets. A fate cannot be refused: where its expression fails, the value
// stays and the player is told.
func (t *tx) evaluated(all []assignment, column plan.Crossing, p *Player, o owner, v *model.Var) []assignment {
	t.frame.aboutOwner(o)
	if o.player == nil { // of the world, in a session of one player
		t.frame.player = p
	}
	to := v.Fates.At(column).Set.Eval(&t.frame)
	err := t.frame.err
	t.frame.err = nil
	if err == nil {
		domain, wanted := v.Domain, to
		domain.Refuse = false
		if to, err = domain.Fit(to); err == nil && to != wanted {
			t.cutOff(nil, v, wanted.Num, to.Num)
		}
	}
	if err != nil {
		t.tell(Notice{Player: playerID(p), To: "player", Kind: "undone",
			Text: v.Name + " stays as it is at " + column.String() + ": " + err.Error() + "."})
		return all
	}
	return append(all, assignment{o, v, to})
}

// owners are whose state goes through a player's column: the player's own and its pairs, and where
// session.players is 1 the world's.
func (t *tx) owners(p *Player, column plan.Crossing) []owner {
	out := []owner{{int(model.OfPlayer), p, -1}}
	if h := t.run.m.Profile; len(h.Stored) > 0 {
		out = append(out, owner{h.Index, p, -1})
	}
	for _, h := range t.run.m.Holders {
		if h.Holder.Lazy() && h.Holder.OfPlayers() && len(h.Stored) > 0 {
			out = t.run.lazyOwners(out, h, p, column)
		}
	}
	if t.run.m.Single {
		out = append(out, t.world(column)...)
	}
	return out
}

// world is whose state goes through a column of the whole world.
func (t *tx) world(column plan.Crossing) []owner {
	out := []owner{{int(model.OfGame), nil, -1}}
	for i := range t.run.scenes {
		out = append(out, owner{int(model.OfScene), nil, i})
	}
	for _, h := range t.run.m.Holders {
		if h.Holder.Lazy() && !h.Holder.OfPlayers() && len(h.Stored) > 0 {
			out = t.run.lazyOwners(out, h, nil, column)
		}
	}
	return out
}

// lazyOwners adds the copies that a column can change: those that were ever changed, those that the record
// has, and (where the column sets something) all.
func (r *Run) lazyOwners(out []owner, h *model.Holding, p *Player, column plan.Crossing) []owner {
	all := slices.ContainsFunc(h.Stored, func(v *model.Var) bool { return v.Fates.At(column).Set != nil })
	if all {
		for _, at := range r.m.Copies(h) {
			out = append(out, owner{h.Index, p, at})
		}
		return out
	}
	if !slices.ContainsFunc(h.Stored, func(v *model.Var) bool {
		k := v.Fates.At(column).Kind
		return k == "reset" ||
			k == "rewind"
	}) {
		return out
	}
	var ats []int
	add := func(c copies) {
		for key := range c {
			if key.hold == h.Index {
				ats = append(ats, key.at)
			}
		}
	}
	add(r.copiesOf(owner{h.Index, p, 0}))
	if p != nil && p.record != nil {
		add(p.record.pairs)
	}
	if p == nil && r.m.Single && len(r.order) > 0 && r.order[0].record != nil {
		add(r.order[0].record.props)
	}
	slices.Sort(ats)
	for _, at := range slices.Compact(ats) {
		out = append(out, owner{h.Index, p, at})
	}
	return out
}

// pairsIn are the player's own state, and of its pairs those with a scene and its props, and with lists.
func (t *tx) pairsIn(p *Player, scene int) []owner {
	out := []owner{{int(model.OfPlayer), p, -1}, {int(model.OfPlayerScene), p, scene}}
	for _, prop := range t.run.m.Scenes[scene].Props {
		if len(prop.Kind.Players.Stored) > 0 && t.run.worthCrossing(prop.Kind.Players,
			copyKey{prop.Kind.Players.Index, prop.Index}, p.pairs) {
			out = append(out, owner{prop.Kind.Players.Index, p, prop.Index})
		}
	}
	if h := t.run.m.Profile; len(h.Stored) > 0 {
		out = append(out, owner{h.Index, p, -1})
	}
	for _, l := range t.run.m.Lists {
		for _, h := range []*model.Holding{l.Players, l.Profile} {
			if len(h.Stored) > 0 {
				out = t.run.lazyOwners(out, h, p, plan.CrossScene)
			}
		}
	}
	return out
}

// worthCrossing says whether a change of scene can change a copy: it was changed before, or is set by it.
func (r *Run) worthCrossing(h *model.Holding, key copyKey, in copies) bool {
	return in[key] != nil || slices.ContainsFunc(h.Stored, func(v *model.Var) bool {
		return v.Fates.At(plan.CrossScene).Set != nil
	})
}

// of is what a variable was when the record was taken, as it is held now.
func (rec *record) of(o owner, v *model.Var, r *Run) types.Value {
	var values []types.Value
	switch h := r.m.Holders[o.hold].Holder; {
	case h == model.OfPlayer:
		values = rec.player
	case h == model.OfScene && rec.scenes != nil:
		values = rec.scenes[o.at]
	case h == model.OfGame:
		values = rec.game
	case h == model.OfProp || h == model.OfList:
		values = rec.props[copyKey{o.hold, o.at}]
	case h.OfPlayers():
		values = rec.pairs[copyKey{o.hold, o.at}]
	}
	if values == nil {
		return r.start(v)
	}
	return r.held(v, values[v.Slot])
}

// remember takes the record of what rewinds at death.
func (t *tx) remember(p *Player) {
	r := t.run
	rec := &record{player: r.allShown(p.vars, model.OfPlayer), marks: p.marks, pairs: r.rewinding(p.pairs)}
	if r.m.Single {
		rec.game, rec.props = r.allShown(r.game, model.OfGame), r.rewinding(r.props)
		for _, s := range r.scenes {
			rec.scenes = append(rec.scenes, r.allShown(s, model.OfScene))
		}
	}
	t.touch(p)
	p.record = rec
}

// rewinding copies what rewinds.
func (r *Run) rewinding(c copies) copies {
	out := copies{}
	for key, values := range c {
		if len(r.m.Holders[key.hold].Rewinds) > 0 {
			out[key] = slices.Clone(values)
		}
	}
	return out
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
	if from.Scene != to.Scene && column {
		if err := t.barred(p, t.run.m.Scenes[to.Scene]); err != nil {
			return err
		}
	}
	if from.Scene == to.Scene {
		t.touch(p)
		p.put(t.run.clock)
		t.note(p, "place", types.OfText(t.run.PlaceText(from)), types.OfText(t.run.PlaceText(to)))
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
		t.cross(plan.CrossScene, p, t.pairsIn(p, from.Scene))
	}
	t.cause = cause
	t.touch(p)
	t.note(p, "place", types.OfText(t.run.PlaceText(from)), types.OfText(t.run.PlaceText(to)))
	p.place, p.entry = to, to
	p.put(t.run.clock)
	t.emptied(from.Scene)
	return t.arrived(p, t.run.m.Scenes[from.Scene].ID)
}

// put notes that a player was put somewhere: what they asked for before is stale.
func (p *Player) put(now int64) { p.movedAt, p.placed, p.arrival = now, now, p.arrival+1 }

// emptied applies a scene's own fates where the last player has left it.
func (t *tx) emptied(scene int) {
	if t.run.empty(scene) {
		owners := []owner{{int(model.OfScene), nil, scene}}
		for _, prop := range t.run.m.Scenes[scene].Props {
			if h := prop.Kind.Own; len(h.Stored) > 0 && t.run.worthCrossing(h, copyKey{h.Index, prop.Index},
				t.run.props) {
				owners = append(owners, owner{h.Index, nil, prop.Index})
			}
		}
		t.cross(plan.CrossScene, nil, owners)
	}
}

func (t *tx) arrived(p *Player, from string) error {
	t.tell(Notice{Player: p.id, To: "player", Kind: "arrived", Scene: t.run.m.Scenes[p.place.Scene].ID, From: from})
	t.tellThings(p)
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
	t.note(p, "player.dead", types.OfBool(false), types.OfBool(true))
	p.dead = true
	p.backAt = t.run.clock + t.run.backAfter()
	if p == t.revived { // who dies of coming back comes back a little later, not without end at once
		p.backAt = max(p.backAt, t.run.clock+100)
	}
	t.run.dead = append(t.run.dead, p)
	t.dropAll(p)
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
	t.cross(plan.CrossDeath, p, t.owners(p, plan.CrossDeath))
	if t.run.m.Single {
		t.crossThings(plan.CrossDeath)
	}
	t.touch(p)
	t.fated("over")
	t.note(p, "player.dead", types.OfBool(true), types.OfBool(false))
	p.dead, p.backAt = false, 0
	t.revived = p
	t.crossReached(p, plan.CrossDeath)
	t.fated(t.run.m.Place.Death.Kind)
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
func (t *tx) crossReached(p *Player, column plan.Crossing) {
	if t.run.m.Reached.At(column).Kind != "reset" || p.reached < 0 {
		return
	}
	t.fated("reset")
	t.touch(p)
	t.note(p, "player.checkpoint", types.OfText(t.run.m.Checkpoints[p.reached].ID), types.None)
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
	t.dropAll(p)
	t.cross(plan.CrossNewRun, p, t.owners(p, plan.CrossNewRun))
	if t.run.m.Single {
		t.crossThings(plan.CrossNewRun)
	}
	t.crossReached(p, plan.CrossNewRun)
	t.touch(p)
	if p.dead {
		t.note(p, "player.dead", types.OfBool(true), types.OfBool(false))
	}
	p.dead, p.backAt, p.used = false, 0, make([]bool, len(t.run.m.Checkpoints))
	t.remember(p)
	t.fated("start")
	if err := t.travel(p, t.run.startPlace(), false); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "started"})
	return t.moment("started", p)
}
