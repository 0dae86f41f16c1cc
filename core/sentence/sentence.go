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
	Deep int // of what stands in a rule: in how many actions
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
		s.say(r.At, switched(r)+s.beginning(r))
		s.actions(r.Do, 1)
	}
	for i := range p.Always {
		s.say(p.Always[i].At, "always: "+s.condition(p.Always[i].That))
	}
	return s.said
}

// speaker says what stands in a plan.
type speaker struct {
	plan    *plan.Plan
	titles  map[string]string // what people call a variable, by its id
	options map[string]string // what people call a choice or an option, by its id
	said    []Said
}

func titles(p *plan.Plan) map[string]string {
	out := map[string]string{}
	for _, v := range p.Variables.Entries {
		out[v.ID] = v.Value.Title.Or(plan.Spaced(v.ID))
	}
	return out
}

// options are the words of choices as they are, and the titles of the options of lists.
func options(p *plan.Plan) map[string]string {
	out := map[string]string{}
	for _, v := range p.Variables.Entries {
		for _, c := range v.Value.Choices {
			out[c.Name] = c.Name
		}
		for _, f := range v.Value.Fields.Entries {
			for _, c := range f.Value.Choices {
				out[c.Name] = c.Name
			}
		}
	}
	for _, all := range []plan.Map[plan.Roster]{p.Lists, p.Rosters} {
		for _, l := range all.Entries {
			for _, o := range l.Value.Options.Entries {
				out[o.ID] = o.Value.Title.Or(plan.Spaced(o.ID))
			}
		}
	}
	return out
}

func (s *speaker) say(at finding.At, text string) {
	if text != "" {
		s.said = append(s.said, Said{At: at.Pointer, Text: text})
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
		out += "; it is refused unless " + s.condition(e.If)
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
		moments = append(moments, s.moment(m))
	}
	out := list(moments, "or")
	if r.If.Given() {
		out += ", if " + s.condition(r.If)
	}
	return out
}

// moment says when something happens.
func (s *speaker) moment(m plan.Moment) string {
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

// actions says what actions do, and those within them, so deep in their rule.
func (s *speaker) actions(all []plan.Action, deep int) {
	say := func(at finding.At, text string) {
		if text != "" {
			s.said = append(s.said, Said{at.Pointer, text, deep})
		}
	}
	for _, a := range all {
		say(a.At, finding.Upper(a.Say(s.words)))
		a.Inside(func(x plan.Branch, otherwise finding.At) {
			if x.If.Given() {
				at := x.If.At
				at.Pointer = strings.TrimSuffix(at.Pointer, "/if")
				say(at, "Otherwise, if "+s.condition(x.If)+":")
			}
			if otherwise.Line > 0 {
				say(otherwise, "Otherwise:")
			}
			s.actions(x.Do, deep+1)
		})
	}
}

// words says what stands under a key of an action.
func (s *speaker) words(key string, value any) string {
	switch v := value.(type) {
	case plan.Expr:
		switch said := s.whole(v); {
		case key == "if":
			return s.condition(v)
		case key == "notify" && said == "the scene":
			return "everybody in the scene"
		default:
			return said
		}
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
		switch {
		case !v.Given:
			return ""
		case key == "save":
			return v.Value
		case key == "in" && (v.Value == "session" || v.Value == "scene"):
			return "player in the " + v.Value
		case key == "in":
			return strings.ToLower(plan.Spaced(v.Value))
		}
		return quoted(v.Value)
	case plan.Map[plan.Expr]:
		var parts []string
		for _, e := range v.Entries {
			parts = append(parts, named(e.ID)+" being "+s.value(e.Value))
		}
		return list(parts, "and")
	}
	return ""
}

// thing is what people call something that the plan names: a scene, a spot, an area, a checkpoint and so on; "" of nothing.
func (s *speaker) thing(name string) string {
	if title, known := s.known(name); known {
		return title
	}
	return plan.Spaced(name)
}

// known is the title of something that the plan names, where it has one.
func (s *speaker) known(name string) (title string, is bool) {
	p := s.plan
	scene, inner, within := strings.Cut(name, "/")
	if sc := p.Scenes.Get(scene); sc != nil {
		title := sc.Title.Or(plan.Spaced(scene))
		if !within {
			return title, true
		}
		if a := sc.Areas.Get(inner); a != nil {
			return a.Title.Or(plan.Spaced(inner)) + " in " + title, true
		}
		return plan.Spaced(inner) + " in " + title, true
	}
	if p.Events.Get(name) != nil {
		return s.eventTitle(name), true
	}
	if m := p.Milestones.Get(name); m != nil {
		return m.Title.Or(plan.Spaced(name)), true
	}
	if m := p.Movables.Get(name); m != nil {
		return m.Title.Or(plan.Spaced(name)), true
	}
	title, is = s.options[name]
	return title, is
}

// quoted is a text as it is written in the plan.
func quoted(text string) string { return "“" + text + "”" }

// named is how a name is written that stands only for what an event or an action gave it.
func named(id string) string { return "‹" + id + "›" }

// list joins words as a sentence does.
func list(parts []string, last string) string {
	if n := len(parts); n > 1 {
		return strings.Join(parts[:n-1], ", ") + " " + last + " " + parts[n-1]
	}
	return strings.Join(parts, "")
}

// switched says of a rule that is switched off that it is.
func switched(r *plan.Rule) string {
	if r.Off.Value {
		return "switched off: "
	}
	return ""
}
