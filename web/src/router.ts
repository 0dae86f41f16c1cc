import { watch } from 'vue'
import { createRouter, createWebHistory } from 'vue-router'

import { cameBack, unanswered } from './composables/connection'
import { pages } from './pages'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'games', component: () => import('./pages/GamesPage.vue'), meta: { title: 'Games' } },
    { path: '/adopt', name: 'adopt', component: () => import('./pages/AdoptPage.vue'), meta: { title: 'A plan from saves' } },
    { path: '/nodes', name: 'nodes', component: () => import('./pages/NodesPage.vue'), meta: { title: 'Nodes' } },
    { path: '/games/:game', redirect: (to) => `/games/${String(to.params.game)}/${pages[0]!.path}` },
    ...pages.map((p) => ({ path: `/games/:game/${p.path}`, name: p.name, props: true, component: p.component, meta: { title: p.title } })),
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
