package scout

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/check"
	"alluvion.dev/examples"
)

// Whatever may refuse the way out of a scene, or follow from it, keeps the claim from being made that it is always open.
func TestAScenesWayOutIsClaimedOnlyWhereNothingCanCloseIt(t *testing.T) {
	m, _, _ := check.Text(examples.LanternPass, examples.Commons)
	for _, one := range leaves(m) {
		assert.NotEmpty(t, one.By, one.Scene)
	}
	text := small(`
variables: {n: {of: player, type: int, min: 0, max: 3, start: 0, read_by: game}, open: {of: game, type: bool, start: true}}
passages: {stairs: {from: hall/far, to: loft/hatch, both_ways: true}}
movables: {cart: {start: hall/door}}
events: {grab: {from: self}, up: {from: self}}
rules:
  - {on: grab, do: [{take: cart}]}
  - {on: up, do: [{set: player.n, to: 2}, {go: loft/hatch}]}
  - {on: arrived, do: [{set: player.n, to: 1}]}
`)
	wayOut := func(from string, changes ...string) string {
		one := strings.NewReplacer(changes...).Replace(text)
		require.True(t, len(changes) == 0 || one != text, changes)
		m, _, found := check.Text([]byte(one), nil)
		require.False(t, found.Errors(), "%+v\n%s", found, one)
		return leaves(m)[m.Scene(from).Index].By
	}
	noStairs := []string{"both_ways: true}", "both_ways: true, if: game.open}", "rules:\n", "rules:\n  - {on: grab, do: [{set: game.open, to: false}]}\n"}
	assert.Equal(t, "stairs", wayOut("hall"))
	assert.Equal(t, "stairs", wayOut("loft"))
	assert.Equal(t, "sending up", wayOut("hall", noStairs...))
	assert.Empty(t, wayOut("loft", noStairs...), "up leads nowhere from there")
	for what, changes := range map[string][]string{
		"a rule refuses to let players go":   {"on: arrived, do: [", "on: departed, do: [{if: game.open, do: [{refuse: No.}]}, "},
		"what is held may not come along":    {"cart: {start: hall/door}", "cart: {start: hall/door, never_in: [loft]}"},
		"an invariant reads the place":       {"rules:\n", "always: [{that: \"place.scene == 'hall' || game.open\", refused: No.}]\nrules:\n"},
		"an invariant reads what is written": {"rules:\n", "always: [{that: player.n < 3 || game.open, refused: No.}]\nrules:\n"},
		"a limit refuses":                    {"max: 3, start: 0", "max: 3, start: 0, at_limit: refuse, refused: No."},
		"who comes back dies again":          {"rules:\n", "rules:\n  - {on: came-back, do: [{die: player}]}\n"},
		"who arrives is sent on":             {"on: arrived, do: [", "on: arrived, do: [{go: hall/door}, "},
		"who is saved is sent back":          {"rules:\n", "rules:\n  - {on: saved, do: [{go: hall/door}]}\n"},
		"a milestone sends back":             {"rules:\n", "milestones: {up: {when: place.scene == 'loft'}}\nrules:\n  - {on: {milestone: up}, do: [{go: hall/door}]}\n"},
		"a checkpoint there sends back": {"rules:\n", "rules:\n  - {on: checkpoint, do: [{go: hall/door}]}\n", "fallback: hall/door", "fallback: hall/door, list: {k: {in: loft/mat}}",
			"spots: {hatch: {at: [1, 1]}}", "spots: {hatch: {at: [1, 1]}}, areas: {mat: {x: [0, 3], y: [0, 3]}}"},
		"a rule waits for what is written": {"rules:\n", "rules:\n  - {on: {changed: player.n}, do: [{refuse: No.}]}\n"},
		"the place where one comes back to kills": {"rules:\n", "rules:\n  - {on: {entered: hall/mud}, do: [{die: player}]}\n", "fallback: hall/door", "fallback: hall/door, list: {k: {at: hall/middle}}",
			"far: {at: [18, 18]}", "far: {at: [18, 18]}, middle: {at: [9, 9]}"},
	} {
		assert.Empty(t, wayOut("hall", changes...), what)
	}
	assert.Equal(t, "sending up", wayOut("hall", "rules:\n", "rules:\n  - {on: {entered: hall/mud}, do: [{die: player}]}\n"), "one could walk into it")
	assert.Equal(t, "sending up", wayOut("hall", "saving:", "requests: {pass: {if: game.open, refused: No.}}\nsaving:"))
}
