package scout

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/types"
	"alluvion.dev/examples"
)

const stuck = "../../examples/stuck"

// searched searches a plan to the end.
func searched(t testing.TB, text string, o Options) *Report {
	m, _, found := check.Plan([]byte(text), examples.Commons)
	require.NotNil(t, m, "%+v", found)
	require.False(t, found.Errors(), "%+v", found)
	return searchedFor(t, m, o).Report()
}

// told is what a report says is wrong, each with the move at which it went wrong and how many there were.
func told(r *Report) []string {
	var out []string
	for _, a := range r.Answers {
		if a.Verdict == Never && (a.Kind == "goal" || a.Kind == "milestone") {
			out = append(out, fmt.Sprintf("never %s %s", a.Kind, a.ID))
		}
	}
	for _, d := range r.DeadEnds {
		if d.Proved {
			out = append(out, fmt.Sprintf("dead end %s; %s; %d", d.ID, d.Lost, d.Run.Moves))
		}
	}
	for _, x := range r.Troubles {
		out = append(out, fmt.Sprintf("%s; %s; %d", x.Kind, x.Run.Last, x.Run.Moves))
	}
	return out
}

// Each has one trouble, which is found by the shortest run; and a twin, which differs in one place, has none and is
// searched to the end.
func TestStuckPlansAreFoundAndTheirTwinsAreNot(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(stuck, "*.yaml"))
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 20)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			head, body, _ := strings.Cut(string(raw), "alluvion: 1")
			wanted, change, ok := strings.Cut(after(head, "# Found: "), "\n# Mended:  ")
			require.True(t, ok)
			from, to, ok := strings.Cut(strings.TrimSuffix(change, "\n"), "  =>  ")
			require.True(t, ok)
			require.Equal(t, 1, strings.Count(body, from))

			r := searched(t, string(raw), Options{})
			assert.Equal(t, strings.Split(wanted, " | "), told(r))
			assert.True(t, r.Bad() || strings.HasPrefix(wanted, "cut off"))
			plays(t, r, "alluvion: 1"+body)

			twin := "alluvion: 1" + strings.Replace(body, from, to, 1)
			r = searched(t, twin, Options{})
			assert.Empty(t, told(r))
			assert.False(t, r.Bad())
			for _, x := range r.Searches {
				assert.True(t, x.Complete, "%s: %v", x.Name, x.Why)
			}
			plays(t, r, twin)
		})
	}
}

func after(text, mark string) string {
	_, rest, _ := strings.Cut(text, mark)
	return rest
}

// plays makes sure that each run plays as a rehearsal to the same end.
func plays(t testing.TB, r *Report, text string) {
	for _, run := range runs(r) {
		playsToTheEnd(t, run, text)
	}
}

func runs(r *Report) []*Run {
	var out []*Run
	for _, a := range r.Answers {
		if a.Run != nil {
			out = append(out, a.Run)
		}
	}
	for _, d := range r.DeadEnds {
		out = append(out, d.Run)
	}
	for _, x := range r.Troubles {
		out = append(out, x.Run)
	}
	return out
}

// small is a plan around some of its parts, for one player.
func small(parts string) string {
	return `
alluvion: 1
game: small
version: 1
space: {axes: [x, y], facings: [north, south]}
start: hall/door
defaults:
  player: {scene: keep, death: keep, leave: keep, new-run: reset}
  scene:  {scene: keep, restart: keep, death: keep, new-run: keep}
  game:   {restart: keep, death: keep, new-run: keep}
  prop:   {scene: keep, restart: keep, death: keep, new-run: keep}
  place:  {death: checkpoint, leave: exact}
scenes:
  hall: {size: [20, 20], spots: {door: {at: [1, 1]}, far: {at: [18, 18]}}, areas: {mud: {x: [8, 10], y: [8, 10]}, bog: {x: [9, 12], y: [9, 12]}}}
  loft: {size: [9, 9], spots: {hatch: {at: [1, 1]}}}
checkpoints: {fallback: hall/door}
saving: {when: [scene, leave], every: 30s}
session: {players: 1}
` + parts
}

// Where there are too many states, the report names what makes so many of them.
func TestWhatMakesTooManyStatesIsNamed(t *testing.T) {
	text := small(`
variables:
  steps: {of: player, type: int, min: 0, max: 9999, start: 0}
  lit:   {of: player, type: bool, start: false}
  other: {of: player, type: int, min: 0, max: 9999, start: 0, read_by: game}
events: {walk: {from: self}, back: {from: self}, light: {from: self}, look: {from: self}}
rules:
  - {on: walk, do: [{add: player.steps, by: 3}, {add: player.other, by: 1}]}
  - {on: back, do: [{add: player.steps, by: -1}]}
  - {on: light, do: [{set: player.lit, to: '!player.lit'}]}
goals: {g: {reach: player.steps == 5001 && player.lit}}
`)
	r := searched(t, text, Options{States: 200})
	require.NotEmpty(t, r.Costs())
	assert.Equal(t, "player.steps", r.Costs()[0].Name)
	assert.Less(t, r.Costs()[0].Percent, 10)
	for _, one := range r.Costs() {
		assert.NotEqual(t, "player.other", one.Name, "it decides nothing")
	}
	assert.Empty(t, searched(t, strings.Replace(text, "5001", "2", 1), Options{States: 20_000}).Searches[0].Costs, "that search is complete")
}

// What players do besides sending events is done too: they pick on joining, come near to things, turn, and walk into
// where areas meet.
func TestWaysThatNoEventIsPartOfAreFound(t *testing.T) {
	for name, parts := range map[string]string{
		"a pick on joining": `
rosters: {hat: {options: {cap: {title: Cap}, hood: {title: Hood}}}}
variables: {hat: {of: player, type: pick, roster: hat, optional: true}}
goals: {there: {reach: player.hat.orValue('cap') == 'hood'}}
`,
		"coming near to a prop": `
props: {bell: {placed: {one: {in: hall, at: [5, 15]}}, radius: 1}}
variables: {rung: {of: player, type: bool, start: false}}
rules: [{on: {entered: prop:bell}, do: [{set: player.rung, to: true}]}]
goals: {there: {reach: player.rung}}
`,
		"turning": `
variables: {x: {of: player, type: bool, start: false, read_by: game}}
goals: {there: {reach: place.facing == 'south'}}
`,
		"walking into an area": `
variables: {x: {of: player, type: bool, start: false, read_by: game}}
goals: {there: {reach: "inside('hall/mud')"}}
`,
		"a timer": `
variables: {n: {of: game, type: int, min: 0, max: 9, start: 0}}
rules: [{on: {every: 1m}, do: [{add: game.n, by: 1}]}]
goals: {there: {reach: game.n >= 3}}
`,
		"a value that the game's server writes": `
variables: {n: {of: game, type: int, min: 0, max: 9, start: 0, written_by: game}}
goals: {there: {reach: game.n == 7}}
`,
		"a value of one's own": `
variables: {n: {of: player, type: int, min: 0, max: 9, start: 0, share: {writer: self}}}
goals: {there: {reach: player.n == 7}}
`,
		"a waymark": `
waymarks: {mark: {title: Mark}}
variables: {x: {of: player, type: bool, start: false, read_by: game}}
passages: {up: {from: hall/far, to: loft/hatch}, back: {from: loft/hatch, to: mark, else: hall/door}}
events: {keep: {from: self, if: place.scene == 'loft'}}
rules: [{on: keep, do: [{remember: mark}]}]
goals: {there: {reach: has(player.mark)}}
`,
	} {
		r := searched(t, small(parts), Options{})
		require.NotEmpty(t, r.Answers, name)
		assert.Equal(t, Reached, r.Answers[0].Verdict, name)
		plays(t, r, small(parts))
	}
}

// A goal that reads nothing of the game holds from the start: its run expects something that a rehearsal can hold it against.
func TestTheRunToAGoalThatAsksForNothingPlays(t *testing.T) {
	text := small(`goals: {there: {reach: "1 != 2"}}`)
	r := searched(t, text, Options{})
	require.Equal(t, Reached, r.Answers[0].Verdict)
	assert.Equal(t, "place.scene == 'hall' && player.dead == false", r.Answers[0].Run.End)
	plays(t, r, text)
}

// Nothing is called impossible where something that could lead there was left out.
func TestWhatWasLeftOutIsNoProof(t *testing.T) {
	for name, row := range map[string][2]string{
		"areas that overlap": {`
variables: {x: {of: player, type: bool, start: false, read_by: game}}
goals: {there: {reach: "inside('hall/mud') && inside('hall/bog') && player.x"}}
`, "areas overlap in hall"},
		"coordinates": {`
variables: {x: {of: player, type: bool, start: false, read_by: game}}
goals: {there: {reach: place.x == 13.7}}
`, "coordinates are read"},
		"a number with many values": {`
variables: {n: {of: player, type: int, min: 0, max: 9999, start: 0}}
events: {say: {args: {n: {type: int, min: 0, max: 9999}}, from: self}}
rules: [{on: say, if: "mod(args.n, 1000) == 777", do: [{set: player.n, to: args.n}]}]
goals: {there: {reach: player.n > 5000}}
`, "of say only some values are tried"},
		"a stopwatch": {`
variables: {w: {of: player, type: stopwatch}, x: {of: player, type: bool, start: false}}
events: {now: {from: self, if: player.w > 3 && player.w < 3.5}}
rules: [{on: now, do: [{set: player.x, to: true}]}]
goals: {there: {reach: player.x}}
`, "player.w runs on by itself"},
		"other slots": {`
variables: {n: {of: profile, type: int, min: 0, max: 9, start: 0, across: {new-run: keep}}, done: {of: player, type: bool, start: false}}
events: {more: {from: self, if: "!player.done"}}
rules: [{on: more, do: [{add: profile.n, by: 1}, {set: player.done, to: true}]}]
goals: {there: {reach: profile.n >= 2}}
requests: {start-over: {closed: true}}
`, "over all slots"},
	} {
		text := small(row[0])
		if name == "other slots" {
			text = strings.Replace(text, "saving: {when", "saving: {slots: 2, when", 1)
			text = strings.Replace(text, "  place: ", "  profile: {scene: keep, death: keep, leave: keep, new-run: keep}\n  place: ", 1)
			text = strings.ReplaceAll(text, "profile.n", "player.profile.n")
		}
		r := searched(t, text, Options{States: 3000})
		assert.NotEqual(t, Never, r.Answers[0].Verdict, name)
		why := ""
		for _, s := range r.Searches {
			why += strings.Join(s.Why, "; ")
		}
		assert.Contains(t, why, row[1], name)
	}
}

// More players than were tried may find a way where something is held in common.
func TestOtherPlayersAreADoubtWhereTheyCouldHelp(t *testing.T) {
	const parts = `
variables: {lever: {of: %s, type: int, min: 0, max: 1, start: 0}}
events: {pull: {from: self, if: %s.lever == 0}}
rules: [{on: pull, do: [{add: %s.lever, by: 1}]}]
goals: {there: {reach: %s.lever >= 2}}
`
	for holder, verdict := range map[string]string{"player": Never, "game": NotFound} {
		text := strings.NewReplacer("players: 1}", "players: 8}", ", death: keep, new-run: keep}", "}").Replace(
			small(strings.ReplaceAll(parts, "%s", holder)))
		r := searched(t, text, Options{})
		assert.Equal(t, verdict, r.Answers[0].Verdict, holder)
	}
}

// What happens on leaving, with time and by the date is seen too: a rule or an option that only these reach was reached.
func TestWhatHappensWithoutARequestIsSeen(t *testing.T) {
	text := small(`
rosters: {hat: {options: {cap: {title: Cap}, hood: {title: Hood}}}}
crossings: {day: {title: Day, calendar: {every: day, at: "04:00", zone: UTC}, for: [player]}}
variables:
  hat:  {of: player, type: pick, roster: hat, optional: true, across: {day: keep}}
  left: {of: player, type: bool, start: false, read_by: game, across: {day: keep}}
  days: {of: player, type: int, min: 0, max: 2, start: 0, read_by: game, across: {day: keep}}
rules:
  - {on: left, do: [{set: player.left, to: true}]}
  - {on: {every: {time: 1m, of: player}}, do: [{pick: player.hat, option: hood}]}
  - {on: {crossed: day, of: player}, do: [{add: player.days, by: 1}]}
`)
	text = strings.Replace(text, "new-run: reset}", "new-run: reset, day: keep}", 1)
	r := searched(t, text, Options{States: 3000})
	for _, a := range r.Answers {
		if a.Kind == "rule" || a.Kind == "option" {
			assert.Equal(t, Reached, a.Verdict, a.ID)
		}
	}
	plays(t, r, text)
}

// What only another game can write is tried too, and stays over leaving and over a session that is opened again.
func TestAnotherGameOpensADoor(t *testing.T) {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	s := firstSearch(m, Options{States: 1500})
	hall := Answer{}
	for _, a := range s.Report().Answers {
		if a.Kind == "scene" && a.ID == "guildhall" {
			hall = a
		}
	}
	require.Equal(t, Reached, hall.Verdict)
	assert.Contains(t, strings.Join(hall.Run.Steps, "\n"), "{write: player.guild.market_stage, by: lantern-market, player: p1, value: ")
	playsToTheEnd(t, hall.Run, string(examples.LanternPass))

	w := s.searches[0].worker()
	require.NoError(t, w.start(nil))
	for i := range w.moves.all {
		if one := &w.moves.all[i]; one.do == "commons" && one.value == types.OfInt(1) {
			require.True(t, w.do(one))
			break
		}
	}
	again := engine.Watcher{Run: w.run, Of: "p1"}
	for _, do := range []func() bool{func() bool { return true }, func() bool { return w.again(&move{player: "p1"}) }, w.restart, w.crash} {
		require.True(t, do())
		again.Run = w.run
		stage, err := again.Ask(m.Passage("guild_door").If)
		require.NoError(t, err)
		assert.True(t, stage.Bool)
	}
}

// Where the states are, by scene, and how one scene leads to another.
func TestTheReportSaysWhereItWent(t *testing.T) {
	m, _, found := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", found)
	r := firstSearch(m, Options{States: 1500}).Report()
	require.Len(t, r.Places.Scenes, 7)
	assert.Equal(t, []any{"lodge", "The Lodge", 0}, []any{r.Places.Scenes[0].ID, r.Places.Scenes[0].Title, r.Places.Scenes[0].Steps})
	states := 0
	for _, x := range r.Places.Scenes {
		assert.Equal(t, x.Steps >= 0, x.States > 0, x.ID)
		states += x.States
	}
	assert.Equal(t, []any{"ways", r.Searches[0].States}, []any{r.Places.Search, states})
	assert.Equal(t, []int{1, 1, 2}, []int{r.Places.Scenes[1].Steps, r.Places.Scenes[2].Steps, r.Places.Scenes[3].Steps}, "the tunnel leads to the ridge only who has been there")
	ways := map[string]Way{}
	for _, w := range r.Places.Ways {
		ways[w.From+" "+w.To] = w
		assert.Positive(t, w.Moves)
	}
	assert.True(t, ways["lodge cellar"].Pass)
	assert.Equal(t, []string{"cellar_door"}, ways["lodge cellar"].By)
	assert.Contains(t, ways["gorge lodge"].By, "the event horn")

	raw, err := os.ReadFile(filepath.Join(stuck, "locked-in.yaml"))
	require.NoError(t, err)
	r = searched(t, string(raw), Options{})
	dead := 0
	for _, x := range r.Places.Scenes {
		dead += x.Stuck
	}
	assert.Equal(t, r.DeadEnds[0].States, dead)
}
