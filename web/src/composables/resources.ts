import { effectScope } from 'vue'

import { api, dataOf, textAt, type Schemas } from '../api/client'
import { useResource, type Resource } from './useResource'

let games: Resource<Schemas['GameInfo'][]> | undefined

/** All games; the window follows them once for all of its parts. */
export function useGames(): Resource<Schemas['GameInfo'][]> {
  games ??= effectScope(true).run(() => useResource(async () => dataOf(await api.GET('/v1/games')), () => null, 5000))!
  return games
}

export const useMatrix = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/matrix', { params: { path: { game: game() } } })), game)

export const useNames = (game: () => string) =>
  useResource(async () => (game() ? dataOf(await api.GET('/v1/games/{game}/names', { params: { path: { game: game() } } })) : []), game)

/** How many players are shown at once; a part of the name finds others. */
export const MOST_PLAYERS = 500

/** The first players whose names have a part. */
export const usePlayers = (game: () => string, part: () => string) =>
  useResource(
    async () => dataOf(await api.GET('/v1/games/{game}/players', { params: { path: { game: game() }, query: { part: part(), most: MOST_PLAYERS } } })),
    () => [game(), part()],
    2000,
  )

export const usePlayer = (game: () => string, player: () => string, slot: () => number) =>
  useResource(
    async () => dataOf(await api.GET('/v1/games/{game}/players/{player}', { params: { path: { game: game(), player: player() }, query: { slot: slot() } } })),
    () => [game(), player(), slot()],
    1000,
  )

/** What state costs on the wire. */
/** The nodes that make this service; asked every so many milliseconds, or (0) once. */
export const useNodes = (every = 0) => useResource(async () => dataOf(await api.GET('/v1/nodes')), () => null, every)

export const useBudgets = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/budgets', { params: { path: { game: game() } } })), game)

export const useSessions = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/sessions', { params: { path: { game: game() } } })), game, 4000)

/** The scenes of the plan that a session runs, to be drawn. */
export const useSceneMap = (game: () => string, session: () => string) =>
  useResource(
    async () => (session() ? dataOf(await api.GET('/v1/games/{game}/sessions/{session}/map', { params: { path: { game: game(), session: session() } } })) : undefined),
    () => [game(), session()],
  )

/** The newest changes of a player in the session that they are in. */
export const useTrail = (game: () => string, session: () => string | undefined, player: () => string, name: () => string) =>
  useResource(
    async () => {
      const at = session()
      if (!at) return []
      return dataOf(await api.GET('/v1/games/{game}/sessions/{session}/changes', { params: { path: { game: game(), session: at }, query: { player: player(), name: name(), most: 40 } } }))
    },
    () => [game(), session(), player(), name()],
    2000,
  )

/** What was published of a game, and the plan that is being worked on. */
export const useVersions = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/versions', { params: { path: { game: game() } } })), game, 5000)

export const useTrials = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/trials', { params: { path: { game: game() } } })), game, 5000)

/** How far a trial is, and what came of it so far. */
export const useTrial = (game: () => string, trial: () => number) =>
  useResource(
    async () => (trial() ? dataOf(await api.GET('/v1/games/{game}/trials/{trial}', { params: { path: { game: game(), trial: trial() } } })) : undefined),
    () => [game(), trial()],
    1000,
  )

/** What becomes of saves of one version under another; 0 is the plan that is being worked on. */
export const useComparison = (game: () => string, from: () => number, to: () => number) =>
  useResource(
    async () => (from() ? dataOf(await api.GET('/v1/games/{game}/compare', { params: { path: { game: game() }, query: { from: from(), to: to() } } })) : undefined),
    () => [game(), from(), to()],
  )

/** The text of a plan: a published version, or (0) the one in work. */
export const usePlanText = (game: () => string, version: () => number | undefined) =>
  useResource(
    async () => {
      const v = version()
      return v === undefined ? undefined : textAt(`/v1/games/${encodeURIComponent(game())}/${v ? `versions/${v}` : 'plan'}`)
    },
    () => [game(), version()],
  )

/** A slot's saves, newest first; none where nothing was ever saved. */
export const useRevisions = (game: () => string, player: () => string, slot: () => number) =>
  useResource(
    async () => {
      const answer = await api.GET('/v1/games/{game}/players/{player}/slots/{slot}/revisions', { params: { path: { game: game(), player: player(), slot: slot() } } })
      return answer.response.status === 404 ? [] : dataOf(answer)
    },
    () => [game(), player(), slot()],
    3000,
  )

/** The rehearsals that are kept with a game. */
export const useRehearsals = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/rehearsals', { params: { path: { game: game() } } })), game)

/** Who has earned what, and how far the others are. */
export const useMilestones = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/milestones', { params: { path: { game: game() } } })), game, 4000)

export const useStandings = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/standings', { params: { path: { game: game() } } })), game)

/** The first places of a standing. */
export const useStanding = (game: () => string, standing: () => string, most: () => number) =>
  useResource(
    async () => dataOf(await api.GET('/v1/games/{game}/standings/{standing}', { params: { path: { game: game(), standing: standing() }, query: { most: most() } } })),
    () => [game(), standing(), most()],
    4000,
  )

/** How far the search of a game's plan is, and what was found. */
export const useScout = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/scout', { params: { path: { game: game() } } })), game, 1000)
