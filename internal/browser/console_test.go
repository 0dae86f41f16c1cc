package browser_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion/client"
	"alluvion/core/expr"
	"alluvion/core/fixed"
	"alluvion/core/wire"
	"alluvion/examples"
	"alluvion/internal/browser"
	"alluvion/service"
	"alluvion/service/api"
	"alluvion/service/auth"
)

var ctx = context.Background()

// tab is the one browser of this package's tests; it is started once.
var tab = sync.OnceValues(func() (context.Context, error) {
	t, _, err := browser.Start(ctx)
	return t, err
})

// page is the console of a service of its own, in the browser.
type page struct {
	t    *testing.T
	ctx  context.Context
	url  string
	c    *client.Client
	room *client.Session
}

// open starts a service with the demo game and one player in it. The test fails on any error that the
// page writes to the browser's console.
func open(t *testing.T) *page {
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: filepath.Join(t.TempDir(), "a.db")})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Stop(ctx)) })
	parent, err := tab()
	require.NoError(t, err)
	within, cancel := context.WithTimeout(parent, 3*time.Minute)
	p := &page{t: t, ctx: within, url: s.URL(), c: client.New(s.URL())}
	t.Cleanup(cancel)
	t.Cleanup(func() { _ = chromedp.Do(parent, chromedp.Navigate("about:blank")) }) // it asks no service that is gone
	messages := chromedp.Console(within)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			if strings.Contains(m.String(), "412") { // a conflict, which the page tells in its own words
				continue
			}
			if m.IsException() || strings.Contains(fmt.Sprint(m.Type), "error") {
				t.Errorf("the page says: %s", m)
			}
		}
	}()
	_, guild := p.c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(p.t, guild)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	p.room, err = p.c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	p.play(api.Request{Do: "join", Player: "wren"})
	p.play(api.Request{Do: "event", Player: "wren", Name: "choose", Args: map[string]expr.Value{"who": expr.OfText("brisa")}})
	return p
}

func (p *page) play(r api.Request) {
	_, err := p.room.Do(ctx, r)
	require.NoError(p.t, err)
}

func (p *page) goTo(path string) {
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.Navigate(p.url+path)))
}

// sees waits until the page shows a text.
func (p *page) sees(text string) {
	p.t.Helper()
	p.until(fmt.Sprintf("document.body.innerText.includes(%q)", text), "the page shows "+text)
}

// until asks the page again and again. A question that a navigation cuts off is asked anew.
func (p *page) until(condition, what string) {
	p.t.Helper()
	var err error
	for deadline := time.Now().Add(40 * time.Second); time.Now().Before(deadline); time.Sleep(100 * time.Millisecond) {
		var yes bool
		if yes, err = chromedp.Run(p.ctx, chromedp.Evaluate[bool]("Boolean("+condition+")")); err == nil && yes {
			return
		}
	}
	text, _ := chromedp.Run(p.ctx, chromedp.Evaluate[string]("document.body.innerText"))
	require.Fail(p.t, "not so", "%s (%v). It shows:\n%s", what, err, text)
}

func (p *page) click(selector string) {
	p.t.Helper()
	p.until(fmt.Sprintf("document.querySelector(%q) !== null", selector), selector+" is there")
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.Click(chromedp.CSS(selector))), selector)
}

func (p *page) value(script string) string {
	v, err := chromedp.Run(p.ctx, chromedp.Evaluate[string](script))
	require.NoError(p.t, err)
	return v
}

func TestTheOverviewShowsEachGameAndHowItStands(t *testing.T) {
	p := open(t)
	p.goTo("/")
	p.sees("Lantern Pass")
	p.sees("nothing to mend")
	p.click("a.game")
	p.sees("Each player has")
	assert.Contains(t, p.value("document.title"), "What survives what")
}

func TestACellOfTheMatrixIsExplainedAndHasAnAddress(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix")
	p.sees("Pick a cell")
	p.click(`button[aria-label^="Warmth at Death"]`)
	p.sees("Warmth becomes player.max_warmth when the player comes back after dying.")
	p.sees("Decided by the item itself")
	assert.Contains(t, p.value("location.search"), "row=player.warmth")
	p.goTo("/games/lantern-pass/matrix?row=player.parcels&at=death")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	p.click(".panel a.plain")
	p.sees("Save the plan")
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('parcels:')`, "the editor is at the line that decides it")
}

func TestAFateIsChangedInTheMatrixAndTakenBack(t *testing.T) {
	p := open(t)
	before, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/matrix?row=player.parcels&at=death")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	p.click(".choices button:nth-child(1)")
	p.sees("Parcels stays as it is when the player comes back after dying.")
	after, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(string(before), "max: 9999, start: 0, across: {death: rewind}}", "max: 9999, start: 0, across: {death: keep}}", 1), string(after))
	p.click(".undo")
	p.sees("As it was before.")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	back, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, string(before), string(back))
}

func TestThePlanIsCheckedAsItIsTypedAndNothingTypedIsLost(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/plan")
	p.until(`document.querySelector('.cm-content') !== null`, "the editor is there")
	p.sees("Nothing to mend")
	p.click(".cm-line")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("# mine: "), chromedp.Sleep(200*time.Millisecond)))
	p.sees("Not saved yet")
	p.goTo("/games/lantern-pass/players")
	p.sees("Everybody who is in a session")
	p.goTo("/games/lantern-pass/plan")
	p.sees("This is what you had typed")
	p.until(`document.querySelector('.cm-content')?.textContent.includes('# mine: ')`, "what was typed is still there")
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](`localStorage.clear()`))
	require.NoError(t, err)
}

func TestAFindingLeadsToItsLine(t *testing.T) {
	p := open(t)
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", []byte(strings.Replace(string(text), "  falls: ", "  spare: {of: player, type: int, start: 0, min: 0, max: 9}\n  falls: ", 1)), etag)
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/plan")
	p.sees("Nothing reads player.spare.")
	p.click("button.finding")
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('spare:')`, "the editor is at the finding's line")
}

func TestThePlanIsSavedAndAConflictIsTold(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/plan")
	p.until(`document.querySelector('.cm-content') !== null`, "the editor is there")
	p.sees("Nothing to mend")
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", append(text, "# somebody else\n"...), etag)
	require.NoError(t, err)
	p.click(".cm-line")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("# mine: ")))
	p.until(`[...document.querySelectorAll('button')].some(b => b.textContent.includes('Save the plan') && !b.disabled)`, "it can be saved")
	p.click(".head button")
	p.sees("Somebody else has saved the plan")
	_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](`[...document.querySelectorAll('button')].find(b => b.textContent.includes('Save mine over it')).click()`))
	require.NoError(t, err)
	p.sees("Saved. Sessions that are open go on")
	now, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Contains(t, string(now), "# mine: ")
	assert.NotContains(t, string(now), "# somebody else")
}

func TestAPlayersValuesStartLiveAndSaved(t *testing.T) {
	p := open(t)
	p.play(api.Request{Do: "event", Player: "wren", Name: "load"})
	p.goTo("/games/lantern-pass/players")
	p.sees("in winter")
	p.click(`a[href$="/players/wren"]`)
	p.sees("nothing is saved yet")
	p.until(`document.querySelector('table.values')?.innerText.includes('brisa')`, "the pick is shown")
	p.sees("rule 5")
	p.click(".tools button")
	p.sees("Saved as revision 1.")
	p.play(api.Request{Do: "event", Player: "wren", Name: "load"})
	row := `[...document.querySelectorAll('table.values tbody tr')].find(r => r.querySelector('th').textContent === 'Parcels')?.innerText.replace(/\s+/g, ' ').trim()`
	p.until(row+` === 'Parcels 0 2 1'`, "start, live and saved stand side by side")
	p.click(`button[title^="player.parcels"]`)
	p.sees("Changes of player.parcels, newest first.")
}

// nextVersion publishes the plan as it is, puts the next version in as the plan in work, and begins a trial of it.
func (p *page) nextVersion() api.TrialInfo {
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(p.t, err)
	_, err = p.c.Publish(ctx, "lantern-pass", etag, "a test")
	require.NoError(p.t, err)
	later, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/plan.v4.yaml")
	require.NoError(p.t, err)
	later = []byte(strings.Replace(string(later), "max: 40, start: 12", "max: 20, start: 12", 1))
	later = []byte(strings.Replace(string(later), "{set: player.oil, to: 40}", "{set: player.oil, to: 20}", 1))
	require.NotEqual(p.t, string(text), string(later))
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", later, etag)
	require.NoError(p.t, err)
	t, err := p.c.StartTrial(ctx, "lantern-pass", api.TrialStart{Made: 20, Seed: 1})
	require.NoError(p.t, err)
	return t
}

func (p *page) press(text string) {
	p.t.Helper()
	find := fmt.Sprintf("[...document.querySelectorAll('button')].find(b => b.textContent.trim().startsWith(%q) && !b.disabled)", text)
	p.until(find+" !== undefined", "there is a button "+text)
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](find+".click();0"))
	require.NoError(p.t, err)
}

// fill writes into the field with a label.
func (p *page) fill(label, text string) {
	p.t.Helper()
	field := fmt.Sprintf("[...document.querySelectorAll('.v-input')].find(f => f.innerText.includes(%q))?.querySelector('input')", label)
	p.until(field+" !== undefined", "there is a field "+label)
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](field+".focus();0"))
	require.NoError(p.t, err)
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(text)))
}

func TestANextVersionIsTriedAndPublished(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/versions")
	p.sees("Nothing is published yet")
	p.nextVersion()
	p.goTo("/games/lantern-pass/versions")
	p.sees("In work: version 4")
	p.sees("Its trial was not clean")
	p.sees("player.oil")
	p.sees("the nearest that is right")
	p.sees("Saves of version 3 under version 4")
	p.sees("player.falls")
	p.press("look at one")
	p.sees("made up for version 3")
	p.press("Try again")
	p.sees("are loaded with something put right")
	p.fill("Go on, because", "oil is dear")
	p.press("Publish version 4")
	p.sees("Version 4 is published.")
	p.sees("oil is dear")
	all, err := p.c.Versions(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, all.Published, 2)
	assert.Equal(t, "oil is dear", all.Published[0].Why)
}

func TestSavesAreTakenUpPutRightAndEmptied(t *testing.T) {
	p := open(t)
	p.play(api.Request{Do: "event", Player: "wren", Name: "load"})
	_, err := p.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	p.play(api.Request{Do: "event", Player: "wren", Name: "load"})
	p.play(api.Request{Do: "leave", Player: "wren"})
	p.goTo("/games/lantern-pass/players/wren?part=saves")
	p.sees("Saves of slot 1")
	p.press("Take up again")
	p.sees("Revision 1 is taken up again.")
	p.press("Put a value right")
	p.until(`document.querySelector('.asked .v-select') !== null`, "the form is there")
	p.click(".asked .v-select .v-field")
	oil := `[...document.querySelectorAll('.v-list-item')].find(i => i.innerText.trim() === 'Oil')`
	p.until(oil+" !== undefined", "the values are offered")
	_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](oil+".click();0"))
	require.NoError(t, err)
	p.fill("becomes", "3")
	p.fill("because", "support")
	p.press("Put it right")
	p.sees("The value is put right.")
	p.sees("player.oil: support")
	state, err := p.c.Player(ctx, "lantern-pass", "wren", 1)
	require.NoError(t, err)
	for _, v := range state.Values {
		if v.Name == "player.oil" {
			assert.Equal(t, "3", v.Saved.Plain())
		}
		if v.Name == "player.parcels" {
			assert.Equal(t, "1", v.Saved.Plain())
		}
	}
	p.press("Empty")
	p.fill("Write wren", "wren")
	p.press("Empty the slot")
	p.sees("The slot is empty")
	p.press("Take up again")
	p.sees("is taken up again")
}

func TestASaveIsCheckedByHand(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/players")
	p.sees("Check a save")
	path, err := filepath.Abs("../../examples/lantern-pass/history/saves/bad/unknown-options.json")
	require.NoError(t, err)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{path})))
	p.sees("unknown-options.json loads, with something put right or told.")
	p.sees("/values/courier")
	p.sees("it has its start value, none")
}

func TestOneKeySearchesEverythingThatThePlanNames(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix")
	p.sees("Each player has")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("/")))
	p.until(`document.querySelector('input[type=search]') === document.activeElement`, "the search is open")
	p.until(`document.querySelectorAll('.search li button').length > 3`, "names are offered")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(400*time.Millisecond), chromedp.KeyEvent("rope")))
	p.sees("rope_bridge")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('rope_bridge')`, "it leads to the passage")
}

func TestTheLivePageFollowsASession(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/live")
	p.sees("One player, 0 connected")
	ada, err := p.room.Join(ctx, client.Joining{Player: "ada", Packed: true, Checks: true})
	require.NoError(t, err)
	p.sees("2 players, 1 connected")
	lie := expr.OfInt(9)
	require.Error(t, ada.Do(ctx, wire.Ask{Is: "write", Name: "player.parcels", Value: &lie}))
	p.sees("is not written by players")
	require.NoError(t, ada.Do(ctx, wire.Ask{Is: "move", To: []fixed.Num{fixed.FromInt(30), fixed.FromInt(2)}}))
	p.press("ada")
	p.sees("all values")
	p.sees("1 forbidden")
	p.until(`(() => { const d = document.querySelector('.dot.picked'); return d && d.getAttribute('transform') === 'translate(30 2)' })()`, "ada is drawn where she is")
	require.NoError(t, ada.Do(ctx, wire.Ask{Is: "pass", Name: "porch_gorge"}))
	p.until(`document.querySelector('svg.map')?.getAttribute('aria-label').startsWith('Scree Gorge')`, "the map follows her")
	ada.Believe("player.warmth@ada", "-18")
	p.sees("Believed otherwise")
	p.sees("-18")

	require.NoError(t, p.room.Close(ctx))
	p.sees("is not open")
	p.press("Open the session winter")
	p.sees("Nobody is here")
}

func TestAConsoleAsksForATokenWhereOneIsNeeded(t *testing.T) {
	data := filepath.Join(t.TempDir(), "a.db")
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Tokens: true})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Stop(ctx)) })
	keys, err := auth.Load(service.KeysFile(data))
	require.NoError(t, err)
	token, err := keys.Issue(auth.Who{Role: auth.Designer}, time.Now(), time.Hour)
	require.NoError(t, err)
	parent, err := tab()
	require.NoError(t, err)
	within, cancel := context.WithTimeout(parent, time.Minute)
	t.Cleanup(cancel)
	t.Cleanup(func() { _ = chromedp.Do(parent, chromedp.Navigate("about:blank")) })
	p := &page{t: t, ctx: within, url: s.URL()}
	p.goTo("/")
	p.sees("A token is needed")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SendKeys(chromedp.CSS("input[type=password]"), "nonsense\r")))
	p.sees("is not good")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SendKeys(chromedp.CSS("input[type=password]"), strings.Repeat("\b", 8)+token+"\r")))
	p.until(`!document.body.innerText.includes('A token is needed') && document.querySelector('h1')`, "the console opens")
}

func TestEveryPageIsAccessibleInLightAndDark(t *testing.T) {
	p := open(t)
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	p.play(api.Request{Do: "join", Player: "pike"})
	p.play(api.Request{Do: "leave", Player: "pike"})
	trial := p.nextVersion()
	_, err = p.c.WatchTrial(ctx, "lantern-pass", trial.Trial, func(api.TrialInfo) {})
	require.NoError(t, err)
	for path, shows := range map[string]string{
		"/": "Lantern Pass", "/games/lantern-pass/matrix?row=player.warmth&at=death": "Warmth becomes", "/games/lantern-pass/plan": "Save the plan",
		"/games/lantern-pass/players": "wren", "/games/lantern-pass/players/wren": "Why is it so?", "/games/lantern-pass/players/pike?part=saves": "newest", "/games/lantern-pass/versions": "are taken up whole", "/games/lantern-pass/budgets": "What would make it shorter", "/games/lantern-pass/live": "on the session's clock", "/games/lantern-pass/live/summer": "is not open", "/nowhere": "There is nothing",
	} {
		for _, theme := range []string{"light", "dark"} {
			_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](`localStorage.setItem('alluvion-theme', '`+theme+`')`))
			if err != nil { // the first page is blank and keeps nothing
				p.goTo("/")
				_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](`localStorage.setItem('alluvion-theme', '`+theme+`')`))
			}
			require.NoError(t, err)
			p.goTo(path)
			p.sees(shows)
			_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](string(axe)+";0"))
			require.NoError(t, err)
			_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](`axe.run().then(r => { window.axeFound = JSON.stringify(r.violations.filter(v => v.impact === 'serious' || v.impact === 'critical').map(v => v.id + ': ' + v.nodes.map(n => n.target).slice(0, 3).join(' '))) });0`))
			require.NoError(t, err)
			p.until(`window.axeFound !== undefined`, "axe has looked")
			assert.Equal(t, "[]", p.value("window.axeFound"), "%s in %s", path, theme)
			assert.Equal(t, "true", p.value("String(document.documentElement.scrollWidth <= 1280)"), "%s fits without a sideways scroll", path)
		}
	}
}
