package browser_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func (p *page) gives(input string, files ...string) {
	p.t.Helper()
	for i := range files {
		full, err := filepath.Abs("../../examples/old-cellar/" + files[i])
		require.NoError(p.t, err)
		files[i] = full
	}
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.SetUploadFiles(chromedp.CSS(input), files)))
}

// A team whose game is out drops its saves, reads the draft, makes it a game, and takes a save in and out.
func TestAPlanIsDraftedFromSavesAndTheirsComeAndGo(t *testing.T) {
	p := open(t)
	p.forgive("422", "409")
	p.goTo("/adopt")
	p.sees("Drop a folder's saves here")
	p.gives("input[type=file]", "saves/bo-1.json", "saves/bo-2.json")
	p.sees("at least 3 are wanted")
	names, err := filepath.Glob("../../examples/old-cellar/saves/*")
	require.NoError(t, err)
	files := []string{}
	for _, name := range names[:150] {
		files = append(files, strings.TrimPrefix(name, "../../examples/old-cellar/"))
	}
	p.gives("input[type=file]", files...)
	p.sees("150 saves in 2 formats")
	p.sees("All of them load under the draft with nothing told. 90 were written back as they were")
	p.sees("guesses, to be read first")
	p.press("Make it a game")
	p.until(`location.pathname === '/games/adopted/plan'`, "it is a game, and its plan is there")
	p.sees("# Drafted from 150 saves")

	plan, err := os.ReadFile("../../examples/old-cellar/plan.yaml")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "old-cellar", plan, "")
	require.NoError(t, err)
	p.goTo("/games/old-cellar/players")
	p.sees("Check a save")
	p.gives("input[type=file]", "saves/bo-1.json")
	p.sees("bo-1.json loads as it is.")
	p.sees("of version 1, upgraded to 3, in the game's own format slot_file")
	raw, err := os.ReadFile("../../examples/old-cellar/saves/bo-3.json")
	require.NoError(t, err)
	_, _, err = p.c.UploadFile(ctx, "old-cellar", "bo", 3, "bo-3.json", raw, "", "as it was")
	require.NoError(t, err)
	p.goTo("/games/old-cellar/players/bo?part=saves&slot=3")
	p.sees("as slot_file")
	p.gives("section input[type=file]", "saves/bo-3.json")
	p.sees("bo-3.json is the newest save now.")
	href := p.value(`[...document.querySelectorAll('a')].find(a => a.textContent === 'as slot_file').getAttribute('href')`)
	assert.Equal(t, "/v1/games/old-cellar/players/bo/slots/3/save?as=slot_file", href)
	back, _, err := p.c.DownloadAs(ctx, "old-cellar", "bo", 3, "slot_file")
	require.NoError(t, err)
	assert.Equal(t, string(raw), string(back))
}
