<script setup lang="ts">
import { api, asPlan, dataOf } from '../api/client'
import FateGlyph from '../components/FateGlyph.vue'
import TroubleNote from '../components/TroubleNote.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useDraft, useOfDraft } from '../composables/useDraft'
import { day } from '../times'

// The whole matrix on paper: black on white, nothing that can be pressed on it.
const props = defineProps<{ game: string }>()
const draft = useDraft(props.game)
const { data: matrix, error, reload } = useOfDraft(draft, async (text) => dataOf(await api.POST('/v1/matrix', asPlan(text))))
const today = day(new Date())
const print = () => window.print()
</script>

<template>
  <div class="page">
    <p class="tools">
      <RouterLink class="plain" :to="{ name: 'matrix', params: { game } }">Back to the matrix</RouterLink>
      <v-btn color="primary" @click="print">Print</v-btn>
    </p>
    <TroubleNote :text="error || (draft.ready.value ? '' : draft.error.value)" @retry="reload" />
    <WaitingNote v-if="!matrix && !error" text="Reading the plan …" />
    <article v-if="matrix" class="paper">
      <h1>{{ matrix.title }}: what survives what</h1>
      <p>Version {{ matrix.version }}<template v-if="draft.changed.value">, with changes that are not saved</template>; {{ today }}. Bold: decided by the item itself; the rest follows from the plan’s defaults.</p>
      <table>
        <thead>
          <tr>
            <th scope="col"><span class="unseen">State</span></th>
            <th v-for="c in matrix.columns" :key="c.id" scope="col">{{ c.title }}</th>
          </tr>
        </thead>
        <tbody v-for="g in matrix.groups" :key="g.holder">
          <tr class="group">
            <th :colspan="matrix.columns.length + 1" scope="rowgroup">{{ g.title }}</th>
          </tr>
          <tr v-for="r in g.rows" :key="r.name">
            <th scope="row">{{ r.title }}</th>
            <td v-for="(c, i) in r.cells" :key="i" :class="{ own: c.decided === 'own' }">
              <span v-if="c.fate !== 'n/a'"><FateGlyph :fate="c.fate" /> {{ c.short }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </article>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  justify-content: space-between;
  align-items: center;
}

.paper {
  padding: 28px 32px;
  color: #1c262c;
  background: #fff;
  border: 1px solid var(--line);
}

h1 {
  font-size: 20px;
  margin: 0;
}

.paper p {
  margin: 2px 0 14px;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

th {
  text-align: left;
  font-weight: 400;
}

thead th {
  font-weight: 600;
  border-bottom: 1px solid #1c262c;
}

.group th {
  font-weight: 600;
  padding-top: 10px;
}

td,
tbody th[scope='row'] {
  padding: 2px 8px 2px 0;
  border-bottom: 1px solid #dcd5c7;
}

tr {
  break-inside: avoid;
}

.own {
  font-weight: 600;
}

td span {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.unseen {
  position: absolute;
  clip-path: inset(50%);
}

@media print {
  .tools {
    display: none;
  }

  .page,
  .paper {
    padding: 0;
    border: 0;
  }
}
</style>
