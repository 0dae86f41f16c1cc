package machine_test

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/machine"
)

// recording is a conversation that is published for those who write a client (docs/vectors).
type recording struct {
	Layout json.RawMessage
	Viewer string
	Turns  []turn
}

type turn struct {
	Away, Resumes bool
	Frame         json.RawMessage
	Packed        string
	View          json.RawMessage
	Digest        string
}

var conversations = []string{"conversations", "near", "everything", "lantern-pass"}

func recorded(t *testing.T, name string, into any) {
	raw, err := os.ReadFile("../docs/vectors/" + name + ".json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, into))
}

func talk(t *testing.T, name string) (r recording) {
	recorded(t, name, &r)
	return r
}

func (r *recording) layout(t *testing.T) *share.Layout {
	l, err := share.ReadLayout(r.Layout)
	require.NoError(t, err)
	return l
}

func (x *turn) frame(text bool) []byte {
	raw, err := []byte(x.Frame), error(nil)
	if !text {
		raw, err = hex.DecodeString(x.Packed)
	}
	if err != nil {
		panic(err)
	}
	return raw
}

func (r *recording) welcome(number uint64, run string, resumed bool) []byte {
	return fmt.Appendf(nil, `{"is":"welcome","player":%q,"session":"one","run":%q,"ticks":10,"grace":45,"number":%d,"resumed":%t}`,
		r.Viewer, run, number, resumed)
}

func protocol(m *machine.Machine, l *share.Layout) string {
	if l.HasNear() {
		return m.Protocols()[0]
	}
	return m.Protocols()[1]
}

// sent is what a machine sends, messages in bits left out.
func sent(t *testing.T, m *machine.Machine) (out []map[string]any) {
	for _, x := range m.Outgoing() {
		message := map[string]any{}
		if !x.Binary {
			require.NoError(t, json.Unmarshal(x.Data, &message))
		}
		out = append(out, message)
	}
	return out
}

// in is a machine that has come in.
func (r *recording) in(t *testing.T, text bool, number uint64) *machine.Machine {
	l := r.layout(t)
	m := machine.New(machine.Plan{Layout: string(r.Layout), Props: map[string]map[string]string{"chest": {"red": "hall", "blue": "pit"}}},
		machine.Joining{Player: r.Viewer, Text: text})
	m.Opened(protocol(m, l))
	hello := sent(t, m)[0]
	assert.Equal(t, []any{"hello", r.Viewer, l.Plan, true}, []any{hello["is"], hello["player"], hello["plan"], hello["checks"]})
	m.Received(r.welcome(number, "r1", false), true, 0)
	require.Equal(t, machine.In, m.State())
	return m
}

func viewOf(t *testing.T, m *machine.Machine) string {
	raw, err := json.Marshal(m.View())
	require.NoError(t, err)
	return string(raw)
}

const second = time.Second

// The machine plays all conversations that are published, as text and in bits, through lost connections.
func TestTheVectorsArePlayed(t *testing.T) {
	for _, name := range conversations {
		for _, text := range []bool{true, false} {
			r := talk(t, name)
			m := r.in(t, text, 0)
			m.OnTrouble(func(x machine.Trouble) { t.Error(x) })
			var told, wanted []wire.Told
			m.OnTold(func(x wire.Told) { told = append(told, x) })
			for i, x := range r.Turns {
				now := time.Duration(i) * second
				if x.Away {
					if m.State() == machine.In {
						m.Lost(1006, "", now)
					}
					assert.JSONEq(t, string(x.View), viewOf(t, m))
					continue
				}
				if x.Resumes {
					m.Opened(protocol(m, r.layout(t)))
					assert.EqualValues(t, m.Tick(), sent(t, m)[0]["tick"])
					m.Received(r.welcome(0, "r1", true), true, now)
				}
				m.Received(x.frame(text), text, now)
				assert.JSONEq(t, string(x.View), viewOf(t, m), "%s %d", name, i)
				assert.Equal(t, x.Digest, m.Digest(), "%s %d", name, i)
				var frame struct{ Told []wire.Told }
				require.NoError(t, json.Unmarshal(x.Frame, &frame))
				wanted = append(wanted, frame.Told...)
			}
			assert.Equal(t, wanted, told)
		}
	}
}

func TestPlayersAreDrawnInBetween(t *testing.T) {
	r := talk(t, "conversations")
	var motion struct {
		Told  []share.Point
		Drawn []struct {
			Time int64
			Is   share.Point
		}
	}
	recorded(t, "motion", &motion)
	m := r.in(t, true, 0)
	for i, p := range motion.Told {
		seconds := float64(p.Time) / 1000
		at, err := json.Marshal(p.At)
		require.NoError(t, err)
		m.Received(fmt.Appendf(nil, `{"is":"tick","tick":%d,"time":%v,"done":0,"everyone":{"whole":true,"set":{"player.here@wren":true}},"self":{"whole":true},
			"scene":{"whole":true,"set":{"player.place@wren":{"scene":%q,"at":%s,"facing":%q,"time":%v,"arrival":%d}}}}`,
			i+1, seconds, p.Scene, at, p.Facing, seconds, p.Arrival), true, 0)
	}
	for _, x := range motion.Drawn {
		at, ok := m.PlaceAt("wren", time.Duration(x.Time)*time.Millisecond)
		require.True(t, ok)
		assert.Equal(t, []string{x.Is.Scene, x.Is.Facing}, []string{at.Scene, at.Facing})
		for k := range x.Is.At {
			assert.InDelta(t, x.Is.At[k].Float(), at.At[k], 1e-6)
		}
	}
}

// Whatever is cut off or has wrong bits is reported, changes nothing, and has the whole view asked for.
func TestWhatIsMalformedDoesNoHarm(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 1))
	bad := 0
	for _, name := range conversations {
		r := talk(t, name)
		turns := slices.DeleteFunc(slices.Clone(r.Turns), func(x turn) bool { return x.Away })
		for round := range 200 {
			text := round%4 > 1
			m := r.in(t, text, 0)
			var troubles []machine.Trouble
			m.OnTrouble(func(x machine.Trouble) { troubles = append(troubles, x) })
			at := 1 + chance.IntN(len(turns)-1)
			for _, x := range turns[:at] {
				m.Received(x.frame(text), text, second)
			}
			before := viewOf(t, m)
			raw := slices.Clone(turns[at].frame(text))
			if round%2 == 0 {
				raw = raw[:chance.IntN(len(raw))]
			} else {
				for i := 1; i < len(raw); i++ {
					if chance.IntN(12) == 0 {
						raw[i] ^= 1 << chance.IntN(8)
					}
				}
			}
			m.Received(raw, text, 2*second)
			if len(troubles) == 0 {
				continue // it still is a frame
			}
			bad++
			assert.Equal(t, machine.Malformed, troubles[0].Is)
			assert.Equal(t, before, viewOf(t, m))
			assert.Contains(t, sent(t, m), map[string]any{"is": "whole"})
			m.Received(r.welcome(0, "r1", false), true, 3*second) // the seats that the frame gave away are not kept either
			m.Received(turns[0].frame(text), text, 3*second)
			assert.Equal(t, turns[0].Digest, m.Digest())
		}
	}
	assert.Greater(t, bad, 400)
}

func TestMessagesOfOtherForms(t *testing.T) {
	r := talk(t, "everything")
	m := r.in(t, true, 0)
	for _, x := range []string{"", "null", "[]", "7", "{}", `{"is":5}`, `{"is":"tick"}`, `{"is":"welcome"}`, `{"is":"tick","tick":-1,"time":0,"done":0}`,
		`{"is":"tick","tick":1e300,"time":0,"done":0}`, `{"is":"tick","tick":NaN,"time":0,"done":0}`, `{"is":"tick","tick":1,"time":1,"done":0,"everyone":5}`,
		`{"is":"tick","tick":1,"time":1,"done":0,"told":{}}`, `{"is":"differs"}`, `{"is":"fetch"}`, `{"is":"answer","number":99}`, `{"is":"saved"}`,
		`{"is":"tick","tick":1,"time":1,"done":0,"everyone":{"set":{"player.count@ada":"many"}}}`, `{"is":"later"}`, "\xff\xff",
		string(slices.Repeat([]byte("["), 100_000))} {
		m.Received([]byte(x), true, second)
		m.Received([]byte(x), false, second)
	}
	assert.Equal(t, machine.In, m.State())
	m.Received(r.Turns[0].frame(true), true, 5*second)
	assert.Equal(t, r.Turns[0].Digest, m.Digest())
}

func TestWhatIsKnownIsReadAndTold(t *testing.T) {
	r := talk(t, "everything")
	m := r.in(t, false, 0)
	var heard []string
	note := func(is, was machine.Value, of machine.Of) {
		heard = append(heard, fmt.Sprintf("%s from %s of %s%s", string(is.Raw), string(was.Raw), of.Player, of.Copy))
	}
	m.On("player.heat", note)
	m.On("scene.snow", note)
	assert.Panics(t, func() { m.On("player.hats", note) })
	assert.Empty(t, m.Scene())
	_, known := machine.Get[float64](m, "player.heat", "", "ada")
	assert.False(t, known)
	for _, x := range r.Turns[:5] {
		m.Received(x.frame(false), false, second)
	}
	heat, _ := machine.Get[float64](m, "player.heat", "", "ada")
	assert.InDelta(t, 0.3, heat, 1e-9)
	for _, x := range []struct {
		name, copy, player string
		is                 int
	}{{"player.count", "", "ada", 3}, {"ware.store", "tea", "", 4}, {"ware.have", "tea", "😀", 4}, {"ware.have", "rice", "ada", 0}, {"scene.snow", "hall", "", 2}} {
		is, ok := machine.Get[int](m, x.name, x.copy, x.player)
		assert.True(t, ok, "%v", x)
		assert.Equal(t, x.is, is, "%v", x)
	}
	open, ok := machine.Get[bool](m, "prop.chest.open", "red", "ada")
	assert.Equal(t, []bool{false, true}, []bool{open, ok}, "nothing ever changed it")
	assert.False(t, m.Value("prop.chest.open", "blue", "ada").Known, "it is in another scene")
	assert.False(t, m.Value("scene.snow", "pit", "").Known)
	assert.False(t, m.Value("player.hats", "", "ada").Known)
	sled, _ := machine.Get[machine.Place](m, "movables", "sled", "")
	assert.Equal(t, []string{"hall", "hall"}, []string{m.Scene(), sled.Scene})
	run, _ := machine.Get[machine.Watch](m, "player.run", "", "ada")
	assert.Equal(t, machine.Watch{Runs: true, Since: second / 4}, run)
	m.Received([]byte(`{"is":"tick","tick":99,"time":9,"done":0,"everyone":{"set":{"player.run@ada":17.5}}}`), true, second)
	run, _ = machine.Get[machine.Watch](m, "player.run", "", "ada")
	assert.Equal(t, machine.Watch{Reads: 35 * second / 2}, run)
	assert.Equal(t, []string{"ada", "～", "😀"}, m.Others())
	assert.ElementsMatch(t, []string{"0 from  of ada", "0 from  of hall", "2 from 0 of hall", "0.3 from 0 of ada", "0 from  of ～", "0 from  of 😀"}, heard)
}

func TestAsking(t *testing.T) {
	r := talk(t, "conversations")
	m := r.in(t, false, 40)
	m.Received(r.Turns[0].frame(false), false, second)
	place, ok := machine.Get[machine.Place](m, "player.place", "", r.Viewer)
	require.True(t, ok)
	var done []machine.Outcome
	opened := m.Send("open", map[string]types.Value{"chest": types.OfText("red")}).Then(func(o machine.Outcome) { done = append(done, o) })
	first, last := m.Move(place.At, ""), m.Move(place.At, "")
	out := m.Outgoing()
	require.Len(t, out, 2)
	assert.JSONEq(t, fmt.Sprintf(`{"is":"event","name":"open","args":{"chest":"red"},"arrival":%d,"number":41}`, place.Arrival), string(out[0].Data))
	assert.True(t, out[1].Binary)
	o, _ := first.Outcome()
	assert.Equal(t, "replaced", o.Kind)
	m.Received([]byte(`{"is":"refused","number":41,"kind":"refused","why":"It is locked.","rule":3}`), true, second)
	o, _ = opened.Outcome()
	assert.Equal(t, machine.Outcome{Is: machine.Refused, Number: 41, Kind: "refused", Why: "It is locked.", Rule: 3}, o)
	assert.Equal(t, []machine.Outcome{o}, done)
	m.Received([]byte(`{"is":"tick","tick":90,"time":9,"done":43}`), true, 2*second)
	o, _ = last.Outcome()
	assert.True(t, o.Applied())
	saved := []bool{}
	on := func(is bool) { saved = append(saved, is) }
	m.Saved(43, on)
	assert.Empty(t, saved)
	m.Received([]byte(`{"is":"saved","number":43}`), true, 2*second)
	m.Saved(43, on)
	assert.Equal(t, []bool{true, true}, saved)
	var newest *machine.Asked
	for range 300 {
		newest = m.Send("open", nil)
	}
	o, _ = newest.Outcome()
	assert.Equal(t, []any{"too-many", 256}, []any{o.Kind, m.Pending()})
	assert.Panics(t, func() { m.Move([]float64{1}, "") })
}

func TestComingBack(t *testing.T) {
	r := talk(t, "conversations")
	m := r.in(t, true, 0)
	var troubles []machine.Kind
	m.OnTrouble(func(x machine.Trouble) { troubles = append(troubles, x.Is) })
	m.Received(r.Turns[0].frame(true), true, second)
	place, _ := machine.Get[machine.Place](m, "player.place", "", r.Viewer)
	is := func(a *machine.Asked) string { o, _ := a.Outcome(); return o.Is }
	first := m.Move(place.At, "")
	m.Outgoing()
	next, event := m.Move(place.At, ""), m.Send("open", nil)
	m.Outgoing()
	m.Lost(1006, "", 2*second)
	assert.Equal(t, []any{machine.Lost, machine.Unknown}, []any{m.State(), is(first)})
	assert.Positive(t, m.RetryIn())
	assert.Less(t, m.RetryIn(), second/2)
	m.Opened(m.Protocols()[1])
	m.Outgoing()
	m.Received(r.welcome(2, "r1", true), true, 4*second)
	again := sent(t, m)
	assert.EqualValues(t, []any{2.0, 3.0}, []any{again[0]["number"], again[1]["number"]})
	m.Received([]byte(`{"is":"answer","number":3,"repeat":true}`), true, 4*second)
	m.Received([]byte(`{"is":"tick","tick":91,"time":9,"done":3}`), true, 5*second)
	o, _ := event.Outcome()
	assert.True(t, o.Repeat)
	assert.Equal(t, machine.Applied, is(next))
	lost, saved := m.Send("open", nil), []bool{}
	m.Saved(4, func(on bool) { saved = append(saved, on) })
	m.Lost(1001, "", 6*second)
	m.Opened(m.Protocols()[1])
	m.Received(r.welcome(7, "r2", false), true, 7*second)
	m.Received([]byte(`{"is":"refused","number":4,"kind":"unknown","why":"It is no longer known."}`), true, 7*second)
	assert.Equal(t, []any{machine.Unknown, []bool{false}, []machine.Kind{machine.RolledBack}}, []any{is(lost), saved, troubles})
	never := m.Send("open", nil)
	m.Lost(wire.CodeReplaced, "", 8*second)
	o, _ = m.Send("open", nil).Outcome()
	assert.Equal(t, []any{machine.Ended, machine.Unknown, "ended"}, []any{m.State(), is(never), o.Kind})
}

func TestAnotherLayout(t *testing.T) {
	r := talk(t, "everything")
	begin := func() *machine.Machine {
		m := r.in(t, false, 0)
		m.Received([]byte(`{"is":"fetch","plan":"other","layout":"/v1/x/layout"}`), true, second)
		m.Lost(wire.CodeLayout, "", second)
		require.Equal(t, machine.Fetch, m.State())
		require.Equal(t, "/v1/x/layout", m.LayoutAt())
		return m
	}
	l := r.layout(t)
	l.Plan = "other"
	_, count, _ := l.Named("player.count")
	more := *count
	more.Name = "player.hats"
	fields := l.Holders[0].Fields
	l.Holders[0].Fields = append(slices.Clone(fields), more)
	raw, err := share.WriteLayout(l)
	require.NoError(t, err)
	m := begin()
	require.Error(t, m.Learned([]byte("{}")))
	require.NoError(t, m.Learned(raw))
	m.Opened("")
	assert.Equal(t, "other", sent(t, m)[0]["plan"])

	l.Holders[0].Fields = slices.DeleteFunc(slices.Clone(fields), func(f share.Field) bool { return f.Name == "player.count" })
	raw, err = share.WriteLayout(l)
	require.NoError(t, err)
	less, names := begin(), []string{}
	less.OnTrouble(func(x machine.Trouble) { names = x.Names })
	require.NoError(t, less.Learned(raw))
	assert.Equal(t, []any{machine.Ended, []string{"player.count"}}, []any{less.State(), names})
}

func TestCallbacksRunAtTheEnd(t *testing.T) {
	r := talk(t, "conversations")
	m := r.in(t, true, 0)
	var states []machine.State
	m.OnState(func(s machine.State) { states = append(states, s) })
	end := m.OnTold(func(wire.Told) {
		m.Send("open", nil)
		m.Received([]byte("{}"), true, second)
	})
	assert.Panics(t, func() { m.Received(r.Turns[0].frame(true), true, second) })
	assert.JSONEq(t, string(r.Turns[0].View), viewOf(t, m))
	end()
	m.Outgoing()
	m.Advance(20 * second)
	assert.Equal(t, []any{machine.Out{Data: []byte(`{"is":"ping"}`)}, 19 * second}, []any{m.Outgoing()[0], m.Quiet()})
	m.Lost(wire.CodeLeft, "", 21*second)
	assert.Equal(t, []machine.State{machine.Ended}, states)
}

// The session's time runs on between frames, evenly, and never back.
func TestTimeRunsOn(t *testing.T) {
	r := talk(t, "conversations")
	m := r.in(t, true, 0)
	whole := r.Turns[0].Frame
	last := time.Duration(0)
	for i := range 100 {
		var frame map[string]any
		require.NoError(t, json.Unmarshal(whole, &frame))
		frame["tick"], frame["time"] = i+1, float64(i)/10
		raw, err := json.Marshal(frame)
		require.NoError(t, err)
		late := 20 * time.Millisecond
		if i%7 == 0 {
			late = 300 * time.Millisecond
		}
		local := 10*second + time.Duration(i)*second/10
		m.Received(raw, true, local+late)
		now := m.Now(local + 350*time.Millisecond)
		assert.GreaterOrEqual(t, now, last)
		last = now
	}
	assert.InDelta(t, 10.2, last.Seconds(), 0.5)
}
