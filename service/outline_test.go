package service_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/examples"
)

// A text is outlined as it is written, with errors too; only what cannot be read is refused, by line.
func TestATextIsOutlined(t *testing.T) {
	t.Parallel()
	h := start(t)
	out, err := h.c.Outline(ctx, examples.LanternPass)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(out.Document), `{"alluvion":1,"game":"lantern-pass",`), "in its order")
	assert.Contains(t, out.Says, contract.Sentence{At: "/rules/9/do/1", Text: "3 is taken from the player's Oil", Deep: 1})
	assert.NotEmpty(t, out.Names)
	assert.Equal(t, contract.RuleGroup{Title: "Gust", Event: "gust", Rules: []contract.RuleGlance{{At: "/rules/0",
		Reads: []string{"player.warmth"}, Changes: []string{"player.chilled", "player.warmth"}}}}, groupOf(out, "gust"))

	broken := strings.Replace(string(examples.LanternPass), "{add: player.oil, by: -3}", "{add: player.oul, by: -3}", 1)
	out, err = h.c.Outline(ctx, []byte(broken))
	require.NoError(t, err)
	assert.Contains(t, out.Says, contract.Sentence{At: "/rules/9/do/1", Text: "3 is taken from the player's oul", Deep: 1})
	assert.Empty(t, out.Names)
	assert.Empty(t, groupOf(out, "gust").Rules[0].Reads)

	_, err = h.c.Outline(ctx, []byte("a: [1,"))
	assert.Equal(t, http.StatusUnprocessableEntity, status(err))

	edited, err := h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "insert", Path: []string{"rules", "0"}, Value: contract.JSON(`{"on":"died","do":[{"save":"player"}]}`)},
		contract.PlanEdit{Do: "order", Path: []string{"rules", "0"}, To: "28"})
	require.NoError(t, err)
	assert.Contains(t, edited.Text, "    do: [{die: player}]\n  - on: died\n    do:\n      - {save: player}\n\nmilestones:")
	assert.Zero(t, edited.Report.Counts.Errors)
	_, err = h.c.Edit(ctx, examples.LanternPass, contract.PlanEdit{Do: "order", Path: []string{"rules", "0"}, To: "99"})
	assert.Equal(t, http.StatusConflict, status(err))
}

func groupOf(out contract.Outline, event string) contract.RuleGroup {
	for _, g := range out.Groups {
		if g.Event == event {
			return g
		}
	}
	return contract.RuleGroup{}
}
