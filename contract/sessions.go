package contract

import (
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"time"
)

// SessionInfo is an open session.
type SessionInfo struct {
	Name    string    `json:"name"`
	Version int       `json:"version" doc:"Of the plan that it is pinned to."`
	Opened  time.Time `json:"opened"`
	Time    float64   `json:"time" doc:"The session's time in seconds; it stands still while nobody is present."`
	Present []string  `json:"present" doc:"The players in it, by id."`
	Digest  string    `json:"digest,omitempty" doc:"SHA-256 of its canonical state; not in lists of sessions."`
}

// SessionState is an open session with what the game and its scenes hold.
type SessionState struct {
	SessionInfo
	Game   []Figure            `json:"game"`
	Scenes map[string][]Figure `json:"scenes"`
}

// Figure is one value.
type Figure struct {
	Name   string      `json:"name"`
	Title  string      `json:"title"`
	Scene  string      `json:"scene,omitempty" doc:"Of what each scene has."`
	Prop   string      `json:"prop,omitempty" doc:"Of what each prop has: cache.under_ledge."`
	Option string      `json:"option,omitempty" doc:"Of what there is for each option of a list: rice."`
	Value  types.Value `json:"value"`
}

// Request is something asked of a session.
type Request struct {
	Do      string           `json:"do" enum:"join,move,pass,touch,leave,start-over,event,write,ping" doc:"What is asked. ping says only that the player is still there: who has no connection, and of whom nothing is heard for the plan's grace (at least 15 s), leaves."`
	Player  string           `json:"player,omitempty" maxLength:"64" doc:"Whom it is about."`
	Server  bool             `json:"server,omitempty" doc:"The game's server asks, not the player."`
	Number  wire.Whole       `json:"number,omitempty" doc:"The player's own rising number. A number that was applied before changes nothing and gets the first answer."`
	Arrival wire.Whole       `json:"arrival,omitempty" doc:"The player's arrival that the sender knew of: where that is not the last one, the request is stale, and refused. 0 is not judged."`
	Sender  string           `json:"sender,omitempty" maxLength:"64" doc:"Of a server's request: which of the game's servers. Its numbers are its own."`
	Name    string           `json:"name,omitempty" maxLength:"64" doc:"The passage, checkpoint, event or variable."`
	Slot    int              `json:"slot,omitempty" doc:"Of join: the slot, from 1; 1 if unsaid."`
	To      wire.Coordinates `json:"to,omitempty" maxItems:"3" doc:"Of move: the coordinates."`
	Facing  string           `json:"facing,omitempty" maxLength:"64" doc:"Of move."`
	Args    wire.Values      `json:"args,omitempty" doc:"Of event: its arguments. Of write of what is held for a scene, a prop or an option: which, as scene, prop or option."`
	Value   *types.Value     `json:"value,omitempty" doc:"Of write: the value."`
	Picks   wire.Values      `json:"picks,omitempty" doc:"Of join: what the player picks on the way in, by variable."`
}

// Answer is what came of a request.
type Answer struct {
	Applied bool     `json:"applied" doc:"True; false where a repeated request got the first answer."`
	Number  uint64   `json:"number" doc:"The last numbered request of the player that was applied."`
	Time    float64  `json:"time" doc:"The session's time in seconds."`
	Changes []Change `json:"changes" doc:"Every value that changed, in order."`
	Notices []Notice `json:"notices" doc:"What players are told."`
	Saved   *Saved   `json:"saved,omitempty" doc:"Where the request led to a save of the player: it is on disk."`
}

// Saved is a save that was written.
type Saved struct {
	Revision int    `json:"revision"`
	Moment   string `json:"moment"`
	Error    string `json:"error,omitempty" doc:"Why it could not be written; it will be tried again."`
}

// Change is one value that changed, and why.
type Change struct {
	Player string      `json:"player,omitempty"`
	Scene  string      `json:"scene,omitempty"`
	Prop   string      `json:"prop,omitempty" doc:"cache.under_ledge."`
	Option string      `json:"option,omitempty" doc:"Of a list: rice."`
	Name   string      `json:"name" doc:"player.warmth, movables.sled, prop.cache.taken, scene.snow, game.planks, place, player.dead, player.checkpoint."`
	From   types.Value `json:"from"`
	To     types.Value `json:"to"`
	Cause  string      `json:"cause" doc:"Why, in words."`
	Rule   int         `json:"rule,omitempty" doc:"The rule, from 1."`
	Line   int         `json:"line,omitempty" doc:"Its line in the plan."`
	Times  int         `json:"times,omitempty" doc:"Of what a wait of a rehearsal brought again and again, from its first value to its last: how often."`
}

// Step is a change with its time.
type Step struct {
	Change
	Time float64   `json:"time" doc:"The session's, in seconds."`
	At   time.Time `json:"at"`
}

// Notice is something that players are told.
type Notice struct {
	Kind   string `json:"kind" doc:"joined, left, arrived, departed, checkpoint, crossed, died, gone, came-back, started, milestone, taken, set-down, holds, stands, message, breach, undone."`
	Player string `json:"player,omitempty"`
	To     string `json:"to" enum:"player,scene,everyone"`
	Text   string `json:"text,omitempty" doc:"As the plan has it, or in English."`
	Key    string `json:"key,omitempty" doc:"What the text is known by in the plan, for a game that says it in words of its own: rules.bell.text."`
	Scene  string `json:"scene,omitempty"`
	From   string `json:"from,omitempty" doc:"Of arrived: the scene that was left."`
	ID     string `json:"id,omitempty" doc:"The milestone, checkpoint or movable that it is about: for whoever says it in another language."`
	Rule   int    `json:"rule,omitempty" doc:"Of message: the rule that says it, from 1."`
}
