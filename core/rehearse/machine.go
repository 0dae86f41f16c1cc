package rehearse

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/core/upgrade"
)

// machine is a session with its clock and its disk. What is on the disk is there in the form in which the
// service writes it.
type machine struct {
	m      *model.Model
	chain  *upgrade.Chain
	seed   uint32
	run    *engine.Run
	clock  int64
	gone   map[string]bool // who was deleted, and did not come again
	date   int64           // in milliseconds since 1970 in UTC; 0 before anything was asked for
	saved  int64           // when the regular saving was last
	work   int             // what was done in runs before this one
	ledger engine.Ledger
	rates  engine.Rates
	disk   disk
	told   []engine.Notice // since the last step that did something
	others []*machine      // the other games
	// screens are what players' machines have been sent; nil where the script does not look at them.
	screens *screens
	cover   *cover
	// upgraded says that the saves may be of an earlier version, so that not all of them has to fit.
	upgraded bool
}

type disk struct {
	world    []byte
	saves    map[slot][]byte
	recovery map[slot][]byte
	profiles map[string][]byte                 // by player: what they have over all slots
	commons  map[string]map[string]save.Values // by player: what they have of each commons
	ranks    map[string]map[slot]fixed.Num     // by standing: the number that each slot brings
}

type slot struct {
	player string
	number int
}

func newMachine(m *model.Model, seed uint32) *machine {
	x := &machine{m: m, chain: upgrade.New(m), seed: seed, run: engine.Open(m, seed), cover: newCover(m),
		disk: disk{saves: map[slot][]byte{}, recovery: map[slot][]byte{}, profiles: map[string][]byte{},
			ranks: map[string]map[slot]fixed.Num{}}}
	x.run.Trace(x.cover.acted)
	return x
}

// do carries out a request at once, as the service does: with what is due by then, and with the save that it
// leads to.
func (x *machine) do(req engine.Request) (engine.Result, error) {
	req.At, req.Date = x.clock, x.today()
	if err := x.affords(); err != nil {
		return engine.Result{}, err
	}
	if err := x.rates.Allow(x.run, req); err != nil {
		return engine.Result{}, err
	}
	if req.Do == "join" {
		var err error
		if req.Profile, err = x.profile(req.Player); err != nil {
			return engine.Result{}, err
		}
		saved, err := x.load(slot{req.Player, req.Slot}, req.Profile)
		if err != nil {
			return engine.Result{}, err
		}
		req.Saved, req.Shared = saved, x.sharedNow(req.Player)
		if saved != nil {
			req.Profile = saved.Profile
		}
		delete(x.gone, req.Player)
		known := saved
		if known == nil {
			known = &save.Player{Profile: req.Profile}
		}
		req.Gone = slices.DeleteFunc(engine.Refers(x.m, known), func(id string) bool { return !x.gone[id] })
	}
	if req.Do == "commons" { // another game writes it, whether the player is here or not
		x.disk.keepShared(req.Player, req.Shared)
		if !x.run.Has(req.Player) {
			return engine.Result{}, nil
		}
	}
	res, err := x.run.Step(&req)
	out := kept(res)
	if err == nil {
		out = joined(out, kept(x.run.Advance(x.clock))) // coming back without delay belongs to it
	}
	if req.Do == "join" && x.m.Single {
		x.screens.replaced()
	}
	x.write(out, req.Player)
	return out, err
}

// mostWork is how much may be done in all in a rehearsal: requests, turns of timers, and actions of rules.
const mostWork = 1_000_000

// wait lets time go on, with what is due in it, each at its time, and the regular saving. took is told what came of
// each.
func (x *machine) wait(ms int64, took func(engine.Result)) error {
	if len(x.run.Present()) == 0 { // the session sleeps
		took(x.on(x.today() + ms))
		return nil
	}
	end := x.clock + ms
	every := x.m.SavesEvery().Milliseconds()
	for every > 0 && x.saved+every <= end {
		x.saved += every
		if err := x.until(max(x.clock, x.saved), took); err != nil {
			return err
		}
		var moments []engine.SaveMoment
		for _, id := range x.ledger.Players(x.run) {
			moments = append(moments, engine.SaveMoment{Player: id, Moment: "every"})
		}
		if x.ledger.World(x.run) {
			moments = append(moments, engine.SaveMoment{Moment: "every"})
		}
		x.cut(moments, nil)
	}
	return x.until(end, took)
}

// forget deletes everything that is held about a player, as the service does.
func (x *machine) forget(player string) (engine.Result, error) {
	if x.run.Has(player) {
		return engine.Result{}, fmt.Errorf("%s is in the session: they have to leave first", player)
	}
	for _, saved := range []map[slot][]byte{x.disk.saves, x.disk.recovery} {
		for at := range saved {
			if at.player == player {
				delete(saved, at)
			}
		}
	}
	for _, ranks := range x.disk.ranks {
		for at := range ranks {
			if at.player == player {
				delete(ranks, at)
			}
		}
	}
	delete(x.disk.profiles, player)
	if len(x.others) == 0 {
		delete(x.disk.commons, player)
	}
	if x.gone == nil {
		x.gone = map[string]bool{}
	}
	x.gone[player] = true
	return x.do(engine.Request{Do: "deleted", Server: true, Name: player})
}

// firstDate is when rehearsals begin that say no date: 2000-01-01 UTC.
const firstDate = 946_684_800_000

// today is the date by now.
func (x *machine) today() int64 {
	if x.date == 0 {
		x.date = firstDate
	}
	return x.date
}

// on lets the calendar go on to a date, and no time of the session with it.
func (x *machine) on(date int64) engine.Result {
	x.date = date
	res := kept(x.run.Turn(date))
	x.write(res, "")
	return res
}

// affords says whether a rehearsal may go on.
func (x *machine) affords() error {
	if x.work+x.run.Work() > mostWork {
		return fmt.Errorf("this is too much for a rehearsal: rules and timers have done more than %s things by now; wait for less, or let timers go less often", finding.Grouped(mostWork))
	}
	return nil
}

// until lets time go on to a moment, from one thing that is due to the next.
func (x *machine) until(end int64, took func(engine.Result)) error {
	for {
		next := end
		if due, ok := x.run.Due(); ok && due < end {
			next = due
		}
		if turn, ok := x.run.NextTurn(); ok && x.clock+turn-x.today() < next {
			next = x.clock + turn - x.today()
		}
		x.date, x.clock = x.today()+next-x.clock, next
		turn := kept(x.run.Turn(x.date))
		x.write(turn, "")
		took(turn)
		res := x.run.Advance(x.clock)
		x.write(res, "")
		took(res)
		if x.clock == end {
			return nil
		}
		if err := x.affords(); err != nil {
			return err
		}
	}
}

func (x *machine) write(res engine.Result, asked string) {
	x.ledger.Note(x.run, res.Changes, asked)
	x.screens.note(res.Changes, asked)
	x.spread(res.Changes)
	x.cut(res.Saves, res.Left)
}

// cut writes what has changed to the disk: all of it, as the service does at least once a second.
func (x *machine) cut(moments []engine.SaveMoment, left []*save.Player) {
	cut, ok := x.ledger.Cut(x.run, moments, left, len(moments)+len(left) > 0)
	if !ok {
		return
	}
	for _, p := range cut.Parts {
		at := slot{p.Doc.Player, p.Doc.Slot}
		x.disk.keepShared(p.Doc.Player, p.Doc.Shared)
		if p.Doc.Profile != nil {
			x.disk.profiles[p.Doc.Player] = encoded(p.Doc.Profile)
		}
		switch {
		case p.Moment != "":
			x.disk.saves[at] = encoded(p.Doc)
			x.keepRanks(at, p.Doc.Standings)
			delete(x.disk.recovery, at)
		case p.Left: // leaving is no save moment here: the last save is what returns
			delete(x.disk.recovery, at)
		default:
			x.disk.recovery[at] = encoded(p.Doc)
		}
	}
	if cut.World != nil {
		x.disk.world = encoded(cut.World)
	}
}

func encoded(doc any) []byte {
	raw, err := save.Encode(doc)
	if err != nil {
		panic(err) // what the engine holds can always be written
	}
	return raw
}

// load reads what the disk has of a player; nil for a new run.
func (x *machine) load(at slot, profile *save.Profile) (*save.Player, error) {
	raw := x.disk.recovery[at]
	if raw == nil {
		raw = x.disk.saves[at]
	}
	if raw == nil {
		return nil, nil
	}
	around := x.around(at.player)
	around.Profile = profile
	loaded, err := x.chain.Player(raw, around)
	if err != nil {
		return nil, err
	}
	if len(loaded.Problems) > 0 && !x.upgraded {
		return nil, fmt.Errorf("the save of %s does not fit the plan: %s: %s", at.player, loaded.Problems[0].Name,
			loaded.Problems[0].Reason)
	}
	if err := upgrade.RefusedBy(loaded.Problems); err != nil {
		return nil, err
	}
	for _, moved := range loaded.Moved {
		x.disk.share(at.player, moved)
	}
	loaded.Player.Profile = upgrade.WithOver(x.m, profile, at.player, loaded.Over)
	return loaded.Player, nil
}

// profile reads what the disk has of a player over all slots.
func (x *machine) profile(player string) (*save.Profile, error) {
	raw := x.disk.profiles[player]
	if raw == nil {
		return nil, nil
	}
	profile, problems, err := x.chain.Profile(raw)
	if err == nil {
		err = upgrade.RefusedBy(problems)
	}
	return profile, err
}

// around is what an upgrade reads besides a save.
func (x *machine) around(player string) upgrade.Around {
	a := upgrade.Around{Shared: func(name string) (types.Value, bool) {
		v := x.m.Var(name)
		value, ok := x.disk.commons[player][v.Shared.Commons][v.Shared.ID]
		return value, ok
	}}
	if x.disk.world != nil {
		a.World = func() (*save.LooseWorld, error) { return save.OpenWorld(x.disk.world) }
	}
	a.Players = func(visit func(*save.Loose) error) error {
		for _, at := range slices.SortedFunc(maps.Keys(x.disk.saves), slot.compare) {
			l, err := save.OpenPlayer(x.disk.saves[at])
			if err == nil {
				err = visit(l)
			}
			if err != nil {
				return err
			}
		}
		return nil
	}
	return a
}

func (a slot) compare(b slot) int { return cmp.Or(cmp.Compare(a.player, b.player), a.number-b.number) }

// share writes what an upgrade moves to a commons.
func (d *disk) share(player string, moved upgrade.Moved) {
	if d.commons[player] == nil {
		d.commons[player] = map[string]save.Values{}
	}
	of := moved.Var.Shared
	if d.commons[player][of.Commons] == nil {
		d.commons[player][of.Commons] = save.Values{}
	}
	d.commons[player][of.Commons][of.ID] = moved.Value
}

// keepShared writes what a game, this one or another, says of a player's commons: only what that game writes.
func (d *disk) keepShared(player string, shared map[string]save.Values) {
	if shared != nil && d.commons[player] == nil {
		d.commons[player] = map[string]save.Values{}
	}
	mergeShared(d.commons[player], shared)
}

func mergeShared(into, newer map[string]save.Values) {
	for commons, values := range newer {
		if into[commons] == nil {
			into[commons] = save.Values{}
		}
		maps.Copy(into[commons], values)
	}
}

// sharedNow is what a player has of all commons now: what is on disk, and what other games have changed since.
func (x *machine) sharedNow(player string) map[string]save.Values {
	out := map[string]save.Values{}
	mergeShared(out, x.disk.commons[player])
	for _, other := range x.others {
		mergeShared(out, other.run.Shared(player))
	}
	return out
}

// spread brings the other games up to what a player's commons have become.
func (x *machine) spread(changes []engine.Change) {
	for _, c := range changes {
		v := x.m.Var(c.Name)
		if v == nil || v.Shared == nil || !v.Shared.Mine {
			continue
		}
		for _, other := range x.others {
			if !other.run.Has(c.Player) {
				continue
			}
			res, err := other.run.Step(&engine.Request{Do: "commons", Player: c.Player, Server: true,
				Shared: x.run.Shared(c.Player), At: other.clock, Date: other.today()})
			if err == nil {
				other.told = append(other.told, res.Notices...)
				other.write(kept(res), c.Player)
			}
		}
	}
}

// keepRanks takes what a save says of its player's numbers in standings: of one that keeps the last, the last save
// counts, in whichever slot.
func (x *machine) keepRanks(at slot, numbers map[string]fixed.Num) {
	for _, s := range x.m.Standings {
		of := x.disk.ranks[s.ID]
		if of == nil {
			of = map[slot]fixed.Num{}
			x.disk.ranks[s.ID] = of
		}
		if !s.Best {
			maps.DeleteFunc(of, func(other slot, _ fixed.Num) bool { return other.player == at.player })
		}
		if n, counts := numbers[s.ID]; counts {
			of[at] = n
		} else {
			delete(of, at)
		}
	}
}

// ranked are those who have a place in a standing, the best first: everybody ever saved, and who is present by their
// present number. Of equals the first by id stands first.
func (x *machine) ranked(standing int) []engine.Ranked {
	s := x.m.Standings[standing]
	if s.List != nil {
		return x.run.RankedOptions(standing)
	}
	better := func(a, b fixed.Num) bool {
		if s.High {
			return b.Less(a)
		}
		return a.Less(b)
	}
	rows := maps.Clone(x.disk.ranks[s.ID])
	if rows == nil {
		rows = map[slot]fixed.Num{}
	}
	for _, p := range x.run.Now() {
		if !s.Best {
			maps.DeleteFunc(rows, func(at slot, _ fixed.Num) bool { return at.player == p.ID() })
		}
		delete(rows, slot{p.ID(), p.Slot()})
		if n := x.run.RankOf(p.ID(), standing); !n.IsNone() {
			rows[slot{p.ID(), p.Slot()}] = n.Num
		}
	}
	best := map[string]fixed.Num{}
	for at, n := range rows {
		if was, known := best[at.player]; !known || better(n, was) {
			best[at.player] = n
		}
	}
	var out []engine.Ranked
	for _, id := range slices.Sorted(maps.Keys(best)) {
		out = append(out, engine.Ranked{ID: id, Number: best[id]})
	}
	slices.SortStableFunc(out, func(a, b engine.Ranked) int {
		switch {
		case better(a.Number, b.Number):
			return -1
		case better(b.Number, a.Number):
			return 1
		}
		return 0
	})
	return out
}

// crash forgets everything that is not on the disk, and opens the session again.
func (x *machine) crash() {
	x.ledger, x.rates = engine.Ledger{}, engine.Rates{}
	x.reopen()
}

// restart ends all visits, writes everything, and opens the session again.
func (x *machine) restart() engine.Result {
	var out engine.Result
	for _, id := range x.run.Present() {
		res, err := x.run.Step(&engine.Request{Do: "leave", Player: id, Server: true, At: x.clock, Date: x.today()})
		if err == nil {
			x.write(kept(res), "")
			out = joined(out, kept(res))
		}
	}
	x.ledger.Changed("")
	x.cut([]engine.SaveMoment{{Moment: "restart"}}, nil)
	x.reopen()
	return out
}

// reopen opens the session with the world that is on the disk, and a seed of its own.
func (x *machine) reopen() {
	x.seed++
	var world *save.World
	if x.disk.world != nil {
		w, err := x.chain.World(x.disk.world, x.around(""))
		if err != nil {
			panic(err) // it was written under this plan, or an earlier version of it
		}
		world = w.World
	}
	x.work += x.run.Work()
	x.run, x.clock, x.saved = engine.ReopenWith(x.m, world, x.seed), 0, 0
	x.run.Trace(x.cover.acted)
	x.cover.reopened(x)
	if x.screens != nil {
		x.screens = newScreens(x)
	}
}

// under opens the session under another version of the plan, and tells what of a player's saves does not fit
// it.
func (x *machine) under(m *model.Model, player string) []save.Problem {
	x.m, x.chain, x.upgraded = m, upgrade.New(m), true
	x.cover = x.cover.under(m)
	x.reopen()
	var out []save.Problem
	for number := range m.SlotsPerPlayer() {
		at := slot{player, number + 1}
		for _, raw := range [][]byte{x.disk.saves[at], x.disk.recovery[at]} {
			if raw == nil {
				continue
			}
			out = append(out, x.chain.Check(raw, nil, x.around(player), engine.NewJudge(m, nil)).Problems...)
		}
	}
	return out
}

// kept copies what the next step would overwrite.
func kept(r engine.Result) engine.Result {
	return engine.Result{Changes: slices.Clone(r.Changes), Notices: slices.Clone(r.Notices),
		Saves: slices.Clone(r.Saves), Left: slices.Clone(r.Left)}
}

func joined(a, b engine.Result) engine.Result {
	return engine.Result{Changes: append(a.Changes, b.Changes...), Notices: append(a.Notices, b.Notices...),
		Saves: append(a.Saves, b.Saves...), Left: append(a.Left, b.Left...)}
}
