// Package check says what is wrong or surprising in a plan before anybody plays it. Each check is
// proof or silence: where it cannot tell, it says nothing.
package check

import (
	"fmt"

	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/model"
	"alluvion/core/plan"
)

// Text reads a plan and checks it whole. The model is nil where an error keeps it from being built, and for
// a commons, which is judged by itself. Plans that use a commons need it to be at hand.
func Text(source []byte, commons ...model.Commons) (*model.Model, *plan.Plan, finding.List) {
	if plan.IsCommons(source) {
		_, found := model.LoadCommons(source)
		return nil, &plan.Plan{Source: string(source)}, found.Together()
	}
	var load model.Commons
	if len(commons) > 0 {
		load = commons[0]
	}
	m, p, found := model.LoadFor(source, load)
	if m != nil {
		found = append(found, Model(m)...)
		found.Sort()
		found.Excerpts(p.Source)
	}
	return m, p, found.Together()
}

// Model checks a plan that was built.
func Model(m *model.Model) finding.List {
	c := &checker{m: m, used: map[*plan.Accept]map[string]bool{}}
	c.gather()
	for _, check := range []func(*checker){
		(*checker).undecidedFates, (*checker).lostAtLeave, (*checker).readsAndWrites, (*checker).picks,
		(*checker).narrows, (*checker).conditions, (*checker).equalities,
		(*checker).sharedWrites, (*checker).advancedByEach, (*checker).progressDrops, (*checker).rewindsApart, (*checker).copiedWhileDead,
		(*checker).bounds, (*checker).areaBounds, (*checker).spans, (*checker).graph, (*checker).bouncesBack,
		(*checker).comingBack, (*checker).stillDead, (*checker).saving, (*checker).waymarks, (*checker).milestones,
		(*checker).givenTwice, (*checker).resetApart, (*checker).timeOutlives, (*checker).clampedTransfers, (*checker).ruleLoops,
		(*checker).clientTrusted, (*checker).setDownOnArrival, (*checker).gatesOutOfReach, (*checker).undecidedThings, (*checker).overBudget,
	} {
		check(c)
	}
	c.needlessAccepts()
	return c.found
}

type checker struct {
	m     *model.Model
	found finding.List
	used  map[*plan.Accept]map[string]bool

	programs  []use
	reads     map[*model.Var][]use
	writes    map[*model.Var][]model.Effect
	constants map[*model.Var]bool
}

// use is an expression and what it is for.
type use struct {
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
	return about{fmt.Sprintf("rules.%d", r.Number), &r.Decl.Accept}
}

func (c *checker) report(id string, at finding.At, of about, format string, args ...any) {
	f := finding.New(id, at, fmt.Sprintf(format, args...))
	f.Item = of.item
	if of.accept != nil {
		if reason, ok := of.accept.Reasons[id]; ok && f.Severity != finding.Error {
			f.Accepted = reason
			c.use(of.accept, id)
		}
	}
	for _, g := range c.found { // a rule that waits for several moments is built once for each
		if g.ID == f.ID && g.At == f.At && g.Message == f.Message {
			return
		}
	}
	c.found = append(c.found, f)
}

func (c *checker) use(a *plan.Accept, id string) {
	if c.used[a] == nil {
		c.used[a] = map[string]bool{}
	}
	c.used[a][id] = true
}

// needlessAccepts reports what the plan accepts though it is not there.
func (c *checker) needlessAccepts() {
	for _, a := range c.accepts() {
		for id, at := range a.accept.Where {
			if !c.used[a.accept][id] {
				c.report("needless-accept", at, about{item: a.item}, "%s accepts %s, which is not found there.", a.item, id)
			}
		}
	}
}

func (c *checker) accepts() []about {
	p := c.m.Plan
	var out []about
	for i := range p.Variables.Entries {
		out = append(out, about{p.Variables.Entries[i].ID, &p.Variables.Entries[i].Value.Accept})
	}
	for i := range p.Rosters.Entries {
		out = append(out, about{p.Rosters.Entries[i].ID, &p.Rosters.Entries[i].Value.Accept})
	}
	for i := range p.Scenes.Entries {
		s := &p.Scenes.Entries[i]
		out = append(out, about{s.ID, &s.Value.Accept})
		for j := range s.Value.Spots.Entries {
			out = append(out, about{s.ID + "/" + s.Value.Spots.Entries[j].ID, &s.Value.Spots.Entries[j].Value.Accept})
		}
	}
	for i := range p.Passages.Entries {
		out = append(out, about{p.Passages.Entries[i].ID, &p.Passages.Entries[i].Value.Accept})
	}
	for i := range p.Events.Entries {
		out = append(out, about{p.Events.Entries[i].ID, &p.Events.Entries[i].Value.Accept})
	}
	for i := range p.Rules {
		out = append(out, about{fmt.Sprintf("rule %d", i+1), &p.Rules[i].Accept})
	}
	for i := range p.Always {
		out = append(out, about{fmt.Sprintf("always %d", i+1), &p.Always[i].Accept})
	}
	for i := range p.Waymarks.Entries {
		out = append(out, about{p.Waymarks.Entries[i].ID, &p.Waymarks.Entries[i].Value.Accept})
	}
	for i := range p.Milestones.Entries {
		out = append(out, about{p.Milestones.Entries[i].ID, &p.Milestones.Entries[i].Value.Accept})
	}
	for i := range p.Movables.Entries {
		out = append(out, about{p.Movables.Entries[i].ID, &p.Movables.Entries[i].Value.Accept})
	}
	for i := range p.Standings.Entries {
		out = append(out, about{p.Standings.Entries[i].ID, &p.Standings.Entries[i].Value.Accept})
	}
	for i := range p.Props.Entries {
		out = append(out, about{p.Props.Entries[i].ID, &p.Props.Entries[i].Value.Accept})
	}
	for i := range p.Carriers.Entries {
		out = append(out, about{p.Carriers.Entries[i].ID, &p.Carriers.Entries[i].Value.Accept})
	}
	for i := range p.Uses {
		out = append(out, about{p.Uses[i].As.Name, &p.Uses[i].Accept})
	}
	if p.Checkpoints != nil {
		out = append(out, about{"checkpoints", &p.Checkpoints.Accept})
	}
	return append(out, about{"saving", &p.Saving.Accept})
}

// gather lists every expression with what it is for, and who reads and writes each variable.
func (c *checker) gather() {
	c.reads, c.writes, c.constants = map[*model.Var][]use{}, map[*model.Var][]model.Effect{}, map[*model.Var]bool{}
	for _, v := range c.m.Vars {
		c.add(v.Is, nil, "is")
		for i := range v.Fates {
			c.add(v.Fates[i].Set, nil, "fate")
		}
	}
	for _, p := range c.m.Passages {
		c.add(p.If, nil, "passage")
	}
	for _, e := range c.m.Events {
		c.add(e.If, nil, "event")
	}
	for _, m := range c.m.Milestones {
		c.add(m.When, nil, "milestone")
		c.add(m.Progress, nil, "milestone")
	}
	for _, a := range c.m.Always {
		c.add(a.That, nil, "always")
	}
	for _, x := range c.m.Carriers {
		for _, name := range x.Carries {
			c.add(name.Program, nil, "carrier")
		}
	}
	for _, s := range c.m.Standings {
		c.add(s.Rank, nil, "standing")
		c.add(s.If, nil, "standing")
	}
	for _, r := range c.m.Requests {
		c.add(r.If, nil, "request")
	}
	for _, v := range c.m.Whiles {
		c.add(v.While, nil, "while")
	}
	for _, options := range c.m.Pickable {
		for _, o := range options {
			c.add(o.If, nil, "option")
		}
	}
	for _, r := range c.m.Rules {
		c.add(r.If, r, "if")
		if r.Moment.Kind == "changed" { // waiting for a change is reading it
			v := c.m.Var(r.Moment.Of)
			c.reads[v] = append(c.reads[v], use{rule: r, what: "moment"})
		}
	}
	for _, e := range c.m.Effects {
		c.add(e.Action.Value, e.Rule, "value")
		c.add(e.Action.If, e.Rule, "if")
		for _, p := range e.Action.Args { // of let and send
			c.add(p, e.Rule, "value")
		}
		if e.Action.Var != nil {
			c.writes[e.Action.Var] = append(c.writes[e.Action.Var], e)
		}
	}
	for _, v := range c.m.Vars {
		c.constants[v] = c.constant(v)
	}
}

func (c *checker) add(p *expr.Program, r *model.Rule, what string) {
	if p == nil {
		return
	}
	c.programs = append(c.programs, use{program: p, rule: r, what: what})
	for _, read := range p.Reads {
		if v := c.m.VarOf(read.Ref); v != nil {
			c.reads[v] = append(c.reads[v], use{program: p, rule: r, what: what, read: read})
		}
	}
}

// constant says whether a variable can never have another value than its start.
func (c *checker) constant(v *model.Var) bool {
	if v.Computed() || v.Stopwatch || v.Seed || v.Decl.WrittenBy.Given || len(c.writes[v]) > 0 {
		return false
	}
	for _, f := range v.Fates {
		if f.Set != nil {
			return false
		}
	}
	return true
}

// neverWritten narrows what nothing in the plan writes to its start value.
func (c *checker) neverWritten(ref expr.Ref, t expr.Type) expr.Type {
	v := c.m.VarOf(ref)
	if v == nil || !c.constants[v] || v.Start.IsNone() {
		return t
	}
	return expr.Constant(v.Start, t)
}
