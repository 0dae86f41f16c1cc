// Package sentence says in plain sentences what the events and rules of a plan do. Verbs and moments bring their own
// sentences along (core/action, core/plan); here stands how names and expressions are read. What cannot be said
// otherwise stays as it is written, so that a sentence never says less than the plan.
package sentence

import (
	"fmt"
	"strings"

	_ "alluvion.dev/core/action" // its verbs bring their sentences along
	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
)

// Said is one sentence, and of what in the plan it is.
type Said struct {
	At   string // JSON Pointer (RFC 6901) of what it is about
	Text string
}

// Of are the sentences of a plan: of its events, of each rule's moments and condition, of each action, and of what
// always holds. The plan may have errors: what could not be read has no sentence.
func Of(p *plan.Plan) []Said {
	s := &speaker{plan: p, titles: titles(p), options: options(p)}
	for _, e := range p.Events.Entries {
		s.say(e.At, s.event(e.ID, &e.Value))
	}
	for i := range p.Rules {
		r := &p.Rules[i]
		s.say(r.At, s.beginning(r))
		s.actions(r.Do)
	}
	for i := range p.Always {
		s.say(p.Always[i].At, "always: "+s.Condition(p.Always[i].That))
	}
	return s.said
}

// speaker says what stands in a plan.
type speaker struct {
	plan    *plan.Plan
	titles  map[string]string // what people call a variable, by its id
	options map[string]bool   // choices and options: bare names that stand for themselves
	said    []Said
}

func titles(p *plan.Plan) map[string]string {
	out := map[string]string{}
	for _, v := range p.Variables.Entries {
		out[v.ID] = v.Value.Title.Or(plan.Spaced(v.ID))
	}
	return out
}

// options are the words of choices and the options of lists.
func options(p *plan.Plan) map[string]bool {
	out := map[string]bool{}
	for _, v := range p.Variables.Entries {
		for _, c := range v.Value.Choices {
			out[c.Name] = true
		}
		for _, f := range v.Value.Fields.Entries {
			for _, c := range f.Value.Choices {
				out[c.Name] = true
			}
		}
	}
	for _, all := range []plan.Map[plan.Roster]{p.Lists, p.Rosters} {
		for _, l := range all.Entries {
			for _, o := range l.Value.Options.Entries {
				out[o.ID] = true
			}
		}
	}
	return out
}

func (s *speaker) say(at finding.At, text string) {
	if text != "" {
		s.said = append(s.said, Said{at.Pointer, text})
	}
}

// event says who sends an event, with what, and when it is refused.
func (s *speaker) event(id string, e *plan.Event) string {
	title := s.eventTitle(id)
	out := fmt.Sprintf("%s: a player sends it about themselves", title)
	if e.From.Value == "server" {
		out = fmt.Sprintf("%s: the game's server sends it", title)
	}
	var args []string
	for _, a := range e.Args.Entries {
		args = append(args, named(a.ID))
	}
	if len(args) > 0 {
		out += ", with " + list(args, "and")
	}
	if e.If.Given() {
		out += "; it is refused unless " + s.Condition(e.If)
	}
	return out
}

func (s *speaker) eventTitle(id string) string {
	if e := s.plan.Events.Get(id); e != nil {
		return e.Title.Or(plan.Spaced(id))
	}
	return plan.Spaced(id)
}

// beginning says when a rule acts: its moments, and its condition.
func (s *speaker) beginning(r *plan.Rule) string {
	var moments []string
	for _, m := range r.On {
		moments = append(moments, s.Moment(m))
	}
	out := list(moments, "or")
	if r.If.Given() {
		out += ", if " + s.Condition(r.If)
	}
	return out
}

// Moment says when something happens.
func (s *speaker) Moment(m plan.Moment) string {
	if text := m.Say(s.momentOf); text != "" {
		return text
	}
	id := eventOf(m)
	if e := s.plan.Events.Get(id); e != nil && e.From.Value == "self" {
		return "when a player sends " + s.eventTitle(id)
	}
	return "when " + s.eventTitle(id) + " comes from the game's server"
}

// momentOf says what a moment names.
func (s *speaker) momentOf(m plan.Moment) string {
	switch {
	case m.Kind == "every" && m.Of == "player":
		return plan.Short(m.Every) + ", for each player"
	case m.Kind == "every":
		return plan.Short(m.Every) + ", once for the session"
	case m.Kind == "changed":
		return s.value(plan.Expr{Source: m.Of})
	case m.Kind == "crossed" && m.Each:
		return s.thing(m.Of) + ", for each player,"
	}
	if kind, ok := strings.CutPrefix(m.Of, "prop:"); ok {
		return "the reach of a " + strings.ToLower(s.thing(kind))
	}
	return s.thing(m.Of)
}

// actions says what actions do, and those within them.
func (s *speaker) actions(all []plan.Action) {
	for _, a := range all {
		s.say(a.At, finding.Upper(a.Say(s.words)))
		a.Inside(func(x plan.Branch) {
			if x.If.Given() {
				at := x.If.At
				at.Pointer = strings.TrimSuffix(at.Pointer, "/if")
				s.say(at, "Otherwise, if "+s.Condition(x.If)+":")
			}
			s.actions(x.Do)
		})
	}
}

// words says what stands under a key of an action.
func (s *speaker) words(key string, value any) string {
	switch v := value.(type) {
	case plan.Expr:
		if key == "if" {
			return s.Condition(v)
		}
		return s.whole(v)
	case plan.Ref:
		return s.thing(v.Name)
	case plan.ID:
		return named(v.Name)
	case plan.Destination:
		if v.Scene.Given() {
			var axes []string
			for _, a := range v.Carry {
				axes = append(axes, a.Name)
			}
			return s.thing(v.Scene.Name) + ", keeping " + list(axes, "and")
		}
		return s.thing(v.Name)
	case plan.Otherwise:
		return s.thing(v.Spot.Name)
	case plan.Given[string]:
		switch v.Value {
		case "session":
			return "player in the session"
		case "scene":
			return "player in the scene"
		case "player", "world":
			return v.Value
		}
		if v.Given && s.plan.Lists.Get(v.Value) == nil {
			return "“" + v.Value + "”"
		}
		return strings.ToLower(plan.Spaced(v.Value))
	case plan.Map[plan.Expr]:
		var parts []string
		for _, e := range v.Entries {
			parts = append(parts, named(e.ID)+" being "+s.value(e.Value))
		}
		return list(parts, "and")
	}
	return ""
}

// thing is what people call something that the plan names: a scene, a spot, an area, a checkpoint and so on.
func (s *speaker) thing(name string) string {
	if name == "" {
		return ""
	}
	p := s.plan
	scene, inner, within := strings.Cut(name, "/")
	if sc := p.Scenes.Get(scene); sc != nil {
		title := sc.Title.Or(plan.Spaced(scene))
		if !within {
			return title
		}
		for _, a := range sc.Areas.Entries {
			if a.ID == inner {
				return a.Value.Title.Or(plan.Spaced(inner)) + " in " + title
			}
		}
		return plan.Spaced(inner) + " in " + title
	}
	if t := s.titles[name]; t != "" {
		return t
	}
	if p.Events.Get(name) != nil {
		return s.eventTitle(name)
	}
	if m := p.Milestones.Get(name); m != nil {
		return m.Title.Or(plan.Spaced(name))
	}
	if m := p.Movables.Get(name); m != nil {
		return m.Title.Or(plan.Spaced(name))
	}
	return plan.Spaced(name)
}

// named is how a name is written that stands only for what an event or an action gave it.
func named(id string) string { return "‹" + id + "›" }

// list joins words as a sentence does.
func list(parts []string, last string) string {
	if n := len(parts); n > 1 {
		return strings.Join(parts[:n-1], ", ") + " " + last + " " + parts[n-1]
	}
	return strings.Join(parts, "")
}
