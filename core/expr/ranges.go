package expr

import (
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
)

// What is known of the result of an operation, from what is known of its parts (interval arithmetic;
// R. E. Moore, Interval Analysis, 1966). Where a limit does not fit a number it is not known.

func bound(n fixed.Num, err error) (fixed.Num, bool) { return n, err == nil }

func sum(a, b types.Range) types.Range {
	out := types.Range{Step: types.CommonStep(a, b)}
	if a.HasLo && b.HasLo {
		out.Lo, out.HasLo = bound(a.Lo.Add(b.Lo))
	}
	if a.HasHi && b.HasHi {
		out.Hi, out.HasHi = bound(a.Hi.Add(b.Hi))
	}
	return out
}

func negated(a types.Range) types.Range {
	return types.Range{Lo: a.Hi.Neg(), HasLo: a.HasHi, Hi: a.Lo.Neg(), HasHi: a.HasLo, Step: a.Step}
}

func product(a, b types.Range) types.Range {
	out := hull(a, b, fixed.Num.Mul)
	if s, err := a.Step.Mul(b.Step); err == nil && exactProduct(a.Step, b.Step) {
		out.Step = s
	}
	return out
}

// exactProduct says whether a × b needs no rounding at nine places.
func exactProduct(a, b fixed.Num) bool {
	places := func(n fixed.Num) int {
		s := n.String()
		for i := range s {
			if s[i] == '.' {
				return len(s) - i - 1
			}
		}
		return 0
	}
	return places(a)+places(b) <= fixed.Places
}

// quotient knows nothing where the divisor can be zero. It has a step only where a step is divided by one number
// without a rest: hundredths are whole numbers / 100, and 1 / 3 has none.
func quotient(a, b types.Range) types.Range {
	if !(b.HasLo && b.Lo.Sign() > 0 || b.HasHi && b.Hi.Sign() < 0) {
		return types.Range{}
	}
	out := hull(a, b, fixed.Num.Div)
	if by, single := b.Single(); single {
		step, err := a.Step.Div(by.Abs())
		if back, err2 := step.Mul(by.Abs()); err == nil && err2 == nil && back == a.Step && exactProduct(step, by) {
			out.Step = step
		}
	}
	return out
}

// hull spans the results at the four corners, for an operation that is monotone in each part.
func hull(a, b types.Range, f func(x, y fixed.Num) (fixed.Num, error)) types.Range {
	if !a.Bounded() || !b.Bounded() {
		return types.Range{}
	}
	out := types.Range{}
	for i, corner := range [4][2]fixed.Num{{a.Lo, b.Lo}, {a.Lo, b.Hi}, {a.Hi, b.Lo}, {a.Hi, b.Hi}} {
		n, err := f(corner[0], corner[1])
		if err != nil {
			return types.Range{}
		}
		if i == 0 {
			out = types.Range{Lo: n, Hi: n, HasLo: true, HasHi: true}
		}
		out.Lo, out.Hi = fixed.Min(out.Lo, n), fixed.Max(out.Hi, n)
	}
	return out
}

func remainder(r []types.Range) types.Range {
	a, b := r[0], r[1]
	out := types.Range{Step: types.CommonStep(a, b)}
	if b.Bounded() {
		out.Hi, out.HasHi = fixed.Max(b.Lo.Abs(), b.Hi.Abs()), true
		out.Lo, out.HasLo = out.Hi.Neg(), true
	}
	if a.HasLo && a.Lo.Sign() >= 0 {
		out.Lo, out.HasLo = fixed.Num{}, true
	}
	if a.HasHi && a.Hi.Sign() <= 0 {
		out.Hi, out.HasHi = fixed.Num{}, true
	}
	return out
}

func absolute(r []types.Range) types.Range {
	a := r[0]
	out := types.Range{HasLo: true, Step: a.Step}
	if a.Bounded() {
		out.Hi, out.HasHi = fixed.Max(a.Lo.Abs(), a.Hi.Abs()), true
	}
	switch {
	case a.HasLo && a.Lo.Sign() > 0:
		out.Lo = a.Lo
	case a.HasHi && a.Hi.Sign() < 0:
		out.Lo = a.Hi.Neg()
	}
	return out
}

// cut is the range of whole numbers that f makes of a.
func cut(a types.Range, f func(fixed.Num) fixed.Num) types.Range {
	return types.Range{Lo: f(a.Lo), HasLo: a.HasLo, Hi: f(a.Hi), HasHi: a.HasHi, Step: types.One}
}

func toZero(n fixed.Num) fixed.Num {
	if n.Sign() < 0 {
		return n.Ceil()
	}
	return n.Floor()
}

func nearestWhole(n fixed.Num) fixed.Num {
	out, err := n.RoundTo(types.One)
	if err != nil {
		return n
	}
	return out
}

func smallest(r []types.Range) types.Range {
	out := r[0]
	for _, x := range r[1:] {
		step := types.CommonStep(out, x)
		hi, hasHi := out.Hi, out.HasHi
		if x.HasHi && (!hasHi || x.Hi.Less(hi)) {
			hi, hasHi = x.Hi, true
		}
		out = types.Range{Lo: fixed.Min(out.Lo, x.Lo), HasLo: out.HasLo && x.HasLo, Hi: hi, HasHi: hasHi, Step: step}
	}
	return out
}

func largest(r []types.Range) types.Range {
	neg := make([]types.Range, len(r))
	for i, x := range r {
		neg[i] = negated(x)
	}
	return negated(smallest(neg))
}
