// Package rehearse plays scripted runs of a plan, without a game and without a service, and holds them
// against what is expected. It asks the same engine as the service does, and its saves are cut by the same
// ledger and written in the same form: what a rehearsal shows is what would happen.
package rehearse

import (
	"fmt"
	"path"
	"strings"

	"alluvion/core/check"
	"alluvion/core/engine"
	"alluvion/core/expr"
	"alluvion/core/finding"
	"alluvion/core/fixed"
	"alluvion/core/model"
	"alluvion/core/plan"
)

// Report is what came of a rehearsal.
type Report struct {
	Title string
	Steps []Step
	// Found is what keeps the script or its plan from being played at all.
	Found finding.List

	source string
	edits  []edit
}

// Step is what came of one step.
type Step struct {
	Line    int
	Text    string // the step as it is written
	Time    int64  // the session's, in milliseconds
	Changes []engine.Change
	Notices []engine.Notice
	Refused string // why it was refused, where it was to be
	Failed  string // what is wrong; "" where all is as expected
	Wanted  []Side // of a failed expectation: each side's value
}

// Side is one name of an expectation with its two values.
type Side struct{ Name, Is, Wanted string }

// Passed says whether everything was as expected.
func (r *Report) Passed() bool { return len(r.Found) == 0 && r.Failures() == 0 }

// Failures counts the steps that failed.
func (r *Report) Failures() int {
	n := 0
	for _, s := range r.Steps {
		if s.Failed != "" {
			n++
		}
	}
	return n
}

// Play plays a rehearsal. load gives the text of a plan that the script names.
func Play(source []byte, load func(name string) ([]byte, error)) *Report {
	return Watch(source, load, func(int, *engine.Run, int64) {})
}

// Watch is Play that lets somebody look at the session: before the first step (0), and after each. They may look
// only; time is the session's, in milliseconds.
func Watch(source []byte, load func(name string) ([]byte, error), look func(played int, run *engine.Run, time int64)) *Report {
	script, found := plan.ReadRehearsal(source)
	out := &Report{Title: script.Title.Value, source: script.Source}
	if found.Errors() {
		out.Found = found
		return out
	}
	m, found := planOf(script, script.Plan.Value, load)
	if m == nil {
		out.Found = found
		return out
	}
	p := &player{script: script, load: load, lines: strings.Split(script.Source, "\n"), machine: newMachine(m, uint32(script.Seed.Value))}
	look(0, p.machine.run, 0)
	for i := range script.Steps {
		s := &script.Steps[i]
		p.step = Step{Line: s.Line, Text: p.text(s)}
		p.play(s)
		p.step.Time = p.machine.clock
		out.Steps = append(out.Steps, p.step)
		look(i+1, p.machine.run, p.machine.clock)
	}
	out.edits = p.edits
	return out
}

// planOf reads a plan that a script names; where it has errors they are told where it is named.
func planOf(script *plan.Rehearsal, name string, load func(string) ([]byte, error)) (*model.Model, finding.List) {
	one := func(id, text string) finding.List {
		return finding.List{finding.New(id, script.Plan.At, text)}
	}
	text, err := load(name)
	if err != nil {
		return nil, one("unknown-name", fmt.Sprintf("The plan %q cannot be read: %v.", name, err))
	}
	m, _, found := check.Text(text, func(id string) ([]byte, error) { return commonsBeside(name, id, load) })
	if found.Errors() {
		for _, f := range found {
			if f.Severity == finding.Error {
				return nil, one("bad-value", fmt.Sprintf("The plan %s has errors; the first is on line %d: %s", name, f.Line, f.Message))
			}
		}
	}
	return m, nil
}

// commonsBeside finds a commons in the folder of the plan that uses it, or one or two above.
func commonsBeside(plan, id string, load func(string) ([]byte, error)) ([]byte, error) {
	for _, up := range []string{".", "..", "../.."} {
		if text, err := load(path.Join(path.Dir(plan), up, id+".yaml")); err == nil {
			return text, nil
		}
	}
	return nil, model.Unknown(id)
}

// player plays the steps of one script.
type player struct {
	script  *plan.Rehearsal
	load    func(string) ([]byte, error)
	lines   []string
	machine *machine
	step    Step
	told    []engine.Notice // since the last step that did something
	edits   []edit
}

// text is a step as it is written, without its dash.
func (p *player) text(s *plan.Step) string {
	if s.Line < 1 || s.Line > len(p.lines) {
		return s.Verb
	}
	text := strings.TrimPrefix(strings.TrimSpace(p.lines[s.Line-1]), "- ")
	if i := strings.Index(text, " #"); i > 0 && !strings.Contains(text[i:], `"`) {
		text = strings.TrimSpace(text[:i])
	}
	return text
}

func (p *player) fail(format string, args ...any) { p.step.Failed = fmt.Sprintf(format, args...) }

// play carries out one step.
func (p *player) play(s *plan.Step) {
	switch s.Verb {
	case "expect":
		p.expect(s.Expect, s.Of.Name, "")
	case "told":
		p.hears(s)
	case "sees":
		p.sees(s)
	case "refused":
		p.refused(s)
	default:
		p.told = nil
		if err := p.act(s); err != nil {
			p.fail("Refused: %v", err)
		}
		p.step.Notices = p.told
	}
}

// act carries out a step that does something.
func (p *player) act(s *plan.Step) error {
	switch s.Verb {
	case "wait":
		p.took(p.machine.wait(s.Wait.Value.Milliseconds()))
		return nil
	case "crash":
		p.machine.crash()
		return nil
	case "restart":
		p.took(p.machine.restart())
		return nil
	case "upgrade":
		return p.upgrade(s)
	case "pass", "touch":
		if s.Where.Given() {
			if err := p.moveFirst(s); err != nil {
				return err
			}
		}
	}
	req, err := p.request(s)
	if err != nil {
		return err
	}
	return p.ask(req)
}

// upgrade ends the session and opens it again under another version of the plan, which stands beside the
// script's plan as plan.v4.yaml, or in a folder history there. What of the player's saves does not fit it is told, and kept in the attic.
func (p *player) upgrade(s *plan.Step) error {
	name := p.script.Plan.Value
	ext := path.Ext(name)
	name = fmt.Sprintf("%s.v%s%s", strings.TrimSuffix(name, ext), plain(s.To).Plain(), ext)
	if _, err := p.load(name); err != nil { // or among the plan's other versions
		name = path.Join(path.Dir(name), "history", path.Base(name))
	}
	m, found := planOf(p.script, name, p.load)
	switch {
	case m == nil:
		return fmt.Errorf("%s", found[0].Message)
	case m.Plan.Version.Value <= p.machine.m.Plan.Version.Value:
		return fmt.Errorf("%s has version %d, which is no later one", name, m.Plan.Version.Value)
	}
	p.took(p.machine.restart())
	for _, problem := range p.machine.under(m, s.Upgrade.Name) {
		p.told = append(p.told, engine.Notice{Player: s.Upgrade.Name, To: "player", Kind: "attic", Text: problem.Name + ": " + problem.Reason})
	}
	return nil
}

func (p *player) ask(req engine.Request) error {
	res, err := p.machine.do(req)
	p.took(res)
	return err
}

// took keeps what came of something.
func (p *player) took(res engine.Result) {
	p.step.Changes = append(p.step.Changes, res.Changes...)
	p.told = append(p.told, res.Notices...)
}

// moveFirst is the move that stands in at, beside pass or touch.
func (p *player) moveFirst(s *plan.Step) error {
	place, ok := p.machine.run.Place(s.By.Value)
	if !ok {
		return fmt.Errorf("%s is not in the session", s.By.Value)
	}
	to := place.At
	if s.Where.Point != nil {
		to = at(s.Where.Point)
	}
	for _, e := range s.Where.Axes.Entries {
		found := false
		for i, axis := range p.machine.m.Axes {
			if axis == e.ID {
				to[i], found = e.Value.Value, true
			}
		}
		if !found {
			return fmt.Errorf("there is no axis %q", e.ID)
		}
	}
	return p.ask(engine.Request{Do: "move", Player: s.By.Value, To: to})
}

// request makes what is asked of the session of a step.
func (p *player) request(s *plan.Step) (engine.Request, error) {
	m := p.machine.m
	req := engine.Request{Do: s.Verb, Player: s.By.Value, Slot: 1}
	switch s.Verb {
	case "join":
		req.Player, req.Slot = s.Join.Name, s.Slot.Or(1)
		req.Picks = map[string]expr.Value{}
		for _, e := range s.As.Entries {
			req.Picks[e.ID] = plain(e.Value)
		}
	case "pass":
		req.Name = s.Pass.Name
	case "touch":
		req.Name = s.Touch.Name
	case "move":
		req.Player, req.Facing = s.Move.Name, s.Facing.Value
		for _, n := range s.To.Items {
			req.To = append(req.To, n.Number)
		}
	case "die":
		req.Player, req.Server = s.Die.Name, true
	case "start-over":
		req.Player = s.StartOver.Name
	case "leave":
		req.Player = s.Leave.Name
	case "event":
		req.Name, req.Args = s.Event.Name, map[string]expr.Value{}
		if e := m.Event(s.Event.Name); e != nil {
			req.Args = arguments(e, s.Args)
		}
		p.from(&req, s)
	case "write":
		return p.write(req, s)
	case "correct":
		return p.correct(s)
	}
	return req, nil
}

// from says who sends: without by, the server.
func (p *player) from(req *engine.Request, s *plan.Step) {
	if s.By.Value == "server" || !s.By.Given {
		req.Player, req.Server = s.Player.Value, true
	}
}

func (p *player) write(req engine.Request, s *plan.Step) (engine.Request, error) {
	for _, v := range p.machine.m.Vars {
		if v.ID != s.Write.Name {
			continue
		}
		req.Name, req.Args = v.Name, map[string]expr.Value{"scene": expr.OfText(s.Scene.Value), "prop": expr.OfText(s.Prop.Value)}
		req.Value = valueOf(&v.Domain, s.Value)
		p.from(&req, s)
		return req, nil
	}
	return req, fmt.Errorf("there is no variable called %q", s.Write.Name)
}

// correct changes what a name stands for by hand.
func (p *player) correct(s *plan.Step) (engine.Request, error) {
	program, err := p.compile(s.Correct, false)
	if err != nil {
		return engine.Request{}, err
	}
	v := p.machine.m.VarOf(program.Reads[0].Ref)
	if !program.Name || v == nil {
		return engine.Request{}, fmt.Errorf("%s is no variable", s.Correct.Source)
	}
	req := engine.Request{Do: "correct", Server: true, Name: v.Name, Why: s.Why.Value, Value: valueOf(&v.Domain, s.To), Args: map[string]expr.Value{}}
	switch ref := program.Reads[0].Ref; ref.Who {
	case expr.Local:
		req.Player = p.names()[ref.Index]
	case expr.OneScene:
		req.Args["scene"] = expr.OfText(p.machine.m.Scenes[ref.Index].ID)
	case expr.OneProp:
		req.Args["prop"] = expr.OfText(p.machine.m.Props[ref.Index].ID)
	}
	return req, nil
}

func (p *player) names() []string {
	var out []string
	for _, id := range p.script.Players {
		out = append(out, id.Name)
	}
	return out
}

func (p *player) compile(x plan.Expr, of bool) (*expr.Program, error) {
	program, found := expr.Compile(x, p.machine.m.Watching(p.names(), of), nil)
	if program == nil {
		return nil, fmt.Errorf("%s", found[0].Message)
	}
	return program, nil
}

// arguments reads what stands in args as what the event takes.
func arguments(e *model.Event, given plan.Map[plan.Literal]) map[string]expr.Value {
	out := map[string]expr.Value{}
	for _, g := range given.Entries {
		out[g.ID] = plain(g.Value)
		for i := range e.Args {
			if e.Args[i].ID == g.ID {
				out[g.ID] = valueOf(&e.Args[i].Domain, g.Value)
			}
		}
	}
	return out
}

// valueOf reads a written value as one of a domain. What does not fit is left for the engine to refuse.
func valueOf(d *model.Domain, l plan.Literal) expr.Value {
	if l.Kind == plan.LiteralText && l.Text == "none" && d.Type.Optional {
		return expr.None
	}
	if v, err := d.FromLiteral(l); err == nil {
		return v
	}
	return plain(l)
}

// plain is a written value as what it looks like.
func plain(l plan.Literal) expr.Value {
	switch l.Kind {
	case plan.LiteralNumber:
		return expr.OfNum(l.Number)
	case plan.LiteralBool:
		return expr.OfBool(l.Bool)
	case plan.LiteralList:
		items := make([]expr.Value, len(l.Items))
		for i, x := range l.Items {
			items[i] = plain(x)
		}
		return expr.OfItems(items)
	}
	return expr.OfText(l.Text)
}

// at is a point as it is written.
func at(list []plan.Given[fixed.Num]) []fixed.Num {
	out := make([]fixed.Num, len(list))
	for i, n := range list {
		out[i] = n.Value
	}
	return out
}
