package engine

import (
	"encoding/binary"
	"maps"
	"slices"

	"alluvion.dev/core/calendar"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/types"
)

// A kept state is a list of bytes. A session of the same model that recalls it continues as this session would. Searches
// use it: they return to many states many times. It is not a save: it has no names, and no other version of the program
// can read it. It does not contain the attic and the last request numbers of the game's servers, which a search never has.

// Lens says which parts of a state matter to a search. Two states that agree on these parts are the same for it. Times are
// relative to now: how long until a timer is due, how much a stopwatch reads.
type Lens struct {
	Slots  [][]int       // by holding: the stored variables that are told apart, by their slots
	Most   [][]fixed.Num // by holding and slot: from which number on all are taken as one; 0 where none is
	Exact  []bool        // by scene: whether a place is told apart by its coordinates, and not by its scene alone
	Facing bool
	Entry  bool   // where players came into the scene
	Visits bool   // how often players came
	Marks  []bool // by waymark
	Earned []bool // by milestone
	Timers bool   // when timers are due
	Met    bool   // which of the plan's own crossings were met
	Clock  bool   // the session's time itself
	// Nameless shows players without their names and slots, and with each what they hold.
	Nameless bool
}

// keeping writes a state down: all of it, or what a lens shows.
type keeping struct {
	r    *Run
	b    []byte
	lens *Lens // nil for all
}

// Keep appends the session's state to some bytes, for Recall.
func (r *Run) Keep(into []byte) []byte {
	w := keeping{r: r, b: into}
	w.int(r.clock)
	w.int(r.date)
	w.int(r.nextTurn)
	w.int(int64(r.seed))
	w.int(int64(r.sown))
	w.int(int64(len(r.arrivals)))
	for _, id := range slices.Sorted(maps.Keys(r.arrivals)) {
		w.text(id)
		w.int(int64(r.arrivals[id]))
	}
	w.state()
	return w.b
}

// Look appends what a lens shows of the session's state. States with the same bytes are the same for the lens.
func (r *Run) Look(into []byte, lens *Lens) []byte {
	w := keeping{r: r, b: r.LookAround(into, lens), lens: lens}
	w.present()
	return w.b
}

// LookAt appends what a lens shows of one player who is there.
func (r *Run) LookAt(into []byte, lens *Lens, player string) []byte {
	w := keeping{r: r, b: into, lens: lens}
	if p := r.players[player]; p != nil {
		w.player(p)
	}
	return w.b
}

// LookAround appends what a lens shows of the session besides its players.
func (r *Run) LookAround(into []byte, lens *Lens) []byte {
	w := keeping{r: r, b: into, lens: lens}
	if lens.Clock {
		w.int(r.clock)
	}
	w.around()
	return w.b
}

func (w *keeping) state() {
	w.around()
	w.present()
}

func (w *keeping) present() {
	w.int(int64(len(w.r.order)))
	for _, p := range w.r.order {
		w.player(p)
	}
}

// around is everything but the players.
func (w *keeping) around() {
	r := w.r
	w.values(r.game, int(model.OfGame))
	for _, values := range r.scenes {
		w.values(values, int(model.OfScene))
	}
	w.copies(r.props)
	for i := range r.things {
		if w.holder(r.things[i].holder) == 0 {
			w.place(r.things[i].at)
		}
	}
	w.mets(r.crossed)
	if w.lens == nil {
		w.int(int64(len(r.ranks)))
		for _, ranks := range r.ranks {
			w.plain(ranks)
		}
	}
	w.timers(r.timers)
}

func (w *keeping) player(p *Player) {
	if w.lens != nil && w.lens.Nameless {
		w.bools(len(w.r.things), func(i int) bool { return w.r.things[i].holder == p })
	} else {
		w.text(p.id)
		w.int(int64(p.slot))
	}
	w.bool(p.dead)
	if p.dead {
		w.int(p.backAt - w.r.clock)
	}
	w.place(p.place)
	if w.lens == nil || w.lens.Entry {
		w.place(p.entry)
	}
	w.int(int64(p.reached))
	w.bools(len(p.used), func(i int) bool { return p.used[i] })
	if p.reached >= 0 && w.r.m.Checkpoints[p.reached].Spot == nil {
		w.place(p.back)
	}
	w.marks(p.marks)
	w.bools(len(p.earned), func(i int) bool { return p.earned[i] && (w.lens == nil || w.lens.Earned[i]) })
	w.mets(p.met)
	w.mets(p.metOver)
	if w.lens == nil || w.lens.Visits {
		w.int(int64(p.visits))
	}
	if w.lens == nil {
		w.plain(p.ranks)
		w.int(p.movedAt)
		w.int(p.placed)
		w.int(int64(p.arrival))
		w.int(int64(p.number))
	}
	w.values(p.vars, int(model.OfPlayer))
	if h := w.r.m.Profile; h.Index >= 0 {
		w.values(p.profile, h.Index)
	}
	w.copies(p.pairs)
	w.timers(p.timers)
	w.record(p.record)
}

// record is of what rewinds; the rest of it is read by nobody.
func (w *keeping) record(rec *record) {
	w.bool(rec != nil)
	if rec == nil {
		return
	}
	if w.lens == nil { // with its length before it: one that was read already is not read again
		at := len(w.b)
		w.b = append(w.b, 0, 0, 0, 0)
		defer func() { binary.LittleEndian.PutUint32(w.b[at:], uint32(len(w.b)-at-4)) }()
	}
	w.rewinding(rec.player, int(model.OfPlayer))
	w.rewinding(rec.game, int(model.OfGame))
	w.int(int64(len(rec.scenes)))
	for _, values := range rec.scenes {
		w.rewinding(values, int(model.OfScene))
	}
	w.marks(rec.marks)
	w.copies(rec.pairs)
	w.copies(rec.props)
}

func (w *keeping) rewinding(values []types.Value, hold int) {
	w.bool(values != nil)
	h := w.r.m.Holders[hold]
	if values == nil || len(h.Rewinds) == 0 {
		return
	}
	at := w.room(len(h.Rewinds))
	for k, i := range h.Rewinds {
		if w.lens == nil || slices.Contains(w.lens.Slots[hold], i) {
			w.unlessStart(at, k, w.capped(values[i], hold, i), h.Stored[i])
		}
	}
}

// values are what a holder has: a bit for each that is not as at the start, and then those.
func (w *keeping) values(values []types.Value, hold int) {
	stored := w.r.m.Holders[hold].Stored
	if w.lens == nil {
		at := w.room(len(stored))
		for i, v := range stored {
			w.unlessStart(at, i, values[i], v)
		}
		return
	}
	slots := w.lens.Slots[hold]
	at := w.room(len(slots))
	for k, i := range slots {
		switch v, is := stored[i], &values[i]; {
		case v.Stopwatch:
			w.bool(runs(v, *is))
			w.unlessStart(at, k, w.r.shown(v, *is), v)
		case w.lens.Most[hold][i].Sign() > 0:
			w.unlessStart(at, k, w.capped(*is, hold, i), v)
		case is.Num != v.Start.Num || is.Kind != v.Start.Kind || is.Bool != v.Start.Bool || is.Text != v.Start.Text:
			w.b[at+k/8] |= 1 << (k % 8)
			w.value(*is)
		}
	}
}

// room makes room for so many bits, none of which is set, and says where they are.
func (w *keeping) room(bits int) int {
	at := len(w.b)
	for ; bits > 0; bits -= 8 {
		w.b = append(w.b, 0)
	}
	return at
}

// unlessStart writes a value that is not as at the start, and sets its bit.
func (w *keeping) unlessStart(at, bit int, is types.Value, v *model.Var) {
	if is != v.Start {
		w.b[at+bit/8] |= 1 << (bit % 8)
		w.value(is)
	}
}

func (w *keeping) bools(n int, is func(int) bool) {
	at := w.room(n)
	for i := range n {
		if is(i) {
			w.b[at+i/8] |= 1 << (i % 8)
		}
	}
}

// capped is a value as the lens shows it.
func (w *keeping) capped(v types.Value, hold, slot int) types.Value {
	if w.lens != nil && w.lens.Most[hold][slot].Sign() > 0 && w.lens.Most[hold][slot].Less(v.Num) {
		v.Num = w.lens.Most[hold][slot]
	}
	return v
}

// plain writes values that have no start.
func (w *keeping) plain(values []types.Value) {
	w.int(int64(len(values)))
	for _, v := range values {
		w.value(v)
	}
}

// copies are written in a fixed order. Copies that have only start values in the lens are left out.
func (w *keeping) copies(c copies) {
	if len(c) == 0 {
		w.int(0)
		return
	}
	for _, key := range keysOf(c) {
		if w.lens != nil && !w.differs(key, c[key]) {
			continue
		}
		w.int(int64(key.hold) + 1)
		w.int(int64(key.at))
		w.values(c[key], key.hold)
	}
	w.int(0)
}

func (w *keeping) differs(key copyKey, values []types.Value) bool {
	stored := w.r.m.Holders[key.hold].Stored
	return slices.ContainsFunc(w.lens.Slots[key.hold], func(i int) bool { return values[i] != stored[i].Start })
}

func (w *keeping) timers(next []int64) {
	if w.lens == nil || w.lens.Timers {
		for _, at := range next {
			w.int(at - w.r.clock)
		}
	}
}

func (w *keeping) mets(all []met) {
	if w.lens != nil && !w.lens.Met {
		return
	}
	w.int(int64(len(all)))
	for _, one := range all {
		w.text(one.session)
		w.int(int64(one.count))
		w.int(int64(one.date))
	}
}

func (w *keeping) marks(all []remembered) {
	for i, one := range all {
		if w.lens == nil || w.lens.Marks[i] {
			w.bool(one.set)
			if one.set {
				w.place(one.at)
			}
		}
	}
}

func (w *keeping) place(p Place) {
	w.int(int64(p.Scene))
	if w.lens == nil || w.lens.Exact[p.Scene] {
		for i := range w.r.m.Axes {
			w.num(p.At[i])
		}
	}
	if w.lens == nil || w.lens.Facing {
		w.int(int64(slices.Index(w.r.m.Facings, p.Facing) + 1)) // 0 where none was said
	}
}

// holder writes which of the present players it is, from 1; 0 for nobody.
func (w *keeping) holder(p *Player) int {
	at := 0
	for i, x := range w.r.order {
		if x == p {
			at = i + 1
		}
	}
	if w.lens != nil && w.lens.Nameless {
		at = min(at, 1)
	}
	w.int(int64(at))
	return at
}

func (w *keeping) int(n int64) { w.b = binary.AppendVarint(w.b, n) }

func (w *keeping) bool(yes bool) {
	n := byte(0)
	if yes {
		n = 1
	}
	w.b = append(w.b, n)
}

func (w *keeping) text(s string) {
	w.int(int64(len(s)))
	w.b = append(w.b, s...)
}

// How a value is written.
const (
	keptNone = iota
	keptFalse
	keptTrue
	keptWhole
	keptNano // in billionths
	keptWide // as text
	keptText
	keptList
	keptStopped = 1 << 7 // a number, with its mark: a stopwatch that stands still
)

func (w *keeping) value(v types.Value) {
	switch v.Kind {
	case types.IsNum:
		w.number(v.Num, v.Bool)
	case types.IsBool:
		if v.Bool {
			w.b = append(w.b, keptTrue)
		} else {
			w.b = append(w.b, keptFalse)
		}
	case types.IsText:
		w.b = append(w.b, keptText)
		w.text(v.Text)
	case types.IsList:
		w.b = append(w.b, keptList)
		w.text(v.Text)
	default:
		w.b = append(w.b, keptNone)
	}
}

func (w *keeping) num(n fixed.Num) { w.number(n, false) }

func (w *keeping) number(n fixed.Num, stopped bool) {
	mark := byte(0)
	if stopped {
		mark = keptStopped
	}
	if whole, ok := n.Int(); ok {
		w.b = append(w.b, keptWhole|mark)
		w.int(int64(whole))
	} else if nano, ok := n.Nano(); ok {
		w.b = append(w.b, keptNano|mark)
		w.int(nano)
	} else {
		w.b = append(w.b, keptWide|mark)
		w.text(n.String())
	}
}

// Recall makes the session what it was when it was kept; it has to be a session of the same model. What it had before
// is gone.
func (r *Run) Recall(kept []byte) {
	if r.texts == nil {
		r.texts, r.records = map[string]string{}, map[string]*record{}
	}
	w := recalling{r: r, b: kept}
	r.clock, r.date, r.nextTurn, r.seed, r.sown = w.int(), w.int(), w.int(), uint32(w.int()), uint32(w.int())
	r.begun, r.besides, r.senders, r.attic, r.arrivals = true, r.besides[:0], nil, nil, nil
	for n := w.int(); n > 0; n-- {
		if r.arrivals == nil {
			r.arrivals = map[string]int{}
		}
		id := w.text()
		r.arrivals[id] = int(w.int())
	}
	w.values(r.game, int(model.OfGame))
	for i := range r.scenes {
		w.values(r.scenes[i], int(model.OfScene))
	}
	r.props = w.copies(r.props)
	holders := make([]int, len(r.things))
	for i := range r.things {
		r.things[i] = thing{}
		if holders[i] = int(w.int()); holders[i] == 0 {
			r.things[i].at = w.place()
		}
	}
	r.crossed = w.mets()
	r.ranks = nil
	if n := int(w.int()); n > 0 {
		r.ranks = make([][]types.Value, n)
	}
	for i := range r.ranks {
		r.ranks[i] = w.plain()
	}
	r.turns, r.dead = r.turns[:0], r.dead[:0]
	w.timers(r.timers)
	r.await(r.m.Timers, r.timers, nil)
	w.players()
	for i, at := range holders {
		if at > 0 {
			r.things[i].holder = r.order[at-1]
		}
	}
}

// recalling reads what keeping wrote.
type recalling struct {
	r *Run
	b []byte
}

func (w *recalling) players() {
	r := w.r
	was := len(r.order)
	clear(r.players)
	n := int(w.int())
	r.order = slices.Grow(r.order[:0], n)[:n]
	for i := range r.order {
		if i >= was {
			r.order[i] = &Player{vars: make([]types.Value, len(r.m.Holders[model.OfPlayer].Stored)),
				profile: make([]types.Value, len(r.m.Profile.Stored)), timers: make([]int64, len(r.m.OwnTimers))}
		}
		p := r.order[i] // its lists have the right lengths
		*p = Player{vars: p.vars, profile: p.profile, pairs: p.pairs, timers: p.timers}
		w.player(p)
		r.players[p.id] = p
		r.await(r.m.OwnTimers, p.timers, p)
		if p.dead {
			r.dead = append(r.dead, p)
		}
	}
}

func (w *recalling) player(p *Player) {
	m := w.r.m
	p.id, p.slot, p.dead = w.text(), int(w.int()), w.bool()
	if p.dead {
		p.backAt = w.int() + w.r.clock
	}
	p.place, p.entry, p.reached = w.place(), w.place(), int(w.int())
	p.used = w.bools(len(m.Checkpoints))
	if p.reached >= 0 && m.Checkpoints[p.reached].Spot == nil {
		p.back = w.place()
	}
	p.marks, p.earned = w.marks(), w.bools(len(m.Milestones))
	p.met, p.metOver = w.mets(), w.mets()
	p.visits = int(w.int())
	p.ranks, p.movedAt, p.placed, p.arrival = w.plain(), w.int(), w.int(), int(w.int())
	p.number = uint64(w.int())
	w.values(p.vars, int(model.OfPlayer))
	if m.Profile.Index >= 0 {
		w.values(p.profile, m.Profile.Index)
	}
	p.pairs = w.copies(p.pairs)
	w.timers(p.timers)
	p.record = w.record()
}

func (w *recalling) record() *record {
	if !w.bool() {
		return nil
	}
	size := binary.LittleEndian.Uint32(w.b)
	raw := w.b[4 : 4+size]
	if known := w.r.records[string(raw)]; known != nil {
		w.b = w.b[4+size:]
		return known
	}
	w.b = w.b[4:]
	rec := w.newRecord()
	if len(w.r.records) >= mostRecords {
		clear(w.r.records)
	}
	w.r.records[string(raw)] = rec
	return rec
}

// mostRecords is how many records are held ready for states that have the same one.
const mostRecords = 4096

func (w *recalling) newRecord() *record {
	rec := &record{player: w.rewinding(int(model.OfPlayer)), game: w.rewinding(int(model.OfGame))}
	if n := int(w.int()); n > 0 {
		rec.scenes = make([][]types.Value, n)
	}
	for i := range rec.scenes {
		rec.scenes[i] = w.rewinding(int(model.OfScene))
	}
	rec.marks, rec.pairs, rec.props = w.marks(), w.copies(nil), w.copies(nil)
	return rec
}

func (w *recalling) rewinding(hold int) []types.Value {
	if !w.bool() {
		return nil
	}
	h := w.r.m.Holders[hold]
	out := make([]types.Value, len(h.Stored))
	for i, v := range h.Stored {
		out[i] = v.Start
	}
	bits := w.bits(len(h.Rewinds))
	for k, i := range h.Rewinds {
		if bits[k/8]&(1<<(k%8)) != 0 {
			out[i] = w.value()
		}
	}
	return out
}

func (w *recalling) values(into []types.Value, hold int) {
	stored := w.r.m.Holders[hold].Stored
	bits := w.bits(len(stored))
	for i, v := range stored {
		if bits[i/8]&(1<<(i%8)) == 0 {
			into[i] = v.Start
		} else {
			into[i] = w.value()
		}
	}
}

// bits are what room and what was set in it have become.
func (w *recalling) bits(n int) []byte {
	size := (n + 7) / 8
	out := w.b[:size]
	w.b = w.b[size:]
	return out
}

func (w *recalling) plain() []types.Value {
	out := make([]types.Value, int(w.int()))
	for i := range out {
		out[i] = w.value()
	}
	return out
}

func (w *recalling) copies(into copies) copies {
	if into == nil {
		into = copies{}
	}
	clear(into)
	for hold := w.int(); hold > 0; hold = w.int() {
		values := make([]types.Value, len(w.r.m.Holders[hold-1].Stored))
		into[copyKey{int(hold - 1), int(w.int())}] = values
		w.values(values, int(hold-1))
	}
	return into
}

func (w *recalling) timers(into []int64) {
	for i := range into {
		into[i] = w.int() + w.r.clock
	}
}

func (w *recalling) mets() []met {
	out := make([]met, int(w.int()))
	for i := range out {
		out[i] = met{w.text(), int(w.int()), calendar.Date(w.int())}
	}
	return out
}

func (w *recalling) marks() []remembered {
	out := make([]remembered, len(w.r.m.Waymarks))
	for i := range out {
		if out[i].set = w.bool(); out[i].set {
			out[i].at = w.place()
		}
	}
	return out
}

func (w *recalling) place() (p Place) {
	p.Scene = int(w.int())
	for i := range w.r.m.Axes {
		p.At[i] = w.value().Num
	}
	if facing := w.int(); facing > 0 {
		p.Facing = w.r.m.Facings[facing-1]
	}
	return p
}

func (w *recalling) bools(n int) []bool {
	out, bits := make([]bool, n), w.bits(n)
	for i := range out {
		out[i] = bits[i/8]&(1<<(i%8)) != 0
	}
	return out
}

func (w *recalling) int() int64 {
	n, size := binary.Varint(w.b)
	w.b = w.b[size:]
	return n
}

func (w *recalling) bool() bool {
	yes := w.b[0] == 1
	w.b = w.b[1:]
	return yes
}

// text reads a text; each is made once for a session.
func (w *recalling) text() string {
	n := int(w.int())
	raw := w.b[:n]
	w.b = w.b[n:]
	if known, ok := w.r.texts[string(raw)]; ok {
		return known
	}
	text := string(raw)
	w.r.texts[text] = text
	return text
}

func (w *recalling) value() types.Value {
	kind := w.b[0]
	w.b = w.b[1:]
	stopped := kind&keptStopped != 0
	switch kind &^ keptStopped {
	case keptFalse, keptTrue:
		return types.OfBool(kind == keptTrue)
	case keptText:
		return types.OfText(w.text())
	case keptList:
		return types.Value{Kind: types.IsList, Text: w.text()}
	case keptWhole:
		return types.Value{Kind: types.IsNum, Bool: stopped, Num: fixed.FromInt(w.int())}
	case keptNano:
		return types.Value{Kind: types.IsNum, Bool: stopped, Num: fixed.FromNano(w.int())}
	case keptWide:
		return types.Value{Kind: types.IsNum, Bool: stopped, Num: fixed.Must(w.text())}
	}
	return types.None
}

// Shows hands out what a lens shows of the session and what is built in, value by value: which one it is, by a number that
// stands for the same thing in every state, what it is, and whether it is so at the start.
func (r *Run) Shows(lens *Lens, each func(what uint32, v types.Value, start bool)) {
	at := uint32(0)
	next := func(v, start types.Value) {
		at++
		each(at, v, v == start)
	}
	values := func(values []types.Value, hold int) {
		for _, i := range lens.Slots[hold] {
			next(values[i], r.m.Holders[hold].Stored[i].Start)
		}
	}
	places := types.OfInt(-1)
	values(r.game, int(model.OfGame))
	for _, scene := range r.scenes {
		values(scene, int(model.OfScene))
	}
	for _, x := range r.things {
		if x.holder != nil {
			next(types.OfText(x.holder.id), types.None)
		} else {
			next(types.OfInt(x.at.Scene), places)
		}
	}
	for _, p := range r.order {
		next(types.OfInt(p.place.Scene), places)
		next(types.OfBool(p.dead), types.OfBool(false))
		next(types.OfInt(p.reached), places)
		for _, used := range p.used {
			next(types.OfBool(used), types.OfBool(false))
		}
		for i, mark := range p.marks {
			if lens.Marks[i] {
				next(types.OfInt(mark.at.Scene), types.OfInt(0))
			}
		}
		for i, earned := range p.earned {
			if lens.Earned[i] {
				next(types.OfBool(earned), types.OfBool(false))
			}
		}
		values(p.vars, int(model.OfPlayer))
	}
	for owner, all := range append([]copies{r.props}, pairsOf(r.order)...) {
		for _, key := range keysOf(all) {
			at = uint32(owner+1)<<24 | uint32(key.hold)<<16 | uint32(key.at)<<4 // of few variables each
			values(all[key], key.hold)
		}
	}
}

func pairsOf(players []*Player) []copies {
	var out []copies
	for _, p := range players {
		out = append(out, p.pairs)
	}
	return out
}
