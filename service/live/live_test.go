package live_test

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/service/live"
	"alluvion.dev/service/meter"
	"alluvion.dev/service/store"
)

var ctx = context.Background()

const hut = `
alluvion: 1
game: hut
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, scene: {scene: keep, restart: keep}, game: {restart: keep}, place: {death: stay, leave: exact}}
variables:
  oil:   {of: player, type: int, min: 0, max: 99, start: 12, read_by: game}
  clock: {of: player, type: stopwatch, read_by: game}
  fund:  {of: game, type: int, min: 0, max: 99, start: 0, read_by: game}
  ticks: {of: game, type: int, min: 0, max: 9999, start: 0, read_by: game}
scenes:
  hut:  {size: [9, 9], spots: {door: {at: [1, 1]}}}
  yard: {size: [9, 9], spots: {gate: {at: [1, 1]}}}
passages: {out: {from: hut/door, to: yard/gate, both_ways: true}}
checkpoints: {back_after: 50ms, list: {door: {at: hut/door}}}
events: {burn: {from: self}, give: {from: self}, fall: {from: self}}
rules:
  - {on: burn, do: [{add: player.oil, by: -1}]}
  - {on: give, do: [{add: player.oil, by: -1}, {add: game.fund, by: 1}]}
  - {on: fall, do: [{die: player}]}
  - {on: {every: 100ms}, do: [{add: game.ticks, by: 1}]}
saving: {when: [checkpoint, scene, leave], SAVING, revisions: 20}
session: {players: 20}
`

// hall is a manager over a store of its own.
type hall struct {
	t    *testing.T
	path string
	st   *store.Store
	m    *live.Manager
	s    *live.Session
}

func open(t *testing.T, saving string) *hall { return openWith(t, saving) }

// openWith is open with other words in the plan.
func openWith(t *testing.T, saving string, pairs ...string) *hall {
	h := &hall{t: t, path: filepath.Join(t.TempDir(), "a.db")}
	h.start()
	text := strings.NewReplacer(append(pairs, "SAVING", saving)...).Replace(hut)
	_, err := h.st.PutPlan(ctx, store.Game{ID: "hut", Title: "Hut", Version: 1, Text: text}, "")
	require.NoError(t, err)
	h.enter("one")
	t.Cleanup(func() { _ = h.m.CloseAll(ctx); h.st.Close() })
	return h
}

func (h *hall) start() {
	var err error
	h.st, err = store.Open(h.path, slog.New(slog.DiscardHandler))
	require.NoError(h.t, err)
	h.m = live.NewManager(h.st, slog.New(slog.DiscardHandler), meter.New())
}

func (h *hall) enter(name string) *live.Session {
	s, _, err := h.m.Open(ctx, "hut", name)
	require.NoError(h.t, err)
	h.s = s
	return s
}

func (h *hall) do(req engine.Request) live.Answer {
	h.t.Helper()
	if req.Do == "join" {
		req.Slot = 1
	}
	a, err := h.m.Do(ctx, h.s, req)
	require.NoError(h.t, err, "%+v", req)
	return a
}

func (h *hall) event(player, name string) live.Answer {
	h.t.Helper()
	return h.do(engine.Request{Do: "event", Player: player, Name: name})
}

func (h *hall) figure(player, id string) string {
	h.t.Helper()
	v, ok, err := h.s.Player(ctx, player)
	require.NoError(h.t, err)
	require.True(h.t, ok, "%s is present", player)
	for _, f := range v.Figures {
		if f.Var.ID == id {
			return f.Value.String()
		}
	}
	return "?"
}

func (h *hall) ticks() int64 {
	v, err := h.s.Look(ctx)
	require.NoError(h.t, err)
	n, _ := v.Game[1].Value.Num.Int()
	return n
}

// sql works on the file behind the store's back.
func (h *hall) sql(statement string) {
	raw, err := sql.Open("sqlite3", h.path+"?_busy_timeout=5000")
	require.NoError(h.t, err)
	_, err = raw.Exec(statement)
	require.NoError(h.t, err)
	require.NoError(h.t, raw.Close())
}

const full = "CREATE TRIGGER full BEFORE INSERT ON saves BEGIN SELECT RAISE(ABORT, 'disk is full'); END"

func TestRule7TheClockStandsStillWhileNobodyIsThere(t *testing.T) {
	h := open(t, "every: 30s")
	time.Sleep(250 * time.Millisecond)
	assert.Zero(t, h.ticks(), "asleep")
	h.do(engine.Request{Do: "join", Player: "ada"})
	assert.Eventually(t, func() bool { return h.ticks() >= 2 }, 30*time.Second, 20*time.Millisecond, "timers run by themselves")
	h.do(engine.Request{Do: "leave", Player: "ada"})
	before := h.ticks()
	time.Sleep(250 * time.Millisecond)
	assert.Equal(t, before, h.ticks())
}

func TestTheDeadComeBackByThemselves(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	h.event("ada", "fall")
	assert.Eventually(t, func() bool {
		v, _, _ := h.s.Player(ctx, "ada")
		return !v.Dead
	}, 30*time.Second, 10*time.Millisecond)
}

func TestWhoeverChangedIsSavedAtRegularTimes(t *testing.T) {
	h := open(t, "every: 100ms")
	h.do(engine.Request{Do: "join", Player: "ada"})
	h.event("ada", "burn")
	assert.Eventually(t, func() bool {
		saved, err := h.st.Peek(ctx, "hut", "ada", 1)
		return err == nil && strings.Contains(string(saved.Doc), `"oil":11`)
	}, 30*time.Second, 20*time.Millisecond)
}

func TestOnChangeWhoeverChangedIsSavedGathered(t *testing.T) {
	h := open(t, "slots: 1")
	require.NoError(t, h.m.Close(ctx, h.s))
	h.next("when: [checkpoint, scene, leave]", "when: [change]", "version: 1\nstart", "version: 2\nstart")
	h.enter("two")
	h.do(engine.Request{Do: "join", Player: "ada"})
	for range 5 {
		h.event("ada", "burn")
	}
	assert.Eventually(t, func() bool {
		saved, err := h.st.Peek(ctx, "hut", "ada", 1)
		return err == nil && strings.Contains(string(saved.Doc), `"oil":7`)
	}, 30*time.Second, 20*time.Millisecond)
	assert.Equal(t, []string{"every"}, h.moments("ada"), "many changes, one save")
}

func TestRule30WhatChangedHandsIsNeitherDoubledNorLost(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	h.do(engine.Request{Do: "join", Player: "bob"})
	h.event("ada", "give")
	h.event("ada", "give")
	h.do(engine.Request{Do: "pass", Player: "bob", Name: "out"}) // bob's save moment cuts the whole session
	h.event("ada", "give")                                       // after the cut: lost with the machine

	// The machine stops: another store opens a copy of what is on disk.
	copied := filepath.Join(t.TempDir(), "b.db")
	h.sql("VACUUM INTO '" + copied + "'")
	after := &hall{t: t, path: copied}
	after.start()
	t.Cleanup(func() { _ = after.m.CloseAll(ctx); after.st.Close() })
	after.enter("one")
	after.do(engine.Request{Do: "join", Player: "ada"})
	v, err := after.s.Look(ctx)
	require.NoError(t, err)
	assert.Equal(t, "2", v.Game[0].Value.String())
	assert.Equal(t, "10", after.figure("ada", "oil"))
}

func TestASaveThatCannotBeWrittenIsToldAndTriedAgain(t *testing.T) {
	h := open(t, "every: 200ms")
	h.do(engine.Request{Do: "join", Player: "ada"})
	h.event("ada", "burn")
	h.sql(full)
	a := h.do(engine.Request{Do: "leave", Player: "ada"})
	require.NotNil(t, a.Saved)
	assert.Contains(t, a.Saved.Error, "full")
	_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "ada", Slot: 1})
	assert.ErrorContains(t, err, "could not be written yet", "coming back would come back to less")
	other, _, err := h.m.Open(ctx, "hut", "two")
	require.NoError(t, err)
	_, err = h.m.Do(ctx, other, engine.Request{Do: "join", Player: "ada", Slot: 1})
	assert.Error(t, err, "nor elsewhere")
	h.sql("DROP TRIGGER full")
	assert.Eventually(t, func() bool {
		saved, err := h.st.Peek(ctx, "hut", "ada", 1)
		return err == nil && strings.Contains(string(saved.Doc), `"oil":11`)
	}, 30*time.Second, 20*time.Millisecond, "it is tried again by itself")
	h.do(engine.Request{Do: "join", Player: "ada"})
	assert.Equal(t, "11", h.figure("ada", "oil"))
}

func TestRule2JoiningElsewhereSavesAndLeaves(t *testing.T) {
	h := open(t, "every: 30s")
	first := h.s
	h.do(engine.Request{Do: "join", Player: "ada"})
	h.event("ada", "burn")
	h.enter("two")
	h.do(engine.Request{Do: "join", Player: "ada"})
	assert.Equal(t, "11", h.figure("ada", "oil"))
	_, there, err := first.Player(ctx, "ada")
	require.NoError(t, err)
	assert.False(t, there)
	assert.Same(t, h.s, h.m.Where("hut", "ada"))
}

func TestRule2WhoseSaveWasTakenOverIsSentAway(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	_, err := h.st.Take(ctx, "hut", "ada", 1) // another service, say
	require.NoError(t, err)
	h.event("ada", "burn")
	_, err = h.m.Do(ctx, h.s, engine.Request{Do: "pass", Player: "ada", Name: "out"})
	assert.ErrorIs(t, err, store.ErrLease, "what is not the newest is not said to be saved")
	assert.Eventually(t, func() bool { _, there, _ := h.s.Player(ctx, "ada"); return !there }, 30*time.Second, 20*time.Millisecond)
	list, err := h.st.Revisions(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	assert.Equal(t, "superseded", list[0].Moment, "what was here is kept")
}

func TestWhatLostItsLeaseIsNeverSaidToBeSaved(t *testing.T) {
	h := open(t, "every: 30s")
	for name, save := range map[string]func(player string) error{
		"asked for":       func(id string) error { _, err := h.s.SaveNow(ctx, id); return err },
		"leaving":         func(id string) error { _, err := h.m.Do(ctx, h.s, leave(id)); return err },
		"closing":         func(string) error { return h.m.Close(ctx, h.s) },
		"another session": func(id string) error { s := h.enter("two"); _, err := h.m.Do(ctx, s, join(id)); return err },
	} {
		t.Run(name, func(t *testing.T) {
			h.enter("one")
			id := strings.ReplaceAll(name, " ", "-")
			h.do(join(id))
			h.event(id, "burn")
			_, err := h.st.Take(ctx, "hut", id, 1)
			require.NoError(t, err)
			assert.ErrorIs(t, save(id), store.ErrLease)
		})
	}
}

func TestNobodyComesWhileTheirSlotIsWorkedOn(t *testing.T) {
	h := open(t, "every: 30s")
	inside, joined := make(chan struct{}), make(chan struct{})
	go func() {
		<-inside
		_, _ = h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: "ada", Slot: 1})
		close(joined)
	}()
	require.NoError(t, h.m.Aside(ctx, "hut", "ada", 1, func() error {
		close(inside)
		time.Sleep(50 * time.Millisecond)
		_, there, _ := h.s.Player(ctx, "ada")
		assert.False(t, there)
		return nil
	}))
	<-joined
	var playing *live.Playing
	never := func() error { t.Error("ada is playing"); return nil }
	require.ErrorAs(t, h.m.Aside(ctx, "hut", "ada", 1, never), &playing)
	assert.Equal(t, "ada is playing in slot 1, in the session one: they have to leave first", playing.Error())
	require.ErrorAs(t, h.m.Aside(ctx, "hut", "ada", live.EverySlot, never), &playing)
	require.NoError(t, h.m.Aside(ctx, "hut", "ada", 2, func() error { return nil }), "the other slot is free")
	require.NoError(t, h.m.Aside(ctx, "hut", "bob", 1, func() error { return nil }))
}

func TestRule8TheFirstAnswerIsGivenAgain(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	req := engine.Request{Do: "event", Player: "ada", Name: "burn", Number: 5}
	first, again := h.do(req), h.do(req)
	assert.True(t, again.Repeat)
	assert.Equal(t, first.Changes, again.Changes)
	older := req
	older.Number = 4
	_, err := h.s.Do(ctx, older)
	var refusal *engine.Refusal
	require.ErrorAs(t, err, &refusal, "nothing is known of it, so it is not said to be applied")
	assert.Equal(t, engine.Unknown, refusal.Kind)
	assert.Equal(t, "11", h.figure("ada", "oil"))
}

func TestTheTrailSaysWhatChangedNewestFirst(t *testing.T) {
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	for range 3 {
		h.event("ada", "burn")
	}
	steps, err := h.s.Trail(ctx, "ada", "player.oil", 2)
	require.NoError(t, err)
	require.Len(t, steps, 2)
	assert.Equal(t, types.OfInt(9), steps[0].To)
	assert.Equal(t, types.OfInt(10), steps[1].To)
}

func TestAClosedSessionSaysSoAndLeavesNothingRunning(t *testing.T) {
	running := func() int { // also those that other tests let crash
		stacks := make([]byte, 1<<20)
		return strings.Count(string(stacks[:runtime.Stack(stacks, true)]), "live.(*Session)")
	}
	before := running()
	h := open(t, "every: 30s")
	h.do(engine.Request{Do: "join", Player: "ada"})
	s := h.s
	require.NoError(t, h.m.Close(ctx, s))
	_, err := s.Do(ctx, engine.Request{Do: "event", Player: "ada", Name: "burn"})
	assert.ErrorIs(t, err, live.ErrClosed)
	_, err = h.m.Session("hut", "one")
	assert.ErrorIs(t, err, live.ErrNoSession)
	h.enter("one")
	h.do(engine.Request{Do: "join", Player: "ada"})
	require.NoError(t, h.m.CloseAll(ctx))
	_, _, err = h.m.Open(ctx, "hut", "three")
	assert.ErrorIs(t, err, live.ErrClosed)
	h.st.Close()
	assert.Eventually(t, func() bool { return running() <= before }, 30*time.Second, 20*time.Millisecond,
		"no goroutine outlives its session")
}

func TestNamesOfSessions(t *testing.T) {
	h := open(t, "every: 30s")
	for _, name := range []string{"", "Two", "a b", strings.Repeat("x", 65)} {
		_, _, err := h.m.Open(ctx, "hut", name)
		assert.ErrorIs(t, err, live.ErrName, name)
	}
	_, _, err := h.m.Open(ctx, "inn", "one")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestManyAtOnceInOneSession(t *testing.T) {
	h := open(t, "every: 100ms")
	var wg sync.WaitGroup
	for i := range 12 {
		wg.Go(func() {
			id := fmt.Sprintf("p%02d", i)
			for range 3 {
				_, err := h.m.Do(ctx, h.s, engine.Request{Do: "join", Player: id, Slot: 1})
				assert.NoError(t, err)
				for range 4 {
					_, err = h.m.Do(ctx, h.s, engine.Request{Do: "event", Player: id, Name: "give"})
					assert.NoError(t, err)
				}
				_, err = h.m.Do(ctx, h.s, engine.Request{Do: "leave", Player: id})
				assert.NoError(t, err)
			}
		})
	}
	wg.Wait()
	v, err := h.s.Look(ctx)
	require.NoError(t, err)
	assert.Equal(t, "99", v.Game[0].Value.String(), "12 times 12 gifts, and the fund's limit")
}

// However many open a session at once, it is one; and while one is being opened, others are asked as ever.
func TestASessionThatManyOpenAtOnceIsOne(t *testing.T) {
	h := open(t, "every: 30s")
	type opened struct {
		s     *live.Session
		fresh bool
	}
	all := make(chan opened, 40)
	for i := range 40 {
		go func() {
			s, fresh, err := h.m.Open(ctx, "hut", []string{"two", "three"}[i%2])
			assert.NoError(t, err)
			all <- opened{s, fresh}
		}()
	}
	sessions, fresh := map[*live.Session]int{}, 0
	for range 40 {
		o := <-all
		sessions[o.s]++
		if o.fresh {
			fresh++
		}
		_, err := h.m.Session("hut", "one")
		require.NoError(t, err)
	}
	assert.Len(t, sessions, 2)
	assert.Equal(t, 2, fresh)
	assert.Len(t, h.m.Sessions("hut"), 3)
	_, _, err := h.m.Open(ctx, "nobody", "four")
	require.Error(t, err)
	require.NoError(t, h.m.CloseAll(ctx))
	_, _, err = h.m.Open(ctx, "hut", "five")
	assert.ErrorIs(t, err, live.ErrClosed)
}

// Where many have changed, a save of one writes that one at once, and the others within a second.
func TestRule30ASaveOfOneAmongManyWritesTheOthersSoon(t *testing.T) {
	h := openWith(t, "every: 30s", "players: 20", "players: 60")
	var ids []string
	for i := range 40 {
		ids = append(ids, fmt.Sprintf("p%02d", i))
		h.do(engine.Request{Do: "join", Player: ids[i]})
	}
	oil := func(player string) string {
		stored, err := h.st.Peek(ctx, "hut", player, 1)
		require.NoError(t, err)
		p, _, err := save.DecodePlayer(stored.Doc, h.s.Model())
		require.NoError(t, err)
		return p.Values["oil"].Plain()
	}
	saved := func() {
		_, err := h.s.SaveNow(ctx, ids[0])
		require.NoError(t, err)
	}
	saved() // the first writes all
	require.Equal(t, "12", oil(ids[7]))
	for _, id := range ids {
		h.event(id, "burn")
	}
	saved()
	assert.Equal(t, "11", oil(ids[0]))
	require.Eventually(t, func() bool { return oil(ids[7]) == "11" && oil(ids[39]) == "11" }, 5*time.Second, 20*time.Millisecond)
	stored, err := h.st.Peek(ctx, "hut", ids[7], 1)
	require.NoError(t, err)
	assert.True(t, stored.Recovered, "it is no revision: nobody asked for it")
}
