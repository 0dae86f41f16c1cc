package engine

// Weighed is how often milestones, standings and stopwatches were evaluated in the last transaction.
func (r *Run) Weighed() int { return r.tx.weighed }
