package share

import (
	"math"
	"slices"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/model"
)

// In a scene with near, a machine is sent the players around its own (semantics, rules 58 and 59). What others in the
// scene may see of a player is an aura: a part of its own. Whoever follows a player is sent that player's aura, which
// is written once a tick, however many follow.

// looksASecond is how often it is found out who is near a player.
const looksASecond = 4

// stays is how much farther away than within somebody may go who was near, before they are not near any more.
const stays = 1.1

// Sight is whom one connection was told of in a scene with near, and up to which tick. It belongs to whoever has the
// board. The zero Sight was told of nobody.
type Sight struct {
	told   []told // by seat
	in     int    // the scene that it is of, from 1; 0 where the connection was told nothing yet
	gone   []told // whom it is to be told to forget
	looked int64  // the tick at which it was last found out who is near
	lost   int64  // the last tick at which somebody was not near any more
	waits  int    // of how many something waits for a later frame
}

// nowhere is what a sight is of where the scene has no near.
const nowhere = -1

// told is one player whom a connection is told of.
type told struct {
	who      *viewed
	sent     int64   // the tick up to which it knows them; Whole where it was sent nothing yet
	since    int64   // the tick since which they are near
	distance float64 // how far away they were when that was last found out
}

// Knows is of how many other players a connection is told, and of how many of them something waits for a later frame;
// false where its player is in no scene with near.
func (s *Sight) Knows() (others, waiting int, near bool) {
	return max(len(s.told)-1, 0), s.waits, s.in > 0
}

// crowd is where the players of one scene with near are, for finding those around a place: by cells as wide as
// somebody can be away who is near.
type crowd struct {
	tick     int64 // at which it was put together
	cell     float64
	across   int // how many cells there are along the first axis
	along    int // and along the second
	first    []int32
	standing []standing // by cell: those of cell i begin at first[i]
}

// standing is a player at a place.
type standing struct {
	at  [model.MaxAxes]float64
	who *viewed
}

// mostCells bounds the cells of one scene: in larger ones they are wider.
const mostCells = 1 << 14

// hasNear says whether machines are told in a scene only of those who are near.
func (b *Board) hasNear(scene int) bool { return b.run.Model().Scenes[scene].Tells != nil }

// crowdIn is where the players of a scene are at this tick.
func (b *Board) crowdIn(scene int) *crowd {
	c := &b.crowds[scene]
	if c.tick == b.tick && c.cell > 0 {
		return c
	}
	s := b.run.Model().Scenes[scene]
	if c.cell == 0 {
		c.cell = s.Tells.Within.Float() * stays
		wide := func(axis int) float64 {
			if axis >= len(s.Size) {
				return 1
			}
			return math.Ceil(s.Size[axis].Float()/c.cell) + 1
		}
		for wide(0)*wide(1) > mostCells {
			c.cell *= 2
		}
		c.across, c.along = int(wide(0)), int(wide(1))
		c.first = make([]int32, c.across*c.along+1)
	}
	c.tick = b.tick
	clear(c.first)
	var here []*viewed
	for _, v := range b.seats {
		if v != nil && v.scene == scene {
			here = append(here, v)
		}
	}
	cells := make([]int32, len(here))
	for i, v := range here {
		x, y := c.cellOf(s, v.at)
		cells[i] = int32(y*c.across + x)
		c.first[cells[i]+1]++
	}
	for i := range c.first[1:] {
		c.first[i+1] += c.first[i]
	}
	next := slices.Clone(c.first)
	c.standing = slices.Grow(c.standing[:0], len(here))[:len(here)]
	for i, v := range here {
		c.standing[next[cells[i]]] = standing{v.at, v}
		next[cells[i]]++
	}
	return c
}

// cellOf is in which cell a place is.
func (c *crowd) cellOf(s *model.Scene, at [model.MaxAxes]float64) (x, y int) {
	along := func(axis, most int) int {
		return min(max(int((at[axis]-s.Lo[axis].Float())/c.cell), 0), most-1)
	}
	return along(0, c.across), along(1, c.along)
}

// found is somebody who may be told of. weight orders them: the square of the distance, a little less for who was told
// of before, so that two who are equally far do not take turns.
type found struct {
	who              *viewed
	weight, distance float64
}

func (f found) before(o found) bool {
	return f.weight < o.weight || f.weight == o.weight && f.who.seat < o.who.seat
}

// around lists the players that are near one, the nearest at_most of them, in no order.
func (b *Board) around(v *viewed, before []told) []found {
	scene := b.run.Model().Scenes[v.scene]
	c := b.crowdIn(v.scene)
	b.known = slices.Grow(b.known[:0], len(b.seats))[:len(b.seats)]
	clear(b.known)
	for i := range before {
		if w := before[i].who; !w.left {
			b.known[w.seat] = true
		}
	}
	within := scene.Tells.Within.Float()
	near, far := within*within, within*stays*within*stays
	x, y := c.cellOf(scene, v.at)
	out := b.near[:0]
	for row := max(y-1, 0); row <= min(y+1, c.along-1); row++ {
		from, to := row*c.across+max(x-1, 0), row*c.across+min(x+1, c.across-1)
		for _, o := range c.standing[c.first[from]:c.first[to+1]] {
			square := 0.0
			for i := range o.at {
				d := o.at[i] - v.at[i]
				square += d * d
			}
			f := found{o.who, square, square}
			switch {
			case o.who == v || square > far:
				continue
			case b.known[o.who.seat]:
				f.weight *= 0.8
			case square > near:
				continue
			}
			out = keepNearest(out, f, scene.Tells.AtMost)
		}
	}
	b.near = out
	return out
}

// keepNearest adds somebody to those who are found, as long as there are not too many: then the farthest makes room.
// Once there are so many, the list is a heap with the farthest at its head.
func keepNearest(list []found, f found, most int) []found {
	if len(list) < most {
		if list = append(list, f); len(list) == most {
			for i := most/2 - 1; i >= 0; i-- {
				sink(list, i)
			}
		}
		return list
	}
	if f.before(list[0]) {
		list[0] = f
		sink(list, 0)
	}
	return list
}

// sink lets one of a heap go down to where it belongs.
func sink(heap []found, i int) {
	for {
		child := 2*i + 1
		if child >= len(heap) {
			return
		}
		if child+1 < len(heap) && heap[child].before(heap[child+1]) {
			child++
		}
		if !heap[i].before(heap[child]) {
			return
		}
		heap[i], heap[child] = heap[child], heap[i]
		i = child
	}
}

// look finds out who is near a player, where that is due: some times a second, and whenever now says so.
func (b *Board) look(v *viewed, s *Sight, now bool) {
	every := max(int64(b.Layout.Ticks/looksASecond), 1)
	recently := s.looked > b.tick-every && (b.tick+int64(v.seat))%every != 0
	if s.in == v.scene+1 && (s.looked == b.tick || recently && !now) {
		s.forget(b.tick, func(t *told) bool { return t.who.left || t.who.scene != v.scene })
		return
	}
	s.looked = b.tick
	near := b.around(v, s.told)
	clear(b.known)
	for i := range near {
		b.known[near[i].who.seat] = true
	}
	b.known[v.seat] = true
	s.forget(b.tick, func(t *told) bool { return t.who.left || !b.known[t.who.seat] })
	for _, f := range append(near, found{who: v}) {
		i, known := slices.BinarySearchFunc(s.told, f.who.seat, func(t told, seat int) int { return t.who.seat - seat })
		if !known {
			s.told = slices.Insert(s.told, i, told{who: f.who, sent: Whole, since: b.tick})
		}
		s.told[i].distance = math.Sqrt(f.distance)
	}
}

// forget takes those out who are not near any more, and notes whom the machine has to be told to forget.
func (s *Sight) forget(tick int64, is func(*told) bool) {
	kept := s.told[:0]
	for i := range s.told {
		t := s.told[i]
		if !is(&t) {
			kept = append(kept, t)
			continue
		}
		s.lost = tick
		if t.sent != Whole {
			s.gone = append(s.gone, t)
		}
	}
	clear(s.told[len(kept):])
	s.told = kept
}

// hasNews says whether a connection does not know all that it is to be told of those who are near.
func (s *Sight) hasNews() bool {
	return len(s.gone) > 0 || slices.ContainsFunc(s.told, func(t told) bool { return t.sent == Whole || t.who.aura.tick > t.sent })
}

// nearPart writes what a connection is told of those who are near. room is how many bytes the frame has left for it; all
// is written where it is below zero.
func (b *Board) nearPart(v *viewed, s *Sight, as Codec, since int64, room int) (int, []byte) {
	if s == nil { // of a connection that was told nothing, and is not told anything again
		s, since = &Sight{}, Whole
	}
	if !b.hasNear(v.scene) {
		was := s.in
		*s = Sight{in: nowhere}
		if was == nowhere && since != Whole {
			return partSame, nil
		}
		return partWhole, b.writeNear(as, true, nil, nil)
	}
	how := partDelta
	tooOld := func(t told) bool { return t.sent != Whole && t.sent < t.who.aura.forgot }
	if since == Whole || s.in != v.scene+1 || slices.ContainsFunc(s.told, tooOld) {
		*s = Sight{in: v.scene + 1, looked: math.MinInt64 / 2}
		how = partWhole
	}
	b.look(v, s, room < 0)
	due := b.due[:0]
	for i := range s.told {
		if t := &s.told[i]; t.sent == Whole || t.who.aura.tick > t.sent {
			due = append(due, t)
		}
	}
	b.due = due
	if how == partDelta && len(due) == 0 && len(s.gone) == 0 {
		s.waits = 0
		return partSame, nil
	}
	sent := due
	if room >= 0 {
		sent = b.fitting(v, as, due, room)
	}
	s.waits = len(due) - len(sent)
	raw := b.writeNear(as, how == partWhole, s.gone, sent)
	for _, t := range sent {
		t.sent = b.tick
	}
	clear(s.gone)
	s.gone = s.gone[:0]
	return how, raw
}

// fitting is of whom a frame can tell: of the player, and then of whoever is near and has waited for long, as long as
// there is room, but always of one more, so that everybody's turn comes.
func (b *Board) fitting(v *viewed, as Codec, due []*told, room int) []*told {
	size := 0
	for _, t := range due {
		size += b.sizeOf(as, t)
	}
	if size <= room {
		return due
	}
	within := b.run.Model().Scenes[v.scene].Tells.Within.Float()
	turn := func(t *told) float64 {
		if t.who == v {
			return math.Inf(1)
		}
		return float64(b.tick-max(t.sent, t.since)+1) / (1 + 4*t.distance/within)
	}
	slices.SortFunc(due, func(x, y *told) int {
		switch tx, ty := turn(x), turn(y); {
		case tx != ty && tx > ty:
			return -1
		case tx != ty:
			return 1
		}
		return x.who.seat - y.who.seat
	})
	least := 1
	if due[0].who == v {
		least = 2
	}
	size = 0
	for i, t := range due {
		size += b.sizeOf(as, t)
		if size > room && i >= least {
			return due[:i]
		}
	}
	return due
}

// sizeOf is about how many bytes it takes to tell of somebody.
func (b *Board) sizeOf(as Codec, t *told) int {
	if as == Packed {
		return (b.auraBits(t.who, t.sent).Len() + b.Layout.Seats + 1 + 7) / 8
	}
	size := 0
	for _, g := range t.who.aura.groups {
		for i := range g.cells {
			if c := &g.cells[i]; c.changed > t.sent {
				size += len(c.text(b.Layout)) + 1
			}
		}
	}
	return size
}

// writeNear writes the part near: whom to forget, and of whom something is new.
func (b *Board) writeNear(as Codec, whole bool, gone []told, sent []*told) []byte {
	if as == JSON {
		return b.nearText(whole, gone, sent)
	}
	l, out := b.Layout, &b.bits
	out.Reset()
	stay := 0
	for i := range gone {
		if !gone[i].who.left { // of who left the session nothing is known after the part everyone
			stay++
		}
	}
	out.Count(uint64(stay))
	for i := range gone {
		if !gone[i].who.left {
			out.Write(uint64(gone[i].who.seat), uint(l.Seats))
		}
	}
	out.Count(uint64(len(sent)))
	for _, t := range sent {
		out.Write(uint64(t.who.seat), uint(l.Seats))
		out.Append(b.auraBits(t.who, t.sent))
	}
	return out.Raw()
}

// auraForms are what is new of a player, as it was written at one tick: nearly all who follow them are sent the same.
type auraForms struct {
	tick  int64
	forms []auraForm
}

// auraForm is what is new of a player in bits: of which cells, by their order, and how many of their groups are gone.
type auraForm struct {
	since int64 // of whom it was written for first
	whole bool
	cells uint64
	gone  int
	bits  bitstream.Bits
}

// mostForms is how many forms are kept.
const mostForms = 6

// auraBits is what is new of a player since a tick, in bits: whether it is all, then as in other parts.
func (b *Board) auraBits(v *viewed, since int64) *bitstream.Bits {
	w := &v.written
	if w.tick != b.tick {
		w.tick, w.forms = b.tick, w.forms[:0]
	}
	for i := range w.forms {
		if f := &w.forms[i]; f.since == since {
			return &f.bits
		}
	}
	asked, whole := since, since == Whole || since < v.aura.forgot
	left := []gone(nil)
	if whole {
		since = Whole
	} else {
		left = v.aura.goneAfter(since)
	}
	cells, countable := v.aura.newer(since)
	for i := range w.forms {
		if f := &w.forms[i]; countable && f.whole == whole && f.cells == cells && f.gone == len(left) {
			return &f.bits
		}
	}
	f := w.room()
	f.since, f.whole, f.cells, f.gone = asked, whole, cells, len(left)
	f.bits.Reset()
	f.bits.Flag(whole)
	var changed []*group
	for _, g := range v.aura.groups {
		if whole || g.changedAfter(since) {
			changed = append(changed, g)
		}
	}
	b.packGroups(&f.bits, changed, left, since, false)
	return &f.bits
}

// room is where a form may be written: the last one makes room where there are too many.
func (w *auraForms) room() *auraForm {
	switch n := len(w.forms); {
	case n == mostForms:
	case n < cap(w.forms): // with the room of the bits that stood there
		w.forms = w.forms[:n+1]
	default:
		w.forms = append(w.forms, auraForm{})
	}
	return &w.forms[len(w.forms)-1]
}

// nearText is the part as JSON.
func (b *Board) nearText(whole bool, gone []told, sent []*told) []byte {
	raw := []byte{'{'}
	if whole {
		raw = append(raw, `"whole":true`...)
	}
	var forgotten, set []byte
	name := func(address string) {
		if len(forgotten) > 0 {
			forgotten = append(forgotten, ',')
		}
		forgotten, _ = jsontext.AppendQuote(forgotten, address)
	}
	for i := range gone {
		a := gone[i].who.aura
		for _, g := range a.groups {
			for j := range g.cells {
				name(g.cells[j].address)
			}
		}
		for _, x := range a.goneAfter(gone[i].sent) {
			for _, address := range x.addresses {
				name(address)
			}
		}
	}
	for _, t := range sent {
		if t.sent != Whole {
			for _, x := range t.who.aura.goneAfter(t.sent) {
				for _, address := range x.addresses {
					name(address)
				}
			}
		}
		for _, g := range t.who.aura.groups {
			for i := range g.cells {
				if c := &g.cells[i]; c.changed > t.sent {
					if len(set) > 0 {
						set = append(set, ',')
					}
					set = append(set, c.text(b.Layout)...)
				}
			}
		}
	}
	if len(forgotten) > 0 {
		raw = append(append(append(comma(raw), `"gone":[`...), forgotten...), ']')
	}
	raw = append(append(append(comma(raw), `"set":{`...), set...), '}', '}')
	return raw
}

// nearDigest is the digest of what a connection ought to believe of those who are near. All of whom it was told anything
// have to be as it was told: see Frame.
func (b *Board) nearDigest(s *Sight) string {
	raw := []byte{'{'}
	if s != nil {
		for i := range s.told {
			if s.told[i].sent == Whole {
				continue
			}
			for _, g := range s.told[i].who.aura.groups {
				for j := range g.cells {
					raw = append(comma(raw), g.cells[j].text(b.Layout)...)
				}
			}
		}
	}
	return sum(append(raw, '}'))
}
