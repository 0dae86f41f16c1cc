package model

import (
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// scopes are the names that expressions can read, by what they are about.
type scopes struct {
	player expr.Names // about a player
	world  expr.Names // about nobody: a server's event
	scene  expr.Names // about a scene: the fates of what it holds
}

// of gives the names that a holding's own expressions can read: its computed variables and its fates.
func (s scopes) of(h *Holding) expr.Names {
	switch h.Holder {
	case OfPlayer, OfPlayerScene:
		return s.player
	case OfScene:
		return s.scene
	case OfProp:
		return s.withProp(s.world, h.Kind)
	case OfPlayerProp:
		return s.withProp(s.player, h.Kind)
	case OfList:
		return atHand(s.world, h.List)
	case OfPlayerList, OfProfileList:
		return atHand(s.player, h.List)
	case OfProfile:
		return s.player
	}
	return s.world
}

// atHand are names with an option of a list at hand: the one that something is about.
func atHand(names expr.Names, l *List) expr.Names {
	names.Hand = append(slices.Clone(names.Hand), l.ID)
	return names
}

// withProp adds the variables of the prop that something is about, under prop itself.
func (s scopes) withProp(names expr.Names, k *PropKind) expr.Names {
	fields := maps.Clone(names.Roots["prop"].Fields)
	maps.Copy(fields, propFields(k, names.Held != nil))
	return names.With(map[string]*expr.Entry{"prop": {Type: types.Type{Kind: types.Prop, Of: k.ID},
		Ref: expr.Ref{Who: expr.HereProp}, Fields: fields}})
}

// propFields are what can be read of a prop: what it has itself, and what the rule's player has for it.
func propFields(k *PropKind, player bool) map[string]*expr.Entry {
	fields := varEntries(k.Own, nil)
	if player {
		maps.Copy(fields, varEntries(k.Players, nil))
	}
	return fields
}

// newScopes makes the names. Whose values they are comes from where they are read.
func (b *builder) newScopes() scopes {
	place := b.placeEntry()
	player := &expr.Entry{Type: types.Type{Kind: types.Player}, Ref: expr.Ref{Who: expr.Self},
		Fields: varEntries(b.Holders[OfPlayer], nil)}
	maps.Copy(player.Fields, b.copiesOfPairs())
	maps.Copy(player.Fields, b.builtIns(place))
	if len(b.Profile.Stored)+len(b.Profile.Computed) > 0 {
		player.Fields["profile"] = &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: varEntries(b.Profile, nil)}
	}
	session := &expr.Entry{Type: types.Type{Kind: types.Decimal, Range: types.Range{HasLo: true, Step: b.clockStep()}},
		Ref: expr.Ref{Who: expr.Nobody, What: expr.Time}}
	record := func(fields map[string]*expr.Entry) *expr.Entry {
		return &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: fields}
	}
	common := map[string]*expr.Entry{
		"game": {Type: types.Type{Kind: types.Record}, Ref: expr.Ref{Who: expr.Game},
			Fields: varEntries(b.Holders[OfGame], nil)},
		"scenes":   record(b.sceneEntries(false)),
		"time":     record(map[string]*expr.Entry{"session": session}),
		"movables": record(b.movableEntries()),
		"prop":     record(b.kindEntries(false)),
	}
	if len(b.Movables) == 0 {
		delete(common, "movables")
	}
	if len(b.Kinds) == 0 {
		delete(common, "prop")
	}
	hereOf := func(player bool) map[string]*expr.Entry {
		return map[string]*expr.Entry{"scene": {Type: types.Type{Kind: types.Record},
			Ref: expr.Ref{Who: expr.HereScene}, Fields: b.sceneFields(nil, player)}}
	}
	noPlayer := "There is no player here: this is not about one player. Where an event names one as an argument, read args."
	noArgs := "There are no arguments here: only rules on an event, and its if, have them."
	world := expr.Names{Roots: common, Player: player.Fields, Axes: b.Axes, Lists: b.listNames(false),
		Missing: map[string]string{"player": noPlayer, "place": noPlayer, "profile": noPlayer,
			"scene": "There is no scene here: this is not about one player. Name the scene, as in scenes.ridge.", "args": noArgs}}
	self := *place
	self.Ref = expr.Ref{Who: expr.Self}
	mine := world.With(hereOf(true)).With(map[string]*expr.Entry{"player": player, "place": &self,
		"scenes": record(b.sceneEntries(true))})
	if p := player.Fields["profile"]; p != nil {
		own := *p
		own.Ref = expr.Ref{Who: expr.Self}
		mine = mine.With(map[string]*expr.Entry{"profile": &own})
	}
	if len(b.Kinds) > 0 {
		mine = mine.With(map[string]*expr.Entry{"prop": record(b.kindEntries(true))})
	}
	mine.Lists = b.listNames(true)
	mine.Held = map[string]*expr.Entry{}
	for _, m := range b.Movables {
		mine.Held[m.ID] = &expr.Entry{Type: types.Type{Kind: types.Bool},
			Ref: expr.Ref{Who: expr.Self, What: expr.Holds, Slot: m.Index}}
	}
	return scopes{
		world: world,
		scene: withMissing(world.With(hereOf(false)),
			map[string]string{"player": "What a scene holds cannot depend on one player.",
				"place": "What a scene holds cannot depend on one player.", "args": noArgs}),
		player: b.withAreas(withMissing(mine, map[string]string{"args": noArgs})),
	}
}

// sceneFields are what can be read of a scene (nil: of whichever it is): what it has itself, and what the
// rule's player has for it.
func (b *builder) sceneFields(s *Scene, player bool) map[string]*expr.Entry {
	fields := varEntries(b.Holders[OfScene], s)
	if player {
		maps.Copy(fields, varEntries(b.Holders[OfPlayerScene], s))
	}
	return fields
}

func (b *builder) sceneEntries(player bool) map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	all, limited := b.sceneFields(nil, player), false
	for _, v := range b.Vars {
		limited = limited || v.In != nil
	}
	for _, s := range b.Scenes {
		fields := all
		if limited {
			fields = b.sceneFields(s, player)
		}
		out[s.ID] = &expr.Entry{Type: types.Type{Kind: types.Record}, Ref: expr.Ref{Who: expr.OneScene, Index: s.Index},
			Fields: fields}
	}
	return out
}

// kindEntries are the kinds of props: each prop by its id, and each variable to count over all of them.
func (b *builder) kindEntries(player bool) map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	for _, k := range b.Kinds {
		fields := map[string]*expr.Entry{}
		each := propFields(k, player)
		for _, p := range k.Props {
			fields[p.ID] = &expr.Entry{Type: types.Type{Kind: types.Prop, Of: k.ID},
				Ref: expr.Ref{Who: expr.OneProp, Index: p.Index}, Fields: each}
		}
		maps.Copy(fields, copies(k.Own, expr.Nobody, len(k.Props)))
		if player {
			maps.Copy(fields, copies(k.Players, expr.Self, len(k.Props)))
		}
		out[k.ID] = &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: fields}
	}
	return out
}

// copiesOfPairs are the variables of pairs, to be counted over all scenes or props of a player.
func (b *builder) copiesOfPairs() map[string]*expr.Entry {
	out := copies(b.Holders[OfPlayerScene], expr.Base, len(b.Scenes))
	for _, k := range b.Kinds {
		maps.Copy(out, copies(k.Players, expr.Base, len(k.Props)))
	}
	for _, l := range b.Lists {
		maps.Copy(out, copies(l.Players, expr.Base, len(l.Options)))
		maps.Copy(out, copies(l.Profile, expr.Base, len(l.Options)))
	}
	return out
}

func copies(h *Holding, who expr.Who, most int) map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	list := ""
	if h.List != nil {
		list = h.List.ID
	}
	for _, v := range h.Stored {
		if v.In != nil {
			most = len(v.In)
		}
		out[v.ID] = &expr.Entry{Type: types.Type{Kind: types.Copies, Of: list, Item: &v.Type,
			Range: types.Between(fixed.Num{}, fixed.FromInt(int64(most)), numOne)},
			Ref: expr.Ref{Who: who, What: expr.Count, Hold: h.Index, Slot: v.Slot}}
	}
	return out
}

func (b *builder) movableEntries() map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	for _, m := range b.Movables {
		place := b.placeEntry()
		for name, slot := range map[string]int{"scene": expr.AtScene, "facing": expr.AtFacing, "at": expr.AtPoint} {
			if e := place.Fields[name]; e != nil {
				e.Ref = expr.Ref{Who: expr.Nobody, What: expr.MovableAt, Index: m.Index, Slot: slot}
			}
		}
		for i, axis := range b.Axes {
			place.Fields[axis].Ref = expr.Ref{Who: expr.Nobody, What: expr.MovableAt, Index: m.Index, Slot: i}
		}
		holder := &expr.Entry{Type: types.Type{Kind: types.Player, Optional: true},
			Ref: expr.Ref{Who: expr.Nobody, What: expr.HolderOf, Index: m.Index}}
		out[m.ID] = &expr.Entry{Type: types.Type{Kind: types.Record},
			Fields: map[string]*expr.Entry{"holder": holder, "place": place}}
	}
	return out
}

func (b *builder) withAreas(n expr.Names) expr.Names {
	n.Areas = map[string]*expr.Entry{}
	for _, a := range b.Areas {
		if a.Prop == nil {
			n.Areas[a.ID] = &expr.Entry{Type: types.Type{Kind: types.Bool},
				Ref: expr.Ref{Who: expr.Self, What: expr.InArea, Slot: a.Index}}
		}
	}
	return n
}

func withMissing(n expr.Names, missing map[string]string) expr.Names {
	n.Missing = missing
	return n
}

// varEntries are the variables of a holding by name; where a scene is given, those that it has. The fields
// of a group stand under the group's name.
func varEntries(h *Holding, s *Scene) map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	for _, v := range slices.Concat(h.Stored, h.Computed) {
		if s != nil && v.In != nil && !v.In[s] {
			continue
		}
		into, name := out, v.ID
		if group, field, ok := strings.Cut(v.ID, "."); ok {
			if out[group] == nil {
				out[group] = &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: map[string]*expr.Entry{}}
			}
			into, name = out[group].Fields, field
		}
		into[name] = &expr.Entry{Type: v.Type, Ref: expr.Ref{What: expr.Variable, Hold: h.Index, Slot: v.Slot,
			Own: h.Holder == OfPlayer && !v.Computed() && !v.Stopwatch}}
	}
	return out
}

func (b *builder) builtIns(place *expr.Entry) map[string]*expr.Entry {
	var points []string
	for _, p := range b.Checkpoints {
		points = append(points, p.ID)
	}
	count := types.Type{Kind: types.Int, Range: types.Range{HasLo: true, Step: numOne}}
	count.Range.Lo = numOne
	fields := map[string]*expr.Entry{}
	for _, w := range b.Waymarks {
		fields[w.ID] = &expr.Entry{Type: types.Type{Kind: types.Place, Optional: true},
			Ref: expr.Ref{What: expr.Waymark, Slot: w.Index}}
	}
	earned := map[string]*expr.Entry{}
	for _, m := range b.Milestones {
		earned[m.ID] = &expr.Entry{Type: types.Type{Kind: types.Bool}, Ref: expr.Ref{What: expr.Earned, Slot: m.Index}}
	}
	for name := range b.lost {
		fields[name] = &expr.Entry{}
	}
	fields[expr.MilestonesKey] = &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: earned}
	maps.Copy(fields, map[string]*expr.Entry{
		"place": place,
		"dead":  {Type: types.Type{Kind: types.Bool}, Ref: expr.Ref{What: expr.Dead}},
		"checkpoint": {Type: types.Type{Kind: types.Choice, Of: "checkpoint", Names: points, Optional: true},
			Ref: expr.Ref{What: expr.Checkpoint}},
		"slot":        {Type: count, Ref: expr.Ref{What: expr.SaveSlot}},
		"visits":      {Type: count, Ref: expr.Ref{What: expr.Visits}},
		"first_visit": {Type: types.Type{Kind: types.Bool}, Ref: expr.Ref{What: expr.FirstVisit}},
	})
	return fields
}

func (b *builder) placeEntry() *expr.Entry {
	var ids []string
	for _, s := range b.Scenes {
		ids = append(ids, s.ID)
	}
	fields := map[string]*expr.Entry{
		"scene": {Type: types.Type{Kind: types.Choice, Of: "scene", Names: ids}, Ref: expr.Ref{What: expr.PlaceScene}},
	}
	if len(b.Facings) > 0 {
		fields["facing"] = &expr.Entry{Type: types.Type{Kind: types.Choice, Of: "facing", Names: b.Facings},
			Ref: expr.Ref{What: expr.PlaceFacing}}
	}
	extents := make([]types.Range, len(b.Axes)) // each axis by its own
	for axis := range b.Axes {
		for i, s := range b.Scenes {
			r := types.Between(s.Lo[axis], s.Hi[axis], b.Step)
			if i > 0 {
				r = extents[axis].Union(r)
			}
			extents[axis] = r
		}
		extents[axis].Step = b.Step
	}
	var extent types.Range
	for axis, r := range extents {
		if axis > 0 {
			r = extent.Union(r)
		}
		extent = r
	}
	extent.Step = b.Step
	fields["at"] = &expr.Entry{Type: types.Type{Kind: types.Point, Names: b.Axes, Range: extent},
		Ref: expr.Ref{What: expr.PlaceAt}}
	for i, a := range b.Axes {
		fields[a] = &expr.Entry{Type: types.Type{Kind: types.Decimal, Range: extents[i]},
			Ref: expr.Ref{What: expr.PlaceAxis, Slot: i}}
	}
	return &expr.Entry{Type: types.Type{Kind: types.Record}, Fields: fields}
}

// withArgs adds an event's arguments to a scope.
func (b *builder) withArgs(names expr.Names, args []Arg, of string) expr.Names {
	fields := map[string]*expr.Entry{}
	for i, a := range args {
		e := &expr.Entry{Type: a.Type, Ref: expr.Ref{Who: expr.Nobody, What: expr.Itself, Index: i}}
		switch a.Type.Kind {
		case types.Player:
			e.Ref.Who, e.Fields = expr.Arg, b.scopes.player.Roots["player"].Fields
		case types.Prop:
			e.Ref.Who, e.Fields = expr.PropArg, propFields(a.Kind, names.Held != nil)
		}
		fields[a.ID] = e
	}
	kind := types.Record
	if b.rest.inside(of + "/args") {
		kind = types.Invalid
	}
	return names.With(map[string]*expr.Entry{"args": {Type: types.Type{Kind: kind}, Fields: fields}})
}

// condition compiles an expression that has to be true or false.
func (b *builder) condition(x plan.Expr, names expr.Names, known expr.Facts) (*expr.Program, bool) {
	p, found := expr.Compile(x, names, known)
	b.add(found...)
	if p == nil {
		return nil, false
	}
	if p.Type.Optional {
		b.report("none-unhandled", x.At, "This condition may be none: say what to use then with orValue(false).")
		return nil, false
	}
	if p.Type.Kind != types.Bool {
		b.report("type-mismatch", x.At, "A condition is wanted here; this is %s.", p.Type)
		return nil, false
	}
	return p, true
}
