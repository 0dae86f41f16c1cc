package engine_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/internal/worlds"
)

func inTheMarsh(t *testing.T) *world {
	w := open(t, worlds.Marsh)
	w.join("ada")
	w.pass("ada", "out") // the edge lies in the reeds
	return w
}

func TestRule24ArrivingAndLeavingTellTheAreas(t *testing.T) {
	w := inTheMarsh(t)
	w.is("ada", "ins", "1")
	w.refused(w.self("ada", "dry"), engine.Refused, "Too wet here.")
	w.move("ada", "25", "30")
	w.is("ada", "ins", "1") // staying inside is no moment
	require.NoError(t, w.self("ada", "flee"))
	w.is("ada", "outs", "1")
	require.NoError(t, w.self("ada", "dry"))
	w.back("ada", w.leave("ada"))
	w.is("ada", "ins", "1")
}

func TestRule24ABoxIsHalfOpen(t *testing.T) {
	w := inTheMarsh(t)
	w.move("ada", "30", "20")
	w.is("ada", "outs", "1") // its upper side does not belong to it
	w.move("ada", "29.999", "20")
	w.is("ada", "ins", "2")
	w.move("ada", "20", "10")
	w.is("ada", "outs", "1") // its lower sides do
}

func TestRule24AMoveThroughAThinAreaCounts(t *testing.T) {
	w := inTheMarsh(t)
	w.move("ada", "49", "20")
	w.is("ada", "ins", "1")
	w.move("ada", "51", "20")
	w.is("ada", "ins", "11")
	w.is("ada", "outs", "11")
	w.move("ada", "51", "55")
	w.move("ada", "10", "55") // and back through the line, far from everything else
	w.is("ada", "ins", "21")
	w.is("ada", "pools", "0")
	w.move("ada", "10", "45")
	w.is("ada", "pools", "1") // straight through the pool
	w.move("ada", "14", "46")
	w.move("ada", "14", "54")
	w.is("ada", "pools", "1") // touching its rim is not being in it
}

func TestACheckpointMayBeAnAreaAndBringsBackToWhereItWasEntered(t *testing.T) {
	w := inTheMarsh(t)
	w.refused(w.do(engine.Request{Do: "touch", Player: "ada", Name: "camp"}), engine.Invalid, "entering marsh/camp")
	w.move("ada", "40", "6")
	assert.True(t, w.told("checkpoint"))
	_, reached := w.run.State("ada")
	assert.Equal(t, "camp", reached)
	w.move("ada", "50", "50")
	s := w.leave("ada")
	raw, err := save.Encode(s)
	require.NoError(t, err)
	back, _, err := save.DecodePlayer(raw, w.m)
	require.NoError(t, err)
	w.back("ada", back)
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 5000)
	assert.Equal(t, "marsh (40, 6)", w.at_("ada"))
}

func TestTheDeadEnterNoArea(t *testing.T) {
	w := inTheMarsh(t)
	w.move("ada", "5", "5")
	require.NoError(t, w.self("ada", "fall"))
	w.move("ada", "25", "30")
	w.is("ada", "ins", "1")
}

func point(x, y fixed.Num) [model.MaxAxes]fixed.Num { return [model.MaxAxes]fixed.Num{x, y} }

// A line crosses an area where, walked in small steps, it is in it; and never where all of it stays away
// by more than a step.
func TestRule24CrossingsAgreeWithSmallSteps(t *testing.T) {
	m := load(t, worlds.Marsh)
	rapid.Check(t, func(t *rapid.T) {
		coordinate := func(name string) fixed.Num {
			n, _ := fixed.FromInt(rapid.Int64Range(0, 5999).Draw(t, name)).Mul(fixed.Must("0.01"))
			return n
		}
		from, to := point(coordinate("x0"), coordinate("y0")), point(coordinate("x1"), coordinate("y1"))
		for _, a := range m.Areas {
			walked := false
			for i := range int64(401) {
				walked = walked || a.Contains(between(from, to, i, 400))
			}
			if walked {
				require.True(t, a.Crosses(from, to), "%s from %v to %v", a.ID, from, to)
			}
			require.Equal(t, a.Crosses(from, to), a.Crosses(to, from), "%s both ways", a.ID)
		}
	})
}

func between(from, to [model.MaxAxes]fixed.Num, i, n int64) [model.MaxAxes]fixed.Num {
	var out [model.MaxAxes]fixed.Num
	part, _ := fixed.FromInt(i).Div(fixed.FromInt(n))
	for k := range out {
		d, _ := to[k].Sub(from[k])
		d, _ = d.Mul(part)
		out[k], _ = from[k].Add(d)
	}
	return out
}

func TestLinesThatMissAnAreaByLittle(t *testing.T) {
	m := load(t, worlds.Marsh)
	n := fixed.Must
	for name, row := range map[string]struct {
		area           string
		x0, y0, x1, y1 string
		crosses        bool
	}{
		"above the reeds":              {"marsh/reeds", "0", "40", "59", "40", false},
		"just in the reeds":            {"marsh/reeds", "0", "39.999", "59", "39.999", true},
		"past a corner":                {"marsh/reeds", "10", "10", "20", "0", false},
		"through a corner":             {"marsh/reeds", "19", "12", "22", "9", true},
		"along the open side":          {"marsh/reeds", "30", "0", "30", "59", false},
		"along the closed side":        {"marsh/reeds", "20", "0", "20", "59", true},
		"beside the pool":              {"marsh/pool", "6", "45", "6", "55", false},
		"through its rim":              {"marsh/pool", "6.001", "45", "6.001", "55", true},
		"stopping short of the pool":   {"marsh/pool", "0", "50", "5.9", "50", false},
		"standing still outside of it": {"marsh/pool", "1", "1", "1", "1", false},
	} {
		i := -1
		for k, a := range m.Areas {
			if a.ID == row.area {
				i = k
			}
		}
		got := m.Areas[i].Crosses(point(n(row.x0), n(row.y0)), point(n(row.x1), n(row.y1)))
		assert.Equal(t, row.crosses, got, fmt.Sprint(name))
	}
}
