package share_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/share"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

// asks carries out a request and lets the board know of it.
func asks(t testing.TB, r *engine.Run, b *share.Board, req engine.Request) {
	t.Helper()
	res, err := r.Step(&req)
	require.NoError(t, err, "%s %s", req.Do, req.Name)
	b.Note(res.Changes, req.Player)
}

func written(player, name string, value types.Value, at ...string) engine.Request {
	req := engine.Request{Do: "write", Server: true, Player: player, Name: name, Value: value, Args: map[string]types.Value{}}
	for i := 0; i < len(at); i += 2 {
		req.Args[at[i]] = types.OfText(at[i+1])
	}
	return req
}

func frame(t testing.TB, b *share.Board, player string, since int64) string {
	raw, ok := b.Frame(nil, share.JSON, player, since, share.Words{}, nil)
	require.True(t, ok)
	return string(raw)
}

// The layout that is published is the one that the plan beside it gives.
func TestTheLayoutIsThatWhichIsPublished(t *testing.T) {
	raw, err := os.ReadFile("../../docs/vectors/conversations.json")
	require.NoError(t, err)
	var said struct {
		Plan   string
		Layout json.RawMessage
	}
	require.NoError(t, json.Unmarshal(raw, &said))
	layout := share.LayoutOf(worlds.Load(t, said.Plan))
	got, err := share.WriteLayout(layout)
	require.NoError(t, err)
	assert.JSONEq(t, string(said.Layout), string(got))
	read, err := share.ReadLayout(got)
	require.NoError(t, err)
	again, err := share.WriteLayout(read)
	require.NoError(t, err)
	assert.Equal(t, string(got), string(again))
	assert.Equal(t, 1, layout.SceneIndex("pit"))
	assert.Equal(t, -1, layout.SceneIndex("attic"))

	costs := map[string]int{}
	for _, c := range layout.Costs() {
		costs[c.Name] = c.Bits
	}
	// A place: 1 bit for the scene, 7 for each axis of the larger one, 2 for the facing.
	const place = 1 + 14 + 2
	assert.Equal(t, map[string]int{"player.here": 5 + 64*8, "player.place": place + 16, "player.dead": 1, "player.slot": 1, "player.visits": 31,
		"player.checkpoint": 1, "player.milestones": costs["player.milestones"], "player.back": 1 + place, "player.oil": 9, "player.name": costs["player.name"],
		"player.hood": 1, "player.guide": 2, "player.bag": costs["player.bag"], "player.run": 2 + 55, "scene.seen": 1, "scene.snow": 4,
		"prop.chest.open": 1, "game.fund": 10, "movables": 1 + place}, costs)
	// Who it is of: 3 bits for the holder, 4 for the seat; and a bit for each field where there are several.
	for i, h := range layout.Holders {
		for p, name := range layout.PartNames() {
			fields := 0
			for _, f := range h.Fields {
				if f.Part == name {
					fields++
				}
			}
			want := 3 + h.CopyBits
			if h.Players {
				want += 4
			}
			if fields > 1 {
				want += fields
			}
			assert.Equal(t, want, layout.Overhead(i, p), "%s for %s", h.Name, name)
		}
	}
}

// A part is sent whole to who knows nothing of it or has been away for too long, and only what changed to everybody else.
func TestAFrameSaysWhatChangedSinceAMachineHeardLast(t *testing.T) {
	r, b := cavern(t, "ada", "bob")
	require.True(t, b.Tick(100))
	whole := frame(t, b, "ada", share.Whole)
	assert.Equal(t, 3, strings.Count(whole, `"whole":true`))
	assert.Contains(t, whole, `"tick":1,"time":0.1,"done":0,"everyone"`)

	asks(t, r, b, written("ada", "player.depth", types.OfInt(3)))
	require.True(t, b.Tick(200))
	assert.Equal(t, `{"is":"tick","tick":2,"time":0.2,"done":0,"self":{"set":{"player.depth@ada":3}}}`, withoutWatches(frame(t, b, "ada", 1)))
	assert.True(t, b.News("ada", 1, nil))
	assert.False(t, b.News("bob", 1, nil), "it is none of bob's business")
	assert.False(t, b.News("nobody", 1, nil))

	asks(t, r, b, written("bob", "player.mood", types.OfText("wild")))
	require.True(t, b.Tick(300))
	assert.True(t, b.News("ada", 2, nil))
	behind := frame(t, b, "ada", 1)
	assert.Contains(t, behind, `"player.depth@ada":3`)
	assert.Contains(t, behind, `"player.mood@bob":"wild"`)
	assert.NotContains(t, behind, `"whole":true`)
	require.False(t, b.Tick(400), "nothing happened")
	assert.Equal(t, `{"is":"tick","tick":4,"time":0.4,"done":0}`, frame(t, b, "ada", 3))

	// Somebody leaves: what was theirs is named as gone, also to who is a few ticks behind.
	asks(t, r, b, engine.Request{Do: "leave", Player: "bob"})
	b.Tick(500)
	for _, since := range []int64{4, 2} {
		text := frame(t, b, "ada", since)
		assert.Contains(t, text, `"gone":["player.here@bob","player.mood@bob"]`)
		assert.Contains(t, text, `"player.place@bob"`)
		assert.NotContains(t, text, `"whole":true`)
	}
	assert.NotContains(t, frame(t, b, "ada", share.Whole), "bob")

	// Another scene is sent whole, and nothing else is.
	asks(t, r, b, engine.Request{Do: "move", Player: "ada", To: spot(r, "hall", "door")})
	asks(t, r, b, engine.Request{Do: "pass", Player: "ada", Name: wayOut(r)})
	b.Tick(600)
	crossed := frame(t, b, "ada", 5)
	assert.Contains(t, crossed, `"scene":{"whole":true`)
	assert.Equal(t, 1, strings.Count(crossed, `"whole":true`))
}

// withoutWatches leaves out what a running stopwatch says besides.
func withoutWatches(text string) string {
	from := strings.Index(text, `,"player.awake@ada"`)
	if from < 0 {
		return text
	}
	to := from + strings.Index(text[from:], "}") + 1
	return text[:from] + text[to:]
}

func spot(r *engine.Run, scene, id string) []fixed.Num {
	for _, s := range r.Model().Scene(scene).Spots {
		if s.ID == scene+"/"+id {
			return append([]fixed.Num{}, s.Point[:len(r.Model().Axes)]...)
		}
	}
	panic("no spot " + id)
}

func wayOut(r *engine.Run) string {
	for _, p := range r.Model().Passages {
		if p.From.ID == "hall/door" {
			return p.ID
		}
	}
	panic("no way out of the hall")
}

// However long a machine was away, also for so long that what went away meanwhile is forgotten: one frame tells it all.
func TestHoweverLongAMachineWasAwayOneFrameTellsItAll(t *testing.T) {
	r, b := cavern(t, "ada")
	away := map[int64]*share.Mirror{}
	for i := range 5000 {
		asks(t, r, b, engine.Request{Do: "join", Player: "bob", Slot: 1})
		b.Tick(int64(200 + 20*i))
		if i < 20 || i > 4980 || i%97 == 0 || i > 2040 && i < 2060 || i > 2940 && i < 2960 {
			m := share.NewMirror(nil)
			_, err := m.ApplyText([]byte(frame(t, b, "ada", share.Whole)))
			require.NoError(t, err)
			away[b.Now()] = m
		}
		asks(t, r, b, engine.Request{Do: "leave", Player: "bob"})
		b.Tick(int64(210 + 20*i))
	}
	whole := 0
	for since, m := range away {
		text := frame(t, b, "ada", since)
		if strings.Contains(text, `"everyone":{"whole":true`) {
			whole++
			assert.Less(t, since, b.Now()-4096, "half of what is remembered is of use")
		} else {
			assert.Greater(t, since, b.Now()-2*4096-2, "what went away is forgotten some day")
		}
		_, err := m.ApplyText([]byte(text))
		require.NoError(t, err)
		require.Equal(t, b.Digest("ada", nil), m.Digest(), "since %d of %d", since, b.Now())
	}
	assert.Positive(t, whole)
	packed, _ := b.Frame(nil, share.Packed, "ada", 1, share.Words{}, nil)
	assert.EqualValues(t, 2, packed[1]&3, "the part of everyone is whole")
}

// What a machine believes otherwise is named, but for what has become another value since it heard.
func TestDifferencesLeaveOutWhatAMachineCannotKnowYet(t *testing.T) {
	r, b := cavern(t, "ada", "bob")
	b.Tick(100)
	mirror := share.NewMirror(nil)
	_, err := mirror.ApplyText([]byte(frame(t, b, "ada", share.Whole)))
	require.NoError(t, err)
	believed := mirror.Values()
	asks(t, r, b, written("ada", "player.depth", types.OfInt(3)))
	asks(t, r, b, engine.Request{Do: "leave", Player: "bob"})
	b.Tick(200)
	assert.Empty(t, b.Differences("ada", believed, 1, nil), "as of the tick that it heard")
	assert.Nil(t, b.Differences("bob", believed, 1, nil), "who is not there")

	found := b.Differences("ada", believed, 2, nil)
	byAddress := map[string]share.Difference{}
	for i, d := range found {
		byAddress[d.Address] = d
		if i > 0 {
			assert.Less(t, found[i-1].Address, d.Address)
		}
	}
	depth := byAddress["player.depth@ada"]
	assert.Equal(t, "3", string(depth.Server))
	assert.Equal(t, "0", string(depth.Client))
	assert.EqualValues(t, 2, depth.Since)
	here := byAddress["player.here@bob"]
	assert.Empty(t, here.Server)
	assert.Equal(t, "true", string(here.Client))
	assert.EqualValues(t, 2, here.Since, "since when bob is gone")

	// What a machine does not have at all is a difference too, and what it has in another writing is none.
	delete(believed["self"], "player.depth@ada")
	believed["self"]["player.slot@ada"] = []byte("1.0")
	byAddress = map[string]share.Difference{}
	for _, d := range b.Differences("ada", believed, 2, nil) {
		byAddress[d.Address] = d
	}
	require.Contains(t, byAddress, "player.depth@ada")
	assert.Empty(t, byAddress["player.depth@ada"].Client)
	assert.NotContains(t, byAddress, "player.slot@ada")

	asks(t, r, b, engine.Request{Do: "move", Player: "ada", To: spot(r, "hall", "door")})
	asks(t, r, b, engine.Request{Do: "pass", Player: "ada", Name: wayOut(r)})
	b.Tick(300)
	addresses := func(at int64) (all string) {
		for _, d := range b.Differences("ada", believed, at, nil) {
			all += d.Address + " "
		}
		return all
	}
	assert.NotContains(t, addresses(2), "place", "nothing is asked of a scene that it did not hear of")
	assert.Contains(t, addresses(2), "player.depth@ada")
	assert.Contains(t, addresses(3), "player.place@ada", "who heard of the scene ought to know what is in it")
}

func TestWhatIsBuiltInIsSentToo(t *testing.T) {
	r, b := cavern(t, "ada")
	own := func(name string) string {
		raw, ok := b.JSON(name + "@ada")
		require.True(t, ok, name)
		return string(raw)
	}
	b.Tick(100)
	assert.Equal(t, "null", own("player.checkpoint"))
	assert.Equal(t, "false", own("player.dead"))
	assert.Equal(t, []string{"1", "1"}, []string{own("player.slot"), own("player.visits")})
	asks(t, r, b, engine.Request{Do: "move", Player: "ada", To: spot(r, "hall", "stairs"), At: 5_000})
	asks(t, r, b, engine.Request{Do: "pass", Player: "ada", Name: "down", At: 6_000})
	asks(t, r, b, engine.Request{Do: "move", Player: "ada", To: spot(r, "pit", "ledge"), At: 12_000})
	asks(t, r, b, engine.Request{Do: "touch", Player: "ada", Name: "ledge", At: 12_000})
	asks(t, r, b, engine.Request{Do: "die", Player: "ada", Server: true, At: 12_000})
	b.Tick(12_100)
	assert.Equal(t, `"ledge"`, own("player.checkpoint"))
	assert.Equal(t, "true", own("player.dead"))
	assert.Contains(t, own("player.place"), `"scene":"pit"`)
}

func TestAMirrorIsReadByName(t *testing.T) {
	r, b := cavern(t, "ada", "bob")
	asks(t, r, b, engine.Request{Do: "move", Player: "ada", To: spot(r, "hall", "stairs"), At: 4_000})
	b.Tick(5500)
	for _, as := range []share.Codec{share.JSON, share.Packed} {
		m := share.NewMirror(b.Layout)
		raw, _ := b.Frame(nil, as, "ada", share.Whole, share.Words{Done: 9, Told: []byte(`[{"kind":"message"}]`)}, nil)
		apply := m.ApplyText
		if as == share.Packed {
			apply = m.ApplyPacked
		}
		heard, err := apply(raw)
		require.NoError(t, err)
		assert.Equal(t, `[{"kind":"message"}]`, string(heard.Told))
		assert.False(t, heard.Check)
		assert.EqualValues(t, 5500, heard.Time)
		assert.EqualValues(t, 5500, m.Time)
		assert.Contains(t, heard.Moved, "player.depth@ada")
		assert.ElementsMatch(t, []string{"ada", "bob"}, m.Players())
		value, ok := m.JSON("player.depth@ada")
		assert.True(t, ok)
		assert.Equal(t, "0", string(value))
		_, ok = m.JSON("player.depth@bob")
		assert.False(t, ok, "it is bob's own")
		_, ok = m.Place("player.place@cid")
		assert.False(t, ok)
		at, ok := m.Place("player.place@ada")
		require.True(t, ok)
		assert.Equal(t, "hall", at.Scene)
		place, _ := r.Place("ada")
		assert.Equal(t, place.At[0].String(), at.At[0].String())
		_, since, arrival := r.Now()[0].Where()
		assert.Equal(t, since, at.Time)
		assert.Equal(t, arrival, at.Arrival)
		_, err = apply([]byte(`{"is":"hello"}`))
		require.ErrorIs(t, err, share.ErrFrame)
	}
	_, err := share.NewMirror(nil).ApplyPacked([]byte{1, 0, 1, 1, 1})
	require.ErrorIs(t, err, share.ErrFrame, "without a layout no bits are read")
	for _, bad := range [][]byte{nil, {1}, {2, 0, 1, 1, 1}, {1, 0, 0x80}, {1, 0, 1, 1}} {
		_, ok := share.Head(bad)
		assert.False(t, ok, "%v", bad)
	}
	misplaced := share.NewMirror(nil)
	misplaced.Believe(share.Scene, "player.place@ada", []byte(`7`))
	_, ok := misplaced.Place("player.place@ada")
	assert.False(t, ok)
}

// A stopwatch that ran longer than the session has read zero before it began.
func TestAStopwatchThatRanBeforeTheSessionComesBackTheSame(t *testing.T) {
	m := worlds.Load(t, worlds.Caves)
	first := engine.New(m)
	joins(t, first, "ada")
	_, err := first.Step(&engine.Request{Do: "write", Server: true, Player: "ada", Name: "player.depth", Value: types.OfInt(2)})
	require.NoError(t, err)
	first.Advance(90_000)
	kept := first.Save("ada")
	r := engine.New(m)
	b := share.NewBoard(r, share.LayoutOf(m))
	_, err = r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: kept})
	require.NoError(t, err)
	b.Note(nil, "ada")
	b.Tick(100)
	value, ok := b.JSON("player.awake@ada")
	require.True(t, ok)
	assert.Contains(t, string(value), `{"since":-`)
	mirror := share.NewMirror(b.Layout)
	raw, _ := b.Frame(nil, share.Packed, "ada", share.Whole, share.Words{}, nil)
	_, err = mirror.ApplyPacked(raw)
	require.NoError(t, err)
	seen, _ := mirror.JSON("player.awake@ada")
	assert.Equal(t, string(value), string(seen))
}

// Somebody leaves and comes back within a tick: what their machine knew of the earlier visit is void, and all that is theirs alone
// comes whole.
func TestANewVisitIsSentWholeToWhoKnewAnEarlierOne(t *testing.T) {
	r, b := cavern(t, "ada", "bob")
	b.Tick(100)
	asks(t, r, b, engine.Request{Do: "leave", Player: "ada"})
	b.Tick(200)
	asks(t, r, b, engine.Request{Do: "join", Player: "ada", Slot: 1})
	b.Tick(300)
	assert.Contains(t, frame(t, b, "ada", 1), `"self":{"whole":true`)
	assert.Contains(t, frame(t, b, "ada", 2), `"self":{"whole":true`)
}
