package engine_test

import (
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion/core/check"
	"alluvion/core/engine"
	"alluvion/core/model"
	"alluvion/core/save"
	"alluvion/core/share"
	"alluvion/core/types"
	"alluvion/examples"
)

// machine is a player's machine that may miss ticks.
type machine struct {
	player string
	as     share.Codec
	lazy   bool
	mirror *share.Mirror
	seen   int64
}

// Whatever happens in a session under whatever plan: each machine believes what it ought to, whether its frames are
// text or packed, whether it hears each tick or is behind, and one that joins late sees the truth.
func TestRule26And27MachinesBelieveWhatTheyOughtTo(t *testing.T) {
	demo, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.False(t, found.Errors())
	models := map[string]*model.Model{"lantern-pass": demo}
	for name, text := range map[string]string{"camp": camp, "choir": choir, "moor": moor, "marks": marks, "marsh": marsh, "caves": caves} {
		models[name] = load(t, text)
	}
	for name, m := range models {
		t.Run(name, func(t *testing.T) {
			layout := readLayout(t, share.LayoutOf(m))
			rapid.Check(t, func(t *rapid.T) { manyMachines(t, m, layout) })
		})
	}
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
	saved := map[string]*save.Player{}
	machines := map[string][]*machine{}
	var now int64
	for range rapid.IntRange(1, 60).Draw(t, "ticks") {
		now += rapid.SampledFrom([]int64{100, 100, 100, 900, 3000}).Draw(t, "wait")
		for range rapid.IntRange(0, 4).Draw(t, "requests") {
			req := something(t, m)
			req.At = now
			if req.Do == "join" {
				req.Saved = saved[req.Player]
			}
			res, err := r.Step(&req)
			b.Note(res.Changes, req.Player)
			for _, s := range res.Left {
				saved[s.Player] = s
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
			for _, x := range machines[id] {
				if !x.lazy || rapid.IntRange(0, 3).Draw(t, "hears") == 0 {
					x.hear(t, b)
				}
			}
		}
	}
}

func (x *machine) hear(t require.TestingT, b *share.Board) {
	raw, ok := b.Frame(nil, x.as, x.player, x.seen, share.Words{Done: 7, Check: true})
	require.True(t, ok)
	apply := x.mirror.ApplyText
	if x.as == share.Packed {
		apply = x.mirror.ApplyPacked
	}
	heard, err := apply(raw)
	require.NoError(t, err, "%s", raw)
	require.Equal(t, b.Now(), heard.Tick)
	require.EqualValues(t, 7, heard.Done)
	x.seen = heard.Tick
	if b.Digest(x.player) != x.mirror.Digest() {
		require.Empty(t, b.Differences(x.player, x.mirror.Values(), x.seen), "since %d, as %d: %s", x.seen, x.as, raw)
		require.Fail(t, "the digests differ, the values do not")
	}
}

func TestABoardSaysWhatAMachineBelievesOtherwise(t *testing.T) {
	w := cavern(t)
	w.join("bob")
	b := share.NewBoard(w.run, share.LayoutOf(w.m))
	b.Tick(100)
	mirror := share.NewMirror(nil)
	frame, ok := b.Frame(nil, share.JSON, "ada", share.Whole, share.Words{})
	require.True(t, ok)
	_, err := mirror.ApplyText(frame)
	require.NoError(t, err)
	require.Equal(t, b.Digest("ada"), mirror.Digest())
	require.Empty(t, b.Differences("ada", mirror.Values(), b.Now()))

	mirror.Believe(share.Self, "player.depth@ada", []byte("-18"))
	mirror.Believe(share.Everyone, "player.ghost@ada", []byte("1"))
	require.NotEqual(t, b.Digest("ada"), mirror.Digest())
	found := b.Differences("ada", mirror.Values(), b.Now())
	require.Len(t, found, 2)
	require.Equal(t, "player.depth@ada", found[0].Address)
	require.Equal(t, "-18", string(found[0].Client))
	require.EqualValues(t, 1, found[0].Since)
	require.Equal(t, "player.ghost@ada", found[1].Address)
	require.Empty(t, found[1].Server)

	_, ok = b.Frame(nil, share.JSON, "nobody", share.Whole, share.Words{})
	require.False(t, ok)
	require.Empty(t, b.Digest("nobody"))
}

// Who came and went while a machine heard nothing is nobody to it: what it knows of the world stays.
func TestAMachineHearsOfSomebodyGoneWhomItNeverKnew(t *testing.T) {
	w := cavern(t)
	b := share.NewBoard(w.run, share.LayoutOf(w.m))
	x := &machine{player: "ada", as: share.Packed, mirror: share.NewMirror(b.Layout), seen: share.Whole}
	b.Tick(100)
	x.hear(t, b)
	w.join("bob")
	b.Note(nil, "bob")
	b.Tick(200)
	_, err := w.run.Step(&engine.Request{Do: "leave", Player: "bob"})
	require.NoError(t, err)
	b.Note(nil, "bob")
	b.Tick(300)
	x.hear(t, b)
}

// A player who was put elsewhere is not moved by what was asked for before that (rule 8).
func TestRule8WhatWasSentBeforeAnArrivalIsStale(t *testing.T) {
	w := cavern(t)
	p := w.run.Now()[0]
	_, _, arrival := p.Where()
	require.Equal(t, 1, arrival)
	before := w.run.Digest()
	w.to("ada", "pit")
	_, _, arrival = p.Where()
	require.Equal(t, 2, arrival)
	require.NotEqual(t, before, w.run.Digest())
	before = w.run.Digest()
	at, _ := w.run.Place("ada")
	req := engine.Request{Do: "move", Player: "ada", To: at.At, Arrival: 1}
	_, err := w.run.Step(&req)
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Stale, refusal.Kind)
	require.Equal(t, before, w.run.Digest())
	req.Arrival = 2
	_, err = w.run.Step(&req)
	require.NoError(t, err)
}

// A server's requests carry numbers of its own; they lie in the world's save (rule 8).
func TestRule8AServersNumberIsKeptWithTheWorld(t *testing.T) {
	w := cavern(t)
	req := engine.Request{Do: "write", Server: true, Sender: "judge", Number: 4, Player: "ada", Name: "player.depth", Value: types.OfInt(1)}
	_, err := w.run.Step(&req)
	require.NoError(t, err)
	_, err = w.run.Step(&req)
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Repeated, refusal.Kind)

	world := w.run.World()
	require.Equal(t, map[string]uint64{"judge": 4}, world.Senders)
	raw, err := save.Encode(world)
	require.NoError(t, err)
	opened, _, err := save.DecodeWorld(raw, w.m)
	require.NoError(t, err)
	again := engine.Reopen(w.m, opened)
	_, err = again.Step(&req)
	require.ErrorAs(t, err, &refusal)
	require.Equal(t, engine.Repeated, refusal.Kind)
}
