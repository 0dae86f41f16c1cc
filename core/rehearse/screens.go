package rehearse

import (
	"bytes"
	"fmt"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/share"
)

// screens are what the players' machines of one session have been sent, frame by frame, as the service sends it: each
// machine believes what its frames said and nothing else. A nil one is of a script that looks at no machine.
type screens struct {
	board *share.Board
	of    map[string]*screen
}

// screen is one machine.
type screen struct {
	mirror *share.Mirror
	heard  int64 // the last tick that it was sent
	sight  share.Sight
}

// looksAtMachines says whether a script asks what machines have been sent.
func looksAtMachines(script *plan.Rehearsal) bool {
	for i := range script.Steps {
		if script.Steps[i].Verb == "sees" {
			return true
		}
	}
	return false
}

func newScreens(x *machine) *screens {
	return &screens{board: share.NewBoard(x.run, share.LayoutOf(x.m)), of: map[string]*screen{}}
}

func (s *screens) note(changes []engine.Change, asked string) {
	if s != nil {
		s.board.Note(changes, asked)
	}
}

// replaced says that the whole world may be another one.
func (s *screens) replaced() {
	if s != nil {
		s.board.Replaced()
	}
}

// show sends every machine what has changed since it heard last. Who has come is sent everything; the machine of who
// has left forgets.
func (s *screens) show(x *machine) {
	if s == nil {
		return
	}
	s.board.Tick(x.clock)
	for id := range s.of {
		if !x.run.Has(id) {
			delete(s.of, id)
		}
	}
	for _, p := range x.run.Now() {
		one := s.of[p.ID()]
		if one == nil {
			one = &screen{mirror: share.NewMirror(s.board.Layout), heard: share.Whole}
			s.of[p.ID()] = one
		}
		// A machine that is to say what it believes is told of all who are near, and nothing waits for a later frame.
		frame, ok := s.board.Frame(nil, share.Packed, p.ID(), one.heard, share.Words{Check: true}, &one.sight)
		if !ok {
			continue
		}
		if _, err := one.mirror.ApplyPacked(frame); err != nil {
			panic(err) // a frame that was just written can be read
		}
		one.heard = s.board.Now()
	}
}

// has says whether a player's machine has what a name stands for, or would be sent it as soon as it is anything but
// its start value.
func (s *screens) has(x *machine, w engine.Watcher, viewer string, r expr.Read) bool {
	one := s.of[viewer]
	if one == nil {
		return false
	}
	address, known := s.address(x, w, r.Ref)
	if known {
		if _, there := one.mirror.JSON(address); there {
			return true
		}
	}
	return (!known || s.neverChanged(address)) && s.isFor(x, w, viewer, r.Ref)
}

// isFor says whether a machine is sent what a name stands for: as the plan shares it, and of other players in a scene with
// near only where they are near.
func (s *screens) isFor(x *machine, w engine.Watcher, viewer string, ref expr.Ref) bool {
	v := x.m.VarOf(ref)
	return w.Sees(viewer, ref) && (v == nil || v.With != "scene" || !s.outOfSight(x, w, viewer, ref))
}

// lacks says what is wrong with a machine that ought to have what a name stands for; "" where it has it as it is now.
func (s *screens) lacks(x *machine, w engine.Watcher, viewer string, r expr.Read) string {
	one := s.of[viewer]
	if one == nil {
		return fmt.Sprintf("%s is not in the session", viewer)
	}
	address, known := s.address(x, w, r.Ref)
	if !known {
		if s.isFor(x, w, viewer, r.Ref) {
			return ""
		}
		return fmt.Sprintf("%s is never sent %s", viewer, r.Path)
	}
	ought, _ := s.board.JSON(address)
	is, there := one.mirror.JSON(address)
	switch {
	case !there && s.neverChanged(address) && s.isFor(x, w, viewer, r.Ref): // it has its start value, which the layout says
		return ""
	case !there && s.outOfSight(x, w, viewer, r.Ref):
		return fmt.Sprintf("%s has not been sent %s: %s is not near", viewer, r.Path, w.Whose(r.Ref))
	case !there:
		return fmt.Sprintf("%s has not been sent %s", viewer, r.Path)
	case s.board.Late(address):
		return fmt.Sprintf("%s still has %s as %s: it is told %s at most", viewer, r.Path, is, x.m.VarOf(r.Ref).Decl.Share.Told.Value)
	case !bytes.Equal(is, ought):
		return fmt.Sprintf("%s was sent %s as %s, and it is %s", viewer, r.Path, is, ought)
	}
	return ""
}

// outOfSight says whether a machine is not sent what another player has because they are not near, in a scene that says so.
func (s *screens) outOfSight(x *machine, w engine.Watcher, viewer string, ref expr.Ref) bool {
	who := w.Whose(ref)
	at, there := x.run.Place(who)
	if !there || !w.Sees(viewer, ref) || x.m.Scene(at.Scene).Tells == nil {
		return false
	}
	_, near := s.of[viewer].mirror.JSON("player.place@" + who)
	return !near
}

// neverChanged says whether nothing stands under an address: what a prop or a pair holds and nothing ever changed.
func (s *screens) neverChanged(address string) bool {
	_, stands := s.board.JSON(address)
	return !stands
}

// address is where views have what a name stands for; false for what stands under no single address: the time, and
// what is counted.
func (s *screens) address(x *machine, w engine.Watcher, ref expr.Ref) (string, bool) {
	who := w.Whose(ref)
	of := func(name string) (string, bool) { return "player." + name + "@" + who, true }
	switch ref.What {
	case expr.Variable:
		return s.board.AddressOf(x.m.VarOf(ref), who, w.CopyOf(ref))
	case expr.Dead:
		return of("dead")
	case expr.Checkpoint:
		return of("checkpoint")
	case expr.SaveSlot:
		return of("slot")
	case expr.Visits, expr.FirstVisit:
		return of("visits")
	case expr.PlaceScene, expr.PlaceFacing, expr.PlaceAxis, expr.PlaceAt, expr.InArea:
		return of("place")
	case expr.Waymark:
		return of(x.m.Waymarks[ref.Slot].ID)
	case expr.Earned:
		return of("milestones")
	case expr.Holds:
		return "movables[" + x.m.Movables[ref.Slot].ID + "]", true
	case expr.HolderOf, expr.MovableAt:
		return "movables[" + x.m.Movables[ref.Index].ID + "]", true
	}
	return "", false
}
