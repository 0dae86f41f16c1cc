package service_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

// toTheGorge brings a player from the lodge into the gorge.
func (h *house) toTheGorge(player string) {
	h.do(contract.Request{Do: "join", Player: player})
	h.do(contract.Request{Do: "move", Player: player, To: to(30, 1)})
	h.do(contract.Request{Do: "pass", Player: player, Name: "porch_gorge"})
}

func kinds(a contract.Answer) []string {
	var out []string
	for _, n := range a.Notices {
		out = append(out, n.Kind)
	}
	return out
}

func TestTheHornLeadsHomeAndTheTunnelBack(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.toTheGorge("wren")
	h.do(contract.Request{Do: "move", Player: "wren", To: to(33, 25)})
	h.do(event("wren", "horn"))
	assert.Equal(t, "lodge (20, 12) south", h.figures("wren")["place"].Live.Plain())
	assert.Equal(t, "gorge (33, 25) south", h.figures("wren")["player.way_back"].Live.Plain())
	h.do(contract.Request{Do: "leave", Player: "wren"})
	h.restart()
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "move", Player: "wren", To: to(4, 20)})
	h.do(contract.Request{Do: "pass", Player: "wren", Name: "old_tunnel"})
	assert.Equal(t, "gorge (33, 25) south", h.figures("wren")["place"].Live.Plain(), "over a quit and a restart")
	assert.Equal(t, types.None, h.figures("wren")["player.way_back"].Live)
}

func TestTheScreeIsDeadlyAlsoOnTheWayThrough(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.toTheGorge("wren")
	h.do(contract.Request{Do: "move", Player: "wren", To: to(40, 10)})
	through := h.do(contract.Request{Do: "move", Player: "wren", To: to(62, 10)})
	assert.Contains(t, kinds(through), "died")
	assert.Eventually(t, func() bool { return h.figures("wren")["place"].Live.Plain() == "lodge (20, 12) south" }, 30*time.Second, 50*time.Millisecond,
		"back at the fallback: no checkpoint was reached")
	steps, err := h.room.Changes(ctx, "wren", "player.dead")
	require.NoError(t, err)
	require.Len(t, steps, 2)
	assert.Contains(t, steps[1].Cause, "gorge/scree", "the cause names the area")
}

func TestAMilestoneIsEarnedToldAndKept(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	for i := range 5 {
		a := h.do(event("wren", "load"))
		assert.Equal(t, i == 4, slices.Contains(kinds(a), "milestone"), "parcel %d", i+1)
	}
	assert.Equal(t, "earned", h.figures("wren")["player.earned.full_sack"].Live.Plain())
	h.refused(event("wren", "load"))
	h.do(contract.Request{Do: "start-over", Player: "wren"})
	h.do(contract.Request{Do: "leave", Player: "wren"})
	s, err := h.c.Player(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	for _, v := range s.Values {
		if v.Name == "player.earned.full_sack" {
			assert.Equal(t, "earned", v.Saved.Plain())
			assert.Equal(t, types.None, v.Live, "away")
		}
	}
}

func TestABlizzardChillsEverybodyByHowManyTheyAre(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(contract.Request{Do: "join", Player: "pike"})
	a := h.do(contract.Request{Do: "event", Server: true, Name: "blizzard"})
	require.Len(t, a.Changes, 2)
	assert.Equal(t, "pike", a.Changes[0].Player, "by id")
	assert.Equal(t, "92", a.Changes[1].To.Plain())
}

func TestListsSayWhoAndWhatIsThere(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.toTheGorge("wren")
	h.do(contract.Request{Do: "join", Player: "pike", Slot: 2})
	players, err := h.c.Players(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, players, 2)
	assert.Equal(t, contract.PlayerInfo{Player: "pike", Session: "winter", Slot: 2, Slots: []contract.SlotInfo{}}, players[0], "nothing is saved of pike yet")
	assert.Equal(t, "gorge", players[1].Slots[0].Scene)
	games, err := h.c.Games(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, games[0].Present)
	assert.Equal(t, 1, games[0].Saves)
	assert.Equal(t, 3, games[0].Findings.Accepted)
	state, err := h.room.State(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"pike", "wren"}, state.Present)
	require.NoError(t, h.room.Close(ctx))
	_, err = h.room.State(ctx)
	assert.ErrorContains(t, err, "Open it first")
	after, err := h.c.Players(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Empty(t, after[0].Session)
	assert.Len(t, after[0].Slots, 1, "closing saved everybody")
}

func TestPlayersAreFoundByAPartOfTheirName(t *testing.T) {
	t.Parallel()
	h := start(t)
	for _, id := range []string{"wren", "brambling", "starling", "100%_sure"} {
		h.do(contract.Request{Do: "join", Player: id})
		_, err := h.c.Save(ctx, "lantern-pass", id)
		require.NoError(t, err)
		if id != "starling" {
			h.do(contract.Request{Do: "leave", Player: id})
		}
	}
	h.do(contract.Request{Do: "join", Player: "lingering"})
	like := func(part string, most int) (ids []string) {
		list, err := h.c.PlayersLike(ctx, "lantern-pass", part, most)
		require.NoError(t, err)
		for _, p := range list {
			ids = append(ids, p.Player)
		}
		return ids
	}
	assert.Equal(t, []string{"brambling", "lingering", "starling"}, like("ling", 0))
	assert.Equal(t, []string{"brambling", "lingering"}, like("ling", 2))
	assert.Equal(t, []string{"100%_sure"}, like("%", 0), "a sign is itself, and stands for nothing else")
	assert.Empty(t, like("eagle", 5))
	assert.Len(t, like("", 0), 5)
	info, err := h.c.Games(ctx)
	require.NoError(t, err)
	assert.Equal(t, 4, info[0].Saves)
}

func TestRule3ASlotIsARunOfItsOwn(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 1})
	h.do(event("wren", "load"))
	h.do(contract.Request{Do: "leave", Player: "wren"})
	h.do(contract.Request{Do: "join", Player: "wren", Slot: 2})
	assert.Equal(t, "0", h.figures("wren")["player.parcels"].Live.Plain())
	first, err := h.c.Player(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	assert.False(t, first.Present, "they play in the other slot")
	assert.Equal(t, 1, first.Revision)
	other := h.refused(contract.Request{Do: "join", Player: "wren", Slot: 1})
	assert.Equal(t, http.StatusConflict, other.Status)
}

func TestHealthSaysThatItReadsAndWrites(t *testing.T) {
	t.Parallel()
	h := start(t)
	health, err := h.c.Health(ctx)
	require.NoError(t, err)
	assert.Equal(t, "ok", health.Status)
	report, err := h.c.Check(ctx, []byte("alluvion: 1\n"))
	require.NoError(t, err)
	assert.False(t, report.Runnable)
	assert.Positive(t, report.Counts.Errors)
}

func TestWhyIsAnsweredAfterARestartAndForAClosedSession(t *testing.T) {
	t.Parallel()
	h := start(t)
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	h.do(event("wren", "load"))
	h.restart()
	steps, err := h.room.Changes(ctx, "wren", "player.parcels")
	require.NoError(t, err)
	require.Len(t, steps, 2)
	assert.Equal(t, "2", steps[0].To.String())
	assert.Contains(t, steps[0].Cause, "on load")
	h.do(contract.Request{Do: "join", Player: "wren"})
	h.do(event("wren", "load"))
	steps, err = h.room.Changes(ctx, "wren", "player.parcels")
	require.NoError(t, err)
	require.Len(t, steps, 3, "what is not written yet, and what was before")
	require.NoError(t, h.room.Close(ctx))
	steps, err = h.c.History(ctx, "lantern-pass", "winter", "wren", "player.parcels", 1)
	require.NoError(t, err)
	require.Len(t, steps, 1)
	assert.Equal(t, "3", steps[0].To.String())
	_, err = h.c.History(ctx, "lantern-pass", "nowhere", "", "", 1)
	assert.ErrorContains(t, err, "there is no such session")
}

func TestStandingsAreReadThroughTheService(t *testing.T) {
	t.Parallel()
	h := start(t)
	for player, n := range map[string]int{"wren": 3, "finn": 7, "pike": 7} {
		h.do(contract.Request{Do: "join", Player: player})
		value := types.OfInt(n)
		h.do(contract.Request{Do: "write", Player: player, Server: true, Name: "player.delivered", Value: &value})
		h.do(contract.Request{Do: "leave", Player: player})
	}
	list, err := h.c.Standings(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, contract.StandingInfo{ID: "carried", Title: "Parcels delivered", Rank: "player.delivered", Order: "high", Keep: "best"}, list[0])
	part, err := h.c.Standing(ctx, "lantern-pass", "carried", "", 2)
	require.NoError(t, err)
	assert.Equal(t, 3, part.Players)
	assert.Equal(t, []contract.StandingPlace{{Place: 1, Player: "finn", Number: "7"}, {Place: 2, Player: "pike", Number: "7"}}, part.Places)
	part, err = h.c.Standing(ctx, "lantern-pass", "carried", "wren", 2)
	require.NoError(t, err)
	assert.Equal(t, []contract.StandingPlace{{Place: 2, Player: "pike", Number: "7"}, {Place: 3, Player: "wren", Number: "3"}}, part.Places)
	_, err = h.c.Standing(ctx, "lantern-pass", "carried", "nobody", 2)
	assert.ErrorContains(t, err, "has no place")
	_, err = h.c.Standing(ctx, "lantern-pass", "tallest", "", 2)
	assert.ErrorContains(t, err, "no standing called")
}

// A standing of options is in the world of a session: of one that is open as it is now, of another as it was saved.
func TestStandingsOfOptionsAreReadOfASession(t *testing.T) {
	t.Parallel()
	h := start(t)
	_, _, err := h.c.PutPlan(ctx, "harbour", examples.Harbour, "")
	require.NoError(t, err)
	crews := func(session string) (contract.StandingPart, error) {
		return h.c.StandingOfOptions(ctx, "harbour", "crews", session)
	}
	part, err := crews("")
	require.NoError(t, err)
	assert.Empty(t, part.Places, "there is no world yet")
	h.room, err = h.c.Open(ctx, "harbour", "tide")
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "ada"})
	h.do(contract.Request{Do: "event", Player: "ada", Name: "choose_crew", Args: map[string]types.Value{"crew": types.OfText("dunes")}})
	h.do(contract.Request{Do: "event", Server: true, Name: "find", Args: map[string]types.Value{"ware": types.OfText("tea"), "by": types.OfInt(2)}})
	h.do(contract.Request{Do: "event", Player: "ada", Name: "haul", Args: map[string]types.Value{"ware": types.OfText("tea")}})
	h.do(contract.Request{Do: "event", Server: true, Name: "round_over"})
	want := []contract.StandingPlace{{Place: 1, Option: "dunes", Title: "Dunes", Number: "1"}, {Place: 2, Option: "harbour", Title: "Harbour", Number: "0"}}
	part, err = crews("tide")
	require.NoError(t, err)
	assert.Equal(t, want, part.Places)
	assert.Equal(t, "crew", part.List)
	require.NoError(t, h.room.Close(ctx))
	for _, session := range []string{"", "tide"} {
		part, err = crews(session)
		require.NoError(t, err)
		assert.Equal(t, want, part.Places, "as it was saved")
		assert.Equal(t, "tide", part.Session)
	}
	_, err = crews("nowhere")
	assert.ErrorContains(t, err, "there is no such session")
	_, err = h.c.Standing(ctx, "harbour", "crews", "ada", 3)
	assert.ErrorContains(t, err, "there is no place around a player")
}

// A setting of all slots that a version makes each slot's own is there in the next visit, also where nothing else is held
// over all slots any more.
func TestWhatWasOverAllSlotsGoesToTheSlots(t *testing.T) {
	t.Parallel()
	h := start(t)
	const before = `alluvion: 1
game: hut
version: 1
start: a/b
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  hints: {of: profile, type: bool, start: true, read_by: game, written_by: game}
scenes: {a: {size: [9, 9], spots: {b: {at: [1, 1]}}}}
saving: {when: [leave], every: 30s}
`
	etag, _, err := h.c.PutPlan(ctx, "hut", []byte(before), "")
	require.NoError(t, err)
	_, err = h.c.Publish(ctx, "hut", etag, "")
	require.NoError(t, err)
	h.room, err = h.c.Open(ctx, "hut", "one")
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "ada"})
	no := types.OfBool(false)
	h.do(contract.Request{Do: "write", Player: "ada", Server: true, Name: "profile.hints", Value: &no})
	h.do(contract.Request{Do: "leave", Player: "ada"})
	require.NoError(t, h.room.Close(ctx))
	after := strings.NewReplacer("version: 1", "version: 2", "of: profile", "of: player").Replace(before) + "upgrades: {2: [{move: profile.hints, into: player.hints}]}\n"
	etag, report, err := h.c.PutPlan(ctx, "hut", []byte(after), etag)
	require.NoError(t, err, "%+v", report)
	_, err = h.c.Publish(ctx, "hut", etag, "a test")
	require.NoError(t, err)
	h.room, err = h.c.Open(ctx, "hut", "two")
	require.NoError(t, err)
	h.do(contract.Request{Do: "join", Player: "ada"})
	view, err := h.c.Player(ctx, "hut", "ada", 1)
	require.NoError(t, err)
	for _, f := range view.Values {
		if f.Name == "player.hints" {
			assert.Equal(t, "false", f.Live.Plain())
			return
		}
	}
	assert.Fail(t, "nothing says whether ada has hints", "%+v", view)
}
