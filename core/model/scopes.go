package model

import (
	"maps"

	"alluvion/core/expr"
	"alluvion/core/plan"
)

// scopes are the names that expressions can read, by what they are about.
type scopes struct {
	player expr.Names // about a player
	world  expr.Names // about nobody: a server's event
	scene  expr.Names // about a scene: the fates of what it holds
}

func (s scopes) of(h Holder) expr.Names {
	switch h {
	case OfPlayer:
		return s.player
	case OfScene:
		return s.scene
	}
	return s.world
}

// playerFields, placeFields and sceneFields are shared by all scopes: whose values they are comes from
// where they are read.
func (b *builder) newScopes() scopes {
	place := b.placeEntry()
	player := &expr.Entry{Type: expr.Type{Kind: expr.Player}, Ref: expr.Ref{Who: expr.Self}, Fields: b.varEntries(OfPlayer)}
	for name, e := range b.builtIns(place) {
		player.Fields[name] = e
	}
	sceneFields := b.varEntries(OfScene)
	scenes := &expr.Entry{Type: expr.Type{Kind: expr.Record}, Fields: map[string]*expr.Entry{}}
	for _, s := range b.Scenes {
		scenes.Fields[s.ID] = &expr.Entry{Type: expr.Type{Kind: expr.Record}, Ref: expr.Ref{Who: expr.OneScene, Index: s.Index}, Fields: sceneFields}
	}
	session := &expr.Entry{Type: expr.Type{Kind: expr.Decimal, Range: expr.Range{HasLo: true, Step: b.clockStep()}}, Ref: expr.Ref{Who: expr.Nobody, What: expr.Time}}
	common := map[string]*expr.Entry{
		"game":   {Type: expr.Type{Kind: expr.Record}, Ref: expr.Ref{Who: expr.Game}, Fields: b.varEntries(OfGame)},
		"scenes": scenes,
		"time":   {Type: expr.Type{Kind: expr.Record}, Fields: map[string]*expr.Entry{"session": session}},
	}
	here := &expr.Entry{Type: expr.Type{Kind: expr.Record}, Ref: expr.Ref{Who: expr.HereScene}, Fields: sceneFields}
	noPlayer := "There is no player here: this is not about one player. Where an event names one as an argument, read args."
	noArgs := "There are no arguments here: only rules on an event, and its if, have them."
	world := expr.Names{Roots: common, Missing: map[string]string{"player": noPlayer, "place": noPlayer, "scene": "There is no scene here: this is not about one player. Name the scene, as in scenes.ridge.", "args": noArgs}}
	self := *place
	self.Ref = expr.Ref{Who: expr.Self}
	return scopes{
		world: world,
		scene: withMissing(world.With(map[string]*expr.Entry{"scene": here}), map[string]string{"player": "What a scene holds cannot depend on one player.", "place": "What a scene holds cannot depend on one player.", "args": noArgs}),
		player: b.withAreas(withMissing(world.With(map[string]*expr.Entry{"scene": here, "player": player, "place": &self}),
			map[string]string{"args": noArgs, "prop": laterName, "movables": laterName})),
	}
}

func (b *builder) withAreas(n expr.Names) expr.Names {
	n.Areas = map[string]*expr.Entry{}
	for _, a := range b.Areas {
		n.Areas[a.ID] = &expr.Entry{Type: expr.Type{Kind: expr.Bool}, Ref: expr.Ref{Who: expr.Self, What: expr.InArea, Slot: a.Index}}
	}
	return n
}

const laterName = "Props and movables are part of the language, but this version does not run them yet."

func withMissing(n expr.Names, missing map[string]string) expr.Names {
	n.Missing = missing
	return n
}

func (b *builder) varEntries(h Holder) map[string]*expr.Entry {
	out := map[string]*expr.Entry{}
	for _, v := range append(append([]*Var{}, b.Holders[h].Stored...), b.Holders[h].Computed...) {
		out[v.ID] = &expr.Entry{Type: v.Type, Ref: expr.Ref{What: expr.Variable, Slot: v.Slot}}
	}
	return out
}

func (b *builder) builtIns(place *expr.Entry) map[string]*expr.Entry {
	var points []string
	for _, p := range b.Checkpoints {
		points = append(points, p.ID)
	}
	count := expr.Type{Kind: expr.Int, Range: expr.Range{HasLo: true, Step: numOne}}
	count.Range.Lo = numOne
	fields := map[string]*expr.Entry{}
	for _, w := range b.Waymarks {
		fields[w.ID] = &expr.Entry{Type: expr.Type{Kind: expr.Place, Optional: true}, Ref: expr.Ref{What: expr.Waymark, Slot: w.Index}}
	}
	earned := map[string]*expr.Entry{}
	for _, m := range b.Milestones {
		earned[m.ID] = &expr.Entry{Type: expr.Type{Kind: expr.Bool}, Ref: expr.Ref{What: expr.Earned, Slot: m.Index}}
	}
	fields[expr.MilestonesKey] = &expr.Entry{Type: expr.Type{Kind: expr.Record}, Fields: earned}
	maps.Copy(fields, map[string]*expr.Entry{
		"place":       place,
		"dead":        {Type: expr.Type{Kind: expr.Bool}, Ref: expr.Ref{What: expr.Dead}},
		"checkpoint":  {Type: expr.Type{Kind: expr.Choice, Of: "checkpoint", Names: points, Optional: true}, Ref: expr.Ref{What: expr.Checkpoint}},
		"slot":        {Type: count, Ref: expr.Ref{What: expr.SaveSlot}},
		"visits":      {Type: count, Ref: expr.Ref{What: expr.Visits}},
		"first_visit": {Type: expr.Type{Kind: expr.Bool}, Ref: expr.Ref{What: expr.FirstVisit}},
	})
	return fields
}

func (b *builder) placeEntry() *expr.Entry {
	var ids []string
	for _, s := range b.Scenes {
		ids = append(ids, s.ID)
	}
	fields := map[string]*expr.Entry{
		"scene": {Type: expr.Type{Kind: expr.Choice, Of: "scene", Names: ids}, Ref: expr.Ref{What: expr.PlaceScene}},
	}
	if len(b.Facings) > 0 {
		fields["facing"] = &expr.Entry{Type: expr.Type{Kind: expr.Choice, Of: "facing", Names: b.Facings}, Ref: expr.Ref{What: expr.PlaceFacing}}
	}
	for i, a := range b.Axes {
		fields[a] = &expr.Entry{Type: expr.Type{Kind: expr.Decimal, Range: expr.Range{HasLo: true, Step: b.Step}}, Ref: expr.Ref{What: expr.PlaceAxis, Slot: i}}
	}
	return &expr.Entry{Type: expr.Type{Kind: expr.Record}, Fields: fields}
}

// withArgs adds an event's arguments to a scope.
func (b *builder) withArgs(names expr.Names, args []Arg) expr.Names {
	fields := map[string]*expr.Entry{}
	for i, a := range args {
		e := &expr.Entry{Type: a.Type, Ref: expr.Ref{Who: expr.Nobody, What: expr.Itself, Index: i}}
		if a.Type.Kind == expr.Player {
			e.Ref.Who, e.Fields = expr.Arg, b.scopes.player.Roots["player"].Fields
		}
		fields[a.ID] = e
	}
	return names.With(map[string]*expr.Entry{"args": {Type: expr.Type{Kind: expr.Record}, Fields: fields}})
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
	if p.Type.Kind != expr.Bool {
		b.report("type-mismatch", x.At, "A condition is wanted here; this is %s.", p.Type)
		return nil, false
	}
	return p, true
}
