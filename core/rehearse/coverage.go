package rehearse

import (
	"errors"
	"fmt"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Coverage is what of one plan was exercised.
type Coverage struct {
	Game    string
	Version int
	Things  []Thing
}

// Thing is one thing of a plan that can be exercised: a rule, a passage one way or refused, a checkpoint, an option, a
// milestone, a fate.
type Thing struct {
	Kind string // one of ThingKinds
	Name string // rule 3 on gust, rope_bridge, player.oil at death
	Line int
	Done bool
}

// ThingKinds are the kinds of things, in the order in which they are told.
var ThingKinds = []string{"rules", "passages", "passages refused", "checkpoints", "options", "milestones", "fates"}

// Add takes what another run exercised of the same plan.
func (c *Coverage) Add(other Coverage) {
	for i := range other.Things {
		if i < len(c.Things) && other.Things[i].Done {
			c.Things[i].Done = true
		}
	}
}

// key tells things apart.
type key struct{ kind, name string }

// cover notes what of a plan is exercised.
type cover struct {
	m      *model.Model
	things []Thing
	at     map[key]int
	first  *cover // of the version that the script names; itself until a step upgrade
}

func newCover(m *model.Model) *cover {
	c := &cover{m: m, at: map[key]int{}}
	c.first = c
	for _, r := range m.Rules {
		c.list("rules", ruleName(r), r.At.Line)
	}
	for _, p := range m.Passages {
		c.list("passages", p.ID, p.At.Line)
		if p.If != nil {
			c.list("passages refused", p.ID, p.At.Line)
		}
	}
	for _, p := range m.Checkpoints {
		c.list("checkpoints", p.ID, p.At.Line)
	}
	for _, v := range m.Vars {
		if v.Type.Kind == types.Pick && !v.Computed() {
			for _, option := range v.Type.Names {
				c.list("options", v.Name+" "+option, v.At.Line)
			}
		}
	}
	for _, x := range m.Milestones {
		c.list("milestones", x.ID, x.At.Line)
	}
	for _, v := range m.Vars {
		for _, cross := range m.Crossings {
			if f := v.Fates.At(cross); f.By == model.ByItself || f.By == model.ByDefault {
				c.list("fates", fateName(v, cross), v.At.Line)
			}
		}
	}
	return c
}

func ruleName(r *model.Rule) string { return fmt.Sprintf("%s on %s", r.Called(), r.On()) }

func fateName(v *model.Var, c plan.Crossing) string { return v.Name + " at " + c.String() }

func (c *cover) list(kind, name string, line int) {
	if _, listed := c.at[key{kind, name}]; !listed {
		c.at[key{kind, name}] = len(c.things)
		c.things = append(c.things, Thing{Kind: kind, Name: name, Line: line})
	}
}

func (c *cover) done(kind, name string) {
	if i, ok := c.at[key{kind, name}]; ok {
		c.things[i].Done = true
	}
}

// acted hears of a rule that acts.
func (c *cover) acted(r *model.Rule) { c.done("rules", ruleName(r)) }

// asked notes a request, and whether it was refused.
func (c *cover) asked(x *machine, req *engine.Request, err error) {
	var refusal *engine.Refusal
	switch {
	case req.Do == "pass" && err == nil:
		c.done("passages", req.Name)
	case req.Do == "pass" && errors.As(err, &refusal) && refusal.Kind == engine.Refused && refusal.Rule == 0:
		c.refusedAt(x, req)
	case req.Do == "join" && err == nil && comesAgain(x, req.Player):
		c.kept(x, plan.CrossLeave, req.Player)
	}
}

// comesAgain says whether a player was here before.
func comesAgain(x *machine, player string) bool {
	return slices.ContainsFunc(x.run.Now(), func(p *engine.Player) bool { return p.ID() == player && p.Visits() > 1 })
}

// refusedAt notes a passage that was refused by its condition, and not for something else.
func (c *cover) refusedAt(x *machine, req *engine.Request) {
	p := c.m.Passage(req.Name)
	if p == nil || p.If == nil || !x.run.StandsBefore(req.Player, p) {
		return
	}
	w := engine.Watcher{Run: x.run, Of: req.Player}
	if holds, err := w.Ask(p.If); err == nil && !holds.Bool {
		c.done("passages refused", req.Name)
	}
}

// saw notes what came of a step.
func (c *cover) saw(x *machine, res engine.Result) {
	for i := range res.Changes {
		c.changed(&res.Changes[i])
	}
	for i := range res.Notices {
		n := &res.Notices[i]
		switch n.Kind {
		case "crossed":
			if cross, ok := c.m.Plan.Crossing(n.ID); ok {
				c.kept(x, cross, n.Player)
			}
		case "departed":
			c.kept(x, plan.CrossScene, n.Player)
		case "came-back":
			c.kept(x, plan.CrossDeath, n.Player)
		case "started":
			c.kept(x, plan.CrossNewRun, n.Player)
		}
	}
}

func (c *cover) changed(ch *engine.Change) {
	v := c.m.Var(ch.Name)
	switch {
	case ch.Name == "player.checkpoint" && ch.To.Kind == types.IsText:
		c.done("checkpoints", ch.To.Text)
	case v != nil && v.Type.Kind == types.Pick && ch.To.Kind == types.IsText:
		c.done("options", v.Name+" "+ch.To.Text)
	}
	if ch.To.Kind == types.IsBool && ch.To.Bool {
		if m := c.m.Earning(ch.Name); m != nil {
			c.done("milestones", m.ID)
		}
	}
	if v != nil && ch.Cause != nil && ch.Cause.Kind == "crossing" {
		c.done("fates", v.Name+" at "+ch.Cause.Crossing)
	}
}

// kept notes the fates keep that showed at a crossing.
func (c *cover) kept(x *machine, cross plan.Crossing, player string) {
	x.run.Keepers(cross, player, func(v *model.Var) { c.done("fates", fateName(v, cross)) })
}

// reopened notes what a session that is opened again has kept.
func (c *cover) reopened(x *machine) { c.kept(x, plan.CrossRestart, "") }

// under is the cover of another version; what was noted of the first one stays.
func (c *cover) under(m *model.Model) *cover {
	next := newCover(m)
	next.first = c.first
	return next
}

// covered is what was exercised of every plan that the script names.
func (p *player) covered() []Coverage {
	var out []Coverage
	for _, x := range append([]*machine{p.main()}, p.others(p.main())...) {
		c := x.cover.first
		out = append(out, Coverage{c.m.Plan.Game.Name, c.m.Plan.Version.Value, c.things})
	}
	return out
}
