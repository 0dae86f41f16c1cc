package live

import (
	"time"

	"alluvion/core/engine"
)

// keptSteps is how many changes a session keeps for people who ask why a value is what it is.
const keptSteps = 2000

// Step is one change with its time.
type Step struct {
	Time int64 // the session's, in milliseconds
	At   time.Time
	engine.Change
}

// trail keeps the newest changes of a session; the oldest make room.
type trail struct {
	steps []Step
	next  int
}

func (t *trail) add(s Step) {
	if len(t.steps) < keptSteps {
		t.steps = append(t.steps, s)
		return
	}
	t.steps[t.next] = s
	t.next = (t.next + 1) % keptSteps
}

// find lists the newest changes first: of one player and one value, or ("") of any.
func (t *trail) find(player, name string, most int) []Step {
	var out []Step
	n := len(t.steps)
	for i := 1; i <= n && len(out) < most; i++ {
		s := t.steps[(t.next+n-i)%n]
		if (player == "" || s.Player == player) && (name == "" || s.Name == name) {
			out = append(out, s)
		}
	}
	return out
}
