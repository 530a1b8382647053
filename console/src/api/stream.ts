import { answered, ServiceError } from './client'
import { untilBack } from './away'

/**
 * Posts a request whose answer is server-sent events, and hands each document on, until the stream ends or the
 * signal stops it. A stream that breaks off, since the service is away, is asked for again when it is back.
 */
export async function stream<T>(
  path: string,
  body: unknown,
  each: (document: T) => void,
  signal: AbortSignal,
): Promise<void> {
  for (;;) {
    try {
      await read(path, body, each, signal)
      return
    } catch (e) {
      if (signal.aborted) return
      if (e instanceof ServiceError && ![0, 502, 503, 504].includes(e.status)) throw e
      await new Promise((resolve) => window.setTimeout(resolve, 300))
      await untilBack()
      if (signal.aborted) return
    }
  }
}

async function read<T>(path: string, body: unknown, each: (document: T) => void, signal: AbortSignal): Promise<void> {
  const response = await fetch(path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
    signal,
  })
  if (!response.ok || !response.body) {
    await answered(response.json().then((error: unknown) => ({ error, response })))
    return
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader()
  let rest = ''
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return
    const events = (rest + value).split('\n\n')
    rest = events.pop() ?? ''
    for (const text of events) {
      const name = /^event: (.*)$/m.exec(text)?.[1]
      const data = /^data: (.*)$/m.exec(text)?.[1]
      if (data === undefined) continue
      // What the service says of its own end is no trouble that asking again would mend.
      if (name === 'ended') throw new ServiceError((JSON.parse(data) as { reason: string }).reason, [], 422)
      each(JSON.parse(data) as T)
    }
  }
}
