package browser_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What all saves hold is drawn; a range that is to be narrowed says how many it cuts off, before any trial.
func TestWhatSavesHoldIsDrawn(t *testing.T) {
	p := open(t)
	plan, err := os.ReadFile("../../examples/old-cellar/plan.yaml")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "old-cellar", plan, "")
	require.NoError(t, err)
	p.goTo("/games/old-cellar/saves")
	p.sees("Nobody has a save yet")
	for _, nick := range []string{"bo", "ada", "finn", "ingrid", "tor", "sunniva"} {
		for slot := 1; slot <= 4; slot++ {
			name := fmt.Sprintf("%s-%d.json", nick, slot)
			raw, err := os.ReadFile("../../examples/old-cellar/saves/" + name)
			require.NoError(t, err)
			_, _, err = p.c.UploadFile(ctx, "old-cellar", nick, slot, name, raw, "", "as it was")
			require.NoError(t, err)
		}
	}
	p.goTo("/games/old-cellar/saves?show=player.coins")
	p.sees("24 of 24 counted")
	p.until(`document.querySelector('.chart canvas') !== null`, "the chart is drawn")
	p.fill("from", "10")
	p.fill("to", "100")
	p.until(`/\d+ of 24 saves cut off/.test(document.querySelector('[role=status]')?.innerText ?? '')`, "how many it cuts off is said")
	p.choose("Players in", "The attic")
	p.until(`/ of 24 counted/.test(document.body.innerText) && !document.body.innerText.includes('24 of 24')`, "fewer are counted")
	p.clickOn(`[...document.querySelectorAll('.list button')].find(b => b.innerText.includes('Lamp'))`, "Lamp is picked")
	p.sees("Of those with a value")

	// By when they were saved, and beside what they hold under what is published.
	p.goTo("/games/old-cellar/saves?show=player.coins&saved=-30")
	p.sees("No save is so")
	p.goTo("/games/old-cellar/saves?show=player.coins&saved=1")
	p.sees("24 of 24 counted")
	text, etag, err := p.c.Plan(ctx, "old-cellar")
	require.NoError(t, err)
	_, err = p.c.Publish(ctx, "old-cellar", etag, "a test")
	require.NoError(t, err)
	narrow := strings.Replace(strings.Replace(string(text), "version: 3", "version: 4", 1), "max: 500, start: 12", "max: 60, start: 12", 1)
	_, _, err = p.c.PutPlan(ctx, "old-cellar", []byte(narrow), etag)
	require.NoError(t, err)
	p.goTo("/games/old-cellar/saves?show=player.coins")
	p.choose("beside", "version 3")
	p.sees("Outlined: under version 3.")
	p.until(`/Most\s+60\s+under version 3: \d+/.test(document.querySelector('.one dl').innerText)`, "the most there is, under both")
	p.until(`location.search.includes('beside=3')`, "the address says so")
}
