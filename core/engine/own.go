package engine

import (
	"maps"
	"slices"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// The crossings that a plan declares (rules 36 to 42). One that is set off waits behind the moment's rules; then the
// world goes through its column, and each player who crosses.

// crossOwn carries out a crossing that was set off by something about a player (nil: about nobody), and then what waits
// for it.
func (t *tx) crossOwn(c *model.OwnCrossing, p *Player) error {
	who := t.crossColumns(c, p)
	if len(c.Rules) > 0 && c.World {
		t.frame.about(nil)
		if err := t.rules(c.Rules); err != nil {
			return err
		}
	}
	for _, q := range who {
		if err := t.crossedRules(c, q); err != nil {
			return err
		}
	}
	return nil
}

// crossedRules runs what waits for a player's having crossed.
func (t *tx) crossedRules(c *model.OwnCrossing, p *Player) error {
	if !t.run.Has(p.id) {
		return nil
	}
	if !c.World && len(c.Rules) > 0 {
		t.frame.about(p)
		if err := t.rules(c.Rules); err != nil {
			return err
		}
	}
	if len(c.Each) == 0 {
		return nil
	}
	t.frame.about(p)
	return t.rules(c.Each)
}

// crossByItself is crossOwn where what sets it off cannot be refused: the crossing holds, a rule on it that fails is
// undone alone, and what it breaks is told (rule 40).
func (t *tx) crossByItself(c *model.OwnCrossing, p *Player) {
	before := t.broken()
	who := t.crossColumns(c, p)
	for _, w := range t.watches {
		if t.breaks(w) && !slices.Contains(before, w) && !slices.Contains(t.excused, w) && !t.settled {
			t.excused = append(t.excused, w)
			t.tell(Notice{Player: playerID(w.player), To: "player", Kind: "breach", Text: w.refusal().Reason})
		}
	}
	alone := func(p *Player, rules []*model.Rule) {
		for i := range rules {
			_ = t.byItself(p, func() error { // which says itself what is wrong
				t.frame.about(p)
				return t.rules(rules[i : i+1])
			})
		}
	}
	if c.World {
		alone(nil, c.Rules)
	}
	for _, q := range who {
		if !c.World {
			alone(q, c.Rules)
		}
		alone(q, c.Each)
	}
}

// crossColumns takes the world and the players through the column, in this order, and gives the players.
func (t *tx) crossColumns(c *model.OwnCrossing, p *Player) []*Player {
	r := t.run
	who := []*Player{p}
	if c.Counted(p != nil) {
		who = slices.Clone(r.order)
		r.crossed = slices.Clone(r.crossed)
		r.crossed[c.Index].count++
		r.besides = append(r.besides, "")
	}
	if c.World {
		t.crossWorld(c)
	}
	for _, q := range who {
		t.crossPlayer(c, q)
		if !c.World {
			t.tellCrossed(c, q)
		}
		if c.Counted(p != nil) {
			t.meet(q, c)
		}
	}
	return who
}

// crossWorld takes the world through a column. In a game for one player, all but the movables go with the player.
func (t *tx) crossWorld(c *model.OwnCrossing) {
	if !t.run.m.Single {
		t.cross(c.Crossing, nil, t.world(c.Crossing))
	}
	if c.Own().IsFor("game") {
		t.crossThings(c.Crossing)
	}
	t.tell(Notice{To: "everyone", Kind: "crossed", Text: c.Title(), Key: c.Text.Key, ID: c.String()})
}

// crossPlayer takes one player through a column, and the record of their checkpoint with them.
func (t *tx) crossPlayer(c *model.OwnCrossing, p *Player) { t.crossPlayerIn(c, p, true, true) }

// crossPlayerIn is crossPlayer for what a player has in the slot, or over all slots: of two slots that meet one turn of
// the calendar, the profile meets it with the first.
func (t *tx) crossPlayerIn(c *model.OwnCrossing, p *Player, slot, over bool) {
	column := c.Crossing
	owners := slices.DeleteFunc(t.owners(p, column), func(o owner) bool {
		if t.run.m.Holders[o.hold].Holder.OfProfiles() {
			return !over
		}
		return !slot
	})
	if !slot {
		t.cross(column, nil, owners)
		return
	}
	set := t.cross(column, p, owners)
	t.crossReached(p, column)
	t.crossRecord(column, p, owners, set)
	t.saveMoment(p, column.String())
}

func (t *tx) tellCrossed(c *model.OwnCrossing, p *Player) {
	t.tell(Notice{Player: p.id, To: "player", Kind: "crossed", Text: c.Title(), Key: c.Text.Key, ID: c.String()})
}

// missed takes a player who comes back through what was crossed without them, each crossing once (rule 41).
func (t *tx) missed(p *Player) {
	for _, c := range t.run.m.OwnCrossings {
		if t.run.m.Single {
			t.turned(c) // the world comes back with the player
		}
		slot := t.run.hasMissed(c, p.met)
		over := c.Own().IsFor("profile") && t.run.hasMissed(c, p.metOver)
		if !slot && !over {
			continue
		}
		t.frame.days = t.run.daysSince(c, p.met[c.Index].date)
		if !slot {
			t.frame.days = t.run.daysSince(c, p.metOver[c.Index].date)
		}
		t.crossPlayerIn(c, p, slot, over)
		if t.run.m.Single && c.Own().IsFor("game") {
			t.crossThings(c.Crossing)
		}
		t.tellCrossed(c, p)
		t.meet(p, c)
		t.late = append(t.late, late{c, t.frame.days})
	}
}

// late is a crossing that a player met in coming back.
type late struct {
	*model.OwnCrossing
	days int
}

// tellMissed runs what waits for the crossings that a player has met in coming back.
func (t *tx) tellMissed(p *Player) error {
	for _, c := range t.late {
		t.frame.days = c.days
		if t.run.m.Single && c.World {
			t.frame.about(nil)
			if err := t.rules(c.Rules); err != nil {
				return err
			}
		}
		if err := t.crossedRules(c.OwnCrossing, p); err != nil {
			return err
		}
	}
	return nil
}

// unmet is before any date: no turn of the calendar is known, as no request had a date.
const unmet = calendar.None - 1

// metByNobody is what a world that begins now has met: nothing, but for the turns that the calendar has had.
func (r *Run) metByNobody() []met {
	out := make([]met, len(r.m.OwnCrossings))
	for i, c := range r.m.OwnCrossings {
		out[i].date = r.lastTurn(c)
	}
	return out
}

// metNow is what a player has met who has missed nothing.
func (r *Run) metNow() []met {
	out := make([]met, len(r.m.OwnCrossings))
	for i, c := range r.m.OwnCrossings {
		out[i] = r.happening(c)
	}
	return out
}

// happening is the last of a crossing's that the world met.
func (r *Run) happening(c *model.OwnCrossing) met {
	if c.Calendar != nil {
		return met{date: r.crossed[c.Index].date}
	}
	return met{session: r.session, count: r.crossed[c.Index].count}
}

func (r *Run) hasMissed(c *model.OwnCrossing, all []met) bool {
	last, now := all[c.Index], r.happening(c)
	if c.Calendar != nil {
		return last.date != unmet && last.date < now.date
	}
	return last.session != now.session || last.count != now.count
}

// Missed says of each of the plan's own crossings whether somebody who is away would meet it on coming back as they were
// saved: in the slot, and then over all slots.
func (r *Run) Missed(s *save.Player) []bool {
	var out []bool
	over := s.Crossed
	if s.Profile != nil {
		over = s.Profile.Crossed
	}
	for _, saved := range []map[string]save.Met{s.Crossed, over} {
		all := r.metIn(saved, r.metNow())
		for _, c := range r.m.OwnCrossings {
			out = append(out, r.hasMissed(c, all))
		}
	}
	return out
}

// metIn are what was saved of the crossings that were met; of one that the save does not know, what is given.
func (r *Run) metIn(saved map[string]save.Met, otherwise []met) []met {
	for i, c := range r.m.OwnCrossings {
		s, ok := saved[c.String()]
		switch {
		case !ok:
		case c.Calendar == nil:
			otherwise[i] = met{session: s.Session, count: s.Count}
		default:
			date, err := calendar.Parse(s.Date)
			if s.Date == "" || err == nil {
				otherwise[i] = met{date: date}
			}
		}
	}
	return otherwise
}

// metOut are the crossings that a player met, as they are saved.
func (r *Run) metOut(all []met) map[string]save.Met {
	var out map[string]save.Met
	for i, c := range r.m.OwnCrossings {
		if c.Calendar != nil && all[i].date == unmet {
			continue
		}
		if out == nil {
			out = map[string]save.Met{}
		}
		one := save.Met{Session: all[i].session, Count: all[i].count}
		if c.Calendar != nil {
			one = save.Met{Date: all[i].date.String()}
		}
		out[c.String()] = one
	}
	return out
}

// meet notes that a player has met what the world counts.
func (t *tx) meet(p *Player, c *model.OwnCrossing) {
	t.touch(p)
	t.run.besides = append(t.run.besides, p.id)
	p.met, p.metOver = slices.Clone(p.met), slices.Clone(p.metOver)
	p.met[c.Index] = t.run.happening(c)
	p.metOver[c.Index] = p.met[c.Index]
}

// crossRecord resets and sets in a player's record what a crossing reset and set: a rewind never goes back behind it
// (rule 42).
func (t *tx) crossRecord(column plan.Crossing, p *Player, owners []owner, set []assignment) {
	r := t.run
	rewinds := func(v *model.Var) bool { return v.Fates.At(plan.CrossDeath).Kind == "rewind" }
	var rec *record // a copy, once something changes
	give := func(o owner, v *model.Var) {
		if rec == nil {
			rec = p.record.clone()
		}
		now := v.Start
		if values := r.values(o); values != nil {
			now = r.shown(v, values[v.Slot])
		}
		rec.values(r, o)[v.Slot] = now
	}
	for _, o := range owners {
		for _, v := range r.m.Holders[o.hold].Stored {
			if v.Fates.At(column).Kind == "reset" && rewinds(v) {
				give(o, v)
			}
		}
	}
	for _, a := range set {
		if rewinds(a.v) {
			give(a.owner, a.v)
		}
	}
	for i, w := range r.m.Waymarks {
		if w.Fates.At(column).Kind == "reset" && p.record.marks[i].set {
			if rec == nil {
				rec = p.record.clone()
			}
			rec.marks[i] = remembered{}
		}
	}
	if rec != nil {
		t.touch(p)
		p.record = rec
	}
}

// clone is a copy that shares nothing with the record.
func (rec *record) clone() *record {
	out := &record{player: slices.Clone(rec.player), game: slices.Clone(rec.game), marks: slices.Clone(rec.marks),
		pairs: maps.Clone(rec.pairs), props: maps.Clone(rec.props)}
	for _, c := range []copies{out.pairs, out.props} {
		for key, values := range c {
			c[key] = slices.Clone(values)
		}
	}
	for _, s := range rec.scenes {
		out.scenes = append(out.scenes, slices.Clone(s))
	}
	return out
}

// values are those of an owner in the record, to be changed.
func (rec *record) values(r *Run, o owner) []types.Value {
	lazy := func(c *copies) []types.Value {
		key := copyKey{o.hold, o.at}
		if (*c)[key] == nil {
			if *c == nil {
				*c = copies{}
			}
			(*c)[key] = shownValues(r.m.Holders[o.hold].Stored, nil)
		}
		return (*c)[key]
	}
	switch h := r.m.Holders[o.hold].Holder; {
	case h == model.OfPlayer:
		return rec.player
	case h == model.OfScene:
		return rec.scenes[o.at]
	case h == model.OfGame:
		return rec.game
	case h == model.OfProp || h == model.OfList:
		return lazy(&rec.props)
	}
	return lazy(&rec.pairs)
}
