<script setup lang="ts">
import { computed } from 'vue'

import { useForm } from '../composables/usePlanForm'
import { at, beginning, schemaAt, shapes } from '../planForm'
import PlanField from './PlanField.vue'

// The form of one part of the plan, or a way to begin it where the plan says nothing of it yet.
const props = defineProps<{ path: string[] }>()
const form = useForm()
const value = computed(() => at(form.document.value, props.path))
const schema = computed(() => (form.root.value && form.document.value !== undefined ? schemaAt(form.root.value, props.path, form.document.value) : undefined))
/** A whole part can go where the plan can do without it. */
const loose = computed(() => props.path.length === 1 && !(form.root.value?.required ?? []).includes(props.path[0]!))

function begin() {
  if (!form.root.value || !schema.value) return
  void form.put(props.path, beginning(form.root.value, shapes(form.root.value, schema.value)[0]!))
}
</script>

<template>
  <PlanField v-if="schema && value !== undefined" :key="path.join('/')" :schema="schema" :value="value" :path="path" :loose="loose" />
  <p v-else-if="schema" class="quiet">The plan says nothing of it. <button type="button" class="link" @click="begin">Begin</button></p>
  <p v-else class="quiet">There is no such part of the plan.</p>
</template>
