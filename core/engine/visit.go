package engine

import (
	"maps"
	"slices"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Reopen is a session that is opened again with the world that it had, with the seed 0.
func Reopen(m *model.Model, w *save.World) *Run { return ReopenWith(m, w, 0) }

// ReopenWith is a session that is opened again with the world that it had: the fates of restart apply.
func ReopenWith(m *model.Model, w *save.World, seed uint32) *Run {
	r := Open(m, seed)
	if w == nil {
		return r
	}
	r.takeWorld(w)
	_ = r.transact(true, (*tx).restart) // a fate cannot be refused
	return r
}

func (r *Run) takeWorld(w *save.World) {
	r.attic = w.Attic
	if !r.m.Single {
		r.senders = w.Senders
	}
	r.newWorld()
	r.crossed, r.ranks = r.metIn(w.Crossed, r.metByNobody()), r.optionRanksIn(w.Standings)
	r.fill(r.game, model.OfGame, w.Values)
	for i, s := range r.m.Scenes {
		r.fill(r.scenes[i], model.OfScene, w.Scenes[s.ID])
	}
	r.props = r.listsIn(r.propsIn(w.Props, model.OfProp), w.Lists, model.OfList)
	for i, m := range r.m.Movables {
		r.things[i] = thing{at: r.home(m)}
		if at, ok := w.Movables[m.ID]; ok { // who held it is gone: it lies where they were (rule 5)
			if place := r.validPlace(at, r.things[i].at); !m.NeverIn[r.m.Scenes[place.Scene]] {
				place.Facing = ""
				r.things[i].at = place
			}
		}
	}
}

// propsIn takes what props hold, alone or with a player, out of a save.
func (r *Run) propsIn(saved save.Props, h model.Holder) copies {
	out := copies{}
	for _, k := range r.m.Kinds {
		hold := k.Own
		if h == model.OfPlayerProp {
			hold = k.Players
		}
		for id, values := range saved[k.ID] {
			if prop := k.Prop(id); prop != nil && len(values) > 0 {
				out[copyKey{hold.Index, prop.Index}] = shownValues(hold.Stored, values)
			}
		}
	}
	return out
}

// listsIn takes what options of lists hold, alone or with a player, out of a save.
func (r *Run) listsIn(out copies, saved save.Props, h model.Holder) copies {
	for _, l := range r.m.Lists {
		hold := map[model.Holder]*model.Holding{model.OfList: l.Own, model.OfPlayerList: l.Players,
			model.OfProfileList: l.Profile}[h]
		for id, values := range saved[l.ID] {
			if at := l.Option(id); at >= 0 && len(values) > 0 {
				out[copyKey{hold.Index, at}] = shownValues(hold.Stored, values)
			}
		}
	}
	return out
}

// pairsIn takes what a player has for scenes, props and options of lists out of a save.
func (r *Run) pairsIn(scenes map[string]save.Values, props, lists save.Props) copies {
	out := r.listsIn(r.propsIn(props, model.OfPlayerProp), lists, model.OfPlayerList)
	hold := r.m.Holders[model.OfPlayerScene]
	for id, values := range scenes {
		if s := r.m.Scene(id); s != nil && len(values) > 0 {
			out[copyKey{hold.Index, s.Index}] = shownValues(hold.Stored, values)
		}
	}
	return out
}

// copiesOut gives what was changed of the copies of one holder, of the variables that keep picks: by scene,
// or by kind and prop. What has its start value is left out.
func (r *Run) copiesOut(c copies, h model.Holder, keep func(*model.Var) bool,
	out func(h *model.Holding, at int, values save.Values)) {
	for key, held := range c {
		hold := r.m.Holders[key.hold]
		if hold.Holder != h {
			continue
		}
		values := save.Values{}
		for i, v := range hold.Stored {
			if held[i] != v.Start && keep(v) {
				values[v.ID] = held[i]
			}
		}
		if len(values) > 0 {
			out(hold, key.at, values)
		}
	}
}

func (r *Run) scenesOut(c copies, keep func(*model.Var) bool) map[string]save.Values {
	var out map[string]save.Values
	r.copiesOut(c, model.OfPlayerScene, keep, func(_ *model.Holding, at int, values save.Values) {
		if out == nil {
			out = map[string]save.Values{}
		}
		out[r.m.Scenes[at].ID] = values
	})
	return out
}

// propsOut gives what was changed of the copies of props or of options, by kind or list.
func (r *Run) propsOut(c copies, h model.Holder, keep func(*model.Var) bool) save.Props {
	var out save.Props
	r.copiesOut(c, h, keep, func(hold *model.Holding, at int, values save.Values) {
		if out == nil {
			out = save.Props{}
		}
		if out[hold.Of()] == nil {
			out[hold.Of()] = map[string]save.Values{}
		}
		out[hold.Of()][r.m.CopyID(hold, at)] = values
	})
	return out
}

// fill takes values out of a save; what the save does not have keeps its start value.
func (r *Run) fill(values []types.Value, h model.Holder, saved map[string]types.Value) {
	for i, v := range r.m.Holders[h].Stored {
		if value, ok := saved[v.ID]; ok {
			values[i] = r.held(v, value)
		}
	}
}

// join brings a player in: with a new run, or with what was saved in the slot.
func (t *tx) join(req *Request) error {
	r := t.run
	if r.m.Single && r.begun && (req.Saved == nil || req.Saved.World == nil) {
		t.freshWorld()
	}
	p := &Player{id: req.Player, slot: req.Slot, vars: r.starts(r.m.Holders[model.OfPlayer]), pairs: copies{}}
	p.used, p.reached, p.visits = make([]bool, len(r.m.Checkpoints)), -1, 1
	p.profile, p.metOver = r.starts(r.m.Profile), r.metNow()
	p.marks, p.earned = make([]remembered, len(r.m.Waymarks)), make([]bool, len(r.m.Milestones))
	p.ranks, p.met = make([]types.Value, len(r.m.Standings)), r.metNow()
	p.arrival = r.arrivals[p.id]
	p.put(r.clock)
	p.number, p.timers = req.Number, beginTimers(r.m.OwnTimers, r.clock)
	p.place = r.startPlace()
	p.entry = p.place
	back := false
	if req.Saved != nil {
		back = req.Saved.Dead
		t.load(p, req.Saved)
		p.number = max(p.number, req.Number)
	}
	t.loadProfile(p, req.Profile)
	r.enter(p)
	t.entered = append(t.entered, p)
	t.takeShared(p, req.Shared, false)
	t.weighForAll(r.m.WeighedOnOthers())
	t.weighLater(p, r.m.WeighedOnJoin()) // the threshold may have been passed before the milestone was there
	for _, id := range req.Gone {
		t.forgetIn(id, p, t.everyCopy(p))
		if r.m.Single {
			t.forgetIn(id, nil, t.everyWorldCopy())
		}
	}
	if req.Saved == nil {
		t.remember(p)
	} else {
		t.returned(p)
	}
	if err := t.tellJoined(p, req.Saved == nil, back); err != nil {
		return err
	}
	return t.openingPicks(p, req.Picks)
}

// openingPicks are what a player picks on the way in. One that they may not pick refuses the joining.
func (t *tx) openingPicks(p *Player, picks map[string]types.Value) error {
	t.cause = &Cause{Kind: "request", Moment: "join"}
	known := 0
	for _, v := range t.run.m.Holders[model.OfPlayer].Stored {
		option, ok := picks[v.ID]
		if !ok || v.Type.Kind != types.Pick {
			continue
		}
		known++
		if err := v.Admit(option); err != nil {
			return refuse(Invalid, "%s cannot be %s: %v.", v.Name, option, err)
		}
		if err := t.give(owner{v.Hold.Index, p, -1}, v, option, true); err != nil {
			return err
		}
	}
	if known < len(picks) {
		for _, name := range slices.Sorted(maps.Keys(picks)) {
			if v := t.run.m.Var("player." + name); v == nil || v.Type.Kind != types.Pick {
				return refuse(Unknown, "%s is no pick of a player in this plan.", name)
			}
		}
	}
	return nil
}

// load takes over what was saved.
func (t *tx) load(p *Player, s *save.Player) {
	r := t.run
	r.fill(p.vars, model.OfPlayer, s.Values)
	p.pairs = r.pairsIn(s.Scenes, s.Props, s.Lists)
	for i, x := range r.m.Standings {
		if n, ok := s.Standings[x.ID]; ok {
			p.ranks[i] = types.OfNum(n)
		}
	}
	p.dead, p.visits, p.number, p.attic = s.Dead, min(s.Visits+1, save.MaxVisits), s.Number, s.Attic
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
	if r.m.Single && s.World != nil { // first: what the player has met is compared with it
		t.replaceWorld()
		r.takeWorld(s.World)
	}
	p.met = r.metIn(s.Crossed, r.metNow())
	if s.Back != nil {
		p.back = r.validPlace(*s.Back, r.startPlace())
	} else if p.reached >= 0 && r.m.Checkpoints[p.reached].Spot == nil {
		p.reached = -1 // it was a spot when this was saved, and is an area now
	}
	p.place = r.validPlace(s.Place, r.after(p, "checkpoint"))
	p.entry = r.validPlace(s.Entry, p.place)
}

// replaceWorld keeps the world that another is about to stand in for, so that it can be undone.
func (t *tx) replaceWorld() {
	was := t.run.world
	t.replaced = &was
}

// freshWorld is the world of a slot in which nothing was ever saved: nothing of whoever played before is in it (rule
// 1).
func (t *tx) freshWorld() {
	t.replaceWorld()
	t.run.attic, t.run.crossed = nil, t.run.metByNobody()
	t.run.newWorld()
}

func (r *Run) recordIn(s save.Record) *record {
	rec := &record{player: shownValues(r.m.Holders[model.OfPlayer].Stored, s.Values), marks: r.marksIn(s.Waymarks),
		pairs: r.pairsIn(s.Scenes, s.Props, s.Lists)}
	if r.m.Single && s.World != nil {
		rec.game = shownValues(r.m.Holders[model.OfGame].Stored, s.World.Values)
		rec.props = r.listsIn(r.propsIn(s.World.Props, model.OfProp), s.World.Lists, model.OfList)
		for _, scene := range r.m.Scenes {
			rec.scenes = append(rec.scenes, shownValues(r.m.Holders[model.OfScene].Stored, s.World.Scenes[scene.ID]))
		}
	}
	return rec
}

// shownValues are saved values by slot; what was not saved has its start value.
func shownValues(vars []*model.Var, saved map[string]types.Value) []types.Value {
	out := make([]types.Value, len(vars))
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
		t.cross(plan.CrossDeath, p, t.owners(p, plan.CrossDeath))
		t.touch(p)
		p.dead, p.backAt = false, 0
		t.crossReached(p, plan.CrossDeath)
		p.place = r.after(p, r.m.Place.Death.Kind)
	}
	if r.m.Single {
		t.cross(plan.CrossRestart, p, t.world(plan.CrossRestart))
		t.crossThings(plan.CrossRestart)
	}
	t.cross(plan.CrossLeave, p, t.leaving(p))
	t.crossReached(p, plan.CrossLeave)
	t.touch(p)
	p.place = r.after(p, r.m.Place.Leave.Kind)
	if r.m.Place.Leave.Kind != "exact" {
		p.entry = p.place
	}
	t.missed(p)
}

// leaving is whose state goes through the column leave: the player's own and its pairs, never the world's.
func (t *tx) leaving(p *Player) []owner {
	return slices.DeleteFunc(t.owners(p, plan.CrossLeave), func(o owner) bool { return o.player == nil })
}

func (t *tx) tellJoined(p *Player, first, back bool) error {
	scene := t.run.m.Scenes[p.place.Scene].ID
	t.cause = &Cause{Kind: "request", Moment: "join"}
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
	if !first {
		if err := t.moment("loaded", p); err != nil {
			return err
		}
		if err := t.tellMissed(p); err != nil {
			return err
		}
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "joined", Scene: scene})
	if err := t.moment("joined", p); err != nil {
		return err
	}
	t.tell(Notice{Player: p.id, To: "player", Kind: "arrived", Scene: scene})
	t.tellThings(p)
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
		t.tell(Notice{Player: p.id, To: "player", Kind: "undone", Text: err.Error(), Rule: ruleOf(err)})
	}
	t.done = len(t.queue)
	t.dropAll(p)
	t.saveMoment(p, "leave")
	if err := t.drain(); err != nil { // the rules on saved
		t.tell(Notice{Player: p.id, To: "player", Kind: "undone", Text: err.Error(), Rule: ruleOf(err)})
	}
	t.done = len(t.queue)
	t.tell(Notice{Player: p.id, To: "scene", Kind: "left", Scene: t.run.m.Scenes[p.place.Scene].ID})
	t.res.Left = append(t.res.Left, t.run.save(p))
	t.run.exit(p)
	t.run.hasLeft(p)
	t.exited = append(t.exited, p)
	t.weighForAll(t.run.m.WeighedOnMove()) // there is one player less
	t.weighForAll(t.run.m.WeighedOnOthers())
	if !t.run.m.Single {
		t.emptied(p.place.Scene)
	}
	return nil
}

// hasLeft remembers a player's arrivals: what was sent in one visit is stale in the next.
func (r *Run) hasLeft(p *Player) {
	if r.arrivals == nil {
		r.arrivals = map[string]int{}
	}
	r.arrivals[p.id] = p.arrival
}

// Save is what would be written for a present player now; nil for one who is not there.
func (r *Run) Save(player string) *save.Player {
	if p := r.players[player]; p != nil {
		return r.save(p)
	}
	return nil
}

func (r *Run) save(p *Player) *save.Player {
	s := &save.Player{Game: r.m.Plan.Game.Name, Version: r.m.Plan.Version.Value, Player: p.id, Slot: p.slot,
		Visits: p.visits, Number: p.number,
		Dead: p.dead, Place: r.placeOut(p.place), Entry: r.placeOut(p.entry), Values: r.named(r.allShown(p.vars,
			model.OfPlayer), model.OfPlayer, everything), Attic: p.attic}
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
	s.Scenes, s.Props = r.scenesOut(p.pairs, everything), r.propsOut(p.pairs, model.OfPlayerProp, everything)
	s.Lists = r.propsOut(p.pairs, model.OfPlayerList, everything)
	s.Profile = r.profileOut(p)
	s.Standings, s.Shared = r.ranksOut(p), r.shared(p)
	for i, m := range r.m.Milestones {
		if p.earned[i] {
			s.Milestones = append(s.Milestones, m.ID)
		}
	}
	s.Waymarks = r.marksOut(p.marks, func(*model.Waymark) bool { return true })
	s.Crossed = r.metOut(p.met)
	if r.m.Single {
		s.World = r.World()
	}
	return s
}

// World is what would be written for the world now.
func (r *Run) World() *save.World {
	scenes := make([][]types.Value, len(r.scenes))
	for i, s := range r.scenes {
		scenes[i] = r.allShown(s, model.OfScene)
	}
	w := r.worldOut(r.allShown(r.game, model.OfGame), scenes, r.props, everything)
	for i, m := range r.m.Movables {
		if w.Movables == nil {
			w.Movables = map[string]save.Place{}
		}
		w.Movables[m.ID] = r.placeOut(r.thingPlace(i))
		if p := r.things[i].holder; p != nil {
			if w.Held == nil {
				w.Held = map[string]string{}
			}
			w.Held[m.ID] = p.id
		}
	}
	w.Attic, w.Senders, w.Crossed, w.Standings = r.attic, r.senders, r.metOut(r.crossed), r.optionRanksOut()
	return w
}

// worldOut gives what the game and its scenes hold, of the variables that keep picks.
func (r *Run) worldOut(game []types.Value, scenes [][]types.Value, props copies,
	keep func(*model.Var) bool) *save.World {
	w := &save.World{Game: r.m.Plan.Game.Name, Version: r.m.Plan.Version.Value,
		Values: r.named(game, model.OfGame, keep), Scenes: map[string]save.Values{},
		Props: r.propsOut(props, model.OfProp, keep), Lists: r.propsOut(props, model.OfList, keep)}
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
	rewinds := func(v *model.Var) bool { return v.Fates.At(plan.CrossDeath).Kind == "rewind" }
	out := save.Record{Values: r.named(rec.player, model.OfPlayer, rewinds),
		Waymarks: r.marksOut(rec.marks, func(w *model.Waymark) bool {
			return w.Fates.At(plan.CrossDeath).Kind == "rewind"
		}),
		Scenes: r.scenesOut(rec.pairs, rewinds), Props: r.propsOut(rec.pairs, model.OfPlayerProp, rewinds),
		Lists: r.propsOut(rec.pairs, model.OfPlayerList, rewinds)}
	if rec.game != nil {
		out.World = r.worldOut(rec.game, rec.scenes, rec.props, rewinds)
	}
	return out
}

// named gives shown values by the ids of their variables.
func (r *Run) named(shown []types.Value, h model.Holder, keep func(*model.Var) bool) save.Values {
	out := make(save.Values, len(shown))
	for i, v := range r.m.Holders[h].Stored {
		if keep(v) && v.Shared == nil {
			out[v.ID] = shown[i]
		}
	}
	return out
}

func (r *Run) placeOut(p Place) save.Place {
	return save.Place{Scene: r.m.Scenes[p.Scene].ID, At: append([]fixed.Num{}, p.At[:len(r.m.Axes)]...),
		Facing: p.Facing}
}
