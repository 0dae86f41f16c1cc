package engine

import (
	"cmp"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// writeFrom gives a variable a value that the game's own server computed, or (where the plan lets them) its
// own player; or corrects it for a reason that is kept.
func (t *tx) writeFrom(p *Player, req *Request) error {
	v := t.run.m.Var(req.Name)
	mile := t.run.m.Earning(req.Name)
	switch {
	case mile != nil && req.Do == "correct":
		return t.correctMilestone(p, mile, req)
	case v == nil:
		return refuse(Unknown, "There is no variable called %q.", req.Name)
	case !req.Server && !v.SelfMay:
		return refuse(Forbidden, "%s is not written by players; the rules and the game's server do.", v.Name)
	case v.Shared != nil && !v.Shared.Mine:
		return refuse(Refused, "%s is of the commons %s, which %s writes: correct it there.", v.Name, v.Shared.Commons,
			cmp.Or(v.Shared.Writer, "its expression"))
	case v.Computed() || v.Stopwatch && req.Do != "correct" || v.Seed:
		return refuse(Refused, "%s cannot be written: it has its value by itself.", v.Name)
	case v.Holder.OfPlayers() && p == nil:
		return refuse(Invalid, "%s is held by players; name the player.", v.Name)
	}
	o, err := t.ownerNamed(v, p, req.Args)
	if err != nil {
		return err
	}
	if req.Do == "write" {
		req.Value = v.Rounded(req.Value)
	}
	if err := v.Admit(req.Value); err != nil {
		return refuse(Invalid, "%s cannot become %s: %v.", v.Name, req.Value, err)
	}
	if req.Do == "correct" {
		t.cause = &Cause{Kind: "correction", Moment: "correction: " + cmp.Or(req.Why, "no reason given")}
		if v.Stopwatch {
			req.Value = t.run.stopwatchAt(v, t.touched(o)[v.Slot], req.Value.Num)
		}
		t.write(o, v, req.Value, false)
		return nil
	}
	return t.give(o, v, req.Value, v.Type.Kind == types.Pick)
}

// correctMilestone gives a milestone by hand, with the rules that wait for it, or takes it back. It is earned again as
// soon as what it asks for holds and is evaluated.
func (t *tx) correctMilestone(p *Player, m *model.Milestone, req *Request) error {
	switch {
	case p == nil:
		return refuse(Invalid, "%s is earned by players; name the player.", m.ID)
	case req.Value.Kind != types.IsBool:
		return refuse(Invalid, "%s is earned or not: true or false is wanted, not %s.", m.ID, req.Value)
	}
	t.cause = &Cause{Kind: "correction", Moment: "correction: " + cmp.Or(req.Why, "no reason given")}
	t.setEarned(p, m, req.Value.Bool)
	return nil
}

// ArgsFor says in a request's arguments which copy of a variable is meant: of is a scene (ridge), a prop
// (cache.at_cairn) or an option of a list (rice, or ware.rice); "" where there is one alone.
func ArgsFor(v *model.Var, of string) map[string]types.Value {
	switch {
	case v == nil || of == "":
		return nil
	case v.Hold.List != nil:
		return map[string]types.Value{"option": types.OfText(strings.TrimPrefix(of, v.Hold.List.ID+"."))}
	case v.Hold.Kind != nil:
		return map[string]types.Value{"prop": types.OfText(strings.TrimPrefix(of, v.Hold.Kind.ID+"."))}
	}
	return map[string]types.Value{"scene": types.OfText(of)}
}

// ownerNamed finds whose copy of a variable is meant, by what a request names.
func (t *tx) ownerNamed(v *model.Var, p *Player, args map[string]types.Value) (owner, error) {
	o := owner{v.Hold.Index, nil, -1}
	if v.Holder.OfPlayers() {
		o.player = p
	}
	switch v.Holder {
	case model.OfScene, model.OfPlayerScene:
		scene := t.run.m.Scene(args["scene"].Text)
		if scene == nil || !t.run.has(v, scene.Index) {
			return o, refuse(Invalid, "%s is held by scenes; name the scene in args.", v.Name)
		}
		o.at = scene.Index
	case model.OfProp, model.OfPlayerProp:
		prop := v.Hold.Kind.Prop(args["prop"].Text)
		if prop == nil {
			return o, refuse(Invalid, "%s is held by each %s; name the prop in args.", v.Name, v.Hold.Kind.ID)
		}
		o.at = prop.Index
	case model.OfList, model.OfPlayerList, model.OfProfileList:
		option := args["option"].Text
		if o.at = v.Hold.List.Option(option); o.at < 0 && option != "" {
			var ids []string
			for _, x := range v.Hold.List.Options {
				ids = append(ids, x.ID)
			}
			return o, unknown("option of "+v.Hold.List.ID, option, ids)
		} else if o.at < 0 {
			return o, refuse(Invalid, "%s is held for each %s; name the option in args.", v.Name, v.Hold.List.ID)
		}
	}
	return o, nil
}
