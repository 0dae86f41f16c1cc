package browser_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Closing a session and deleting what is held of it, and then its game, each ask for the name once more.
func TestASessionAndAGameAreEndedByTheirNames(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/live/winter")
	p.press("Close…")
	p.sees("Close the session winter?")
	p.until(`[...document.querySelectorAll('.v-dialog button')].find((b) => b.innerText.includes('Close the session')).disabled`, "nothing is closed by mistake")
	p.fill("Write winter to do it", "winter")
	p.press("Close the session")
	p.sees("The session winter is not open")
	games, err := p.c.Games(ctx)
	require.NoError(t, err)
	assert.Zero(t, games[0].Sessions)

	p.press("Delete what is held of it…")
	p.fill("Write winter to do it", "winter")
	p.press("Delete it")
	p.sees("What was held of winter is deleted")

	p.goTo("/")
	p.clickOn(`document.querySelector('button[aria-label="Delete Lantern Pass"]')`, "the way to delete the game")
	p.sees("Delete Lantern Pass?")
	p.fill("Write lantern-pass to do it", "lantern-pass")
	p.press("Delete the game")
	p.sees("No game has a plan yet")
	games, err = p.c.Games(ctx)
	require.NoError(t, err)
	assert.Empty(t, games)
}
