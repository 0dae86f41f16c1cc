package plan_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/finding"
	"alluvion.dev/core/plan"
	"alluvion.dev/internal/golden"
)

const small = `alluvion: 1
game: small
version: 1
start: hut/door
defaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: stay, leave: exact}}
variables:
  oil: {of: player, type: int, min: 0, max: 40, start: 12}
scenes:
  hut: {size: [10, 10], spots: {door: {at: [5, 0]}}}
events: {burn: {from: self}}
rules:
  - {on: burn, do: [{add: player.oil, by: -1}]}
`

// mistakes are changes of a good plan, each with the one finding that it has to give.
var mistakes = []struct {
	name, from, to  string
	id              string
	line, column    int
	nearest, saying string
}{
	{"misspelt key", "version: 1", "versoin: 1", "unknown-name", 3, 1, "version", "Did you mean"},
	{"misspelt scene", "hut/door\ndef", "hit/door\ndef", "unknown-name", 4, 8, "hut/door", "no scene"},
	{"misspelt spot", "hut/door\ndef", "hut/dor\ndef", "unknown-name", 4, 8, "hut/door", "no spot"},
	{"a spot without its scene", "hut/door\ndef", "door\ndef", "unknown-name", 4, 8, "", "scene/spot"},
	{"misspelt event", "on: burn", "on: brun", "unknown-name", 12, 10, "burn", "no event or moment"},
	{"misspelt action", "{add: player.oil, by: -1}", "{ad: player.oil, by: -1}", "unknown-name", 12, 22, "add", ""},
	{"a fate that is none", "leave: keep", "leave: kept", "bad-value", 5, 54, "", "fate"},
	{"rewind elsewhere than at death", "leave: keep", "leave: rewind", "bad-value", 5, 54, "", "death only"},
	{"a whole number that is none", "version: 1", "version: 1.5", "wrong-type", 3, 10, "", "whole number"},
	{"a number in quotes", "max: 40", `max: "40"`, "wrong-type", 7, 45, "", "number"},
	{"an exponent", "max: 40", "max: 4e1", "wrong-type", 7, 45, "", "plain decimal"},
	{"a list for a table", "events: {burn: {from: self}}", "events: [burn]", "wrong-type", 10, 9, "", "table"},
	{"two verbs", "{add: player.oil, by: -1}", "{add: player.oil, by: -1, die: player}", "wrong-type", 12, 21, "", "one thing"},
	{"a verb without its companion", "{add: player.oil, by: -1}", "{add: player.oil}", "missing", 12, 21, "", `"by"`},
	{"a companion of another verb", "{add: player.oil, by: -1}", "{add: player.oil, by: -1, text: x}", "wrong-type", 12, 47, "", "does not go with add"},
	{"the same key twice", "  oil:", "  oil: {of: game}\n  oil:", "duplicate-id", 8, 3, "", "line 7"},
	{"an id in capitals", "  oil:", "  Oil:", "bad-value", 7, 3, "", "lower-case"},
	{"an alias", "start: 12", "start: *a", "syntax", 7, 56, "", ""},
	{"an anchor", "start: 12", "start: &a 12", "syntax", 7, 56, "", "Anchors"},
	{"a second document", "events:", "---\nevents:", "syntax", 11, 0, "", "second document"},
	{"a tab", "  hut:", "\thut:", "syntax", 9, 1, "", "tab"},
	{"brackets without quotes", "{add: player.oil, by: -1}", "{add: player.oil[args.x], by: -1}", "syntax", 12, 27, "",
		"needs quotes around it here: \"player.oil[args.x]\""},
	{"brackets with quotes inside", "by: -1}", "by: player.oil['x']}", "syntax", 12, 43, "", "\"player.oil['x']\""},
	{"an expression cut by a comma", "by: -1", "by: max(1, 2)", "unknown-name", 12, 0, "", "quotes"},
	{"an upgrade beyond the plan", "events:", "upgrades: {9: []}\nevents:", "bad-value", 10, 12, "", "has version 1"},
	{"an upgrade to the first version", "events:", "upgrades: {1: []}\nevents:", "bad-value", 10, 12, "", "2 or later"},
	{"a saved name of nothing", "version: 1", "version: 2\nupgrades: {2: [{drop: playr.oil, why: x}]}", "unknown-name", 4, 23, "player", "What saves hold"},
	{"a rename to nothing in particular", "version: 1", "version: 2\nupgrades: {2: [{rename: {player.heat: warmth}}]}", "unknown-name", 4, 39, "", "What saves hold"},
	{"a conversion without its expression", "version: 1", "version: 2\nupgrades: {2: [{convert: player.oil}]}", "missing", 4, 16, "", `"to"`},
	{"an event named like a moment", "events: {burn:", "events: {joined:", "bad-value", 10, 10, "", "built-in moment"},
	{"a negative time", "events:", "saving: {every: -3s}\nevents:", "wrong-type", 10, 17, "", "time"},
	{"every without its time", "on: burn", "on: every", "missing", 12, 10, "", "needs its time"},
	{"every with more beside it", "on: burn", "on: {every: 5s, of: player}", "wrong-type", 12, 10, "", "write {every: {time: 5s, of: player}}"},
	{"a moment with two keys", "on: burn", "on: {arrived: hut, if: true}", "wrong-type", 12, 10, "", "written with one key, {arrived: …}"},
	{"every too often", "on: burn", "on: {every: 1ms}", "bad-value", 12, 18, "", "at least 100ms"},
	{"changed without its variable", "on: burn", "on: changed", "missing", 12, 10, "", "needs the variable"},
	{"a moment with a part that it has not", "on: burn", "on: {joined: x}", "wrong-type", 12, 11, "", "joined takes no name"},
	{"an event that is sent and is none", "{add: player.oil, by: -1}", "{send: brun}", "unknown-name", 12, 28, "burn", "event"},
	{"each without whom", "{add: player.oil, by: -1}", "{each: p, do: [{die: p}]}", "missing", 12, 21, "", `"in"`},
	{"let without what to do", "{add: player.oil, by: -1}", "{let: {a: 1}}", "missing", 12, 21, "", `"do"`},
	{"an else of actions behind go", "{add: player.oil, by: -1}", "{go: hut/door, else: [{die: player}]}", "wrong-type", 12, 42, "", "else of if"},
	{"a waymark that is none", "{add: player.oil, by: -1}", "{remember: way_bak}", "unknown-name", 12, 32, "", "waymark"},
	{"a milestone that is none", "on: burn", "on: {milestone: fist}", "unknown-name", 12, 0, "", "milestone"},
	{"a pair of nobody", "of: player,", "of: [scene, player],", "wrong-type", 7, 13, "", "begins with player"},
	{"a holder that is none", "of: player,", "of: playr,", "unknown-name", 7, 13, "player", "is wanted here"},
	{"entered without its area", "on: burn", "on: entered", "missing", 12, 10, "", "needs the area"},
	{"an area that is none", "on: burn", "on: {entered: hut/den}", "unknown-name", 12, 20, "", "scene/area"},
	{"a prop without its kind", "of: player,", "of: prop,", "missing", 7, 13, "", "prop:cache"},
	{"a kind of prop that is none", "of: player,", "of: prop:cache,", "unknown-name", 7, 13, "", "kind of prop"},
	{"a pair with the game", "of: player,", "of: [player, game],", "unknown-name", 7, 22, "", "Scene or prop:kind"},
	{"three holders", "of: player,", "of: [player, scene, game],", "wrong-type", 7, 13, "", "pair"},
	{"a start in two layers", "start: 12}", "start: [[1], 2]}", "wrong-type", 7, 57, "", "single value"},
	{"a prop that is placed nowhere", "events:", "props: {cache: {placed: {a: hut/dor}}}\nevents:", "unknown-name", 10, 29, "hut/door", "no spot"},
	{"a prop placed half", "events:", "props: {cache: {placed: {a: {in: hut}}}}\nevents:", "missing", 10, 0, "", `"at"`},
	{"a movable that starts nowhere", "events:", "movables: {sled: {}}\nevents:", "missing", 10, 0, "", `"start"`},
	{"a movable that is none", "{add: player.oil, by: -1}", "{take: sled}", "unknown-name", 12, 28, "", "movable"},
	{"a set-down at a scene", "{add: player.oil, by: -1}", "{set-down: sled, at: hut}", "unknown-name", 12, 0, "", "movable"},
	{"a go with half a scene", "{add: player.oil, by: -1}", "{go: {scene: hut}}", "missing", 12, 0, "", `"carry"`},
	{"a go to a scene with else", "{add: player.oil, by: -1}", "{go: {scene: hut, carry: [x]}, else: hut/door}", "wrong-type", 12, 0, "", "else of if"},
	{"something to save that is none", "{add: player.oil, by: -1}", "{save: game}", "bad-value", 12, 28, "", "player, world"},
	{"an item without where", "{add: player.oil, by: -1}", "{put: player.oil}", "missing", 12, 21, "", `"item"`},
	{"a rate that is none", "from: self}", "from: self, at_most: often}", "wrong-type", 10, 38, "", "5/s"},
	{"a rate of nothing", "from: self}", "from: self, at_most: 0/s}", "wrong-type", 10, 38, "", "5/s"},
	{"a rate per day", "from: self}", "from: self, at_most: 5/d}", "wrong-type", 10, 38, "", "5/s"},
	{"a request that is none", "events:", "requests: {jump: {closed: true}}\nevents:", "unknown-name", 10, 12, "", "touch"},
	{"a standing without its rank", "events:", "standings: {best: {}}\nevents:", "missing", 10, 0, "", `"rank"`},
	{"an order that is none", "events:", "standings: {best: {rank: player.oil, order: up}}\nevents:", "bad-value", 10, 45, "", "high, low"},
	{"a commons without a name here", "events:", "uses: [{commons: guild}]\nevents:", "missing", 10, 0, "", `"as"`},
	{"a share with somebody else", "start: 12}", "start: 12, share: {with: friends}}", "bad-value", 7, 74, "", "nobody, self, scene, everyone"},
	{"a carrier of nothing", "events:", "carriers: {b: {alphabet: 0-9, length: 9, every: 1s}}\nevents:", "missing", 10, 0, "", `"carries"`},
	{"too many items", "start: 12}", "start: 12, max_items: 5000}", "bad-value", 7, 71, "", "from 1 to 1000"},
	{"too many slots", "events:", "saving: {slots: 1000}\nevents:", "bad-value", 10, 17, "", "from 1 to 100"},
}

func TestMistakesAreToldByLineAndColumn(t *testing.T) {
	_, found := plan.Read([]byte(small))
	require.Empty(t, found)
	for _, m := range mistakes {
		t.Run(m.name, func(t *testing.T) {
			require.Equal(t, 1, strings.Count(small, m.from), "%q stands once", m.from)
			_, found := plan.Read([]byte(strings.Replace(small, m.from, m.to, 1)))
			f := firstOf(found, m.id)
			require.NotNil(t, f, "%+v", found)
			assert.Equal(t, m.line, f.Line, "%+v", f)
			if m.column > 0 {
				assert.Equal(t, m.column, f.Column, "%+v", f)
			}
			if m.nearest != "" {
				assert.Equal(t, m.nearest, f.Nearest)
			}
			assert.Contains(t, f.Message, m.saying)
		})
	}
}

func firstOf(l finding.List, id string) *finding.Finding {
	for i := range l {
		if l[i].ID == id {
			return &l[i]
		}
	}
	return nil
}

func TestDocumentsThatAreNoPlanAreRefusedInOneMessage(t *testing.T) {
	for name, row := range map[string]struct{ text, id string }{
		"nothing":           {"", "empty"},
		"only comments":     {"# hello\n", "empty"},
		"fifty megabytes":   {strings.Repeat("a: b\n", 10<<20), "too-large"},
		"deep brackets":     {strings.Repeat("[", 200_000), "too-large"},
		"deep tables":       {deep(100), "too-large"},
		"not UTF-8":         {"game: \xff\xfe", "syntax"},
		"a list":            {"- a\n- b\n", "wrong-type"},
		"a word":            {"hello", "wrong-type"},
		"an open quote":     {"game: 'x", "syntax"},
		"a bomb of aliases": {"a: &a [x,x]\nb: &b [*a,*a]\nc: [*b,*b]\n", "syntax"},
	} {
		t.Run(name, func(t *testing.T) {
			_, found := plan.Read([]byte(row.text))
			require.NotEmpty(t, found)
			assert.NotNil(t, firstOf(found, row.id), "%+v", found[0])
			assert.True(t, found.Errors())
		})
	}
}

func deep(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i) + "a:\n")
	}
	return b.String()
}

func TestAPlanMayBeJSON(t *testing.T) {
	const text = `{"alluvion": 1, "game": "small", "version": 1, "start": "hut/door", "scenes": {"hut": {"size": [10, 10], "spots": {"door": {"at": [5, 0]}}}}}`
	p, found := plan.Read([]byte(text))
	assert.Empty(t, found)
	assert.Equal(t, "small", p.Game.Name)
}

func TestReadingAgainIsReadingTheSame(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	p, found := plan.Read(raw)
	require.Empty(t, found)
	again, _ := plan.Read(raw)
	assert.True(t, reflect.DeepEqual(p, again))
	assert.Equal(t, 37, p.Variables.Get("warmth").Step.Line)
}

func compiled(t *testing.T) *jsonschema.Schema {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(plan.Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("plan.json", doc))
	s, err := c.Compile("plan.json")
	require.NoError(t, err)
	return s
}

// asJSON reads a plan as a schema validator sees it.
func asJSON(t *testing.T, text []byte) any {
	text = regexp.MustCompile(`prop:(\w+)\]`).ReplaceAll(text, []byte(`"prop:$1"]`)) // what the library takes for a table
	raw, err := yaml.YAMLToJSON(text)
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	return doc
}

func TestTheSchemaTakesWhatTheReaderTakes(t *testing.T) {
	s := compiled(t)
	files, err := filepath.Glob("../../examples/troubled/*.yaml")
	require.NoError(t, err)
	files = append(files, "../../examples/lantern-pass/plan.yaml")
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		if _, found := plan.Read(raw); found.Errors() {
			continue
		}
		assert.NoError(t, s.Validate(asJSON(t, raw)), f)
	}
	for _, from := range []string{"versoin", "max: fourty", "{add: player.oil}"} {
		text := strings.NewReplacer("version", pick(from, "versoin", "version"), "max: 40", pick(from, "max: fourty", "max: 40"),
			"{add: player.oil, by: -1}", pick(from, "{add: player.oil}", "{add: player.oil, by: -1}")).Replace(small)
		assert.Error(t, s.Validate(asJSON(t, []byte(text))), from)
	}
}

func pick(from, want, otherwise string) string {
	if from == want {
		return want
	}
	return otherwise
}

func TestEveryKeyOfTheSchemaIsDescribed(t *testing.T) {
	var schema map[string]any
	require.NoError(t, json.Unmarshal(plan.Schema(), &schema))
	for _, table := range plan.Keys() {
		for _, k := range table.Keys {
			if k.Name != "accept" {
				assert.NotEmpty(t, k.Doc, "%s.%s", table.Name, k.Name)
			}
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(small))
	for _, m := range mistakes {
		f.Add([]byte(strings.Replace(small, m.from, m.to, 1)))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		p, found := plan.Read(text)
		if p == nil {
			t.Fatal("there is always a plan")
		}
		for _, x := range found {
			if x.Message == "" || x.Line < 0 || x.Column < 0 {
				t.Fatalf("an incomplete finding: %+v", x)
			}
		}
	})
}

// JSON is YAML, too: a plan as another program writes it is the same plan.
func TestAPlanInJSONIsTheSamePlan(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	var value any
	raw = bytes.ReplaceAll(raw, []byte("prop:cache]"), []byte(`"prop:cache"]`)) // which the YAML library would make a table of
	require.NoError(t, yaml.Unmarshal(raw, &value))
	was, _ := plan.Read(raw)
	for name, write := range map[string]func(any) ([]byte, error){
		"in one line": json.Marshal,
		"indented":    func(v any) ([]byte, error) { return json.MarshalIndent(v, "", "  ") },
	} {
		text, err := write(value)
		require.NoError(t, err)
		p, found := plan.Read(text)
		assert.Empty(t, found, name)
		assert.Len(t, p.Variables.Entries, len(was.Variables.Entries), name)
		assert.Len(t, p.Rules, len(was.Rules), name)
	}
}

// A text that is read again is said the same of, and so is one that is read by several at once: what was parsed is shared.
func TestATextThatIsReadAgainIsTheSame(t *testing.T) {
	raw, err := os.ReadFile("../../examples/lantern-pass/plan.yaml")
	require.NoError(t, err)
	for i, changed := range append(golden.Otherwise(string(raw)), golden.Without(string(raw))...) {
		if i%12 != 0 {
			continue
		}
		text := []byte(strings.Replace(changed.Text, "title:", "tilte:", 1+i%3))
		first, found := plan.Read(text)
		for reader := range 3 {
			t.Run(fmt.Sprintf("%d, reader %d", i, reader), func(t *testing.T) {
				t.Parallel()
				_, again := plan.Read(text)
				require.Equal(t, found, again, changed.What)
			})
		}
		again, _ := plan.Read(text)
		require.Equal(t, first, again, changed.What)
	}
}
