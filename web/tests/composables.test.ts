import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref } from 'vue'

import { answered, cameBack, lost } from '../src/composables/connection'
import { answer, served, settled } from './service'

const report = { findings: [], runnable: true, counts: {} }

beforeEach(() => {
  localStorage.clear()
  answered()
})
afterEach(() => void served({ 'POST /v1/check': report })) // drafts go on checking

describe('the draft of a plan', () => {
  const text = 'alluvion: 1\n'
  async function draftOf(game: string, more = {}) {
    const asked = served({ [`GET /v1/games/${game}/plan`]: () => answer(text, 200, '"one"'), 'POST /v1/check': report, 'POST /v1/edits': (body: string) => ({ text: `${(JSON.parse(body) as { text: string }).text}# more\n`, report }), ...more })
    const { useDraft } = await import('../src/composables/useDraft')
    const draft = useDraft(game)
    await settled()
    return { draft, asked }
  }

  it('is the same for every page, and begins as it is saved', async () => {
    const { draft } = await draftOf('same')
    const { useDraft } = await import('../src/composables/useDraft')
    expect(useDraft('same')).toBe(draft)
    expect([draft.text.value, draft.changed.value, draft.ready.value]).toEqual([text, false, true])
  })

  it('undoes and does again, one change at a time', async () => {
    const { draft } = await draftOf('undo')
    expect(await draft.edit('one', {} as never)).toBe(true)
    expect(await draft.edit('two', {} as never)).toBe(true)
    expect(draft.text.value).toBe(`${text}# more\n# more\n`)
    draft.undo()
    expect([draft.text.value, draft.undone.value.at(-1)?.what]).toEqual([`${text}# more\n`, 'two'])
    draft.redo()
    expect(draft.text.value).toBe(`${text}# more\n# more\n`)
    draft.undo()
    await draft.edit('three', {} as never)
    expect(draft.undone.value).toEqual([])
    draft.discard()
    expect(draft.text.value).toBe(text)
    draft.undo()
    expect(draft.changed.value).toBe(true)
  })

  it('takes typing without a pause for one change', async () => {
    const { draft } = await draftOf('typing')
    vi.spyOn(performance, 'now').mockReturnValue(12) // the page was opened just now
    draft.typed('a')
    draft.typed('ab')
    draft.typed('abc')
    expect(draft.done.value.length).toBe(1)
    draft.undo()
    expect(draft.text.value).toBe(text)
    vi.restoreAllMocks()
  })

  it('keeps in this browser what is not saved, and forgets it when it is', async () => {
    let saved = ''
    const { draft } = await draftOf('kept', { 'PUT /v1/games/kept/plan': (body: string) => ((saved = body), answer(report, 200, '"two"')) })
    draft.typed('mine')
    await nextTick()
    expect(JSON.parse(localStorage.getItem('alluvion-draft-kept')!)).toEqual({ text: 'mine', etag: '"one"' })
    await draft.save()
    expect([saved, draft.changed.value, localStorage.getItem('alluvion-draft-kept')]).toEqual(['mine', false, null])
    expect(draft.told.value).toContain('Saved')
  })

  it('never lays itself over what somebody else saved', async () => {
    const { draft } = await draftOf('two', { 'PUT /v1/games/two/plan': answer({ title: 'Somebody else changed it', status: 412 }, 412) })
    draft.typed('mine')
    await draft.save()
    expect([draft.conflict.value, draft.text.value]).toEqual([true, 'mine'])
    await draft.takeTheirs()
    expect([draft.conflict.value, draft.text.value]).toEqual([false, text])
    draft.undo()
    expect(draft.text.value).toBe('mine')
  })

  it('says why an edit could not be made, and changes nothing', async () => {
    const { draft } = await draftOf('bad', { 'POST /v1/edits': answer({ title: 'No', detail: 'There is no such path.', status: 422, type: '' }, 422) })
    expect(await draft.edit('nothing', {} as never)).toBe(false)
    expect([draft.error.value, draft.text.value, draft.busy.value]).toEqual(['There is no such path.', text, false])
  })
})

describe('what is loaded from the service', () => {
  it('drops an answer that was overtaken, and keeps what is known while the service is away', async () => {
    const { useResource } = await import('../src/composables/useResource')
    const of = ref(1)
    const waiting: ((v: string) => void)[] = []
    const scope = effectScope()
    const got = scope.run(() => useResource(() => new Promise<string>((done) => waiting.push(done)), () => of.value))!
    of.value = 2
    await nextTick()
    waiting[1]!('second')
    waiting[0]!('first')
    await settled()
    expect(got.data.value).toBe('second')
    of.value = 3
    await nextTick()
    scope.stop()
    waiting[2]!('too late')
    await settled()
    expect(got.data.value).toBe('second')
  })

  it('asks again when the service is back', async () => {
    vi.useFakeTimers()
    served({})
    const { reach, unanswered } = await import('../src/composables/connection')
    await expect(reach('http://here/v1/games')).rejects.toThrow()
    expect(lost.value).toBe(true)
    const before = cameBack.value
    served({ 'GET /healthz': { status: 'ok' }, 'POST /v1/check': report })
    unanswered()
    await vi.advanceTimersByTimeAsync(1600)
    vi.useRealTimers()
    await settled()
    expect([lost.value, cameBack.value]).toEqual([false, before + 1])
  })
})

describe('a long list', () => {
  it('draws what can be seen and a little more, and a short one whole', async () => {
    vi.stubGlobal('ResizeObserver', class { observe() {} disconnect() {} })
    const { useWindow } = await import('../src/composables/useWindow')
    const items = ref(Array.from({ length: 1000 }, (_, i) => i))
    const el = document.createElement('div')
    Object.defineProperty(el, 'clientHeight', { value: 200 })
    const list = effectScope().run(() => useWindow(items, (i) => (i % 2 ? 30 : 10), ref(el)))!
    await nextTick()
    expect(list.seen.value[0]!.index).toBe(0)
    expect(list.seen.value.length).toBeLessThan(60)
    el.scrollTop = 10_000
    el.dispatchEvent(new Event('scroll'))
    expect(list.seen.value[0]!.index).toBe(500 - 12)
    expect(list.above.value + list.below.value + list.seen.value.reduce((sum, x) => sum + (x.item % 2 ? 30 : 10), 0)).toBe(20_000)
    list.show(999)
    expect(el.scrollTop).toBeGreaterThan(19_000)
    items.value = items.value.slice(0, 100)
    expect(list.seen.value.length).toBe(100)
  })
})

describe('names and types', () => {
  it('are what the service says they are', async () => {
    served({ 'GET /v1/language': { names: { pattern: '^[a-z]+$', words: 'small letters' }, types: [{ name: 'hue' }] } })
    const { useLanguage } = await import('../src/composables/useLanguage')
    const { types, wrongName } = useLanguage()
    expect(wrongName('Anything')).toBe('')
    await settled()
    expect(types.value.map((t) => t.name)).toEqual(['hue'])
    expect([wrongName('oil'), wrongName('Oil')]).toEqual(['', 'Names are small letters.'])
  })
})
