<script setup lang="ts">
import { mdiMagnify, mdiWeatherNight, mdiWhiteBalanceSunny } from '@mdi/js'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'

import { asksForToken } from './api/client'
import NameSearch from './components/NameSearch.vue'
import TokenDoor from './components/TokenDoor.vue'
import { useGames } from './composables/resources'

const route = useRoute()
const theme = useTheme()
const search = ref<InstanceType<typeof NameSearch>>()
const games = useGames()

const game = computed(() => String(route.params.game ?? ''))
const info = computed(() => games.data.value?.find((g) => g.id === game.value))
const dark = computed(() => theme.global.name.value === 'dark')

const pages = [
  { name: 'matrix', title: 'What survives what' },
  { name: 'plan', title: 'Plan' },
  { name: 'players', title: 'Players' },
  { name: 'live', title: 'Live' },
  { name: 'versions', title: 'Versions' },
  { name: 'budgets', title: 'Budgets' },
]

function turn() {
  const next = dark.value ? 'light' : 'dark'
  theme.change(next)
  localStorage.setItem('alluvion-theme', next)
}
</script>

<template>
  <v-app>
    <header class="bar">
      <RouterLink class="mark" to="/" aria-label="Alluvion: all games">
        <svg viewBox="0 0 24 24" width="24" aria-hidden="true">
          <path d="M2 8c4-4 7 4 10 0s6 4 10 0M2 13c4-4 7 4 10 0s6 4 10 0M5 18h14" fill="none" stroke="currentColor" stroke-width="2.2" stroke-linecap="round" />
        </svg>
        <span>Alluvion</span>
      </RouterLink>
      <template v-if="game">
        <span class="game">{{ info?.title ?? game }} <span v-if="info" class="version mono">v{{ info.version }}</span></span>
        <nav aria-label="Pages of the game">
          <RouterLink v-for="p in pages" :key="p.name" :to="{ name: p.name, params: { game } }" :class="{ here: route.name === p.name || (p.name === 'players' && route.name === 'player') }">{{ p.title }}</RouterLink>
        </nav>
      </template>
      <span class="space" />
      <button v-if="game" type="button" class="tool" title="Search everything that the plan names (key /)" aria-label="Search" @click="search?.show()">
        <v-icon :icon="mdiMagnify" size="20" /> <kbd>/</kbd>
      </button>
      <button type="button" class="tool" :aria-label="dark ? 'Light colours' : 'Dark colours'" @click="turn">
        <v-icon :icon="dark ? mdiWhiteBalanceSunny : mdiWeatherNight" size="20" />
      </button>
    </header>
    <main>
      <RouterView :key="game" />
    </main>
    <NameSearch ref="search" :game="game" />
    <TokenDoor v-if="asksForToken" />
  </v-app>
</template>

<style scoped>
.bar {
  position: sticky;
  top: 0;
  z-index: 5;
  display: flex;
  align-items: center;
  gap: 22px;
  height: 50px;
  padding: 0 28px;
  color: #e9eef0;
  background: #1d3d50;
}

.mark {
  display: flex;
  align-items: center;
  gap: 9px;
  color: inherit;
  text-decoration: none;
  font-weight: 600;
  font-size: 17px;
}

.mark svg {
  color: #8fd0bd;
}

.game {
  padding-left: 22px;
  border-left: 1px solid #ffffff30;
  white-space: nowrap;
}

.version {
  color: #e2cf9f;
  margin-left: 4px;
}

nav {
  display: flex;
  height: 100%;
}

nav a {
  display: flex;
  align-items: center;
  padding: 0 13px;
  color: #c7d6dc;
  text-decoration: none;
  border-bottom: 3px solid transparent;
  border-top: 3px solid transparent;
}

nav a:hover {
  color: #fff;
}

nav .here {
  color: #fff;
  border-bottom-color: #e2cf9f;
}

.space {
  flex: 1;
}

.tool {
  display: flex;
  align-items: center;
  gap: 6px;
  cursor: pointer;
  color: inherit;
}

kbd {
  font-family: var(--mono);
  font-size: 12px;
  padding: 0 6px;
  border: 1px solid #ffffff50;
  border-radius: 3px;
}

@media (max-width: 900px) {
  .bar {
    gap: 12px;
    padding: 0 14px;
  }

  .mark span,
  kbd {
    display: none;
  }
}
</style>
