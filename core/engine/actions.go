package engine

import (
	"errors"
	"fmt"

	_ "alluvion.dev/core/action" // what rules can do
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// What deeds ask for (model.Doer), in the middle of a transaction.

// actions does some, in their order.
func (t *tx) actions(r *model.Rule, list []*model.Action) error {
	for _, a := range list {
		if t.spent += 1 + a.Effort; t.spent > t.budget {
			return t.tooMuch(r)
		}
		var err error
		if a.Number != nil {
			err = t.assignNumber(r, a.Number)
		} else {
			err = a.Do(t)
		}
		if err != nil {
			return byRule(r, a, err)
		}
	}
	return nil
}

// byRule says of a refusal which rule asked for it.
func byRule(r *model.Rule, a *model.Action, err error) error {
	var refusal *Refusal
	if errors.As(err, &refusal) && refusal.Rule == 0 {
		refusal.Rule, refusal.Named, refusal.Line = r.Number, r.Called(), a.At.Line
	}
	return err
}

// Actions does some of the rule that is acting.
func (t *tx) Actions(list []*model.Action) error { return t.actions(t.acting, list) }

// Holds evaluates a condition.
func (t *tx) Holds(p *expr.Program) (bool, error) {
	yes := t.holds(p)
	return yes, t.failed(t.acting)
}

// Value evaluates an expression.
func (t *tx) Value(p *expr.Program) (types.Value, error) {
	v := p.Eval(&t.frame)
	return v, t.failed(t.acting)
}

// Name gives a name of the rule's own its value.
func (t *tx) Name(local int, v types.Value) { t.frame.locals[local] = v }

// ForEach acts for every player, by id.
func (t *tx) ForEach(local int, here bool, list []*model.Action) error {
	for _, p := range t.run.order { // nobody comes or goes in the middle of a rule
		if here && p.place.Scene != t.frame.player.place.Scene {
			continue
		}
		t.frame.locals[local] = types.OfText(p.id)
		if err := t.Actions(list); err != nil {
			return err
		}
	}
	return nil
}

// Turn queues what happens to a player.
func (t *tx) Turn(how model.Turn, who *expr.Ref) {
	if p := t.frame.whose(who); p != nil {
		t.queue = append(t.queue, pending{do: turns[how], player: p, cause: t.cause})
	}
}

// turns are the things to do behind the current moment's rules by which a player's life goes on.
var turns = map[model.Turn]string{model.Dies: "die", model.ComesBack: "come-back", model.StartsOver: "start-over"}

// Earn gives a player a milestone, or takes it back.
func (t *tx) Earn(who *expr.Ref, m *model.Milestone, earned bool) {
	if p := t.frame.whose(who); p != nil {
		t.setEarned(p, m, earned)
	}
}

// Send queues another event.
func (t *tx) Send(e *model.Event, args []types.Value) {
	w := pending{do: "send", event: e, args: args, cause: t.cause}
	if e.Self {
		w.player = t.frame.player
	}
	t.queue = append(t.queue, w)
}

// Go queues that the rule's player goes somewhere.
func (t *tx) Go(way model.Way) {
	t.queue = append(t.queue, pending{do: "go", player: t.frame.player, spot: way.Spot, mark: way.Waymark,
		scene: way.Scene, carry: way.Carry, cause: t.cause})
}

// Take gives the rule's player a movable, SetDown puts it down.
func (t *tx) Take(m *model.Movable) error { return t.take(t.frame.player, m) }

// SetDown puts a movable down.
func (t *tx) SetDown(m *model.Movable, at *model.Spot) error {
	return t.putDown(t.frame.player, m, at)
}

// Save saves the rule's player, or the world.
func (t *tx) Save(world bool) {
	if world {
		t.saveNow(nil, "rule")
	} else {
		t.saveNow(t.frame.player, "rule")
	}
}

// Remember makes a waymark of where the rule's player is.
func (t *tx) Remember(w *model.Waymark) { t.rememberPlace(t.frame.player, w) }

// Forget makes a waymark none.
func (t *tx) Forget(w *model.Waymark) { t.setMark(t.frame.player, w, remembered{}) }

// Tell tells somebody something.
func (t *tx) Tell(to string, text model.Text) { t.message(t.frame.player, to, text) }

// TellOne tells one player something, if they are here.
func (t *tx) TellOne(who *expr.Program, text model.Text) error {
	id := who.Eval(&t.frame)
	if p := t.run.players[id.Text]; p != nil {
		t.message(p, "player", text)
	}
	return t.failed(t.acting)
}

func (t *tx) message(about *Player, to string, text model.Text) {
	n := Notice{Player: playerID(about), To: to, Kind: "message", Text: text.Text, Key: text.Key, Rule: t.acting.Number}
	if about != nil {
		n.Scene = t.run.m.Scenes[about.place.Scene].ID
	}
	t.tell(n)
}

// Refuse makes the event fail with a reason.
func (t *tx) Refuse(reason string) error { return &Refusal{Kind: Refused, Reason: reason} }

// RefuseWith is Refuse with a reason of the plan's.
func (t *tx) RefuseWith(reason model.Text) error { return refuseWith(reason, "") }

// Fail makes it fail with one that nobody meant.
func (t *tx) Fail(reason string) error { return &Refusal{Kind: Failed, Reason: reason} }

// Assign changes a variable.
func (t *tx) Assign(a *model.Assignment) error {
	o := t.frame.ownerOf(&a.Target)
	switch {
	case o.player == nil && a.Var.Holder.OfPlayers():
		return t.Refuse(a.Var.Title + ": the player who is meant is not here.")
	case o.at < 0 && a.Var.Hold.List != nil:
		return t.Refuse(a.Var.Title + ": there is none of which it could be.")
	}
	value := types.None
	if a.Value != nil {
		value = a.Value.Eval(&t.frame)
	}
	if err := t.failed(t.acting); err != nil {
		return err
	}
	if a.Var.In != nil && !t.run.has(a.Var, o.at) {
		return t.Fail(fmt.Sprintf("A rule failed: %s has no %s.", t.run.m.Scenes[o.at].ID, a.Var.ID))
	}
	now := a.Var.Start
	if values := t.run.values(o); values != nil {
		now = values[a.Var.Slot]
	}
	to, ok, err := a.Becomes(now, value)
	switch {
	case err != nil:
		return t.unwilling(err)
	case !ok:
		return nil
	}
	fit, err := a.Var.Fit(to)
	if err != nil {
		return beyond(a.Var, to, err)
	}
	if fit != to {
		t.cutOff(t.acting, a.Var, to.Num, fit.Num)
	}
	return t.give(o, a.Var, fit, a.Picks)
}

// unwilling is what an assignment says that cannot be.
func (t *tx) unwilling(err error) error {
	var refused *model.Unwilling
	if errors.As(err, &refused) {
		return t.Refuse(refused.Why)
	}
	return t.Fail("A rule failed: " + err.Error() + ".")
}

// assignNumber is Assign for the most frequent case: set or add of a number that players hold by themselves.
func (t *tx) assignNumber(r *model.Rule, a *model.Assignment) error {
	p, to := t.frame.whose(&a.Target), a.Value.Number(&t.frame)
	if t.frame.err != nil {
		return t.failed(r)
	}
	if p == nil {
		return t.Refuse(a.Var.Title + ": the player who is meant is not here.")
	}
	at := &p.vars[a.Var.Slot]
	if a.Adds {
		sum, err := at.Num.Add(to)
		if err != nil {
			return t.Fail("A rule failed: " + err.Error() + ".")
		}
		to = sum
	}
	fit, err := a.Var.FitNumber(to)
	if err != nil {
		return beyond(a.Var, to, err)
	}
	if fit != to {
		t.cutOff(r, a.Var, to, fit)
	}
	t.writeNumber(p, a.Var, at, fit)
	return nil
}

// beyond says why a value is refused: in the plan's words, where it has some.
func beyond(v *model.Var, to fmt.Stringer, err error) error {
	return refuseWith(v.Refused, "%s cannot become %s: %v.", v.Name, to, err)
}

// give gives a variable a value that fits, where it is a pick that the player may have.
func (t *tx) give(o owner, v *model.Var, to types.Value, pick bool) error {
	if v.Type.Kind == types.Pick {
		if err := t.mayPick(o, v, to); err != nil {
			return err
		}
	}
	picked := pick && t.run.values(o)[v.Slot] != to && o.player != nil
	t.write(o, v, to, true)
	if picked { // picking the same option again is no moment
		t.queue = append(t.queue, pending{do: "picked", player: o.player, cause: t.cause})
	}
	return nil
}

// mayPick refuses an option that the player may not pick, and another one where the pick is locked.
func (t *tx) mayPick(o owner, v *model.Var, to types.Value) error {
	now := v.Start
	if values := t.run.values(o); values != nil {
		now = values[v.Slot]
	}
	if now == to {
		return nil
	}
	if v.Locked && !now.IsNone() {
		return refuse(Refused, "%s is %s, and stays so in this run.", v.Title, now.Plain())
	}
	only, ok := t.run.m.Pickable[v.Type.Of][to.Text]
	if !ok || to.IsNone() {
		return nil
	}
	f := frame{run: t.run}
	f.about(o.player)
	if !only.If.True(&f) || f.err != nil {
		return refuseWith(only.Refused, "")
	}
	return nil
}
