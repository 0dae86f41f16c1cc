package share_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// machine is a player's machine that may miss ticks.
type machine struct {
	player string
	as     share.Codec
	lazy   bool
	mirror *share.Mirror
	seen   int64
	sight  share.Sight
}

// Whatever happens in a session under whatever plan: each machine believes what it ought to, whether its frames are
// text or packed, whether it hears each tick or is behind, and one that joins late sees the truth.
func TestRule26And27MachinesBelieveWhatTheyOughtTo(t *testing.T) {
	for name, m := range worlds.All(t) {
		t.Run(name, func(t *testing.T) {
			layout := readLayout(t, share.LayoutOf(m))
			rapid.Check(t, func(t *rapid.T) { manyMachines(t, m, layout) })
		})
	}
}

// The same where some values are told now and then only: what nobody is told yet, no machine is held to know.
func TestMachinesBelieveWhatTheyWereToldNowAndThen(t *testing.T) {
	for name, m := range worlds.All(t) {
		for i, v := range m.Vars {
			if !v.SelfMay {
				v.TellEvery = time.Duration(i%4) * 400 * time.Millisecond
			}
		}
		t.Run(name, func(t *testing.T) {
			layout := readLayout(t, share.LayoutOf(m))
			rapid.Check(t, func(t *rapid.T) { manyMachines(t, m, layout) })
		})
	}
}

// What is told twice a second is shown at once where nothing was told for half a second; what comes sooner waits until
// then, and only the newest of it is ever told.
func TestWhatIsToldTwiceASecond(t *testing.T) {
	r, b := told(t)
	writes := func(now int64, depth int) string {
		asks(t, r, b, engine.Request{Do: "write", At: now, Server: true, Player: "ada", Name: "player.depth", Value: types.OfInt(depth)})
		b.Tick(now)
		raw, _ := b.JSON("player.depth@ada")
		return string(raw)
	}
	shows := func(now int64) string {
		b.Tick(now)
		raw, _ := b.JSON("player.depth@ada")
		return string(raw)
	}
	assert.Equal(t, "0", shows(100))
	assert.Equal(t, "0", writes(200, 1), "it came with the session, 100 ms ago")
	assert.Equal(t, "0", writes(500, 2))
	assert.False(t, b.News("ada", b.Now()-1, nil))
	assert.Equal(t, "2", shows(600), "and 1 nobody ever saw")
	assert.Equal(t, "2", shows(2000))
	assert.Equal(t, "3", writes(2100, 3), "nothing was told for long")
	assert.Equal(t, "3", writes(2200, 4))
	assert.Equal(t, "3", writes(2300, 3), "it is as it was told")
	assert.Equal(t, "3", shows(2600))
	assert.Equal(t, "5", writes(2700, 5), "since then nothing was told")

	// Whoever comes is sent what the others were told, and then everybody the same.
	assert.Equal(t, "5", writes(2800, 6))
	joins(t, r, "bob")
	b.Note(nil, "bob")
	b.Tick(2900)
	assert.Contains(t, frame(t, b, "bob", share.Whole), `"player.depth@ada":5`)
	assert.Equal(t, "6", shows(3200))
	asks(t, r, b, engine.Request{Do: "write", At: 3300, Server: true, Player: "ada", Name: "player.depth", Value: types.OfInt(7)})
	asks(t, r, b, engine.Request{Do: "leave", Player: "ada"})
	b.Tick(3400)
	b.Tick(9000)
	assert.NotContains(t, frame(t, b, "bob", share.Whole), "ada", "of whoever has left nothing is told later")

	// Nor is what was held of an earlier visit taken for the present one's.
	joins(t, r, "ada")
	b.Note(nil, "ada")
	b.Tick(9100)
	asks(t, r, b, engine.Request{Do: "write", At: 9200, Server: true, Player: "ada", Name: "player.depth", Value: types.OfInt(8)})
	b.Tick(9200)
	assert.True(t, b.Late("player.depth@ada"))
	asks(t, r, b, engine.Request{Do: "leave", Player: "ada"})
	b.Tick(9300)
	assert.False(t, b.Late("player.depth@ada"), "she has left")
	joins(t, r, "ada")
	b.Note(nil, "ada")
	b.Tick(9400)
	assert.False(t, b.Late("player.depth@ada"), "what she has now is told")
}

// told is a cave in which depth is told twice a second.
func told(t *testing.T) (*engine.Run, *share.Board) {
	m := worlds.Load(t, worlds.Caves)
	v := m.Var("player.depth")
	v.With, v.TellEvery = "everyone", 500*time.Millisecond
	r := engine.New(m)
	joins(t, r, "ada")
	return r, share.NewBoard(r, share.LayoutOf(m))
}

// readLayout is a layout as somebody has it who was sent it.
func readLayout(t require.TestingT, l *share.Layout) *share.Layout {
	raw, err := json.Marshal(l)
	require.NoError(t, err)
	read, err := share.ReadLayout(raw)
	require.NoError(t, err)
	return read
}

func manyMachines(t *rapid.T, m *model.Model, layout *share.Layout) {
	r := engine.New(m)
	b := share.NewBoard(r, share.LayoutOf(m))
	saved, profiles := map[string]*save.Player{}, map[string]*save.Profile{}
	machines := map[string][]*machine{}
	var now int64
	for range rapid.IntRange(1, 60).Draw(t, "ticks") {
		now += rapid.SampledFrom([]int64{100, 100, 100, 900, 3000}).Draw(t, "wait")
		for range rapid.IntRange(0, 4).Draw(t, "requests") {
			req := worlds.Request(t, m)
			req.At = now
			if req.Do == "join" {
				req.Saved, req.Profile = saved[req.Player], profiles[req.Player]
			}
			res, err := r.Step(&req)
			b.Note(res.Changes, req.Player)
			for _, s := range res.Left {
				saved[s.Player], profiles[s.Player] = s, s.Profile
			}
			if req.Do == "join" && err == nil && m.Single {
				b.Replaced()
			}
			if req.Do == "leave" && err == nil {
				delete(machines, req.Player)
			}
		}
		b.Note(r.Advance(now).Changes, "")
		b.Tick(now)
		for _, id := range r.Present() {
			for as, n := range []share.Codec{share.JSON, share.Packed, share.JSON, share.Packed} {
				if len(machines[id]) <= as {
					machines[id] = append(machines[id], &machine{player: id, as: n, lazy: as > 1, mirror: share.NewMirror(layout), seen: share.Whole})
				}
			}
			if rapid.IntRange(0, 5).Draw(t, "looks") == 0 {
				truth(t, r, b, id)
			}
			for _, x := range machines[id] {
				if !x.lazy || rapid.IntRange(0, 3).Draw(t, "hears") == 0 {
					x.hear(t, b)
				}
			}
		}
	}
}

func (x *machine) hear(t require.TestingT, b *share.Board) {
	raw, ok := b.Frame(nil, x.as, x.player, x.seen, share.Words{Done: 7, Check: true}, nil)
	require.True(t, ok)
	apply := x.mirror.ApplyText
	if x.as == share.Packed {
		apply = x.mirror.ApplyPacked
	}
	heard, err := apply(raw)
	require.NoError(t, err, "%s", raw)
	require.Equal(t, b.Now(), heard.Tick)
	require.Equal(t, b.Clock(), heard.Time)
	require.EqualValues(t, 7, heard.Done)
	require.True(t, heard.Check)
	x.saysNoMoreThanIsNew(t, b, raw)
	x.seen = heard.Tick
	if b.Digest(x.player, nil) != x.mirror.Digest() {
		require.Empty(t, b.Differences(x.player, x.mirror.Values(), x.seen, nil), "since %d, as %d: %s", x.seen, x.as, raw)
		require.Fail(t, "the digests differ, the values do not")
	}
}

func TestABoardSaysWhatAMachineBelievesOtherwise(t *testing.T) {
	_, b := cavern(t, "ada", "bob")
	b.Tick(100)
	mirror := share.NewMirror(nil)
	frame, ok := b.Frame(nil, share.JSON, "ada", share.Whole, share.Words{}, nil)
	require.True(t, ok)
	_, err := mirror.ApplyText(frame)
	require.NoError(t, err)
	require.Equal(t, b.Digest("ada", nil), mirror.Digest())
	require.Empty(t, b.Differences("ada", mirror.Values(), b.Now(), nil))

	mirror.Believe(share.Self, "player.depth@ada", []byte("-18"))
	mirror.Believe(share.Everyone, "player.ghost@ada", []byte("1"))
	require.NotEqual(t, b.Digest("ada", nil), mirror.Digest())
	found := b.Differences("ada", mirror.Values(), b.Now(), nil)
	require.Len(t, found, 2)
	require.Equal(t, "player.depth@ada", found[0].Address)
	require.Equal(t, "-18", string(found[0].Client))
	require.EqualValues(t, 1, found[0].Since)
	require.Equal(t, "player.ghost@ada", found[1].Address)
	require.Empty(t, found[1].Server)

	_, ok = b.Frame(nil, share.JSON, "nobody", share.Whole, share.Words{}, nil)
	require.False(t, ok)
	require.Empty(t, b.Digest("nobody", nil))
}

// Who came and went while a machine heard nothing is nobody to it: what it knows of the world stays.
func TestAMachineHearsOfSomebodyGoneWhomItNeverKnew(t *testing.T) {
	r, b := cavern(t, "ada")
	x := &machine{player: "ada", as: share.Packed, mirror: share.NewMirror(b.Layout), seen: share.Whole}
	b.Tick(100)
	x.hear(t, b)
	joins(t, r, "bob")
	b.Note(nil, "bob")
	b.Tick(200)
	_, err := r.Step(&engine.Request{Do: "leave", Player: "bob"})
	require.NoError(t, err)
	b.Note(nil, "bob")
	b.Tick(300)
	x.hear(t, b)
}

// cavern is a session in the caves, with its board.
func cavern(t testing.TB, players ...string) (*engine.Run, *share.Board) {
	m := worlds.Load(t, worlds.Caves)
	r := engine.New(m)
	for _, id := range players {
		joins(t, r, id)
	}
	return r, share.NewBoard(r, share.LayoutOf(m))
}

func joins(t testing.TB, r *engine.Run, id string) {
	_, err := r.Step(&engine.Request{Do: "join", Player: id, Slot: 1})
	require.NoError(t, err)
}

// saysNoMoreThanIsNew holds a frame against what the board says of news: a frame is empty just where there is none.
func (x *machine) saysNoMoreThanIsNew(t require.TestingT, b *share.Board, raw []byte) {
	says := bytes.Contains(raw, []byte(`"set":{`))
	if x.as == share.Packed {
		says = raw[1]&0x3f != 0
	}
	require.Equal(t, says, b.News(x.player, x.seen, nil), "since %d: %s", x.seen, raw)
}

// truth holds what a player's machine ought to have against what the engine holds: each value that they are to be sent
// is there as it is, and none that is not for them.
func truth(t require.TestingT, r *engine.Run, b *share.Board, viewer string) {
	mirror := share.NewMirror(nil)
	raw, ok := b.Frame(nil, share.JSON, viewer, share.Whole, share.Words{}, nil)
	require.True(t, ok)
	_, err := mirror.ApplyText(raw)
	require.NoError(t, err)
	mine, _ := r.Place(viewer)
	present := r.Present()
	require.ElementsMatch(t, present, mirror.Players())
	holds := func(f engine.Figure, player, scene string) {
		at, name := -1, f.Var.Name
		if f.Scene != "" {
			at = r.Model().Scene(f.Scene).Index
			name += "[" + f.Scene + "]"
		}
		if f.Prop != "" {
			kind, id, _ := strings.Cut(f.Prop, ".")
			at = r.Model().Kind(kind).Prop(id).Index
			name += "[" + id + "]"
		}
		if f.Option != "" {
			at = f.Var.Hold.List.Option(f.Option)
			name += "[" + f.Option + "]"
		}
		if player != "" {
			name += "@" + player
		}
		sent := f.Var.With == "everyone" || f.Var.With == "scene" && scene == mine.Scene || f.Var.With == "self" && player == viewer
		value, has := mirror.JSON(name)
		require.Equal(t, sent, has, "%s for %s", name, viewer)
		address, shared := b.AddressOf(f.Var, player, at)
		require.Equal(t, f.Var.With != "nobody", shared, name)
		if !shared {
			return
		}
		require.Equal(t, name, address)
		stands, ok := b.JSON(address)
		require.True(t, ok, name)
		if sent && !f.Var.Stopwatch && f.Var.TellEvery == 0 {
			require.JSONEq(t, jsonOf(t, f.Value), string(value), name)
			require.JSONEq(t, jsonOf(t, f.Value), string(stands), name)
		}
	}
	for _, id := range present {
		place, _ := r.Place(id)
		for _, f := range r.Figures(id) {
			holds(f, id, place.Scene)
		}
		at, has := mirror.Place("player.place@" + id)
		require.Equal(t, place.Scene == mine.Scene, has)
		if has {
			require.Equal(t, place.Scene, at.Scene)
			require.Equal(t, fmt.Sprint(place.At), fmt.Sprint(at.At))
		}
	}
	for _, f := range r.GameFigures() {
		holds(f, "", "")
	}
	for _, scene := range r.Model().Scenes {
		for _, f := range r.SceneFigures(scene.ID) {
			holds(f, "", scene.ID)
		}
	}
	for i, x := range r.Model().Movables {
		holder, place := r.Thing(i)
		value, has := mirror.JSON("movables[" + x.ID + "]")
		require.True(t, has)
		if holder != nil {
			require.JSONEq(t, `{"holder":"`+holder.ID()+`"}`, string(value))
		} else {
			require.Contains(t, string(value), `"scene":"`+r.Model().Scenes[place.Scene].ID+`"`)
		}
	}
}

func jsonOf(t require.TestingT, v types.Value) string {
	raw, err := json.Marshal(v)
	require.NoError(t, err)
	return string(raw)
}

// Somebody who plays alone comes back with the world of their slot: what they had changed in it is there.
func TestWhoPlaysAloneIsSentTheWorldThatTheyCameBackTo(t *testing.T) {
	m := worlds.Load(t, worlds.Cabin)
	first := engine.New(m)
	joins(t, first, "ada")
	_, err := first.Step(&engine.Request{Do: "event", Name: "open", Player: "ada", Args: map[string]types.Value{"it": types.OfText("red")}})
	require.NoError(t, err)
	kept := first.Save("ada")

	r := engine.New(m)
	b := share.NewBoard(r, share.LayoutOf(m))
	b.Tick(100)
	_, err = r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: kept})
	require.NoError(t, err)
	b.Note(nil, "ada")
	b.Replaced()
	b.Tick(200)
	opened, ok := b.JSON("prop.chest.opened[red]")
	require.True(t, ok)
	require.Equal(t, "true", string(opened))
}
