<script setup lang="ts">
import { defineAsyncComponent, nextTick, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'

import type { Finding } from '../api/client'
import FindingCounts from '../components/FindingCounts.vue'
import FindingList from '../components/FindingList.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useNames } from '../composables/resources'
import { useDraft } from '../composables/useDraft'

const PlanEditor = defineAsyncComponent(() => import('../components/PlanEditor.vue'))

const props = defineProps<{ game: string }>()
const route = useRoute()
const editor = ref<{ go: (line: number, column: number) => void }>()
const draft = useDraft(props.game)
const { text, findings, report, error, ready } = draft
const names = useNames(() => props.game)

// A place in the plan that is asked for, by a finding or by the address, is gone to once the editor is there.
const wanted = shallowRef<{ line: number; column: number }>()

function go(line: number, column: number) {
  wanted.value = { line, column }
}

const mend = (f: Finding) => draft.edit(`wrote ${f.nearest}`, { do: 'mend', line: f.line, column: f.column })

watch(
  () => route.query,
  (query) => Number(query.line) && go(Number(query.line), Number(query.column) || 1),
  { immediate: true },
)
watch([editor, wanted], async () => {
  if (!editor.value || !wanted.value) return
  await nextTick()
  editor.value.go(wanted.value.line, wanted.value.column)
})
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1 class="page-title">Plan</h1>
        <p class="page-lead"><FindingCounts v-if="report" :counts="report.counts" /><template v-else>One document: forms, map and text are the same.</template></p>
      </div>
      <v-btn variant="outlined" :to="{ name: 'form', params: { game } }">As a form</v-btn>
    </div>
    <TroubleNote v-if="!ready" :text="error" @retry="draft.load" />
    <div v-if="ready" class="beside">
      <PlanEditor ref="editor" :model-value="text" :findings="findings" :names="names.data.value ?? []" @update:model-value="draft.typed" @save="draft.save" @mend="mend" />
      <div class="findings"><FindingList :findings="findings" mends @go="go" @mend="mend" /></div>
    </div>
    <WaitingNote v-else-if="!error" text="Reading the plan …" />
  </div>
</template>

<style scoped>
.beside {
  --side: 350px;
  align-items: stretch;
  height: calc(100vh - 198px);
}

.findings {
  overflow: auto;
}

@media (max-width: 1000px) {
  .beside {
    grid-template-rows: 60vh auto;
    height: auto;
  }
}
</style>
