package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/engine"
	"alluvion.dev/core/save"
	"alluvion.dev/core/types"
	"alluvion.dev/internal/worlds"
)

func (w *world) prop(want, name, at string) {
	w.t.Helper()
	got := "-"
	for _, f := range append(w.run.SceneFigures("room"), append(w.run.SceneFigures("garden"), w.run.Figures("ada")...)...) {
		if f.Var.Name == name && f.Prop+f.Scene == at {
			got = f.Value.Plain()
		}
	}
	assert.Equal(w.t, want, got, "%s of %s", name, at)
}

func alone(t testing.TB) *world {
	w := open(t, worlds.Cabin)
	w.join("ada")
	return w
}

func (w *world) toTheTree() {
	w.move("ada", "8", "4")
	w.pass("ada", "out")
	w.move("ada", "20", "19")
}

func TestRule17WithOnePlayerPropsRewindToo(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "open", "it", "red"))
	w.toTheTree()
	w.touch("ada", "tree")
	require.NoError(t, w.self("ada", "open", "it", "green"))
	require.NoError(t, w.self("ada", "chop"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	w.prop("true", "prop.chest.opened", "chest.red")
	w.prop("false", "prop.chest.opened", "chest.green")
	assert.Equal(t, "3", w.run.GameFigures()[0].Value.Plain())
}

func TestAFateThatSetsReachesEveryCopy(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "open", "it", "red"))
	w.toTheTree()
	w.prop("1", "prop.chest.dust", "chest.red") // the room has emptied
	w.prop("-", "prop.chest.dust", "chest.green")
	w.touch("ada", "tree")
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	w.prop("7", "prop.chest.counted", "chest.red")
	w.prop("-", "prop.chest.counted", "chest.green") // set to what it was: it does not come into being
}

func TestRule15APairIsSetFromTheSceneThatWasLeft(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "pace"))
	w.toTheTree()
	w.prop("11", "scene.steps", "room")
	require.NoError(t, w.self("ada", "pace"))
	require.NoError(t, w.self("ada", "fall"))
	w.run.Advance(w.at + 1)
	w.prop("0", "scene.steps", "room") // all of them are reset at death, touched or not
	w.prop("0", "scene.steps", "garden")
}

func TestRule5StartingOverAloneSendsMovablesHome(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "axe"))
	w.toTheTree()
	require.NoError(t, w.self("ada", "hoe"))
	w.move("ada", "25", "20")
	w.must(engine.Request{Do: "start-over", Player: "ada"})
	assert.Equal(t, "room (1, 1)", w.run.World().Movables["axe"].String())
	assert.Equal(t, "garden (25, 20)", w.run.World().Movables["hoe"].String(), "unless its fate says keep")
}

func TestRule1WithOnePlayerTheWorldIsInTheSave(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "open", "it", "blue"))
	require.NoError(t, w.self("ada", "axe"))
	w.toTheTree()
	s := w.leave("ada")
	raw, err := save.Encode(s)
	require.NoError(t, err)
	assert.Contains(t, string(raw), `"props":{"chest":{"blue":{"opened":true}`)
	back, problems, err := save.DecodePlayer(raw, w.m)
	require.NoError(t, err)
	require.Empty(t, problems)
	other := &world{t: t, m: w.m, run: engine.New(w.m)}
	other.back("ada", back)
	other.prop("true", "prop.chest.opened", "chest.blue")
	assert.Equal(t, "garden (20, 19)", other.run.World().Movables["axe"].String(), "set down where the visit ended")
}

// A join that is refused at its very end (what was picked is not there) leaves the world that it was about to
// bring where it was.
func TestARefusedJoinBringsNoWorld(t *testing.T) {
	w := alone(t)
	require.NoError(t, w.self("ada", "open", "it", "blue"))
	s := w.leave("ada")
	other := &world{t: t, m: w.m, run: engine.New(w.m)}
	before := other.run.Digest()
	assert.Error(t, other.do(engine.Request{Do: "join", Player: "ada", Slot: 1, Saved: s, Picks: map[string]types.Value{"hat": types.OfText("felt")}}))
	assert.Equal(t, before, other.run.Digest())
	assert.Empty(t, other.run.Present())
}

func TestThousandsOfPropsCostNothingUntilTheyAreTouched(t *testing.T) {
	text := "props: {chest: {placed: {"
	for i := range 3000 {
		text += "c" + types.OfInt(i).String() + ": {in: garden, at: [" + types.OfInt(i%30).String() + ", " + types.OfInt(i/100).String() + "]}, "
	}
	w := open(t, changed(worlds.Cabin, "props: {chest: {placed: {", text))
	w.join("ada")
	w.toTheTree()
	require.NoError(t, w.self("ada", "open", "it", "c2999"))
	raw, err := save.Encode(w.run.Save("ada"))
	require.NoError(t, err)
	assert.Less(t, len(raw), 2000)
	req := engine.Request{Do: "event", Player: "ada", Name: "open", Args: arguments([]any{"it", "c2999"}), At: w.at}
	assert.Zero(t, testing.AllocsPerRun(100, func() { _, _ = w.run.Step(&req) }))
}

func TestRule1EachSlotBeginsWithAWorldOfItsOwn(t *testing.T) {
	w := open(t, worlds.Cabin)
	require.NoError(t, w.do(engine.Request{Do: "event", Name: "frost", Server: true}), "before anybody is there")
	w.join("ada")
	assert.Equal(t, "3", w.value("", "wood"))
	require.NoError(t, w.self("ada", "chop"))
	require.NoError(t, w.self("ada", "open", "it", "red"))
	require.NoError(t, w.self("ada", "axe"))
	w.move("ada", "4", "4")
	first := w.leave("ada")
	for _, begins := range []engine.Request{{Do: "join", Player: "ada", Slot: 2}, {Do: "join", Player: "bob", Slot: 1}} {
		w.must(begins)
		assert.Equal(t, "3", w.value("", "wood"))
		w.prop("-", "prop.chest.opened", "chest.red")
		assert.Equal(t, "room (1, 1)", w.run.World().Movables["axe"].String())
		assert.NotEqual(t, string(encoded(t, first.World)), string(encoded(t, w.leave(begins.Player).World)))
	}
	w.back("ada", first)
	assert.Equal(t, "4", w.value("", "wood"))
	w.prop("true", "prop.chest.opened", "chest.red")
	assert.Equal(t, "room (4, 4)", w.run.World().Movables["axe"].String())

	// A joining that is refused leaves the world as it is.
	w.leave("ada")
	before := w.run.Digest()
	require.Error(t, w.do(engine.Request{Do: "join", Player: "cai", Slot: 1, Picks: map[string]types.Value{"hat": types.OfText("felt")}}))
	assert.Equal(t, before, w.run.Digest())
}

func encoded(t *testing.T, doc any) []byte {
	raw, err := save.Encode(doc)
	require.NoError(t, err)
	return raw
}
