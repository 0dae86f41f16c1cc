package plan

import (
	"reflect"
	"slices"
	"strings"

	"alluvion.dev/core/finding"
)

// Crossing is a boundary in play over which state is carried or not: one that every game has, or one that a plan
// declares. Crossings are compared with ==; own ones of two plans are never the same. The zero Crossing is none.
type Crossing struct{ *crossing }

// crossing is what there is to know of one.
type crossing struct {
	id      string
	number  int // among those of its plan, from 1; those that every game has come first
	title   string
	meaning string // when it happens
	apart   string // why it cannot apply to some holders
	rewinds bool   // what happened since the checkpoint can be taken back at it
	own     *OwnCrossing
	fate    func(*Fates) *Fate
}

// The crossings that every game has.
var (
	CrossScene = Crossing{&crossing{id: "scene", number: 1, title: "Scene",
		meaning: "The player arrives in another scene; for a scene's own state: the last player leaves it.",
		apart:   "The game is not in a scene, so it does not change scene.",
		fate:    func(f *Fates) *Fate { return &f.Scene }}}
	CrossDeath = Crossing{&crossing{id: "death", number: 2, title: "Death", rewinds: true,
		meaning: "The player comes back after dying.",
		apart:   "One player's death is nothing to what all of them share.",
		fate:    func(f *Fates) *Fate { return &f.Death }}}
	CrossLeave = Crossing{&crossing{id: "leave", number: 3, title: "Leave",
		meaning: "A visit ends (quit, lost connection, crash) and another begins.",
		apart:   "It stays with the session when one player leaves.",
		fate:    func(f *Fates) *Fate { return &f.Leave }}}
	CrossRestart = Crossing{&crossing{id: "restart", number: 4, title: "Restart",
		meaning: "The session ends and is opened again.",
		apart:   "What a player has goes with the player: it is leave that applies.",
		fate:    func(f *Fates) *Fate { return &f.Restart }}}
	CrossNewRun = Crossing{&crossing{id: "new-run", number: 5, title: "New run",
		meaning: "The player starts over in the same slot.",
		apart:   "One player starting over is nothing to what all of them share.",
		fate:    func(f *Fates) *Fate { return &f.NewRun }}}
)

// Crossings are those that every game has, in the order of the matrix's columns.
var Crossings = []Crossing{CrossScene, CrossDeath, CrossLeave, CrossRestart, CrossNewRun}

// crash is a column of the matrix and no crossing: nobody else may be called so.
const crash = "crash"

// String is the crossing as plans write it.
func (c Crossing) String() string {
	if c.crossing == nil {
		return ""
	}
	return c.id
}

// Number tells the crossings of one plan apart: from 1, those that every game has first.
func (c Crossing) Number() int { return c.number }

// Title is what people call it.
func (c Crossing) Title() string { return c.title }

// Meaning says when it happens.
func (c Crossing) Meaning() string { return c.meaning }

// Apart says why it cannot apply to what some hold.
func (c Crossing) Apart() string { return c.apart }

// Rewinds says whether a fate can be rewind there.
func (c Crossing) Rewinds() bool { return c.crossing != nil && c.rewinds }

// Own is what a plan says of a crossing that it declares; nil for those that every game has.
func (c Crossing) Own() *OwnCrossing { return c.own }

// At gives the fate at one crossing; its Kind is "" where none is written.
func (f *Fates) At(c Crossing) *Fate { return c.fate(f) }

// builtInCrossing finds one that every game has; the zero Crossing where there is none of that name.
func builtInCrossing(id string) Crossing {
	i := slices.IndexFunc(Crossings, func(c Crossing) bool { return c.id == id })
	if i < 0 {
		return Crossing{}
	}
	return Crossings[i]
}

// Crossing finds a crossing of the plan by its id; false where there is none.
func (p *Plan) Crossing(id string) (Crossing, bool) {
	for _, c := range p.AllCrossings() {
		if c.id == id {
			return c, true
		}
	}
	return Crossing{}, false
}

// AllCrossings are those that every game has and the plan's own, in the order of the matrix's columns. Of a plan that
// was read, they are the same at every call.
func (p *Plan) AllCrossings() []Crossing {
	if p.crossings == nil {
		p.crossings = slices.Clone(Crossings)
		for i := range p.Crossings.Entries {
			p.crossings = append(p.crossings, ownCrossing(&p.Crossings.Entries[i], len(p.crossings)+1))
		}
	}
	return p.crossings
}

func ownCrossing(e *Entry[OwnCrossing], number int) Crossing {
	id := e.ID
	return Crossing{&crossing{id: id, number: number, title: e.Value.title(id), own: &e.Value,
		meaning: e.Value.meaning(), apart: e.Value.apart(id),
		fate: func(f *Fates) *Fate {
			if fate := f.Own.Get(id); fate != nil {
				return fate
			}
			return &Fate{}
		}}}
}

func (o *OwnCrossing) title(id string) string {
	if o.Title.Given {
		return o.Title.Value
	}
	return Spaced(id)
}

// IsFor says whether the crossing is for what a holder has: game, scene, prop or player. A pair goes with its first.
func (o *OwnCrossing) IsFor(holder string) bool {
	return slices.ContainsFunc(o.For, func(g Given[string]) bool { return g.Value == holder })
}

// OfWorld says whether it is for anything that the players share: then the world crosses, and with it everybody who is
// there.
func (o *OwnCrossing) OfWorld() bool {
	return slices.ContainsFunc(o.For, func(g Given[string]) bool { return g.Value != "player" && g.Value != "profile" })
}

func (o *OwnCrossing) meaning() string {
	if o.Calendar != nil {
		return "This game's own: " + o.Calendar.String() + "."
	}
	var on []string
	for _, m := range o.On {
		on = append(on, m.String())
	}
	return "This game's own: on " + strings.Join(on, ", or on ") + "."
}

// String is when the calendar has its turns, in words.
func (c *Calendar) String() string {
	when := "every " + c.Every.Value
	switch {
	case len(c.From) > 0:
		when = "on certain dates, from " + c.From[0].Value
	case c.Every.Value == "week":
		when = "every Monday"
	case c.Every.Value == "month":
		when = "on the 1st of every month"
	}
	return when + " at " + c.Clock.Or("00:00") + ", " + c.Zone.Or("UTC")
}

func (o *OwnCrossing) apart(id string) string {
	var holders []string
	for _, h := range o.For {
		holders = append(holders, h.Value)
	}
	return "The crossing " + id + " is only for what these hold: " + strings.Join(holders, ", ") + "."
}

// read takes the fates at the plan's own crossings apart from those that every game has.
func (f *Fates) read(r *reader, n *node, _ field) {
	if n.form != formTable {
		r.wrongTable(n, reflect.TypeFor[Fates]())
		return
	}
	rest := n.without(func(name string) bool { return slices.Contains(r.crossings, name) }, func(k *key) {
		e := Entry[Fate]{ID: k.name, At: k.at}
		e.Value.read(r, k.value, field{name: k.name})
		f.Own.Entries = append(f.Own.Entries, e)
	})
	r.tableOf(rest, reflect.ValueOf(f).Elem(), func(*node) {}, r.crossings...)
}

// without is a table with those of its keys that are not taken; take reads the others.
func (n *node) without(taken func(name string) bool, take func(k *key)) *node {
	rest := &node{form: formTable, At: n.At}
	for _, k := range n.keys {
		if !taken(k.name) {
			rest.keys = append(rest.keys, k)
			continue
		}
		take(&k)
	}
	return rest
}

// resolveCrossings makes sure that no crossing has the name of another, and that each says when it happens.
func (p *Plan) resolveCrossings(r *reader) {
	for i := range p.Crossings.Entries {
		e := &p.Crossings.Entries[i]
		if builtInCrossing(e.ID) != (Crossing{}) || e.ID == crash {
			r.report("duplicate-id", e.At,
				"There is a crossing called %s already, which every game has: this one needs another name.", e.ID)
		}
		if (len(e.Value.On) > 0) == (e.Value.Calendar != nil) && !r.reportedUnder(e.At.Pointer) {
			r.report("missing", e.At, "The crossing %s needs either on, what sets it off, or a calendar.", e.ID)
		}
		known := append([]string{"game", "scene", "prop", "player", "profile"}, p.ListIDs()...)
		seen := map[string]bool{}
		for _, h := range e.Value.For {
			if !slices.Contains(known, h.Value) {
				r.unknownName(h.At, "A crossing is for game, scene, prop, player, profile or a list, not for \""+clip(h.Value)+"\".",
					finding.Word(h.Value, known))
			}
			if seen[h.Value] {
				r.report("duplicate-id", h.At, "%q stands here twice.", h.Value)
			}
			seen[h.Value] = true
		}
	}
	p.crossingLoops(r)
}

// reportedUnder says whether something is wrong with what stands under a pointer already.
func (r *reader) reportedUnder(pointer string) bool {
	return slices.ContainsFunc(r.found, func(f finding.Finding) bool {
		return f.Pointer == pointer || strings.HasPrefix(f.Pointer, pointer+"/")
	})
}

// crossingLoops reports crossings that set themselves off, through others or at once.
func (p *Plan) crossingLoops(r *reader) {
	after := func(id string) []string {
		var out []string
		for _, e := range p.Crossings.Entries {
			for _, m := range e.Value.On {
				if m.Kind == "crossed" && m.Of == id {
					out = append(out, e.ID)
				}
			}
		}
		return out
	}
	for _, e := range p.Crossings.Entries {
		seen, next := map[string]bool{}, after(e.ID)
		for len(next) > 0 && !seen[e.ID] {
			id := next[0]
			next = next[1:]
			if !seen[id] {
				seen[id] = true
				next = append(next, after(id)...)
			}
		}
		if seen[e.ID] {
			r.report("bad-value", e.At, "The crossing %s sets itself off, without end.", e.ID)
		}
	}
}
