package check_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/check"
	"alluvion.dev/core/engine"
	"alluvion.dev/core/finding"
	"alluvion.dev/core/matrix"
	"alluvion.dev/examples"
)

const troubled = "../../examples/troubled"

// withoutExample are the findings that no small readable plan shows; tests of the reader do.
var withoutExample = []string{"empty", "too-large", "too-many"}

func ids(l finding.List) []string {
	var out []string
	for _, f := range l {
		if f.Accepted == "" {
			out = append(out, f.ID)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Each troubled plan gets exactly its finding, and its near twin, mended as its second line says, none.
func TestEveryFindingFiresAndItsTwinDoesNot(t *testing.T) {
	for _, kind := range finding.Kinds() {
		if slices.Contains(withoutExample, kind.ID) {
			continue
		}
		t.Run(kind.ID, func(t *testing.T) {
			raw, err := os.ReadFile(filepath.Join(troubled, kind.ID+".yaml"))
			require.NoError(t, err, "every finding has a troubled plan")
			_, _, found := check.Text(raw, examples.Commons)
			assert.Equal(t, []string{kind.ID}, ids(found), "%+v", found)
			for _, f := range found {
				assert.Positive(t, f.Line)
				assert.Positive(t, f.Column)
				assert.NotEmpty(t, f.Excerpt)
			}
			_, _, twin := check.Text([]byte(mended(t, string(raw))), examples.Commons)
			assert.Empty(t, ids(twin), "%+v", twin)
		})
	}
}

// mended makes the change that the plan's second line describes: # Mended:  old  =>  new
func mended(t *testing.T, text string) string {
	head, body, ok := strings.Cut(text, "alluvion: 1")
	require.True(t, ok)
	_, change, _ := strings.Cut(head, "# Mended:  ")
	from, to, ok := strings.Cut(strings.TrimSuffix(strings.TrimSuffix(change, "{"), "\n"), "  =>  ")
	require.True(t, ok, "the second line says how the plan is mended")
	from, to = strings.TrimRight(from, "\n"), strings.TrimRight(to, "\n")
	whole := strings.TrimPrefix(text, head)
	if strings.HasSuffix(head, "{") {
		whole = "{alluvion: 1" + body
	}
	require.Equal(t, 1, strings.Count(whole, from), "%q stands once in the plan", from)
	return strings.Replace(whole, from, to, 1)
}

func TestTroubledHasNothingElse(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(troubled, "*.yaml"))
	require.NoError(t, err)
	for _, f := range files {
		_, ok := finding.Lookup(strings.TrimSuffix(filepath.Base(f), ".yaml"))
		assert.True(t, ok, "%s is named after a finding", f)
	}
}

func TestTheDemoHasNothingToMend(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	m, p, found := check.Text(raw, examples.Commons)
	require.NotNil(t, m)
	assert.Empty(t, ids(found), "%+v", found)
	assert.GreaterOrEqual(t, len(p.Scenes.Entries), 6)
	for _, f := range found {
		assert.NotEmpty(t, f.Accepted, "%+v", f)
	}
}

func checked(t *testing.T, from, to string) finding.List {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(string(raw), from), from)
	_, _, found := check.Text([]byte(strings.Replace(string(raw), from, to, 1)), examples.Commons)
	return found
}

// Changes that a designer may well make to the demo, and what they are told.
func TestChangesOfTheDemoAreJudged(t *testing.T) {
	for name, row := range map[string]struct{ from, to, id, item, words string }{
		"an accepted finding that is gone": {"accept: {rewinds-apart: A lantern", "accept: {one-way: A lantern", "needless-accept", "rule 10", "which is not found there"},
		"a gate that is always open":       {"if: player.stage >= 1,", "if: player.stage >= 0,", "never-refuses", "passages.mill_gate", "always holds"},
		"a gate that never opens":          {"if: player.stage >= 1,", "if: player.stage >= 10,", "always-refused", "passages.mill_gate", "can never hold"},
		"a rule that can never act":        {"if: place.scene == 'cellar'", "if: place.scene == 'cellar' && player.oil > 40", "always-refused", "rules.7", "player.oil > 40"},
		"warmth that is not given back":    {"across: {death: {set: player.max_warmth}}", "across: {death: {set: player.max_warmth - 50}}", "still-dead", "rules.1", "can hold"},
		"a death that nothing undoes":      {"across: {death: {set: player.max_warmth}}", "across: {death: keep}", "still-dead", "rules.1", "still holds"},
		"a passage that leads one way":     {"beacon_path: {from: ridge/slope, to: beacon/foot, both_ways: true", "beacon_path: {from: ridge/slope, to: beacon/foot", "span-mismatch", "", ""},
		"a courier who is forgotten":       {"optional: true, title: Courier}", "optional: true, title: Courier, across: {leave: reset}}", "lost-at-leave", "player.courier", "what the player picked"},
		"no crash is bounded":              {"when: [checkpoint, scene, leave], every: 30s", "when: [leave]", "loss-window", "saving", "a crash loses all of it"},
		"a goal beyond every sack":         {"progress: player.parcels, goal: 5", "progress: player.parcels, goal: 10000", "goal-out-of-range", "milestones.full_sack", "never reached"},
		"a goal that asks for nothing":     {"\nmilestones:", "\ngoals: {home: {reach: 1 != 2}}\nmilestones:", "never-refuses", "goals.home", "asks for nothing"},
		"a goal that cannot be":            {"\nmilestones:", "\ngoals: {home: {reach: player.stage >= 10}}\nmilestones:", "always-refused", "goals.home", "can never be reached"},
		"an upgrade to nothing":            {"rename: {player.heat: player.warmth}", "rename: {player.heat: player.wamrth}", "not-taken-up", "upgrades.2", "Did you mean player.warmth?"},
		"an upgrade to no option":          {"map: {gale: tarn}", "map: {gale: tran}", "not-taken-up", "upgrades.2", "Did you mean tarn?"},
		"a carrier that is too short":      {"length: 72", "length: 60", "over-budget", "carriers.beacon", "takes 66 symbols, and 60 fit. 2 samples would save 11"},
		"lanes for some":                   {"lanes: 60", "lanes: 6", "over-budget", "carriers.beacon", "6 lanes for 60 players"},
		"a sled in the doorway":            {"start: lodge/shed, never_in", "start: lodge/porch, never_in", "set-down-on-arrival", "movables.sled", "passage porch_gorge leads back there"},
		"the way back from inside":         {"not_from: [lodge, cellar]", "not_from: [cellar]", "overwrites-way-back", "rules.11", "cannot get out"},
	} {
		t.Run(name, func(t *testing.T) {
			found := checked(t, row.from, row.to)
			if row.item == "" { // meant: it has other ways out, and what is carried still fits
				assert.NotContains(t, ids(found), row.id)
				return
			}
			i := slices.IndexFunc(found, func(f finding.Finding) bool { return f.ID == row.id })
			require.GreaterOrEqual(t, i, 0, "%v", ids(found))
			assert.Equal(t, row.item, found[i].Item)
			assert.Contains(t, found[i].Message, row.words)
		})
	}
}

// Near twins of findings that concern only what is held once for all: a pair is each player's own.
// A remembered place is one where the player was: it leads nowhere new.
func TestWhatIsRememberedReachesNothingNew(t *testing.T) {
	text := strings.Replace(string(examples.LanternPass), "scenes:\n", "scenes:\n  attic: {size: [40, 24], spots: {hatch: {at: [20, 12]}}}\n", 1)
	_, _, found := check.Text([]byte(text), examples.Commons)
	assert.Equal(t, []string{"unreachable-scene"}, ids(found))
}

func TestAPairIsNotHeldOnceForAll(t *testing.T) {
	found := checked(t, "  - on: arrived\n    do: [{set: scene.visited, to: true}]", "  - on: arrived\n    do: [{set: scene.visited, to: player.warmth > 50}]\n  - {on: {every: {time: 30s, of: player}}, do: [{set: scene.visited, to: player.oil > 3}]}")
	assert.NotContains(t, ids(found), "shared-written-by-one")
	assert.NotContains(t, ids(found), "advanced-by-each")
	found = checked(t, "{add: scene.snow, by: args.depth}]\n    accept: {client-trusted: Snow is only looked at; the game that the courier plays in knows how deep it is.}", "{add: scene.snow, by: args.depth}]")
	assert.Contains(t, ids(found), "client-trusted")
}

func TestWhatIsProvedElsewhereIsNotSaidTwice(t *testing.T) {
	found := checked(t, "death: {set: player.max_warmth}", "death: {set: player.max_warmth - 60}")
	seen := map[string]int{}
	for _, f := range found {
		seen[f.ID+f.Message]++
	}
	for what, n := range seen {
		assert.Equal(t, 1, n, what)
	}
}

// Any text is judged, and what can run runs: no panic on the way from text to model to matrix to session.
func FuzzText(f *testing.F) {
	files, err := filepath.Glob(filepath.Join(troubled, "*.yaml"))
	require.NoError(f, err)
	for _, file := range append(files, "../../examples/lantern-pass/plan.yaml") {
		raw, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(raw)
	}
	f.Fuzz(func(t *testing.T, text []byte) { judgeAndRun(t, text) })
}

// Words of the demo put in one another's place, and lines left out: what a slip of the keyboard or of the
// mouse makes of a plan.
func TestShuffledPlansAreJudged(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	word := regexp.MustCompile(`[a-z_]{2,}|[0-9.]+`)
	rapid.Check(t, func(t *rapid.T) {
		text := string(raw)
		for range rapid.IntRange(1, 3).Draw(t, "slips") {
			at := word.FindAllStringIndex(text, -1)
			from, to := rapid.SampledFrom(at).Draw(t, "from"), rapid.SampledFrom(at).Draw(t, "to")
			switch rapid.IntRange(0, 2).Draw(t, "slip") {
			case 0:
				text = text[:from[0]] + text[to[0]:to[1]] + text[from[1]:]
			case 1:
				begin := strings.LastIndexByte(text[:from[0]], '\n') + 1
				end := from[1] + strings.IndexByte(text[from[1]:]+"\n", '\n')
				text = text[:begin] + text[min(end+1, len(text)):]
			default:
				text = text[:from[0]] + text[from[1]:]
			}
		}
		judgeAndRun(t, []byte(text))
	})
}

// judgeAndRun takes a text all the way: judged, shown, and (where it can run) run.
func judgeAndRun(t interface{ Fatalf(string, ...any) }, text []byte) {
	m, _, found := check.Text(text, examples.Commons)
	if m == nil {
		if !found.Errors() {
			t.Fatalf("no model, and no error")
		}
		return
	}
	matrix.Of(m)
	if found.Errors() {
		return
	}
	r := engine.New(m)
	if _, err := r.Step(&engine.Request{Do: "join", Player: "ada", Slot: 1}); err != nil {
		t.Fatalf("nobody can join: %v", err)
	}
	for _, e := range m.Events {
		_, _ = r.Step(&engine.Request{Do: "event", Player: "ada", Name: e.ID, Server: !e.Self, At: 1000})
	}
	for _, p := range m.Passages {
		_, _ = r.Step(&engine.Request{Do: "move", Player: "ada", To: p.From.Point[:len(m.Axes)], At: 2000})
		_, _ = r.Step(&engine.Request{Do: "pass", Player: "ada", Name: p.ID, At: 2000})
	}
	r.Advance(100_000)
	r.Digest()
}

func TestEveryKindIsExplained(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range finding.Kinds() {
		assert.False(t, seen[k.ID], "%s is registered twice", k.ID)
		seen[k.ID] = true
		assert.Regexp(t, `^[a-z]+(-[a-z]+)*$`, k.ID)
		assert.Contains(t, []finding.Severity{finding.Error, finding.Warning, finding.Note}, k.Severity)
		for _, text := range []string{k.Title, k.Why, k.Do} {
			assert.NotEmpty(t, text, k.ID)
		}
		assert.Regexp(t, `\.$`, k.Why, k.ID)
		assert.Regexp(t, `[.)]$`, k.Do, k.ID)
	}
	assert.Panics(t, func() { finding.New("no-such-kind", finding.At{}, "") })
}
