package check

import (
	"fmt"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
)

var _ = judges((*checker).rewardsThatFail,
	finding.Kind{ID: "reward-can-fail", Severity: finding.Warning,
		Title: "A rule on a milestone or on saving that can fail",
		Why:   "The milestone is earned and the save is made all the same; only what the rule does is undone, and the player is notified.",
		Do:    "Let the value stop at its limit (at_limit: clamp), or ask first whether it goes."},
)

// rewardsThatFail reports rules on what follows by itself (a milestone, a save) that can fail: they are undone alone
// then, and what they give is not given.
func (c *checker) rewardsThatFail() {
	for _, e := range c.m.Effects {
		if kind := e.Rule.Moment.Kind; kind != "milestone" && kind != "saved" && !c.onCalendar(e.Rule) {
			continue
		}
		if why := c.canFail(e); why != "" {
			c.report("reward-can-fail", e.Action.At, ofRule(e.Rule),
				"This can fail: %s. What the rule on %s does is undone then, and what set it off stands.", why, e.Rule.On())
		}
	}
}

// onCalendar says whether a rule waits for a crossing of the calendar: nothing is refused there, either.
func (c *checker) onCalendar(r *model.Rule) bool {
	own := c.m.OwnCrossing(r.Moment.Of)
	return r.Moment.Kind == "crossed" && own != nil && own.Calendar != nil
}

// canFail says how an action can fail though its rule acts; "" where nothing is known.
func (c *checker) canFail(e model.Effect) string {
	a := e.Action
	switch {
	case a.Fails != "":
		return a.Fails
	case a.Var != nil && a.Target.Who == expr.Through:
		return "the player to whom it refers may not be there"
	case a.Var == nil || c.asksFor(e):
		return ""
	case a.Change == model.TakesOut:
		return a.Var.Name + " may not have it"
	case a.Change == model.PutsIn:
		return fmt.Sprintf("%s takes %d items", a.Var.Name, a.Var.MaxItems)
	case c.does(e).adds && a.Var.Refuse:
		return a.Var.Name + " says at_limit: refuse, and may be at its limit"
	}
	return ""
}
