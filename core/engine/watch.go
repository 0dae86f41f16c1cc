package engine

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// Watcher reads a session from outside: expressions over the names of Model.Watching.
type Watcher struct {
	Run     *Run
	Players []string // whom the names stand for, in their order
	Of      string   // whom player, place, scene and prop are about; "" for nobody
	// Ranks gives those who have a place in a standing, the best first.
	Ranks func(standing int) []Ranked
}

// Ranked is a player, or an option, that has a place in a standing, with the number that gives it to them.
type Ranked struct {
	ID     string
	Number fixed.Num
}

// standing reads standings as they are given to whoever watches.
func (f *frame) standing(ref *expr.Ref) types.Value {
	if f.ranks == nil {
		return types.None
	}
	list := f.ranks(ref.Slot)
	if ref.What == expr.StandingOrder {
		ids := make([]types.Value, len(list))
		for i, r := range list {
			ids[i] = types.OfText(r.ID)
		}
		return types.OfItems(ids)
	}
	who := f.locals[ref.Index].Text
	for i, r := range list {
		switch {
		case r.ID != who:
		case ref.What == expr.StandingPlace:
			return types.OfInt(i + 1)
		default:
			return types.OfNum(r.Number)
		}
	}
	return types.None
}

// Trace makes somebody hear of each rule that acts, also of those whose event is refused afterwards.
func (r *Run) Trace(acted func(*model.Rule)) { r.acted = acted }

// Lost is a number that a limit cut off: what a rule, or (nil) a fate, would have made of a variable, and what it became.
type Lost struct {
	Rule        *model.Rule
	Var         *model.Var
	Wanted, Got fixed.Num
}

// Cuts makes somebody hear of each number that a limit cuts off, also in events that are refused afterwards.
func (r *Run) Cuts(heard func(Lost)) { r.cut = heard }

// Settled makes somebody hear what came of each transaction, right after it: of a request, and of everything that time and
// the calendar set off.
func (r *Run) Settled(heard func(*Result)) { r.settled = heard }

// cutOff tells of a number that a limit cut off; one that was only rounded to its steps is none.
func (t *tx) cutOff(r *model.Rule, v *model.Var, wanted, got fixed.Num) {
	if t.run.cut != nil && v.Type.Numeric() && (wanted.Less(v.Min) || v.Max.Less(wanted)) {
		t.run.cut(Lost{r, v, wanted, got})
	}
}

// StandsBefore says whether a player is near enough to go through a passage.
func (r *Run) StandsBefore(player string, p *model.Passage) bool {
	who := r.players[player]
	return who != nil && (r.reachable(who, p.From) || p.BothWays && p.To != nil && r.reachable(who, p.To))
}

// RankOf is the number that orders a present player in a standing; none where they have none.
func (r *Run) RankOf(player string, standing int) types.Value {
	if p := r.players[player]; p != nil {
		return p.ranks[standing]
	}
	return types.None
}

func (w Watcher) frame() *frame {
	f := &frame{run: w.Run, ranks: w.Ranks}
	f.about(w.Run.players[w.Of])
	for _, id := range w.Players {
		f.locals = append(f.locals, types.OfText(id))
	}
	return f
}

// Ask gives an expression's value now. It is an error where it reads what a player has who is not there, or
// cannot be computed.
func (w Watcher) Ask(p *expr.Program) (types.Value, error) {
	for _, r := range p.Reads {
		if err := w.there(r.Ref); err != nil {
			return types.None, err
		}
	}
	f := w.frame()
	v := p.Eval(f)
	return v, f.err
}

// Read gives the value of one name that an expression reads.
func (w Watcher) Read(ref expr.Ref) (types.Value, error) {
	if err := w.there(ref); err != nil {
		return types.None, err
	}
	f := w.frame()
	return f.Read(&ref), f.err
}

func (w Watcher) there(ref expr.Ref) error {
	id := w.Whose(ref)
	if id != "" && !w.Run.Has(id) && ref.What != expr.LocalValue && ref.What != expr.StandingNumber &&
		ref.What != expr.StandingPlace {
		return fmt.Errorf("%s is not in the session", id)
	}
	return nil
}

// CopyOf is which scene or prop a variable is read of, where each has a copy; -1 elsewhere.
func (w Watcher) CopyOf(ref expr.Ref) int {
	f := w.frame()
	if ref.As > 0 {
		f.about(w.Run.players[w.Players[ref.As-1]])
	}
	return f.ownerOf(&ref).at
}

// Whose is the player whose state a name stands for; "" for nobody's.
func (w Watcher) Whose(ref expr.Ref) string {
	switch {
	case ref.Elsewhere():
		return ""
	case ref.As > 0:
		return w.Players[ref.As-1]
	case ref.Who == expr.Local:
		return w.Players[ref.Index]
	case ref.Who == expr.Self, ref.Who == expr.HereScene:
		return w.Of
	case ref.What == expr.Variable && w.Run.m.Holders[ref.Hold].Holder.OfPlayers():
		return w.Of
	}
	return ""
}

// Sees says whether a player's machine is sent what a name stands for (rule 27): as share says, and of what
// is built in a player's place and whether they are dead by everybody in their scene, the rest by
// themselves, time and movables by everybody.
func (w Watcher) Sees(viewer string, ref expr.Ref) bool {
	r, who := w.Run, w.Whose(ref)
	p := r.players[viewer]
	if p == nil {
		return false
	}
	with, scene := "everyone", -1
	if q := r.players[who]; q != nil {
		scene = q.place.Scene
	}
	switch v := r.m.VarOf(ref); {
	case v != nil:
		with = v.With
		if v.Holder == model.OfScene || v.Holder == model.OfProp {
			scene = r.sceneOfOwner(w.frame().ownerOf(&ref))
		}
	case who == "":
	case ref.What == expr.PlaceScene, ref.What == expr.PlaceAxis, ref.What == expr.PlaceFacing, ref.What == expr.PlaceAt, ref.What == expr.Dead:
		with = "scene"
	default:
		with = "self"
	}
	switch with {
	case "nobody":
		return false
	case "self":
		return viewer == who
	case "scene":
		return viewer == who || p.place.Scene == scene
	}
	return true
}

// sceneOfOwner is the scene of a scene's or a prop's state.
func (r *Run) sceneOfOwner(o owner) int {
	if r.m.Holders[o.hold].Kind != nil {
		return r.m.Props[o.at].Scene.Index
	}
	return o.at
}

// Hears says whether a player is told a notice: what is for a player by that one, what is for a scene by whoever is in
// it now and by the one whom it is about, the rest by everyone.
func (r *Run) Hears(player string, n *Notice) bool {
	switch n.To {
	case "player":
		return n.Player == player
	case "scene":
		p := r.players[player]
		return n.Player == player || p != nil && r.m.Scenes[p.place.Scene].ID == n.Scene
	}
	return true
}
