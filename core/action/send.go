package action

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(send{})

type send struct{}

type sendForm struct {
	Send plan.Ref            `plan:"send,required" say:"the event {send} is sent[ with {args}]" ref:"event" doc:"Sends another event, behind what is going on now."`
	Args plan.Map[plan.Expr] `plan:"args" doc:"The arguments of the event that is sent, as expressions."`
}

func (send) Form() any { return new(sendForm) }

func (send) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*sendForm)
	e := c.Event(f.Send)
	if e == nil { // which the reader has reported
		return nil
	}
	if e.Self && !c.HasPlayer() {
		c.Report("bad-value", f.Send.At,
			"The event %s is about the player who sends it, and this rule is about no player.", e.ID)
	}
	known := map[string]bool{}
	for _, id := range e.ArgIDs() {
		known[id] = true
	}
	for _, given := range f.Args.Entries {
		if !known[given.ID] {
			c.OneOf(given.ID, e.ArgIDs(), "argument", given.At)
		}
	}
	out := &sending{event: e}
	for i := range e.Args {
		arg := &e.Args[i]
		given := f.Args.Get(arg.ID)
		switch {
		case given != nil:
			out.args = append(out.args, c.Argument(arg, *given))
			continue
		case !arg.Type.Optional:
			c.Report("missing", f.Send.At, "The event %s needs the argument %s.", e.ID, arg.ID)
		}
		out.args = append(out.args, nil)
	}
	return out
}

// sending is an event that follows.
type sending struct {
	event *model.Event
	args  []*expr.Program // in the order of the event's; nil where one is left out
}

// Do queues the event, with its arguments as they are now.
func (s *sending) Do(d model.Doer) error {
	args := make([]types.Value, len(s.args))
	for i, p := range s.args {
		if p == nil {
			continue
		}
		v, err := d.Value(p)
		if err != nil {
			return err
		}
		if args[i], err = s.event.Args[i].Fit(v); err != nil {
			return d.Fail(fmt.Sprintf("The argument %s of %s cannot be %s: %v.", s.event.Args[i].ID, s.event.ID, v,
				err))
		}
	}
	d.Send(s.event, args)
	return nil
}

// Traits say which event follows, with what.
func (s *sending) Traits() model.Traits { return model.Traits{Sends: s.event, Reads: s.args} }
