<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'

const props = defineProps<{ sample: Schemas['Sample'] }>()

interface Row {
  at: string
  before: string
  after: string
}

/** The values of a document by where they stand. */
function flat(doc: unknown, at = '', out = new Map<string, string>()) {
  if (doc !== null && typeof doc === 'object' && !Array.isArray(doc)) {
    for (const [name, value] of Object.entries(doc)) flat(value, `${at}/${name}`, out)
  } else if (doc !== undefined) {
    out.set(at || '/', JSON.stringify(doc))
  }
  return out
}

const rows = computed<Row[]>(() => {
  const before = flat(props.sample.before)
  const after = flat(props.sample.after)
  const names = [...new Set([...before.keys(), ...after.keys()])].sort()
  return names.map((at) => ({ at, before: before.get(at) ?? '', after: after.get(at) ?? '' })).filter((r) => !props.sample.after || r.before !== r.after)
})
</script>

<template>
  <div class="sample">
    <p class="quiet">{{ sample.save }}, of version {{ sample.from }}<template v-if="!sample.after">: it is not loaded</template></p>
    <div class="scroll" tabindex="0">
      <table class="plain">
        <thead>
          <tr><th scope="col">Where</th><th scope="col">Before</th><th scope="col">After</th></tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.at">
            <td class="mono">{{ r.at }}</td>
            <td class="mono" :class="{ quiet: !r.before }">{{ r.before || '–' }}</td>
            <td class="mono" :class="{ quiet: !r.after }">{{ r.after || '–' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.sample {
  border: 1px solid var(--line);
  border-radius: 3px;
  margin-bottom: 10px;
}

p {
  margin: 0;
  padding: 6px 12px;
  font-size: 14px;
}

.scroll {
  max-height: 260px;
  overflow: auto;
}

table.plain td {
  padding: 2px 12px;
  overflow-wrap: anywhere;
}
</style>
