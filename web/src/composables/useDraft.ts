import { computed, effectScope, ref, shallowRef, watch } from 'vue'

import { api, ApiError, asPlan, dataOf, told as inWords, type Finding, type Report, type Schemas } from '../api/client'
import { cameBack, reach } from './connection'
import { did } from './useFirstSteps'

export type PlanEdit = Schemas['PlanEdit']

interface Step {
  text: string
  what: string
}

/** How many changes can be undone. */
const KEPT = 200

/** How long typing may pause and still be one change, in milliseconds. */
const PAUSE = 1500

/**
 * The plan of a game while it is worked on. Forms, maps and the text editor change the same text; it is checked with
 * each change, kept in this browser until it is saved, and never laid over what somebody else saved in the meantime.
 */
function makeDraft(game: string) {
  const key = `alluvion-draft-${game}`
  const text = ref('')
  const saved = ref('')
  const etag = ref('')
  const report = shallowRef<Report>()
  /** The text that the report is of. */
  const checked = ref<string>()
  const findings = computed<Finding[]>(() => report.value?.findings ?? [])
  const error = ref('')
  const told = ref('')
  const conflict = ref(false)
  const ready = ref(false)
  const busy = ref(false)
  const undone = shallowRef<Step[]>([])
  const done = shallowRef<Step[]>([])
  const changed = computed(() => ready.value && text.value !== saved.value)
  let typedAt = -Infinity // a page that was opened just now has a small clock
  let timer = 0

  async function fetchText(): Promise<string> {
    const answer = await reach(`/v1/games/${encodeURIComponent(game)}/plan`)
    if (!answer.ok) throw new ApiError(await answer.json().catch(() => ({ title: 'The plan could not be read', status: answer.status, type: '' })))
    etag.value = answer.headers.get('ETag') ?? ''
    saved.value = await answer.text()
    return saved.value
  }

  async function load() {
    try {
      await fetchText()
      const draft = JSON.parse(localStorage.getItem(key) ?? 'null') as { text: string; etag: string } | null
      text.value = draft?.text ?? saved.value
      if (draft && draft.text !== saved.value) {
        conflict.value = draft.etag !== etag.value
        etag.value = draft.etag
        told.value = 'This is what you had changed and not saved.'
      }
      error.value = ''
      ready.value = true
      await check()
    } catch (e) {
      error.value = inWords(e)
    }
  }

  async function check() {
    const asked = text.value
    try {
      const answer = dataOf(await api.POST('/v1/check', asPlan(asked)))
      if (asked === text.value) [report.value, checked.value] = [answer, asked]
      error.value = ''
    } catch (e) {
      error.value = inWords(e)
    }
  }

  /** Puts a text in place of the one that is there, as one change that can be undone. */
  function become(next: string, what: string) {
    if (next === text.value) return
    done.value = [...done.value, { text: text.value, what }].slice(-KEPT)
    undone.value = []
    typedAt = -Infinity
    text.value = next
  }

  /** What was typed into the editor; typing without a pause is one change. */
  function typed(next: string) {
    if (next === text.value) return
    const now = performance.now()
    if (now - typedAt < PAUSE) text.value = next
    else become(next, 'typed')
    typedAt = now
  }

  let last: Promise<unknown> = Promise.resolve()

  /**
   * Changes the text by just what is asked, once the changes before it are made. It says whether that could be done; why
   * not stands in error.
   */
  function edit(what: string, ...edits: PlanEdit[]): Promise<boolean> {
    const mine = last.then(() => editNow(what, edits))
    last = mine
    return mine
  }

  async function editNow(what: string, edits: PlanEdit[]): Promise<boolean> {
    busy.value = true
    try {
      const answer = dataOf(await api.POST('/v1/edits', { body: { text: text.value, edits } }))
      become(answer.text, what)
      ;[report.value, checked.value] = [answer.report, answer.text]
      told.value = ''
      error.value = ''
      return true
    } catch (e) {
      error.value = inWords(e)
      return false
    } finally {
      busy.value = false
    }
  }

  function back(from: typeof done, to: typeof done) {
    const step = from.value.at(-1)
    if (!step) return
    from.value = from.value.slice(0, -1)
    to.value = [...to.value, { text: text.value, what: step.what }]
    typedAt = -Infinity
    told.value = ''
    text.value = step.text
  }

  async function save() {
    if (busy.value || !changed.value) return
    busy.value = true
    try {
      const sent = text.value
      const answer = await api.PUT('/v1/games/{game}/plan', { params: { path: { game }, header: { 'If-Match': etag.value } }, ...asPlan(sent) })
      if (answer.response.status === 412) {
        conflict.value = true
        return
      }
      dataOf(answer)
      etag.value = answer.response.headers.get('ETag') ?? ''
      saved.value = sent
      told.value = 'Saved. Sessions that are open go on under the plan that they were opened with.'
      error.value = ''
      localStorage.removeItem(key)
    } catch (e) {
      error.value = inWords(e)
    } finally {
      busy.value = false
    }
  }

  /** Takes what somebody else saved; what was changed here can be got back with Undo. */
  async function takeTheirs() {
    try {
      become(await fetchText(), 'took what somebody else saved')
      conflict.value = false
      localStorage.removeItem(key)
      told.value = 'This is what somebody else saved. Undo brings yours back.'
    } catch (e) {
      error.value = inWords(e)
    }
  }

  /** Saves what was changed here over what somebody else saved. */
  async function keepMine() {
    try {
      await fetchText()
      conflict.value = false
      await save()
    } catch (e) {
      error.value = inWords(e)
    }
  }

  /** Gives up what was changed; Undo brings it back. */
  function discard() {
    become(saved.value, 'gave up all changes')
  }

  /** Looks whether somebody else has saved the plan: with nothing changed here it is taken, otherwise it is told. */
  async function lookAgain() {
    if (!ready.value || busy.value || conflict.value) return
    const before = etag.value
    const now = await reach(`/v1/games/${encodeURIComponent(game)}/plan`).catch(() => undefined)
    const theirs = now?.ok ? now.headers.get('ETag') : undefined
    if (!now || !theirs || theirs === before || etag.value !== before) return
    if (changed.value) {
      conflict.value = true
      return
    }
    saved.value = await now.text()
    etag.value = theirs
    done.value = [...done.value, { text: text.value, what: 'somebody else saved the plan' }]
    text.value = saved.value
    told.value = 'Somebody else has saved the plan; this is it.'
  }

  watch(text, (now) => {
    if (!ready.value) return
    if (told.value.startsWith('Saved')) told.value = ''
    if (now === saved.value) localStorage.removeItem(key)
    else localStorage.setItem(key, JSON.stringify({ text: now, etag: etag.value }))
    window.clearTimeout(timer)
    if (now !== checked.value) timer = window.setTimeout(check, 250)
  })
  /** Another window of this browser works on the same draft: what is changed there is changed here, too. */
  async function alsoChanged(kept: string | null) {
    if (!ready.value) return
    const theirs = kept ? (JSON.parse(kept) as { text: string; etag: string }) : undefined
    try {
      if (!theirs) await fetchText() // it was saved there, or given up
      else etag.value = theirs.etag
      become(theirs?.text ?? saved.value, 'changed in another window')
      conflict.value = false
    } catch (e) {
      error.value = inWords(e)
    }
  }
  window.addEventListener('storage', (e) => e.key === key && void alsoChanged(e.newValue))

  watch(cameBack, () => (ready.value ? check() : load())) // which takes back that the service did not answer
  void load()

  function undo() {
    back(done, undone)
    did('fate') // what somebody who is new here is to try
  }
  const redo = () => back(undone, done)
  return { game, text, saved, etag, findings, report, checked, error, told, conflict, ready, busy, changed, done, undone, load, typed, edit, undo, redo, save, takeTheirs, keepMine, discard, lookAgain }
}

export type Draft = ReturnType<typeof makeDraft>

const drafts = new Map<string, Draft>()

/** The draft of a game: the same one for every page of the window. */
export function useDraft(game: string): Draft {
  const known = drafts.get(game)
  if (known) return known
  const made = effectScope(true).run(() => makeDraft(game))!
  drafts.set(game, made)
  return made
}

/**
 * Something that follows from the draft, such as its matrix or its map. While the draft has errors it cannot be made:
 * then it is the one before, and stale. With alsoBroken it is made of a draft with errors, too, as long as that can be read.
 */
export function useOfDraft<T>(draft: Draft, make: (text: string) => Promise<T>, alsoBroken = false) {
  const data = shallowRef<T>()
  const stale = ref(false)
  const error = ref('')
  let newest = 0

  async function reload() {
    const [text, report] = [draft.checked.value, draft.report.value]
    if (text === undefined || text !== draft.text.value) return // it is being checked
    const mine = ++newest
    stale.value = !report?.runnable && !alsoBroken
    if (stale.value) return
    try {
      const got = await make(text)
      if (mine !== newest) return
      data.value = got
      error.value = ''
    } catch (e) {
      if (mine !== newest) return
      stale.value = alsoBroken && e instanceof ApiError && e.problem.status === 422
      error.value = stale.value ? '' : inWords(e)
    }
  }

  watch([draft.checked, draft.report], reload, { immediate: true })
  return { data, stale, error, reload }
}
