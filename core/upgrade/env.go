package upgrade

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
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
	read    []types.Value
	failed  error
}

// Read, Number, Mine and Fail make it an expr.Env: every name was looked up before.
func (e *env) Read(ref *expr.Ref) types.Value { return e.read[ref.Index] }

// Number is Read for a number.
func (e *env) Number(ref *expr.Ref) fixed.Num { return e.read[ref.Index].Num }

// Mine is never asked: no name here is a player's by its slot.
func (e *env) Mine(int) fixed.Num { return fixed.Num{} }

// Hand is never asked: no function here goes over the options of a list.
func (e *env) Hand(int, int) int { return 0 }

// Changed and AtStart are never asked, for the same reason.
func (e *env) Changed([]*expr.Ref, int) ([]int, bool) { return nil, false }

// AtStart is never asked.
func (e *env) AtStart(bool) {}

// Fault gives what went wrong first, and puts another in its place.
func (e *env) Fault(with error) error {
	was := e.failed
	e.failed = with
	return was
}

// Person is never asked: nobody is present in a save.
func (e *env) Person(int) int { return 0 }

// Fail notes the first thing that went wrong.
func (e *env) Fail(err error) {
	if e.failed == nil {
		e.failed = err
	}
}

// eval evaluates an expression over the old document; old is the value that a step is about.
func (e *env) eval(x plan.Expr, old jsontext.Value) (types.Value, error) {
	paths, found := e.stage.chain.paths(x)
	if found != nil {
		return types.None, found
	}
	e.read, e.failed = e.read[:0], nil
	for _, p := range paths {
		v, err := e.lookUp(p.Name, old)
		if err != nil {
			return types.None, err
		}
		e.read = append(e.read, v)
	}
	program, err := e.stage.chain.program(x, paths, e.read)
	if err != nil {
		return types.None, err
	}
	v := program.Eval(e)
	return v, e.failed
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

// reading is what an expression reads, or why it cannot be understood.
type reading struct {
	paths []expr.Path
	err   error
}

func (c *Chain) paths(x plan.Expr) ([]expr.Path, error) {
	key := "\x00" + x.Source
	if known, ok := c.programs.Load(key); ok {
		r := known.(reading)
		return r.paths, r.err
	}
	paths, found := expr.Paths(x)
	r := reading{paths: paths}
	if found.Errors() {
		r.err = errors.New(found[0].Message)
	}
	c.programs.Store(key, r)
	return r.paths, r.err
}

// compiled is an expression for values of certain types, or why there is none.
type compiled struct {
	program *expr.Program
	err     error
}

// program compiles an expression for values of these types, once.
func (c *Chain) program(x plan.Expr, paths []expr.Path, values []types.Value) (*expr.Program, error) {
	var key strings.Builder
	for _, v := range values {
		key.WriteByte(signature(v))
	}
	key.WriteString(x.Source)
	if known, ok := c.programs.Load(key.String()); ok {
		one := known.(compiled)
		return one.program, one.err
	}
	one := compiled{}
	// Of none nobody knows what it is none of: whatever the expression makes sense with.
	for _, guess := range []types.Kind{types.Decimal, types.Text, types.Bool} {
		known := make([]types.Type, len(values))
		for i, v := range values {
			known[i] = typeOf(v, guess)
			known[i].Optional = v.IsNone() || paths[i].Asked
		}
		p, found := expr.Compile(x, namesOf(paths, known), nil)
		if p != nil {
			one = compiled{program: p}
			break
		}
		if one.err == nil {
			one.err = errors.New(found[0].Message)
		}
	}
	c.programs.Store(key.String(), one)
	return one.program, one.err
}

// signature is what of a value decides how an expression over it is compiled.
func signature(v types.Value) byte {
	switch v.Kind {
	case types.IsBool:
		return 'b'
	case types.IsNum:
		if v.Num.MultipleOf(types.One) {
			return 'i'
		}
		return 'd'
	case types.IsText:
		return 't'
	case types.IsList:
		if items := v.Items(); len(items) > 0 && items[0].Kind == types.IsNum {
			return 'N'
		}
		return 'T'
	}
	return '-'
}

func typeOf(v types.Value, guess types.Kind) types.Type {
	switch signature(v) {
	case 'b':
		return types.Type{Kind: types.Bool}
	case 'i':
		return types.Type{Kind: types.Int, Range: types.Whole()}
	case 'd':
		return types.Type{Kind: types.Decimal}
	case 't':
		return types.Type{Kind: types.Text}
	case 'N':
		return types.Type{Kind: types.List, Item: &types.Type{Kind: types.Decimal}}
	case 'T':
		return types.Type{Kind: types.List, Item: &types.Type{Kind: types.Text}}
	}
	return types.Type{Kind: guess}
}

// namesOf are names that stand for values by their place in a list.
func namesOf(paths []expr.Path, known []types.Type) expr.Names {
	roots := map[string]*expr.Entry{}
	for i, p := range paths {
		parts := strings.Split(p.Name, ".")
		fields := roots
		for _, part := range parts[:len(parts)-1] {
			if fields[part] == nil {
				fields[part] = &expr.Entry{Type: types.Type{Kind: types.Record}}
			}
			if fields[part].Fields == nil {
				fields[part].Fields = map[string]*expr.Entry{}
			}
			fields = fields[part].Fields
		}
		fields[parts[len(parts)-1]] = &expr.Entry{Type: known[i],
			Ref: expr.Ref{Who: expr.Nobody, What: expr.Itself, Index: i}}
	}
	return expr.Names{Roots: roots}
}
