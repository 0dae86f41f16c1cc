//go:build !compiled

package compiled_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"alluvion.dev/core/compiled"
	"alluvion.dev/core/model"
	"alluvion.dev/core/offline"
	"alluvion.dev/core/plan"
	"alluvion.dev/core/share"
	"alluvion.dev/core/upgrade"
	"alluvion.dev/examples"
	"alluvion.dev/internal/generated"
)

// plans are plans of all kinds, by name.
var plans = map[string][]byte{"lantern-pass": examples.LanternPass, "lantern-market": examples.LanternMarket,
	"harbour": examples.Harbour, "everything": []byte(generated.Everything)}

func write(t require.TestingT, source []byte) []byte {
	m, _, found := model.LoadFor(source, examples.Commons)
	require.NotNil(t, m, "%v", found)
	raw, err := compiled.Write(m, examples.Commons)
	require.NoError(t, err)
	return raw
}

// A compiled plan is the same plan: machines need the same layout, and the same play leads to the same save. Compiling it
// again gives the same bytes.
func TestACompiledPlanIsTheSamePlan(t *testing.T) {
	for name, source := range plans {
		raw := write(t, source)
		assert.True(t, bytes.Equal(raw, write(t, source)), name)
		assert.True(t, compiled.Is(raw))
		read, err := compiled.Read(raw)
		require.NoError(t, err)
		digest := sha256.Sum256(source)
		assert.Equal(t, hex.EncodeToString(digest[:]), read.Source)
		m, found := read.Load()
		require.NotNil(t, m, "%v", found)
		was, _, _ := model.LoadFor(source, examples.Commons)
		assert.Equal(t, was.Plan.Game.Name, read.Game)
		assert.Equal(t, was.Plan.Version.Value, read.Version)
		assert.Equal(t, layout(t, was), layout(t, m), name)
		assert.Equal(t, played(t, source), played(t, raw), name)
	}
}

func layout(t *testing.T, m *model.Model) string {
	raw, err := share.WriteLayout(share.LayoutOf(m))
	require.NoError(t, err)
	return string(raw)
}

// played is what is saved, and what was said, after a minute of a player who does what they can.
func played(t *testing.T, text []byte) (out []string) {
	s, _, err := offline.Open(text, examples.Commons, nil, 7)
	require.NoError(t, err)
	require.NoError(t, s.Connect(s.Protocols()[0]))
	now := int64(1000)
	say := func(text string) {
		s.Received([]byte(text), now)
		now += 500
		s.Advance(now)
		for _, m := range s.Outgoing() {
			out = append(out, string(m.Data))
		}
	}
	say(`{"is":"hello","player":"ada"}`)
	m, _, _ := model.LoadFor(text, examples.Commons)
	if compiled.Is(text) {
		p, err := compiled.Read(text)
		require.NoError(t, err)
		m, _ = p.Load()
	}
	for range 3 {
		for _, e := range m.Plan.Events.Entries {
			say(`{"is":"event","name":"` + e.ID + `"}`)
		}
		for _, p := range m.Plan.Passages.Entries {
			say(`{"is":"pass","name":"` + p.ID + `"}`)
		}
		say(`{"is":"start-over"}`)
	}
	raw, _ := s.Save()
	return append(out, string(raw))
}

// What was read once is read again as the same document, findings and their places too, also where it is full of mistakes.
func TestNodesAreTheDocument(t *testing.T) {
	files, err := filepath.Glob("../../examples/*/*.yaml")
	require.NoError(t, err)
	require.Greater(t, len(files), 20)
	for _, name := range files {
		source, err := os.ReadFile(name)
		require.NoError(t, err)
		nodes, err := plan.Nodes(source)
		if err != nil {
			continue // it is no YAML that can be read
		}
		p, found := plan.Read(source)
		again, same := plan.Read(plan.OfNodes(nodes))
		assert.Empty(t, again.Source)
		p.Source = ""
		for i := range found {
			found[i].Excerpt = ""
		}
		for i := range same {
			same[i].Excerpt = ""
		}
		assert.Equal(t, found, same, name)
		assert.True(t, reflect.DeepEqual(p, again), name)
	}
}

// What is damaged, of another format or no compiled plan is refused in words that say what to do.
func TestADamagedOneIsRefused(t *testing.T) {
	raw := write(t, examples.LanternMarket)
	refused := func(raw []byte, words string) {
		t.Helper()
		_, err := compiled.Read(raw)
		require.ErrorContains(t, err, words)
		assert.ErrorContains(t, err, "compile the plan")
	}
	refused(raw[:len(raw)/2], "damaged")
	refused(nil, "damaged")
	refused([]byte(`{"alluvion_compiled":1}`), "damaged")
	refused(bytes.Replace(raw, []byte(`compiled":1`), []byte(`compiled":2`), 1), "format 2")
	refused(bytes.Replace(raw, []byte("lantern-market"), []byte("lantern-packet"), 1), "damaged or was changed")
	rapid.Check(t, func(t *rapid.T) {
		worse := bytes.Clone(raw)
		at, by := rapid.IntRange(0, len(raw)-1).Draw(t, "at"), byte(rapid.IntRange(1, 255).Draw(t, "by"))
		worse[at] ^= by
		if _, err := compiled.Read(worse); err == nil { // a key in capitals would be no key
			t.Fatalf("%q in place of %q at %d is not noticed", worse[at], raw[at], at)
		}
	})
	_, found := plan.Read(raw)
	require.NotEmpty(t, found)
	assert.Contains(t, found[0].Message, "This is a compiled plan")
}

// FuzzContent changes what is in a compiled plan, with the right sum: it is refused or loaded, and nothing else happens.
func FuzzContent(f *testing.F) {
	for _, source := range plans {
		raw := write(f, source)
		_, content, _ := bytes.Cut(raw, []byte(`"content":`))
		f.Add(content[:len(content)-1])
	}
	f.Fuzz(func(t *testing.T, content []byte) { loads(content) })
}

// loads reads and loads a compiled plan with this content, in a process whose expressions nobody needs afterwards.
func loads(content []byte) {
	digest := sha256.Sum256(content)
	raw := append([]byte(`{"alluvion_compiled":1,"sum":"`+hex.EncodeToString(digest[:])+`","content":`), content...)
	if p, err := compiled.Read(append(raw, '}')); err == nil {
		_, _ = p.Load()
	}
}

func TestContentThatWasChangedIsRefusedOrLoaded(t *testing.T) {
	raw := write(t, []byte(`{alluvion: 1, game: small, version: 1, space: {axes: [x, y]}, start: hall/door, scenes: {hall: {size: [10, 10], spots: {door: {at: [5, 0]}}}},
  variables: {coins: {of: player, type: int, start: 3, min: 0, max: 9}, rich: {of: player, type: bool, is: "player.coins > 4 && !(player.coins == 7)"}},
  events: {gain: {from: self}}, rules: [{on: gain, if: "player.coins < 9", do: [{set: player.coins, to: "player.coins + 1"}]}]}`))
	_, content, _ := bytes.Cut(raw, []byte(`"content":`))
	content = content[:len(content)-1]
	require.Contains(t, string(content), `"w":"!"`)
	for at := range content { // a character more, less, or another
		for _, c := range []byte(`0"{[ztn-`) {
			loads(append(append(append([]byte(nil), content[:at]...), c), content[at+1:]...))
		}
		loads(append(append([]byte(nil), content[:at]...), content[at+1:]...))
	}
	for _, cut := range []string{`"args":[`, `"on":{`, `"k":"call",`, `"w":"&&",`, `"k":[`} {
		loads(bytes.ReplaceAll(content, []byte(cut), []byte(strings.Replace(cut, `"`, `"x`, 1))))
	}
}

// A program that has neither reader runs them: every plan, and the saves of earlier versions.
func TestAProgramWithoutReadersRunsThem(t *testing.T) {
	dir := t.TempDir()
	for name, source := range plans {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), write(t, source), 0o600))
	}
	cmd := exec.Command("go", "test", "-tags", "compiled", "-count=1", "-v", "-run", "TestInsideWithoutReaders", ".")
	cmd.Env = append(os.Environ(), "COMPILED_PLANS="+dir)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Contains(t, string(out), "--- PASS: TestInsideWithoutReaders")
	// The same saves are upgraded to the same here.
	m, _, _ := model.LoadFor(examples.LanternPass, examples.Commons)
	for _, name := range saves(t) {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		assert.Contains(t, string(out), name+" "+upgraded(upgrade.New(m), raw)+"\n")
	}
}
