package live

import "time"

// Hurry changes how long those may say nothing who have no connection, for a test.
func Hurry(d time.Duration) (before func()) {
	was := mostHurried
	mostHurried = d
	return func() { mostHurried = was }
}
