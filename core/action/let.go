package action

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(let{})

type let struct{}

type letForm struct {
	Let plan.Map[plan.Expr] `plan:"let,required" say:"with {let}:" doc:"Names values for the actions inside."`
	Do  []plan.Action       `plan:"do,required" form:"Then" doc:"What is done, in this order."`
}

func (let) Form() any { return new(letForm) }

// Compile compiles named values, each of which sees the ones before it, and the actions inside.
func (let) Compile(c *model.Compiler, form any) model.Deed {
	f, out, in := form.(*letForm), &naming{}, c
	for _, e := range f.Let.Entries {
		p := in.Expression(e.Value)
		if p == nil {
			continue
		}
		next, local := in.Named(e.ID, e.At, p.Type)
		in, out.values, out.locals = next, append(out.values, p), append(out.locals, local)
	}
	out.do = in.Actions(f.Do)
	return out
}

// naming is actions with names of their own.
type naming struct {
	values []*expr.Program
	locals []int
	do     []*model.Action
}

// Do names the values, and acts.
func (n *naming) Do(d model.Doer) error {
	for i, p := range n.values {
		v, err := d.Value(p)
		if err != nil {
			return err
		}
		d.Name(n.locals[i], v)
	}
	return d.Actions(n.do)
}

// Traits are what is done inside.
func (n *naming) Traits() model.Traits {
	return model.Traits{Reads: n.values, Blocks: [][]*model.Action{n.do}}
}
