// Package check says what is wrong or surprising in a plan before anybody plays it. Each check is
// proof or silence: where it cannot tell, it says nothing.
package check

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/format"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
)

// Text reads a plan or a commons and checks it whole. The model is nil where an error keeps it from being built, and for
// a commons, which is judged by itself. Plans that use a commons need it to be at hand.
func Text(source []byte, commons ...model.Commons) (*model.Model, *plan.Plan, finding.List) {
	if plan.IsCommons(source) {
		_, found := model.LoadCommons(source)
		return nil, &plan.Plan{Source: string(source)}, found.Together()
	}
	return Plan(source, commons...)
}

// Plan is Text where only a plan will do: the model is nil only beside an error, and a commons is one.
func Plan(source []byte, commons ...model.Commons) (*model.Model, *plan.Plan, finding.List) {
	var load model.Commons
	if len(commons) > 0 {
		load = commons[0]
	}
	m, p, found := model.LoadFor(source, load)
	if wrong := wrongAccepts(p); wrong != nil {
		wrong.Excerpts(p.Source)
		m, found = nil, append(found, wrong...)
		found.Sort()
	}
	if m != nil {
		found = append(found, Model(m)...)
		found.Sort()
		found.Excerpts(p.Source)
	}
	return m, p, found.Together()
}

// Model checks a plan that was built.
func Model(m *model.Model) finding.List {
	c := &checker{m: m, used: map[*plan.Accept]map[string]bool{}, said: map[told]bool{}}
	c.gather()
	more := finding.UpToMost(func() { c.all() })
	c.needlessAccepts()
	if more {
		c.found = append(c.found, finding.TooMany())
	}
	return c.found
}

// judgements are all that is judged of a plan that was built.
var judgements []func(*checker)

// judges adds a judgement, with the kinds of findings that it makes (none where another's says them). What makes errors
// judges first: where more is found than is told, errors are not what is left out.
func judges(judge func(*checker), makes ...finding.Kind) struct{} {
	at := len(judgements)
	if len(makes) == 0 || slices.ContainsFunc(makes, func(k finding.Kind) bool { return k.Severity == finding.Error }) {
		at = 0
	}
	judgements = slices.Insert(judgements, at, judge)
	return finding.Add(makes...)
}

// all makes every judgement.
func (c *checker) all() {
	for _, judge := range judgements {
		judge(c)
	}
}

type checker struct {
	m     *model.Model
	found finding.List
	used  map[*plan.Accept]map[string]bool

	programs  []use
	reads     map[*model.Var][]use
	writes    map[*model.Var][]model.Effect
	constants map[*model.Var]bool
	upgraded  map[string]bool // what upgrade steps name
	said      map[told]bool
	open      int // how many findings are not accepted
	effort    int // what was spent on looking through the ways from scene to scene
}

// told tells findings apart.
type told struct {
	id, message string
	at          finding.At
}

// mostEffort bounds what is spent on looking through the ways from scene to scene: a plan of thousands of scenes and
// passages is judged without what would take longer.
const mostEffort = 20_000_000

// affords says whether something may still be looked into that takes so much.
func (c *checker) affords(effort int) bool {
	c.effort += effort
	return c.effort <= mostEffort
}

// use is an expression and what it is for.
type use struct {
	about
	program *expr.Program
	rule    *model.Rule // nil where it belongs to no rule
	what    string      // if, value, is, fate, passage, event, always
	read    expr.Read
}

// about is the item that a finding is about, with what the plan says it accepts there.
type about struct {
	item   string
	accept *plan.Accept
}

func ofVar(v *model.Var) about { return about{v.Name, v.Accept} }

func ofRule(r *model.Rule) about {
	if name := r.Decl.Name.Name; name != "" {
		return about{"rules." + name, &r.Decl.Accept}
	}
	return about{fmt.Sprintf("rules.%d", r.Number), &r.Decl.Accept}
}

func ofPassage(p *model.Passage) about { return about{"passages." + p.ID, &p.Decl.Accept} }

func ofEvent(e *model.Event) about { return about{"events." + e.ID, &e.Decl.Accept} }

func ofMilestone(m *model.Milestone) about { return about{"milestones." + m.ID, &m.Decl.Accept} }

func ofStanding(s *model.Standing) about { return about{"standings." + s.ID, &s.Decl.Accept} }

func (c *checker) report(id string, at finding.At, of about, format string, args ...any) {
	f := finding.New(id, at, fmt.Sprintf(format, args...))
	f.Item = of.item
	if of.accept != nil {
		if reason, ok := of.accept.Reasons[id]; ok && f.Severity != finding.Error {
			f.Accepted = reason
			c.use(of.accept, id)
		}
	}
	said := told{f.ID, f.Message, f.At}
	if c.said[said] { // a rule that waits for several moments is built once for each
		return
	}
	c.said[said] = true
	if f.Accepted == "" { // what is accepted is no reason to stop
		c.open++
	}
	if c.open > finding.Most {
		c.found[:finding.Most].Enough()
	}
	c.found = append(c.found, f)
}

func (c *checker) use(a *plan.Accept, id string) {
	if c.used[a] == nil {
		c.used[a] = map[string]bool{}
	}
	c.used[a][id] = true
}

var _ = finding.Add(
	finding.Kind{ID: "needless-accept", Severity: finding.Note, Title: "Accepted, but not found",
		Why: "The plan accepts a finding that is not there.",
		Do:  "Remove it from accept."},
)

// needlessAccepts reports what the plan accepts though it is not there.
func (c *checker) needlessAccepts() {
	for _, a := range c.accepts() {
		for id, at := range a.accept.Where {
			if !c.used[a.accept][id] {
				c.report("needless-accept", at, about{item: a.item}, "%s accepts %s, which is not found there.", a.item,
					id)
			}
		}
	}
}

// wrongAccepts reports what a plan accepts that is no finding, or an error.
func wrongAccepts(p *plan.Plan) finding.List {
	var out finding.List
	for _, a := range p.Accepts() {
		for id, at := range a.Accept.Where {
			switch kind, known := finding.Lookup(id); {
			case !known:
				near := finding.Word(id, findingIDs())
				hint := cmp.Or(finding.DidYouMean(near.Name), " docs/findings.md lists what can be accepted.")
				out = append(out, finding.New("unknown-name", at,
					fmt.Sprintf("There is no finding called %q.%s", id, hint)))
				out[len(out)-1].Suggest(near)
			case kind.Severity == finding.Error:
				out = append(out, finding.New("bad-value", at,
					fmt.Sprintf("%q is an error: the plan cannot run with it, so it cannot be accepted.", id)))
			}
		}
	}
	return out
}

func findingIDs() []string {
	var ids []string
	for _, k := range finding.Kinds() {
		ids = append(ids, k.ID)
	}
	return ids
}

// accepts are all places of the document where findings may be accepted, by what its types say.
func (c *checker) accepts() []about {
	var out []about
	for _, a := range c.m.Plan.Accepts() {
		out = append(out, about{a.Item, a.Accept})
	}
	return out
}

// gather lists every expression with what it is for, and who reads and writes each variable.
func (c *checker) gather() {
	c.reads, c.writes, c.constants = map[*model.Var][]use{}, map[*model.Var][]model.Effect{}, map[*model.Var]bool{}
	c.upgraded = upgradedNames(c.m)
	for _, v := range c.m.Vars {
		c.add(v.Is, use{about: ofVar(v), what: "is"})
		for i := range v.Fates {
			c.add(v.Fates[i].Set, use{about: ofVar(v), what: "fate"})
		}
	}
	for _, p := range c.m.Passages {
		c.add(p.If, use{about: ofPassage(p), what: "passage"})
	}
	for _, e := range c.m.Events {
		c.add(e.If, use{about: ofEvent(e), what: "event"})
	}
	for _, m := range c.m.Milestones {
		c.add(m.When, use{about: ofMilestone(m), what: "milestone"})
		c.add(m.Progress, use{about: ofMilestone(m), what: "milestone"})
	}
	for _, g := range c.m.Goals {
		c.add(g.Reach, use{about: about{item: "goals." + g.ID}, what: "goal"})
	}
	for i, a := range c.m.Always {
		c.add(a.That, use{about: about{fmt.Sprintf("always.%d", i+1), &a.Decl.Accept}, what: "always"})
	}
	for _, x := range c.m.Carriers {
		for _, name := range x.Carries {
			c.add(name.Program, use{about: about{"carriers." + x.ID, &x.Decl.Accept}, what: "carrier"})
		}
	}
	for _, s := range c.m.Standings {
		c.add(s.Rank, use{about: ofStanding(s), what: "standing"})
		c.add(s.If, use{about: ofStanding(s), what: "standing"})
	}
	for _, name := range sorted(c.m.Requests) {
		c.add(c.m.Requests[name].If, use{about: about{item: "requests." + name}, what: "request"})
	}
	for _, v := range c.m.Whiles {
		c.add(v.While, use{about: ofVar(v), what: "while"})
	}
	for _, roster := range sorted(c.m.Pickable) {
		of := about{item: "rosters." + roster}
		if d := c.m.Plan.Rosters.Get(roster); d != nil {
			of.accept = &d.Accept
		}
		for _, option := range sorted(c.m.Pickable[roster]) {
			c.add(c.m.Pickable[roster][option].If, use{about: of, what: "option"})
		}
	}
	for _, r := range c.m.Rules {
		c.add(r.If, use{about: ofRule(r), rule: r, what: "if"})
		if r.Moment.Kind == "changed" { // waiting for a change is reading it
			v := c.m.Var(r.Moment.Of)
			c.reads[v] = append(c.reads[v], use{about: ofRule(r), rule: r, what: "moment"})
		}
	}
	for _, e := range c.m.Effects {
		c.add(e.Action.Value, use{about: ofRule(e.Rule), rule: e.Rule, what: "value"})
		c.add(e.Action.If, use{about: ofRule(e.Rule), rule: e.Rule, what: "if"})
		for _, p := range e.Action.Reads {
			c.add(p, use{about: ofRule(e.Rule), rule: e.Rule, what: "value"})
		}
		if e.Action.Var != nil {
			c.writes[e.Action.Var] = append(c.writes[e.Action.Var], e)
		}
	}
	for _, v := range c.m.Vars {
		c.constants[v] = c.constant(v) && !format.Holds(c.m, v) // a game's own files may hold any value
	}
}

func sorted[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

func (c *checker) add(p *expr.Program, u use) {
	if p == nil {
		return
	}
	u.program = p
	c.programs = append(c.programs, u)
	for _, read := range p.Reads {
		if v := c.m.VarOf(read.Ref); v != nil {
			u.read = read
			c.reads[v] = append(c.reads[v], u)
		}
	}
}
