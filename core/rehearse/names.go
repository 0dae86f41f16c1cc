package rehearse

import (
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/expr"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// A step that is to be refused would be refused for a misspelt name, too. So names are judged before anything is
// played, by the version of the plan that is played then.

// misnamed finds the names in a script that stand for nothing in the plans that it is played with.
func misnamed(script *plan.Rehearsal, games map[string]*model.Model, load func(string) ([]byte, error)) finding.List {
	n := &naming{script: script, games: map[string]*model.Model{}}
	for name, m := range games {
		n.games[name] = m
	}
	for i := range script.Steps {
		s := &script.Steps[i]
		n.step(s)
		if s.Verb == "upgrade" {
			if m, _ := planOf(s.At, laterPlan(script, s, load), load); m != nil { // what is wrong with it the step tells
				n.games[s.Game.Name] = m
			}
		}
	}
	if n.found.Errors() {
		return n.found
	}
	return nil
}

type naming struct {
	script *plan.Rehearsal
	games  map[string]*model.Model // as they are at the step
	m      *model.Model
	found  finding.List
}

// one reports a name that is not in a list.
func (n *naming) one(what, name string, known []string, at finding.At) bool {
	if slices.Contains(known, name) {
		return true
	}
	near := finding.Declared(name, known)
	text := fmt.Sprintf("There is no %s called %q.", what, name)
	switch {
	case near.Name != "":
		text += finding.DidYouMean(near.Name)
	case len(known) > 0 && len(known) <= 12:
		text += " There is " + strings.Join(known, ", ") + "."
	}
	f := finding.New("unknown-name", at, text)
	f.Suggest(near)
	n.found = append(n.found, f)
	return false
}

func (n *naming) step(s *plan.Step) {
	n.m = n.games[s.Game.Name]
	switch s.Verb {
	case "refused":
		n.step(s.Refused)
	case "join":
		n.picks(s)
	case "pass":
		n.one("passage", s.Pass.Name, idsOf(n.m.Passages, func(p *model.Passage) string { return p.ID }), s.Pass.At)
		n.axes(s.Where.Axes)
	case "touch":
		n.one("checkpoint", s.Touch.Name, idsOf(n.m.Checkpoints, func(p *model.Checkpoint) string { return p.ID }),
			s.Touch.At)
		n.axes(s.Where.Axes)
	case "move":
		n.axes(s.To.Axes)
		if s.Facing.Given {
			n.one("facing", s.Facing.Value, n.m.Facings, s.Facing.At)
		}
	case "event":
		n.event(s)
	case "write":
		n.write(s)
	case "correct":
		n.correct(s)
	case "expect", "sees":
		n.expected(s)
	}
}

func (n *naming) axes(axes plan.Map[plan.Given[fixed.Num]]) {
	for _, e := range axes.Entries {
		n.one("axis", e.ID, n.m.Axes, e.At)
	}
}

// picks are the options that a player picks on the way in.
func (n *naming) picks(s *plan.Step) {
	var known []string
	for _, v := range n.m.Holders[model.OfPlayer].Stored {
		if v.Type.Kind == types.Pick {
			known = append(known, v.ID)
		}
	}
	for _, e := range s.As.Entries {
		if n.one("pick of a player", e.ID, known, e.At) {
			n.option(&n.m.Var("player."+e.ID).Domain, e.Value)
		}
	}
}

// option judges a written name of an option, or of a prop or a player where a value is one.
func (n *naming) option(d *types.Domain, l plan.Literal) {
	switch {
	case l.Kind != types.LiteralText || l.Text == "none" && d.Type.Optional:
	case d.Type.Named():
		n.one(d.Type.Of, l.Text, d.Type.Names, l.At)
	case d.Type.Kind == types.Player:
		n.one("player in this rehearsal", l.Text, n.players(), l.At)
	case d.Type.Kind == types.Prop:
		n.one(d.Type.Of, l.Text, idsOf(n.m.Kind(d.Type.Of).Props, func(p *model.Prop) string { return p.ID }), l.At)
	}
}

func (n *naming) players() []string {
	return idsOf(n.script.Players, func(id plan.ID) string { return id.Name })
}

func (n *naming) event(s *plan.Step) {
	if !n.one("event", s.Event.Name, idsOf(n.m.Events, func(e *model.Event) string { return e.ID }), s.Event.At) {
		return
	}
	e := n.m.Event(s.Event.Name)
	known := idsOf(e.Args, func(a model.Arg) string { return a.ID })
	for _, given := range s.Args.Entries {
		if n.one("argument of "+e.ID, given.ID, known, given.At) {
			n.option(&e.Args[slices.Index(known, given.ID)].Domain, given.Value)
		}
	}
}

func (n *naming) write(s *plan.Step) {
	v, err := variableOf(n.m, s.Write.Name)
	if err != nil {
		f := finding.New("unknown-name", s.Write.At, finding.Upper(err.Error())+".")
		n.found = append(n.found, f)
		return
	}
	n.option(&v.Domain, s.Value)
	n.writer(s, v)
	if s.Scene.Given {
		n.one("scene", s.Scene.Value, idsOf(n.m.Scenes, func(x *model.Scene) string { return x.ID }), s.Scene.At)
	}
	if s.Prop.Given && v.Hold.Kind != nil {
		n.one(v.Hold.Kind.ID, s.Prop.Value, idsOf(v.Hold.Kind.Props, func(p *model.Prop) string { return p.ID }),
			s.Prop.At)
	}
	if list := v.Hold.List; list != nil && s.Option.Given {
		n.one(list.ID, s.Option.Value, idsOf(list.Options, func(o *model.Option) string { return o.ID }), s.Option.At)
	}
}

// writer judges who writes: a player what is their own, the server, or another game what it writes of a commons.
func (n *naming) writer(s *plan.Step, v *model.Var) {
	report := func(id string, at finding.At, format string, args ...any) {
		n.found = append(n.found, finding.New(id, at, fmt.Sprintf(format, args...)))
	}
	by := s.By.Value
	if v.Shared == nil || v.Shared.Mine || v.Computed() {
		if by != "" && n.one("player in this rehearsal", by, append(n.players(), "server"), s.By.At) && by != "server" && s.Player.Given {
			report("wrong-type", s.Player.At, "player goes with by: server only: a player writes what is their own.")
		}
		return
	}
	other := v.Shared.Writer
	switch {
	case by != other:
		report("bad-value", s.Write.At, "%s is written by the game %s alone: say by: %s, and player: whose it is.", v.Name, other, other)
	case !s.Player.Given:
		report("missing", s.Write.At, "Say whose it is: player.")
	}
	for called, game := range n.games {
		if game != n.m && game.Plan.Game.Name == other {
			report("bad-value", s.Write.At, "The game %s is in this rehearsal: let it happen there, with game: %s.", other, called)
		}
	}
}

// correct judges what is corrected: a variable, or whether a milestone is earned.
func (n *naming) correct(s *plan.Step) {
	program := n.compile(s.Correct, false)
	if program == nil {
		return
	}
	ref := program.Target
	if v := n.m.VarOf(ref); program.Name && v != nil && ref.What == expr.Variable {
		n.option(&v.Domain, s.To.Literal)
	} else if ref.What != expr.Earned || len(program.Reads) > 1 {
		n.found = append(n.found, finding.New("bad-value", s.Correct.At,
			fmt.Sprintf("%s is no variable, and no milestone: it cannot be corrected.", s.Correct.Source)))
	}
}

func (n *naming) expected(s *plan.Step) {
	of := s.Of.Name != ""
	if s.Not.Given() {
		n.compile(s.Not, of)
	}
	if s.Expect.That.Given() {
		if program := n.compile(s.Expect.That, of); program != nil && program.Type.Kind != types.Bool {
			n.found = append(n.found, finding.New("type-mismatch", s.Expect.That.At,
				fmt.Sprintf("A condition is wanted here; this is %s.", program.Type)))
		}
	}
	for _, row := range s.Expect.Table {
		if program := n.compile(row.Name, of); program != nil && !row.Blank {
			n.option(&types.Domain{Type: withNone(program.Type)}, row.Value)
		}
	}
}

// withNone is a type of which a written none is a value: an expectation asks for it of anything.
func withNone(t types.Type) types.Type {
	t.Optional = true
	return t
}

func (n *naming) compile(x plan.Expr, of bool) *expr.Program {
	program, found := expr.Compile(x, n.m.Watching(n.players(), of), nil)
	if program == nil {
		n.found = append(n.found, found...)
	}
	return program
}

// variableOf finds a variable by its name as expressions have it (player.oil, player.dress.hood), or by what it is
// called where only one is called so.
func variableOf(m *model.Model, name string) (*model.Var, error) {
	if v := m.Var(name); v != nil {
		return v, nil
	}
	var same, known []string
	for _, v := range m.Vars {
		known = append(known, v.Name, v.ID)
		if v.ID == name {
			same = append(same, v.Name)
		}
	}
	switch len(same) {
	case 1:
		return m.Var(same[0]), nil
	case 0:
		return nil, fmt.Errorf("there is no variable called %q.%s", name,
			finding.DidYouMean(finding.Nearest(name, known)))
	}
	return nil, fmt.Errorf("%q is several variables: write %s", name, strings.Join(same, " or "))
}

func idsOf[T any](list []T, id func(T) string) []string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = id(x)
	}
	return out
}
