package upgrade

import (
	"errors"
	"maps"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

func itoa(n int) string { return strconv.Itoa(n) }

// arrivals writes what moves to a player: from the world, from what they have for scenes, or to a commons.
func (h *hand) arrivals(l *save.Loose) error {
	for _, o := range h.fromWorld {
		target, _ := space(o.step.Into.Name.Value)
		if target != "player" {
			continue
		}
		from, err := h.cameFrom(o)
		if err != nil {
			return err
		}
		l.Values = h.arrive(o, from, "player", l.Values)
	}
	for _, o := range h.ops["player"] {
		if o.step.Verb == "move" {
			h.toCommons(o)
			h.toProfile(o)
			h.toOption(o, l)
		}
	}
	return nil
}

// cameFrom are the values that become one of a player's: the game's, their profile's, what they have for scenes, or for
// an option of a list.
func (h *hand) cameFrom(o *op) ([]types.Value, error) {
	var v types.Value
	ok := false
	switch source, _ := space(o.step.Move.Value); source {
	case "game":
		var err error
		if v, ok, err = h.env.gameWas(o.from); err != nil {
			return nil, err
		}
	case "scene":
		return allOf(h.env.player.Scenes, o.from), nil
	case "profile":
		v, ok = h.env.profileWas(o)
	default:
		option, id, _ := strings.Cut(o.from, ".")
		raw := h.env.player.Lists[source][option][id]
		ok = raw != nil && v.UnmarshalJSON(raw) == nil
	}
	if !ok || v.IsNone() {
		return nil, nil
	}
	return []types.Value{v}, nil
}

// profileWas is what a player had over all slots. The profile is upgraded before the slots, so that it has put aside what
// goes to them.
func (e *env) profileWas(o *op) (types.Value, bool) {
	var v types.Value
	if e.around.Profile == nil {
		return v, false
	}
	kept, had := e.around.Profile.Attic.Get("profile." + o.from)
	ok := had && kept.Why == o.whyMoved() && kept.Version == e.stage.version-1
	return v, ok && v.UnmarshalJSON(kept.Value) == nil
}

// NeedsProfile says whether a save is loaded with what its player has over all slots: the plan has something of it, or an
// upgrade takes something from it.
func (c *Chain) NeedsProfile() bool { return c.m.HasProfile() || c.FromProfile() }

// FromProfile says whether an upgrade takes anything from what players have over all slots to their slots.
func (c *Chain) FromProfile() bool {
	for i := range c.m.Plan.Upgrades {
		for _, x := range c.m.Plan.Upgrades[i].Steps {
			if x.Verb == "move" && strings.HasPrefix(x.Move.Value, "profile.") {
				return true
			}
		}
	}
	return false
}

// toProfile takes a player's value to what they have over all slots, where that is where it goes: many says what
// becomes of it and of what is there already, as each slot is upgraded.
func (h *hand) toProfile(o *op) {
	v := h.chain.m.Var(o.step.Into.Name.Value)
	raw, ok := h.env.player.Values[o.from]
	var value types.Value
	if v == nil || v.Holder != model.OfProfile || !ok || value.UnmarshalJSON(raw) != nil || value.IsNone() {
		return
	}
	all := []types.Value{value}
	if p := h.env.around.Profile; p != nil {
		if now, has := p.Values[v.ID]; has && !now.IsNone() && now != v.Start {
			all = append([]types.Value{now}, all...)
		}
	}
	if one := h.become(o, v, all); one != nil {
		h.out.Over = append(h.out.Over, *one)
	}
}

// become makes one value of those that come to a variable; nil where none of it fits, which is told.
func (h *hand) become(o *op, v *model.Var, all []types.Value) *Moved {
	one, err := chosen(all, o.step.Many.Value)
	if err == nil {
		one, err = v.Fit(one)
	}
	if err != nil {
		h.out.Problems = append(h.out.Problems, save.Impossible(h.chain.m, "/values/"+o.from, o.step.Move.Value,
			"it cannot go to "+v.Name+": "+err.Error()))
		return nil
	}
	return &Moved{v, one}
}

// toOption makes a player's value what they have for one option of a list, where the step says one.
func (h *hand) toOption(o *op, l *save.Loose) {
	parts := strings.SplitN(o.step.Into.Name.Value, ".", 3)
	raw, ok := h.env.player.Values[o.from]
	if len(parts) < 3 || h.chain.m.List(parts[0]) == nil || !ok {
		return
	}
	h.arrived = append(h.arrived, inOption{parts[0], parts[1], parts[2], raw})
}

// inOption is a value that becomes one of an option of a list.
type inOption struct {
	list, option, id string
	raw              jsontext.Value
}

// intoOptions writes what arrives there.
func (h *hand) intoOptions(lists save.LooseProps) save.LooseProps {
	if len(h.arrived) == 0 {
		return lists
	}
	out := save.LooseProps{}
	for list, options := range lists {
		out[list] = map[string]save.LooseValues{}
		for option, values := range options {
			out[list][option] = maps.Clone(values)
		}
	}
	for _, x := range h.arrived {
		if out[x.list] == nil {
			out[x.list] = map[string]save.LooseValues{}
		}
		if out[x.list][x.option] == nil {
			out[x.list][x.option] = save.LooseValues{}
		}
		out[x.list][x.option][x.id] = x.raw
		h.made["player.lists."+x.list+"."+x.option+"."+x.id] = true
	}
	return out
}

// toCommons takes a player's value to a commons, where that is where it goes.
func (h *hand) toCommons(o *op) {
	v := h.chain.m.Var(o.step.Into.Name.Value)
	if v == nil || v.Shared == nil || !v.Shared.Mine {
		return
	}
	raw, ok := h.env.player.Values[o.from]
	var value types.Value
	if !ok || value.UnmarshalJSON(raw) != nil || value.IsNone() {
		return
	}
	all := []types.Value{value}
	if h.env.around.Shared != nil {
		if now, has := h.env.around.Shared(v.Name); has && !now.IsNone() && now != v.Start {
			all = append([]types.Value{now}, all...)
		}
	}
	if one := h.become(o, v, all); one != nil {
		h.out.Moved = append(h.out.Moved, *one)
	}
}

// worldArrivals writes what moves to the game: from scenes, or from players.
func (h *hand) worldArrivals(w *save.LooseWorld) error {
	for _, o := range h.fromWorld {
		if target, _ := space(o.step.Into.Name.Value); target == "game" {
			w.Values = h.arrive(o, allOf(h.env.world.Scenes, o.from), "game", w.Values)
		}
	}
	for _, o := range h.fromPlayers {
		from, err := h.fromAll(o)
		if err != nil {
			return err
		}
		w.Values = h.arrive(o, from, "game", w.Values)
	}
	return nil
}

// allOf are the values of a name in every scene, by scene.
func allOf(scenes save.LooseScenes, id string) []types.Value {
	var out []types.Value
	for _, scene := range sortedKeys(scenes) {
		var v types.Value
		if raw, ok := scenes[scene][id]; ok && v.UnmarshalJSON(raw) == nil && !v.IsNone() {
			out = append(out, v)
		}
	}
	return out
}

// fromAll are the values that players have of what moves to the game. Whose save was upgraded before has it in the
// attic.
func (h *hand) fromAll(o *op) ([]types.Value, error) {
	var out []types.Value
	take := func(l *save.Loose) error {
		if l.Version < h.version-1 {
			if err := h.chain.raise(l, h.version-1, h.env.around, &Loaded{}); err != nil {
				return err
			}
		}
		raw, ok := l.Values[o.from]
		if l.Version >= h.version {
			kept, had := l.Attic.Get("player." + o.from)
			raw, ok = jsontext.Value(kept.Value), had && kept.Why == o.whyMoved() && kept.Version == h.version-1
		}
		var v types.Value
		if ok && v.UnmarshalJSON(raw) == nil && !v.IsNone() {
			out = append(out, v)
		}
		return nil
	}
	if h.env.player != nil { // the world is part of the player's own save
		return out, take(h.env.player)
	}
	if h.env.around.Players == nil {
		return nil, nil
	}
	err := h.env.around.Players(take)
	return out, err
}

func (o *op) whyMoved() string { return "it went to " + o.step.Into.Name.Value }

// arrive writes the one value that comes of many.
func (h *hand) arrive(o *op, from []types.Value, owner string, out save.LooseValues) save.LooseValues {
	if len(from) == 0 {
		return out
	}
	value, err := chosen(from, o.step.Many.Value)
	if err != nil {
		h.fail(plan.Expr{At: o.step.At}, copyOf{owner: owner, pointer: "/values"}, o.to, nil, err)
		return out
	}
	next := save.LooseValues{}
	for id, raw := range out {
		next[id] = raw
	}
	next[o.to], _ = value.MarshalJSON()
	h.made[owner+"."+o.to] = true
	return next
}

var errNoNumber = errors.New("only numbers can be added up or checked against one another")

// chosen is the one value that comes of many.
func chosen(from []types.Value, many string) (types.Value, error) {
	out := from[0]
	if many == "" || many == "first" {
		return out, nil
	}
	for i, v := range from {
		if v.Kind != types.IsNum {
			return out, errNoNumber
		}
		switch {
		case i == 0:
		case many == "sum":
			n, err := out.Num.Add(v.Num)
			if err != nil {
				return out, err
			}
			out = types.OfNum(n)
		case many == "max" == out.Num.Less(v.Num):
			if out.Num != v.Num {
				out = v
			}
		}
	}
	return out, nil
}

// gameWas is what the world holds, or held before it was upgraded.
func (e *env) gameWas(id string) (types.Value, bool, error) {
	w := e.world
	if w == nil && e.around.World != nil {
		var err error
		if w, err = e.around.World(); err != nil {
			return types.None, false, err
		}
		if w != nil && w.Version < e.stage.version-1 {
			copied := *w
			if err := e.stage.chain.raiseWorld(&copied, e.stage.version-1, e.around, &Loaded{}); err != nil {
				return types.None, false, err
			}
			w = &copied
		}
	}
	if w == nil {
		return types.None, false, nil
	}
	raw, ok := w.Values[id]
	if w.Version >= e.stage.version {
		kept, had := w.Attic.Get("game." + id)
		raw, ok = jsontext.Value(kept.Value), had && strings.HasPrefix(kept.Why, "it went to ") &&
			kept.Version == e.stage.version-1
	}
	var v types.Value
	return v, ok && v.UnmarshalJSON(raw) == nil && !v.IsNone(), nil
}
