package wire_test

import (
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/core/check"
	"alluvion/core/fixed"
	"alluvion/core/share"
	"alluvion/core/wire"
	"alluvion/examples"
)

func layout(t testing.TB) *share.Layout {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return share.LayoutOf(m)
}

func TestAPackedMoveComesBackTheSame(t *testing.T) {
	l := layout(t)
	to := []fixed.Num{fixed.Must("30.5"), fixed.Must("0.001")}
	raw := wire.PackMove(l, 70000, 3, l.SceneIndex("gorge"), to, "west")
	assert.Less(t, len(raw), 12)
	ask, scene, err := wire.UnpackMove(l, raw)
	require.NoError(t, err)
	assert.Equal(t, wire.Ask{Is: "move", Number: 70000, Arrival: 3, To: to, Facing: "west"}, ask)
	assert.Equal(t, l.SceneIndex("gorge"), scene)
	for _, bad := range [][]byte{nil, {2}, {1, 2, 3, 4}, raw[:4], append([]byte{2}, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255, 255)} {
		_, _, err := wire.UnpackMove(l, bad)
		require.Error(t, err, "%v", bad)
	}
}

// Any bytes as a message: an error, or a message that is written again as it was understood.
func FuzzMessages(f *testing.F) {
	l := layout(f)
	f.Add([]byte(`{"is":"event","number":3,"arrival":2,"name":"open","args":{"cache":"under_ledge","n":[1,"a",null,true]}}`))
	f.Add([]byte(`{"is":"believed","tick":7,"values":{"self":{"player.warmth@ada":-18}}}`))
	f.Add(wire.PackMove(l, 1, 1, 0, []fixed.Num{fixed.FromInt(1), fixed.FromInt(2)}, ""))
	f.Fuzz(func(t *testing.T, raw []byte) {
		_, _, _ = wire.UnpackMove(l, raw)
		var ask wire.Ask
		if json.Unmarshal(raw, &ask, json.RejectUnknownMembers(true)) != nil {
			return
		}
		again, err := json.Marshal(ask)
		require.NoError(t, err)
		var back wire.Ask
		require.NoError(t, json.Unmarshal(again, &back, json.RejectUnknownMembers(true)))
		require.Equal(t, len(ask.Args), len(back.Args))
		for name, value := range ask.Args {
			require.Equal(t, value, back.Args[name])
		}
	})
}
