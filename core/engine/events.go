package engine

import (
	"cmp"
	"strings"

	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

func (t *tx) event(p *Player, req *Request) error {
	e := t.last
	if e == nil || e.ID != req.Name {
		e = t.run.m.Event(req.Name)
		t.last = e
	}
	switch {
	case e == nil:
		return unknown("event", req.Name, t.run.m.Plan.Events.IDs())
	case e.Self && p == nil:
		return refuse(Invalid, "The event %s is about the player who sends it; name the player.", e.ID)
	case !e.Self && !req.Server:
		return refuse(Forbidden, "The event %s is sent by the game's server, not by players.", e.ID)
	case e.Self && p.dead && !e.WhileDead:
		return refuse(Refused, "%s is dead.", p.id)
	}
	args, err := t.arguments(e, req.Args, p)
	if err != nil {
		return err
	}
	if !e.Self {
		p = nil
	}
	return t.happen(e, p, args)
}

// happen lets an event happen, whoever sent it.
func (t *tx) happen(e *model.Event, p *Player, args []types.Value) error {
	t.frame.about(p)
	t.frame.args = args
	if e.If != nil && !t.holds(e.If) {
		if t.frame.err != nil {
			return refuse(Failed, "The condition of %s failed: %v.", e.ID, t.frame.err)
		}
		return refuseWith(e.Refused, "%s cannot happen now.", e.Title)
	}
	return t.rules(e.Rules)
}

// arguments checks what an event was sent with, and puts it in the plan's order.
func (t *tx) arguments(e *model.Event, given map[string]types.Value, sender *Player) ([]types.Value, error) {
	t.args = t.args[:0]
	known := 0
	for i := range e.Args {
		a := &e.Args[i]
		v, ok := given[a.ID]
		if ok {
			known++
		} else if !a.Type.Optional {
			return nil, refuse(Invalid, "The event %s needs the argument %s.", e.ID, a.ID)
		}
		if err := t.admit(e, a, &v, sender); err != nil {
			return nil, err
		}
		t.args = append(t.args, v)
	}
	if len(given) > known {
		return nil, refuse(Unknown, "The event %s takes %s; something else was sent.", e.ID,
			cmp.Or(strings.Join(argNames(e), ", "), "no arguments"))
	}
	return t.args, nil
}

// admit says what is wrong with one argument.
func (t *tx) admit(e *model.Event, a *model.Arg, v *types.Value, sender *Player) error {
	if v.Kind == types.IsNum && a.Admits(v.Num) {
		return nil
	}
	*v = a.Rounded(*v)
	if err := a.Admit(*v); err != nil {
		return refuse(Invalid, "The argument %s of %s is not right: %v.", a.ID, e.ID, err)
	}
	if a.Type.Kind == types.Player && !v.IsNone() && !t.run.Has(v.Text) {
		return refuse(Unknown, "The argument %s of %s names %q, who is not in this session.", a.ID, e.ID, v.Text)
	}
	if a.Kind != nil && !v.IsNone() {
		return t.argProp(a, *v, sender)
	}
	return nil
}

// argProp checks an argument that names a prop.
func (t *tx) argProp(a *model.Arg, v types.Value, sender *Player) error {
	prop := a.Kind.Prop(v.Text)
	switch {
	case prop == nil:
		var ids []string
		for _, p := range a.Kind.Props {
			ids = append(ids, p.ID)
		}
		return unknown(a.Kind.ID, v.Text, ids)
	case a.Within && prop.Scene.Index != sender.place.Scene:
		return refuse(Refused, "%s is not here.", prop.Name)
	case a.Within && exceeds(between(sender.place.At, prop.Point), a.Kind.Reach):
		return refuse(Refused, "%s is out of reach: within %s is needed.", prop.Name, a.Kind.Reach)
	}
	return nil
}

func argNames(e *model.Event) []string {
	names := make([]string, len(e.Args))
	for i, a := range e.Args {
		names[i] = a.ID
	}
	return names
}
