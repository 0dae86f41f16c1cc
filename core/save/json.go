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

// wirePlayer and wireWorld are read with their values untouched: what they have to be, the plan says.
type wirePlayer struct {
	*Player
	Values map[string]jsontext.Value `json:"values"`
	Record wireRecord                `json:"record"`
	World  *wireWorld                `json:"world,omitempty"`
}

type wireRecord struct {
	Values   map[string]jsontext.Value `json:"values"`
	Waymarks map[string]Place          `json:"waymarks,omitempty"`
	World    *wireWorld                `json:"world,omitempty"`
}

type wireWorld struct {
	*World
	Values map[string]jsontext.Value            `json:"values"`
	Scenes map[string]map[string]jsontext.Value `json:"scenes,omitempty"`
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
	p.Values = d.values(model.OfPlayer, "player", w.Values)
	p.Attic = d.attic
	lost := &decoder{m: m} // what a record does not know is not worth an attic of its own
	p.Record = Record{Values: lost.values(model.OfPlayer, "player", w.Record.Values), Waymarks: w.Record.Waymarks, World: lost.world(w.Record.World)}
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
func (d *decoder) values(h model.Holder, owner string, raw map[string]jsontext.Value) Values {
	out := Values{}
	for id, text := range raw {
		d.value(out, h, owner, id, text)
	}
	for _, v := range d.m.Holders[h].Stored { // what the attic kept for this plan
		if text, kept := d.attic[owner+"."+v.ID]; kept {
			if _, there := out[v.ID]; !there {
				d.value(out, h, owner, v.ID, text)
			}
		}
	}
	return out
}

func (d *decoder) value(out Values, h model.Holder, owner, id string, text jsontext.Value) {
	name := owner + "." + id
	v := d.m.Var(h.String() + "." + id)
	if v == nil || v.Computed() {
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
	out := &World{Format: w.Format, Game: w.Game, Version: w.Version, Scenes: map[string]Values{}}
	out.Values = in.values(model.OfGame, "game", w.Values)
	for scene, values := range w.Scenes {
		if d.m.Scene(scene) == nil {
			for id, text := range values {
				in.keep("scenes."+scene+"."+id, text, "the plan has no scene "+scene)
			}
			continue
		}
		out.Scenes[scene] = in.values(model.OfScene, "scenes."+scene, values)
	}
	out.Attic = in.attic
	d.problems = append(d.problems, in.problems...)
	return out
}
