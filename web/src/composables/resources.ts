import { api, dataOf } from '../api/client'
import { useResource } from './useResource'

export const useGames = () => useResource(async () => dataOf(await api.GET('/v1/games')), () => null, 5000)

export const useMatrix = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/matrix', { params: { path: { game: game() } } })), game)

export const useNames = (game: () => string) =>
  useResource(async () => (game() ? dataOf(await api.GET('/v1/games/{game}/names', { params: { path: { game: game() } } })) : []), game)

export const usePlayers = (game: () => string) =>
  useResource(async () => dataOf(await api.GET('/v1/games/{game}/players', { params: { path: { game: game() } } })), game, 2000)

export const usePlayer = (game: () => string, player: () => string, slot: () => number) =>
  useResource(
    async () => dataOf(await api.GET('/v1/games/{game}/players/{player}', { params: { path: { game: game(), player: player() }, query: { slot: slot() } } })),
    () => [game(), player(), slot()],
    1000,
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
