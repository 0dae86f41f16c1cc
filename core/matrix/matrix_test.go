package matrix_test

import (
	"encoding/csv"
	"encoding/xml"
	"os"
	"strings"
	"testing"

	_ "alluvion.dev/core/action" // what rules can do
	"alluvion.dev/core/check"
	"alluvion.dev/core/plan"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/matrix"
	"alluvion.dev/core/model"
	"alluvion.dev/examples"
)

func demo(t *testing.T, change ...string) matrix.Matrix {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	m, _, found := model.LoadFor([]byte(strings.NewReplacer(change...).Replace(string(raw))), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	return matrix.Of(m)
}

func TestCellsSayWhatHappensAndWhoDecided(t *testing.T) {
	mx := demo(t)
	for _, row := range []struct {
		row, column, fate string
		decided           model.Decided
		sentence          string
	}{
		{"player.warmth", "death", "set", model.ByItself, "Warmth becomes player.max_warmth when the player comes back after dying."},
		{"player.warmth", "scene", "keep", model.ByDefault, "Warmth stays as it is when the player arrives in another scene."},
		{"player.warmth", "new-run", "reset", model.ByDefault, "Warmth goes back to its start, 100, when the player starts over."},
		{"player.parcels", "death", "rewind", model.ByItself, "Parcels goes back to what it was at the checkpoint reached"},
		{"scene.snow", "scene", "reset", model.ByItself, "Snow goes back to its start, 0.4, when the last player leaves the scene."},
		{"game.planks", "death", "n/a", model.NotAtAll, "One player's death is nothing to what all of them share."},
		{"player.pace", "leave", "computed", model.NotAtAll, "it is never stored"},
		{"place", "death", "checkpoint", model.ByItself, "The player is at the checkpoint reached, or before the first one at lodge/hearth"},
		{"place", "scene", "passage", model.ByNature, "The passage decides"},
		{"player.checkpoint", "new-run", "reset", model.ByDefault, "No checkpoint counts as reached any more"},
		{"player.oil", "crash", "saved", model.ByNature, "at most 30s before, or at the last checkpoint or change of scene"},
	} {
		c := mx.Cell(row.row, row.column)
		require.NotNil(t, c, "%s at %s", row.row, row.column)
		assert.Equal(t, row.fate, c.Fate, "%s at %s", row.row, row.column)
		assert.Equal(t, row.decided, c.Decided, "%s at %s", row.row, row.column)
		assert.Contains(t, c.Sentence, row.sentence)
	}
	assert.Equal(t, 39, mx.Cell("player.warmth", "death").Where.Line)
	for _, g := range mx.Groups {
		for _, r := range g.Rows {
			assert.Len(t, r.Cells, len(mx.Columns))
			for _, c := range r.Cells {
				assert.NotEmpty(t, c.Sentence, r.Name)
			}
		}
	}
}

func TestRule35TheCrashColumnFollowsFromTheSaveMoments(t *testing.T) {
	const now = "when: [checkpoint, scene, leave], every: 30s"
	for saving, want := range map[string]string{
		"when: [checkpoint], every: 5s": "≤ 5s",
		"every: 2m":                     "≤ 2m0s",
		"when: [scene, leave]":          "since last change of scene",
		"when: [leave]":                 "unbounded",
	} {
		mx := demo(t, now, saving)
		assert.Equal(t, want, mx.Cell("player.oil", "crash").Short, saving)
	}
}

func TestWithOnePlayerTheWorldDiesWithThem(t *testing.T) {
	mx := demo(t, "players: 60", "players: 1", "game:   {restart: keep}", "game:   {restart: keep, death: rewind, new-run: reset}",
		"scene:  {scene: keep, restart: keep}", "scene:  {scene: keep, restart: keep, death: keep, new-run: reset}")
	assert.Equal(t, "rewind", mx.Cell("game.planks", "death").Fate)
	assert.Equal(t, "reset", mx.Cell("scene.snow", "new-run").Fate)
}

func TestWaymarksAndMilestonesHaveRows(t *testing.T) {
	mx := demo(t)
	for _, row := range []struct{ row, column, fate, sentence string }{
		{"player.way_back", "leave", "keep", "Way back stays remembered when a visit ends"},
		{"player.way_back", "new-run", "reset", "Way back is forgotten when the player starts over."},
		{"player.way_back", "restart", "n/a", "goes with the player"},
		{"player.earned.full_sack", "new-run", "keep", "Who has earned Full Sack has it still"},
		{"player.earned.lamplighter", "new-run", "reset", "Lamplighter has to be earned anew"},
	} {
		c := mx.Cell(row.row, row.column)
		require.NotNil(t, c, "%s at %s", row.row, row.column)
		assert.Equal(t, row.fate, c.Fate)
		assert.Contains(t, c.Sentence, row.sentence)
	}
	assert.Nil(t, mx.Cell("player.none", "leave"))
}

func TestTheMatrixIsWrittenInOtherForms(t *testing.T) {
	mx := demo(t, "title: Furthest stage", "title: =1+1")
	rows := 0
	for _, g := range mx.Groups {
		rows += len(g.Rows)
	}
	text, err := mx.As("csv")
	require.NoError(t, err)
	table, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, table, rows+1)
	assert.Equal(t, []string{"player", "player.warmth", "Warmth", "decimal 0 to 150 in steps of 0.5", "keep", "becomes max_warmth *", "keep", "", "reset", "≤ 30s"}, table[2])
	assert.Equal(t, "'=1+1", table[7][2], "a spreadsheet does not reckon with it")
	text, err = mx.As("markdown")
	require.NoError(t, err)
	assert.Contains(t, text, `| Warmth | keep | = max\_warmth \* | keep |  | reset | ≤ 30s |`)
	text, err = mx.As("svg")
	require.NoError(t, err)
	assert.Equal(t, rows, strings.Count(text, `stroke="#e4ddcf"`))
	require.NoError(t, xml.Unmarshal([]byte(text), new(struct{})), "it is XML")
	_, err = mx.As("clay")
	assert.ErrorContains(t, err, "csv, markdown, svg")
}

// What a form needs to declare a variable otherwise is told of those that can be.
func TestRowsTellHowTheyAreDeclared(t *testing.T) {
	mx := demo(t)
	rows := map[string]matrix.Row{}
	for _, g := range mx.Groups {
		for _, r := range g.Rows {
			rows[r.Name] = r
		}
	}
	for name, want := range map[string]*matrix.Declared{
		"player.oil":              declared("oil", "int", "min", "0", "max", "40"),
		"player.warmth":           declared("warmth", "decimal", "min", "0", "max", "150", "step", "0.5"),
		"player.lamp":             declared("lamp", "choice", "choices", "out, low, bright"),
		"player.courier":          {ID: "courier", DeclaredType: declared("", "pick", "roster", "courier").DeclaredType, Optional: true},
		"player.letters":          {ID: "letters", DeclaredType: declared("", "set", "max_items", "3").DeclaredType, Items: &declared("", "stop").DeclaredType},
		"scene.visited":           declared("visited", "bool"),
		"player.dress.hood":       nil, // a field of a group
		"player.guild.pass_stage": nil, // of a commons
		"place":                   nil, // built in
		"player.earned.full_sack": nil,
	} {
		r, known := rows[name]
		if want == nil && !known {
			continue
		}
		assert.Equal(t, want, r.Declared, name)
	}
	assert.NotNil(t, rows["player.pace"].Declared, "what is computed can be renamed")
}

func declared(id, kind string, limits ...string) *matrix.Declared {
	out := &matrix.Declared{ID: id, DeclaredType: plan.DeclaredType{Type: kind, Limits: map[string]string{}}}
	for i := 0; i < len(limits); i += 2 {
		out.Limits[limits[i]] = limits[i+1]
	}
	return out
}

func TestACellSaysWhatItBecomesAndWhoCanHold(t *testing.T) {
	mx := demo(t)
	assert.Equal(t, "player.max_warmth", mx.Cell("player.warmth", "death").Becomes)
	assert.Empty(t, mx.Cell("player.warmth", "scene").Becomes)
	prefixes := map[string]string{}
	for _, h := range mx.Holders {
		prefixes[h.Holder] = h.Prefix
	}
	assert.Equal(t, map[string]string{"player": "player.", "[player, scene]": "scene.", "scene": "scene.", "game": "game.",
		"prop:cache": "prop.cache.", "[player, prop:cache]": "prop.cache.", "courier": "courier.",
		"[player, courier]": "courier.", "profile": "profile.", "[profile, courier]": "courier.", "stop": "stop.",
		"[player, stop]": "stop.", "[profile, stop]": "stop."}, prefixes)
}

// In a game for one player what is decided for the player holds for the world in their slot, and the sentences say so.
func TestTheWorldOfOnePlayerGoesWithTheirSlot(t *testing.T) {
	m, _, found := check.Text([]byte(`
alluvion: 1
game: alone
version: 1
start: hut/door
session: {players: 1}
defaults: {player: {scene: keep, death: keep, leave: reset, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  fire: {of: game, type: int, min: 0, max: 9, start: 0, read_by: game, written_by: game}
  snow: {of: scene, type: int, min: 0, max: 9, start: 0, read_by: game, written_by: game}
scenes: {hut: {size: [9, 9], spots: {door: {at: [1, 1]}}}}
saving: {when: [leave], every: 20s}
`), nil)
	require.NotNil(t, m, "%+v", found)
	mx := matrix.Of(m)
	cell := mx.Cell("game.fire", "restart")
	assert.Equal(t, "reset", cell.Fate)
	assert.Equal(t, "Fire goes back to its start, 0, when the player's slot is loaded again.", cell.Sentence)
	assert.Equal(t, "keep", mx.Cell("scene.snow", "death").Fate)
	assert.Equal(t, "reset", mx.Cell("scene.snow", "new-run").Fate)
}

// Own crossings are columns of their own, behind those of every game; the place stays where it is.
func TestOwnCrossingsAreColumns(t *testing.T) {
	m, _, found := check.Text(examples.Harbour, nil)
	require.NotNil(t, m, "%+v", found)
	assert.Empty(t, found)
	mx := matrix.Of(m)
	var columns []string
	for _, c := range mx.Columns {
		columns = append(columns, c.ID)
	}
	assert.Equal(t, []string{"scene", "death", "leave", "restart", "new-run", "round", "day", "crash"}, columns)
	assert.Contains(t, mx.Cell("player.coins", "crash").Sentence, "at the last checkpoint or change of scene or Round")
	for _, g := range mx.Groups {
		for _, r := range g.Rows {
			assert.Len(t, r.Cells, len(columns), r.Name)
		}
	}
	assert.Equal(t, "stay", mx.Cell("place", "round").Fate)
	assert.Equal(t, "n/a", mx.Cell("crew.store", "day").Fate)
	assert.Equal(t, "In the store goes back to its start, 0, when the crossing Round happens.", mx.Cell("crew.store", "round").Sentence)
	assert.Equal(t, "The crossing round is only for what these hold: game, crew, player.", mx.Cell("profile.hints", "round").Sentence)
}
