package scout

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/core/model"
	"alluvion.dev/examples"
)

// toTheEnd lets a search go on until it is over; false where it has more states than it may keep.
func toTheEnd(t testing.TB, x *search) bool {
	require.NoError(t, x.begin())
	w := x.worker()
	for parts := x.jobs(1); len(parts) > 0 && !x.full; parts = x.jobs(1) {
		x.takeAll(parts[0], x.work(w, parts[0]))
	}
	return x.over()
}

// unsliced tells all states apart by everything that anybody could read.
func unsliced(m *model.Model, q question) *slice { return unslicedFor(m, q.reads) }

func unslicedFor(m *model.Model, reads func(*slice)) *slice {
	s := sliceFor(m, true, reads)
	for _, v := range m.Vars {
		if !v.Computed() && !v.Stopwatch {
			s.vars[v], s.plain[v] = true, true
		}
	}
	for i := range m.Milestones {
		s.earned[i] = true
	}
	s.facing, s.timers = true, len(m.Timers)+len(m.OwnTimers) > 0
	return s
}

// A search that leaves out what decides nothing, and takes numbers together that are never told apart, comes to the same:
// what is reached and in how many moves, and whether and how soon one is stuck.
func TestASliceDecidesAsTheWholeStateDoes(t *testing.T) {
	compared, smaller := 0, 0
	texts := map[string]string{}
	files, err := filepath.Glob("../../examples/stuck/*.yaml")
	require.NoError(t, err)
	for _, file := range files {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		texts[filepath.Base(file)] = string(raw)
	}
	for seed := range madePlans(t) * 4 {
		texts[fmt.Sprintf("little %d", seed)] = little(seed)
	}
	for name, text := range texts {
		m, _, found := check.Text([]byte(text), examples.Commons)
		if m == nil || found.Errors() {
			continue
		}
		for _, q := range questionsOf(m) {
			search := func(s *slice) *search {
				x := newSearch("", m, []question{q}, s, Options{Players: m.Players(), States: 6000 * m.Players()})
				x.moves.stayAway()
				return x
			}
			whole := search(unsliced(m, q))
			if !toTheEnd(t, whole) {
				continue
			}
			cut := search(sliceFor(m, false, q.reads))
			require.True(t, toTheEnd(t, cut), "%s: a slice has no more states than the whole", name)
			compared++
			if len(cut.nodes) < len(whole.nodes) {
				smaller++
			}
			assert.LessOrEqual(t, len(cut.nodes), len(whole.nodes), name)
			assert.Equal(t, howSoon(whole, q), howSoon(cut, q), "%s, %s %s\n%s", name, q.kind, q.id, text)
		}
	}
	t.Logf("%d compared, of %d the slice is smaller", compared, smaller)
	require.Greater(t, compared, 100)
	require.Greater(t, smaller, 50)
}

// Of plans with more states than can be looked at: whatever the search that tells everything apart finds in its first steps, a
// search with a slice finds in as few.
func TestASliceMissesNothingThatTheWholeFinds(t *testing.T) {
	compared := 0
	for name, text := range plans(t) {
		m, _, found := check.Text([]byte(text), examples.Commons)
		if m == nil || found.Errors() || strings.HasPrefix(name, "little") {
			continue
		}
		asks := append(questionsOf(m), question{})
		for i := range asks {
			asked, reads := asks[i:i+1], asks[i].reads
			if i == len(asks)-1 {
				asked, reads = nil, func(*slice) {}
			}
			search := func(s *slice) *search {
				x := newSearch("", m, asked, s, Options{Players: min(2, m.Players()), States: 4000})
				x.moves.stayAway()
				require.NoError(t, x.begin())
				w := x.worker()
				for parts := x.jobs(1); len(parts) > 0 && len(x.nodes) < 800; parts = x.jobs(1) {
					x.takeAll(parts[0], x.work(w, parts[0]))
				}
				return x
			}
			whole, cut := search(unslicedFor(m, reads)), search(sliceFor(m, false, reads))
			for f, at := range whole.facts {
				soon := f.kind == wasIn || f.kind == wentThrough || f.kind == wasClosed || f.kind == touched || f.kind == leftScene
				if !soon || at.node >= int32(whole.plain) || len(cut.nodes) < 800 && !cut.over() {
					continue
				}
				compared++
				in, ok := cut.facts[f]
				if !assert.True(t, ok, "%s: %v after %v", name, f, words(whole.pathTo(at))) {
					continue
				}
				assert.LessOrEqual(t, len(cut.pathTo(in)), len(whole.pathTo(at)), "%s: %v after %v", name, f, words(whole.pathTo(at)))
			}
			if at, ok := whole.first[0]; ok && asked != nil {
				compared++
				if in, ok := cut.first[0]; assert.True(t, ok, "%s: %s after %v", name, asks[i].id, words(whole.path(at))) {
					assert.LessOrEqual(t, len(cut.path(in)), len(whole.path(at)), "%s: %s after %v", name, asks[i].id, words(whole.path(at)))
				}
			}
		}
	}
	t.Logf("%d compared", compared)
	require.Greater(t, compared, 500)
}

// little is a plan with so few states that all of them are looked at: a few switches, a number, two scenes, and rules that
// set, refuse, move, kill, save, follow from each other and set off a crossing; values that players write; and what has
// always to hold.
func little(seed uint64) string {
	dice := rand.New(rand.NewPCG(seed, 3))
	one := func(list ...string) string { return list[dice.IntN(len(list))] }
	condition := func() string {
		return one("player.a", "!player.a", "player.b", "!game.c", "game.c", "player.n > 0", "player.n == 2", "place.scene == 'y'",
			"player.a && game.c", "player.b || player.n == 1", "player.earned('m')", "player.s",
			"count(present) > 1")
	}
	action := func() string {
		return one("{set: player.a, to: true}", "{set: player.b, to: '!player.b'}", "{set: game.c, to: true}", "{set: game.c, to: player.a}",
			"{add: player.n, by: 1}", "{add: player.n, by: -1}", "{set: player.n, to: 'player.a ? 2 : 0'}", "{go: y/one}", "{go: x/one}", "{die: player}",
			"{refuse: No.}", "{set: player.d, to: true}", "{raise: player.n, to: 1}", "{send: e2}", "{save: player}", "{remember: w}", "{go: w}", "{earn: m, of: player}", "{set: player.d, to: 'div(6, player.n) > 2'}",
			"{each: p, in: session, do: [{add: p.n, by: 1}]}")
	}
	guarded := func() string {
		if dice.IntN(3) == 0 {
			return `{if: "` + condition() + `", do: [` + action() + "]}"
		}
		return action()
	}
	rules := ""
	for i := range 5 {
		on := []string{"e0", "e1", "e2", one("died", "{changed: player.a}", "{changed: player.s}", "arrived", "came-back", "saved"), one("e0", "e1", "{milestone: m}", "{crossed: dawn}", "checkpoint")}[i]
		gate := ""
		if dice.IntN(2) == 0 {
			gate = `, if: "` + condition() + `"`
		}
		rules += "  - {on: " + on + gate + ", do: [" + guarded() + ", " + guarded() + "]}\n"
	}
	refuse, always := one("", ", at_limit: refuse"), ""
	if dice.IntN(2) == 0 {
		always = fmt.Sprintf("always: [{that: %q, refused: Never.}]\n", one("!player.a || !player.s", "player.n <= 2 || game.c",
			"place.scene != 'y' || !player.b", "!player.earned('m') || player.n < 3", "!player.d || !player.a"))
	}
	players := 1 + seed%5/4
	world := fmt.Sprintf("scene: {scene: keep, restart: keep, death: keep, new-run: keep}\n  game:   {restart: keep, death: keep, new-run: %s}", one("keep", "reset"))
	if players > 1 { // one of them does not speak for all
		world = "scene: {scene: keep, restart: keep}\n  game: {restart: keep}"
	}
	return fmt.Sprintf(`
alluvion: 1
game: little
version: 1
start: x/one
crossings: {dawn: {title: Dawn, on: %s, for: [player]}}
defaults:
  player: {scene: keep, death: %s, leave: %s, new-run: reset, dawn: %s}
  %s
  place:  {death: checkpoint, leave: exact}
variables:
  a: {of: player, type: bool, start: false}
  b: {of: player, type: bool, start: %t, across: {death: %s}}
  c: {of: game, type: bool, start: false}
  d: {of: player, type: bool, start: false, read_by: game}
  n: {of: player, type: int, min: 0, max: 3, start: 0%s}
  s: {of: player, type: bool, start: false, read_by: game, share: {with: everyone, writer: self}, across: {scene: %s}}
waymarks: {w: {title: There}}
scenes: {x: {size: [9, 9], spots: {one: {at: [1, 1]}, two: {at: [7, 7]}}}, y: {size: [9, 9], spots: {one: {at: [1, 1]}}}}
passages: {p: {from: x/two, to: y/one, if: "%s"}, q: {from: y/one, to: x/one, if: "%s"}}
checkpoints: {fallback: x/one, list: {k: {at: y/one}}}
events: {e0: {from: self}, e1: {from: self, if: "%s"}, e2: {from: self}}
rules:
%s%smilestones: {m: {when: "%s"}}
goals: {g: {reach: "%s && %s"}}
saving: {when: %s, every: 30s}
session: {players: %d}
`, one("e1", "e2", "died", "{changed: player.b}", "saved", "{changed: player.s}"), one("keep", "reset"), one("keep", "reset"), one("keep", "reset"),
		world, dice.IntN(2) == 0, one("keep", "rewind", "{set: player.a}"), refuse, one("keep", "reset"), condition(), condition(),
		condition(), rules, always, condition(), condition(), condition(), one("[scene, leave]", "[scene, leave]", "[checkpoint]", "[dawn]"), players)
}

// howSoon is in how many moves a question comes to hold, and in how many one is stuck; -1 where neither happens.
func howSoon(x *search, q question) [2]int {
	out := [2]int{-1, -1}
	if at, ok := x.first[0]; ok {
		out[0] = len(x.path(at))
		if ends := x.ends(func(i int32) bool { return x.nodes[i].had&1 != 0 }, q.goal != nil && q.goal.StartOver); len(ends) > 0 {
			out[1] = len(x.path(ends[0]))
		}
	}
	return out
}

// However many work at it, a search comes to the same.
func TestTheSameIsFoundWhateverManyWork(t *testing.T) {
	m, _, _ := check.Text(examples.LanternPass, examples.Commons)
	var reports []*Report
	for _, workers := range []int{1, 3} {
		s := New(m, Options{States: 500})
		for jobs := s.Next(workers); len(jobs) > 0; jobs = s.Next(workers) {
			for _, j := range slices.Backward(jobs) { // in whatever order they are done
				j.Work()
			}
			s.Take(jobs)
		}
		reports = append(reports, s.Report())
	}
	assert.Equal(t, reports[0], reports[1])
}

// What leads to a goal only by way of something else is in the slice for it.
func TestASliceHasWhatLeadsToItsQuestion(t *testing.T) {
	const around = `
alluvion: 1
game: ways
version: 1
start: x/one
crossings: {dawn: {title: Dawn, on: sleep, for: [player]}}
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: keep, dawn: keep}, place: {death: checkpoint, leave: exact}}
variables:
  bell:  {of: player, type: bool, start: false, read_by: game, share: {with: everyone, writer: self}}
  tired: {of: player, type: bool, start: true, across: {dawn: reset}}
  done:  {of: player, type: bool, start: false}
  share: {of: player, type: int, min: 0, max: 9, start: 0, read_by: game}
waymarks: {w: {title: There}}
scenes: {x: {size: [9, 9], spots: {one: {at: [1, 1]}}}, y: {size: [9, 9], spots: {one: {at: [1, 1]}}}}
passages: {p: {from: x/one, to: y/one, both_ways: true}}
checkpoints: {fallback: x/one}
events: {work: {from: self}, sleep: {from: self, if: player.bell}, ring: {from: self}, back: {from: self}}
saving: {when: [leave], every: 30s}
session: {players: 1}
`
	for _, rules := range []string{
		// The crossing that an event sets off brings it about, and the event has a condition.
		"[{on: work, do: [{set: player.tired, to: false}, {set: player.done, to: true}]}, {on: ring, do: [{set: player.bell, to: true}]}, {on: {crossed: dawn}, do: [{set: player.done, to: true}]}]\ngoals: {g: {reach: player.done && player.tired}}",
		// A player writes what nothing reads, and a rule waits for that.
		"[{on: {changed: player.bell}, do: [{set: player.done, to: true}]}]\ngoals: {g: {reach: player.done}}",
		// Going to a place that is not remembered yet is refused.
		"[{on: ring, do: [{remember: w}]}, {on: back, do: [{go: w}, {set: player.done, to: true}]}]\ngoals: {g: {reach: player.done}}",
		// What fails in a part of a rule that does nothing for the question refuses all of it.
		"[{on: ring, do: [{set: player.bell, to: true}]}, {on: back, do: [{if: '!player.bell', do: [{set: player.share, to: 'div(6, player.share)'}]}, {set: player.done, to: true}]}]\ngoals: {g: {reach: player.done}}",
		// Saving sets a rule off, and has a condition.
		"[{on: ring, do: [{set: player.bell, to: true}]}, {on: back, if: player.bell, do: [{save: player}]}, {on: saved, do: [{set: player.done, to: player.bell}]}]\ngoals: {g: {reach: player.done}}",
	} {
		m, _, found := check.Text([]byte(around+"rules: "+rules), nil)
		require.False(t, found.Errors(), "%+v", found)
		q := questionsOf(m)[0]
		x := newSearch("g", m, []question{q}, sliceFor(m, false, q.reads), Options{})
		require.True(t, toTheEnd(t, x))
		assert.NotEqual(t, -1, howSoon(x, q)[0], rules)
		assert.Equal(t, -1, howSoon(x, q)[1], rules)
	}
}

// Searches with three players come to the same, whether the second and the third are told apart or not; and what is found can
// be played.
func TestPlayersWhoAreAlikeAreNotToldApart(t *testing.T) {
	compared, fewer := 0, 0
	for seed := range madePlans(t) * 5 {
		text := strings.Replace(little(seed*5+4), "players: 2", "players: 3", 1)
		text = strings.ReplaceAll(text, "count(present) > 1", "game.c")
		m, _, found := check.Text([]byte(text), nil)
		if m == nil || found.Errors() {
			continue
		}
		for _, q := range questionsOf(m) {
			search := func(apart bool) *search {
				x := newSearch("", m, []question{q}, sliceFor(m, false, q.reads), Options{Players: 3, States: 8000})
				x.moves.stayAway()
				if apart && x.moves.lens.Nameless {
					lens := *x.moves.lens
					lens.Nameless, x.moves.lens = false, &lens
				}
				return x
			}
			one, other := search(false), search(true)
			if !one.moves.lens.Nameless || !toTheEnd(t, other) {
				continue
			}
			require.True(t, toTheEnd(t, one))
			compared++
			if len(one.nodes) < len(other.nodes) {
				fewer++
			}
			assert.LessOrEqual(t, len(one.nodes), len(other.nodes))
			soon, sooner := howSoon(other, q), howSoon(one, q)
			assert.Equal(t, soon[0] < 0, sooner[0] < 0, "%s %s\n%s", q.kind, q.id, text)
			assert.Equal(t, soon[1] < 0, sooner[1] < 0, "%s %s\n%s", q.kind, q.id, text)
			for at := 0; at < len(one.nodes); at += 1 + len(one.nodes)/6 {
				w := one.worker()
				_, err := w.replay(one.path(int32(at)))
				require.NoError(t, err)
				w.heard = nil
				state := w.run.Digest()
				w.recall(one.stateAt(int32(at)))
				assert.Equal(t, state, w.run.Digest())
			}
		}
	}
	t.Logf("%d compared, of %d there are fewer states", compared, fewer)
	require.Greater(t, compared, 10)
	require.Greater(t, fewer, 5)
}
