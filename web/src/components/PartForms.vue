<script setup lang="ts">
import { useDraft } from '../composables/useDraft'
import { usePlanForm } from '../composables/usePlanForm'
import { spaced } from '../planForm'
import PlanPart from './PlanPart.vue'
import StaleNote from './StaleNote.vue'
import TroubleNote from './TroubleNote.vue'
import WaitingNote from './WaitingNote.vue'

// Parts of the plan as forms, on a page that shows what follows from them.
const props = defineProps<{ game: string; parts: string[] }>()
const draft = useDraft(props.game)
const { outline, root, stale, error, trouble, reload } = usePlanForm(draft)
</script>

<template>
  <TroubleNote :text="error || trouble || (draft.ready.value ? '' : draft.error.value)" @retry="draft.ready.value ? reload() : draft.load()" />
  <StaleNote v-if="stale" :game="game" :draft="draft" what="form" :shown="outline !== undefined" />
  <template v-if="outline && root">
    <section v-for="part in parts" :key="part" class="part" :aria-label="spaced(part)">
      <h3>
        {{ spaced(part) }} <RouterLink class="plain" :to="{ name: 'form', params: { game }, query: { at: `/${part}` } }">beside the rest of the plan</RouterLink>
      </h3>
      <p class="quiet">{{ root.properties?.[part]?.description }}</p>
      <PlanPart :path="[part]" />
    </section>
  </template>
  <WaitingNote v-else-if="!error && !draft.error.value && !stale" text="Reading the plan …" />
</template>

<style scoped>
.part + .part {
  margin-top: 16px;
  padding-top: 12px;
  border-top: 1px solid var(--line);
}

h3 {
  margin: 0 0 2px;
  font-size: 16px;
}

h3 .plain {
  margin-left: 8px;
  font-size: 13px;
  font-weight: 400;
}

.part > .quiet {
  margin: 0 0 6px;
  font-size: 14px;
}
</style>
