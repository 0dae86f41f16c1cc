package contract

import "time"

// ScoutStart is what a search of a game's plan is begun with.
type ScoutStart struct {
	Plan     string `json:"plan,omitempty" maxLength:"1100000" doc:"Search this text, in place of the game's plan, which stays as it is."`
	Players  int    `json:"players,omitempty" minimum:"1" maximum:"4" default:"1" doc:"How many players play."`
	NoServer bool   `json:"no_server,omitempty" doc:"Leave out what only the game's server sends."`
	Alone    bool   `json:"alone,omitempty" doc:"Whether the first player has to get everywhere by themselves, without the others and the game's server."`
	States   int    `json:"states,omitempty" minimum:"100" maximum:"500000" default:"100000" doc:"How many states each search keeps at most."`
	Seconds  int    `json:"seconds,omitempty" minimum:"1" maximum:"600" default:"60" doc:"How long all of it goes on at most."`
}

// ScoutInfo is how far a search of a plan is, and what was found so far.
type ScoutInfo struct {
	State    string       `json:"state" enum:"none,running,stopped,done,failed" doc:"none: the plan was not searched since the service was started."`
	ETag     string       `json:"etag,omitempty" doc:"Of the plan's text."`
	Search   string       `json:"search,omitempty" doc:"Which search goes on."`
	Searches int          `json:"searches,omitempty" doc:"How many there are."`
	Over     int          `json:"over,omitempty" doc:"How many of them are over."`
	States   int          `json:"states,omitempty" doc:"How many states the search that goes on has."`
	Tried    int          `json:"tried,omitempty" doc:"From how many of these everything was tried."`
	Rate     int          `json:"rate,omitempty" doc:"Moves a second."`
	BeganAt  *time.Time   `json:"began_at,omitempty"`
	Took     float64      `json:"took,omitempty" doc:"Seconds so far."`
	Error    string       `json:"error,omitempty"`
	Report   *ScoutReport `json:"report,omitempty" doc:"What was found: of the searches that are over while it runs."`
}

// ScoutReport is what a search of a plan has found.
type ScoutReport struct {
	Version  int             `json:"version"`
	Players  int             `json:"players"`
	Bad      bool            `json:"bad" doc:"Whether there is something that somebody has to see to."`
	Searches []ScoutSearched `json:"searches"`
	Answers  []ScoutAnswer   `json:"answers"`
	DeadEnds []ScoutDeadEnd  `json:"dead_ends"`
	Troubles []ScoutTrouble  `json:"troubles"`
	NotTried []string        `json:"not_tried" doc:"What was done in no search."`
	Places   ScoutPlaces     `json:"places"`
	Stuck    string          `json:"nobody_stuck,omitempty" doc:"What is known of being stuck where no dead end was found, as sentences."`
	Costs    []ScoutCost     `json:"costs" doc:"What tells most states apart, where a search had more than were kept; the dearest first."`
}

// ScoutPlaces are the states of one search, by the scene that the first player is in, and how one scene leads to another.
type ScoutPlaces struct {
	Search string       `json:"search" doc:"Which search: that which has seen the most scenes. Empty where none has begun."`
	Scenes []ScoutPlace `json:"scenes" doc:"All that the plan has, in its order."`
	Ways   []ScoutWay   `json:"ways"`
}

// ScoutPlace is a scene.
type ScoutPlace struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	States int    `json:"states" doc:"In which the first player is there; 0 if nobody was seen there."`
	Stuck  int    `json:"stuck,omitempty" doc:"Of how many dead ends, of any kind."`
	Steps  int    `json:"steps" doc:"How often one has to change the scene to be there, from where players begin; -1 where nobody was seen."`
}

// ScoutWay is a way from one scene to another.
type ScoutWay struct {
	From  string   `json:"from"`
	To    string   `json:"to"`
	By    []string `json:"by" doc:"Passages by their names, and what else leads there, in words; what does most often first."`
	Pass  bool     `json:"pass" doc:"Whether a passage is among them."`
	Moves int      `json:"moves" doc:"How many moves of the search lead there."`
}

// ScoutSearched is how one search went.
type ScoutSearched struct {
	Name     string   `json:"name"`
	States   int      `json:"states"`
	Moves    int      `json:"moves" doc:"That were tried."`
	Complete bool     `json:"complete" doc:"Whether everything that can happen in it was followed to the end."`
	Why      []string `json:"why" doc:"What keeps it from being complete."`
	LeftOut  []string `json:"left_out" doc:"The variables that decide nothing in it."`
}

// ScoutCost is something that makes many states of few.
type ScoutCost struct {
	Name    string `json:"name" doc:"A variable, or what is built in, in words."`
	Percent int    `json:"percent" doc:"How many of a search's states there would be if it were not told apart."`
}

// ScoutAnswer is what is known of one thing that could be reached.
type ScoutAnswer struct {
	Kind    string    `json:"kind" enum:"goal,milestone,conserved,scene,passage,passage refused,checkpoint,event,option,rule,fate" doc:"fate: what becomes of a variable at a crossing."`
	ID      string    `json:"id"`
	Title   string    `json:"title,omitempty"`
	Line    int       `json:"line,omitempty" doc:"Of the plan."`
	Verdict string    `json:"verdict" enum:"reached,never,not found,kept,broken,not broken" doc:"never: a complete search found no way. The last three are of what is conserved; kept: a complete search found nothing that makes more or less of it."`
	Run     *ScoutRun `json:"run,omitempty" doc:"A way to it."`
}

// ScoutDeadEnd is a state from which something cannot be reached any more.
type ScoutDeadEnd struct {
	Kind   string    `json:"kind" enum:"goal,milestone,scene" doc:"scene: it cannot be left any more."`
	ID     string    `json:"id"`
	Title  string    `json:"title,omitempty"`
	Line   int       `json:"line,omitempty" doc:"Of the plan."`
	Alone  bool      `json:"alone,omitempty" doc:"The first player cannot get there by themselves any more."`
	Proved bool      `json:"proved" doc:"false: something was left out that may be a way."`
	Why    string    `json:"why,omitempty" doc:"What was left out."`
	Lost   string    `json:"lost" doc:"The move after which there is no way any more."`
	Run    *ScoutRun `json:"run,omitempty" doc:"The way into it."`
}

// ScoutTrouble is something that went wrong on the way.
type ScoutTrouble struct {
	Kind string    `json:"kind" enum:"broken,failed,made,lost,cut off" doc:"made and lost: there is more or less of what is conserved."`
	Text string    `json:"text"`
	Line int       `json:"line,omitempty" doc:"Of the plan."`
	Run  *ScoutRun `json:"run,omitempty"`
}

// ScoutRun is a way from the start to something.
type ScoutRun struct {
	Moves    int    `json:"moves"`
	Shortest bool   `json:"shortest" doc:"Whether there is no way of fewer moves."`
	Script   string `json:"script" doc:"A rehearsal that plays to the same end."`
}
