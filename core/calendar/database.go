//go:build !compiled

package calendar

import _ "time/tzdata" // for machines that have no zones
