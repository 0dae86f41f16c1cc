<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'

import { api, dataOf } from '../api/client'
import EmptyState from '../components/EmptyState.vue'
import FormFold from '../components/FormFold.vue'
import TrialPanel from '../components/TrialPanel.vue'
import TroubleNote from '../components/TroubleNote.vue'
import VersionsBeside from '../components/VersionsBeside.vue'
import WaitingNote from '../components/WaitingNote.vue'
import { useTrials, useVersions } from '../composables/resources'
import { day } from '../times'

const props = defineProps<{ game: string }>()
const { data: versions, error, reload } = useVersions(() => props.game)
const trials = useTrials(() => props.game)

const route = useRoute()
const trial = computed(() => trials.data.value?.find((t) => t.etag === versions.value?.draft.etag))
const goOn = ref('')
const told = ref('')
const trouble = ref('')
const canPublish = computed(() => versions.value && !versions.value.draft.published && versions.value.draft.next && versions.value.draft.runs && (trial.value?.clean || goOn.value.trim() !== '' || versions.value.published.length === 0))

async function publish() {
  trouble.value = told.value = ''
  try {
    const etag = versions.value?.draft.etag ?? ''
    const v = dataOf(await api.POST('/v1/games/{game}/versions', { params: { path: { game: props.game }, header: { 'If-Match': `"${etag}"` } }, body: { go_on: goOn.value.trim() } }))
    told.value = `Version ${v.version} is published. Sessions that are opened from now on run it.`
    goOn.value = ''
  } catch (e) {
    trouble.value = (e as Error).message
  }
  await reload()
}

</script>

<template>
  <div class="page">
    <h1 class="page-title">Versions</h1>
    <p class="page-lead">What is published never changes. Saves of every earlier version are upgraded when they are loaded.</p>
    <TroubleNote :text="error || trouble" @retry="reload" />
    <WaitingNote v-if="!versions && !error" />
    <v-alert v-if="told" type="success" class="mb-4">{{ told }}</v-alert>
    <div v-if="versions" class="beside first">
      <aside>
        <div class="sheet draft">
          <h2>In work: version {{ versions.draft.version }}</h2>
          <p v-if="versions.draft.published" class="quiet">Just this text is published. To go on, give the plan the version {{ versions.draft.version + 1 }} and say in <code class="mono">upgrades</code> what becomes of older saves.</p>
          <p v-else-if="!versions.draft.runs" class="bad">It has errors and cannot be published.</p>
          <p v-else-if="!versions.draft.next" class="bad">The next version that can be published is {{ versions.draft.wanted }}.</p>
          <template v-else>
            <p v-if="trial?.clean" class="good">Its trial was clean: nothing is lost.</p>
            <p v-else-if="trial?.state === 'done'" class="bad">Its trial was not clean. Look at what is corrected, or say why it is published all the same.</p>
            <p v-else-if="versions.published.length" class="quiet">Try it over every save first.</p>
            <v-text-field v-if="versions.published.length && !trial?.clean" v-model="goOn" label="Go on, because" class="mb-2" />
            <v-btn color="primary" block :disabled="!canPublish" @click="publish">Publish version {{ versions.draft.version }}</v-btn>
          </template>
        </div>
        <ul class="sheet list" aria-label="Published versions">
          <li v-for="v in versions.published" :key="v.version">
            <RouterLink replace :to="{ query: { ...route.query, old: v.version } }" :class="{ here: String(v.version) === route.query.old }">
              <span class="number mono">{{ v.version }}</span>
              <span>
                {{ day(v.published_at) }}
                <span class="quiet small">{{ v.saves }} {{ v.saves === 1 ? 'save' : 'saves' }}<template v-if="v.sessions">, {{ v.sessions }} open</template></span>
                <span v-if="v.why" class="quiet small">“{{ v.why }}”</span>
              </span>
            </RouterLink>
          </li>
        </ul>
      </aside>
      <div>
        <TrialPanel v-if="versions.published.length" :game="game" :trial="trial" :etag="versions.draft.etag" :version="versions.draft.version" @changed="trials.reload" />
        <EmptyState v-if="!versions.published.length" title="Nothing is published yet">Sessions run the plan as it is. Publish it when saves are to be kept: from then on no save is ever without a future.</EmptyState>
        <VersionsBeside v-else-if="versions.published.length > 1 || !versions.draft.published" :key="versions.draft.etag" :game="game" :versions="versions" />
        <FormFold :game="game" title="Change upgrade steps, saving and the game's own formats in the plan" :parts="['upgrades', 'saving', 'formats']" />
      </div>
    </div>
  </div>
</template>

<style scoped>
.beside {
  --side: 300px;
}

h2 {
  font-size: 16px;
  margin: 0 0 6px;
}

.draft {
  padding: 14px 16px;
  margin-bottom: 14px;
}

.draft p {
  margin: 0 0 10px;
  font-size: 14px;
}

.list {
  list-style: none;
  margin: 0;
  padding: 0;
}

.list li + li {
  border-top: 1px solid var(--line);
}

.list a {
  display: grid;
  grid-template-columns: 34px 1fr;
  padding: 9px 14px;
  color: inherit;
  text-decoration: none;
}

.list a:hover {
  background: var(--faint);
}

.list .here {
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
  background: var(--faint);
}

.number {
  font-weight: 600;
  font-size: 17px;
}

.small {
  display: block;
  font-size: 13px;
}
</style>
