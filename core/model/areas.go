package model

import (
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/plan"
)

// maxExtent bounds sizes, radii and reaches, so that products of four distances fit a number exactly.
var maxExtent = fixed.FromInt(10_000_000)

func (b *builder) area(scene *Scene, e plan.Entry[plan.Area]) {
	d := &e.Value
	a := &Area{ID: scene.ID + "/" + e.ID, Title: Title(d.Title, e.ID), Scene: scene, Index: len(b.Areas),
		Axes: len(b.Axes), At: e.At}
	switch {
	case d.Radius.Given != (d.At != nil):
		b.report("missing", e.At, "A circle needs at and radius together.")
	case d.Radius.Given && maxExtent.Less(d.Radius.Value):
		b.report("bad-value", d.Radius.At, "The radius of a circle is at most %s.", maxExtent)
	case d.Radius.Given && len(d.Box.Entries) > 0:
		b.report("wrong-type", e.At, "An area is a box or a circle, not both.")
	case d.Radius.Given:
		b.ball(a, e)
	default:
		b.box(a, e)
	}
	scene.Areas, b.Areas = append(scene.Areas, a), append(b.Areas, a)
	b.areas[a.ID] = a
}

func (b *builder) ball(a *Area, e plan.Entry[plan.Area]) {
	a.Ball, a.Radius = true, e.Value.Radius.Value
	copy(a.Center[:], b.numbers(e.Value.At, e.At, "at"))
	a.spanned()
}

// spanned finds the box around a ball.
func (a *Area) spanned() {
	for i := range a.Axes {
		a.Lo[i], _ = a.Center[i].Sub(a.Radius)
		a.Hi[i], _ = a.Center[i].Add(a.Radius)
	}
}

// box reads from and to along each axis; along an axis that is not named the box spans the scene.
func (b *builder) box(a *Area, e plan.Entry[plan.Area]) {
	if len(e.Value.Box.Entries) == 0 {
		b.report("missing", e.At, "An area is a box, {x: [44, 60], y: [0, 18]}, or a circle, {at: [9, 9], radius: 3}.")
	}
	a.Lo, a.Hi = a.Scene.Lo, a.Scene.Hi
	for _, side := range e.Value.Box.Entries {
		axis := indexOf(b.Axes, side.ID)
		switch {
		case axis < 0:
			b.oneOf(side.ID, b.Axes, "axis", side.At)
		case len(side.Value) != 2 || !side.Value[0].Value.Less(side.Value[1].Value):
			b.report("bad-value", side.At, "A side of a box is two numbers, from and to: {%s: [44, 60]}.", side.ID)
		default:
			a.Lo[axis], a.Hi[axis] = side.Value[0].Value, side.Value[1].Value
		}
	}
}

// Contains says whether a point is in the area: a box has its lower sides and not its upper ones, a
// ball what is nearer than its radius (rule 24).
func (a *Area) Contains(p [MaxAxes]fixed.Num) bool {
	for i := range a.Axes {
		if p[i].Less(a.Lo[i]) || !p[i].Less(a.Hi[i]) {
			return false
		}
	}
	return !a.Ball || a.within(a.offset(p))
}

func (a *Area) offset(p [MaxAxes]fixed.Num) [MaxAxes]fixed.Num {
	var d [MaxAxes]fixed.Num
	for i := range a.Axes {
		d[i], _ = p[i].Sub(a.Center[i])
	}
	return d
}

func (a *Area) within(d [MaxAxes]fixed.Num) bool { return Dot(d, d).Less(square(a.Radius)) }

// Beside says that an area lies to one side of two points, so that nothing of it is between them: mostly it does.
func (a *Area) Beside(from, to *[MaxAxes]fixed.Num) bool {
	for i := range a.Axes {
		if from[i].Less(a.Lo[i]) && to[i].Less(a.Lo[i]) || a.Hi[i].Less(from[i]) && a.Hi[i].Less(to[i]) {
			return true
		}
	}
	return false
}

// Crosses says whether the straight line between two points touches the area, though both ends may lie
// outside.
func (a *Area) Crosses(from, to [MaxAxes]fixed.Num) bool {
	if a.Contains(from) || a.Contains(to) {
		return true
	}
	if a.Beside(&from, &to) {
		return false
	}
	if a.Ball {
		return a.crossesBall(from, to)
	}
	return a.crossesBox(from, to)
}

// crossesBall asks for the point of the line that is nearest to the center.
func (a *Area) crossesBall(from, to [MaxAxes]fixed.Num) bool {
	var along [MaxAxes]fixed.Num
	for i := range a.Axes {
		along[i], _ = to[i].Sub(from[i])
	}
	length := Dot(along, along)
	start := a.offset(from)
	before := Dot(start, along).Neg() // how far along the nearest point lies, times length
	if length.Sign() == 0 || before.Sign() <= 0 || !before.Less(length) {
		return false // nearest at an end, and the ends are outside
	}
	// |start|² − before²/length < radius², without dividing
	left, _ := Dot(start, start).Mul(length)
	right, _ := square(a.Radius).Mul(length)
	left, _ = left.Sub(square(before))
	return left.Less(right)
}

// crossesBox cuts the line to what is between the sides along each axis, as fractions of its length.
func (a *Area) crossesBox(from, to [MaxAxes]fixed.Num) bool {
	enter, leave := fraction{fixed.Num{}, numOne}, fraction{numOne, numOne}
	for i := range a.Axes {
		d, _ := to[i].Sub(from[i])
		lo, _ := a.Lo[i].Sub(from[i])
		hi, _ := a.Hi[i].Sub(from[i])
		if d.Sign() == 0 {
			if lo.Sign() > 0 || hi.Sign() <= 0 {
				return false
			}
			continue
		}
		first, last := fraction{lo, d}, fraction{hi, d}
		if d.Sign() < 0 {
			first, last = fraction{hi.Neg(), d.Neg()}, fraction{lo.Neg(), d.Neg()}
		}
		if enter.less(first) {
			enter = first
		}
		if last.less(leave) {
			leave = last
		}
	}
	return enter.less(leave)
}

// fraction is a number over a positive one.
type fraction struct{ over, under fixed.Num }

func (f fraction) less(g fraction) bool {
	a, _ := f.over.Mul(g.under)
	b, _ := g.over.Mul(f.under)
	return a.Less(b)
}

// Dot is the scalar product of two offsets within a scene.
func Dot(a, b [MaxAxes]fixed.Num) fixed.Num {
	var sum fixed.Num
	for i := range a {
		p, _ := a[i].Mul(b[i])
		sum, _ = sum.Add(p)
	}
	return sum
}

func square(n fixed.Num) fixed.Num {
	s, _ := n.Mul(n)
	return s
}
