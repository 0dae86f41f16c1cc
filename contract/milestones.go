package contract

// MilestoneInfo is a milestone of the plan, and how many have it.
type MilestoneInfo struct {
	ID       string  `json:"id"`
	Title    string  `json:"title"`
	Line     int     `json:"line" doc:"Where it stands in the plan."`
	When     string  `json:"when,omitempty" doc:"The condition under which it is earned."`
	Progress string  `json:"progress,omitempty" doc:"The number that has to reach the goal, where it has one."`
	Goal     float64 `json:"goal,omitempty"`
	Earned   int     `json:"earned" doc:"How many slots have it."`
}

// MilestonePlayer is how far a player's slot is with each milestone.
type MilestonePlayer struct {
	Player  string           `json:"player"`
	Slot    int              `json:"slot"`
	Present bool             `json:"present" doc:"Whether this is live; otherwise it is as saved."`
	Stands  []MilestoneStand `json:"stands" doc:"One for each milestone, in the plan's order."`
}

// MilestoneStand is how far somebody is with one milestone.
type MilestoneStand struct {
	Earned  bool    `json:"earned"`
	Reached float64 `json:"reached" doc:"How much of the goal; 0 where it has a condition instead."`
}

// Milestones are those of a game, and how far players are.
type Milestones struct {
	Milestones []MilestoneInfo   `json:"milestones"`
	Players    []MilestonePlayer `json:"players" doc:"Those who are furthest first, at most as many as were asked for."`
	Slots      int               `json:"slots" doc:"How many slots were looked at."`
	Unread     int               `json:"unread" doc:"Saves that cannot be loaded, and are not counted."`
}
