import type { Component } from 'vue'

/** A page of the console. All of a game's pages stand below its address. */
export interface Page {
  name: string
  /** Behind /games/…/ */
  path: string
  /** What stands in the window's title, and in the search. */
  title: string
  component: () => Promise<Component>
  /** In which group of the navigation it stands, and as what. */
  group?: 'plan' | 'play' | 'change'
  short?: string
  /** It shows the plan as it stands in the draft, with the bar that saves it. */
  drafted?: boolean
  /** It is a part of another page, which the navigation shows for it. */
  within?: string
  /** It cannot be gone to without knowing what it is about. */
  unlisted?: boolean
}

/** The pages in the order of the work: write the plan, rehearse it, run it, change it. */
export const pages: Page[] = [
  { name: 'matrix', path: 'matrix', title: 'What survives what', group: 'plan', short: 'Matrix', drafted: true, component: () => import('./pages/MatrixPage.vue') },
  { name: 'rules', path: 'rules', title: 'Rules', group: 'plan', drafted: true, component: () => import('./pages/RulesPage.vue') },
  { name: 'plan', path: 'plan', title: 'Plan', group: 'plan', drafted: true, component: () => import('./pages/PlanPage.vue') },
  { name: 'form', path: 'plan/form', title: 'The plan as a form', within: 'plan', drafted: true, component: () => import('./pages/FormPage.vue') },
  { name: 'scenes', path: 'scenes', title: 'Scenes', group: 'plan', drafted: true, component: () => import('./pages/ScenesPage.vue') },
  { name: 'dry-run', path: 'dry-run', title: 'Dry run', group: 'plan', drafted: true, component: () => import('./pages/DryRunPage.vue') },
  { name: 'scout', path: 'scout', title: 'What could happen', group: 'plan', short: 'Scout', component: () => import('./pages/ScoutPage.vue') },
  { name: 'live', path: 'live/:session?', title: 'Live', group: 'play', component: () => import('./pages/LivePage.vue') },
  { name: 'players', path: 'players', title: 'Players', group: 'play', component: () => import('./pages/PlayersPage.vue') },
  { name: 'player', path: 'players/:player', title: 'Player', within: 'players', unlisted: true, component: () => import('./pages/PlayerPage.vue') },
  { name: 'why', path: 'why', title: 'Why is it so?', group: 'play', short: 'Why', component: () => import('./pages/WhyPage.vue') },
  { name: 'milestones', path: 'milestones', title: 'Milestones and standings', group: 'play', short: 'Milestones', drafted: true, component: () => import('./pages/MilestonesPage.vue') },
  { name: 'population', path: 'saves', title: 'What saves hold', group: 'change', short: 'Saves', component: () => import('./pages/PopulationPage.vue') },
  { name: 'versions', path: 'versions', title: 'Versions', group: 'change', drafted: true, component: () => import('./pages/VersionsPage.vue') },
  { name: 'budgets', path: 'budgets', title: 'Budgets', group: 'change', drafted: true, component: () => import('./pages/BudgetsPage.vue') },
  { name: 'print', path: 'matrix/print', title: 'The matrix for print', component: () => import('./pages/PrintPage.vue') },
]

/** The groups of the navigation. */
export const groups = (['plan', 'play', 'change'] as const).map((group) => pages.filter((p) => p.group === group))

export const pageCalled = (name: unknown) => pages.find((p) => p.name === name)
