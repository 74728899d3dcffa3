import { ref } from 'vue'
import { knownFetch } from './known'

/** Whether something typed waits to be sent again, because the server or its database is down. */
export const waiting = ref(false)

const MOST_TRIES = 14
const LONGEST_MS = 8_000

/**
 * Send a request; a change that finds the server or its database down is kept and sent again until it arrives, a minute and a half at
 * most. Each carries what it changes or a key of its own, so that it is done once however often it is sent.
 */
export async function patientFetch(request: Request): Promise<Response> {
  if (request.method === 'GET') return knownFetch(request)
  for (let tried = 1; ; tried += 1) {
    const answer = await fetch(request.clone()).catch((error: unknown) => (tried < MOST_TRIES ? null : Promise.reject(error)))
    if (answer !== null && (answer.status !== 503 || tried >= MOST_TRIES)) {
      waiting.value = false
      return answer
    }
    waiting.value = true
    await new Promise((resolve) => setTimeout(resolve, Math.min(500 * 2 ** (tried - 1), LONGEST_MS)))
  }
}
