package rehearse_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/rehearse"
)

// A step that is to be refused is not green for what it misspells: names are judged before anything is played.
func TestMisspeltNamesKeepAScriptFromBeingPlayed(t *testing.T) {
	for name, row := range map[string]struct{ step, words string }{
		"a passage":             {"{refused: {pass: rope_brigde, by: p1}}", `no passage called "rope_brigde". Did you mean rope_bridge?`},
		"an event":              {"{refused: {event: laod, by: p1}}", `no event called "laod". Did you mean load?`},
		"a checkpoint":          {"{refused: {touch: gorge_shleter, by: p1}}", `no checkpoint called`},
		"an argument":           {"{refused: {event: open, by: p1, args: {cahce: under_ledge}}}", `no argument of open called "cahce"`},
		"an axis":               {"{refused: {pass: porch_gorge, by: p1, at: {z: 3}}}", `no axis called "z"`},
		"an axis of a move":     {"{refused: {move: p1, to: {z: 3}}}", `no axis called "z"`},
		"a facing":              {"{move: p1, to: [3, 3], facing: nroth}", `no facing called`},
		"an option":             {"{refused: {join: p2, as: {courier: bris}}}", `no courier called "bris"`},
		"a pick":                {"{refused: {join: p2, as: {courrier: brisa}}}", `no pick of a player called`},
		"a prop":                {"{refused: {event: open, by: p1, args: {cache: at_cern}}}", `no cache called`},
		"a player":              {"{refused: {event: hand_over, by: p1, args: {to: p3}}}", `no player in this rehearsal called "p3"`},
		"a variable":            {"{refused: {write: oli, by: p1, value: 3}}", `no variable called "oli"`},
		"whose variable":        {"{write: oil, by: server, value: 3, player: p3}", `no player called "p3"`},
		"a name in an expect":   {"{expect: {p1.parcel: 1}}", "Did you mean p1.parcels"},
		"a value in an expect":  {"{expect: {p1.place.scene: groge}}", `no scene called "groge"`},
		"a name in sees":        {"{sees: p1, not: p1.parcel}", "Did you mean p1.parcels"},
		"no condition":          {"{expect: p1.parcels + 1}", "A condition is wanted"},
		"what is no variable":   {"{correct: p1.dead, to: true, why: fun}", "cannot be corrected"},
		"p2's, written by p1":   {"{write: nickname, by: p1, player: p2, value: Bo}", "player goes with by: server only"},
		"another game's by p1":  {"{write: player.guild.market_stage, by: p1, value: 1}", "is written by the game lantern-market alone"},
		"another game's of one": {"{write: player.guild.market_stage, by: lantern-market, value: 1}", "Say whose it is: player."},
		"our own, by another":   {"{write: oil, by: lantern-market, player: p1, value: 1}", `no player in this rehearsal called "lantern-market"`},
		"a game that is none":   {"{join: p1, game: market}", `No game is called "market" in this rehearsal`},
		"a place of a value":    {"{correct: p1.oil, to: {x: 3}, why: fun}", "go with move only"},
		"a standing":            {"{expect: {p1.places.carid: 1}}", "carried"},
		"what somebody holds":   {"{expect: p1.holds('slde')}", `no movable called "slde"`},
		"where somebody is":     {"{expect: p1.inside('gorge/scre')}", "gorge/scree"},
		"whoever is deleted":    {"{delete: p3}", `no player called "p3"`},
		"what many are called":  {"{write: taken, by: server, value: true, player: p1}", ""},
		"after another version": {"{upgrade: p1, to: 4}\n  - {expect: {p1.parcels: 0, p1.sack: 0}}", ""},
	} {
		t.Run(name, func(t *testing.T) {
			r := play("  - {join: p1}\n  - " + row.step + "\n")
			if row.words == "" {
				return
			}
			require.NotEmpty(t, r.Found)
			assert.Contains(t, r.Found[0].Message, row.words)
			assert.Equal(t, 6, r.Found[0].Line)
			assert.NotEmpty(t, r.Found[0].Excerpt)
			assert.False(t, r.Passed())
			assert.Empty(t, r.Steps)
		})
	}
}

// Nobody refuses what nobody is asked for: such a step would be green whatever the plan says.
func TestOnlyWhatSomebodyAsksForCanBeRefused(t *testing.T) {
	for _, step := range []string{"wait: 1s", "date: 2027-01-03 10:00", "crash: machine", "restart: session", "upgrade: p1, to: 4",
		"expect: p1.parcels == 99", "told: p1, notice: arrived", "sees: p1, not: p1.oil", "refused: {leave: p1}"} {
		r := play("  - {join: p1}\n  - refused: {" + step + "}\n")
		require.NotEmpty(t, r.Found, step)
		assert.Contains(t, r.Found[0].Message, "nothing that can be refused", step)
		assert.False(t, r.Passed(), step)
	}
	passes(t, "  - {join: p1}\n  - refused: {delete: p1}\n    because: they have to leave first\n")
	assert.Contains(t, failing(t, "  - {join: p1}\n  - refused: {delete: p2}\n").Failed, "was not")
}

// What expects nothing, and what is refused for how it is written, is not green.
func TestAStepThatSaysNothingIsNotGreen(t *testing.T) {
	for step, words := range map[string]string{
		"{expect: {}}":                          "Nothing is expected here",
		"{expect: true}":                        "reads nothing of the game",
		"{expect: 1 < 2}":                       "reads nothing of the game",
		"{sees: p1, not: 1 < 2}":                "reads nothing of the game",
		"{told: p1, notice: \"\"}":              "Nothing is expected here",
		"{sees: p2, not: p1.oil}":               "p2 is not in the session, and sees nothing",
		"{refused: {event: hand_over, by: p1}}": "because of how the step is written",
		"{refused: {event: load, by: p2}}":      `There is no player "p2" in this session.`,
		"{refused: {move: p1, to: [1, 2, 3]}}":  "2 coordinates",
		"{refused: {write: oil, by: server, player: p1, value: true}}": "how the step is written",
	} {
		assert.Contains(t, failing(t, "  - {join: p1}\n  - "+step+"\n").Failed, words, step)
	}
	for _, step := range []string{"{refused: {event: load, by: p2}, because: no player}", "{expect: \"!p1.holds('sled')\"}", "{expect: \"!p1.inside('gorge/scree')\"}",
		"{expect: count(present) == 1}", "{expect: time.session == 0}", "{expect: \"!p1.earned('full_sack')\"}", "{expect: p1.oil == 12}"} {
		passes(t, "  - {join: p1}\n  - "+step+"\n")
	}
}

func passes(t *testing.T, steps string) {
	t.Helper()
	r := play(steps)
	require.Empty(t, r.Found, "%+v", r.Found)
	for _, s := range r.Steps {
		assert.Empty(t, s.Failed, "line %d: %s %v", s.Line, s.Text, s.Wanted)
	}
}

func failing(t *testing.T, steps string) rehearse.Step {
	t.Helper()
	r := play(steps)
	require.Empty(t, r.Found, "%+v", r.Found)
	for _, s := range r.Steps[:len(r.Steps)-1] {
		require.Empty(t, s.Failed, "line %d: %s %v", s.Line, s.Text, s.Wanted)
	}
	return r.Steps[len(r.Steps)-1]
}

// sees reads what the frames brought to that machine by then: of who comes late, of who goes to another scene, and of
// what went away.
func TestSeesReadsWhatWasSent(t *testing.T) {
	passes(t, `  - {join: p1}
  - {pass: porch_gorge, by: p1, at: {x: 30, y: 1}}
  - {event: snowfall, by: p1, args: {depth: 0.5}}
  - {sees: p1, expect: {scenes.gorge.snow: 0.9, p1.place.scene: gorge}}
  - {join: p2}
  - {sees: p2, not: scenes.gorge.snow}
  - {sees: p2, not: p1.place.x}
  - {sees: p2, expect: {game.bridge_mended: false, p2.place.scene: lodge, movables.sled.place.scene: lodge}}
  - {pass: porch_gorge, by: p2, at: {x: 30, y: 1}}
  - {sees: p2, expect: {scenes.gorge.snow: 0.9, p1.place.scene: gorge}}
  - {sees: [p1, p2], expect: {p2.place.scene: gorge}}
  - {sees: p2, expect: "!prop.cache.under_ledge.taken", of: p2}
  - {pass: porch_gorge, by: p1}
  - {sees: p1, not: scenes.gorge.snow}
  - {sees: p1, not: p2.place.x}
  - {leave: p2}
  - {sees: p1, expect: {p1.place.scene: lodge}}
`)
	late := failing(t, "  - {join: p1}\n  - {join: p2}\n  - {pass: porch_gorge, by: p2, at: {x: 30, y: 1}}\n  - {sees: p1, expect: {p2.place.scene: gorge}}\n")
	assert.Equal(t, "p1 has not been sent p2.place.scene.", late.Failed)
	other := failing(t, "  - {join: p1}\n  - {join: p2}\n  - {sees: p1, expect: {p2.parcels: 0}}\n")
	assert.Equal(t, "p1 has not been sent p2.parcels.", other.Failed)
	told := failing(t, "  - {join: p1}\n  - {sees: p1, not: p1.place.x}\n")
	assert.Equal(t, "p1 is sent p1.place.x.", told.Failed)
}

// What a machine is not told yet it does not see, whichever of both values is expected.
func TestSeesIsNotFooledByWhatIsToldLate(t *testing.T) {
	const plan = `
alluvion: 1
game: hut
version: 1
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  place: {death: checkpoint, leave: exact}
events: {warm: {from: self}}
variables: {warmth: {of: player, type: int, min: 0, max: 99, start: 0, share: {with: everyone, told: 1/s}}}
rules: [{on: warm, do: [{add: player.warmth, by: 1}]}]
scenes: {hall: {size: [10, 10], spots: {door: {at: [5, 0]}}}}
session: {players: 4}
saving: {when: [scene, leave], every: 30s}
`
	last := func(steps string) rehearse.Step {
		r := rehearse.Play([]byte("rehearsal: told\nplan: ../plan.yaml\nplayers: [ada, bob]\nsteps:\n  - {join: ada}\n  - {join: bob}\n  - {wait: 2s}\n"+
			"  - {event: warm, by: ada}\n  - {sees: bob, expect: {ada.warmth: 1}}\n  - {event: warm, by: ada}\n"+steps), func(string) ([]byte, error) { return []byte(plan), nil })
		require.Empty(t, r.Found)
		for _, s := range r.Steps[:len(r.Steps)-1] {
			require.Empty(t, s.Failed, s.Text)
		}
		return r.Steps[len(r.Steps)-1]
	}
	for _, value := range []string{"1", "2"} {
		assert.Equal(t, "bob still has ada.warmth as 1: it is told 1/s at most.", last("  - {sees: bob, expect: {ada.warmth: "+value+"}}\n").Failed)
	}
	assert.Empty(t, last("  - {wait: 1s}\n  - {sees: bob, expect: {ada.warmth: 2}}\n").Failed)
}

func TestStandingsAreReadByWhoWatches(t *testing.T) {
	passes(t, `  - {join: p1}
  - {expect: {standings.carried: [p1], p1.standings.carried: 0, p1.places.carried: 1, p2.places.carried: none}}
  - {event: load, by: p1}
  - {event: deliver, by: p1}
  - {join: p2}
  - {expect: {standings.carried: [p1, p2], p1.standings.carried: 1, p2.standings.carried: 0, p2.places.carried: 2}}
  - {leave: p1}
  - {expect: {standings.carried: [p1, p2], p1.places.carried: 1}}
  - {event: load, by: p2}
  - {event: deliver, by: p2}
  - {expect: {standings.carried: [p1, p2], p2.places.carried: 2}}
  - {event: load, by: p2}
  - {event: deliver, by: p2}
  - {expect: {standings.carried: [p2, p1], p1.places.carried: 2}}
  - {expect: standings.sure_footed.contains('p1') && count(standings.carried) == 2}
`)
}

// Of each player can be asked what the player's own rules ask, and two can stand in one expectation.
func TestTwoPlayersStandInOneExpectation(t *testing.T) {
	passes(t, `  - {join: p1}
  - {join: p2}
  - {move: p1, to: [4, 20]}
  - {event: take_sled, by: p1}
  - {expect: p1.holds('sled') && !p2.holds('sled')}
  - {pass: porch_gorge, by: p2, at: {x: 30, y: 1}}
  - {expect: "p2.scenes.gorge.visited && !p1.scenes.gorge.visited && p1.scene.visited"}
  - {move: p2, to: [50, 29]}
  - {event: open, by: p2, args: {cache: under_ledge}}
  - {expect: p2.prop.cache.under_ledge.taken && !p1.prop.cache.under_ledge.taken && count(p2.taken) > count(p1.taken)}
  - {expect: "!p2.inside('gorge/scree')"}
  - {move: p2, to: [50, 17]}
  - {expect: p2.dead && !p1.dead}
`)
}

func TestPlacesAreWrittenInBothForms(t *testing.T) {
	passes(t, `  - {join: p1}
  - {move: p1, to: {x: 30}}
  - {expect: {p1.place.x: 30, p1.place.y: 12}}
  - {move: p1, to: [30, 4], facing: north}
  - {expect: {p1.place.y: 4}}
  - {pass: porch_gorge, by: p1, at: [20, 0]}
  - {expect: {p1.place.scene: gorge}}
`)
}

func TestVariablesAreWrittenByTheirWholeNames(t *testing.T) {
	passes(t, `  - {join: p1}
  - {write: player.dress.hood, by: server, player: p1, value: up}
  - {write: dress.scarf, by: server, player: p1, value: blue}
  - {write: game.planks, by: server, value: 3}
  - {write: scene.snow, by: server, scene: gorge, value: 1.5}
  - {expect: {p1.dress.hood: up, p1.dress.scarf: blue, game.planks: 3, scenes.gorge.snow: 1.5}}
  - {correct: p1.earned('full_sack'), to: true, why: support promised it}
  - {expect: p1.earned('full_sack')}
  - {correct: p1.earned('full_sack'), to: false, why: it was too early}
  - {expect: "!p1.earned('full_sack')"}
`)
}

// What another game writes of a commons can be written without its plan, whether the player is here or not, and stays.
func TestAnotherGameWritesWithoutItsPlan(t *testing.T) {
	passes(t, `  - {join: p1}
  - {expect: {p1.guild.market_stage: 0}}
  - {write: player.guild.market_stage, by: lantern-market, player: p1, value: 1}
  - {expect: {p1.guild.market_stage: 1}}
  - {write: player.guild.market_stage, by: lantern-market, player: p2, value: 2}
  - {join: p2}
  - {expect: {p2.guild.market_stage: 2}}
  - {leave: p1}
  - {crash: machine}
  - {join: p1}
  - {expect: {p1.guild.market_stage: 1}}
`)
	r := play("  - {join: p1}\n  - {write: player.guild.market_stage, by: lantern-market, player: p1, value: 1000}\n")
	assert.False(t, r.Passed())
}

// Two games are played at once: what one writes into a commons is there in the other, at once and after leaving.
func TestTwoGamesArePlayedAtOnce(t *testing.T) {
	const script = `rehearsal: two games
plan: ../../lantern-pass/plan.yaml
beside: {market: ../../lantern-market/plan.yaml}
players: [wren]
steps:
  - {join: wren}
  - {join: wren, game: market}
  - {move: wren, to: [0, 8], game: market}
  - {event: sell, by: wren, args: {stall: wool}, game: market}
  - {event: sell, by: wren, args: {stall: wool}, game: market}
  - {event: sell, by: wren, args: {stall: wool}, game: market}
  - {expect: {wren.guild.market_stage: 1}}
  - refused: {correct: wren.guild.market_stage, to: 3, why: a try}
    because: lantern-market writes
  - {correct: wren.guild.pass_stage, to: 2, why: it is our own}
  - {expect: {wren.guild.pass_stage: 2}, game: market}
  - {leave: wren, game: market}
  - {crash: machine, game: market}
  - {join: wren, game: market}
  - {expect: {wren.guild.pass_stage: 2, wren.guild.market_stage: 1}, game: market}
  - {told: wren, notice: joined, game: market}
`
	folder := "../../examples/lantern-market/rehearsals"
	r := rehearse.Play([]byte(script), func(name string) ([]byte, error) { return os.ReadFile(filepath.Join(folder, name)) })
	require.Empty(t, r.Found, "%+v", r.Found)
	for _, s := range r.Steps {
		assert.Empty(t, s.Failed, "line %d: %s %v", s.Line, s.Text, s.Wanted)
	}
	require.Len(t, r.Covered, 2)
	assert.Equal(t, "lantern-pass", r.Covered[0].Game)

	by := script + "  - {write: player.guild.market_stage, by: lantern-market, player: wren, value: 2}\n"
	r = rehearse.Play([]byte(by), func(name string) ([]byte, error) { return os.ReadFile(filepath.Join(folder, name)) })
	require.NotEmpty(t, r.Found)
	assert.Contains(t, r.Found[0].Message, "is in this rehearsal: let it happen there, with game: market")
}

// What a rehearsal exercises of its plan is counted, and nothing else is.
func TestCoverageCountsWhatWasExercised(t *testing.T) {
	r := play(`  - {join: p1, as: {courier: brisa}}
  - {refused: {pass: rope_bridge, by: p1}}
  - {pass: porch_gorge, by: p1, at: {x: 30, y: 1}}
  - {move: p1, to: [30, 20]}
  - {touch: gorge_shelter, by: p1}
  - {event: load, by: p1}
  - {die: p1}
  - {wait: 1s}
  - {leave: p1}
  - {join: p1}
`)
	require.True(t, r.Passed(), "%+v", r.Steps)
	done := map[string]bool{}
	for _, thing := range r.Covered[0].Things {
		if thing.Done {
			done[thing.Kind+": "+thing.Name] = true
		}
		assert.Positive(t, thing.Line, thing.Name)
		assert.Contains(t, rehearse.ThingKinds, thing.Kind)
	}
	for _, yes := range []string{"passages: porch_gorge", "checkpoints: gorge_shelter", "options: player.courier brisa", "fates: player.parcels at death", "fates: player.courier at leave", "fates: player.courier at scene", "rules: rule 5 on load"} {
		assert.True(t, done[yes], "%s\n%v", yes, done)
	}
	for _, no := range []string{"passages refused: rope_bridge", "passages: rope_bridge", "options: player.courier tarn", "fates: player.courier at new-run", "milestones: full_sack", "rules: rule 2 on snowfall"} {
		assert.False(t, done[no], "%s: too far away is no gate that refused", no)
	}
	all := r.Covered[0]
	before := strings.Count(strings.Join(kindsDone(all), " "), "checkpoints")
	all.Add(play("  - {join: p1}\n  - {refused: {event: deliver, by: p1}}\n").Covered[0])
	assert.Equal(t, before, strings.Count(strings.Join(kindsDone(all), " "), "checkpoints"))
}

func kindsDone(c rehearse.Coverage) []string {
	var out []string
	for _, x := range c.Things {
		if x.Done {
			out = append(out, x.Kind)
		}
	}
	return out
}
