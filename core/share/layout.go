// Package share is what players' machines are sent (semantics, rules 26 and 27): who may see which value, what of it
// has changed since a machine heard last, how that is written in frames, and what a machine ought to believe.
//
// What one machine sees is its view. A view has three parts: what everyone in the session sees, what everyone in the
// player's scene sees, and what the player alone sees. So a part is put together and written once a tick, however
// many machines are sent it.
package share

import (
	"math/bits"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// The parts of a view.
const (
	Everyone = iota // everyone in the session
	Scene           // everyone in the scene of the holder
	Self            // the player alone
	parts

	// Near is a fourth part, in plans that have scenes with near: the players around, and the player. What is for the
	// scene of a player is in it, as long as they are in such a scene.
	Near = parts
	all  = parts + 1
)

// PartNames are the parts as frames call them. Fields are in one of the first three.
var PartNames = [all]string{"everyone", "scene", "self", "near"}

// Layout says what views hold and how packed frames are laid out. It is derived from a plan, and is complete in
// itself: whoever has it needs no plan to read a frame.
type Layout struct {
	Format  int               `json:"alluvion_layout" doc:"1; 2 where a scene has near."`
	Game    string            `json:"game"`
	Version int               `json:"version" doc:"Of the plan."`
	Plan    string            `json:"plan,omitempty" doc:"The digest of all this, which a machine tells when it joins: SHA-256 over the layout as canonical JSON without it, its first 128 bits in hexadecimal."`
	Ticks   float64           `json:"ticks" doc:"Frames a second."`
	Seats   int               `json:"seats" doc:"How many bits a seat takes."`
	Kinds   int               `json:"kinds" doc:"How many bits tell the holders apart."`
	Places  Places            `json:"places"`
	Holders []Holder          `json:"holders"`
	fields  [][parts][]int    // by holder and part: which of its fields
	named   map[string][2]int // by name: the holder, and which of its fields
}

// Places says how places are packed.
type Places struct {
	Axes       []string  `json:"axes"`
	Step       fixed.Num `json:"step"`
	SceneBits  int       `json:"scene_bits"`
	FacingBits int       `json:"facing_bits" doc:"0 stands for none."`
	Facings    []string  `json:"facings"`
	Scenes     []Extent  `json:"scenes"`
}

// Extent is a scene's least coordinates, and how many bits each axis takes.
type Extent struct {
	ID   string      `json:"id"`
	Low  []fixed.Num `json:"low"`
	Bits []int       `json:"bits"`
	Near bool        `json:"near,omitzero" doc:"Whether players are sent of others here only where they are near, in the part near."`
}

// Holder is who has values of its own.
type Holder struct {
	Name     string   `json:"name" doc:"As it stands in the addresses of values: game, player, scene, prop.cache, movables."`
	Copies   []string `json:"copies" doc:"The scenes, props or movables that have one each; empty where there is but one."`
	CopyBits int      `json:"copy_bits"`
	Players  bool     `json:"players" doc:"Whether players have one each: then a seat says whose."`
	Fields   []Field  `json:"fields"`
}

// Field is one value of a holder.
type Field struct {
	Name  string      `json:"name" doc:"player.warmth."`
	Part  string      `json:"part" enum:"everyone,scene,self" doc:"Who is sent it."`
	Form  Form        `json:"form" enum:"value,id,place,spot,thing,watch"`
	Code  *types.Code `json:"code,omitempty" doc:"Of a value or a watch."`
	Start types.Value `json:"start" doc:"What it is where a view does not have it."`
	part  int
	read  reading
	v     *model.Var
	every int64 // milliseconds between two times at which machines are told of it, at least
}

// Form is what kind of a value a field has.
type Form string

// The forms.
const (
	FormValue Form = "value" // a value of a variable, or of what is built in
	FormID    Form = "id"    // the player's id; true in JSON
	FormPlace Form = "place" // where a player is, since when, and their arrival
	FormSpot  Form = "spot"  // a remembered place, or none
	FormThing Form = "thing" // a movable: who holds it, or where it is
	FormWatch Form = "watch" // a stopwatch: what it reads, or since when it runs
)

// LayoutOf derives a plan's layout.
func LayoutOf(m *model.Model) *Layout {
	l := &Layout{Format: 1, Game: m.Plan.Game.Name, Version: m.Plan.Version.Value, Ticks: 1 / m.Tick().Seconds(),
		Seats: bitsOf(m.Players())}
	l.Places = placesOf(m)
	if l.HasNear() {
		l.Format = 2
	}
	for _, h := range m.Holders {
		l.Holders = append(l.Holders, holderOf(m, h))
	}
	if len(m.Movables) > 0 {
		x := Holder{Name: "movables"}
		for _, t := range m.Movables {
			x.Copies = append(x.Copies, t.ID)
		}
		x.Fields = []Field{{Name: "movables", Form: FormThing, part: Everyone, read: readThing}}
		l.Holders = append(l.Holders, x)
	}
	l.seal()
	raw, err := json.Marshal(l)
	if err != nil {
		panic(err) // plain data
	}
	l.Plan = sum(raw)[:32]
	return l
}

// HasNear says whether views have the part near.
func (l *Layout) HasNear() bool {
	return slices.ContainsFunc(l.Places.Scenes, func(e Extent) bool { return e.Near })
}

// PartNames are the parts that views have.
func (l *Layout) PartNames() []string {
	if l.HasNear() {
		return PartNames[:]
	}
	return PartNames[:parts]
}

// seal works out what follows from the holders and fields.
func (l *Layout) seal() {
	l.Kinds = bitsOf(len(l.Holders))
	l.fields, l.named = make([][parts][]int, len(l.Holders)), map[string][2]int{}
	for i := range l.Holders {
		h := &l.Holders[i]
		h.CopyBits = bitsOf(len(h.Copies))
		for j := range h.Fields {
			f := &h.Fields[j]
			if f.Part == "" {
				f.Part = PartNames[f.part]
			}
			if p := slices.Index(PartNames[:parts], f.Part); p > 0 {
				f.part = p
			}
			l.fields[i][f.part] = append(l.fields[i][f.part], j)
			l.named[f.Name] = [2]int{i, j}
		}
	}
}

// bitsOf is how many bits tell so many things apart.
func bitsOf(n int) int { return bits.Len(uint(max(n, 1) - 1)) }

func placesOf(m *model.Model) Places {
	p := Places{Axes: m.Axes, Step: m.Step, SceneBits: bitsOf(len(m.Scenes)), Facings: append([]string{}, m.Facings...),
		FacingBits: bitsOf(len(m.Facings) + 1)}
	for _, s := range m.Scenes {
		e := Extent{ID: s.ID, Near: s.Tells != nil}
		for i := range m.Axes {
			span, _ := s.Hi[i].Sub(s.Lo[i])
			steps, _ := span.Div(m.Step)
			n, _ := steps.Ceil().Int()
			e.Low, e.Bits = append(e.Low, s.Lo[i]), append(e.Bits, bits.Len64(uint64(max(n, 1)-1)))
		}
		p.Scenes = append(p.Scenes, e)
	}
	return p
}

func holderOf(m *model.Model, h *model.Holding) Holder {
	out := Holder{Name: h.Holder.String(), Players: h.Holder.OfPlayers()}
	switch {
	case h.Holder == model.OfScene || h.Holder == model.OfPlayerScene:
		for _, s := range m.Scenes {
			out.Copies = append(out.Copies, s.ID)
		}
	case h.Kind != nil:
		out.Name += ":" + h.Kind.ID
		for _, p := range h.Kind.Props {
			out.Copies = append(out.Copies, p.ID)
		}
	case h.List != nil:
		out.Name = strings.Replace(out.Name, "list", "list:"+h.List.ID, 1)
		for _, o := range h.List.Options {
			out.Copies = append(out.Copies, o.ID)
		}
	case h.Holder == model.OfPlayer:
		out.Fields = builtIn(m)
	}
	for _, v := range m.Vars {
		if v.Hold == h && v.With != "nobody" {
			out.Fields = append(out.Fields, fieldOf(v))
		}
	}
	return out
}

func fieldOf(v *model.Var) Field {
	f := Field{Name: v.Name, Form: FormValue, Code: types.CodeOf(&v.Domain), Start: v.Start, read: readVar, v: v, every: v.TellEvery.Milliseconds()}
	if v.Stopwatch {
		f.Form = FormWatch
	}
	if p := slices.Index(PartNames[:parts], v.With); p > 0 {
		f.part = p
	}
	return f
}

// builtIn are the fields that every player has.
func builtIn(m *model.Model) []Field {
	whole := func(most int) *types.Code {
		return types.CodeOf(&types.Domain{Type: types.Type{Kind: types.Int}, Max: fixed.FromInt(int64(most)),
			Step: fixed.FromInt(1)})
	}
	out := []Field{
		{Name: "player.here", Form: FormID, part: Everyone, read: readHere},
		{Name: "player.place", Form: FormPlace, part: Scene, read: readPlace},
		{Name: "player.dead", Form: FormValue, part: Scene, read: readDead,
			Code: types.CodeOf(&types.Domain{Type: types.Type{Kind: types.Bool}}), Start: types.OfBool(false)},
		{Name: "player.slot", Form: FormValue, part: Self, read: readSlot, Code: whole(m.SlotsPerPlayer())},
		{Name: "player.visits", Form: FormValue, part: Self, read: readVisits, Code: whole(1<<31 - 1)},
	}
	if len(m.Checkpoints) > 0 {
		t := types.Type{Kind: types.Choice, Optional: true}
		for _, p := range m.Checkpoints {
			t.Names = append(t.Names, p.ID)
		}
		out = append(out, Field{Name: "player.checkpoint", Form: FormValue, part: Self, read: readCheckpoint,
			Code: types.CodeOf(&types.Domain{Type: t})})
	}
	if len(m.Milestones) > 0 {
		item := &types.Domain{Type: types.Type{Kind: types.Choice}}
		for _, x := range m.Milestones {
			item.Type.Names = append(item.Type.Names, x.ID)
		}
		d := &types.Domain{Type: types.Type{Kind: types.List, Item: &item.Type}, Item: item,
			MaxItems: len(m.Milestones)}
		out = append(out, Field{Name: "player.milestones", Form: FormValue, part: Self, read: readMilestones,
			Code: types.CodeOf(d), Start: types.OfItems(nil)})
	}
	for _, w := range m.Waymarks {
		out = append(out, Field{Name: "player." + w.ID, Form: FormSpot, part: Self, read: readMark(w.Index)})
	}
	return out
}

// Named is the field of a name, such as player.warmth, and who has it.
func (l *Layout) Named(name string) (*Holder, *Field, bool) {
	at, ok := l.named[name]
	if !ok {
		return nil, nil, false
	}
	h := &l.Holders[at[0]]
	return h, &h.Fields[at[1]], true
}

// Without are the names of fields that another layout has not, or with another type; ranges and options may differ.
func (l *Layout) Without(other *Layout) []string {
	var out []string
	for i := range l.Holders {
		for j := range l.Holders[i].Fields {
			f := &l.Holders[i].Fields[j]
			if h, is, ok := other.Named(f.Name); !ok || is.Form != f.Form || h.Players != l.Holders[i].Players ||
				!is.Code.Alike(f.Code) || slices.ContainsFunc(l.Holders[i].Copies, func(id string) bool { return !slices.Contains(h.Copies, id) }) {
				out = append(out, f.Name)
			}
		}
	}
	return out
}

// Split takes an address apart: what it names, of which copy, and whose ("" where there is none of these).
func Split(address string) (name, copy, player string) {
	name, player, _ = strings.Cut(address, "@")
	if name, copy, _ = strings.Cut(name, "["); copy != "" {
		copy = strings.TrimSuffix(copy, "]")
	}
	return name, copy, player
}

// Joined is the address that Split takes apart.
func Joined(name, copy, player string) string {
	if copy != "" {
		name += "[" + copy + "]"
	}
	if player != "" {
		name += "@" + player
	}
	return name
}

// Address is the name of a value in views: player.warmth@wren, scene.snow[gorge], player.lit[gorge]@wren,
// movables[sled]. What follows @ is the player's id, whatever it is made of.
func (l *Layout) Address(holder, field, copy int, player string) string {
	h := &l.Holders[holder]
	out := h.Fields[field].Name
	if len(h.Copies) > 0 {
		out += "[" + h.Copies[copy] + "]"
	}
	if h.Players {
		out += "@" + player
	}
	return out
}
