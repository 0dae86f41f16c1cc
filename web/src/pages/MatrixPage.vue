<script setup lang="ts">
import { computed, defineAsyncComponent, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, asPlan, dataOf, type Schemas } from '../api/client'
import CellPanel from '../components/CellPanel.vue'
import EmptyState from '../components/EmptyState.vue'
import FateGlyph from '../components/FateGlyph.vue'
import FateMatrix from '../components/FateMatrix.vue'
import StaleNote from '../components/StaleNote.vue'
import TroubleNote from '../components/TroubleNote.vue'
import type { VariableTask } from '../components/VariableForm.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { reach } from '../composables/connection'
import { useDraft, useOfDraft } from '../composables/useDraft'
import { did } from '../composables/useFirstSteps'

const VariableForm = defineAsyncComponent(() => import('../components/VariableForm.vue'))

const props = defineProps<{ game: string }>()
const draft = useDraft(props.game)
const { data: matrix, stale, error, reload } = useOfDraft(draft, async (text) => dataOf(await api.POST('/v1/matrix', asPlan(text))))
const route = useRoute()
const router = useRouter()
const task = ref<VariableTask>()

// The cell that is picked stands in the address, so that it can be sent to a colleague.
const rowName = computed(() => String(route.query.row ?? ''))
const columnID = computed(() => String(route.query.at ?? ''))
const picked = computed(() => {
  const row = matrix.value?.groups.flatMap((g) => g.rows).find((r) => r.name === rowName.value)
  const i = matrix.value?.columns.findIndex((c) => c.id === columnID.value) ?? -1
  const column = matrix.value?.columns[i]
  const cell = row?.cells[i]
  return row && column && cell ? { row, column, cell } : undefined
})
/** What the last search of this plan never saw at work; nothing before there was one, or where the plan was changed since. */
const scout = ref<Schemas['ScoutInfo']>()
onMounted(async () => {
  try {
    scout.value = dataOf(await api.GET('/v1/games/{game}/scout', { params: { path: { game: props.game } } }))
  } catch {
    scout.value = undefined // the matrix is there without it
  }
})
const plainly = (etag?: string) => (etag ?? '').replace(/"/g, '')
const searched = computed(() => scout.value?.report?.answers.some((a) => a.kind === 'fate') && plainly(scout.value.etag) === plainly(draft.etag.value) && !draft.changed.value)
const marks = ref(route.query.marks === 'search')
const unseen = computed(() => (marks.value && searched.value ? new Set(scout.value?.report?.answers.flatMap((a) => (a.kind === 'fate' && a.verdict !== 'reached' ? [a.id] : []))) : undefined))

const holder = computed(() => matrix.value?.groups.find((g) => g.rows.some((r) => r.name === rowName.value))?.holder ?? 'player')

const legend = [
  ['keep', 'stays'],
  ['reset', 'back to its start'],
  ['rewind', 'back to the checkpoint'],
  ['set', 'becomes something else'],
  ['computed', 'never stored'],
]
const forms = [
  ['csv', 'CSV, for a spreadsheet'],
  ['markdown', 'Markdown, for a document'],
  ['svg', 'SVG, for a slide'],
]

function pick(row: string, at: string) {
  draft.told.value = ''
  did('cell')
  void router.replace({ query: { row, at } })
}

async function choose(fate: string, set: string) {
  const p = picked.value
  if (p) await draft.edit(`${p.row.title} at ${p.column.title.toLowerCase()}: ${fate === 'set' ? set : fate}`, { do: 'fate', name: rowName.value, crossing: columnID.value, fate: fate as 'keep', ...(set ? { set } : {}) })
}

function finished(name: string) {
  task.value = undefined
  if (name) void router.replace({ query: { row: name, at: columnID.value || 'scene' } })
}

async function download(form: string) {
  const answer = await reach(`/v1/matrix/${form}`, { method: 'POST', body: draft.text.value, headers: { 'Content-Type': 'application/yaml' } })
  const link = document.createElement('a')
  link.href = URL.createObjectURL(await answer.blob())
  link.download = `${props.game}-matrix.${form === 'markdown' ? 'md' : form}`
  link.click()
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

// A name that is not in the plan any more has nothing to be explained.
watch(matrix, (m) => {
  if (m && picked.value) did('cell')
  if (m && rowName.value && !stale.value && !picked.value) void router.replace({ query: {} })
})
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">What survives what</h1>
        <p class="page-lead legend">
          <span v-for="[fate, text] in legend" :key="fate"><FateGlyph :fate="fate ?? ''" /> {{ text }}</span>
          <span><b class="own">decided here</b></span>
          <span>by default</span>
        </p>
      </div>
      <span class="page-tools">
        <v-checkbox v-if="searched" v-model="marks" class="marks" density="compact" hide-details :label="`mark what no search saw${unseen ? ` (${unseen.size})` : ''}`" />
        <v-menu>
          <template #activator="{ props: menu }"><v-btn v-bind="menu" variant="outlined" :disabled="!matrix">Export</v-btn></template>
          <v-list density="compact">
            <v-list-item v-for="[form, text] in forms" :key="form" :title="text" @click="download(form ?? '')" />
            <v-list-item title="Print" :to="{ name: 'print', params: { game } }" />
          </v-list>
        </v-menu>
        <v-btn color="primary" :disabled="!matrix" @click="task = 'add'">Add a variable</v-btn>
      </span>
    </div>
    <TroubleNote :text="error || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? reload() : draft.load()" />
    <StaleNote v-if="stale" :game="game" :draft="draft" what="matrix" :shown="matrix !== undefined" />
    <EmptyState v-if="matrix && matrix.groups.length === 0" title="The plan has no state yet">
      Declare a variable, and its fates appear here.
      <template #do><v-btn color="primary" @click="task = 'add'">Add the first variable</v-btn></template>
    </EmptyState>
    <div v-else-if="matrix" class="beside">
      <FateMatrix :matrix="matrix" :row="rowName" :column="columnID" :stale="stale" :unseen="unseen" @pick="pick" />
      <CellPanel v-if="picked" :game="game" v-bind="picked" :busy="draft.busy.value || stale" @choose="choose" @task="(t) => (task = t)" />
      <aside v-else class="sheet hint">
        <b>Pick a cell</b>
        <p>It says in one sentence what happens to that value there, and where in the plan it is decided. It can be changed there: the plan’s text changes by just that.</p>
      </aside>
    </div>
    <WaitingNote v-else-if="!error && !draft.error.value && !stale" text="Reading the plan …" />
    <VariableForm v-if="task && matrix" :task="task" :draft="draft" :matrix="matrix" :row="task === 'add' ? undefined : picked?.row" :holder="holder" @done="finished" @close="task = undefined" />
  </div>
</template>

<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}

.legend span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.marks :deep(label) {
  white-space: nowrap;
}

.own {
  color: rgb(var(--v-theme-on-surface));
  background: color-mix(in srgb, rgb(var(--v-theme-keep)) 15%, transparent);
  padding: 1px 7px;
  border-radius: 3px;
}

</style>
