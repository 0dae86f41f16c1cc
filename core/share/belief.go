package share

import (
	"bytes"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
)

// Difference is a value that a machine believes otherwise than it ought to.
type Difference struct {
	Address string         `json:"address"`
	Server  jsontext.Value `json:"server,omitzero" doc:"What it ought to be; missing where there is no such value."`
	Client  jsontext.Value `json:"client,omitzero" doc:"What the machine believes; missing where it knows nothing of it."`
	Since   int64          `json:"since" doc:"The tick since which it ought to be so."`
}

// Differences holds what a player's machine believed at a tick against what it ought to have: values that have become
// others since then are left out. They stand in the order of their addresses. s is as for Frame.
func (b *Board) Differences(player string, believed map[string]map[string]jsontext.Value, at int64,
	s *Sight) []Difference {
	v := b.players[player]
	if v == nil {
		return nil
	}
	var out []Difference
	for i, p := range []*Part{b.everyone, b.scenes[v.scene], v.self} {
		if i == Scene && v.since > at {
			continue
		}
		out = append(out, p.differences(b.Layout, believed[PartNames[i]], at)...)
	}
	if s != nil && b.Layout.HasNear() && v.since <= at {
		out = append(out, b.nearDifferences(s, believed[PartNames[Near]], at)...)
	}
	slices.SortFunc(out, func(x, y Difference) int { return strings.Compare(x.Address, y.Address) })
	return out
}

// nearDifferences does so for the part near. At that tick the machine was told all of those who were near.
func (b *Board) nearDifferences(s *Sight, believed map[string]jsontext.Value, at int64) []Difference {
	var out []Difference
	rest := maps.Clone(believed)
	for i := range s.told {
		t := &s.told[i]
		for _, g := range t.who.aura.groups {
			for j := range g.cells {
				c := &g.cells[j]
				ought, is := jsontext.Value(b.Layout.JSON(c.item)), rest[c.address]
				delete(rest, c.address)
				if t.since <= at && t.sent != Whole && c.changed <= at && !sameJSON(ought, is) {
					out = append(out, Difference{c.address, ought, is, c.changed})
				}
			}
		}
		for _, x := range t.who.aura.goneAfter(at) {
			for _, address := range x.addresses {
				delete(rest, address)
			}
		}
	}
	if s.lost > at { // of whom the rest is may have gone since
		return out
	}
	for address, is := range rest {
		out = append(out, Difference{Address: address, Client: is, Since: s.lost})
	}
	return out
}

func (p *Part) differences(l *Layout, believed map[string]jsontext.Value, at int64) []Difference {
	out := map[string]Difference{}
	known := map[string]bool{}
	for _, g := range p.groups {
		for i := range g.cells {
			c := &g.cells[i]
			known[c.address] = true
			ought := jsontext.Value(l.JSON(c.item))
			if is := believed[c.address]; c.changed <= at && !sameJSON(ought, is) {
				out[c.address] = Difference{c.address, ought, is, c.changed}
			}
		}
	}
	went := map[string]int64{}
	for _, x := range p.left {
		for _, address := range x.addresses {
			known[address] = known[address] || x.tick > at
			went[address] = x.tick
		}
	}
	for address, is := range believed {
		if !known[address] {
			out[address] = Difference{Address: address, Client: is, Since: max(went[address], p.forgot)}
		}
	}
	return slices.Collect(maps.Values(out))
}

// sameJSON says whether two values are the same, however they are written.
func sameJSON(a, b jsontext.Value) bool {
	x, y := a.Clone(), b.Clone()
	if len(x) == 0 || len(y) == 0 || x.Canonicalize() != nil || y.Canonicalize() != nil {
		return false
	}
	return bytes.Equal(x, y)
}
