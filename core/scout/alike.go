package scout

import (
	"bytes"
	"encoding/binary"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Of three players or more, a question is about the first, and the others often are alike: a state in which the second has
// what the third has in another leads to the same. Then a key does not say which of them has it: what each has is put in order.
//
// Proof. Exchange two of the others in a state, in the request that comes next and in what it leads to. The engine does the same
// if it never asks for a name, and if nothing depends on who of several comes first where it goes through them by their names:
// rules that do something for each, timers of players, and those rules that happen to several at once (as a session is opened
// again, say, or as everybody goes through a crossing). The first two are excluded. Of the third, interchangeable asks that a
// rule only changes what its own player has and reads nothing of others, so that it makes no difference who is first; the same
// goes for fates, milestones and stopwatches, which are evaluated then. A value that names a player would have to be exchanged
// too, and a draw could tell players apart: both are excluded. All moves are tried for each of the others.
//
// A state is kept as it was found first, and ways go along those first findings: the players in a run are those who did it.

// alike makes keys that do not tell the others apart, where nothing else does.
func (x *moves) alike() {
	if len(x.players) < 3 || !x.s.interchangeable() {
		return
	}
	lens := *x.lens
	lens.Nameless = true
	x.lens = &lens
}

// interchangeable says whether players of whom a question is not about are alike.
func (s *slice) interchangeable() bool {
	m := s.m
	for _, v := range m.Vars {
		if s.vars[v] && (v.Seed || v.Type.Kind == types.Player) {
			return false
		}
	}
	ofOthers := func(p *expr.Program) bool {
		return p != nil && slices.ContainsFunc(p.Reads, func(r expr.Read) bool {
			return r.Ref.Elsewhere() || r.Ref.What == expr.Present || r.Ref.What == expr.HolderOf
		})
	}
	for _, v := range m.Vars {
		if ofOthers(v.While) || slices.ContainsFunc(v.Fates, func(f model.Fate) bool { return ofOthers(f.Set) }) {
			return false
		}
	}
	for _, x := range m.Milestones {
		if ofOthers(x.When) || ofOthers(x.Progress) {
			return false
		}
	}
	if len(m.OwnTimers) > 0 || slices.ContainsFunc(m.Rules, func(r *model.Rule) bool { return forEach(r) }) {
		return false
	}
	atOnce := slices.Concat(s.life(), m.On("milestone"))
	for _, c := range m.OwnCrossings {
		atOnce = slices.Concat(atOnce, c.Rules, c.Each)
	}
	return !slices.ContainsFunc(s.closure(atOnce).rules, func(r *model.Rule) bool {
		alone := r.Crosses == nil && !ofOthers(r.If) && !ofOthers(r.Only)
		each(r.Do, nil, func(a *model.Action, _ []*expr.Program) {
			own := a.Var == nil || a.Var.Holder.OfPlayers() && (a.Target.Who == expr.Self || a.Target.Who == expr.Base)
			alone = alone && own && a.Turn == model.NoTurn && !a.Goes && a.Sends == nil && a.Takes == nil && a.SetsDown == nil && !a.Saves &&
				!ofOthers(a.Value) && !ofOthers(a.If) && !slices.ContainsFunc(a.Reads, ofOthers)
		})
		return !alone
	})
}

// forEach says whether a rule does something for each of several players.
func forEach(r *model.Rule) bool {
	found := false
	each(r.Do, nil, func(a *model.Action, _ []*expr.Program) { found = found || a.Each })
	return found
}

// nameless appends what the lens shows of the session, with what the others have in an order that does not depend on who of
// them has it.
func (w *worker) nameless(into []byte, lens *engine.Lens) []byte {
	into = w.run.LookAround(into, lens)
	var others [][]byte
	for i, p := range w.moves.players {
		one := w.run.LookAt(nil, lens, p)
		for _, part := range [][]byte{w.saved[p].look, w.ofAway(nil, p)} {
			one = append(binary.AppendUvarint(one, uint64(len(part))), part...)
		}
		if i == 0 {
			into = append(binary.AppendUvarint(into, uint64(len(one))), one...)
			continue
		}
		others = append(others, one)
	}
	slices.SortFunc(others, bytes.Compare)
	for _, one := range others {
		into = append(binary.AppendUvarint(into, uint64(len(one))), one...)
	}
	return into
}
