<script setup lang="ts">
import EmptyState from '../components/EmptyState.vue'
import FindingCounts from '../components/FindingCounts.vue'
import TroubleNote from '../components/TroubleNote.vue'
import { useGames } from '../composables/resources'

const { data: games, error, reload } = useGames()
const day = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short' })
</script>

<template>
  <div class="page">
    <h1 class="page-title">Games</h1>
    <p class="page-lead">Each game has one plan: which player state survives what.</p>
    <TroubleNote :text="error" @retry="reload" />
    <EmptyState v-if="games && games.length === 0" title="No game has a plan yet">
      Put one in with <span class="mono">alluvion demo</span>, or send your own to <span class="mono">/v1/games/your-game/plan</span>.
    </EmptyState>
    <div v-else-if="games" class="games">
      <RouterLink v-for="g in games" :key="g.id" class="sheet game" :to="{ name: 'matrix', params: { game: g.id } }">
        <span class="title">{{ g.title }}</span>
        <span class="quiet"><span class="mono">{{ g.id }}</span>, version {{ g.version }}, changed {{ day.format(new Date(g.updated_at)) }}</span>
        <dl>
          <div><dt>Variables</dt><dd>{{ g.variables }}</dd></div>
          <div><dt>Scenes</dt><dd>{{ g.scenes }}</dd></div>
          <div><dt>Sessions open</dt><dd>{{ g.sessions }}</dd></div>
          <div><dt>Players in them</dt><dd>{{ g.present }}</dd></div>
          <div><dt>Slots saved</dt><dd>{{ g.saves }}</dd></div>
        </dl>
        <span><FindingCounts :counts="g.findings" /></span>
      </RouterLink>
    </div>
  </div>
</template>

<style scoped>
.games {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(440px, 1fr));
  gap: 16px;
}

.game {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 16px 18px;
  color: inherit;
  text-decoration: none;
  border-left: 4px solid rgb(var(--v-theme-secondary));
}

.game:hover {
  background: var(--faint);
}

.title {
  font-size: 19px;
  font-weight: 600;
}

dl {
  display: flex;
  gap: 22px;
  margin: 6px 0;
}

dt {
  font-size: 13px;
  color: rgb(var(--v-theme-quiet));
}

dd {
  margin: 0;
  font-size: 20px;
}
</style>
