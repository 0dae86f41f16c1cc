package crowd

import (
	"math"

	"alluvion.dev/core/fixed"
)

// float is a number for working out ways: exactness does not matter there.
func float(n fixed.Num) float64 {
	nano, _ := n.Nano()
	return float64(nano) / 1e9
}

func sqrt(x float64) float64 { return math.Sqrt(x) }

// number is a coordinate of the plan.
func (w *walker) number(x float64) fixed.Num {
	n, err := fixed.FromNano(int64(x * 1e9)).RoundTo(w.crowd.m.Step)
	if err != nil {
		return fixed.Num{}
	}
	return n
}
