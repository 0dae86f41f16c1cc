package share_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/examples"
)

func demo(t testing.TB) *model.Model {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return m
}

// night is a board of the demo with two players on it.
func night(t testing.TB) *share.Board {
	m := demo(t)
	r := engine.New(m)
	for _, id := range []string{"ada", "bob@home"} {
		_, err := r.Step(&engine.Request{Do: "join", Player: id, Slot: 1})
		require.NoError(t, err)
	}
	b := share.NewBoard(r, share.LayoutOf(m))
	b.Tick(100)
	return b
}

func TestTheLayoutIsTheSameEachTimeAndItsDigestHoldsAllOfIt(t *testing.T) {
	m := demo(t)
	a, b := share.LayoutOf(m), share.LayoutOf(m)
	assert.Equal(t, a.Plan, b.Plan)
	assert.Len(t, a.Plan, 32)
	b.Places.Facings = append(b.Places.Facings, "up")
	raw, err := share.WriteLayout(b)
	require.NoError(t, err)
	c, err := share.ReadLayout(raw)
	require.NoError(t, err)
	assert.Equal(t, "player.place@bob@home", c.Address(0, 1, 0, "bob@home"))
	for _, bad := range []string{"{", `{"alluvion_layout":3}`, `{"alluvion_layout":1,"holders":[{"fields":[{"form":"value"}]}]}`} {
		_, err := share.ReadLayout([]byte(bad))
		require.Error(t, err)
	}
}

func TestAFrameIsNoLongerThanItNeedsToBe(t *testing.T) {
	b := night(t)
	packed, ok := b.Frame(nil, share.Packed, "ada", share.Whole, share.Words{}, nil)
	require.True(t, ok)
	text, ok := b.Frame(nil, share.JSON, "ada", share.Whole, share.Words{}, nil)
	require.True(t, ok)
	assert.True(t, json.Valid(text), "%s", text)
	assert.Less(t, len(packed), len(text)/6)
	assert.False(t, b.News("ada", b.Now(), nil))
	b.Tick(200)
	nothing, ok := b.Frame(nil, share.Packed, "ada", 1, share.Words{}, nil)
	require.True(t, ok)
	assert.Len(t, nothing, 6, "two bytes, the tick, the time and what is done")
	costs := b.Layout.Costs()
	for _, c := range costs {
		assert.Positive(t, c.Bits, c.Name)
	}
	assert.Equal(t, 11, b.Layout.Overhead(0, share.Scene))
}

// Any bytes as a frame: an error, and no more than that. What was believed before a text that is none stays.
func FuzzFrames(f *testing.F) {
	b := night(f)
	for _, as := range []share.Codec{share.JSON, share.Packed} {
		raw, _ := b.Frame(nil, as, "ada", share.Whole, share.Words{Check: true, Told: []byte(`[{"kind":"message"}]`)}, nil)
		f.Add(raw)
		f.Add(raw[:len(raw)/2])
	}
	f.Fuzz(func(t *testing.T, raw []byte) {
		m := share.NewMirror(b.Layout)
		if h, err := m.ApplyPacked(raw); err == nil {
			assert.NotEmpty(t, m.Digest())
			assert.Equal(t, h.Tick, m.Tick)
		}
		m = share.NewMirror(nil)
		_, err := m.ApplyText(raw)
		if err != nil {
			assert.Empty(t, m.Values()["self"])
		}
		_, _, _, _ = b.Layout.UnpackPlace(raw)
	})
}

func TestAPlaceComesBackTheSame(t *testing.T) {
	l := share.LayoutOf(demo(t))
	rapid.Check(t, func(t *rapid.T) {
		scene := rapid.IntRange(0, len(l.Places.Scenes)-1).Draw(t, "scene")
		at := make([]fixed.Num, len(l.Places.Axes))
		for i, bits := range l.Places.Scenes[scene].Bits {
			above, err := fixed.FromInt(rapid.Int64Range(0, 1<<bits-1).Draw(t, "steps")).Mul(l.Places.Step)
			require.NoError(t, err)
			at[i], err = l.Places.Scenes[scene].Low[i].Add(above)
			require.NoError(t, err)
		}
		facing := rapid.SampledFrom(append([]string{""}, l.Places.Facings...)).Draw(t, "facing")
		s, to, f, err := l.UnpackPlace(l.PackPlace(nil, scene, at, facing))
		require.NoError(t, err)
		require.Equal(t, fmt.Sprint(scene, at, facing), fmt.Sprint(s, to, f))
	})
}

func point(x, time int64, arrival int) share.Point {
	return share.Point{Scene: "gorge", At: []fixed.Num{fixed.FromInt(x), fixed.FromInt(0)}, Time: time, Arrival: arrival}
}

func TestATrackIsDrawnInBetween(t *testing.T) {
	var track share.Track
	_, ok := track.At(5)
	assert.False(t, ok)
	for _, p := range []share.Point{point(0, 1000, 1), point(10, 1100, 1), point(9, 1050, 1), point(20, 1200, 1), point(90, 1300, 2), point(95, 5000, 2)} {
		track.Add(p)
	}
	for time, want := range map[int64]string{0: "0", 1000: "0", 1050: "5", 1100: "10", 1175: "17.5", 1200: "20", 1250: "20", 1299: "20", 1300: "90", 4000: "90", 4800: "92.5", 9000: "95"} {
		p, ok := track.At(time)
		require.True(t, ok)
		assert.Equal(t, want, p.At[0].String(), "at %d", time)
	}
	for i := range int64(100) {
		track.Add(point(i, 6000+i, 2))
	}
	last, _ := track.Last()
	assert.Equal(t, "99", last.At[0].String())
	first, _ := track.At(0)
	assert.Equal(t, "68", first.At[0].String(), "older points are forgotten")
}

// Only what is newer than all before is taken in, from the second point on.
func TestATrackKeepsItsPointsInOrder(t *testing.T) {
	var track share.Track
	_, known := track.Last()
	assert.False(t, known)
	track.Add(point(1, 500, 1))
	last, known := track.Last()
	assert.True(t, known)
	assert.EqualValues(t, 500, last.Time)
	track.Add(point(2, 400, 1)) // too late
	last, _ = track.Last()
	assert.EqualValues(t, 500, last.Time)
	track.Add(point(3, 500, 1)) // of the same time: it is the newer one
	last, _ = track.Last()
	assert.Equal(t, "3", last.At[0].String())
}
