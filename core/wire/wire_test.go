package wire_test

import (
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
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

func TestAMessageOfAnyWriterIsUnderstood(t *testing.T) {
	ask, err := wire.ReadAsk([]byte(`{"is":"move","number":3.0,"arrival":1e0,"to":[20.100000000000001, 3]}`))
	require.NoError(t, err)
	assert.Equal(t, wire.Ask{Is: "move", Number: 3, Arrival: 1, To: []fixed.Num{fixed.Must("20.1"), fixed.FromInt(3)}}, ask)
	ask, err = wire.ReadAsk([]byte(`{"is":"event","name":"load","args":[]}`))
	require.NoError(t, err)
	assert.Empty(t, ask.Args)
	ask, err = wire.ReadAsk([]byte(`{"is":"event","name":"snowfall","args":{"depth":0.30000000000000004}}`))
	require.NoError(t, err)
	assert.Equal(t, "0.3", ask.Args["depth"].Plain())
	ask, err = wire.ReadAsk([]byte(`{"is":"write","name":"player.nickname","value":null}`))
	require.NoError(t, err)
	require.NotNil(t, ask.Value, "null is a value: none")
	assert.True(t, ask.Value.IsNone())
	hello, err := wire.ReadHello([]byte(`{"is":"hello","player":"wren","slot":1.0,"picks":[],"client":"of next year"}`))
	require.NoError(t, err)
	assert.Equal(t, 1, hello.Slot)
}

func TestAFaultNamesTheMemberAndTheNumber(t *testing.T) {
	for text, row := range map[string]struct {
		number uint64
		member string
		words  string
	}{
		`{"is":"move","number":7,"to":"here"}`:            {7, "to", "to is a list of numbers: [12.5, 3]; this is \"here\""},
		`{"is":"move","number":7,"to":[1,"2"]}`:           {7, "to", "a list of numbers"},
		`{"is":"move","number":8,"too":[1,2]}`:            {8, "too", `no member "too". Did you mean to?`},
		`{"is":"event","number":9,"args":[1]}`:            {9, "args", "a table of names and values"},
		`{"is":"event","number":9007199254740993}`:        {0, "number", "a whole number from 0"},
		`{"is":"event","number":-1}`:                      {0, "number", "a whole number from 0"},
		`{"is":"event","number":1.5}`:                     {0, "number", "a whole number from 0"},
		`{"is":5,"number":4}`:                             {4, "is", "is is a text"},
		`{"is":"event","number":4,"value":{"a":1}}`:       {4, "value", "a number, a text"},
		`{"is":"move","number":4,"to":[1,2],"to":[3,4]}`:  {4, "", "twice"},
		`{"is":"move","number":4,"something_else":[1,2]}`: {4, "something_else", "It may have args, arrival"},
		`[1,2]`:   {0, "", "a JSON object such as"},
		`{"is":`:  {0, "", "stops making sense at byte"},
		`nothing`: {0, "", "stops making sense at byte 2"},
	} {
		_, err := wire.ReadAsk([]byte(text))
		var fault *wire.Fault
		require.ErrorAs(t, err, &fault, text)
		assert.Equal(t, row.number, fault.Number, text)
		assert.Equal(t, row.member, fault.Member, text)
		assert.Contains(t, fault.Why, row.words, text)
		assert.NotContains(t, fault.Why, "wire.", text)
	}
	for text, member := range map[string]string{`{"is":"hello","player":5}`: "player", `{"is":"hello","slot":"one"}`: "slot", `{"is":"hi"}`: "", `hi`: ""} {
		_, err := wire.ReadHello([]byte(text))
		var fault *wire.Fault
		require.ErrorAs(t, err, &fault, text)
		assert.Equal(t, member, fault.Member, text)
	}
}
