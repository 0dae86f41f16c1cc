package engine

import (
	"slices"

	"alluvion.dev/core/model"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/types"
)

// Milestones are evaluated once, when everything that the transaction does has been done, and only those
// whose condition depends on what has changed (rule 12).

type weighing struct {
	player *Player // nil for what is evaluated once: a stopwatch of the world, a standing of options
	model.Weighed
}

func (t *tx) weighLater(p *Player, list []model.Weighed) {
	for _, w := range list {
		switch {
		case w.Milestone != nil && p.earned[w.Milestone.Index]:
		case w.OfWorld():
			t.toWeigh(weighing{nil, w})
		default:
			t.toWeigh(weighing{p, w})
		}
	}
}

// manyToWeigh is how many wait to be evaluated before those that wait already are looked up in a table.
const manyToWeigh = 32

// toWeigh lets something be evaluated, unless it waits for that already.
func (t *tx) toWeigh(w weighing) {
	waiting := t.weigh[t.weighed:]
	switch {
	case len(waiting) < manyToWeigh:
		if slices.Contains(waiting, w) {
			return
		}
	case t.waits == nil:
		t.waits = map[weighing]bool{}
		for _, x := range waiting {
			t.waits[x] = true
		}
	}
	if t.waits != nil {
		if t.waits[w] {
			return
		}
		t.waits[w] = true
	}
	t.weigh = append(t.weigh, w)
}

func (t *tx) weighForAll(list []model.Weighed) {
	if len(list) == 0 {
		return
	}
	for _, w := range list {
		if w.OfWorld() {
			t.toWeigh(weighing{nil, w})
		}
	}
	for _, p := range t.run.order {
		t.weighLater(p, list)
	}
}

// settleWeighed weighs what is to be evaluated, until the rules on milestones change nothing more that
// counts.
func (t *tx) settleWeighed() error {
	for t.weighed < len(t.weigh) {
		w := t.weigh[t.weighed]
		t.weighed++
		delete(t.waits, w)
		if t.gone(w.player) {
			continue
		}
		switch {
		case w.While != nil:
			t.startOrStop(w)
		case w.Standing != nil && w.Standing.List != nil:
			t.rankOptions(w.Standing)
		case w.Standing != nil:
			t.rank(w.player, w.Standing)
		case !w.player.earned[w.Milestone.Index] && t.reached(w):
			t.cause = &Cause{Kind: "request", Moment: "milestone: " + w.Milestone.ID}
			t.setEarned(w.player, w.Milestone, true)
			if err := t.drain(); err != nil {
				return err
			}
		}
	}
	return nil
}

// startOrStop lets a stopwatch go on or stand still, as its condition says now.
func (t *tx) startOrStop(w weighing) {
	v := w.While
	owners := []owner{{v.Hold.Index, w.player, -1}}
	if v.Holder == model.OfScene {
		owners = owners[:0]
		for i := range t.run.scenes {
			owners = append(owners, owner{v.Hold.Index, nil, i})
		}
	}
	for _, o := range owners {
		f := t.other()
		f.aboutOwner(o)
		runs := v.While.True(f) && f.err == nil
		at := &t.run.values(o)[v.Slot]
		if runs == !at.Bool {
			continue
		}
		t.values = append(t.values, valueUndo{at, *at})
		reads := t.run.shown(v, *at).Num
		if *at = stopped(reads); runs {
			zero, _ := seconds(t.run.clock).Sub(reads)
			*at = types.OfNum(zero)
		}
	}
}

// reached asks a milestone's condition. One that fails (a division by zero) is not reached.
func (t *tx) reached(w weighing) bool {
	f := t.other()
	f.about(w.player)
	if w.Milestone.When != nil {
		return w.Milestone.When.True(f) && f.err == nil
	}
	progress := w.Milestone.Progress.Eval(f)
	return f.err == nil && !progress.Num.Less(w.Milestone.Goal)
}

func (t *tx) setEarned(p *Player, m *model.Milestone, to bool) {
	if p.earned[m.Index] == to {
		return
	}
	t.touch(p)
	t.note(p, "player.earned."+m.ID, types.OfBool(!to), types.OfBool(to))
	earned := slices.Clone(p.earned)
	earned[m.Index] = to
	p.earned = earned
	if to {
		t.tell(Notice{Player: p.id, To: "player", Kind: "milestone", Text: m.Title, Key: m.Text.Key, ID: m.ID})
		t.queue = append(t.queue, pending{do: "milestone", player: p, mile: m, cause: t.cause})
	}
}

// earnedRules are the rules that wait for any milestone, or for this one.
func (t *tx) earnedRules(m *model.Milestone) []*model.Rule {
	var rules []*model.Rule
	for _, r := range t.run.m.On("milestone") {
		if r.Moment.Of == "" || r.Moment.Of == m.ID {
			rules = append(rules, r)
		}
	}
	return rules
}

// crossMilestones applies a column to a player's milestones.
func (t *tx) crossMilestones(column plan.Crossing, p *Player) {
	for _, m := range t.run.m.Milestones {
		if m.Fates.At(column).Kind == "reset" {
			t.fated("reset")
			t.setEarned(p, m, false)
		}
	}
}

// Progress is how far a player is towards a milestone.
type Progress struct {
	Milestone *model.Milestone
	Earned    bool
	Reached   types.Value // the progress now; none where the milestone has a condition in its place
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
		f := frame{run: r}
		f.about(p)
		if m.Progress != nil {
			if v := m.Progress.Eval(&f); f.err == nil {
				x.Reached = v
			}
		}
		out = append(out, x)
	}
	return out
}
