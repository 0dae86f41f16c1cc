package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/expr"
	"alluvion.dev/core/plan"
	"alluvion.dev/internal/worlds"
)

// compiled reads an expression as somebody does who watches ada and bob.
func (w *world) compiled(text, of string) (*expr.Program, engine.Watcher) {
	names := []string{"ada", "bob"}
	p, found := expr.Compile(plan.Expr{Source: text}, w.m.Watching(names, of != ""), nil)
	require.NotNil(w.t, p, "%s: %+v", text, found)
	return p, engine.Watcher{Run: w.run, Players: names, Of: of}
}

func (w *world) sees(viewer, text, of string) bool {
	p, watcher := w.compiled(text, of)
	return watcher.Sees(viewer, p.Reads[0].Ref)
}

func TestRule27WhoIsSentWhatUnlessShareSaysOtherwise(t *testing.T) {
	w := cavern(t)
	w.join("bob")
	for _, row := range []struct {
		name, of string
		together bool // whether bob is sent it in the same scene
		apart    bool // and in another
	}{
		{"ada.depth", "", false, false},
		{"ada.mood", "", true, true},
		{"ada.place.x", "", true, false},
		{"ada.dead", "", true, false},
		{"ada.checkpoint", "", false, false},
		{"game.busy", "", true, true},
		{"scene.steps", "ada", false, false},
		{"prop.vein.north.mined", "ada", false, false},
		{"prop.vein.north.dug", "", false, true},
		{"movables.cart.place.x", "", true, true},
		{"time.session", "", true, true},
	} {
		assert.True(t, row.name == "prop.vein.north.dug" || w.sees("ada", row.name, row.of), "%s is the player's own", row.name)
		assert.Equal(t, row.together, w.sees("bob", row.name, row.of), "%s, together", row.name)
	}
	w.to("bob", "pit")
	assert.False(t, w.sees("bob", "ada.place.x", ""), "going away takes it away")
	assert.True(t, w.sees("bob", "ada.mood", ""))
	assert.True(t, w.sees("bob", "prop.vein.north.dug", ""), "what a prop has is for those in its scene")
	assert.False(t, w.sees("ada", "prop.vein.north.dug", ""))
}

func TestAWatcherReadsWhatIsThereAndSaysWhoIsNot(t *testing.T) {
	w := cavern(t)
	p, watcher := w.compiled("ada.depth + 1", "")
	v, err := watcher.Ask(p)
	require.NoError(t, err)
	assert.Equal(t, "1", v.String())
	p, watcher = w.compiled("bob.depth", "")
	_, err = watcher.Ask(p)
	assert.ErrorContains(t, err, "bob is not in the session")
	p, watcher = w.compiled("movables.cart.holder == ada", "")
	v, err = watcher.Ask(p)
	require.NoError(t, err)
	assert.False(t, v.Bool)
}

func TestRule28RulesCannotReadStandings(t *testing.T) {
	_, _, found := check.Text([]byte(changed(worlds.Caves, "if: player.depth >= 2", "if: standings.miners >= 2")))
	require.NotEmpty(t, found)
	assert.Equal(t, "unknown-name", found[0].ID)
}

func TestRule29ASenderSendsAtMostSoMany(t *testing.T) {
	w := open(t, changed(changed(worlds.Caves, "fall:   {from: self}", "fall:   {from: self, at_most: 3/s}"), "share: {writer: self, with: everyone}", "share: {writer: self, with: everyone, at_most: 2/m}"))
	var rates engine.Rates
	fall := func(player string, at int64) error {
		return rates.Allow(w.run, engine.Request{Do: "event", Player: player, Name: "fall", At: at})
	}
	for range 3 {
		assert.NoError(t, fall("ada", 0))
	}
	assert.ErrorContains(t, fall("ada", 0), "at most 3 times a second")
	assert.NoError(t, fall("bob", 0), "each sender by themselves")
	assert.Error(t, fall("ada", 300))
	assert.NoError(t, fall("ada", 340), "a third of a second later there is room for one")
	assert.Error(t, fall("ada", 340))
	for range 3 {
		assert.NoError(t, fall("ada", 5000))
	}
	mood := func(server bool) error {
		return rates.Allow(w.run, engine.Request{Do: "write", Player: "ada", Server: server, Name: "player.mood"})
	}
	assert.NoError(t, mood(false))
	assert.NoError(t, mood(false))
	assert.ErrorContains(t, mood(false), "at most 2 times a minute")
	assert.NoError(t, mood(true), "the server writes as it has to")
}

func TestRule11WhoDiesOfComingBackDoesNotLoopForEver(t *testing.T) {
	w := open(t, changed(worlds.Caves, "  - {on: fall, do: [{die: player}]}", "  - {on: fall, do: [{die: player}]}\n  - {on: came-back, do: [{die: player}]}"))
	w.join("ada")
	require.NoError(t, w.self("ada", "fall"))
	res := w.run.Advance(60_000)
	assert.NotEmpty(t, res.Changes)
}

func TestANoticeIsHeardByThoseWhomItIsFor(t *testing.T) {
	w := cavern(t)
	w.join("bob")
	here, _ := w.run.Place("ada")
	for name, row := range map[string]struct {
		notice               engine.Notice
		together, apart, own bool
	}{
		"for one player": {engine.Notice{To: "player", Player: "ada", Scene: here.Scene}, false, false, true},
		"for a scene":    {engine.Notice{To: "scene", Player: "ada", Scene: here.Scene}, true, false, true},
		"for everyone":   {engine.Notice{To: "everyone"}, true, true, true},
	} {
		w := cavern(t)
		w.join("bob")
		assert.Equal(t, row.own, w.run.Hears("ada", &row.notice), name)
		assert.Equal(t, row.together, w.run.Hears("bob", &row.notice), name)
		w.to("bob", "pit")
		assert.Equal(t, row.apart, w.run.Hears("bob", &row.notice), name)
	}
	assert.False(t, w.run.Hears("nobody", &engine.Notice{To: "scene", Player: "ada", Scene: here.Scene}))
}
