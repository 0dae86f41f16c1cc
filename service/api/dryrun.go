package api

import (
	"cmp"
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/contract"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/core/types"
)

type dryRunInput struct {
	GamePath
	Body contract.DryRunWish
}

func (s *Server) dryRun(api huma.API) {
	huma.Register(api, huma.Operation{OperationID: "dry-run", Method: http.MethodPost, Path: "/v1/games/{game}/dry-run",
		Summary: "Play steps on a plan, without a game and without keeping anything", Tags: []string{"rehearsals"}, MaxBodyBytes: 3 * maxPlan,
		Description: "What each step changes, and why; and how everybody stands before a step and after it.", Errors: []int{404, 413, 422}}, s.play)
}

func (s *Server) play(ctx context.Context, in *dryRunInput) (*body[contract.DryRunView], error) {
	draft, err := draftOf(in.Body)
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The steps cannot be played", "%v.", err)
	}
	load, err := s.planFiles(ctx, in.Game, in.Body.Plan)
	if err != nil {
		return nil, err
	}
	script, err := draft.Script()
	if err != nil {
		return nil, problem(http.StatusUnprocessableEntity, "invalid", "The steps cannot be played", "%v.", err)
	}
	at := in.Body.At
	if at < 0 || at > len(draft.Steps) {
		at = len(draft.Steps)
	}
	var before, after standing
	left := map[string][]contract.BeforeAfter{} // how players were when they were last there
	report := rehearse.Watch(script, load, func(played int, run *engine.Run, _ int64) {
		for _, id := range draft.Players {
			if played < at && run.Has(id) {
				left[id] = valuesOf(run, id)
			}
		}
		if played == at-1 {
			before = standingOf(run, draft.Players)
		}
		if played == at {
			after = standingOf(run, draft.Players)
		}
	})
	if len(report.Found) > 0 {
		p := broken(report.Found)
		p.Title = "The steps cannot be played"
		return nil, p
	}
	out := contract.DryRunView{Title: draft.Title, Players: draft.Players, Seed: draft.Seed,
		Steps: make([]contract.DryRunStep, 0, len(report.Steps)), At: at}
	for i, step := range report.Steps {
		out.Steps = append(out.Steps, dryRunStep(draft.Steps[i], step))
	}
	var changes []engine.Change
	if at > 0 {
		changes = report.Steps[at-1].Changes
	} else {
		before = after
	}
	out.Stands, out.World = compared(before, after, left, draft.Players, changes)
	out.Things = after.things
	if in.Body.Keep {
		kept, err := draft.Kept(report, load)
		if err != nil {
			return nil, s.asProblem(err)
		}
		out.Script = string(kept)
	}
	return &body[contract.DryRunView]{out}, nil
}

func draftOf(w contract.DryRunWish) (rehearse.Draft, error) {
	if w.Script != "" {
		d, err := rehearse.ReadDraft([]byte(w.Script))
		d.Plan = "plan.yaml"
		return d, err
	}
	d := rehearse.Draft{Title: w.Title, Plan: "plan.yaml", Players: w.Players, Seed: w.Seed}
	if d.Title == "" {
		d.Title = "A try"
	}
	if len(d.Players) == 0 {
		d.Players = []string{"player1"}
	}
	for _, step := range w.Steps {
		d.Steps = append(d.Steps, jsontext.Value(step))
	}
	return d, nil
}

func dryRunStep(step jsontext.Value, r rehearse.Step) contract.DryRunStep {
	x := contract.DryRunStep{Step: contract.JSON(step), Words: r.Words, Time: seconds(r.Time), Failed: r.Failed,
		Refused: r.Refused, Wanted: sidesOf(r.Wanted), Changes: []contract.Change{}, Notices: []contract.Notice{}}
	for i, c := range r.Changes {
		x.Changes = append(x.Changes, changeOf(c))
		x.Changes[i].Times = r.Times[i]
	}
	for _, n := range r.Notices {
		x.Notices = append(x.Notices, noticeOf(n))
	}
	return x
}

// standing is how everybody and everything stands at one moment.
type standing struct {
	players map[string]contract.DryRunPlayer // with values of after only
	world   []contract.BeforeAfter
	things  []contract.DryRunThing
}

func standingOf(run *engine.Run, players []string) standing {
	m := run.Model()
	d := drawing{m}
	out := standing{players: map[string]contract.DryRunPlayer{}, things: []contract.DryRunThing{}}
	for _, id := range players {
		x := contract.DryRunPlayer{Player: id, Present: run.Has(id), At: []float64{}, Values: []contract.BeforeAfter{}}
		if x.Present {
			place, _ := run.Place(id)
			x.Scene = place.Scene
			for _, n := range place.At {
				x.At = append(x.At, plainNumber(n))
			}
			x.Dead, _ = run.State(id)
			x.Values = valuesOf(run, id)
		}
		out.players[id] = x
	}
	out.world = rowsOf(run.GameFigures())
	for _, scene := range m.Scenes {
		out.world = append(out.world, rowsOf(run.SceneFigures(scene.ID))...)
	}
	for i, x := range m.Movables {
		holder, at := run.Thing(i)
		thing := contract.DryRunThing{ID: x.ID, Scene: m.Scenes[at.Scene].ID, At: d.point(at.At)}
		if holder != nil {
			thing.Holder = holder.ID()
		}
		out.things = append(out.things, thing)
	}
	return out
}

func valuesOf(run *engine.Run, id string) []contract.BeforeAfter {
	place, _ := run.Place(id)
	dead, checkpoint := run.State(id)
	at := contract.BeforeAfter{Name: "player.checkpoint", Title: "Checkpoint reached"}
	if checkpoint != "" {
		at.After = types.OfText(checkpoint)
	}
	out := []contract.BeforeAfter{{Name: "place", Title: "Place", After: types.OfText(place.String()), Cause: "moved"},
		{Name: "player.dead", Title: "Dead", After: types.OfBool(dead)}, at}
	for _, m := range run.Milestones(id) {
		out = append(out, contract.BeforeAfter{Name: "player.earned." + m.Milestone.ID, Title: m.Milestone.Title,
			After: progressText(m)})
	}
	return append(out, rowsOf(run.Figures(id))...)
}

func rowsOf(list []engine.Figure) []contract.BeforeAfter {
	out := make([]contract.BeforeAfter, 0, len(list))
	for _, f := range list {
		row := contract.BeforeAfter{Name: f.Var.Name, Of: f.Scene + f.Prop + f.Option, Title: f.Var.Title,
			Before: f.Var.Start, After: f.Value}
		switch {
		case f.Var.Computed():
			row.Cause = "follows from other values"
		case f.Var.Stopwatch:
			row.Cause = "time goes on"
		}
		if row.Of != "" && f.Var.Holder != model.OfScene {
			row.Title += " · " + row.Of
		}
		out = append(out, row)
	}
	return out
}

// compared puts what was beside what is, with the reason of what changed. Who comes again is checked against how they
// left.
func compared(before, after standing, left map[string][]contract.BeforeAfter, players []string,
	changes []engine.Change) ([]contract.DryRunPlayer, []contract.BeforeAfter) {
	out := make([]contract.DryRunPlayer, 0, len(players))
	for _, id := range players {
		was, x := before.players[id], after.players[id]
		x.Values = beside(left[id], x.Values, func(c engine.Change) bool { return c.Player == id }, changes)
		switch {
		case x.Present && !was.Present:
			place := &x.Values[0]
			place.Before, place.Change, place.Cause = types.None, true, cmp.Or(place.Cause, "joined")
		case was.Present && !x.Present:
			x.Values = []contract.BeforeAfter{{Name: "place", Title: "Place", Before: was.Values[0].After, Change: true,
				Cause: "left"}}
		}
		out = append(out, x)
	}
	return out, beside(before.world, after.world, func(c engine.Change) bool { return c.Player == "" }, changes)
}

func beside(before, after []contract.BeforeAfter, mine func(engine.Change) bool,
	changes []engine.Change) []contract.BeforeAfter {
	type key struct{ name, of string }
	was, new := map[key]types.Value{}, len(before) == 0
	for _, row := range before {
		was[key{row.Name, row.Of}] = row.After
	}
	out := slices.Clone(after)
	for i := range out {
		row := &out[i]
		old, known := was[key{row.Name, row.Of}]
		if !known && !new && row.Of != "" {
			old = row.Before // what was never changed is not listed, and as it starts
		}
		byItself := row.Cause // where nothing else changed it
		row.Cause = ""
		row.Before, row.Change = old, !new && (!known && row.Of == "" || old.String() != row.After.String())
		for _, c := range changes {
			if mine(c) && c.Name == row.Name && c.Scene+c.Prop+c.Option == row.Of {
				row.Cause, row.Line = c.Cause.String(), c.Cause.Line
			}
		}
		if row.Change && row.Cause == "" {
			row.Cause = byItself
		}
	}
	if out == nil {
		return []contract.BeforeAfter{}
	}
	return out
}
