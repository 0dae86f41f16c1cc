package upgrade

import (
	"fmt"

	"alluvion/core/engine"
	"alluvion/core/expr"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/save"
	"alluvion/core/types"
)

// MadeUp makes saves of a plan that nobody has played: one at each edge of what it allows (the limits of each number,
// none, each option, each place, each checkpoint and milestone), and random ones from a seed. Those that break what
// always holds are left out, since no session could have written them. visit gets each, a *save.Player or a *save.World, with its name.
func MadeUp(m *model.Model, seed uint32, random int, visit func(name string, doc any) error) error {
	k := &maker{m: m, seed: seed, judge: engine.NewJudge(m, nil), visit: visit}
	k.edges()
	for i := range random {
		k.random(i + 1)
	}
	if !m.Single {
		k.worlds(random / 4)
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
		if v.Computed() || v.Shared != nil {
			continue
		}
		for _, value := range k.limits(&v.Domain, v.Stopwatch) {
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
		if v.Fates[1].Kind == "rewind" {
			p.Record.Values[v.ID] = value
		}
	case model.OfPlayerScene:
		p.Scenes = map[string]save.Values{k.sceneOf(v).ID: {v.ID: value}}
	case model.OfPlayerProp:
		if prop := k.propOf(v); prop != nil {
			p.Props = save.Props{prop.Kind.ID: {prop.ID: {v.ID: value}}}
		}
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
			w.Props = save.Props{prop.Kind.ID: {prop.ID: {v.ID: value}}}
		}
	}
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

// limits are the values at the edges of a domain.
func (k *maker) limits(d *types.Domain, stopwatch bool) []types.Value {
	var out []types.Value
	if d.Type.Optional {
		out = append(out, types.None)
	}
	switch t := &d.Type; {
	case stopwatch:
		out = append(out, types.OfInt(0), types.OfInt(360_000))
	case t.Numeric(), t.Kind == types.Seed:
		out = append(out, types.OfNum(d.Min), types.OfNum(d.Max))
	case t.Kind == types.Bool:
		out = append(out, types.OfBool(true), types.OfBool(false))
	case t.Named():
		for _, name := range t.Names {
			out = append(out, types.OfText(name))
		}
	case t.Item != nil:
		out = append(out, types.OfItems(nil))
		if full, err := d.Fit(k.list(d, d.MaxItems)); err == nil {
			out = append(out, full)
		}
	case t.Kind == types.Text:
		out = append(out, types.OfText(k.text(d, d.MinLength)), types.OfText(k.text(d, d.MaxLength)))
	case t.Kind == types.Point:
		out = append(out, k.any(d, false))
	}
	return out
}

// draw is a whole number from 0 to n - 1.
func (k *maker) draw(n int) int {
	k.draws++
	if n <= 1 {
		return 0
	}
	return int(uint64(expr.Mix(k.seed, k.draws)) * uint64(n) >> 32)
}

func (k *maker) text(d *types.Domain, length int) string {
	letters := []rune("abcdefghijklmnopqrstuvwxyz éß")
	if d.Alphabet != "" {
		if own := types.Letters(d.Alphabet, 1000); len(own) > 0 {
			letters = own
		}
	}
	out := make([]rune, min(length, 300))
	for i := range out {
		out[i] = letters[k.draw(len(letters))]
	}
	return string(out)
}

func (k *maker) list(d *types.Domain, n int) types.Value {
	var items []types.Value
	for i := range min(n, 50) {
		if t := d.Item.Type; t.Named() {
			items = append(items, types.OfText(t.Names[i%len(t.Names)]))
			continue
		}
		items = append(items, k.any(d.Item, false))
	}
	return types.OfItems(items)
}

// any is some value of a domain.
func (k *maker) any(d *types.Domain, stopwatch bool) types.Value {
	if d.Type.Optional && k.draw(4) == 0 {
		return types.None
	}
	switch t := &d.Type; {
	case stopwatch:
		return types.OfInt(k.draw(360_000))
	case t.Numeric(), t.Kind == types.Seed:
		return k.number(d)
	case t.Kind == types.Bool:
		return types.OfBool(k.draw(2) == 1)
	case t.Named():
		return types.OfText(t.Names[k.draw(len(t.Names))])
	case t.Item != nil:
		if v, err := d.Fit(k.list(d, k.draw(d.MaxItems+1))); err == nil {
			return v
		}
		return types.OfItems(nil)
	case t.Kind == types.Point:
		var items []types.Value
		for range t.Names {
			items = append(items, types.OfInt(k.draw(100)))
		}
		return types.OfItems(items)
	}
	return types.OfText(k.text(d, d.MinLength+k.draw(d.MaxLength-d.MinLength+1)))
}

// number is some number of a domain: a share of the way from its least to its greatest.
func (k *maker) number(d *types.Domain) types.Value {
	span, err := d.Max.Sub(d.Min)
	if err == nil {
		var part fixed.Num
		if part, err = span.Mul(fixed.FromNano(int64(k.draw(1_000_000_000)))); err == nil {
			part, err = part.Add(d.Min)
			if n, ok := d.Nearest(types.OfNum(part)); err == nil && ok {
				return n
			}
		}
	}
	return types.OfNum(d.Min)
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
				k.put(doc, v, k.any(&v.Domain, v.Stopwatch))
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
		for _, value := range k.limits(&v.Domain, v.Stopwatch) {
			give(fmt.Sprintf("%s is %s", v.Name, shown(value)), func(w *save.World) { k.putWorld(w, v, value) })
		}
	}
	for i := range random {
		give(fmt.Sprintf("random %d of seed %d", i+1, k.seed), func(w *save.World) {
			for _, v := range all {
				k.putWorld(w, v, k.any(&v.Domain, v.Stopwatch))
			}
		})
	}
}
