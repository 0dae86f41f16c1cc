// Package rehearse plays scripted runs of a plan, without a game and without a service, and holds them
// against what is expected. It asks the same engine as the service does, and its saves are cut by the same
// ledger and written in the same form: what a rehearsal shows is what would happen.
package rehearse

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// Report is what came of a rehearsal.
type Report struct {
	Title string
	Steps []Step
	// Found is what keeps the script or its plan from being played at all.
	Found finding.List
	// Covered is what of its plans it exercised.
	Covered []Coverage
	// Expects is how many of its steps hold what came of it against what is expected: of one that has none of them,
	// that it passed says only that nothing in it was refused.
	Expects int

	source string
	edits  []edit
}

// Step is what came of one step.
type Step struct {
	Line    int
	Text    string // the step as it is written
	Words   string // what it does, for people
	Time    int64  // the session's, in milliseconds
	Changes []engine.Change
	Times   map[int]int // of a change that a wait brought again and again, from its first value to its last: how often
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
func Watch(source []byte, load func(name string) ([]byte, error),
	look func(played int, run *engine.Run, time int64)) *Report {
	script, found := plan.ReadRehearsal(source)
	out := &Report{Title: script.Title.Value, source: script.Source}
	if found.Errors() {
		out.Found = found
		return out
	}
	games, found := gamesOf(script, load)
	if found == nil {
		found = misnamed(script, games, load)
	}
	if found != nil {
		found.Excerpts(script.Source)
		out.Found = found
		return out
	}
	p := newPlayer(script, games, load)
	look(0, p.machine.run, 0)
	for i := range script.Steps {
		s := &script.Steps[i]
		p.step = Step{Line: s.Line, Text: p.text(s), Words: Words(s)}
		p.turnTo(s)
		p.play(s)
		p.step.Time = p.machine.clock
		out.Steps = append(out.Steps, p.step)
		if slices.Contains([]string{"expect", "told", "sees", "refused"}, s.Verb) {
			out.Expects++
		}
		look(i+1, p.main().run, p.main().clock)
	}
	out.edits, out.Covered = p.edits, p.covered()
	return out
}

// gamesOf reads the plans of all games that are played: "" is the one of plan.
func gamesOf(script *plan.Rehearsal, load func(string) ([]byte, error)) (map[string]*model.Model, finding.List) {
	games := map[string]*model.Model{}
	m, found := planOf(script.Plan.At, script.Plan.Value, load)
	games[""] = m
	for _, e := range script.Beside.Entries {
		m, more := planOf(e.Value.At, e.Value.Value, load)
		games[e.ID], found = m, append(found, more...)
	}
	return games, found
}

// planOf reads a plan that a script names; where it has errors they are told where it is named.
func planOf(at finding.At, name string, load func(string) ([]byte, error)) (*model.Model, finding.List) {
	one := func(id, text string) finding.List { return finding.List{finding.New(id, at, text)} }
	text, err := load(name)
	if err != nil {
		return nil, one("unknown-name", fmt.Sprintf("The plan %q cannot be read: %v.", name, err))
	}
	m, _, found := check.Plan(text, func(id string) ([]byte, error) { return commonsBeside(name, id, load) })
	for _, f := range found {
		if f.Severity == finding.Error {
			return nil, one("bad-value", fmt.Sprintf("The plan %s has errors; the first is on line %d: %s", name,
				f.Line, f.Message))
		}
	}
	if m == nil {
		return nil, one("bad-value", fmt.Sprintf("%s is no plan.", name))
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
	script   *plan.Rehearsal
	load     func(string) ([]byte, error)
	lines    []string
	machines map[string]*machine // by game; "" is the one of plan
	machine  *machine            // of the step's game
	step     Step
	turns    map[turned]int // of a wait: where each change stands in the step
	edits    []edit
}

func newPlayer(script *plan.Rehearsal, games map[string]*model.Model, load func(string) ([]byte, error)) *player {
	p := &player{script: script, load: load, lines: strings.Split(script.Source, "\n"), machines: map[string]*machine{}}
	commons := map[string]map[string]save.Values{}
	for name, m := range games {
		x := newMachine(m, uint32(script.Seed.Value))
		x.disk.commons = commons
		p.machines[name] = x
	}
	for _, x := range p.machines {
		x.others = p.others(x)
		if looksAtMachines(script) {
			x.screens = newScreens(x)
		}
	}
	p.machine = p.main()
	return p
}

func (p *player) main() *machine { return p.machines[""] }

// others are the other games, in a fixed order.
func (p *player) others(x *machine) []*machine {
	var out []*machine
	for _, name := range slices.Sorted(maps.Keys(p.machines)) {
		if y := p.machines[name]; y != x {
			out = append(out, y)
		}
	}
	return out
}

// turnTo makes the game that a step is about the one that is played.
func (p *player) turnTo(s *plan.Step) {
	if s.Refused != nil {
		s = s.Refused
	}
	p.machine = p.machines[s.Game.Name]
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
		p.hush()
		if err := p.act(s); err != nil {
			p.fail("Refused: %v", err)
		}
		p.step.Notices = p.machine.told
		p.showAll()
	}
}

// hush forgets what was told before.
func (p *player) hush() {
	for _, x := range p.machines {
		x.told = nil
	}
}

// showAll sends every machine what it is to know by now.
func (p *player) showAll() {
	for _, x := range p.machines {
		x.screens.show(x)
	}
}

// act carries out a step that does something.
func (p *player) act(s *plan.Step) error {
	switch s.Verb {
	case "wait":
		p.turns, p.step.Times = map[turned]int{}, map[int]int{}
		for _, x := range append(p.others(p.main()), p.main()) {
			p.machine = x
			if err := x.wait(s.Wait.Value.Milliseconds(), p.tookTurn); err != nil {
				return err
			}
		}
		return nil
	case "date":
		to, err := plan.ParseDate(s.Date.Value)
		if err != nil {
			return err
		}
		for _, x := range append(p.others(p.main()), p.main()) {
			p.machine = x
			p.took(x.on(to.UnixMilli()))
		}
		return nil
	case "crash":
		p.machine.crash()
		return nil
	case "delete":
		res, err := p.machine.forget(s.Delete.Name)
		p.took(res)
		return err
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
// script's plan as plan.v4.yaml, or in a folder history there. What of the player's saves does not fit it is told, and
// kept in the attic.
func (p *player) upgrade(s *plan.Step) error {
	name := laterPlan(p.script, s, p.load)
	m, found := planOf(s.At, name, p.load)
	switch {
	case m == nil:
		return fmt.Errorf("%s", found[0].Message)
	case m.Plan.Version.Value <= p.machine.m.Plan.Version.Value:
		return fmt.Errorf("%s has version %d, which is no later one", name, m.Plan.Version.Value)
	}
	p.took(p.machine.restart())
	for _, problem := range p.machine.under(m, s.Upgrade.Name) {
		p.machine.told = append(p.machine.told, engine.Notice{Player: s.Upgrade.Name, To: "player", Kind: "attic",
			Text: problem.Name + ": " + problem.Reason})
	}
	return nil
}

// laterPlan is the file of the version that a step upgrade leads to.
func laterPlan(script *plan.Rehearsal, s *plan.Step, load func(string) ([]byte, error)) string {
	name := script.Plan.Value
	if of := script.Beside.Get(s.Game.Name); of != nil {
		name = of.Value
	}
	ext := path.Ext(name)
	name = fmt.Sprintf("%s.v%s%s", strings.TrimSuffix(name, ext), s.To.Literal.Looks().Plain(), ext)
	if _, err := load(name); err != nil { // or among the plan's other versions
		name = path.Join(path.Dir(name), "history", path.Base(name))
	}
	return name
}

func (p *player) ask(req engine.Request) error {
	res, err := p.machine.do(req)
	p.took(res)
	p.machine.cover.asked(p.machine, &req, err)
	return err
}

// took keeps what came of something.
func (p *player) took(res engine.Result) {
	p.step.Changes = append(p.step.Changes, res.Changes...)
	p.machine.told = append(p.machine.told, res.Notices...)
	p.machine.cover.saw(p.machine, res)
}

// turned is a value that changes, and why.
type turned struct {
	player, scene, prop, option, name string
	cause                             *engine.Cause
}

// tookTurn is took for what comes again and again in a wait: of one value that changes for one reason only the first
// and the last are kept.
func (p *player) tookTurn(res engine.Result) {
	for _, c := range res.Changes {
		key := turned{c.Player, c.Scene, c.Prop, c.Option, c.Name, c.Cause}
		i, known := p.turns[key]
		if !known {
			p.turns[key] = len(p.step.Changes)
			p.step.Changes = append(p.step.Changes, c)
			continue
		}
		p.step.Changes[i].To = c.To
		p.step.Times[i] = max(1, p.step.Times[i]) + 1
	}
	p.machine.told = append(p.machine.told, res.Notices...)
	p.machine.cover.saw(p.machine, res)
}

// moveFirst is the move that stands in at, beside pass or touch.
func (p *player) moveFirst(s *plan.Step) error {
	to, err := p.coordinates(s.By.Value, s.Where.Point, s.Where.Axes)
	if err != nil {
		return err
	}
	return p.ask(engine.Request{Do: "move", Player: s.By.Value, To: to})
}

// coordinates are a point as it is written; or where a player is, but for the axes that are written.
func (p *player) coordinates(who string, point []plan.Given[fixed.Num],
	axes plan.Map[plan.Given[fixed.Num]]) ([]fixed.Num, error) {
	place, ok := p.machine.run.Place(who)
	if !ok {
		return nil, fmt.Errorf("%s is not in the session", who)
	}
	if axes.Entries == nil {
		return at(point), nil
	}
	to := place.At
	for _, e := range axes.Entries {
		if i := slices.Index(p.machine.m.Axes, e.ID); i >= 0 {
			to[i] = e.Value.Value
		}
	}
	return to, nil
}

// request makes what is asked of the session of a step.
func (p *player) request(s *plan.Step) (engine.Request, error) {
	m := p.machine.m
	req := engine.Request{Do: s.Verb, Player: s.By.Value, Slot: 1}
	switch s.Verb {
	case "join":
		req.Player, req.Slot = s.Join.Name, s.Slot.Or(1)
		req.Picks = map[string]types.Value{}
		for _, e := range s.As.Entries {
			req.Picks[e.ID] = e.Value.Looks()
		}
	case "pass":
		req.Name = s.Pass.Name
	case "touch":
		req.Name = s.Touch.Name
	case "move":
		req.Player, req.Facing = s.Move.Name, s.Facing.Value
		if s.To.Axes.Entries != nil {
			var err error
			req.To, err = p.coordinates(s.Move.Name, nil, s.To.Axes)
			return req, err
		}
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
		req.Name, req.Args = s.Event.Name, map[string]types.Value{}
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
	v, err := variableOf(p.machine.m, s.Write.Name)
	if err != nil {
		return req, err
	}
	req.Name, req.Args = v.Name, map[string]types.Value{"scene": types.OfText(s.Scene.Value),
		"prop": types.OfText(s.Prop.Value), "option": types.OfText(s.Option.Value)}
	req.Value = valueOf(&v.Domain, s.Value.Literal)
	if v.Shared != nil && !v.Shared.Mine && s.By.Value == v.Shared.Writer {
		if err := v.Admit(req.Value); err != nil {
			return req, err
		}
		return engine.Request{Do: "commons", Server: true, Name: v.Name, Player: s.Player.Value,
			Shared: map[string]save.Values{v.Shared.Commons: {v.Shared.ID: req.Value}}}, nil
	}
	p.from(&req, s)
	return req, nil
}

// correct changes what a name stands for by hand.
func (p *player) correct(s *plan.Step) (engine.Request, error) {
	program, err := p.compile(s.Correct, false)
	if err != nil {
		return engine.Request{}, err
	}
	m, ref := p.machine.m, program.Target
	req := engine.Request{Do: "correct", Server: true, Why: s.Why.Value, Args: map[string]types.Value{}}
	if v := m.VarOf(ref); v != nil {
		req.Name, req.Value = v.Name, valueOf(&v.Domain, s.To.Literal.Literal)
	} else {
		req.Name, req.Value = "player.earned."+m.Milestones[ref.Slot].ID, s.To.Literal.Looks()
	}
	switch {
	case ref.As > 0:
		req.Player = p.names()[ref.As-1]
	case ref.Who == expr.Local:
		req.Player = p.names()[ref.Index]
	}
	switch ref.Who {
	case expr.OneScene:
		req.Args["scene"] = types.OfText(m.Scenes[ref.Index].ID)
	case expr.OneProp:
		req.Args["prop"] = types.OfText(m.Props[ref.Index].ID)
	}
	if o := ref.Option; o != nil && o.Of == nil && !o.Here {
		req.Args["option"] = types.OfText(m.CopyID(m.Holders[ref.Hold], o.Index))
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
func arguments(e *model.Event, given plan.Map[plan.Literal]) map[string]types.Value {
	out := map[string]types.Value{}
	for _, g := range given.Entries {
		out[g.ID] = g.Value.Looks()
		for i := range e.Args {
			if e.Args[i].ID == g.ID {
				out[g.ID] = valueOf(&e.Args[i].Domain, g.Value.Literal)
			}
		}
	}
	return out
}

// valueOf reads a written value as one of a domain. What does not fit is left for the engine to refuse.
func valueOf(d *types.Domain, l types.Literal) types.Value {
	if l.Kind == types.LiteralText && l.Text == "none" && d.Type.Optional {
		return types.None
	}
	if v, err := d.FromLiteral(l); err == nil {
		return v
	}
	return l.Looks()
}

// at is a point as it is written.
func at(list []plan.Given[fixed.Num]) []fixed.Num {
	out := make([]fixed.Num, len(list))
	for i, n := range list {
		out[i] = n.Value
	}
	return out
}
