package rehearse

import (
	"errors"
	"strings"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// refused plays the step inside, which has to be refused, and to have changed nothing.
func (p *player) refused(s *plan.Step) {
	inner, before := s.Refused, ""
	var err error
	if inner.Where.Given() { // where the move before it is refused, the step is
		p.machine.run.Advance(p.machine.clock)
		before = p.machine.run.Digest()
		err = p.moveFirst(inner)
	}
	switch {
	case err == nil && inner.Verb == "delete":
		before = p.machine.run.Digest()
		var res engine.Result
		res, err = p.machine.forget(inner.Delete.Name)
		p.took(res)
	case err == nil:
		req, requestErr := p.request(inner)
		if requestErr != nil {
			p.fail("%v", requestErr)
			return
		}
		p.machine.run.Advance(p.machine.clock)
		before = p.machine.run.Digest()
		err = p.ask(req)
	}
	var refusal *engine.Refusal
	switch {
	case err == nil:
		p.fail("It was to be refused, and was not.")
	case p.machine.run.Digest() != before:
		p.fail("It was refused, but changed something.")
	case s.Because.Given && !strings.Contains(err.Error(), s.Because.Value):
		p.fail("It was refused for another reason.")
		p.step.Wanted = []Side{{"because", err.Error(), s.Because.Value}}
	case !s.Because.Given && errors.As(err, &refusal) && (refusal.Kind == engine.Invalid ||
		refusal.Kind == engine.Unknown):
		p.fail("It was refused because of how the step is written, and not by the plan: %s Say so in because, if that is meant.", err)
	default:
		p.step.Refused = err.Error()
	}
}

// expect holds what is against what is to be. Where a viewer is named, the machine of that player has to have
// been sent all that is read.
func (p *player) expect(e plan.Expected, of, viewer string) {
	w := p.watcher(of)
	if e.That.Given() {
		p.holds(w, e.That, viewer)
		return
	}
	if len(e.Table) == 0 {
		p.fail("Nothing is expected here: a table of expect has a value on each line.")
		return
	}
	var failed []string
	for _, row := range e.Table {
		program, err := p.compile(row.Name, of != "")
		if err != nil {
			p.fail("%v", err)
			return
		}
		is, err := w.Ask(program)
		text := is.Plain()
		if err != nil {
			text = err.Error()
		}
		if err == nil && !row.Blank && p.seen(w, program, viewer) && same(is, row.Value) {
			continue
		}
		if err == nil && viewer == "" {
			p.edits = append(p.edits, edit{row, is})
		}
		wanted := row.Value.Looks().Plain()
		if row.Blank {
			wanted = "(nothing written yet; -record fills it in)"
		}
		failed = append(failed, row.Name.Source)
		p.step.Wanted = append(p.step.Wanted, Side{row.Name.Source, text, wanted})
	}
	if len(failed) > 0 && p.step.Failed == "" {
		p.fail("%s: not as expected.", strings.Join(failed, ", "))
	}
}

// same says whether a value is the one that is written.
func same(is types.Value, l plan.Literal) bool {
	want := l.Looks()
	switch {
	case is.IsNone():
		return l.Kind == types.LiteralText && l.Text == "none"
	case is.Kind == types.IsText && want.Kind != types.IsList:
		return is.Text == l.Text
	}
	return is == want
}

func (p *player) watcher(of string) engine.Watcher {
	return engine.Watcher{Run: p.machine.run, Players: p.names(), Of: of, Ranks: p.machine.ranked}
}

// seen says whether a viewer's machine has been sent all that an expression reads, and has it as it is now.
func (p *player) seen(w engine.Watcher, program *expr.Program, viewer string) bool {
	if viewer == "" {
		return true
	}
	for _, r := range program.Reads {
		if why := p.machine.screens.lacks(p.machine, w, viewer, r); why != "" {
			p.fail("%s.", why)
			return false
		}
	}
	return true
}

func (p *player) holds(w engine.Watcher, x plan.Expr, viewer string) {
	program, err := p.compile(x, w.Of != "")
	if err != nil {
		p.fail("%v", err)
		return
	}
	if program.Type.Kind != types.Bool {
		p.fail("A condition is wanted here; this is %s.", program.Type)
		return
	}
	is, err := w.Ask(program)
	switch {
	case err != nil:
		p.fail("%v.", err)
	case len(program.Reads) == 0:
		p.fail("Nothing is expected here: %s reads nothing of the game.", strings.TrimSpace(x.Source))
	case !p.seen(w, program, viewer):
	case !is.Bool:
		p.fail("It does not hold.")
	}
	if p.step.Failed == "" {
		return
	}
	for _, r := range program.Reads {
		value, err := w.Read(r.Ref)
		text := value.Plain()
		if err != nil {
			text = err.Error()
		}
		p.step.Wanted = append(p.step.Wanted, Side{Name: r.Path, Is: text})
	}
}

// hears looks among what a player was told.
func (p *player) hears(s *plan.Step) {
	who, want := s.Told.Name, s.Notice.Value
	if want == "" {
		p.fail("Nothing is expected here: notice is a text, or a kind of notice.")
		return
	}
	var heard []string
	for _, n := range p.machine.told {
		if !p.machine.run.Hears(who, &n) {
			continue
		}
		if n.Text == want || n.Kind == want {
			return
		}
		heard = append(heard, strings.TrimSpace(n.Kind+" "+n.Text))
	}
	p.fail("%s did not get this notification.", who)
	p.step.Wanted = []Side{{"told", strings.Join(heard, "; "), want}}
	if heard == nil {
		p.step.Wanted[0].Is = "nothing"
	}
}

// sees holds what players' machines have been sent against what is to be.
func (p *player) sees(s *plan.Step) {
	for _, viewer := range s.Sees {
		if !p.machine.run.Has(viewer.Name) {
			p.fail("%s is not in the session, and sees nothing.", viewer.Name)
			return
		}
		if s.Expect.That.Given() || s.Expect.Table != nil {
			p.expect(s.Expect, s.Of.Name, viewer.Name)
		}
		if !s.Not.Given() {
			continue
		}
		program, err := p.compile(s.Not, false)
		if err != nil {
			p.fail("%v", err)
			return
		}
		if len(program.Reads) == 0 {
			p.fail("Nothing is looked for here: %s reads nothing of the game.", strings.TrimSpace(s.Not.Source))
			return
		}
		w := p.watcher("")
		for _, r := range program.Reads {
			if p.machine.screens.has(p.machine, w, viewer.Name, r) {
				p.fail("%s is sent %s.", viewer.Name, r.Path)
			}
		}
	}
}
