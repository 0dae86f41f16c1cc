package rehearse

import (
	"fmt"
	"strings"

	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Words say what a step does, for people: wren goes through rope_bridge.
func Words(s *plan.Step) string {
	if say := words[s.Verb]; say != nil {
		return say(s)
	}
	return s.Verb
}

// words has a sentence for every step.
var words map[string]func(s *plan.Step) string

// The table stands in a function, since what a refused step does is said by the table too.
func init() {
	words = map[string]func(s *plan.Step) string{
		"join":  func(s *plan.Step) string { return s.Join.Name + " joins" + list(" as ", s.As, "") },
		"pass":  func(s *plan.Step) string { return by(s) + " goes through " + s.Pass.Name },
		"touch": func(s *plan.Step) string { return by(s) + " touches " + s.Touch.Name },
		"move":  func(s *plan.Step) string { return s.Move.Name + " moves to " + target(s.To) },
		"event": func(s *plan.Step) string { return by(s) + " sends " + s.Event.Name + list(" (", s.Args, ")") },
		"write": func(s *plan.Step) string {
			of := ""
			if s.Player.Given {
				of = " of " + s.Player.Value
			}
			return fmt.Sprintf("%s writes %s%s: %s", by(s), s.Write.Name, of, plain(s.Value))
		},
		"die":        func(s *plan.Step) string { return s.Die.Name + " dies" },
		"start-over": func(s *plan.Step) string { return s.StartOver.Name + " starts over" },
		"leave":      func(s *plan.Step) string { return s.Leave.Name + " leaves" },
		"delete":     func(s *plan.Step) string { return "everything about " + s.Delete.Name + " is deleted" },
		"wait":       func(s *plan.Step) string { return plan.Short(s.Wait.Value) + " passes" },
		"date":       func(s *plan.Step) string { return "it is " + s.Date.Value },
		"crash":      func(*plan.Step) string { return "the machine crashes" },
		"restart":    func(*plan.Step) string { return "the session is restarted" },
		"refused":    func(s *plan.Step) string { return "refused: " + Words(s.Refused) },
		"told":       func(s *plan.Step) string { return fmt.Sprintf("%s is told: %s", s.Told.Name, s.Notice.Value) },
		"expect":     func(s *plan.Step) string { return "expected: " + expected(s.Expect) },
		"sees":       sees,
		"correct": func(s *plan.Step) string {
			return fmt.Sprintf("%s is corrected: %s", s.Correct.Source, target(s.To))
		},
		"upgrade": func(s *plan.Step) string { return fmt.Sprintf("on to version %s", target(s.To)) },
	}
}

// by is who does something.
func by(s *plan.Step) string {
	if s.By.Value == "server" {
		return "the server"
	}
	return s.By.Value
}

// plain is a value as people read it: several with commas between.
func plain(l plan.Literal) string {
	value := l.Looks()
	if l.Kind != types.LiteralList {
		return value.Plain()
	}
	items := make([]string, 0, len(l.Items))
	for _, item := range l.Items {
		items = append(items, item.Looks().Plain())
	}
	return strings.Join(items, ", ")
}

func target(to plan.Target) string {
	if to.Axes.Entries == nil {
		return plain(to.Literal)
	}
	var axes []string
	for _, axis := range to.Axes.Entries {
		axes = append(axes, axis.ID+" "+axis.Value.Value.String())
	}
	return strings.Join(axes, ", ")
}

// list writes a table of values between what stands before and behind it; nothing where it is empty.
func list(before string, values plan.Map[plan.Literal], behind string) string {
	if len(values.Entries) == 0 {
		return ""
	}
	var out []string
	for _, e := range values.Entries {
		out = append(out, e.ID+": "+plain(e.Value))
	}
	return before + strings.Join(out, ", ") + behind
}

func expected(e plan.Expected) string {
	if e.That.Given() {
		return e.That.Source
	}
	var out []string
	for _, row := range e.Table {
		out = append(out, row.Name.Source+" is "+plain(row.Value))
	}
	return strings.Join(out, ", ")
}

func sees(s *plan.Step) string {
	var who, what []string
	for _, viewer := range s.Sees {
		who = append(who, viewer.Name)
	}
	if s.Expect.That.Given() || s.Expect.Table != nil {
		what = append(what, "sees that "+expected(s.Expect))
	}
	if s.Not.Given() {
		what = append(what, "is not sent "+s.Not.Source)
	}
	return strings.Join(who, ", ") + " " + strings.Join(what, " and ")
}
