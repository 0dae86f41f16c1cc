import { ref } from 'vue'

/** Whether the service does not answer at the moment. Pages go on showing what they know. */
export const lost = ref(false)

/** Counts how often the service came back; whoever shows what it said asks again then. */
export const cameBack = ref(0)

let asking = 0

/** Notes that a request reached the service. */
export function answered() {
  if (!lost.value) return
  lost.value = false
  cameBack.value++
}

/** Notes that one did not, and asks from then on until the service is there again. */
export function unanswered() {
  lost.value = true
  if (asking) return
  asking = window.setInterval(async () => {
    try {
      const answer = await fetch('/healthz', { cache: 'no-store' })
      if (!answer.ok) return
      window.clearInterval(asking)
      asking = 0
      answered()
    } catch {
      // not yet
    }
  }, 1500)
}

/** Whether an error says that the service was not reached at all. */
export const notReached = (e: unknown) => e instanceof TypeError && /fetch|network/i.test(e.message)

/** fetch, with the connection looked after. */
export async function reach(input: RequestInfo, init?: RequestInit): Promise<Response> {
  try {
    const answer = await fetch(input, init)
    answered()
    return answer
  } catch (e) {
    if (notReached(e)) unanswered()
    throw e
  }
}
