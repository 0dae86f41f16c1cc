package browser_test

import (
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"alluvion.dev/bindings"
	"alluvion.dev/client"
	"alluvion.dev/contract"
	"alluvion.dev/core/check"
	"alluvion.dev/examples"
	"alluvion.dev/examples/lantern-pass/game"
	"alluvion.dev/service"
	"alluvion.dev/service/auth"
)

// walks opens the game for a player, and waits until they are in.
func (p *page) walks(player string) {
	p.goTo("/play/lantern-pass/?player=" + player)
	p.until(`window.machine?.state === 'in' && machine.tick > 0`, player+" is in")
}

// listens has every page that is opened from now on note what the game says: it shows each of these for a few seconds, in which
// a busy machine may never look.
func (p *page) listens() {
	p.onNewPages(`
		window.said = ''
		new MutationObserver((list) => {
			for (const e of list.flatMap((m) => [...m.addedNodes])) if (e.parentElement?.id === 'words') said += e.textContent + '\n'
		}).observe(document, { childList: true, subtree: true })`)
}

// hears waits until the game has said something.
func (p *page) hears(text string) {
	p.t.Helper()
	p.until(fmt.Sprintf("window.said?.includes(%q)", text), "the game says "+text)
}

// key presses a key.
func (p *page) key(code string) {
	p.run(`dispatchEvent(new KeyboardEvent('keydown', {code: '` + code + `'}))`)
	p.run(`dispatchEvent(new KeyboardEvent('keyup', {code: '` + code + `'}))`)
}

// holds keeps a key down until it has shown. On a busy machine a page draws seldom, and each time somebody walks only a little.
func (p *page) holds(code, shown, what string) {
	p.run(`dispatchEvent(new KeyboardEvent('keydown', {code: '` + code + `'}))`)
	p.until(shown, what)
	p.run(`dispatchEvent(new KeyboardEvent('keyup', {code: '` + code + `'}))`)
}

// stands puts the player somewhere in their scene, as somebody does who walks there. Whoever has just come into the scene is put
// where that leads; so it is said again until it is so.
func (p *page) stands(x, y float64) {
	p.until(fmt.Sprintf("Math.hypot(machine.self.place.at[0] - %[1]v, machine.self.place.at[1] - %[2]v) < 0.01 || !(walker.at = [%[1]v, %[2]v], walker.fresh = true)", x, y),
		"the step is applied")
}

// accessible has axe look at the page as it stands.
func (p *page) accessible(what string) {
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(p.t, err)
	_, err = chromedp.Run(p.ctx, chromedp.Evaluate[any](string(axe)+`;
		window.axeFound = undefined;
		axe.run().then(r => { window.axeFound = JSON.stringify(r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.target).slice(0, 3).join(' '))) });0`))
	require.NoError(p.t, err)
	p.until(`window.axeFound !== undefined`, "axe has looked")
	assert.Equal(p.t, "[]", p.value("window.axeFound"), what)
}

func (p *page) scene(name string) {
	p.until(`document.getElementById('scene').textContent === '`+name+`'`, "the courier is in "+name)
}

// Somebody walks in one page, and is seen walking in another; what is offered changes with where they stand.
func TestTheGameIsPlayedInTwoPages(t *testing.T) {
	p := open(t)
	p.listens()
	p.walks("ada")
	other, end := chromedp.NewContext(p.ctx)
	defer end()
	require.NoError(t, chromedp.Do(other, chromedp.EmulateViewport(1280, 800)))
	bo := &page{t: t, ctx: other, url: p.url, c: p.c, room: p.room, s: p.s}
	bo.listens()
	bo.walks("bo")
	bo.until(`machine.players.has('ada') && document.getElementById('about').textContent.startsWith('2 other couriers')`, "ada and wren are there")
	was := p.value(`String(machine.self.place.at[1])`)
	p.holds("ArrowUp", `machine.self.place.at[1] < `+was+` - 2`, "ada has walked north")
	p.until(`(() => { const y = machine.self.place.at[1], still = window.before === y; window.before = y; return still })()`, "and stands still")
	bo.until(`Math.abs(machine.placeAt('ada', machine.now(performance.now() / 1000))?.at[1] - `+p.value(`String(machine.self.place.at[1])`)+`) < 0.01`, "bo sees ada there")

	p.stands(20, 1)
	p.sees("To Scree Gorge")
	p.key("KeyE")
	p.scene("Scree Gorge")
	bo.until(`document.getElementById('about').textContent.startsWith('One other courier')`, "ada is gone from the lodge")

	// The bridge is down: who wants to cross is told so, and stays where they are.
	p.stands(62.5, 22)
	p.key("KeyE")
	p.hears("The bridge is down.")
	p.scene("Scree Gorge")
	for range 3 {
		p.key("KeyP")
	}
	bo.hears("The rope bridge is mended.")
	p.key("KeyE")
	p.scene("The Ridge")
	p.hears("First Crossing")
	o, err := p.room.Seek(ctx, contract.Sought{Player: "ada"})
	require.NoError(t, err)
	for _, x := range o.Players {
		if x.Machine != nil {
			assert.Zero(t, x.Machine.Mismatches, x.Player)
		}
	}
}

// Whoever falls comes back where they last rested, and whoever closes the page finds what they had.
func TestWhatSurvivesInTheGame(t *testing.T) {
	p := open(t)
	p.listens()
	p.walks("ada")
	p.key("KeyT")
	p.until(`machine.self.parcels === 1`, "a parcel is carried")
	p.stands(20, 1)
	p.key("KeyE")
	p.scene("Scree Gorge")
	p.stands(30, 19)
	p.key("KeyE")
	p.hears("You will come back here")
	p.run(`walker.at = [50, 10]; walker.fresh = true`) // onto loose scree
	p.hears("You fall.")
	p.until(`!machine.self.dead && machine.self.place.at[0] === 30 && machine.self.falls === 1`, "ada is back at the shelter")
	p.until(`walker.at[0] === 30`, "and is drawn there")
	assert.Equal(t, "1", p.value(`String(machine.self.parcels)`))

	p.goTo("/play/lantern-pass/?player=ada") // closes the page, and opens it again
	p.sees("You are back")
	p.sees("1 carried, 0 delivered")
	p.until(`document.querySelector('#kept dl').textContent.includes('Scree Gorge')`, "the place is kept")
	time.Sleep(1100 * time.Millisecond)
	p.holds("ArrowLeft", `document.getElementById('kept').hidden`, "the card is closed by walking on")
}

// A connection that is lost, and a service that is started anew, are come back from without anybody doing anything.
func TestTheGameComesBackByItself(t *testing.T) {
	p := open(t)
	p.forgive("ERR_CONNECTION_REFUSED", "WebSocket connection", "Failed to load resource")
	p.walks("ada")
	p.run(`window.states = []; machine.onState((s) => states.push(s))`)
	p.key("KeyT")
	p.until(`machine.self.parcels === 1`, "a parcel is carried")
	p.run(`wire.cut(); machine.ask.load()`)
	p.until(`states.join() === 'lost,joining,in' && machine.self.parcels === 2`, "the machine is in again, and what was asked for meanwhile is done")

	addr := strings.TrimPrefix(p.url, "http://")
	require.NoError(t, p.s.Stop(ctx))
	p.until(`machine.state !== 'in' && document.getElementById('wire').classList.contains('lost')`, "the connection is gone")
	var err error
	p.s, err = service.Start(service.Config{Addr: addr, Data: p.data, Games: map[string]fs.FS{"lantern-pass": game.Files()}})
	require.NoError(t, err)
	p.c = client.New(p.url)
	p.until(`machine.state === 'in' && machine.self.parcels === 2`, "the machine is in again, with what was saved")

	// In another window, the same courier: here it ends, and one may come in again.
	other, end := chromedp.NewContext(p.ctx)
	defer end()
	second := &page{t: t, ctx: other, url: p.url}
	second.walks("ada")
	p.until(`document.getElementById('wire').textContent.includes('from another machine')`, "it ends here")
	p.run(`document.querySelector('#wire button').click()`)
	second.until(`machine.state === 'ended'`, "and then there")
}

// Without a service the same game runs in the page, and keeps its save in the browser.
func TestTheGameIsPlayedAlone(t *testing.T) {
	p := open(t)
	p.listens()
	p.goTo("/play/lantern-pass/")
	p.run(`localStorage.clear()`)
	p.goTo("/play/lantern-pass/?offline&player=nell")
	p.until(`window.machine?.state === 'in' && machine.tick > 0`, "nell is in")
	p.sees("Played in this browser alone")
	p.key("KeyT")
	p.until(`machine.self.parcels === 1`, "a parcel is carried")
	p.stands(20, 1)
	p.key("KeyE")
	p.scene("Scree Gorge")
	p.stands(62.5, 22)
	p.key("KeyE")
	p.hears("The bridge is down.")
	p.goTo("/play/lantern-pass/?offline&player=nell") // closes the page, and opens it again
	p.sees("You are back")
	p.sees("1 carried, 0 delivered")
	state, err := p.room.State(ctx)
	require.NoError(t, err)
	assert.NotContains(t, state.Present, "nell", "nothing of it went to the service")

	// It is handed over, and played on with the service.
	p.run(`document.querySelector('#wire button').click()`)
	p.hears("The service has it as slot 1 of nell.")
	p.until(`document.querySelector('#wire button').textContent === 'Play slot 1 there'`, "it can be played there")
	p.run(`document.querySelector('#wire button').click()`)
	p.until(`window.machine?.state === 'in' && machine.session !== 'offline' && machine.self.parcels === 1`, "nell is in, with the parcel")
	p.sees("Connected")
	p.run(`localStorage.clear()`)
}

// The first time, the game asks who walks.
func TestTheGameAsksWhoWalks(t *testing.T) {
	p := open(t)
	p.listens()
	p.goTo("/play/lantern-pass")
	p.run(`localStorage.clear()`)
	p.goTo("/play/lantern-pass/")
	p.sees("Who walks tonight?")
	p.accessible("the gate")
	p.run(`document.getElementById('name').value = 'Nell'; document.querySelector('[value=eirik]').click(); document.querySelector('#gate button').click()`)
	p.hears("Eirik walks only for those who have delivered to the mill.") // which is the plan's to say
	p.until(`machine.state === 'in' && machine.self.nickname === 'Nell' && machine.self.courier === null`, "Nell is in")
	p.accessible("the game")
	p.run(`localStorage.clear()`)
}

// The page of docs/connect.md, on a site of its own: the service knows the site, and the player has a token.
func TestAPageOfAnotherSitePlays(t *testing.T) {
	within, leave := tab(t, 5*time.Minute)
	connect, err := os.ReadFile("../../docs/connect.md")
	require.NoError(t, err)
	_, rest, found := strings.Cut(string(connect), "```html\n")
	require.True(t, found)
	text, _, _ := strings.Cut(rest, "\n```")
	m, _, problems := check.Text(examples.LanternPass, examples.Commons)
	require.NotNil(t, m, "%v", problems)
	files, err := bindings.Files(m, "javascript")
	require.NoError(t, err)
	site := http.NewServeMux()
	site.HandleFunc("/page.html", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte(text))
	})
	for _, f := range files {
		site.HandleFunc("/"+f.Name, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/javascript")
			_, _ = w.Write(f.Text)
		})
	}
	elsewhere := httptest.NewServer(site)
	t.Cleanup(elsewhere.Close)

	data := filepath.Join(t.TempDir(), "a.db")
	s, err := service.Start(service.Config{Addr: "127.0.0.1:0", Data: data, Tokens: true, Origins: []string{elsewhere.URL}})
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Stop(ctx)) })
	keys, err := auth.Load(service.KeysFile(data))
	require.NoError(t, err)
	token := func(who auth.Who) string {
		token, err := keys.Issue(who, time.Now(), time.Hour)
		require.NoError(t, err)
		return token
	}
	c := client.New(s.URL()).As(token(auth.Who{Role: auth.Designer}))
	_, guild := c.PutCommons(ctx, "courier-guild", examples.CourierGuild, "")
	require.NoError(t, guild)
	_, _, err = c.PutPlan(ctx, "lantern-pass", examples.LanternPass, "")
	require.NoError(t, err)
	_, err = c.Open(ctx, "lantern-pass", "winter")
	require.NoError(t, err)
	nell, err := c.PlayerToken(ctx, "lantern-pass", "nell", 15*time.Minute)
	require.NoError(t, err)

	t.Cleanup(leave)
	p := &page{t: t, ctx: within, url: elsewhere.URL}
	p.goTo("/page.html#" + s.URL() + ",nell," + nell.Token)
	p.sees("nell is in lodge")
	p.goTo("/page.html?again#" + s.URL() + ",wren," + nell.Token) // who is somebody else is not let in
	time.Sleep(500 * time.Millisecond)
	assert.NotContains(t, p.value("document.body.innerText"), "wren is in")
}
