import { computed, ref } from 'vue'

const key = 'alluvion-first-steps'

/** What somebody who is new here can try on the demo. */
export const firstSteps = [
  { id: 'cell', text: 'See what death does to a parcel', to: { name: 'matrix', query: { row: 'player.parcels', at: 'death' } } },
  { id: 'dry-run', text: 'Let a courier cross the gorge, without a game', to: { name: 'dry-run', query: {} } },
  { id: 'map', text: 'Look at the bridge on the map', to: { name: 'scenes', query: { pick: 'passage:rope_bridge' } } },
  { id: 'fate', text: 'Change a fate, and take it back with Undo', to: { name: 'matrix', query: { row: 'player.oil', at: 'death' } } },
] as const

type Name = (typeof firstSteps)[number]['id'] | 'away'

const done = ref<Name[]>(JSON.parse(localStorage.getItem(key) ?? '[]') as Name[])

/** Notes that one of them was done, or that somebody does not want to see them. */
export function did(name: Name) {
  if (done.value.includes(name)) return
  done.value = [...done.value, name]
  localStorage.setItem(key, JSON.stringify(done.value))
}

export const useFirstSteps = () => ({
  done,
  all: computed(() => firstSteps.every((s) => done.value.includes(s.id))),
  away: computed(() => done.value.includes('away')),
})
