package engine

import (
	"maps"
	"slices"

	"alluvion.dev/core/save"
)

// Ledger knows what has changed since it was last written down, and cuts saves between two requests: whoever is to be
// saved, the world, and every player with whom either of them has changed something together, so that what changed hands
// is neither doubled nor lost (rule 30). The zero Ledger knows of no change.
type Ledger struct {
	players map[string]*bond
	world   *bond // nil where it has not changed
	// recovered are the players whose last write was recovery state, together with another player's save. That is no save,
	// so the next regular save includes them.
	recovered map[string]bool
}

// bond is who has changed something together since it was last written down, by one request or by several.
type bond struct {
	players []string
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
	var first *bond
	if asked != "" && r.Has(asked) {
		first = l.of(asked)
		if r.holds(asked) { // what they hold is where they are
			first = l.bind(first, l.of(""))
		}
	}
	for _, id := range r.besides { // a crossing that changed nothing else, or the number of a server's request
		first = l.bind(first, l.of(id))
	}
	r.besides = r.besides[:0]
	for i := range changes {
		first = l.bind(first, l.of(changes[i].Player))
	}
}

// of is the bond of a player, or ("") of the world, who has changed.
func (l *Ledger) of(player string) *bond {
	if player == "" {
		if l.world == nil {
			l.world = &bond{world: true}
		}
		return l.world
	}
	b := l.players[player]
	if b == nil {
		if l.players == nil {
			l.players = map[string]*bond{}
		}
		b = &bond{players: []string{player}}
		l.players[player] = b
	}
	return b
}

// bind makes one bond of two.
func (l *Ledger) bind(a, b *bond) *bond {
	if a == nil || a == b {
		return b
	}
	if len(a.players) < len(b.players) {
		a, b = b, a
	}
	for _, id := range b.players {
		l.players[id] = a
	}
	a.players, a.world = append(a.players, b.players...), a.world || b.world
	if a.world {
		l.world = a
	}
	return a
}

// Changed notes that a player has changed; "" is the world.
func (l *Ledger) Changed(player string) { l.of(player) }

// Together notes that all of these changed together: they were to be written so, and could not be.
func (l *Ledger) Together(players []string, world bool) {
	var first *bond
	if world {
		first = l.of("")
	}
	for _, id := range players {
		first = l.bind(first, l.of(id))
	}
}

// Many is how many players are known to have changed.
func (l *Ledger) Many() int { return len(l.players) }

// Players lists those who have changed since they were last saved, by id: also those of whom something changes by itself,
// as a stopwatch that runs; and, in a game for one player, whoever is there when the world has changed.
func (l *Ledger) Players(r *Run) []string {
	out := slices.Collect(maps.Keys(l.players))
	single := r.m.Single && l.World(r)
	for _, p := range r.order {
		if l.players[p.id] == nil && (single || l.recovered[p.id] || r.moves(p)) {
			out = append(out, p.id)
		}
	}
	slices.Sort(out)
	return out
}

// World says whether the world has changed, or something in it changes by itself.
func (l *Ledger) World(r *Run) bool { return l.world != nil || r.worldMoves() }

// Forget drops what is known of a player.
func (l *Ledger) Forget(player string) {
	delete(l.recovered, player)
	if b := l.players[player]; b != nil {
		b.players = slices.DeleteFunc(b.players, func(id string) bool { return id == player })
		delete(l.players, player)
	}
}

// Cut takes what is to be written, where there is a moment to save or somebody left: those players, the world, and who
// has changed anything together with them; nothing of it counts as changed after that. With whole it takes all that has
// changed, also where nobody is to be saved. False where there is nothing.
func (l *Ledger) Cut(r *Run, moments []SaveMoment, left []*save.Player, whole bool) (Cut, bool) {
	if len(moments)+len(left) == 0 && (!whole || len(l.players) == 0 && l.world == nil) {
		return Cut{}, false
	}
	own := map[string]string{}
	for _, m := range moments {
		own[m.Player] = m.Moment
	}
	world := own[""] != "" || l.World(r)
	taken := l.taken(own, left, whole)
	var c Cut
	for _, doc := range left {
		c.Parts = append(c.Parts, Part{doc, own[doc.Player], true})
		delete(taken, doc.Player)
		l.Forget(doc.Player)
	}
	for _, id := range slices.Sorted(maps.Keys(taken)) {
		if r.Has(id) {
			c.Parts = append(c.Parts, Part{r.Save(id), own[id], false})
			l.wrote(id, own[id] != "")
		}
		delete(l.players, id)
	}
	if world && !r.m.Single {
		c.World = r.World()
	}
	l.world = nil
	return c, true
}

// wrote notes that a player was written: saved, or as recovery state.
func (l *Ledger) wrote(player string, saved bool) {
	switch {
	case saved:
		delete(l.recovered, player)
	case l.recovered == nil:
		l.recovered = map[string]bool{player: true}
	default:
		l.recovered[player] = true
	}
}

// taken are the players of a cut: who has a moment, who leaves, and all who are bound to one of these or to the world.
func (l *Ledger) taken(own map[string]string, left []*save.Player, whole bool) map[string]bool {
	out := map[string]bool{}
	take := func(b *bond) {
		for _, id := range b.players {
			out[id] = true
		}
	}
	for id := range own {
		if id != "" {
			take(l.of(id))
		}
	}
	for _, doc := range left {
		take(l.of(doc.Player))
	}
	if l.world != nil {
		take(l.world)
	}
	if whole {
		for id := range l.players {
			out[id] = true
		}
	}
	return out
}

// holds says whether a player holds a movable.
func (r *Run) holds(player string) bool {
	return slices.ContainsFunc(r.things, func(x thing) bool { return x.holder != nil && x.holder.id == player })
}
