package contract

import (
	"alluvion.dev/core/finding"
	"time"
)

// GameInfo is a game as a list shows it.
type GameInfo struct {
	ID        string    `json:"id"`
	Title     string    `json:"title"`
	Version   int       `json:"version" doc:"Of its current plan."`
	UpdatedAt time.Time `json:"updated_at" doc:"When its plan was last put."`
	Scenes    int       `json:"scenes"`
	Variables int       `json:"variables"`
	Findings  Counts    `json:"findings"`
	Sessions  int       `json:"sessions" doc:"How many are open."`
	Present   int       `json:"present" doc:"How many players are in them."`
	Saves     int       `json:"saves" doc:"How many slots have something saved."`
	Older     int       `json:"older" doc:"How many of these were written under an earlier version: they are upgraded when they are loaded."`
	Published int       `json:"published" doc:"The newest version that is published; 0 where none is."`
	Refused   int       `json:"refused" doc:"How often something was refused to those who are playing."`
	Differs   int       `json:"differs" doc:"How often machines of those who are playing believed something else than they ought to."`
	Trial     string    `json:"trial,omitempty" doc:"How the newest trial stands: running, stopped, failed, clean, or not clean."`
	Play      string    `json:"play,omitempty" doc:"Where it is played in a browser, on this service; empty where it is not."`
}

// Named is something that the plan names.
type Named struct {
	Kind  string `json:"kind" doc:"variable, scene, spot, area, passage, checkpoint, waymark, prop, movable, standing, milestone, carrier, event, list, kind of prop or roster."`
	Name  string `json:"name"`
	Title string `json:"title"`
	Type  string `json:"type,omitempty" doc:"Of a variable: its type and its limits, as people read them: int 0 to 40 in steps of 5."`
	Line  int    `json:"line" doc:"Where it stands in the plan."`
}

// Counts are how many findings there are; accepted ones are counted apart.
type Counts struct {
	Errors   int `json:"errors"`
	Warnings int `json:"warnings"`
	Notes    int `json:"notes"`
	Accepted int `json:"accepted"`
}

// Report is what the checks say of a plan.
type Report struct {
	Runnable bool         `json:"runnable" doc:"Whether the plan can run: it has no errors."`
	Counts   Counts       `json:"counts"`
	Findings finding.List `json:"findings"`
}

// FateChange is a fate to be written into a plan's text.
type FateChange struct {
	Fate string `json:"fate" enum:"keep,reset,rewind,set,default" doc:"default takes the variable's own fate away, so that the defaults decide."`
	Set  string `json:"set,omitempty" maxLength:"2000" doc:"Of set: the expression."`
}

// Ended is how much was deleted with a session or a game.
type Ended struct {
	Worlds  int64 `json:"worlds" doc:"Worlds of sessions, also those that are kept of earlier versions."`
	Journal int64 `json:"journal" doc:"Changes in journals."`
	Saves   int64 `json:"saves" doc:"Of a game: revisions of saves."`
	Players int64 `json:"players" doc:"Of a game: slots of players."`
}
