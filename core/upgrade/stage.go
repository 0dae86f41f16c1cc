package upgrade

import (
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// A stage reads the old document and writes the new one: every table that it changes is made anew, so that what it
// reads is as it was, whatever came first.
// player takes a player's save up by one upgrade.
func (s *stage) player(l *save.Loose, around *Around, out *Loaded) error {
	before := *l
	was := *l.Player
	before.Player = &was
	e := &env{stage: s, player: &before, world: before.World, around: around}
	h := s.hand(e, l.Made, was.Attic, out)
	l.Values = h.values(copyOf{space: "player", owner: "player", pointer: "/values"}, before.Values)
	if err := h.arrivals(l); err != nil {
		return err
	}
	l.Scenes = h.scenes("player.scenes.", "/scenes", before.Scenes)
	l.Props = h.props("player.props.", "/props", before.Props)
	l.Lists = h.intoOptions(h.restoredOptions("player.lists.",
		h.copies("player.lists.", "/lists", playersOf, before.Lists)))
	l.Values = h.kept(h.chain.m.Holders[model.OfPlayer], "player", l.Values)
	h.marks(l)
	l.Crossed = renamedKeys(s, "crossings", l.Crossed)
	l.Attic = h.attic
	l.Record = h.record(e, &before.Record)
	if before.World != nil {
		world := *before.World
		if err := s.worldWith(e, &world, out); err != nil {
			return err
		}
		l.World = &world
	}
	l.Made, l.Version = h.made, s.version
	return nil
}

// profile takes what a player has over all slots up by one upgrade.
func (s *stage) profile(l *save.LooseProfile, out *Loaded) {
	before := *l
	e := &env{stage: s, profile: &before, around: &Around{}}
	h := s.hand(e, l.Made, l.Attic, out)
	l.Values = h.values(copyOf{space: "profile", owner: "profile", pointer: "/values"}, before.Values)
	l.Lists = h.restoredOptions("profile.lists.", h.copies("profile.lists.", "/lists",
		func(l *model.List) *model.Holding {
			return l.Profile
		}, before.Lists))
	l.Values = h.kept(h.chain.m.Profile, "profile", l.Values)
	one := *l.Profile
	one.Crossed = renamedKeys(s, "crossings", one.Crossed)
	one.Attic, one.Version = h.attic, s.version
	l.Profile, l.Made = &one, h.made
}

// playersOf and ownOf are what players have for the options of a list, and what the options have.
func playersOf(l *model.List) *model.Holding { return l.Players }
func ownOf(l *model.List) *model.Holding     { return l.Own }

// world takes a world's save up by one upgrade.
func (s *stage) world(w *save.LooseWorld, around *Around, out *Loaded) error {
	before := *w
	was := *w.World
	before.World = &was
	return s.worldWith(&env{stage: s, world: &before, around: around}, w, out)
}

// worldWith writes w anew from the world that e reads.
func (s *stage) worldWith(e *env, w *save.LooseWorld, out *Loaded) error {
	before := e.world
	doc := *before.World
	w.World = &doc // before keeps its own
	h := s.hand(e, before.Made, doc.Attic, out)
	w.Values = h.values(copyOf{space: "game", owner: "game", pointer: "/values"}, before.Values)
	if err := h.worldArrivals(w); err != nil {
		return err
	}
	w.Scenes = h.scenes("scenes.", "/scenes", before.Scenes)
	w.Props = h.props("prop.", "/props", before.Props)
	w.Lists = h.restoredOptions("lists.", h.copies("lists.", "/lists", ownOf, before.Lists))
	w.Values = h.kept(h.chain.m.Holders[model.OfGame], "game", w.Values)
	w.Crossed = renamedKeys(s, "crossings", w.Crossed)
	w.Standings = h.rankings(w.Standings)
	w.Movables = map[string]save.Place{}
	for id, at := range renamedKeys(s, "movables", before.Movables) {
		w.Movables[id] = s.place(at)
	}
	w.Held = renamedKeys(s, "movables", before.Held)
	h.dropped("movables", func(id string) (jsontext.Value, bool) {
		at, ok := w.Movables[id]
		delete(w.Movables, id)
		if w.Held != nil {
			w.Held = maps.Clone(w.Held)
			delete(w.Held, id)
		}
		return encoded(at), ok
	})
	w.Attic, w.Made, w.Version = h.attic, h.made, s.version
	return nil
}

func encoded(doc any) jsontext.Value {
	raw, err := save.Encode(doc)
	if err != nil {
		return jsontext.Value("null")
	}
	return raw
}

// hand is what writes one document, or the record in it.
type hand struct {
	*stage
	env      *env
	made     map[string]bool
	attic    save.Attic
	out      *Loaded
	arrived  []inOption // what becomes what the player has for options of lists
	ofRecord bool       // of a checkpoint: nothing of it is kept in an attic
}

func (s *stage) hand(e *env, made map[string]bool, attic save.Attic, out *Loaded) *hand {
	h := &hand{stage: s, env: e, made: maps.Clone(made), attic: maps.Clone(attic), out: out}
	if h.made == nil {
		h.made = map[string]bool{}
	}
	if h.attic == nil {
		h.attic = save.Attic{}
	}
	return h
}

// copyOf is one holder's values in a save.
type copyOf struct {
	space   string // player, game, scene, prop.kind
	owner   string // their name in the attic: player, scenes.ridge
	pointer string
	scene   string // where the holder is a scene, alone or with a player
	kind    string // where it is a prop
	prop    string
	list    string // where it is an option of a list
	option  string
}

// keep puts what is given up into the attic; only a restore brings it back.
func (h *hand) keep(name string, value jsontext.Value, why string) {
	if !h.ofRecord {
		h.attic[name] = save.KeptAs(h.version-1, value, why)
	}
}

// values writes what one holder has.
func (h *hand) values(of copyOf, old save.LooseValues) save.LooseValues {
	ops := h.ops[of.space]
	if len(ops) == 0 {
		return old
	}
	h.env.of, h.env.values = of, old
	out := maps.Clone(old)
	if out == nil {
		out = save.LooseValues{}
	}
	for _, o := range ops {
		h.remove(o, of, old, out)
	}
	for _, o := range ops {
		h.write(o, of, old, out)
	}
	for _, o := range ops {
		if o.step.Verb == "fill" {
			h.fill(o, of, out)
		}
	}
	return out
}

// remove takes away what a step uses up.
func (h *hand) remove(o *op, of copyOf, old, out save.LooseValues) {
	switch o.step.Verb {
	case "merge":
		for _, from := range o.step.From {
			_, id := space(from.Value)
			delete(out, id)
		}
	case "drop", "move":
		each(old, o.from, func(id, _ string, raw jsontext.Value) {
			delete(out, id)
			h.keep(of.owner+"."+id, raw, o.why)
		})
	case "rename", "convert", "options", "split":
		each(old, o.from, func(id, _ string, _ jsontext.Value) { delete(out, id) })
	}
}

// each visits the values of a name: its own, or those of a group's fields.
func each(values save.LooseValues, name string, visit func(id, rest string, raw jsontext.Value)) {
	if raw, ok := values[name]; ok {
		visit(name, "", raw)
		return
	}
	for id, raw := range values {
		if rest, ok := strings.CutPrefix(id, name+"."); ok {
			visit(id, "."+rest, raw)
		}
	}
}

// write does what a step says with a value that is there.
func (h *hand) write(o *op, of copyOf, old, out save.LooseValues) {
	switch o.step.Verb {
	case "rename":
		if h.otherwise(o.from, of.space) {
			return // another step says what becomes of it
		}
		each(old, o.from, func(id, rest string, raw jsontext.Value) {
			out[o.to+rest] = raw
			if h.made[of.owner+"."+id] {
				h.made[of.owner+"."+o.to+rest] = true
			}
		})
	case "convert":
		if raw, ok := old[o.from]; ok {
			h.put(o.step.To, o.to, of, raw, out)
		}
	case "options":
		if raw, ok := old[o.from]; ok {
			out[o.to] = mapped(raw, o.step.Map)
		}
	case "split":
		if raw, ok := old[o.from]; ok {
			for _, row := range o.step.Into.Table {
				_, to := space(row.Name.Value)
				h.put(row.To, to, of, raw, out)
			}
		}
	case "merge":
		some := slices.ContainsFunc(o.step.From, func(from plan.Given[string]) bool {
			_, id := space(from.Value)
			_, has := old[id]
			return has
		})
		if some {
			h.put(o.step.To, o.to, of, nil, out)
		}
	case "restore":
		h.restore(o, of, out)
	}
}

// otherwise says whether a step besides a rename says what becomes of an old name.
func (h *hand) otherwise(from, space string) bool {
	return slices.ContainsFunc(h.ops[space], func(o *op) bool {
		return o.from == from && (o.step.Verb == "convert" || o.step.Verb == "options")
	})
}

// put writes what an expression says. None stays none.
func (h *hand) put(x plan.Expr, to string, of copyOf, raw jsontext.Value, out save.LooseValues) {
	if string(raw) == "null" {
		out[to] = raw
		return
	}
	value, err := h.env.eval(x, raw)
	if err != nil {
		h.fail(x, of, to, raw, err)
		return
	}
	text, _ := value.MarshalJSON()
	out[to] = text
	h.made[of.owner+"."+to] = true
}

// fail tells that an upgrade could not do what it says with a value, and keeps the value.
func (h *hand) fail(x plan.Expr, of copyOf, to string, raw jsontext.Value, err error) {
	h.out.Problems = append(h.out.Problems, save.Impossible(h.chain.m, of.pointer+"/"+to, of.owner+"."+to,
		"the upgrade to version "+itoa(h.version)+" cannot tell what it becomes (line "+itoa(x.Line)+" of the plan): "+err.Error()))
	if raw != nil {
		h.keep(of.owner+"."+to, raw, "the upgrade to version "+itoa(h.version)+" could not tell what it becomes")
	}
}

func (h *hand) fill(o *op, of copyOf, out save.LooseValues) {
	if raw, ok := out[o.to]; ok && string(raw) != "null" {
		return
	}
	if value, err := h.env.eval(o.step.To, nil); err != nil {
		h.fail(o.step.To, of, o.to, nil, err)
	} else if !value.IsNone() {
		out[o.to], _ = value.MarshalJSON()
		h.made[of.owner+"."+o.to] = true
	}
}

// restore brings back what the attic holds.
func (h *hand) restore(o *op, of copyOf, out save.LooseValues) {
	name := of.owner + "." + o.to
	kept, ok := h.attic.Get(name)
	if !ok || h.ofRecord {
		return
	}
	delete(h.attic, name)
	if o.step.To.Given() {
		h.put(o.step.To, o.to, of, jsontext.Value(kept.Value), out)
		return
	}
	out[o.to] = jsontext.Value(kept.Value)
}

// mapped gives options their new names; of a list or a set each item.
func mapped(raw jsontext.Value, names plan.Map[plan.ID]) jsontext.Value {
	var v types.Value
	if v.UnmarshalJSON(raw) != nil {
		return raw
	}
	to := func(v types.Value) types.Value {
		if v.Kind == types.IsText {
			if now := names.Get(v.Text); now != nil {
				return types.OfText(now.Name)
			}
		}
		return v
	}
	if v.Kind == types.IsList {
		items := v.Items()
		for i := range items {
			items[i] = to(items[i])
		}
		v = types.OfItems(items)
	} else {
		v = to(v)
	}
	out, _ := v.MarshalJSON()
	return out
}

// scenes writes what each scene has, alone or with a player.
func (h *hand) scenes(owner, pointer string, old save.LooseScenes) save.LooseScenes {
	if len(h.names["scenes"])+len(h.drops["scenes"])+len(h.ops["scene"]) == 0 {
		return old
	}
	out := save.LooseScenes{}
	for scene, values := range renamedKeys(h.stage, "scenes", old) {
		out[scene] = values
	}
	for scene, values := range old {
		now := h.renamed("scenes", scene)
		out[now] = h.values(copyOf{space: "scene", owner: owner + now, pointer: pointer + "/" + now, scene: scene},
			values)
	}
	for scene, why := range h.drops["scenes"] {
		for id, raw := range old[scene] {
			h.keep(owner+scene+"."+id, raw, why)
		}
		if _, again := old[scene]; again && h.renamed("scenes", scene) == scene {
			delete(out, scene)
		}
	}
	return out
}

// props writes what each prop has, alone or with a player.
func (h *hand) props(owner, pointer string, old save.LooseProps) save.LooseProps {
	touched := len(h.names["props"]) + len(h.drops["props"])
	for name := range h.ops {
		if strings.HasPrefix(name, "prop.") {
			touched++
		}
	}
	if touched == 0 {
		return old
	}
	out := save.LooseProps{}
	for kind, each := range old {
		for prop, values := range each {
			k, id := h.prop(kind, prop)
			if why, gone := h.drops["props"][kind]; gone || h.drops["props"][kind+"."+prop] != "" {
				for name, raw := range values {
					h.keep(owner+kind+"."+prop+"."+name, raw, why+h.drops["props"][kind+"."+prop])
				}
				continue
			}
			if out[k] == nil {
				out[k] = map[string]save.LooseValues{}
			}
			of := copyOf{space: "prop." + kind, owner: owner + k + "." + id, pointer: pointer + "/" + k + "/" + id,
				kind: kind, prop: prop}
			out[k][id] = h.values(of, values)
		}
	}
	return out
}

// prop is what a prop is called now.
func (h *hand) prop(kind, id string) (string, string) {
	if to, ok := h.names["props"][kind+"."+id]; ok {
		k, now, _ := strings.Cut(to, ".")
		return k, now
	}
	return h.renamed("props", kind), id
}

// record writes what rewinds at death: it is read with the player's other values behind it.
func (h *hand) record(e *env, old *save.LooseRecord) save.LooseRecord {
	in := *h
	in.ofRecord = true
	overlay := *e.player
	overlay.Values = maps.Clone(e.player.Values)
	if overlay.Values == nil {
		overlay.Values = save.LooseValues{}
	}
	maps.Copy(overlay.Values, old.Values)
	in.env = &env{stage: h.stage, player: &overlay, world: e.world, around: e.around}
	out := save.LooseRecord{Values: in.values(copyOf{space: "player", owner: "player", pointer: "/record/values"},
		old.Values), Scenes: in.scenes("player.scenes.", "/record/scenes", old.Scenes),
		Props: in.props("player.props.", "/record/props", old.Props),
		Lists: in.copies("player.lists.", "/record/lists", playersOf, old.Lists), Waymarks: in.marked(old.Waymarks)}
	out.Values = in.kept(h.chain.m.Holders[model.OfPlayer], "player", out.Values)
	if old.World != nil {
		world := *old.World
		w := *old.World.World
		world.World = &w
		in.env.world = old.World
		world.Values = in.values(copyOf{space: "game", owner: "game", pointer: "/record/world/values"},
			old.World.Values)
		world.Scenes, world.Props = in.scenes("scenes.", "/record/world/scenes", old.World.Scenes),
			in.props("prop.", "/record/world/props", old.World.Props)
		world.Lists = in.copies("lists.", "/record/world/lists", ownOf, old.World.Lists)
		world.Values = in.kept(h.chain.m.Holders[model.OfGame], "game", world.Values)
		out.World = &world
	}
	return out
}
