<script lang="ts">
export type VariableTask = 'add' | 'rename' | 'retype' | 'move' | 'remove'
</script>

<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { Matrix, Row } from '../api/client'
import { shown } from '../api/client'
import { useVersions } from '../composables/resources'
import type { Draft, PlanEdit } from '../composables/useDraft'

// Adds a variable, or declares one otherwise. The text changes by just that; the findings follow.
const props = defineProps<{ task: VariableTask; draft: Draft; matrix: Matrix; row?: Row; holder: string }>()
const emit = defineEmits<{ done: [name: string]; close: [] }>()

const titles: Record<VariableTask, string> = { add: 'Add a variable', rename: 'Rename', retype: 'Another type', move: 'Another holder', remove: 'Remove' }
const verbs: Record<VariableTask, string> = { add: 'Add it', rename: 'Rename it', retype: 'Change its type', move: 'Move it', remove: 'Remove it' }
const types = ['int', 'decimal', 'bool', 'text', 'choice', 'pick', 'point', 'stopwatch', 'seed']

const declared = computed(() => props.row?.declared)
const id = ref('')
const holder = ref(props.holder)
const title = ref('')
const type = ref('int')
const min = ref('0')
const max = ref('9999')
const step = ref('0.1')
const start = ref('0')
const choices = ref('')
const length = ref('16')
const roster = ref('')
const optional = ref(false)
const along = ref(true)

const versions = useVersions(() => props.draft.game)
const published = computed(() => versions.data.value?.published[0]?.version ?? 0)
const saved = computed(() => published.value > 0 && props.task !== 'add' && !props.row?.computed)
const holders = computed(() => {
  const known = ['player', 'scene', 'game', '[player, scene]', ...props.matrix.groups.map((g) => g.holder)]
  return [...new Set(known.filter((h) => !h.startsWith('commons:')))]
})

watch(
  () => `${props.task} ${props.row?.name}`,
  () => {
    const d = declared.value
    id.value = props.task === 'rename' ? (d?.id ?? '') : ''
    holder.value = props.holder
    if (!d || props.task === 'add') return
    type.value = d.type
    min.value = d.min ?? ''
    max.value = d.max ?? ''
    step.value = d.step ?? ''
    choices.value = d.choices.join(', ')
    roster.value = d.roster ?? ''
    optional.value = d.optional ?? false
    start.value = shown(props.row?.start)
  },
  { immediate: true },
)

const words = computed(() => choices.value.split(/[,\s]+/).filter(Boolean))
const numeric = computed(() => type.value === 'int' || type.value === 'decimal')
const badID = computed(() => (id.value && !/^[a-z][a-z0-9_]*$/.test(id.value) ? 'Lower-case letters, digits and _, beginning with a letter' : ''))
const can = computed(() => {
  if (props.task === 'add' || props.task === 'rename') {
    if (!id.value || badID.value || id.value === declared.value?.id) return false
  }
  if (props.task === 'move' && holder.value === props.holder) return false
  if ((props.task === 'add' || props.task === 'retype') && type.value === 'choice') return words.value.length > 0
  return true
})

/** A number as it is written, or nothing where nothing is. */
const number = (text: string) => (text.trim() === '' || Number.isNaN(Number(text)) ? undefined : Number(text))

/** What the declaration says of its type. */
function declaration(): Record<string, unknown> {
  const out: Record<string, unknown> = { type: type.value }
  if (numeric.value) {
    Object.assign(out, { min: number(min.value), max: number(max.value) })
    if (type.value === 'decimal') out.step = number(step.value)
    out.start = number(start.value) ?? 0
  }
  if (type.value === 'bool') out.start = start.value === 'true'
  if (type.value === 'text') Object.assign(out, { max_length: number(length.value), ...(optional.value ? {} : { start: start.value === '0' ? '' : start.value }) })
  if (type.value === 'choice') Object.assign(out, { choices: words.value, start: words.value.includes(start.value) ? start.value : words.value[0] })
  if (type.value === 'pick') out.roster = roster.value
  if (optional.value && ['text', 'pick', 'point', 'choice'].includes(type.value)) {
    out.optional = true
    delete out.start
  }
  return out
}

function wanted(): PlanEdit {
  const name = props.row?.name ?? ''
  const step = saved.value && along.value ? { step: true, published: published.value } : {}
  switch (props.task) {
    case 'add':
      return { do: 'put', path: ['variables', id.value], value: { of: holder.value.startsWith('[') ? holder.value.slice(1, -1).split(', ') : holder.value, ...declaration(), ...(title.value ? { title: title.value } : {}) } }
    case 'rename':
      return { do: 'rename', name, to: id.value, ...step }
    case 'retype':
      return { do: 'retype', name, value: declaration(), ...step }
    case 'move':
      return { do: 'move', name, to: holder.value, ...step }
    case 'remove':
      return { do: 'remove', name, path: ['variables', declared.value?.id ?? ''], ...step }
  }
}

const prefix = (h: string) => (h.includes('prop:') ? `prop.${h.replace(/.*prop:/, '').replace(']', '')}` : h === '[player, scene]' ? 'player' : h)

async function go() {
  if (!can.value) return
  const title = props.row?.title ?? id.value
  const what = { add: `added ${id.value}`, rename: `${title} is called ${id.value}`, retype: `${title} has another type`, move: `${title} is held by ${holder.value}`, remove: `removed ${title}` }[props.task]
  if (!(await props.draft.edit(what, wanted()))) return
  const kept = props.row?.name ?? ''
  emit('done', props.task === 'remove' ? '' : props.task === 'retype' ? kept : props.task === 'rename' ? kept.slice(0, kept.lastIndexOf('.') + 1) + id.value : `${prefix(holder.value)}.${props.task === 'add' ? id.value : declared.value?.id}`)
}
</script>

<template>
  <v-dialog :model-value="true" max-width="520" transition="fade-transition" :aria-label="titles[task]" @update:model-value="$emit('close')">
    <form class="sheet form" @submit.prevent="go">
      <h2>{{ titles[task] }}<template v-if="row">: {{ row.title }}</template></h2>
      <template v-if="task === 'add' || task === 'rename'">
        <v-text-field v-model="id" :label="task === 'add' ? 'Name' : 'New name'" class="mono" :error-messages="badID" autofocus />
        <p v-if="task === 'rename'" class="quiet">Wherever the plan reads it, it reads the new name. What it is called on screens is its title.</p>
      </template>
      <template v-if="task === 'add' || task === 'move'">
        <v-select v-model="holder" :items="holders" label="Held by" />
        <p v-if="task === 'move'" class="quiet">Rules then read it as {{ holder.includes('scene') ? 'scene' : prefix(holder) }}.{{ declared?.id }}. Look at the findings afterwards: what one player did may now be everybody’s.</p>
      </template>
      <v-text-field v-if="task === 'add'" v-model="title" label="Title, if it is not the name" />
      <template v-if="task === 'add' || task === 'retype'">
        <v-select v-model="type" :items="types" label="Type" />
        <div v-if="numeric" class="row">
          <v-text-field v-model="min" label="Least" class="mono" inputmode="decimal" />
          <v-text-field v-model="max" label="Most" class="mono" inputmode="decimal" />
          <v-text-field v-if="type === 'decimal'" v-model="step" label="Step" class="mono" inputmode="decimal" />
          <v-text-field v-model="start" label="Start" class="mono" inputmode="decimal" />
        </div>
        <v-select v-if="type === 'bool'" v-model="start" :items="['false', 'true']" label="Start" />
        <template v-if="type === 'choice'">
          <v-text-field v-model="choices" label="Choices, with commas between" class="mono" />
          <v-select v-model="start" :items="words" label="Start" />
        </template>
        <v-text-field v-if="type === 'text'" v-model="length" label="Most characters" class="mono" inputmode="numeric" />
        <v-text-field v-if="type === 'pick'" v-model="roster" label="Roster" class="mono" />
        <v-checkbox v-if="['text', 'pick', 'point', 'choice'].includes(type)" v-model="optional" label="May be none, and is at the start" density="compact" hide-details />
      </template>
      <p v-if="task === 'remove'">It goes from the plan. What still reads it is told by the findings; Undo brings it back.</p>
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
.form {
  display: flex;
  flex-direction: column;
  gap: 12px;
  padding: 20px 22px;
}

h2 {
  font-size: 18px;
  margin: 0;
}

p {
  margin: 0;
}

.row {
  display: grid;
  grid-auto-flow: column;
  grid-auto-columns: 1fr;
  gap: 8px;
}

.note {
  margin-left: 40px;
  font-size: 14px;
}
</style>
