package engine

import (
	"slices"

	"alluvion/core/expr"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/save"
)

// Reopen is a session that is opened again with the world that it had: the fates of restart apply.
func Reopen(m *model.Model, w *save.World) *Run {
	r := New(m)
	if w == nil {
		return r
	}
	r.takeWorld(w)
	_, _ = r.transact(true, (*tx).restart)
	return r
}

func (r *Run) takeWorld(w *save.World) {
	r.attic = w.Attic
	r.fill(r.game, model.OfGame, w.Values)
	for i, s := range r.m.Scenes {
		r.fill(r.scenes[i], model.OfScene, w.Scenes[s.ID])
	}
}

// fill takes values out of a save; what the save does not have keeps its start value.
func (r *Run) fill(values []expr.Value, h model.Holder, saved map[string]expr.Value) {
	vars := r.m.Holders[h].Stored
	for i, value := range shownValues(vars, saved) {
		values[i] = r.held(vars[i], value)
	}
}

// join brings a player in: with a new run, or with what was saved in the slot.
func (t *tx) join(req Request) error {
	r := t.run
	p := &Player{id: req.Player, slot: req.Slot, vars: r.starts(model.OfPlayer)}
	p.used, p.reached, p.visits = make([]bool, len(r.m.Checkpoints)), -1, 1
	p.marks, p.earned = make([]remembered, len(r.m.Waymarks)), make([]bool, len(r.m.Milestones))
	p.number, p.timers = req.Number, beginTimers(r.m.OwnTimers, r.clock)
	p.place = r.startPlace()
	p.entry = p.place
	back := false
	if req.Saved != nil {
		back = req.Saved.Dead
		t.load(p, req.Saved)
		p.number = max(p.number, req.Number)
	}
	r.enter(p)
	t.entered = append(t.entered, p)
	t.weighLater(p, r.m.Milestones) // the threshold may have been passed before the milestone was there
	if req.Saved == nil {
		t.remember(p)
	} else {
		t.returned(p)
	}
	return t.tellJoined(p, req.Saved == nil, back)
}

// load takes over what was saved.
func (t *tx) load(p *Player, s *save.Player) {
	r := t.run
	r.fill(p.vars, model.OfPlayer, s.Values)
	p.dead, p.visits, p.number, p.attic = s.Dead, s.Visits+1, s.Number, s.Attic
	for _, id := range s.Used {
		if point := r.m.Checkpoint(id); point != nil {
			p.used[point.Index] = true
		}
	}
	if point := r.m.Checkpoint(s.Checkpoint); point != nil {
		p.reached = point.Index
	}
	p.record = r.recordIn(s.Record)
	p.marks = r.marksIn(s.Waymarks)
	for i, m := range r.m.Milestones {
		p.earned[i] = slices.Contains(s.Milestones, m.ID)
	}
	if s.Back != nil {
		p.back = r.validPlace(*s.Back, r.startPlace())
	} else if p.reached >= 0 && r.m.Checkpoints[p.reached].Spot == nil {
		p.reached = -1 // it was a spot when this was saved, and is an area now
	}
	p.place = r.validPlace(s.Place, r.after(p, "checkpoint"))
	p.entry = r.validPlace(s.Entry, p.place)
	if r.m.Single && s.World != nil {
		r.takeWorld(s.World)
	}
}

func (r *Run) recordIn(s save.Record) *record {
	rec := &record{player: shownValues(r.m.Holders[model.OfPlayer].Stored, s.Values), marks: r.marksIn(s.Waymarks)}
	if r.m.Single && s.World != nil {
		rec.game = shownValues(r.m.Holders[model.OfGame].Stored, s.World.Values)
		for _, scene := range r.m.Scenes {
			rec.scenes = append(rec.scenes, shownValues(r.m.Holders[model.OfScene].Stored, s.World.Scenes[scene.ID]))
		}
	}
	return rec
}

// shownValues are saved values by slot; what was not saved has its start value.
func shownValues(vars []*model.Var, saved map[string]expr.Value) []expr.Value {
	out := make([]expr.Value, len(vars))
	for i, v := range vars {
		out[i] = v.Start
		if value, ok := saved[v.ID]; ok {
			out[i] = value
		}
	}
	return out
}

// validPlace is a saved place, or the other where the scene is no more; a point outside is moved to the
// nearest one inside (rule 33).
func (r *Run) validPlace(s save.Place, otherwise Place) Place {
	scene := r.m.Scene(s.Scene)
	if scene == nil || len(s.At) != len(r.m.Axes) {
		return otherwise
	}
	p := Place{Scene: scene.Index, Facing: s.Facing}
	copy(p.At[:], s.At)
	p.At = r.inside(p.At, p.Scene)
	return p
}

// returned applies what the end of the last visit means: who left dead comes back first, then the
// column leave (rule 16).
func (t *tx) returned(p *Player) {
	r := t.run
	if p.dead {
		t.cross(atDeath, p, t.owners(p))
		t.touch(p)
		p.dead, p.backAt = false, 0
		t.crossReached(p, atDeath)
		p.place = r.after(p, r.m.Place.Death.Kind)
	}
	if r.m.Single {
		t.cross(atRestart, p, t.world())
	}
	t.cross(atLeave, p, []owner{{p, -1}})
	t.crossReached(p, atLeave)
	t.touch(p)
	p.place = r.after(p, r.m.Place.Leave.Kind)
	if r.m.Place.Leave.Kind != "exact" {
		p.entry = p.place
	}
}

func (t *tx) tellJoined(p *Player, first, back bool) error {
	scene := t.run.m.Scenes[p.place.Scene].ID
	t.cause = Cause{Kind: "request", Moment: "join"}
	if first {
		t.tell(Notice{Player: p.id, To: "player", Kind: "started"})
		if err := t.moment("started", p); err != nil {
			return err
		}
	}
	if back {
		t.tell(Notice{Player: p.id, To: "player", Kind: "came-back", Scene: scene})
		if err := t.moment("came-back", p); err != nil {
			return err
		}
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "joined", Scene: scene})
	if err := t.moment("joined", p); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "arrived", Scene: scene})
	if err := t.moment("arrived", p); err != nil {
		return err
	}
	return t.foundIn(p)
}

// leave ends a visit: the rules on left, then the save is cut, then the player is gone.
func (t *tx) leave(p *Player) error {
	if err := t.moment("left", p); err != nil {
		return err
	}
	if err := t.drain(); err != nil {
		t.tell(Notice{Player: p.id, To: "player", Kind: "undone", Text: err.Error()})
	}
	t.done = len(t.queue)
	t.saveMoment(p, "leave")
	t.tell(Notice{Player: p.id, To: "scene", Kind: "left", Scene: t.run.m.Scenes[p.place.Scene].ID})
	t.res.Left = append(t.res.Left, t.run.save(p))
	t.run.exit(p)
	t.exited = append(t.exited, p)
	if !t.run.m.Single {
		t.emptied(p.place.Scene)
	}
	return nil
}

// Save is what would be written for a present player now; nil for one who is not there.
func (r *Run) Save(player string) *save.Player {
	if p := r.players[player]; p != nil {
		return r.save(p)
	}
	return nil
}

func (r *Run) save(p *Player) *save.Player {
	s := &save.Player{Game: r.m.Plan.Game.Name, Version: r.m.Plan.Version.Value, Player: p.id, Slot: p.slot, Visits: p.visits, Number: p.number,
		Dead: p.dead, Place: r.placeOut(p.place), Entry: r.placeOut(p.entry), Values: r.named(r.allShown(p.vars, model.OfPlayer), model.OfPlayer, everything), Attic: p.attic}
	if p.reached >= 0 {
		s.Checkpoint = r.m.Checkpoints[p.reached].ID
		if r.m.Checkpoints[p.reached].Area != nil {
			back := r.placeOut(p.back)
			s.Back = &back
		}
	}
	for i, used := range p.used {
		if used {
			s.Used = append(s.Used, r.m.Checkpoints[i].ID)
		}
	}
	s.Record = r.recordOut(p.record)
	for i, m := range r.m.Milestones {
		if p.earned[i] {
			s.Milestones = append(s.Milestones, m.ID)
		}
	}
	s.Waymarks = r.marksOut(p.marks, func(*model.Waymark) bool { return true })
	if r.m.Single {
		s.World = r.World()
	}
	return s
}

// World is what would be written for the world now.
func (r *Run) World() *save.World {
	scenes := make([][]expr.Value, len(r.scenes))
	for i, s := range r.scenes {
		scenes[i] = r.allShown(s, model.OfScene)
	}
	w := r.worldOut(r.allShown(r.game, model.OfGame), scenes, everything)
	w.Attic = r.attic
	return w
}

// worldOut gives what the game and its scenes hold, of the variables that keep picks.
func (r *Run) worldOut(game []expr.Value, scenes [][]expr.Value, keep func(*model.Var) bool) *save.World {
	w := &save.World{Game: r.m.Plan.Game.Name, Version: r.m.Plan.Version.Value, Values: r.named(game, model.OfGame, keep), Scenes: map[string]save.Values{}}
	for i, s := range r.m.Scenes {
		if values := r.named(scenes[i], model.OfScene, keep); len(values) > 0 {
			w.Scenes[s.ID] = values
		}
	}
	return w
}

func everything(*model.Var) bool { return true }

// marksIn takes remembered places out of a save; one whose scene is no more is none (rule 33).
func (r *Run) marksIn(saved map[string]save.Place) []remembered {
	out := make([]remembered, len(r.m.Waymarks))
	for i, w := range r.m.Waymarks {
		if s, ok := saved[w.ID]; ok && r.m.Scene(s.Scene) != nil && len(s.At) == len(r.m.Axes) {
			out[i] = remembered{true, r.validPlace(s, Place{})}
		}
	}
	return out
}

func (r *Run) marksOut(marks []remembered, keep func(*model.Waymark) bool) map[string]save.Place {
	var out map[string]save.Place
	for i, w := range r.m.Waymarks {
		if marks[i].set && keep(w) {
			if out == nil {
				out = map[string]save.Place{}
			}
			out[w.ID] = r.placeOut(marks[i].at)
		}
	}
	return out
}

func (r *Run) recordOut(rec *record) save.Record {
	rewinds := func(v *model.Var) bool { return v.Fates[atDeath].Kind == "rewind" }
	out := save.Record{Values: r.named(rec.player, model.OfPlayer, rewinds), Waymarks: r.marksOut(rec.marks, func(w *model.Waymark) bool { return w.Fates[atDeath].Kind == "rewind" })}
	if rec.game != nil {
		out.World = r.worldOut(rec.game, rec.scenes, rewinds)
	}
	return out
}

// named gives shown values by the ids of their variables.
func (r *Run) named(shown []expr.Value, h model.Holder, keep func(*model.Var) bool) save.Values {
	out := save.Values{}
	for i, v := range r.m.Holders[h].Stored {
		if keep(v) {
			out[v.ID] = shown[i]
		}
	}
	return out
}

func (r *Run) placeOut(p Place) save.Place {
	return save.Place{Scene: r.m.Scenes[p.Scene].ID, At: append([]fixed.Num{}, p.At[:len(r.m.Axes)]...), Facing: p.Facing}
}
