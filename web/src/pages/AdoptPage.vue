<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'

import { api, asPlan, dataOf, told, type Schemas } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import FindingList from '../components/FindingList.vue'
import PlanEditor from '../components/PlanEditor.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useGames } from '../composables/resources'

// A plan and the format of its saves are drafted from saves that are dropped here; read, changed, and made a game.
const router = useRouter()
const { data: games } = useGames()
const chooser = ref<HTMLInputElement>()
const editor = ref<InstanceType<typeof PlanEditor>>()
const draft = shallowRef<Schemas['Adopted']>()
const text = ref('')
const busy = ref(false)
const trouble = ref('')
const count = ref(0)
const over = ref(false)

const game = computed(() => /^game:\s*([a-z0-9_-]+)/m.exec(text.value)?.[1] ?? '')
const taken = computed(() => (games.value ?? []).some((g) => g.id === game.value))
const doubts = computed(() => text.value.split('\n').flatMap((line, i) => (line.includes('# ?') ? [{ line: i + 1, text: line.slice(line.indexOf('# ?') + 3).trim(), about: line.slice(0, line.indexOf('# ?')).trim().slice(0, 60) }] : [])))

async function bytes(file: File): Promise<string> {
  const raw = new Uint8Array(await file.arrayBuffer())
  let out = ''
  for (let i = 0; i < raw.length; i += 0x8000) out += String.fromCharCode(...raw.subarray(i, i + 0x8000))
  return btoa(out)
}

async function take(files: FileList | null | undefined) {
  if (!files?.length) return
  busy.value = true
  trouble.value = ''
  draft.value = undefined
  count.value = files.length
  try {
    const all = await Promise.all([...files].map(async (f) => ({ name: f.name, file: await bytes(f) })))
    draft.value = dataOf(await api.POST('/v1/adopt', { body: { files: all } }))
    text.value = draft.value.plan
  } catch (e) {
    trouble.value = told(e)
  } finally {
    busy.value = false
    if (chooser.value) chooser.value.value = ''
  }
}

function drop(e: DragEvent) {
  over.value = false
  void take(e.dataTransfer?.files)
}

async function make() {
  busy.value = true
  trouble.value = ''
  try {
    dataOf(await api.PUT('/v1/games/{game}/plan', { params: { path: { game: game.value }, header: {} }, ...asPlan(text.value) }))
    await router.push({ name: 'plan', params: { game: game.value } })
  } catch (e) {
    trouble.value = told(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div class="page" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent.stop="drop">
    <div class="page-head">
      <div>
        <h1 class="page-title">A plan from saves</h1>
        <p class="page-lead">A game that is out has saves already. From these, a plan is drafted that loads them: every line has what speaks for it behind it, and guesses are marked. Nothing is kept until you make it a game.</p>
      </div>
      <span class="tools">
        <v-btn variant="outlined" :disabled="busy" @click="chooser?.click()">Choose saves…</v-btn>
        <v-btn v-if="draft" color="primary" :disabled="busy || !game || taken" @click="make">Make it a game</v-btn>
      </span>
      <input ref="chooser" type="file" multiple hidden @change="take(chooser?.files)" />
    </div>
    <v-alert v-if="trouble" type="error" class="mb-4">{{ trouble }}</v-alert>
    <WaitingNote v-if="busy && !draft" :text="`Looking at ${count} saves …`" />
    <EmptyState v-else-if="!draft" title="Drop a folder's saves here" :class="{ over }">
      At least three of each format: JSON, YAML, TOML, XML, INI, CSV, MessagePack or CBOR, also packed. The more, the better it tells what changes from what does not; of some hundreds, <span class="mono">alluvion adopt</span> takes a whole folder.
    </EmptyState>
    <div v-else class="beside">
      <div>
        <p v-if="taken" class="bad">There is a game called {{ game }} already: change the id in the draft.</p>
        <PlanEditor ref="editor" v-model="text" class="sheet editor" :findings="[]" :names="[]" />
      </div>
      <aside>
        <section class="sheet part">
          <h2>{{ draft.saves }} saves in {{ draft.formats.length === 1 ? 'one format' : `${draft.formats.length} formats` }}</h2>
          <p>{{ draft.clean === draft.saves ? 'All of them' : `${draft.clean} of them` }} load under the draft with nothing told. {{ draft.back }} were written back as they were, as a try: those of the newest version.</p>
          <ul v-if="draft.told.length" class="told">
            <li v-for="(t, i) in draft.told.slice(0, 12)" :key="i"><span class="mono">{{ t.file }}</span> {{ t.what }}</li>
            <li v-if="draft.told.length + (draft.more ?? 0) > 12" class="quiet">and {{ draft.told.length + (draft.more ?? 0) - 12 }} more</li>
          </ul>
          <FindingList v-if="draft.findings.length" :findings="draft.findings" />
        </section>
        <section class="sheet part">
          <h2>{{ doubts.length }} guesses, to be read first</h2>
          <ul class="told">
            <li v-for="d in doubts" :key="d.line"><button type="button" class="link" @click="editor?.go(d.line, 1)">line {{ d.line }}</button> <span class="mono">{{ d.about }}</span><br />{{ d.text }}</li>
          </ul>
        </section>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 10px;
}

.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 16px;
  align-items: start;
}

@media (max-width: 900px) {
  .beside {
    grid-template-columns: minmax(0, 1fr);
  }
}

.editor {
  height: calc(100vh - 230px);
  overflow: hidden;
}

.part {
  padding: 12px 16px;
  margin-bottom: 16px;
}

.part:last-child {
  max-height: calc(100vh - 400px);
  overflow: auto;
}

h2 {
  font-size: 16px;
  margin: 0 0 6px;
}

.told {
  margin: 0;
  padding: 0;
  list-style: none;
}

.told li {
  padding: 5px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}

.link {
  color: rgb(var(--v-theme-primary));
  cursor: pointer;
}

.link:hover {
  text-decoration: underline;
}

.over {
  background: var(--faint);
}
</style>
