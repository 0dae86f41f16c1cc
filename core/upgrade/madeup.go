package upgrade

import (
	"fmt"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// MadeUp makes saves of a plan that nobody has played: one at each edge of what it allows (the limits of each number,
// none, each option, each place, each checkpoint and milestone), and random ones from a seed. Those that break what
// always holds are left out, since no session could have written them. visit gets each, a *save.Player or a
// *save.World, with its name.
func MadeUp(m *model.Model, seed uint32, random int, visit func(name string, doc any) error) error {
	k := &maker{m: m, seed: seed, judge: engine.NewJudge(m, nil), visit: visit}
	k.edges()
	for i := range random {
		k.random(i + 1)
	}
	if !m.Single {
		k.worlds(random / 4)
	}
	if m.HasProfile() {
		k.profiles(random / 4)
	}
	return k.err
}

// maker makes saves up.
type maker struct {
	m     *model.Model
	seed  uint32
	draws uint32
	judge *engine.Judge
	visit func(string, any) error
	err   error
}

// fresh is the save of somebody who has just begun.
func (k *maker) fresh() *save.Player {
	r := engine.Open(k.m, k.seed)
	if _, err := r.Step(&engine.Request{Do: "join", Player: "generated", Slot: 1, Server: true}); err != nil {
		k.fail(fmt.Errorf("nobody can begin under version %d: %w", k.m.Plan.Version.Value, err))
		return nil
	}
	return r.Save("generated")
}

func (k *maker) fail(err error) {
	if k.err == nil {
		k.err = err
	}
}

// give hands a save out, unless nobody could have it.
func (k *maker) give(name string, change func(*save.Player)) {
	doc := k.fresh()
	if doc == nil || k.err != nil {
		return
	}
	change(doc)
	if len(k.judge.Player(doc, false)) == 0 {
		k.fail(k.visit(name, doc))
	}
}

func (k *maker) edges() {
	k.give("as it begins", func(*save.Player) {})
	for _, v := range k.m.Vars {
		if v.Computed() || v.Shared != nil || v.Holder.OfProfiles() {
			continue
		}
		for _, value := range v.Edges(k.draw) {
			k.give(fmt.Sprintf("%s is %s", v.Name, shown(value)), func(p *save.Player) { k.put(p, v, value) })
		}
	}
	for _, s := range k.m.Scenes {
		k.give("at the first point of "+s.ID, func(p *save.Player) { k.at(p, s, s.Lo) })
		k.give("at the last point of "+s.ID, func(p *save.Player) { k.at(p, s, s.Nearest(s.Hi, k.m.Step)) })
	}
	for _, c := range k.m.Checkpoints {
		k.give("has reached "+c.ID, func(p *save.Player) { k.reach(p, c) })
	}
	for _, x := range k.m.Milestones {
		k.give("has earned "+x.ID, func(p *save.Player) { p.Milestones = []string{x.ID} })
	}
	for _, w := range k.m.Waymarks {
		k.give("remembers "+w.ID, func(p *save.Player) { p.Waymarks = map[string]save.Place{w.ID: p.Place} })
	}
	k.give("is dead", func(p *save.Player) { p.Dead = true })
}

// put writes a value where a save has it. What the world holds is in a player's save only where that player plays
// alone.
func (k *maker) put(p *save.Player, v *model.Var, value types.Value) {
	switch v.Holder {
	case model.OfPlayer:
		p.Values[v.ID] = value
		if v.Fates.At(plan.CrossDeath).Kind == "rewind" {
			p.Record.Values[v.ID] = value
		}
	case model.OfPlayerScene:
		p.Scenes = with(p.Scenes, k.sceneOf(v).ID, v.ID, value)
	case model.OfPlayerProp:
		if prop := k.propOf(v); prop != nil {
			p.Props = withCopy(p.Props, prop.Kind.ID, prop.ID, v.ID, value)
		}
	case model.OfPlayerList:
		p.Lists = k.listed(p.Lists, v, value)
	default:
		if p.World != nil {
			k.putWorld(p.World, v, value)
		}
	}
}

func (k *maker) putWorld(w *save.World, v *model.Var, value types.Value) {
	switch v.Holder {
	case model.OfGame:
		w.Values[v.ID] = value
	case model.OfScene:
		if s := k.sceneOf(v); w.Scenes[s.ID] != nil {
			w.Scenes[s.ID][v.ID] = value
		}
	case model.OfProp:
		if prop := k.propOf(v); prop != nil {
			w.Props = withCopy(w.Props, prop.Kind.ID, prop.ID, v.ID, value)
		}
	case model.OfList:
		w.Lists = k.listed(w.Lists, v, value)
	}
}

// listed adds a value of one option of a list.
func (k *maker) listed(all save.Props, v *model.Var, value types.Value) save.Props {
	l := v.Hold.List
	return withCopy(all, l.ID, l.Options[k.draw(len(l.Options))].ID, v.ID, value)
}

// with adds a value of one of many.
func with(all map[string]save.Values, of, id string, value types.Value) map[string]save.Values {
	if all == nil {
		all = map[string]save.Values{}
	}
	if all[of] == nil {
		all[of] = save.Values{}
	}
	all[of][id] = value
	return all
}

// withCopy adds a value of one of many of a kind or a list.
func withCopy(all save.Props, kind, of, id string, value types.Value) save.Props {
	if all == nil {
		all = save.Props{}
	}
	all[kind] = with(all[kind], of, id, value)
	return all
}

// shown is a value as people read it; a text that is long, or nothing, in quotes.
func shown(v types.Value) string {
	text := v.Plain()
	if r := []rune(text); len(r) > 30 {
		return fmt.Sprintf("%q (%d characters)", string(r[:12])+"…", len(r))
	}
	if text == "" {
		return `""`
	}
	return text
}

func (k *maker) sceneOf(v *model.Var) *model.Scene {
	for _, s := range k.m.Scenes {
		if v.In == nil || v.In[s] {
			return s
		}
	}
	return k.m.Scenes[0]
}

func (k *maker) propOf(v *model.Var) *model.Prop {
	if props := v.Hold.Kind.Props; len(props) > 0 {
		return props[0]
	}
	return nil
}

func (k *maker) at(p *save.Player, s *model.Scene, at [model.MaxAxes]fixed.Num) {
	p.Place = save.Place{Scene: s.ID, At: append([]fixed.Num{}, at[:len(k.m.Axes)]...), Facing: p.Place.Facing}
	p.Entry = p.Place
}

func (k *maker) reach(p *save.Player, c *model.Checkpoint) {
	p.Checkpoint, p.Used = c.ID, []string{c.ID}
	if c.Area != nil {
		back := p.Place
		p.Back = &back
	}
}

// draw is a whole number from 0 to n - 1.
func (k *maker) draw(n int) int {
	k.draws++
	if n <= 1 {
		return 0
	}
	return int(uint64(expr.Mix(k.seed, k.draws)) * uint64(n) >> 32)
}

// random makes a save in which everything is anything. Where that breaks what always holds, it is tried anew a few
// times with less changed.
func (k *maker) random(n int) {
	for try := range 4 {
		doc := k.fresh()
		if doc == nil || k.err != nil {
			return
		}
		for _, v := range k.m.Vars {
			if !v.Computed() && v.Shared == nil && k.draw(try+1) == 0 {
				k.put(doc, v, v.Some(k.draw))
			}
		}
		s := k.m.Scenes[k.draw(len(k.m.Scenes))]
		at := s.Lo
		for i := range s.Size {
			part, _ := s.Size[i].Mul(fixed.FromNano(int64(k.draw(1_000_000_000))))
			at[i], _ = s.Lo[i].Add(part)
		}
		k.at(doc, s, s.Nearest(at, k.m.Step))
		if len(k.m.Checkpoints) > 0 && k.draw(2) == 0 {
			k.reach(doc, k.m.Checkpoints[k.draw(len(k.m.Checkpoints))])
		}
		doc.Dead = k.draw(8) == 0
		for _, x := range k.m.Milestones {
			if k.draw(2) == 0 {
				doc.Milestones = append(doc.Milestones, x.ID)
			}
		}
		if len(k.judge.Player(doc, false)) == 0 {
			k.fail(k.visit(fmt.Sprintf("random %d of seed %d", n, k.seed), doc))
			return
		}
	}
}

// profiles are what players have over all slots: at each edge, and some random ones.
func (k *maker) profiles(random int) {
	give := func(name string, change func(*save.Profile)) {
		doc := k.fresh()
		if doc == nil || doc.Profile == nil || k.err != nil {
			return
		}
		change(doc.Profile)
		k.fail(k.visit("profile: "+name, doc.Profile))
	}
	put := func(p *save.Profile, v *model.Var, value types.Value) {
		if v.Holder == model.OfProfileList {
			p.Lists = k.listed(p.Lists, v, value)
		} else {
			p.Values[v.ID] = value
		}
	}
	give("as it begins", func(*save.Profile) {})
	var all []*model.Var
	for _, v := range k.m.Vars {
		if v.Computed() || !v.Holder.OfProfiles() {
			continue
		}
		all = append(all, v)
		for _, value := range v.Edges(k.draw) {
			give(fmt.Sprintf("%s is %s", v.Name, shown(value)), func(p *save.Profile) { put(p, v, value) })
		}
	}
	for i := range random {
		give(fmt.Sprintf("random %d of seed %d", i+1, k.seed), func(p *save.Profile) {
			for _, v := range all {
				put(p, v, v.Some(k.draw))
			}
		})
	}
}

// worlds are those of a game in which they lie in no player's save: at each edge, and some random ones.
func (k *maker) worlds(random int) {
	give := func(name string, change func(*save.World)) {
		if k.err == nil {
			w := engine.Open(k.m, k.seed).World()
			change(w)
			k.fail(k.visit("world: "+name, w))
		}
	}
	give("as it begins", func(*save.World) {})
	var all []*model.Var
	for _, v := range k.m.Vars {
		if v.Computed() || v.Holder.OfPlayers() {
			continue
		}
		all = append(all, v)
		for _, value := range v.Edges(k.draw) {
			give(fmt.Sprintf("%s is %s", v.Name, shown(value)), func(w *save.World) { k.putWorld(w, v, value) })
		}
	}
	for i := range random {
		give(fmt.Sprintf("random %d of seed %d", i+1, k.seed), func(w *save.World) {
			for _, v := range all {
				k.putWorld(w, v, v.Some(k.draw))
			}
		})
	}
}
