package share

import (
	"encoding/binary"
	"math"
	"slices"
	"strconv"
	"time"

	"github.com/go-json-experiment/json/jsontext"

	"alluvion.dev/core/bitstream"
	"alluvion.dev/core/fixed"
)

// Codec is how frames are written.
type Codec uint8

// The codecs.
const (
	JSON   Codec = iota // text, for people and simple machines
	Packed              // bits, as the layout says
)

// Whole asks for a frame that holds everything, not what changed since a tick.
const Whole int64 = -1

// Words are what a frame says besides what changed.
type Words struct {
	Done  uint64 // the last number of the player's requests that was applied or refused
	Check bool   // the machine is to say what it believes
	Told  []byte // what the player is told: a JSON array, or nothing
}

// How a part stands in a frame.
const (
	partSame  = iota // nothing of it changed: it is left out
	partDelta        // what went away, and what is different
	partWhole        // everything: what the machine had of it before is void
)

// The first byte of a packed frame: of plans without near, and of those with it, whose frames have a fourth part.
const (
	packedTick = 1
	packedNear = 3
)

// Frame writes, at the end of into, what a player's machine does not know that was last told the tick since (or Whole).
// What is written depends on nothing but the board and its arguments. It is false where the player is not there.
//
// In plans with near, s says whom the machine was told of before, and is brought up to what it is told now; it is the
// connection's own. What is then near waits for later frames where the plan's budget is used up, unless the machine is to
// say what it believes: then it is told all.
func (b *Board) Frame(into []byte, as Codec, player string, since int64, w Words, s *Sight) ([]byte, bool) {
	v := b.players[player]
	if v == nil {
		return into, false
	}
	views := [parts]*Part{b.everyone, b.scenes[v.scene], v.self}
	var how [all]int
	var raws [all][]byte
	for i, p := range views {
		from := since
		if i == Scene && v.since > since { // another scene: nothing of the former one holds
			from = Whole
		}
		how[i], raws[i] = b.part(p, as, from)
	}
	if b.Layout.HasNear() {
		room := -1
		if !w.Check {
			room = b.roomFor(as, raws, w)
		}
		how[Near], raws[Near] = b.nearPart(v, s, as, since, room)
	}
	if as == Packed {
		return b.packed(into, how, raws, w), true
	}
	into = append(into, `{"is":"tick","tick":`...)
	into = strconv.AppendInt(into, b.tick, 10)
	into = append(into, `,"time":`...)
	into = append(into, fixed.FromNano(b.clock*1_000_000).String()...)
	into = append(into, `,"done":`...)
	into = strconv.AppendUint(into, w.Done, 10)
	if w.Check {
		into = append(into, `,"check":true`...)
	}
	for i, raw := range raws {
		if how[i] != partSame {
			into = append(append(append(into, `,"`...), PartNames[i]...), `":`...)
			into = append(into, raw...)
		}
	}
	if len(w.Told) > 0 {
		into = append(append(into, `,"told":`...), w.Told...)
	}
	return append(into, '}'), true
}

// frameAround is about how many bytes a frame has around its parts, by encoding.
var frameAround = [2]int{JSON: 110, Packed: 20}

// roomFor is how many bytes a frame has left for those who are near.
func (b *Board) roomFor(as Codec, raws [all][]byte, w Words) int {
	budget := b.run.Model().Budget()
	if budget == 0 {
		return math.MaxInt
	}
	budget -= frameAround[as] + len(w.Told)
	for _, raw := range raws {
		budget -= len(raw)
	}
	return max(budget, 0)
}

// News says whether anything of what a player's machine sees has changed since a tick. s is as for Frame.
func (b *Board) News(player string, since int64, s *Sight) bool {
	v := b.players[player]
	if v == nil {
		return false
	}
	if b.Layout.HasNear() {
		switch near := b.hasNear(v.scene); {
		case s == nil, near && s.in != v.scene+1, !near && s.in != nowhere:
			return true
		case near:
			b.look(v, s, false)
		}
	}
	return since == Whole || v.since > since || b.everyone.tick > since || b.scenes[v.scene].tick > since ||
		v.self.tick > since || s != nil && s.hasNews()
}

func (b *Board) packed(into []byte, how [all]int, raws [all][]byte, w Words) []byte {
	head := byte(0)
	for i, h := range how[:parts] {
		head |= byte(h) << (2 * i)
	}
	if w.Check {
		head |= 1 << 6
	}
	if len(w.Told) > 0 {
		head |= 1 << 7
	}
	if b.Layout.HasNear() {
		into = append(into, packedNear, head, byte(how[Near]))
	} else {
		into = append(into, packedTick, head)
	}
	for _, n := range []uint64{uint64(b.tick), uint64(b.clock), w.Done} {
		into = binary.AppendUvarint(into, n)
	}
	for _, raw := range raws {
		into = append(into, raw...)
	}
	return append(into, w.Told...)
}

// part writes one part of a frame. What the last tick changed is written once for all who heard the tick before.
func (b *Board) part(p *Part, as Codec, since int64) (int, []byte) {
	if since != Whole && p.tick <= since {
		return partSame, nil
	}
	kept := &p.frames[as]
	if since == b.tick-1 && kept.from == since && kept.to == b.tick {
		return partDelta, kept.raw
	}
	how := partDelta
	changed, left, ok := []*group(nil), []gone(nil), false
	if since != Whole {
		changed, left, ok = p.since(since)
	}
	if !ok {
		if whole := &p.wholes[as]; whole.to == b.tick { // many come in at once: what all of them see is written once
			return partWhole, whole.raw
		}
		how, changed, left, since = partWhole, p.groups, nil, Whole
	}
	if p == b.everyone { // who a seat belongs to has to be known before it is named
		changed = slices.Clone(changed)
		slices.SortStableFunc(changed, func(x, y *group) int {
			return min(x.of.key.holder, 1) - min(y.of.key.holder, 1)
		})
	}
	var raw []byte
	if as == Packed {
		raw = b.packPart(changed, left, since)
	} else {
		raw = b.textPart(changed, left, since, how == partWhole)
	}
	switch {
	case since == b.tick-1:
		*kept = written{since, b.tick, raw}
	case how == partWhole && p.many:
		p.wholes[as] = written{Whole, b.tick, raw}
	}
	return how, raw
}

func (b *Board) textPart(changed []*group, left []gone, since int64, whole bool) []byte {
	raw := []byte{'{'}
	if whole {
		raw = append(raw, `"whole":true`...)
	}
	if len(left) > 0 {
		raw = append(comma(raw), `"gone":[`...)
		for _, x := range left {
			for _, address := range x.addresses {
				raw, _ = jsontext.AppendQuote(comma(raw), address)
			}
		}
		raw = append(raw, ']')
	}
	raw = append(comma(raw), `"set":{`...)
	for _, g := range changed {
		for i := range g.cells {
			if c := &g.cells[i]; c.changed > since {
				raw = append(comma(raw), c.text(b.Layout)...)
			}
		}
	}
	return append(raw, '}', '}')
}

func (b *Board) packPart(changed []*group, left []gone, since int64) []byte {
	var out bitstream.Bits
	b.packGroups(&out, changed, left, since, true)
	return out.Raw()
}

// packGroups writes what is gone, and what changed since a tick. seats says whether keys have the seats of players:
// where all is of one, they have not.
func (b *Board) packGroups(out *bitstream.Bits, changed []*group, left []gone, since int64, seats bool) {
	l := b.Layout
	out.Count(uint64(len(left)))
	for i := range left {
		b.packKey(out, left[i].key, left[i].seat, seats)
	}
	out.Count(uint64(len(changed)))
	for _, g := range changed {
		seat := 0
		if g.of.player != nil {
			seat = g.of.player.seat
		}
		b.packKey(out, g.of.key, seat, seats)
		if len(g.cells) > 1 {
			for i := range g.cells {
				out.Flag(g.cells[i].changed > since)
			}
		}
		for i := range g.cells {
			if c := &g.cells[i]; c.changed > since {
				l.write(out, &l.Holders[g.of.key.holder].Fields[c.field], c.item, b.seatOf, b.clock)
			}
		}
	}
}

func (b *Board) packKey(out *bitstream.Bits, key thingKey, seat int, seats bool) {
	h := &b.Layout.Holders[key.holder]
	out.Write(uint64(key.holder), uint(b.Layout.Kinds))
	out.Write(uint64(key.copy), uint(h.CopyBits))
	if h.Players && seats {
		out.Write(uint64(seat), uint(b.Layout.Seats))
	}
}

// Checks says whether this is the tick at which a player's machine is to say what it believes, once in a while: in scenes
// with near one after the other, elsewhere all at once, since there they believe nearly the same.
func (b *Board) Checks(player string, every time.Duration) bool {
	v := b.players[player]
	if v == nil {
		return false
	}
	turn := b.tick
	if b.hasNear(v.scene) {
		turn += int64(v.seat)
	}
	return turn%max(int64(every.Seconds()*b.Layout.Ticks), 1) == 0
}

// Digest is the digest of what a player's machine ought to believe; "" where the player is not there. s is as for Frame,
// and was told all that there is to tell.
func (b *Board) Digest(player string, s *Sight) string {
	v := b.players[player]
	if v == nil {
		return ""
	}
	l := b.Layout
	sums := []string{b.everyone.Digest(l), b.scenes[v.scene].Digest(l), v.self.Digest(l)}
	if l.HasNear() {
		sums = append(sums, b.nearDigest(s))
	}
	return digestOf(sums)
}
