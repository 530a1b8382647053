import { ref, type Ref } from 'vue'
import { ServiceError } from '../api/client'
import { ask } from './names'

/** The text of a version that is not saved yet, as the service keeps it. */
export interface KeptText {
  text: string
  /** That it began with; 0 where that is not known. */
  version?: number
  state?: string
}

/** Work on a text that is kept on the service as it is typed, and that others may do at the same time. */
export interface TextDraft {
  /** What is typed; undefined where nothing was changed. */
  text: Ref<string | undefined>
  /** The version that it began with; 0 where that is not known. */
  version: Ref<number>
  isKept: Ref<boolean>
  /** What others made of the draft meanwhile, or that it is gone; what is typed is not kept. */
  others: Ref<KeptText | 'gone' | undefined>
  /** One's own text, where that of others was taken in its place. */
  aside: Ref<string | undefined>
  load: () => Promise<void>
  type: (to: string, version: number) => void
  /** Waits until the service has what was typed; false where others changed it meanwhile. */
  settled: () => Promise<boolean>
  drop: () => Promise<void>
  /** Goes on with one's own text, or with that of others. */
  settle: (mine: boolean) => void
  /** Puts the text that was put aside back. */
  restore: () => void
}

export function useTextDraft(path: () => string, failed: (e: unknown) => void): TextDraft {
  const text = ref<string>()
  const version = ref(0)
  const isKept = ref(true)
  const others = ref<KeptText | 'gone'>()
  const aside = ref<string>()
  let state = 'none'
  let timer = 0
  let sending = Promise.resolve()

  async function find(where: string): Promise<KeptText | undefined> {
    try {
      return await ask<KeptText>(`${where}/draft`)
    } catch (e) {
      if (e instanceof ServiceError && e.status === 404) return undefined
      throw e
    }
  }

  const onState = (): Record<string, string> => ({ 'If-Match': `"${state}"` })

  /** Does something on the state that is known; where others changed it, theirs is looked at instead. */
  async function on(where: string, what: () => Promise<void>): Promise<void> {
    try {
      await what()
    } catch (e) {
      if (e instanceof ServiceError && e.status === 412) others.value = (await find(where)) ?? 'gone'
      else throw e
    }
  }

  function keep(): Promise<void> {
    window.clearTimeout(timer)
    const where = path()
    sending = sending.then(async () => {
      const to = text.value
      if (to === undefined || isKept.value || others.value) return
      try {
        await on(where, async () => {
          const body = { text: to, version: version.value }
          const kept = await ask<KeptText>(`${where}/draft`, 'PUT', body, 'application/json', onState())
          state = kept.state ?? 'none'
          isKept.value = text.value === to
        })
      } catch (e) {
        failed(e)
      }
    })
    return sending
  }

  function type(to: string, of: number): void {
    if (text.value === undefined) version.value = of
    text.value = to
    isKept.value = false
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void keep(), 400)
  }

  return {
    text,
    version,
    isKept,
    others,
    aside,
    async load() {
      const found = await find(path())
      text.value = found?.text
      version.value = found?.version ?? 0
      state = found?.state ?? 'none'
      isKept.value = true
      others.value = aside.value = undefined
    },
    type,
    async settled() {
      await keep()
      return others.value === undefined
    },
    async drop() {
      const where = path()
      window.clearTimeout(timer)
      await sending
      await on(where, async () => {
        await ask(`${where}/draft`, 'DELETE', undefined, '', onState())
        text.value = aside.value = undefined
        state = 'none'
        isKept.value = true
      })
    },
    settle(mine) {
      const theirs = others.value
      if (!theirs) return
      state = (theirs !== 'gone' && theirs.state) || 'none'
      others.value = undefined
      if (mine) {
        void keep()
        return
      }
      aside.value = text.value
      text.value = theirs === 'gone' ? undefined : theirs.text
      version.value = (theirs !== 'gone' && theirs.version) || 0
      isKept.value = true
    },
    restore() {
      const to = aside.value
      aside.value = undefined
      if (to !== undefined) type(to, version.value)
    },
  }
}
