import { answered, api, ServiceError, type Step } from '../api/client'
import { steward } from '../steward'

/** A change of a draft of rules that the service has not answered yet. */
export interface Sent {
  id: string
  delivery: string
  words: string
  steps: Step[]
}

/**
 * Changes on their way. They are kept by the browser until the service has answered, so that none is lost with the
 * page that sent it; each has an identifier by which the service makes it once.
 */
const key = 'sieb.changes'
const most = 200

function all(): Sent[] {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? '[]') as unknown
    return Array.isArray(kept) ? (kept as Sent[]) : []
  } catch {
    return []
  }
}

function keep(list: Sent[]): void {
  try {
    if (list.length === 0) localStorage.removeItem(key)
    else localStorage.setItem(key, JSON.stringify(list.slice(-most)))
  } catch {
    // A browser that keeps nothing still sends.
  }
}

export const outbox = {
  of: (delivery: string): Sent[] => all().filter((s) => s.delivery === delivery),
  add: (s: Sent): void => keep([...all(), s]),
  remove: (id: string): void => keep(all().filter((s) => s.id !== id)),
}

/** Sends what a page before this one has sent and not seen made, whatever page this is. */
export async function sendKept(): Promise<void> {
  for (const sent of all()) {
    try {
      await answered(
        api.POST('/api/v1/deliveries/{id}/rules/changes', {
          params: { path: { id: sent.delivery } },
          body: bodyOf(sent),
        }),
      )
    } catch (e) {
      // Without an answer, or a token, it is sent another time.
      if (!(e instanceof ServiceError && e.status > 0 && e.status !== 401)) return
    }
    outbox.remove(sent.id)
  }
}

/** A change as the service takes it. */
export const bodyOf = ({ id, words, steps }: Sent): { words: string; steps: Step[]; id: string; from: string } => ({
  words: words.slice(0, 500),
  steps,
  id,
  ...author(),
})

/** Who makes a change, and in which browser. */
export const author = (): { by?: string; from: string } => ({ by: steward.get() || undefined, from: browser() })

/** A text that is nowhere else. */
export function unlike(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(12))
  return Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('')
}

/** What tells this browser from others. */
export function browser(): string {
  let kept = localStorage.getItem('sieb.browser')
  if (!kept) {
    kept = unlike()
    try {
      localStorage.setItem('sieb.browser', kept)
    } catch {
      // Then each page is a stranger.
    }
  }
  return kept
}

/**
 * Whether some steps change what others have changed, or what stands in it. What both add to a list, goes in both
 * times.
 */
export function overlap(mine: Step[], theirs: Step[]): boolean {
  return mine.some((a) =>
    theirs.some((b) => {
      if (a.in !== b.in || (a.do === 'add' && b.do === 'add')) return false
      const [of, by] = [a.path ?? [], b.path ?? []]
      const short = Math.min(of.length, by.length)
      return of.slice(0, short).every((part, i) => part === by[i])
    }),
  )
}
