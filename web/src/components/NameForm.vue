<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { useVersions } from '../composables/resources'
import { useLanguage } from '../composables/useLanguage'
import type { Draft, PlanEdit } from '../composables/useDraft'

// Gives what stands at a path of the plan another name, wherever the plan says it, and another title if it has one.
const props = defineProps<{ draft: Draft; path: string[]; title?: string; inSaves?: boolean }>()
const emit = defineEmits<{ done: [id: string]; close: [] }>()

const was = computed(() => props.path.at(-1)!)
const id = ref('')
const called = ref('')
const along = ref(true)
watch(
  () => props.path.join('/'),
  () => ([id.value, called.value] = [was.value, props.title ?? '']),
  { immediate: true },
)

const versions = useVersions(() => props.draft.game)
const published = computed(() => (props.inSaves ? (versions.data.value?.published[0]?.version ?? 0) : 0))
const { wrongName } = useLanguage()
const badID = computed(() => wrongName(id.value))
// Whether saves are to be taken along has to be known first.
const can = computed(() => !badID.value && (!props.inSaves || !!versions.data.value) && (id.value !== was.value || (called.value !== (props.title ?? '') && called.value !== '')))

async function go() {
  const edits: PlanEdit[] = []
  if (id.value !== was.value) edits.push({ do: 'rename', path: props.path, to: id.value, ...(published.value && along.value ? { step: true, published: published.value } : {}) })
  if (props.title !== undefined && called.value && called.value !== props.title) edits.push({ do: 'put', path: [...props.path.slice(0, -1), id.value, 'title'], value: called.value })
  if (await props.draft.edit(id.value !== was.value ? `${was.value} is called ${id.value}` : `${id.value} has the title ${called.value}`, ...edits)) emit('done', id.value)
}
</script>

<template>
  <form class="names" @submit.prevent="can && go()" @keydown.esc.stop="$emit('close')">
    <v-text-field v-model="id" label="Name in the plan" class="mono" :error-messages="badID" v-begin />
    <v-text-field v-if="title !== undefined" v-model="called" label="What people call it" />
    <template v-if="published && id !== was">
      <v-checkbox v-model="along" density="compact" hide-details label="Saves have it: take them along" />
      <p class="quiet">Version {{ published }} is published, so an upgrade step is written; the plan becomes version {{ published + 1 }} if it is not yet.</p>
    </template>
    <div class="buttons">
      <v-btn size="small" variant="text" @click="$emit('close')">Cancel</v-btn>
      <v-btn size="small" type="submit" color="primary" :disabled="!can" :loading="draft.busy.value">Rename it</v-btn>
    </div>
  </form>
</template>

<style scoped>
.names {
  display: grid;
  gap: 10px;
  margin: 12px 0;
}

p {
  margin: 0;
  font-size: 14px;
}
</style>
