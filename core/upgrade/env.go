package upgrade

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// env is what the expressions of an upgrade read: the old document. The plan that it was written under is not at
// hand, so that the values themselves say what types they are of.
type env struct {
	stage   *stage
	player  *save.Loose        // nil where a world is upgraded
	profile *save.LooseProfile // where what a player has over all slots is upgraded
	world   *save.LooseWorld   // nil where it lies elsewhere
	around  *Around
	of      copyOf
	values  save.LooseValues // of the holder that is being written
}

// eval evaluates an expression over the old document; old is the value that a step is about.
func (e *env) eval(x plan.Expr, old jsontext.Value) (types.Value, error) {
	return e.stage.chain.Eval(x, func(name string) (types.Value, error) { return e.lookUp(name, old) })
}

// lookUp finds what a name is in the old document; none where it is not there.
func (e *env) lookUp(name string, old jsontext.Value) (types.Value, error) {
	var v types.Value
	raw, err := e.raw(name, old)
	if err != nil || raw == nil {
		return v, err
	}
	if err := v.UnmarshalJSON(raw); err != nil {
		return v, fmt.Errorf("%s is %s: %w", name, raw, err)
	}
	return v, nil
}

func (e *env) raw(name string, old jsontext.Value) (jsontext.Value, error) {
	first, rest, _ := strings.Cut(name, ".")
	switch first {
	case "old":
		return old, nil
	case "player":
		if e.player == nil {
			return nil, errors.New("a world is no player's: there is no " + name)
		}
		return e.ofPlayer(rest), nil
	case "profile":
		if e.profile == nil {
			return nil, errors.New("what a player has over all slots is not at hand here: there is no " + name)
		}
		return e.profile.Values[rest], nil
	case "place":
		if e.player == nil {
			return nil, errors.New("a world is no player's: there is no " + name)
		}
		return e.ofPlace(rest), nil
	case "game":
		v, ok, err := e.gameWas(rest)
		if !ok || err != nil {
			return nil, err
		}
		return v.MarshalJSON()
	case "scene":
		if e.of.scene == "" {
			return nil, errors.New("there is no scene here: this is not about what a scene has")
		}
		return e.values[rest], nil
	case "scenes":
		scene, id, _ := strings.Cut(rest, ".")
		return e.ofScenes(scene, id), nil
	case "prop":
		return e.ofProps(rest), nil
	}
	if !e.stage.knowsList(first) {
		return nil, fmt.Errorf("nothing is called %s here: an upgrade reads old, player, place, game, scene, scenes, prop and lists", name)
	}
	return e.ofLists(first, rest), nil
}

// knowsList says whether a name is one of a list: of this plan, or of an earlier one of which steps speak.
func (s *stage) knowsList(id string) bool {
	return s.chain.m.List(id) != nil || s.lists[id] != nil || s.ops[id] != nil
}

// ofLists finds ware.have, of the option that is being written, or ware.rice.have.
func (e *env) ofLists(list, rest string) jsontext.Value {
	if raw, ok := e.values[rest]; ok && e.of.list == list {
		return raw
	}
	option, id, _ := strings.Cut(rest, ".")
	if e.player != nil {
		if raw, ok := e.player.Lists[list][option][id]; ok {
			return raw
		}
	}
	if e.world != nil {
		return e.world.Lists[list][option][id]
	}
	return nil
}

func (e *env) ofPlayer(id string) jsontext.Value {
	if raw, ok := e.player.Values[id]; ok {
		return raw
	}
	p := e.player.Player
	text := func(v types.Value) jsontext.Value {
		raw, _ := v.MarshalJSON()
		return raw
	}
	switch id {
	case "dead":
		return text(types.OfBool(p.Dead))
	case "visits":
		return text(types.OfInt(p.Visits))
	case "slot":
		return text(types.OfInt(p.Slot))
	case "checkpoint":
		if p.Checkpoint != "" {
			return text(types.OfText(p.Checkpoint))
		}
	}
	return nil
}

func (e *env) ofPlace(part string) jsontext.Value {
	p := e.player.Place
	var v types.Value
	switch i := slices.Index(e.stage.chain.m.Axes, part); {
	case part == "scene":
		v = types.OfText(p.Scene)
	case part == "facing" && p.Facing != "":
		v = types.OfText(p.Facing)
	case i >= 0 && i < len(p.At):
		v = types.OfNum(p.At[i])
	}
	raw, _ := v.MarshalJSON()
	return raw
}

func (e *env) ofScenes(scene, id string) jsontext.Value {
	if e.player != nil {
		if raw, ok := e.player.Scenes[scene][id]; ok {
			return raw
		}
	}
	if e.world != nil {
		return e.world.Scenes[scene][id]
	}
	return nil
}

// ofProps finds prop.cache.taken, of the prop that is being written, or prop.cache.at_cairn.taken.
func (e *env) ofProps(rest string) jsontext.Value {
	kind, id, _ := strings.Cut(rest, ".")
	if e.of.kind == kind {
		if raw, ok := e.values[id]; ok {
			return raw
		}
	}
	prop, name, _ := strings.Cut(id, ".")
	if e.player != nil {
		if raw, ok := e.player.Props[kind][prop][name]; ok {
			return raw
		}
	}
	if e.world != nil {
		return e.world.Props[kind][prop][name]
	}
	return nil
}
