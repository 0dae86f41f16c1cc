package scout

import (
	"crypto/sha256"
	"maps"
	"slices"
	"sync"

	json "github.com/go-json-experiment/json/v1"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Where several play, and the others make a difference, one can leave and stay away while the others play on, and come back
// later. A kept state has, for each player, whether they are away, and the digest of what they come back with. What that is
// stands in a table, once for all states: saves are large, and few of them differ.

// returns are the requests with which players of kept states come back, by their digests. Workers share them.
type returns struct {
	mu   sync.Mutex
	of   map[key]*engine.Request
	size int // about how many bytes they take
}

func (r *returns) put(a *absence) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.of == nil {
		r.of = map[key]*engine.Request{}
	}
	if r.of[a.whole] == nil {
		r.of[a.whole] = a.back
		r.size += 4 * a.size // as values, it is larger than as text
	}
}

func (r *returns) get(k key) *engine.Request {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.of[k]
}

func (r *returns) bytes() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.size
}

// absence is a player's, who has left.
type absence struct {
	back  *engine.Request // with which they come back
	size  int             // of that as text
	whole key             // of all of it
	shown key             // of what the lens shows of it: two of these that are equal make no difference
}

// stayAway lets players stay away, where others could make a difference.
func (x *moves) stayAway() {
	if len(x.players) < 2 || !x.s.others() {
		return
	}
	x.stays = true
	for _, p := range x.players {
		x.add(move{do: "leave", player: p, scene: -1, way: noWay})
		x.add(move{do: "back", player: p, scene: -1})
	}
}

// stay ends a visit. The last one stays: a session in which nobody is stands still.
func (w *worker) stay(m *move) bool {
	if !w.fits(m) { // a run that is made shorter may have left out what came before
		return false
	}
	return w.asOne("leave", func() bool {
		back, ok := w.leave(m.player, false)
		if !ok {
			return false
		}
		w.step("{leave: " + m.player + "}")
		whole, size := keyOf(m.player, back.Saved, back.Profile, back.Shared) // of who was never saved, only the name
		w.away[m.player] = absence{back, size, whole, w.shownOf(back)}
		return true
	})
}

// comeBack begins the next visit of somebody who is away.
func (w *worker) comeBack(m *move) bool {
	one, away := w.away[m.player]
	if !away {
		return false
	}
	return w.asOne("leave", func() bool {
		back := *one.back
		if w.ask(&back) != nil {
			return false
		}
		delete(w.away, m.player)
		w.crossed(plan.CrossLeave, m.player)
		return true
	})
}

func keyOf(parts ...any) (k key, size int) {
	raw, err := json.Marshal(parts) // maps in the order of their keys
	if err != nil {
		panic(err) // plain data
	}
	sum := sha256.Sum256(raw)
	return key(sum[:16]), len(raw)
}

// ofAway appends whether somebody is away, what shows of what they come back with, and whether they have missed anything.
func (w *worker) ofAway(into []byte, player string) []byte {
	one, away := w.away[player]
	if !away {
		return append(into, 0)
	}
	into = append(append(into, 1), one.shown[:]...)
	if one.back.Saved != nil {
		for _, missed := range w.run.Missed(one.back.Saved) {
			into = append(into, map[bool]byte{true: 1}[missed])
		}
	}
	return into
}

// shownOf is what the lens shows of what somebody comes back with. It tells more apart than it would have to, which does no
// harm but that it takes longer.
func (w *worker) shownOf(back *engine.Request) key {
	profile := back.Profile
	if profile != nil {
		over := *profile
		over.Player, over.Crossed, profile = "", nil, &over
	}
	if back.Saved == nil { // what they have over all slots and games is theirs all the same
		shown, _ := keyOf(profile, back.Shared)
		return shown
	}
	lens, s := w.moves.lens, *back.Saved
	s.Number, s.Standings, s.About, s.Attic, s.World = 0, nil, nil, nil, nil
	s.Player, s.Crossed = "", nil // only whether there is anything that they have missed counts, and that is asked of the session
	if !lens.Visits {
		s.Visits = 0
	}
	if !lens.Entry {
		s.Entry = save.Place{}
	}
	place := func(p save.Place) save.Place {
		if scene := w.m.Scene(p.Scene); scene == nil || !lens.Exact[scene.Index] {
			p.At = nil
		}
		if !lens.Facing {
			p.Facing = ""
		}
		return p
	}
	marks := func(all map[string]save.Place) map[string]save.Place {
		out := map[string]save.Place{}
		for _, x := range w.m.Waymarks {
			if at, set := all[x.ID]; set && lens.Marks[x.Index] {
				out[x.ID] = place(at)
			}
		}
		return out
	}
	s.Place, s.Entry = place(s.Place), place(s.Entry)
	s.Waymarks, s.Record.Waymarks, s.Record.World = marks(s.Waymarks), marks(s.Record.Waymarks), nil
	s.Values, s.Record.Values = w.shownValues(s.Values), w.shownValues(s.Record.Values)
	s.Profile = nil
	shown, _ := keyOf(s, profile, back.Shared)
	return shown
}

// shownValues are those of a player's own that the slice has.
func (w *worker) shownValues(all save.Values) save.Values {
	h := w.m.Holders[model.OfPlayer]
	out := maps.Clone(all)
	for i, v := range h.Stored {
		is, there := out[v.ID]
		switch most := w.moves.lens.Most[model.OfPlayer][i]; {
		case !there:
		case !slices.Contains(w.moves.lens.Slots[model.OfPlayer], i):
			delete(out, v.ID)
		case most.Sign() > 0 && most.Less(is.Num):
			out[v.ID] = types.OfNum(most)
		}
	}
	return out
}

// keepAway writes who is away, and what they come back with; readAway reads it, and gives what is behind it.
func (w *worker) keepAway(into []byte) []byte {
	for _, p := range w.moves.players {
		one, away := w.away[p]
		if !away {
			into = append(into, 0)
			continue
		}
		w.moves.returns.put(&one)
		into = append(append(append(into, 1), one.whole[:]...), one.shown[:]...)
	}
	return into
}

func (w *worker) readAway(kept []byte) []byte {
	clear(w.away)
	for _, p := range w.moves.players {
		away := kept[0] == 1
		kept = kept[1:]
		if away {
			whole := key(kept[:16])
			w.away[p] = absence{back: w.moves.returns.get(whole), whole: whole, shown: key(kept[16:32])}
			kept = kept[32:]
		}
	}
	return kept
}
