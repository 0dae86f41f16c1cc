// Package action is what rules can do: one file for each verb, which says how it is written, how it is compiled, what
// it does and what is known of it without doing it. Nothing else in the program tells verbs apart.
package action

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// does adds a verb to what rules can do.
func does(v model.Verb) struct{} {
	model.AddVerb(v)
	return struct{}{}
}

// assigning is a deed that changes a variable.
type assigning struct {
	*model.Assignment
	change model.Change
}

// Do changes it.
func (a *assigning) Do(d model.Doer) error { return d.Assign(a.Assignment) }

// Traits are those of a change of the variable.
func (a *assigning) Traits() model.Traits {
	return model.Traits{Var: a.Var, Target: a.Target, Value: a.Value, Change: a.change}
}

// Number is the assignment where it is of a number that players hold by themselves.
func (a *assigning) Number() *model.Assignment {
	if (a.change == model.Sets && !a.Picks || a.change == model.Adds) && a.Var.Holder == model.OfPlayer &&
		a.Var.Type.Numeric() && a.Value != nil && !a.Value.Type.Optional {
		return a.Assignment
	}
	return nil
}

// anyVariable takes every one.
func anyVariable(*model.Var) string { return "" }

// numberFor takes numbers only.
func numberFor(verb string) func(*model.Var) string {
	return func(v *model.Var) string {
		if !v.Type.Numeric() {
			return fmt.Sprintf("is %s; only a number can be changed by %s.", v.Type, verb)
		}
		return ""
	}
}

// withItems takes lists and sets.
func withItems(v *model.Var) string {
	if v.Type.Item == nil {
		return fmt.Sprintf("is %s; items are put into a list or a set.", v.Type)
	}
	return ""
}

// given is what an assignment with a value makes of what there was.
func given(_, value types.Value) (types.Value, bool, error) { return value, true, nil }

// turning is a deed by which a player's life goes on.
type turning struct {
	turn model.Turn
	who  expr.Ref
}

// Do lets it happen, behind what is going on now.
func (t *turning) Do(d model.Doer) error {
	d.Turn(t.turn, &t.who)
	return nil
}

// Traits say what happens to whom.
func (t *turning) Traits() model.Traits { return model.Traits{Turn: t.turn, Who: t.who} }
