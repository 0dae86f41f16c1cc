package browser_test

import (
	"alluvion.dev/contract"
	"flag"
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	seed    = flag.Int("seed", 1, "what TestWhateverIsPressed presses")
	presses = flag.Int("presses", 25, "how often, on each page")
)

// presser presses something that can be pressed on the page, chosen by a generator that gives the same each time
// (Park and Miller, 1988); it writes into fields, opens lists, uses keys, and goes nowhere else.
const presser = `(() => {
  let n = SEED;
  const draw = (below) => (n = (n * 48271) % 2147483647) % below;
  const words = ['12', '-1', 'oil', 'player.oil > 3', '', 'Ünïcode – “x”', '{a: [', '9'.repeat(30), 'wren', '3, 4'];
  const seen = (e) => e.getClientRects().length > 0 && getComputedStyle(e).visibility !== 'hidden';
  window.trouble = [];
  window.addEventListener('error', (e) => window.trouble.push(String(e.message)));
  window.addEventListener('unhandledrejection', (e) => window.trouble.push('unhandled: ' + String(e.reason)));
  window.pressOne = () => {
    const all = [...document.querySelectorAll('main button, main a[href], main input, main select, main [role=button], main [role=tab], main .v-field, .draft button, .v-overlay--active button, .v-overlay--active input, .v-overlay--active .v-list-item, main .ground')]
      .filter(seen).filter((e) => !e.disabled && !e.hasAttribute('download') && e.type !== 'file' && !(e.href && new URL(e.href).pathname !== location.pathname));
    if (!all.length) return 'nothing';
    const rest = all.filter((e) => !e.closest('table, svg')); // of which there are few beside all the cells
    const asked = all.filter((e) => e.closest('.v-overlay--active'));
    const some = asked.length && draw(5) ? asked : rest.length && draw(3) ? rest : all;
    const e = some[draw(some.length)];
    const what = e.tagName + ' ' + (e.getAttribute('aria-label') ?? e.textContent ?? '').trim().slice(0, 40);
    if (e.tagName === 'SELECT') {
      e.selectedIndex = draw(e.options.length);
      e.dispatchEvent(new Event('change', {bubbles: true}));
    } else if (e.tagName === 'INPUT' && !['checkbox', 'radio'].includes(e.type)) {
      e.focus();
      e.value = words[draw(words.length)];
      e.dispatchEvent(new Event('input', {bubbles: true}));
      if (draw(2)) e.dispatchEvent(new KeyboardEvent('keydown', {key: ['Enter', 'Escape', 'ArrowDown', 'Tab'][draw(4)], bubbles: true}));
    } else if (e.classList.contains('v-field')) {
      e.dispatchEvent(new MouseEvent('mousedown', {bubbles: true}));
    } else {
      const box = e.getBoundingClientRect();
      const at = {bubbles: true, cancelable: true, pointerId: 1, button: 0, clientX: box.left + box.width * draw(100) / 100, clientY: box.top + box.height * draw(100) / 100};
      if (draw(6) === 0) e.dispatchEvent(new KeyboardEvent('keydown', {key: ['Enter', 'ArrowLeft', 'ArrowUp', ' ', 'Escape'][draw(5)], bubbles: true, cancelable: true}));
      else e.dispatchEvent(new MouseEvent('click', at));
    }
    return what;
  };
})()`

// Whatever is pressed and written, wherever: nothing breaks, no page goes blank, and the service stays well.
func TestWhateverIsPressedNothingBreaks(t *testing.T) {
	p := open(t)
	p.forgive("status of 4", "the server responded with a status of 4")
	p.play(contract.Request{Do: "event", Player: "wren", Name: "load"})
	_, err := p.c.Save(ctx, "lantern-pass", "wren")
	require.NoError(t, err)
	for _, path := range []string{"matrix?row=player.oil&at=death", "plan", "rules?at=/rules/9", "rules?at=/events/gust", "plan/form?at=/upgrades/3", "plan/form?at=/variables/warmth", "scenes?pick=passage:rope_bridge", "scenes?scene=lodge&pick=spot:lodge/porch", "dry-run", "live", "players", "players/wren", "players/wren?part=saves", "why", "milestones", "versions", "budgets", "matrix/print"} {
		t.Run(path, func(t *testing.T) {
			p.t = t
			p.goTo("/games/lantern-pass/" + path)
			p.until(`document.querySelector('h1') !== null && document.querySelector('.waiting') === null`, path+" is there")
			p.run(`window.print = () => {}; ` + fmt.Sprintf("window.seed = %d;", *seed))
			_, err := chromedp.Run(p.ctx, chromedp.Evaluate[any](fmt.Sprintf("{const SEED = %d; %s};0", *seed, presser)))
			require.NoError(t, err)
			var pressed []string
			for range *presses {
				what, err := chromedp.Run(p.ctx, chromedp.Evaluate[string]("pressOne()"))
				require.NoError(t, err)
				pressed = append(pressed, what)
				require.NoError(t, chromedp.Do(p.ctx, chromedp.Sleep(40*time.Millisecond)))
				require.Empty(t, p.value("window.trouble.join('; ')"), "after %q", pressed)
			}
			p.until(`document.querySelector('main')?.innerText.length > 20`, fmt.Sprintf("the page still shows something after %q", pressed))
			p.run(`localStorage.clear()`)
		})
	}
	p.t = t
	_, err = p.c.Games(ctx)
	assert.NoError(t, err)
}
