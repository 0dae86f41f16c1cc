package upgrade

import (
	"slices"
	"strings"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
)

// place is where a place of the old plan is now: the first step counts that is about it.
func (s *stage) place(p save.Place) save.Place {
	for _, x := range s.places {
		if x.Place.Name == p.Scene && s.within(x, p.At) {
			return s.moved(x, p)
		}
	}
	p.Scene = s.renamed("scenes", p.Scene)
	return p
}

// within says whether coordinates lie in the box that a step is about.
func (s *stage) within(x *plan.UpgradeStep, at []fixed.Num) bool {
	for _, axis := range x.In.Entries {
		i := slices.Index(s.chain.m.Axes, axis.ID)
		if i < 0 || i >= len(at) || len(axis.Value) != 2 || at[i].Less(axis.Value[0].Value) ||
			!at[i].Less(axis.Value[1].Value) {
			return false
		}
	}
	return true
}

func (s *stage) moved(x *plan.UpgradeStep, p save.Place) save.Place {
	scene, spot, isSpot := strings.Cut(x.To.Source, "/")
	out := save.Place{Scene: scene, At: slices.Clone(p.At), Facing: p.Facing}
	if at := s.chain.m.Spot(scene + "/" + spot); isSpot && at != nil {
		out.At = slices.Clone(at.Point[:len(s.chain.m.Axes)])
		if at.Facing != "" {
			out.Facing = at.Facing
		}
		return out
	}
	for i := range out.At {
		n := out.At[i]
		if x.Scale.Given {
			n, _ = n.Mul(x.Scale.Value)
		}
		if i < len(x.By) {
			n, _ = n.Add(x.By[i].Value)
		}
		out.At[i], _ = n.RoundTo(s.chain.m.Step)
	}
	return out
}
