import { watch } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'

import { cameBack, unanswered } from './composables/connection'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'games', component: () => import('./pages/GamesPage.vue'), meta: { title: 'Games' } },
    { path: '/games/:game', redirect: (to) => `/games/${String(to.params.game)}/matrix` },
    { path: '/games/:game/matrix', name: 'matrix', props: true, component: () => import('./pages/MatrixPage.vue'), meta: { title: 'What survives what' } },
    { path: '/games/:game/matrix/print', name: 'print', props: true, component: () => import('./pages/PrintPage.vue'), meta: { title: 'What survives what, for print' } },
    { path: '/games/:game/plan', name: 'plan', props: true, component: () => import('./pages/PlanPage.vue'), meta: { title: 'Plan' } },
    { path: '/games/:game/scenes', name: 'scenes', props: true, component: () => import('./pages/ScenesPage.vue'), meta: { title: 'Scenes' } },
    { path: '/games/:game/stage', name: 'stage', props: true, component: () => import('./pages/StagePage.vue'), meta: { title: 'Stage' } },
    { path: '/games/:game/why', name: 'why', props: true, component: () => import('./pages/WhyPage.vue'), meta: { title: 'Why is it so?' } },
    { path: '/games/:game/milestones', name: 'milestones', props: true, component: () => import('./pages/MilestonesPage.vue'), meta: { title: 'Milestones and standings' } },
    { path: '/games/:game/players', name: 'players', props: true, component: () => import('./pages/PlayersPage.vue'), meta: { title: 'Players' } },
    { path: '/games/:game/players/:player', name: 'player', props: true, component: () => import('./pages/PlayerPage.vue'), meta: { title: 'Player' } },
    { path: '/games/:game/live/:session?', name: 'live', props: true, component: () => import('./pages/LivePage.vue'), meta: { title: 'Live' } },
    { path: '/games/:game/budgets', name: 'budgets', props: true, component: () => import('./pages/BudgetsPage.vue'), meta: { title: 'Budgets' } },
    { path: '/games/:game/versions', name: 'versions', props: true, component: () => import('./pages/VersionsPage.vue'), meta: { title: 'Versions' } },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./pages/NowherePage.vue'), meta: { title: 'Nothing here' } },
  ],
})

// A page that cannot be loaded, since the service is away, is gone to when it is back.
router.onError((_, to) => {
  unanswered()
  const stop = watch(cameBack, () => {
    stop()
    window.location.assign(to.fullPath)
  })
})

router.afterEach((to) => {
  const parts = [to.params.player, to.meta.title, to.params.game, 'Alluvion']
  document.title = parts.filter((p) => typeof p === 'string' && p !== '').join(' · ')
})
