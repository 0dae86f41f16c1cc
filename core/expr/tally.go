package expr

import (
	"sync"

	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// tally adds up what each option of a list gives: of count, 1 or 0. Options that were never changed give the
// same for everybody: that is added up once, and afterwards only what was changed is asked (semantics, rule 54).
type tally struct {
	list, size int
	of         func(Env) fixed.Num // what the option at hand gives
	reads      []*Ref              // of what is held for the option at hand; nil where it reads anything else
	once       sync.Once           // guards the writing of fresh and total: several sessions run one model
	fresh      []fixed.Num         // what each option gives that was never changed; nil where all have to be asked
	total      fixed.Num           // of fresh
}

// tallyOf is a tally over a list. It reads what was appended to the program's reads since from.
func (c *checker) tallyOf(l *List, from int, of func(Env) fixed.Num) *tally {
	t := &tally{list: l.Index, size: len(l.Options), of: of}
	for _, r := range c.program.Reads[from:] {
		ref := r.Ref
		switch {
		case ref.What == AtHand && ref.Slot == l.Index:
		case ref.What == Variable && ref.Option == here && ref.As == 0 && (ref.Who == Self || ref.Who == Nobody):
			t.reads = append(t.reads, &ref)
		default:
			t.reads = nil
			return t
		}
	}
	return t
}

// sum is what all options give together.
func (t *tally) sum(env Env) fixed.Num {
	if t.reads == nil {
		return t.all(env)
	}
	changed, ok := env.Changed(t.reads, t.size/2)
	if !ok {
		return t.all(env)
	}
	t.once.Do(func() { t.begin(env) })
	if t.fresh == nil {
		return t.all(env)
	}
	before, total := env.Fault(nil), t.total
	hand := env.Hand(t.list, 0)
	for _, i := range changed {
		env.Hand(t.list, i)
		total = sumOrFail(env, total, differenceOrFail(env, t.of(env), t.fresh[i]))
	}
	env.Hand(t.list, hand)
	if env.Fault(before) != nil { // it is asked anew, in order, so that it fails as it would have
		return t.all(env)
	}
	return total
}

// all asks every option.
func (t *tally) all(env Env) fixed.Num {
	var all fixed.Num
	each(env, t.list, t.size, func() bool {
		all = sumOrFail(env, all, t.of(env))
		return true
	})
	return all
}

// begin adds up what options give that were never changed. Where that fails, all have to be asked each time.
func (t *tally) begin(env Env) {
	before := env.Fault(nil)
	env.AtStart(true)
	fresh, total := make([]fixed.Num, 0, t.size), fixed.Num{}
	each(env, t.list, t.size, func() bool {
		fresh = append(fresh, t.of(env))
		total = sumOrFail(env, total, fresh[len(fresh)-1])
		return true
	})
	env.AtStart(false)
	if env.Fault(before) == nil {
		t.fresh, t.total = fresh, total
	}
}

// each makes one option after another the one at hand, until do gives false.
func each(env Env, list, size int, do func() bool) {
	before := env.Hand(list, 0)
	for i := range size {
		env.Hand(list, i)
		if !do() {
			break
		}
	}
	env.Hand(list, before)
}

// counted gives 1 where yes holds of what an expression gives, else 0.
func counted(x func(Env) types.Value, yes func(types.Value) bool) func(Env) fixed.Num {
	one := fixed.FromInt(1)
	return func(env Env) fixed.Num {
		if yes(x(env)) {
			return one
		}
		return fixed.Num{}
	}
}
