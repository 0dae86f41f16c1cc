package model

import (
	"strings"

	"alluvion.dev/core/plan"
)

// Holder is who has a copy of a variable.
type Holder uint8

// The holders.
const (
	OfPlayer Holder = iota
	OfScene
	OfGame
	OfPlayerScene // each player has one for each scene
	OfProp
	OfPlayerProp  // each player has one for each prop of a kind
	OfList        // each option of a list has one
	OfPlayerList  // each player has one for each option of a list
	OfProfile     // each player has one over all slots
	OfProfileList // and one for each option of a list
)

// holder is what there is to know of one.
type holder struct {
	word     string // what people call it
	first    string // of whom it is first of all: what a crossing of a plan's own is for
	written  string // as it stands in of: %s is the kind of a prop
	title    string // over the rows of the matrix
	read     string // how its variables are read
	players  bool   // players have copies of their own, alone or with something else
	lazy     bool   // copies come into being only when they are first changed: there may be very many
	with     string // who is sent its variables where nothing is said
	defaults func(*plan.Defaults) *plan.Fates
	instead  Holder // whose defaults it has where it has none of its own
	// when says when a crossing happens to what it has; a crossing that is not there cannot apply to it.
	when map[plan.Crossing]string
}

const (
	afterDying = "the player comes back after dying"
	nextVisit  = "a visit ends and another begins"
	openAgain  = "the session ends and is opened again"
	startsOver = "the player starts over"
	lastLeaves = "the last player leaves the scene"
	leavesThat = "the player leaves that scene"
)

// one is when crossings happen to what a player has, all to what all players share.
func one(scene string) map[plan.Crossing]string {
	return map[plan.Crossing]string{plan.CrossScene: scene, plan.CrossDeath: afterDying, plan.CrossLeave: nextVisit,
		plan.CrossNewRun: startsOver}
}

// alone is what happens besides to what all players share, where one player plays alone: then it goes with their slot.
var alone = map[plan.Crossing]string{plan.CrossDeath: afterDying, plan.CrossNewRun: startsOver}

var holders = [...]holder{
	OfPlayer: {word: "player", first: "player", written: "player", title: "Each player has", read: "player.",
		players: true,
		with:    "self",
		defaults: func(d *plan.Defaults) *plan.Fates {
			return &d.Player
		}, instead: OfPlayer, when: one("the player arrives in another scene")},
	OfScene: {word: "scene", first: "scene", written: "scene", title: "Each scene has", read: "scene.", with: "scene",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Scene }, instead: OfScene,
		when: map[plan.Crossing]string{plan.CrossScene: lastLeaves, plan.CrossRestart: openAgain}},
	OfGame: {word: "game", first: "game", written: "game", title: "The game has", read: "game.", with: "everyone",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Game }, instead: OfGame,
		when: map[plan.Crossing]string{plan.CrossRestart: openAgain}},
	OfPlayerScene: {word: "player and scene", first: "player", written: "[player, scene]",
		title: "Each player has for each scene",
		read:  "scene.", players: true, lazy: true, with: "self",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Pair }, instead: OfPlayer, when: one(leavesThat)},
	OfProp: {word: "prop", first: "prop", written: "prop:%s", title: "Each %s has", read: "prop.%s.", lazy: true,
		with:     "scene",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Prop }, instead: OfScene,
		when: map[plan.Crossing]string{plan.CrossScene: lastLeaves, plan.CrossRestart: openAgain}},
	OfPlayerProp: {word: "player and prop", first: "player", written: "[player, prop:%s]",
		title: "Each player has for each %s",
		read:  "prop.%s.", players: true, lazy: true, with: "self",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Pair }, instead: OfPlayer, when: one(leavesThat)},
	OfList: {word: "list", written: "%s", title: "Each %s has", read: "%s.", lazy: true, with: "everyone",
		instead: OfGame, when: map[plan.Crossing]string{plan.CrossRestart: openAgain}},
	OfPlayerList: {word: "player and list", first: "player", written: "[player, %s]",
		title: "Each player has for each %s", read: "%s.", players: true, lazy: true, with: "self",
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Pair }, instead: OfPlayer,
		when: one("the player arrives in another scene")},
	OfProfile: {word: "profile", first: "profile", written: "profile", title: "Each player has over all slots",
		read: "profile.", players: true, with: "self", instead: OfProfile,
		defaults: func(d *plan.Defaults) *plan.Fates { return &d.Profile },
		when:     one("the player arrives in another scene")},
	OfProfileList: {word: "profile and list", first: "profile", written: "[profile, %s]",
		title: "Each player has over all slots for each %s", read: "%s.", players: true, lazy: true, with: "self",
		instead: OfProfile, defaults: func(d *plan.Defaults) *plan.Fates { return &d.Profile },
		when: one("the player arrives in another scene")},
}

// String is the holder's word in the language.
func (h Holder) String() string { return holders[h].word }

// OfPlayers says whether players have copies of their own, alone or with something else.
func (h Holder) OfPlayers() bool { return holders[h].players }

// OfProfiles says whether it is a player's over all slots: it is in a document of its own, beside their saves.
func (h Holder) OfProfiles() bool { return h == OfProfile || h == OfProfileList }

// Lazy says whether copies come into being only when they are first changed: there may be very many.
func (h Holder) Lazy() bool { return holders[h].lazy }

// When says in words when a crossing happens to what the holder has.
func (h Holder) When(c plan.Crossing) string {
	if when := holders[h].when[c]; when != "" {
		return when
	}
	if c.Own() != nil {
		return "the crossing " + c.Title() + " happens"
	}
	return alone[c]
}

// When says in words when a crossing happens to what a holder has in this game: in a game for one player the world is
// part of the player's slot, and opened again with it.
func (m *Model) When(h Holder, c plan.Crossing) string {
	if m.Single && !h.OfPlayers() && c == plan.CrossRestart {
		return "the player's slot is loaded again"
	}
	return h.When(c)
}

// Applies says whether a crossing can mean anything to what a holder has.
func (m *Model) Applies(h *Holding, c plan.Crossing) bool {
	x := holders[h.Holder]
	if own := c.Own(); own != nil {
		return own.IsFor(x.first) || h.Holder == OfList && own.IsFor(h.List.ID)
	}
	return x.when[c] != "" || m.Single && alone[c] != ""
}

// Defaults are what the plan's defaults say for what it has: its own, and those that hold where these say nothing.
// Pairs without defaults of their own have those of players, props those of scenes (rule 18), lists those of the game.
func (m *Model) Defaults(h *Holding) (own, instead *plan.Fates) {
	d, x := &m.Plan.Defaults, holders[h.Holder]
	instead = holders[x.instead].defaults(d)
	if h.Holder != OfList {
		return x.defaults(d), instead
	}
	if own = d.Lists.Get(h.List.ID); own == nil {
		own = instead
	}
	return own, instead
}

// DefaultsKey is the key under which the plan's defaults say what becomes of what it has.
func (h *Holding) DefaultsKey() string {
	switch {
	case h.Holder == OfList:
		return h.List.ID
	case h.Holder.OfProfiles():
		return "profile"
	case h.Holder.OfPlayers() && h.Holder != OfPlayer:
		return "pair"
	}
	return h.Holder.String()
}

// Written is the holder as it stands in a plan: player, prop:cache, [player, scene].
func (h *Holding) Written() string { return h.named(holders[h.Holder].written, h.Of()) }

// Title is what stands over its rows: Each player has.
func (h *Holding) Title() string {
	title := ""
	switch {
	case h.Kind != nil:
		title = lowerFirst(h.Kind.Title)
	case h.List != nil:
		title = lowerFirst(plan.Spaced(h.List.ID))
	}
	return h.named(holders[h.Holder].title, title)
}

// Prefix is how its variables are read: player., prop.cache.
func (h *Holding) Prefix() string { return h.named(holders[h.Holder].read, h.Of()) }

// Of is the id of the kind of props or of the list whose copies there are; "" of all else.
func (h *Holding) Of() string {
	switch {
	case h.Kind != nil:
		return h.Kind.ID
	case h.List != nil:
		return h.List.ID
	}
	return ""
}

// Copies are where there is a copy of what it has: the indices of scenes, of props, or of the options of a list; none
// of what is there once for each player, or once.
func (m *Model) Copies(h *Holding) []int {
	var out []int
	switch {
	case h.Kind != nil:
		for _, p := range h.Kind.Props {
			out = append(out, p.Index)
		}
	case h.List != nil:
		for i := range h.List.Options {
			out = append(out, i)
		}
	case h.Holder == OfScene || h.Holder == OfPlayerScene:
		for i := range m.Scenes {
			out = append(out, i)
		}
	}
	return out
}

// CopyID is the id of the scene, the prop or the option that a copy is of.
func (m *Model) CopyID(h *Holding, at int) string {
	switch {
	case h.Kind != nil:
		return m.Props[at].ID
	case h.List != nil:
		return h.List.Options[at].ID
	}
	return m.Scenes[at].ID
}

// CopyOf finds the copy of a scene, a prop or an option by its id; -1 where there is none.
func (m *Model) CopyOf(h *Holding, id string) int {
	switch {
	case h.Kind != nil:
		if p := h.Kind.Prop(id); p != nil {
			return p.Index
		}
	case h.List != nil:
		return h.List.Option(id)
	default:
		if s := m.Scene(id); s != nil {
			return s.Index
		}
	}
	return -1
}

func (h *Holding) named(text, kind string) string { return strings.Replace(text, "%s", kind, 1) }

func lowerFirst(s string) string { return strings.ToLower(s[:1]) + s[1:] }

// Fates are what each crossing does.
type Fates []Fate

// newFates have room for every crossing.
func (b *builder) newFates() Fates { return make(Fates, len(b.Crossings)+1) }

// At is what a crossing does.
func (f Fates) At(c plan.Crossing) *Fate { return &f[c.Number()] }
