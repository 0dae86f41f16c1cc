import { vi } from 'vitest'

/** What a service that is made up answers: by method and path; a function is asked with the body. */
export type Answers = Record<string, unknown | ((body: string) => unknown)>

/** An answer with a status or an entity tag of its own. */
export const answer = (body: unknown, status = 200, etag = '') => ({ __body: body, status, etag })

/** Puts a made-up service in the place of fetch, and gives what it was asked. */
export function served(answers: Answers): string[] {
  const asked: string[] = []
  vi.stubGlobal('fetch', async (input: RequestInfo | URL, init?: RequestInit) => {
    const request = input instanceof Request ? input : new Request(new URL(String(input), 'http://here'), init)
    const body = request.method === 'GET' ? '' : await request.text()
    const route = `${request.method} ${new URL(request.url).pathname}`
    asked.push(route)
    if (!(route in answers)) throw new TypeError('Failed to fetch')
    let got = answers[route]
    if (typeof got === 'function') got = (got as (body: string) => unknown)(body)
    const full = got as ReturnType<typeof answer>
    const { __body, status, etag } = full && typeof full === 'object' && '__body' in full ? full : answer(got)
    const text = typeof __body === 'string' ? __body : JSON.stringify(__body)
    return new Response(text, { status, headers: { 'Content-Type': typeof __body === 'string' ? 'text/plain' : 'application/json', ...(etag ? { ETag: etag } : {}) } })
  })
  return asked
}

/** Waits until everything that was asked has been answered. */
export async function settled() {
  for (let i = 0; i < 20; i++) await new Promise((done) => setTimeout(done, 0))
}
