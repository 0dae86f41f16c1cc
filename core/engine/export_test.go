package engine

// Waiting is how many turns of timers are known, also of players who have left.
func (r *Run) Waiting() int { return len(r.turns) }

// Weighed is how often milestones, standings and stopwatches were evaluated in the last transaction.
func (r *Run) Weighed() int { return r.tx.weighed }
