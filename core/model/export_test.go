package model

// OnStumble makes tests hear of plans with errors over which the builder stumbles.
func OnStumble(f func(any)) { onStumble = f }
