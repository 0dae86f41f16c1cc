package plan

// Crossing is a boundary in play over which state is carried or not. The zero Crossing is none.
type Crossing uint8

// The crossings that every game has.
const (
	CrossScene Crossing = 1 + iota
	CrossDeath
	CrossLeave
	CrossRestart
	CrossNewRun
)

// Crossings are all of them, in the order of the matrix's columns.
var Crossings = []Crossing{CrossScene, CrossDeath, CrossLeave, CrossRestart, CrossNewRun}

// crossing is what there is to know of one.
type crossing struct {
	id      string
	title   string
	meaning string // when it happens
	apart   string // why it cannot apply to some holders
	rewinds bool   // what happened since the checkpoint can be taken back at it
	fate    func(*Fates) *Fate
}

var crossings = map[Crossing]crossing{
	CrossScene: {"scene", "Scene",
		"The player arrives in another scene; for a scene's own state: the last player leaves it.",
		"The game is not in a scene, so it does not change scene.", false, func(f *Fates) *Fate { return &f.Scene }},
	CrossDeath: {"death", "Death", "The player comes back after dying.",
		"One player's death is nothing to what all of them share.", true, func(f *Fates) *Fate { return &f.Death }},
	CrossLeave: {"leave", "Leave", "A visit ends (quit, lost connection, crash) and another begins.",
		"It stays with the session when one player leaves.", false, func(f *Fates) *Fate { return &f.Leave }},
	CrossRestart: {"restart", "Restart", "The session ends and is opened again.",
		"What a player has goes with the player: it is leave that applies.", false, func(f *Fates) *Fate {
			return &f.Restart
		}},
	CrossNewRun: {"new-run", "New run", "The player starts over in the same slot.",
		"One player starting over is nothing to what all of them share.", false, func(f *Fates) *Fate {
			return &f.NewRun
		}},
}

// String is the crossing as plans write it.
func (c Crossing) String() string { return crossings[c].id }

// Title is what people call it.
func (c Crossing) Title() string { return crossings[c].title }

// Meaning says when it happens.
func (c Crossing) Meaning() string { return crossings[c].meaning }

// Apart says why it cannot apply to what some hold.
func (c Crossing) Apart() string { return crossings[c].apart }

// Rewinds says whether a fate can be rewind there.
func (c Crossing) Rewinds() bool { return crossings[c].rewinds }

// CrossingCalled finds a crossing by its id; false where there is none.
func CrossingCalled(id string) (Crossing, bool) {
	for _, c := range Crossings {
		if c.String() == id {
			return c, true
		}
	}
	return 0, false
}

// At gives the fate at one crossing; its Kind is "" where none is written.
func (f *Fates) At(c Crossing) *Fate { return crossings[c].fate(f) }
