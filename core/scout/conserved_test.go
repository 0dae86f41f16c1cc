package scout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/model"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
)

// purse is a small plan in which coins change hands.
func purse(session, saving, conserved, rules string) string {
	text := small(`
variables:
  coins: {of: player, type: int, min: 0, max: 4, start: 2, at_limit: refuse, refused: No., read_by: game}
  till:  {of: game, type: int, min: 0, max: 4, start: 2, at_limit: refuse, refused: No., read_by: game}
  tried: {of: game, type: bool, start: false, read_by: game}
events: {pay: {from: self}, mint: {from: self}, order: {from: self}, give: {from: self, args: {to: player}}}
conserved: {coins: {sum: player.coins + game.till` + conserved + `}}
goals: {here: {reach: place.scene == 'hall'}}
` + rules)
	text = strings.Replace(text, "session: {players: 1}", "session: {"+session+"}", 1)
	if !strings.Contains(session, "players: 1") {
		text = strings.NewReplacer("restart: keep, death: keep, new-run: keep}", "restart: keep}").Replace(text)
	}
	return strings.Replace(text, "saving: {when: [scene, leave], every: 30s}", "saving: {"+saving+"}", 1)
}

const pays = "  - {on: pay, do: [{add: player.coins, by: -1}, {add: game.till, by: 1}]}\n"

func TestWhatIsConservedIsJudgedByWhatMayChangeIt(t *testing.T) {
	mints := pays + "  - {on: mint, do: [{add: game.till, by: 1}]}\n"
	orders := "  - {on: order, do: [{send: mint}]}\n"
	for name, row := range map[string]struct {
		conserved, rules, verdict string
		told                      []string
	}{
		"nothing is made":        {", made_by: [new-run]", pays, Kept, nil},
		"a new purse":            {"", pays, Broken, []string{"made; p1 starts over; 2"}},
		"an event that may not":  {", made_by: [new-run]", mints, Broken, []string{"made; p1 sends mint; 1"}},
		"an event that may":      {", made_by: [mint, new-run]", mints, Kept, nil},
		"one that may only lose": {", made_by: [new-run], lost_by: [mint]", mints, Broken, []string{"made; p1 sends mint; 1"}},
		"sent by one that may":   {", made_by: [order, new-run]", mints + orders, Broken, []string{"made; p1 sends mint; 1"}},
		"a rule by its name":     {", made_by: [saves, new-run]", "  saves: {on: order, do: [{add: game.till, by: 1}]}\n", Kept, nil},
		"a rule that may, and is undone": {", made_by: [tries, new-run]", "  tries: {on: {every: 1m}, do: [{set: game.tried, to: true}]}\n  fails: {on: {changed: game.tried}, do: [{add: game.till, by: 9}]}\n  adds: {on: {every: 1m}, do: [{add: game.till, by: 1}]}\n", Broken,
			[]string{"failed; time passes; 1", "failed; time passes; 3", "made; time passes; 1"}},
		"a rule that has another": {", made_by: [saves, new-run]", "  saves: {on: order, do: [{notify: player, text: Hm.}]}\n  adds: {on: mint, do: [{add: game.till, by: 1}]}\n", Broken, []string{"made; p1 sends mint; 1"}},
	} {
		text := purse("players: 1", "when: [scene, leave]", row.conserved, "rules:\n"+row.rules)
		r := searched(t, text, Options{})
		assert.Equal(t, row.told, told(r), name)
		for _, a := range r.Answers {
			if a.Kind == "conserved" {
				assert.Equal(t, row.verdict, a.Verdict, name)
			}
		}
		plays(t, r, text)
	}
}

// Who gives something away and leaves without a save has it again.
func TestLeavingWithoutASaveGivesBackWhatWasGivenAway(t *testing.T) {
	rules := "rules:\n  - {on: give, do: [{add: player.coins, by: -1}, {add: args.to.coins, by: 1}]}\n"
	only := ", made_by: [new-run], lost_by: [new-run]"
	text := purse("players: 2", "when: [scene]", only, rules)
	r := searched(t, text, Options{Players: 2})
	require.NotEmpty(t, r.Troubles)
	assert.Contains(t, r.Troubles[0].Text, "There is more of coins than before, 7 in place of 6: a visit that ended without a save.")
	assert.Equal(t, 2, r.Troubles[0].Run.Moves)
	plays(t, r, text)

	for _, saving := range []string{"when: [scene, leave]", "when: [scene, change, leave]", "when: [scene, leave], every: 5s"} {
		text = purse("players: 2", saving, only, rules)
		r = searched(t, text, Options{Players: 2})
		assert.Empty(t, r.Troubles, saving)
		assert.False(t, r.Bad())
		plays(t, r, text)
	}
}

// Players stay away while others play on, and come back with what they left with.
func TestPlayersStayAwayWhileOthersPlayOn(t *testing.T) {
	text := purse("players: 2", "when: [scene, leave]", "", `
rules:
  - {on: joined, do: [{add: game.till, by: 1}]}
  - {on: left, do: [{add: game.till, by: -1}]}`)
	text = strings.Replace(text, "goals: {", "goals: {alone: {reach: game.till == 3}, ", 1)
	r := searched(t, text, Options{Players: 2})
	require.Equal(t, Reached, r.Answers[0].Verdict)
	assert.Contains(t, r.Answers[0].Run.Steps, "{leave: p2}")
	assert.NotContains(t, r.NotTried, "players who are away while others play on")
	assert.Contains(t, searched(t, text, Options{}).NotTried, "players who are away while others play on")
	plays(t, r, text)

	m, _, found := model.Load([]byte(purse("players: 2", "when: [scene, leave]", "", "rules:\n"+pays)))
	require.False(t, found.Errors(), "%v", found)
	x := New(m, Options{Players: 2}).whole()
	w := x.worker()
	require.NoError(t, w.start(nil))
	do := func(what, player string) bool {
		for i := range x.moves.all {
			if one := &x.moves.all[i]; (one.do == what || one.name == what) && one.player == player {
				return w.fits(one) && w.do(one)
			}
		}
		return false
	}
	require.True(t, do("pay", "p2"))
	require.True(t, do("leave", "p2"))
	assert.False(t, do("leave", "p1"), "somebody stays")
	kept, key, digest := w.keep(), w.key(0), w.run.Digest()
	require.True(t, do("pay", "p1"))
	require.True(t, do("back", "p2"))
	assert.Equal(t, "1", w.run.Save("p2").Values["coins"].Num.String())
	w.recall(kept)
	assert.Equal(t, []any{key, digest}, []any{w.key(0), w.run.Digest()})
	require.True(t, do("restart", ""), "who is away stays away")
	assert.Equal(t, []string{"p1"}, w.run.Present())
	require.True(t, do("back", "p2"))
	assert.Equal(t, "1", w.run.Save("p2").Values["coins"].Num.String())
}

// What happens to everybody while somebody is away is met when they come back: the states before and after it differ, however
// little else does; how often it happened makes no difference.
func TestWhatWasMissedTellsStatesApart(t *testing.T) {
	text := strings.NewReplacer("\nvariables:", "\ncrossings: {dawn: {title: Dawn, on: order, for: [player]}}\nvariables:",
		"order: {from: self}", "order: {from: server}", "new-run: keep}", "new-run: keep, dawn: keep}").Replace(
		purse("players: 2", "when: [scene, leave]", "", "rules:\n"+pays))
	m, _, found := model.Load([]byte(text))
	require.False(t, found.Errors(), "%v", found)
	x := New(m, Options{Players: 2}).whole()
	w := x.worker()
	require.NoError(t, w.start(nil))
	var keys []key
	for _, do := range []string{"leave", "order", "order", "back", "leave"} {
		for i := range x.moves.all {
			if one := &x.moves.all[i]; (one.do == do || one.name == do) && (one.player == "p2" || one.server) {
				require.True(t, w.fits(one) && w.do(one), do)
			}
		}
		keys = append(keys, w.key(0))
	}
	assert.NotEqual(t, keys[0], keys[1])
	assert.Equal(t, keys[1], keys[2])
	assert.Equal(t, keys[0], keys[4])
}

// Each comes back as themselves, also those who were never saved.
func TestWhoWasNeverSavedComesBackAsThemselves(t *testing.T) {
	m, _, found := model.Load([]byte(purse("players: 2", "when: [scene]", "", "rules:\n"+pays)))
	require.False(t, found.Errors(), "%v", found)
	s := New(m, Options{Players: 2, States: 300})
	for jobs := s.Next(1); len(jobs) > 0; jobs = s.Next(1) {
		jobs[0].Work()
		s.Take(jobs)
	}
	x, away := s.whole(), 0
	w := x.worker()
	for i := range x.nodes {
		w.recall(x.stateAt(int32(i)))
		for player, one := range w.away {
			assert.Equal(t, player, one.back.Player)
			away++
		}
	}
	assert.Positive(t, away)
	of := func(stage int) *engine.Request {
		return &engine.Request{Do: "join", Player: "p2", Shared: map[string]save.Values{"guild": {"stage": types.OfInt(stage)}}}
	}
	assert.NotEqual(t, w.shownOf(of(0)), w.shownOf(of(1)), "what another game has of them tells states apart")
}

// A kept state includes the players' last saves, and is recalled with them.
func TestWhatWasSavedBeforeIsPartOfAState(t *testing.T) {
	text := purse("players: 1", "when: [scene]", "", "rules:\n"+pays)
	m, _, found := model.Load([]byte(text))
	require.False(t, found.Errors(), "%v", found)
	s := New(m, Options{})
	w := s.searches[0].worker()
	require.NoError(t, w.start(nil))
	w.save("p1")
	kept, key := w.keep(), w.key(0)
	pay := &s.searches[0].moves.all[0]
	for i := range s.searches[0].moves.all {
		if one := &s.searches[0].moves.all[i]; one.name == "pay" {
			pay = one
		}
	}
	require.True(t, w.do(pay))
	w.save("p1")
	w.recall(kept)
	assert.Equal(t, key, w.key(0))
	assert.Equal(t, kept, w.keep())
	assert.Equal(t, "2", w.lastSave("p1").Values["coins"].Num.String())
}
