package sentence

import (
	"slices"

	"alluvion.dev/core/plan"
)

// Group is what sets rules off: an event, or moments of one sort.
type Group struct {
	Title string
	Event string   // where it is an event: which
	Rules []string // JSON Pointers (RFC 6901); a rule with several moments stands in each of their groups
}

// Groups are the rules of a plan by what sets them off: each event, those of players first, then moments of each sort that
// is waited for, and last the rules whose moments could not be read.
func Groups(p *plan.Plan) []Group {
	s := &speaker{plan: p}
	var out []Group
	add := func(title, event string, in func(plan.Moment) bool) {
		g := Group{Title: title, Event: event}
		for _, r := range p.Rules {
			if slices.ContainsFunc(r.On, in) {
				g.Rules = append(g.Rules, r.At.Pointer)
			}
		}
		if len(g.Rules) > 0 || event != "" {
			out = append(out, g)
		}
	}
	for _, from := range []string{"self", "server"} {
		for _, e := range p.Events.Entries {
			if (e.Value.From.Value == "server") == (from == "server") {
				add(s.eventTitle(e.ID), e.ID, func(m plan.Moment) bool { return m.Group() == "" && eventOf(m) == e.ID })
			}
		}
	}
	for _, title := range plan.MomentGroups() {
		add(title, "", func(m plan.Moment) bool { return m.Group() == title })
	}
	rest := Group{Title: "Set off by nothing that could be read"}
	for _, r := range p.Rules {
		if !slices.ContainsFunc(out, func(g Group) bool { return slices.Contains(g.Rules, r.At.Pointer) }) {
			rest.Rules = append(rest.Rules, r.At.Pointer)
		}
	}
	if len(rest.Rules) > 0 {
		out = append(out, rest)
	}
	return out
}

// eventOf is the event that a moment is, as it is written.
func eventOf(m plan.Moment) string {
	if m.Kind == "event" {
		return m.Of
	}
	return m.Kind
}
