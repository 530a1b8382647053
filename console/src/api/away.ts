import { ref } from 'vue'

/** What does not answer for now: the service, or its database; empty while all is well. */
export const away = ref<'' | 'service' | 'database'>('')

let waiting: Promise<void> | undefined
const pause = (ms: number): Promise<void> => new Promise((resolve) => window.setTimeout(resolve, ms))

/** Asks whether the service can work; an answer that asks for the token is one, too. */
async function state(): Promise<'' | 'service' | 'database'> {
  try {
    const { status } = await fetch('/healthz', { cache: 'no-store' })
    return status === 503 ? 'database' : status >= 500 ? 'service' : ''
  } catch {
    return 'service'
  }
}

/** Waits until the service can work again. All who wait, wait for the same. */
export function untilBack(): Promise<void> {
  waiting ??= (async () => {
    for (let ms = 400; (away.value = await state()) !== ''; ms = Math.min(1.5 * ms, 3000)) await pause(ms)
    waiting = undefined
  })()
  return waiting
}

/**
 * Requests that do something each time they arrive: whether one has arrived is not known when no answer comes. A change
 * of rules is none of them, since it names the state that it is made on.
 */
const isOnce = (r: Request): boolean =>
  r.method === 'POST' && /\/(runs|targets|members)$/.test(new URL(r.url).pathname)

/** Fetches with patience: what finds the service away is asked again when it is back. */
export async function patient(request: Request): Promise<Response> {
  for (;;) {
    try {
      const response = await fetch(request.clone())
      if (![502, 503, 504].includes(response.status)) {
        // An answer that breaks off is none.
        const body = response.status === 204 ? null : await response.arrayBuffer()
        return new Response(body, {
          status: response.status,
          statusText: response.statusText,
          headers: response.headers,
        })
      }
    } catch (e) {
      if (request.signal.aborted) throw e
      if (isOnce(request)) {
        void untilBack()
        throw e
      }
    }
    await pause(200)
    await untilBack()
  }
}
