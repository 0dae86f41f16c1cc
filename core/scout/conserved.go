package scout

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
)

// ledger compares each conserved total after a transaction with the total before it. Leaving and coming back count as one
// transaction, and so does opening the session again: in between, the values of some players are only in their saves.
type ledger struct {
	of     []*model.Conserved
	much   []fixed.Num // of each, before what is being done
	did    []string    // the events, named rules and crossings that acted in it, and what was written from outside
	by     []string    // what changed a variable that counts, in words
	within bool        // something of several transactions goes on
	amount map[fact][2]fixed.Num
}

// settled is called with the result of each transaction.
func (w *worker) settled(res *engine.Result) {
	for i := range res.Changes {
		c := &res.Changes[i]
		if c.Cause == nil || !w.counts(c.Name) {
			continue
		}
		if c.Cause.Crossing != "" {
			w.ledger.acted(c.Cause.Crossing)
		}
		if c.Cause.Kind == "request" {
			w.ledger.acted(c.Name)
		}
		w.ledger.because(c.Name + " by " + c.Cause.String())
	}
	if !w.ledger.within {
		w.judge()
	}
}

func (l *ledger) acted(name string) {
	if name != "" && !slices.Contains(l.did, name) {
		l.did = append(l.did, name)
	}
}

func (l *ledger) because(text string) {
	if !slices.Contains(l.by, text) {
		l.by = append(l.by, text)
	}
}

// cutWords says how much a limit cut off.
func cutWords(x engine.Lost) string {
	off, _ := x.Wanted.Sub(x.Got)
	return fmt.Sprintf("the limit of %s, which cuts off %s", x.Var.Name, off.Abs())
}

func (l *ledger) ran(r *model.Rule) {
	if r.Event != nil {
		l.acted(r.Event.ID)
	}
	l.acted(r.Decl.Name.Name)
}

// counts says whether a variable is part of any total.
func (w *worker) counts(name string) bool {
	return slices.ContainsFunc(w.ledger.of, func(c *model.Conserved) bool {
		return slices.ContainsFunc(c.Terms, func(t model.Term) bool { return t.Var.Name == name })
	})
}

// weigh notes the totals before something is done.
func (w *worker) weigh() {
	l := &w.ledger
	l.did, l.by, l.within = l.did[:0], l.by[:0], false
	l.much = l.much[:0]
	for _, c := range l.of {
		l.much = append(l.much, w.sum(c))
	}
}

// sum is one total now.
func (w *worker) sum(c *model.Conserved) fixed.Num {
	var sum fixed.Num
	for _, t := range c.Terms {
		if one, err := w.run.Sum(t.Var).Mul(t.Times); err == nil {
			sum, _ = sum.Add(one)
		}
	}
	return sum
}

// judge notes each total that has changed, if nothing that acted may change it in this direction.
func (w *worker) judge() {
	l := &w.ledger
	for i, c := range l.of {
		now, was := w.sum(c), l.much[i]
		kind, may := madeMore, c.MadeBy
		if now.Less(was) {
			kind, may = madeLess, c.LostBy
		}
		if now != was && !slices.ContainsFunc(may, func(one string) bool { return slices.Contains(l.did, one) }) {
			slices.Sort(l.by)
			f := fact{kind, int32(indexOf(w.m.Conserved, c)), strings.Join(l.by, ", ")}
			w.heard = append(w.heard, f)
			if w.records {
				if l.amount == nil {
					l.amount = map[fact][2]fixed.Num{}
				}
				l.amount[f] = [2]fixed.Num{was, now}
			}
		}
		l.much[i] = now
	}
	l.did, l.by = l.did[:0], l.by[:0]
}

// asOne does something that takes several transactions and judges only its result.
func (w *worker) asOne(crossing string, do func() bool) bool {
	w.ledger.within = true
	w.ledger.acted(crossing)
	ok := do()
	w.ledger.within = false
	if ok {
		w.judge()
	}
	return ok
}

// readsConserved adds everything that is counted to a slice, with its exact numbers.
func readsConserved(c *model.Conserved) func(*slice) {
	return func(x *slice) {
		for _, t := range c.Terms {
			x.vars[t.Var], x.plain[t.Var] = true, true
		}
	}
}

// notConserved is the trouble that a total has changed.
func notConserved(c *model.Conserved, f fact, amount [2]fixed.Num, run *Run) Trouble {
	t := Trouble{Kind: "made", Line: c.At.Line, Run: run}
	how, may, list := "more", "made_by", c.MadeBy
	if f.kind == madeLess {
		t.Kind, how, may, list = "lost", "less", "lost_by", c.LostBy
	}
	t.Text = fmt.Sprintf("There is %s of %s than before, %s in place of %s: %s.", how, c.ID, amount[1], amount[0],
		cmp.Or(f.more, "the session that was opened again"))
	if len(list) > 0 {
		t.Text += fmt.Sprintf(" Only %s may do that (%s).", strings.Join(list, ", "), may)
	}
	return t
}
