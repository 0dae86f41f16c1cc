package engine

import (
	"slices"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

// in says whether a player is in an area. The dead are in none.
func (r *Run) in(p *Player, a *model.Area) bool {
	return !p.dead && p.place.Scene == a.Scene.Index && a.Contains(p.place.At)
}

// moved tells the areas of a scene, and the props that can be entered, that a player is at another point
// than before: first what was left, then what was entered, or (where they went there in a straight line)
// crossed from side to side (rule 24).
func (t *tx) moved(p *Player, from Place, line bool) error {
	if p.dead {
		return nil
	}
	areas := t.around(p.place.Scene, from.At, p.place.At)
	for _, a := range areas {
		if !a.Beside(&from.At, &p.place.At) && a.Contains(from.At) && !a.Contains(p.place.At) {
			if err := t.areaRules(a, false, p); err != nil {
				return err
			}
		}
	}
	for _, a := range areas {
		if a.Beside(&from.At, &p.place.At) {
			continue
		}
		inside := a.Contains(p.place.At)
		if a.Contains(from.At) || !inside && !(line && a.Crosses(from.At, p.place.At)) {
			continue
		}
		if err := t.enterArea(a, p); err != nil {
			return err
		}
		if inside {
			continue
		}
		if err := t.areaRules(a, false, p); err != nil {
			return err
		}
	}
	return nil
}

// around gives the areas of a scene, and those of the props that lie along the way between two points.
// There may be thousands of props: they stand by their lowest first coordinate.
func (t *tx) around(scene int, from, to [model.MaxAxes]fixed.Num) []*model.Area {
	s := t.run.m.Scenes[scene]
	if len(s.Near) == 0 {
		return s.Areas
	}
	lo, hi := fixed.Min(from[0], to[0]), fixed.Max(from[0], to[0])
	lo, _ = lo.Sub(s.Widest)
	first, _ := slices.BinarySearchFunc(s.Near, lo, func(p *model.Prop, lo fixed.Num) int {
		return p.Area.Lo[0].Cmp(lo)
	})
	t.near = append(t.near[:0], s.Areas...)
	for _, p := range s.Near[first:] {
		if hi.Less(p.Area.Lo[0]) {
			break
		}
		t.near = append(t.near, p.Area)
	}
	slices.SortStableFunc(t.near[len(s.Areas):], func(a, b *model.Area) int { return a.Prop.Index - b.Prop.Index })
	return t.near
}

// leftAreas tells the areas that a player is in that they are about to go.
func (t *tx) leftAreas(p *Player) error {
	for _, a := range t.around(p.place.Scene, p.place.At, p.place.At) {
		if t.run.in(p, a) {
			if err := t.areaRules(a, false, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// foundIn tells the areas that a player is in that they have come.
func (t *tx) foundIn(p *Player) error {
	for _, a := range t.around(p.place.Scene, p.place.At, p.place.At) {
		if t.run.in(p, a) {
			if err := t.enterArea(a, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// enterArea runs the rules on entering an area, and reaches the checkpoint that it is.
func (t *tx) enterArea(a *model.Area, p *Player) error {
	if err := t.areaRules(a, true, p); err != nil {
		return err
	}
	if a.Point == nil || p.used[a.Point.Index] && !a.Point.Again {
		return nil
	}
	return t.reach(p, a.Point)
}

// areaRules runs the rules on entering an area or going from it.
func (t *tx) areaRules(a *model.Area, entered bool, p *Player) error {
	t.frame.about(p)
	rules := a.Exited
	if entered {
		rules = a.Entered
	}
	if a.Prop != nil {
		t.frame.prop = a.Prop.Index
		if rules = a.Prop.Kind.Exited; entered {
			rules = a.Prop.Kind.Entered
		}
	}
	if len(rules) == 0 {
		return nil
	}
	return t.rules(rules)
}
