package rehearse

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/core/plan"
)

func TestEveryStepIsSaidInWords(t *testing.T) {
	wanted := []struct{ step, words string }{
		{"{join: wren, as: {courier: oddny}}", "wren joins as courier: oddny"},
		{"{pass: rope_bridge, by: wren}", "wren goes through rope_bridge"},
		{"{touch: ledge, by: wren, at: [1, 2]}", "wren touches ledge"},
		{"{move: wren, to: [3.5, 4]}", "wren moves to 3.5, 4"},
		{"{move: wren, to: {x: 3}}", "wren moves to x 3"},
		{"{event: gust, by: server, args: {at: wren, amount: 5, hard: true}}", "the server sends gust (at: wren, amount: 5, hard: true)"},
		{"{event: sing, by: wren}", "wren sends sing"},
		{"{write: oil, by: wren, value: [low, high]}", "wren writes oil: low, high"},
		{"{die: wren}", "wren dies"},
		{"{start-over: wren}", "wren starts over"},
		{"{leave: wren}", "wren leaves"},
		{"{delete: wren}", "everything about wren is deleted"},
		{"{wait: 90s}", "1m30s passes"},
		{"{date: 2027-02-03 03:59}", "it is 2027-02-03 03:59"},
		{"{crash: machine}", "the machine crashes"},
		{"{restart: session}", "the session is restarted"},
		{"{refused: {die: wren}, because: no}", "refused: wren dies"},
		{"{told: wren, notice: Too heavy}", "wren is told: Too heavy"},
		{"{expect: wren.oil > 3}", "expected: wren.oil > 3"},
		{"{expect: {wren.oil: 3, wren.lit: true}}", "expected: wren.oil is 3, wren.lit is true"},
		{"{sees: [wren, p2], expect: {wren.oil: 3}, not: p2.oil}", "wren, p2 sees that wren.oil is 3 and is not sent p2.oil"},
		{"{correct: wren.oil, to: 4, why: lost}", "wren.oil is corrected: 4"},
		{"{upgrade: wren, to: 4}", "on to version 4"},
	}
	text := "rehearsal: Words\nplan: plan.yaml\nplayers: [wren, p2]\nsteps:\n"
	for _, w := range wanted {
		text += "  - " + w.step + "\n"
	}
	script, found := plan.ReadRehearsal([]byte(text))
	require.Empty(t, found)
	said := map[string]bool{}
	for i, w := range wanted {
		assert.Equal(t, w.words, Words(&script.Steps[i]), w.step)
		said[script.Steps[i].Verb] = true
	}
	for verb := range words {
		assert.True(t, said[verb], "%s is tried", verb)
	}
	for _, verb := range plan.StepVerbs() {
		assert.NotNil(t, words[verb], "%s has words", verb)
	}
}
