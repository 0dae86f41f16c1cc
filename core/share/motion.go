package share

import (
	"alluvion.dev/core/fixed"
)

// Track is where one player was lately, for drawing in between: positions come a few times a second, and are drawn a
// little late, so that there is nearly always one before and one after. The zero Track knows nothing. It is not safe
// for use by several goroutines.
type Track struct{ points []Point }

// Point is where a player was at a time.
type Point struct {
	Scene   string
	At      []fixed.Num
	Facing  string
	Time    int64 // the session's, in milliseconds
	Arrival int   // a point of another arrival was not walked to
}

// kept is how many points a track remembers: at 10 a second, over three seconds.
const kept = 32

// Add takes a point in. Points that are older than the newest are left out.
func (t *Track) Add(p Point) {
	if n := len(t.points); n > 0 && p.Time < t.points[n-1].Time {
		return
	}
	if len(t.points) == kept {
		t.points = append(t.points[:0], t.points[1:]...)
	}
	t.points = append(t.points, p)
}

// Last is the newest point; false where there is none.
func (t *Track) Last() (Point, bool) {
	if len(t.points) == 0 {
		return Point{}, false
	}
	return t.points[len(t.points)-1], true
}

// longestWalk is how long a player may have been on the way from one point to the next, in milliseconds. Who stood for
// longer set out later, and is not drawn creeping along.
const longestWalk = 400

// At is where to draw the player at a time: between the two points around it, on a straight line; at the nearest one
// where there is none on both sides, or where the way between them was not walked. It is false where nothing is known.
func (t *Track) At(time int64) (Point, bool) {
	n := len(t.points)
	if n == 0 {
		return Point{}, false
	}
	i := n - 1
	for i > 0 && t.points[i].Time > time {
		i--
	}
	from := t.points[i]
	if i == n-1 || from.Time > time {
		return from, true
	}
	to := t.points[i+1]
	if to.Arrival != from.Arrival || to.Scene != from.Scene {
		return from, true
	}
	set := max(from.Time, to.Time-longestWalk)
	if time <= set {
		return from, true
	}
	out := from
	out.Facing, out.Time, out.At = to.Facing, time, make([]fixed.Num, len(from.At))
	for k := range out.At {
		out.At[k] = between(from.At[k], to.At[k], time-set, to.Time-set)
	}
	return out, true
}

// between is the part of the way from a to b that part of whole is.
func between(a, b fixed.Num, part, whole int64) fixed.Num {
	way, err := b.Sub(a)
	if err != nil {
		return b
	}
	if way, err = way.Mul(fixed.FromInt(part)); err == nil {
		way, err = way.Div(fixed.FromInt(whole))
	}
	if err != nil {
		return b
	}
	out, err := a.Add(way)
	if err != nil {
		return b
	}
	return out
}
