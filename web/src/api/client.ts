import createClient from 'openapi-fetch'
import { ref } from 'vue'

import { notReached, reach } from '../composables/connection'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Matrix = Schemas['Matrix']
export type Row = Schemas['Row']
export type Cell = Schemas['Cell']
export type Column = Schemas['Column']
export type Finding = Schemas['Finding']
export type Report = Schemas['Report']
export type Problem = Schemas['Problem']
export type Value = string | number | boolean | null

export const api = createClient<paths>({ baseUrl: '/', fetch: (request) => reach(request) })

/** Whether the service asks for a token, and there is none that is good. */
export const asksForToken = ref(false)

api.use({
  onResponse({ response }) {
    if (response.status === 401) asksForToken.value = true
  },
})

/** Shows a token to the service, which keeps it in a cookie that no page can read. It gives what is wrong with it, or nothing. */
export async function signIn(token: string): Promise<string> {
  const answer = await fetch('/v1/login', { method: 'POST', headers: { Authorization: `Bearer ${token.trim()}` } })
  if (answer.ok) return ''
  return ((await answer.json()) as Problem).detail ?? 'The token is not good.'
}

/** What went wrong with a request, in the service's own words. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title)
  }
}

/** The data of an answer, or the problem that it told, thrown. */
export function dataOf<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.data === undefined) {
    const problem = answer.error as Problem | undefined
    throw new ApiError(problem?.title ? problem : { type: '', title: 'The service did not answer as expected', status: answer.response.status })
  }
  return answer.data
}

/** What went wrong, in words for people. */
export function told(e: unknown): string {
  return notReached(e) ? 'The service does not answer. Is it running?' : (e as Error).message
}

/** A text that the service keeps as it was written. */
export async function textAt(path: string): Promise<string> {
  const answer = await reach(path)
  if (!answer.ok) throw new ApiError((await answer.json().catch(() => ({ type: '', title: 'The service did not answer as expected', status: answer.status }))) as Problem)
  return answer.text()
}

/** Reads what an address tells on the way (Server-Sent Events) until that was the last of it. It gives what came last. */
export async function heard<T>(path: string, stop: AbortSignal, on: (data: T) => void): Promise<T | undefined> {
  const answer = await reach(path, { signal: stop })
  if (!answer.ok || !answer.body) throw new ApiError((await answer.json().catch(() => ({ type: '', title: 'The service did not answer as expected', status: answer.status }))) as Problem)
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  let last: T | undefined
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const events = (rest + part.value).split('\n\n')
    rest = events.pop()!
    for (const event of events) {
      const data = /^data: (.*)$/m.exec(event)?.[1]
      if (data) on((last = JSON.parse(data) as T))
    }
  }
  return last
}

/** Where a rehearsal is kept. */
export const rehearsalPath = (game: string, name: string) => `/v1/games/${encodeURIComponent(game)}/rehearsals/${encodeURIComponent(name)}`

/** A text, sent as a plan is. */
export const asPlan = (text: string) => ({ body: text as never, bodySerializer: (b: unknown) => b as string, headers: { 'Content-Type': 'application/yaml' } })

/** A value as people read it. */
export function shown(value: unknown): string {
  if (value === null || value === undefined) return 'none'
  if (Array.isArray(value)) return value.length ? value.join(', ') : 'empty'
  return String(value)
}
