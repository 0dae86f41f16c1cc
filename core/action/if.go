package action

import (
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = does(branch{})

type branch struct{}

type branchForm struct {
	If   plan.Expr      `plan:"if,required" say:"if {if}:" doc:"Does things where a condition holds."`
	Do   []plan.Action  `plan:"do" form:"Then" doc:"What is done, in this order."`
	Elif []plan.Branch  `plan:"elif" form:"Otherwise, if" doc:"Further conditions, tried in order."`
	Else plan.Otherwise `plan:"else" form:"Otherwise" doc:"Of if: what is done where no condition holds. Of go: the spot to go to where the waymark is none."`
}

func (branch) Form() any { return new(branchForm) }

// Judge reports an else of the other verb.
func (f *branchForm) Judge(report plan.Report) {
	if f.Else.Spot.Given() {
		report("wrong-type", f.Else.At, wrongElse)
	}
}

func (branch) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*branchForm)
	p := c.Condition(f.If)
	if p == nil {
		return nil
	}
	where := c.Where(p)
	out := &choosing{where: p, do: where.Actions(f.Do)}
	rest := f.Else.Do
	if len(f.Elif) > 0 {
		next := f.Elif[0]
		rest = []plan.Action{{Verb: "if", At: next.If.At, Form: &branchForm{If: next.If, Do: next.Do, Elif: f.Elif[1:],
			Else: f.Else}}}
	}
	out.otherwise = c.Otherwise().Actions(rest)
	c.Behind(where)
	return out
}

// wrongElse is what is said of an else that is of the other verb.
const wrongElse = "The else of if is a list of actions, that of go the name of a spot."

// choosing is actions that are done where a condition holds, and others where it does not.
type choosing struct {
	where         *expr.Program
	do, otherwise []*model.Action
}

// Do does the ones or the others.
func (x *choosing) Do(d model.Doer) error {
	yes, err := d.Holds(x.where)
	switch {
	case err != nil:
		return err
	case yes:
		return d.Actions(x.do)
	}
	return d.Actions(x.otherwise)
}

// Traits are what may be done inside.
func (x *choosing) Traits() model.Traits {
	return model.Traits{If: x.where, Blocks: [][]*model.Action{x.do, x.otherwise}}
}
