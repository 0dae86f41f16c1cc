package browser_test

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	cdp "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/fixed"
	"alluvion.dev/core/types"
	"alluvion.dev/core/wire"
	"alluvion.dev/examples"
	"alluvion.dev/examples/lantern-pass/game"
	"alluvion.dev/internal/browser"
	"alluvion.dev/service"
	"alluvion.dev/service/auth"
)

var ctx = context.Background()

// browsers are those of this package's tests: three, since a page waits as long as it works. Each is started when it is
// first taken, and has one page at a time.
var browsers = func() chan func() (context.Context, error) {
	all := make(chan func() (context.Context, error), 3)
	for range cap(all) {
		all <- sync.OnceValues(func() (context.Context, error) {
			t, _, err := browser.Start(ctx)
			return t, err
		})
	}
	return all
}()

// page is the console of a service of its own, in the browser.
type page struct {
	t    *testing.T
	ctx  context.Context
	url  string
	c    *client.Client
	room *client.Session
	s    *service.Service
	data string
	// forgiven is what the browser may complain of: it tells of every answer that is no success, also of one that the
	// page tells in its own words.
	forgiven atomic.Value
}

// forgive lets the browser complain of answers whose text has one of these words.
func (p *page) forgive(words ...string) { p.forgiven.Store(words) }

// tab takes a browser until the test ends, while other tests have the other ones. It is for so long at most. Clean up by
// what it gives before the service stops: a page asks no service that is gone.
func tab(t *testing.T, long time.Duration) (context.Context, func()) {
	t.Parallel()
	of := <-browsers
	t.Cleanup(func() { browsers <- of })
	parent, err := of()
	require.NoError(t, err)
	within, cancel := context.WithTimeout(parent, long)
	return within, func() {
		_ = chromedp.Do(parent, chromedp.Navigate("about:blank"))
		cancel()
	}
}

// open starts a service with the demo game and one player in it. The test fails on any error that the page writes to the
// browser's console.
func open(t *testing.T) *page { return openWith(t, service.Config{}) }

// openWith is open with a service that is started in another way.
func openWith(t *testing.T, config service.Config) *page {
	within, leave := tab(t, 10*time.Minute)
	data := filepath.Join(t.TempDir(), "a.db")
	config.Addr, config.Data, config.Games = "127.0.0.1:0", data, map[string]fs.FS{"lantern-pass": game.Files()}
	s, err := service.Start(config)
	require.NoError(t, err)
	p := &page{t: t, ctx: within, url: s.URL(), c: client.New(s.URL()), s: s, data: data}
	t.Cleanup(func() { assert.NoError(t, p.s.Stop(ctx)) })
	t.Cleanup(leave)
	messages := chromedp.Console(within)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			words, _ := p.forgiven.Load().([]string)
			if slices.ContainsFunc(words, func(w string) bool { return strings.Contains(m.String(), w) }) {
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
	p.play(contract.Request{Do: "join", Player: "wren"})
	go p.stay(within)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "choose", Args: map[string]types.Value{"who": types.OfText("brisa")}})
	return p
}

// stay says of whoever plays by requests that they are still there, until ctx ends.
func (p *page) stay(ctx context.Context) {
	for ctx.Err() == nil {
		time.Sleep(5 * time.Second)
		if state, err := p.room.State(ctx); err == nil {
			for _, id := range state.Present {
				_, _ = p.room.Do(ctx, contract.Request{Do: "ping", Player: id})
			}
		}
	}
}

func (p *page) play(r contract.Request) {
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

// fetched waits until the page has fetched what has part in its address, and has had a moment to use it.
func (p *page) fetched(part string) {
	p.t.Helper()
	p.until(fmt.Sprintf(`performance.getEntriesByType('resource').some(e => e.name.includes(%q) && e.responseEnd > 0 && performance.now() > e.responseEnd + 300)`, part), part+" is fetched")
}

// until asks the page again and again. A question that a navigation cuts off is asked anew.
func (p *page) until(condition, what string) {
	p.t.Helper()
	var err error
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
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
	p.sees("no problems")
	p.click(".game .title")
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
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('parcels:')`, "the editor is at the line that decides it")
}

func TestAFateIsChangedInTheMatrixAndTakenBack(t *testing.T) {
	p := open(t)
	before := p.plan()
	p.goTo("/games/lantern-pass/matrix?row=player.parcels&at=death")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	p.click(".choices button:nth-child(1)")
	p.sees("Parcels stays as it is when the player comes back after dying.")
	p.sees("Not saved yet")
	assert.Equal(t, before, p.plan(), "nothing is saved by itself")
	p.press("Undo")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	p.press("Redo")
	p.sees("Parcels stays as it is when the player comes back after dying.")
	p.goTo("/games/lantern-pass/matrix?row=player.parcels&at=death")
	p.sees("This is what you had changed and not saved.")
	p.press("becomes")
	p.fill("Becomes", "div(player.parcels, 2)")
	p.press("Write it")
	p.sees("Parcels becomes div(player.parcels, 2) when the player comes back after dying.")
	p.saved()
	assert.Equal(t, strings.Replace(before, "max: 9999, start: 0, across: {death: rewind}}", `max: 9999, start: 0, across: {death: {set: "div(player.parcels, 2)"}}}`, 1), p.plan())
}

func TestThePlanIsCheckedAsItIsTypedAndNothingTypedIsLost(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/plan")
	p.until(`document.querySelector('.cm-content') !== null`, "the editor is there")
	p.sees("No problems")
	p.click(".cm-line")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("# mine: "), chromedp.Sleep(200*time.Millisecond)))
	p.sees("Not saved yet")
	p.goTo("/games/lantern-pass/players")
	p.sees("Everybody who is in a session")
	p.goTo("/games/lantern-pass/plan")
	p.sees("This is what you had changed and not saved.")
	p.until(`document.querySelector('.cm-content')?.textContent.includes('# mine: ')`, "what was typed is still there")
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](`localStorage.clear()`))
	require.NoError(t, err)
}

func TestAnotherDesignersSaveIsShownWhereNothingWasChanged(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	p.sees("Oil goes back to what it was")
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", []byte(strings.Replace(string(text), "start: 12, across: {death: rewind}}", "start: 12, across: {death: reset}}", 1)), etag)
	require.NoError(t, err)
	p.sees("Somebody else has saved the plan; this is it.")
	p.sees("Oil goes back to its start, 12,")
	// With something changed here, it is asked whose is to stay; theirs can be taken, and Undo brings one's own back.
	p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'keep')`, "keep")
	p.sees("Oil stays as it is")
	text, etag, err = p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", append(text, "# theirs\n"...), etag)
	require.NoError(t, err)
	p.sees("Somebody else has saved the plan since you began.")
	p.press("Take theirs")
	p.sees("Oil goes back to its start, 12,")
	p.press("Undo")
	p.sees("Oil stays as it is")
	p.saved()
	assert.Contains(t, p.plan(), "start: 12, across: {death: keep}}")
}

// Two windows of one browser have the same draft: neither overwrites what is changed in the other.
func TestTwoWindowsWorkOnOneDraft(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	p.sees("Oil goes back to what it was")
	within, cancel := chromedp.NewContext(p.ctx)
	defer cancel()
	other := &page{t: t, ctx: within, url: p.url, c: p.c}
	other.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	other.sees("Oil goes back to what it was")
	other.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'keep')`, "keep")
	other.sees("Oil stays as it is")
	p.sees("Oil stays as it is")
	p.sees("Not saved yet, kept in this browser: changed in another window")
	p.press("Undo")
	p.sees("Oil goes back to what it was")
	other.sees("Oil goes back to what it was")
	other.press("Undo")
	other.sees("Oil stays as it is")
	p.sees("Oil stays as it is")
	p.saved()
	other.until(`!document.body.innerText.includes('Not saved yet')`, "it is saved there, too")
	other.sees("Oil stays as it is")
	assert.Contains(t, p.plan(), "start: 12, across: {death: keep}}")
}

func TestTheMatrixIsWalkedAndChangedByKey(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	p.sees("Oil goes back to what it was")
	key := func(target, name string, ctrl bool) {
		p.run(fmt.Sprintf(`(%s).dispatchEvent(new KeyboardEvent('keydown', {key: %q, ctrlKey: %t, bubbles: true, cancelable: true}))`, target, name, ctrl))
	}
	cell := `document.querySelector('.cell.picked')`
	key(cell, "ArrowDown", false)
	p.sees("Parcels goes back to what it was")
	p.until(`document.activeElement?.classList.contains('picked')`, "the cell has the focus")
	key(cell, "ArrowRight", false)
	p.sees("Parcels stays as it is when a visit ends")
	p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'reset')`, "reset")
	p.sees("Parcels goes back to its start, 0, when a visit ends")
	key("document.body", "z", true)
	p.sees("Parcels stays as it is when a visit ends")
	key("document.body", "y", true)
	p.sees("Parcels goes back to its start, 0, when a visit ends")
	key("document.body", "s", true)
	p.sees("Saved. Sessions that are open go on")
	assert.Contains(t, p.plan(), "across: {death: rewind, leave: reset}}")
}

func TestAFindingLeadsToItsLine(t *testing.T) {
	p := open(t)
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", []byte(strings.Replace(string(text), "  falls: ", "  spare: {of: player, type: int, start: 0, min: 0, max: 9}\n  falls: ", 1)), etag)
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/plan")
	p.sees("Nothing reads player.spare.")
	p.until("document.querySelector('.cm-line') !== null", "the editor is there") // until then what is clicked may move away
	p.click(".finding button")
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('spare:')`, "the editor is at the finding's line")
}

func TestThePlanIsSavedAndAConflictIsTold(t *testing.T) {
	p := open(t)
	p.forgive("412")
	p.goTo("/games/lantern-pass/plan")
	p.until(`document.querySelector('.cm-content') !== null`, "the editor is there")
	p.sees("No problems")
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", append(text, "# somebody else\n"...), etag)
	require.NoError(t, err)
	p.click(".cm-line")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("# mine: ")))
	p.sees("Not saved yet")
	p.sees("Somebody else has saved the plan since you began.") // which is told by itself
	p.press("Save mine over it")
	p.sees("Saved. Sessions that are open go on")
	now, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Contains(t, string(now), "# mine: ")
	assert.NotContains(t, string(now), "# somebody else")
}

func TestAPlayersValuesStartLiveAndSaved(t *testing.T) {
	p := open(t)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	p.goTo("/games/lantern-pass/players")
	p.sees("in winter")
	p.click(`a[href$="/players/wren"]`)
	p.sees("nothing is saved yet")
	p.until(`document.querySelector('table.values')?.innerText.includes('brisa')`, "the pick is shown")
	p.sees("rule 5")
	p.click(".tools button")
	p.sees("Saved as revision 1.")
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	row := `[...document.querySelectorAll('table.values tbody tr')].find(r => r.querySelector('th').textContent === 'Parcels')?.innerText.replace(/\s+/g, ' ').trim()`
	p.until(row+` === 'Parcels 0 2 1'`, "start, live and saved stand side by side")
	p.click(`button[title^="player.parcels"]`)
	p.sees("Changes of player.parcels, newest first.")
}

// nextVersion publishes the plan as it is, puts the next version in as the plan in work, and begins a trial of it.
func (p *page) nextVersion() contract.TrialInfo {
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
	t, err := p.c.StartTrial(ctx, "lantern-pass", contract.TrialStart{Made: 20, Seed: 1})
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

// fill writes into the field with a label, in place of what stands there.
func (p *page) fill(label, text string) {
	p.t.Helper()
	field := fmt.Sprintf("[...document.querySelectorAll('.v-input')].find(f => f.innerText.includes(%q))?.querySelector('input')", label)
	p.until(field+" !== undefined", "there is a field "+label)
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](field+".focus();"+field+".select();0"))
	require.NoError(p.t, err)
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.KeyEvent(text)))
	p.until(fmt.Sprintf("%s?.value === %q", field, text), label+" holds what was typed")
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
	p.until(`document.querySelector('select[aria-label="The older version"]')?.value === '3' && document.querySelector('select[aria-label="The newer version"]')?.value === '0'`, "saves of version 3 under the plan in work")
	p.sees("player.falls")
	p.press("look at one")
	p.sees("generated for version 3")
	p.until(`location.search.includes('sample=')`, "the address says which")
	p.press("Try again")
	p.sees("are loaded with something corrected")
	p.fill("Go on, because", "oil is dear")
	p.press("Publish version 4")
	p.sees("Version 4 is published.")
	p.sees("oil is dear")
	all, err := p.c.Versions(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, all.Published, 2)
	assert.Equal(t, "oil is dear", all.Published[0].Why)
}

func TestTwoVersionsStandSideBySide(t *testing.T) {
	p := open(t)
	p.nextVersion()
	p.goTo("/games/lantern-pass/versions")
	p.sees("player.falls")
	p.clickOn(`[...document.querySelectorAll('a')].find(a => a.textContent === 'The texts')`, "the texts")
	p.sees("unchanged lines")
	p.until(`document.querySelectorAll('.cm-mergeView .cm-editor').length === 2`, "both texts are there")
	p.until(`[...document.querySelectorAll('.cm-mergeViewEditor')].map(e => e.innerText.match(/^version: (\d)/m)?.[1]).join() === '3,4'`, "the older on the left")
	assert.Contains(t, p.value("location.search"), "show=texts")
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, _, err = p.c.PutPlan(ctx, "lantern-pass", []byte(strings.Replace(string(text), "title: Lantern Pass", "title: Lantern Pass at Night", 1)), etag)
	require.NoError(t, err)
	p.sees("Lantern Pass at Night") // without being asked to
	p.goTo("/games/lantern-pass/versions?old=3&under=0&show=texts")
	p.sees("Lantern Pass at Night")
	p.until(`document.querySelector('select[aria-label="The newer version"]') !== null`, "versions are there to choose from")
	p.run(`const s = document.querySelector('select[aria-label="The newer version"]'); s.value = '3'; s.dispatchEvent(new Event('change'))`)
	p.until(`location.search.includes('under=3')`, "the address says which two")
	p.sees("unchanged lines")
	p.clickOn(`[...document.querySelectorAll('a')].find(a => a.textContent === 'What becomes of them')`, "the saves")
	p.sees("Nothing that concerns a save is different.")
}

func TestSavesAreTakenUpPutRightAndEmptied(t *testing.T) {
	p := open(t)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	_, err := p.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	p.play(contract.Request{Do: "leave", Player: "wren"})
	p.goTo("/games/lantern-pass/players/wren?part=saves")
	p.sees("Saves of slot 1")
	p.press("What it changed")
	p.sees("Revision 2 against 1")
	p.goTo("/games/lantern-pass/players/wren?part=saves&revision=2") // its address
	p.sees("Revision 2 against 1")
	p.until(`[...document.querySelectorAll('.sample tr')].some(r => r.innerText.replace(/\s+/g, ' ').trim() === 'Parcels 1 2')`, "what differs is listed")
	p.press("Take up again")
	p.sees("Revision 1 is upgraded again.")
	p.press("Put a value right")
	p.choose("Value", "Oil")
	p.fill("becomes", "3")
	p.fill("because", "support")
	p.press("Put it right")
	p.sees("The value is corrected.")
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
	p.sees("is upgraded again")
}

// A player's id is whatever the game calls them by: every address holds it.
func TestAPlayerMayBeCalledAnything(t *testing.T) {
	p := open(t)
	const odd = `Ana María/1?#%2F&"`
	p.play(contract.Request{Do: "join", Player: odd})
	p.play(contract.Request{Do: "event", Player: odd, Name: "load"})
	_, err := p.c.Save(ctx, "lantern-pass", odd)
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/players")
	p.clickOn(fmt.Sprintf(`[...document.querySelectorAll('td a')].find(a => a.textContent.trim() === %q)`, odd), "the player")
	p.sees("revision 1 is saved")
	p.click(`button[title^="player.parcels"]`)
	p.sees("Changes of player.parcels, newest first.")
	p.clickOn(`[...document.querySelectorAll('main a')].find(a => a.textContent.trim() === 'Saves')`, "the other part")
	p.sees("only a value can be corrected in it until they leave")
	p.run(`fetch(document.querySelector('a[download]').href).then(async r => window.got = r.status + ' ' + (await r.json()).save.player)`)
	p.until(fmt.Sprintf(`window.got === '200 ' + %q`, odd), "the save is downloaded")
	p.goTo("/games/lantern-pass/live")
	p.press(odd)
	p.sees("this player was brought in over HTTP")
	p.goTo("/games/lantern-pass/why")
	p.clickOn(`document.querySelector('td button')`, "somebody's changes")
	p.sees("rule 5 (line 187) on load")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("/")))
	p.until(`document.querySelector('input[type=search]') === document.activeElement`, "the search is open")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(400*time.Millisecond), chromedp.KeyEvent("María/1")))
	p.until(`document.querySelectorAll('.search li button').length === 1`, "only they are left")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.until(fmt.Sprintf(`document.querySelector('h1')?.textContent.trim() === %q`, odd), "their page is there")
}

func TestASaveIsCheckedByHand(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/players")
	p.sees("Check a save")
	path, err := filepath.Abs("../../examples/lantern-pass/history/saves/bad/unknown-options.json")
	require.NoError(t, err)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{path})))
	p.sees("unknown-options.json loads, with something corrected or told.")
	p.sees("/values/courier")
	p.sees("it has its start value, none")
}

func TestOneKeySearchesEverythingThatThePlanNames(t *testing.T) {
	p := open(t)
	p.goTo("/")
	p.sees("Lantern Pass")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("/")))
	p.until(`document.querySelector('input[type=search]') === document.activeElement`, "the search is open where there is no game yet")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(400*time.Millisecond), chromedp.KeyEvent("lantern\r")))
	p.sees("Each player has")
	p.goTo("/games/lantern-pass/matrix")
	p.sees("Each player has")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("/")))
	p.until(`document.querySelector('input[type=search]') === document.activeElement`, "the search is open")
	p.until(`document.querySelectorAll('.search li button').length > 3`, "names are offered")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(400*time.Millisecond), chromedp.KeyEvent("rope")))
	p.sees("rope_bridge")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.sees("span_east, Scree Gorge") // on the map
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("/")))
	p.until(`document.querySelectorAll('.search li button').length > 3`, "names are offered again")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(400*time.Millisecond), chromedp.KeyEvent("gust")))
	p.until(`document.querySelectorAll('.search li button').length === 1`, "only the event is left")
	assert.Equal(t, "gust", p.value("document.activeElement.value"), "the key that opened the search is not looked for")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('gust:')`, "it leads to the event")
}

func TestTheLivePageFollowsASession(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/live")
	p.sees("One player, 0 connected")
	ada, err := p.room.Join(ctx, client.Joining{Player: "ada", Packed: true, Checks: true})
	require.NoError(t, err)
	p.sees("2 players, 1 connected")
	lie := types.OfInt(9)
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

	p.forgive("410") // the page may ask something of the session that is closed now
	require.NoError(t, p.room.Close(ctx))
	p.sees("is not open")
	p.press("Open the session winter")
	p.sees("Nobody is here")
}

func TestAConsoleAsksForATokenWhereOneIsNeeded(t *testing.T) {
	within, leave := tab(t, 5*time.Minute)
	data := filepath.Join(t.TempDir(), "a.db")
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Tokens: true})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Stop(ctx)) })
	keys, err := auth.Load(service.KeysFile(data))
	require.NoError(t, err)
	token, err := keys.Issue(auth.Who{Role: auth.Designer}, time.Now(), time.Hour)
	require.NoError(t, err)
	t.Cleanup(leave)
	p := &page{t: t, ctx: within, url: s.URL()}
	p.goTo("/")
	p.sees("A token is needed")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SendKeys(chromedp.CSS("input[type=password]"), "nonsense\r")))
	p.sees("is not good")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.SendKeys(chromedp.CSS("input[type=password]"), strings.Repeat("\b", 8)+token+"\r")))
	p.until(`!document.body.innerText.includes('A token is needed') && document.querySelector('h1')`, "the console opens")
}

// pick clicks something that is drawn or listed, found by a script.
func (p *page) clickOn(find, what string) {
	p.t.Helper()
	p.until(find+" != null", what+" is there")
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](find+".dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true}));0"))
	require.NoError(p.t, err)
}

// choose takes an item of a list that a field with a label opens.
func (p *page) choose(label, item string) {
	p.t.Helper()
	field := fmt.Sprintf(`[...document.querySelectorAll('.v-select')].find(f => f.querySelector('label')?.textContent === %q)?.querySelector('.v-field')`, label)
	p.until(field+" != null", "there is a list "+label)
	p.run(field + `.dispatchEvent(new MouseEvent('mousedown', {bubbles: true, cancelable: true}))`)
	p.clickOn(fmt.Sprintf(`[...document.querySelectorAll('.v-overlay--active .v-list-item')].find(i => i.innerText.trim() === %q)`, item), item)
	p.until("!document.querySelector('.v-menu.v-overlay--active')", "the list is closed")
	for range 20 { // the focus goes back to the field, late on a busy machine, and not in every case
		if back := p.value("String(" + field + "?.contains(document.activeElement))"); back == "true" {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.NoError(p.t, chromedp.Do(p.ctx, chromedp.Sleep(300*time.Millisecond))) // while it fades it still may
}

// onNewPages runs a script in every page that the test opens from now on, before anything else.
func (p *page) onNewPages(script string) {
	p.t.Helper()
	is, err := chromedp.Call(p.ctx, cdp.AddScriptToEvaluateOnNewDocument, cdp.AddScriptToEvaluateOnNewDocumentParams{Source: script})
	require.NoError(p.t, err)
	p.t.Cleanup(func() { // the next test has the same browser
		_, _ = chromedp.Call(p.ctx, cdp.RemoveScriptToEvaluateOnNewDocument, cdp.RemoveScriptToEvaluateOnNewDocumentParams(is))
	})
}

// run carries out a script.
func (p *page) run(script string) {
	p.t.Helper()
	_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any]("{"+script+"};0"))
	require.NoError(p.t, err)
}

func (p *page) plan() string {
	text, _, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(p.t, err)
	return string(text)
}

// saved saves the draft and waits until it is.
func (p *page) saved() {
	p.t.Helper()
	p.press("Save the plan")
	p.sees("Saved. Sessions that are open go on")
}

func TestTheMatrixAddsRenamesRetypesAndMovesVariables(t *testing.T) {
	p := open(t)
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, err = p.c.Publish(ctx, "lantern-pass", etag, "a test")
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/matrix?row=player.falls&at=death")
	p.press("Add a variable")
	p.fill("Name", "songs")
	p.press("Add it")
	p.sees("added songs")
	p.until(`document.querySelector('.panel')?.innerText.includes('player.songs')`, "the new variable is picked")
	p.goTo("/games/lantern-pass/matrix?row=player.falls&at=death")
	p.sees("Not saved yet")
	p.press("Rename")
	p.fill("New name", "falls_down")
	p.press("Rename it")
	p.sees("Falls is called falls_down")
	p.until(`location.search.includes('player.falls_down')`, "the address follows")
	p.press("Another type")
	p.fill("Most", "99999")
	p.press("Change its type")
	p.sees("has another type")
	p.sees("int 0 to 99999")
	p.goTo("/games/lantern-pass/matrix?row=game.planks&at=restart")
	p.press("Another holder")
	p.click(".ask .v-select .v-field")
	p.clickOn(`[...document.querySelectorAll('.v-list-item')].find(i => i.innerText.trim() === 'scene')`, "the holder scene")
	p.press("Move it")
	p.sees("is held by scene")
	p.press("Undo")
	p.until(`document.querySelector('.panel')?.innerText.includes('game.planks') || !document.body.innerText.includes('scene.planks')`, "it is taken back")
	p.press("Redo")
	p.sees("is held by scene")
	p.saved()
	after := p.plan()
	for _, want := range []string{"version: 4", "  songs: {of: player, type: int, min: 0, max: 9999, start: 0}", "- {rename: {player.falls: player.falls_down}}", "rank: player.falls_down", "falls_down:       {of: player, type: int, min: 0, max: 99999", "- {drop: game.planks, why: \"It is held otherwise now, and begins anew.\"}", "{add: scene.planks, by: 1}", "# the hut warms them through"} {
		assert.Contains(t, after, want)
	}
	assert.NotEqual(t, string(text), after)
}

func TestTheMatrixIsExportedAndPrinted(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix/print")
	p.sees("Lantern Pass: what survives what")
	p.sees("Wind of these ten minutes")
	p.sees("Bold: decided by the item itself")
	p.goTo("/games/lantern-pass/matrix")
	p.press("Export")
	p.sees("CSV, for a spreadsheet")
	p.run(`window.kept = []; const made = URL.createObjectURL; URL.createObjectURL = (b) => { b.text().then((t) => window.kept.push(t)); return made(b) }`)
	p.clickOn(`[...document.querySelectorAll('.v-list-item')].find(i => i.innerText.includes('Markdown'))`, "the form Markdown")
	p.until(`window.kept.length === 1 && window.kept[0].includes('| Warmth | keep |')`, "the file is given")
}

func TestAVariableThatIsRemovedLeavesItsFindings(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	p.press("Remove")
	p.press("Remove it")
	p.sees("The plan has errors; this matrix is from before them.")
	p.until(`[...document.querySelectorAll('button')].find(b => b.textContent.includes('Save the plan')).disabled`, "it cannot be saved")
	p.press("Undo")
	p.until(`!document.body.innerText.includes('The plan has errors')`, "all is well again")
	p.press("Redo")
	p.sees("The plan has errors")
	p.press("Give up changes")
	p.until(`!document.body.innerText.includes('The plan has errors')`, "all is as it was saved")
}

func TestSpotsAreDraggedPassagesDrawnAndCheckpointsMade(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/scenes")
	p.sees("All scenes")
	p.until(`document.querySelectorAll('svg.map .title').length === 7`, "all scenes are drawn")
	p.clickOn(`[...document.querySelectorAll('svg.map .way')].find(w => w.textContent.startsWith('rope_bridge') || w.querySelector('title').textContent.startsWith('rope_bridge')).querySelector('.line')`, "the bridge")
	p.sees("span_east, Scree Gorge")
	p.until(`[...document.querySelectorAll('input')].some(i => i.value === 'game.bridge_mended')`, "what refuses it")

	p.goTo("/games/lantern-pass/scenes?scene=gorge")
	spot := `[...document.querySelectorAll('svg.map .place')].find(g => g.getAttribute('aria-label')?.startsWith('ledge'))`
	p.until(spot+" !== undefined", "the ledge is drawn")
	// The pointer takes it 6 metres to the right, and not quite 2 up: it sticks to whole metres.
	p.drags(spot, 50, 30, 56.2, 28.3)
	p.sees("moved ledge to 56, 28")
	// By key, too.
	p.run(spot + `.focus()`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\u0303"))) // an arrow to the right
	p.sees("moved ledge to 57, 28")
	p.press("Draw a passage")
	p.clickOn(spot, "the ledge")
	p.sees("From gorge/ledge: now click the spot that it leads to.")
	p.clickOn(`[...document.querySelectorAll('nav.chips a')].find(a => a.textContent === 'The Ridge')`, "the ridge")
	p.clickOn(`[...document.querySelectorAll('svg.map .place')].find(g => g.getAttribute('aria-label')?.startsWith('cairn'))`, "the cairn")
	p.sees("Ledge cairn")
	p.sees("a passage from ledge to cairn")
	p.goTo("/games/lantern-pass/scenes?scene=mill&pick=spot:mill/wheel")
	p.press("Make it a checkpoint")
	p.sees("wheel is a checkpoint")
	p.sees("number 4")
	p.press("Add a spot")
	p.run(`const r = document.querySelector('svg.map rect.ground'); const m = r.ownerSVGElement.getScreenCTM(); const q = new DOMPoint(10.3, 4.6).matrixTransform(m); r.dispatchEvent(new MouseEvent('click', {clientX: q.x, clientY: q.y, bubbles: true}))`)
	p.sees("a spot in mill")
	p.saved()
	after := p.plan()
	for _, want := range []string{"ledge:     {at: [57, 28]}", "ledge_cairn: {from: gorge/ledge, to: ridge/cairn, both_ways: true}", "    wheel: {at: mill/wheel, order: 4}", "      spot_1: {at: [10, 5]}"} {
		assert.Contains(t, after, want)
	}
}

// drags takes what is drawn for a script from a point of its scene to another, by pointer.
func (p *page) drags(what string, x, y, toX, toY float64) {
	p.t.Helper()
	p.until(what+" !== undefined", "it is drawn")
	p.run(fmt.Sprintf(`const g = %s; const svg = g.ownerSVGElement; const m = svg.getScreenCTM();
		const at = (x, y) => { const q = new DOMPoint(x, y).matrixTransform(m); return {clientX: q.x, clientY: q.y, bubbles: true, pointerId: 1, button: 0} };
		g.setPointerCapture = () => {};
		g.dispatchEvent(new PointerEvent('pointerdown', at(%[2]v, %[3]v))); g.dispatchEvent(new PointerEvent('pointermove', at((%[2]v + %[4]v) / 2, (%[3]v + %[5]v) / 2)));
		g.dispatchEvent(new PointerEvent('pointermove', at(%[4]v, %[5]v))); g.dispatchEvent(new PointerEvent('pointerup', at(%[4]v, %[5]v)))`, what, x, y, toX, toY))
}

func TestPropsAndAreasAreDraggedAndMovablesSentElsewhere(t *testing.T) {
	p := open(t)
	drawn := func(label string) string {
		return fmt.Sprintf(`[...document.querySelectorAll('svg.map [aria-label]')].find(g => g.getAttribute('aria-label').startsWith(%q))`, label)
	}
	// A prop that stands on a spot goes where the spot goes, until it is moved by itself.
	p.goTo("/games/lantern-pass/scenes?scene=gorge&pick=prop:cache.under_ledge")
	p.sees("it stands on the spot ledge")
	p.drags(drawn("cache.under_ledge"), 51, 30, 20, 40)
	p.sees("moved under_ledge to 20, 40")
	p.until(`[...document.querySelectorAll('input')].some(i => i.value === '20, 40')`, "the map has it there")
	p.fill("x, y", "50, 30")
	p.press("Move")
	p.press("Let it stand on ledge")
	p.sees("it stands on the spot ledge")
	p.drags(drawn("cache.under_ledge"), 51, 30, 21, 40)
	p.sees("moved under_ledge to 21, 40")
	// An area is held where it is taken, and does not leave the scene.
	p.drags(drawn("scree"), 50, 9, 70, 13)
	p.sees("moved scree to 48, 4")
	p.clickOn(drawn("scree"), "the scree")
	p.drags(drawn("scree"), 50, 9, 50, 9)
	p.sees("Loose scree")
	p.run(drawn("scree") + `.focus()`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\u0302"))) // an arrow to the left
	p.sees("moved scree to 47, 4")
	p.fill("Size: x, y", "10, 18")
	p.press("Resize")
	p.sees("scree is 10 by 18")
	// What is put into a scene begins in its middle.
	p.goTo("/games/lantern-pass/scenes?scene=mill&pick=scene:mill")
	p.press("Add a prop: cache")
	p.sees("a prop in The Frozen Mill")
	p.goTo("/games/lantern-pass/scenes?scene=mill&pick=scene:mill")
	p.press("Add an area")
	p.sees("An area in The Frozen Mill")
	p.press("Remove")
	p.sees("removed area_1")
	p.goTo("/games/lantern-pass/scenes?pick=movable:sled")
	p.sees("It begins at")
	p.run(`const s = document.querySelector('select option[value="lodge/hearth"]').closest('select'); s.value = 'lodge/hearth'; s.dispatchEvent(new Event('change'))`)
	p.sees("The sled begins at lodge/hearth")
	p.clickOn(`[...document.querySelectorAll('fieldset label')].find(l => l.textContent.includes('Scree Gorge')).querySelector('input')`, "never in the gorge")
	p.sees("The sled never comes into Scree Gorge")
	p.saved()
	after := p.plan()
	for _, want := range []string{"under_ledge: {in: gorge, at: [21, 40]}", "scree: {x: [47, 57], y: [4, 22], title: Loose scree}", "cache_1: {in: mill, at: [16, 10]}", "start: lodge/hearth, never_in: [cellar, gorge, ridge]"} {
		assert.Contains(t, after, want)
	}
	assert.NotContains(t, after, "area_1")
}

func TestPlacesAreRenamedWhereverThePlanSaysThem(t *testing.T) {
	p := open(t)
	text, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	_, err = p.c.Publish(ctx, "lantern-pass", etag, "a test")
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/scenes?scene=gorge&pick=scene:gorge")
	p.press("Rename")
	p.fill("Name in the plan", "gorge_deep")
	p.sees("take them along")
	p.fill("What people call it", "Scree Gorge and Deep")
	p.press("Rename it")
	p.sees("gorge is called gorge_deep")
	p.until(`location.search.includes('scene=gorge_deep') && location.search.includes('scene:gorge_deep')`, "the address follows")
	p.sees("Scree Gorge and Deep")
	p.fill("Size: x, y", "64, 60")
	p.press("Resize")
	p.sees("A scene of 64 by 60")
	p.goTo("/games/lantern-pass/scenes?pick=spot:gorge_deep/shelter")
	p.press("Rename the checkpoint")
	p.fill("Name in the plan", "gorge_shelter_low")
	p.press("Rename it")
	p.sees("gorge_shelter_low")
	p.clickOn(`[...document.querySelectorAll('.panel button')].find(b => b.textContent.trim() === 'Rename')`, "the spot's own")
	p.fill("Name in the plan", "shelter_low")
	p.press("Rename it")
	p.sees("shelter is called shelter_low")
	p.goTo("/games/lantern-pass/scenes?pick=prop:cache.at_cairn")
	p.press("Rename")
	p.press("Cancel")
	p.press("Rename")
	p.fill("Name in the plan", "at_cairns")
	p.press("Rename it")
	p.sees("at_cairn is called at_cairns")
	p.saved()
	after := p.plan()
	for _, want := range []string{"version: 4", "  gorge_deep:\n    title: Scree Gorge and Deep\n    size: [64, 60]", "to: gorge_deep/mouth", "if: place.scene == 'gorge_deep' && !game.bridge_mended",
		"gorge_shelter_low: {at: gorge_deep/shelter_low, order: 1}", "- {rename: {scenes.gorge: scenes.gorge_deep}}", "- {rename: {checkpoints.gorge_shelter: checkpoints.gorge_shelter_low}}", "- {rename: {props.cache.at_cairn: props.cache.at_cairns}}"} {
		assert.Contains(t, after, want)
	}
	assert.NotEqual(t, string(text), after)
	report, err := p.c.Findings(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Equal(t, contract.Counts{Accepted: report.Counts.Accepted}, report.Counts, "%+v", report.Findings)
}

func TestAListIsMadeAndMadeLonger(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/matrix?row=player.falls&at=death")
	p.press("Add a variable")
	p.fill("Name", "songs")
	p.choose("Type", "set")
	p.until(`document.querySelector('.ask button[type=submit]').disabled`, "a set of nothing is not made")
	p.fill("Choices, with commas between", "low, high")
	p.press("Add it")
	p.sees("added songs")
	p.sees("set of choice")
	p.press("Another type")
	p.fill("Most items", "80")
	p.press("Change its type")
	p.sees("Songs has another type")
	p.sees("at most 80")
	p.press("Another type")
	p.choose("Of", "pick")
	p.choose("Roster", "courier")
	p.press("Change its type")
	p.sees("set of courier, at most 80")
	p.saved()
	assert.Contains(t, p.plan(), "  songs: {of: player, type: set, items: {type: pick, roster: courier}, max_items: 80}")
}

// What a passage through the top of a scene leads to lies above it, and no scene over another.
func TestScenesLieAsTheirPassagesLead(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/scenes")
	p.until(`document.querySelectorAll('.ground').length === 7`, "all scenes are drawn")
	for what, shows := range map[string]string{"rope_bridge, a passage": "make it one way", "cache.at_cairn, a prop": "Cache, a prop in The Ridge", "The sled, a movable": "there is one of it", "scree in Scree Gorge, an area": "An area in Scree Gorge", "The Frozen Mill, a scene": "Add a spot in the middle"} {
		p.run(fmt.Sprintf(`const it = document.querySelector('[aria-label^=%q]'); it.focus(); it.dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', bubbles: true}))`, what))
		p.sees(shows)
	}
	p.run(`window.lies = Object.fromEntries([...document.querySelectorAll('svg.map > g')].filter(g => g.querySelector('.ground')).map(g => [g.querySelector('.title').textContent.trim(), g.querySelector('.ground').getBoundingClientRect()]))`)
	for what, condition := range map[string]string{
		"the porch is at the top of the lodge":     `lies['Scree Gorge'].bottom < lies['The Lodge'].top`,
		"the bridge is in the east of the gorge":   `lies['The Ridge'].left > lies['Scree Gorge'].right`,
		"the slope is at the top of the ridge":     `lies['The Beacon'].bottom < lies['The Ridge'].top`,
		"the gate is in the east of the ridge":     `lies['The Frozen Mill'].left > lies['The Ridge'].right`,
		"two ways lead east out of the lodge":      `lies['The Oil Cellar'].left > lies['The Lodge'].right && lies["The Guild's Hall"].left > lies['The Lodge'].right`,
		"what a passage joins lies across from it": `Math.abs(lies['The Ridge'].top - lies['Scree Gorge'].top) < 2`,
		"no scene lies over another":               `Object.values(lies).every((a, i, all) => all.every((b, j) => i === j || a.right < b.left || b.right < a.left || a.bottom < b.top || b.bottom < a.top))`,
	} {
		assert.Equal(t, "true", p.value("String("+condition+")"), what)
	}
}

func TestWhatAPassageCarriesAndWhatRefusesItIsWritten(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/scenes?pick=passage:rope_bridge")
	chip := func(name string) string {
		return fmt.Sprintf(`[...document.querySelectorAll('.panel .chip')].find(c => c.textContent.trim() === %q)`, name)
	}
	p.until(chip("y")+`?.getAttribute('aria-pressed') === 'true'`, "it carries y")
	p.clickOn(chip("facing"), "facing")
	p.until(chip("facing")+`?.getAttribute('aria-pressed') === 'true'`, "and facing")
	p.clickOn(chip("y"), "y")
	p.until(chip("y")+`?.getAttribute('aria-pressed') === 'false'`, "y no more")
	p.fill("Otherwise they are told", "Correct it first.")
	p.press("Write it")
	p.sees("what refuses rope_bridge")
	p.press("make it one way")
	p.sees("make it both ways")
	p.goTo("/games/lantern-pass/scenes?pick=passage:porch_gorge")
	p.clickOn(chip("x"), "x")
	p.until(chip("x")+`?.getAttribute('aria-pressed') === 'false'`, "x no more")
	p.clickOn(chip("facing"), "facing")
	p.until(chip("facing")+`?.getAttribute('aria-pressed') === 'false'`, "it carries nothing")
	p.saved()
	after := p.plan()
	assert.Contains(t, after, "rope_bridge: {from: gorge/span_east, to: ridge/span_west, both_ways: false, carry: [facing], if: game.bridge_mended, refused: Correct it first.")
	assert.Contains(t, after, "porch_gorge: {from: lodge/porch, to: gorge/mouth, both_ways: true}")
}

func TestWhatCannotBeReachedStandsOut(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/scenes")
	p.press("Add a scene")
	p.sees("a scene scene_1")
	p.until(`document.querySelector('svg.map .ground.trouble') !== null`, "it stands out")
	p.until(`document.querySelector('.panel .finding') !== null`, "and it is said why")
}

func TestADryRunPlaysSeveralPlayersAndIsKeptAsARehearsal(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/dry-run")
	p.press("joins")
	p.sees("1 of 1")
	p.sees("The Lodge")
	p.press("Choose")
	p.press("Send choose")
	p.sees("wren sends choose (who: brisa)")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /Courier\s+none\s+brisa\s+rule 3/.test(r.innerText))`, "before, after and why")
	p.press("Porch gorge")
	p.sees("Scree Gorge")
	p.press("Load")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /Parcels\s+0\s+1\s+rule 5/.test(r.innerText))`, "a parcel more")
	// On the map: the ground moves, a checkpoint is touched.
	p.run(`const r = document.querySelector('svg.map rect.ground'); const m = r.ownerSVGElement.getScreenCTM(); const q = new DOMPoint(40, 30).matrixTransform(m); r.dispatchEvent(new MouseEvent('click', {clientX: q.x, clientY: q.y, bubbles: true}))`)
	p.sees("wren moves to 40, 30")
	p.clickOn(`document.querySelector('svg.map .checkpoint')`, "the shelter")
	p.sees("wren touches gorge_shelter")
	p.press("Rope bridge")
	p.sees("refused: The bridge is down.")
	p.fill("x, y", "31 21") // by key, too
	p.press("Moves")
	p.sees("wren moves to 31, 21")
	p.press("Take back")
	p.until(`!document.body.innerText.includes('wren moves to 31, 21')`, "it is taken back")
	p.press("Put it back")
	p.sees("wren moves to 31, 21")
	p.fill("One more player", "finn")
	p.press("Joins")
	p.sees("finn joins")
	p.clickOn(`document.querySelector('button[aria-label="Step back"]')`, "the way back")
	p.sees("8 of 9")
	p.until(`document.querySelector('.chips .here')?.innerText.startsWith('finn') && document.querySelector('.chips .here').innerText.includes('away')`, "finn is not there yet")
	p.until(`location.search.includes('at=8')`, "the address says where")
	p.clickOn(`document.querySelector('button[aria-label="To the end"]')`, "the end")
	p.press("Keep this run")
	p.fill("What is rehearsed", "Over the gorge, and no further")
	p.clickOn(`document.querySelector('.keep button[type=submit]:not(:disabled)')`, "the form's button")
	p.sees("Kept as over-the-gorge-and-no-further.")
	p.press("Run all")
	p.sees("All 1 go as expected")
	list, err := p.c.Rehearsals(ctx, "lantern-pass")
	require.NoError(t, err)
	require.Len(t, list, 1)
	// A plan under which it fails: the rehearsal fails, and says at which step.
	p.goTo("/games/lantern-pass/matrix?row=player.parcels&at=scene")
	p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'reset')`, "reset")
	p.sees("Parcels at scene: reset")
	p.goTo("/games/lantern-pass/plan")
	p.until(`document.querySelector('.cm-content') !== null`, "the editor is there")
	p.run(`localStorage.setItem('x', '1')`)
	p.goTo("/games/lantern-pass/dry-run")
	p.sees("It is played as it stands here, not as it was saved.")
	p.press("Run all")
	p.sees("All 1 go as expected") // wren loads after crossing
	p.press("Give up changes")
	_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](`localStorage.clear()`))
	require.NoError(t, err)
}

func TestInADryRunTheServerSendsAndDaysPass(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/dry-run")
	p.press("joins")
	p.sees("1 of 1")
	p.until(`![...document.querySelectorAll('.moments button')].some(b => b.innerText === 'a day')`, "nothing there goes by the calendar")
	p.press("Blizzard")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /Warmth\s+100\s+/.test(r.innerText))`, "it is cold")

	_, _, err := p.c.PutPlan(ctx, "harbour", examples.Harbour, "")
	require.NoError(t, err)
	p.goTo("/games/harbour/dry-run")
	p.press("joins")
	p.sees("1 of 1")
	p.press("Find")
	p.press("Send find")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /rice\s+0\s+1\s+finding/.test(r.innerText))`, "what is held for an option, before and after, and the rule's name")
	p.press("Fetch")
	p.sees("wren sends fetch")
	p.press("a day")
	p.sees("24h passes")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /Fetched today\s+true\s+false\s+day/.test(r.innerText))`, "a new day")
	p.press("Round over")
	p.until(`[...document.querySelectorAll('table tr')].some(r => /Round\s+1\s+2\s+round/.test(r.innerText))`, "a new round")
}

func TestAMisspeltNameIsMendedFromItsFinding(t *testing.T) {
	p := open(t)
	_, etag, err := p.c.Plan(ctx, "lantern-pass")
	require.NoError(t, err)
	wrong := strings.Replace(string(examples.LanternPass), "to: gorge/mouth", "to: groge/mouth", 1)
	require.NotEqual(t, string(examples.LanternPass), wrong)
	p.goTo("/games/lantern-pass/plan")
	p.run(fmt.Sprintf(`localStorage.setItem('alluvion-draft-lantern-pass', JSON.stringify({text: %q, etag: %q}))`, wrong, etag))
	p.goTo("/games/lantern-pass/plan?line=126")
	p.sees("There is no scene called \"groge\". Did you mean gorge/mouth?")
	p.until(`document.querySelector('.cm-lintRange-error') !== null`, "it is marked in the text")
	p.press("Write gorge/mouth")
	p.sees("no problems")
	p.until(`!document.body.innerText.includes('Not saved yet')`, "it is what was saved")
	p.run(`localStorage.clear()`)
}

func TestARehearsalThatFailsOpensAtItsStep(t *testing.T) {
	p := open(t)
	text, err := examples.Rehearsals.ReadFile("lantern-pass/rehearsals/a-cache-is-taken-once.yaml")
	require.NoError(t, err)
	require.NoError(t, p.c.PutRehearsal(ctx, "lantern-pass", "cache", []byte(strings.Replace(string(text), "wren.parcels: 0,", "wren.parcels: 7,", 1))))
	p.goTo("/games/lantern-pass/dry-run")
	p.press("Run all")
	p.sees("1 of 1 fail")
	p.sees("at step 12")
	p.clickOn(`document.querySelector('.rehearsals .open')`, "the rehearsal")
	p.sees("12 of 17")
	p.sees("wren.parcels is 0, expected 7")
	p.until(`location.search.includes('rehearsal=cache')`, "the address names it")
	p.goTo("/games/lantern-pass/dry-run?rehearsal=cache&at=3")
	p.sees("3 of 17")
	p.clickOn(`document.querySelector('.rehearsals .drop')`, "its cross")
	p.sees("cache is deleted.")
	p.press("Undo")
	p.until(`document.querySelectorAll('.rehearsals li').length === 1`, "it is back")
}

func TestWhyTellsTheChangesThatLedToAValue(t *testing.T) {
	p := open(t)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	p.goTo("/games/lantern-pass/why")
	p.sees("rule 5 (line 187) on load")
	p.clickOn(`[...document.querySelectorAll('td button')].find(b => b.textContent.trim() === 'player.parcels')`, "the value")
	p.sees("One change in winter.")
	assert.Contains(t, p.value("location.search"), "name=player.parcels")
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	p.sees("2 changes in winter.")
	p.goTo("/games/lantern-pass/why?player=wren&name=player.stage")
	p.sees("Nothing of that has changed")
	p.press("Show all changes")
	p.goTo("/games/lantern-pass/why?session=winter&player=wren&name=player.parcels")
	p.clickOn(`document.querySelector('td a.plain')`, "the rule")
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('on: load')`, "it leads to the rule")
}

func TestAMilestoneIsTriedAndTakenBack(t *testing.T) {
	p := open(t)
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	p.goTo("/games/lantern-pass/milestones")
	p.sees("Full Sack")
	p.sees("1/5")
	p.clickOn(`document.querySelector('button[aria-label^="Full Sack of wren"]')`, "the milestone")
	p.press("Give it")
	p.sees("wren has Full Sack now.")
	p.until(`document.querySelector('button[aria-label^="Full Sack of wren"]')?.innerText.includes('earned')`, "it is earned")
	p.press("Undo")
	p.sees("Full Sack is taken back from wren.")
	p.until(`document.querySelector('button[aria-label^="Full Sack of wren"]')?.innerText.includes('1/5')`, "it is not earned any more")
	p.sees("Parcels delivered")
	all, err := p.c.Milestones(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.Zero(t, all.Milestones[1].Earned)
}

// A plan is searched beside its sessions; what is found is opened as a run, stepped through and kept.
func TestAPlanIsSearchedAndARunIsSteppedThrough(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/scout")
	p.sees("Nothing was searched yet")
	p.press("Search")
	p.sees("states,")
	p.until(`[...document.querySelectorAll("button.link")].some((b) => b.innerText === "First Crossing")`, "a way was found")
	p.press("Stop")
	p.until(`document.body.innerText.includes("Search again")`, "the search is over")
	p.press("First Crossing")
	p.sees("pass: rope_bridge, by: p1")
	assert.Contains(t, p.value(`location.search`), "look=milestone-first_crossing")
	p.clickOn(`document.querySelector('g.scene[aria-label^="Scree Gorge:"]')`, "the gorge, where the search went")
	p.sees("Into Scree Gorge")
	p.sees("The Lodge by porch_gorge")
	p.press("Keep as a rehearsal")
	p.sees("Kept as the rehearsal milestone-first-crossing.")
	p.press("Step through it")
	p.until(`location.pathname.endsWith("/dry-run")`, "the run is in a dry run")
	p.sees("goes through rope_bridge")
	list, err := p.c.Rehearsals(ctx, "lantern-pass")
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(list, func(r contract.RehearsalInfo) bool { return r.Name == "milestone-first-crossing" }))
}

// What no search has shown is marked in the matrix.
func TestTheMatrixMarksWhatNoSearchSaw(t *testing.T) {
	p := open(t)
	_, err := p.c.StartScout(ctx, "lantern-pass", contract.ScoutStart{Seconds: 60, States: 500})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		now, err := p.c.Scout(ctx, "lantern-pass")
		return err == nil && now.State == "done"
	}, time.Minute, 100*time.Millisecond)
	p.goTo("/games/lantern-pass/scout")
	p.clickOn(`[...document.querySelectorAll("a")].find((a) => a.innerText === "the matrix marks the others")`, "the way to the matrix")
	p.until(`document.querySelector('button[aria-label="Nickname at Death: keep, default, never seen at work"]')`, "the cell has its mark")
	p.sees("mark what no search saw")
	p.clickOn(`document.querySelector('.marks input')`, "the marks")
	p.until(`!document.querySelector('.unseen')`, "nothing is marked any more")
}

func TestBudgetsShowWhatAFieldCosts(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/budgets")
	p.sees("66 symbols used, 6 left")
	p.sees("2 samples would save 11")
	p.clickOn(`document.querySelector('.bar a[aria-label^="player.nickname"]')`, "the field")
	p.until(`location.search.includes('field=player.nickname')`, "the address names it")
	p.until(`document.querySelector('.bar .picked')?.textContent.trim() === 'nickname'`, "it is picked")
	p.sees("To everyone in the scene")
}

func TestAGameBeginsWithASmallOneAndWithADroppedPlan(t *testing.T) {
	p := open(t)
	p.goTo("/")
	p.run(`localStorage.removeItem('alluvion-first-steps')`)
	begins, err := p.c.Starts(ctx)
	require.NoError(t, err)
	for i, begin := range begins {
		title, id := begin.Title, fmt.Sprintf("try-number-%c", 'a'+i)
		p.goTo("/")
		p.press("New game")
		p.fill("What it is called", strings.ToUpper(id[:1])+strings.ReplaceAll(id[1:], "-", " "))
		p.clickOn(fmt.Sprintf(`[...document.querySelectorAll('.v-radio')].find(r => r.innerText.includes(%q)).querySelector('input')`, title), title)
		p.press("Begin")
		p.sees("Each player has")
		p.until(fmt.Sprintf(`document.querySelector('header .game')?.innerText.includes(%q)`, strings.ToUpper(id[:1])+strings.ReplaceAll(id[1:], "-", " ")+" v1"), "the header has its title and version")
		p.until(`document.querySelector('.steps') === null`, "what is to be tried on the demo is not offered here")
		report, err := p.c.Findings(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, contract.Counts{Accepted: report.Counts.Accepted}, report.Counts, "%s has no problems: %+v", title, report.Findings)
		for _, r := range begin.Rehearsals {
			played, err := p.c.RunRehearsal(ctx, id, r.Name, "")
			require.NoError(t, err)
			assert.True(t, played.Passed, "%s: %s", title, r.Name)
		}
	}
	drop := func(name, text string) {
		p.run(fmt.Sprintf(`const d = new DataTransfer(); d.items.add(new File([%q], %q)); window.dispatchEvent(new DragEvent('drop', {dataTransfer: d, bubbles: true, cancelable: true}))`, text, name))
	}
	p.goTo("/")
	p.sees("Games")
	p.fetched("FileDrop")
	drop("market.yaml", string(examples.LanternMarket))
	p.until(`location.pathname === '/games/lantern-market/plan'`, "the plan is opened")
	p.sees("The plan can run")
	drop("broken.yaml", "alluvion: 1\ngame: broken\nversion: x\n")
	p.sees("A whole number is wanted")
	p.press("Close")
	save, err := os.ReadFile("../../examples/lantern-pass/history/saves/bad/unknown-options.json")
	require.NoError(t, err)
	p.goTo("/games/lantern-pass/budgets")
	p.sees("What would make it shorter")
	drop("unknown-options.json", string(save))
	p.sees("unknown-options.json loads, with something corrected or told.")
	p.press("Close")
	rehearsal, err := examples.Rehearsals.ReadFile("lantern-pass/rehearsals/starting-over.yaml")
	require.NoError(t, err)
	drop("starting-over.yaml", string(rehearsal))
	p.until(`location.pathname === '/games/lantern-pass/dry-run' && location.search.includes('starting-over')`, "the rehearsal is in a dry run")
}

func TestAFirstVisitShowsThingsToTry(t *testing.T) {
	p := open(t)
	p.goTo("/")
	p.run(`localStorage.clear()`)
	p.goTo("/")
	p.sees("New here? Try this on the demo:")
	p.until(`document.querySelector('.steps a[href="/play/lantern-pass/"]') !== null`, "the game is named")
	p.clickOn(`[...document.querySelectorAll('.steps a')].find(a => a.textContent.startsWith('See what death'))`, "the first")
	p.sees("Parcels goes back to what it was at the checkpoint reached")
	p.until(`document.querySelectorAll('.steps li.done').length === 1`, "it is done")
	p.clickOn(`[...document.querySelectorAll('.steps a')].find(a => a.textContent.startsWith('Let a courier'))`, "the second")
	p.press("joins")
	p.press("Porch gorge")
	p.sees("wren goes through")
	p.until(`document.querySelectorAll('.steps li.done').length === 2`, "it is done")
	p.clickOn(`[...document.querySelectorAll('.steps a')].find(a => a.textContent.startsWith('Look at the bridge'))`, "the third")
	p.sees("span_east, Scree Gorge")
	p.until(`document.querySelectorAll('.steps li.done').length === 3`, "it is done")
	p.clickOn(`[...document.querySelectorAll('.steps a')].find(a => a.textContent.startsWith('Change a fate'))`, "the fourth")
	p.sees("Oil goes back to what it was")
	p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'keep')`, "keep")
	p.press("Undo")
	p.sees("That is how it works.")
	p.press("Close")
	p.until(`document.querySelector('.steps ol') === null && !document.body.innerText.includes('That is how it works')`, "they are taken away")
	p.goTo("/")
	p.sees("Lantern Pass")
	assert.NotContains(t, p.value("document.body.innerText"), "New here?")
	p.run(`localStorage.clear()`)
}

// What the pointer turns into a hand over can be reached by key, or lies in something that can; on the map of the dry run
// and the live page, the lists beside it say the same. Of the library's fields it is the input that is reached.
const pointedAtOnly = `[...document.querySelectorAll('body *')].filter(e => getComputedStyle(e).cursor === 'pointer' && !e.closest('a[href], button:not([tabindex="-1"]), input, select, textarea, label, summary, [tabindex]:not([tabindex="-1"]), .v-field' + (location.pathname.includes('/scenes') ? '' : ', svg.map'))).map(e => e.tagName + ' ' + (e.className.baseVal ?? e.className)).join('; ')`

func TestEveryPageIsAccessibleInLightAndDark(t *testing.T) {
	p := open(t)
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	p.play(contract.Request{Do: "join", Player: "pike"})
	p.play(contract.Request{Do: "leave", Player: "pike"})
	trial := p.nextVersion()
	_, err = p.c.WatchTrial(ctx, "lantern-pass", trial.Trial, func(contract.TrialInfo) {})
	require.NoError(t, err)
	for path, shows := range map[string]string{
		"/": "Lantern Pass", "/adopt": "Drop a folder", "/games/lantern-pass/matrix?row=player.warmth&at=death": "Warmth becomes", "/games/lantern-pass/plan": "The plan can run", "/games/lantern-pass/rules?at=/rules/22": "Everything about a variable", "/games/lantern-pass/plan/form?at=/milestones": "Lasting marks", "/games/lantern-pass/plan/form?at=/events/gust": "At most",
		"/games/lantern-pass/players": "wren", "/games/lantern-pass/players/wren": "Why is it so?", "/games/lantern-pass/players/pike?part=saves": "newest", "/games/lantern-pass/versions": "are upgraded in full", "/games/lantern-pass/versions?show=texts": "unchanged lines", "/games/lantern-pass/saves?show=player.parcels": "Have a value", "/games/lantern-pass/budgets": "What would make it shorter", "/games/lantern-pass/live": "on the session's clock", "/games/lantern-pass/live/summer": "is not open", "/games/lantern-pass/scenes?pick=passage:rope_bridge": "span_east, Scree Gorge", "/games/lantern-pass/dry-run?player=wren": "before anything happened", "/games/lantern-pass/why": "rule 3", "/games/lantern-pass/milestones": "Full Sack", "/games/lantern-pass/matrix/print": "Bold: decided", "/nowhere": "There is nothing",
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
			assert.Empty(t, p.value(pointedAtOnly), "%s can be worked by key", path)
		}
	}
}
