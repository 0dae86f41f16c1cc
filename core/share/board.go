package share

import (
	"maps"
	"slices"
	"strings"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/model"
)

// Board holds what every machine of a session ought to believe, as of the last tick. One goroutine owns it, the one
// that owns the session's state.
type Board struct {
	Layout   *Layout
	run      *engine.Run
	tick     int64
	clock    int64
	everyone *Part
	scenes   []*Part
	players  map[string]*viewed
	seats    []*viewed // by seat: who has it; nil where it is free
	world    map[thingKey]*entity
	crowds   []crowd // by scene; of those with near

	stirred bool            // something has happened since the last tick
	dirty   map[string]bool // players of whom something may have changed: false where only their place may have
	spots   map[thingKey]bool
	held    []held     // what nobody is told yet
	always  []thingKey // what the world holds that has to be read again whenever anything happened
	derived bool       // players have computed values that are shared
	timed   bool       // something that is shared follows from the time alone
	copyOf  []int      // by prop: which copy of its kind it is

	// What the work on one frame needs for a moment, kept for the next.
	known []bool // by seat
	near  []found
	due   []*told
	bits  bitstream.Bits
}

// viewed is what a player has on the board.
type viewed struct {
	id       string
	seat     int
	scene    int
	since    int64 // the tick at which they came into the scene
	self     *Part
	entities map[thingKey]*entity

	visit   *engine.Player         // as the engine has them: another one in each visit
	aura    *Part                  // what those near them are sent of them, in scenes with near
	at      [model.MaxAxes]float64 // about where they are
	left    bool                   // they are not in the session any more
	written auraForms
}

// thingKey names one holder's copy: its kind among the layout's holders, and which of them.
type thingKey struct{ holder, copy int }

// entity is one holder's copy with its values, by the part that they are in.
type entity struct {
	key    thingKey
	player *viewed // nil where it is the world's
	groups [parts]group
	due    int64 // when what is held of it is due; 0 for never
}

// group is what an entity has in one part. Its cells are there as long as the entity is.
type group struct {
	of    *entity
	part  int
	in    *Part
	cells []cell
}

// held is an entity of which something has changed that nobody is told before it is due.
type held struct {
	of  *entity
	due int64 // the session's time, in milliseconds
}

// cell is one value. changed is the tick at which it last became another, told the session's time at that tick.
type cell struct {
	address string
	field   int
	item    Item
	changed int64
	told    int64
	json    []byte // its address and its value as frames have them; nil until somebody asks
}

// NewBoard is the board of a session as it stands, at the tick 0.
func NewBoard(run *engine.Run, layout *Layout) *Board {
	b := &Board{Layout: layout, run: run, everyone: newPart(), players: map[string]*viewed{},
		world: map[thingKey]*entity{}, dirty: map[string]bool{}, spots: map[thingKey]bool{}}
	m := run.Model()
	for range m.Scenes {
		b.scenes = append(b.scenes, newPart())
	}
	b.crowds = make([]crowd, len(m.Scenes))
	for _, p := range append([]*Part{b.everyone}, b.scenes...) {
		p.many = true
	}
	nth := map[*model.PropKind]int{}
	for _, p := range m.Props {
		b.copyOf = append(b.copyOf, nth[p.Kind])
		nth[p.Kind]++
	}
	b.derive()
	for i := range layout.Holders {
		h := &layout.Holders[i]
		switch {
		case h.Players:
		case strings.HasPrefix(h.Name, "prop:"), strings.HasPrefix(h.Name, "list:"): // those that were changed are found at each tick
		case len(h.Copies) == 0:
			b.spots[thingKey{i, 0}] = true
		default:
			for at := range h.Copies {
				b.spots[thingKey{i, at}] = true
			}
		}
	}
	for _, c := range run.PropCopies() {
		b.spots[b.keyOf(c)] = true
	}
	b.stirred = true
	return b
}

// derive finds out what has to be read again though nothing of its holder changed.
func (b *Board) derive() {
	for i := range b.Layout.Holders {
		h := &b.Layout.Holders[i]
		for _, f := range h.Fields {
			if f.Form == FormThing {
				for at := range h.Copies {
					b.always = append(b.always, thingKey{i, at})
				}
			}
			if f.v == nil || !f.v.Computed() {
				continue
			}
			for _, r := range f.v.Is.Reads {
				b.timed = b.timed || r.Ref.What == expr.Time
				if v := b.run.Model().VarOf(r.Ref); v != nil && v.Stopwatch {
					b.timed = true
				}
			}
			if h.Players {
				b.derived = true
			} else {
				for at := range max(len(h.Copies), 1) {
					b.always = append(b.always, thingKey{i, at})
				}
			}
		}
	}
	b.always = slices.Compact(b.always)
}

// keyOf is where the board keeps a copy of the engine's.
func (b *Board) keyOf(c engine.Copy) thingKey {
	if b.run.Model().Holders[c.Hold].Kind != nil {
		return thingKey{c.Hold, b.copyOf[c.At]}
	}
	return thingKey{c.Hold, c.At}
}

// atOf is the other way round: what the engine calls a copy.
func (b *Board) atOf(k thingKey) int {
	m := b.run.Model()
	if k.holder >= len(m.Holders) {
		return k.copy
	}
	switch h := m.Holders[k.holder]; {
	case h.Kind != nil:
		return h.Kind.Props[k.copy].Index
	case h.List != nil:
		return k.copy
	case h.Holder == model.OfScene || h.Holder == model.OfPlayerScene:
		return k.copy
	}
	return -1
}

// Note remembers what a request changed, until the next tick. asked is who asked for it: their place may be another.
func (b *Board) Note(changes []engine.Change, asked string) {
	b.stirred = true
	if asked != "" {
		if _, known := b.dirty[asked]; !known {
			b.dirty[asked] = false
		}
	}
	m := b.run.Model()
	for i := range changes {
		c := &changes[i]
		switch {
		case c.Player != "":
			b.dirty[c.Player] = true
		case c.Prop != "":
			if kind, id, ok := strings.Cut(c.Prop, "."); ok {
				if k := m.Kind(kind); k != nil && k.Prop(id) != nil {
					b.spots[b.keyOf(engine.Copy{Hold: k.Own.Index, At: k.Prop(id).Index})] = true
				}
			}
		case c.Option != "":
			if v := m.Var(c.Name); v != nil {
				b.spots[thingKey{v.Hold.Index, m.CopyOf(v.Hold, c.Option)}] = true
			}
		case c.Scene != "":
			if s := m.Scene(c.Scene); s != nil {
				b.spots[thingKey{int(model.OfScene), s.Index}] = true
			}
		default:
			b.spots[thingKey{int(model.OfGame), 0}] = true
		}
	}
}

// Replaced says that the whole world may be another one.
func (b *Board) Replaced() {
	for key := range b.world {
		b.spots[key] = true
	}
	for _, c := range b.run.PropCopies() { // which the board may not have yet
		b.spots[b.keyOf(c)] = true
	}
	b.stirred = true
}

// Tick brings the board up to what the session holds now. now is the session's time in milliseconds. It says whether
// anything is different from the tick before.
func (b *Board) Tick(now int64) bool {
	b.tick, b.clock = b.tick+1, now
	b.release()
	if !b.stirred && !b.timed {
		return false
	}
	b.stirred = false
	for _, key := range b.always {
		b.spots[key] = true
	}
	b.seeWorld()
	b.seePlayers()
	clear(b.dirty)
	clear(b.spots)
	return true
}

// release has those read again of whom something was held that is due.
func (b *Board) release() {
	kept := b.held[:0]
	for _, h := range b.held {
		if h.due > b.clock {
			kept = append(kept, h)
			continue
		}
		b.stirred, h.of.due = true, 0
		if v := h.of.player; v != nil {
			b.dirty[v.id] = true
		} else {
			b.spots[h.of.key] = true
		}
	}
	b.held = kept
}

// hold says whether a change of a value is not told yet, since it was told of it a short while ago.
func (b *Board) hold(e *entity, c *cell, every int64) bool {
	due := c.told + every
	if b.clock >= due || b.clock < c.told {
		return false
	}
	if e.due == 0 || due < e.due {
		e.due = due
		b.held = append(b.held, held{e, due})
	}
	return true
}

// Now is the number of the last tick.
func (b *Board) Now() int64 { return b.tick }

// Clock is the session's time at the last tick, in milliseconds.
func (b *Board) Clock() int64 { return b.clock }

func (b *Board) seeWorld() {
	changed := map[engine.Copy]bool{}
	for _, c := range b.run.PropCopies() {
		changed[c] = true
	}
	for _, key := range sortedKeys(b.spots) {
		e := b.world[key]
		if at := b.atOf(key); b.isLazy(key) && !changed[engine.Copy{Hold: key.holder, At: at}] {
			if e != nil { // it is as at the start again
				b.drop(e)
				delete(b.world, key)
			}
			continue
		}
		if e == nil {
			e = b.newEntity(key, nil)
			b.world[key] = e
		}
		b.see(e, nil, b.sceneOf(key))
	}
}

func sortedKeys(set map[thingKey]bool) []thingKey {
	return slices.SortedFunc(maps.Keys(set), compareKeys)
}

func compareKeys(a, b thingKey) int {
	if a.holder != b.holder {
		return a.holder - b.holder
	}
	return a.copy - b.copy
}

func (b *Board) isProp(k thingKey) bool {
	m := b.run.Model()
	return k.holder < len(m.Holders) && m.Holders[k.holder].Holder == model.OfProp
}

// isLazy says whether what the world has there comes into being only when it is first changed.
func (b *Board) isLazy(k thingKey) bool {
	m := b.run.Model()
	return k.holder < len(m.Holders) && m.Holders[k.holder].Holder.Lazy() && !m.Holders[k.holder].Holder.OfPlayers()
}

// sceneOf is the scene in which what the world holds is.
func (b *Board) sceneOf(k thingKey) int {
	m := b.run.Model()
	switch {
	case b.isProp(k):
		return m.Holders[k.holder].Kind.Props[k.copy].Scene.Index
	case k.holder < len(m.Holders) && m.Holders[k.holder].Holder == model.OfScene:
		return k.copy
	}
	return 0
}

func (b *Board) seePlayers() {
	here := b.run.Now()
	if len(here) < len(b.players) || b.anyGone() {
		b.dropGone()
	}
	for _, p := range here {
		v := b.players[p.ID()]
		values, dirty := b.dirty[p.ID()]
		switch {
		case v == nil:
			v = b.welcome(p.ID())
			b.seePlayer(v, p, true)
		case dirty || b.derived:
			b.seePlayer(v, p, values || b.derived)
		}
	}
}

// anyGone says whether somebody of those whom something happened to is not there any more.
func (b *Board) anyGone() bool {
	for id := range b.dirty {
		if b.players[id] != nil && !b.run.Has(id) {
			return true
		}
	}
	return false
}

func (b *Board) dropGone() {
	for _, id := range slices.Sorted(maps.Keys(b.players)) {
		if b.run.Has(id) {
			continue
		}
		v := b.players[id]
		for _, key := range slices.SortedFunc(maps.Keys(v.entities), compareKeys) {
			b.drop(v.entities[key])
		}
		delete(b.players, id)
		b.seats[v.seat], v.left = nil, true
	}
}

// welcome gives a player a seat: the lowest that is free.
func (b *Board) welcome(id string) *viewed {
	v := &viewed{id: id, scene: -1, self: newPart(), aura: newPart(), entities: map[thingKey]*entity{}}
	v.self.forgot = b.tick // a machine that knew an earlier visit is sent everything
	v.seat = slices.Index(b.seats, nil)
	if v.seat < 0 {
		v.seat = len(b.seats)
		b.seats = append(b.seats, nil)
	}
	b.seats[v.seat] = v
	b.players[id] = v
	return v
}

// seePlayer reads what a player has; without values only where they are, if they are in the scene in which they were.
func (b *Board) seePlayer(v *viewed, p *engine.Player, values bool) {
	at, _, _ := p.Where()
	if v.scene != at.Scene {
		v.scene, v.since, values = at.Scene, b.tick, true
	}
	if v.visit != p { // they left and came back within a tick
		v.visit, values = p, true
	}
	for i := range v.at {
		v.at[i] = at.At[i].Float()
	}
	if !values {
		b.seePlace(v, p)
		return
	}
	b.seeOwn(v, p, thingKey{int(model.OfPlayer), 0})
	alone := 1
	if h := b.run.Model().Profile; h.Index >= 0 {
		b.seeOwn(v, p, thingKey{h.Index, 0})
		alone++
	}
	pairs := p.Pairs()
	for _, c := range pairs {
		b.seeOwn(v, p, b.keyOf(c))
	}
	if len(v.entities) > len(pairs)+alone { // some are as at the start again
		for _, key := range slices.SortedFunc(maps.Keys(v.entities), compareKeys) { // what is told has one order
			if key.holder != int(model.OfPlayer) && key.holder != b.run.Model().Profile.Index &&
				!slices.ContainsFunc(pairs, func(c engine.Copy) bool {
					return b.keyOf(c) == key
				}) {
				b.drop(v.entities[key])
				delete(v.entities, key)
			}
		}
	}
}

// seePlace reads where a player is: of most who ask for something nothing else has changed.
func (b *Board) seePlace(v *viewed, p *engine.Player) {
	g := &v.entities[thingKey{int(model.OfPlayer), 0}].groups[Scene]
	for i := range g.cells {
		c := &g.cells[i]
		if c.item.Form != FormPlace {
			continue
		}
		if item := readPlace(b.run, &b.Layout.Holders[model.OfPlayer].Fields[c.field], p, -1); item != c.item {
			c.item, c.changed, c.json = item, b.tick, nil
			g.in.stir(g, b.tick)
		}
	}
}

func (b *Board) seeOwn(v *viewed, p *engine.Player, key thingKey) {
	e := v.entities[key]
	if e == nil {
		e = b.newEntity(key, v)
		v.entities[key] = e
	}
	b.see(e, p, v.scene)
}

func (b *Board) newEntity(key thingKey, v *viewed) *entity {
	e := &entity{key: key, player: v}
	who := ""
	if v != nil {
		who = v.id
	}
	for p := range parts {
		fields := b.Layout.fields[key.holder][p]
		g := &e.groups[p]
		g.of, g.part, g.cells = e, p, make([]cell, 0, len(fields))
		for _, f := range fields {
			g.cells = append(g.cells, cell{address: b.Layout.Address(key.holder, f, key.copy, who), field: f,
				changed: -1})
		}
	}
	return e
}

// see reads what an entity holds now.
func (b *Board) see(e *entity, p *engine.Player, scene int) {
	at := b.atOf(e.key)
	for i := range e.groups {
		g := &e.groups[i]
		if len(g.cells) == 0 {
			continue
		}
		in := b.everyone
		switch i {
		case Scene:
			if in = b.scenes[scene]; e.player != nil && b.hasNear(scene) {
				in = e.player.aura
			}
		case Self:
			in = e.player.self
		}
		fresh := g.in != in
		if g.in != nil && fresh {
			g.in.leave(g, b.tick)
		}
		changed := fresh
		for j := range g.cells {
			c := &g.cells[j]
			f := &b.Layout.Holders[e.key.holder].Fields[c.field]
			item := f.read(b.run, f, p, at)
			if c.changed >= 0 && !fresh && (item == c.item || f.every > 0 && b.hold(e, c, f.every)) {
				continue
			}
			if item != c.item || c.changed < 0 {
				c.json = nil
			}
			c.item, c.changed, c.told, changed = item, b.tick, b.clock, true
		}
		if fresh {
			in.enter(g)
		}
		if changed {
			in.stir(g, b.tick)
		}
	}
}

// drop takes an entity off the board, with what is held of it.
func (b *Board) drop(e *entity) {
	if e.due != 0 {
		b.held = slices.DeleteFunc(b.held, func(h held) bool { return h.of == e })
	}
	for i := range e.groups {
		if g := &e.groups[i]; g.in != nil {
			g.in.leave(g, b.tick)
		}
	}
}

func (b *Board) seatOf(id string) int {
	if v := b.players[id]; v != nil {
		return v.seat
	}
	return 0
}

// AddressOf is the address under which views have a variable's copy: the player's where players have one each, and the
// scene's or prop's where each has one (at, as the engine counts them). False where no view has it.
func (b *Board) AddressOf(v *model.Var, player string, at int) (string, bool) {
	holder := v.Hold.Index
	field := slices.IndexFunc(b.Layout.Holders[holder].Fields, func(f Field) bool { return f.v == v })
	if field < 0 {
		return "", false
	}
	copy := 0
	if len(b.Layout.Holders[holder].Copies) > 0 {
		copy = b.keyOf(engine.Copy{Hold: holder, At: at}).copy
	}
	return b.Layout.Address(holder, field, copy, player), true
}

// JSON is the value that stands under an address as of the last tick, whoever is sent it; false where none stands
// there.
func (b *Board) JSON(address string) ([]byte, bool) {
	for _, e := range b.world {
		if raw, ok := e.json(b.Layout, address); ok {
			return raw, true
		}
	}
	for _, v := range b.players {
		for _, e := range v.entities {
			if raw, ok := e.json(b.Layout, address); ok {
				return raw, true
			}
		}
	}
	return nil, false
}

// Late says whether machines are not told yet what stands under an address now, since they were told of it a short while
// ago.
func (b *Board) Late(address string) bool {
	for _, h := range b.held {
		c := h.of.cell(address)
		if c == nil {
			continue
		}
		var p *engine.Player
		if h.of.player != nil {
			p = h.of.player.visit
		}
		f := &b.Layout.Holders[h.of.key.holder].Fields[c.field]
		return f.read(b.run, f, p, b.atOf(h.of.key)) != c.item
	}
	return false
}

func (e *entity) json(l *Layout, address string) ([]byte, bool) {
	if c := e.cell(address); c != nil {
		return l.JSON(c.item), true
	}
	return nil, false
}

// cell finds the value under an address; nil where there is none.
func (e *entity) cell(address string) *cell {
	for i := range e.groups {
		for j := range e.groups[i].cells {
			if c := &e.groups[i].cells[j]; c.address == address {
				return c
			}
		}
	}
	return nil
}
