<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../api/client'
import { useStanding } from '../composables/resources'
import TroubleNote from './TroubleNote.vue'

const props = defineProps<{ game: string; standing: Schemas['StandingInfo'] }>()
const most = ref(10)
const { data, error, reload } = useStanding(() => props.game, () => props.standing.id, () => most.value)
</script>

<template>
  <section class="sheet">
    <h3>{{ standing.title }}</h3>
    <p class="quiet"><span class="mono">{{ standing.rank }}</span>, {{ standing.order === 'high' ? 'highest' : 'lowest' }} first, {{ standing.keep === 'best' ? 'the best ever' : 'as it is now' }}</p>
    <TroubleNote :text="error" @retry="reload" />
    <ol v-if="data?.places.length">
      <li v-for="p in data.places" :key="p.option || p.player">
        <span class="mono quiet">{{ p.place }}</span>
        <span v-if="p.option">{{ p.title }}</span>
        <RouterLink v-else class="plain" :to="{ name: 'player', params: { game, player: p.player } }">{{ p.player }}</RouterLink>
        <span class="mono">{{ p.number }}</span>
      </li>
    </ol>
    <p v-else-if="data?.list" class="quiet">Nothing has a place yet: it is the world of a session that orders them.</p>
    <p v-else-if="data" class="quiet">Nobody has a place yet: numbers count once they are saved.</p>
    <p v-if="data?.session" class="quiet world">In the session {{ data.session }}.</p>
    <p v-if="data && data.players > data.places.length" class="quiet">
      {{ data.players }} {{ data.list ? 'of them' : 'players' }} have a place. <button v-if="most < 500" type="button" class="link" @click="most = 500">Show more</button>
    </p>
  </section>
</template>

<style scoped>
section {
  padding: 12px 16px;
}

h3 {
  margin: 0;
  font-size: 15px;
}

p {
  margin: 0 0 8px;
  font-size: 14px;
}

.world {
  margin-top: 8px;
}

ol {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 320px;
  overflow: auto;
}

li {
  display: grid;
  grid-template-columns: 34px 1fr auto;
  gap: 10px;
  padding: 2px 0;
  border-bottom: 1px solid var(--line);
}

li > span:first-child {
  text-align: right;
}
</style>
