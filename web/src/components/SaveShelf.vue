<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, dataOf, shown, told, type Schemas } from '../api/client'
import { reach } from '../composables/connection'
import { useRevisions } from '../composables/resources'
import { useWindow } from '../composables/useWindow'
import SampleDiff from './SampleDiff.vue'
import { dayAndTime } from '../times'

const props = defineProps<{ game: string; state: Schemas['PlayerView'] }>()
const emit = defineEmits<{ changed: [text: string] }>()

const route = useRoute()
const router = useRouter()
const { data: revisions, reload } = useRevisions(() => props.game, () => props.state.player, () => props.state.slot)
const path = computed(() => ({ game: props.game, player: props.state.player, slot: props.state.slot }))
const address = computed(() => `/v1/games/${encodeURIComponent(props.game)}/players/${encodeURIComponent(props.state.player)}/slots/${props.state.slot}`)
const etag = computed(() => `"r${props.state.revision}"`)
const file = ref<HTMLInputElement>()
const asking = ref<'' | 'correct' | 'reset' | 'empty'>('')
const name = ref('')
const value = ref('')
const why = ref('')
const trouble = ref('')

// What can be corrected, by name and, of what a player has for each scene or prop, which; the form begins with what is so.
const keyOf = (v: Schemas['Three']) => `${v.name} ${v.of ?? ''}`
const writable = computed(() => props.state.values.filter((v) => v.correctable).map((v) => ({ title: v.title, value: keyOf(v) })))
const picked = computed(() => props.state.values.find((v) => keyOf(v) === name.value))
watch(name, () => (value.value = picked.value ? shown(props.state.present ? picked.value.live : picked.value.saved) : '')) // and not whenever it changes meanwhile

async function tried(text: string, work: () => Promise<unknown>) {
  trouble.value = ''
  try {
    await work()
    asking.value = ''
    name.value = value.value = why.value = ''
    emit('changed', text)
    await reload()
  } catch (e) {
    trouble.value = told(e)
  }
}

const takeUp = (revision: number) =>
  tried(`Revision ${revision} is upgraded again.`, async () => dataOf(await api.POST('/v1/games/{game}/players/{player}/slots/{slot}/revisions/{revision}/take-up', { params: { path: { ...path.value, revision } } })))
const correct = () =>
  tried('The value is corrected.', async () =>
    dataOf(await api.POST('/v1/games/{game}/players/{player}/slots/{slot}/correct', { params: { path: path.value, header: { 'If-Match': etag.value } }, body: { name: picked.value!.name, of: picked.value!.of, words: value.value, why: why.value } })),
  )
const reset = () =>
  tried('The slot begins anew.', async () => dataOf(await api.POST('/v1/games/{game}/players/{player}/slots/{slot}/reset', { params: { path: path.value, header: { 'If-Match': etag.value } }, body: { why: why.value } })))
const empty = () =>
  tried('The slot is empty; any of its revisions can be restored.', async () => {
    const answer = await api.DELETE('/v1/games/{game}/players/{player}/slots/{slot}', { params: { path: path.value, query: { name: value.value.trim() } } })
    if (!answer.response.ok) dataOf({ error: answer.error, response: answer.response })
  })

async function upload() {
  const chosen = file.value?.files?.[0]
  if (!chosen) return
  await tried(`${chosen.name} is the newest save now.`, async () => {
    // A file in a format of the game's own has no seal: whoever uploads it by hand answers for it. The service says which it is.
    const looked = await fetch(`/v1/games/${encodeURIComponent(props.game)}/check-save?name=${encodeURIComponent(chosen.name)}`, { method: 'POST', headers: { 'Content-Type': 'application/octet-stream' }, body: chosen })
    const own = looked.ok && Boolean(((await looked.json()) as Schemas['Checked']).format)
    const headers: Record<string, string> = { 'Content-Type': 'application/octet-stream' }
    if (props.state.revision > 0) headers['If-Match'] = etag.value
    const answer = await fetch(`${address.value}/save?why=${encodeURIComponent('uploaded in the console')}&name=${encodeURIComponent(chosen.name)}${own ? '&unsealed=true' : ''}`, { method: 'PUT', headers, body: chosen })
    const body = await answer.json()
    dataOf(answer.ok ? { data: body, response: answer } : { error: body, response: answer })
  })
  if (file.value) file.value.value = ''
}

// What a save changed against the one before it.
const compared = shallowRef<{ title: string; before: unknown; after: unknown }>()
const before = (revision: number) => revisions.value?.find((r) => r.revision < revision)

async function document(revision: number): Promise<unknown> {
  const answer = await reach(`${address.value}/revisions/${revision}`)
  if (!answer.ok) throw new Error(`Revision ${revision} cannot be read.`)
  return answer.json()
}

/** Which is looked at stands in the address. */
const looked = computed(() => Number(route.query.revision) || 0)
const look = (revision: number) => void router.replace({ query: { ...route.query, revision: looked.value === revision ? undefined : revision } })

watch(
  () => [looked.value, before(looked.value)?.revision] as const,
  async ([revision, earlier]) => {
    compared.value = undefined
    if (!revision || !earlier) return
    try {
      const [was, is] = await Promise.all([document(earlier), document(revision)])
      if (looked.value === revision) compared.value = { title: `Revision ${revision} against ${earlier}`, before: was, after: is }
    } catch (e) {
      trouble.value = told(e)
    }
  },
  { immediate: true },
)

const scroller = ref<HTMLElement>()
const { seen, above, below } = useWindow(computed(() => revisions.value ?? []), () => 35, scroller)

</script>

<template>
  <section>
    <div class="head">
      <h2>Saves of slot {{ state.slot }}</h2>
      <span class="tools">
        <a v-if="state.revision" class="plain" :href="`${address}/save`" download>Download</a>
        <template v-if="state.revision"><a v-for="f in state.formats" :key="f" class="plain" :href="`${address}/save?as=${f}`" download>as {{ f }}</a></template>
        <button type="button" :disabled="state.present" @click="file?.click()">Upload…</button>
        <button type="button" :disabled="!state.revision" @click="asking = 'correct'">Put a value right…</button>
        <button type="button" :disabled="state.present || !state.revision" @click="asking = 'reset'">Begin anew…</button>
        <button type="button" :disabled="state.present || !state.revision" @click="asking = 'empty'">Empty…</button>
      </span>
      <input ref="file" type="file" hidden @change="upload" />
    </div>
    <p v-if="state.present" class="quiet small">{{ state.player }} plays in this slot now: only a value can be corrected in it until they leave.</p>
    <v-alert v-if="trouble" type="error" class="mb-2">{{ trouble }}</v-alert>
    <form v-if="asking" class="sheet asked" @submit.prevent="asking === 'correct' ? correct() : asking === 'reset' ? reset() : empty()">
      <template v-if="asking === 'correct'">
        <v-select v-model="name" :items="writable" label="Value" />
        <v-select v-if="picked?.choices" v-model="value" :items="picked.choices" label="becomes" />
        <v-text-field v-else v-model="value" label="becomes" class="mono" />
      </template>
      <v-text-field v-if="asking === 'empty'" v-model="value" :label="`Write ${state.player} to empty the slot`" />
      <v-text-field v-else v-model="why" label="because" />
      <v-btn type="submit" color="primary" :disabled="asking === 'empty' ? value.trim() !== state.player : !why.trim() || (asking === 'correct' && !name)">{{ asking === 'correct' ? 'Put it right' : asking === 'reset' ? 'Begin anew' : 'Empty the slot' }}</v-btn>
      <v-btn variant="text" @click="asking = ''">Leave it</v-btn>
    </form>
    <p v-if="revisions && !revisions.length" class="quiet">Nothing is saved yet.</p>
    <SampleDiff v-if="compared" :game="game" :title="compared.title" :before="compared.before" :after="compared.after" />
    <div v-if="revisions?.length" ref="scroller" class="sheet scroll" tabindex="0" aria-label="Revisions">
    <table class="plain">
      <thead>
        <tr><th scope="col" class="number">Revision</th><th scope="col">Saved on</th><th scope="col">When</th><th scope="col">Version</th><th scope="col">Scene</th><th scope="col"><span class="hidden">What can be done</span></th></tr>
      </thead>
      <tbody>
        <tr v-if="above" aria-hidden="true"><td :style="{ height: `${above}px` }" /></tr>
        <tr v-for="{ item: r } in seen" :key="r.revision" :class="{ here: r.revision === state.revision }">
          <td class="number mono">{{ r.revision }}</td>
          <td>{{ r.moment }}<span v-if="r.why" class="quiet why">{{ r.why }}</span></td>
          <td>{{ dayAndTime(r.saved_at) }}</td>
          <td class="mono">{{ r.version }}</td>
          <td>{{ r.title ?? r.scene }}</td>
          <td class="acts">
            <button v-if="before(r.revision)" type="button" :aria-pressed="looked === r.revision" @click="look(r.revision)">What it changed</button>
            <span v-if="r.revision === state.revision" class="quiet">newest</span>
            <button v-else type="button" :disabled="state.present" @click="takeUp(r.revision)">Take up again</button>
          </td>
        </tr>
        <tr v-if="below" aria-hidden="true"><td :style="{ height: `${below}px` }" /></tr>
      </tbody>
    </table>
    </div>
  </section>
</template>

<style scoped>
.scroll {
  overflow: auto;
  max-height: calc(100vh - 300px);
}

tbody tr {
  height: 35px;
}

.acts > * {
  margin-right: 14px;
}

.acts {
  white-space: nowrap;
}

.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px 16px;
  margin-bottom: 8px;
}

h2 {
  font-size: 16px;
  margin: 0;
}

.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
}

.tools button,
.acts button {
  color: rgb(var(--v-theme-primary));
  cursor: pointer;
}

.tools button:hover,
.acts button:hover {
  text-decoration: underline;
}

.tools button:disabled,
.acts button:disabled {
  color: rgb(var(--v-theme-quiet));
  cursor: default;
  text-decoration: none;
}

.asked {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 10px 12px;
  margin-bottom: 10px;
}

.asked > :deep(.v-input) {
  flex: 1;
}

.why {
  display: block;
  font-size: 13px;
}

.here {
  background: var(--faint);
}

.acts {
  text-align: right;
  white-space: nowrap;
}

.hidden {
  position: absolute;
  clip-path: inset(50%);
}
</style>
