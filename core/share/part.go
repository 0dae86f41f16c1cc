package share

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// Part is what one kind of viewer sees: everyone, those in one scene, or one player.
type Part struct {
	groups []*group // in a fixed order
	stirs  []*group // those that changed at the tick stirred
	left   []gone   // what went away, oldest first
	tick   int64    // the last at which anything changed
	forgot int64    // what went away up to this tick is not known any more
	digest digested
	frames [2]written // what the last tick changed, by encoding
	wholes [2]written // all of it, where many see it
	many   bool       // whether many see it
	raw    []byte     // what stands in frames is written here
}

// gone is a group that went away.
type gone struct {
	tick      int64
	addresses []string
	key       thingKey
	seat      int
	player    bool
}

type digested struct {
	tick int64
	sum  string
}

// written is what was changed from one tick to another, as a frame has it.
type written struct {
	from, to int64
	raw      []byte
}

// mostGone is how many groups that went away a part remembers. A machine that was away for longer is sent the
// whole part.
const mostGone = 4096

func newPart() *Part {
	never := [2]written{{from: -1, to: -1}, {from: -1, to: -1}}
	return &Part{digest: digested{tick: -1}, frames: never, wholes: never}
}

func compareGroups(a, b *group) int {
	if c := compareKeys(a.of.key, b.of.key); c != 0 || a.of.player == b.of.player {
		return c
	}
	return strings.Compare(a.of.player.id, b.of.player.id)
}

func (p *Part) enter(g *group) {
	i, _ := slices.BinarySearchFunc(p.groups, g, compareGroups)
	p.groups = slices.Insert(p.groups, i, g)
	g.in = p
}

func (p *Part) leave(g *group, tick int64) {
	if i, ok := slices.BinarySearchFunc(p.groups, g, compareGroups); ok {
		p.groups = slices.Delete(p.groups, i, i+1)
	}
	x := gone{tick: tick, key: g.of.key, player: g.of.player != nil}
	if x.player {
		x.seat = g.of.player.seat
	}
	for i := range g.cells {
		x.addresses = append(x.addresses, g.cells[i].address)
	}
	if len(p.left) >= mostGone {
		half := len(p.left) / 2
		p.forgot = p.left[half-1].tick
		p.left = append(p.left[:0], p.left[half:]...)
	}
	p.left = append(p.left, x)
	if p.tick != tick {
		p.tick, p.stirs = tick, p.stirs[:0]
	}
}

// stir notes that something of a group changed.
func (p *Part) stir(g *group, tick int64) {
	if p.tick != tick {
		p.tick, p.stirs = tick, p.stirs[:0]
	}
	p.stirs = append(p.stirs, g)
}

// since lists what changed after a tick; false where that is not known any more.
func (p *Part) since(tick int64) ([]*group, []gone, bool) {
	if p.tick <= tick {
		return nil, nil, true
	}
	if tick < p.forgot {
		return nil, nil, false
	}
	if tick == p.tick-1 {
		return p.stirs, p.goneAfter(tick), true
	}
	var out []*group
	for _, g := range p.groups {
		if g.changedAfter(tick) {
			out = append(out, g)
		}
	}
	return out, p.goneAfter(tick), true
}

// goneAfter is what went away after a tick, as far as it is known.
func (p *Part) goneAfter(tick int64) []gone {
	at := len(p.left)
	for at > 0 && p.left[at-1].tick > tick {
		at--
	}
	return p.left[at:]
}

// newer says which of a part's cells changed after a tick: a bit for each, in their order. False where they are too many.
func (p *Part) newer(tick int64) (cells uint64, countable bool) {
	n := 0
	for _, g := range p.groups {
		for i := range g.cells {
			if g.cells[i].changed > tick {
				cells |= 1 << (n & 63)
			}
			n++
		}
	}
	return cells, n <= 64
}

func (g *group) changedAfter(tick int64) bool {
	for i := range g.cells {
		if g.cells[i].changed > tick {
			return true
		}
	}
	return false
}

// Digest is SHA-256, in hexadecimal, over the part as canonical JSON (RFC 8785): its addresses and values.
func (p *Part) Digest(l *Layout) string {
	if p.digest.tick == p.tick {
		return p.digest.sum
	}
	p.raw = append(p.raw[:0], '{')
	for _, g := range p.groups {
		for i := range g.cells {
			p.raw = append(comma(p.raw), g.cells[i].text(l)...)
		}
	}
	p.digest = digested{p.tick, sum(append(p.raw, '}'))}
	return p.digest.sum
}

func comma(raw []byte) []byte {
	if raw[len(raw)-1] == '{' || raw[len(raw)-1] == '[' {
		return raw
	}
	return append(raw, ',')
}

// Sum is SHA-256 in hexadecimal, as digests have it.
func Sum(raw []byte) string {
	hash := sha256.Sum256(raw)
	return hex.EncodeToString(hash[:])
}

// sum is the digest of a JSON document.
func sum(raw []byte) string {
	text := jsontext.Value(raw)
	if err := text.Canonicalize(); err != nil {
		panic(err) // it was written here
	}
	return Sum(text)
}

// text is a cell as frames have it: "player.warmth@wren":62.5
func (c *cell) text(l *Layout) []byte {
	if c.json == nil {
		name, err := jsontext.AppendQuote(nil, c.address)
		if err != nil {
			panic(err) // ids are UTF-8: that is seen to when somebody joins
		}
		c.json = append(append(name, ':'), l.JSON(c.item)...)
	}
	return c.json
}

// digestOf is the digest of a view, from those of its parts in the order of their names here: three, or four.
func digestOf(parts []string) string {
	raw := []byte{'{'}
	for i, digest := range parts {
		raw = append(comma(raw), `"`+PartNames[i]+`":"`+digest+`"`...)
	}
	return sum(append(raw, '}'))
}
