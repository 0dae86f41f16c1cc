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

// What an upgrade does with the options of a list: it gives them other names, makes one of several, gives them up, and
// brings them back. It does so with what is held for each option, and with what keeps options: choices, picks, lists
// and sets. An option that goes takes only itself out of these.

// listSteps are the steps of one upgrade that are about the options of one list.
type listSteps struct {
	becomes  map[string]string // by old option
	many     plan.Many         // what becomes of the values of several that are one now
	drops    map[string]string // why, by option
	restores map[string]bool
}

// ofList are the steps about a list, to be added to.
func (s *stage) ofList(id string) *listSteps {
	if s.lists[id] == nil {
		s.lists[id] = &listSteps{becomes: map[string]string{}, drops: map[string]string{}, restores: map[string]bool{}}
	}
	return s.lists[id]
}

// addOptions files a step that may be about the options of a list. That a name is one of an option and not of a
// variable, the save says: no option of a list is called as one of its variables.
func (s *stage) addOptions(x *plan.UpgradeStep) {
	list, option, _ := strings.Cut(x.Options.Value+x.Drop.Value+x.Restore.Value, ".")
	if slices.Contains(plan.AllSpaces, list) {
		return
	}
	switch l := s.ofList(list); {
	case x.Verb == "options" && option == "":
		for _, e := range x.Map.Entries {
			l.becomes[e.ID] = e.Value.Name
		}
		l.many = x.Many
	case x.Verb == "drop" && option != "":
		l.drops[option] = x.Why.Value
	case x.Verb == "restore" && option != "":
		l.restores[option] = true
	}
}

// copies writes what is held for each option of each list; hold says by whom.
func (h *hand) copies(owner, pointer string, hold func(*model.List) *model.Holding,
	old save.LooseProps) save.LooseProps {
	touched := len(h.lists) + len(h.names["lists"]) + len(h.drops["lists"])
	for name := range h.ops {
		if !slices.Contains(plan.AllSpaces, name) && !strings.HasPrefix(name, "prop.") {
			touched++
		}
	}
	if touched == 0 || old == nil {
		return old
	}
	out := save.LooseProps{}
	for _, list := range sortedKeys(old) {
		if why, gone := h.drops["lists"][list]; gone {
			for option, values := range old[list] {
				h.keepAll(owner+list+"."+option, values, why)
			}
			continue
		}
		now := h.renamed("lists", list)
		out[now] = h.options(list, now, copyOf{owner: owner + now, pointer: pointer + "/" + now}, hold, old[list])
	}
	return out
}

func (h *hand) keepAll(owner string, values save.LooseValues, why string) {
	for id, raw := range values {
		h.keep(owner+"."+id, raw, why)
	}
}

// options writes what is held for each option of one list.
func (h *hand) options(list, now string, of copyOf, hold func(*model.List) *model.Holding,
	old map[string]save.LooseValues) map[string]save.LooseValues {
	steps := h.lists[list]
	if steps == nil {
		steps = &listSteps{}
	}
	written := map[string]save.LooseValues{}
	for option, values := range old {
		if why, gone := steps.drops[option]; gone {
			h.keepAll(of.owner+"."+option, values, why)
			continue
		}
		at := of
		at.space, at.owner, at.pointer = list, of.owner+"."+option, of.pointer+"/"+option
		at.list, at.option = list, option
		written[option] = h.values(at, h.withoutMoved(at, values))
	}
	out := map[string]save.LooseValues{}
	for option, values := range written {
		if steps.becomes[option] == "" {
			out[option] = values
		}
	}
	for _, to := range slices.Sorted(maps.Values(steps.becomes)) {
		if merged := h.merged(of, now, to, steps, hold, written); merged != nil {
			out[to] = merged
		}
	}
	return out
}

// withoutMoved is what is held for an option without what a step takes from it.
func (h *hand) withoutMoved(of copyOf, values save.LooseValues) save.LooseValues {
	for _, o := range h.ops[of.list] {
		id, ours := strings.CutPrefix(o.from, of.option+".")
		raw, has := values[id]
		if o.step.Verb != "move" || !ours || !has {
			continue
		}
		values = maps.Clone(values)
		delete(values, id)
		h.keep(of.owner+"."+id, raw, o.why)
	}
	return values
}

// merged is what one option has of all that have become it.
func (h *hand) merged(of copyOf, list, to string, steps *listSteps, hold func(*model.List) *model.Holding,
	old map[string]save.LooseValues) save.LooseValues {
	var from []string
	if _, stays := old[to]; stays && steps.becomes[to] == "" {
		from = append(from, to)
	}
	for _, option := range sortedKeys(steps.becomes) {
		if steps.becomes[option] == to {
			from = append(from, option)
		}
	}
	found := slices.ContainsFunc(from, func(option string) bool { return old[option] != nil })
	if !found {
		return nil
	}
	if len(from) == 1 {
		return old[from[0]]
	}
	out := save.LooseValues{}
	for _, v := range h.heldFor(list, hold) {
		many := steps.many.Value
		if each := steps.many.Each.Get(v.ID); each != nil {
			many = each.Value
		}
		var all []types.Value
		for _, option := range from {
			value := v.Start // what was never changed has its start
			if raw, ok := old[option][v.ID]; ok && value.UnmarshalJSON(raw) != nil {
				continue
			}
			if !value.IsNone() {
				all = append(all, value)
			}
		}
		if len(all) == 0 {
			continue
		}
		one, err := chosen(all, many)
		if err != nil {
			one = all[0]
		}
		if raw, err := one.MarshalJSON(); err == nil {
			out[v.ID] = raw
			h.made[of.owner+"."+to+"."+v.ID] = true
		}
	}
	return out
}

// heldFor are the variables of a list.
func (h *hand) heldFor(list string, hold func(*model.List) *model.Holding) []*model.Var {
	if l := h.chain.m.List(list); l != nil {
		return hold(l).Stored
	}
	return nil
}

// kept gives the options that a holder's variables keep their new names, and takes away those that are given up.
func (h *hand) kept(hold *model.Holding, owner string, values save.LooseValues) save.LooseValues {
	if len(h.lists) == 0 {
		return values
	}
	out, copied := values, false
	for _, v := range hold.Stored {
		steps := h.stepsFor(v)
		raw, ok := values[v.ID]
		if steps == nil {
			continue
		}
		now := jsontext.Value(raw)
		if ok {
			now = h.keptBy(v, steps, owner, raw)
		}
		now = h.broughtBack(v, steps, owner, now)
		if string(now) == string(raw) {
			continue
		}
		if !copied {
			out, copied = maps.Clone(values), true
		}
		if out == nil {
			out = save.LooseValues{}
		}
		if now == nil {
			delete(out, v.ID)
			continue
		}
		out[v.ID] = now
	}
	return out
}

// stepsFor are the steps about the list whose options a variable keeps.
func (h *hand) stepsFor(v *model.Var) *listSteps {
	roster := v.Type.Roster
	if v.Item != nil {
		roster = v.Item.Type.Roster
	}
	if roster == nil {
		return nil
	}
	for old, steps := range h.lists {
		if h.renamed("lists", old) == roster.ID {
			return steps
		}
	}
	return nil
}

// keptBy is what a variable keeps; nil where it keeps nothing any more and gets its start.
func (h *hand) keptBy(v *model.Var, steps *listSteps, owner string, raw jsontext.Value) jsontext.Value {
	var value types.Value
	if value.UnmarshalJSON(raw) != nil {
		return raw
	}
	gone := func(item types.Value) bool {
		why, dropped := steps.drops[item.Text]
		if dropped && item.Kind == types.IsText {
			h.keep(owner+"."+v.ID+"["+item.Text+"]", jsontext.Value("true"), why)
		}
		return dropped && item.Kind == types.IsText
	}
	named := func(item types.Value) types.Value {
		if to := steps.becomes[item.Text]; item.Kind == types.IsText && to != "" {
			return types.OfText(to)
		}
		return item
	}
	if value.Kind != types.IsList {
		if gone(value) {
			if v.Type.Optional {
				return jsontext.Value("null")
			}
			return nil
		}
		value = named(value)
	} else {
		items := slices.DeleteFunc(value.Items(), gone)
		for i := range items {
			items[i] = named(items[i])
		}
		value = types.OfItems(items)
		if v.Type.Kind == types.Set {
			if once, err := v.Once(value); err == nil {
				value = once
			}
		}
	}
	out, err := value.MarshalJSON()
	if err != nil {
		return raw
	}
	return out
}

// broughtBack gives sets the options back that the attic has of them, and choices where they are none or at their
// start; lists never.
func (h *hand) broughtBack(v *model.Var, steps *listSteps, owner string, raw jsontext.Value) jsontext.Value {
	for _, option := range sortedKeys(steps.restores) {
		name := owner + "." + v.ID + "[" + option + "]"
		if _, ok := h.attic.Get(name); !ok || h.ofRecord {
			continue
		}
		var value types.Value
		if raw != nil && value.UnmarshalJSON(raw) != nil {
			continue
		}
		switch {
		case v.Type.Kind == types.Set:
			set, err := v.Once(types.OfItems(append(value.Items(), types.OfText(option))))
			if err != nil {
				continue
			}
			value = set
		case v.Type.Kind == types.List || raw != nil && !value.IsNone() && value != v.Start:
			continue
		default:
			value = types.OfText(option)
		}
		if out, err := value.MarshalJSON(); err == nil {
			raw = out
			delete(h.attic, name)
		}
	}
	return raw
}

// restoredOptions brings back what is held for options that were given up.
func (h *hand) restoredOptions(owner string, lists save.LooseProps) save.LooseProps {
	for list, steps := range h.lists {
		now := h.renamed("lists", list)
		for option := range steps.restores {
			prefix := owner + now + "." + option + "."
			for _, name := range sortedKeys(h.attic) {
				id, ok := strings.CutPrefix(name, prefix)
				kept, had := h.attic.Get(name)
				if !ok || !had || h.ofRecord {
					continue
				}
				if lists == nil {
					lists = save.LooseProps{}
				}
				if lists[now] == nil {
					lists[now] = map[string]save.LooseValues{}
				}
				if lists[now][option] == nil {
					lists[now][option] = save.LooseValues{}
				}
				lists[now][option][id] = jsontext.Value(kept.Value)
				delete(h.attic, name)
			}
		}
	}
	return lists
}
