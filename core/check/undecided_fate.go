package check

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

var _ = judges((*checker).undecidedFates,
	finding.Kind{ID: "undecided-fate", Severity: finding.Error, Title: "Nobody decided what happens at a crossing",
		Why: "The value would be kept in one place and lost in another, as it happens.",
		Do:  "Write the fate in the variable's across, or in the defaults of its holder."},
)

// undecidedFates reports cells of the matrix that nothing decides.
func (c *checker) undecidedFates() {
	for _, group := range c.undecided() {
		c.tellUndecided(group)
	}
	for _, f := range []struct {
		fate model.Fate
		at   plan.Crossing
		as   string
	}{{c.m.Place.Death, plan.CrossDeath, "checkpoint, entry or stay"}, {c.m.Place.Leave, plan.CrossLeave,
		"exact, checkpoint, entry or start"}} {
		if f.fate.By == model.ByNobody {
			c.report("undecided-fate", c.m.Plan.Start.At, about{item: "place"},
				"Nothing decides where a player is at %s: write defaults: {place: {%s: …}} with %s.", f.at, f.at, f.as)
		}
	}
	if len(c.m.Checkpoints) == 0 { // none can be reached
		return
	}
	for _, cross := range c.m.Crossings {
		if c.m.Reached.At(cross).By == model.ByNobody {
			c.report("undecided-fate", c.m.Plan.Checkpoints.List.At, about{item: "checkpoints"},
				"Nothing decides what happens to the checkpoint reached at %s.", cross)
		}
	}
}

// undecided lists the variables whose fate nobody decided, in groups: one line in the defaults decides for a whole
// group.
func (c *checker) undecided() [][]*model.Var {
	var order []string
	groups := map[string][]*model.Var{}
	for _, v := range c.m.Vars {
		if v.Computed() || len(c.undecidedAt(v)) == 0 {
			continue
		}
		key := fmt.Sprint(c.undecidedAt(v))
		if !c.alone(v) {
			key += v.Hold.DefaultsKey()
		}
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], v)
	}
	out := make([][]*model.Var, len(order))
	for i, key := range order {
		out[i] = groups[key]
	}
	return out
}

// undecidedAt are the crossings at which nothing decides what happens to a variable.
func (c *checker) undecidedAt(v *model.Var) []string {
	var out []string
	for _, cross := range c.m.Crossings {
		if v.Fates.At(cross).By == model.ByNobody {
			out = append(out, cross.String())
		}
	}
	return out
}

// alone says whether a variable is the world's in a game for one player: the world is stored in that player's save.
func (c *checker) alone(v *model.Var) bool { return c.m.Single && !v.Holder.OfPlayers() }

func (c *checker) tellUndecided(group []*model.Var) {
	first, at := group[0], c.undecidedAt(group[0])
	var names, holders, fates []string
	for i, v := range group {
		if i < 5 {
			names = append(names, v.Name)
		}
		if h := v.Hold.DefaultsKey(); !slices.Contains(holders, h) {
			holders = append(holders, h)
		}
	}
	text := fmt.Sprintf("Nothing decides what happens to %s at %s.", listed(names, len(group)-len(names)),
		listed(at, 0))
	if c.alone(first) {
		text += " With session.players: 1 the world is stored in the player's save, so that death and new-run reach it too."
	}
	if len(group) > 1 || len(at) > 1 {
		for _, cross := range at {
			fates = append(fates, cross+": …")
		}
		for i, h := range holders {
			holders[i] = h + ": {" + strings.Join(fates, ", ") + "}"
		}
		text += " One line decides it: defaults: {" + strings.Join(holders, ", ") + "}."
	}
	before := len(c.found)
	c.report("undecided-fate", first.At, ofVar(first), "%s", text)
	for i := before; i < len(c.found); i++ {
		for _, v := range group[1:] {
			c.found[i].Also = append(c.found[i].Also, v.At)
		}
	}
}

// listed are words as a sentence has them: a, b and c; or a, b and 3 more.
func listed(words []string, more int) string {
	if more > 0 {
		words = append(slices.Clone(words), fmt.Sprintf("%d more", more))
	}
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	last := len(words) - 1
	return strings.Join(words[:last], ", ") + " and " + words[last]
}

var _ = judges((*checker).undecidedThings)

// undecidedThings reports cells of movables that nothing decides.
func (c *checker) undecidedThings() {
	for _, m := range c.m.Movables {
		for _, cross := range c.m.Crossings {
			if m.Fates.At(cross).By == model.ByNobody {
				c.report("undecided-fate", m.At, about{"movables." + m.ID, &m.Decl.Accept},
					"Nothing decides what happens to the movable %s at %s.", m.ID, cross)
			}
		}
	}
}
