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
  <PlanField v-if="schema && value !== undefined" :key="path.join('/')" :schema="schema" :value="value" :path="path" />
  <button v-if="loose && value !== undefined" type="button" class="link all" @click="form.remove(path)">Take all of this out of the plan</button>
  <p v-if="schema && value === undefined" class="quiet">The plan says nothing of it. <button type="button" class="link" @click="begin">Begin</button></p>
  <p v-if="!schema" class="quiet">There is no such part of the plan.</p>
</template>

<style scoped>
.all {
  margin-top: 10px;
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}
</style>
