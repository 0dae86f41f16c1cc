package rehearse_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/plan"
	"alluvion.dev/core/rehearse"
	"alluvion.dev/examples"
)

const folder = "../../examples/lantern-pass/rehearsals"

func fromFolder(name string) ([]byte, error) { return os.ReadFile(filepath.Join(folder, name)) }

// play plays the steps of a script with two players on the demo.
func play(steps string) *rehearse.Report {
	return rehearse.Play([]byte("rehearsal: a try\nplan: ../plan.yaml\nplayers: [p1, p2]\nsteps:\n"+steps), fromFolder)
}

func TestTheDemosRehearsalsGoAsExpected(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(folder, "*.yaml"))
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(files), 12)
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			r := rehearse.Play(raw, fromFolder)
			require.Empty(t, r.Found)
			for _, s := range r.Steps {
				assert.Empty(t, s.Failed, "line %d: %s %v", s.Line, s.Text, s.Wanted)
			}
			text, changed := r.Recorded()
			assert.Zero(t, changed)
			assert.Equal(t, string(raw), text, "what is as expected is not written anew")
		})
	}
}

// Each step kind, failing, and how it is told.
func TestWhatGoesOtherwiseIsToldWithBothSides(t *testing.T) {
	for name, row := range map[string]struct{ step, failed, side string }{
		"a value in a table":      {"{expect: {p1.parcels: 3}}", "p1.parcels: not as expected", "p1.parcels 0 3"},
		"one of several":          {"{expect: {p1.parcels: 0, p1.place.scene: mill}}", "p1.place.scene: not", "p1.place.scene lodge mill"},
		"a condition":             {"{expect: p1.parcels > 2 && p1.warmth > 5}", "does not hold", "p1.parcels 0 "},
		"who is not there":        {"{expect: {p2.parcels: 0}}", "not as expected", "p2.parcels p2 is not in the session 0"},
		"about somebody":          {"{expect: holds('sled'), of: p1}", "does not hold", ""},
		"a refusal that was none": {"{refused: {event: load, by: p1}}", "was not", ""},
		"another reason":          {"{refused: {event: deliver, by: p1}, because: The moon}", "another reason", "because There is nothing to deliver. The moon"},
		"refused unexpectedly":    {"{event: deliver, by: p1}", "There is nothing to deliver", ""},
		"not told":                {"{told: p1, notice: First Crossing}", "did not get", ""},
		"not seen":                {"{sees: p1, not: p1.parcels}", "p1 is sent p1.parcels", ""},
		"seen by nobody else":     {"{sees: p2, expect: p1.parcels == 0}", "p2 is not in the session", ""},
		"an upgrade to nothing":   {"{upgrade: p1, to: 5}", "cannot be read", ""},
		"a correction too large":  {"{correct: p1.oil, to: 99, why: fun}", "outside 0 to 40", ""},
		"a passage for nobody":    {"{pass: porch_gorge, by: p2, at: {x: 3}}", "p2 is not in the session", ""},
	} {
		t.Run(name, func(t *testing.T) {
			r := play("  - {join: p1}\n  - " + row.step + "\n")
			require.Empty(t, r.Found, "%+v", r.Found)
			last := r.Steps[len(r.Steps)-1]
			assert.Contains(t, last.Failed, row.failed)
			assert.False(t, r.Passed())
			assert.Equal(t, 1, r.Failures())
			var sides []string
			for _, s := range last.Wanted {
				sides = append(sides, s.Name+" "+s.Is+" "+s.Wanted)
			}
			if row.side != "" {
				assert.Contains(t, strings.Join(sides, "\n"), row.side)
			}
		})
	}
}

func TestWhatCannotBePlayedIsToldByLineAndColumn(t *testing.T) {
	for name, row := range map[string]struct{ text, id, words string }{
		"no plan":           {"rehearsal: a\nplan: nowhere.yaml\nplayers: [p1]\nsteps: []\n", "unknown-name", "cannot be read"},
		"a plan with error": {"rehearsal: a\nplan: bad\nplayers: [p1]\nsteps: []\n", "bad-value", "first is on line"},
		"a stranger":        {"rehearsal: a\nplan: ../plan.yaml\nplayers: [p1]\nsteps:\n  - {join: p2}\n", "unknown-name", "no player called"},
		"no step":           {"rehearsal: a\nplan: ../plan.yaml\nplayers: [p1]\nsteps:\n  - {by: p1}\n", "missing", "one of"},
		"two steps in one":  {"rehearsal: a\nplan: ../plan.yaml\nplayers: [p1]\nsteps:\n  - {join: p1, leave: p1}\n", "wrong-type", "one thing"},
		"half a step":       {"rehearsal: a\nplan: ../plan.yaml\nplayers: [p1]\nsteps:\n  - {pass: porch_gorge}\n", "missing", "by"},
	} {
		r := rehearse.Play([]byte(row.text), func(name string) ([]byte, error) {
			if name == "bad" {
				return []byte("alluvion: 1\n"), nil
			}
			if name == "nowhere.yaml" {
				return nil, errors.New("it is not there")
			}
			return fromFolder(name)
		})
		require.NotEmpty(t, r.Found, name)
		assert.Equal(t, row.id, r.Found[0].ID, name)
		assert.Contains(t, r.Found[0].Message, row.words, name)
		assert.Positive(t, r.Found[0].Line, name)
	}
}

func TestRule30ACrashLosesWhatIsNotOnTheDisk(t *testing.T) {
	r := play(`  - {join: p1}
  - {event: load, by: p1}
  - {crash: machine}
  - {join: p1}
  - {expect: {p1.parcels: 0, p1.visits: 1}}
  - {event: load, by: p1}
  - {wait: 31s}
  - {event: load, by: p1}
  - {crash: machine}
  - {join: p1}
  - {expect: {p1.parcels: 1, p1.visits: 2}}
  - {leave: p1}
  - {join: p1, slot: 2}
  - {expect: {p1.parcels: 0, p1.slot: 2}}
`)
	for _, s := range r.Steps {
		assert.Empty(t, s.Failed, "%s %v", s.Text, s.Wanted)
	}
}

func TestRule31ASaveIsTakenToALaterVersionAndKeepsWhatDoesNotFit(t *testing.T) {
	const script = `rehearsal: a try
plan: ../plan.yaml
players: [p1]
steps:
  - {join: p1}
  - {event: load, by: p1}
  - {write: oil, by: server, player: p1, value: 38}
  - {upgrade: p1, to: 4}
  - {told: p1, notice: "player.oil: 38 is outside 0 to 20"}
  - {join: p1}
  - {expect: {p1.parcels: 1, p1.oil: 20, p1.visits: 2}}
  - {upgrade: p1, to: 4}
`
	load := func(name string) ([]byte, error) {
		if name != "../plan.v4.yaml" {
			return fromFolder(name)
		}
		demo, err := fromFolder("../plan.yaml")
		text := strings.Replace(string(demo), "version: 3", "version: 4", 1)
		return []byte(strings.NewReplacer("type: int, min: 0, max: 40, start: 12", "type: int, min: 0, max: 20, start: 12", "{set: player.oil, to: 40}", "{set: player.oil, to: 20}").Replace(text)), err
	}
	r := rehearse.Play([]byte(script), load)
	require.Empty(t, r.Found)
	for _, s := range r.Steps[:len(r.Steps)-1] {
		assert.Empty(t, s.Failed, "%s %v", s.Text, s.Wanted)
	}
	assert.Contains(t, r.Steps[len(r.Steps)-1].Failed, "no later one")
}

func TestRecordingWritesOnlyTheValues(t *testing.T) {
	const head = "rehearsal: a try\nplan: ../plan.yaml\nplayers: [p1]\nsteps:\n  - {join: p1, as: {courier: brisa}}\n  - {write: nickname, by: p1, value: \"no: 1\"}\n"
	before := head + "  - {expect: {p1.parcels: 7, p1.courier: , p1.nickname: 'x', p1.letters: [mill], p1.camp: 3}} # a remark\n  - expect:\n      p1.warmth: 3   # warm\n      p1.place.scene:\n"
	after := head + "  - {expect: {p1.parcels: 0, p1.courier: brisa , p1.nickname: \"no: 1\", p1.letters: [], p1.camp: none}} # a remark\n  - expect:\n      p1.warmth: 100   # warm\n      p1.place.scene: lodge\n"
	before, after = strings.ReplaceAll(before, "no: 1", "no 1"), strings.ReplaceAll(after, "no: 1", "no 1")
	text, n := rehearse.Play([]byte(before), fromFolder).Recorded()
	assert.Equal(t, after, text)
	assert.Equal(t, 7, n)
	again := rehearse.Play([]byte(text), fromFolder)
	assert.True(t, again.Passed(), "%+v", again.Steps)
}

// Words of a rehearsal put in one another's place: it is played or told what is wrong with it, and never more
// than that.
func TestShuffledRehearsalsAreJudged(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join(folder, "the-sled-stays-where-it-was-left.yaml"))
	require.NoError(t, err)
	words := strings.Fields(string(raw))
	rapid.Check(t, func(t *rapid.T) {
		from, to := rapid.SampledFrom(words).Draw(t, "from"), rapid.SampledFrom(words).Draw(t, "to")
		rehearse.Play([]byte(strings.Replace(string(raw), from, to, rapid.IntRange(1, 3).Draw(t, "times"))), fromFolder)
	})
}

// An editor with the published schemas accepts what the reader accepts.
func TestTheSchemasTakeTheExamples(t *testing.T) {
	for name, row := range map[string]struct {
		schema []byte
		files  string
	}{"rehearsals": {plan.RehearsalSchema(), "../../examples/lantern-*/rehearsals/*.yaml"}, "commons": {plan.CommonsSchema(), "../../examples/*.yaml"}} {
		doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(row.schema))
		require.NoError(t, err)
		c := jsonschema.NewCompiler()
		require.NoError(t, c.AddResource("s.json", doc))
		schema, err := c.Compile("s.json")
		require.NoError(t, err)
		files, err := filepath.Glob(row.files)
		require.NoError(t, err)
		require.NotEmpty(t, files, name)
		for _, file := range files {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			text, err := yaml.YAMLToJSON(raw)
			require.NoError(t, err)
			value, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
			require.NoError(t, err)
			assert.NoError(t, schema.Validate(value), file)
		}
	}
}

func FuzzPlay(f *testing.F) {
	files, err := filepath.Glob(filepath.Join(folder, "*.yaml"))
	require.NoError(f, err)
	for _, file := range files {
		raw, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(raw)
	}
	demo, err := fromFolder("../plan.yaml")
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, text []byte) {
		rehearse.Play(text, func(string) ([]byte, error) { return demo, nil })
	})
}

// What is tried in a dry run is kept as a rehearsal that expects what was seen, and passes.
func TestADraftIsKeptWithWhatWasSeen(t *testing.T) {
	load := func(name string) ([]byte, error) {
		if strings.HasPrefix(name, "plan") {
			return examples.LanternPass, nil
		}
		return examples.Commons(strings.TrimSuffix(filepath.Base(name), ".yaml"))
	}
	d := rehearse.Draft{Title: "Over the gorge: a first try", Plan: "plan.yaml", Players: []string{"wren", "finn"}}
	for _, step := range []string{
		`{"join":"wren"}`, `{"event":"choose","by":"wren","args":{"who":"brisa"}}`, `{"pass":"rope_bridge","by":"wren"}`,
		`{"pass":"porch_gorge","by":"wren","at":{"x":30,"y":1}}`, `{"event":"snowfall","by":"wren","args":{"depth":0.3}}`,
		`{"move":"wren","to":[50,29]}`, `{"event":"open","by":"wren","args":{"cache":"under_ledge"}}`, `{"die":"wren"}`, `{"wait":"1s"}`, `{"join":"finn"}`,
	} {
		d.Steps = append(d.Steps, jsontext.Value(step))
	}
	script, err := d.Script()
	require.NoError(t, err)
	report := rehearse.Play(script, load)
	require.Empty(t, report.Found)
	assert.Equal(t, 1, report.Failures(), "the bridge is far away")
	kept, err := d.Kept(report, load)
	require.NoError(t, err)
	for _, want := range []string{"  - refused: {pass: rope_bridge, by: wren}\n    because: ", "wren.courier: brisa", "wren.place.scene: gorge", "scenes.gorge.snow: 0.7", "wren.dead: true", "{told: wren, notice: There is a cache here.}"} {
		assert.Contains(t, string(kept), want)
	}
	again := rehearse.Play(kept, load)
	assert.True(t, again.Passed(), "%+v\n%s", again, kept)

	back, err := rehearse.ReadDraft(script)
	require.NoError(t, err)
	assert.Equal(t, d.Players, back.Players)
	require.Len(t, back.Steps, len(d.Steps))
	same, err := back.Script()
	require.NoError(t, err)
	assert.Equal(t, string(script), string(same))
	_, err = rehearse.ReadDraft([]byte("rehearsal: x"))
	assert.ErrorContains(t, err, "line 1")
}

// Every rehearsal of the sample games can be opened in a dry run, and does there what it did.
func TestEveryRehearsalCanBeGoneOnWith(t *testing.T) {
	files, err := filepath.Glob("../../examples/*/rehearsals/*.yaml")
	require.NoError(t, err)
	for _, file := range files {
		source, err := os.ReadFile(file)
		require.NoError(t, err)
		load := func(name string) ([]byte, error) { return os.ReadFile(filepath.Join(filepath.Dir(file), name)) }
		d, err := rehearse.ReadDraft(source)
		require.NoError(t, err, file)
		script, err := d.Script()
		require.NoError(t, err, file)
		again, was := rehearse.Play(script, load), rehearse.Play(source, load)
		require.Empty(t, again.Found, "%s\n%s", file, script)
		assert.Equal(t, len(was.Steps), len(again.Steps), file)
		assert.True(t, again.Passed(), file)
	}
}
