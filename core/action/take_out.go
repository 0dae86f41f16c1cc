package action

import (
	"fmt"
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

var _ = does(takeOut{})

type takeOut struct{}

type takeOutForm struct {
	TakeOut plan.Expr `plan:"take-out,required" say:"{item} is taken out of {take-out}" doc:"Takes an item out of a set, or its first like out of a list. Where it is not there the event is refused: ask first (if: player.bag.contains(x)) where that is to be let pass."`
	Item    plan.Expr `plan:"item,required" doc:"The item, as an expression."`
}

func (takeOut) Form() any { return new(takeOutForm) }

func (takeOut) Compile(c *model.Compiler, form any) model.Deed {
	f := form.(*takeOutForm)
	to := c.Target(f.TakeOut, withItems)
	if to == nil {
		return nil
	}
	to.Value = c.Item(to.Var, f.Item)
	to.Becomes = func(now, item types.Value) (types.Value, bool, error) {
		items := now.Items()
		i := slices.Index(items, item)
		if i < 0 { // or what was to be taken would be made out of nothing
			return now, false, &model.Unwilling{Why: fmt.Sprintf("%s has no %s to take out.", to.Var.Name,
				item.Plain())}
		}
		return types.OfItems(slices.Delete(items, i, i+1)), true, nil
	}
	return &assigning{Assignment: to, change: model.TakesOut}
}
