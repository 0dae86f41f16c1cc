package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/client/crowd"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
)

// within is how long a test waits for something that is certain to happen.
const within = 30 * time.Second

// machine is a player's machine in a test.
type machine struct {
	*client.Machine
	t    *testing.T
	id   string
	told chan wire.Told
}

func (h *house) machine(j client.Joining) *machine {
	h.t.Helper()
	m := &machine{t: h.t, id: j.Player, told: make(chan wire.Told, 1000)}
	j.Told = func(x wire.Told) { m.told <- x }
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	var err error
	m.Machine, err = h.room.Join(c, j)
	require.NoError(h.t, err)
	return m
}

func (m *machine) do(ask wire.Ask) error {
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	return m.Do(c, ask)
}

func (m *machine) must(ask wire.Ask) {
	m.t.Helper()
	require.NoError(m.t, m.do(ask))
}

func (m *machine) refused(kind, words string, ask wire.Ask) {
	m.t.Helper()
	var r *client.Refused
	require.ErrorAs(m.t, m.do(ask), &r)
	assert.Equal(m.t, kind, r.Kind)
	assert.Contains(m.t, r.Why, words)
}

func at(x, y string) []fixed.Num { return []fixed.Num{fixed.Must(x), fixed.Must(y)} }

func (m *machine) move(x, y string) { m.t.Helper(); m.must(wire.Ask{Is: "move", To: at(x, y)}) }

// until waits until the machine has been told something that makes it so.
func (m *machine) until(what string, holds func() bool) {
	m.t.Helper()
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	require.NoError(m.t, m.Until(c, holds), "%s never believed that %s: %v", m.id, what, m.Values())
}

// is waits until an address has a value.
func (m *machine) is(address, value string) {
	m.t.Helper()
	m.until(address+" is "+value, func() bool { v, _ := m.JSON(address); return v == value })
}

// unknown waits until nothing is known under an address.
func (m *machine) unknown(address string) {
	m.t.Helper()
	m.until(address+" is unknown", func() bool { _, ok := m.JSON(address); return !ok })
}

// hears waits until the machine is told something.
func (m *machine) hears(kind, text string) {
	m.t.Helper()
	for {
		select {
		case x := <-m.told:
			if x.Kind == kind && strings.Contains(x.Text, text) {
				return
			}
		case <-time.After(within):
			require.Fail(m.t, "never told", "%s %s", kind, text)
		}
	}
}

// ends waits until the connection ends, and says with which code.
func (m *machine) ends(code int) {
	m.t.Helper()
	select {
	case <-m.Done():
	case <-time.After(within):
		require.Fail(m.t, "the connection did not end")
	}
	var e *client.ErrEnded
	require.ErrorAs(m.t, m.Err(), &e)
	assert.Equal(m.t, code, e.Code, e.Reason)
}

func inScene(m *machine, player, scene string) func() bool {
	return func() bool { p, ok := m.Here(player); return ok && p.Scene == scene }
}

func TestTwoPlayersSeeEachOtherComeAndGoThroughAPassage(t *testing.T) {
	t.Parallel()
	for name, packed := range map[string]bool{"text": false, "packed": true} {
		t.Run(name, func(t *testing.T) {
			h := start(t)
			ada := h.machine(client.Joining{Player: "ada", Packed: packed})
			bob := h.machine(client.Joining{Player: "bob", Packed: packed})
			ada.until("bob is in the lodge", inScene(ada, "bob", "lodge"))
			bob.until("ada is in the lodge", inScene(bob, "ada", "lodge"))
			bob.is("player.nickname@ada", "null")
			bob.unknown("player.parcels@ada")

			ada.move("30", "1")
			bob.until("ada stands at the porch", func() bool { p, _ := bob.Here("ada"); return p.At != nil && p.At[0] == fixed.Must("30") })
			ada.must(wire.Ask{Is: "pass", Name: "porch_gorge"})
			ada.until("she is in the gorge", inScene(ada, "ada", "gorge"))
			ada.hears("arrived", "")
			ada.unknown("player.place@bob")
			bob.unknown("player.place@ada")
			bob.is("player.here@ada", "true")
			bob.is("player.nickname@ada", "null")

			bob.move("30", "1")
			bob.must(wire.Ask{Is: "pass", Name: "porch_gorge"})
			ada.until("bob is in the gorge", inScene(ada, "bob", "gorge"))
			require.NoError(t, bob.Leave(ctx))
			ada.unknown("player.here@bob")
			ada.unknown("player.place@bob")
		})
	}
}

func TestALateJoinerSeesTheTruth(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	ada.must(wire.Ask{Is: "event", Name: "name_self", Args: map[string]types.Value{"name": types.OfText("Ada")}})
	ada.is("player.nickname@ada", `"Ada"`)
	for _, packed := range []bool{false, true} {
		bob := h.machine(client.Joining{Player: "bob", Packed: packed})
		bob.is("player.nickname@ada", `"Ada"`)
		bob.until("ada is in the lodge", inScene(bob, "ada", "lodge"))
		require.NoError(t, bob.Leave(ctx))
	}
}

// startWith is start with something in the plan put differently.
func startWith(t *testing.T, old, new string) *house {
	h := founded(t)
	text := strings.Replace(string(examples.LanternPass), old, new, 1)
	require.NotEqual(t, string(examples.LanternPass), text)
	_, etag, err := h.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, report, err := h.c.PutPlan(ctx, "lantern-pass", []byte(text), etag)
	require.NoError(t, err)
	require.True(t, report.Runnable, report.Findings)
	h.enter()
	return h
}

func TestAMachineThatComesBackResumes(t *testing.T) {
	t.Parallel()
	for name, packed := range map[string]bool{"text": false, "packed": true} {
		t.Run(name, func(t *testing.T) {
			h := start(t)
			ada := h.machine(client.Joining{Player: "ada", Packed: packed})
			bob := h.machine(client.Joining{Player: "bob", Packed: packed})
			bob.until("ada is in the lodge", inScene(bob, "ada", "lodge"))
			bob.Drop()
			ada.move("30", "1")
			ada.is("player.here@bob", "true") // the seat is kept

			again := h.machine(client.Joining{Player: "bob", Packed: packed, From: bob.Machine})
			assert.True(t, again.Welcome.Resumed)
			again.until("ada stands at the porch", func() bool { p, _ := again.Here("ada"); return p.At != nil && p.At[0] == fixed.Must("30") })
			again.is("player.place@bob", `{"scene":"lodge","at":[20,12],"facing":"south",`+placeTail(t, again))
			assert.Less(t, again.State().Bytes, bob.State().Bytes, "only what changed is sent again")
		})
	}
}

// placeTail is the rest of a machine's own place: since when it is there.
func placeTail(t *testing.T, m *machine) string {
	raw, ok := m.JSON("player.place@" + m.id)
	require.True(t, ok)
	_, tail, ok := strings.Cut(raw, `"facing":"south",`)
	require.True(t, ok, raw)
	return tail
}

// An hour is too long for what changed to be known still, and longer than any grace: the visit has ended, the next one
// begins with the whole state, and what the machine believed before does not linger.
func TestAMachineThatComesBackTooLateIsSentEverything(t *testing.T) {
	t.Parallel()
	h := startWith(t, "grace: 45s", "grace: 50ms")
	ada := h.machine(client.Joining{Player: "ada"})
	bob := h.machine(client.Joining{Player: "bob"})
	bob.move("30", "1")
	bob.must(wire.Ask{Is: "pass", Name: "porch_gorge"})
	bob.until("he is in the gorge", inScene(bob, "bob", "gorge"))
	bob.Drop()
	ada.unknown("player.here@bob") // the grace is over: the visit has ended

	again := h.machine(client.Joining{Player: "bob", From: bob.Machine, Checks: true})
	again.until("bob is in the gorge again", inScene(again, "bob", "gorge"))
	again.is("player.visits@bob", "2")
	again.unknown("player.place@ada")
	ada.is("player.here@bob", "true")
	h.believesRight(again)
}

// believesRight holds all that a machine believes against a machine that was told everything just now.
func (h *house) believesRight(m *machine) {
	h.t.Helper()
	require.NoError(h.t, m.Send(wire.Ask{Is: "whole"}))
	frames := m.State().Frames
	before := m.Digest()
	m.until("it was sent everything", func() bool { return m.State().Frames > frames+1 })
	assert.Equal(h.t, before, m.Digest())
}

func TestTheNewerMachineWinsAndTheOlderIsTold(t *testing.T) {
	t.Parallel()
	h := start(t)
	old := h.machine(client.Joining{Player: "ada"})
	old.move("30", "1")
	new := h.machine(client.Joining{Player: "ada"})
	old.ends(wire.CodeReplaced)
	new.until("she is where she was", func() bool { p, _ := new.Here("ada"); return p.At != nil && p.At[0] == fixed.Must("30") })
	new.is("player.visits@ada", "1")
}

func TestARefusedWriteLeavesTheDigestAndIsCounted(t *testing.T) {
	t.Parallel()
	h := startWith(t, "requests:", "requests:\n  move: {fastest: 0.1}") // however slow the machine is, nobody gets far
	ada := h.machine(client.Joining{Player: "ada"})
	ada.until("she is there", inScene(ada, "ada", "lodge"))
	before, err := h.room.State(ctx)
	require.NoError(t, err)
	lie := types.OfInt(9000)
	ada.refused("forbidden", "not written by players", wire.Ask{Is: "write", Name: "player.parcels", Value: &lie})
	ada.refused("invalid", "cannot become", wire.Ask{Is: "write", Name: "player.nickname", Value: &lie})
	ada.refused("unknown", "no variable", wire.Ask{Is: "write", Name: "player.wings", Value: &lie})
	ada.refused("too-fast", "Nobody is that fast", wire.Ask{Is: "move", To: at("39", "23")})
	ada.refused("refused", "outside the scene", wire.Ask{Is: "move", To: at("400", "23")})
	ada.refused("forbidden", "server", wire.Ask{Is: "event", Name: "gust", Args: map[string]types.Value{"amount": types.OfInt(1), "at": types.OfText("ada")}})
	ada.refused("unknown", "no message", wire.Ask{Is: "dance"})
	after, err := h.room.State(ctx)
	require.NoError(t, err)
	assert.Equal(t, before.Digest, after.Digest)

	seen, err := h.room.Overview(ctx)
	require.NoError(t, err)
	require.Len(t, seen.Players, 1)
	assert.Equal(t, map[string]int{"forbidden": 2, "invalid": 1, "unknown": 2, "too-fast": 1, "refused": 1}, seen.Players[0].Refusals)
	assert.Equal(t, "dance", strings.TrimSpace(seen.Refused[0].What))
	counts := h.metrics()
	for _, line := range []string{`alluvion_refusals_total{kind="forbidden"} 2`, "alluvion_connections 1", "alluvion_sessions 1"} {
		assert.True(t, strings.Contains(counts, line+"\n"), line)
	}
}

func (h *house) metrics() string {
	h.t.Helper()
	res, err := http.Get(h.s.URL() + "/metrics")
	require.NoError(h.t, err)
	defer func() { _ = res.Body.Close() }()
	raw, err := io.ReadAll(res.Body)
	require.NoError(h.t, err)
	return string(raw)
}

func TestWhoKeepsOnLyingIsCutOff(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	bob := h.machine(client.Joining{Player: "bob"})
	lie := types.OfInt(9000)
	for range 65 {
		if bob.Send(wire.Ask{Is: "write", Name: "player.parcels", Value: &lie}) != nil {
			break
		}
	}
	bob.ends(wire.CodeOften)
	ada.move("30", "1")
}

func TestWhatAMachineBelievesWronglyIsFoundOut(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada", Checks: true, Packed: true})
	ada.is("player.warmth@ada", "100")
	ada.Believe("player.warmth@ada", "-18") // an impossible value
	ada.until("the service says so", func() bool { return ada.State().Differs == 1 })
	ada.is("player.warmth@ada", "100")
	seen, err := h.room.Overview(ctx)
	require.NoError(t, err)
	machine := seen.Players[0].Machine
	require.NotNil(t, machine)
	assert.Equal(t, 1, machine.Mismatches)
	require.Len(t, machine.Unlike, 1)
	assert.Equal(t, "player.warmth@ada", machine.Unlike[0].Address)
	assert.Equal(t, "100", machine.Unlike[0].Server)
	assert.Equal(t, "-18", machine.Unlike[0].Client)
	assert.Positive(t, machine.UnlikeAt)
	assert.True(t, strings.Contains(h.metrics(), "alluvion_mismatches_total 1\n"))
}

func TestAMachineMayBelieveAGreatDeal(t *testing.T) {
	t.Parallel()
	h := start(t)
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	conn, _, err := websocket.Dial(c, h.s.URL()+"/v1/games/lantern-pass/sessions/winter/live", nil)
	require.NoError(t, err)
	defer func() { _ = conn.CloseNow() }()
	say := func(text string) { require.NoError(t, conn.Write(c, websocket.MessageText, []byte(text))) }
	hears := func(word string) (tick int64) {
		for {
			_, raw, err := conn.Read(c)
			require.NoError(t, err)
			var m struct{ Tick int64 }
			if strings.Contains(string(raw), word) {
				require.NoError(t, json.Unmarshal(raw, &m))
				return m.Tick
			}
		}
	}
	say(`{"is":"hello","player":"ada","checks":true}`)
	tick := hears(`"check":true`)
	say(fmt.Sprintf(`{"is":"belief","tick":%d,"digest":"none"}`, tick))
	require.Equal(t, tick, hears(`"differs"`))
	ghosts := make([]string, 5000)
	for i := range ghosts {
		ghosts[i] = fmt.Sprintf(`"player.here@a ghost that nobody else has ever seen %d":true`, i)
	}
	say(fmt.Sprintf(`{"is":"believed","tick":%d,"values":{"everyone":{%s}}}`, tick, strings.Join(ghosts, ",")))
	hears(`"whole":true`)
	seen, err := h.room.Overview(ctx)
	require.NoError(t, err)
	assert.Len(t, seen.Players[0].Machine.Unlike, 50, "the first of them")
}

func TestNumbersAreAnsweredOnceAndSavedIsToldApart(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	args := map[string]types.Value{"name": types.OfText("Ada")}
	ada.must(wire.Ask{Is: "event", Name: "name_self", Number: 5, Args: args})
	args = map[string]types.Value{"name": types.OfText("Eve")}
	ada.must(wire.Ask{Is: "event", Name: "name_self", Number: 5, Args: args}) // it was applied: the first answer again
	ada.is("player.nickname@ada", `"Ada"`)
	ada.move("30", "1")
	ada.must(wire.Ask{Is: "pass", Name: "porch_gorge", Number: 9})
	ada.until("it is saved", func() bool { return ada.State().Saved >= 9 })

	ada.until("she is in the gorge", inScene(ada, "ada", "gorge"))
	ada.refused("stale", "put elsewhere", wire.Ask{Is: "move", To: at("30", "40"), Number: 10, Arrival: 1})
	ada.must(wire.Ask{Is: "move", To: at("30", "45"), Number: 11, Arrival: 2})
}

func TestAServersConnectionAsksWithItsOwnNumbers(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	ada.is("player.warmth@ada", "100")
	server, err := h.room.Serve(ctx, "weather")
	require.NoError(t, err)
	gust := wire.Ask{Is: "event", Name: "gust", Number: 1, Args: map[string]types.Value{"amount": types.OfInt(10), "at": types.OfText("ada")}}
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	require.NoError(t, server.Do(c, gust))
	require.NoError(t, server.Do(c, gust)) // the same number: the first answer again
	ada.is("player.warmth@ada", "90")
	value := types.OfInt(3)
	require.NoError(t, server.Do(c, wire.Ask{Is: "write", Number: 2, Player: "ada", Name: "player.parcels", Value: &value}))
	ada.is("player.parcels@ada", "3")
}

// A machine that stops reading holds nobody up; it is cut off, and may resume.
func TestAMachineThatStopsReadingHoldsNobodyUp(t *testing.T) {
	t.Parallel() // it waits for the most part
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	c, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	deaf, _, err := websocket.Dial(c, h.s.URL()+"/v1/games/lantern-pass/sessions/winter/live", nil)
	require.NoError(t, err)
	defer func() { _ = deaf.CloseNow() }()
	require.NoError(t, deaf.Write(c, websocket.MessageText, []byte(`{"is":"hello","player":"bob"}`)))
	ada.is("player.here@bob", "true")
	ping := []byte(`{"is":"event","name":"lodge_horn","args":{"` + strings.Repeat("x", 30_000) + `":1}}`) // each is refused with words as long
	for range 400 {
		if deaf.Write(c, websocket.MessageText, ping) != nil {
			break
		}
	}
	for i := range 10 {
		ada.move("20", fmt.Sprint(12+i%2))
	}
	require.Eventually(t, func() bool {
		o, err := h.room.Overview(ctx)
		require.NoError(t, err)
		for _, p := range o.Players {
			if p.Player == "bob" {
				return p.Lost != nil
			}
		}
		return true
	}, within, 50*time.Millisecond, "bob's machine was never cut off")
	ada.is("player.here@bob", "true") // the seat is kept
}

func TestWhateverIsSentIsRefusedWithinLimits(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	deep := `{"is":"event","name":"open","args":{"a":` + strings.Repeat("[", 30_000) + strings.Repeat("]", 30_000) + `}}`
	for name, raw := range map[string]string{"no JSON": "{", "no object": "17", "another member": `{"is":"move","wings":2}`, "deep": deep, "twice": `{"is":"ping","is":"ping"}`,
		"not UTF-8": "{\"is\":\"ping\",\"name\":\"\xff\"}", "nothing": "", "a huge number": `{"is":"move","to":[1e400,2]}`, "negative": `{"is":"move","number":-1,"to":[1,2]}`} {
		bob := h.machine(client.Joining{Player: "bob"})
		require.NoError(t, bob.SendRaw([]byte(raw), false), name)
		require.NoError(t, bob.SendRaw([]byte(raw), true), name)
		bob.must(wire.Ask{Is: "event", Name: "name_self", Args: map[string]types.Value{"name": types.OfText("Bob")}})
		require.NoError(t, bob.Leave(ctx))
	}
	big := h.machine(client.Joining{Player: "bob"})
	_ = big.SendRaw(bytes.Repeat([]byte("x"), 10<<20), false)
	big.ends(wire.CodeBig)
	ada.move("30", "1")
}

func TestAMachineIsToldWhyItIsNotLetIn(t *testing.T) {
	t.Parallel()
	h := start(t)
	address := h.s.URL() + "/v1/games/lantern-pass/sessions/winter/live"
	for name, row := range map[string]struct {
		hello, says string
		sub         string
		code        int
	}{
		"no hello":            {`{"is":"move"}`, "first message is a hello", "", wire.CodeBad},
		"garbage":             {`{`, "first message is a hello", "", wire.CodeBad},
		"nobody":              {`{"is":"hello"}`, "names a player", "", wire.CodeBad},
		"both":                {`{"is":"hello","player":"ada","server":"x"}`, "names a player", "", wire.CodeBad},
		"no such slot":        {`{"is":"hello","player":"ada","slot":9}`, "slots go from 1 to 3", "", wire.CodeRefused},
		"no such pick":        {`{"is":"hello","player":"ada","picks":{"courier":"nobody"}}`, "there is no", "", wire.CodeRefused},
		"another layout":      {`{"is":"hello","player":"ada","plan":"0123"}`, "/layout", "", wire.CodeLayout},
		"packed, and no plan": {`{"is":"hello","player":"ada"}`, "/layout", wire.SubPacked, wire.CodeLayout},
		"a name that is none": {`{"is":"hello","player":"` + strings.Repeat("a", 65) + `"}`, "1 to 64", "", wire.CodeRefused},
	} {
		t.Run(name, func(t *testing.T) {
			c, cancel := context.WithTimeout(ctx, within)
			defer cancel()
			conn, _, err := websocket.Dial(c, address, &websocket.DialOptions{Subprotocols: []string{row.sub}})
			require.NoError(t, err)
			defer func() { _ = conn.CloseNow() }()
			require.NoError(t, conn.Write(c, websocket.MessageText, []byte(row.hello)))
			_, raw, err := conn.Read(c)
			require.NoError(t, err)
			assert.Contains(t, string(raw), row.says)
			_, _, err = conn.Read(c)
			assert.EqualValues(t, row.code, websocket.CloseStatus(err))
		})
	}
	_, res, err := websocket.Dial(ctx, h.s.URL()+"/v1/games/lantern-pass/sessions/summer/live", nil)
	require.Error(t, err)
	assert.Equal(t, http.StatusNotFound, res.StatusCode)
	_, res, err = websocket.Dial(ctx, address, &websocket.DialOptions{HTTPHeader: http.Header{"Origin": {"https://elsewhere.example"}}})
	require.Error(t, err)
	assert.Equal(t, http.StatusForbidden, res.StatusCode)
}

func TestClosingASessionTellsItsMachines(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	ada.move("30", "1")
	require.NoError(t, h.room.Close(ctx))
	ada.ends(wire.CodeAway)
	h.enter()
	again := h.machine(client.Joining{Player: "ada", From: ada.Machine})
	assert.False(t, again.Welcome.Resumed, "another run of ticks")
	again.is("player.visits@ada", "2")
}

func TestPlayersAreDrawnInBetween(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada", Packed: true})
	bob := h.machine(client.Joining{Player: "bob"})
	var drawn []fixed.Num
	for i := range 12 {
		_, err := ada.Move(at(fmt.Sprint(20+i), "12"), "east")
		require.NoError(t, err)
		for range 5 {
			time.Sleep(20 * time.Millisecond)
			if p, behind, ok := bob.Drawn("ada"); ok {
				assert.Equal(t, 200*time.Millisecond, behind)
				drawn = append(drawn, p.At[0])
			}
		}
	}
	between := 0
	for i := range drawn {
		if i > 0 {
			assert.False(t, drawn[i].Less(drawn[i-1]), "never backwards: %v", drawn)
		}
		if !drawn[i].MultipleOf(fixed.FromInt(1)) {
			between++
		}
	}
	assert.Greater(t, between, 5, "most are drawn between two positions: %v", drawn)
}

// A crowd of two hundred: some lie, lag, stop reading, or lose their connection. Nobody honest is refused what
// they may have, or believes what is not so.
func TestACrowdOfTwoHundredPlaysForAWhile(t *testing.T) {
	t.Parallel()
	h := startWith(t, "players: 60, ticks: 10/s, grace: 45s", "players: 240, ticks: 4/s, grace: 3s")
	r, err := crowd.Run(ctx, h.c, crowd.Config{Game: "lantern-pass", Session: "winter", Players: 200, For: 20 * time.Second, Seed: 3, Rate: 1, Packed: true, Patience: 3 * time.Minute,
		Liars: 10, Lagging: 10, Deaf: 10, Dropping: 40}, nil)
	require.NoError(t, err)
	assert.Empty(t, r.Problems)
	assert.Zero(t, r.Unforseen)
	assert.Zero(t, r.Differs[crowd.Honest])
	assert.Greater(t, r.Moves, 200)
	assert.Greater(t, r.Done["pass"], 1)
	assert.Positive(t, r.Resumed)
	h.allLeave()
}

// allLeave waits until nobody is in the session, or connected to it: who lost the connection leaves when the grace is over.
func (h *house) allLeave() {
	var last contract.Overview
	if !assert.Eventually(h.t, func() bool {
		var err error
		last, err = h.room.Overview(ctx)
		return assert.NoError(h.t, err) && len(last.Players) == 0 && strings.Contains(h.metrics(), "alluvion_connections 0\n")
	}, 2*within, 100*time.Millisecond) {
		raw, _ := json.Marshal(last.Players)
		h.t.Fatalf("somebody is still connected, or has not left: %s", raw)
	}
}

// A crowd that is stopped while its players are still coming in takes everybody along, who has seen themselves in the
// session or not: nobody stays connected.
func TestACrowdThatIsStoppedEarlyLeavesNobodyBehind(t *testing.T) {
	t.Parallel()
	h := startWith(t, "ticks: 10/s, grace: 45s", "ticks: 1/s, grace: 1s")
	playing, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		for playing.Err() == nil && !strings.Contains(h.metrics(), "alluvion_connections 20\n") {
			time.Sleep(5 * time.Millisecond)
		}
		stop()
	}()
	_, err := crowd.Run(playing, h.c, crowd.Config{Game: "lantern-pass", Session: "winter", Players: 20, Seed: 4}, nil)
	require.NoError(t, err)
	h.allLeave()
}

// A session that nobody is in sleeps: its clock stands still, and it beats for nobody. It wakes when somebody comes.
func TestAnEmptySessionSleepsAndWakes(t *testing.T) {
	t.Parallel()
	h := start(t)
	ada := h.machine(client.Joining{Player: "ada"})
	ada.move("30", "1")
	require.NoError(t, ada.Leave(ctx))
	asleep, err := h.room.State(ctx)
	require.NoError(t, err)
	ticks := tickCount(h.metrics())
	time.Sleep(350 * time.Millisecond)
	still, err := h.room.State(ctx)
	require.NoError(t, err)
	assert.Equal(t, asleep.Time, still.Time)
	assert.LessOrEqual(t, tickCount(h.metrics()), ticks+1)
	again := h.machine(client.Joining{Player: "ada"})
	again.until("time goes on", func() bool { return again.State().Tick > 2 })
	awake, err := h.room.State(ctx)
	require.NoError(t, err)
	assert.Greater(t, awake.Time, asleep.Time)
}

func tickCount(metrics string) int {
	_, rest, _ := strings.Cut(metrics, "\nalluvion_ticks_total ")
	n, _, _ := strings.Cut(rest, "\n")
	count, _ := strconv.Atoi(n)
	return count
}

// What belongs to one session does not outlive it, and sessions of a game know nothing of one another.
func TestSessionsAreApartAndLeaveNothingRunning(t *testing.T) {
	h := start(t)
	winter := h.machine(client.Joining{Player: "ada"})
	room := h.room
	before := runtime.NumGoroutine()
	for i := range 10 {
		var err error
		h.room, err = h.c.Open(ctx, "lantern-pass", fmt.Sprintf("night_%d", i))
		require.NoError(t, err)
		bob := h.machine(client.Joining{Player: fmt.Sprintf("bob_%d", i), Packed: i%2 == 0})
		bob.until("he is there", inScene(bob, bob.id, "lodge"))
		bob.unknown("player.here@ada")
		if i%3 == 0 {
			bob.Drop()
		}
		require.NoError(t, h.room.Close(ctx))
	}
	h.room = room
	winter.unknown("player.here@bob_1")
	require.Eventually(t, func() bool { return runtime.NumGoroutine() <= before+4 }, within, 50*time.Millisecond, "%d goroutines at first", before)
}

// What a player is told while the connection is lost is told when it is back: nothing is dropped silently.
func TestWhatAPlayerIsToldMeanwhileIsToldOnResuming(t *testing.T) {
	t.Parallel()
	h := start(t)
	bob := h.machine(client.Joining{Player: "bob"})
	bob.is("player.warmth@bob", "100")
	bob.hears("joined", "")
	bob.Drop()
	for range 3 {
		_, err := h.room.Do(ctx, contract.Request{Do: "event", Server: true, Name: "gust", Args: map[string]types.Value{"amount": types.OfInt(40), "at": types.OfText("bob")}})
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool {
		p, err := h.c.Player(ctx, "lantern-pass", "bob", 0)
		require.NoError(t, err)
		return !p.Dead
	}, within, 50*time.Millisecond)
	again := h.machine(client.Joining{Player: "bob", From: bob.Machine})
	assert.True(t, again.Welcome.Resumed)
	assert.False(t, again.Welcome.Missed)
	again.hears("died", "")
	again.hears("came-back", "")
	again.is("player.warmth@bob", "100")
	again.is("player.falls@bob", "1")
}

// Joining another session leaves the first: its machine is told that the visit there has ended.
func TestAMachineThatJoinsAnotherSessionLeavesTheFirst(t *testing.T) {
	t.Parallel()
	h := start(t)
	first := h.machine(client.Joining{Player: "ada"})
	first.move("30", "1")
	var err error
	h.room, err = h.c.Open(ctx, "lantern-pass", "summer")
	require.NoError(t, err)
	second := h.machine(client.Joining{Player: "ada"})
	first.ends(wire.CodeLeft)
	second.is("player.visits@ada", "2")
	second.until("she is where she left", func() bool { p, _ := second.Here("ada"); return p.At != nil && p.At[0] == fixed.Must("30") })
}
