package format

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// builtIn are the parts of a save that are no variables: what they may be.
var (
	aName  = &types.Domain{Type: types.Type{Kind: types.Text, Optional: true}, MaxLength: 256}
	aYesNo = &types.Domain{Type: types.Type{Kind: types.Bool}}
	aCount = number(types.Int, types.One)
	aSet   = &types.Domain{Type: types.Type{Kind: types.List}, Item: aName, MaxItems: 10_000}
)

func number(k types.Kind, step fixed.Num) *types.Domain {
	most := fixed.FromInt(1e15)
	return &types.Domain{Type: types.Type{Kind: k}, Min: most.Neg(), Max: most, Step: step}
}

// domain is what a name of now may be; nil where that is not known.
func (s *Set) domain(name string) *types.Domain {
	if v := s.variable(name); v != nil {
		return &v.Domain
	}
	first, rest, _ := strings.Cut(name, ".")
	switch last := name[strings.LastIndexByte(name, '.')+1:]; {
	case name == "player.dead":
		return aYesNo
	case name == "player.visits":
		return aCount
	case name == "player.checkpoint":
		return aName
	case first == "milestones" && rest == "":
		return aSet
	case first == "milestones":
		return aYesNo
	case first == "standings":
		return number(types.Decimal, fixed.FromNano(1))
	case (first == "place" || first == "waymarks" || first == "movables") && (last == "scene" || last == "facing"):
		return aName
	case first == "place" || first == "waymarks" || first == "movables":
		return number(types.Decimal, s.m.Step)
	}
	return nil
}

// target is where something stands in a save of Alluvion's, as the parts of a JSON Pointer; nil where a save has no such
// thing. * stands for whatever it is held for.
func (s *Set) target(name string) []string {
	parts := strings.Split(name, ".")
	join := func(from int) string { return strings.Join(parts[from:], ".") }
	world := func(at ...string) []string {
		if s.m.Single {
			return append([]string{"world"}, at...)
		}
		return append([]string{"~world"}, at...)
	}
	switch first := parts[0]; {
	case name == "milestones":
		return []string{"milestones"}
	case len(parts) < 2:
		return nil
	case name == "player.dead" || name == "player.visits" || name == "player.checkpoint":
		return parts[1:]
	case first == "player":
		return []string{"values", join(1)}
	case first == "profile":
		return []string{"~profile", "values", join(1)}
	case first == "game":
		return world("values", join(1))
	case first == "place" && len(parts) == 2:
		return s.inPlace([]string{"place"}, parts[1])
	case first == "waymarks" && len(parts) == 3:
		return s.inPlace([]string{"waymarks", parts[1]}, parts[2])
	case first == "movables" && len(parts) == 3:
		return s.inPlace(world("movables", parts[1]), parts[2])
	case first == "milestones" && len(parts) == 2, first == "standings" && len(parts) == 2:
		return parts
	case first == "scenes" && len(parts) >= 3:
		if v := s.variable("scenes." + parts[1] + "." + join(2)); v == nil || v.Holder.OfPlayers() {
			return []string{"scenes", parts[1], join(2)}
		}
		return world("scenes", parts[1], join(2))
	case first == "prop" && len(parts) >= 4:
		if v := s.variable(name); v == nil || v.Holder.OfPlayers() {
			return []string{"props", parts[1], parts[2], join(3)}
		}
		return world("props", parts[1], parts[2], join(3))
	case len(parts) >= 3:
		switch v := s.variable(name); {
		case v != nil && v.Holder.OfProfiles():
			return []string{"~profile", "lists", parts[0], parts[1], join(2)}
		case v != nil && !v.Holder.OfPlayers():
			return world("lists", parts[0], parts[1], join(2))
		}
		return []string{"lists", parts[0], parts[1], join(2)}
	}
	return nil
}

// inPlace is where a part of a place stands.
func (s *Set) inPlace(place []string, part string) []string {
	if part == "scene" || part == "facing" {
		return append(place, part)
	}
	if i := slices.Index(s.m.Axes, part); i >= 0 {
		return append(place, "at", fmt.Sprint(i))
	}
	return nil
}

// aim is where a part stands in the document that a format's files become: nil where it stands in another one.
func (f *Format) aim(p *part) []string {
	if p.target == nil {
		return nil
	}
	at := p.target
	switch f.Of() {
	case "profile":
		if at[0] == "~profile" {
			return at[1:]
		}
		return nil
	case "world":
		if at[0] == "~world" {
			return at[1:]
		}
		return nil
	}
	if at[0][0] == '~' {
		return nil
	}
	return at
}
