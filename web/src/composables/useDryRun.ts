import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, rehearsalPath, textAt, told, type Schemas } from '../api/client'
import { cameBack } from './connection'
import type { Draft } from './useDraft'
import { did } from './useFirstSteps'

/** A step as it would stand in a rehearsal. */
export type Step = Record<string, unknown>
export type DryRunView = Schemas['DryRunView']

interface Run {
  players: string[]
  steps: Step[]
}

/** How long a run may be that still stands in the address, in characters. */
const SHORT = 6000

/**
 * A run that is made step by step on the plan as it stands in the draft. It stands in the address, so that it can be
 * sent to a colleague; a rehearsal that was opened stands there by its name.
 */
export function useDryRun(draft: Draft) {
  const route = useRoute()
  const router = useRouter()
  const key = `alluvion-run-${draft.game}`
  const run = shallowRef<Run>({ players: ['wren'], steps: [] })
  const at = ref(0)
  const view = shallowRef<DryRunView>()
  const error = ref('')
  const stale = ref(false)
  const asked = ref(String(route.query.player ?? '')) // whose moments are offered
  const opened = ref('') // the rehearsal that the run was begun from
  const dropped = shallowRef<Step[]>([])
  let newest = 0

  async function play() {
    const report = draft.report.value
    if (!report || draft.checked.value !== draft.text.value) return // it is being checked
    const mine = ++newest
    const sent = run.value
    stale.value = !report.runnable
    if (stale.value) return
    try {
      const got = dataOf(
        await api.POST('/v1/games/{game}/dry-run', {
          params: { path: { game: draft.game } },
          body: { players: sent.players, steps: sent.steps, at: at.value, ...(draft.changed.value ? { plan: draft.text.value } : {}) },
        }),
      )
      if (mine !== newest) return
      view.value = got
      error.value = ''
      if (got.steps.some((s) => 'pass' in (s.step as Step) && !s.failed)) did('dry-run')
    } catch (e) {
      if (mine === newest) error.value = told(e)
    }
  }

  function tell() {
    const text = JSON.stringify(run.value)
    localStorage.setItem(key, text)
    const mine = opened.value ? { rehearsal: opened.value } : run.value.steps.length && text.length < SHORT ? { run: text } : {}
    void router.replace({ query: { ...(asked.value ? { player: asked.value } : {}), ...mine, ...(at.value < run.value.steps.length || opened.value ? { at: at.value } : {}) } })
  }

  /** Does something behind the step that one looks at; what stood behind it is dropped, and can be got back. */
  function act(...steps: Step[]) {
    dropped.value = run.value.steps.slice(at.value)
    opened.value = ''
    run.value = { ...run.value, steps: [...run.value.steps.slice(0, at.value), ...steps] }
    at.value = run.value.steps.length
  }

  /** Takes the last step away. */
  function takeBack() {
    if (!run.value.steps.length) return
    dropped.value = [run.value.steps.at(-1)!]
    opened.value = ''
    run.value = { ...run.value, steps: run.value.steps.slice(0, -1) }
    at.value = Math.min(at.value, run.value.steps.length)
  }

  function putBack() {
    run.value = { ...run.value, steps: [...run.value.steps.slice(0, at.value), ...dropped.value] }
    at.value = run.value.steps.length
    dropped.value = []
  }

  function clear() {
    dropped.value = run.value.steps
    opened.value = ''
    run.value = { ...run.value, steps: [] }
    at.value = 0
  }

  function addPlayer(name: string) {
    if (!run.value.players.includes(name)) run.value = { ...run.value, players: [...run.value.players, name] }
  }

  /** Opens a rehearsal that is kept with the game, behind one of its steps. */
  async function open(name: string, step = -1) {
    try {
      const script = await textAt(rehearsalPath(draft.game, name))
      const got = dataOf(await api.POST('/v1/games/{game}/dry-run', { params: { path: { game: draft.game } }, body: { script, at: step, ...(draft.changed.value ? { plan: draft.text.value } : {}) } }))
      opened.value = name
      run.value = { players: got.players, steps: got.steps.map((s) => s.step as Step) }
      at.value = got.at
      error.value = ''
    } catch (e) {
      error.value = told(e)
    }
  }

  /** The run as a rehearsal that expects what was seen. */
  async function script(title: string): Promise<string> {
    const got = dataOf(
      await api.POST('/v1/games/{game}/dry-run', { params: { path: { game: draft.game } }, body: { title, players: run.value.players, steps: run.value.steps, at: -1, keep: true, ...(draft.changed.value ? { plan: draft.text.value } : {}) } }),
    )
    return got.script ?? ''
  }

  function begin() {
    const asked = Number(route.query.at)
    if (route.query.rehearsal) return void open(String(route.query.rehearsal), Number.isFinite(asked) && route.query.at ? asked : -1)
    try {
      const kept = JSON.parse(String(route.query.run ?? localStorage.getItem(key) ?? 'null')) as Run | null
      if (kept && Array.isArray(kept.steps) && Array.isArray(kept.players)) run.value = kept
    } catch {
      // what stands in the address is no run
    }
    at.value = route.query.at && Number.isFinite(asked) ? Math.min(asked, run.value.steps.length) : run.value.steps.length
  }

  begin()
  watch([run, at, asked], tell)
  watch([run, at, draft.checked, draft.report, cameBack], () => void play(), { immediate: true })

  const steps = computed(() => run.value.steps)
  const players = computed(() => run.value.players)
  const player = computed({ get: () => (players.value.includes(asked.value) ? asked.value : (players.value[0] ?? '')), set: (name) => (asked.value = name) })
  /** What a step does, as the service says it; as it stands in the run until it was played. */
  const words = (i: number) => view.value?.steps[i]?.words ?? Object.entries(steps.value[i] ?? {}).map(([key, value]) => `${key} ${String(value)}`).join(', ')
  return { words, steps, players, player, at, view, error, stale, opened, dropped, play, act, takeBack, putBack, clear, addPlayer, open, script }
}

export type DryRun = ReturnType<typeof useDryRun>
