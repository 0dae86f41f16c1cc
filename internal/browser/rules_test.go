package browser_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// writes writes into a field of a form, found by what stands over it within something, and leaves it.
func (p *page) writes(within, label, text string) {
	p.t.Helper()
	field := fmt.Sprintf(`[...document.querySelectorAll(%q)].map(f => [f.querySelector(':scope > .top label')?.textContent.trim(), f.querySelector(':scope > input, :scope > select, :scope > .expression > input')]).filter(([l, e]) => e && l === %q).map(([, e]) => e).at(-1)`, within+" .plan-field", label)
	p.until(field+` !== undefined`, "the field "+label)
	p.run(fmt.Sprintf(`{const e = %s; e.value = %q; e.dispatchEvent(new Event('input', {bubbles: true})); e.dispatchEvent(new Event('change', {bubbles: true}));}`, field, text))
}

// follows follows a link.
func (p *page) follows(text string) {
	p.t.Helper()
	p.clickOn(fmt.Sprintf(`[...document.querySelectorAll('a')].find(a => a.textContent.trim() === %q)`, text), "the link "+text)
}

// turns chooses in which way something is written, as that is called for those who cannot see it.
func (p *page) turns(label, way string) {
	p.t.Helper()
	find := fmt.Sprintf(`document.querySelector('select[aria-label=%q]')`, label)
	p.until(find+` !== null`, "the choice "+label)
	p.run(fmt.Sprintf(`{const e = %s; e.value = %q; e.dispatchEvent(new Event('change', {bubbles: true}));}`, find, way))
}

func TestARuleIsChangedByForm(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/rules")
	p.sees("3 is taken from the player's Oil")
	p.clickOn(`[...document.querySelectorAll('.rule')].find(r => r.textContent.includes('is taken from the player') && r.textContent.includes('Oil'))`, "the rule of lanterns")
	p.sees("Rule 10")
	p.writes(".form .items > li:nth-child(2)", "By", "-4")
	p.sees("4 is taken from the player's Oil")
	p.sees("Not saved yet")
	p.saved()
	assert.Contains(t, p.plan(), "      - {add: player.oil, by: -4}\n      - {add: scene.lanterns_lit, by: 1}\n    accept: {rewinds-apart:", "and nothing else")
	p.press("Undo")
	p.sees("3 is taken from the player's Oil")
	p.saved()
	assert.Equal(t, 1, strings.Count(p.plan(), "by: -3"))

	// A wrong name is told where it stands.
	p.writes(".form", "If", "player.oul < 3")
	p.sees("Did you mean player.oil?")
	p.until(`document.querySelector('.form .plan-field.bad') !== null`, "the field is marked")
	p.writes(".form", "If", "player.oil < 3")
	p.until(`document.querySelector('.form .plan-field.bad') === null`, "and is right again")

	// An address leads to what it names, however far down that stands.
	p.goTo("/games/lantern-pass/rules?at=/rules/27")
	p.until(`(() => { const at = document.querySelector('.rule.here')?.getBoundingClientRect(); return at && at.top >= 0 && at.bottom <= innerHeight })()`, "the rule is in sight")

	// Everything about a variable, from the matrix.
	p.goTo("/games/lantern-pass/matrix?row=player.warmth&at=death")
	p.follows("Rules about it")
	p.sees("3 rules that read or change player.warmth")
	p.until(`!document.body.innerText.includes('Lantern') || !document.body.innerText.includes('Pitch')`, "others are not shown")
}

// A game is given an event, its rule and what always holds, and nothing is written as text.
func TestAnEventAndItsRuleAreMadeByForm(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/rules")
	p.press("Add an event")
	p.sees("The event event_1")
	p.run(`{const e = document.querySelector('.form .call input'); e.value = 'drink'; e.dispatchEvent(new Event('input', {bubbles: true}))}`)
	p.press("Rename")
	p.sees("The event drink")
	p.press("+ title")
	p.writes(".form", "Title", "Drink some oil")
	p.sees("Drink some oil: a player sends it about themselves")
	p.press("+ only if")
	p.writes(".form", "Only if", "player.oil > 1")
	p.sees("it is refused unless the player's Oil is more than 1")

	p.press("Add a rule for it")
	p.sees("Rule 29")
	p.press("One more")
	p.turns("do 0: how it is written", "raise")
	p.writes(".form", "Raise", "player.warmth")
	p.writes(".form", "To", "50")
	p.sees("The player's Warmth becomes at least 50")
	p.press("One more")
	p.turns("do 1: how it is written", "add")
	p.writes(".form", "Add", "player.oil")
	p.writes(".form", "By", "-1")
	p.sees("1 is taken from the player's Oil")
	p.clickOn(`document.querySelector('button[aria-label="Item 2 up"]')`, "the way up")
	p.until(`document.querySelector('.form .items .says').textContent.includes('is taken from')`, "it stands first now")
	p.turns("When: how it is written", "several")
	p.clickOn(`[...document.querySelectorAll('.form .plan-field')].find(f => f.querySelector(':scope > .top label')?.textContent === 'When').querySelector('.more button')`, "one more moment")
	p.turns("on 1: how it is written", "changed")
	p.writes(".form", "Changed", "player.parcels")
	p.sees("or when the player's Parcels changes")
	p.saved()
	got := p.plan()
	assert.Contains(t, got, "drink: {from: self, title: Drink some oil, if: player.oil > 1}")
	assert.Contains(t, got, "  - on: [drink, {changed: player.parcels}]\n    do: [{add: player.oil, by: -1}, {raise: player.warmth, to: 50}]\n\nmilestones:")

	p.clickOn(`[...document.querySelectorAll('.form button')].find(b => b.textContent.includes('Take it out'))`, "the way out")
	p.until(`!document.body.innerText.includes('or when the player')`, "the rule is gone")
	p.saved()
	assert.NotContains(t, p.plan(), "changed: player.parcels")
}

func TestThePlanIsAForm(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/plan")
	p.follows("As a form")
	p.sees("When players are saved, and how much is kept.")
	p.writes(".form", "Slots", "4")
	p.clickOn(`[...document.querySelectorAll('.parts button')].find(b => b.textContent.includes('Milestones'))`, "the milestones")
	p.until(`[...document.querySelectorAll('.form details')].length === 4 && document.querySelectorAll('.form .adds').length === 1`, "what is closed is not drawn")
	p.run(`{const e = document.querySelector('.form .adds input'); e.value = 'warm'; e.dispatchEvent(new Event('input', {bubbles: true}))}`)
	p.press("Add")
	p.clickOn(`[...document.querySelectorAll('details[open] .adds button')].find(b => b.textContent.includes('when'))`, "its condition")
	p.writes(".form details[open]", "When", "player.warmth > 99")
	p.clickOn(`[...document.querySelectorAll('.parts button')].find(b => b.textContent.includes('Goals'))`, "the goals")
	p.sees("The plan says nothing of it.")
	p.saved()
	got := p.plan()
	assert.Contains(t, got, "saving:  {slots: 4,")
	assert.Contains(t, got, "warm: {when: player.warmth > 99}")
}

// Names are completed within an expression, with their types; a rule is switched off for a try, and rows of a spreadsheet
// become a list.
func TestNamesAreCompletedRulesSwitchedOffAndRowsPasted(t *testing.T) {
	p := open(t)
	p.goTo("/games/lantern-pass/rules?at=/rules/9")
	p.sees("Rule 10")
	field := `document.querySelector('.form .items > li:nth-child(2) .expression > input')`
	p.until(field+` !== null`, "the field of an expression")
	p.run(field + `.focus(); ` + field + `.select()`)
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("0 - player.par")))
	p.until(`[...document.querySelectorAll('.form [role=option]')].some(o => o.innerText.includes('player.parcels') && o.innerText.includes('int 0 to'))`, "what can stand there is offered, with its type")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.until(field+`.value === '0 - player.parcels'`, "the word is completed where it stands")
	require.NoError(t, chromedp.Do(p.ctx, chromedp.KeyEvent("\r")))
	p.sees("player.parcels int 0 to")
	p.press("Undo")

	p.press("Switch it off for a try")
	p.sees("switched off:")
	p.press("Switch it on")
	p.until(`!document.body.innerText.includes('switched off:')`, "it is on again")

	p.goTo("/games/lantern-pass/plan/form?at=/lists")
	p.sees("Lists of options that are named once")
	p.run(`[...document.querySelectorAll('.form input')].find(i => i.placeholder === 'new id').value = 'tool'; [...document.querySelectorAll('.form input')].find(i => i.placeholder === 'new id').dispatchEvent(new Event('input', {bubbles: true}))`)
	p.press("Add")
	p.until(`[...document.querySelectorAll('summary')].some(s => s.innerText.includes('tool'))`, "there is a list more")
	p.run(`{const d = [...document.querySelectorAll('details')].find(d => d.querySelector('summary').innerText.includes('tool')); d.open = true;}`)
	p.clickOn(`[...[...document.querySelectorAll('details')].find(d => d.querySelector('summary').innerText.includes('tool'))?.querySelectorAll('button') ?? []].find(b => b.innerText === 'Paste rows')`, "rows are pasted")
	p.run(`{const t = document.querySelector('textarea'); t.value = 'Ice axe\nRope\nlong rope'; t.dispatchEvent(new Event('input', {bubbles: true}));}`)
	p.press("Put these in")
	p.saved()
	assert.Contains(t, p.plan(), "ice_axe")
	assert.Contains(t, p.plan(), "long_rope")
}
