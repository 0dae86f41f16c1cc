package engine

import (
	"slices"

	"alluvion/core/expr"
	"alluvion/core/model"
)

// Milestones are weighed once, when everything that the transaction does has been done, and only those
// whose condition depends on what has changed (rule 12).

type weighing struct {
	player    *Player
	milestone *model.Milestone
}

func (t *tx) weighLater(p *Player, list []*model.Milestone) {
	for _, m := range list {
		if !p.earned[m.Index] {
			t.weigh = append(t.weigh, weighing{p, m})
		}
	}
}

func (t *tx) weighForAll(list []*model.Milestone) {
	if len(list) == 0 {
		return
	}
	for _, p := range t.run.order {
		t.weighLater(p, list)
	}
}

// settleMilestones weighs what is to be weighed, until the rules on milestones change nothing more that
// counts.
func (t *tx) settleMilestones() error {
	for i := 0; i < len(t.weigh); i++ {
		w := t.weigh[i]
		if w.player.earned[w.milestone.Index] || !t.run.Has(w.player.id) || !t.reached(w) {
			continue
		}
		t.cause = Cause{Kind: "request", Moment: "milestone: " + w.milestone.ID}
		t.setEarned(w.player, w.milestone, true)
		if err := t.drain(); err != nil {
			return err
		}
	}
	return nil
}

// reached asks a milestone's condition. One that fails (a division by zero) is not reached.
func (t *tx) reached(w weighing) bool {
	f := frame{run: t.run, player: w.player, scene: -1}
	if w.milestone.When != nil {
		return w.milestone.When.Eval(&f).Bool && f.err == nil
	}
	progress := w.milestone.Progress.Eval(&f)
	return f.err == nil && !progress.Num.Less(w.milestone.Goal)
}

func (t *tx) setEarned(p *Player, m *model.Milestone, to bool) {
	if p.earned[m.Index] == to {
		return
	}
	t.touch(p)
	t.note(p, "player.earned."+m.ID, expr.OfBool(!to), expr.OfBool(to))
	earned := slices.Clone(p.earned)
	earned[m.Index] = to
	p.earned = earned
	if to {
		t.tell(Notice{Player: p.id, To: "player", Kind: "milestone", Text: m.Title})
		t.queue = append(t.queue, pending{do: "milestone", player: p, mile: m, cause: t.cause})
	}
}

// earnedRules runs the rules that wait for any milestone, or for this one.
func (t *tx) earnedRules(w pending) error {
	var rules []*model.Rule
	for _, r := range t.run.m.On("milestone") {
		if r.Moment.Of == "" || r.Moment.Of == w.mile.ID {
			rules = append(rules, r)
		}
	}
	t.frame.player, t.frame.scene = w.player, -1
	return t.rules(rules)
}

// crossMilestones applies a column to a player's milestones.
func (t *tx) crossMilestones(column int, p *Player) {
	for _, m := range t.run.m.Milestones {
		if m.Fates[column].Kind == "reset" {
			t.cause.Fate = "reset"
			t.setEarned(p, m, false)
		}
	}
}

// Progress is how far a player is towards a milestone.
type Progress struct {
	Milestone *model.Milestone
	Earned    bool
	Reached   expr.Value // the progress now; none where the milestone has a condition in its place
}

// Milestones tells how far a present player is with each milestone, in the plan's order.
func (r *Run) Milestones(player string) []Progress {
	p := r.players[player]
	if p == nil {
		return nil
	}
	var out []Progress
	for _, m := range r.m.Milestones {
		x := Progress{Milestone: m, Earned: p.earned[m.Index]}
		f := frame{run: r, player: p, scene: -1}
		if m.Progress != nil {
			if v := m.Progress.Eval(&f); f.err == nil {
				x.Reached = v
			}
		}
		out = append(out, x)
	}
	return out
}
