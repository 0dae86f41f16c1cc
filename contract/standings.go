package contract

// StandingInfo is an ordering of players, or of the options of a list.
type StandingInfo struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Rank  string `json:"rank" doc:"The expression that they are ordered by."`
	Order string `json:"order" enum:"high,low" doc:"Whether the highest or the lowest number comes first."`
	Keep  string `json:"keep" enum:"best,last" doc:"Which number counts: the best ever, or the one of now."`
	List  string `json:"list,omitempty" doc:"The list whose options it orders; it is not there where it orders players."`
}

// StandingPart is a part of an ordering: of players, over all ever saved; of options, in the world of one session.
type StandingPart struct {
	StandingInfo
	Session string          `json:"session,omitempty" doc:"Of options: in whose world."`
	Players int             `json:"players" doc:"How many have a place."`
	Places  []StandingPlace `json:"places"`
}

// StandingPlace is the place of one player, or of one option.
type StandingPlace struct {
	Place  int    `json:"place" doc:"From 1. Players with the same number stand by their id, options in the order of their list."`
	Player string `json:"player" doc:"Empty where options are ordered."`
	Option string `json:"option,omitempty"`
	Title  string `json:"title,omitempty" doc:"What people call the option."`
	Number string `json:"number"`
}
