import { ref } from 'vue'

import { api, dataOf } from '../api/client'

interface Undo {
  text: string
  etag: string
}

/** Changes one fate in the plan's text, and can take the change back. */
export function useFateChange(game: string, changed: () => Promise<void>) {
  const told = ref('')
  const undoable = ref<Undo>()
  const busy = ref(false)

  async function run(what: () => Promise<string>) {
    if (busy.value) return
    busy.value = true
    try {
      told.value = await what()
      await changed()
    } catch (e) {
      told.value = (e as Error).message
    } finally {
      busy.value = false
    }
  }

  const change = (variable: string, crossing: string, fate: string) =>
    run(async () => {
      undoable.value = undefined
      const now = await fetch(`/v1/games/${encodeURIComponent(game)}/plan`)
      const text = await now.text()
      const answer = await api.PUT('/v1/games/{game}/fates/{variable}/{crossing}', {
        params: { path: { game, variable, crossing: crossing as 'death' }, header: { 'If-Match': now.headers.get('ETag') ?? '' } },
        body: { fate: (fate || 'default') as 'keep' },
      })
      dataOf(answer)
      undoable.value = { text, etag: answer.response.headers.get('ETag') ?? '' }
      return 'Changed in the plan.'
    })

  const undo = () =>
    run(async () => {
      const back = undoable.value
      if (!back) return ''
      dataOf(
        await api.PUT('/v1/games/{game}/plan', {
          params: { path: { game }, header: { 'If-Match': back.etag } },
          body: back.text as never,
          bodySerializer: (b) => b as unknown as string,
          headers: { 'Content-Type': 'application/yaml' },
        }),
      )
      undoable.value = undefined
      return 'As it was before.'
    })

  return { told, undoable, busy, change, undo }
}
