package engine

import (
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// setMark gives a waymark a place, or none.
func (t *tx) setMark(p *Player, w *model.Waymark, to remembered) {
	if p.marks[w.Index] == to {
		return
	}
	t.touch(p)
	t.note(p, "player."+w.ID, t.run.markValue(p.marks[w.Index]), t.run.markValue(to))
	marks := slices.Clone(p.marks)
	marks[w.Index] = to
	p.marks = marks
}

func (r *Run) markValue(m remembered) types.Value {
	if !m.set {
		return types.None
	}
	return types.OfText(r.PlaceText(m.at))
}

// rememberPlace remembers where a player is, except in the scenes of not_from, where it changes nothing
// (rule 19).
func (t *tx) rememberPlace(p *Player, w *model.Waymark) {
	if !w.NotFrom[t.run.m.Scenes[p.place.Scene]] {
		t.setMark(p, w, remembered{true, p.place})
	}
}

// goWhere carries out go: to a spot, or to a waymark, which is used up by it unless it is lasting. A go
// that cannot arrive fails the event.
func (t *tx) goWhere(w pending) error {
	switch {
	case !t.run.Has(w.player.id):
		return nil
	case w.scene != nil:
		return t.goTo(w.player, t.run.over(w.scene, w.carry, w.player.place))
	case w.mark == nil:
		return t.goTo(w.player, spotPlace(w.spot, w.player.place.Facing))
	case w.player.marks[w.mark.Index].set:
		return t.goToMark(w.player, w.mark)
	case w.spot != nil:
		return t.goTo(w.player, spotPlace(w.spot, w.player.place.Facing))
	}
	return &Refusal{Kind: Refused, Reason: w.mark.Title + ": nothing is remembered.", Rule: w.cause.Rule,
		Named: w.cause.Named,
		Line:  w.cause.Line}
}

func (t *tx) goToMark(p *Player, w *model.Waymark) error {
	to := p.marks[w.Index].at
	if !w.Lasting {
		t.setMark(p, w, remembered{})
	}
	return t.goTo(p, to)
}

// forgetOn makes those waymarks none that are forgotten on arriving where the player is.
func (t *tx) forgetOn(p *Player) {
	for _, w := range t.run.m.Waymarks {
		if w.ForgetOn[t.run.m.Scenes[p.place.Scene]] {
			t.setMark(p, w, remembered{})
		}
	}
}

// crossMarks applies a column to a player's waymarks.
func (t *tx) crossMarks(column plan.Crossing, p *Player) {
	for i, w := range t.run.m.Waymarks {
		switch w.Fates.At(column).Kind {
		case "reset":
			t.fated("reset")
			t.setMark(p, w, remembered{})
		case "rewind":
			t.fated("rewind")
			t.setMark(p, w, p.record.marks[i])
		}
	}
}
