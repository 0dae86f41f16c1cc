<script setup lang="ts">
import { computed, defineAsyncComponent } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schemas } from '../api/client'
import { useComparison, usePlanText } from '../composables/resources'
import DifferenceList from './DifferenceList.vue'
import TroubleNote from './TroubleNote.vue'
import WaitingNote from './WaitingNote.vue'

const TextsBeside = defineAsyncComponent(() => import('./TextsBeside.vue'))

// Two versions side by side: what becomes of saves of the one under the other, and what their texts say otherwise. Which
// two, and which of both is shown, stands in the address.
const props = defineProps<{ game: string; versions: Schemas['Versions'] }>()
const route = useRoute()
const router = useRouter()

const all = computed(() => props.versions.published.map((v) => v.version))
/** What they can be checked against: published versions, and the plan in work (0) where it is none of them. */
const news = computed(() => [...(props.versions.draft.published ? [] : [0]), ...all.value])

const asked = (name: string, among: number[]) => among.find((v) => String(v) === route.query[name])
const to = computed(() => asked('under', news.value) ?? news.value[0] ?? 0)
const from = computed(() => asked('old', all.value) ?? all.value.find((v) => v !== to.value) ?? 0)
const texts = computed(() => route.query.show === 'texts')
const comparison = useComparison(() => props.game, () => (texts.value ? 0 : from.value), () => to.value)
const before = usePlanText(() => props.game, () => (texts.value ? from.value : undefined))
const after = usePlanText(() => props.game, () => (texts.value ? to.value : undefined))

const go = (query: Record<string, string | undefined>) => void router.replace({ query: { ...route.query, ...query } })
const called = (version: number) => (version ? `version ${version}` : 'the plan in work')
const trouble = computed(() => comparison.error.value || before.error.value || after.error.value)
const retry = () => (texts.value ? Promise.all([before.reload(), after.reload()]) : comparison.reload())
</script>

<template>
  <section aria-label="Two versions side by side">
    <div class="head">
      <h2>
        Saves of <select :value="from" aria-label="The older version" @change="go({ old: ($event.target as HTMLSelectElement).value })"><option v-for="v in all" :key="v" :value="v">version {{ v }}</option></select> under
        <select :value="to" aria-label="The newer version" @change="go({ under: ($event.target as HTMLSelectElement).value })"><option v-for="v in news" :key="v" :value="v">{{ called(v) }}</option></select>
      </h2>
      <nav class="chips" aria-label="What is shown">
        <RouterLink replace :to="{ query: { ...route.query, show: undefined } }" :class="{ here: !texts }">What becomes of them</RouterLink>
        <RouterLink replace :to="{ query: { ...route.query, show: 'texts' } }" :class="{ here: texts }">The texts</RouterLink>
      </nav>
    </div>
    <TroubleNote :text="trouble" @retry="retry" />
    <template v-if="texts">
      <TextsBeside v-if="before.data.value !== undefined && after.data.value !== undefined" :before="before.data.value" :after="after.data.value" :titles="[called(from), called(to)]" />
      <WaitingNote v-else-if="!trouble" text="Reading both texts …" />
    </template>
    <DifferenceList v-else-if="comparison.data.value" :comparison="comparison.data.value" :game="game" />
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 8px 16px;
  margin: 20px 0 8px;
}

h2 {
  font-size: 16px;
  margin: 0;
}

select {
  font-weight: 600;
}

.head .chips {
  margin: 0;
}
</style>
