package browser_test

import (
	"bytes"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/contract"
	"alluvion.dev/examples"
	"alluvion.dev/service"
	"alluvion.dev/service/store"
)

// everyPage is each page of a game with what it shows while it waits.
var everyPage = map[string]string{
	"matrix": "Reading the plan", "plan": "Reading the plan", "rules": "Reading the plan", "plan/form": "Reading the plan", "scenes": "Reading the plan", "dry-run": "Playing the steps", "matrix/print": "Reading the plan",
	"live": "Asking the service", "players": "Asking the service", "players/wren": "Asking the service", "why": "Asking the service",
	"milestones": "Reading all saves", "versions": "Asking the service", "budgets": "Asking the service", "saves": "Counting every save",
}

func TestEachPageSaysThatItWaits(t *testing.T) {
	p := open(t)
	at, err := url.Parse(p.url)
	require.NoError(t, err)
	through := httputil.NewSingleHostReverseProxy(at)
	slow := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/v1/") {
			select {
			case <-r.Context().Done():
				return
			case <-time.After(time.Second):
			}
		}
		through.ServeHTTP(w, r)
	}))
	defer slow.Close()
	p.url = slow.URL
	// The page itself notes what it shows while it waits: a test that looks now and then could look too late.
	p.onNewPages(`
		window.waited = ''
		new MutationObserver(() => { for (const e of document.querySelectorAll('.waiting')) waited += e.textContent + '\n' }).observe(document, { childList: true, characterData: true, subtree: true })`)
	for path, text := range everyPage {
		p.goTo("/games/lantern-pass/" + path)
		p.until(fmt.Sprintf("window.waited?.includes(%q)", text), path+" says that it waits, and for what")
	}
	p.goTo("/")
	p.until(`window.waited?.includes("Asking the service")`, "the list of games says that it waits")
	p.until(`document.querySelector('.waiting') === null`, "then it is there")
	p.sees("Lantern Pass")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Navigate("about:blank")))
}

func TestEachPageSaysWhatIsWrong(t *testing.T) {
	p := open(t)
	p.forgive("404")
	for path := range everyPage {
		p.goTo("/games/no-such-game/" + path)
		p.until(`[...document.querySelectorAll('.v-alert')].some(a => a.innerText.includes('There is no game no-such-game.') && a.innerText.includes('Try again'))`, path+" says that there is no such game")
		assert.Equal(t, "null", p.value("String(document.querySelector('.draft'))"), "%s has nothing to save", path)
	}
	p.goTo("/games/lantern-pass/players/nobody")
	p.sees("nobody of that name is present")
}

func TestEachPageSaysWhatToDoWhereItIsEmpty(t *testing.T) {
	p := open(t)
	const bare = "alluvion: 1\ngame: bare\nversion: 1\nstart: room/door\nscenes: {room: {size: [10, 10], spots: {door: {at: [5, 5]}}}}\ndefaults: {place: {death: entry, leave: exact, new-run: start}}\n"
	_, report, err := p.c.PutPlan(ctx, "bare", []byte(bare), "")
	require.NoError(t, err, "%+v", report.Findings)
	for path, text := range map[string]string{
		"live": "No session is open", "players": "Nobody has played yet", "why": "No session is open",
		"milestones": "The plan has no milestones and no standings", "versions": "Nothing is published yet", "budgets": "There are no carriers", "dry-run": "Nothing has happened yet",
	} {
		p.goTo("/games/bare/" + path)
		p.sees(text)
	}
	p.goTo("/games/bare/dry-run")
	p.sees("None are kept yet")
	p.goTo("/games/bare/live")
	p.press("Open the session main")
	p.sees("Nobody is here")
}

func TestTheConsoleComesBackWithTheService(t *testing.T) {
	p := open(t)
	p.forgive("net::ERR", "Failed to fetch", "404")
	p.play(contract.Request{Do: "leave", Player: "wren"})
	stay := []string{"live/winter", "matrix?row=player.oil&at=death", "dry-run", "players", "milestones"}
	for _, path := range stay {
		p.goTo("/games/lantern-pass/" + path)
		p.until(`document.querySelector('h1') !== null && document.querySelector('.waiting') === null`, path+" is there")
		before := p.value("document.querySelector('main').innerText.length > 40 ? 'full' : 'empty'")
		at, err := url.Parse(p.url)
		require.NoError(t, err)
		require.NoError(t, p.s.Stop(ctx))
		if strings.HasPrefix(path, "matrix") { // it asks for nothing by itself: somebody changes a fate
			p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'keep')`, "keep")
		}
		p.sees("The service does not answer.")
		assert.Equal(t, before, p.value("document.querySelector('main').innerText.length > 40 ? 'full' : 'empty'"), "%s goes on showing what it knew", path)
		if path == "players" { // a page that was not loaded yet cannot be: it is gone to later
			p.clickOn(`[...document.querySelectorAll('nav a')].find(a => a.textContent === 'Budgets')`, "another page")
		}
		p.s, err = service.Start(service.Config{Addr: at.Host, Data: p.data})
		require.NoError(t, err)
		if path == "players" {
			p.sees("What would make it shorter")
		}
		p.until(`!document.body.innerText.includes('The service does not answer')`, path+" is connected again by itself")
		if path == "live/winter" {
			p.sees("The session winter is not open")
			p.press("Open the session winter")
			p.sees("Nobody is here")
		}
		if strings.HasPrefix(path, "matrix") {
			p.clickOn(`[...document.querySelectorAll('.choices button')].find(b => b.textContent.trim() === 'keep')`, "keep")
			p.sees("Oil stays as it is")
			p.run(`localStorage.clear()`)
		}
	}
}

// manySaves keeps saves of so many players, in the file of the service, which is stopped for it.
func (p *page) manySaves(n int) {
	raw, err := examples.LanternPassHistory.ReadFile("lantern-pass/history/saves/hal.v3.json")
	require.NoError(p.t, err)
	at, err := url.Parse(p.url)
	require.NoError(p.t, err)
	require.NoError(p.t, p.s.Stop(ctx))
	st, err := store.Open(p.data, slog.New(slog.DiscardHandler))
	require.NoError(p.t, err)
	var group sync.WaitGroup
	for worker := range 64 { // together they are written in few transactions
		group.Go(func() {
			for i := worker; i < n; i += 64 {
				id := fmt.Sprintf("player_%05d", i)
				doc := bytes.Replace(raw, []byte(`"player": "hal"`), []byte(`"player": "`+id+`"`), 1)
				cut := store.Cut{Game: "lantern-pass", Keep: 3, Players: []store.PlayerCut{{Player: id, Slot: 1, Moment: "leave", Version: 3, Scene: "lodge", Doc: doc}}}
				if _, err := st.Put(ctx, cut, 0); err != nil {
					p.t.Errorf("%s: %v", id, err)
					return
				}
			}
		})
	}
	group.Wait()
	st.Close()
	p.s, err = service.Start(service.Config{Addr: at.Host, Data: p.data})
	require.NoError(p.t, err)
}

// What is drawn of a long list is what can be seen of it.
func TestLongListsDrawOnlyWhatIsSeen(t *testing.T) {
	p := open(t)
	p.manySaves(10_000)
	for path, row := range map[string]string{"players": ".scroll tbody tr", "milestones": ".scroll tbody tr"} {
		p.goTo("/games/lantern-pass/" + path)
		p.sees("player_00000")
		p.until(fmt.Sprintf(`document.querySelectorAll(%q).length < 150`, row), path+" draws few rows")
		if path == "players" {
			p.run(`document.querySelector('.scroll').scrollTop = 33 * 200`)
			p.sees("player_00200")
			p.run(`const s = document.querySelector('.scroll'); s.scrollTop = s.scrollHeight`)
			p.sees("The first 500 are shown.")
		}
		p.fill("Find a player", "player_07777")
		p.sees("player_07777")
		p.until(fmt.Sprintf(`document.querySelectorAll(%q).length <= 2`, row), "nobody else is listed")
		p.until(`location.search.includes('find=player_07777')`, "the address says who is looked for")
	}

	var text strings.Builder
	text.WriteString("alluvion: 1\ngame: long\nversion: 1\nstart: room/door\nscenes: {room: {size: [10, 10], spots: {door: {at: [5, 5]}}}}\ndefaults: {player: {scene: keep, death: keep, leave: keep, new-run: reset}, place: {death: entry, leave: exact, new-run: start}}\nvariables:\n")
	for i := range 1000 {
		fmt.Fprintf(&text, "  value_%03d: {of: player, type: int, min: 0, max: 9, start: 0}\n", i)
	}
	_, _, err := p.c.PutPlan(ctx, "long", []byte(text.String()), "")
	require.NoError(t, err)
	p.goTo("/games/long/matrix")
	p.sees("Value 000")
	p.until(`document.querySelectorAll('.matrix tbody tr').length < 150`, "the matrix draws few rows")
	p.run(`const s = document.querySelector('.scroller'); s.scrollTop = s.scrollHeight`)
	p.sees("Value 999")
	p.goTo("/games/long/matrix?row=player.value_500&at=death")
	p.until(`document.querySelector('.cell.picked') !== null`, "what the address names is brought into sight")
	p.sees("Value 500 stays as it is")
}

func TestTheEditorKnowsTheLanguage(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/plan?line=41")
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('oil:')`, "the editor is at the line")
	p.fetched("/v1/schema")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("  songs: {of: player, ty")))
	p.until(`[...document.querySelectorAll('.cm-tooltip-autocomplete li')].some(l => l.textContent.startsWith('type'))`, "type is offered")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("pe: bo")))
	p.until(`[...document.querySelectorAll('.cm-tooltip-autocomplete li')].some(l => l.textContent === 'bool')`, "bool is offered")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(300*time.Millisecond)))
	enter := `document.querySelector('.cm-content').dispatchEvent(new KeyboardEvent('keydown', {key: 'Enter', code: 'Enter', keyCode: 13, bubbles: true, cancelable: true}))`
	p.run(enter)
	p.until(`document.querySelector('.cm-activeLine')?.textContent.includes('type: bool')`, "it is taken")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent(", start: false}")))
	p.run(enter)
	p.sees("Nothing reads player.songs.")
	p.run(`localStorage.clear()`)
}

// Every page works down to a tablet: nothing hangs over to the side, and it begins at its beginning.
func TestEveryPageFitsATablet(t *testing.T) {
	p := open(t)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.EmulateViewport(820, 1180)))
	defer func() { assert.NoError(t, chromedp.Do(p.ctx, chromedp.EmulateViewport(1280, 800))) }()
	for path := range everyPage {
		p.goTo("/games/lantern-pass/" + path)
		p.until(`document.querySelector('h1') !== null && document.querySelector('.waiting') === null`, path+" is there")
		assert.Equal(t, "820 0", p.value("document.documentElement.scrollWidth + ' ' + window.scrollY"), path)
	}
	p.goTo("/games/lantern-pass/matrix?row=player.oil&at=death")
	p.sees("Oil goes back to what it was")
	p.clickOn(`[...document.querySelectorAll('nav a')].find(a => a.textContent.trim() === 'Budgets')`, "the last page")
	p.sees("What would make it shorter")
}

// The search leads to everything that a plan names, each to the page that shows it.
func TestTheSearchLeadsToEachKindOfThing(t *testing.T) {
	p := open(t)
	for _, row := range [][3]string{
		{"max_warmth", "variable", "/matrix?row=player.max_warmth"}, {"frozen", "scene", "/scenes?scene=mill"}, {"lodge/porch", "spot", "/scenes?scene=lodge&pick=spot:lodge/porch"},
		{"old_tunnel", "passage", "/scenes?pick=passage:old_tunnel"}, {"the sled", "movable", "/scenes?pick=movable:sled"}, {"at_cairn", "prop", "/scenes?pick=prop:cache.at_cairn"},
		{"lamplighter", "milestone", "/milestones"}, {"the beacon", "carrier", "/budgets"}, {"blizzard", "event", "/plan?line="}, {"wren", "player", "/players/wren"}, {"versions", "page", "/versions"},
	} {
		word, kind, leads := row[0], row[1], row[2]
		p.goTo("/games/lantern-pass/why")
		p.sees("Why is it so?")
		p.click(`button[aria-label="Search"]`)
		p.until(`document.querySelectorAll('.search li button').length > 3`, "names are offered")
		p.run(fmt.Sprintf(`const f = document.querySelector('input[type=search]'); f.value = %q; f.dispatchEvent(new Event('input'))`, word))
		hit := fmt.Sprintf(`[...document.querySelectorAll('.search li button')].find(b => b.innerText.toLowerCase().includes(%q) && b.querySelector('.kind').innerText === %q)`, word, kind)
		p.clickOn(hit, word)
		p.until(fmt.Sprintf(`decodeURIComponent(location.pathname + location.search).includes('/games/lantern-pass%s')`, leads), word+" leads to "+leads)
	}
}
