<script lang="ts">
export type VariableTask = 'add' | 'rename' | 'retype' | 'move' | 'remove'
</script>

<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Matrix, Row } from '../api/client'
import { useVersions } from '../composables/resources'
import type { Draft, PlanEdit } from '../composables/useDraft'
import { useLanguage } from '../composables/useLanguage'
import { complete, declarationOf, shapeOf } from '../declaration'
import TypeFields from './TypeFields.vue'

// Adds a variable, or declares one otherwise. The text changes by just that; the findings follow.
const props = defineProps<{ task: VariableTask; draft: Draft; matrix: Matrix; row?: Row; holder: string }>()
const emit = defineEmits<{ done: [name: string]; close: [] }>()

const titles: Record<VariableTask, string> = { add: 'Add a variable', rename: 'Rename', retype: 'Another type', move: 'Another holder', remove: 'Remove' }
const verbs: Record<VariableTask, string> = { add: 'Add it', rename: 'Rename it', retype: 'Change its type', move: 'Move it', remove: 'Remove it' }

const declared = computed(() => props.row?.declared)
const id = ref('')
const holder = ref(props.holder)
const title = ref('')
const shape = ref(shapeOf())
const { types, wrongName } = useLanguage()
const along = ref(true)

const versions = useVersions(() => props.draft.game)
const published = computed(() => versions.data.value?.published[0]?.version ?? 0)
const saved = computed(() => published.value > 0 && props.task !== 'add' && !props.row?.computed)
const holders = computed(() => props.matrix.holders.map((h) => h.holder))

watch(
  () => `${props.task} ${props.row?.name}`,
  () => {
    id.value = props.task === 'rename' ? (declared.value?.id ?? '') : ''
    holder.value = props.holder
    shape.value = shapeOf(props.task === 'add' ? undefined : props.row)
  },
  { immediate: true },
)

const badID = computed(() => (id.value ? wrongName(id.value) : ''))
const can = computed(() => {
  if (props.task !== 'add' && !versions.data.value) return false // whether saves are to be taken along is not known yet
  if (props.task === 'add' || props.task === 'rename') {
    if (!id.value || badID.value || id.value === declared.value?.id) return false
  }
  if (props.task === 'move' && holder.value === props.holder) return false
  return (props.task !== 'add' && props.task !== 'retype') || complete(types.value, shape.value)
})

function wanted(): PlanEdit {
  const name = props.row?.name ?? ''
  const step = saved.value && along.value ? { step: true, published: published.value } : {}
  switch (props.task) {
    case 'add':
      return { do: 'put', path: ['variables', id.value], value: { of: holder.value.startsWith('[') ? holder.value.slice(1, -1).split(', ') : holder.value, ...declarationOf(types.value, shape.value), ...(title.value ? { title: title.value } : {}) } }
    case 'rename':
      return { do: 'rename', name, to: id.value, ...step }
    case 'retype':
      return { do: 'retype', name, value: declarationOf(types.value, shape.value), ...step }
    case 'move':
      return { do: 'move', name, to: holder.value, ...step }
    case 'remove':
      return { do: 'remove', name, path: ['variables', declared.value?.id ?? ''], ...step }
  }
}

/** What a variable of a holder is called in the matrix and in rules. */
const named = (h: string, id = '') => `${props.matrix.holders.find((x) => x.holder === h)?.prefix ?? ''}${id}`

async function go() {
  if (!can.value) return
  const title = props.row?.title ?? id.value
  const what = { add: `added ${id.value}`, rename: `${title} is called ${id.value}`, retype: `${title} has another type`, move: `${title} is held by ${holder.value}`, remove: `removed ${title}` }[props.task]
  if (!(await props.draft.edit(what, wanted()))) return
  const kept = props.row?.name ?? ''
  emit('done', props.task === 'remove' ? '' : props.task === 'retype' ? kept : props.task === 'rename' ? kept.slice(0, kept.lastIndexOf('.') + 1) + id.value : named(holder.value, props.task === 'add' ? id.value : declared.value?.id))
}
</script>

<template>
  <v-dialog :model-value="true" max-width="520" transition="fade-transition" :aria-label="titles[task]" @update:model-value="$emit('close')">
    <form class="sheet ask" @submit.prevent="go">
      <h2>{{ titles[task] }}<template v-if="row">: {{ row.title }}</template></h2>
      <template v-if="task === 'add' || task === 'rename'">
        <v-text-field v-model="id" :label="task === 'add' ? 'Name' : 'New name'" class="mono" :error-messages="badID" v-begin />
        <p v-if="task === 'rename'" class="quiet">Wherever the plan reads it, it reads the new name. What it is called on screens is its title.</p>
      </template>
      <template v-if="task === 'add' || task === 'move'">
        <v-select v-model="holder" :items="holders" label="Held by" />
        <p v-if="task === 'move'" class="quiet">Rules then read it as {{ named(holder, declared?.id) }}. Look at the findings afterwards: what one player did may now be everybody’s.</p>
      </template>
      <v-text-field v-if="task === 'add'" v-model="title" label="Title, if it is not the name" />
      <template v-if="task === 'add' || task === 'retype'">
        <TypeFields v-model="shape" :rosters="matrix.rosters" />
      </template>
      <p v-if="task === 'remove'">It goes from the plan. The findings say what still reads it; Undo brings it back.</p>
      <template v-if="saved">
        <v-checkbox v-model="along" density="compact" hide-details :label="task === 'remove' ? 'Saves have it: put what they hold into the attic' : 'Saves have it: take them along'" />
        <p class="quiet note">Version {{ published }} is published, so an upgrade step is written{{ task === 'retype' ? ', to be looked at: it says what each old value becomes' : '' }}; the plan becomes version {{ published + 1 }} if it is not yet.</p>
      </template>
      <p v-if="draft.error.value" class="bad" role="alert">{{ draft.error.value }}</p>
      <div class="buttons">
        <v-btn variant="text" @click="$emit('close')">Cancel</v-btn>
        <v-btn type="submit" :color="task === 'remove' ? 'error' : 'primary'" :disabled="!can" :loading="draft.busy.value">{{ verbs[task] }}</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
p {
  margin: 0;
}

.note {
  margin-left: 40px;
  font-size: 14px;
}
</style>
