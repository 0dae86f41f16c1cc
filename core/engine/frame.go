package engine

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// frame is what an expression reads: whom it is about, with the arguments of the event. It is an
// expr.Env.
type frame struct {
	run    *Run
	player *Player // nil where the expression is about nobody
	scene  int     // the scene that it is about; -1 for the player's
	prop   int     // the prop that it is about; -1 for none
	args   []types.Value
	person *Player                     // the present player who is at hand, where one is
	hand   []int                       // by list: the option at hand, where there is one
	fresh  bool                        // what is held for options is read as its start
	locals []types.Value               // the rule's own names
	days   int                         // since the calendar's last turn, where a crossing of the calendar is made
	ranks  func(standing int) []Ranked // of who watches; nil elsewhere
	err    error
}

// about makes the frame about a player (or nobody) and nothing else.
func (f *frame) about(p *Player) { f.player, f.scene, f.prop = p, -1, -1 }

// aboutOwner makes the frame about whoever has a copy of something.
func (f *frame) aboutOwner(o owner) {
	f.about(o.player)
	switch f.run.m.Holders[o.hold].Holder {
	case model.OfScene, model.OfPlayerScene:
		f.scene = o.at
	case model.OfProp, model.OfPlayerProp:
		f.prop = o.at
	case model.OfList, model.OfPlayerList, model.OfProfileList:
		f.Hand(f.run.m.Holders[o.hold].List.Index, o.at)
	}
}

// Hand makes an option of a list the one at hand, and gives the one before it.
func (f *frame) Hand(list, option int) int {
	if f.hand == nil {
		f.hand = make([]int, len(f.run.m.Lists))
	}
	before := f.hand[list]
	f.hand[list] = option
	return before
}

// Changed are the options for which something of what references read was ever changed. Computed variables, stopwatches
// and seeds have no start that is the same for everybody.
func (f *frame) Changed(refs []*expr.Ref, most int) ([]int, bool) {
	var out []int
	for i, ref := range refs {
		h := f.run.m.Holders[ref.Hold]
		if ref.Slot >= len(h.Stored) || h.Stored[ref.Slot].Stopwatch || h.Stored[ref.Slot].Seed {
			return nil, false
		}
		if slices.ContainsFunc(refs[:i], func(r *expr.Ref) bool { return r.Hold == ref.Hold }) {
			continue
		}
		of := owner{hold: ref.Hold}
		if h.Holder.OfPlayers() {
			if of.player = f.whose(ref); of.player == nil {
				return nil, false
			}
		}
		all := f.run.copiesOf(of)
		if len(all) > most {
			return nil, false
		}
		for key := range all {
			if key.hold == ref.Hold && (i == 0 || !slices.Contains(out, key.at)) {
				out = append(out, key.at)
			}
		}
	}
	return out, true
}

// AtStart lets what is held for options be read as its start.
func (f *frame) AtStart(on bool) { f.fresh = on }

// Fault gives what went wrong first, and puts another in its place.
func (f *frame) Fault(with error) error {
	was := f.err
	f.err = with
	return was
}

// Person makes a present player the one at hand, and gives how many are present.
func (f *frame) Person(i int) int {
	f.person = nil
	if 0 <= i && i < len(f.run.order) {
		f.person = f.run.order[i]
	}
	return len(f.run.order)
}

// optionOf is which option of its list a reference means; -1 where that is none.
func (f *frame) optionOf(ref *expr.Ref) int {
	list := f.run.m.Holders[ref.Hold].List
	switch o := ref.Option; {
	case o.Of != nil:
		return list.Option(f.Read(o.Of).Text)
	case o.Here:
		return f.hand[list.Index]
	default:
		return o.Index
	}
}

// Fail keeps the first thing that went wrong.
func (f *frame) Fail(err error) {
	if f.err == nil {
		f.err = err
	}
}

// Number gives the number that a name stands for.
func (f *frame) Number(ref *expr.Ref) fixed.Num {
	if ref.What == expr.Itself && ref.Who == expr.Nobody {
		return f.args[ref.Index].Num
	}
	return f.Read(ref).Num
}

// Mine gives a number that the player holds.
func (f *frame) Mine(slot int) fixed.Num { return f.player.vars[slot].Num }

// Read gives the value that a name stands for.
func (f *frame) Read(ref *expr.Ref) types.Value {
	if ref.As > 0 {
		return f.readAs(*ref)
	}
	switch ref.What {
	case expr.Variable:
		return f.variable(ref)
	case expr.Itself:
		switch ref.Who {
		case expr.Self:
			return types.OfText(f.player.id)
		case expr.Someone:
			return types.OfText(f.person.id)
		case expr.HereProp, expr.OneProp:
			return types.OfText(f.run.m.Props[f.propOf(ref)].ID)
		}
		return f.args[ref.Index]
	case expr.LocalValue:
		return f.locals[ref.Index]
	case expr.Time:
		return types.OfNum(seconds(f.run.clock))
	case expr.AtHand:
		list := f.run.m.Lists[ref.Slot]
		return types.OfText(list.Options[f.hand[list.Index]].ID)
	case expr.Missed:
		return types.OfInt(f.days)
	case expr.Present:
		return types.OfInt(len(f.run.order))
	case expr.Count:
		return f.counted(ref)
	case expr.HolderOf:
		if p := f.run.things[ref.Index].holder; p != nil {
			return types.OfText(p.id)
		}
		return types.None
	case expr.MovableAt:
		return f.run.partOf(f.run.thingPlace(ref.Index), ref.Slot)
	case expr.StandingOrder, expr.StandingNumber, expr.StandingPlace:
		return f.standing(ref)
	}
	return f.builtIn(ref)
}

// readAs reads what is about another player than the frame's.
func (f *frame) readAs(ref expr.Ref) types.Value {
	other := *f
	other.about(f.run.players[f.locals[ref.As-1].Text])
	ref.As = 0
	out := other.Read(&ref)
	f.err = other.err
	return out
}

func (f *frame) builtIn(ref *expr.Ref) types.Value {
	p := f.whose(ref)
	if p == nil {
		return types.None
	}
	switch ref.What {
	case expr.Dead:
		return types.OfBool(p.dead)
	case expr.Checkpoint:
		if p.reached < 0 {
			return types.None
		}
		return types.OfText(f.run.m.Checkpoints[p.reached].ID)
	case expr.SaveSlot:
		return types.OfInt(p.slot)
	case expr.Visits:
		return types.OfInt(p.visits)
	case expr.FirstVisit:
		return types.OfBool(p.visits == 1)
	case expr.InArea:
		return types.OfBool(f.run.in(p, f.run.m.Areas[ref.Slot]))
	case expr.Holds:
		return types.OfBool(f.run.things[ref.Slot].holder == p)
	case expr.Earned:
		return types.OfBool(p.earned[ref.Slot])
	case expr.Waymark:
		if m := p.marks[ref.Slot]; m.set {
			return types.OfText(f.run.PlaceText(m.at))
		}
		return types.None
	case expr.PlaceScene:
		return f.run.partOf(p.place, expr.AtScene)
	case expr.PlaceFacing:
		return f.run.partOf(p.place, expr.AtFacing)
	case expr.PlaceAt:
		return f.run.partOf(p.place, expr.AtPoint)
	case expr.PlaceAxis:
		return types.OfNum(p.place.At[ref.Slot])
	}
	return types.None
}

// partOf is one part of a place: an axis, or one of expr.AtScene, AtFacing and AtPoint.
func (r *Run) partOf(p Place, part int) types.Value {
	switch part {
	case expr.AtScene:
		return types.OfText(r.m.Scenes[p.Scene].ID)
	case expr.AtFacing:
		return types.OfText(p.Facing)
	case expr.AtPoint:
		items := make([]types.Value, len(r.m.Axes))
		for i := range items {
			items[i] = types.OfNum(p.At[i])
		}
		return types.OfItems(items)
	}
	return types.OfNum(p.At[part])
}

// whose finds the player that a reference means.
func (f *frame) whose(ref *expr.Ref) *Player {
	switch ref.Who {
	case expr.Arg:
		return f.run.players[f.args[ref.Index].Text]
	case expr.Local:
		return f.run.players[f.locals[ref.Index].Text]
	case expr.Through:
		return f.run.players[f.Read(ref.Via).Text]
	case expr.Someone:
		return f.person
	}
	return f.player
}

// sceneOf finds the scene that a reference means.
func (f *frame) sceneOf(ref *expr.Ref) int {
	switch {
	case ref.Who == expr.OneScene:
		return ref.Index
	case f.scene >= 0:
		return f.scene
	}
	return f.player.place.Scene
}

// propOf finds the prop that a reference means.
func (f *frame) propOf(ref *expr.Ref) int {
	switch ref.Who {
	case expr.OneProp:
		return ref.Index
	case expr.PropArg:
		kind := f.run.m.Holders[ref.Hold].Kind
		return kind.Prop(f.args[ref.Index].Text).Index
	}
	return f.prop
}

// owner is who has the copy of a variable that is meant.
type owner struct {
	hold   int     // which holding
	player *Player // where players have one each
	at     int     // the scene, the prop or the option, where each has one; -1 otherwise
}

func (f *frame) ownerOf(ref *expr.Ref) owner {
	o := owner{ref.Hold, nil, -1}
	switch f.run.m.Holders[ref.Hold].Holder {
	case model.OfPlayer:
		o.player = f.whose(ref)
	case model.OfScene:
		o.at = f.sceneOf(ref)
	case model.OfPlayerScene:
		o.player, o.at = f.player, f.sceneOf(ref)
	case model.OfProp:
		o.at = f.propOf(ref)
	case model.OfPlayerProp:
		o.player, o.at = f.player, f.propOf(ref)
	case model.OfList:
		o.at = f.optionOf(ref)
	case model.OfPlayerList, model.OfProfileList:
		o.player, o.at = f.whose(ref), f.optionOf(ref)
	case model.OfProfile:
		o.player = f.whose(ref)
	}
	return o
}

// values are what an owner has, by slot; nil where it was never changed.
func (r *Run) values(o owner) []types.Value {
	switch model.Holder(o.hold) {
	case model.OfPlayer:
		return o.player.vars
	case model.OfScene:
		return r.scenes[o.at]
	case model.OfGame:
		return r.game
	}
	if r.m.Holders[o.hold].Holder == model.OfProfile {
		return o.player.profile
	}
	return r.copiesOf(o)[copyKey{o.hold, o.at}]
}

func (r *Run) copiesOf(o owner) copies {
	if o.player != nil {
		return o.player.pairs
	}
	return r.props
}

// touched are what an owner has, to be changed: where it was never changed it comes into being.
func (t *tx) touched(o owner) []types.Value {
	values := t.run.values(o)
	if values == nil {
		values = t.run.starts(t.run.m.Holders[o.hold])
		t.run.copiesOf(o)[copyKey{o.hold, o.at}] = values
		t.made = append(t.made, o)
	}
	return values
}

// variable reads a stored or a computed variable.
func (f *frame) variable(ref *expr.Ref) types.Value {
	o, h := f.ownerOf(ref), f.run.m.Holders[ref.Hold]
	if h.List != nil && o.at < 0 { // what leads to the option is none
		return types.None
	}
	if o.player == nil && h.Holder.OfPlayers() { // who is referred to is not there
		return types.None
	}
	if ref.Slot >= len(h.Stored) {
		return f.computed(h.Computed[ref.Slot-len(h.Stored)], o)
	}
	v := h.Stored[ref.Slot]
	values := f.run.values(o)
	switch {
	case values == nil || f.fresh && h.List != nil:
		return v.Start
	case v.Stopwatch:
		return f.run.shown(v, values[ref.Slot])
	}
	return values[ref.Slot]
}

func (f *frame) computed(v *model.Var, o owner) types.Value {
	player, scene, prop := f.player, f.scene, f.prop
	hand := 0
	if list := v.Hold.List; list != nil {
		hand = f.Hand(list.Index, o.at)
	}
	f.aboutOwner(o)
	out := v.Is.Eval(f)
	f.player, f.scene, f.prop = player, scene, prop
	if list := v.Hold.List; list != nil {
		f.Hand(list.Index, hand)
	}
	fit, err := v.Fit(out)
	if err != nil {
		f.Fail(err)
	}
	return fit
}

// counted is of how many copies a variable is true.
func (f *frame) counted(ref *expr.Ref) types.Value {
	r, h := f.run, f.run.m.Holders[ref.Hold]
	o := owner{hold: ref.Hold}
	if h.Holder.OfPlayers() {
		o.player = f.whose(ref)
	}
	v := h.Stored[ref.Slot]
	n := 0
	for key, values := range r.copiesOf(o) {
		if key.hold == ref.Hold && values[ref.Slot].Bool != v.Start.Bool && r.has(v, key.at) {
			n++
		}
	}
	if v.Start.Bool {
		n = r.number(v) - n
	}
	return types.OfInt(n)
}

// has says whether a scene has a variable that not all scenes have.
func (r *Run) has(v *model.Var, at int) bool { return v.In == nil || v.In[r.m.Scenes[at]] }

// number is how many copies of a variable of a pair or a prop there are.
func (r *Run) number(v *model.Var) int {
	switch {
	case v.In != nil:
		return len(v.In)
	}
	return len(r.m.Copies(v.Hold))
}
