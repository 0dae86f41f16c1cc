package contract

// StandingInfo is an ordering of players.
type StandingInfo struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Rank  string `json:"rank" doc:"The expression that players are ordered by."`
	Order string `json:"order" enum:"high,low" doc:"Whether the highest or the lowest number comes first."`
	Keep  string `json:"keep" enum:"best,last" doc:"Which of a player's numbers counts."`
}

// StandingPart is a part of an ordering, over all players ever saved.
type StandingPart struct {
	StandingInfo
	Players int             `json:"players" doc:"How many have a place."`
	Places  []StandingPlace `json:"places"`
}

// StandingPlace is one player's place.
type StandingPlace struct {
	Place  int    `json:"place" doc:"From 1. Players with the same number stand by their id."`
	Player string `json:"player"`
	Number string `json:"number"`
}
