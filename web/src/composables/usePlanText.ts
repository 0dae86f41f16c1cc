import { computed, onScopeDispose, ref, shallowRef, watch } from 'vue'

import { api, ApiError, dataOf, type Finding, type Report } from '../api/client'

/**
 * The plan's text while it is edited: checked as it is typed, kept in this browser until it is saved,
 * and never laid over what somebody else saved in the meantime.
 */
export function usePlanText(game: string) {
  const key = `alluvion-draft-${game}`
  const text = ref('')
  const saved = ref('')
  const etag = ref('')
  const findings = shallowRef<Finding[]>([])
  const report = shallowRef<Report>()
  const error = ref('')
  const told = ref('')
  const conflict = ref(false)
  const ready = ref(false)
  const saving = ref(false)
  const changed = computed(() => text.value !== saved.value)
  let timer = 0

  async function fetchText(): Promise<string | undefined> {
    const answer = await fetch(`/v1/games/${encodeURIComponent(game)}/plan`)
    if (!answer.ok) {
      const problem = await answer.json().catch(() => ({ title: 'The plan could not be read', status: answer.status, type: '' }))
      throw new ApiError(problem)
    }
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
        told.value = 'This is what you had typed and not saved.'
      }
      error.value = ''
      ready.value = true
      await check()
    } catch (e) {
      error.value = (e as Error).message
    }
  }

  async function check() {
    try {
      const answer = dataOf(await api.POST('/v1/check', { body: text.value as never, bodySerializer: (b) => b as unknown as string, headers: { 'Content-Type': 'application/yaml' } }))
      report.value = answer
      findings.value = answer.findings
      error.value = ''
    } catch (e) {
      error.value = (e as Error).message
    }
  }

  async function save() {
    if (saving.value || !changed.value) return
    saving.value = true
    try {
      const sent = text.value
      const answer = await api.PUT('/v1/games/{game}/plan', {
        params: { path: { game }, header: { 'If-Match': etag.value } },
        body: sent as never,
        bodySerializer: (b) => b as unknown as string,
        headers: { 'Content-Type': 'application/yaml' },
      })
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
      error.value = (e as Error).message
    } finally {
      saving.value = false
    }
  }

  /** Takes what somebody else saved; what was typed here is kept in the editor's history. */
  async function takeTheirs() {
    text.value = (await fetchText()) ?? ''
    conflict.value = false
    localStorage.removeItem(key)
  }

  /** Saves what was typed here over what somebody else saved. */
  async function keepMine() {
    const mine = text.value
    await fetchText()
    text.value = mine
    conflict.value = false
    await save()
  }

  watch(text, (now) => {
    if (!ready.value) return
    if (told.value.startsWith('Saved')) told.value = ''
    if (now === saved.value) localStorage.removeItem(key)
    else localStorage.setItem(key, JSON.stringify({ text: now, etag: etag.value }))
    window.clearTimeout(timer)
    timer = window.setTimeout(check, 300)
  })
  onScopeDispose(() => window.clearTimeout(timer))
  void load()

  return { text, findings, report, error, told, conflict, ready, changed, saving, load, save, takeTheirs, keepMine }
}
