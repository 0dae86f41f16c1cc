package contract

import (
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"time"
)

// Overview is a session as people watch it.
type Overview struct {
	Time    float64               `json:"time" doc:"The session's time in seconds."`
	Tick    int64                 `json:"tick" doc:"The number of its last tick; 0 while no machine follows it."`
	Present int                   `json:"present" doc:"How many players are in the session."`
	Scenes  map[string]int        `json:"scenes" doc:"How many are in each scene; scenes without anybody are left out."`
	Traffic Traffic               `json:"traffic" doc:"What all machines together send and are sent."`
	Players []Watched             `json:"players" doc:"As many as were asked for, in the order of their ids."`
	Things  map[string]save.Place `json:"things" doc:"Where each movable is."`
	Held    map[string]string     `json:"held" doc:"Who holds those that somebody holds."`
	Refused []Refused             `json:"refused" doc:"What was refused last, newest first."`
}

// Sought says what of a session somebody wants to see.
type Sought struct {
	Show   string `query:"show" maxLength:"1000" doc:"Variables of players to show, with commas between: player.warmth,player.parcels."`
	Scene  string `query:"scene" maxLength:"64" doc:"Only those who are in this scene."`
	Player string `query:"player" maxLength:"64" doc:"Somebody who is among them in any case."`
	Most   int    `query:"most" minimum:"1" maximum:"1000" default:"200" doc:"How many players at most."`
}

// Traffic is what went over all connections that are there now, since each began.
type Traffic struct {
	Machines   int   `json:"machines" doc:"How many machines of players are connected."`
	In         int64 `json:"in" doc:"Messages that came in."`
	Out        int64 `json:"out" doc:"Messages that went out."`
	BytesIn    int64 `json:"bytes_in"`
	BytesOut   int64 `json:"bytes_out"`
	Mismatches int   `json:"mismatches" doc:"How often they believed something else than they ought to."`
}

// Watched is one player with their machine.
type Watched struct {
	Player   string                 `json:"player"`
	Place    save.Place             `json:"place"`
	Dead     bool                   `json:"dead"`
	Machine  *Machine               `json:"machine,omitempty" doc:"How their connection is doing; missing where they have none."`
	Lost     *time.Time             `json:"lost,omitempty" doc:"When the connection was lost; the seat is kept for a while."`
	Refusals map[string]int         `json:"refusals" doc:"How much was refused of them, by kind."`
	Values   map[string]types.Value `json:"values" doc:"Of the variables that were asked for."`
}

// Machine is how a connection is doing. It counts from its beginning.
type Machine struct {
	From       string   `json:"from" doc:"The machine's address."`
	Packed     bool     `json:"packed" doc:"Whether its frames are packed."`
	In         int64    `json:"in" doc:"Messages that came in."`
	Out        int64    `json:"out" doc:"Messages that went out."`
	BytesIn    int64    `json:"bytes_in"`
	BytesOut   int64    `json:"bytes_out"`
	Frames     int64    `json:"frames" doc:"Frames of state that went out."`
	Behind     int64    `json:"behind" doc:"Ticks since the machine was last sent something."`
	Near       *Near    `json:"near,omitempty" doc:"Of whom it is told, where the scene says near."`
	Mismatches int      `json:"mismatches" doc:"How often it believed something else than it ought to."`
	Unlike     []Unlike `json:"unlike" doc:"Where it differed the last time."`
	UnlikeAt   int64    `json:"unlike_at,omitempty" doc:"The tick at which it did so."`
}

// Near is of whom a machine is told in a scene with near.
type Near struct {
	Others  int `json:"others" doc:"How many other players it is told of."`
	Waiting int `json:"waiting" doc:"Of how many of them something waits for a later frame, by the plan's budget."`
}

// Unlike is a value that a machine believes otherwise than it ought to.
type Unlike struct {
	Address string `json:"address" doc:"player.warmth@wren."`
	Server  string `json:"server" doc:"What it ought to be, as JSON; empty where there is no such value."`
	Client  string `json:"client" doc:"What the machine believes, as JSON; empty where it knows nothing of it."`
	Since   int64  `json:"since" doc:"The tick since which it ought to be so."`
}

// Refused is something that was refused.
type Refused struct {
	At     time.Time `json:"at"`
	Time   float64   `json:"time"`
	Player string    `json:"player"`
	What   string    `json:"what"`
	Kind   string    `json:"kind"`
	Why    string    `json:"why"`
}
