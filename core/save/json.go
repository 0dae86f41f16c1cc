package save

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion/core/model"
)

// MaxBytes is how large a save may be.
const MaxBytes = 1 << 20

// Reasons for which a save cannot be used, for errors.Is.
var (
	ErrFormat  = errors.New("this is not a save that can be read")
	ErrGame    = errors.New("the save is of another game")
	ErrVersion = errors.New("the save was written under a newer version of the plan")
)

// Problem is a value of a save that the plan does not take as it is; it is kept in the attic, and the
// variable has its start value.
type Problem struct {
	Name   string `json:"name" doc:"The variable, as player.warmth."`
	Reason string `json:"reason"`
}

// Encode writes a save in canonical form (RFC 8785). doc is a *Player or a *World.
func Encode(doc any) ([]byte, error) {
	switch d := doc.(type) {
	case *Player:
		d.Format = Format
		for _, w := range []*World{d.World, d.Record.World} {
			if w != nil {
				w.Format = Format
			}
		}
	case *World:
		d.Format = Format
	}
	raw, err := json.Marshal(doc, json.Deterministic(true))
	if err != nil {
		return nil, fmt.Errorf("save: %w", err)
	}
	text := jsontext.Value(raw)
	if err := text.Canonicalize(); err != nil {
		return nil, fmt.Errorf("save: %w", err)
	}
	return text, nil
}

// Digest is SHA-256 over what Encode writes, in hexadecimal.
func Digest(doc any) string {
	raw, err := Encode(doc)
	if err != nil {
		panic(err) // what the engine holds can always be written
	}
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:])
}

// raws and rawProps are values as they stand in a save, untouched: what they have to be, the plan says.
type (
	raws     map[string]jsontext.Value
	rawProps map[string]map[string]raws
)

type wirePlayer struct {
	*Player
	Values raws            `json:"values"`
	Scenes map[string]raws `json:"scenes,omitempty"`
	Props  rawProps        `json:"props,omitempty"`
	Record wireRecord      `json:"record"`
	World  *wireWorld      `json:"world,omitempty"`
}

type wireRecord struct {
	Values   raws             `json:"values"`
	Scenes   map[string]raws  `json:"scenes,omitempty"`
	Props    rawProps         `json:"props,omitempty"`
	Waymarks map[string]Place `json:"waymarks,omitempty"`
	World    *wireWorld       `json:"world,omitempty"`
}

type wireWorld struct {
	*World
	Values raws            `json:"values"`
	Scenes map[string]raws `json:"scenes,omitempty"`
	Props  rawProps        `json:"props,omitempty"`
}

// DecodePlayer reads a player's save under a plan. A save of a newer version is refused; a value that
// the plan does not know, or that does not fit its variable, goes to the attic and is reported.
func DecodePlayer(raw []byte, m *model.Model) (*Player, []Problem, error) {
	w := wirePlayer{Player: &Player{}}
	if err := read(raw, &w); err != nil {
		return nil, nil, err
	}
	if err := belongs(w.Format, w.Game, w.Version, m); err != nil {
		return nil, nil, err
	}
	p := w.Player
	d := &decoder{m: m, attic: p.Attic}
	p.Values = d.values(m.Holders[model.OfPlayer], "player", w.Values)
	p.Scenes, p.Props = d.scenes(model.OfPlayerScene, "player.scenes.", w.Scenes), d.props(true, "player.props.", w.Props)
	p.Attic = d.attic
	lost := &decoder{m: m} // what a record does not know is not worth an attic of its own
	p.Record = Record{Values: lost.values(m.Holders[model.OfPlayer], "player", w.Record.Values), Scenes: lost.scenes(model.OfPlayerScene, "", w.Record.Scenes),
		Props: lost.props(true, "", w.Record.Props), Waymarks: w.Record.Waymarks, World: lost.world(w.Record.World)}
	p.World = d.world(w.World)
	return p, d.problems, nil
}

// DecodeWorld reads a world's save under a plan, as DecodePlayer does a player's.
func DecodeWorld(raw []byte, m *model.Model) (*World, []Problem, error) {
	w := &wireWorld{World: &World{}}
	if err := read(raw, w); err != nil {
		return nil, nil, err
	}
	if err := belongs(w.Format, w.Game, w.Version, m); err != nil {
		return nil, nil, err
	}
	d := &decoder{m: m}
	return d.world(w), d.problems, nil
}

func read(raw []byte, into any) error {
	if len(raw) > MaxBytes {
		return fmt.Errorf("%w: it is larger than %d bytes", ErrFormat, MaxBytes)
	}
	err := json.UnmarshalRead(bytes.NewReader(raw), into, json.RejectUnknownMembers(true))
	if err != nil {
		return fmt.Errorf("%w: %w", ErrFormat, err)
	}
	return nil
}

func belongs(format int, game string, version int, m *model.Model) error {
	switch {
	case format != Format:
		return fmt.Errorf("%w: its format is %d, and %d is wanted", ErrFormat, format, Format)
	case game != m.Plan.Game.Name:
		return fmt.Errorf("%w: %q, not %q", ErrGame, game, m.Plan.Game.Name)
	case version > m.Plan.Version.Value:
		return fmt.Errorf("%w: %d, and the plan has version %d", ErrVersion, version, m.Plan.Version.Value)
	}
	return nil
}

// decoder takes saved values to the variables of a plan.
type decoder struct {
	m        *model.Model
	attic    Attic
	problems []Problem
}

// values reads what one holder has. owner is its name in the attic: player, game, scenes.ridge.
func (d *decoder) values(h *model.Holding, owner string, raw raws) Values {
	out := Values{}
	for id, text := range raw {
		d.value(out, h, owner, id, text)
	}
	for _, v := range h.Stored { // what the attic kept for this plan
		if text, kept := d.attic[owner+"."+v.ID]; kept {
			if _, there := out[v.ID]; !there {
				d.value(out, h, owner, v.ID, text)
			}
		}
	}
	return out
}

// scenes reads what each scene has, alone or with a player.
func (d *decoder) scenes(h model.Holder, owner string, raw map[string]raws) map[string]Values {
	var out map[string]Values
	for scene, values := range raw {
		if d.m.Scene(scene) == nil {
			d.keepAll(owner+scene, values, "the plan has no scene "+scene)
			continue
		}
		if out == nil {
			out = map[string]Values{}
		}
		out[scene] = d.values(d.m.Holders[h], owner+scene, values)
	}
	return out
}

// props reads what each prop has, alone or with a player.
func (d *decoder) props(players bool, owner string, raw rawProps) Props {
	var out Props
	for kind, each := range raw {
		for prop, values := range each {
			name := owner + kind + "." + prop
			k := d.m.Kind(kind)
			if k == nil || k.Prop(prop) == nil {
				d.keepAll(name, values, "the plan has no prop "+kind+"."+prop)
				continue
			}
			hold := k.Own
			if players {
				hold = k.Players
			}
			if out == nil {
				out = Props{}
			}
			if out[kind] == nil {
				out[kind] = map[string]Values{}
			}
			out[kind][prop] = d.values(hold, name, values)
		}
	}
	return out
}

func (d *decoder) keepAll(owner string, values raws, reason string) {
	for id, text := range values {
		d.keep(owner+"."+id, text, reason)
	}
}

func (d *decoder) value(out Values, h *model.Holding, owner, id string, text jsontext.Value) {
	name := owner + "." + id
	v := h.Var(id)
	if v == nil {
		d.keep(name, text, "the plan has no such variable")
		return
	}
	value, err := v.FromJSON(text)
	if err != nil {
		d.keep(name, text, err.Error())
		return
	}
	out[id] = value
	delete(d.attic, name)
}

func (d *decoder) keep(name string, text jsontext.Value, reason string) {
	if d.attic == nil {
		d.attic = Attic{}
	}
	if _, known := d.attic[name]; !known {
		d.problems = append(d.problems, Problem{name, reason})
	}
	d.attic[name] = text.Clone()
}

func (d *decoder) world(w *wireWorld) *World {
	if w == nil {
		return nil
	}
	in := &decoder{m: d.m, attic: w.Attic}
	out := &World{Format: w.Format, Game: w.Game, Version: w.Version, Movables: w.Movables, Held: w.Held}
	out.Values = in.values(d.m.Holders[model.OfGame], "game", w.Values)
	if out.Scenes = in.scenes(model.OfScene, "scenes.", w.Scenes); out.Scenes == nil {
		out.Scenes = map[string]Values{}
	}
	out.Props = in.props(false, "prop.", w.Props)
	out.Attic = in.attic
	d.problems = append(d.problems, in.problems...)
	return out
}
