package contract

// Start is a small game that a new one can begin with.
type Start struct {
	ID         string           `json:"id"`
	Title      string           `json:"title" doc:"What shape it has: Rooms to walk."`
	About      string           `json:"about" doc:"A sentence or two about it."`
	Plan       string           `json:"plan" doc:"Its plan; whoever begins with it writes another game and title into it."`
	Rehearsals []StartRehearsal `json:"rehearsals" doc:"What it does, by name; to be kept with the new game."`
}

// StartRehearsal is a rehearsal of such a game.
type StartRehearsal struct {
	Name string `json:"name"`
	Text string `json:"text"`
}
