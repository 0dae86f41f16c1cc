package sentence

import (
	"slices"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
)

// Touched is what a rule reads and changes: names of variables, sorted.
type Touched struct {
	At             string // JSON Pointer (RFC 6901) of the rule
	Reads, Changes []string
}

// Touches says of each rule what it reads and changes. What the events read that rules wait for is theirs, not the rule's.
func Touches(m *model.Model) []Touched {
	var out []Touched
	for _, r := range m.Rules {
		t := toucher{m: m}
		t.program(r.If)
		if r.Moment.Kind == "changed" {
			t.reads = append(t.reads, r.Moment.Of)
		}
		t.actions(r.Do)
		if n := len(out) - 1; n >= 0 && out[n].At == r.At.Pointer { // the same rule, with another moment
			t.reads, t.changes = append(t.reads, out[n].Reads...), append(t.changes, out[n].Changes...)
			out = out[:n]
		}
		out = append(out, Touched{r.At.Pointer, once(t.reads), once(t.changes)})
	}
	return out
}

type toucher struct {
	m              *model.Model
	reads, changes []string
}

func (t *toucher) program(p *expr.Program) {
	if p == nil {
		return
	}
	for _, r := range p.Reads {
		if v := t.m.VarOf(r.Ref); v != nil {
			t.reads = append(t.reads, v.Name)
		}
	}
}

func (t *toucher) actions(all []*model.Action) {
	for _, a := range all {
		if a.Var != nil {
			t.changes = append(t.changes, a.Var.Name)
		}
		t.program(a.Value)
		t.program(a.If)
		for _, p := range a.Reads {
			t.program(p)
		}
		for _, block := range a.Blocks {
			t.actions(block)
		}
	}
}

// once are names sorted, each once.
func once(names []string) []string {
	slices.Sort(names)
	return slices.Compact(append([]string{}, names...))
}
