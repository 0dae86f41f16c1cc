package save

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Fit takes a save to the variables of a plan, and tells everything in it that the plan does not take as it is,
// with what is loaded instead. What has no place in the plan, and what was corrected, the attic keeps as it was.
// A save of another game, or of a newer version, is an error.
func (l *Loose) Fit(m *model.Model) (*Player, []Problem, error) {
	if err := belongs(l.Game, l.Version, m); err != nil {
		return nil, nil, err
	}
	p := l.Player
	f := &fitter{m: m, then: since(l.Since, l.Version), attic: maps.Clone(p.Attic), made: l.Made}
	f.broken(l.Broken)
	for _, name := range sortedNames(l.Strange) {
		f.unknown(under("", name), "save."+name, l.Strange[name], "saves have nothing called "+name)
	}
	p.Values = f.values(m.Holders[model.OfPlayer], "player", "/values", l.Values)
	p.Scenes = f.scenes(model.OfPlayerScene, "player.scenes.", "/scenes", l.Scenes)
	p.Props = f.props(true, "player.props.", "/props", l.Props)
	p.Lists = f.lists(true, "player.lists.", "/lists", l.Lists)
	f.marks(p)
	f.where(p)
	p.Record = f.record(&l.Record)
	p.World = f.world(l.World, "/world", "")
	if m.Single && l.World == nil {
		f.missing("/world", "world", "the world begins as it is before anything happened")
	}
	if !m.Single && l.World != nil {
		f.found = append(f.found, f.extra("/world", "world",
			"the world is part of no player's save here: session.players is not 1"))
		p.World = nil
	}
	p.Attic = f.attic
	if len(p.Attic) == 0 {
		p.Attic = nil
	}
	return p, f.found, nil
}

// Fit is Loose.Fit for a world.
func (w *LooseWorld) Fit(m *model.Model) (*World, []Problem, error) {
	if err := belongs(w.Game, w.Version, m); err != nil {
		return nil, nil, err
	}
	f := &fitter{m: m, then: since(w.Since, w.Version), made: w.Made}
	f.broken(w.Broken)
	return f.world(w, "", ""), f.found, nil
}

// since is the version that a save was written under.
func since(before, now int) int {
	if before > 0 {
		return before
	}
	return now
}

func belongs(game string, version int, m *model.Model) error {
	switch {
	case game != m.Plan.Game.Name:
		return fmt.Errorf("%w: %q, not %q", ErrGame, game, m.Plan.Game.Name)
	case version > m.Plan.Version.Value:
		return fmt.Errorf("%w: %d, and the plan has version %d", ErrVersion, version, m.Plan.Version.Value)
	case version < 1:
		return fmt.Errorf("%w: it says no version", ErrFormat)
	}
	return nil
}

// fitter takes saved values to the variables of a plan.
type fitter struct {
	m     *model.Model
	then  int // the version that the save was written under
	attic Attic
	made  map[string]bool
	found []Problem
	// ofRecord is set in the record of a checkpoint: what does not fit there has no attic of its own.
	ofRecord bool
}

func (f *fitter) tell(kind Kind, pointer, name, reason, otherwise string) Policy {
	p := Problem{Kind: kind, Pointer: pointer, Name: name, Reason: reason, Policy: PolicyOf(f.m, kind)}
	p.Instead = instead(p.Policy, otherwise)
	f.found = append(f.found, p)
	return p.Policy
}

func (f *fitter) broken(list []Problem) {
	for _, p := range list {
		p.Policy = PolicyOf(f.m, p.Kind)
		p.Instead = instead(p.Policy, p.Instead)
		f.found = append(f.found, p)
	}
}

// missing tells of what every save of this version has.
func (f *fitter) missing(pointer, name, otherwise string) {
	if f.then == f.m.Plan.Version.Value && !f.ofRecord {
		f.tell(KindMissing, pointer, name, "it is not there", otherwise)
	}
}

func (f *fitter) extra(pointer, name, reason string) Problem {
	p := Problem{Kind: KindExtra, Pointer: pointer, Name: name, Reason: reason, Policy: PolicyOf(f.m, KindExtra)}
	p.Instead = instead(p.Policy, "nothing reads it; the attic keeps it")
	return p
}

// keep puts what stood in a save into the attic.
func (f *fitter) keep(name string, text jsontext.Value) {
	if f.ofRecord {
		return
	}
	if f.attic == nil {
		f.attic = Attic{}
	}
	f.attic[name] = KeptAs(f.then, text, "")
}

// unknown keeps what the plan does not know.
func (f *fitter) unknown(pointer, name string, text jsontext.Value, reason string) {
	f.found = append(f.found, f.extra(pointer, name, reason))
	f.keep(name, text)
}

// ordered puts what was found since then in the order of the save: tables have none of their own.
func (f *fitter) ordered(since int) {
	slices.SortStableFunc(f.found[since:], func(a, b Problem) int { return strings.Compare(a.Pointer, b.Pointer) })
}

// values reads what one holder has. owner is its name in the attic: player, game, scenes.ridge.
func (f *fitter) values(h *model.Holding, owner, pointer string, raw LooseValues) Values {
	out := make(Values, len(raw))
	before := len(f.found)
	for id, text := range raw {
		f.value(out, h, owner, pointer, id, text)
	}
	f.ordered(before)
	for _, v := range h.Stored {
		if _, there := out[v.ID]; there || v.Shared != nil {
			continue
		}
		if _, wrong := raw[v.ID]; !wrong {
			f.absent(out, v, owner, pointer)
		}
		if _, there := out[v.ID]; !there && !v.Holder.Lazy() && !f.ofRecord && !v.Seed {
			out[v.ID] = v.Start // so that what is written of it has everything that a save of this version has
		}
	}
	return out
}

// absent finds what the attic kept for a variable that the save does not have, or tells that it is missing. What was
// given up does not come back by itself.
func (f *fitter) absent(out Values, v *model.Var, owner, pointer string) {
	if len(f.attic) > 0 && !f.ofRecord {
		name := owner + "." + v.ID
		if kept, ok := f.attic.Get(name); ok && kept.Why == "" {
			if value, err := v.FromJSON(kept.Value); err == nil {
				out[v.ID] = value
				delete(f.attic, name)
				return
			}
		}
	}
	if !v.Holder.Lazy() && !v.Seed && f.then == f.m.Plan.Version.Value && !f.ofRecord {
		f.missing(pointer+"/"+v.ID, v.Name, startsAs(v))
	}
}

func startsAs(v *model.Var) string {
	if v.Seed || v.Stopwatch {
		return "it begins anew"
	}
	return "it has its start value, " + v.Start.Plain()
}

func (f *fitter) value(out Values, h *model.Holding, owner, pointer, id string, text jsontext.Value) {
	v := h.Var(id)
	if v == nil || v.Shared != nil {
		f.unknown(under(pointer, id), owner+"."+id, text, "the plan has no such variable")
		return
	}
	value, twice, err := v.Stored(text)
	name := owner + "." + id
	if err == nil {
		if twice {
			f.tell(KindImpossible, under(pointer, id), name, "an item of a set stands there twice", "it counts once")
		}
		out[id] = value
		return
	}
	var read types.Value
	unread := read.UnmarshalJSON(text) != nil
	if f.made[name] && !unread { // as an assignment would: rounded to a step, and then within the limits
		if fit, rounded := roundedTo(v, read); rounded {
			out[id] = fit
			return
		}
	}
	pointer = under(pointer, id)
	if !unread && v.Item != nil && read.Kind == types.IsList {
		if read, err = f.items(v, name, pointer, read, err); err == nil {
			out[id] = read
			f.keep(name, text)
			return
		}
	}
	f.misfit(out, v, misfitKind(err, unread), name, pointer, text, read, err)
}

// items puts the items of a list or a set right, each by itself: one that is not right takes none of the others with
// it. The error is what is wrong with the list that is left.
func (f *fitter) items(v *model.Var, name, pointer string, list types.Value, whole error) (types.Value, error) {
	var left []types.Value
	wrong := false
	for i, item := range list.Items() {
		err := v.Item.Admit(item)
		if err == nil {
			left = append(left, item)
			continue
		}
		wrong = true
		kind, otherwise := misfitKind(err, false), "it is left out"
		if PolicyOf(f.m, kind) == Nearest {
			if near, ok := v.Item.Nearest(item); ok {
				left, otherwise = append(left, near), "it is "+near.Plain()+", the nearest that is right"
			}
		}
		f.tell(kind, fmt.Sprintf("%s/%d", pointer, i), name, err.Error(), otherwise)
	}
	if !wrong {
		return list, whole
	}
	return v.Once(types.OfItems(left))
}

// roundedTo rounds a number to a variable's step; false where it is no value then either.
func roundedTo(v *model.Var, value types.Value) (types.Value, bool) {
	if value.Kind != types.IsNum {
		return value, false
	}
	n, err := value.Num.RoundTo(v.Step)
	return types.OfNum(n), err == nil && v.Admit(types.OfNum(n)) == nil
}

func misfitKind(err error, unread bool) Kind {
	var m *types.Misfit
	switch {
	case !unread && errors.Is(err, fixed.ErrPlaces):
		return KindStep
	case unread || !errors.As(err, &m):
		return KindType
	}
	return KindOf(m.Of)
}

// KindOf is the kind of problem that a misfit of a value is.
func KindOf(of types.MisfitKind) Kind {
	return [...]Kind{types.OfType: KindType, types.OfRange: KindRange, types.OfStep: KindStep,
		types.OfOption: KindOption}[of]
}

// misfit puts a value right as the plan says, and keeps what stood there.
func (f *fitter) misfit(out Values, v *model.Var, kind Kind, name, pointer string, text jsontext.Value,
	value types.Value, err error) {
	otherwise := startsAs(v)
	if PolicyOf(f.m, kind) == Nearest {
		if near, ok := v.Nearest(value); ok {
			out[v.ID], otherwise = near, "it is "+near.Plain()+", the nearest that is right"
		}
	}
	f.tell(kind, pointer, name, err.Error(), otherwise)
	f.keep(name, text)
}

// scenes reads what each scene has, alone or with a player.
func (f *fitter) scenes(h model.Holder, owner, pointer string, raw LooseScenes) map[string]Values {
	var out map[string]Values
	hold := f.m.Holders[h]
	defer f.ordered(len(f.found))
	for scene, values := range raw {
		if f.m.Scene(scene) == nil {
			f.unknownAll(under(pointer, scene), owner+scene, values, "the plan has no scene "+scene)
			continue
		}
		if out == nil {
			out = map[string]Values{}
		}
		out[scene] = f.values(hold, owner+scene, pointer+"/"+scene, values)
	}
	return out
}

// props reads what each prop has, alone or with a player.
func (f *fitter) props(players bool, owner, pointer string, raw LooseProps) Props {
	return f.copies(owner, pointer, raw, "kind of props", func(kind string) *model.Holding {
		k := f.m.Kind(kind)
		switch {
		case k == nil:
			return nil
		case players:
			return k.Players
		}
		return k.Own
	})
}

// lists reads what each option of a list has, alone or with a player.
func (f *fitter) lists(players bool, owner, pointer string, raw LooseProps) Props {
	return f.copies(owner, pointer, raw, "list", func(list string) *model.Holding {
		l := f.m.List(list)
		switch {
		case l == nil:
			return nil
		case players:
			return l.Players
		}
		return l.Own
	})
}

// copies reads what there is of each of many, by their kind or list.
func (f *fitter) copies(owner, pointer string, raw LooseProps, what string, of func(string) *model.Holding) Props {
	var out Props
	defer f.ordered(len(f.found))
	for kind, each := range raw {
		hold := of(kind)
		if hold == nil && len(each) == 0 {
			f.found = append(f.found, f.extra(under(pointer, kind), owner+kind, "the plan has no "+what+" "+kind))
		}
		for id, values := range each {
			name, at := owner+kind+"."+id, under(under(pointer, kind), id)
			if hold == nil || f.m.CopyOf(hold, id) < 0 {
				f.unknownAll(at, name, values, "the plan has no "+kind+"."+id)
				continue
			}
			if out == nil {
				out = Props{}
			}
			if out[kind] == nil {
				out[kind] = map[string]Values{}
			}
			out[kind][id] = f.values(hold, name, at, values)
		}
	}
	return out
}

func (f *fitter) unknownAll(pointer, owner string, values LooseValues, reason string) {
	if len(values) == 0 {
		f.found = append(f.found, f.extra(pointer, owner, reason))
	}
	for _, id := range sortedNames(values) {
		f.unknown(under(pointer, id), owner+"."+id, values[id], reason)
	}
}

// marks reads what a player has reached, remembers and has earned.
func (f *fitter) marks(p *Player) {
	if p.Checkpoint != "" && f.m.Checkpoint(p.Checkpoint) == nil {
		f.tell(KindPlace, "/checkpoint", "player.checkpoint",
			fmt.Sprintf("there is no checkpoint called %q", p.Checkpoint), "no checkpoint is reached")
		f.keep("checkpoints.reached", quoted(p.Checkpoint))
		p.Checkpoint, p.Back = "", nil
	}
	p.Used = f.ids("checkpoints", "/used", p.Used, func(id string) bool { return f.m.Checkpoint(id) != nil })
	p.Milestones = f.ids("milestones", "/milestones", p.Milestones, func(id string) bool {
		return f.m.Plan.Milestones.Get(id) != nil
	})
	if len(p.Standings)+len(f.attic) > 0 {
		var known []string
		for _, x := range f.m.Standings {
			if x.List == nil {
				known = append(known, x.ID)
			}
		}
		p.Standings = f.ranks("standings.", "/standings", p.Standings, known,
			"the plan has no such standing of players")
	}
	p.Waymarks = f.waymarks("/waymarks", p.Waymarks)
}

// ranks takes numbers in standings to those that the plan knows. What it does not know waits in the attic, from where it
// comes back under a plan that does.
func (f *fitter) ranks(owner, pointer string, numbers map[string]fixed.Num, known []string,
	unknown string) map[string]fixed.Num {
	for _, id := range sortedNames(numbers) {
		if n := numbers[id]; !slices.Contains(known, id) {
			f.unknown(under(pointer, id), owner+id, jsontext.Value(n.String()), unknown)
			delete(numbers, id)
		} else if mostStanding.Less(n.Abs()) {
			f.tell(KindRange, under(pointer, id), owner+id,
				fmt.Sprintf("it is from -%s to %s, not %s", mostStanding, mostStanding,
					n), "it is the nearest of these")
			numbers[id] = fixed.Max(mostStanding.Neg(), fixed.Min(mostStanding, n))
		}
	}
	for _, id := range known {
		if len(f.attic) == 0 {
			break
		}
		if kept, ok := f.attic.Get(owner + id); ok && kept.Why == "" {
			if n, err := fixed.Parse(string(kept.Value)); err == nil {
				if numbers == nil {
					numbers = map[string]fixed.Num{}
				}
				if _, has := numbers[id]; !has {
					numbers[id] = n
				}
				delete(f.attic, owner+id)
			}
		}
	}
	return numbers
}

// rankings are the numbers of options in the plan's standings of options.
func (f *fitter) rankings(pointer string, saved map[string]map[string]fixed.Num) map[string]map[string]fixed.Num {
	if len(saved)+len(f.attic) == 0 {
		return nil
	}
	out := map[string]map[string]fixed.Num{}
	for _, x := range f.m.Standings {
		if x.List == nil {
			continue
		}
		var options []string
		for _, o := range x.List.Options {
			options = append(options, o.ID)
		}
		numbers := f.ranks("standings."+x.ID+".", under(pointer, x.ID), maps.Clone(saved[x.ID]), options,
			x.List.ID+" has no such option")
		if len(numbers) > 0 {
			out[x.ID] = numbers
		}
	}
	for _, id := range sortedNames(saved) {
		if one := f.m.Standing(id); one == nil || one.List == nil {
			f.ranks("standings."+id+".", under(pointer, id), maps.Clone(saved[id]), nil,
				"the plan has no such standing of options")
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// mostStanding is the most that can stand in a standing: what it counts has no more digits.
var mostStanding = fixed.FromInt(1e15)

func quoted(s string) jsontext.Value {
	raw, _ := jsontext.AppendQuote(nil, s)
	return raw
}

// ids reads a list of ids, of which the plan may not know some; those that the attic kept come back.
func (f *fitter) ids(space, pointer string, list []string, known func(string) bool) []string {
	out := list[:0:0]
	for i, id := range list {
		switch {
		case !known(id):
			f.unknown(fmt.Sprintf("%s/%d", pointer, i), space+"."+id, jsontext.Value("true"),
				fmt.Sprintf("the plan has nothing called %s among its %s", id, space))
		case slices.Contains(out, id):
			f.tell(KindImpossible, fmt.Sprintf("%s/%d", pointer, i), space+"."+id, "it stands there twice",
				"it counts once")
		default:
			out = append(out, id)
		}
	}
	for _, name := range sortedNames(f.attic) {
		id, ok := strings.CutPrefix(name, space+".")
		if ok && known(id) {
			if kept, _ := f.attic.Get(name); kept.Why == "" && string(kept.Value) == "true" &&
				!slices.Contains(out, id) {
				out = append(out, id)
				delete(f.attic, name)
			}
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

func (f *fitter) record(l *LooseRecord) Record {
	in := &fitter{m: f.m, then: f.then, made: f.made, ofRecord: true}
	r := Record{Values: in.values(f.m.Holders[model.OfPlayer], "player", "/record/values", l.Values),
		Scenes: in.scenes(model.OfPlayerScene, "player.scenes.", "/record/scenes", l.Scenes),
		Props:  in.props(true, "player.props.", "/record/props", l.Props),
		Lists:  in.lists(true, "player.lists.", "/record/lists", l.Lists), Waymarks: in.waymarks("/record/waymarks",
			l.Waymarks), World: in.world(l.World, "/record/world", "")}
	f.found = append(f.found, in.found...)
	return r
}

// world reads a world, which has an attic of its own.
func (f *fitter) world(w *LooseWorld, pointer, owner string) *World {
	if w == nil {
		return nil
	}
	in := &fitter{m: f.m, then: f.then, attic: maps.Clone(w.Attic), made: w.Made, ofRecord: f.ofRecord}
	out := &World{Format: w.Format, Game: w.Game, Version: w.Version, Held: w.Held, Movables: w.Movables,
		Senders: w.Senders, Crossed: w.Crossed}
	out.Values = in.values(f.m.Holders[model.OfGame], "game", pointer+"/values", w.Values)
	if out.Scenes = in.scenes(model.OfScene, "scenes.", pointer+"/scenes", w.Scenes); out.Scenes == nil {
		out.Scenes = map[string]Values{}
	}
	out.Props = in.props(false, "prop.", pointer+"/props", w.Props)
	out.Lists = in.lists(false, "lists.", pointer+"/lists", w.Lists)
	out.Standings = in.rankings(pointer+"/standings", w.Standings)
	in.movables(pointer, out)
	if out.Attic = in.attic; len(out.Attic) == 0 {
		out.Attic = nil
	}
	f.found = append(f.found, in.found...)
	return out
}

// sortedNames are the names of a table in order.
func sortedNames[V any](table map[string]V) []string {
	if len(table) == 0 {
		return nil
	}
	return slices.Sorted(maps.Keys(table))
}
