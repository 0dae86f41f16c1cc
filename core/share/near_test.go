package share_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/model"
	"alluvion.dev/core/share"
	"alluvion.dev/internal/worlds"
)

// fair is a session at the fair, with its board and the machines that follow it.
type fair struct {
	t        require.TestingT
	m        *model.Model
	run      *engine.Run
	board    *share.Board
	layout   *share.Layout
	machines map[string][]*machine
	now      int64
}

func atTheFair(t testing.TB) (*model.Model, *share.Layout) {
	m := worlds.Load(t, worlds.Fair)
	return m, readLayout(t, share.LayoutOf(m))
}

func newFair(t require.TestingT, m *model.Model, layout *share.Layout) *fair {
	run := engine.New(m)
	return &fair{t: t, m: m, run: run, board: share.NewBoard(run, share.LayoutOf(m)), layout: layout,
		machines: map[string][]*machine{}}
}

func (f *fair) ask(req engine.Request) error {
	req.At = f.now
	res, err := f.run.Step(&req)
	f.board.Note(res.Changes, req.Player)
	switch {
	case err != nil:
	case req.Do == "leave":
		delete(f.machines, req.Player)
	case req.Do == "join":
		for i, as := range []share.Codec{share.JSON, share.Packed, share.JSON, share.Packed} {
			mirror := share.NewMirror(f.layout)
			if as == share.JSON {
				mirror = share.NewMirror(nil)
				mirror.SetNear(true)
			}
			f.machines[req.Player] = append(f.machines[req.Player],
				&machine{player: req.Player, as: as, lazy: i > 1, mirror: mirror, seen: share.Whole})
		}
	}
	return err
}

func (f *fair) walks(player string, x, y int64) {
	require.NoError(f.t, f.ask(engine.Request{Do: "move", Player: player, To: []fixed.Num{fixed.FromInt(x), fixed.FromInt(y)}}))
}

func (f *fair) tick() {
	f.now += 100
	f.board.Note(f.run.Advance(f.now).Changes, "")
	f.board.Tick(f.now)
}

// hears sends a machine what it does not know, where there is anything.
func (f *fair) hears(x *machine, check bool) {
	if !check && !f.board.News(x.player, x.seen, &x.sight) {
		x.seen = f.board.Now()
		return
	}
	raw, ok := f.board.Frame(nil, x.as, x.player, x.seen, share.Words{Check: check}, &x.sight)
	require.True(f.t, ok)
	apply := x.mirror.ApplyText
	if x.as == share.Packed {
		apply = x.mirror.ApplyPacked
	}
	_, err := apply(raw)
	require.NoError(f.t, err, "%q", raw)
	x.seen = f.board.Now()
	if !check {
		return
	}
	values := x.mirror.Values()
	require.Empty(f.t, f.board.Differences(x.player, values, x.seen, &x.sight), "%s at %d: %q", x.player, x.seen, raw)
	require.Equal(f.t, f.board.Digest(x.player, &x.sight), x.mirror.Digest())
	f.isOfThoseWhoAreNear(x)
}

// near is what a machine knows in the part near, by player.
func near(x *machine) map[string]map[string]string {
	out := map[string]map[string]string{}
	for address, value := range x.mirror.Values()["near"] {
		name, who, _ := strings.Cut(address, "@")
		if out[who] == nil {
			out[who] = map[string]string{}
		}
		out[who][name] = string(value)
	}
	return out
}

// isOfThoseWhoAreNear holds what a machine was told of others against where they are.
func (f *fair) isOfThoseWhoAreNear(x *machine) {
	knows := near(x)
	mine, _ := f.run.Place(x.player)
	tells := f.m.Scene(mine.Scene).Tells
	if tells == nil {
		require.Empty(f.t, knows, "in %s everybody is told of", mine.Scene)
		return
	}
	require.Contains(f.t, knows, x.player)
	require.LessOrEqual(f.t, len(knows)-1, tells.AtMost)
	within, farthest := tells.Within.Float(), 0.0
	missing := math.Inf(1)
	for _, id := range f.run.Present() {
		at, _ := f.run.Place(id)
		away := math.Hypot(at.At[0].Float()-mine.At[0].Float(), at.At[1].Float()-mine.At[1].Float())
		_, known := knows[id]
		switch {
		case id == x.player:
		case at.Scene != mine.Scene:
			require.False(f.t, known, "%s is in another scene than %s", id, x.player)
		case known:
			require.LessOrEqual(f.t, away, within*1.1+1e-9, "%s is too far from %s", id, x.player)
			farthest = max(farthest, away)
			for _, figure := range f.run.Figures(id) {
				if figure.Var.Name == "player.hood" {
					require.Equal(f.t, jsonOf(f.t, figure.Value), knows[id]["player.hood"], id)
				}
			}
		case away <= within:
			missing = min(missing, away)
		}
	}
	if !math.IsInf(missing, 1) {
		require.Equal(f.t, tells.AtMost, len(knows)-1, "somebody near is missing")
		require.LessOrEqual(f.t, farthest*farthest*0.8, missing*missing+1e-9, "somebody nearer is missing")
	}
}

// Whatever players do in scenes with near: a machine believes what it was told, and when it is asked, it was told of
// the nearest of those who are near, and of nobody else, as they are.
func TestRule58MachinesAreToldOfThoseWhoAreNear(t *testing.T) {
	m, layout := atTheFair(t)
	rapid.Check(t, func(t *rapid.T) {
		f := newFair(t, m, layout)
		for range rapid.IntRange(1, 50).Draw(t, "ticks") {
			for range rapid.IntRange(0, 8).Draw(t, "requests") {
				who := fmt.Sprintf("p%d", rapid.IntRange(0, 11).Draw(t, "who"))
				do := rapid.SampledFrom([]string{"join", "join", "leave", "move", "move", "move", "move", "hide", "pitch", "shout", "wave", "in", "swim"}).Draw(t, "do")
				switch req := (engine.Request{Do: do, Player: who, Slot: 1}); do {
				case "move":
					for range m.Axes {
						req.To = append(req.To, fixed.FromInt(rapid.Int64Range(0, 12).Draw(t, "to")))
					}
					_ = f.ask(req)
				case "hide", "pitch", "shout", "wave":
					req.Do, req.Name = "event", do
					_ = f.ask(req)
				case "in", "swim":
					req.Do, req.Name = "pass", do
					_ = f.ask(req)
				default:
					_ = f.ask(req)
				}
			}
			f.tick()
			for _, id := range f.run.Present() {
				for _, x := range f.machines[id] {
					if !x.lazy || rapid.IntRange(0, 3).Draw(t, "hears") == 0 {
						f.hears(x, rapid.IntRange(0, 4).Draw(t, "check") == 0)
					}
				}
				if rapid.IntRange(0, 9).Draw(t, "comes back") == 0 { // over another connection: all that is near comes whole
					f.machines[id][1].sight = share.Sight{}
				}
			}
		}
	})
}

// Twelve in one place, and room for two or three in a frame: nobody waits for ever, and who is nearer is told of more often.
func TestRule59WhatDoesNotFitIntoABudgetWaits(t *testing.T) {
	for _, row := range []struct {
		as     share.Codec
		budget string
		most   int
	}{{share.Packed, "100B", 100}, {share.JSON, "700B", 700}, {share.JSON, "100B", 100 + 260}} { // in text two others may be more than the budget: one more than the player is always told of
		m := worlds.Load(t, strings.NewReplacer("at_most: 3", "at_most: 64", "100B", row.budget).Replace(worlds.Fair))
		layout := share.LayoutOf(m)
		f := newFair(t, m, layout)
		for i := range 12 {
			require.NoError(t, f.ask(engine.Request{Do: "join", Player: fmt.Sprintf("p%02d", i), Slot: 1}))
		}
		x := &machine{player: "p00", as: row.as, mirror: share.NewMirror(layout), seen: share.Whole}
		f.tick()
		f.hears(x, false)
		waited, heard := map[string]int{}, map[string]int{}
		longest := 0
		for i := range 200 {
			for j := range 12 { // each on a spot of its own, to and fro
				f.walks(fmt.Sprintf("p%02d", j), int64(10+i%2), int64(10+j/2))
			}
			f.tick()
			raw, ok := f.board.Frame(nil, row.as, "p00", x.seen, share.Words{}, &x.sight)
			require.True(t, ok)
			if i > 20 {
				assert.LessOrEqual(t, len(raw), row.most, "%d at %d", row.as, i)
			}
			apply := x.mirror.ApplyText
			if row.as == share.Packed {
				apply = x.mirror.ApplyPacked
			}
			said, err := apply(raw)
			require.NoError(t, err)
			x.seen = f.board.Now()
			for id := range waited {
				waited[id]++
			}
			for _, address := range said.Moved {
				if _, id, is := strings.Cut(address, "place@"); is {
					waited[id], heard[id] = 0, heard[id]+1
				}
			}
			for _, n := range waited {
				longest = max(longest, n)
			}
		}
		assert.Len(t, waited, 12, "everybody is told of")
		assert.GreaterOrEqual(t, heard["p00"], 199, "of oneself with each frame")
		if row.as == share.JSON {
			assert.Greater(t, heard["p01"], heard["p11"], "nearer, and more often")
			assert.Less(t, longest, 60)
			_, waiting, _ := x.sight.Knows()
			assert.Positive(t, waiting)
		}
		f.tick()
		for range 20 { // nobody moves any more
			f.tick()
			f.hears(x, false)
		}
		others, waiting, _ := x.sight.Knows()
		assert.Equal(t, 11, others)
		assert.Zero(t, waiting, "all is told in the end")
		f.hears(x, true)
	}
}

// Out of sight is not gone: who walks away is still in the session, and who comes back is told of whole.
func TestRule58WhoWalksAwayIsStillInTheSession(t *testing.T) {
	m, layout := atTheFair(t)
	f := newFair(t, m, layout)
	for _, id := range []string{"ada", "bob"} {
		require.NoError(t, f.ask(engine.Request{Do: "join", Player: id, Slot: 1}))
	}
	told := func(x *machine) {
		f.tick()
		f.hears(x, true)
	}
	for _, x := range f.machines["ada"][:2] {
		f.walks("ada", 10, 10)
		f.walks("bob", 16, 10)
		told(x)
		require.Contains(t, near(x), "bob")
		f.walks("bob", 18, 10) // 8 away: the rim is near
		told(x)
		f.walks("bob", 18, 11)
		told(x)
		require.Contains(t, near(x), "bob", "a little farther, who was near stays so")
		f.walks("bob", 30, 10)
		told(x)
		require.NotContains(t, near(x), "bob")
		assert.ElementsMatch(t, []string{"ada", "bob"}, x.mirror.Players())
		require.NoError(t, f.ask(engine.Request{Do: "event", Name: "hide", Player: "bob"}))
		require.NoError(t, f.ask(engine.Request{Do: "event", Name: "shout", Player: "bob"}))
		f.tick()
		raw, _ := f.board.Frame(nil, share.JSON, "ada", f.board.Now()-1, share.Words{}, &share.Sight{})
		assert.NotContains(t, string(raw), "hood@bob", "what is for the scene goes to those who are near")
		assert.Contains(t, string(raw), "loud@bob", "what is for everyone to everyone")
		f.walks("bob", 18, 11)
		told(x)
		require.NotContains(t, near(x), "bob", "8.06 away: who was not near is not yet")
		f.walks("bob", 17, 10)
		told(x)
		require.Contains(t, near(x), "bob")
	}
	require.NoError(t, f.ask(engine.Request{Do: "leave", Player: "bob"}))
	require.NoError(t, f.ask(engine.Request{Do: "join", Player: "carl", Slot: 1})) // in the seat of bob
	f.walks("carl", 11, 10)
	for _, x := range f.machines["ada"][:2] {
		told(x)
		assert.ElementsMatch(t, []string{"ada", "carl"}, x.mirror.Players())
	}
}

// Frames of a plan with near are not those of one without, and say so from their first byte.
func TestALayoutWithNearIsOfAnotherFormat(t *testing.T) {
	m, layout := atTheFair(t)
	assert.Equal(t, 2, layout.Format)
	assert.True(t, layout.Places.Scenes[0].Near)
	assert.False(t, layout.Places.Scenes[1].Near)
	f := newFair(t, m, layout)
	require.NoError(t, f.ask(engine.Request{Do: "join", Player: "ada", Slot: 1}))
	f.tick()
	raw, _ := f.board.Frame(nil, share.Packed, "ada", share.Whole, share.Words{}, nil)
	assert.EqualValues(t, 3, raw[0])
	_, err := share.NewMirror(share.LayoutOf(worlds.Load(t, worlds.Caves))).ApplyPacked(raw)
	require.ErrorIs(t, err, share.ErrFrame)
	head, ok := share.Head(raw)
	require.True(t, ok)
	assert.EqualValues(t, 1, head.Tick)
	for n := range raw {
		_, err := share.NewMirror(layout).ApplyPacked(raw[:n])
		require.ErrorIs(t, err, share.ErrFrame, "the first %d bytes", n)
	}
	text, _ := f.board.Frame(nil, share.JSON, "ada", share.Whole, share.Words{}, &share.Sight{})
	assert.True(t, json.Valid(text))
	assert.True(t, bytes.Contains(text, []byte(`"near":{"whole":true,"set":{"player.place@ada":`)), "%s", text)
	assert.Equal(t, layout.Overhead(0, share.Scene)+11, layout.Overhead(0, share.Near))
}

// What a machine believes otherwise of those who are near is found.
func TestABoardSaysWhatAMachineBelievesOtherwiseOfThoseWhoAreNear(t *testing.T) {
	m, layout := atTheFair(t)
	f := newFair(t, m, layout)
	for _, id := range []string{"ada", "bob"} {
		require.NoError(t, f.ask(engine.Request{Do: "join", Player: id, Slot: 1}))
	}
	f.tick()
	x := f.machines["ada"][1]
	f.hears(x, true)
	x.mirror.Believe(share.Near, "player.hood@bob", []byte("true"))
	x.mirror.Believe(share.Near, "player.hood@carl", []byte("true"))
	require.NotEqual(t, f.board.Digest("ada", &x.sight), x.mirror.Digest())
	found := f.board.Differences("ada", x.mirror.Values(), x.seen, &x.sight)
	require.Len(t, found, 2)
	assert.Equal(t, "player.hood@bob", found[0].Address)
	assert.Equal(t, "false", string(found[0].Server))
	assert.Equal(t, "true", string(found[0].Client))
	assert.Equal(t, "player.hood@carl", found[1].Address)
	assert.Empty(t, found[1].Server)
}

// However large a scene is and however near is near: nobody is missed, and no more memory is taken.
func TestScenesOfAnySizeAreSearched(t *testing.T) {
	for _, row := range [][2]string{{"size: [60, 40], near: {within: 8", "size: [10000000, 10000000], near: {within: 0.000000001"},
		{"size: [60, 40], near: {within: 8", "size: [60, 40], near: {within: 10000000"}, {"size: [60, 40], near: {within: 8", "size: [10000000, 40], near: {within: 9"}} {
		m := worlds.Load(t, strings.Replace(worlds.Fair, row[0], row[1], 1))
		f := newFair(t, m, share.LayoutOf(m))
		for _, id := range []string{"ada", "bob"} {
			require.NoError(t, f.ask(engine.Request{Do: "join", Player: id, Slot: 1}))
		}
		raw, ok := f.board.Frame(nil, share.JSON, "nobody", share.Whole, share.Words{}, nil)
		assert.False(t, ok, "%s", raw)
		f.tick()
		x := f.machines["ada"][1]
		f.hears(x, true)
		assert.Contains(t, near(x), "bob", "they stand on one spot")
	}
}
