package engine

import "alluvion/core/model"

// in says whether a player is in an area. The dead are in none.
func (r *Run) in(p *Player, a *model.Area) bool {
	return !p.dead && p.place.Scene == a.Scene.Index && a.Contains(p.place.At)
}

// moved tells the areas of a scene that a player is at another point of it than before: first what was
// left, then what was entered, or (where they went there in a straight line) crossed from side to side
// (rule 24).
func (t *tx) moved(p *Player, from Place, line bool) error {
	if p.dead {
		return nil
	}
	areas := t.run.m.Scenes[p.place.Scene].Areas
	for _, a := range areas {
		if a.Contains(from.At) && !a.Contains(p.place.At) {
			if err := t.areaRules(a.Exited, p); err != nil {
				return err
			}
		}
	}
	for _, a := range areas {
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
		if err := t.areaRules(a.Exited, p); err != nil {
			return err
		}
	}
	return nil
}

// leftAreas tells the areas that a player is in that they are about to go.
func (t *tx) leftAreas(p *Player) error {
	for _, a := range t.run.m.Scenes[p.place.Scene].Areas {
		if t.run.in(p, a) {
			if err := t.areaRules(a.Exited, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// foundIn tells the areas that a player is in that they have come.
func (t *tx) foundIn(p *Player) error {
	for _, a := range t.run.m.Scenes[p.place.Scene].Areas {
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
	if err := t.areaRules(a.Entered, p); err != nil {
		return err
	}
	if a.Point == nil || p.used[a.Point.Index] && !a.Point.Again {
		return nil
	}
	return t.reach(p, a.Point)
}

func (t *tx) areaRules(rules []*model.Rule, p *Player) error {
	if len(rules) == 0 {
		return nil
	}
	t.frame.player, t.frame.scene = p, -1
	return t.rules(rules)
}
