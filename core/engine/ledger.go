package engine

import (
	"maps"
	"slices"

	"alluvion.dev/core/save"
)

// Ledger knows what has changed since it was last written down, and cuts saves: between two requests, the
// world and every player that changed, so that what changed hands is neither doubled nor lost (rule 30). The
// zero Ledger knows of no change.
type Ledger struct {
	players map[string]bool
	world   bool
}

// Part is one player's part of a cut. Without a Moment it is recovery state: only a crash brings it back.
type Part struct {
	Doc    *save.Player
	Moment string
	Left   bool // the player has left
}

// Cut is what is written together.
type Cut struct {
	Parts []Part
	World *save.World // nil where it has not changed, or is part of the player's save
}

// Note remembers what a request changed. The one who asked for it counts as changed in any case: their place
// may be another, and the number of their request is.
func (l *Ledger) Note(r *Run, changes []Change, asked string) {
	if asked != "" && r.Has(asked) {
		l.Changed(asked)
		l.world = l.world || len(r.Held(asked)) > 0 // what they hold is where they are
	}
	for _, id := range r.metBy { // a crossing that changed nothing else
		l.Changed(id)
	}
	r.metBy = r.metBy[:0]
	for _, c := range changes {
		if c.Player != "" {
			l.Changed(c.Player)
		} else {
			l.world = true
		}
	}
}

// Changed notes that a player has changed; "" is the world.
func (l *Ledger) Changed(player string) {
	if player == "" {
		l.world = true
		return
	}
	if l.players == nil {
		l.players = map[string]bool{}
	}
	l.players[player] = true
}

// Players lists those who have changed, by id: also those of whom something changes by itself, as a stopwatch that
// runs; and, in a game for one player, whoever is there when the world has changed.
func (l *Ledger) Players(r *Run) []string {
	out := slices.Collect(maps.Keys(l.players))
	single := r.m.Single && l.World(r)
	for _, p := range r.order {
		if !l.players[p.id] && (single || r.moves(p)) {
			out = append(out, p.id)
		}
	}
	slices.Sort(out)
	return out
}

// World says whether the world has changed, or something in it changes by itself.
func (l *Ledger) World(r *Run) bool { return l.world || r.worldMoves() }

// Forget drops what is known of a player.
func (l *Ledger) Forget(player string) { delete(l.players, player) }

// Cut takes all that has changed, where there is a moment to save or somebody left; false where there is
// neither. Nothing counts as changed after it.
func (l *Ledger) Cut(r *Run, moments []SaveMoment, left []*save.Player) (Cut, bool) {
	if len(moments) == 0 && len(left) == 0 {
		return Cut{}, false
	}
	own := map[string]string{}
	for _, m := range moments {
		own[m.Player] = m.Moment
	}
	var c Cut
	for _, doc := range left {
		c.Parts = append(c.Parts, Part{doc, own[doc.Player], true})
		delete(l.players, doc.Player)
	}
	for _, id := range r.Present() {
		if l.players[id] || own[id] != "" {
			c.Parts = append(c.Parts, Part{r.Save(id), own[id], false})
		}
	}
	if (l.World(r) || own[""] != "") && !r.m.Single {
		c.World = r.World()
	}
	l.players, l.world = nil, false
	return c, true
}
