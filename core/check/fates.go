package check

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
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
	if c.m.Plan.Checkpoints == nil {
		return
	}
	for _, cross := range plan.Crossings {
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
		if v.Computed() || len(undecidedAt(v)) == 0 {
			continue
		}
		key := fmt.Sprint(undecidedAt(v))
		if !c.alone(v) {
			key += defaultsOf[v.Holder]
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

// defaultsOf are the defaults that decide for what does not say it itself.
var defaultsOf = map[model.Holder]string{model.OfPlayer: "player", model.OfScene: "scene", model.OfGame: "game",
	model.OfProp: "prop", model.OfPlayerScene: "pair", model.OfPlayerProp: "pair"}

// undecidedAt are the crossings at which nothing decides what happens to a variable.
func undecidedAt(v *model.Var) []string {
	var out []string
	for _, cross := range plan.Crossings {
		if v.Fates.At(cross).By == model.ByNobody {
			out = append(out, cross.String())
		}
	}
	return out
}

// alone says whether a variable is the world's in a game for one player: the world is stored in that player's save.
func (c *checker) alone(v *model.Var) bool { return c.m.Single && !v.Holder.OfPlayers() }

func (c *checker) tellUndecided(group []*model.Var) {
	first, at := group[0], undecidedAt(group[0])
	var names, holders, fates []string
	for i, v := range group {
		if i < 5 {
			names = append(names, v.Name)
		}
		if h := defaultsOf[v.Holder]; !slices.Contains(holders, h) {
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

var _ = judges((*checker).lostAtLeave,
	finding.Kind{ID: "lost-at-leave", Severity: finding.Warning,
		Title: "Lost when play ends, though it is read when play begins",
		Why:   "The player chose or reached it, and the next visit begins without it.",
		Do:    "Keep it at leave, or accept this with the reason."},
)

// lostAtLeave reports what a player chose or reached, and the next visit asks for and does not find.
func (c *checker) lostAtLeave() {
	for _, v := range c.m.Vars {
		if !v.Holder.OfPlayers() || v.Fates.At(plan.CrossLeave).Kind != "reset" || c.constants[v] {
			continue
		}
		if at, how, ok := c.askedAtStart(v); ok {
			c.report("lost-at-leave", v.Fates.At(plan.CrossLeave).At, ofVar(v),
				"%s is reset at leave, though %s (line %d).", v.Name, how, at.Line)
		}
	}
}

func (c *checker) askedAtStart(v *model.Var) (finding.At, string, bool) {
	for _, u := range c.reads[v] {
		switch {
		case u.rule != nil && (u.rule.Moment.Kind == "joined" || u.rule.Moment.Kind == "arrived"):
			return u.rule.At, "a rule on " + u.rule.Moment.Kind + " reads it", true
		case v.Type.Kind == types.Pick && u.program != nil:
			return u.read.At, "it is what the player picked, and is read", true
		case u.what == "fate" && isFateOf(c.m, u.program, plan.CrossLeave):
			return u.read.At, "another variable is set from it at leave", true
		}
	}
	return finding.At{}, "", false
}

func isFateOf(m *model.Model, p *expr.Program, col plan.Crossing) bool {
	for _, v := range m.Vars {
		if v.Fates.At(col).Set == p {
			return true
		}
	}
	return false
}

var _ = judges((*checker).readsAndWrites,
	finding.Kind{ID: "never-read", Severity: finding.Note, Title: "Kept, but nothing reads it",
		Why: "It costs space and attention and does nothing.",
		Do:  "Read it in a rule, say read_by: game, or remove it."},
	finding.Kind{ID: "never-written", Severity: finding.Note, Title: "Read, but nothing ever writes it",
		Why: "It keeps its start value.",
		Do:  "Write it in a rule, say written_by: game, or put the value where it is read."},
)

// readsAndWrites reports what nothing reads, and what is read though nothing writes it.
func (c *checker) readsAndWrites() {
	for _, v := range c.m.Vars {
		used := len(c.reads[v]) > 0 || v.Decl.ReadBy.Given || v.Decl.Share != nil && v.With != "nobody" // whoever is sent it reads it
		switch {
		case !used:
			c.report("never-read", v.At, ofVar(v), "Nothing reads %s.", v.Name)
		case c.constants[v] && c.onlyCounted(v): // goal-never-nears says it
		case c.constants[v] && len(c.reads[v]) > 0:
			c.report("never-written", v.At, ofVar(v), "%s is read, but nothing in this plan writes it: it stays %s.",
				v.Name, v.Start.Plain())
		}
	}
}

// onlyCounted says whether nothing but the progress of milestones reads a variable.
func (c *checker) onlyCounted(v *model.Var) bool {
	for _, u := range c.reads[v] {
		if u.what != "milestone" || u.program.Type.Kind == types.Bool {
			return false
		}
	}
	return true
}

var _ = judges((*checker).picks,
	finding.Kind{ID: "start-looks-picked", Severity: finding.Note, Title: "Not chosen looks chosen",
		Why: "A pick that is not optional begins with an option that nobody picked.",
		Do:  "Make it optional: true."},
)

// picks reports picks that begin with an option that nobody picked.
func (c *checker) picks() {
	for _, v := range c.m.Vars {
		if v.Type.Kind == types.Pick && !v.Type.Optional && !v.Computed() {
			c.report("start-looks-picked", v.At, ofVar(v),
				"%s begins as %s, which looks as if the player had picked it.", v.Name, v.Start.Plain())
		}
	}
}

var _ = judges((*checker).saving,
	finding.Kind{ID: "loss-window", Severity: finding.Warning, Title: "Nothing bounds how much play a crash can lose",
		Why: "If the machine stops, everything since the last save moment is gone, however long ago that was.",
		Do:  "Add every: 30s to saving."},
	finding.Kind{ID: "saves-too-often", Severity: finding.Warning, Title: "Saves very often",
		Why: "Each save is written to disk; under a second apart they cost more than they protect.",
		Do:  "Save every second or more rarely."},
)

// saving reports how much a crash can lose, and saves that come too often.
func (c *checker) saving() {
	s := &c.m.Plan.Saving
	at := s.At
	if at.Line == 0 {
		at = c.m.Plan.Game.At
	}
	of := about{"saving", &s.Accept}
	if c.m.SavesEvery() == 0 && !c.m.SavesOn("checkpoint") && !c.m.SavesOn("scene") && !c.m.SavesOn("death") {
		c.report("loss-window", at, of, "Nothing saves a player during a visit: a crash loses all of it.")
	}
	if s.Every.Given && s.Every.Value < time.Second {
		c.report("saves-too-often", s.Every.At, of, "Players are saved every %s.", s.Every.Value)
	}
}

var _ = judges((*checker).rewindsApart,
	finding.Kind{ID: "rewinds-apart", Severity: finding.Warning,
		Title: "Two changes of one rule, of which only one rewinds at death",
		Why:   "After a death one of the two is taken back and the other is not: something is lost or had twice.",
		Do:    "Give both the same fate at death."},
)

// rewindsApart reports rules that change something that rewinds together with something that does not.
func (c *checker) rewindsApart() {
	type change struct{ back, stays *model.Var }
	rules := map[*model.Rule]*change{}
	for _, e := range c.m.Effects {
		v := e.Action.Var
		if v == nil {
			continue
		}
		if rules[e.Rule] == nil {
			rules[e.Rule] = &change{}
		}
		switch f := v.Fates.At(plan.CrossDeath); {
		case f.Kind == "rewind":
			rules[e.Rule].back = v
		case f.Kind == "keep" || f.By == model.NotAtAll:
			rules[e.Rule].stays = v
		}
	}
	for _, r := range c.m.Rules {
		if ch := rules[r]; ch != nil && ch.back != nil && ch.stays != nil {
			c.report("rewinds-apart", r.At, ofRule(r),
				"This rule changes %s, which rewinds at death, together with %s, which does not.", ch.back.Name, ch.stays.Name)
		}
	}
}

var _ = judges((*checker).copiedWhileDead,
	finding.Kind{ID: "copied-while-dead", Severity: finding.Warning, Title: "Copied at the moment of death",
		Why: "The value is about to go through the death column; what is copied may be zero or about to be reset.",
		Do:  "Copy it on came-back, or before the player dies."},
)

// copiedWhileDead reports copies of what led to death, made at the moment of death.
func (c *checker) copiedWhileDead() {
	deadly := map[*model.Var]bool{}
	for _, e := range c.m.Effects {
		if e.Action.Turn == model.Dies {
			for _, g := range e.Guards {
				for _, r := range g.Reads {
					deadly[c.m.VarOf(r.Ref)] = true
				}
			}
		}
	}
	for _, e := range c.m.Effects {
		if e.Rule.Moment.Kind != "died" || e.Action.Value == nil || !c.does(e).sets {
			continue
		}
		for _, r := range e.Action.Value.Reads {
			if v := c.m.VarOf(r.Ref); v != nil && v != e.Action.Var && deadly[v] {
				c.report("copied-while-dead", e.Action.At, ofRule(e.Rule),
					"%s is copied to %s at the moment of death, when it is what led to death.", v.Name, e.Action.Var.Name)
			}
		}
	}
}
