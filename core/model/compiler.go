package model

import (
	"maps"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Compiler is what an action is compiled with: the names that can be read where it stands, and what is known there.
type Compiler struct {
	b      *builder
	rule   *Rule
	names  expr.Names
	known  expr.Facts      // what is known not to be none; it grows and shrinks with what is done
	guards []*expr.Program // all of them hold here
	maybe  bool            // more conditions than guards lead here
	block  int             // which run of actions this is: of two in one, both are done or neither

	verb    string
	At      finding.At // of the action
	reading *int       // how much the expressions do that were compiled for it
}

func (b *builder) compiler(r *Rule, names expr.Names, known expr.Facts, guards []*expr.Program) *Compiler {
	c := &Compiler{b: b, rule: r, names: names, known: known, guards: guards}
	return c.newBlock()
}

func (c *Compiler) newBlock() *Compiler {
	c.b.blocks++
	c.block = c.b.blocks
	return c
}

// Actions compiles actions that stand one behind the other.
func (c *Compiler) Actions(list []plan.Action) []*Action {
	var out []*Action
	for i := range list {
		if a := c.action(&list[i]); a != nil {
			out = append(out, a)
			c.b.Effects = append(c.b.Effects, Effect{Rule: c.rule, Action: a, Guards: c.guards, Maybe: c.maybe,
				Block: c.block})
		}
	}
	return out
}

func (c *Compiler) action(d *plan.Action) *Action {
	verb := verbs[d.Verb]
	if verb == nil { // the reader has reported it
		return nil
	}
	one := *c
	one.verb, one.At, one.reading = d.Verb, d.At, new(int)
	deed := verb.Compile(&one, d.Form)
	if deed == nil {
		return nil
	}
	a := &Action{Verb: d.Verb, Deed: deed, Traits: deed.Traits(), Effort: *one.reading / anAction, At: d.At}
	if n, ok := deed.(interface{ Number() *Assignment }); ok {
		a.Number = n.Number()
	}
	return a
}

// Report reports what is wrong with the action, by the id of its finding.
func (c *Compiler) Report(id string, at finding.At, format string, args ...any) {
	c.b.report(id, at, format, args...)
}

// AboutPlayer says whether the rule is about one player; where it is not, it reports that there is nobody who could do
// something.
func (c *Compiler) AboutPlayer(could string) bool {
	if !c.rule.AboutPlayer {
		c.Report("bad-value", c.At, "There is no player here who could %s: the rule is not about one player.", could)
	}
	return c.rule.AboutPlayer
}

// HasPlayer says whether the rule is about one player.
func (c *Compiler) HasPlayer() bool { return c.rule.AboutPlayer }

// Alone says whether the game is for one player: then the world is part of the player's save.
func (c *Compiler) Alone() bool { return c.b.Single }

// Target finds the variable that an action changes, and reports where there is none that rules may change. Where fits
// says why not, it cannot be changed in this way.
func (c *Compiler) Target(x plan.Expr, fits func(v *Var) string) *Assignment {
	p, found := expr.Compile(x, c.names, c.known)
	c.b.add(found...)
	if p == nil {
		return nil
	}
	v := (*Var)(nil)
	if p.Name && p.Target.What == expr.Variable {
		v = c.b.VarOf(p.Target)
	}
	switch {
	case p.Loose:
		c.Report("none-unhandled", x.At, "Whose %s is may be none here: ask has(…) first.", strings.TrimSpace(x.Source))
	case v == nil:
		c.Report("bad-value", x.At, "Only a variable can be changed, and %s is not one.", strings.TrimSpace(x.Source))
	case v.Computed():
		c.Report("bad-value", x.At, "%s is computed: it is always what its expression says, and cannot be changed.",
			v.Name)
	case v.Stopwatch:
		c.Report("bad-value", x.At, "%s is a stopwatch: it counts by itself, and cannot be changed.", v.Name)
	case v.Shared != nil && !v.Shared.Mine:
		c.Report("bad-value", x.At, "%s is of the commons %s, and %s writes it; this game says in uses what it writes.",
			v.Name, v.Shared.Commons, orNobody(v.Shared.Writer))
	case v.Seed:
		c.Report("bad-value", x.At, "%s is a seed: it comes with the session, and cannot be changed.", v.Name)
	default:
		if why := fits(v); why != "" {
			c.Report("type-mismatch", x.At, "%s %s", v.Name, why)
			return nil
		}
		return &Assignment{Var: v, Target: p.Target}
	}
	return nil
}

// Given compiles the value that a variable is given; after it, the variable is known not to be none, if the value is
// not.
func (c *Compiler) Given(to *Assignment, as, x plan.Expr) {
	to.Value = c.b.valueFor(to.Var, x, c.names, c.known)
	*c.reading += c.b.Effort(to.Value)
	if to.Value != nil && !to.Value.Type.Optional {
		c.known[strings.TrimSpace(as.Source)] = true
	}
}

// Item compiles an item of a list or a set.
func (c *Compiler) Item(of *Var, x plan.Expr) *expr.Program {
	p := c.expression(expr.CompileFor(x, c.names, c.known, *of.Type.Item))
	if p != nil {
		if why, ok := types.Fits(p.Type, *of.Type.Item); !ok {
			c.Report("type-mismatch", p.At, "This cannot be an item of %s: %s.", of.Name, why)
		}
	}
	return p
}

// Known says whether something is known not to be none here.
func (c *Compiler) Known(x plan.Expr) bool { return c.known[strings.TrimSpace(x.Source)] }

// Cleared notes that a variable may be none from here on, whoever's it is: two names may stand for one player.
func (c *Compiler) Cleared(v *Var) {
	for path := range c.known {
		if strings.HasSuffix(path, "."+v.ID) || strings.Contains(path, "."+v.ID+".") {
			delete(c.known, path)
		}
	}
}

// Player finds the player that an action is about.
func (c *Compiler) Player(x plan.Expr) (expr.Ref, bool) {
	p, found := expr.Compile(x, c.names, c.known)
	c.b.add(found...)
	if p == nil {
		return expr.Ref{}, false
	}
	if p.Type.Kind != types.Player {
		c.Report("type-mismatch", x.At, "%s needs a player; this is %s.", c.verb, p.Type)
		return expr.Ref{}, false
	}
	if p.Type.Optional {
		c.Report("none-unhandled", x.At, "%s may be none here: ask has(%s) first.", strings.TrimSpace(x.Source),
			strings.TrimSpace(x.Source))
		return expr.Ref{}, false
	}
	return ToPlayer(p.Target), true
}

// Somebody compiles who is meant, who may be nobody. Words are what may stand there besides.
func (c *Compiler) Somebody(x plan.Expr, words []string) *expr.Program {
	p, found := expr.Compile(x, c.names, c.known)
	source := strings.TrimSpace(x.Source)
	if near := finding.Declared(source, words); p == nil && near.Name != "" {
		c.Report("unknown-name", x.At, "%s does not know %q.%s", c.verb, source, finding.DidYouMean(near.Name))
		return nil
	}
	c.b.add(found...)
	if p != nil && p.Type.Kind != types.Player {
		c.Report("type-mismatch", x.At, "%s needs a player, or one of %s; this is %s.", c.verb, types.JoinNames(words),
			p.Type)
		return nil
	}
	return p
}

// ToPlayer is a reference to the player that something stands for: an argument and a rule's own name do so themselves,
// what refers to a player leads to them.
func ToPlayer(ref expr.Ref) expr.Ref {
	if ref.What == expr.Itself || ref.What == expr.LocalValue {
		return ref
	}
	return expr.Ref{Who: expr.Through, Via: &ref}
}

// Condition compiles a condition.
func (c *Compiler) Condition(x plan.Expr) *expr.Program {
	p, ok := c.b.condition(x, c.names, c.known)
	if !ok {
		return nil
	}
	*c.reading += c.b.Effort(p)
	return p
}

// Argument compiles an argument of an event.
func (c *Compiler) Argument(arg *Arg, x plan.Expr) *expr.Program {
	p := c.expression(expr.CompileFor(x, c.names, c.known, arg.Type))
	if p != nil {
		if why, ok := types.Fits(p.Type, arg.Type); !ok {
			c.Report("type-mismatch", p.At, "This cannot be the argument %s: %s.", arg.ID, why)
		}
	}
	return p
}

// Expression compiles any expression.
func (c *Compiler) Expression(x plan.Expr) *expr.Program {
	return c.expression(expr.Compile(x, c.names, c.known))
}

func (c *Compiler) expression(p *expr.Program, found finding.List) *expr.Program {
	c.b.add(found...)
	*c.reading += c.b.Effort(p)
	return p
}

// Where is a compiler for what is done where a condition holds, Otherwise for what is done where it does not.
func (c *Compiler) Where(p *expr.Program) *Compiler {
	in := c.inside()
	maps.Copy(in.known, p.Holds)
	in.guards = append(c.guards[:len(c.guards):len(c.guards)], p)
	return in
}

// Otherwise is a compiler for what is done where the condition before does not hold.
func (c *Compiler) Otherwise() *Compiler {
	in := c.inside()
	in.maybe = true
	return in
}

func (c *Compiler) inside() *Compiler {
	in := *c
	if in.known = maps.Clone(c.known); in.known == nil {
		in.known = expr.Facts{}
	}
	return in.newBlock()
}

// Behind notes what is not known any more behind a block: what it cleared.
func (c *Compiler) Behind(block *Compiler) {
	for path := range c.known {
		if !block.known[path] {
			delete(c.known, path)
		}
	}
}

// Named is a compiler for what stands behind a name of the rule's own that stands for a value, and the name's number.
// The name may not hide one that is there.
func (c *Compiler) Named(name string, at finding.At, t types.Type) (*Compiler, int) {
	return c.local(name, at, &expr.Entry{Type: t,
		Ref: expr.Ref{Who: expr.Nobody, What: expr.LocalValue, Index: c.rule.Locals}})
}

// ForEach is a compiler for what is done for each player, whom a name of the rule's own stands for, and the name's
// number.
func (c *Compiler) ForEach(name string, at finding.At) (*Compiler, int) {
	in, local := c.local(name, at, &expr.Entry{Type: types.Type{Kind: types.Player},
		Ref: expr.Ref{Who: expr.Local, What: expr.LocalValue,
			Index: c.rule.Locals}, Fields: c.b.scopes.player.Roots["player"].Fields})
	return in.inside(), local
}

// ForOptions is a compiler for what is done for each option of a list, which a name of the rule's own stands for, and
// the name's number.
func (c *Compiler) ForOptions(name string, at finding.At, l *List) (*Compiler, int) {
	in, local := c.local(name, at,
		&expr.Entry{Ref: expr.Ref{Who: expr.Nobody, What: expr.LocalValue, Index: c.rule.Locals},
			Type: types.Type{Kind: types.Choice, Of: l.ID, Names: c.b.options[l.ID], Roster: l.Roster}})
	return in.inside(), local
}

// List finds a list; ListIDs are those that there are.
func (c *Compiler) List(id string) *List { return c.b.lists[id] }

// ListIDs are the ids of all lists.
func (c *Compiler) ListIDs() []string { return c.b.Plan.ListIDs() }

func (c *Compiler) local(name string, at finding.At, e *expr.Entry) (*Compiler, int) {
	if c.names.Roots[name] != nil || c.names.Lists[name] != nil || name == "args" {
		c.Report("bad-value", at, "%s is known here as something else; the rule's own name has to be another.", name)
	}
	local := c.rule.Locals
	c.rule.Locals++
	in := *c
	in.names = c.names.With(map[string]*expr.Entry{name: e})
	return &in, local
}

// OneOf reports a name that is none of those that are known, with the nearest.
func (c *Compiler) OneOf(name string, known []string, what string, at finding.At) {
	c.b.oneOf(name, known, what, at)
}

// Carried reads which coordinates are brought along.
func (c *Compiler) Carried(ids []plan.ID) Carried { return c.b.carried(ids) }

// Spot finds a spot; Waymark, Scene, Movable, Milestone and Event find theirs; nil where there is none, which the
// reader has reported.
func (c *Compiler) Spot(r plan.Ref) *Spot { return c.b.spots[r.Name] }

// Waymark finds a waymark.
func (c *Compiler) Waymark(r plan.Ref) *Waymark { return c.b.waymarks[r.Name] }

// Scene finds a scene.
func (c *Compiler) Scene(r plan.Ref) *Scene { return c.b.scenes[r.Name] }

// Movable finds a movable.
func (c *Compiler) Movable(r plan.Ref) *Movable { return c.b.movables[r.Name] }

// Event finds an event.
func (c *Compiler) Event(r plan.Ref) *Event { return c.b.events[r.Name] }

// Milestone finds a milestone.
func (c *Compiler) Milestone(r plan.Ref) *Milestone {
	for _, m := range c.b.Milestones {
		if m.ID == r.Name {
			return m
		}
	}
	return nil
}

// ArgIDs are the ids of an event's arguments.
func (e *Event) ArgIDs() []string {
	var ids []string
	for _, a := range e.Args {
		ids = append(ids, a.ID)
	}
	return ids
}

// MostActions is how many actions one event may do with so many players in the session. Beyond it the event is refused,
// so that no rule holds a session up.
func MostActions(players int) int { return 100_000 + 20*players }

// Actions is how many actions a rule does at most with so many players in the session: what each has is done for
// every one of them.
func (r *Rule) Actions(players int) int { return actionsOf(r.Do, players) }

func actionsOf(list []*Action, players int) int {
	const most = 1 << 50
	all := 0
	for _, a := range list {
		inside := 0
		for _, block := range a.Blocks {
			inside = max(inside, actionsOf(block, players))
		}
		if a.Each {
			inside *= players
		}
		inside = min(inside*max(1, a.Times), most)
		all = min(all+1+a.Effort+inside, most)
	}
	return all
}

// anAction is how much of an expression counts as much as an action.
const anAction = 16

// inActions is how much an expression does, in actions.
func (b *builder) inActions(p *expr.Program) int { return b.Effort(p) / anAction }
