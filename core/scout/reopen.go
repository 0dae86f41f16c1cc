package scout

import (
	"encoding/binary"
	"maps"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
)

// How visits end and begin again: players leave and come back, the session is closed and opened again, or the machine
// crashes. What is on the disk then depends on what was saved:
//
//   - Everything that has changed is written whenever anybody is saved (rule 30). So a crash right after that leads to the
//     same state as one at any later time before the next save; it is tried right after. Where the plan saves at regular
//     times, one of the moves waits until then.
//   - A player who leaves comes back as they were, if the plan saves on leaving. If it does not, they come back as they
//     were when they were last saved; what the others and the world have stays. So each state keeps, in addition, the
//     state in which each player was last saved.

// snapshot is the state in which a player was last saved.
type snapshot struct {
	kept []byte
	look []byte // what the lens shows of the player in it
}

// keep is the session's state, with what the players' last saves hold where that matters.
func (w *worker) keep() []byte {
	var out []byte
	if w.moves.stays {
		out = w.keepAway(out)
	}
	if !w.moves.unsaved {
		return w.run.Keep(out)
	}
	for _, p := range w.moves.players {
		for _, part := range [][]byte{w.saved[p].kept, w.saved[p].look} {
			out = binary.AppendUvarint(out, uint64(len(part)))
			out = append(out, part...)
		}
	}
	return w.run.Keep(out)
}

// recall makes the session what it was when it was kept.
func (w *worker) recall(kept []byte) {
	if w.moves.stays {
		kept = w.readAway(kept)
	}
	if w.moves.unsaved {
		part := func() []byte {
			n, size := binary.Uvarint(kept)
			out := kept[size : size+int(n)]
			kept = kept[size+int(n):]
			return out
		}
		for _, p := range w.moves.players {
			w.saved[p] = snapshot{part(), part()}
		}
	}
	w.run, w.dated = w.home, 0
	w.run.Recall(kept)
	w.weigh()
}

// save notes that players were saved, as they are now.
func (w *worker) save(players ...string) {
	if !w.moves.unsaved || len(players) == 0 {
		return
	}
	kept := w.run.Keep(nil)
	for _, p := range players {
		if w.run.Has(p) {
			w.saved[p] = snapshot{kept, w.run.LookAt(nil, w.moves.lens, p)}
		}
	}
}

// lastSave is the newest save of a player; nil if they were never saved.
func (w *worker) lastSave(player string) *save.Player {
	kept := w.saved[player].kept
	if len(kept) == 0 {
		return nil
	}
	if w.aside == nil {
		w.aside = engine.New(w.m)
	}
	w.aside.Recall(kept)
	return w.aside.Save(player)
}

// leave ends a visit. It returns the request with which the player comes back.
func (w *worker) leave(player string, byServer bool) (*engine.Request, bool) {
	leave := &engine.Request{Do: "leave", Player: player, Server: byServer, At: w.run.Clock(), Date: w.today()}
	w.pending = w.pending[:0]
	elsewhere := w.run.Elsewhere(player)
	res, err := w.run.Step(leave)
	if err != nil || len(res.Left) == 0 {
		return nil, false
	}
	back := returning(res.Left[0], elsewhere)
	wasSaved := false
	for _, s := range res.Saves {
		wasSaved = wasSaved || s.Player == player
	}
	if !wasSaved {
		back.Saved = w.lastSave(player)
		w.ledger.because("a visit that ended without a save")
	}
	w.saw(&res)
	return back, true
}

// returning is the request with which a player comes back as they were saved, with what other games hold of them.
func returning(last *save.Player, elsewhere map[string]save.Values) *engine.Request {
	req := &engine.Request{Do: "join", Player: last.Player, Slot: 1, Saved: last, Profile: last.Profile, Shared: last.Shared}
	if elsewhere == nil {
		return req
	}
	req.Shared = map[string]save.Values{}
	for _, of := range []map[string]save.Values{last.Shared, elsewhere} {
		for commons, values := range of {
			if req.Shared[commons] == nil {
				req.Shared[commons] = save.Values{}
			}
			maps.Copy(req.Shared[commons], values)
		}
	}
	return req
}

// again leaves and comes back.
func (w *worker) again(m *move) bool {
	return w.asOne("leave", func() bool {
		back, ok := w.leave(m.player, false)
		if !ok {
			return false
		}
		w.step("{leave: " + m.player + "}")
		if w.ask(back) != nil {
			return false
		}
		w.crossed(plan.CrossLeave, m.player)
		return true
	})
}

// restart ends all visits, writes everything, and opens the session again.
func (w *worker) restart() bool {
	return w.asOne("restart", func() bool {
		var back []*engine.Request
		for _, id := range w.run.Present() {
			req, ok := w.leave(id, true)
			if !ok {
				return false
			}
			back = append(back, req)
		}
		w.step("{restart: session}")
		return w.open(back)
	})
}

// crash opens the session again with what was written a moment ago, which is all that there is.
func (w *worker) crash() bool {
	return w.asOne("restart", func() bool {
		var back []*engine.Request
		for _, id := range w.run.Present() {
			back = append(back, returning(w.run.Save(id), w.run.Elsewhere(id)))
		}
		w.step("{crash: machine}")
		return w.open(back)
	})
}

// open opens the session again with its world, and lets everybody come back.
func (w *worker) open(back []*engine.Request) bool {
	var world *save.World
	if !w.m.Single {
		world = w.run.World()
	}
	w.dated = w.today()
	w.run = engine.ReopenWith(w.m, world, w.run.Seed()+1) // as a rehearsal does
	w.watch()
	w.crossed(plan.CrossRestart, "")
	for _, req := range back {
		if w.ask(req) != nil {
			return false
		}
	}
	return true
}

// untilSaved waits until the plan saves everybody next.
func (w *worker) untilSaved() {
	every := w.m.SavesEvery().Milliseconds()
	w.advance(every - w.run.Clock()%every)
	w.save(w.run.Present()...)
	w.wrote = true
}
