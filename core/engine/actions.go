package engine

import (
	"errors"
	"fmt"
	"slices"

	"alluvion/core/model"
	"alluvion/core/types"
)

func (t *tx) action(r *model.Rule, a *model.Action) error {
	switch a.Verb {
	case "set", "add", "raise", "clear", "pick", "put", "take-out":
		return t.assign(r, a)
	case "if":
		yes := t.holds(a.If)
		if err := t.failed(r); err != nil {
			return err
		}
		if yes {
			return t.actions(r, a.Do)
		}
		return t.actions(r, a.Else)
	case "earn", "unearn":
		if p := t.frame.whose(&a.Who); p != nil {
			t.setEarned(p, a.Milestone, a.Verb == "earn")
		}
	case "die", "come-back", "start-over":
		if p := t.frame.whose(&a.Who); p != nil {
			t.queue = append(t.queue, pending{do: a.Verb, player: p, cause: t.cause})
		}
	case "let":
		return t.let(r, a)
	case "each":
		return t.each(r, a)
	case "send":
		return t.send(r, a)
	case "go":
		t.queue = append(t.queue, pending{do: "go", player: t.frame.player, spot: a.Spot, mark: a.Waymark, scene: a.Scene, carry: a.Carry, cause: t.cause})
	case "take":
		return byRule(r, a, t.take(t.frame.player, a.Movable))
	case "set-down":
		return byRule(r, a, t.putDown(t.frame.player, a.Movable, a.Spot))
	case "save":
		if a.To == "world" {
			t.saveNow(nil, "rule")
		} else {
			t.saveNow(t.frame.player, "rule")
		}
	case "remember":
		t.rememberPlace(t.frame.player, a.Waymark)
	case "forget":
		t.setMark(t.frame.player, a.Waymark, remembered{})
	case "notify":
		t.tell(Notice{Player: playerID(t.frame.player), To: a.To, Kind: "message", Text: a.Text, Rule: r.Number, Scene: t.sceneID()})
	case "refuse":
		return &Refusal{Kind: Refused, Reason: a.Text, Rule: r.Number, Line: a.At.Line}
	}
	return nil
}

// byRule says of a refusal which rule asked for it.
func byRule(r *model.Rule, a *model.Action, err error) error {
	if err == nil {
		return nil
	}
	var refusal *Refusal
	if errors.As(err, &refusal) {
		refusal.Rule, refusal.Line = r.Number, a.At.Line
	}
	return err
}

// let gives the rule's own names their values, and acts.
func (t *tx) let(r *model.Rule, a *model.Action) error {
	for i, p := range a.Args {
		t.frame.locals[a.Local+i] = p.Eval(&t.frame)
		if err := t.failed(r); err != nil {
			return err
		}
	}
	return t.actions(r, a.Do)
}

// each acts for every player, by id.
func (t *tx) each(r *model.Rule, a *model.Action) error {
	for _, p := range t.run.order { // nobody comes or goes in the middle of a rule
		if a.Here && p.place.Scene != t.frame.player.place.Scene {
			continue
		}
		t.frame.locals[a.Local] = types.OfText(p.id)
		if err := t.actions(r, a.Do); err != nil {
			return err
		}
	}
	return nil
}

// send queues another event, with its arguments as they are now.
func (t *tx) send(r *model.Rule, a *model.Action) error {
	args := make([]types.Value, len(a.Args))
	for i, p := range a.Args {
		if p == nil {
			continue
		}
		v := p.Eval(&t.frame)
		if err := t.failed(r); err != nil {
			return err
		}
		fit, err := a.Event.Args[i].Fit(v)
		if err != nil {
			return &Refusal{Kind: Failed, Reason: fmt.Sprintf("The argument %s of %s cannot be %s: %v.", a.Event.Args[i].ID, a.Event.ID, v, err), Rule: r.Number, Line: a.At.Line}
		}
		args[i] = fit
	}
	w := pending{do: "send", event: a.Event, args: args, cause: t.cause}
	if a.Event.Self {
		w.player = t.frame.player
	}
	t.queue = append(t.queue, w)
	return nil
}

func (t *tx) sceneID() string {
	if t.frame.player == nil {
		return ""
	}
	return t.run.m.Scenes[t.frame.player.place.Scene].ID
}

// assign carries out set, add, raise, clear, pick, put and take-out.
func (t *tx) assign(r *model.Rule, a *model.Action) error {
	o := t.frame.ownerOf(&a.Target)
	to := types.None
	if a.Value != nil {
		to = a.Value.Eval(&t.frame)
	}
	if err := t.failed(r); err != nil {
		return err
	}
	if a.Var.In != nil && !t.run.has(a.Var, o.at) {
		return &Refusal{Kind: Failed, Reason: fmt.Sprintf("A rule failed: %s has no %s.", t.run.m.Scenes[o.at].ID, a.Var.ID), Rule: r.Number, Line: a.At.Line}
	}
	now := a.Var.Start
	if values := t.run.values(o); values != nil {
		now = values[a.Var.Slot]
	}
	item := to
	to, ok, err := changed(a.Verb, now, to)
	if errors.Is(err, errNotThere) {
		return &Refusal{Kind: Refused, Reason: fmt.Sprintf("%s has no %s to take out.", a.Var.Name, item.Plain()), Rule: r.Number, Line: a.At.Line}
	}
	if err != nil {
		return &Refusal{Kind: Failed, Reason: "A rule failed: " + err.Error() + ".", Rule: r.Number, Line: a.At.Line}
	}
	if !ok {
		return nil
	}
	fit, err := a.Var.Fit(to)
	if err != nil {
		return &Refusal{Kind: Refused, Reason: fmt.Sprintf("%s cannot become %s: %v.", a.Var.Name, to, err), Rule: r.Number, Line: a.At.Line}
	}
	return byRule(r, a, t.give(o, a.Var, fit, a.Verb == "pick"))
}

// assignNumber is assign for the most frequent case: set or add of a number that players hold by themselves.
func (t *tx) assignNumber(r *model.Rule, a *model.Action) error {
	p, to := t.frame.whose(&a.Target), a.Value.Number(&t.frame)
	if t.frame.err != nil {
		return t.failed(r)
	}
	at := &p.vars[a.Var.Slot]
	if a.Adds {
		sum, err := at.Num.Add(to)
		if err != nil {
			return &Refusal{Kind: Failed, Reason: "A rule failed: " + err.Error() + ".", Rule: r.Number, Line: a.At.Line}
		}
		to = sum
	}
	fit, err := a.Var.FitNumber(to)
	if err != nil {
		return &Refusal{Kind: Refused, Reason: fmt.Sprintf("%s cannot become %s: %v.", a.Var.Name, to, err), Rule: r.Number, Line: a.At.Line}
	}
	t.writeNumber(p, a.Var, at, fit)
	return nil
}

// errNotThere says that an item is not in a list.
var errNotThere = errors.New("it is not there")

// changed is what a value becomes by an action; false where it stays as it is.
func changed(verb string, now, by types.Value) (types.Value, bool, error) {
	switch verb {
	case "add":
		sum, err := now.Num.Add(by.Num)
		return types.OfNum(sum), true, err
	case "raise":
		return by, now.Kind != types.IsNum || now.Num.Less(by.Num), nil
	case "put":
		return types.OfItems(append(now.Items(), by)), true, nil
	case "take-out":
		items := now.Items()
		i := slices.Index(items, by)
		if i < 0 {
			return now, false, errNotThere // or what was to be taken would be made out of nothing
		}
		return types.OfItems(slices.Delete(items, i, i+1)), true, nil
	}
	return by, true, nil
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
		return refuse(Refused, "%s", only.Refused)
	}
	return nil
}
