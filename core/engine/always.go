package engine

import (
	"fmt"
	"slices"

	"alluvion.dev/core/expr"
)

// What always holds is judged when the transaction commits, and refuses only what turns it from true
// to false (rule 10). So each invariant is asked before the first change of what it reads.

func (t *tx) watchPlayer(p *Player) {
	if t.run.m.AlwaysOfPlayers == 0 || p.watched == t.serial {
		return
	}
	p.watched = t.serial
	for _, a := range t.run.m.Always {
		if a.AboutPlayer {
			t.watches = append(t.watches, watch{a, p, t.ask(watch{always: a, player: p})})
		}
	}
}

// watchWorld asks the invariants that a change of the world can break: those about nobody, and those
// about players that read the world too.
func (t *tx) watchWorld() {
	if t.looked == t.serial {
		return
	}
	t.looked = t.serial
	for _, a := range t.run.m.Always {
		if !a.AboutPlayer {
			t.watches = append(t.watches, watch{a, nil, t.ask(watch{always: a})})
			continue
		}
		if a.That.ReadsAny(t.run.ofWorld) {
			for _, p := range t.run.order {
				t.watchPlayer(p)
			}
		}
	}
}

// ofWorld says whether a reference is to something that no single player has.
func (r *Run) ofWorld(ref expr.Ref) bool {
	if ref.Elsewhere() {
		return true
	}
	switch ref.What {
	case expr.Variable, expr.Count:
		return !r.m.Holders[ref.Hold].Holder.OfPlayers()
	case expr.Holds, expr.HolderOf, expr.MovableAt, expr.Present:
		return true
	}
	return false
}

func (t *tx) ask(w watch) bool {
	f := t.other()
	f.about(w.player)
	return w.always.That.True(f) && f.err == nil
}

// judge refuses the transaction where it broke an invariant; where nothing can be refused the breach
// is told.
func (t *tx) judge() error {
	for _, w := range t.watches {
		if !t.breaks(w) || slices.Contains(t.excused, w) {
			continue
		}
		if !t.settled {
			return w.refusal()
		}
		t.tell(Notice{Player: playerID(w.player), To: "player", Kind: "breach", Text: w.refusal().Reason})
	}
	return nil
}

// breaks says whether the transaction has broken an invariant, as far as it has come.
func (t *tx) breaks(w watch) bool {
	return w.held && !t.gone(w.player) && !t.ask(w)
}

// gone says whether a player has left in this transaction.
func (t *tx) gone(p *Player) bool { return p != nil && len(t.exited) > 0 && !t.run.Has(p.id) }

func (w watch) refusal() *Refusal {
	text := w.always.Refused.Text
	if text == "" {
		text = fmt.Sprintf("This would break what always holds: %s.", w.always.That.Source)
	}
	return &Refusal{Kind: Refused, Reason: text, Line: w.always.At.Line}
}

// broken lists the invariants that are broken by now; newlyBroken refuses where another one is.
func (t *tx) broken() []watch {
	var out []watch
	for _, w := range t.watches {
		if t.breaks(w) {
			out = append(out, w)
		}
	}
	return out
}

func (t *tx) newlyBroken(before []watch) error {
	for _, w := range t.watches {
		if t.breaks(w) && !slices.Contains(before, w) && !slices.Contains(t.excused, w) {
			return w.refusal()
		}
	}
	return nil
}
