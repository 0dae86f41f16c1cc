package action

import (
	"fmt"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(pick{})

type pick struct{}

type pickForm struct {
	Pick   plan.Expr `plan:"pick,required" say:"{pick} becomes [{to}][{option}]" doc:"Chooses an option of a roster: with to, as set does, or with option."`
	To     plan.Expr `plan:"to" doc:"The value, as an expression."`
	Option plan.Expr `plan:"option" doc:"The option's id, or an expression."`
}

func (pick) Form() any { return new(pickForm) }

// Judge reports an option that is not written, or twice.
func (f *pickForm) Judge(report plan.Report) {
	switch {
	case f.To.Line > 0 && f.Option.Line > 0:
		report("wrong-type", f.Option.At, "pick takes to or option, which say the same; here it has both.")
	case f.To.Line == 0 && f.Option.Line == 0:
		report("missing", finding.At{}, "pick needs \"to\" beside it: the option.")
	}
}

func (pick) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*pickForm)
	option := f.Option
	if f.To.Given() {
		option = f.To
	}
	to := c.Target(f.Pick, func(v *model.Var) string {
		if v.Type.Kind != types.Pick {
			return fmt.Sprintf("is %s; only a pick can be picked.", v.Type)
		}
		return ""
	})
	if to == nil {
		return nil
	}
	to.Picks, to.Becomes = true, given
	c.Given(to, f.Pick, option)
	return &assigning{Assignment: to, change: model.Sets}
}
