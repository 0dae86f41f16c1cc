package save

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Why a value cannot be corrected in a save.
var (
	ErrUnknown  = errors.New("a player has no such thing")
	ErrByItself = errors.New("it has its value by itself, or from a commons")
	ErrValue    = errors.New("it cannot have this value")
)

// Correct writes one value into a save: of a variable that players have, or (true or false) of a milestone, as
// player.earned.full_sack. of says which, of what a player has for each scene (ridge), prop (cache.at_cairn) or option
// of a list (rice). Where there is an error, nothing is changed.
func (p *Player) Correct(m *model.Model, name, of string, value types.Value) error {
	if mile := m.Earning(name); mile != nil {
		return p.correctMilestone(mile, value)
	}
	v := m.Var(name)
	switch {
	case v == nil || !v.Holder.OfPlayers():
		return fmt.Errorf("%q: %w", name, ErrUnknown)
	case !Correctable(v):
		return fmt.Errorf("%s: %w", v.Name, ErrByItself)
	}
	if err := v.Admit(value); err != nil {
		return fmt.Errorf("%w: %s cannot become %s: %v", ErrValue, v.Name, value, err)
	}
	kind, prop, isProp := strings.Cut(of, ".")
	switch {
	case v.Holder == model.OfPlayer:
		p.Values[v.ID] = value
	case v.Holder == model.OfProfile:
		p.overAll(m).Values[v.ID] = value
	case v.Holder == model.OfProfileList && v.Hold.List.Option(strings.TrimPrefix(of, v.Hold.List.ID+".")) >= 0:
		over, list := p.overAll(m), v.Hold.List.ID
		if over.Lists == nil {
			over.Lists = Props{}
		}
		over.Lists[list] = with(over.Lists[list], strings.TrimPrefix(of, list+"."), v.ID, value)
	case v.Holder == model.OfPlayerScene && m.Scene(of) != nil:
		p.Scenes = with(p.Scenes, of, v.ID, value)
	case v.Holder == model.OfPlayerProp && isProp && v.Hold.Kind.ID == kind && v.Hold.Kind.Prop(prop) != nil:
		if p.Props == nil {
			p.Props = Props{}
		}
		p.Props[kind] = with(p.Props[kind], prop, v.ID, value)
	case v.Holder == model.OfPlayerList && v.Hold.List.Option(strings.TrimPrefix(of, v.Hold.List.ID+".")) >= 0:
		if p.Lists == nil {
			p.Lists = Props{}
		}
		list := v.Hold.List.ID
		p.Lists[list] = with(p.Lists[list], strings.TrimPrefix(of, list+"."), v.ID, value)
	default:
		return fmt.Errorf("%w: %s is one for each scene, prop or option, and %q is none that has it", ErrValue, v.Name,
			of)
	}
	return nil
}

// overAll is what the player has over all slots, to be changed.
func (p *Player) overAll(m *model.Model) *Profile {
	if p.Profile == nil {
		p.Profile = &Profile{Format: 1, Game: m.Plan.Game.Name, Version: m.Plan.Version.Value, Player: p.Player}
	}
	if p.Profile.Values == nil {
		p.Profile.Values = Values{}
	}
	return p.Profile
}

// Correctable says whether somebody can correct a variable by hand: players have it, in their own save or over all
// slots, and it does not have its value by itself.
func Correctable(v *model.Var) bool {
	return v.Holder.OfPlayers() && !v.Computed() && !v.Seed && v.Shared == nil
}

func (p *Player) correctMilestone(m *model.Milestone, value types.Value) error {
	if value.Kind != types.IsBool {
		return fmt.Errorf("%w: %s is earned or not: true or false is wanted, not %s", ErrValue, m.ID, value)
	}
	p.Milestones = slices.DeleteFunc(slices.Clone(p.Milestones), func(id string) bool { return id == m.ID })
	if value.Bool {
		p.Milestones = append(p.Milestones, m.ID)
	}
	return nil
}

// with writes a value of one copy of many.
func with(all map[string]Values, of, id string, value types.Value) map[string]Values {
	if all == nil {
		all = map[string]Values{}
	}
	if all[of] == nil {
		all[of] = Values{}
	}
	all[of][id] = value
	return all
}
